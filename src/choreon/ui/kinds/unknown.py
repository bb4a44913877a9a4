"""What this Choreon cannot play, in the window: it is shown, and kept."""

from __future__ import annotations

from choreon.language import tr
from choreon.model.playables import Unknown
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.ui.kinds.base import UiKind


def _look(thing: Unknown) -> Look:
    return {}


def _about(show: Show, thing: Unknown) -> str:
    return tr(
        "{name} is a {kind}, which this Choreon cannot play. It is kept as it is.",
        name=thing.name,
        kind=thing.stored_kind,
    )


def _tail(thing: Unknown) -> str:
    return "unknown"


def _moves(thing: Unknown) -> bool:
    return False


UNKNOWN = UiKind("unknown", "more", _look, _about, _tail, takes=False, moves=_moves)
