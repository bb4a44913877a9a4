"""What is to be known of a stack before the show: what moves in the light, cues that
change nothing, lamps that are never lit, cues that come before the one before them is
complete. Pure functions of the compiled show.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple

import numpy as np

from choreon.language import listed, plural, tr
from choreon.model.playables import Stack
from choreon.model.playables.stack import (
    Cue,
    FollowKind,
    called,
    contents,
    seconds,
    times_of,
)
from choreon.model.refs import exists, name_of
from choreon.model.verbs import Verb
from choreon.render.compiled import CompiledShow
from choreon.render.looks import CompiledLook
from choreon.render.rig import BEAM, POSITION, Flags, Floats, Ints, Rig
from choreon.render.sources.stack import complete_after, step_at

DARK = 1e-3  # a level that nobody sees
SAME = 1e-6  # of a value's span
MOST_NAMES = 4


class CueProblem(NamedTuple):
    """Something that is to be looked at: of a cue, by its id, or of the stack as a
    whole. `grave`: it is more than a hint; `moves`: it tells of what is seen moving.
    """

    cue: str
    text: str
    grave: bool = False
    moves: bool = False


# what moves in the light


def moves_in_light(
    compiled: CompiledShow, before: CompiledLook, after: CompiledLook
) -> list[str]:
    """Returns the fixtures whose head, wheels or zoom are seen to move on the way from
    one look to the next: they are lit in both, and something of them is elsewhere.
    """
    rig = compiled.rig
    lit = (_light(rig, before) > DARK) & (_light(rig, after) > DARK)
    rows = np.intersect1d(before.plain_rows, after.plain_rows, assume_unique=True)
    family = rig.families[rows]
    rows = rows[(family == POSITION) | (family == BEAM)]
    rows = rows[lit[rig.light[rows]]]
    if not len(rows):
        return []

    here = before.values[np.searchsorted(before.rows, rows)]
    there = after.values[np.searchsorted(after.rows, rows)]
    span = np.maximum(rig.high[rows] - rig.low[rows], 1e-9)
    moved = rows[np.abs(there - here) / span > SAME]
    owners = rig.owners
    return list(dict.fromkeys(owners[int(row)] for row in moved))


def _light(rig: Rig, look: CompiledLook) -> Floats:
    """How strongly a look lights each lamp (I + 1)."""
    light = np.zeros(rig.intensities + 1)
    lamps, levels = look.shining
    light[lamps] = levels
    return light


# the whole stack


def check(
    compiled: CompiledShow, stack: Stack, going: Callable[[], bool] = lambda: True
) -> list[CueProblem]:
    """Returns all that is to be looked at, cue by cue. `going`: asked now and then
    whether to go on.
    """
    found = list(_gone(compiled, stack))
    found += _rings(compiled, stack)
    if any(cue.at is not None and cue.at.lost for cue in stack.cues):
        found += [
            CueProblem(cue.id, tr("its word is gone from the text"), True)
            for cue in stack.cues
            if cue.at is not None and cue.at.lost
        ]

    found += _in_the_text(stack)
    before: CompiledLook | None = None
    rig = compiled.rig
    given = np.zeros(rig.size, bool)
    ever_lit = np.zeros(rig.intensities + 1, bool)

    for n, cue in enumerate(stack.cues):
        if not going():
            return found
        look = compiled.look_of(step_at(stack, cue))
        given[look.plain_rows] = True
        ever_lit |= _light(rig, look) > DARK
        if before is not None:
            found += _between(compiled, stack, stack.cues[n - 1], cue, before, look)
        before = look

    return found + _never_lit(compiled, given, ever_lit)


def _between(
    compiled: CompiledShow,
    stack: Stack,
    was: Cue,
    cue: Cue,
    before: CompiledLook,
    after: CompiledLook,
) -> Iterator[CueProblem]:
    """What is to be said of a cue and the one before it."""
    if not cue.does and _same(contents(stack, was), contents(stack, cue)):
        yield CueProblem(cue.id, tr("changes nothing of the cue before it"))

    moving = moves_in_light(compiled, before, after)
    if moving:
        names = [name_of_fixture(compiled, fixture) for fixture in moving]
        times = times_of(stack, cue)
        own = times.families.get("position")
        fade = times.fade_in if own is None else own.fade
        yield CueProblem(
            cue.id,
            tr(
                "{lamps} will be seen moving, for {seconds:.1f} s",
                lamps=listed(names, MOST_NAMES),
                seconds=fade,
            ),
            moves=True,
        )

    whole = complete_after(times_of(stack, was))
    begun = cue.follow.kind == FollowKind.BEGUN
    if begun and seconds(cue.follow.after) < whole - 1e-6:
        yield CueProblem(
            cue.id,
            tr(
                "comes {after:g} s after {before} began, which takes {whole:g} s: it "
                "is overtaken",
                after=cue.follow.after,
                before=called(was),
                whole=whole,
            ),
        )


def _same(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    return all(a is b or a == b for a, b in zip(one, other, strict=True))


def name_of_fixture(compiled: CompiledShow, fixture: str) -> str:
    """Returns what a fixture is called."""
    known = compiled.show.fixtures.get(fixture)
    return fixture if known is None else known.name


def _gone(compiled: CompiledShow, stack: Stack) -> Iterator[CueProblem]:
    show = compiled.show
    for cue in stack.cues:
        refs = [part.ref for part in cue.plays] + [act.ref for act in cue.does]
        gone = [str(ref) for ref in dict.fromkeys(refs) if not exists(show, ref)]
        if gone:
            text = tr("plays what is gone: {refs}", refs=listed(gone, MOST_NAMES))
            yield CueProblem(cue.id, text, True)

        for part in cue.lamps:
            if not any(exists(show, ref) for ref in part.of):
                text = tr("has times for a group that is gone")
                yield CueProblem(cue.id, text, True)


def _rings(compiled: CompiledShow, stack: Stack) -> Iterator[CueProblem]:
    """Cues whose GO of another stack leads back here."""
    show = compiled.show
    for cue in stack.cues:
        for act in cue.does:
            if act.verb != Verb.GO:
                continue
            other = show.playables.get(act.ref.id)
            back = isinstance(other, Stack) and any(
                own.verb == Verb.GO and own.ref == stack.ref
                for one in other.cues
                for own in one.does
            )
            if back or act.ref == stack.ref:
                text = tr(
                    "GO of {name}, which leads back here: one GO is taken at a time",
                    name=name_of(show, act.ref),
                )
                yield CueProblem(cue.id, text)


def _in_the_text(stack: Stack) -> Iterator[CueProblem]:
    """Cues whose words come before that of the cue before them."""
    last = None
    for cue in stack.cues:
        if cue.at is None or cue.at.lost:
            continue
        if last is not None and cue.at < last:
            text = tr("stands in the text before the cue before it")
            yield CueProblem(cue.id, text)
        last = cue.at


def _never_lit(
    compiled: CompiledShow, given: Flags, ever_lit: Flags
) -> list[CueProblem]:
    """Lamps that are given colours or places, and never any light."""
    rig = compiled.rig
    rows: Ints = np.flatnonzero(given)
    dark = rows[~ever_lit[rig.light[rows]] & (rig.light[rows] < rig.intensities)]
    owners = rig.owners
    lit = {owners[int(row)] for row in np.flatnonzero(ever_lit[:-1])}
    fixtures = list(dict.fromkeys(owners[int(row)] for row in dark))
    names = [name_of_fixture(compiled, f) for f in fixtures if f not in lit]
    if not names:
        return []

    text = plural(
        len(names),
        "{lamps} is given something and never any light",
        "{lamps} are given something and never any light",
        lamps=listed(names, MOST_NAMES),
    )
    return [CueProblem("", text)]


def by_cue(problems: list[CueProblem]) -> Mapping[str, list[str]]:
    """Returns the texts of each cue."""
    found: dict[str, list[str]] = {}
    for problem in problems:
        found.setdefault(problem.cue, []).append(problem.text)
    return found
