"""What masters do when they are moved: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from choreon.engine.actions.tiles import within
from choreon.engine.do import Do
from choreon.model.masters import Blackout, GrandMaster
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Masters, PlayState

replace = msgspec.structs.replace


def _set_grand(masters: Masters, do: Do) -> Masters:
    return replace(masters, grand=within(do.value))


def _press_grand(masters: Masters, do: Do) -> Masters:
    if do.edge == Edge.UP:
        return masters
    return replace(masters, grand=0.0 if masters.grand > 0 else 1.0)


def _switch_blackout(masters: Masters, do: Do) -> Masters:
    return replace(masters, blackout=do.value >= 0.5)


def _press_blackout(masters: Masters, do: Do) -> Masters:
    if do.edge == Edge.UP:
        return masters
    return replace(masters, blackout=not masters.blackout)


Act = Callable[[Masters, Do], Masters]

MASTERS: dict[str, dict[Verb, Act]] = {
    GrandMaster.kind: {Verb.LEVEL: _set_grand, Verb.PRESS: _press_grand},
    Blackout.kind: {Verb.SWITCH: _switch_blackout, Verb.PRESS: _press_blackout},
}


def act(show: Show, state: PlayState, do: Do) -> PlayState | None:
    """Returns the state after a master was moved; None where it does not take the
    verb.
    """
    master = show.masters.get(do.ref.id)
    if master is None:
        return state
    verb = MASTERS[master.kind].get(do.verb)
    if verb is None:
        return None
    masters = verb(state.masters, do)
    return state if masters == state.masters else replace(state, masters=masters)


def level_of(show: Show, state: PlayState, master_id: str) -> float | None:
    """Returns how far a master is up, 0…1; a blackout is 1 while it is on."""
    master = show.masters.get(master_id)
    if isinstance(master, GrandMaster):
        return state.masters.grand
    return float(state.masters.blackout) if isinstance(master, Blackout) else None
