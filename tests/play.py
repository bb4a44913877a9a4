"""Players and steps in few words, for tests."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from choreon.engine import actions
from choreon.engine.actions import draft, housekeeping
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.playables import Scene, Times
from choreon.model.refs import Ref, to_tile
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render.compiled import CompiledShow
from choreon.render.state import Envelope, Player, PlayState, Ramp, Step


def scene_ref(scene_id: str) -> Ref:
    return Ref("scene", scene_id)


def step(
    scene_id: str, at: float = 0.0, fade_in: float = 0.0, fade_out: float = 0.0
) -> Step:
    """A step that begins at a time; rising levels, and all else, take `fade_in`."""
    return Step(
        ref=scene_ref(scene_id),
        at=at,
        progress=Envelope(Ramp(0.0, 1.0, at, fade_in)),
        fall=Ramp(0.0, 1.0, at, fade_out),
    )


def steps(*them: Step) -> tuple[Step, ...]:
    """Steps that follow each other: each is left when the next one begins."""
    left = [edits.replace(a, until=b.at) for a, b in itertools.pairwise(them)]
    return (*left, them[-1])


def player(
    player_id: str,
    *them: Step,
    order: int = 1,
    level: float = 1.0,
    weight: Ramp | Envelope | None = None,
    **more,
) -> Player:
    """A player of steps, or of the scene it is called after."""
    envelope = weight if isinstance(weight, Envelope) else Envelope(weight or Ramp())
    return Player(
        player_id,
        player_id,
        steps(*(them or (step(player_id),))),
        envelope,
        level,
        order,
        **more,
    )


def with_scenes(
    show: Show, times: dict[str, dict[str, Times]] | None = None, **looks: Look
) -> Show:
    """The show with scenes: id → look."""
    made = (
        Scene(id=i, name=i, look=look, times=(times or {}).get(i, {}))
        for i, look in looks.items()
    )
    return edits.put(show, "playables", *made)


def put_scenes(show: Show, scenes: Iterable[Scene]) -> Show:
    return edits.put(show, "playables", *scenes)


# what hands do


def press(show: Show, state: PlayState, tile: str, now: float) -> PlayState:
    """Press a tile's pad, as a finger would."""
    return actions.perform(show, state, Do(to_tile(tile), Verb.PRESS), now)


def set_level(
    show: Show, state: PlayState, tile: str, level: float, now: float
) -> PlayState:
    return actions.perform(show, state, Do(to_tile(tile), Verb.LEVEL, level), now)


def release(show: Show, state: PlayState, player_id: str, now: float) -> PlayState:
    return actions.perform(show, state, Do(Ref("player", player_id), Verb.RELEASE), now)


def set_masters(state: PlayState, **fields) -> PlayState:
    return edits.replace(state, masters=edits.replace(state.masters, **fields))


def touch(state: PlayState, look: Look) -> PlayState:
    return draft.set_draft(state, draft.with_values(state.draft.look, look))


def untouch(state: PlayState, lines: dict[str, tuple[str, ...]]) -> PlayState:
    return draft.set_draft(state, draft.without_values(state.draft.look, lines))


set_draft, clear_draft, set_blind = draft.set_draft, draft.clear, draft.set_blind
blank, prune, shift, blink = (
    housekeeping.blank,
    housekeeping.prune,
    housekeeping.shift,
    housekeeping.blink,
)
send_bytes = housekeeping.send_bytes


def compile_all(compiled: CompiledShow) -> None:
    """Compile everything that a show can play."""
    for playable in compiled.show.playables.values():
        compiled.source(Step(ref=playable.ref))
