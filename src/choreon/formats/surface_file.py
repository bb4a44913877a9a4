"""Surfaces as files: our own JSON, described in docs/surfaces.md, out and in; and those
that ship with the program.
"""

from __future__ import annotations

import json
import re
from functools import cache
from importlib import resources
from typing import Any

import msgspec

from choreon.language import tr
from choreon.model.show import Show
from choreon.model.surfaces import Surface, SurfacePart, faults

VERSION = 1
MOST_BYTES = 1 << 20
MOST_TOLD = 6  # faults that are told one by one
STANDARD = "faders-8"
"""The one that the practice controller has."""
PRACTICE = "Practice controller"
"""What it is called; others of ours have their layout behind that."""


class NotRead(ValueError):
    """It is no surface, or is damaged; the text says what is wrong, and with which
    part.
    """


class _File(msgspec.Struct, frozen=True):
    """What a file holds."""

    choreon: str
    version: int
    name: str
    parts: tuple[SurfacePart, ...]
    own_pages: bool = False
    kind: str = "midi"


def write(surface: Surface) -> bytes:
    """Returns a surface as a file: JSON, UTF-8."""
    held = _File("surface", VERSION, surface.name, surface.parts, surface.own_pages)
    plain: dict[str, Any] = msgspec.to_builtins(held)
    return (json.dumps(plain, indent=1, ensure_ascii=False) + "\n").encode()


def read(data: bytes, device: str) -> Surface:
    """Returns the surface in a file, as that of a device. Raises NotRead."""
    if len(data) > MOST_BYTES:
        raise NotRead(tr("It is larger than any surface could be."))
    try:
        held = msgspec.json.decode(data, type=_File)
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as error:
        text = tr("It is no surface of Choreon ({error}).", error=error)
        raise NotRead(text) from None

    if held.choreon != "surface":
        raise NotRead(tr("It is another file of Choreon, and no surface."))
    if held.version > VERSION:
        text = tr(
            "It was written by a newer Choreon: this one does not know all of it."
        )
        raise NotRead(text)

    surface = Surface(
        id=device, name=held.name, parts=held.parts, own_pages=held.own_pages
    )
    found = faults(surface)
    if found:
        told = "; ".join(found[:MOST_TOLD])
        raise NotRead(tr("It cannot be used: {faults}.", faults=told))
    return surface


@cache
def shipped() -> dict[str, Surface]:
    """Returns the surfaces that ship with the program, by their file's name."""
    folder = resources.files("choreon") / "surfaces"
    found = {}
    for file in sorted(folder.iterdir(), key=lambda one: one.name):
        name, _, ending = file.name.rpartition(".")
        if ending == "json":
            surface = read(file.read_bytes(), "")
            title = TITLES.get(name, surface.name)
            found[name] = msgspec.structs.replace(surface, name=title)
    return found


def named(name: str, device: str) -> Surface:
    """Returns a surface that ships, as that of a device. Raises KeyError."""
    return msgspec.structs.replace(shipped()[name], id=device)


def of_device(show: Show, device: str) -> Surface | None:
    """Returns the surface of a device: the one of the show, else that of a practice
    controller, which is known by its name; None of any other.
    """
    own = show.surfaces.get(device)
    if own is not None or not device.startswith(PRACTICE):
        return own
    layout = device.removeprefix(PRACTICE).strip() or STANDARD
    return named(layout, device) if layout in shipped() else None


def part_words(part: SurfacePart) -> str:
    """Returns what a part is called: by its own name, else by its id."""
    if part.name:
        return part.name
    sort, number = re.fullmatch(r"(.*?)\s*(\d*)", part.id).groups()  # type: ignore[union-attr]
    return f"{_said(sort)} {number}".strip()


def _said(sort: str) -> str:
    return WORDS.get(sort, sort)


TITLES = {
    "faders-8": tr("8 faders, 8 dials, 16 pads"),
    "faders-9": tr("9 faders, 27 keys"),
    "keys-24": tr("24 lit keys"),
    "keys-25": tr("25 notes, two wheels"),
    "motors-9": tr("9 motor faders, 8 endless dials, lines of text"),
    "pads-16": tr("16 pads mixing colours, 4 dials"),
    "pads-64": tr("64 pads in colours, side rows"),
    "pedals-4": tr("4 foot switches and a pedal"),
    "rings-16": tr("16 endless dials with rings"),
    "wing-10": tr("10 fine faders with flash keys, a master"),
}
"""What the surfaces that ship are called."""

WORDS = {
    "fader": tr("fader"),
    "dial": tr("dial"),
    "pad": tr("pad"),
    "key": tr("key"),
    "top": tr("top key"),
    "side": tr("side key"),
    "flash": tr("flash key"),
    "push": tr("push of dial"),
    "pedal": tr("pedal"),
    "wheel": tr("wheel"),
    "line": tr("line"),
    "upper": tr("upper key"),
    "lower": tr("lower key"),
    "expression": tr("expression pedal"),
    "bend": tr("bend wheel"),
    "modulation": tr("modulation wheel"),
    "master": tr("master fader"),
    "go": tr("GO"),
}
"""What parts of the surfaces that ship are called."""

__all__ = [
    "NotRead",
    "named",
    "of_device",
    "part_words",
    "read",
    "shipped",
    "write",
]
