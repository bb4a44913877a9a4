"""Scenes, in the window."""

from __future__ import annotations

from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.ui import words
from choreon.ui.kinds.base import UiKind


def _look(scene: Scene) -> Look:
    return scene.look


def _about(show: Show, scene: Scene) -> str:
    if not scene.look:
        return scene.name
    gone = sum(i not in show.fixtures for i in scene.look)
    missing = ""
    if gone:
        missing = f"\n{gone} of its fixtures do not hang; they are kept in it."
    return f"{scene.name}: {words.summary(scene.look)}{missing}"


def _tail(scene: Scene) -> str:
    return "" if scene.look else "empty"


SCENE = UiKind("scene", "keep", _look, _about, _tail, takes=True)
