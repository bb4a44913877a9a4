"""The layers of a canvas, the highest first, each as it looks by itself."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent

from choreon.language import facts, tr
from choreon.model import canvases
from choreon.model.playables.canvas import AnyLayer, Mode
from choreon.render.canvas.layers import Placed
from choreon.terms import term
from choreon.ui import theme
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.stage import cells as drawn
from choreon.ui.widgets.moving_grid import MovingGrid
from choreon.ui.widgets.spoken import Role, Spoken, tell

TALL = 46
EYE = 30.0  # pixels at the left that switch a layer on and off
FACE = 58.0


class LayerList(MovingGrid):
    """Layers below each other. `chosen` tells the one that was pressed; `switched` one
    that is to be on or off; `taken` one that is to go.
    """

    chosen = Signal(str)
    switched = Signal(str)
    taken = Signal(str)

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(
            tr("Layers"),
            tr("Layers, the highest first: press one to change it, the dot to hide it"),
            240,
            TALL,
        )
        self.hand = hand
        hand.changed.connect(self.follow)

    @property
    def layers(self) -> tuple[AnyLayer, ...]:
        """The layers, the highest first."""
        canvas = self.hand.canvas
        return () if canvas is None else canvas.layers[::-1]

    def follow(self) -> None:
        """There are others, or they look otherwise."""
        self.fit()
        tell(self)

    def count(self) -> int:
        """How many there are."""
        return len(self.layers)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the layer in hand."""
        layer = self.hand.layer
        if layer is None:
            return Spoken(Role.List, tr("nothing painted"))
        return Spoken(Role.List, self._told(layer), is_on=layer.on)

    def _told(self, layer: AnyLayer) -> str:
        return facts(canvases.title(layer), self._how(layer))

    def _how(self, layer: AnyLayer) -> str:
        """How a layer lies on what is below it, in words."""
        opacity = round(100.0 * layer.opacity)
        if layer.mode == Mode.COVER and opacity == 100:
            return ""
        return tr("{mode} {n} %", mode=term(layer.mode), n=opacity)

    def draw(self, painter: QPainter, rect: QRectF, index: int) -> None:
        """Draw a layer: whether it is on, as it looks, its name, how it lies."""
        layer = self.layers[index]
        in_hand = layer.id == self.hand.layer_id
        self.draw_ground(painter, rect, in_hand, in_hand)
        dot = QPointF(rect.left() + EYE / 2.0, rect.center().y())
        painter.setPen(QPen(QColor(theme.SOFT), 1.5))
        painter.setBrush(QColor(theme.LIVE) if layer.on else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(dot, 5.0, 5.0)

        face = QRectF(rect.left() + EYE, rect.top() + 4, FACE, rect.height() - 8)
        self._draw_face(painter, face, layer)
        painter.setPen(QColor(theme.TEXT if layer.on else theme.SOFT))
        painter.setFont(theme.font(13))
        words = QRectF(rect)
        words.setLeft(face.right() + 8)
        words.setRight(rect.right() - 6)
        how = self._how(layer)
        if how:
            words.setHeight(rect.height() / 2.0 + 3)
        name = painter.fontMetrics().elidedText(
            canvases.title(layer), Qt.TextElideMode.ElideRight, int(words.width())
        )
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, name)
        if how:
            painter.setPen(QColor(theme.SOFT))
            painter.setFont(theme.font(12))
            low = QRectF(words.left(), words.bottom() - 4, words.width(), 18)
            painter.drawText(low, Qt.AlignmentFlag.AlignVCenter, how)

    def _draw_face(self, painter: QPainter, face: QRectF, layer: AnyLayer) -> None:
        placed = self._placed(layer)
        cells = self.hand.cells
        if placed is None or cells is None:
            painter.fillRect(face, QColor(theme.STAGE_BLACK))
            return
        time, ahead, size = self.hand.time()
        gone = layer.rate.cycles(*time[:2]) + layer.start + ahead.get(layer.id, 0.0)
        light = placed.paint(placed.part_of_cycle(gone), size)
        painter.save()
        painter.setClipRect(face)
        drawn.draw(painter, cells, light, face)
        painter.restore()

    def _placed(self, layer: AnyLayer) -> Placed | None:
        source = self.hand.source
        if source is None:
            return None
        return next((made for known, made in source.layers if known is layer), None)

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a layer, or switch it."""
        index = self.index_at(event.position().toPoint())
        if index < 0:
            return
        layer = self.layers[index]
        left = self.rect_of(index).left()
        if event.position().x() < left + EYE:
            self.switched.emit(layer.id)
        else:
            self.chosen.emit(layer.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows choose; Space switches on and off; Delete takes out."""
        ids = [layer.id for layer in self.layers]
        here = ids.index(self.hand.layer_id) if self.hand.layer_id in ids else 0
        to = self.beside(event, here)
        if to is not None and ids:
            self.chosen.emit(ids[to])
            self.into_sight(to)
        elif event.key() == Qt.Key.Key_Space and ids:
            self.switched.emit(ids[here])
        elif event.key() == Qt.Key.Key_Delete and ids:
            self.taken.emit(ids[here])
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """One below the other, as wide as there is room."""
        self.wide = max(120, self.viewport().width())
        super().resizeEvent(event)
