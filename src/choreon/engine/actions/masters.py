"""What masters do when they are moved: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from choreon.engine.actions import overrides, tempo
from choreon.engine.actions.levels import within
from choreon.engine.do import Do
from choreon.model.masters import Blackout, GrandMaster, GroupMaster, Override, Tempo
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import BeatClock, Masters, PlayState

replace = msgspec.structs.replace

Act = Callable[[PlayState, Do, float], PlayState]
"""What is done to a state by a message at a time."""


def _of_light(change: Callable[[Masters, Do], Masters]) -> Act:
    """What is done to all light, as what is done to a state."""

    def act(state: PlayState, do: Do, now: float) -> PlayState:
        masters = change(state.masters, do)
        if masters == state.masters:
            return state
        return replace(state, masters=_by_hand(state.masters, masters))

    return act


def _by_hand(before: Masters, after: Masters) -> Masters:
    """Masters after a hand moved some: those stand there at once, the others go on to
    where they are going by themselves.
    """
    going = after.before
    if going is None:
        return after
    scale = going.scale if after.scale == before.scale else after.scale
    names = {**going.levels, **after.levels}
    moved = {i for i in names if after.levels.get(i) != before.levels.get(i)}
    levels = {**going.levels, **{i: after.levels.get(i, 1.0) for i in moved}}
    return replace(after, before=replace(going, scale=scale, levels=levels))


def _of_tempo(change: Callable[[BeatClock, Do, float], BeatClock]) -> Act:
    """What is done to the tempo, as what is done to a state."""

    def act(state: PlayState, do: Do, now: float) -> PlayState:
        if do.edge == Edge.UP:
            return state
        clock = change(state.clock, do, now)
        return state if clock == state.clock else replace(state, clock=clock)

    return act


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


def _tap(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.tapped(clock, now)


def _set_bpm(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.at_tempo(clock, do.value, now)


def _turn_bpm(clock: BeatClock, do: Do, now: float) -> BeatClock:
    """A knob goes over the usual tempos."""
    low, high = USUAL
    return tempo.at_tempo(clock, low + within(do.value) * (high - low), now)


def _nudge(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.at_tempo(clock, clock.bpm + do.value, now)


def _half(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.at_tempo(clock, clock.bpm / 2.0, now)


def _double(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.at_tempo(clock, clock.bpm * 2.0, now)


def _bar(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.on_bar(clock, now)


def _align(clock: BeatClock, do: Do, now: float) -> BeatClock:
    return tempo.aligned(clock, do.value, now)


def _set_group(state: PlayState, do: Do, now: float) -> PlayState:
    level = within(do.value)
    levels = {i: v for i, v in state.masters.levels.items() if i != do.ref.id}
    if level < 1.0:
        levels[do.ref.id] = level
    if levels == state.masters.levels:
        return state
    masters = replace(state.masters, levels=levels)
    return replace(state, masters=_by_hand(state.masters, masters))


def _press_group(state: PlayState, do: Do, now: float) -> PlayState:
    """Out, or full."""
    if do.edge == Edge.UP:
        return state
    here = state.masters.levels.get(do.ref.id, 1.0)
    return _set_group(state, replace(do, value=0.0 if here > 0 else 1.0), now)


def _hold(state: PlayState, do: Do, now: float) -> PlayState:
    return overrides.hold(state, do.ref.id, within(do.value), now)


def _let_go(state: PlayState, do: Do, now: float) -> PlayState:
    return overrides.let_go(state, do.ref.id, now)


def _press_override(state: PlayState, do: Do, now: float) -> PlayState:
    """Full, or let go."""
    if do.edge == Edge.UP:
        return state
    if overrides.is_held(state, do.ref.id):
        return _let_go(state, do, now)
    return overrides.hold(state, do.ref.id, 1.0, now)


USUAL = (60.0, 180.0)  # beats a minute from one end of a knob to the other

MASTERS: dict[str, dict[Verb, Act]] = {
    GrandMaster.kind: {
        Verb.LEVEL: _of_light(_set_grand),
        Verb.PRESS: _of_light(_press_grand),
    },
    Blackout.kind: {
        Verb.SWITCH: _of_light(_switch_blackout),
        Verb.PRESS: _of_light(_press_blackout),
    },
    GroupMaster.kind: {Verb.LEVEL: _set_group, Verb.PRESS: _press_group},
    Override.kind: {
        Verb.LEVEL: _hold,
        Verb.PRESS: _press_override,
        Verb.RELEASE: _let_go,
    },
    Tempo.kind: {
        Verb.TAP: _of_tempo(_tap),
        Verb.PRESS: _of_tempo(_tap),
        Verb.BPM: _of_tempo(_set_bpm),
        Verb.LEVEL: _of_tempo(_turn_bpm),
        Verb.NUDGE: _of_tempo(_nudge),
        Verb.HALF: _of_tempo(_half),
        Verb.DOUBLE: _of_tempo(_double),
        Verb.BAR: _of_tempo(_bar),
        Verb.ALIGN: _of_tempo(_align),
    },
}


def act(show: Show, state: PlayState, do: Do, now: float) -> PlayState | None:
    """Returns the state after a master was moved; None where it does not take the
    verb.
    """
    master = show.masters.get(do.ref.id)
    if master is None:
        return state
    verb = MASTERS[master.kind].get(do.verb)
    return None if verb is None else verb(state, do, now)


def level_of(show: Show, state: PlayState, master_id: str) -> float | None:
    """Returns how far a master is up, 0…1; a blackout is 1 while it is on."""
    master = show.masters.get(master_id)
    if isinstance(master, GrandMaster):
        return state.masters.grand
    if isinstance(master, Tempo):
        low, high = USUAL
        return within((state.clock.bpm - low) / (high - low))
    if isinstance(master, GroupMaster):
        return state.masters.levels.get(master_id, 1.0)
    if isinstance(master, Override):
        grip = state.masters.grip(master_id)
        return grip.level if grip is not None and grip.held.end > 0.0 else 0.0
    return float(state.masters.blackout) if isinstance(master, Blackout) else None
