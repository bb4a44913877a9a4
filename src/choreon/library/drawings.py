"""How the pictures of gobos are drawn, as SVG: white where light passes, in a field of
24 by 24. `bin/gobos` makes PNGs of them, which the library holds.
"""

from __future__ import annotations

import math


def svg_of(body: str) -> bytes:
    """A picture as SVG, from what is in it."""
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24"><circle cx="12" cy="12" r="12"/>'
        f'<g fill="#fff" stroke="#fff" stroke-width="0">{body}</g></svg>'
    ).encode()


def _lines(paths: list[str], width: float) -> str:
    return (
        f'<g fill="none" stroke-width="{width}" stroke-linecap="round">'
        + "".join(f'<path d="{p}"/>' for p in paths)
        + "</g>"
    )


def _dots(points: list[tuple[float, float, float]]) -> str:
    return "".join(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{r:.1f}"/>' for x, y, r in points)


def _ring(count: int, radius: float, size: float, turn: float = 0.0) -> list[tuple[float, float, float]]:
    angles = [turn + 2 * math.pi * i / count for i in range(count)]
    return [(12 + radius * math.cos(a), 12 + radius * math.sin(a), size) for a in angles]


PICTURES = {
    "Ripples": _lines([f"M4 {y}q4 -2.5 8 0t8 0" for y in (6, 10, 14, 18)], 1.6),
    "Reeds": _lines(
        [f"M{x} 20Q{x + d} 12 {x - d} 4" for x, d in ((7, 1), (10, -1.5), (13, 2), (16, -1), (18, 1))], 1.2
    ),
    "Net": _lines([f"M{a} 4L{a} 20" for a in (7, 12, 17)] + [f"M4 {a}L20 {a}" for a in (7, 12, 17)], 1.0),
    "Rain": _lines(
        [f"M{x} {y}l-1.5 4" for x, y in ((8, 5), (13, 4), (17, 7), (10, 11), (15, 12), (8, 16), (13, 17))], 1.1
    ),
    "Slats": "".join(f'<rect x="4" y="{y}" width="16" height="2.2"/>' for y in (5, 9, 13, 17)),
    "Shoal": "".join(
        f'<path d="M{x} {y}q3 -2.4 6 0q-3 2.4 -6 0l-1.6 -1.4v2.8z"/>'
        for x, y in ((6, 8), (12, 6), (13, 12), (6, 15), (12, 18))
    ),
    "Rings": _lines([f"M{12 - r} 12a{r} {r} 0 1 0 {2 * r} 0a{r} {r} 0 1 0 {-2 * r} 0" for r in (3, 6, 9)], 1.4),
    "Pebbles": _dots([(8, 8, 2.4), (14, 7, 1.8), (17, 12, 2.2), (11, 13, 2.6), (7, 16, 1.6), (15, 17, 2.4)]),
    "Stars": _dots(
        [(x, y, 0.9) for x, y in ((7, 7), (12, 5), (17, 8), (9, 12), (15, 13), (6, 16), (12, 18), (18, 17))]
    ),
    "Wreath": _dots(_ring(12, 8, 1.4)),
    "Fan": "".join(
        f'<path d="M12 12L{12 + 10 * math.cos(a - 0.2):.1f} {12 + 10 * math.sin(a - 0.2):.1f}'
        f'L{12 + 10 * math.cos(a + 0.2):.1f} {12 + 10 * math.sin(a + 0.2):.1f}z"/>'
        for a in [math.pi * i / 4 for i in range(8)]
    ),
    "Window": "".join(f'<rect x="{x}" y="{y}" width="5" height="6"/>' for x in (6, 13) for y in (5, 13)),
    "Branches": _lines(["M12 21V6", "M12 14L7 8", "M12 12L17 6", "M12 17L17 12", "M12 18L6 14"], 1.1),
    "Moon": '<path d="M15 4a8.5 8.5 0 1 0 0 16a9.5 9.5 0 0 1 0 -16z"/>',
    "Beads": _dots([*_ring(6, 7, 1.8), (12, 12, 2.0)]),
    "Split": '<path d="M12 3a9 9 0 0 0 0 18z"/>',
}
PICTURES["Open"] = '<circle cx="12" cy="12" r="10"/>'
