"""A tile in hand: what it plays, and what of it is on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import msgspec

from choreon.engine.actions import players
from choreon.engine.actions.players import RoutesByRef
from choreon.model.playables import Playable
from choreon.model.show import Show
from choreon.model.tiles import Choice, Flash, Pad, Page, Part, Tile, player_id
from choreon.render.state import Fades, Player, PlayState

replace = msgspec.structs.replace


class Playing(NamedTuple):
    """One of the things that a tile plays: the player that it drives, and what it is.

    `dims`: its stored level is how much of its light it gives, which is a matter of the
    look; else that is how far up its player comes. So it is where looks of different
    levels share a player, and where a level replaces what lies below.
    """

    player_id: str
    part: Part
    playable: Playable
    dims: bool = False

    @property
    def light(self) -> float:
        """How much of its light what it plays gives."""
        return self.part.level if self.dims else 1.0

    @property
    def full(self) -> float:
        """The level of its player when the tile is all the way up."""
        return 1.0 if self.dims else self.part.level

    def is_on(self, state: PlayState) -> Player | None:
        """Returns its player, where that plays this and is not on its way out."""
        player = state.player(self.player_id)
        if player is None or player.releasing or not self.plays(player):
            return None
        return player

    def plays(self, player: Player) -> bool:
        """Whether a player is at this, or goes to it."""
        step = player.steps[-1]
        same = step.ref == self.part.ref and step.only == self.part.only
        return same and step.level == self.light


@dataclass(frozen=True)
class TileContext:
    """A tile in hand: where it lies, the state, the time, and who has it in hand.
    `ways`: how heads of what starts reach their points.
    """

    show: Show
    page: Page
    tile: Any
    state: PlayState
    now: float
    ways: RoutesByRef
    by: str = ""

    @property
    def fades(self) -> Fades:
        """The times in which what it plays comes and goes."""
        return fades_of(self.state, self.tile)

    @property
    def playing(self) -> list[Playing]:
        """What it plays, as far as that is there."""
        return playing(self.show, self.page, self.tile)

    @property
    def on(self) -> list[tuple[Playing, Player]]:
        """What of it is on."""
        found = ((one, one.is_on(self.state)) for one in self.playing)
        return [(one, player) for one, player in found if player is not None]

    @property
    def level(self) -> float:
        """How far the tile is on, 0…1."""
        return level_of(self.show, self.state, self.page, self.tile)

    def after(self, state: PlayState) -> TileContext:
        """Returns the same hand with another state."""
        return replaced(self, state)


def replaced(context: TileContext, state: PlayState) -> TileContext:
    """Returns a hand with another state."""
    return TileContext(
        context.show,
        context.page,
        context.tile,
        state,
        context.now,
        context.ways,
        context.by,
    )


def fades_of(state: PlayState, tile: Tile) -> Fades:
    """Returns the times of a tile: as a dial set them, else its own."""
    dialled = state.fade_times.get(tile.id)
    if dialled is not None:
        return Fades(dialled, dialled)
    return Fades(getattr(tile, "fade_in", None), getattr(tile, "fade_out", None))


def playing(show: Show, page: Page, tile: Tile) -> list[Playing]:
    """Returns what a tile plays, as far as that is there."""
    made = []
    for n, part in enumerate(getattr(tile, "plays", ())):
        playable = players.playable_of(show, part.ref)
        if playable is not None:
            driven = player_id(page, tile, n)
            made.append(Playing(driven, part, playable, _dims(tile)))
    return made


def _dims(tile: Tile) -> bool:
    """Whether levels that are stored with a tile belong to its looks."""
    if isinstance(tile, Flash):
        return tile.over
    return isinstance(tile, Choice) or (isinstance(tile, Pad) and bool(tile.choice))


def level_of(show: Show, state: PlayState, page: Page, tile: Tile) -> float:
    """Returns how far a tile is on, 0…1, as its lights and its drawing show it."""
    levels = []
    for one in playing(show, page, tile):
        player = one.is_on(state)
        if player is not None:
            levels.append(min(1.0, player.level / max(one.full, 1e-6)))
    return max(levels, default=0.0)
