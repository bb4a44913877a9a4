"""Readdressing many at once: spilling, packing, moving to another universe, merging
two. Programming stays as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec

from choreon.model import patch
from choreon.model.show import MAX_UNIVERSE, SLOTS, Show

Changes = dict[str, dict[str, Any]]


class Readdress(msgspec.Struct, frozen=True):
    """New addresses by fixture, and those that find no place."""

    changes: Changes
    left: tuple[str, ...] = ()


def spill(
    show: Show,
    count: int,
    slots: int,
    universe: int,
    address: int,
    gap: int = 0,
    over: bool = True,
) -> list[tuple[int, int]]:
    """Universe and address of each of `count` fixtures hung from an address on.

    With `over`, what would end past the universe goes on at the first free slot of the
    next; without, it is placed past the end, for the caller to see.
    """
    places: list[tuple[int, int]] = []
    while len(places) < count:
        if (
            over
            and address + slots - 1 > SLOTS
            and universe < MAX_UNIVERSE
            and slots <= SLOTS
        ):
            universe += 1
            left = count - len(places)
            room = min(SLOTS, left * (slots + gap) - gap)
            address = (
                patch.next_free(show, universe, room)
                or patch.next_free(show, universe, slots)
                or 1
            )

            continue

        places.append((universe, address))
        address += slots + gap

    return places


def in_the_way(
    show: Show,
    places: Iterable[tuple[int, int]],
    slots: int,
    without: Iterable[str] = (),
) -> list[str]:
    """Who already stands where fixtures of `slots` slots would go."""
    found: dict[str, None] = {}
    by_universe: dict[int, list[tuple[int, int]]] = {}

    for universe, address in places:
        by_universe.setdefault(universe, []).append(
            (address, min(SLOTS, address + slots - 1))
        )

    left_out = set(without)
    for universe, spans in by_universe.items():
        found.update(dict.fromkeys(patch.taken_by(show, universe, spans, left_out)))

    return list(found)


def _in_order(show: Show, ids: Iterable[str]) -> list[str]:
    return sorted(
        ids, key=lambda i: (show.fixtures[i].universe, show.fixtures[i].address)
    )


def pack(show: Show, universe: int, ids: Sequence[str] = ()) -> Readdress:
    """Close the gaps: all of a universe from slot 1 on, or the fixtures named, from the
    first one's address on.
    """
    own = [
        i
        for i, f in show.fixtures.items()
        if f.universe == universe and (not ids or i in ids)
    ]
    own = _in_order(show, own)
    return _place(
        show, own, universe, show.fixtures[own[0]].address if ids and own else 1
    )


def _place(
    show: Show, ids: Sequence[str], universe: int, start: int, back: bool = False
) -> Readdress:
    """One behind the other from `start` on, around those that are not moved. `back`:
    each in the first place that holds it, also before the one it follows.
    """
    return _settled(ids, lambda moving: _placed(show, moving, universe, start, back))


def _settled(
    ids: Sequence[str], place: Callable[[Sequence[str]], Readdress]
) -> Readdress:
    """What `place` makes of fixtures, where none comes to lie on one that finds no
    place and so stays: with each that stays the others are placed anew.
    """
    stay: set[str] = set()
    while True:
        move = place([i for i in ids if i not in stay])
        more = set(move.left)
        if not more:
            left = tuple(i for i in ids if i in stay)
            return Readdress(move.changes, left)
        stay |= more


def _placed(
    show: Show, ids: Sequence[str], universe: int, start: int, back: bool
) -> Readdress:
    taken = patch.occupied(show, universe, ids)
    changes: Changes = {}
    left = []
    at = start

    for i in ids:
        slots = patch.footprint(show, show.fixtures[i])
        spot = patch.first_run(taken, slots, at)
        if spot is None:
            left.append(i)
            continue

        changes[i] = {"universe": universe, "address": spot}
        if back:
            for slot in range(spot, spot + slots):
                taken.setdefault(slot, []).append(i)
        else:
            at = spot + slots

    return Readdress(_changed(show, changes), tuple(left))


def _changed(show: Show, changes: Changes) -> Changes:
    fixtures = show.fixtures
    return {
        i: c
        for i, c in changes.items()
        if (fixtures[i].universe, fixtures[i].address) != (c["universe"], c["address"])
    }


def to_universe(show: Show, ids: Sequence[str], universe: int) -> Readdress:
    """Move fixtures to another universe, at the addresses they have; those who clash
    there are left.
    """
    known = [i for i in ids if i in show.fixtures]
    moving = [
        i for i in _in_order(show, known) if show.fixtures[i].universe != universe
    ]
    taken = dict(patch.occupied(show, universe))
    changes: Changes = {}
    left = []

    for i in moving:
        fixture = show.fixtures[i]
        wanted = range(
            fixture.address, fixture.address + patch.footprint(show, fixture)
        )
        if any(slot in taken or slot > SLOTS for slot in wanted):
            left.append(i)
            continue

        for slot in wanted:
            taken.setdefault(slot, []).append(i)

        changes[i] = {"universe": universe, "address": fixture.address}

    return Readdress(_changed(show, changes), tuple(left))


def merge(show: Show, source: int, into: int) -> Readdress:
    """Move all of a universe into the free slots of another; what does not fit is left
    where it is.

    Those that can keep their address do; the others go to the first place that holds
    them.
    """
    ids = _in_order(show, [i for i, f in show.fixtures.items() if f.universe == source])
    first = to_universe(show, ids, into)
    moved = show

    if first.changes:
        fixtures = dict(show.fixtures)
        for i, fields in first.changes.items():
            fixtures[i] = msgspec.structs.replace(fixtures[i], **fields)

        moved = msgspec.structs.replace(show, fixtures=fixtures)

    rest = _place(moved, first.left, into, 1, back=True)
    return Readdress({**first.changes, **rest.changes}, rest.left)


def together(show: Show, ids: Sequence[str], universe: int, address: int) -> Readdress:
    """Put fixtures one behind the other from an address on; left are those past the end
    or on somebody's slots.
    """
    known = [i for i in ids if i in show.fixtures]
    wanted: dict[str, range] = {}

    for i in known:
        slots = patch.footprint(show, show.fixtures[i])
        wanted[i] = range(address, address + slots)
        address += slots

    def place(moving: Sequence[str]) -> Readdress:
        taken = patch.occupied(show, universe, moving)
        changes: Changes = {}
        left = []

        for i in moving:
            first, last = wanted[i][0], wanted[i][-1]
            if first < 1 or last > SLOTS or any(s in taken for s in wanted[i]):
                left.append(i)
            else:
                changes[i] = {"universe": universe, "address": first}

        return Readdress(_changed(show, changes), tuple(left))

    return _settled(known, place)
