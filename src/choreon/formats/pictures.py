"""Pictures from strangers, made into small PNGs of our own. This is work for a process
of its own (`apart`): decoders are where files that mean no good do their harm.
"""

from __future__ import annotations

import io
import math
from xml.etree.ElementTree import Element, tostring

from choreon.formats.package import FormatError, parse_xml
from choreon.language import tr

SLOT_SIZE = 64  # pixels a side: a slot of a wheel
PAGE_SIZE = 2400  # along the longer side: a plan, a picture on a tile
MOST_PIXELS = 120_000_000  # of a picture that is made smaller
KINDS = ("PNG", "JPEG", "BMP", "WEBP", "GIF", "TIFF")
MOST_XML = 4 << 20
# of SVG: what leads out of the file, or holds another one
OUTSIDE = {"image", "feImage", "foreignObject", "script", "text"}


def small(data: bytes, size: int, name: str = tr("the picture")) -> bytes:
    """A picture as PNG (RGBA), its longer side at most `size` pixels, without anything
    else that came with it. Raises FormatError.
    """
    if b"<svg" in data[:4096]:
        return small(_drawn(data, size, name), size, name)
    # a library that takes a while to load: here, where it is used
    from PIL import Image

    try:
        Image.MAX_IMAGE_PIXELS = MOST_PIXELS
        with Image.open(io.BytesIO(data), formats=KINDS) as found:
            wide, high = found.size
            if wide * high > MOST_PIXELS:
                raise FormatError(
                    tr(
                        "{name} has {wide} by {high} pixels, more than can be read. "
                        "Nothing was changed.",
                        name=name,
                        wide=wide,
                        high=high,
                    )
                )
            found.draft("RGB", (size, size))  # of JPEG only as much as is needed
            found.thumbnail((size, size), Image.Resampling.LANCZOS)
            out = io.BytesIO()
            plain = found.convert("RGBA")
            Image.frombytes("RGBA", plain.size, plain.tobytes()).save(out, "PNG")
            return out.getvalue()
    except (FormatError, MemoryError):
        raise
    except Exception as error:  # decoders raise whatever they like
        raise FormatError(
            tr(
                "{name} is no picture that can be read ({fault}). Nothing was changed.",
                name=name,
                fault=type(error).__name__,
            )
        ) from None


def _drawn(data: bytes, size: int, name: str) -> bytes:
    """An SVG as PNG, drawn without what leads out of it. Raises FormatError."""
    import resvg_py

    if len(data) > MOST_XML:
        raise FormatError(
            tr(
                "{name} is an SVG of {size} MB; not drawn.",
                name=name,
                size=len(data) >> 20,
            )
        )

    root = parse_xml(data, name, name)
    try:
        _strip(root)
        wide, high = _size(root)
        return bytes(
            resvg_py.svg_to_bytes(
                svg_string=tostring(root, encoding="unicode"),
                skip_system_fonts=True,
                width=size if wide >= high else None,
                height=None if wide >= high else size,
            )
        )
    except Exception as error:
        raise FormatError(
            tr(
                "{name} is an SVG that cannot be drawn ({error}). Nothing was changed.",
                name=name,
                error=error or type(error).__name__,
            )
        ) from None


def _strip(element: Element) -> None:
    for child in list(element):
        tag = child.tag.rpartition("}")[2] if isinstance(child.tag, str) else "script"
        leads = [v for k, v in child.attrib.items() if k.rpartition("}")[2] == "href"]
        if tag in OUTSIDE or any(not to.startswith("#") for to in leads):
            element.remove(child)
        else:
            _strip(child)


def _size(root: Element) -> tuple[float, float]:
    """Width and height that an SVG is drawn for; only their proportion counts."""
    words = (root.get("viewBox") or "").replace(",", " ").split()
    try:
        wide, high = (float(w) for w in words[2:4])
    except ValueError:
        return 1.0, 1.0
    return (wide, high) if math.isfinite(wide / max(high, 1e-9)) else (1.0, 1.0)
