"""What a window's messages do to what plays. What they may start is compiled here,
beside the frame loop.
"""

from __future__ import annotations

from collections.abc import Callable

from choreon.engine import protocol
from choreon.engine.actions import draft, hands, housekeeping
from choreon.engine.precompiler import Precompiler
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.state import PlayState

Act = Callable[[PlayState, float], PlayState]


def act_of(
    message: protocol.Message, ahead: Precompiler, playing: Callable[[], Show]
) -> Act | None:
    """Returns what a message does; None where it says nothing of what plays. `playing`:
    the show that the frames play by then.
    """
    return (
        _draft_act(message, ahead, playing)
        or _other_act(message, ahead)
        or _hand_act(message, ahead)
    )


def _draft_act(
    message: protocol.Message, ahead: Precompiler, playing: Callable[[], Show]
) -> Act | None:
    """What a message does to the draft; the look after it is compiled here."""
    look: Look
    match message:
        case protocol.SetValues(look=more):
            look = draft.with_values(ahead.draft, more)
        case protocol.RemoveValues(lines=lines):
            look = draft.without_values(ahead.draft, lines)
        case protocol.SetDraft(look=whole):
            look = whole
        case protocol.SetEffects(effects=effects, revision=revision):
            ahead.touch(ahead.draft, effects)
            return lambda s, t: draft.revised(
                draft.set_effects(playing(), s, effects, t), revision
            )
        case protocol.ClearDraft(seconds=seconds, revision=revision):
            ahead.touch({}, ())
            return lambda s, t: draft.revised(draft.clear(s, t, seconds), revision)
        case protocol.SetBlind(blind=blind, revision=revision):
            return lambda s, t: draft.revised(draft.set_blind(s, blind, t), revision)
        case _:
            return None

    revision = message.revision
    ahead.touch(look)
    return lambda s, t: draft.revised(draft.set_draft(s, look), revision)


def _other_act(message: protocol.Message, ahead: Precompiler) -> Act | None:
    match message:
        case protocol.Blink(fixtures, seconds):
            return lambda s, t: housekeeping.blink(s, fixtures, t, seconds)
        case protocol.SendBytes(key, universe, address, slots, seconds):
            return lambda s, t: housekeeping.send_bytes(
                s, key, universe, address, slots, t, seconds
            )
        case protocol.Restore(state):
            ahead.restore(state)
            return lambda s, t: housekeeping.prune(housekeeping.without_held(state), t)
    return None


def _hand_act(message: protocol.Message, ahead: Precompiler) -> Act | None:
    """What a message does to lamps beside what plays."""
    match message:
        case protocol.SetLive(tile, look):
            return lambda s, t: hands.give(s, tile, look)
        case protocol.TakeAside(fixtures):
            frozen = ahead.frozen(fixtures)
            return lambda s, t: hands.take(s, "aside", frozen, t)
        case protocol.SetAside(look):
            return lambda s, t: hands.set_aside(s, look)
        case protocol.BringBack(fixtures, seconds):
            return lambda s, t: hands.bring_back(s, fixtures or s.aside, t, seconds)
    return None
