"""The cells of a canvas in large, as they look: brushed out and in, and painted on."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QHideEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.language import plural, tr
from choreon.model import canvases, painting
from choreon.model.painting import Clipping, Colour, Field
from choreon.model.playables.canvas import PaintedLayer, fixtures_of
from choreon.render.canvas.layout import items_of
from choreon.render.choice import Item
from choreon.ui import theme
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.stage import cells as drawn
from choreon.ui.widgets.spoken import Role, Spoken, tell

PERIOD = 50  # milliseconds between pictures
EDGE = 14.0  # pixels around the frame
ZOOMS = 1.15  # times as large by a notch of the wheel
GHOST = 0.28  # how strongly the frame before shines through
NEAR = 12.0  # pixels within which a press means a cell


class Tool(StrEnum):
    """What a press on the cells does."""

    MOVE = "move"
    LEAVE = "leave out"
    BRUSH = "brush"
    FILL = "fill"
    LINE = "line"
    RECTANGLE = "rectangle"
    PICK = "pick"
    PART = "part"


PAINTS = (Tool.BRUSH, Tool.FILL, Tool.LINE, Tool.RECTANGLE, Tool.PICK, Tool.PART)


class CanvasView(QWidget):
    """Cells in large. `picked`: a colour was taken from a field; `part_chosen`: a part
    of the frame was marked.
    """

    picked = Signal(tuple)
    part_chosen = Signal()

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self.tool = Tool.MOVE
        self.colour: Colour = (255, 255, 255, 255)
        self.ghost = True
        self.spot: Field = (0, 0)
        self.part: tuple[Field, Field] | None = None
        self._begun: Field | None = None
        self._drawn: list[Field] = []
        self._drag: tuple[QPointF, float, float] | None = None
        self._leaving: bool | None = None
        self.setMinimumSize(200, 120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Cells of the canvas"))
        self._tick = QTimer(self, interval=PERIOD)
        self._tick.timeout.connect(self.update)
        hand.changed.connect(self._follow)

    def sizeHint(self) -> QSize:
        return QSize(420, 220)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the field under the keys, else how
        many cells there are.
        """
        painted = self.hand.painted
        if painted is not None and self.tool in PAINTS:
            column, row = self.spot
            colour = painting.colour_at(painted, self.hand.frame, self.spot)
            name = QColor(*colour[:3]).name() if colour[3] else tr("clear")
            return Spoken(
                Role.Canvas,
                tr(
                    "column {column}, row {row}: {name}",
                    column=column + 1,
                    row=row + 1,
                    name=name,
                ),
            )
        cells = self.hand.cells
        count = 0 if cells is None else len(cells.items)
        return Spoken(Role.Canvas, plural(count, "{n} cell", "{n} cells"))

    def set_tool(self, tool: Tool) -> None:
        """Have a press do something else."""
        self.tool = tool
        if tool != Tool.PART:
            self.part = None
        paints = tool in PAINTS or tool == Tool.LEAVE
        shape = Qt.CursorShape.CrossCursor if paints else Qt.CursorShape.SizeAllCursor
        self.setCursor(shape)
        self.update()

    def _follow(self) -> None:
        painted = self.hand.painted
        if painted is not None:
            column, row = self.spot
            last = painted.columns - 1, painted.rows - 1
            self.spot = min(column, last[0]), min(row, last[1])
        self.update()

    # where things are

    @property
    def frame(self) -> QRectF:
        """Where the frame of the canvas is drawn."""
        room = QRectF(self.rect()).adjusted(EDGE, EDGE, -EDGE, -EDGE)
        cells = self.hand.cells
        return room if cells is None else drawn.frame_in(cells, room)

    def point_of(self, item: Item) -> QPointF | None:
        """Returns where a cell is drawn."""
        cells = self.hand.cells
        if cells is None or item not in cells.items:
            return None
        n = cells.items.index(item)
        return drawn.rects_of(cells, self.frame)[n].center()

    def item_at(self, point: QPointF) -> Item | None:
        """Returns the cell at a point, or close to it; those left out among them."""
        cells = self.hand.cells
        if cells is None:
            return None
        best, found = NEAR, None
        for item, rect in [*self._rects(), *self.left_out()]:
            away = (rect.center() - point).manhattanLength()
            away = 0.0 if rect.contains(point) else away
            if away < best:
                best, found = away, item
        return found

    def _rects(self) -> list[tuple[Item, QRectF]]:
        cells = self.hand.cells
        if cells is None:
            return []
        return list(zip(cells.items, drawn.rects_of(cells, self.frame), strict=True))

    def left_out(self) -> list[tuple[Item, QRectF]]:
        """Returns the cells that take no part, and where they lie: below the frame, in
        a row, for they have no place in it.
        """
        canvas = self.hand.canvas
        if canvas is None or not canvas.layout.left_out:
            return []
        rig = self.hand.parts.preview.compiled.rig
        here = fixtures_of(self.hand.show, canvas.layout)
        fixtures = [fixture for fixture in here if fixture in rig.fixtures]
        whole = items_of(rig, canvases.replace(canvas.layout, left_out={}), fixtures)
        taking = set(items_of(rig, canvas.layout, fixtures))
        out = [item for item in whole if item not in taking]
        step = min(18.0, (self.width() - 2 * EDGE) / max(1, len(out)))
        low = self.height() - 15.0
        return [
            (item, QRectF(EDGE + n * step, low, min(12.0, step - 1.0), 12.0))
            for n, item in enumerate(out)
        ]

    def field_at(self, point: QPointF) -> Field:
        """Returns the field of the frame in hand at a point."""
        painted, frame = self.hand.painted, self.frame
        if painted is None:
            return 0, 0
        x = (point.x() - frame.left()) / frame.width() * painted.columns
        y = (point.y() - frame.top()) / frame.height() * painted.rows
        return int(np.floor(x)), int(np.floor(y))

    def field_rect(self, field: Field) -> QRectF:
        """Returns where a field is drawn."""
        painted, frame = self.hand.painted, self.frame
        assert painted is not None
        wide, high = frame.width() / painted.columns, frame.height() / painted.rows
        column, row = field
        return QRectF(
            frame.left() + column * wide, frame.top() + row * high, wide, high
        )

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.STAGE_BLACK))
        cells = self.hand.cells
        if cells is None or not cells.items:
            painter.setPen(QColor(theme.SOFT))
            text = tr("Choose fixtures, then press “Add the chosen” beside.")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return

        frame = self.frame
        painted = self.hand.painted if self.tool in PAINTS else None
        if painted is not None:
            self._draw_painting(painter, frame, painted)
        else:
            light = self.hand.light()
            room = QRectF(self.rect()).adjusted(EDGE, EDGE, -EDGE, -EDGE)
            if light is not None:
                drawn.draw(painter, cells, light, room, ground=False)
            self._draw_outside(painter)

        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)
        self._draw_left_out(painter)

    def _draw_outside(self, painter: QPainter) -> None:
        """A rim around cells that the picture does not reach."""
        cells = self.hand.cells
        if cells is None or not cells.outside.any():
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        pen = QPen(QColor(theme.ALARM), 1.5)
        pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        for n, (_, rect) in enumerate(self._rects()):
            if cells.outside[n]:
                painter.drawRect(rect)

    def _draw_left_out(self, painter: QPainter) -> None:
        painter.setPen(QPen(QColor(theme.KEEP), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for _, rect in self.left_out():
            painter.drawRect(rect)
            painter.drawLine(rect.topLeft(), rect.bottomRight())

    def _draw_painting(
        self, painter: QPainter, frame: QRectF, painted: PaintedLayer
    ) -> None:
        """The fields of the frame in hand, the one before shining through, and where
        the cells lie on them.
        """
        before = self.hand.frame - 1
        if self.ghost and before >= 0:
            painter.setOpacity(GHOST)
            painter.drawImage(frame, frame_image(painted, before))
        painter.setOpacity(1.0)
        shown = self._with_stroke(painted)
        painter.drawImage(frame, frame_image(shown, self.hand.frame))

        painter.setPen(QPen(theme.colour(theme.SOFT, 0.35), 1))
        for column in range(1, painted.columns):
            x = self.field_rect((column, 0)).left()
            painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
        for row in range(1, painted.rows):
            y = self.field_rect((0, row)).top()
            painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.3), 1))
        for _, rect in self._rects():
            painter.drawEllipse(rect.center(), 3.0, 3.0)
        self._draw_marks(painter)

    def _draw_marks(self, painter: QPainter) -> None:
        if self.part is not None:
            begin, end = (self.field_rect(field) for field in self.part)
            pen = QPen(QColor(theme.CHOSEN), 2)
            pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawRect(begin.united(end))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.drawRect(self.field_rect(self.spot))

    def _with_stroke(self, painted: PaintedLayer) -> PaintedLayer:
        """The layer with what is being drawn and was not let go yet."""
        if not self._drawn or self.tool not in (Tool.LINE, Tool.RECTANGLE):
            return painted
        return painting.painted(painted, self.hand.frame, self._drawn, self.colour)

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin what the tool does."""
        if event.button() != Qt.MouseButton.LeftButton:
            super().mousePressEvent(event)
            return
        point = event.position()
        if self.tool == Tool.LEAVE:
            self._leave(point)
        elif self.tool in PAINTS and self.hand.painted is not None:
            self.spot = self._held(self.field_at(point))
            self._begin(self.spot)
        else:
            self._grasp(point)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Go on with it."""
        point = event.position()
        if self._leaving is not None:
            self._leave(point)
        elif self._begun is not None:
            self._go_on(self._held(self.field_at(point)))
        elif self._drag is not None:
            self._move_layer(point)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End it."""
        self._leaving = self._drag = None
        if self._begun is not None:
            self._end()

    def _grasp(self, point: QPointF) -> None:
        layer = self.hand.layer
        if layer is not None:
            self._drag = point, layer.x, layer.y

    def _move_layer(self, point: QPointF) -> None:
        assert self._drag is not None
        begin, x, y = self._drag
        frame = self.frame
        x += (point.x() - begin.x()) / frame.width()
        y -= (point.y() - begin.y()) / frame.height()
        self.hand.change_layer(x=round(x, 3), y=round(y, 3))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """The wheel makes the layer in hand larger or smaller."""
        layer = self.hand.layer
        turned = event.angleDelta().y()
        if layer is None or not turned or self.tool != Tool.MOVE:
            super().wheelEvent(event)
            return
        zoom = layer.zoom * (ZOOMS if turned > 0 else 1.0 / ZOOMS)
        self.hand.change_layer(zoom=round(min(10.0, max(0.1, zoom)), 3))

    def _leave(self, point: QPointF) -> None:
        """Leave the cell under a point out, or have it take part again: all that are
        swept over as the first one.
        """
        item, canvas = self.item_at(point), self.hand.canvas
        if item is None or canvas is None:
            return
        out = item[1] in canvas.layout.left_out.get(item[0], ())
        if self._leaving is None:
            self._leaving = not out
        if out != self._leaving:
            name = tr("leave cells out") if self._leaving else tr("take cells in")
            show = self.hand.show
            made = canvases.leave_out(show, canvas.ref, [item], self._leaving)
            self.hand.edit(name, made)

    def _held(self, field: Field) -> Field:
        painted = self.hand.painted
        if painted is None:
            return field
        column = min(painted.columns - 1, max(0, field[0]))
        return column, min(painted.rows - 1, max(0, field[1]))

    def _begin(self, field: Field) -> None:
        painted = self.hand.painted
        assert painted is not None
        frame = self.hand.frame
        if self.tool == Tool.PICK:
            self.picked.emit(painting.colour_at(painted, frame, field))
            return
        if self.tool == Tool.FILL:
            self._paint(painting.alike(painted, frame, field))
            return
        self._begun = field
        self._drawn = [field]
        if self.tool == Tool.BRUSH:
            self._paint([field])
        self._go_on(field)

    def _go_on(self, field: Field) -> None:
        assert self._begun is not None
        if self.tool == Tool.BRUSH:
            self._paint(painting.line(self.spot, field))
        elif self.tool == Tool.LINE:
            self._drawn = painting.line(self._begun, field)
        elif self.tool == Tool.RECTANGLE:
            self._drawn = painting.rectangle(self._begun, field)
        elif self.tool == Tool.PART:
            self.part = self._begun, field
        self.spot = field
        self.update()

    def _end(self) -> None:
        if self.tool in (Tool.LINE, Tool.RECTANGLE):
            self._paint(self._drawn)
        elif self.tool == Tool.PART:
            self.part_chosen.emit()
        self._begun, self._drawn = None, []
        self.update()

    def _paint(self, fields: list[Field]) -> None:
        painted = self.hand.painted
        if painted is not None:
            made = painting.painted(painted, self.hand.frame, fields, self.colour)
            self.hand.change_layer(frames=made.frames)

    def copied(self) -> Clipping | None:
        """Returns the part that is marked; the whole frame where none is."""
        painted = self.hand.painted
        if painted is None:
            return None
        whole = (0, 0), (painted.columns - 1, painted.rows - 1)
        return painting.part_of(painted, self.hand.frame, *(self.part or whole))

    def paste(self, part: Clipping) -> None:
        """Lay a part on the frame in hand: where one is marked, else in the corner."""
        painted = self.hand.painted
        if painted is None:
            return
        corner = (0, 0)
        if self.part is not None:
            (x1, y1), (x2, y2) = self.part
            corner = min(x1, x2), min(y1, y2)
        made = painting.with_part(painted, self.hand.frame, corner, part)
        self.hand.change_layer(frames=made.frames)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from field to field, or move the layer; Space does what the tool
        does.
        """
        by = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))
        paints = self.tool in PAINTS and self.hand.painted is not None
        if by is not None and paints:
            self.spot = self._held((self.spot[0] + by[0], self.spot[1] + by[1]))
            tell(self)
            self.update()
        elif by is not None and self.hand.layer is not None:
            layer = self.hand.layer
            x, y = layer.x + 0.02 * by[0], layer.y - 0.02 * by[1]
            self.hand.change_layer(x=round(x, 3), y=round(y, 3))
        elif event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return) and paints:
            self._by_key()
        else:
            super().keyPressEvent(event)

    def _by_key(self) -> None:
        """Space begins a line, a rectangle, a part, and ends it; else it paints."""
        two = self.tool in (Tool.LINE, Tool.RECTANGLE, Tool.PART)
        if two and self._begun is not None:
            self._go_on(self.spot)
            self._end()
            return
        self._begin(self.spot)
        if not two and self._begun is not None:
            self._end()

    # Qt's own

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()


def frame_image(painted: PaintedLayer, frame: int) -> QImage:
    """Returns a frame as a picture, a pixel a field."""
    if frame >= len(painted.frames):
        return QImage()
    data = painted.frames[frame].cells
    if len(data) != 4 * painted.columns * painted.rows:
        return QImage()
    shape = QImage.Format.Format_RGBA8888
    made = QImage(data, painted.columns, painted.rows, 4 * painted.columns, shape)
    return made.copy()
