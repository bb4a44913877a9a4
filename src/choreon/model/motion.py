"""Motion: what moves by itself. Waves over values, colours that roll, paths of heads.

A motion says what moves and how, whoever the lamps are. An `Effect` gives one to lamps
in an order; effects belong to looks as values do. All of it is a function of time:
value of lamp i = f(rate · t − phase i).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model.numbers import Count, Number
from choreon.terms import term

if TYPE_CHECKING:
    from choreon.model.show import Show

replace = msgspec.structs.replace

PALETTE, MARK = "palette:", "mark:"  # links begin so

Rgb = tuple[Number, Number, Number]
XY = tuple[Number, Number]

FASTEST = 0.02  # seconds, or beats, that a cycle takes at least
MOST_FACTOR = 64.0
DEFAULT_CENTRE = "point:0,3,0"
FULL_TURN = 360.0  # degrees of phase in a cycle


class Rate(msgspec.Struct, frozen=True, omit_defaults=True):
    """How long a cycle takes: so many `seconds`, or, where `beats` is above 0, so many
    beats of the tempo. `factor` makes it that many times as fast.
    """

    seconds: Number = 4.0
    beats: Number = 0.0
    factor: Number = 1.0

    @property
    def by_tempo(self) -> bool:
        """Whether it follows the tempo."""
        return self.beats > 0.0

    @property
    def speed(self) -> float:
        """Cycles a second, or a beat; 0 where what is given is no time."""
        length = self.beats if self.by_tempo else self.seconds
        if not (math.isfinite(length) and math.isfinite(self.factor)):
            return 0.0
        if length <= 0.0 or self.factor <= 0.0:
            return 0.0
        return min(self.factor, MOST_FACTOR) / max(length, FASTEST)

    def cycles(self, seconds: float, beats: float) -> float:
        """Returns how many cycles go by in an own time."""
        return self.speed * (beats if self.by_tempo else seconds)


class Order(StrEnum):
    """In which order lamps take part."""

    CHOSEN = "chosen"
    ACROSS = "across"
    NAME = "name"
    SHUFFLED = "shuffled"


class Spread(msgspec.Struct, frozen=True, omit_defaults=True):
    """How the phase lies over the row.

    `amount`: degrees from the first to just past the last, so that 360 closes. `parts`:
    the row is folded so many times, each part mirrors the one before. `together`: so
    many neighbours move as one. `repeats`: the row is cut in so many runs that are
    alike. `backward`: from the last to the first. `seed`: of the shuffled order.
    """

    amount: Number = FULL_TURN
    parts: Count = 1
    together: Count = 1
    repeats: Count = 1
    backward: bool = False
    order: Order = Order.CHOSEN
    seed: Count = 1


class Shape(StrEnum):
    """How a wave goes in a cycle."""

    SINE = "sine"
    TRIANGLE = "triangle"
    UP = "ramp up"
    DOWN = "ramp down"
    PULSE = "pulse"
    STEPS = "steps"
    RANDOM = "random"
    OWN = "own curve"


class EffectMode(StrEnum):
    """What an effect does to what is there."""

    REPLACES = "replaces"
    SCALES = "scales"
    ADDS = "adds"


class Motion(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What all motions have. `there_and_back`: a cycle goes to the end and back.
    `backward`: time runs the other way.
    """

    kind: ClassVar[str] = ""

    rate: Rate = Rate()
    spread: Spread = Spread()
    there_and_back: bool = False
    backward: bool = False
    seed: Count = 1


class Wave(
    Motion,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="wave",
):
    """A wave on one attribute, from `low` to `high` in the attribute's unit; where it
    scales, these are factors.

    `width`: the part of the cycle that a pulse is up. `steps`: how many a stair has.
    `active`: the part of the cycle in which the wave runs; it rests at `low` then.
    `curve`: points (x, y) of an own curve, both 0…1, x ascending; `smooth` rounds it.
    """

    kind: ClassVar[str] = "wave"

    attribute: str = at.DIMMER
    shape: Shape = Shape.SINE
    mode: EffectMode = EffectMode.REPLACES
    low: Number = 0.0
    high: Number = 1.0
    width: Number = 0.5
    steps: Count = 4
    active: Number = 1.0
    curve: tuple[XY, ...] = ((0.0, 0.0), (0.5, 1.0), (1.0, 0.0))
    smooth: bool = True


class ColourStop(msgspec.Struct, frozen=True, omit_defaults=True):
    """A colour of a roll: linear light, or that of a colour palette."""

    colour: Rgb = (1.0, 1.0, 1.0)
    palette: str = ""


class ColourRoll(
    Motion,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="roll",
):
    """Colours that move along the row. In a cycle they move by their whole length and
    the gap.

    `hard`: without going over into each other. `length`: lamps that all colours take
    together, 0 for the whole row. `gap`: lamps between repeats; dark where brightness
    is part of it, else in the last colour. `across`: by where lamps hang rather than by
    their order. `brightness`: dark colours dim the lamp.
    """

    kind: ClassVar[str] = "roll"

    stops: tuple[ColourStop, ...] = (
        ColourStop((1.0, 0.0, 0.0)),
        ColourStop((0.0, 0.0, 1.0)),
    )
    hard: bool = False
    length: Number = 0.0
    gap: Number = 0.0
    across: bool = False
    brightness: bool = False


class PathShape(StrEnum):
    """What a head's way looks like."""

    CIRCLE = "circle"
    ELLIPSE = "ellipse"
    LINE = "line"
    EIGHT = "eight"
    POLYGON = "polygon"
    WANDER = "wander"
    FREE = "free"


class Plane(StrEnum):
    """Where in the room a path lies: flat at its centre's height, or upright at its
    centre's distance."""

    FLOOR = "floor"
    WALL = "wall"


class KeepOut(StrEnum):
    """What is done where a beam would enter an area that is to be kept out of."""

    BEND = "bend"
    DARK = "dark"


class Path(
    Motion,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="path",
):
    """A way that heads go.

    `in_room`: on a plane, in metres about `centre` (a link to a mark or a point);
    otherwise around wherever each head aims, in degrees. `size`: from the middle to the
    rim. `stretch`: how tall it is as a part of how wide. `turn`: degrees,
    counter-clockwise. `sides`: of a polygon. `points`: of a free path, −1…1 of the
    size; `smooth` rounds it, `closed` joins its ends.
    """

    kind: ClassVar[str] = "path"

    shape: PathShape = PathShape.CIRCLE
    in_room: bool = False
    centre: str = DEFAULT_CENTRE
    plane: Plane = Plane.FLOOR
    size: Number = 15.0
    stretch: Number = 1.0
    turn: Number = 0.0
    sides: Count = 4
    points: tuple[XY, ...] = ((-1.0, 0.0), (0.0, 1.0), (1.0, 0.0), (0.0, -1.0))
    smooth: bool = True
    closed: bool = True
    keep_out: KeepOut = KeepOut.BEND


class UnknownMotion(
    Motion,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="unknown",
):
    """A motion of a kind that this Choreon does not know. `stored`: all that the file
    said of it; it is written so again.
    """

    kind: ClassVar[str] = "unknown"

    stored: dict[str, Any] = {}


AnyMotion = Wave | ColourRoll | Path | UnknownMotion


class By(StrEnum):
    """What is one in the row: a fixture, a cell, or a cell with every fixture a row of
    its own.
    """

    FIXTURES = "fixtures"
    CELLS = "cells"
    EACH = "each"


class Effect(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A motion given to lamps.

    `fixtures` in an order, or those of a `group`, which is followed. `cells`: of those
    that do not take part wholly. `palette`: the motion palette that it follows; then
    `motion` is what that held last. `start`: cycles by which it is ahead. `clock`: the
    effect of the same look whose rate it shares.
    """

    id: str
    motion: AnyMotion
    fixtures: tuple[str, ...] = ()
    group: str = ""
    cells: dict[str, tuple[Count, ...]] = {}
    by: By = By.CELLS
    on: bool = True
    palette: str = ""
    start: Number = 0.0
    clock: str = ""


Effects = tuple[Effect, ...]


# kinds


def _no_links(motion: Any) -> Iterator[str]:
    return iter(())


def _as_it_is(motion: Any, *change: Any) -> Any:
    return motion


@dataclass(frozen=True)
class MotionKind:
    """What the model must know of one kind.

    `title`: what one is called. `family`: that of what it moves. `names`: the
    attributes that it moves. `needs`: those of which a lamp must have one. `links`:
    what it follows. `unlinked`: the same with what a link comes to in its place.
    `sized`: the same that goes so much as far, 0…1. `in_room`: what the room keeps out
    of changes it.
    """

    type: type[Motion]
    title: Callable[[Any], str]
    family: Callable[[Any], at.Family]
    names: Callable[[Any], tuple[str, ...]]
    needs: Callable[[Any], tuple[str, ...]]
    links: Callable[[Any], Iterator[str]] = _no_links
    unlinked: Callable[[Any, Show, str], Any] = _as_it_is
    sized: Callable[[Any, float], Any] = _as_it_is
    in_room: bool = False


def _wave_title(wave: Wave) -> str:
    return tr(
        "{shape} on {what}",
        shape=term(wave.shape),
        what=at.attribute(wave.attribute).label.lower(),
    )


def _wave_family(wave: Wave) -> at.Family:
    return at.attribute(wave.attribute).family


def _wave_names(wave: Wave) -> tuple[str, ...]:
    return (wave.attribute,)


def _wave_sized(wave: Wave, size: float) -> Wave:
    rests = (wave.low + wave.high) / 2.0
    if wave.mode != EffectMode.REPLACES:
        rests = 1.0 if wave.mode == EffectMode.SCALES else 0.0

    low, high = (rests + size * (end - rests) for end in (wave.low, wave.high))
    return replace(wave, low=low, high=high)


def _roll_title(roll: ColourRoll) -> str:
    return plural(len(roll.stops), "{n} colour rolling", "{n} colours rolling")


def _roll_names(roll: ColourRoll) -> tuple[str, ...]:
    dims = (at.DIMMER,) if roll.brightness else ()
    return (*at.TARGET_COLOUR, *dims)


def _roll_links(roll: ColourRoll) -> Iterator[str]:
    for stop in roll.stops:
        if stop.palette:
            yield f"{PALETTE}{stop.palette}"


def _roll_unlinked(roll: ColourRoll, show: Show, link: str) -> ColourRoll:
    if link not in _roll_links(roll):
        return roll

    palette_id = link.removeprefix(PALETTE)
    stops = tuple(
        ColourStop(colour_of_stop(show, stop)) if stop.palette == palette_id else stop
        for stop in roll.stops
    )
    return replace(roll, stops=stops)


def colour_of_stop(show: Show, stop: ColourStop) -> Rgb:
    """Returns the colour of a stop, linear light: that of its palette, where it has
    one.
    """
    palette = show.palettes.get(stop.palette)
    if palette is None:
        return stop.colour

    parts = [palette.values.get(name) for name in at.TARGET_COLOUR]
    if any(not isinstance(part, float | int) for part in parts):
        return stop.colour
    r, g, b = (float(part) for part in parts if isinstance(part, float | int))
    return r, g, b


def _path_title(path: Path) -> str:
    if path.in_room:
        return tr("{shape} in the room", shape=term(path.shape))
    return tr("{shape} around its aim", shape=term(path.shape))


def _path_links(path: Path) -> Iterator[str]:
    if path.in_room and path.centre.startswith(MARK):
        yield path.centre


def _path_unlinked(path: Path, show: Show, link: str) -> Path:
    from choreon.model import links

    point = links.point_of(show, link) if path.centre == link else None
    return path if point is None else replace(path, centre=links.to_point(point))


def _path_sized(path: Path, size: float) -> Path:
    return replace(path, size=path.size * size)


def _unknown_title(motion: UnknownMotion) -> str:
    return tr("{kind}, not known here", kind=motion.stored.get("kind", tr("effect")))


MOTIONS: dict[str, MotionKind] = {
    kind.type.kind: kind
    for kind in (
        MotionKind(
            Wave,
            title=_wave_title,
            family=_wave_family,
            names=_wave_names,
            needs=_wave_names,
            sized=_wave_sized,
        ),
        MotionKind(
            ColourRoll,
            title=_roll_title,
            family=lambda roll: at.Family.COLOUR,
            names=_roll_names,
            needs=lambda roll: at.TARGET_COLOUR,
            links=_roll_links,
            unlinked=_roll_unlinked,
        ),
        MotionKind(
            Path,
            title=_path_title,
            family=lambda path: at.Family.POSITION,
            names=lambda path: (at.PAN, at.TILT),
            needs=lambda path: (at.PAN,),
            links=_path_links,
            unlinked=_path_unlinked,
            sized=_path_sized,
            in_room=True,
        ),
        MotionKind(
            UnknownMotion,
            title=_unknown_title,
            family=lambda motion: at.Family.DEVICE,
            names=lambda motion: (),
            needs=lambda motion: (),
        ),
    )
}


def title(motion: Motion) -> str:
    """Returns what a motion is called: “sine on intensity”, “colours: 3”, “circle”."""
    return MOTIONS[motion.kind].title(motion)


def family(motion: Motion) -> at.Family:
    """Returns the family of what a motion moves."""
    return MOTIONS[motion.kind].family(motion)


def names(motion: Motion) -> tuple[str, ...]:
    """Returns the attributes that a motion moves."""
    return MOTIONS[motion.kind].names(motion)
