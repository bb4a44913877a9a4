"""Stacks of cues, in the window."""

from __future__ import annotations

from choreon.language import plural, tr
from choreon.model.playables import Stack
from choreon.model.playables.stack import called
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.state import AnyCursor, Cued, Time
from choreon.ui.kinds.base import StepsInWords, UiKind


def _look(stack: Stack) -> Look:
    return {}


def _about(show: Show, stack: Stack) -> str:
    cues = plural(len(stack.cues), "{n} cue", "{n} cues")
    if not stack.cues:
        return tr("{name}: {cues}", name=stack.name, cues=cues)
    return tr(
        "{name}: {cues}, from {first} to {last}",
        name=stack.name,
        cues=cues,
        first=called(stack.cues[0]),
        last=called(stack.cues[-1]),
    )


def _tail(stack: Stack) -> str:
    if not stack.cues:
        return tr("empty")
    return plural(len(stack.cues), "{n} cue", "{n} cues")


def _moves(stack: Stack) -> bool:
    return False  # it stands at its first cue, till GO


def _steps(show: Show, stack: Stack) -> StepsInWords:
    def told(cursor: AnyCursor, time: Time) -> str:
        if not isinstance(cursor, Cued):
            return ""
        here, then = stack.cue(cursor.cue), stack.after(cursor.number)
        if cursor.next:
            then = stack.cue(cursor.next) or then
        now = tr("a cue that is gone") if here is None else called(here)
        if then is None:
            return tr("{now}  ·  the last", now=now)
        return tr("{now}  →  {then}", now=now, then=called(then))

    return told


STACK = UiKind(
    "stack",
    "score",
    _look,
    _about,
    _tail,
    takes=False,
    moves=_moves,
    steps=_steps,
)
