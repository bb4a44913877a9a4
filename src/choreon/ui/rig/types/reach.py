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
    fresh = [m for m in kind.modes if before.mode(m.name) is None]
    alike = [m for m in fresh if m.uses == mode.uses]
    if not alike and len(kind.modes) == len(before.modes):
        alike = [m for m in (kind.modes[before.modes.index(mode)],) if m in fresh]
    return alike[0].name if alike else ""


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
        renamed = _renamed(show.types.get(kind.id), kind, mode)
        target = (
            mode
            if kind.mode(mode)
            else renamed or (kind.modes[0].name if kind.modes else mode)
        )
        names = words.some([show.fixtures[i].name for i in ids])
        if target not in (mode, renamed):
            lines[f"{names}: the mode {mode} is gone; they go to {target}."] = None
        # Translated one mode after the other, each from what its lamps had before the
        # change.
        done = swap(
            edits.replace(made, types=show.types), ids, kind, target, room=False
        )
        made = done.show
        for line in done.lines:
            if line.fate != "kept":
                lines[f"{names}: {line.text}."] = None
    made, readdressed, homeless = find_room(
        edits.put(made, "types", kind), [i for ids in by_mode.values() for i in ids]
    )
    for i in readdressed:
        after = made.fixtures[i]
        lines[
            f"{after.name} goes to {after.universe}.{after.address}: it takes "
            "other slots now."
        ] = None
    for i in homeless:
        lines[
            f"{show.fixtures[i].name} finds no room in its universe and will clash."
        ] = None
    return Reach(made, tuple(lines))
