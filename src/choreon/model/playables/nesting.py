"""What plays within what: parts of parts, and how deep they may lie."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from choreon.model.refs import Ref

if TYPE_CHECKING:
    from choreon.model.show import Show

DEEPEST = 8  # things that play others may lie within each other, the outermost counted


def parts_of(show: Show, ref: Ref) -> tuple[Ref, ...]:
    """Returns what something plays within itself, each once; nothing where it is
    gone.
    """
    from choreon.model.playables import kind_of

    playable = show.playables.get(ref.id)
    if playable is None or playable.ref != ref:
        return ()
    return kind_of(playable).parts(playable)


def contains(show: Show, whole: Ref, part: Ref) -> bool:
    """Returns whether something plays a thing, itself or through what it plays."""
    seen: set[Ref] = set()
    asked = [whole]
    while asked:
        for ref in parts_of(show, asked.pop()):
            if ref == part:
                return True
            if ref not in seen:
                seen.add(ref)
                asked.append(ref)
    return False


def too_deep(show: Show, ref: Ref, deepest: int = DEEPEST) -> tuple[Ref, ...]:
    """Returns the way down to where something lies deeper than it may, from `ref` on;
    nothing where all lies within.

    It goes level by level and asks each thing once a level: the work grows with how
    many there are, not with the ways that lead through them.
    """
    levels: list[dict[Ref, Ref | None]] = [{ref: None}]
    while len(levels) <= deepest:
        below: dict[Ref, Ref | None] = {}
        for whole in levels[-1]:
            for part in parts_of(show, whole):
                if parts_of(show, part):
                    below.setdefault(part, whole)

        if not below:
            return ()

        levels.append(below)

    return _way(levels)


def _way(levels: list[dict[Ref, Ref | None]]) -> tuple[Ref, ...]:
    """From the first level to one of the last."""
    here = next(iter(levels[-1]))
    way = [here]
    for level in reversed(levels[1:]):
        above = level[way[-1]]
        assert above is not None
        way.append(above)
    return tuple(reversed(way))


def in_words(show: Show, way: Iterable[Ref]) -> str:
    """Returns a way through things that play within each other: “Evening › Part”."""
    names = []
    for ref in way:
        playable = show.playables.get(ref.id)
        names.append(str(ref) if playable is None else playable.name)
    return " › ".join(names)
