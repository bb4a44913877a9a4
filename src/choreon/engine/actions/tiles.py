"""What tiles do when they are played: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import msgspec

from choreon.engine.actions import (
    choices,
    deeds,
    dials,
    driving,
    hands,
    masters,
    pads,
    players,
    tile_context,
)
from choreon.engine.actions.players import RoutesByRef
from choreon.engine.actions.tile_context import TileContext
from choreon.engine.do import Do
from choreon.model.refs import TEMPO, Ref
from choreon.model.show import Show
from choreon.model.tiles import (
    AimTile,
    AnyTile,
    AsideTile,
    Choice,
    ColourTile,
    CueDeed,
    CueTile,
    DeedTile,
    Dial,
    Fader,
    Flash,
    MasterTile,
    Pad,
    Page,
    TempoTile,
    Tile,
    parts,
)
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState

replace = msgspec.structs.replace

LONGEST_FADE = 3600.0  # seconds

Act = Callable[[TileContext, Do], PlayState]
Level = Callable[[Show, PlayState, Page, Any], float]
Starts = Callable[[Show, PlayState, Page, Any, Do], list[Ref]]


def _its_parts(
    show: Show, state: PlayState, page: Page, tile: Any, do: Do
) -> list[Ref]:
    """All that a tile plays."""
    return [part.ref for part in getattr(tile, "plays", ())]


@dataclass(frozen=True)
class TileActions:
    """What tiles of a kind do. `turned`: what turning a control does to one. `starts`:
    what doing something to one may start.
    """

    acts: dict[Verb, Act]
    level_of: Level
    turned: Verb = Verb.LEVEL
    starts: Starts = _its_parts


# what is on


def drive_tile(context: TileContext, do: Do) -> PlayState:
    """Drive what a tile has on."""
    state = context.state
    for _, player in context.on:
        state = driving.drive(
            context.show, state, player, do, context.now, context.ways
        )
    return state


def _set_fade(context: TileContext, do: Do) -> PlayState:
    """Have what a tile plays come and go in so many seconds."""
    seconds = min(LONGEST_FADE, max(0.0, do.value))
    times = {**context.state.fade_times, context.tile.id: seconds}
    return replace(context.state, fade_times=times)


def _as_stored(context: TileContext, do: Do) -> PlayState:
    """As it is stored: fade times, and how what it has on moves."""
    if do.edge == Edge.UP:
        return context.state
    times = {i: t for i, t in context.state.fade_times.items() if i != context.tile.id}
    return drive_tile(context.after(replace(context.state, fade_times=times)), do)


_DRIVEN: dict[Verb, Act] = {
    **dict.fromkeys(driving.MOVING, drive_tile),
    Verb.FADE: _set_fade,
    Verb.STORED: _as_stored,
}


# lamps in the hand


def _let_live_go(context: TileContext, do: Do) -> PlayState:
    return hands.let_go(context.state, context.tile.id, context.now)


def _press_live(context: TileContext, do: Do) -> PlayState:
    """A press lets go of what a tile gives lamps."""
    return context.state if do.edge == Edge.UP else _let_live_go(context, do)


def _level_of_live(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    return float(hands.live_of(state, tile.id) is not None)


def _press_aside(context: TileContext, do: Do) -> PlayState:
    """Lamps aside, or back to what plays."""
    if do.edge == Edge.UP:
        return context.state
    is_on = (
        _level_of_aside(context.show, context.state, context.page, context.tile) > 0.0
    )
    return _switch_aside(context, replace(do, value=float(not is_on)))


def _switch_aside(context: TileContext, do: Do) -> PlayState:
    tile, state = context.tile, context.state
    look = {i: v for i, v in tile.look.items() if i in context.show.fixtures}
    if do.value < 0.5:
        return hands.bring_back(state, look, context.now)
    return hands.take(state, tile.id, look, context.now, hands.COME)


def _level_of_aside(show: Show, state: PlayState, page: Page, tile: Any) -> float:
    held = state.aside
    return float(any(fixture in held for fixture in tile.look))


# masters and deeds


def _master(context: TileContext, do: Do) -> PlayState:
    """Do the same to the master that a tile stands for."""
    led = replace(do, ref=context.tile.drives)
    after = masters.act(context.show, context.state, led, context.now)
    return context.state if after is None else after


def _level_of_master(show: Show, state: PlayState, page: Page, tile: Any) -> float:
    return masters.level_of(show, state, tile.drives.id) or 0.0


def _tempo(context: TileContext, do: Do) -> PlayState:
    after = masters.act(
        context.show, context.state, replace(do, ref=TEMPO), context.now
    )
    return context.state if after is None else after


def _level_of_tempo(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    return masters.level_of(show, state, TEMPO.id) or 0.0


def _deed(context: TileContext, do: Do) -> PlayState:
    act = deeds.DEEDS.get(context.tile.deed)
    if do.edge == Edge.UP or act is None:
        return context.state
    return act(context.show, context.state, context.now)


# choices


def _chosen(show: Show, state: PlayState, page: Page, tile: Any, do: Do) -> list[Ref]:
    """What a choice goes to."""
    if not tile.plays:
        return []
    after = choices.wanted(show, state, page, tile, do)
    return [tile.plays[after].ref] if 0 <= after < len(tile.plays) else []


# cues


def _cues(context: TileContext, do: Do) -> PlayState:
    """GO, or back, of a stack, wherever it is on; GO starts it where it is not."""
    tile, state = context.tile, context.state
    if do.edge == Edge.UP:
        return state

    verb = Verb.BACK if tile.does == CueDeed.BACK else Verb.GO
    on = players.playing_now(state, tile.of)
    for player in on:
        led = replace(do, ref=tile.of, verb=verb)
        state = driving.drive(
            context.show, state, player, led, context.now, context.ways
        )

    if on or verb == Verb.BACK or players.playable_of(context.show, tile.of) is None:
        return state
    pad = Pad(id=str(tile.of), plays=parts(tile.of))
    own = TileContext(
        context.show,
        Page(id="", name=""),
        pad,
        state,
        context.now,
        context.ways,
        context.by,
    )
    return pads.press_pad(own, replace(do, verb=Verb.PRESS))


def _its_stack(
    show: Show, state: PlayState, page: Page, tile: Any, do: Do
) -> list[Ref]:
    """The stack of a tile, where it is not on yet."""
    on = players.playing_now(state, tile.of)
    there = players.playable_of(show, tile.of) is not None
    return [tile.of] if there and not on else []


def _let_cues_go(context: TileContext, do: Do) -> PlayState:
    """Fade the stack out."""
    state = context.state
    for player in players.playing_now(state, context.tile.of):
        state = players.release(context.show, state, player.id, context.now)
    return state


def _level_of_cues(show: Show, state: PlayState, page: Page, tile: Any) -> float:
    on = players.playing_now(state, tile.of)
    return max((player.level for player in on), default=0.0)


def _no_level(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    return 0.0


_LIVE = TileActions(
    {Verb.RELEASE: _let_live_go, Verb.STORED: _let_live_go, Verb.PRESS: _press_live},
    _level_of_live,
    Verb.SWITCH,
)

TILES: dict[str, TileActions] = {
    Pad.kind: TileActions(
        {
            **_DRIVEN,
            Verb.PRESS: pads.press_pad,
            Verb.SWITCH: pads.switch_pad,
            Verb.LEVEL: pads.dim,
            Verb.RELEASE: pads.let_go,
        },
        tile_context.level_of,
        Verb.SWITCH,
    ),
    Flash.kind: TileActions(
        {
            **_DRIVEN,
            Verb.PRESS: pads.press_flash,
            Verb.SWITCH: pads.switch_flash,
            Verb.RELEASE: pads.let_flash_go,
        },
        tile_context.level_of,
        Verb.SWITCH,
    ),
    Fader.kind: TileActions(
        {
            **_DRIVEN,
            Verb.PRESS: pads.press_fader,
            Verb.SWITCH: pads.switch_fader,
            Verb.LEVEL: pads.set_fader,
            Verb.RELEASE: pads.let_go,
        },
        tile_context.level_of,
    ),
    Choice.kind: TileActions(
        {
            **_DRIVEN,
            **dict.fromkeys((Verb.PRESS, Verb.STEP, Verb.LEVEL), choices.press),
            Verb.RELEASE: choices.let_go,
        },
        choices.level_of,
        starts=_chosen,
    ),
    Dial.kind: TileActions(
        {
            **dict.fromkeys(driving.MOVING, dials.drive),
            Verb.LEVEL: dials.turn,
            Verb.VALUE: dials.set_value,
            Verb.PRESS: dials.as_stored,
            Verb.STORED: dials.as_stored,
            Verb.RELEASE: dials.as_stored,
        },
        dials.level_of,
    ),
    ColourTile.kind: _LIVE,
    AimTile.kind: _LIVE,
    AsideTile.kind: TileActions(
        {Verb.PRESS: _press_aside, Verb.SWITCH: _switch_aside},
        _level_of_aside,
        Verb.SWITCH,
    ),
    MasterTile.kind: TileActions(
        dict.fromkeys((Verb.PRESS, Verb.LEVEL, Verb.SWITCH, Verb.RELEASE), _master),
        _level_of_master,
    ),
    TempoTile.kind: TileActions(
        dict.fromkeys(
            (
                Verb.TAP,
                Verb.PRESS,
                Verb.BPM,
                Verb.LEVEL,
                Verb.NUDGE,
                Verb.HALF,
                Verb.DOUBLE,
                Verb.BAR,
            ),
            _tempo,
        ),
        _level_of_tempo,
    ),
    DeedTile.kind: TileActions({Verb.PRESS: _deed}, _no_level, Verb.PRESS),
    CueTile.kind: TileActions(
        {
            **dict.fromkeys((Verb.PRESS, Verb.GO), _cues),
            Verb.RELEASE: _let_cues_go,
        },
        _level_of_cues,
        Verb.PRESS,
        _its_stack,
    ),
}
"""A kind that is not here is looked at alone."""


def act(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef, by: str = ""
) -> PlayState | None:
    """Returns the state after a tile was played by a hand; None where it does not take
    the verb.
    """
    found = show.tile(do.ref.id)
    if found is None:
        return state
    page, tile = found
    return act_on(show, state, page, tile, do, now, ways, by)


def act_on(
    show: Show,
    state: PlayState,
    page: Page,
    tile: Tile,
    do: Do,
    now: float,
    ways: RoutesByRef,
    by: str = "",
) -> PlayState | None:
    """Returns the same for a tile that need not lie on a page."""
    kind = TILES.get(tile.kind)
    verb = None if kind is None else kind.acts.get(do.verb)
    if verb is None:
        return None

    return verb(TileContext(show, page, tile, state, now, ways, by), do)


def bring_in(context: TileContext, level: float) -> PlayState:
    """Have a tile come to a level in its own time."""
    if isinstance(context.tile, Choice):
        return choices.begin(context)
    if isinstance(context.tile, Flash):
        return context.state
    if level <= 0.0 or context.on:
        return pads.dim(context, Do(context.tile.ref, Verb.LEVEL, level))
    return pads.bring_in(context, level)


def level_of(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    """Returns how far a tile is on, 0…1, as its lights and its drawing show it."""
    kind = TILES.get(tile.kind)
    return 0.0 if kind is None else kind.level_of(show, state, page, tile)


def may_start(
    show: Show, state: PlayState, page: Page, tile: Tile, do: Do
) -> list[Ref]:
    """Returns what doing something to a tile may start."""
    kind = TILES.get(tile.kind)
    return [] if kind is None else kind.starts(show, state, page, tile, do)


def natural(tile: AnyTile | Tile) -> Verb:
    """Returns what turning a control does to a tile."""
    kind = TILES.get(tile.kind)
    return Verb.LEVEL if kind is None else kind.turned
