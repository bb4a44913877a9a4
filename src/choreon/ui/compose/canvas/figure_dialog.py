"""Ready figures, each as it looks on the cells: one is chosen."""

from __future__ import annotations

import time

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import QLineEdit, QWidget

from choreon.language import tr
from choreon.model.figures import FIGURE_NAMES
from choreon.model.motion import Rate
from choreon.model.playables.canvas import FigureLayer
from choreon.render.canvas.figures import FIGURES
from choreon.render.canvas.layers import PlacedFigure
from choreon.ui import theme
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.stage import cells as drawn
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import SEARCH, Dialog
from choreon.ui.widgets.moving_grid import MovingGrid
from choreon.ui.widgets.spoken import Role, Spoken, tell

WIDE, TALL = 132, 104
NAME = 24.0


def layer_of(figure: str) -> FigureLayer:
    """Returns a layer of a figure, its dials as it begins with."""
    dials = FIGURES[figure].dials
    return FigureLayer(
        id="",
        figure=figure,
        count=dials.count,
        width=dials.width,
        soft=dials.soft,
        seed=dials.seed,
        rate=Rate(seconds=6.0),
    )


class FigureGrid(MovingGrid):
    """Figures that move. `chosen`: one was pressed; `taken`: twice, or Enter."""

    chosen = Signal(str)
    taken = Signal(str)

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(
            tr("Figures"), tr("Figures: press one to see it on the cells"), WIDE, TALL
        )
        self.hand = hand
        self.ids: list[str] = list(FIGURE_NAMES)
        self.figure = ""
        self._placed: dict[str, PlacedFigure] = {}
        self._cells: object = None

    def count(self) -> int:
        """How many are shown."""
        return len(self.ids)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the figure in hand."""
        return Spoken(Role.List, FIGURE_NAMES.get(self.figure, tr("none")))

    def show_ids(self, ids: list[str]) -> None:
        """Show some of them."""
        self.ids = ids
        self.fit()

    def draw(self, painter: QPainter, rect: QRectF, index: int) -> None:
        """Draw a figure as it is now."""
        figure = self.ids[index]
        chosen = figure == self.figure
        self.draw_ground(painter, rect, chosen, chosen)
        cells = self.hand.cells
        if cells is not None and cells.items:
            if self._cells is not cells:
                self._cells, self._placed = cells, {}
            if figure not in self._placed:
                layer = layer_of(figure)
                self._placed[figure] = PlacedFigure(self.hand.show, layer, cells)
            placed = self._placed[figure]
            light = placed.paint(placed.part_of_cycle(time.monotonic() / 6.0), 1.0)
            face = rect.adjusted(4, 4, -4, -NAME)
            painter.save()
            painter.setClipRect(face)
            drawn.draw(painter, cells, light, face)
            painter.restore()
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(12))
        self.draw_name(painter, rect, FIGURE_NAMES[figure])

    def choose(self, figure: str) -> None:
        """Take a figure in hand."""
        self.figure = figure
        self.viewport().update()
        tell(self)
        self.chosen.emit(figure)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose one."""
        index = self.index_at(event.position().toPoint())
        if index >= 0:
            self.choose(self.ids[index])

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Take one."""
        index = self.index_at(event.position().toPoint())
        if index >= 0:
            self.taken.emit(self.ids[index])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from one to the next."""
        here = self.ids.index(self.figure) if self.figure in self.ids else 0
        to = self.beside(event, here)
        if to is None:
            super().keyPressEvent(event)
            return
        self.choose(self.ids[to])
        self.into_sight(to)


class FigureDialog(Dialog):
    """Asks for a figure. `figure` is the one that was taken, empty for none."""

    def __init__(self, hand: CanvasHand, parent: QWidget, figure: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Ready figures"))
        self.figure = ""
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find"))
        self.search.setAccessibleName(tr("Find a figure by its name"))
        self.search.setProperty(SEARCH, True)
        self.search.textChanged.connect(self._find)
        self.grid = FigureGrid(hand)
        self.grid.figure = figure
        self.grid.taken.connect(self.take)
        self.grid.chosen.connect(lambda _: self._offer())

        self.use = basics.button(
            tr("Use it"), lambda: self.take(self.grid.figure), "main", "check"
        )
        self.use.setDefault(True)
        self.leave = basics.button(tr("Cancel"), self.reject, "quiet")
        foot = basics.row(1, self.leave, self.use)
        basics.stack(self, self.search, self.grid, foot, margins=14)
        layout = self.layout()
        assert layout is not None
        self.grid.setMinimumSize(WIDE * 2 + 20, TALL)
        self.resize(5 * (WIDE + 6) + 46, 560)
        self._offer()

    def _offer(self) -> None:
        self.use.setEnabled(bool(self.grid.figure))

    def _find(self, text: str) -> None:
        wanted = text.strip().casefold()
        ids = [i for i, name in FIGURE_NAMES.items() if wanted in name.casefold()]
        self.grid.show_ids(ids)
        if self.grid.figure not in ids:
            self.grid.figure = ids[0] if ids else ""
        self._offer()

    def take(self, figure: str) -> None:
        """Take a figure."""
        self.figure = figure
        self.accept()
