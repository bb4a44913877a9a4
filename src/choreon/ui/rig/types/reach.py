"""What a changed type does to those who use it."""

from __future__ import annotations

import msgspec

from choreon.model import edits
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Show
from choreon.model.swap import find_room, swap
from choreon.ui import words


class Reach(msgspec.Struct, frozen=True):
    """The show with the changed type, and in words what does not carry over."""

    show: Show
    lines: tuple[str, ...]


def _renamed(before: FixtureType | None, kind: FixtureType, name: str) -> str:
    """What a mode that is not there under its name is called now: the new one with the
    same channels, or, where no mode came or went, the one in its place. Empty where it
    is gone.
    """
    mode = before.mode(name) if before else None
    if before is None or mode is None or kind.mode(name) is not None:
        return ""
    fresh = [other for other in kind.modes if before.mode(other.name) is None]
    for other in fresh:
        if other.uses == mode.uses:
            return other.name
    if len(kind.modes) == len(before.modes):
        other = kind.modes[before.modes.index(mode)]
        if other in fresh:
            return other.name
    return ""


def reach(show: Show, kind: FixtureType) -> Reach:
    """Give every fixture of the type its new definition. Modes that are gone become the
    first that is left.
    """
    lines: dict[str, None] = {}
    made = show
    by_mode: dict[str, list[str]] = {}
    for fixture in show.fixtures.values():
        if fixture.type == kind.id:
            by_mode.setdefault(fixture.mode, []).append(fixture.id)
    for mode, ids in by_mode.items():
        names = words.some([show.fixtures[i].name for i in ids])
        target, gone = _target(show.types.get(kind.id), kind, mode)
        if gone:
            lines[f"{names}: the mode {mode} is gone; they go to {target}."] = None
        # Translated one mode after the other, each from what its lamps had before the
        # change.
        before = edits.replace(made, types=show.types)
        done = swap(before, ids, kind, target, room=False)
        made = done.show
        told = [line.text for line in done.lines if line.fate != "kept"]
        lines |= dict.fromkeys(f"{names}: {text}." for text in told)
    everybody = [i for ids in by_mode.values() for i in ids]
    made, readdressed, homeless = find_room(edits.put(made, "types", kind), everybody)
    for i in readdressed:
        after = made.fixtures[i]
        where = f"{after.universe}.{after.address}"
        lines[f"{after.name} goes to {where}: it takes other slots now."] = None
    for i in homeless:
        name = show.fixtures[i].name
        lines[f"{name} finds no room in its universe and will clash."] = None
    return Reach(made, tuple(lines))


def _target(
    before: FixtureType | None, kind: FixtureType, mode: str
) -> tuple[str, bool]:
    """The mode that lamps of a mode go to, and whether theirs is gone."""
    if kind.mode(mode):
        return mode, False
    renamed = _renamed(before, kind, mode)
    if renamed:
        return renamed, False
    target = kind.modes[0].name if kind.modes else mode
    return target, target != mode
