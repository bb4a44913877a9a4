"""Fixture types in GDTF files (DIN SPEC 15800), through pygdtf.

What is not understood is listed and kept: an attribute without a meaning here stays a
raw channel under its name.
"""

from __future__ import annotations

from choreon.formats.gdtf.extra import EXTRA
from choreon.formats.gdtf.reading import Imported, read
from choreon.formats.gdtf.writing import write

__all__ = ["EXTRA", "Imported", "read", "write"]
