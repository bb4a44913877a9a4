"""Something of a group: a palette, or values of a family, given to its lamps from a
tile, without a scene.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, ClassVar

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.motion import Effect, Effects
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.problem import Problem
from choreon.model.refs import GROUP, PALETTE, Ref
from choreon.model.values import Look, Value

if TYPE_CHECKING:
    from choreon.model.show import Show

replace = msgspec.structs.replace

MOTION = "motion"
EFFECT = "motion"  # the id of the one effect that a motion is


class Given(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="given"):
    """What a group, or some `fixtures`, are given: a `palette`, which is followed, or
    `values`, for whoever has them. `family`: what it gives, and nothing else of the
    lamps. `each` and `effects`: exact values of single fixtures, and what moves, where
    a palette that held them is gone.
    """

    kind: ClassVar[str] = "given"

    family: str = at.Family.COLOUR
    group: str = ""
    fixtures: tuple[str, ...] = ()
    palette: str = ""
    values: dict[str, Value] = {}
    each: Look = {}
    effects: Effects = ()

    @property
    def moves(self) -> bool:
        """Whether it is something that moves."""
        return self.family == MOTION and bool(self.palette or self.effects)


def lamps_of(show: Show, given: Given) -> tuple[str, ...]:
    """Returns the fixtures that are given something, in their order."""
    if not given.group:
        return given.fixtures
    group = show.groups.get(given.group)
    return () if group is None else group.fixtures


def look_of(show: Show, given: Given) -> Look:
    """Returns what it gives, as a look, links to its palette among it."""
    from choreon.model import links

    palette = show.palettes.get(given.palette)
    look: Look = {}
    for fixture in lamps_of(show, given):
        own: dict[str, Value] = dict(given.values)
        if palette is not None and palette.motion is None:
            link = links.to_palette(palette.id)
            own |= dict.fromkeys(links.names_in(show, palette, fixture), link)
        own |= given.each.get(fixture, {})
        if own:
            look[fixture] = own
    return look


def effects_of(show: Show, given: Given) -> Effects:
    """Returns what moves in it."""
    palette = show.palettes.get(given.palette)
    lamps = lamps_of(show, given)
    if palette is None or palette.motion is None:
        return tuple(replace(effect, fixtures=lamps) for effect in given.effects)

    return (
        Effect(id=EFFECT, motion=palette.motion, fixtures=lamps, palette=palette.id),
    )


def _looks(given: Given) -> tuple[Look, ...]:
    return (given.each,) if given.each else ()


def _with_looks(given: Given, change: Callable[[Look], Look]) -> Given:
    each = change(given.each)
    return given if each is given.each else replace(given, each=each)


def _effects(given: Given) -> Effects:
    return given.effects


def _with_effects(given: Given, change: Callable[[Effects], Effects]) -> Given:
    effects = change(given.effects)
    return given if effects is given.effects else replace(given, effects=effects)


def _links(given: Given) -> Iterator[str]:
    if given.group:
        yield str(Ref(GROUP, given.group))
    if given.palette:
        yield str(Ref(PALETTE, given.palette))
    yield from dict.fromkeys(v for v in given.values.values() if isinstance(v, str))


def _unlinked(given: Given, show: Show, link: str) -> Given:
    """The same with what a link comes to now in its place."""
    from choreon.model import effects, links

    if given.group and link == str(Ref(GROUP, given.group)):
        return replace(given, group="", fixtures=lamps_of(show, given))
    if link in given.values.values():
        whoever = links.unlinked(show, {"": given.values}, link)
        return replace(given, values=whoever[""])
    if not given.palette or link != str(Ref(PALETTE, given.palette)):
        return given

    look = links.unlinked(show, look_of(show, given), link)
    moving = effects.unlinked(show, effects_of(show, given), link)
    return replace(given, palette="", each=look, effects=moving)


def _only(given: Given, families: Sequence[str]) -> Given:
    if given.family in families or given.family == MOTION:
        return given
    return replace(given, palette="", values={}, each={}, effects=())


def _check(show: Show, given: Given) -> Iterator[Problem]:
    path = f"playables/{given.id}"
    lamps = [fixture for fixture in lamps_of(show, given) if fixture in show.fixtures]
    if not lamps:
        text = tr("{name} has no fixtures: it does nothing", name=given.name)
        yield Problem(path, text, "warning")
        return

    from choreon.model import givens

    idle = givens.idle(show, given)
    if idle:
        yield Problem(path, idle, "warning")
    elif not look_of(show, given) and not effects_of(show, given):
        text = tr("{name} gives its fixtures nothing", name=given.name)
        yield Problem(path, text, "warning")


def _light(given: Given) -> tuple[object, ...]:
    who = (given.group, given.fixtures)
    what = (given.palette, given.values, given.each, given.effects)
    return (who, given.family, *what)


def _clocks(given: Given) -> tuple[str, ...]:
    return (EFFECT,) if given.moves else ()


GIVEN = PlayableKind(
    title="given",
    type=Given,
    check=_check,
    looks=_looks,
    with_looks=_with_looks,
    effects=_effects,
    with_effects=_with_effects,
    light=_light,
    clocks=_clocks,
    only=_only,
    links=_links,
    unlinked=_unlinked,
    fixtures=lamps_of,
)
