"""Many lamps hung as a panel, or as a strip: columns and rows, the corner to begin in,
and how they are wired, seen as it is drawn.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from choreon.language import plural, sentences, tr
from choreon.model import arrange
from choreon.model.arrange import Wall
from choreon.model.playables.canvas import Corner
from choreon.model.show import Room
from choreon.terms import term
from choreon.ui import theme
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

MOST_SIDE = 64

Planned = Callable[[int], tuple[list[tuple[int, int]], str]]
"""Where so many would stand, none where they cannot, and that in words."""

EDGE = 16.0
MOST_DRAWN = 1024


class WallPicture(QWidget):
    """The panel from the front: its lamps, and the way of the wire from the first on,
    in another shade for each universe.
    """

    def __init__(self) -> None:
        super().__init__()
        self.wall = Wall()
        self.universes: list[int] = []
        self.setMinimumSize(260, 160)
        self.setAccessibleName(tr("How it is wired"))

    def sizeHint(self) -> QSize:
        return QSize(420, 220)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        count = self.wall.count
        return Spoken(Role.Graphic, plural(count, "{n} fixture", "{n} fixtures"))

    def show_wall(self, wall: Wall, universes: list[int]) -> None:
        """Show a panel, and the universe of each of its lamps."""
        self.wall, self.universes = wall, universes
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.STAGE_BLACK))
        points = self._points()[:MOST_DRAWN]
        painter.setPen(QPen(QColor(theme.SOFT), 1.5))
        for one, other in itertools.pairwise(points):
            painter.drawLine(one, other)

        first = self.universes[0] if self.universes else 1
        size = max(2.0, min(9.0, self._step() * 0.3))
        for n, point in enumerate(points):
            universe = self.universes[n] if n < len(self.universes) else first
            odd = (universe - first) % 2
            painter.setPen(QPen(QColor(theme.TEXT), 1))
            painter.setBrush(QColor(theme.TEXT if odd else theme.BATTEN))
            painter.drawEllipse(point, size, size)
        if points:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 2.5))
            painter.drawEllipse(points[0], size + 3, size + 3)

    def _step(self) -> float:
        room = QRectF(self.rect()).adjusted(EDGE, EDGE, -EDGE, -EDGE)
        across = room.width() / max(1, self.wall.columns)
        return min(across, room.height() / max(1, self.wall.rows))

    def _points(self) -> list[QPointF]:
        step, wall = self._step(), self.wall
        left = (self.width() - step * wall.columns) / 2.0
        low = (self.height() + step * wall.rows) / 2.0
        return [
            QPointF(left + step * (column + 0.5), low - step * (row + 0.5))
            for column, row in arrange.wired(wall)
        ]


class WallDialog(Dialog):
    """Asks how a panel is hung. `wall` is what was said, `canvas` whether one is wanted
    over it, `called` what its group is to be called.
    """

    def __init__(self, parent: QWidget, room: Room, planned: Planned) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Hang as a panel or a strip"))
        self.planned = planned
        self.wall = Wall(depth=round(room.depth - 0.3, 2))
        self.picture = WallPicture()
        self._make_fields()
        self.told = basics.label("", "small", wrap=True)
        self.go = basics.button(tr("Hang"), self.accept, "main", "plus")
        self.go.setDefault(True)
        self.leave = basics.button(tr("Cancel"), self.reject, "quiet")
        inside = QWidget()
        basics.stack(
            inside,
            basics.row(self.columns, self.rows, self.pitch, spacing=6),
            basics.row(self.corner, self.snake, self.by_columns, spacing=6),
            basics.row(self.upright, 1, spacing=6),
            basics.row(self.middle, self.upstage, self.low, spacing=6),
            basics.row(self.name, self.canvas, spacing=6),
            margins=0,
            spacing=8,
        )
        basics.stack(
            self,
            self.picture,
            inside,
            self.told,
            basics.row(1, self.leave, self.go),
            margins=14,
        )
        self.resize(560, 520)
        self._change()

    def _make_fields(self) -> None:
        wall = self.wall
        self.columns = self._number(tr("Columns"), 1, MOST_SIDE, "", 0, wall.columns)
        self.rows = self._number(tr("Rows"), 1, MOST_SIDE, "", 0, wall.rows)
        self.pitch = self._number(tr("Apart"), 0.01, 5, "m", 3, wall.pitch)
        self.middle = self._number(tr("Middle"), -50, 50, "m", 2, wall.middle)
        self.upstage = self._number(tr("Upstage"), -50, 50, "m", 2, wall.depth)
        self.low = self._number(tr("Height"), 0, 30, "m", 2, wall.low)
        self.corner = QComboBox()
        self.corner.setAccessibleName(tr("Begins in the corner"))
        self.corner.setToolTip(tr("In which corner the first one is, from the front"))
        for corner in Corner:
            self.corner.addItem(term(corner), corner)
        self.corner.setCurrentIndex(self.corner.findData(wall.corner))
        self.corner.activated.connect(lambda _: self._change())
        self.snake = Tick(tr("Every other one back"))
        self.by_columns = Tick(tr("Up and down first"))
        self.upright = Tick(tr("Upright, as on a wall"))
        self.upright.setChecked(True)
        self.canvas = Tick(tr("Make a canvas of it"))
        self.canvas.setChecked(True)
        for tick in (self.snake, self.by_columns, self.upright):
            tick.toggled.connect(lambda _: self._change())
        self.name = QLineEdit(tr("Wall"))
        self.name.setAccessibleName(tr("Name of its group"))
        self.name.setToolTip(tr("Its fixtures are kept as a group of this name"))

    def _number(
        self, label: str, low: float, high: float, unit: str, digits: int, now: float
    ) -> ValueField:
        made = ValueField(label, low, high, unit, digits, now, bar=False)
        made.set_value(now)
        made.changed.connect(lambda _: self._change())
        return made

    def _change(self) -> None:
        self.wall = Wall(
            columns=round(self.columns.value or 1),
            rows=round(self.rows.value or 1),
            pitch=self.pitch.value or 0.1,
            corner=Corner(self.corner.currentData()),
            snake=self.snake.isChecked(),
            by_columns=self.by_columns.isChecked(),
            upright=self.upright.isChecked(),
            middle=self.middle.value or 0.0,
            depth=self.upstage.value or 0.0,
            low=self.low.value or 0.0,
        )
        spots, wrong = self.planned(self.wall.count)
        self.picture.show_wall(self.wall, [universe for universe, _ in spots])
        count = plural(self.wall.count, "{n} fixture.", "{n} fixtures.")
        basics.say(self.told, sentences(count, wrong))
        self.go.setEnabled(bool(spots))
