"""The sample show: *Low Tide* at Quillmere Boathouse."""

from __future__ import annotations

from choreon.demo.low_tide import OPENING, low_tide

__all__ = ["OPENING", "low_tide"]
