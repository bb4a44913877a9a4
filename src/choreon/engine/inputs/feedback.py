"""What controls show of what they drive: how high it stands, its colour, and whether it
goes out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from choreon.engine import actions
from choreon.engine.actions.tile_context import playing
from choreon.model.inputs import AnyInput, Control
from choreon.model.refs import PAGE, TILE, TURN, Ref, exists, name_of
from choreon.model.show import Show
from choreon.render.state import PlayState


class Feedback(NamedTuple):
    """What the control of a target shows: how high it stands, 0…1, its colour as
    #RRGGBB (empty: none of its own), whether it is on its way out or waits, and what it
    is called.
    """

    target: Ref
    level: float
    colour: str = ""
    blinks: bool = False
    name: str = ""


PageOf = Callable[[Show, str], str]


def _no_page(show: Show, device: str) -> str:
    return ""


def lights(
    show: Show, state: PlayState, ties: Iterable[AnyInput], page_of: PageOf = _no_page
) -> dict[Control, Feedback]:
    """Returns what tied controls shall show; `page_of`: the page that a device is
    on.
    """
    shown: dict[Control, Feedback] = {}
    for tie in ties:
        front = page_of(show, tie.control.device)
        level = _level(show, state, tie.target, front)
        if level is None:
            continue
        way = level if tie.answer.plain else tie.answer.way(level)
        shown[tie.control] = Feedback(
            tie.target,
            way,
            colour_of(show, tie.target),
            is_armed(state, tie.target)
            or (level <= 0.0 and is_leaving(show, state, tie.target)),
            name_of(show, tie.target),
        )
    return shown


def _level(show: Show, state: PlayState, target: Ref, front: str) -> float | None:
    if target.kind == TURN:
        return float(target.id == front)
    return actions.level_of(show, state, target) if exists(show, target) else None


def colour_of(show: Show, target: Ref) -> str:
    """Returns the colour that a target was given, as #RRGGBB; empty without one."""
    found = show.tile(target.id) if target.kind == TILE else None
    return "" if found is None else getattr(found[1], "colour", "")


def is_armed(state: PlayState, target: Ref) -> bool:
    """Returns whether a tile was pressed and asks to be pressed once more."""
    return target.kind == TILE and target.id in state.asking


def is_leaving(show: Show, state: PlayState, target: Ref) -> bool:
    """Returns whether something of a target is on its way out."""
    if target.kind == PAGE:
        return False
    found = show.tile(target.id) if target.kind == TILE else None
    if found is None:
        return any(p.ref == target and p.releasing for p in state.players)
    ids = {one.player_id for one in playing(show, *found)}
    return any(p.id in ids and p.releasing for p in state.players)
