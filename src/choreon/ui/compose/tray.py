"""The tray of motions: those kept in the show, and ready ones. Each moves on the chosen
lamps while it is pointed at, in the stage picture or on stage.
"""

from __future__ import annotations

import time
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QEvent, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
)
from PySide6.QtWidgets import QMenu

from choreon.language import capital, tr
from choreon.library.motions import ready_motions
from choreon.model import effects as model_effects
from choreon.model.motion import AnyMotion, Effects, title
from choreon.model.show import Palette
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme
from choreon.ui.compose.motion_panel import MotionPanel
from choreon.ui.widgets.curves import draw_motion
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.moving_grid import MovingGrid
from choreon.ui.widgets.spoken import Role, Spoken


class Item(NamedTuple):
    """A motion in the tray; `palette` is empty for one that is not in the show."""

    name: str
    motion: AnyMotion
    palette: str = ""


class Tray(MovingGrid):
    """Motions in lines, as many in each as there is room for."""

    def __init__(self, panel: MotionPanel) -> None:
        super().__init__(
            tr("Motions"),
            tr(
                "Motions: point at one to see it on the chosen fixtures, press to add "
                "it"
            ),
            128,
            62,
        )

        self.panel, self.parts = panel, panel.parts
        self.items: list[Item] = []
        self.wanted = ""
        self.under = -1

        self.current = 0
        self.on_stage = False
        self._before: Effects | None = None
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)

        self.setMinimumHeight(132)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the motion in hand."""
        here = self.items[self.current : self.current + 1]
        return Spoken(Role.List, "".join(i.name for i in here) or tr("no motion"))

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._point_at(-1)

    def count(self) -> int:
        """How many motions are shown."""
        return len(self.items)

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
        self.fit()

    def draw(self, painter: QPainter, rect: QRectF, index: int) -> None:
        """Draw a motion: its curve, and its name; what is not in the show is soft."""
        item, state, now = self.items[index], self.parts.engine.state, time.monotonic()
        framed = index == self.current and self.hasFocus()
        self.draw_ground(painter, rect, index == self.under, framed)
        position = item.motion.rate.cycles(now, state.beat(now))
        inner = QRectF(rect.left() + 10, rect.top() + 8, rect.width() - 20, 26)
        draw_motion(painter, inner, self.parts.document.show, item.motion, position)
        painter.setPen(QColor(theme.TEXT if item.palette else theme.SOFT))
        painter.setFont(theme.font(12, strong=bool(item.palette)))
        self.draw_name(painter, rect, item.name)

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
            trial = (model_effects.replace(made, id="trial"),)
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
        self._point_at(self.index_at(event.position().toPoint()))

    def viewportEvent(self, event: QEvent) -> bool:
        """What leaves it points at nothing."""
        if event.type() == QEvent.Type.Leave:
            self._point_at(-1)
        return super().viewportEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Add the one that is pressed to the chosen lamps."""
        self.setFocus()
        index = self.index_at(event.position().toPoint())
        if index >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self.current = index
            self.use(index)

    def use(self, index: int) -> None:
        """Add a motion to the chosen lamps."""
        if not self.parts.selection.chosen:
            text = tr("Choose the fixtures first that shall move.")
            self.parts.notices.told.emit(text, "alarm")
            return
        self._point_at(-1)
        item = self.items[index]
        self.panel.add(item.motion, item.palette)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from one to the next and show it, Enter adds it."""
        index = self.beside(event, self.current)
        if index is not None:
            self.current = index
            self.into_sight(index)
            self._point_at(index)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.items:
            self.use(self.current)
        else:
            super().keyPressEvent(event)

    # what is kept

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open what can be done with a motion."""
        index = self.index_at(event.pos())
        if index >= 0:
            self.menu(self.items[index]).exec(event.globalPos())

    def menu(self, item: Item) -> QMenu:
        """What can be done with a motion."""
        menu = Menu(self)
        palette = self.parts.document.show.palettes.get(item.palette)
        if palette is None:
            menu.addAction(tr("Keep in this show"), partial(self.keep, item))
            return menu
        self._fill_menu(menu, palette)
        return menu

    def _fill_menu(self, menu: QMenu, palette: Palette) -> None:
        used = palette_deeds.users_of(self.parts.document.show, palette.id)
        menu.addAction(capital(palette_deeds.used_by(used))).setEnabled(False)
        menu.addSeparator()
        menu.addAction(
            tr("Rename…"), lambda: palette_deeds.rename(self, self.parts, palette)
        )
        menu.addAction(tr("Delete"), lambda: palette_deeds.delete(self.parts, palette))

    def keep(self, item: Item) -> None:
        """Keep a ready motion in the show, to be changed for all that use it."""
        document = self.parts.document
        show, _ = model_effects.keep_motion(document.show, item.name, item.motion)
        document.edit(tr("keep the motion {name}", name=item.name), show)
