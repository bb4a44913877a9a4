"""Which lamps something reaches."""

from __future__ import annotations

from collections.abc import Iterable

from choreon.model.effects import fixtures_of as of_effect
from choreon.model.playables import kind_of
from choreon.model.refs import FIXTURE, GROUP, TILE, Ref
from choreon.model.show import Show


def fixtures_of(show: Show, refs: Iterable[Ref]) -> list[str]:
    """Returns the fixtures that hang of groups and fixtures, and those that playables
    and tiles give something; each once, in their order.
    """
    found: dict[str, None] = {}
    for ref in refs:
        found |= dict.fromkeys(_of(show, ref))
    return [fixture for fixture in found if fixture in show.fixtures]


def _of(show: Show, ref: Ref) -> Iterable[str]:
    if ref.kind == FIXTURE:
        return (ref.id,)
    if ref.kind == GROUP:
        group = show.groups.get(ref.id)
        return () if group is None else group.fixtures
    if ref.kind == TILE:
        known = show.tile(ref.id)
        leads_to = () if known is None else known[1].leads_to
        return fixtures_of(show, (r for r in leads_to if r.kind != TILE))
    return _played(show, ref, set())


def _played(show: Show, ref: Ref, seen: set[Ref]) -> list[str]:
    """The fixtures of what plays, and of what that plays in turn."""
    playable = show.playables.get(ref.id)
    if playable is None or playable.ref != ref or ref in seen:
        return []
    seen.add(ref)
    kind = kind_of(playable)
    found = [fixture for look in kind.looks(playable) for fixture in look]
    for effect in kind.effects(playable):
        found += of_effect(show, effect)
    for other in kind.plays(playable):
        found += _played(show, other, seen)
    pattern = getattr(playable, "pattern", None)
    return [*found, *(pattern.lamps if pattern is not None else ())]
