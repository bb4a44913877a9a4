"""What tiles do when they are played: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import msgspec

from choreon.engine.actions import envelopes, motion, players
from choreon.engine.actions.players import Aims
from choreon.engine.do import Do
from choreon.model.show import Show
from choreon.model.tiles import AnyTile, Fader, Pad, Page, Tile
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Envelope, Player, PlayState

replace = msgspec.structs.replace


@dataclass(frozen=True)
class Pressed:
    """A tile in hand: where it lies, which player it drives, and the state."""

    show: Show
    page: Page
    tile: Any
    state: PlayState
    now: float
    aims: Aims

    @property
    def player_id(self) -> str:
        """The player that the tile drives."""
        return player_id(self.page, self.tile)

    @property
    def player(self) -> Player | None:
        """That player, where it is on."""
        return self.state.player(self.player_id)

    @property
    def level(self) -> float:
        """How far the tile is on, 0…1."""
        return level_of(self.state, self.page, self.tile)


def player_id(page: Page, tile: Tile) -> str:
    """Returns the player that a tile drives; the pads of one choice share theirs."""
    if isinstance(tile, Pad) and tile.choice:
        return f"choice:{page.id}:{tile.choice}"
    return f"tile:{tile.id}"


def level_of(state: PlayState, page: Page, tile: Tile) -> float:
    """Returns how far a tile is on, 0…1, as its lights and its drawing show it."""
    player = state.player(player_id(page, tile))
    if player is None or player.releasing or player.ref != tile.plays:
        return 0.0
    return player.level


# pads


def press_pad(hand: Pressed, do: Do) -> PlayState:
    """On, off, or, within a choice, over to it. Letting a pad up does nothing."""
    state, now = hand.state, hand.now
    playable = players.playable_of(hand.show, hand.tile.plays)
    if do.edge == Edge.UP or playable is None:
        return state
    player = hand.player
    if player is None:
        weight = envelopes.coming(playable, now)
        return players.start(
            state, hand.player_id, playable, now, weight, aims=hand.aims
        )
    if player.ref == hand.tile.plays and not player.releasing:
        return players.release(hand.show, state, player.id, now)
    if player.ref != hand.tile.plays:
        state = players.change(
            state,
            player,
            lambda p: players.go_to(p, playable, now, state.clock, hand.aims),
        )
    player = state.player(player.id) or player
    if player.releasing:
        state = players.come_back(hand.show, state, player, now)
    return state


def switch_pad(hand: Pressed, do: Do) -> PlayState:
    """On from half on, else off."""
    if (do.value >= 0.5) == (hand.level > 0):
        return hand.state
    return press_pad(hand, replace(do, edge=Edge.DOWN))


def dim_pad(hand: Pressed, do: Do) -> PlayState:
    """Dim what a pad has on; one that is off stays off."""
    player = hand.player
    if player is None or player.ref != hand.tile.plays:
        return hand.state
    level = within(do.value)
    return players.change(hand.state, player, lambda p: replace(p, level=level))


def let_go(hand: Pressed, do: Do) -> PlayState:
    """Fade out what a tile has on."""
    player = hand.player
    if player is None or player.ref != hand.tile.plays:
        return hand.state
    return players.release(hand.show, hand.state, player.id, hand.now)


# faders


def press_fader(hand: Pressed, do: Do) -> PlayState:
    """Full, or off."""
    if do.edge == Edge.UP:
        return hand.state
    return set_fader(hand, replace(do, value=0.0 if hand.level > 0 else 1.0))


def switch_fader(hand: Pressed, do: Do) -> PlayState:
    """Full from half on, else off."""
    return set_fader(hand, replace(do, value=float(do.value >= 0.5)))


def set_fader(hand: Pressed, do: Do) -> PlayState:
    """Bring it to a level by hand; at 0 it is off."""
    state, player, level = hand.state, hand.player, within(do.value)
    if level <= 0.0:
        return state if player is None else players.without(state, player.id)
    playable = players.playable_of(hand.show, hand.tile.plays)
    if player is not None and player.ref == hand.tile.plays and not player.releasing:
        return players.change(state, player, lambda p: replace(p, level=level))
    if playable is None:
        return state
    if player is not None and player.ref == hand.tile.plays:
        # It was let go and is on its way out: the hand takes it up where it is.
        taken = replace(player, level=level, weight=Envelope())
        return players.lift(hand.show, players.put(state, taken), taken, hand.now)
    state = players.without(state, hand.player_id)
    return players.start(
        state, hand.player_id, playable, hand.now, Envelope(), level, hand.aims
    )


def within(value: float) -> float:
    """Returns a level, 0…1."""
    return min(1.0, max(0.0, value))


# what moves


def drive(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    """Drive what moves: its rate, its pause, its steps."""
    if do.edge == Edge.UP:
        return state
    match do.verb:
        case Verb.RATE:
            return motion.set_rate(state, player, do.value, now)
        case Verb.PAUSE:
            return motion.pause(state, player, None, now)
        case Verb.NEXT:
            return motion.go_by(show, state, player, 1, now)
        case Verb.BACK:
            return motion.go_by(show, state, player, -1, now)
        case _:
            return motion.go_to_step(show, state, player, int(do.value), now)


def drive_tile(hand: Pressed, do: Do) -> PlayState:
    """Drive what a tile has on."""
    player = hand.player
    if player is None or player.ref != hand.tile.plays:
        return hand.state
    return drive(hand.show, hand.state, player, do, hand.now)


MOVING = (Verb.RATE, Verb.PAUSE, Verb.NEXT, Verb.BACK, Verb.STEP)

Act = Callable[[Pressed, Do], PlayState]

_DRIVEN: dict[Verb, Act] = dict.fromkeys(MOVING, drive_tile)

TILES: dict[str, dict[Verb, Act]] = {
    Pad.kind: {
        Verb.PRESS: press_pad,
        Verb.SWITCH: switch_pad,
        Verb.LEVEL: dim_pad,
        Verb.RELEASE: let_go,
        **_DRIVEN,
    },
    Fader.kind: {
        Verb.PRESS: press_fader,
        Verb.SWITCH: switch_fader,
        Verb.LEVEL: set_fader,
        Verb.RELEASE: let_go,
        **_DRIVEN,
    },
}


def act(
    show: Show, state: PlayState, do: Do, now: float, aims: Aims
) -> PlayState | None:
    """Returns the state after a tile was played; None where it does not take
    the verb.
    """
    found = show.tile(do.ref.id)
    if found is None:
        return state
    page, tile = found
    verb = TILES[tile.kind].get(do.verb)
    return (
        None if verb is None else verb(Pressed(show, page, tile, state, now, aims), do)
    )


def natural(tile: AnyTile) -> Verb:
    """Returns what turning a control does to a tile."""
    return Verb.LEVEL if isinstance(tile, Fader) else Verb.SWITCH
