"""The show: one frozen tree that holds all a user made.

Collections are dicts from id to object, in the user's order. They are never changed in place: an edit makes a new
dict and shares the objects it did not touch, so what changed is found by identity.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from choreon.model.fixture_type import FixtureType

Look = dict[str, dict[str, float | tuple[float, ...]]]
"""Fixture id → attribute → value in the attribute's unit; a tuple gives one value per cell."""

SLOTS = 512
MAX_UNIVERSE = 63999  # E1.31, section 6.2.7


class Place(msgspec.Struct, frozen=True, omit_defaults=True):
    """Metres: x to audience right, y upstage, z up, from the middle of the stage's front edge on the floor."""

    x: float = 0.0
    y: float = 0.0
    z: float = 4.2


class Hanging(msgspec.Struct, frozen=True, omit_defaults=True):
    """Degrees. All zero: beam straight down. `pitch` tips it upstage, `roll` to audience right, `yaw` turns it."""

    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0


class Fixture(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A lamp that hangs. `type` and `mode` name a fixture type of the show, which may be missing."""

    id: str
    name: str
    short: str
    type: str
    mode: str
    universe: int
    address: int
    place: Place = Place()
    hanging: Hanging = Hanging()


class Group(msgspec.Struct, frozen=True, kw_only=True):
    """Fixtures in an order, under a name."""

    id: str
    name: str
    fixtures: tuple[str, ...]


class Scene(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A stored look; `fade_in` and `fade_out` in seconds."""

    id: str
    name: str
    look: Look
    fade_in: float = 2.0
    fade_out: float = 2.0


class Tile(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A control on a page. Pads that share a `choice` exclude each other and crossfade."""

    id: str
    kind: Literal["pad", "fader"]
    scene: str
    name: str = ""
    choice: str = ""


class Page(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Tiles that are played together, in reading order."""

    id: str
    name: str
    tiles: tuple[Tile, ...] = ()


class ControlMapping(msgspec.Struct, frozen=True, kw_only=True):
    """What a control does. `target` is `tile:ID`, `grand` or `blackout`."""

    id: str
    port: str
    kind: Literal["cc", "note"]
    channel: int
    number: int
    target: str

    @property
    def control(self) -> tuple[str, str, int, int]:
        return (self.port, self.kind, self.channel, self.number)


class Output(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Where universes go by sACN. `universes` empty: all in use. `host` empty: multicast."""

    id: str
    host: str = ""
    port: int = 5568
    priority: int = 100
    universes: tuple[int, ...] = ()
    on: bool = True


class Room(msgspec.Struct, frozen=True, omit_defaults=True):
    """The stage in metres."""

    name: str = ""
    width: float = 8.0
    depth: float = 6.0
    height: float = 4.2


class Show(msgspec.Struct, frozen=True, kw_only=True):
    """Everything of one show."""

    id: str
    name: str
    room: Room = Room()
    types: dict[str, FixtureType] = {}
    fixtures: dict[str, Fixture] = {}
    groups: dict[str, Group] = {}
    scenes: dict[str, Scene] = {}
    pages: dict[str, Page] = {}
    mappings: dict[str, ControlMapping] = {}
    outputs: dict[str, Output] = {}

    def tile(self, tile_id: str) -> tuple[Page, Tile] | None:
        """The tile called `tile_id` and its page."""
        for page in self.pages.values():
            for tile in page.tiles:
                if tile.id == tile_id:
                    return page, tile
        return None


COLLECTIONS: dict[str, type[msgspec.Struct]] = {
    "types": FixtureType,
    "fixtures": Fixture,
    "groups": Group,
    "scenes": Scene,
    "pages": Page,
    "mappings": ControlMapping,
    "outputs": Output,
}
