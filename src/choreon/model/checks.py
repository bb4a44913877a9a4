"""What is wrong with a show. Every problem names the path to the wrong value."""

from __future__ import annotations

from typing import Literal

import msgspec

from choreon.model import patch
from choreon.model.fixture_type import FixtureType
from choreon.model.show import MAX_UNIVERSE, SLOTS, Show


class Problem(msgspec.Struct, frozen=True):
    """`path` leads to the value, as in `fixtures/par-3/address`; an error keeps the value out of the light."""

    path: str
    text: str
    level: Literal["error", "warning"] = "error"

    def __str__(self) -> str:
        return f"{self.path}: {self.text}"


def check(show: Show) -> list[Problem]:
    """Every problem of the show, the fixture types first."""
    found = [p for kind in show.types.values() for p in check_type(kind)]
    found += _fixtures(show) + _references(show)
    for clash in patch.clashes(show):
        one, other = show.fixtures[clash.one], show.fixtures[clash.other]
        slots = f"slot {clash.first}" if clash.first == clash.last else f"slots {clash.first}–{clash.last}"
        text = f"{other.name} and {one.name} both have {slots} of universe {clash.universe}"
        found.append(Problem(f"fixtures/{other.id}/address", text))
    return found


def check_type(kind: FixtureType) -> list[Problem]:
    """What is wrong within a fixture type."""
    path = f"types/{kind.id}"
    found = []
    if not kind.modes:
        found.append(Problem(f"{path}/modes", "a type needs at least one mode"))
    for channel in kind.channels:
        where = f"{path}/channels/{channel.key}"
        top = 256**channel.resolution - 1
        if not 0 <= channel.home <= top:
            found.append(Problem(f"{where}/home", f"{channel.home} is not within 0…{top}"))
        previous = -1
        for i, span in enumerate(channel.ranges):
            if not 0 <= span.start <= span.end <= top:
                found.append(Problem(f"{where}/ranges/{i}", f"{span.start}…{span.end} is not within 0…{top}"))
            elif span.start <= previous:
                found.append(Problem(f"{where}/ranges/{i}", f"{span.start}…{span.end} overlaps the range before it"))
            previous = max(previous, span.end)
    for mode in kind.modes:
        where = f"{path}/modes/{mode.name}"
        seen: set[int] = set()
        for use in mode.uses:
            if kind.channel(use.channel) is None:
                found.append(Problem(f"{where}/{use.channel}", "the type has no channel of this name"))
            if not 0 <= use.cell <= len(mode.cells):
                found.append(Problem(f"{where}/{use.channel}/cell", f"there is no cell {use.cell}"))
            if not use.slots or min(use.slots) < 1 or max(use.slots) > SLOTS:
                found.append(Problem(f"{where}/{use.channel}/slots", "slots count from 1 to 512"))
            if seen & set(use.slots):
                found.append(Problem(f"{where}/{use.channel}/slots", "another channel has this slot already"))
            seen |= set(use.slots)
    return found


def _fixtures(show: Show) -> list[Problem]:
    found = []
    for fixture in show.fixtures.values():
        path = f"fixtures/{fixture.id}"
        kind = show.types.get(fixture.type)
        if kind is None:
            text = f"the type “{fixture.type}” is unknown; {fixture.name} is kept but cannot be lit"
            found.append(Problem(f"{path}/type", text))
        elif kind.mode(fixture.mode) is None:
            found.append(Problem(f"{path}/mode", f"{kind.label} has no mode “{fixture.mode}”"))
        if not 1 <= fixture.universe <= MAX_UNIVERSE:
            found.append(Problem(f"{path}/universe", f"{fixture.universe} is not within 1…{MAX_UNIVERSE}"))
        last = fixture.address + patch.footprint(show, fixture) - 1
        if not 1 <= fixture.address <= SLOTS:
            found.append(Problem(f"{path}/address", f"{fixture.address} is not within 1…{SLOTS}"))
        elif last > SLOTS:
            found.append(Problem(f"{path}/address", f"{fixture.name} would end on slot {last}, past {SLOTS}"))
    return found


def _references(show: Show) -> list[Problem]:
    found = []
    for group in show.groups.values():
        for member in group.fixtures:
            if member not in show.fixtures:
                found.append(Problem(f"groups/{group.id}/fixtures", f"{member} does not hang", "warning"))
    for scene in show.scenes.values():
        for member in scene.look:
            if member not in show.fixtures:
                found.append(Problem(f"scenes/{scene.id}/look/{member}", "this fixture does not hang", "warning"))
    for page in show.pages.values():
        for tile in page.tiles:
            if tile.scene not in show.scenes:
                found.append(Problem(f"pages/{page.id}/tiles/{tile.id}/scene", "the scene is gone", "warning"))
    for mapping in show.mappings.values():
        target = mapping.target.removeprefix("tile:")
        if mapping.target.startswith("tile:") and show.tile(target) is None:
            found.append(Problem(f"mappings/{mapping.id}/target", "the tile is gone", "warning"))
    return found
