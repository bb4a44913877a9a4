"""How far a long piece of work has come, in words: set by whoever wants to hear."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from choreon.language import tr

GAP = 0.2  # seconds between two words

Thing = TypeVar("Thing")


def _nobody(text: str) -> None:
    """Nobody wants to hear."""


tell: Callable[[str], None] = _nobody
_last = 0.0


def each(
    things: Iterable[Thing], name: str, count: int | None = None
) -> Iterator[Thing]:
    """Go through things and tell, now and then, which one it is."""
    global _last
    for i, thing in enumerate(things, 1):
        now = time.monotonic()
        if now - _last > GAP:
            _last = now
            tell(
                tr("{name} {i} of {count}", name=name, i=i, count=count)
                if count
                else tr("{name} {i}", name=name, i=i)
            )
        yield thing
