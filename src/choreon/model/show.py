"""The show: one frozen tree that holds all a user made.

Collections are dicts from id to object, in the user's order. They are never changed in
place: an edit makes a new dict and shares the objects it did not touch, so what changed
is found by identity.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from choreon.model.fixture_type import FixtureType

Value = float | tuple[float | None, ...] | str
"""A value in the attribute's unit; one per cell (None: not given); or a link, as
model/links.py reads it.
"""

Look = dict[str, dict[str, Value]]
"""Fixture id → attribute → value."""

SLOTS = 512
MAX_UNIVERSE = 63999  # E1.31, section 6.2.7


class Place(msgspec.Struct, frozen=True, omit_defaults=True):
    """Metres: x to audience right, y upstage, z up, from the middle of the stage's
    front edge on the floor.
    """

    x: float = 0.0
    y: float = 0.0
    z: float = 4.2


class Hanging(msgspec.Struct, frozen=True, omit_defaults=True):
    """Degrees. All zero: beam straight down. `pitch` tips it upstage, `roll` to
    audience right, `yaw` turns it.
    """

    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0


class Limits(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a head may turn: lowest and highest, degrees; None leaves what its type can
    do.
    """

    pan: tuple[float, float] | None = None
    tilt: tuple[float, float] | None = None


class Fixture(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A lamp that hangs. `type` and `mode` name a fixture type of the show, which may
    be missing.

    `number`: how it is called on paper. `reversed`: its cells count from the other end.
    `lamp_on`: its lamp is switched on when the show opens. `pack`: the name of the pack
    that it is an output of. `gel`: the colour of the filter in front of a lamp that has
    none of its own, as #RRGGBB.
    """

    id: str
    name: str
    short: str
    type: str
    mode: str
    universe: int
    address: int
    place: Place = Place()
    hanging: Hanging = Hanging()
    number: int = 0
    reversed: bool = False
    lamp_on: bool = False
    pack: str = ""
    note: str = ""
    gel: str = ""
    limits: Limits = Limits()


class Group(msgspec.Struct, frozen=True, kw_only=True):
    """Fixtures in an order, under a name."""

    id: str
    name: str
    fixtures: tuple[str, ...]


class Mark(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A named point that heads aim at. Metres, as in Place."""

    id: str
    name: str
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0


class Palette(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A stored part of a look, of one family, by its meaning.

    `values`: for whatever fixture. `each`: exact values of single fixtures, which go
    before those.
    """

    id: str
    name: str
    family: str
    values: dict[str, Value] = {}
    each: Look = {}


class Times(msgspec.Struct, frozen=True, omit_defaults=True):
    """How one family comes up with a scene: it waits for `delay` seconds and takes
    `fade` seconds.
    """

    delay: float = 0.0
    fade: float = 0.0


class Scene(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A stored look; `fade_in` and `fade_out` in seconds, `times` for families that
    come up in their own.

    `colour`: a mark to know it by, as #RRGGBB. `folder`: where it lies on the shelf.
    """

    id: str
    name: str
    look: Look
    fade_in: float = 2.0
    fade_out: float = 2.0
    times: dict[str, Times] = {}
    tags: tuple[str, ...] = ()
    folder: str = ""
    colour: str = ""

    @property
    def whole_in(self) -> float:
        """Seconds until the slowest family is there."""
        return max([self.fade_in, *(t.delay + t.fade for t in self.times.values())])


class Tile(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A control on a page. Pads that share a `choice` exclude each other and
    crossfade.
    """

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
    """Where universes go, by sACN or Art-Net.

    `universes` empty: all in use. `host` empty: multicast with sACN, broadcast with
    Art-Net. `port` 0: the protocol's own. `priority` and `sync` (universe of the
    synchronisation packets, 0: none) are sACN's; with Art-Net any `sync` sends ArtSync.
    `shift` is added to a universe's number: Art-Net counts from 0, so −1 there makes
    universe 1 its port-address 0. `interface`: address of the network interface, empty:
    the system's choice. `rate`: frames a second, 0: the engine's.
    """

    id: str
    name: str = ""
    protocol: Literal["sacn", "artnet"] = "sacn"
    host: str = ""
    port: int = 0
    priority: int = 100
    sync: int = 0
    shift: int = 0
    interface: str = ""
    rate: float = 0.0
    universes: tuple[int, ...] = ()
    on: bool = True


class Bar(msgspec.Struct, frozen=True, omit_defaults=True):
    """A hanging bar between two points, at a height; metres as in Place."""

    name: str
    x1: float
    y1: float
    x2: float
    y2: float
    z: float = 4.2


class Screen(msgspec.Struct, frozen=True, omit_defaults=True):
    """A projection screen: the middle of its lower edge, and its size. Metres."""

    x: float
    y: float
    z: float
    width: float
    height: float


class Seats(msgspec.Struct, frozen=True, omit_defaults=True):
    """Rows of seats: how many, how wide, the first one's distance before the stage, and
    from row to row. Metres.
    """

    rows: int = 0
    width: float = 7.0
    distance: float = 2.0
    spacing: float = 0.9
    rise: float = 0.0


class Area(msgspec.Struct, frozen=True, omit_defaults=True):
    """A box that beams keep out of: two corners on the floor, and from which height to
    which. Metres.
    """

    name: str
    x1: float
    y1: float
    x2: float
    y2: float
    low: float = 0.0
    high: float = 2.0


class Underlay(msgspec.Struct, frozen=True, omit_defaults=True):
    """The venue's own plan below ours: a picture of the show, where its upper left
    corner lies, metres a pixel, and how it is turned (degrees, counter-clockwise about
    that corner).
    """

    picture: str
    x: float
    y: float
    scale: float
    turn: float = 0.0
    strength: float = 0.5


class Picture(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A picture that travels in the show: PNG or JPEG."""

    id: str
    name: str
    data: bytes


class Room(msgspec.Struct, frozen=True, omit_defaults=True):
    """The stage in metres, and what else is in the room. `house`: from the stage's edge
    to the back of the room.
    """

    name: str = ""
    width: float = 8.0
    depth: float = 6.0
    height: float = 4.2
    house: float = 5.6
    bars: tuple[Bar, ...] = ()
    screen: Screen | None = None
    seats: Seats = Seats()
    keep_out: tuple[Area, ...] = ()
    underlay: Underlay | None = None


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
    pictures: dict[str, Picture] = {}
    marks: dict[str, Mark] = {}
    palettes: dict[str, Palette] = {}

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
    "pictures": Picture,
    "marks": Mark,
    "palettes": Palette,
}
