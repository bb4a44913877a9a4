"""What render must know of each kind that plays."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from choreon.model.motion import Effect
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.effects import PathBegin
from choreon.render.live import Live
from choreon.render.looks import Angles, CompiledLook
from choreon.render.rig import Rig
from choreon.render.state import AnyCursor, Time


class Source(Protocol):
    """A playable, ready to be rendered."""

    @property
    def look(self) -> CompiledLook:
        """What it gives; of what moves, all that it ever gives."""

    @property
    def still(self) -> bool:
        """Whether it never moves by itself."""

    @property
    def own_clock(self) -> bool:
        """Whether it begins anew with each step that plays it; else it goes on with the
        whole.
        """

    def length(self) -> Time:
        """Returns the own time in which it has shown all that it does; what it is not
        counted in is 0.
        """

    @property
    def modifies(self) -> bool:
        """Whether it ever changes what others give."""

    @property
    def uses(self) -> frozenset[str]:
        """What it follows: links, and the refs of what it plays."""

    def followed(self, show: Show, moved: set[str]) -> Source | None:
        """Returns the source after what it follows moved; None where it is to be
        compiled anew.
        """

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns where heads begin on the paths in the room that it begins with; each
        may be come onto in several ways.
        """

    def prepare(self, size: float) -> None:
        """Work out what it is at a size of its effects, ahead of its use."""

    def live(self, offsets: Mapping[str, float]) -> Live | None:
        """Returns what a layer asks; None where it never moves."""

    def stored(self, time: Time) -> Look:
        """Returns what is stored of it that is seen at a time of its own, with its
        links; of what is on its way from one to the other without."""

    def place(self, time: Time) -> str:
        """Returns where in it that is, in words; empty where it is one thing."""

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns its effects as they run at a time of its own."""

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """Returns the cursor, at a time of its own, with which this goes on where
        `before`, the same before an edit, has come to.
        """

    def ends(self) -> Time | None:
        """Returns the own time at which it comes to an end; None for never. What it is
        not counted in is infinite.
        """


class SourceOf(Protocol):
    """Returns the source of something that is played, of `only` some families of it;
    None where it is gone.
    """

    def __call__(self, ref: Ref, only: tuple[str, ...] = ()) -> Source | None: ...


@dataclass(frozen=True)
class CompileContext:
    """What a source is compiled from. `source_of`: that of something it plays, or of
    some families of that. `part`: which part of a playable is asked for, by the key of
    a cursor.
    """

    show: Show
    rig: Rig
    source_of: SourceOf
    part: Hashable = None


Compile = Callable[[CompileContext, Any, Mapping[str, Angles]], Source]
"""Makes a source of a playable; the last argument says which way heads reach their
points, where that is not the way nearest to home."""
