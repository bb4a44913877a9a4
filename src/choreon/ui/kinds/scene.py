"""Scenes, in the window."""

from __future__ import annotations

from choreon.language import plural, tr
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
    summary = words.summary(scene.look, scene.effects)
    lines = [tr("{name}: {summary}", name=scene.name, summary=summary)]

    if gone:
        lines.append(
            plural(
                gone,
                "{n} of its fixtures does not hang; it is kept in it.",
                "{n} of its fixtures do not hang; they are kept in it.",
            )
        )

    lines += [title(motion_of(show, effect)) for effect in scene.effects if effect.on]
    return "\n".join(lines)


def _tail(scene: Scene) -> str:
    if _moves(scene):
        return tr("moves")
    return "" if scene.look else tr("empty")


def _moves(scene: Scene) -> bool:
    return any(effect.on for effect in scene.effects)


SCENE = UiKind("scene", "keep", _look, _about, _tail, takes=True, moves=_moves)
