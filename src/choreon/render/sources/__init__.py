"""All that plays, as light: a file a kind, one registry."""

from __future__ import annotations

from choreon.model.playables import Canvas, Chase, Given, Scene, Stack, Timeline
from choreon.render.sources.base import Compile, CompileContext, Source
from choreon.render.sources.canvas import compile_canvas
from choreon.render.sources.chase import compile_chase
from choreon.render.sources.given import compile_given
from choreon.render.sources.scene import compile_scene
from choreon.render.sources.stack import compile_stack
from choreon.render.sources.timeline import compile_timeline

SOURCES: dict[str, Compile] = {
    Scene.kind: compile_scene,
    Chase.kind: compile_chase,
    Stack.kind: compile_stack,
    Timeline.kind: compile_timeline,
    Canvas.kind: compile_canvas,
    Given.kind: compile_given,
}
"""Kind → how one of it is compiled. A kind that is not here gives no light."""

__all__ = ["SOURCES", "Compile", "CompileContext", "Source"]
