"""What all that plays has in common, and what the model must know of each kind."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import TYPE_CHECKING, Any, ClassVar

import msgspec

from choreon.model.motion import Effects
from choreon.model.numbers import Number
from choreon.model.problem import Problem
from choreon.model.refs import Ref
from choreon.model.values import Look

if TYPE_CHECKING:
    from choreon.model.show import Show


class Priority(IntEnum):
    """Who goes before whom, whatever was started when."""

    LOW = 0
    NORMAL = 1
    HIGH = 2


class Times(msgspec.Struct, frozen=True, omit_defaults=True):
    """How one family comes and goes in its own time: it waits for `delay` seconds and
    takes `fade` seconds.
    """

    delay: Number = 0.0
    fade: Number = 0.0


class Playable(
    msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, tag_field="kind"
):
    """Something that can be on.

    `fade_in` and `fade_out` in seconds. `times`: families that come and go in their
    own. `colour`: a mark to know it by, as #RRGGBB. `folder`: where it lies on the
    shelf.
    """

    kind: ClassVar[str] = ""

    id: str
    name: str
    fade_in: Number = 2.0
    fade_out: Number = 2.0
    times: dict[str, Times] = {}
    tags: tuple[str, ...] = ()
    folder: str = ""
    colour: str = ""
    priority: Priority = Priority.NORMAL

    @property
    def ref(self) -> Ref:
        """Points at this."""
        return Ref(self.kind, self.id)


def _nothing(playable: Any) -> tuple[Any, ...]:
    return ()


def _no_fixtures(show: Show, playable: Any) -> tuple[str, ...]:
    return ()


def _unknown(playable: Any) -> None:
    return None


def _effect_ids(playable: Any) -> tuple[str, ...]:
    return tuple(effect.id for effect in getattr(playable, "effects", ()))


def _itself(playable: Any, *change: Any) -> Any:
    return playable


@dataclass(frozen=True)
class PlayableKind:
    """What the model must know of one kind. `title` is what the kind is called.

    `check`: what is wrong with one. `looks`: all the looks stored in one.
    `with_looks`: the same with each of its looks put through a function; `effects` and
    `with_effects` likewise. `parts`: what it plays within itself. `plays`: that, and
    what it starts beside. `times_of`: the groups and fixtures that have times of their
    own in it; `spelled_out`: the same with one of these groups as its fixtures.
    `clocks`: the ids of what moves in it at a rate of its own.

    Beside its looks and effects: `only`: the same that gives some families alone;
    `links`: what it follows; `unlinked`: the same with what a link comes to in its
    place; `fixtures`: those that it has.

    `light`: all of one that makes its light and its course, as objects to be compared
    by identity; None where nothing is known of that. `light_at`: the same of a part of
    one, by what a cursor's key says; None where that part is gone. A kind that has no
    looks, effects or links to others need not say so.
    """

    title: str
    type: type[Playable]
    check: Callable[[Show, Any], Iterator[Problem]]
    looks: Callable[[Any], tuple[Look, ...]] = _nothing
    with_looks: Callable[[Any, Callable[[Look], Look]], Any] = _itself
    effects: Callable[[Any], Effects] = _nothing
    with_effects: Callable[[Any, Callable[[Effects], Effects]], Any] = _itself
    parts: Callable[[Any], tuple[Ref, ...]] = _nothing
    light: Callable[[Any], tuple[object, ...] | None] = _unknown
    clocks: Callable[[Any], tuple[str, ...]] = _effect_ids
    only: Callable[[Any, Sequence[str]], Any] = _itself
    links: Callable[[Any], Iterable[str]] = _nothing
    unlinked: Callable[[Any, Show, str], Any] = _itself
    fixtures: Callable[[Show, Any], tuple[str, ...]] = _no_fixtures
    light_at: Callable[[Any, Hashable], tuple[object, ...] | None] | None = None
    plays: Callable[[Any], tuple[Ref, ...]] = _nothing
    times_of: Callable[[Any], tuple[Ref, ...]] = _nothing
    spelled_out: Callable[[Any, Ref, tuple[Ref, ...]], Any] = _itself
