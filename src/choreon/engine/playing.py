"""What pressing and dragging does to what plays: pure functions from state to state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from choreon.model.edits import merge_looks
from choreon.model.show import SLOTS, Look, Page, Show, Tile
from choreon.render.players import (
    Draft,
    Identify,
    Masters,
    Player,
    PlayState,
    Ramp,
    Sent,
    Step,
)

replace = msgspec.structs.replace

LONGEST = 60.0  # seconds that lamps blink, or bytes stand, at most
MOST_SENT = 255
DRAFT_FADE = 0.8  # seconds in which a cleared draft lets go of the stage


def player_id(page: Page, tile: Tile) -> str:
    """The player that a tile drives; the pads of one choice share theirs."""
    return (
        f"choice:{page.id}:{tile.choice}"
        if tile.choice and tile.kind == "pad"
        else f"tile:{tile.id}"
    )


def tile_level(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    """How far a tile is on, 0…1, as its lights and its drawing show it."""
    player = state.player(player_id(page, tile))
    if player is None or player.releasing or player.scene != tile.scene:
        return 0.0
    return player.level


def press(show: Show, state: PlayState, tile_id: str, now: float) -> PlayState:
    """Press a pad: on, off, or, within a choice, over to its scene. On a fader: full,
    or off.
    """
    found = show.tile(tile_id)
    if found is None:
        return state
    page, tile = found
    if tile.kind == "fader":
        return set_level(
            show,
            state,
            tile_id,
            0.0 if tile_level(show, state, page, tile) > 0 else 1.0,
            now,
        )
    scene = show.scenes.get(tile.scene)
    if scene is None:
        return state
    name = player_id(page, tile)
    player = state.player(name)
    if player is None:
        step = Step(scene.id, now, 0.0, 0.0)
        return _start(
            state,
            Player(name, scene.name, (step,), Ramp(0.0, 1.0, now, scene.whole_in)),
        )
    if player.scene == scene.id and not player.releasing:
        return release(show, state, name, now)
    if player.scene != scene.id:
        step = Step(scene.id, now, scene.whole_in, scene.fade_out)
        kept = player.steps[-1:] if player.steps[-1].done(now) else player.steps[-8:]
        player = replace(player, name=scene.name, steps=(*kept, step))
    if player.weight.end < 1.0 or player.releasing:
        player = replace(player, weight=_ramp(player, 1.0, scene.whole_in, now))
    return _put(state, player)


def set_level(
    show: Show, state: PlayState, tile_id: str, level: float, now: float
) -> PlayState:
    """Set a tile's level, 0…1. A fader at 0 is off; a pad that is on is dimmed, one
    that is off stays off.
    """
    found = show.tile(tile_id)
    if found is None:
        return state
    page, tile = found
    level = min(1.0, max(0.0, level))
    player = state.player(player_id(page, tile))
    if tile.kind == "pad":
        if player is None or player.scene != tile.scene:
            return state
        return _put(state, replace(player, level=level))
    if level <= 0.0:
        return _without(state, player_id(page, tile))
    if player is not None and player.scene == tile.scene and not player.releasing:
        return _put(state, replace(player, level=level))
    scene = show.scenes.get(tile.scene)
    if scene is None:
        return state
    step = Step(scene.id, now, 0.0, 0.0)
    return _start(
        _without(state, player_id(page, tile)),
        Player(player_id(page, tile), scene.name, (step,), Ramp(), level),
    )


def release(show: Show, state: PlayState, name: str, now: float) -> PlayState:
    """Fade a player out in its scene's time."""
    player = state.player(name)
    if player is None or player.releasing:
        return state
    scene = show.scenes.get(player.scene)
    return _put(
        state,
        replace(
            player, weight=_ramp(player, 0.0, scene.fade_out if scene else 0.0, now)
        ),
    )


def release_all(show: Show, state: PlayState, now: float) -> PlayState:
    """Fade out everything that is on."""
    for player in state.players:
        state = release(show, state, player.id, now)
    return state


def prune(state: PlayState, now: float) -> PlayState:
    """Forget what has faded out, and the steps that finished fades leave behind."""
    players = tuple(_trim(p, now) for p in state.players if not p.gone(now))
    leaving = tuple(pair for pair in state.draft.leaving if not pair[1].done(now))
    if all(a is b for a, b in zip(players, state.players, strict=False)) and len(
        players
    ) == len(state.players):
        players = state.players
    identify = state.identify if state.identify and now < state.identify.until else None
    sent = tuple(s for s in state.sent if now < s.until)
    same = players is state.players and len(leaving) == len(state.draft.leaving)
    if same and identify is state.identify and len(sent) == len(state.sent):
        return state
    draft = replace(state.draft, leaving=leaving)
    return replace(state, players=players, draft=draft, identify=identify, sent=sent)


def _trim(player: Player, now: float) -> Player:
    if len(player.steps) > 1 and player.steps[-1].done(now):
        return replace(player, steps=player.steps[-1:])
    return player


def touch(state: PlayState, look: Look) -> PlayState:
    """Add values to the draft."""
    return replace(
        state, draft=replace(state.draft, look=merge_looks(state.draft.look, look))
    )


def untouch(state: PlayState, lines: Mapping[str, Sequence[str]]) -> PlayState:
    """Remove values from the draft: fixture → attributes."""
    look = {}
    for fixture, values in state.draft.look.items():
        gone = lines.get(fixture, ())
        kept = {name: value for name, value in values.items() if name not in gone}
        if kept:
            look[fixture] = kept
    return replace(state, draft=replace(state.draft, look=look))


def set_draft(state: PlayState, look: Look) -> PlayState:
    """Replace the draft."""
    return replace(state, draft=replace(state.draft, look=look))


def clear_draft(state: PlayState, now: float, seconds: float = DRAFT_FADE) -> PlayState:
    """Let the draft go; it leaves the stage within `seconds`."""
    if not state.draft.look:
        return state
    weight = state.draft.shown.at(now)
    leaving = (
        *state.draft.leaving[-3:],
        (state.draft.look, Ramp(weight, 0.0, now, seconds)),
    )
    return replace(state, draft=Draft({}, leaving, state.draft.turn, state.draft.shown))


def set_blind(
    state: PlayState, blind: bool, now: float, seconds: float = DRAFT_FADE
) -> PlayState:
    """Take the draft off the stage, or bring it there, within `seconds`."""
    if blind == state.draft.blind:
        return state
    shown = Ramp(
        state.draft.shown.at(now),
        0.0 if blind else 1.0,
        now,
        seconds if state.draft.look else 0.0,
    )
    return replace(state, draft=replace(state.draft, shown=shown))


def turned(state: PlayState, turn: int) -> PlayState:
    """The state with the window's change `turn` in its draft; 0 is nobody's."""
    return replace(state, draft=replace(state.draft, turn=turn)) if turn else state


def set_masters(
    state: PlayState, grand: float | None = None, blackout: bool | None = None
) -> PlayState:
    """Set the grand master (0…1), blackout, or both."""
    masters = state.masters
    if grand is not None:
        masters = replace(masters, grand=min(1.0, max(0.0, grand)))
    if blackout is not None:
        masters = replace(masters, blackout=blackout)
    return state if masters == state.masters else replace(state, masters=masters)


def shift(state: PlayState, seconds: float) -> PlayState:
    """The same state with every time moved by `seconds`: for a clock that
    started anew.
    """
    players = tuple(
        replace(
            p,
            steps=tuple(replace(s, at=s.at + seconds) for s in p.steps),
            weight=replace(p.weight, begin=p.weight.begin + seconds),
        )
        for p in state.players
    )
    leaving = tuple(
        (look, replace(r, begin=r.begin + seconds)) for look, r in state.draft.leaving
    )
    shown = replace(state.draft.shown, begin=state.draft.shown.begin + seconds)
    return replace(
        state, players=players, draft=replace(state.draft, leaving=leaving, shown=shown)
    )


def blink(
    state: PlayState, fixtures: tuple[str, ...], now: float, seconds: float
) -> PlayState:
    """Have fixtures blink for a while; none of them, or no time, ends it."""
    asked = (
        Identify(fixtures, now, now + min(seconds, LONGEST))
        if fixtures and seconds > 0
        else None
    )
    return replace(state, identify=asked)


def send_bytes(
    state: PlayState,
    key: str,
    universe: int,
    address: int,
    slots: bytes,
    now: float,
    seconds: float,
) -> PlayState:
    """Put bytes on slots for a while, in place of what has the same key."""
    kept = tuple(s for s in state.sent if s.key != key)
    room = max(0, SLOTS + 1 - address)
    if seconds <= 0 or not 1 <= address <= SLOTS or not slots:
        return replace(state, sent=kept)
    one = Sent(key, universe, address, slots[:room], now + min(seconds, LONGEST))
    return replace(state, sent=(*kept[-MOST_SENT:], one))


def blank() -> PlayState:
    """Nothing on, grand master full."""
    return PlayState(masters=Masters())


def _ramp(player: Player, end: float, seconds: float, now: float) -> Ramp:
    """From where the player's weight is, at the speed that a whole fade in `seconds`
    has.
    """
    start = player.weight.at(now)
    return Ramp(start, end, now, seconds * abs(end - start))


def _start(state: PlayState, player: Player) -> PlayState:
    order = state.started + 1
    return replace(
        state, players=(*state.players, replace(player, order=order)), started=order
    )


def _put(state: PlayState, player: Player) -> PlayState:
    return replace(
        state, players=tuple(player if p.id == player.id else p for p in state.players)
    )


def _without(state: PlayState, name: str) -> PlayState:
    return replace(state, players=tuple(p for p in state.players if p.id != name))
