"""What a controller's moves do to what plays, and what its lights show."""

from __future__ import annotations

from choreon.engine import playing
from choreon.engine.takeover import Takeover
from choreon.model.show import ControlMapping, Show
from choreon.render.players import PlayState
from choreon.wire.midi import Event, Key

LIT, READY = 127, 20  # a pad that is on; a pad that has something behind it


class Controls:
    """Turns events into state changes by the show's mappings."""

    def __init__(self) -> None:
        self.takeover = Takeover()

    def apply(
        self, show: Show, state: PlayState, event: Event, now: float
    ) -> PlayState:
        """The state after a control was moved; the same where nothing is tied to it."""
        for mapping in show.mappings.values():
            if mapping.control == event[:4]:
                state = self._one(show, state, mapping, event, now)
        return state

    def _one(
        self,
        show: Show,
        state: PlayState,
        mapping: ControlMapping,
        event: Event,
        now: float,
    ) -> PlayState:
        if mapping.target == "grand":
            level = state.masters.grand
            return playing.set_masters(state, grand=self._level(event, level))
        if mapping.target == "blackout":
            if event.kind == "note":
                return (
                    playing.set_masters(state, blackout=not state.masters.blackout)
                    if event.value
                    else state
                )
            return playing.set_masters(state, blackout=event.value >= 0.5)
        tile_id = mapping.target.removeprefix("tile:")
        found = show.tile(tile_id)
        if found is None:
            return state
        if event.kind == "note":
            return playing.press(show, state, tile_id, now) if event.value else state
        level = playing.tile_level(show, state, *found)
        if found[1].kind == "pad":
            if (event.value >= 0.5) != (level > 0):
                return playing.press(show, state, tile_id, now)
            return state
        return playing.set_level(show, state, tile_id, self._level(event, level), now)

    def _level(self, event: Event, level: float) -> float:
        if event.kind == "note":
            return (0.0 if level > 0 else 1.0) if event.value else level
        return self.takeover.move(event[:4], level, event.value)


def lights(show: Show, state: PlayState) -> dict[Key, int]:
    """What every tied control shall show, 0…127: faders their level, pads whether they
    are on.
    """
    want: dict[Key, int] = {}
    for mapping in show.mappings.values():
        level = target_level(show, state, mapping.target)
        if level is not None:
            lit = LIT if level > 0 else READY
            want[mapping.control] = round(127 * level) if mapping.kind == "cc" else lit
    return want


def target_level(show: Show, state: PlayState, target: str) -> float | None:
    """The level of what a mapping leads to, 0…1; None where it leads nowhere."""
    if target == "grand":
        return state.masters.grand
    if target == "blackout":
        return float(state.masters.blackout)
    found = show.tile(target.removeprefix("tile:"))
    return playing.tile_level(show, state, *found) if found else None
