"""Chases by hand: from step to step."""

from __future__ import annotations

from choreon.engine.actions.kinds import Stepped, Wanted
from choreon.model.playables import Chase
from choreon.model.playables.chase import Unit, steps_of
from choreon.model.show import Show
from choreon.render.sources.chase import Rounds, moved_to, own_time, rounds_of
from choreon.render.state import AnyCursor, BeatClock, Going


def step_chase(
    show: Show,
    chase: Chase,
    cursor: AnyCursor,
    clock: BeatClock,
    now: float,
    wanted: Wanted,
) -> Stepped | None:
    """Returns the cursor with which a chase stands where it has just come to a step;
    None where it has no such step, or none at all.
    """
    rounds = rounds_of(chase, steps_of(show, chase))
    if not rounds.count or not isinstance(cursor, Going):
        return None

    beat = clock.beat_at(now)
    time = cursor.time(now, beat)
    number = _number(rounds, own_time(chase, time), wanted)

    if number is None:
        return None

    going = cursor.going_at(cursor.rate, now, beat)
    there = moved_to(chase, going, going.time(now, beat), rounds.own_time(number))
    fade = rounds.fades[rounds.step_at(number)]

    if chase.unit == Unit.BEATS:
        fade *= 60.0 / clock.bpm

    return Stepped(there, fade)


def _number(rounds: Rounds, own: float, wanted: Wanted) -> int | None:
    """How many steps come before the wanted one; None where there is none such."""
    order = rounds.order(0)
    if wanted.step is not None:
        return order.index(wanted.step) if wanted.step in order else None

    number = rounds.at(own).number + wanted.by
    # before the first is the last
    return max(0, number + len(order) if number < 0 else number)


def beat_of_chase(show: Show, chase: Chase, clock: BeatClock) -> float | None:
    """Returns the seconds that a step takes as stored; None where there is none."""
    rounds = rounds_of(chase, steps_of(show, chase))
    if not rounds.count:
        return None

    length = rounds.own_time(2) - rounds.own_time(1)
    return length * 60.0 / clock.bpm if chase.unit == Unit.BEATS else length
