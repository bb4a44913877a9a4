"""What is done to all that plays: letting go, the safe look, back to before, back to
normal. A registry entry a deed.
"""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from choreon.engine.actions import envelopes, hands, moments, overrides, players
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.render.state import Player, PlayState, Ramp, Scales

replace = msgspec.structs.replace

Deed = Callable[[Show, PlayState, float], PlayState]

DARK = 0.01  # what is left of the light below which nothing is seen
RISE = 1.5  # seconds in which masters come to where they belong


def let_go(show: Show, state: PlayState, now: float) -> PlayState:
    """Fade out all that is on, but what is protected, and what tiles give lamps."""
    return hands.let_all_go(players.release_all(show, state, now), now)


def go_safe(show: Show, state: PlayState, now: float) -> PlayState:
    """The safe look comes in and is seen, all else but what is protected goes out:
    lamps that are aside or held come back, group masters go to full and the grand to
    what is stored with it. Out of a blackout, or from under a grand master that is
    down, the light comes up from the dark.
    """
    if not show.safe:
        return state

    state = _out_of_the_dark(state)
    state = _hands_off_lamps(state, now)
    state = _masters_to(state, show.safe_grand, now)

    for player in state.players:
        if not (player.lifts or player.protected or _is_safe(player)):
            state = players.release(show, state, player.id, now)

    for n, part in enumerate(show.safe):
        state = _bring_safe(show, state, f"{SAFE}{n}", part, now)

    return state


def _out_of_the_dark(state: PlayState) -> PlayState:
    """Where nothing is seen, what was on need not come up only to fade."""
    if state.masters.scale >= DARK:
        return state
    kept = tuple(p for p in state.players if p.protected or _is_safe(p))
    return replace(state, players=kept)


def _hands_off_lamps(state: PlayState, now: float) -> PlayState:
    """What hands did to lamps, past what plays, is let go."""
    state = hands.bring_back(state, state.aside, now)
    state = overrides.let_all_go(state, now)
    return hands.let_all_go(state, now)


def _masters_to(state: PlayState, grand: float, now: float) -> PlayState:
    """Group masters go to full, the grand master to a level, by themselves: what is on
    its way out under them does not flare up.
    """
    masters = state.masters
    before = Scales(
        masters.scale_at(now), masters.levels_at(now), Ramp(0.0, 1.0, now, RISE)
    )
    there = replace(masters, grand=grand, blackout=False, levels={}, before=before)
    return replace(state, masters=there)


def _bring_safe(
    show: Show, state: PlayState, player_id: str, part: Part, now: float
) -> PlayState:
    """Have a part of the safe look come in, or back."""
    playable = players.playable_of(show, part.ref)
    if playable is None:
        return state

    known = state.player(player_id)
    if known is not None:
        back = known.releasing
        return players.come_back(show, state, known, now) if back else state

    weight = envelopes.coming(playable, now)
    return players.start(
        state, player_id, playable, now, weight, part.level, None, part.only
    )


SAFE = "safe:"


def _is_safe(player: Player) -> bool:
    return player.id.startswith(SAFE)


def to_normal(show: Show, state: PlayState, now: float) -> PlayState:
    """What is on when the show opens, and nothing else: what hands did to lamps and
    masters is let go.
    """
    from choreon.engine.actions import opening  # it presses tiles

    state = _hands_off_lamps(state, now)
    normal = {one.ref for one in show.opens}
    state = opening.without_others(show, state, normal, now)
    state = replace(_masters_to(state, 1.0, now), fade_times={})
    return opening.open_all(show, state, show.opens, now)


DEEDS: dict[str, Deed] = {
    "release": let_go,
    "safe": go_safe,
    "undo": moments.go_back,
    "normal": to_normal,
}
