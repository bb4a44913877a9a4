"""What the window must know of each kind that plays."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.state import AnyCursor, Time

StepsInWords = Callable[[AnyCursor, Time], str]
"""Tells which step something is at, at a time of its own, and which comes next."""


@dataclass(frozen=True)
class UiKind:
    """`icon`: the sign it is known by. `look`: the look stored in it, nothing for what
    has several. `about`: what it is, in words. `tail`: a word on its card, empty for
    most. `takes`: whether its look can be taken into the draft and be changed there.
    `moves`: whether it moves by itself. `opens`: whether it has steps that can be
    opened. `steps`: what tells which step one is at; None for what has none.
    `shelved`: whether it lies on the shelf.
    """

    title: str
    icon: str
    look: Callable[[Any], Look]
    about: Callable[[Show, Any], str]
    tail: Callable[[Any], str]
    takes: bool
    moves: Callable[[Any], bool]
    opens: bool = False
    steps: Callable[[Show, Any], StepsInWords] | None = None
    shelved: bool = True
