"""What render must know of each kind that plays."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from choreon.model.show import Show
from choreon.render.looks import Angles, CompiledLook
from choreon.render.rig import Rig
from choreon.render.state import AnyCursor


class Source(Protocol):
    """A playable, ready to be rendered."""

    @property
    def still(self) -> bool:
        """Whether it never moves by itself."""

    @property
    def uses(self) -> frozenset[str]:
        """The links that it follows."""

    def followed(self, show: Show, moved: set[str]) -> Source | None:
        """Returns the source after links moved; None where it is to be compiled
        anew.
        """

    def at(self, cursor: AnyCursor, now: float) -> CompiledLook:
        """Returns what it gives at a time: a closed function of it."""


Compile = Callable[[Show, Rig, Any, Mapping[str, Angles]], Source]
"""Makes a source of a playable; the last argument says which way heads reach their
points, where that is not the way nearest to home."""
