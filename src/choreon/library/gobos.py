"""Slots of gobo and colour wheels: pictures are white where light passes."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

from choreon.model.fixture_type import Slot


@cache
def _picture(name: str) -> bytes:
    return files("choreon.library").joinpath("pictures", f"{name}.png").read_bytes()


def gobos(*names: str) -> list[Slot]:
    """An open slot and the gobos named."""
    return [Slot(name=n, picture=_picture(n)) for n in ("Open", *names)]


COLOURS = {
    "Deep red": "#FF1A10",
    "Orange": "#FF7A1C",
    "Yellow": "#FFE04A",
    "Green": "#2FC24B",
    "Teal": "#18B7A4",
    "Sky": "#6FB7FF",
    "Deep blue": "#1B2CFF",
    "Violet": "#6A22E6",
    "Pink": "#FF6FB0",
    "Rose": "#FF3A68",
    "Warm white": "#FFD3A0",
    "Cold white": "#DCEBFF",
    "UV": "#3A12A0",
}


def colours(*names: str) -> list[Slot]:
    """An open slot and the colours named."""
    return [Slot(name="Open", colour="#FFFFFF"), *(Slot(name=n, colour=COLOURS[n]) for n in names)]
