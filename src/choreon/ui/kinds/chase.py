"""Chases, in the window."""

from __future__ import annotations

from choreon.language import plural, tr
from choreon.model.chases import round_length
from choreon.model.patterns import rule_of
from choreon.model.playables import Chase
from choreon.model.playables.chase import steps_of
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.sources.chase import own_time, rounds_of, step_name
from choreon.render.state import AnyCursor, Time
from choreon.terms import a_round, term
from choreon.ui.kinds.base import StepsInWords, UiKind


def _look(chase: Chase) -> Look:
    return {}


def _about(show: Show, chase: Chase) -> str:
    what = tr(
        "{name}: {steps}, {a_round}, {run}",
        name=chase.name,
        steps=plural(len(steps_of(show, chase)), "{n} step", "{n} steps"),
        a_round=a_round(round_length(show, chase), chase.unit),
        run=term(chase.run),
    )

    if chase.pattern is not None:
        rule = rule_of(chase.pattern.rule)
        lamps = len(chase.pattern.lamps) - len(chase.pattern.left_out)
        name = rule.name if rule else tr("a pattern that is not known")
        what += "\n" + plural(
            lamps,
            "pattern “{name}” over {n} fixture",
            "pattern “{name}” over {n} fixtures",
            name=name,
        )

    return what


def _tail(chase: Chase) -> str:
    if chase.pattern is not None:
        return tr("pattern")
    if not chase.steps:
        return tr("empty")
    return plural(len(chase.steps), "{n} step", "{n} steps")


def _moves(chase: Chase) -> bool:
    return chase.pattern is not None or len(chase.steps) > 1


def _steps(show: Show, chase: Chase) -> StepsInWords:
    steps = steps_of(show, chase)
    names = [step_name(show, step) for step in steps]
    rounds = rounds_of(chase, steps)

    def told(cursor: AnyCursor, time: Time) -> str:
        if not names:
            return tr("no steps")
        spot = rounds.at(own_time(chase, time))
        after = rounds.step_at(spot.number + 1)
        return tr(
            "{step} {now}  →  {after} {next}",
            step=spot.step + 1,
            now=names[spot.step],
            after=after + 1,
            next=names[after],
        )

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
