"""Timelines that are on: gone to a place, and what happens along them. Pure functions
from state to state.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import msgspec

from choreon.engine.actions import cues, players, tempo
from choreon.engine.actions.kinds import RoutesByRef
from choreon.engine.do import Do
from choreon.engine.voices import with_inner_events
from choreon.model.playables import Timeline
from choreon.model.playables.stack import CueAct
from choreon.model.playables.timeline import (
    WhenStopped,
    course_of,
    happen_at,
    next_pass,
    over_at,
    place_at,
)
from choreon.model.show import Show
from choreon.model.tempo_map import Beats
from choreon.model.verbs import Verb
from choreon.render.state import BeatClock, Player, PlayState, Running, Time
from choreon.wire.time_code import Place

replace = msgspec.structs.replace

HELD_UP = 0.03  # seconds, a frame and a bit
AWAY = 2.0  # seconds within which what was due meanwhile is done in order
JUMP = 0.1  # seconds off another's clock beyond which it is gone to at once
NEAR_ENOUGH, PULL = 0.003, 0.05  # seconds off that are left; of others, in a frame
DONE = 1e-6  # seconds after an event from which on it is done
MOST_AHEAD = 64  # moments that are looked at ahead
OTHER_TEMPO, OFF_BEAT = 0.004, 0.04  # of a tempo, of a beat, that are put right
LOOKED = 1.5  # seconds until it is looked at again while it is pulled
NEAR = 0.3  # seconds after a mark in which the one before is meant


def timeline_of(show: Show, player: Player) -> Timeline | None:
    """Returns the timeline that a player is along, with what happens along those that
    lie on it; None where it plays another thing, or one that is gone.
    """
    found = show.playables.get(player.ref.id)
    return with_inner_events(show, found) if isinstance(found, Timeline) else None


def cursor_of(player: Player) -> Running | None:
    """Returns where a player is along its timeline; None where it plays another
    thing.
    """
    cursor = player.steps[-1].cursor
    return cursor if isinstance(cursor, Running) else None


def place_of(timeline: Timeline, cursor: Running, now: float) -> float:
    """Returns where on its line it is, in seconds."""
    return place_at(timeline, cursor.time(now, 0.0).seconds)


def _put(player: Player, cursor: Running) -> Player:
    last = replace(player.steps[-1], cursor=cursor)
    return replace(player, steps=(*player.steps[:-1], last))


# by hand


def step(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """To a place on the line, in seconds; nothing that lies there is done, and what
    came by what lies elsewhere is let go.
    """
    timeline, cursor = timeline_of(show, player), cursor_of(player)
    if timeline is None or cursor is None or not math.isfinite(do.value):
        return state
    place = min(over_at(timeline), max(0.0, do.value))
    there = replace(cursor, at=now, seconds=place, fired=place + DONE, began=())
    for began in cursor.began:
        state = players.release(show, state, began, now)
    return players.change(state, player, lambda p: _put(p, there))


def go(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """On from here: what lies here is done."""
    cursor = cursor_of(player)
    if cursor is None or not player.paused:
        return state
    here = replace(cursor, fired=min(cursor.fired, cursor.time(now, 0.0).seconds))
    going = here.going_at(player.rate, now, 0.0)
    return players.change(
        state, player, lambda p: replace(_put(p, going), paused=False)
    )


def next_mark(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """To the next mark; nowhere after the last."""
    return _to_mark(show, state, player, 1, now, ways)


def mark_before(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """To the mark before, or to the begin."""
    return _to_mark(show, state, player, -1, now, ways)


def _to_mark(
    show: Show,
    state: PlayState,
    player: Player,
    way: int,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    timeline, cursor = timeline_of(show, player), cursor_of(player)
    if timeline is None or cursor is None:
        return state
    here = place_of(timeline, cursor, now)
    marks = sorted(mark.at for mark in timeline.marks)
    if way > 0:
        there = next((at for at in marks if at > here + DONE), None)
    else:
        earlier = [0.0, *(at for at in marks if at < here - NEAR)]
        there = earlier[-1]
    if there is None:
        return state
    return step(show, state, player, Do(player.ref, Verb.STEP, there), now, ways)


DRIVES = {
    Verb.STEP: step,
    Verb.GO: go,
    Verb.NEXT: next_mark,
    Verb.BACK: mark_before,
}


# by itself


def due_at(show: Show, player: Player) -> float | None:
    """Returns when something next happens along a timeline; None where nothing does."""
    timeline, cursor = timeline_of(show, player), cursor_of(player)
    if timeline is None or cursor is None or player.releasing or player.lifts:
        return None
    own = next_pass(timeline, cursor.fired)
    coming = cursor.comes_to(Time(own, math.inf)) if math.isfinite(own) else None
    return None if coming is None else max(coming.at or 0.0, coming.least)


# by another's clock


def led(
    show: Show, state: PlayState, places: Mapping[str, Place], now: float
) -> PlayState:
    """Returns the state in which timelines that follow another's clock are where that
    is: pulled there where they are near, else at once, and nothing that is jumped over
    is done. One that stands by a hand stays.
    """
    for player in state.players:
        timeline, cursor = timeline_of(show, player), cursor_of(player)
        if timeline is None or cursor is None or not timeline.follows:
            continue
        place = places.get(timeline.follows)
        if place is None or player.paused or player.releasing:
            continue
        there = _led_to(timeline, cursor, place, now)
        if there is not cursor:
            state = players.put(state, _put(player, there))
    return state


def _led_to(timeline: Timeline, cursor: Running, place: Place, now: float) -> Running:
    """Where a timeline is that follows a clock: at the pace of that."""
    if not place.runs:
        holds = timeline.stopped == WhenStopped.HOLD and cursor.rate > 0.0
        return cursor.going_at(0.0, now, 0.0) if holds else cursor

    if cursor.rate != 1.0:
        cursor = cursor.going_at(1.0, now, 0.0)
    wanted = max(0.0, place.now(now) - timeline.offset)
    here = cursor.time(now, 0.0).seconds
    off = wanted - here
    if abs(off) > JUMP:
        return replace(cursor, at=now, seconds=wanted, fired=wanted + DONE)
    if abs(off) > NEAR_ENOUGH:
        return replace(cursor, at=now, seconds=here + PULL * off)
    return cursor


# the tempo


def beaten(show: Show, state: PlayState, now: float) -> PlayState:
    """Returns the state whose tempo is that of the music along a timeline that plays:
    the one that lies above the others, of those with sound, or beats that were found.
    The beat is pulled there, and never jumps.
    """
    for player in sorted(state.players, key=lambda one: one.place, reverse=True):
        timeline, cursor = timeline_of(show, player), cursor_of(player)
        if timeline is None or cursor is None or player.releasing or player.lifts:
            continue
        course = course_of(timeline)
        if cursor.rate > 0.0 and (course.sounds or course.beats.known):
            clock = _beaten(state.clock, timeline, course.beats, cursor, now)
            return state if clock is state.clock else replace(state, clock=clock)
    return state


def _beaten(
    clock: BeatClock, timeline: Timeline, beats: Beats, cursor: Running, now: float
) -> BeatClock:
    """The clock at the tempo of a place on a line, on its way to its beat and bar."""
    if 0.0 <= now - clock.at < LOOKED and clock.pull:
        return clock  # it is still on its way
    here = beats.at(place_of(timeline, cursor, now))
    span = beats.time_of(here + 2.0) - beats.time_of(here - 2.0)
    bpm = 60.0 * 4.0 / span * cursor.rate if span > 0.0 else clock.bpm
    made = clock
    if abs(bpm / clock.bpm - 1.0) > OTHER_TEMPO:
        made = tempo.at_tempo(clock, bpm, now)
    own = made.beat_at(now)
    off = (here - own + 0.5) % 1.0 - 0.5
    if abs(off) > OFF_BEAT:
        since = (here + 0.5) % 1.0 - 0.5  # its own beat that lies nearest
        made = tempo.aligned(made, now - since * 60.0 / made.bpm, now)

    bar = max(1, timeline.tempo.bar)
    ahead = round(own + off)
    first = ahead - (round(here) - timeline.tempo.first) % bar
    if made.bar != bar or (made.first - first) % bar:
        made = replace(made, bar=bar, first=first)
    return made


def coming(show: Show, player: Player, since: float, until: float) -> list[CueAct]:
    """Returns what happens along a timeline while it runs from one time to another."""
    timeline = timeline_of(show, player)
    found: list[CueAct] = []
    if timeline is None:
        return found
    for _ in range(MOST_AHEAD):
        own = next_pass(timeline, since)
        if own > until:
            break
        found += [event.act for event in happen_at(timeline, own, since)]
        since = own + DONE
    return found


def follow(
    show: Show, state: PlayState, player: Player, due: float, now: float
) -> PlayState:
    """Returns the state after what happens next along a timeline was done, by its own
    hand. What should have been done so long ago that it would surprise is passed over.
    """
    timeline, cursor = timeline_of(show, player), cursor_of(player)
    if timeline is None or cursor is None:
        return state

    own = next_pass(timeline, cursor.fired)
    if not math.isfinite(own):
        return state
    happen = [event.act for event in happen_at(timeline, own, cursor.fired)]
    done = replace(cursor, fired=own + DONE)
    state = players.change(state, player, lambda p: _put(p, done))
    if due < now - AWAY:
        return state
    by = f"timeline:{timeline.id}"
    before = {one.id for one in state.players}
    state = cues.do_all(show, state, happen, by, max(due, now - HELD_UP), {})
    came = [one.id for one in state.players if one.id not in before]
    known = state.player(player.id)
    if not came or known is None:
        return state
    there = [one for one in done.began if state.player(one) is not None]
    done = replace(done, began=(*there, *came))
    return players.put(state, _put(known, done))


def company(
    show: Show, state: PlayState, stand: Callable[[PlayState, Player, bool], PlayState]
) -> PlayState:
    """Returns the state in which what came by timelines stands when they stand, by
    `stand`, and goes when they go. What was on before, or was started by a hand, does
    not.
    """
    for player in state.players:
        cursor = cursor_of(player)
        if cursor is None or not cursor.began:
            continue
        if player.paused != cursor.stood:
            for one in _there(state, cursor):
                state = stand(state, one, player.paused)
            cursor = replace(cursor, stood=player.paused)
            state = players.put(state, _put(player, cursor))
        if player.releasing:
            since = player.weight.main.begin
            for one in _there(state, cursor):
                state = players.release(show, state, one.id, since)
            state = players.put(state, _put(player, replace(cursor, began=())))
    return state


def _there(state: PlayState, cursor: Running) -> list[Player]:
    """What came by a timeline and is still on."""
    found = (state.player(player_id) for player_id in cursor.began)
    return [one for one in found if one is not None and not one.releasing]
