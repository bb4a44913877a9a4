"""What follows in stacks by itself: when each cue comes, and what is missed.

The wall clock is looked at only here; all else goes by the clock of the show.
"""

from __future__ import annotations

import datetime
import math
from collections.abc import Callable
from typing import NamedTuple

import msgspec
import numpy as np

from choreon.engine.actions import players
from choreon.engine.actions.cues import (
    HELD_UP,
    cursor_of,
    go_on,
    next_cue,
    own_times,
    stack_of,
    to_cue,
    with_cursor,
)
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue, FollowKind, seconds, times_of
from choreon.model.show import Show
from choreon.render.compiled import CompiledShow
from choreon.render.state import BeatClock, Cued, Player, PlayState, Time

replace = msgspec.structs.replace

AWAY = 2.0  # seconds within which what was due meanwhile is done in order
MISSED = 60.0  # seconds after a time of day in which it still comes


class Wall(NamedTuple):
    """The clock on the wall, in its own seconds: now, and when it was looked at last
    (None: not yet).
    """

    now: float
    before: float | None = None


def armed(
    compiled: CompiledShow, state: PlayState, now: float, wall: Wall
) -> PlayState:
    """Returns the state in which each cue knows when it is complete, and the one after
    it at which time of day it comes.
    """
    for player in state.players:
        cursor, stack = cursor_of(player), stack_of(compiled.show, player)
        if cursor is None or stack is None or not cursor.cue:
            continue

        made = cursor
        if made.complete is None:
            done = complete_after(compiled, player, stack, cursor)
            made = replace(made, complete=done)

        made = _armed_for(made, next_cue(stack, cursor), wall)
        if made is not cursor:
            state = players.put(state, _at(player, made))

    return state


def _armed_for(cursor: Cued, cue: Cue | None, wall: Wall) -> Cued:
    """A place in a stack that knows when the next cue comes, if by the time of day."""
    if cue is None or cue.follow.kind != FollowKind.CLOCK:
        return cursor if cursor.armed is None else replace(cursor, armed=None)

    of_day = seconds(cue.follow.after)
    if cursor.armed is not None and cursor.armed_for == of_day:
        return cursor
    return replace(cursor, armed=next_time(of_day, wall.now), armed_for=of_day)


def _at(player: Player, cursor: Cued) -> Player:
    """A player at another place in its stack."""
    return with_cursor(player, lambda _: cursor)


def next_time(of_day: float, wall: float) -> float:
    """Returns when the clock on the wall next shows a time of day, in seconds since
    midnight: in its own seconds, after `wall`.
    """
    of_day = min(86_399.999, max(0.0, of_day))
    here = datetime.datetime.fromtimestamp(wall)
    midnight = here.replace(hour=0, minute=0, second=0, microsecond=0)
    for day in (0, 1, 2):
        # days by the calendar: the clock may be put forward on one of them
        begins = midnight + datetime.timedelta(days=day)
        hour, rest = divmod(of_day, 3600.0)
        minute, second = divmod(rest, 60.0)
        there = begins.replace(hour=int(hour), minute=int(minute), second=int(second))
        when = there.timestamp() + (second % 1.0)
        if when > wall:
            return when
    return wall + 86_400.0


def complete_after(
    compiled: CompiledShow, player: Player, stack: Stack, cursor: Cued
) -> float:
    """Returns how many seconds of a stack's own time after a cue was gone to all of it
    that follows a ramp is there: levels that fall where any falls, all else where
    anything comes.
    """
    cue = stack.cue(cursor.cue)
    if cue is None:
        return 0.0

    rises, falls = _rises_and_falls(compiled, player)
    times = times_of(stack, cue)
    parts = [times]
    parts += [own_times(part, times) for part in cue.lamps]
    ends = [0.0]

    for own in parts:
        if rises:
            ends.append(own.delay_in + own.fade_in)
        if falls:
            ends.append(own.delay_out + own.fade_out)
    if rises:
        ends += [seconds(t.delay) + seconds(t.fade) for t in times.families.values()]

    return max(ends)


def _rises_and_falls(compiled: CompiledShow, player: Player) -> tuple[bool, bool]:
    """Whether anything comes with the step that a player goes to, and whether any level
    falls.
    """
    count = compiled.rig.intensities + 1
    before, after = np.zeros(count), np.zeros(count)
    for step in player.steps[:-1]:
        look = compiled.look_of(step)
        before[look.lamps] = np.maximum(before[look.lamps], look.levels)

    there = compiled.look_of(player.steps[-1])
    after[there.lamps] = there.levels
    comes = bool((after > before + 1e-9).any()) or len(there.rows) > 0
    return comes, bool((after < before - 1e-9).any())


def due_at(
    state: PlayState, show: Show, player: Player, now: float, wall: Wall
) -> float | None:
    """Returns when the next cue of a stack comes by itself, by the clocks as they are
    now; None where it waits for GO.
    """
    stack, cursor = stack_of(show, player), cursor_of(player)
    if stack is None or cursor is None or not cursor.cue:
        return None
    if player.releasing or player.lifts or player.paused or cursor.waits:
        return None

    cue = next_cue(stack, cursor)
    if cue is None:
        return None

    when = WHEN.get(cue.follow.kind)
    moment = Moment(state.clock, cursor, now, wall)
    return None if when is None else when(moment, seconds(cue.follow.after))


class Moment(NamedTuple):
    """Where a stack is, by which clocks, at a time."""

    clock: BeatClock
    cursor: Cued
    now: float
    wall: Wall


def _begun(moment: Moment, after: float) -> float | None:
    """So many seconds after the cue before was gone to."""
    return _after(moment.cursor, after)


def _complete(moment: Moment, after: float) -> float | None:
    """So many seconds after the cue before was there."""
    complete = moment.cursor.complete
    return None if complete is None else _after(moment.cursor, complete + after)


def _after(cursor: Cued, own: float) -> float | None:
    """When a cue has been gone to for so many seconds of its own."""
    coming = cursor.going.comes_to(Time(own, math.inf))
    return None if coming is None else coming.at


def _on_beat(moment: Moment, after: float) -> float | None:
    """On the n-th beat since the cue before was gone to."""
    line = math.floor(moment.cursor.from_beat + 1e-6) + max(1, int(after))
    return when_beat(moment.clock, line)


def _on_bar(moment: Moment, after: float) -> float | None:
    """On the n-th bar since the cue before was gone to."""
    clock = moment.clock
    bar = max(1, clock.bar)
    bars = math.floor((moment.cursor.from_beat - clock.first) / bar + 1e-6)
    return when_beat(clock, clock.first + (bars + max(1, int(after))) * bar)


def _of_day(moment: Moment, after: float) -> float | None:
    """At the time of day that was found when the cue became the next one."""
    armed = moment.cursor.armed
    return None if armed is None else moment.now + (armed - moment.wall.now)


WHEN: dict[FollowKind, Callable[[Moment, float], float | None]] = {
    FollowKind.BEGUN: _begun,
    FollowKind.COMPLETE: _complete,
    FollowKind.BEAT: _on_beat,
    FollowKind.BAR: _on_bar,
    FollowKind.CLOCK: _of_day,
}
"""When a cue comes that follows; one that is not here waits for GO."""


def when_beat(clock: BeatClock, beat: float) -> float:
    """Returns when the clock comes to a beat."""
    when = clock.at + (beat - clock.beat - clock.pull) * 60.0 / clock.bpm
    if when - clock.at >= clock.catch:
        return when
    speed = clock.bpm / 60.0 + clock.pull / clock.catch
    return clock.at + (beat - clock.beat) / speed


def follow(
    compiled: CompiledShow,
    state: PlayState,
    player: Player,
    due: float,
    now: float,
    wall: Wall,
) -> PlayState:
    """Returns the state after the next cue of a stack came by itself. One that should
    have come so long ago that it would surprise holds, and waits for GO.
    """
    show = compiled.show
    stack, cursor = stack_of(show, player), cursor_of(player)
    cue = None if stack is None or cursor is None else next_cue(stack, cursor)
    if stack is None or cursor is None or cue is None:
        return state

    if _missed(cursor, cue, due, now, wall):
        held = with_cursor(player, lambda c: replace(c, waits=True, missed=True))
        return players.put(state, held)

    routes = compiled.routes.get((player.id, cue.id), {})
    ways = {to_cue(stack.ref, cue.id): routes}
    if cue.follow.kind == FollowKind.CLOCK:
        due = max(due, now - HELD_UP)
    return go_on(show, state, player, cue, now, due, ways)


def _missed(cursor: Cued, cue: Cue, due: float, now: float, wall: Wall) -> bool:
    """Whether a cue should have come too long ago to come now. A time of day over which
    the clock was set comes; one that passed while nobody looked does not.
    """
    if cue.follow.kind != FollowKind.CLOCK:
        return due < now - AWAY
    armed = math.inf if cursor.armed is None else cursor.armed
    set_over = wall.before is not None and wall.before < armed
    return not set_over and due < now - MISSED
