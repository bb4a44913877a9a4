"""Ready figures of canvases: what each is called, and which never move."""

from __future__ import annotations

from choreon.language import tr

FIGURE_NAMES: dict[str, str] = {
    "slope": tr("Slope"),
    "still": tr("Slope that stands"),
    "bands": tr("Bands"),
    "runner": tr("Runner"),
    "zigzag": tr("Zigzag"),
    "blinds": tr("Blinds"),
    "curtain": tr("Curtain"),
    "weave": tr("Weave"),
    "checkers": tr("Checkers"),
    "board": tr("Board that slides"),
    "wave": tr("Wave"),
    "swell": tr("Swell"),
    "tide": tr("Tide"),
    "ribbon": tr("Ribbon"),
    "plasma": tr("Plasma"),
    "clouds": tr("Clouds"),
    "water": tr("Water"),
    "rings": tr("Rings"),
    "ripple": tr("Ripple"),
    "heart": tr("Heartbeat"),
    "bloom": tr("Bloom"),
    "squares": tr("Squares"),
    "diamonds": tr("Diamonds"),
    "spiral": tr("Spiral"),
    "pinwheel": tr("Pinwheel"),
    "lighthouse": tr("Lighthouse"),
    "fan": tr("Fan"),
    "sweep": tr("Sweep"),
    "crossing": tr("Crossing"),
    "comet": tr("Comet"),
    "ball": tr("Ball"),
    "swarm": tr("Swarm"),
    "lava": tr("Lava"),
    "rain": tr("Rain"),
    "rise": tr("Rain that rises"),
    "snow": tr("Snow"),
    "bubbles": tr("Bubbles"),
    "sparks": tr("Sparks"),
    "stars": tr("Stars"),
    "shuffle": tr("Shuffle"),
    "fire": tr("Fire"),
    "embers": tr("Embers"),
    "storm": tr("Storm"),
    "columns": tr("Columns"),
}
"""Figure → its name."""

STILL = ("still",)
"""Those that never move."""
