"""What is done to the draft: pure functions."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from choreon.model.edits import merge_looks
from choreon.model.values import Look
from choreon.render.state import Draft, PlayState, Ramp

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


def clear(state: PlayState, now: float, seconds: float = DRAFT_FADE) -> PlayState:
    """Let the draft go; it leaves the stage within `seconds`."""
    draft = state.draft
    if not draft.look:
        return state
    out = Ramp(draft.shown.at(now), 0.0, now, seconds)
    leaving = (*draft.leaving[-MOST_LEAVING:], (draft.look, out))
    return replace(state, draft=Draft({}, leaving, draft.revision, draft.shown))


def set_blind(
    state: PlayState, blind: bool, now: float, seconds: float = DRAFT_FADE
) -> PlayState:
    """Take the draft off the stage, or bring it there, within `seconds`."""
    draft = state.draft
    if blind == draft.blind:
        return state
    end = 0.0 if blind else 1.0
    shown = Ramp(draft.shown.at(now), end, now, seconds if draft.look else 0.0)
    return replace(state, draft=replace(draft, shown=shown))


def revised(state: PlayState, revision: int) -> PlayState:
    """Returns the state with the window's change of that number in its draft; 0 is
    nobody's.
    """
    if not revision:
        return state
    return replace(state, draft=replace(state.draft, revision=revision))
