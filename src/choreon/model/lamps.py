"""Which lamps something reaches."""

from __future__ import annotations

from collections.abc import Iterable

from choreon.model.effects import fixtures_of as of_effect
from choreon.model.playables import Playable, kind_of
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
    return _played(show, ref)


def _played(show: Show, ref: Ref) -> list[str]:
    """The fixtures of what plays, and of what that plays in turn."""
    found: list[str] = []
    seen = {ref}
    asked = [ref]

    while asked:
        here = asked.pop()
        playable = show.playables.get(here.id)
        if playable is None or playable.ref != here:
            continue

        found += _own(show, playable)
        others = [r for r in kind_of(playable).plays(playable) if r not in seen]
        seen.update(others)
        asked += reversed(others)

    return found


def _own(show: Show, playable: Playable) -> list[str]:
    """The fixtures of a playable alone."""
    kind = kind_of(playable)
    found = [fixture for look in kind.looks(playable) for fixture in look]
    for effect in kind.effects(playable):
        found += of_effect(show, effect)
    found += kind.fixtures(show, playable)
    pattern = getattr(playable, "pattern", None)
    return [*found, *(pattern.lamps if pattern is not None else ())]
