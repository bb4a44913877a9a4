"""Values of attributes, and looks made of them."""

from __future__ import annotations

from choreon.model.numbers import Number

Value = Number | tuple[Number | None, ...] | str
"""A value in the attribute's unit; one per cell (None: not given); or a link, as
model/links.py reads it."""

Look = dict[str, dict[str, Value]]
"""Fixture id → attribute → value."""
