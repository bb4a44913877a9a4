"""What groups are given from tiles, in the window."""

from __future__ import annotations

from choreon.language import tr
from choreon.model.playables import Given
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.terms import term
from choreon.ui.kinds.base import UiKind


def _look(given: Given) -> Look:
    return {}


def _about(show: Show, given: Given) -> str:
    return tr("{name}: {family}", name=given.name, family=term(given.family))


def _tail(given: Given) -> str:
    return term(given.family)


def _moves(given: Given) -> bool:
    return given.moves


GIVEN = UiKind(
    "given",
    "groups",
    _look,
    _about,
    _tail,
    takes=False,
    moves=_moves,
    shelved=False,
)
