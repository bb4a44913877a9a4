"""The show: one frozen tree that holds all a user made.

Collections are dicts from id to object, in the user's order. They are never changed in
place: an edit makes a new dict and shares the objects it did not touch, so what changed
is found by identity.
"""

from __future__ import annotations

from typing import Any

import msgspec

from choreon.model.fixture_type import FixtureType
from choreon.model.images import Image
from choreon.model.inputs import (
    AnyInput,
    Desk,
    MidiSettings,
    MusicSettings,
    OscSettings,
)
from choreon.model.masters import EVERY_SHOW, AnyMaster
from choreon.model.motion import AnyMotion
from choreon.model.numbers import Count, Number
from choreon.model.outputs import AnyOutput
from choreon.model.playables import AnyPlayable
from choreon.model.sends import Send
from choreon.model.surfaces import Surface
from choreon.model.tiles import AnyTile, Guest, Page, Part, Start
from choreon.model.values import Look, Value

SLOTS = 512
MAX_UNIVERSE = 63999  # E1.31, section 6.2.7


class Place(msgspec.Struct, frozen=True, omit_defaults=True):
    """Metres: x to audience right, y upstage, z up, from the middle of the stage's
    front edge on the floor.
    """

    x: Number = 0.0
    y: Number = 0.0
    z: Number = 4.2


class Hanging(msgspec.Struct, frozen=True, omit_defaults=True):
    """Degrees. All zero: beam straight down. `pitch` tips it upstage, `roll` to
    audience right, `yaw` turns it.
    """

    yaw: Number = 0.0
    pitch: Number = 0.0
    roll: Number = 0.0


class Limits(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a head may turn: lowest and highest, degrees; None leaves what its type can
    do.
    """

    pan: tuple[Number, Number] | None = None
    tilt: tuple[Number, Number] | None = None


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
    universe: Count
    address: Count
    place: Place = Place()
    hanging: Hanging = Hanging()
    number: Count = 0
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
    x: Number = 0.0
    y: Number = 0.0
    z: Number = 0.0


class Palette(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A stored part of a look, of one family, by its meaning.

    `values`: for whatever fixture. `each`: exact values of single fixtures, which go
    before those. `motion`: what one of the family motion holds in their place.
    """

    id: str
    name: str
    family: str
    values: dict[str, Value] = {}
    each: Look = {}
    motion: AnyMotion | None = None


class Bar(msgspec.Struct, frozen=True, omit_defaults=True):
    """A hanging bar between two points, at a height; metres as in Place."""

    name: str
    x1: Number
    y1: Number
    x2: Number
    y2: Number
    z: Number = 4.2


class Screen(msgspec.Struct, frozen=True, omit_defaults=True):
    """A projection screen: the middle of its lower edge, and its size. Metres."""

    x: Number
    y: Number
    z: Number
    width: Number
    height: Number


class Seats(msgspec.Struct, frozen=True, omit_defaults=True):
    """Rows of seats: how many, how wide, the first one's distance before the stage, and
    from row to row. Metres.
    """

    rows: Count = 0
    width: Number = 7.0
    distance: Number = 2.0
    spacing: Number = 0.9
    rise: Number = 0.0


class Area(msgspec.Struct, frozen=True, omit_defaults=True):
    """A box that beams keep out of: two corners on the floor, and from which height to
    which. Metres.
    """

    name: str
    x1: Number
    y1: Number
    x2: Number
    y2: Number
    low: Number = 0.0
    high: Number = 2.0


class Underlay(msgspec.Struct, frozen=True, omit_defaults=True):
    """The venue's own plan below ours: a picture of the show, where its upper left
    corner lies, metres a pixel, and how it is turned (degrees, counter-clockwise about
    that corner).
    """

    picture: str
    x: Number
    y: Number
    scale: Number
    turn: Number = 0.0
    strength: Number = 0.5


class Picture(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A picture that travels in the show: PNG or JPEG."""

    id: str
    name: str
    data: bytes


class Sound(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A sound file. `path`: where it lies, or lay. `digest`: SHA-256 of what is in it,
    by which it is found again, "" while that is not known; `size`: its bytes, 0 while
    those are not. `seconds`: how long it is. `packed`: it travels in the show.
    """

    id: str
    name: str
    path: str = ""
    digest: str = ""
    size: Count = 0
    seconds: Number = 0.0
    packed: bool = False


class Room(msgspec.Struct, frozen=True, omit_defaults=True):
    """The stage in metres, and what else is in the room. `house`: from the stage's edge
    to the back of the room.
    """

    name: str = ""
    width: Number = 8.0
    depth: Number = 6.0
    height: Number = 4.2
    house: Number = 5.6
    bars: tuple[Bar, ...] = ()
    screen: Screen | None = None
    seats: Seats = Seats()
    keep_out: tuple[Area, ...] = ()
    underlay: Underlay | None = None


class Show(msgspec.Struct, frozen=True, kw_only=True):
    """Everything of one show. `opens`: what is brought to a level when it is opened.
    `safe`: the look to go to when all else fails, with the grand master at
    `safe_grand`.
    """

    id: str
    name: str
    room: Room = Room()
    types: dict[str, FixtureType] = {}
    fixtures: dict[str, Fixture] = {}
    groups: dict[str, Group] = {}
    playables: dict[str, AnyPlayable] = {}
    pages: dict[str, Page] = {}
    masters: dict[str, AnyMaster] = msgspec.field(
        default_factory=lambda: dict(EVERY_SHOW)
    )
    inputs: dict[str, AnyInput] = {}
    surfaces: dict[str, Surface] = {}
    desks: dict[str, Desk] = {}
    sends: dict[str, Send] = {}
    outputs: dict[str, AnyOutput] = {}
    pictures: dict[str, Picture] = {}
    sounds: dict[str, Sound] = {}
    images: dict[str, Image] = {}
    marks: dict[str, Mark] = {}
    palettes: dict[str, Palette] = {}
    opens: tuple[Start, ...] = ()
    safe: tuple[Part, ...] = ()
    safe_grand: Number = 1.0
    guest: Guest = Guest()
    osc: OscSettings = OscSettings()
    midi: MidiSettings = MidiSettings()
    music: MusicSettings = MusicSettings()

    def tile(self, tile_id: str) -> tuple[Page, AnyTile] | None:
        """The tile called `tile_id` and its page."""
        for page in self.pages.values():
            for tile in page.tiles:
                if tile.id == tile_id:
                    return page, tile
        return None


COLLECTIONS: dict[str, Any] = {
    "types": FixtureType,
    "fixtures": Fixture,
    "groups": Group,
    "playables": AnyPlayable,
    "pages": Page,
    "masters": AnyMaster,
    "inputs": AnyInput,
    "surfaces": Surface,
    "desks": Desk,
    "sends": Send,
    "outputs": AnyOutput,
    "pictures": Picture,
    "sounds": Sound,
    "images": Image,
    "marks": Mark,
    "palettes": Palette,
}

SINGLE: dict[str, Any] = {
    "name": str,
    "room": Room,
    "opens": tuple[Start, ...],
    "safe": tuple[Part, ...],
    "safe_grand": Number,
    "guest": Guest,
    "osc": OscSettings,
    "midi": MidiSettings,
    "music": MusicSettings,
}
"""What of a show is one thing, no collection, with its type."""
