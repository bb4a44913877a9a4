"""Arranging a page: a pane over each grid by which tiles are chosen, moved and made
larger, by whole cells. Nothing is played from a page that is arranged.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from functools import cached_property, partial

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from choreon.language import plural, tr
from choreon.model import edits, pages
from choreon.model.refs import to_tile
from choreon.model.tiles import Spot
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.perform.page_view import Grid, PageView
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.words import some

HANDLE = 22.0  # pixels of the corner by which a tile is made larger

replace = edits.replace


class Deed(StrEnum):
    """What was done with tiles that lie elsewhere, or are of another size, now."""

    MOVE = "move"
    SIZE = "size"


def _placed(deed: Deed, count: int) -> str:
    if deed == Deed.MOVE:
        return plural(count, "move {n} tile", "move {n} tiles")
    return plural(count, "size {n} tile", "size {n} tiles")


class Arranger(QObject):
    """Which tiles are chosen, and what is done to them."""

    changed = Signal()
    """Other tiles are chosen."""
    ended = Signal()
    """Whoever arranged is done."""
    shelf_wanted = Signal()
    """The tile in hand is to take more: the shelf has it."""
    into = Signal()
    """What the tiles in hand are is to be changed by keys."""

    def __init__(self, parts: Parts, view: PageView) -> None:
        super().__init__(view)
        self.parts, self.view = parts, view
        self.chosen: tuple[str, ...] = ()
        self.panes: list[Pane] = []
        view.filled.connect(self._follow)

    @property
    def on(self) -> bool:
        """Whether the page is arranged."""
        return self.view.arranging

    def begin(self) -> None:
        """Arrange the page."""
        self.view.set_arranging(True)
        self._follow()
        self.view.lay()

    def end(self) -> None:
        """Play the page again."""
        self.choose(())
        self.view.set_arranging(False)
        self._follow()
        self.view.lay()

    def _follow(self) -> None:
        """Put a pane over each grid, where the page is arranged."""
        there = tuple(i for i in self.chosen if i in self.view.tiles)
        if there != self.chosen:
            self.chosen = there

        grids = list(self.view.grids.values()) if self.on else []
        if grids == [pane.grid_below for pane in self.panes]:
            for pane in self.panes:
                pane.raise_()
                pane.update()
        else:
            self._lay_panes(grids)
        self.changed.emit()

    def _lay_panes(self, grids: Sequence[Grid]) -> None:
        """Panes over other grids than before; the keys stay with them."""
        had_focus = any(pane.hasFocus() for pane in self.panes)
        for pane in self.panes:
            pane.clearFocus()  # hidden with it, it would take the next tile in hand
            pane.hide()
            discard(pane)

        self.panes = [Pane(self, grid) for grid in grids]
        if had_focus and self.panes:
            self.panes[0].setFocus()

    def choose(self, ids: Iterable[str]) -> None:
        """Choose tiles, in an order: the first is the one that others follow."""
        chosen = tuple(dict.fromkeys(ids))
        if chosen != self.chosen:
            self.chosen = chosen
            for pane in self.panes:
                pane.update()
            self.changed.emit()

    def toggle(self, tile_id: str) -> None:
        """Choose a tile as well, or not any more."""
        if tile_id in self.chosen:
            self.choose(i for i in self.chosen if i != tile_id)
        else:
            self.choose((*self.chosen, tile_id))

    def show_ghosts(self, section: str, spots: Sequence[Spot]) -> None:
        """Show where what is dragged would lie; nowhere for no spots."""
        for pane in self.panes:
            own = spots if pane.grid_below.section == section else ()
            pane.show_ghosts(own)

    # what is done to those chosen

    def _spots(self) -> dict[str, Spot]:
        page = self.view.page
        known = {} if page is None else pages.all_spots(page)
        return {i: known[i] for i in self.chosen if i in known}

    def move(self, dx: int, dy: int, section: str | None = None) -> None:
        """Move those chosen by so many cells."""
        spots, columns = self._spots(), self.view.columns
        if not spots or not (dx or dy or section is not None):
            return
        # as far as all of them can go
        dx = max(dx, -min(s.x for s in spots.values()))
        dx = min(dx, min(columns - s.x - s.w for s in spots.values()))
        dy = max(dy, -min(s.y for s in spots.values()))
        moved = {i: replace(s, x=s.x + dx, y=s.y + dy) for i, s in spots.items()}
        self.place(moved, Deed.MOVE, section)

    def grow(self, dw: int, dh: int) -> None:
        """Make those chosen larger by so many cells, or smaller."""
        columns = self.view.columns
        grown = {
            i: replace(s, w=min(columns - s.x, max(1, s.w + dw)), h=max(1, s.h + dh))
            for i, s in self._spots().items()
        }
        self.place(grown, Deed.SIZE)

    def set_size(self, w: int | None = None, h: int | None = None) -> None:
        """Make those chosen so many cells wide, or high."""
        columns = self.view.columns
        sized = {}
        for tile_id, spot in self._spots().items():
            wide = spot.w if w is None else min(w, columns - spot.x)
            high = spot.h if h is None else h
            sized[tile_id] = replace(spot, w=wide, h=high)
        if sized != self._spots():
            self.place(sized, Deed.SIZE)

    def place(
        self, where: dict[str, Spot], deed: Deed, section: str | None = None
    ) -> None:
        """Put tiles in places."""
        show, page_id = self.parts.document.show, self.view.page_id
        if where and page_id in show.pages:
            after = pages.place(show, page_id, where, section)
            self._edit(_placed(deed, len(where)), after)

    def align(self, edge: str) -> None:
        """Bring those chosen to one edge."""
        show = self.parts.document.show
        after = pages.align(show, self.view.page_id, self.chosen, edge)
        self._edit(plural(len(self.chosen), "align {n} tile", "align {n} tiles"), after)

    def same_size(self) -> None:
        """Make those chosen as large as the first."""
        show = self.parts.document.show
        after = pages.same_size(show, self.view.page_id, self.chosen)
        self._edit(plural(len(self.chosen), "size {n} tile", "size {n} tiles"), after)

    def tidy(self) -> None:
        """Close the gaps of the page."""
        show = self.parts.document.show
        if self.view.page_id in show.pages:
            self._edit(tr("tidy the page"), pages.tidy(show, self.view.page_id))

    def copy(self) -> None:
        """Put copies of those chosen on the page, and choose these."""
        show, page_id = self.parts.document.show, self.view.page_id
        if self.chosen and page_id in show.pages:
            after, made = pages.copy(show, self.chosen, page_id)
            self._edit(plural(len(made), "copy {n} tile", "copy {n} tiles"), after)
            self.choose(made)

    def remove(self) -> None:
        """Take those chosen off the page."""
        show, chosen = self.parts.document.show, self.chosen
        if chosen:
            after = edits.remove(show, *(to_tile(i) for i in chosen))
            self._edit(
                plural(
                    len(chosen),
                    "take {n} tile off the page",
                    "take {n} tiles off the page",
                ),
                after,
            )
            text = tr("What they played stays in the show. Ctrl+Z brings them back.")
            self.parts.notices.told.emit(text, "info")

    def _edit(self, name: str, show: object) -> None:
        if show is not self.parts.document.show:
            self.parts.document.edit(name, show)  # type: ignore[arg-type]

    # keys

    def key(self, event: QKeyEvent) -> bool:
        """Do what a key asks for. Returns whether it asks for anything."""
        act = self._asked_for(Qt.Key(event.key()), event.modifiers())
        if act is None:
            return False
        act()
        return True

    def _asked_for(
        self, key: Qt.Key, held: Qt.KeyboardModifier
    ) -> Callable[[], object] | None:
        """What a key stands for now; None where for nothing."""
        if key == Qt.Key.Key_Escape:
            return self._escape
        if held & Qt.KeyboardModifier.ControlModifier and key in self._with_ctrl:
            return self._with_ctrl[key]
        if not self.chosen:
            return None
        if key not in WAYS:
            return self._with_chosen.get(key)

        grows = bool(held & Qt.KeyboardModifier.ShiftModifier)
        return partial(self.grow if grows else self.move, *WAYS[key])

    @cached_property
    def _with_ctrl(self) -> dict[Qt.Key, Callable[[], object]]:
        return {
            Qt.Key.Key_A: lambda: self.choose(self.view.tiles),
            Qt.Key.Key_D: self.copy,
        }

    @cached_property
    def _with_chosen(self) -> dict[Qt.Key, Callable[[], object]]:
        return {
            Qt.Key.Key_Delete: self.remove,
            Qt.Key.Key_Backspace: self.remove,
            Qt.Key.Key_Return: self.into.emit,
            Qt.Key.Key_Enter: self.into.emit,
        }

    def step(self, by: int) -> bool:
        """Take the next tile in hand, or the one before. Returns whether there is
        one.
        """
        ids = [i for i in self.view.tiles if i in self.chosen]
        if len(ids) > 1:  # of several the first, or the last
            self.choose(ids[:1] if by > 0 else ids[-1:])
            return True

        ids = list(self.view.tiles)
        there = self.chosen and self.chosen[-1] in ids
        place = ids.index(self.chosen[-1]) + by if there else -1
        if not 0 <= place < len(ids):
            return False
        self.choose((ids[place],))
        return True

    def begin_at(self, place: int) -> None:
        """Take a tile in hand, by its place, where none is."""
        ids = list(self.view.tiles)
        if ids and not self.chosen:
            self.choose((ids[place],))

    def _escape(self) -> None:
        """A drag is taken back; else the arranging ends."""
        if not any(pane.take_back() for pane in self.panes):
            self.ended.emit()


WAYS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Pane(QWidget):
    """Lies over a grid while it is arranged."""

    def __init__(self, arranger: Arranger, grid: Grid) -> None:
        super().__init__(grid)
        self.arranger, self.grid_below = arranger, grid
        self._from: QPointF | None = None
        self._ghosts: dict[str, Spot] = {}
        self._grows = False
        self._band: QRectF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Arrange the page"))
        self.setGeometry(grid.rect())
        grid.installEventFilter(self)
        self.raise_()
        self.show()

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: which tiles are in hand."""
        tiles = self.arranger.view.tiles
        names = [tiles[i].name for i in self.arranger.chosen if i in tiles]
        return Spoken(Role.Grouping, some(names) or tr("no tile in hand"))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay as large as the grid."""
        if event.type() == QEvent.Type.Resize:
            self.setGeometry(self.grid_below.rect())
        return False

    def show_ghosts(self, spots: Sequence[Spot]) -> None:
        """Show where what comes from elsewhere would lie."""
        if self._from is None:
            self._lay_ghosts({f"ghost {n}": spot for n, spot in enumerate(spots)})

    def _lay_ghosts(self, ghosts: dict[str, Spot]) -> None:
        """Show where tiles would lie; what is below is drawn anew there alone."""
        if ghosts == self._ghosts:
            return
        for spot in (*self._ghosts.values(), *ghosts.values()):
            self.update(self.grid_below.rect_of(spot).adjusted(-2, -2, 2, 2))
        self._ghosts = ghosts

    # gestures

    def tile_at(self, point: QPointF) -> str:
        """Returns the tile under a point; empty for none."""
        for tile_id, spot in self.grid_below.spots.items():
            if QRectF(self.grid_below.rect_of(spot)).contains(point):
                return tile_id
        return ""

    def _corner(self, tile_id: str) -> QRectF:
        rect = QRectF(self.grid_below.rect_of(self.grid_below.spots[tile_id]))
        corner = rect.bottomRight() - QPointF(HANDLE, HANDLE)
        return QRectF(corner.x(), corner.y(), HANDLE, HANDLE)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a tile, and take hold of it; beside them all, draw a frame."""
        if event.button() != Qt.MouseButton.LeftButton:
            event.ignore()
            return

        self.setFocus()
        point, tile = event.position(), self.tile_at(event.position())
        more = event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        self._from = point

        if not tile:
            self._band = QRectF(point, point)
            if not more:
                self.arranger.choose(())

            return

        if more:
            self.arranger.toggle(tile)
        elif tile not in self.arranger.chosen:
            self.arranger.choose((tile,))

        self._grows = tile in self.arranger.chosen and self._corner(tile).contains(
            point
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show where they would lie."""
        point = event.position()
        if self._from is None:
            self._point_at(point)
            return

        if self._band is not None:
            self._band = QRectF(self._from, point).normalized()
            self.update()
            return

        dx, dy = self._cells_to(point)
        columns = self.arranger.view.columns
        spots = {
            i: s for i, s in self.grid_below.spots.items() if i in self.arranger.chosen
        }

        if self._grows:
            ghosts = {
                i: replace(
                    s, w=min(columns - s.x, max(1, s.w + dx)), h=max(1, s.h + dy)
                )
                for i, s in spots.items()
            }
        else:
            ghosts = {
                i: pages.within(replace(s, x=s.x + dx, y=max(0, s.y + dy)), columns)
                for i, s in spots.items()
            }

        self._lay_ghosts(ghosts)

    def _point_at(self, point: QPointF) -> None:
        tile = self.tile_at(point)
        shape = Qt.CursorShape.ArrowCursor
        if tile:
            shape = Qt.CursorShape.SizeAllCursor
            if tile in self.arranger.chosen and self._corner(tile).contains(point):
                shape = Qt.CursorShape.SizeFDiagCursor
        self.setCursor(shape)

    def _cells_to(self, point: QPointF) -> tuple[int, int]:
        wide, tall = self.grid_below.cell
        away = point - (self._from or point)
        return round(away.x() / wide), round(away.y() / tall)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Put them there; let go over another section they go into that."""
        if self._from is None:
            return
        if self._band is not None:
            self._choose_in(self._band)
        elif self._grows and self._ghosts:
            self.arranger.grow(*self._cells_to(event.position()))
        elif self._ghosts:
            self._drop(event.position())
        self.take_back()

    def _choose_in(self, band: QRectF) -> None:
        found = [
            i
            for i, spot in self.grid_below.spots.items()
            if QRectF(self.grid_below.rect_of(spot)).intersects(band)
        ]
        if found:
            self.arranger.choose((*self.arranger.chosen, *found))

    def _drop(self, point: QPointF) -> None:
        view = self.arranger.view
        for section, grid in view.grids.items():
            if grid is self.grid_below or not grid.isVisible():
                continue

            # beside each other on the page: neither lies in the other
            there = grid.mapFromGlobal(self.mapToGlobal(point))
            if QRectF(grid.rect()).contains(there):
                column, row = grid.cell_at(there)
                spots = list(self._ghosts.values())
                left, top = min(s.x for s in spots), min(s.y for s in spots)
                moved = {
                    i: replace(s, x=column + s.x - left, y=row + s.y - top)
                    for i, s in self._ghosts.items()
                }
                self.arranger.place(moved, Deed.MOVE, section)

                return

        dx, dy = self._cells_to(point)
        self.arranger.move(dx, dy)

    def take_back(self) -> bool:
        """End a gesture without doing anything. Returns whether there was one."""
        busy = self._from is not None and bool(self._ghosts or self._band)
        self._from, self._ghosts, self._band, self._grows = None, {}, None, False
        self.update()
        return busy

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys do something to those chosen."""
        if not self.arranger.key(event):
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes from tile to tile, and on past the last one."""
        if self.arranger.step(1 if forward else -1):
            return True
        return super().focusNextPrevChild(forward)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Whoever comes by Tab begins with the first tile, or with the last."""
        super().focusInEvent(event)
        if event.reason() == Qt.FocusReason.TabFocusReason:
            self.arranger.begin_at(0)
        elif event.reason() == Qt.FocusReason.BacktabFocusReason:
            self.arranger.begin_at(-1)

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)

        for tile_id, spot in self.grid_below.spots.items():
            if tile_id in self.arranger.chosen:
                rect = QRectF(self.grid_below.rect_of(spot))
                painter.setPen(QPen(QColor(theme.CHOSEN), 3))
                painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 8, 8)
                self._draw_handle(painter, tile_id)

        painter.setPen(QPen(QColor(theme.KEEP), 2, Qt.PenStyle.DashLine))
        for spot in self._ghosts.values():
            rect = QRectF(self.grid_below.rect_of(spot))
            painter.fillRect(rect, theme.colour(theme.KEEP, 0.12))
            painter.drawRoundedRect(rect, 8, 8)

        if self._band is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.drawRect(self._band)

    def _draw_handle(self, painter: QPainter, tile_id: str) -> None:
        corner = self._corner(tile_id)
        painter.setPen(QPen(QColor(theme.CHOSEN), 2.5))
        for away in (4.0, 9.0, 14.0):
            painter.drawLine(
                corner.bottomRight() - QPointF(away, 3),
                corner.bottomRight() - QPointF(3, away),
            )
