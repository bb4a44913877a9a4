"""Motions to begin with: waves, colour rolls and paths, by name."""

from __future__ import annotations

from functools import cache
from typing import Any

from choreon.model import attributes as at
from choreon.model.motion import (
    AnyMotion,
    ColourRoll,
    ColourStop,
    EffectMode,
    Order,
    Path,
    PathShape,
    Rate,
    Shape,
    Spread,
    Wave,
)

RED, AMBER, GOLD = (1.0, 0.0, 0.0), (1.0, 0.26, 0.0), (1.0, 0.6, 0.1)
CANDLE, ROSE, DUSK = (1.0, 0.42, 0.08), (1.0, 0.12, 0.22), (0.55, 0.05, 0.6)
VIOLET, BLUE, MOON = (0.35, 0.0, 1.0), (0.0, 0.0, 1.0), (0.3, 0.48, 1.0)
TEAL, GREEN, WHITE = (0.0, 0.62, 0.5), (0.0, 1.0, 0.0), (1.0, 1.0, 1.0)
NIGHT = (0.01, 0.03, 0.25)
BLACK = (0.0, 0.0, 0.0)

EVEN = Spread()
TOGETHER = Spread(amount=0.0)
MIRRORED = Spread(parts=2)
PAIRS = Spread(together=2)
SHUFFLED = Spread(order=Order.SHUFFLED, seed=3)


def _beats(count: float) -> Rate:
    return Rate(beats=count)


def _seconds(count: float) -> Rate:
    return Rate(seconds=count)


def _level(
    shape: Shape, rate: Rate, spread: Spread = EVEN, **more: Any
) -> AnyMotion:
    return Wave(shape=shape, rate=rate, spread=spread, **more)


def _scale(
    shape: Shape, rate: Rate, low: float, spread: Spread = EVEN, **more: Any
) -> AnyMotion:
    return Wave(
        shape=shape, rate=rate, spread=spread, mode=EffectMode.SCALES, low=low, **more
    )


def _roll(rate: Rate, *colours: tuple[float, float, float], **more: Any) -> ColourRoll:
    stops = tuple(ColourStop(colour) for colour in colours)
    return ColourRoll(stops=stops, rate=rate, **more)


def _path(shape: PathShape, rate: Rate, size: float, **more: Any) -> Path:
    return Path(shape=shape, rate=rate, size=size, **more)


def _waves() -> list[tuple[str, AnyMotion]]:
    curve = ((0.0, 0.0), (0.1, 1.0), (0.25, 0.3), (0.35, 0.9), (1.0, 0.0))
    return [
        ("Swell", _level(Shape.SINE, _seconds(6.0), TOGETHER)),
        ("Swell along", _level(Shape.SINE, _seconds(4.0))),
        ("Swell from the middle", _level(Shape.SINE, _seconds(4.0), MIRRORED)),
        ("Swell in pairs", _level(Shape.SINE, _seconds(4.0), PAIRS)),
        ("Slow breath", _scale(Shape.SINE, _seconds(8.0), 0.4, TOGETHER)),
        ("Ripple", _scale(Shape.SINE, _seconds(2.5), 0.3, Spread(repeats=2))),
        ("Pulse on the beat", _scale(Shape.DOWN, _beats(1.0), 0.15, TOGETHER)),
        ("Pulse along the beat", _scale(Shape.DOWN, _beats(4.0), 0.1)),
        (
            "Blink by turns",
            _level(Shape.PULSE, _beats(2.0), Spread(amount=360, repeats=4)),
        ),
        ("Blink along", _level(Shape.PULSE, _beats(4.0), width=0.25)),
        ("Spark along", _level(Shape.DOWN, _beats(4.0), active=0.3)),
        ("Stairs", _level(Shape.STEPS, _beats(4.0), steps=4)),
        ("Saw up", _level(Shape.UP, _beats(2.0))),
        ("Triangle mirrored", _level(Shape.TRIANGLE, _seconds(3.0), MIRRORED)),
        ("Candles", _scale(Shape.RANDOM, _seconds(0.35), 0.55)),
        ("Embers", _scale(Shape.RANDOM, _seconds(1.6), 0.2)),
        ("Water light", _scale(Shape.RANDOM, _seconds(0.9), 0.45, PAIRS)),
        ("Heartbeat", _scale(Shape.OWN, _beats(2.0), 0.2, TOGETHER, curve=curve)),
        ("Lift a little", Wave(mode=EffectMode.ADDS, low=0.0, high=0.3, rate=_seconds(5.0))),
        ("Zoom breath", Wave(attribute="Zoom", low=10, high=40, rate=_seconds(6.0))),
        (
            "Zoom along",
            Wave(attribute="Zoom", low=8, high=45, rate=_beats(8.0), spread=EVEN),
        ),
        ("Iris pulse", Wave(attribute="Iris", low=0.3, high=1.0, rate=_beats(2.0))),
        (
            "UV swell",
            Wave(attribute=at.UV, low=0.0, high=1.0, rate=_seconds(6.0)),
        ),
    ]


def _rolls() -> list[tuple[str, AnyMotion]]:
    return [
        ("Dusk and rose", _roll(_seconds(12.0), DUSK, ROSE)),
        ("Moon and teal", _roll(_seconds(10.0), MOON, TEAL)),
        ("Fire", _roll(_seconds(5.0), RED, AMBER, GOLD, AMBER)),
        ("Sea", _roll(_seconds(9.0), BLUE, TEAL, MOON)),
        ("Spectrum", _roll(_seconds(10.0), RED, GOLD, GREEN, TEAL, BLUE, VIOLET)),
        ("Two by turns", _roll(_beats(2.0), AMBER, BLUE, hard=True, length=2.0)),
        ("Flag", _roll(_beats(4.0), RED, WHITE, BLUE, hard=True)),
        ("Comet of light", _roll(_beats(4.0), WHITE, BLACK, BLACK, brightness=True)),
        (
            "Lanterns passing",
            _roll(_seconds(6.0), CANDLE, length=2.0, gap=3.0, brightness=True),
        ),
        ("Across the room", _roll(_seconds(8.0), VIOLET, TEAL, across=True)),
        ("There and back", _roll(_seconds(6.0), ROSE, MOON, there_and_back=True)),
        ("Night and candle", _roll(_seconds(14.0), NIGHT, CANDLE, NIGHT)),
    ]


def _paths() -> list[tuple[str, AnyMotion]]:
    fan = Spread(amount=180.0)
    return [
        ("Small circle", _path(PathShape.CIRCLE, _seconds(4.0), 10.0)),
        ("Wide circle", _path(PathShape.CIRCLE, _seconds(8.0), 30.0)),
        (
            "Circle together",
            _path(PathShape.CIRCLE, _beats(8.0), 20.0, spread=TOGETHER),
        ),
        ("Nod", _path(PathShape.LINE, _beats(4.0), 20.0, turn=90.0)),
        ("Sway", _path(PathShape.LINE, _seconds(5.0), 25.0)),
        ("Sway mirrored", _path(PathShape.LINE, _seconds(5.0), 25.0, spread=MIRRORED)),
        ("Eight", _path(PathShape.EIGHT, _seconds(8.0), 20.0, stretch=0.6)),
        ("Square", _path(PathShape.POLYGON, _beats(8.0), 18.0, sides=4, turn=45.0)),
        ("Triangle", _path(PathShape.POLYGON, _beats(6.0), 18.0, sides=3)),
        ("Wander", _path(PathShape.WANDER, _seconds(24.0), 25.0)),
        (
            "Floor circle",
            _path(PathShape.CIRCLE, _seconds(10.0), 1.6, in_room=True),
        ),
        (
            "Floor sweep",
            _path(PathShape.LINE, _beats(8.0), 3.0, in_room=True, spread=fan),
        ),
        (
            "Floor wander",
            _path(PathShape.WANDER, _seconds(30.0), 2.2, in_room=True, spread=SHUFFLED),
        ),
        (
            "Floor eight",
            _path(PathShape.EIGHT, _seconds(12.0), 2.5, in_room=True, stretch=0.5),
        ),
    ]


@cache
def ready_motions() -> tuple[tuple[str, AnyMotion], ...]:
    """Returns the motions to begin with and what they are called."""
    return (*_waves(), *_rolls(), *_paths())
