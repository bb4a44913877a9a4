"""The sample show: *Low Tide* at Quillmere Boathouse."""

from __future__ import annotations

from choreon.demo.low_tide import low_tide

__all__ = ["low_tide"]
