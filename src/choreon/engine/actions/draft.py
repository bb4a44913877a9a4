"""What is done to the draft: pure functions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from choreon.model.edits import merge_looks
from choreon.model.effects import rate_of
from choreon.model.motion import Effects
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.state import DraftState, Going, Leaving, PlayState, Ramp

replace = msgspec.structs.replace

DRAFT_FADE = 0.8  # seconds in which a cleared draft lets go of the stage
MOST_LEAVING = 3  # cleared drafts that are still on their way when another is cleared


def with_values(look: Look, more: Look) -> Look:
    """Returns a draft's look with values added."""
    return merge_looks(look, more)


def without_values(look: Look, lines: Mapping[str, Sequence[str]]) -> Look:
    """Returns a draft's look without some values: fixture → attributes."""
    made: Look = {}
    for fixture, values in look.items():
        gone = lines.get(fixture, ())
        kept = {name: value for name, value in values.items() if name not in gone}
        if kept:
            made[fixture] = values if len(kept) == len(values) else kept
    return made


def set_draft(state: PlayState, look: Look) -> PlayState:
    """Returns the state with another draft."""
    return replace(state, draft=replace(state.draft, look=look))


def set_effects(
    show: Show, state: PlayState, effects: Effects, now: float
) -> PlayState:
    """Returns the state with other effects in its draft. Those whose rate is another
    one go on where they are.
    """
    draft, beat = state.draft, state.beat(now)
    if not draft.effects:
        # they begin with the first of them; by the beat they are with the bar
        going = Going(now, beat, 0.0, beat - state.clock.first)
        return replace(state, draft=replace(draft, effects=effects, going=going))

    time = draft.going.time(now, beat)
    offsets = {}

    for effect in effects:
        own = draft.going.offsets.get(effect.id, 0.0)
        was = next((e for e in draft.effects if e.id == effect.id), None)
        if was is not None:
            before = rate_of(show, was, draft.effects)
            after = rate_of(show, effect, effects)
            if before != after:
                own += before.cycles(*time[:2]) - after.cycles(*time[:2])

        if own:
            offsets[effect.id] = own

    going = replace(draft.going, offsets=offsets)
    return replace(state, draft=replace(draft, effects=effects, going=going))


def clear(state: PlayState, now: float, seconds: float = DRAFT_FADE) -> PlayState:
    """Let the draft go; it leaves the stage within `seconds`."""
    draft = state.draft
    if draft.empty:
        return state
    out = Ramp(draft.shown.at(now), 0.0, now, seconds)
    gone = Leaving(draft.look, out, draft.effects, draft.going)
    leaving = (*draft.leaving[-MOST_LEAVING:], gone)
    return replace(state, draft=DraftState({}, leaving, draft.revision, draft.shown))


def set_blind(
    state: PlayState, blind: bool, now: float, seconds: float = DRAFT_FADE
) -> PlayState:
    """Take the draft off the stage, or bring it there, within `seconds`."""
    draft = state.draft
    if blind == draft.blind:
        return state
    end = 0.0 if blind else 1.0
    shown = Ramp(draft.shown.at(now), end, now, 0.0 if draft.empty else seconds)
    return replace(state, draft=replace(draft, shown=shown))


def revised(state: PlayState, revision: int) -> PlayState:
    """Returns the state with the window's change of that number in its draft; 0 is
    nobody's.
    """
    if not revision:
        return state
    return replace(state, draft=replace(state.draft, revision=revision))
