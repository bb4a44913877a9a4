"""Chases, in the window."""

from __future__ import annotations

from choreon.model.chases import round_length
from choreon.model.patterns import rule_of
from choreon.model.playables import Chase
from choreon.model.playables.chase import steps_of
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.sources.chase import own_time, rounds_of, step_name
from choreon.render.state import Time
from choreon.ui import words
from choreon.ui.kinds.base import StepsInWords, UiKind


def _look(chase: Chase) -> Look:
    return {}


def _about(show: Show, chase: Chase) -> str:
    count = words.count(len(steps_of(show, chase)), "step")
    length = round_length(show, chase)
    what = f"{chase.name}: {count}, {length:.3g} {chase.unit} a round, {chase.run}"
    if chase.pattern is not None:
        rule = rule_of(chase.pattern.rule)
        lamps = len(chase.pattern.lamps) - len(chase.pattern.left_out)
        name = rule.name if rule else "a pattern that is not known"
        what += f"\npattern “{name}” over {words.count(lamps, 'fixture')}"
    return what


def _tail(chase: Chase) -> str:
    if chase.pattern is not None:
        return "pattern"
    return words.count(len(chase.steps), "step") if chase.steps else "empty"


def _moves(chase: Chase) -> bool:
    return chase.pattern is not None or len(chase.steps) > 1


def _steps(show: Show, chase: Chase) -> StepsInWords:
    steps = steps_of(show, chase)
    names = [step_name(show, step) for step in steps]
    rounds = rounds_of(chase, steps)

    def told(time: Time) -> str:
        if not names:
            return "no steps"
        spot = rounds.at(own_time(chase, time))
        after = rounds.step_at(spot.number + 1)
        return f"{spot.step + 1} {names[spot.step]}  →  {after + 1} {names[after]}"

    return told


CHASE = UiKind(
    "chase",
    "steps",
    _look,
    _about,
    _tail,
    takes=False,
    moves=_moves,
    opens=True,
    steps=_steps,
)
