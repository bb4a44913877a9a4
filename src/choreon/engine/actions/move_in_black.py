"""Going over to something else: by a crossfade, or in the dark for those lamps whose
wheels, gobos or places change.

In the dark goes by a step between: what is on, with those lamps dark. When they are,
the next one begins, and what it gives them is there before they come up.
"""

from __future__ import annotations

import msgspec

from choreon.engine.actions import players
from choreon.engine.actions.tile_context import Playing, TileContext
from choreon.model import attributes as at
from choreon.model.patch import mode_of
from choreon.model.playables import Playable, kind_of
from choreon.model.show import Show
from choreon.model.tiles import DarkChange
from choreon.model.values import Look, Value
from choreon.render.state import Envelope, Player, PlayState, Ramp, Step

replace = msgspec.structs.replace

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
    before = players.playable_of(context.show, player.ref)
    dark = () if change is None else _changing(context.show, before, playable)
    routes, part = context.ways.get(one.part.ref, {}), one.part
    there = (playable, context.now, state.clock, routes, part.only, one.light)

    if not dark or change is None:
        return players.change(state, player, lambda p: players.go_to(p, *there))

    fresh = players.step_of(*there)
    return players.change(
        state,
        player,
        lambda p: _in_the_dark(p, playable, fresh, dark, change, context.now),
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
    down, wait, up = (
        min(LONGEST, max(0.0, t)) for t in (change.down, change.dark, change.up)
    )

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


def _changing(show: Show, before: Playable | None, after: Playable) -> tuple[str, ...]:
    """The fixtures that both light, and whose wheels, gobos or places are others
    after.
    """
    if before is None:
        return ()
    old, new = _given(before), _given(after)
    return tuple(
        fixture
        for fixture, values in new.items()
        if fixture in old and _must_change(show, fixture, old[fixture], values)
    )


def _given(playable: Playable) -> Look:
    """All that a playable ever gives, of each attribute the last."""
    made: Look = {}
    for look in kind_of(playable).looks(playable):
        for fixture, values in look.items():
            made[fixture] = {**made.get(fixture, {}), **values}
    return made


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
