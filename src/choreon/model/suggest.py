"""A first light for a piece: looks of the show, laid along its sections by how lively
both are. What is laid are ordinary clips.
"""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.playables import AnyPlayable, Chase, Scene, Timeline
from choreon.model.playables.timeline import Clip, Track, over_at
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.model.tempo_map import Beats
from choreon.model.timelines import ids_of
from choreon.model.values import Look

replace = msgspec.structs.replace

MOVES = 0.35  # of full, by which what moves is livelier than what stands
FEW = 0.12  # of the lamps, that a look has at least to carry a section
SUDDEN, GENTLE = 0.1, 4.0  # seconds, and beats, that a change takes
BIG = 0.4  # of full, from which on a change of liveliness comes suddenly
AGAIN = 1.5  # places by which a look is less likely each time that it was used
TRACK = "suggested"


class Part(NamedTuple):
    """A section of a line: from when to when, how lively it is (0…1), and its name;
    those of one name get the same look.
    """

    begin: float
    end: float
    energy: float
    name: str


class Choice(NamedTuple):
    """What a section was given."""

    part: Part
    ref: Ref


def liveliness(show: Show, playable: AnyPlayable) -> float:
    """Returns how lively a look is, 0…1 and a bit: how much of the rig it lights, how
    bright, and whether it moves.
    """
    if isinstance(playable, Scene):
        light = _light(show, playable.look)
        return light + (MOVES if playable.effects else 0.0)
    if isinstance(playable, Chase):
        looks = []
        for step in playable.steps:
            inner = None if step.plays is None else show.playables.get(step.plays.id)
            if isinstance(inner, Scene):
                looks.append(inner.look)
            elif step.plays is None:
                looks.append(step.look)
        lights = [_light(show, look) for look in looks]
        return (sum(lights) / len(lights) if lights else 0.0) + MOVES
    return 0.0


def _light(show: Show, look: Look) -> float:
    """How much of the rig is lit, 0…1."""
    if not show.fixtures:
        return 0.0
    lit = 0.0
    for fixture, values in look.items():
        level = values.get(at.DIMMER, 1.0 if values else 0.0)
        if fixture in show.fixtures and isinstance(level, float | int):
            lit += min(1.0, max(0.0, float(level)))
    return lit / len(show.fixtures)


def looks_of(show: Show) -> list[tuple[float, Ref]]:
    """Returns the looks that can carry a section, by how lively they are."""
    all_of = [
        (liveliness(show, playable), playable.ref)
        for playable in show.playables.values()
        if isinstance(playable, Scene | Chase)
    ]
    fit = [one for one in all_of if one[0] >= FEW]
    return sorted(fit or [one for one in all_of if one[0] > 0.0])


def parts_of(line: Timeline, energies: Sequence[float]) -> list[Part]:
    """Returns the sections of a line: its marks, and what comes before the first.
    `energies`: of each, in their order; the middle where there are too few.
    """
    over = over_at(line)
    marks = sorted(line.marks, key=lambda mark: mark.at)
    marks = [mark for mark in marks if mark.at < over]
    if not marks:
        return []
    begins = [mark.at for mark in marks]
    names = [mark.name for mark in marks]
    if begins[0] > 0.5:
        begins, names = [0.0, *begins], ["", *names]
    ends = [*begins[1:], over]
    return [
        Part(begin, end, energies[n] if n < len(energies) else 0.5, names[n])
        for n, (begin, end) in enumerate(zip(begins, ends, strict=True))
        if end - begin > 0.05
    ]


def choose(show: Show, parts: Sequence[Part]) -> list[Choice]:
    """Returns a look for each section: as lively among the looks as that is among the
    sections. The same name gets the same look, and no look comes twice in a row.
    """
    looks = [ref for _, ref in looks_of(show)]
    if not looks:
        return []
    known: dict[str, Ref] = {}
    used: Counter[Ref] = Counter()
    made: list[Choice] = []

    for part in parts:
        before = made[-1].ref if made else None
        ref = known.get(part.name) if part.name else None
        if ref is None or (ref == before and len(looks) > 1):
            ref = _likeliest(looks, part.energy, used, before)
            used[ref] += 1
            if part.name:
                known.setdefault(part.name, ref)
        made.append(Choice(part, ref))
    return made


def _likeliest(
    looks: Sequence[Ref], energy: float, used: Mapping[Ref, int], but: Ref | None
) -> Ref:
    """The look whose place among all is nearest to how lively it should be; one that
    has been used counts for less.
    """
    wanted = energy * (len(looks) - 1)

    def away(place: int) -> float:
        return abs(place - wanted) + AGAIN * used.get(looks[place], 0)

    places = sorted(range(len(looks)), key=away)
    others = [looks[n] for n in places if looks[n] != but]
    return others[0] if others else looks[places[0]]


def suggest(
    show: Show, line: Timeline, energies: Sequence[float]
) -> tuple[Timeline, list[Choice]]:
    """Returns a line with looks along its sections, on a track of their own above the
    others of light; and what was chosen. What was suggested before makes room.
    """
    choices = choose(show, parts_of(line, energies))
    if not choices:
        return line, []
    beats = Beats(line.tempo)
    taken = ids_of(line)
    clips: list[Clip] = []
    for n, (part, ref) in enumerate(choices):
        clip_id = edits.fresh_id(ref.id, taken)
        taken.add(clip_id)
        before = choices[n - 1].part.energy if n else part.energy
        over = _over(beats, part, abs(part.energy - before)) if n else 0.0
        if clips:  # the one before goes over into it
            clips[-1] = replace(clips[-1], length=clips[-1].length + over)
        fade = _over(beats, part, 0.0) if n == 0 else 0.0
        clips.append(
            Clip(
                id=clip_id,
                plays=ref,
                start=part.begin,
                length=part.end - part.begin,
                fade_in=min(fade, part.end - part.begin),
            )
        )
    last = clips[-1]
    clips[-1] = replace(last, fade_out=min(2.0, last.length / 2.0))
    kept = tuple(track for track in line.tracks if track.id != TRACK)
    track = Track(id=TRACK, name=tr("Suggested"), clips=tuple(clips))
    return replace(line, tracks=(*kept, track)), choices


def _over(beats: Beats, part: Part, change: float) -> float:
    """The seconds that the change to a section takes: a big one comes at once."""
    if change >= BIG:
        return SUDDEN
    begin = beats.at(part.begin)
    gentle = beats.time_of(begin + GENTLE * (1.0 - change)) - part.begin
    return max(SUDDEN, min(gentle, 0.4 * (part.end - part.begin)))


def in_words(show: Show, choices: Sequence[Choice]) -> str:
    """Returns what was chosen, section by section, as it is told."""
    groups = itertools.groupby(choices, key=lambda one: one.ref)
    return " → ".join(name_of(show, ref) for ref, _ in groups)
