"""Stacks that are on: from cue to cue, by hand and by what follows. Pure functions from
state to state.

A cue is a step of its player. A stack begins as a step of nothing that is there wholly,
so that the first GO, a blackout and *back* are one crossfade each, as all others are.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import msgspec

from choreon.engine.actions import players
from choreon.engine.actions.kinds import KINDS, HeadRoutes, OwnDrive, RoutesByRef
from choreon.engine.actions.players import StepFade
from choreon.engine.do import Do
from choreon.model.lamps import fixtures_of
from choreon.model.playables import Stack, Timeline, kind_of
from choreon.model.playables.stack import (
    Contents,
    Cue,
    CueAct,
    CueTimes,
    LampTimes,
    contents,
    key_of,
    seconds,
    times_of,
)
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.compiled import CompiledShow
from choreon.render.compiled import key_of as key_of_step
from choreon.render.sources.stack import OWN, step_at
from choreon.render.state import (
    FULL,
    BeatClock,
    Cued,
    Envelope,
    Going,
    LampFade,
    Player,
    PlayState,
    Ramp,
    Step,
)

replace = msgspec.structs.replace

LONGEST_CHAIN = 8  # cues that are still to be seen in one fade
HELD_UP = 0.03  # seconds, a frame and a bit
EDITED = 0.5  # seconds in which an edited cue is gone over to
CUE = "cue"
"""The kind of a ref to one cue; its id is `STACK/CUE`."""


def to_cue(stack: Ref, cue_id: str) -> Ref:
    """Points at a cue of a stack."""
    return Ref(CUE, f"{stack.id}/{cue_id}")


def stack_of(show: Show, player: Player) -> Stack | None:
    """Returns the stack that a player plays."""
    found = show.playables.get(player.ref.id)
    return found if isinstance(found, Stack) else None


def cursor_of(player: Player) -> Cued | None:
    """Returns where a player is in its stack."""
    cursor = player.steps[-1].cursor
    return cursor if isinstance(cursor, Cued) else None


# which cue


def next_cue(stack: Stack, cursor: Cued) -> Cue | None:
    """Returns the cue that comes next: the one that was chosen to, else the one behind
    this; behind one that is gone, the next by number.
    """
    chosen = stack.cue(cursor.next) if cursor.next else None
    if chosen is not None:
        return chosen

    place = stack.place_of(cursor.cue)
    if place is None:
        return stack.after(cursor.number)
    return stack.cues[place + 1] if place + 1 < len(stack.cues) else None


def cue_before(stack: Stack, cursor: Cued) -> Cue | None:
    """Returns the cue before this in the list."""
    place = stack.place_of(cursor.cue)
    if place is None:
        return stack.before(cursor.number)
    return stack.cues[place - 1] if place > 0 else None


def _cue_at(stack: Stack, place: float) -> Cue | None:
    """The cue at a place of the list, from 0."""
    if not math.isfinite(place) or not 0 <= place < len(stack.cues):
        return None
    return stack.cues[int(place)]


def has_step(show: Show, do: Do) -> bool:
    """Returns whether a stack that is gone into has the cue that is asked for."""
    found = show.playables.get(do.ref.id)
    if isinstance(found, Timeline):
        return True
    return isinstance(found, Stack) and _cue_at(found, do.value) is not None


# on to it


def over_to_cue(
    show: Show,
    state: PlayState,
    player: Player,
    cue: Cue,
    now: float,
    due: float | None = None,
    routes: HeadRoutes | None = None,
) -> Player:
    """Returns a player on its way to a cue of its stack, by what is seen now. `due`:
    when it should have set out, from which what follows is counted.
    """
    stack = stack_of(show, player)
    if stack is None:
        return player

    due = now if due is None else due
    begin = max(due, now - HELD_UP)
    times = times_of(stack, cue)
    last, rate = player.steps[-1], player.rate

    going = Going(due, state.clock.beat_at(due), rate=rate)
    cursor = Cued(
        cue=cue.id,
        number=cue.number,
        going=going,
        from_beat=going.beat,
        went=now,
        things=_things(show, state.clock, player, stack, cue, begin),
    )

    fresh = replace(
        last,
        at=begin,
        until=None,
        aims=dict(routes or {}),
        cursor=cursor,
        lamps=_lamp_fades(show, cue, times, begin, rate),
    )
    fading = StepFade(
        _progress(times, begin, rate),
        times.fade_out / rate,
        times.delay_out / rate,
        begin,
        LONGEST_CHAIN,
    )

    return replace(players.over_to(player, fresh, begin, fading), paused=False)


def _progress(times: CueTimes, begin: float, rate: float) -> Envelope:
    """How a cue comes in."""

    def ramp(delay: float, fade: float) -> Ramp:
        wait, length = seconds(delay) / rate, seconds(fade) / rate
        return Ramp(0.0, 1.0, begin + wait, length)

    families = {f: ramp(own.delay, own.fade) for f, own in times.families.items()}
    return Envelope(ramp(times.delay_in, times.fade_in), families)


def _lamp_fades(
    show: Show, cue: Cue, times: CueTimes, begin: float, rate: float
) -> tuple[LampFade, ...]:
    """How lamps come that have times of their own; each once, with the first that has
    it.
    """
    made = []
    taken: set[str] = set()
    for part in cue.lamps:
        fixtures = [i for i in fixtures_of(show, part.of) if i not in taken]
        if not fixtures:
            continue

        taken.update(fixtures)
        own = own_times(part, times)
        fall = Ramp(0.0, 1.0, begin + own.delay_out / rate, own.fade_out / rate)
        made.append(LampFade(tuple(fixtures), _progress(own, begin, rate), fall))

    return tuple(made)


def own_times(part: LampTimes, times: CueTimes) -> CueTimes:
    """The times of some lamps in a cue; families keep those of the cue."""
    return CueTimes(
        seconds(part.fade_in, times.fade_in),
        seconds(part.fade_out, times.fade_out),
        seconds(part.delay_in, times.delay_in),
        seconds(part.delay_out, times.delay_out),
        times.families,
    )


def _things(
    show: Show, clock: BeatClock, player: Player, stack: Stack, cue: Cue, now: float
) -> dict[str, Going]:
    """Where what a cue plays is: what is still seen of a cue before goes on, all else
    begins.
    """
    known: dict[str, Going] = {}
    for step in player.steps:
        if isinstance(step.cursor, Cued):
            known |= step.cursor.things

    made: dict[str, Going] = {}
    on = contents(stack, cue)
    for part in on.plays:
        key = key_of(part)
        begun = known.get(key) or _begun(show, part.ref, now, clock)
        if begun is None:
            continue

        if key not in known:
            effects = _effects_of(show, on, key)
            begun = begun.with_ahead(dict.fromkeys(effects, player.phase))
        made[key] = begun

    if any(effect.on for effect in on.effects):
        beat = clock.beat_at(now)
        begins = Going(now, beat, 0.0, beat - clock.first)
        effects = _effects_of(show, on, OWN)
        made[OWN] = begins.with_ahead(dict.fromkeys(effects, player.phase))

    return made


def _effects_of(show: Show, on: Contents, key: str) -> list[str]:
    """The effects of one of the things that a cue has on."""
    if key == OWN:
        return [effect.id for effect in on.effects]

    refs = {key_of(part): part.ref for part in on.plays}
    playable = players.playable_of(show, refs[key]) if key in refs else None
    return [] if playable is None else list(kind_of(playable).clocks(playable))


def with_ahead(show: Show, step: Step, by: float) -> Cued:
    """Returns where a step is in its stack with all effects of its cue ahead by so many
    cycles more.
    """
    cursor, stack = step.cursor, show.playables.get(step.ref.id)
    assert isinstance(cursor, Cued)
    cue = stack.cue(cursor.cue) if isinstance(stack, Stack) else None
    if cue is None or not isinstance(stack, Stack):
        return cursor

    on = contents(stack, cue)
    things = {
        key: going.with_ahead(dict.fromkeys(_effects_of(show, on, key), by))
        for key, going in cursor.things.items()
    }
    return replace(cursor, things=things)


def _begun(show: Show, ref: Ref, now: float, clock: BeatClock) -> Going | None:
    """Where something begins that a cue plays; None where it does not move."""
    playable = players.playable_of(show, ref)
    if playable is None:
        return None
    if isinstance(playable, Stack | Timeline):
        return Going(now, clock.beat_at(now))
    cursor = KINDS[playable.kind].start(playable, now, clock)
    return cursor if isinstance(cursor, Going) else None


def begun(show: Show, state: PlayState, now: float, at_once: bool = False) -> PlayState:
    """Returns the state in which each stack that has just been started is on its way to
    its first cue, in the times of that cue; with `at_once` it is there, as is one that
    a fader or a flash brought in. One without cues is not started: a first cue that is
    typed later would come by itself.
    """
    for player in state.players:
        cursor, stack = cursor_of(player), stack_of(show, player)
        if cursor is None or cursor.cue or stack is None:
            continue
        if not stack.cues:
            state = _without_cues(state, player)
        elif not player.releasing and not player.lifts:
            there = at_once or player.weight == Envelope()
            begins = _begin(show, state, player, stack, now, there)
            state = players.put(state, begins)
            state = _besides(show, state, stack, stack.cues[0], now, {})
    return state


def _without_cues(state: PlayState, player: Player) -> PlayState:
    """The state without a stack that has nothing to go to; what it was gone over to
    from is on.
    """
    if len(player.steps) == 1:
        return players.without(state, player.id)
    before = replace(player.steps[-2], until=None)
    return players.put(state, replace(player, steps=(*player.steps[:-2], before)))


def _begin(
    show: Show,
    state: PlayState,
    player: Player,
    stack: Stack,
    now: float,
    at_once: bool,
) -> Player:
    first, step = stack.cues[0], player.steps[-1]
    if len(player.steps) > 1:
        # it is gone over to from something else, in the times of its first cue; what
        # comes only later, in the dark, keeps its own
        there = over_to_cue(show, state, player, first, now, None, step.aims).steps[-1]
        if step.progress.main.begin > now:
            there = replace(step, cursor=there.cursor)
        return replace(player, steps=(*player.steps[:-1], there))

    bare = replace(player, weight=Envelope(), steps=(replace(step, aims={}),))
    on = over_to_cue(show, state, bare, first, now, None, step.aims)
    if at_once:
        there_at_once = replace(on.steps[-1], progress=Envelope(), fall=FULL, lamps=())
        return replace(on, steps=(there_at_once,))
    if player.fades.fade_in is None:
        return on

    # a tile's own time goes before that of the first cue
    progress = Envelope(Ramp(0.0, 1.0, now, seconds(player.fades.fade_in)))
    fresh = replace(on.steps[-1], progress=progress, lamps=())
    return replace(on, steps=(*on.steps[:-1], fresh))


# by hand


def _go(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """On to the next cue; within the guard time after a GO that is not taken."""
    stack, cursor = stack_of(show, player), cursor_of(player)
    if stack is None or cursor is None:
        return state
    since = now - cursor.went
    if cursor.cue and 0.0 <= since < seconds(stack.guard):
        return state
    return go_on(show, state, player, next_cue(stack, cursor), now, now, ways)


def go_on(
    show: Show,
    state: PlayState,
    player: Player,
    cue: Cue | None,
    now: float,
    due: float,
    ways: RoutesByRef,
) -> PlayState:
    """Go to a cue, and do what it does besides."""
    stack = stack_of(show, player)
    if cue is None or stack is None:
        return state

    routes = ways.get(to_cue(stack.ref, cue.id))
    state = players.change(
        state,
        player,
        lambda p: over_to_cue(show, state, p, cue, now, due, routes),
    )
    return _besides(show, state, stack, cue, now, ways)


def _besides(
    show: Show,
    state: PlayState,
    stack: Stack,
    cue: Cue,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """What a cue does besides, by the hand of its stack."""
    return do_all(show, state, cue.does, f"stack:{stack.id}", now, ways)


def do_all(
    show: Show,
    state: PlayState,
    acts: Iterable[CueAct],
    by: str,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """Returns the state after things were done, one after the other, by a hand that is
    nobody's: what is on already stays as it is.
    """
    from choreon.engine.actions import NotTaken, perform  # it knows this

    for act in acts:
        on = players.playing_now(state, act.ref)
        if act.verb == Verb.GO and on:
            state = _go_of_others(show, state, on, now, ways)
            continue
        if act.verb == Verb.RELEASE and on:
            for player in on:
                state = players.release(show, state, player.id, now)
            continue
        if act.verb in STARTS and on:
            continue  # wherever it was started

        edge = Edge.TURN if act.verb in TURNED else Edge.DOWN
        do = Do(act.ref, act.verb, act.value, edge)
        try:
            state = perform(show, state, do, now, ways, by)
        except NotTaken:
            continue  # the check of the stack tells of it

    return state


def _go_of_others(
    show: Show,
    state: PlayState,
    on: list[Player],
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """GO of stacks by the hand of another. Each takes one in a frame: rings of them end
    here.
    """
    for player in on:
        known = state.player(player.id)
        cursor = None if known is None else cursor_of(known)
        stack = None if known is None else stack_of(show, known)
        if known is None or cursor is None or stack is None or cursor.went == now:
            continue
        state = go_on(show, state, known, next_cue(stack, cursor), now, now, ways)
    return state


STARTS = (Verb.START, Verb.SWITCH, Verb.PRESS)
TURNED = (Verb.LEVEL, Verb.VALUE, Verb.RATE, Verb.BPM)


def _back(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """To the cue before, in its times; what would follow that waits for GO."""
    stack, cursor = stack_of(show, player), cursor_of(player)
    cue = None if stack is None or cursor is None else cue_before(stack, cursor)
    if cue is None:
        return state
    return _to(show, state, player, cue, now, ways, waits=True)


def _step(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """To a cue by its place in the list."""
    stack = stack_of(show, player)
    cue = None if stack is None else _cue_at(stack, do.value)
    return state if cue is None else _to(show, state, player, cue, now, ways)


def _to(
    show: Show,
    state: PlayState,
    player: Player,
    cue: Cue,
    now: float,
    ways: RoutesByRef,
    waits: bool = False,
) -> PlayState:
    """To any cue, without what it does besides."""
    stack = stack_of(show, player)
    routes = None if stack is None else ways.get(to_cue(stack.ref, cue.id))

    def gone(one: Player) -> Player:
        there = over_to_cue(show, state, one, cue, now, None, routes)
        return with_cursor(there, lambda cursor: replace(cursor, waits=waits))

    return players.change(state, player, gone)


def _ready(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef,
) -> PlayState:
    """Have a cue come next, by its place in the list; below 0 the one after this."""
    stack = stack_of(show, player)
    if stack is None:
        return state
    cue = _cue_at(stack, do.value)
    chosen = "" if cue is None else cue.id
    return players.change(
        state,
        player,
        lambda p: with_cursor(
            p, lambda cursor: replace(cursor, next=chosen, armed=None)
        ),
    )


def with_cursor(player: Player, make: Callable[[Cued], Cued]) -> Player:
    """A player whose place in its stack was put through a function."""
    step = player.steps[-1]
    if not isinstance(step.cursor, Cued):
        return player
    there = replace(step, cursor=make(step.cursor))
    return replace(player, steps=(*player.steps[:-1], there))


DRIVES: dict[Verb, OwnDrive] = {
    Verb.GO: _go,
    Verb.NEXT: _go,
    Verb.BACK: _back,
    Verb.STEP: _step,
    Verb.READY: _ready,
}


def upcoming_step(
    show: Show, state: PlayState, player: Player | None, stack: Stack, do: Do
) -> Step | None:
    """Returns the step to which doing something would bring a stack that is on, or that
    is started; None where it brings it to none.
    """
    cursor = Cued() if player is None else cursor_of(player)
    if cursor is None:
        return None

    if do.verb == Verb.BACK:
        cue = cue_before(stack, cursor)
    elif do.verb == Verb.STEP:
        cue = _cue_at(stack, do.value)
    else:
        cue = next_cue(stack, cursor)

    return None if cue is None else step_at(stack, cue)


# holding, and rates


def paced(player: Player, rate: float, paused: bool, now: float) -> tuple[Step, ...]:
    """Returns the steps of a player that goes at another rate, or is held, from now on:
    what is left of the fades to a cue takes as much longer, or stands.
    """
    *before, last = player.steps
    if not isinstance(last.cursor, Cued):
        return player.steps

    if rate != player.rate:
        here = now if last.until is None else min(now, last.until)
        last = last.stretched(player.rate / rate, here)
    if paused and not player.paused and not last.done(now):
        last = replace(last, until=now)
    if player.paused and not paused and last.until is not None:
        last = replace(last.fades_shifted(now - last.until), until=None)

    return (*before, last)


# edits


def edited(
    before: CompiledShow, after: CompiledShow, player: Player, now: float
) -> Player:
    """Returns a player on its way to its cue as it is after an edit, from what it was.
    One whose cue did not change, or whose lamps did, stays.
    """
    step = player.steps[-1]
    cursor, old = step.cursor, before.source(step)
    if not isinstance(cursor, Cued) or old is None or old is after.source(step):
        return player
    if before.rig is not after.rig or before.same_part(after.show, step):
        return player

    was = replace(step, cursor=replace(cursor, edit=cursor.edit + 1))
    while after.source_kept(was) is not None:
        was = replace(was, cursor=replace(was.cursor, edit=was.cursor.edit + 1))  # type: ignore[union-attr]
    after.keep(key_of_step(was), old)

    # a fade that goes on takes as long as it would have
    rest = EDITED if step.done(now) else max(EDITED, step.over - now)
    rest = rest if math.isfinite(rest) else EDITED
    fading = StepFade(Envelope(Ramp(0.0, 1.0, now, rest)), rest, longest=LONGEST_CHAIN)
    begun = replace(player, steps=(*player.steps[:-1], was))
    there = replace(step, at=now, until=None, lamps=())
    return replace(players.over_to(begun, there, now, fading), paused=player.paused)
