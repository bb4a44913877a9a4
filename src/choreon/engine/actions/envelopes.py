"""How things come and go: ramps from where they are, in the times of what plays."""

from __future__ import annotations

from choreon.model.attributes import Family
from choreon.model.playables import Playable
from choreon.render.state import Envelope, Ramp

GONE = Envelope(Ramp(0.0, 0.0))


def ramp(start: float, end: float, now: float, seconds: float, delay: float) -> Ramp:
    """Returns the rest of a fade that takes `seconds` as a whole, from where it is; a
    delay shrinks with it.
    """
    rest = abs(end - start)
    return Ramp(start, end, now + delay * rest, seconds * rest)


def _towards(
    end: float, seconds: float, playable: Playable, before: Envelope, now: float
) -> Envelope:
    main = ramp(before.main.at(now), end, now, seconds, 0.0)
    families: dict[str, Ramp] = {}
    for family in dict.fromkeys([*playable.times, *before.families]):
        start = before.of(family).at(now)
        own = playable.times.get(family)
        if own is None:
            families[family] = ramp(start, end, now, seconds, 0.0)
        else:
            families[family] = ramp(start, end, now, own.fade, own.delay)
    return Envelope(main, families)


def coming(playable: Playable, now: float, before: Envelope = GONE) -> Envelope:
    """Returns the way in, from where it is."""
    return _towards(1.0, playable.fade_in, playable, before, now)


def going(playable: Playable | None, now: float, before: Envelope) -> Envelope:
    """Returns the way out, from where it is; at once where what plays is gone."""
    if playable is None:
        return Envelope(Ramp(before.main.at(now), 0.0, now, 0.0))
    return _towards(0.0, playable.fade_out, playable, before, now)


def unlit(envelope: Envelope) -> Envelope:
    """Returns the same for all but the intensity, which it does not give at all."""
    dark = Ramp(0.0, 0.0)
    return Envelope(envelope.main, {**envelope.families, Family.INTENSITY: dark})
