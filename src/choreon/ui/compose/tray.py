"""The tray of motions: those kept in the show, and ready ones. Each moves on the chosen
lamps while it is pointed at, in the stage picture or on stage.
"""

from __future__ import annotations

import time
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QEvent, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame, QMenu

from choreon.library.motions import ready_motions
from choreon.model import effects as motions
from choreon.model.motion import AnyMotion, Effects, title
from choreon.model.show import Palette
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme
from choreon.ui.compose.motion_panel import MotionPanel
from choreon.ui.widgets.curves import draw_motion

WIDE, TALL = 128, 62
GAP = 6
RATE = 84  # milliseconds between pictures: twelve a second, all together


class Item(NamedTuple):
    """A motion in the tray; `palette` is empty for one that is not in the show."""

    name: str
    motion: AnyMotion
    palette: str = ""


class Tray(QAbstractScrollArea):
    """Motions in lines, as many in each as there is room for."""

    def __init__(self, panel: MotionPanel) -> None:
        super().__init__()
        self.panel, self.parts = panel, panel.parts
        self.items: list[Item] = []
        self.wanted = ""
        self.under = -1
        self.current = 0
        self.on_stage = False
        self._before: Effects | None = None
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)
        self.setStyleSheet("background: transparent;")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Motions")
        self.setToolTip(
            "Motions: point at one to see it on the chosen lamps, press to add it"
        )
        self.setMinimumHeight(132)
        self._tick = QTimer(self, interval=RATE)
        self._tick.timeout.connect(self.viewport().update)

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()
        self._point_at(-1)

    def fill(self, wanted: str) -> None:
        """Show the motions whose names have some words."""
        show = self.parts.document.show
        kept = [p for p in show.palettes.values() if p.motion is not None]
        items = [Item(p.name, p.motion, p.id) for p in kept if p.motion is not None]
        taken = {item.name for item in items}
        ready = (entry for entry in ready_motions() if entry[0] not in taken)
        items += [Item(name, motion) for name, motion in ready]
        words = wanted.strip().lower()
        self.items = [
            item
            for item in items
            if words in f"{item.name} {title(item.motion)}".lower()
        ]
        self.current = min(self.current, max(0, len(self.items) - 1))
        self._fit()
        self.viewport().update()

    # where things are

    @property
    def columns(self) -> int:
        """How many lie side by side."""
        return max(1, (self.viewport().width() + GAP) // (WIDE + GAP))

    def rect_of(self, index: int) -> QRect:
        """Where a motion is drawn."""
        row, column = divmod(index, self.columns)
        top = row * (TALL + GAP) - self.verticalScrollBar().value()
        return QRect(column * (WIDE + GAP), top, WIDE, TALL)

    def item_at(self, x: float, y: float) -> int:
        """Returns the motion at a point; -1 for none."""
        for index in range(len(self.items)):
            if self.rect_of(index).contains(int(x), int(y)):
                return index
        return -1

    def _fit(self) -> None:
        rows = -(-len(self.items) // self.columns)
        tall = rows * (TALL + GAP)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, tall - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(TALL + GAP)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state, now = self.parts.engine.state, time.monotonic()
        beat = state.beat(now)
        for index, item in enumerate(self.items):
            rect = self.rect_of(index)
            if rect.bottom() < 0 or rect.top() > self.viewport().height():
                continue
            self._draw(painter, QRectF(rect), index, item, now, beat)

    def _draw(
        self,
        painter: QPainter,
        rect: QRectF,
        index: int,
        item: Item,
        now: float,
        beat: float,
    ) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.BATTEN if index == self.under else theme.FLAT))
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        if index == self.current and self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        position = item.motion.rate.cycles(now, beat)
        inner = QRectF(rect.left() + 10, rect.top() + 8, rect.width() - 20, 26)
        draw_motion(painter, inner, self.parts.document.show, item.motion, position)
        painter.setPen(QColor(theme.TEXT if item.palette else theme.SOFT))
        painter.setFont(theme.font(12, strong=bool(item.palette)))
        low = QRectF(rect.left() + 8, rect.bottom() - 24, rect.width() - 16, 20)
        name = painter.fontMetrics().elidedText(
            item.name, Qt.TextElideMode.ElideRight, int(low.width())
        )
        painter.drawText(low, Qt.AlignmentFlag.AlignVCenter, name)

    # pointing at one

    def set_on_stage(self, on: bool) -> None:
        """Whether what is pointed at is tried on stage, or in the picture only."""
        self._point_at(-1)
        self.on_stage = on

    def _point_at(self, index: int) -> None:
        if index == self.under:
            return
        self.under = index
        self.viewport().update()
        trial: Effects = ()
        if index >= 0 and self.parts.selection.chosen:
            item = self.items[index]
            made = self.panel.made(item.motion, item.palette)
            trial = (motions.replace(made, id="trial"),)
        if not self.on_stage:
            self.parts.preview.try_effects(trial)
            return
        self._try_on_stage(trial)

    def _try_on_stage(self, trial: Effects) -> None:
        """Put what is tried into the draft for as long as it is pointed at."""
        draft = self.parts.draft
        if trial and self._before is None:
            self._before = draft.effects
        if self._before is None:
            return
        draft.show_effects((*self._before, *trial))
        if not trial:
            self._before = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show what is pointed at."""
        self._point_at(self.item_at(event.position().x(), event.position().y()))

    def viewportEvent(self, event: QEvent) -> bool:
        """What leaves it points at nothing."""
        if event.type() == QEvent.Type.Leave:
            self._point_at(-1)
        return super().viewportEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Add the one that is pressed to the chosen lamps."""
        self.setFocus()
        index = self.item_at(event.position().x(), event.position().y())
        if index >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self.current = index
            self.use(index)

    def use(self, index: int) -> None:
        """Add a motion to the chosen lamps."""
        if not self.parts.selection.chosen:
            text = "Choose the lamps first that shall move."
            self.parts.notices.told.emit(text, "alarm")
            return
        self._point_at(-1)
        item = self.items[index]
        self.panel.add(item.motion, item.palette)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from one to the next and show it, Enter adds it."""
        by = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns,
            Qt.Key.Key_Down: self.columns,
        }.get(Qt.Key(event.key()), 0)
        if by and self.items:
            self.current = min(len(self.items) - 1, max(0, self.current + by))
            rect = self.rect_of(self.current)
            bar = self.verticalScrollBar()
            if rect.top() < 0:
                bar.setValue(bar.value() + rect.top())
            elif rect.bottom() > self.viewport().height():
                bar.setValue(bar.value() + rect.bottom() - self.viewport().height())
            self._point_at(self.current)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.items:
            self.use(self.current)
        else:
            super().keyPressEvent(event)

    # what is kept

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open what can be done with a motion."""
        index = self.item_at(event.pos().x(), event.pos().y())
        if index >= 0:
            self.menu(self.items[index]).exec(event.globalPos())

    def menu(self, item: Item) -> QMenu:
        """What can be done with a motion."""
        menu = QMenu(self)
        palette = self.parts.document.show.palettes.get(item.palette)
        if palette is None:
            menu.addAction("Keep in this show", partial(self.keep, item))
            return menu
        self._fill_menu(menu, palette)
        return menu

    def _fill_menu(self, menu: QMenu, palette: Palette) -> None:
        used = palette_deeds.users_of(self.parts.document.show, palette.id)
        menu.addAction(palette_deeds.used_by(used).capitalize()).setEnabled(False)
        menu.addSeparator()
        menu.addAction(
            "Rename…", lambda: palette_deeds.rename(self, self.parts, palette)
        )
        menu.addAction("Delete", lambda: palette_deeds.delete(self.parts, palette))

    def keep(self, item: Item) -> None:
        """Keep a ready motion in the show, to be changed for all that use it."""
        document = self.parts.document
        show, _ = motions.keep_motion(document.show, item.name, item.motion)
        document.edit(f"keep the motion {item.name}", show)
