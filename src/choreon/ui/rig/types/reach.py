"""What a changed type does to those who use it."""

from __future__ import annotations

import msgspec

from choreon.language import tr
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
    by_mode: dict[str, list[str]] = {}
    for fixture in show.fixtures.values():
        if fixture.type == kind.id:
            by_mode.setdefault(fixture.mode, []).append(fixture.id)

    # one mode after the other, each from what its lamps had before the change
    made, lines = show, []
    for mode, ids in by_mode.items():
        before = edits.replace(made, types=show.types)
        made, told = _translated(before, kind, mode, ids)
        lines += told

    everybody = [i for ids in by_mode.values() for i in ids]
    made, readdressed, homeless = find_room(edits.put(made, "types", kind), everybody)

    for i in readdressed:
        after = made.fixtures[i]
        where = f"{after.universe}.{after.address}"
        lines.append(
            tr(
                "{name} goes to {where}: it takes other slots now.",
                name=after.name,
                where=where,
            )
        )

    for i in homeless:
        name = show.fixtures[i].name
        lines.append(
            tr("{name} finds no room in its universe and will clash.", name=name)
        )

    return Reach(made, tuple(dict.fromkeys(lines)))


def _translated(
    show: Show, kind: FixtureType, mode: str, ids: list[str]
) -> tuple[Show, list[str]]:
    """The show with the fixtures of a mode translated to the new definition, and what
    is to be told of them.
    """
    names = words.some([show.fixtures[i].name for i in ids])
    target, gone = _target(show.types.get(kind.id), kind, mode)
    lines = []

    if gone:
        lines.append(
            tr(
                "{names}: the mode {mode} is gone; they go to {target}.",
                names=names,
                mode=mode,
                target=target,
            )
        )

    done = swap(show, ids, kind, target, room=False)
    lost = [line.text for line in done.lines if line.fate != "kept"]
    return done.show, [
        *lines,
        *(tr("{names}: {text}.", names=names, text=text) for text in lost),
    ]


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
