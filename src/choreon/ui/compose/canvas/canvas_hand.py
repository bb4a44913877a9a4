"""The canvas in hand: which one is open, which of its layers, what it gives now, and
edits of it.
"""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtCore import QObject, Signal

from choreon.language import tr
from choreon.model import canvases
from choreon.model.playables import Canvas
from choreon.model.playables.canvas import AnyLayer, PaintedLayer
from choreon.model.refs import Ref
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.render.canvas.layout import CanvasCells
from choreon.render.rig import Floats
from choreon.render.sources.canvas import CanvasSource
from choreon.render.state import Player, Time
from choreon.ui.parts import Parts


class CanvasHand(QObject):
    """What board and panel show together. `changed`: another canvas, another layer, or
    an edit.
    """

    changed = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.ref: Ref | None = None
        self.layer_id = ""
        self.frame = 0  # of a painted layer
        self._began = time.monotonic()
        self._source: tuple[tuple[object, ...], CanvasSource] | None = None
        parts.document.show_changed.connect(lambda _: self._follow())

    @property
    def show(self) -> Show:
        """The show as it is now."""
        return self.parts.document.show

    @property
    def canvas(self) -> Canvas | None:
        """The canvas; None where none is open, or it is gone."""
        return None if self.ref is None else canvases.canvas_of(self.show, self.ref)

    @property
    def layer(self) -> AnyLayer | None:
        """The layer in hand."""
        canvas = self.canvas
        return None if canvas is None else canvas.layer(self.layer_id)

    @property
    def painted(self) -> PaintedLayer | None:
        """The layer in hand where it is one to be painted on."""
        layer = self.layer
        return layer if isinstance(layer, PaintedLayer) else None

    def open(self, ref: Ref | None) -> None:
        """Take a canvas in hand, its highest layer first."""
        self.ref = ref
        self._began = time.monotonic()
        canvas = self.canvas
        layers = () if canvas is None else canvas.layers
        self.layer_id = layers[-1].id if layers else ""
        self.frame = 0
        self.changed.emit()

    def choose(self, layer_id: str) -> None:
        """Take a layer in hand."""
        if layer_id != self.layer_id:
            self.layer_id, self.frame = layer_id, 0
            self.changed.emit()

    def choose_frame(self, frame: int) -> None:
        """Take a frame of a painted layer in hand."""
        self.frame = frame
        self.changed.emit()

    def _follow(self) -> None:
        canvas = self.canvas
        if canvas is not None and canvas.layer(self.layer_id) is None:
            self.layer_id = canvas.layers[-1].id if canvas.layers else ""
        painted = self.painted
        if painted is not None:
            self.frame = max(0, min(self.frame, len(painted.frames) - 1))
        self.changed.emit()

    # what it gives

    @property
    def source(self) -> CanvasSource | None:
        """The canvas, compiled over its cells."""
        canvas, show = self.canvas, self.show
        if canvas is None:
            return None
        rig = self.parts.preview.compiled.rig
        made_of = (canvas, rig, show.groups, show.palettes, show.images)
        if self._source is None or not very_same(self._source[0], made_of):
            self._source = made_of, CanvasSource(show, rig, canvas)
        return self._source[1]

    @property
    def cells(self) -> CanvasCells | None:
        """Its cells."""
        source = self.source
        return None if source is None else source.cells

    @property
    def player(self) -> Player | None:
        """What plays it; None where it is not on."""
        players = self.parts.engine.state.players
        return next((p for p in players if p.ref == self.ref), None)

    def time(self) -> tuple[Time, dict[str, float], float]:
        """Returns where in it one looks, by how much layers are ahead, and how large it
        is: as it plays, else by a clock of its own.
        """
        now, state = time.monotonic(), self.parts.engine.state
        player = self.player
        if player is not None and player.steps:
            cursor = player.steps[-1].cursor
            own = cursor.time(now, state.beat(now))
            return own, dict(cursor.ahead), player.size
        return (
            Time(now - self._began, state.beat(now) - state.beat(self._began)),
            {},
            1.0,
        )

    def light(self) -> Floats | None:
        """Returns what its cells give now (4, n)."""
        source = self.source
        return None if source is None else source.seen(*self.time())

    # edits

    def edit(self, name: str, show: Show) -> None:
        """Make an edit of the show."""
        self.parts.document.edit(name, show)

    def change(self, **fields: Any) -> None:
        """Change the canvas."""
        canvas = self.canvas
        if canvas is not None:
            name = tr("change {name}", name=canvas.name)
            self.edit(name, canvases.change(self.show, canvas.ref, **fields))

    def change_layout(self, **fields: Any) -> None:
        """Change where its cells lie."""
        canvas = self.canvas
        if canvas is not None:
            name = tr("lay out {name}", name=canvas.name)
            self.edit(name, canvases.change_layout(self.show, canvas.ref, **fields))

    def change_layer(self, **fields: Any) -> None:
        """Change the layer in hand."""
        canvas = self.canvas
        if canvas is not None and self.layer is not None:
            name = tr("change {name}", name=canvases.title(self.layer))
            show = canvases.change_layer(self.show, canvas.ref, self.layer_id, **fields)
            self.edit(name, show)

    def add_layer(self, layer: AnyLayer) -> None:
        """Add a layer, and take it in hand."""
        canvas = self.canvas
        if canvas is None:
            return
        show, layer_id = canvases.add_layer(self.show, canvas.ref, layer)
        self.layer_id, self.frame = layer_id, 0
        self.edit(tr("add {name}", name=canvases.title(layer)), show)
