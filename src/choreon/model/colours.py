"""Colours as they are written down: #RRGGBB, chromaticity, linear light."""

from __future__ import annotations

Light = tuple[float, float, float]

# XYZ → linear Rec.709, D65: inverse of the matrix that follows from ITU-R BT.709-6,
# items 1.3 and 1.4.
_FROM_XYZ = (
    (3.2404541621, -1.5371385128, -0.4985314096),
    (-0.9692660305, 1.8760108454, 0.0415560175),
    (0.0556434310, -0.2040259135, 1.0572251882),
)
_TO_XYZ = (
    (0.4124564391, 0.3575760776, 0.1804374833),
    (0.2126728514, 0.7151521552, 0.0721749578),
    (0.0193338956, 0.1191920259, 0.9503040785),
)


def _times(matrix: tuple[Light, ...], v: Light) -> Light:
    a, b, c = (sum(m * x for m, x in zip(line, v, strict=True)) for line in matrix)
    return a, b, c


def from_xyy(x: float, y: float, luminance: float) -> Light:
    """CIE 1931 xyY → linear Rec.709 light; below 0 is cut off, and what would be above
    1 is scaled down to it.
    """
    if y <= 0:
        return luminance, luminance, luminance
    scale = luminance / y
    r, g, b = (
        max(0.0, v)
        for v in _times(_FROM_XYZ, (x * scale, luminance, (1 - x - y) * scale))
    )
    top = max(r, g, b, 1.0)
    return r / top, g / top, b / top


def light_of(x: float, y: float, luminance: float) -> Light:
    """CIE 1931 xyY → linear Rec.709 light as it is: beyond the gamut some part is below
    0.
    """
    if y <= 0:
        return 0.0, 0.0, 0.0
    scale = luminance / y
    return _times(_FROM_XYZ, (x * scale, luminance, (1 - x - y) * scale))


def luminance_of(light: Light) -> float:
    """Y of linear Rec.709 light; white has 1."""
    return _times(_TO_XYZ, light)[1]


def to_xy(light: Light) -> tuple[float, float]:
    """Linear Rec.709 light → CIE 1931 chromaticity; black is taken as white."""
    x, y, z = _times(_TO_XYZ, light if max(light) > 0 else (1.0, 1.0, 1.0))
    return x / (x + y + z), y / (x + y + z)


def hex_of(light: Light) -> str:
    """Linear light as #RRGGBB (sRGB, IEC 61966-2-1)."""

    def screen(v: float) -> int:
        v = min(1.0, max(0.0, v))
        return round(
            255 * (12.92 * v if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055)
        )

    return "#" + "".join(f"{screen(v):02X}" for v in light)


def read_hex(text: str) -> str | None:
    """What was typed for a colour, three digits or six, as #RRGGBB; None where it is
    none.
    """
    digits = text.strip().lstrip("#").upper()
    if len(digits) == 3:
        digits = "".join(2 * c for c in digits)
    return (
        f"#{digits}"
        if len(digits) == 6 and set(digits) <= set("0123456789ABCDEF")
        else None
    )


def of_hex(colour: str) -> Light:
    """#RRGGBB (sRGB) as linear light; white where it is none."""
    digits = colour.lstrip("#")
    try:
        number = int(digits, 16) if len(digits) == 6 else 0xFFFFFF
    except ValueError:
        number = 0xFFFFFF

    def light(v: float) -> float:
        return v / 12.92 if v <= 0.04045 else float(((v + 0.055) / 1.055) ** 2.4)

    return (
        light((number >> 16 & 255) / 255),
        light((number >> 8 & 255) / 255),
        light((number & 255) / 255),
    )


def of_halves(colour: str, split: str = "") -> Light:
    """The light of a filter, or of two that have half of the beam each; white where
    there is none.
    """
    one = of_hex(colour) if colour else (1.0, 1.0, 1.0)
    other = of_hex(split) if split else one
    return (one[0] + other[0]) / 2, (one[1] + other[1]) / 2, (one[2] + other[2]) / 2


# Linear sRGB → cone response → OKLab: B. Ottosson, “A perceptual color space for image
# processing” (2020).
TO_LMS = (
    (0.4122214708, 0.5363325363, 0.0514459929),
    (0.2119034982, 0.6806995451, 0.1073969566),
    (0.0883024619, 0.2817188376, 0.6299787005),
)
TO_LAB = (
    (0.2104542553, 0.7936177850, -0.0040720468),
    (1.9779984951, -2.4285922050, 0.4505937099),
    (0.0259040371, 0.7827717662, -0.8086757660),
)


def to_oklab(light: Light) -> Light:
    """Linear Rec.709 light → OKLab."""
    a, b, c = (v ** (1 / 3) for v in _times(TO_LMS, light))
    return _times(TO_LAB, (a, b, c))
