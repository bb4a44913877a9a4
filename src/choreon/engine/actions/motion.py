"""How what moves is driven: its rate, its pause, its steps, and what follows at its
end. Pure functions from state to state.
"""

from __future__ import annotations

import math
import time

import msgspec

from choreon.engine.actions import cues, following, players, timelines
from choreon.engine.actions.following import Wall
from choreon.engine.actions.kinds import KINDS, RELEASED, Wanted
from choreon.model.effects import rate_of
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.render.compiled import CompiledShow
from choreon.render.state import (
    Cued,
    Envelope,
    Player,
    PlayState,
    Ramp,
    Step,
)

replace = msgspec.structs.replace

SLOWEST, FASTEST = 1 / 16, 16.0  # times as fast as stored
UNLIT = 1 / 255  # how far on something shows nowhere
HELD_UP = 0.03  # seconds, a frame and a bit


def set_rate(state: PlayState, player: Player, rate: float, now: float) -> PlayState:
    """Have a player go so many times as fast as it is stored; what moves goes on where
    it is. A rate that is no number changes nothing.
    """
    if not math.isfinite(rate) or rate <= 0.0:
        return state
    rate = min(FASTEST, max(SLOWEST, rate))
    return players.change(
        state, player, lambda p: _going(state, p, rate, p.paused, now)
    )


def pause(
    state: PlayState, player: Player, paused: bool | None, now: float
) -> PlayState:
    """Have a player stand still where it is, or go on; None turns it over."""

    def turned(one: Player) -> Player:
        stands = not one.paused if paused is None else paused
        return _going(state, one, one.rate, stands, now)

    return players.change(state, player, turned)


def _going(
    state: PlayState, player: Player, rate: float, paused: bool, now: float
) -> Player:
    beat = state.beat(now)
    speed = 0.0 if paused else rate
    steps = tuple(
        replace(step, cursor=step.cursor.going_at(speed, now, beat))
        for step in cues.paced(player, rate, paused, now)
    )
    return replace(player, steps=steps, rate=rate, paused=paused)


# steps


def go_by(
    show: Show, state: PlayState, player: Player, by: int, now: float
) -> PlayState:
    """Bring a chase over to the step that is so many further on, or back; it goes on
    from there, or stands there where it pauses.
    """
    return _stepped(show, state, player, Wanted(by=by), now)


def go_to_step(
    show: Show, state: PlayState, player: Player, index: int, now: float
) -> PlayState:
    """Bring something over to one of its steps."""
    return _stepped(show, state, player, Wanted(step=index), now)


def _stepped(
    show: Show, state: PlayState, player: Player, wanted: Wanted, now: float
) -> PlayState:
    """A crossfade from where a player is now to where it has just come to a step of
    what it plays. The step's own time begins when it is there.
    """
    step = player.steps[-1]
    playable = show.playables.get(step.ref.id)
    stepper = None if playable is None else KINDS[playable.kind].stepper

    if stepper is None:
        return state

    stepped = stepper(show, playable, step.cursor, state.clock, now, wanted)
    if stepped is None:
        return state

    if _only_called(player, now):
        begun = (replace(step, cursor=stepped.cursor),)
        return players.change(state, player, lambda p: replace(p, steps=begun))

    # what is left stands as it was while it goes out
    left = replace(step, cursor=step.cursor.going_at(0.0, now, state.beat(now)))
    seconds = stepped.fade / player.rate
    fading = players.StepFade(Envelope(Ramp(0.0, 1.0, now, seconds)), seconds)
    over = now + seconds
    there = stepped.cursor.from_then(over, state.beat(over))
    fresh = replace(left, at=now, until=None, cursor=there)

    def brought_over(one: Player) -> Player:
        stood = replace(one, steps=(*one.steps[:-1], left))
        return players.over_to(stood, fresh, now, fading)

    return players.change(state, player, brought_over)


def _only_called(player: Player, now: float) -> bool:
    """Whether it has just been called for and shows nowhere yet: it may begin
    anywhere.
    """
    ramps = (player.weight.main, *player.weight.families.values())
    most = max(ramp.at(now) for ramp in ramps)
    return len(player.steps) == 1 and most < UNLIT


# edits of what is on


def carried(
    before: CompiledShow, after: CompiledShow, state: PlayState, now: float
) -> PlayState:
    """Returns the state with which all that moves goes on where it is after an edit
    changed its rate, its times or its steps.
    """
    beat = state.beat(now)

    def carry(step: Step) -> Step:
        cursor = step.cursor
        old, new = before.source(step), after.source(step)
        if old is None or new is None or old is new or not cursor.runs:
            return _set_going(after, step, state, now)

        there = new.carried(old, cursor, cursor.time(now, beat))
        return step if there is cursor else replace(step, cursor=there)

    players_after = []
    for player in state.players:
        steps = tuple(carry(step) for step in player.steps)
        same = very_same(steps, player.steps)
        carried_on = player if same else replace(player, steps=steps)
        players_after.append(cues.edited(before, after, carried_on, now))

    if not very_same(players_after, state.players):
        state = replace(state, players=tuple(players_after))

    return _draft_carried(before, after, state, now)


def _set_going(
    compiled: CompiledShow, step: Step, state: PlayState, now: float
) -> Step:
    """Something that stood, and moves since an edit, begins."""
    source = compiled.source(step)
    if source is None or source.still or step.cursor.runs:
        return step
    playable = compiled.show.playables.get(step.ref.id)
    if playable is None:
        return step
    cursor = KINDS[playable.kind].start(playable, now, state.clock)
    return replace(step, cursor=cursor)


def _draft_carried(
    before: CompiledShow, after: CompiledShow, state: PlayState, now: float
) -> PlayState:
    """Returns the state whose draft's effects go on where they are after an edit
    changed the rate of what they follow.
    """
    effects = state.draft.effects
    if not any(effect.palette for effect in effects):
        return state

    time = state.draft.going.time(now, state.beat(now))
    offsets = dict(state.draft.going.offsets)

    for effect in effects:
        old = rate_of(before.show, effect, effects)
        new = rate_of(after.show, effect, effects)
        if old != new:
            gained = old.cycles(*time[:2]) - new.cycles(*time[:2])
            offsets[effect.id] = offsets.get(effect.id, 0.0) + gained

    if offsets == state.draft.going.offsets:
        return state

    going = replace(state.draft.going, offsets=offsets)
    return replace(state, draft=replace(state.draft, going=going))


# ends


def due_at(
    compiled: CompiledShow, state: PlayState, player: Player, now: float, wall: Wall
) -> float | None:
    """Returns when something follows a player by itself: it comes to its end, or its
    next cue comes, by the clocks as they are now; None for never, and while it pauses.
    """
    step = player.steps[-1]
    if isinstance(step.cursor, Cued):
        return following.due_at(state, compiled.show, player, now, wall)

    happens = timelines.due_at(compiled.show, player)
    ends = _end_at(compiled, state, player)
    if happens is not None and (ends is None or happens <= ends):
        return happens
    return ends


def _end_at(compiled: CompiledShow, state: PlayState, player: Player) -> float | None:
    """When something that is on comes to its end, and something follows then."""
    step = player.steps[-1]
    cursor, source = step.cursor, compiled.source(step)
    if player.releasing or player.lifts:
        return None

    end = None if source is None else source.ends()
    coming = None if end is None else cursor.comes_to(end)
    if coming is None:
        return None

    playable = compiled.show.playables.get(step.ref.id)
    if playable is None or KINDS[playable.kind].at_end(playable) is None:
        return None

    due = coming.at
    if coming.beat is not None:
        due = following.when_beat(state.clock, coming.beat)
    # a hand may have brought it past its end
    return max(due or 0.0, coming.least)


MOST_AT_ONCE = 100  # that follow each other in one frame


def next_due(compiled: CompiledShow, state: PlayState, now: float, wall: Wall) -> float:
    """Returns when something next follows by itself; never is `inf`."""
    dues = (due_at(compiled, state, player, now, wall) for player in state.players)
    return min((due for due in dues if due is not None), default=math.inf)


def follow(
    compiled: CompiledShow, state: PlayState, now: float, wall: Wall | None = None
) -> PlayState:
    """Returns the state after all that has come to its end by a time was let go, or was
    followed by what it starts, and all cues came that come by themselves: the earliest
    first, each at its own time, but where frames were held up for longer: what follows
    then begins as if it had been on time would jump in.
    """
    wall = Wall(time.time()) if wall is None else wall
    stuck: set[str] = set()
    state = timelines.company(
        compiled.show, state, lambda s, player, stands: pause(s, player, stands, now)
    )
    for _ in range(MOST_AT_ONCE):
        state = following.armed(compiled, state, now, wall)
        due, player = _earliest(compiled, state, stuck, now, wall)
        if player is None or due > now:
            break

        after = _follow(compiled, state, player, due, now, wall)
        if after is state:
            stuck.add(player.id)  # nothing comes of it
        state = after

    return state


def _earliest(
    compiled: CompiledShow, state: PlayState, but: set[str], now: float, wall: Wall
) -> tuple[float, Player | None]:
    """The player that something follows first, and when."""
    earliest, first = math.inf, None
    for player in state.players:
        due = due_at(compiled, state, player, now, wall)
        if due is not None and due < earliest and player.id not in but:
            earliest, first = due, player
    return earliest, first


def _follow(
    compiled: CompiledShow,
    state: PlayState,
    player: Player,
    due: float,
    now: float,
    wall: Wall,
) -> PlayState:
    if isinstance(player.steps[-1].cursor, Cued):
        return following.follow(compiled, state, player, due, now, wall)
    if timelines.due_at(compiled.show, player) == due:
        return timelines.follow(compiled.show, state, player, due, now)

    show, due = compiled.show, max(due, now - HELD_UP)
    ended = show.playables.get(player.ref.id)
    then = None if ended is None else KINDS[ended.kind].at_end(ended)
    if then is None:
        return state
    if then == RELEASED:
        return players.release(show, state, player.id, due)
    playable = players.playable_of(show, then)
    if playable is None:
        return state
    state = players.change(
        state, player, lambda p: players.go_to(p, playable, due, state.clock, {})
    )
    return cues.begun(show, state, due)
