"""Paths of heads: pan and tilt over a cycle, as tables.

On a path in the room all makes follow the same points; a path around an aim is as round
at any tilt. What a head cannot reach is rescaled about the middle, never cut off; where
its beam would enter an area that is to be kept out of, its path bends. (Where it would
do so all the same, it goes dark: render/keep_out.py.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
import numpy.typing as npt

from choreon.language import tr
from choreon.model import links
from choreon.model.motion import KeepOut, Path, Plane
from choreon.model.show import Room, Show
from choreon.render import aim, reaching, sphere
from choreon.render.heads import Heads
from choreon.render.paths import SAMPLES, shape_of
from choreon.render.ways import Way, way_of

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]

COARSE = 64  # samples of a cycle at which areas and limits are looked for
RAYS = 24  # steps from the middle outwards in which a path is bent
BEND = 0.125  # most that a bent path comes in from one coarse sample to the next
HALVINGS = 10  # of the size, in search of what fits
TURN_BACK = 1.5  # seconds that a head takes for a turn back
LONGEST_DARK = 0.25  # of a cycle, for which a head that turns back is dark
SOFT = 0.2  # seconds in which a head goes dark
SOFTEST = 0.05  # of a cycle, in which it does so at the most
FALLBACK = (0.0, 3.0, 0.0)  # metres; where a path lies whose mark is gone
TOLD = 0.02  # metres, or degrees, by which a head may leave its path untold
FAR = 10.0  # metres: how far off the points of a path in degrees are taken to be


class Trouble(StrEnum):
    """What is to be told of a head on a path before it goes."""

    SMALLER = "made smaller, to stay within the limits"
    STANDS = "out of reach; kept still, as near as may be"
    BENT = "bent away from what is to be kept out of"
    DARK = "dark over what is to be kept out of"
    TURNS_BACK = "hung over the path; dark while turning back"


@dataclass
class PathTable:
    """The ways of heads (h): `angles` (h, SAMPLES + 1, 2) in degrees. `points`: where
    in the room they look (h, SAMPLES + 1, 3), None for paths in degrees. `turns`: the
    sample at which each has to turn back (h), −1 for those that need not; None for
    nobody.

    `troubles` and `leaves`: what is to be told of heads, and by how much they leave
    their path so that pan need not whirl.
    """

    heads: Ints
    angles: Floats
    points: Floats | None = None
    turns: Ints | None = None
    troubles: dict[int, Trouble] = field(default_factory=dict)
    leaves: dict[int, str] = field(default_factory=dict)

    def at(self, position: Floats, speed: float = 0.0) -> tuple[Floats, Floats | None]:
        """Returns pan and tilt (h, 2), and how far each may shine (h), at positions
        (h) in cycles; None where all may wholly. `speed`: cycles a second.
        """
        cycle = position - np.floor(position)
        place = cycle * SAMPLES
        index = np.minimum(place.astype(np.int64), SAMPLES - 1)
        share = place - index
        index += self._starts

        flat = self.angles.reshape(-1, 2)
        here = flat.take(index, axis=0)
        angles = flat.take(index + 1, axis=0)
        angles -= here
        angles *= share[:, None]

        angles += here
        if self.turns is None:
            return angles, None

        return angles, turning(self.turns, cycle, speed)

    def told(self, head: int) -> str:
        """Returns all that is to be told of a head, in words; empty for nothing."""
        trouble, leaves = self.troubles.get(head), self.leaves.get(head, "")
        return " and ".join(filter(None, (str(trouble or ""), leaves)))

    @cached_property
    def middle(self) -> Floats:
        """The middle of each head's way (h, 2), degrees."""
        return np.asarray(self.angles.mean(axis=1))

    @cached_property
    def _starts(self) -> Ints:
        """Where the samples of each head begin, counted through."""
        return np.arange(len(self.heads)) * (SAMPLES + 1)


def turning(turns: Ints, cycle: Floats, speed: float) -> Floats:
    """Returns how far heads (h) may shine that turn back at samples `turns` (h, −1 for
    those that do not): dark from there on until they are round, however fast they go.
    `cycle` (h): how far they are in it, 0…1; `speed`: cycles a second.
    """
    dark = min(LONGEST_DARK, TURN_BACK * speed)
    soft = max(min(SOFTEST, SOFT * speed), 1.0 / SAMPLES)
    since = np.mod(cycle - turns / SAMPLES, 1.0)
    after = (since - dark) / soft
    before = (1.0 - 1.5 / SAMPLES - since) / soft
    light = np.clip(np.minimum(after, before), 0.0, 1.0)
    return np.where(turns < 0, 1.0, light)


Figure = Callable[[float], Floats]
"""A path at a size, 0…1 of its own: where it looks (SAMPLES + 1, 3), in the room."""


def in_room(
    show: Show,
    heads: Heads,
    which: Ints,
    path: Path,
    near: Floats,
    seconds: float,
    size: float = 1.0,
    entry: Floats | None = None,
) -> PathTable:
    """Returns the table of heads (h) on a path in the room. `near` (h, 2): pan and tilt
    that they come from, to where they begin: `entry` (h), in cycles. `seconds`: what a
    cycle takes, about. `size`: how much of the path's own size.
    """
    centre, places = points_of(show, path)
    bends = guarded(show.room) and path.keep_out == KeepOut.BEND

    def made(n: int, head: int) -> tuple[Figure, bool]:
        own, bent = centre + size * (places - centre), False
        if bends:
            own, bent = _bent(show.room, heads.place[head], centre, own)

        def figure(scale: float) -> Floats:
            return centre + scale * (own - centre)

        return figure, bent

    return _table(heads, which, near, seconds, made, entry, show.room, True)


def around(
    show: Show,
    heads: Heads,
    which: Ints,
    path: Path,
    base: Floats,
    seconds: float = 4.0,
    size: float = 1.0,
    entry: Floats | None = None,
) -> PathTable:
    """Returns the table of heads (h) on a path in degrees around where they aim, `base`
    (h, 2): degrees on the sphere about it, as seen from the house.
    """
    flat = shape_of(path) * size
    bends = guarded(show.room) and path.keep_out == KeepOut.BEND

    def made(n: int, head: int) -> tuple[Figure, bool]:
        hanging, place = heads.hanging[head], heads.place[head]
        middle = aim.beam(hanging[None], base[n, :1], base[n, 1:])[0]

        def whole(scale: float) -> Floats:
            ways = sphere.aside(np.broadcast_to(middle, (len(flat), 3)), scale * flat)
            return place + FAR * ways

        if not bends:
            return whole, False

        reach, bent = _reach_of(show.room, place, whole)

        def figure(scale: float) -> Floats:
            away = scale * reach[:, None] * flat
            ways = sphere.aside(np.broadcast_to(middle, (len(flat), 3)), away)
            return place + FAR * ways

        return figure, bent

    return _table(heads, which, base, seconds, made, entry, show.room, False)


def _table(
    heads: Heads,
    which: Ints,
    near: Floats,
    seconds: float,
    make: Callable[[int, int], tuple[Figure, bool]],
    entry: Floats | None,
    room: Room,
    in_metres: bool,
) -> PathTable:
    """The table of heads (h), each on a figure of its own."""
    table = PathTable(which, np.zeros((len(which), SAMPLES + 1, 2)))
    points = np.zeros((len(which), SAMPLES + 1, 3))
    turns = np.full(len(which), -1, np.int64)
    begins = np.zeros(len(which)) if entry is None else np.mod(entry, 1.0)

    for n, head in enumerate(which.tolist()):
        figure, bent = make(n, head)
        begin = int(begins[n] * SAMPLES)
        way, points[n], trouble = _fitted(heads, head, figure, near[n], seconds, begin)
        table.angles[n], turns[n] = way.angles, way.back

        if trouble is None and bent:
            trouble = Trouble.BENT

        looked_at = trouble != Trouble.STANDS and guarded(room)
        if looked_at and _hit(room, heads, head, way.angles).any():
            trouble = Trouble.DARK

        if trouble is not None:
            table.troubles[head] = trouble

        leaves = _leaving(heads.place[head], points[n], way, in_metres)
        if leaves:
            table.leaves[head] = leaves

    table.points = points if in_metres else None
    table.turns = turns if (turns >= 0).any() else None
    return table


def _leaving(place: Floats, points: Floats, way: Way, in_metres: bool) -> str:
    """By how much a head leaves its path, in words; empty where it does not."""
    off = way.off
    if off.max() <= TOLD:
        return ""
    text = tr("up to {most:.0f}° off the path", most=np.ceil(off.max()))
    if in_metres:
        distance = np.linalg.norm(points - place, axis=1)
        metres = float((distance * np.tan(np.radians(np.minimum(off, 60.0)))).max())
        if metres <= TOLD:
            return ""
        text = tr("up to {most:.2f} m off the path", most=np.ceil(metres * 20) / 20)
    return tr("{text}, straight below", text=text)


def guarded(room: Room) -> bool:
    """Returns whether there is anything to keep out of."""
    return bool(room.keep_out) or room.screen is not None


def points_of(show: Show, path: Path) -> tuple[Floats, Floats]:
    """Returns the middle (3) of a path in the room and its points (SAMPLES + 1, 3)."""
    centre = np.array(links.point_of(show, path.centre) or FALLBACK)
    flat = shape_of(path)
    points = np.repeat(centre[None], len(flat), axis=0)
    points[:, 0] += flat[:, 0]
    points[:, 1 if path.plane == Plane.FLOOR else 2] += flat[:, 1]
    return centre, points


def _fitted(
    heads: Heads, head: int, figure: Figure, near: Floats, seconds: float, begin: int
) -> tuple[Way, Floats, Trouble | None]:
    """The way of a head along a figure, made smaller until the head can follow it; the
    points that are followed, and what is to be told.
    """

    def tried(scale: float, every: int = 1) -> Way | None:
        points = figure(scale)[::every]
        return way_of(heads, head, points, near, seconds, begin // every)

    whole = tried(1.0)
    if whole is not None:
        turns = Trouble.TURNS_BACK if whole.back >= 0 else None
        return whole, figure(1.0), turns

    # how small it has to be, found at coarse samples and then made sure of
    fits, least = 0.0, 1.0
    for _ in range(HALVINGS):
        half = (fits + least) / 2.0
        if tried(half, SAMPLES // COARSE) is not None:
            fits = half
        else:
            least = half

    for _ in range(HALVINGS if fits > 0.0 else 0):
        smaller = tried(fits)
        if smaller is not None:
            return smaller, figure(fits), Trouble.SMALLER

        fits *= 0.95  # between the coarse samples it is less legal than at them

    middle = figure(0.0)
    stands, _ = heads.solve(np.array([head]), middle[:1], near[None].astype(float))
    still = np.repeat(stands, len(middle), axis=0)

    return Way(still, -1, np.zeros(len(middle))), middle, Trouble.STANDS


# what is to be kept out of


def _hits(room: Room, place: Floats, points: Floats) -> Flags:
    """Which of the beams from a place towards points (n, 3) enter an area."""
    ways = points - place
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
    return reaching.hits(room, place, ways)


def _hit(room: Room, heads: Heads, head: int, angles: Floats) -> Flags:
    """Which of the beams at angles (n, 2) enter an area."""
    hanging = np.repeat(heads.hanging[head][None], len(angles), axis=0)
    ways = aim.beam(hanging, angles[:, 0], angles[:, 1])
    return reaching.hits(room, heads.place[head], ways)


def _inner(clear: Flags) -> Floats:
    """How far out (n, 0…1) each way from the middle is clear; `clear` (n, RAYS + 1) of
    the steps outwards. It changes no faster than BEND from one to the next.
    """
    blocked = ~clear
    first = np.where(blocked.any(axis=1), blocked.argmax(axis=1) - 1, RAYS)
    reach = np.maximum(first, 0) / RAYS
    for _ in range(COARSE):
        beside = np.minimum(np.roll(reach, 1), np.roll(reach, -1)) + BEND
        calmer = np.minimum(reach, beside)
        if np.array_equal(calmer, reach):
            break
        reach = calmer
    return reach


def _to_all(reach: Floats) -> Floats:
    """From coarse samples to all of them."""
    ring = np.concatenate([reach, reach[:1]])
    at = np.arange(SAMPLES + 1) / SAMPLES * COARSE
    return np.interp(at, np.arange(COARSE + 1), ring)


def _reach_of(room: Room, place: Floats, whole: Figure) -> tuple[Floats, bool]:
    """How far out of its middle (SAMPLES + 1, 0…1) a figure may go so that a beam from
    a place keeps out of what is to be kept out of; and whether anywhere not wholly.
    Where even the middle is not clear it goes as far as it would.
    """
    steps = [
        whole(step / RAYS)[:: SAMPLES // COARSE][:COARSE] for step in range(RAYS + 1)
    ]
    rays = np.stack(steps, axis=1)
    clear = ~_hits(room, place, rays.reshape(-1, 3)).reshape(COARSE, RAYS + 1)
    if not clear[:, 0].all() or clear.all():
        return np.ones(SAMPLES + 1), False
    return _to_all(_inner(clear)), True


def _bent(
    room: Room, place: Floats, centre: Floats, points: Floats
) -> tuple[Floats, bool]:
    """Points drawn in towards their middle as far as the beam from a place has to; and
    whether any is.
    """
    reach, bent = _reach_of(
        room, place, lambda scale: centre + scale * (points - centre)
    )
    return centre + reach[:, None] * (points - centre), bent
