"""Tiles: the controls on a page."""

from __future__ import annotations

from enum import StrEnum
from typing import Any, ClassVar

import msgspec

from choreon.model.numbers import Count, Number
from choreon.model.refs import GRAND, Ref, to_deed, to_tile
from choreon.model.values import Look


class Spot(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a tile lies in the grid of its section, and how large it is: in cells, from
    the upper left.
    """

    x: Count = 0
    y: Count = 0
    w: Count = 2
    h: Count = 2

    def overlaps(self, other: Spot) -> bool:
        """Whether both cover a cell."""
        across = self.x < other.x + other.w and other.x < self.x + self.w
        return across and self.y < other.y + other.h and other.y < self.y + self.h


class Part(msgspec.Struct, frozen=True, omit_defaults=True):
    """One of the things that a tile plays: at a level of its own, and, where families
    are named, those alone.
    """

    ref: Ref
    level: Number = 1.0
    only: tuple[str, ...] = ()


def parts(*refs: Ref) -> tuple[Part, ...]:
    """Returns what plays several things wholly."""
    return tuple(Part(ref) for ref in refs)


class Start(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is brought to a level when a show or a page is opened: a tile, something
    that plays, or a master.
    """

    ref: Ref
    level: Number = 1.0


class Tile(
    msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, tag_field="kind"
):
    """A control. `name` empty: it is called after what it plays.

    `spot` None: it lies where there is room. `section`: the id of the one it lies in.
    `colour`: #RRGGBB. `sign`: the name of an icon, or a few letters. `note`: a line
    that explains it to a guest.
    """

    kind: ClassVar[str] = ""
    size: ClassVar[tuple[int, int]] = (2, 2)

    id: str
    name: str = ""
    spot: Spot | None = None
    section: str = ""
    colour: str = ""
    sign: str = ""
    note: str = ""

    @property
    def ref(self) -> Ref:
        """Points at this tile."""
        return to_tile(self.id)

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """What it acts on, beside itself."""
        return ()


class PlayingTile(Tile, frozen=True, kw_only=True, omit_defaults=True):
    """A tile that plays things. `fade_in` and `fade_out`: seconds that go before those
    of what it plays. `protected`: it stays on when all is let go.
    """

    plays: tuple[Part, ...] = ()
    fade_in: Number | None = None
    fade_out: Number | None = None
    protected: bool = False

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """What it plays."""
        return tuple(part.ref for part in self.plays)


class PadAction(StrEnum):
    """What a press on a pad does."""

    TOGGLE = "toggle"
    ON = "on"
    OFF = "off"


class DarkChange(msgspec.Struct, frozen=True, omit_defaults=True):
    """How lamps whose wheels, gobos or places change do so in the dark: seconds to go
    down, to stay dark, and to come up.
    """

    down: Number = 0.5
    dark: Number = 0.5
    up: Number = 1.0


class Pad(PlayingTile, frozen=True, kw_only=True, omit_defaults=True, tag="pad"):
    """On and off. Pads that name the same `choice` exclude each other and crossfade.
    `ask`: it plays at the second press only. `change`: how a choice goes over to it in
    the dark; None: at once.
    """

    kind: ClassVar[str] = "pad"

    choice: str = ""
    action: PadAction = PadAction.TOGGLE
    ask: bool = False
    change: DarkChange | None = None


class Flash(PlayingTile, frozen=True, kw_only=True, omit_defaults=True, tag="flash"):
    """On while it is held. `fades`: in the times of what it plays, else at once.
    `over`: above all that plays; else it only adds to it.
    """

    kind: ClassVar[str] = "flash"

    fades: bool = False
    over: bool = True


class Fader(PlayingTile, frozen=True, kw_only=True, omit_defaults=True, tag="fader"):
    """Brings something in by hand. `lying`: from left to right."""

    kind: ClassVar[str] = "fader"
    size: ClassVar[tuple[int, int]] = (2, 4)

    lying: bool = False


class Choice(PlayingTile, frozen=True, kw_only=True, omit_defaults=True, tag="choice"):
    """Several looks in one strip, of which one is on. `off`: none of them may be.
    `always`: one is on from the start, and is not let go by the tile. `names`: what
    stands on each, where that is not what it plays.
    """

    kind: ClassVar[str] = "choice"
    size: ClassVar[tuple[int, int]] = (6, 2)

    off: bool = True
    always: bool = False
    names: tuple[str, ...] = ()
    change: DarkChange | None = None


class Turns(StrEnum):
    """What a dial turns."""

    RATE = "rate"
    SIZE = "size"
    PHASE = "phase"
    FADE = "fade"
    ATTRIBUTE = "attribute"


class DialStop(msgspec.Struct, frozen=True):
    """A named place on a dial; `at` in the dial's unit."""

    name: str
    at: Number


class Dial(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="dial"):
    """Turns one thing of what runs, or of lamps. `of`: playables and tiles, for an
    attribute groups, fixtures, and playables for the lamps in them. `stops`: named
    places.
    """

    kind: ClassVar[str] = "dial"

    turns: Turns = Turns.RATE
    of: tuple[Ref, ...] = ()
    attribute: str = ""
    stops: tuple[DialStop, ...] = ()

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """What it turns something of."""
        return self.of


class LampTile(Tile, frozen=True, kw_only=True, omit_defaults=True):
    """A tile that gives lamps something: groups, fixtures, and playables for the lamps
    in them.
    """

    of: tuple[Ref, ...] = ()

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """Whose lamps it reaches."""
        return self.of


class ColourTile(LampTile, frozen=True, kw_only=True, omit_defaults=True, tag="colour"):
    """The colour of lamps, live."""

    kind: ClassVar[str] = "colour"
    size: ClassVar[tuple[int, int]] = (3, 3)


class AimTile(LampTile, frozen=True, kw_only=True, omit_defaults=True, tag="aim"):
    """Where heads aim, live."""

    kind: ClassVar[str] = "aim"
    size: ClassVar[tuple[int, int]] = (4, 3)


class AsideTile(LampTile, frozen=True, kw_only=True, omit_defaults=True, tag="aside"):
    """Takes lamps out of what plays, and gives them `look`; once more brings them
    back.
    """

    kind: ClassVar[str] = "aside"

    look: Look = {}


class MasterTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="master"):
    """A master on a page: `drives` says which. `lying`: from left to right."""

    kind: ClassVar[str] = "master"
    size: ClassVar[tuple[int, int]] = (2, 4)

    drives: Ref = GRAND
    lying: bool = False

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """The master."""
        return (self.drives,)


class TempoTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="tempo"):
    """The tempo: seen, and tapped."""

    kind: ClassVar[str] = "tempo"


class ClockTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="clock"):
    """The time of day."""

    kind: ClassVar[str] = "clock"


class LabelTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="label"):
    """Words, or a picture of the show."""

    kind: ClassVar[str] = "label"

    picture: str = ""


class DeedTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="deed"):
    """Something done to all that plays: one of `refs.DEEDS`."""

    kind: ClassVar[str] = "deed"

    deed: str = "release"

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """The deed."""
        return (to_deed(self.deed),)


class CueDeed(StrEnum):
    """What pressing a tile of a stack does."""

    GO = "go"
    BACK = "back"
    LIST = "list"
    """GO, with the cues that come on its face."""


class CueTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="cue"):
    """GO of a stack, or back; what is on and what comes stands on it."""

    kind: ClassVar[str] = "cue"
    size: ClassVar[tuple[int, int]] = (4, 2)

    of: Ref = Ref("stack", "")
    does: CueDeed = CueDeed.GO

    @property
    def leads_to(self) -> tuple[Ref, ...]:
        """The stack."""
        return (self.of,)


class UnknownTile(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="unknown"):
    """A tile of a kind that this Choreon does not know. `stored`: all that the file
    said of it; it is written so again, where it lies now.
    """

    kind: ClassVar[str] = "unknown"

    stored: dict[str, Any] = {}


AnyTile = (
    Pad
    | Flash
    | Fader
    | Choice
    | Dial
    | ColourTile
    | AimTile
    | AsideTile
    | MasterTile
    | TempoTile
    | ClockTile
    | LabelTile
    | DeedTile
    | CueTile
    | UnknownTile
)

PLAYING: dict[str, type[PlayingTile]] = {t.kind: t for t in (Pad, Flash, Fader, Choice)}
OF_LAMPS: dict[str, type[LampTile]] = {
    t.kind: t for t in (ColourTile, AimTile, AsideTile)
}
OTHERS: dict[str, type[Tile]] = {
    t.kind: t
    for t in (
        Dial,
        MasterTile,
        TempoTile,
        ClockTile,
        LabelTile,
        DeedTile,
        CueTile,
        UnknownTile,
    )
}
TILES: dict[str, type[Tile]] = {**PLAYING, **OF_LAMPS, **OTHERS}


SEEN_ONLY = (ClockTile.kind, LabelTile.kind, UnknownTile.kind)
"""Kinds of tiles that nothing is done to."""


class Section(msgspec.Struct, frozen=True):
    """A titled part of a page that can be folded."""

    id: str
    name: str


class Page(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Tiles that are played together. `columns`: how many cells it is wide. `event`:
    the set of pages that it belongs to. `opens`: what is brought to a level when the
    page is opened.
    """

    id: str
    name: str
    tiles: tuple[AnyTile, ...] = ()
    columns: Count = 12
    sections: tuple[Section, ...] = ()
    event: str = ""
    opens: tuple[Start, ...] = ()


class PowerOn(StrEnum):
    """What is on when the program starts by itself for guests."""

    OPENING = "opening"
    LAST = "last"


class Guest(msgspec.Struct, frozen=True, omit_defaults=True):
    """What guests see, and what they may do. `pages` empty: all of them. `pin`: salt
    and hash of the PIN by which it is left, as hexadecimal; empty for none.
    """

    pages: tuple[str, ...] = ()
    levels: bool = True
    choices: bool = True
    tempo: bool = False
    go: bool = False
    blackout: bool = False
    pin: str = ""
    power_on: PowerOn = PowerOn.OPENING


def player_id(page: Page, tile: Tile, n: int = 0) -> str:
    """Returns the player that the n-th thing of a tile is played by; the pads of one
    choice share theirs, as do the looks of a choice.
    """
    base = f"tile:{tile.id}"
    if isinstance(tile, Choice):
        return base
    if isinstance(tile, Pad) and tile.choice:
        base = f"choice:{page.id}:{tile.choice}"
    return f"{base}/{n}" if n else base
