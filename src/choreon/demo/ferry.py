"""*The Last Ferry*, a short play for the Boathouse: a stack of 24 cues."""

from __future__ import annotations

from typing import Any, NamedTuple

from choreon.model import edits
from choreon.model.playables import Stack, Times
from choreon.model.playables.stack import Cue, CueAct, Follow, FollowKind, LampTimes
from choreon.model.refs import TEMPO, Ref
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


def with_play(show: Show) -> Show:
    """The show with the play: below all else on the shelf."""
    cues = tuple(
        Cue(
            id=f"ferry-{n}",
            number=float(n),
            name=line.name,
            note=line.note,
            plays=line.plays,
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
    )
    playables = {stack.id: stack, **show.playables}
    return edits.replace(show, playables=playables)
