"""Who has which slot: footprints, clashes, the next free address."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping

import msgspec

from choreon.model import attributes as at
from choreon.model.fixture_type import FixtureType, Mode
from choreon.model.show import SLOTS, Fixture, Show


class Clash(msgspec.Struct, frozen=True):
    """Two fixtures that want the same slots `first`…`last` of a universe."""

    universe: int
    first: int
    last: int
    one: str
    other: str


def mode_of(types: Mapping[str, FixtureType], fixture: Fixture) -> Mode | None:
    """The fixture's mode, or None where its type or mode is unknown."""
    kind = types.get(fixture.type)
    return kind.mode(fixture.mode) if kind else None


class _Kept:
    """What was worked out last for one pair of collections; they are never changed in
    place.
    """

    def __init__(self) -> None:
        self.of: tuple[object, object] = (None, None)
        self.sizes: dict[tuple[str, str], int] = {}
        self.slots: dict[int, dict[int, list[str]]] = {}
        self.clashes: list[Clash] | None = None


_kept = _Kept()


def _known(show: Show) -> _Kept:
    """What is known of this show's fixtures and types; forgotten with the next ones."""
    global _kept
    kept = _kept
    if kept.of[0] is not show.fixtures or kept.of[1] is not show.types:
        kept = _Kept()
        kept.of = (show.fixtures, show.types)
        _kept = kept
    return kept


def footprint(show: Show, fixture: Fixture) -> int:
    """Slots the fixture takes; 1 where its type is unknown, so that its place
    is kept.
    """
    sizes = _known(show).sizes
    key = (fixture.type, fixture.mode)
    if key not in sizes:
        mode = mode_of(show.types, fixture)
        sizes[key] = mode.footprint if mode else 1
    return sizes[key]


def occupied(
    show: Show, universe: int, without: Iterable[str] = ()
) -> dict[int, list[str]]:
    """Slot (1…512) → the fixtures on it, for one universe, leaving out the fixtures
    named. Not to be changed.
    """
    left_out = set(without)
    known = _known(show).slots
    if not left_out and universe in known:
        return known[universe]

    slots: dict[int, list[str]] = {}
    for fixture in show.fixtures.values():
        if fixture.universe == universe and fixture.id not in left_out:
            for slot in range(
                max(1, fixture.address),
                min(SLOTS + 1, fixture.address + footprint(show, fixture)),
            ):
                slots.setdefault(slot, []).append(fixture.id)

    if not left_out:
        known[universe] = slots

    return slots


def clashes(show: Show) -> list[Clash]:
    """Every pair of fixtures that share slots, each once."""
    known = _known(show)
    if known.clashes is None:
        known.clashes = _clashes(show)
    return known.clashes


def _clashes(show: Show) -> list[Clash]:
    found = []
    by_universe: dict[int, list[tuple[int, int, str]]] = {}

    for f in show.fixtures.values():
        by_universe.setdefault(f.universe, []).append(
            (f.address, f.address + footprint(show, f) - 1, f.id)
        )

    for universe, spans in sorted(by_universe.items()):
        spans.sort()
        for i, (_, last, one) in enumerate(spans):
            for start, end, other in spans[i + 1 :]:
                if start > last:
                    break

                found.append(Clash(universe, start, min(last, end), one, other))

    return found


def universes(show: Show) -> list[int]:
    """The universes in use, ascending."""
    return sorted({fixture.universe for fixture in show.fixtures.values()})


def next_free(show: Show, universe: int, slots: int, start: int = 1) -> int | None:
    """The first address from `start` with `slots` free slots in a row; None where there
    is none.
    """
    return first_run(occupied(show, universe), slots, start)


def first_run(taken: Container[int], slots: int, start: int = 1) -> int | None:
    """The first of `slots` slots in a row, from `start` on, that are not taken; None
    where there are none.
    """
    run = 0
    for slot in range(start, SLOTS + 1):
        run = 0 if slot in taken else run + 1
        if run >= slots > 0:
            return slot - slots + 1
    return None


def run_of(count: int, slots: int, address: int, gap: int = 0) -> list[tuple[int, int]]:
    """First and last slot of each of `count` fixtures hung from `address` on, `gap`
    slots between them.
    """
    starts = [address + i * (slots + gap) for i in range(count)]
    return [(start, start + slots - 1) for start in starts]


def taken_by(
    show: Show,
    universe: int,
    spans: Iterable[tuple[int, int]],
    without: Iterable[str] = (),
) -> list[str]:
    """Ids of the fixtures that already stand on the spans, in slot order."""
    taken = occupied(show, universe, without)
    found: dict[str, None] = {}
    for first, last in spans:
        for slot in range(first, last + 1):
            found.update(dict.fromkeys(taken.get(slot, ())))
    return list(found)


def colours_itself(show: Show, fixture: Fixture) -> bool:
    """Whether a fixture, in its mode, can colour its light: by emitters, by filters or
    by a wheel.
    """
    mode, kind = mode_of(show.types, fixture), show.types.get(fixture.type)
    if mode is None or kind is None:
        return False

    names = {
        span.attribute
        for _, channel in kind.used(mode)
        if not channel.rest
        for span in channel.ranges
    }
    return any(
        n in at.ALL_EMITTERS or n in at.FILTERS or at.template(n) == "Color(n)"
        for n in names
    )
