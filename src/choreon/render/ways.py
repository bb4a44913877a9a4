"""The way of one head along a closed line of points: pan and tilt without a jump,
within its limits, and no faster about its own axis than it can turn.

Straight below a head lies its pole: any pan will do there, and a line that passes close
by makes pan whirl. A way may pass through the pole, by going on with tilt on the other
side of nought; or it goes round the pole so far out that pan keeps up. Of the two the
one is taken that leaves the line by less.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
import numpy.typing as npt

from choreon.render.heads import Heads

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

FULL = 360.0  # degrees
POLE = 30.0  # degrees about the pole within which a line may be left
MOST_PASSES = 6  # by the pole in a cycle, of which each is tried both ways
CUTS = 64  # places at which a way that winds may be cut
WINDING, LEAVING = 1e5, 200.0  # degrees of travel that winding, and a degree off, cost
UNSEEN = 0.3  # degrees by which a line may be left at no cost


@dataclass(frozen=True)
class Way:
    """`angles` (n, 2): pan and tilt in degrees. `back`: the sample at which the head
    has to turn back, −1 for nowhere. `off` (n): by how many degrees it leaves its line.
    """

    angles: Floats
    back: int
    off: Floats


@dataclass(frozen=True)
class _SeenLine:
    """A line as its head sees it (n, closed): `pan` about its axis, without jumps, and
    how far each point is `away` from the pole, degrees.
    """

    pan: Floats
    away: Floats


def way_of(
    heads: Heads,
    head: int,
    points: Floats,
    near: Floats,
    seconds: float,
    begin: int = 0,
) -> Way | None:
    """Returns the way of a head along points (n, 3, closed); None where none is within
    its limits. Of several that leave the line alike it is the one to whose sample
    `begin` the head has the shortest way from `near` (2, degrees). `seconds`: what the
    whole line takes.
    """
    line = _seen(heads, head, points)
    count = len(line.pan) - 1
    # degrees from sample to sample
    fastest = heads.pan_speed[head] * max(seconds, 1e-3) / count

    best: tuple[float, Way] | None = None
    for pan in _pans(line, fastest):
        turned = line.pan - pan
        tilt = line.away * np.cos(np.radians(turned))
        off = line.away * np.abs(np.sin(np.radians(turned)))

        for found, back in _legal(heads, head, pan, tilt):
            travel = float(np.abs(found[begin % (count + 1)] - near).sum())
            leaves = max(0.0, float(off.max()) - UNSEEN)
            cost = travel + LEAVING * leaves + WINDING * (back >= 0)

            if best is None or cost < best[0] - 1e-9:
                best = cost, Way(found, back, off)

    return None if best is None else best[1]


def _seen(heads: Heads, head: int, points: Floats) -> _SeenLine:
    """A line as its head sees it."""
    ring = points[:-1]
    d = (ring - heads.place[head]) @ heads.hanging[head]
    flat = np.hypot(d[:, 0], d[:, 1])
    pan = np.degrees(np.arctan2(-d[:, 0], d[:, 1]))
    far = np.maximum(np.linalg.norm(d, axis=1), 1e-12)
    _carry(pan, flat < 1e-9 * far)
    away = np.degrees(np.arctan2(flat, -d[:, 2]))

    # closed: the last is the first again, however often it went round
    pan, away = np.append(pan, pan[0]), np.append(away, away[0])
    return _SeenLine(np.unwrap(pan, period=FULL), away)


def _carry(pan: Floats, upright: npt.NDArray[np.bool_]) -> None:
    """Straight along the axis any pan will do: it keeps the one before."""
    known = np.flatnonzero(~upright)
    if not len(known):
        pan[:] = 0.0
        return
    for i in np.flatnonzero(upright):
        before = known[known < i]
        pan[i] = pan[before[-1]] if len(before) else pan[known[0]]


# past the pole


def _pans(line: _SeenLine, fastest: float) -> Iterator[Floats]:
    """The pans (n) by which a head may follow a line, up to half turns: as it is, or,
    where it passes so close to the pole that pan would whirl, past that in each of two
    ways.
    """
    passes = _passes(line, fastest)
    if not passes:
        yield line.pan
        return

    # begun where it is farthest from the pole, no pass lies across the seam
    count = len(line.pan) - 1
    first = int(np.argmax(line.away[:-1]))
    rolled = _rolled(line.pan, first)
    spans = sorted(
        ((a - first) % count, (a - first) % count + b - a) for a, b in passes
    )
    spans = [span for span in spans if span[0] > 0 and span[1] < count]

    for through in _choices(len(spans)):
        if sum(through) % 2:
            continue  # after a cycle tilt would be on the other side of nought

        pan = rolled.copy()
        for (begin, end), straight in zip(spans, through, strict=True):
            _lead_past(pan, begin, end, straight, fastest)

        yield _rolled(pan, count - first)


def _choices(passes: int) -> Iterator[tuple[bool, ...]]:
    """For each pass whether it leads through the pole: all ways to choose, of very many
    the most usual.
    """
    if passes <= MOST_PASSES:
        yield from product((False, True), repeat=passes)
        return
    yield (False,) * passes
    yield tuple(n < passes - passes % 2 for n in range(passes))


def _rolled(pan: Floats, first: int) -> Floats:
    """A closed line of pans (n + 1) begun at another sample; what it has wound by at
    the end goes on.
    """
    count = len(pan) - 1
    wound = pan[-1] - pan[0]
    first %= count
    return np.concatenate([pan[first:-1], pan[: first + 1] + wound])


def _passes(line: _SeenLine, fastest: float) -> list[tuple[int, int]]:
    """Where a line passes the pole too fast: first and last sample of each pass, the
    last counted on past the end where it lies across the seam.
    """
    count = len(line.pan) - 1
    step = np.abs(np.diff(line.pan))
    near = np.minimum(line.away[:-1], line.away[1:]) < POLE
    fast = np.flatnonzero((step > fastest) & near)

    if not len(fast):
        return []

    # those side by side are one pass; the ring is opened at its widest gap
    gaps = np.diff(np.append(fast, fast[0] + count))
    fast = np.roll(fast, -int(np.argmax(gaps)) - 1)
    fast = np.where(fast < fast[0], fast + count, fast)
    apart = max(2, count // 64)
    cuts = np.flatnonzero(np.diff(fast) > apart) + 1

    return [(int(run[0]), int(run[-1]) + 1) for run in np.split(fast, cuts)]


def _lead_past(
    pan: Floats, begin: int, end: int, through: bool, fastest: float
) -> None:
    """Lead a pan (n) past the pole between two samples, in place: evenly, over so many
    samples that it keeps up. `through`: tilt goes on beyond nought, so that pan has
    half a turn less to go.
    """
    half = 180.0 * np.sign(pan[end] - pan[begin]) if through else 0.0
    room = min(begin, len(pan) - 1 - end)

    for wider in range(room + 1):
        a, b = begin - wider, end + wider
        turn = pan[b] - half - pan[a]
        if abs(turn) <= fastest * (b - a):
            break

    pan[b:] -= half
    pan[a : b + 1] = np.linspace(pan[a], pan[b], b - a + 1)


# within the limits


def _legal(
    heads: Heads, head: int, pan: Floats, tilt: Floats
) -> Iterator[tuple[Floats, int]]:
    """The ways within a head's limits that a pan and a tilt (n) lead along, and where
    each turns back: over the one side or the other, whole turns more or less.
    """
    low, high = heads.low[head], heads.high[head]
    rounds = round((pan[-1] - pan[0]) / FULL)

    for first, own in ((pan, tilt), (pan + 180.0, -tilt)):
        if own.min() < low[1] - 1e-9 or own.max() > high[1] + 1e-9:
            continue

        if rounds == 0:
            found: Sequence[tuple[Floats, int]] = _turned(first, low[0], high[0])
        else:
            found = _wound(first, rounds, low[0], high[0])

        for turned, back in found:
            yield np.stack([turned, np.clip(own, low[1], high[1])], axis=1), back


def _turned(pan: Floats, low: float, high: float) -> list[tuple[Floats, int]]:
    """The same pan with whole turns more or less, as far as they are legal."""
    lowest = int(np.ceil((low - pan.min()) / FULL - 1e-9))
    highest = int(np.floor((high - pan.max()) / FULL + 1e-9))
    return [
        (np.clip(pan + FULL * turns, low, high), -1)
        for turns in range(lowest, highest + 1)
    ]


def _wound(
    pan: Floats, rounds: int, low: float, high: float
) -> list[tuple[Floats, int]]:
    """A pan that goes all round in a cycle, cut where the most room is left."""
    if abs(rounds) != 1:
        return []

    count = len(pan) - 1
    twice = np.concatenate([pan[:-1], pan[:-1] + FULL * rounds])
    best: tuple[float, Floats, int] | None = None

    for cut in range(0, count, max(1, count // CUTS)):
        span = twice[cut : cut + count + 1] if cut < count else twice[cut:]
        middle = (span.min() + span.max()) / 2.0
        wanted = (low + high) / 2.0
        turns = FULL * round((wanted - middle) / FULL)
        over = max(low - (span.min() + turns), span.max() + turns - high)

        if best is None or over < best[0]:
            made = np.empty(count + 1)
            made[cut:count] = twice[cut:count]
            made[:cut] = twice[count : count + cut]
            made[count] = twice[count]
            best = over, made + turns, cut

    if best is None or best[0] > 1e-9:
        return []

    return [best[1:]]
