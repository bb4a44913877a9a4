"""Going over to something else: by a crossfade, or in the dark for those lamps whose
wheels, gobos or places change.

In the dark goes by a step between: what is on, with those lamps dark. When they are,
the next one begins, and what it gives them is there before they come up. Lamps that
others light are shaded meanwhile, whatever lights them; so they are as something comes
in that only changes them, and as it goes.
"""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from choreon.engine.actions import players
from choreon.engine.actions.tile_context import Playing, TileContext
from choreon.model import attributes as at
from choreon.model.patch import mode_of
from choreon.model.playables import Given, Playable, kind_of
from choreon.model.playables.given import look_of
from choreon.model.show import Show
from choreon.model.tiles import DarkChange
from choreon.model.values import Look, Value
from choreon.render.state import Envelope, Player, PlayState, Ramp, Shade, Step

replace = msgspec.structs.replace

MOST_SHADES = 64  # at once, of strips that are turned through
LONGEST = 60.0  # seconds that a part of a change may take


def over(
    context: TileContext,
    state: PlayState,
    player: Player,
    one: Playing,
    playable: Playable,
    change: DarkChange | None,
) -> PlayState:
    """Returns the state with a player on its way to another thing of a tile; where a
    `change` is given, in the dark for those lamps that need it.
    """
    routes, part = context.ways.get(one.part.ref, {}), one.part
    there = (playable, context.now, state.clock, routes, part.only, one.light)
    dark: tuple[str, ...] = ()
    wait = 0.0

    if change is not None:
        show, last = context.show, player.steps[-1]
        before = _given(show, players.playable_of(show, player.ref), last.only)
        after = _given(show, playable, part.only)
        dark = _lit_by_itself(show, before, after) if last.level > 0.0 else ()
        state, wait = _shaded(context, state, before, after, change, dark)

    if change is None or not (dark or wait):
        return players.change(state, player, lambda p: players.go_to(p, *there))

    fresh = players.step_of(*there)
    return players.change(
        state,
        player,
        lambda p: _in_the_dark(p, playable, fresh, dark, change, context.now),
    )


def coming(
    context: TileContext,
    state: PlayState,
    one: Playing,
    playable: Playable,
    change: DarkChange | None,
) -> tuple[PlayState, float]:
    """Returns the state in which lamps that others light go dark, for something that
    comes in to change them there; and after how many seconds it may.
    """
    if change is None:
        return state, 0.0
    after = _given(context.show, playable, one.part.only)
    return _shaded(context, state, {}, _without_light(after), change)


def going(
    context: TileContext, state: PlayState, player: Player, change: DarkChange | None
) -> PlayState:
    """Returns the state with a player on its way out: in the dark for lamps that others
    light, and that it leaves to what lies below.
    """
    show, wait = context.show, 0.0
    if change is not None and not player.releasing:
        before = players.playable_of(show, player.ref)
        given = _given(show, before, player.steps[-1].only)
        state, wait = _shaded(context, state, _without_light(given), {}, change)
    return players.release(show, state, player.id, context.now, wait)


def _shaded(
    context: TileContext,
    state: PlayState,
    before: Look,
    after: Look,
    change: DarkChange,
    but: tuple[str, ...] = (),
) -> tuple[PlayState, float]:
    """The state with shades on lamps in which something changes that is seen on its
    way, but for some; and after how many seconds they are dark.
    """
    fixtures = tuple(
        fixture
        for fixture in dict.fromkeys((*before, *after))
        if fixture not in but
        and _must_change(
            context.show, fixture, before.get(fixture, {}), after.get(fixture, {})
        )
    )
    if not fixtures:
        return state, 0.0
    down, dark, up = _times(change)
    if len(state.shades) >= MOST_SHADES:
        return state, down  # turned through so quickly they are dark for those before

    shade = Shade(fixtures, context.now, down, dark, up)
    return replace(state, shades=(*state.shades, shade)), down


def _times(change: DarkChange) -> tuple[float, float, float]:
    """Seconds to go down, to stay dark, and to come up."""
    down, dark, up = (
        min(LONGEST, max(0.0, t)) for t in (change.down, change.dark, change.up)
    )
    return down, dark, up


def _lights(values: dict[str, Value]) -> bool:
    """Whether values give a lamp light: a level, or one of a cell, above none."""
    level = values.get(at.DIMMER, 0.0)
    levels = level if isinstance(level, tuple) else (level,)
    return any(isinstance(one, str) or (one or 0.0) > 0.0 for one in levels)


def _without_light(look: Look) -> Look:
    """The lamps of a look that it gives no light: others light them, if any."""
    return {lamp: values for lamp, values in look.items() if not _lights(values)}


def _lit_by_itself(show: Show, before: Look, after: Look) -> tuple[str, ...]:
    """The lamps that a look lights, and the next one gives something else that is seen
    on its way.
    """
    return tuple(
        fixture
        for fixture, values in after.items()
        if _lights(before.get(fixture, {}))
        and _must_change(show, fixture, before[fixture], values)
    )


def _in_the_dark(
    player: Player,
    playable: Playable,
    fresh: Step,
    dark: tuple[str, ...],
    change: DarkChange,
    now: float,
) -> Player:
    """Down, dark, and up again: two crossfades, one after the other."""
    down, wait, up = _times(change)
    between = replace(player.steps[-1], at=now, until=None, dark=dark)
    going = players.over_to(
        player,
        between,
        now,
        players.StepFade(Envelope(Ramp(0.0, 1.0, now, down)), down),
    )

    begins = now + down
    rises = Ramp(0.0, 1.0, begins + wait, up)
    progress = Envelope(Ramp(0.0, 1.0, begins, wait + up), {at.Family.INTENSITY: rises})
    there = replace(fresh, at=begins, progress=progress, fall=rises)
    left = replace(going.steps[-1], until=begins)

    return replace(
        going,
        name=playable.name,
        rate=1.0,
        paused=False,
        steps=(*going.steps[:-1], left, there),
    )


def _given(show: Show, playable: Playable | None, only: tuple[str, ...]) -> Look:
    """All that a playable ever gives, of each attribute the last; of some families
    alone, where these are named.
    """
    made: Look = {}
    if playable is None:
        return made
    for look in _looks(show, playable):
        for fixture, values in look.items():
            own = {n: v for n, v in values.items() if _is_of(n, only)}
            made[fixture] = {**made.get(fixture, {}), **own}
    return made


def _looks(show: Show, playable: Playable) -> Iterable[Look]:
    if isinstance(playable, Given):
        return (look_of(show, playable),)
    return kind_of(playable).looks(playable)


def _is_of(name: str, only: tuple[str, ...]) -> bool:
    return not only or at.attribute(name).family in only


def _must_change(
    show: Show, fixture: str, before: dict[str, Value], after: dict[str, Value]
) -> bool:
    """Whether something that is seen to travel is another one after."""
    names = set(before) | set(after)
    colours = set(at.TARGET_COLOUR) if _has_colour_wheel(show, fixture) else set()
    travels = {n for n in names if _travels(n)} | (names & colours)
    return any(before.get(n) != after.get(n) for n in travels)


def _travels(name: str) -> bool:
    """Whether an attribute moves something in the lamp that is seen on its way."""
    return at.attribute(name).family == at.Family.POSITION or _is_wheel(name)


def _is_wheel(name: str) -> bool:
    """Whether an attribute chooses a slot of a wheel."""
    return at.attribute(name).kind == "slot" and not name.startswith("Shutter")


def _has_colour_wheel(show: Show, fixture: str) -> bool:
    known = show.fixtures.get(fixture)
    mode = None if known is None else mode_of(show.types, known)
    if known is None or mode is None:
        return False
    return any(
        span.attribute.startswith("Color")
        and at.attribute(span.attribute).kind == "slot"
        for _, channel in show.types[known.type].used(mode)
        for span in channel.ranges
    )
