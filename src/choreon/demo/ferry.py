"""*The Last Ferry*, a short play for the Boathouse: two pages of text, and a stack of
24 cues that stand at its words.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from choreon.model import edits
from choreon.model.playables import Stack, Times
from choreon.model.playables.stack import Cue, CueAct, Follow, FollowKind, LampTimes
from choreon.model.refs import TEMPO, Ref
from choreon.model.script import Paragraphs, TextPlace, words_of
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.model.verbs import Verb


class Line(NamedTuple):
    """A cue in few words: its name, what is on, what is to be watched for, and what is
    said of it beside that.
    """

    name: str
    plays: tuple[Part, ...]
    note: str
    more: dict[str, Any]


def _part(name: str, level: float = 1.0) -> Part:
    return Part(Ref("scene", edits.fresh_id(name, ())), level)


def _line(name: str, note: str, *plays: Part, **more: Any) -> Line:
    return Line(name, plays, note, more)


HOUSE, FRONT = _part("House lights"), _part("Front wash", 0.6)
CELLO, MUD, SLACK = _part("Cello"), _part("Mudlight"), _part("Slack Water")
GROYNES, SPRING = _part("The Groynes"), _part("Spring Tide")
HOME, BLUE, ROSE = _part("Lanterns Home"), _part("Stage blue"), _part("Stage rose")

# the house's side goes in one second, the rest of the stage takes three
SIDES = (LampTimes(of=(Ref("group", "front"),), fade_in=1.0, fade_out=1.0),)
SLOWLY = {"position": Times(delay=0.0, fade=4.0)}


def _lines() -> list[Line]:
    after = FollowKind.COMPLETE
    return [
        _line("Doors", "House is open", HOUSE, _part("Slack Water", 0.3)),
        _line("House down", "Clearance from the front", SLACK, fade_out=8.0),
        _line("Ada alone", "Ada sits on the bollard", SLACK, FRONT, fade_in=3.0),
        _line(
            "She listens", "“Listen. There is no engine.”", SLACK, CELLO, fade_in=6.0
        ),
        _line(
            "The bell", "First stroke of the bell", GROYNES, fade_in=0.5, fade_out=1.0
        ),
        _line(
            "The bell dies", "", SLACK, CELLO, follow=Follow(after, 1.5), fade_in=5.0
        ),
        _line("Tom comes", "Tom: “Missed it again?”", MUD, FRONT, lamps=SIDES),
        _line("They laugh", "Both laugh", MUD, _part("Front wash", 0.9), fade_in=2.0),
        _line("A cloud", "“Feel that?”", _part("Mudlight", 0.5), BLUE, fade_in=7.0),
        _line("Lamp on the water", "Tom points out", BLUE, HOME, times=SLOWLY),
        _line("It goes out", "“Gone.”", fade_out=2.5),
        _line("Matches", "She strikes a match", CELLO, fade_in=0.3),
        _line("Second match", "Second match", CELLO, _part("Dots", 0.5), fade_in=0.3),
        _line("The tide turns", "", SPRING, follow=Follow(after, 2.0), fade_in=9.0),
        _line(
            "Dance", "Cello begins", SPRING, ROSE, does=(CueAct(TEMPO, Verb.BPM, 96.0),)
        ),
        _line("Dance, blue", "", SPRING, BLUE, follow=Follow(FollowKind.BAR, 4)),
        _line("Stop", "Tom stands still", _part("Spring Tide", 0.3), fade_out=0.0),
        _line("Quiet", "", SLACK, CELLO, follow=Follow(FollowKind.BEGUN, 3.0)),
        _line("“I can wait”", "“I can wait.”", SLACK, FRONT, fade_in=4.0),
        _line("Lanterns", "First lantern is lit", HOME, leaves=True, fade_in=5.0),
        _line("The ferry's light", "Horn, far away", HOME, GROYNES, fade_in=4.0),
        _line("They go", "Ada takes his arm", HOME, fade_out=10.0),
        _line("Dark", "Door shuts", fade_out=1.0),
        _line("Bows", "They stand in a row", FRONT, _part("Stage warm"), HOUSE),
    ]


TEXT = """
THE LAST FERRY
A short play for two and a cello. The landing at Quillmere, late in the year. A
 bollard, a bench, a lantern on a pole that is not lit. Water on three sides.
The doors {1}are open; the audience comes in to the sound of a slack tide.
{2}The house goes down. For a while there is only the water.
ADA comes along the landing with a suitcase tied with cord. She looks at the board,
 looks at the river, and {3}sits down on the bollard as if she had an appointment
 with it.
ADA: Quarter to nine. Last boat. It says so in enamel, and enamel does not change
 its mind.
She waits. Nothing comes.
ADA: {4}Listen. There is no engine. There is the pump in the boatyard, and
 somebody's radio, and a curlew that thinks it is a kettle. There is no engine.
{5}A bell, somewhere out on the mud. One stroke, and everything on the landing seems
 to stand up straight.
ADA: That's the groynes bell. That means there's no water left to speak of.
{6}The bell dies away across the flats. She puts her coat round her shoulders.
TOM comes with a bicycle that has no chain.
TOM: {7}Missed it again?
ADA: It missed me. I was here. I have been here, on and off, since a week last
 Tuesday.
TOM: They stopped it in the spring. The ferry. They only left the board up because
 it was holding the wall.
ADA: You might have said.
TOM: You might have asked. You looked so sure. {8}Both of them laugh, a little late,
 like people in the next room.
TOM: Cold, for October.
ADA: It's the tide. It takes the warm out with it and forgets to bring it back.
 {9}Feel that? A cloud has gone over the whole place.
TOM: There. No - {10}there. Out past the second groyne. A lamp on the water.
ADA: That's a star.
TOM: Stars don't go up and down.
They watch it, a long time, as it climbs and dips.
ADA: {11}Gone.
Dark. The water, close to.
TOM: Have you a light?
ADA: In the case. Under the shoes. Hold this. No, this. {12}She strikes a match.
In the small light they look at each other as if for the first time, and both of
 them look away. The match goes out. {13}A second match.
TOM: We could light the lantern. The one on the pole. They always lit it when there
 was somebody waiting.
ADA: They.
TOM: My father. Then me. Then nobody, because there was nobody waiting.
{14}Under the landing the river turns round. You can hear it make up its mind.
The cello, alone. {15}Slowly at first, then in time, the two of them dance on the
 boards with a suitcase between them. {16}The light goes blue and runs along the
 wall like water in a lock.
{17}Tom stands still.
TOM: I ought to tell you. There isn't going to be a boat.
ADA: I know there isn't.
{18}Quiet.
ADA: I knew it in August. I only like the being about to go. {19}I can wait.
TOM fetches the ladder. He lights the lantern on the pole, and then, because there
 are more of them in the shed, {20}the first of the others, and she lights the next,
 till the landing is lit from end to end as it must have been on regatta nights.
{21}A horn, far away. A light comes round the bend of the river, low down, slow,
 with the whole dark behind it.
ADA: That's never -
TOM: No. It's only the dredger.
ADA: It's got a rail. It's got a deck.
She unties the cord on the suitcase, looks in, ties it up again. {22}She takes his
 arm. They go down the steps towards the water, leaving the bicycle.
The lanterns burn on over nobody. A door {23}shuts, somewhere.
{24}They come back, in a row of two, and bow.
"""

MARK = re.compile(r"\{(\d+)\}")


def _text() -> tuple[Paragraphs, dict[int, TextPlace]]:
    """The paragraphs, and where each cue stands in them."""
    joined = TEXT.replace("\n ", " ")
    lines = [line.strip() for line in joined.split("\n") if line.strip()]
    places: dict[int, TextPlace] = {}
    paragraphs = []

    for number, line in enumerate(lines):
        plain = ""
        last = 0
        for mark in MARK.finditer(line):
            plain += line[last : mark.start()]
            last = mark.end()
            word = len(words_of(plain))
            places[int(mark.group(1))] = TextPlace(number, word)
        paragraphs.append(plain + line[last:])

    return tuple(paragraphs), places


def with_play(show: Show) -> Show:
    """The show with the play: below all else on the shelf."""
    text, places = _text()
    cues = tuple(
        Cue(
            id=f"ferry-{n}",
            number=float(n),
            name=line.name,
            note=line.note,
            plays=line.plays,
            at=places[n],
            **line.more,
        )
        for n, line in enumerate(_lines(), start=1)
    )
    stack = Stack(
        id="last-ferry",
        name="The Last Ferry",
        folder="The Last Ferry",
        fade_in=3.0,
        fade_out=2.0,
        cues=cues,
        text=text,
    )
    playables = {stack.id: stack, **show.playables}
    return edits.replace(show, playables=playables)
