"""Scenes, in the window."""

from __future__ import annotations

from choreon.model.effects import motion_of
from choreon.model.motion import title
from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.ui import words
from choreon.ui.kinds.base import UiKind


def _look(scene: Scene) -> Look:
    return scene.look


def _about(show: Show, scene: Scene) -> str:
    if not scene.look and not scene.effects:
        return scene.name
    gone = sum(i not in show.fixtures for i in scene.look)
    missing = ""
    if gone:
        missing = f"\n{gone} of its fixtures do not hang; they are kept in it."
    moving = "".join(
        f"\n{title(motion_of(show, effect))}" for effect in scene.effects if effect.on
    )
    summary = words.summary(scene.look, scene.effects)
    return f"{scene.name}: {summary}{missing}{moving}"


def _tail(scene: Scene) -> str:
    if _moves(scene):
        return "moves"
    return "" if scene.look else "empty"


def _moves(scene: Scene) -> bool:
    return any(effect.on for effect in scene.effects)


SCENE = UiKind("scene", "keep", _look, _about, _tail, takes=True, moves=_moves)
