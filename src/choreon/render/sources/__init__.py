"""All that plays, as light: a file a kind, one registry."""

from __future__ import annotations

from choreon.model.playables import Scene
from choreon.render.sources.base import Compile, Source
from choreon.render.sources.scene import compile_scene

SOURCES: dict[str, Compile] = {
    Scene.kind: compile_scene,
}
"""Kind → how one of it is compiled. A kind that is not here gives no light."""

__all__ = ["SOURCES", "Compile", "Source"]
