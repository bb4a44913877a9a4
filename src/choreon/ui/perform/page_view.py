"""A page as it is seen: its sections, each a grid of tiles that fills the room there
is. Played by mouse, by several fingers, and by keys.
"""

from __future__ import annotations

import math
import time
from collections.abc import Iterator, Mapping

import msgspec
from PySide6.QtCore import (
    QEvent,
    QObject,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QEventPoint,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
    QTouchEvent,
)
from PySide6.QtWidgets import QApplication, QScrollArea, QWidget

from choreon.language import in_a_row, tr, tr_about
from choreon.model import pages
from choreon.model.inputs import KeyInput
from choreon.model.refs import Ref
from choreon.model.sameness import very_same
from choreon.model.tiles import AnyTile, Page, Section, Spot
from choreon.render.state import Player, PlayState
from choreon.ui import theme
from choreon.ui.kinds import KINDS
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.tiles import WIDGETS, TileWidget
from choreon.ui.tiles.playing import FlashTile
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.spoken import Role, Spoken

replace = msgspec.structs.replace

GAP = 8  # pixels between tiles
HEAD = 34  # pixels of a section's title
HIT = 48  # pixels that a tile has at least, across and along
LEAST_CELL = 28  # pixels, of a page of large tiles alone
TALLEST, FOR_GUESTS = 1.15, 1.7  # of a cell's width
EDGE = 28  # pixels of the upper and lower edge at which what is dragged scrolls
TICK, CALM = 50, 100  # milliseconds between looks at what fades, and fades slowly
QUICK = 3.0  # seconds that a fade still takes, to be looked at often
KEYS = "1234567890QWERTYUIOPASDFGHJKLZXCVBNM"
EMPTY = tr(
    "An empty page. Press “From the rig…” above for all that the rig can do, drag "
    "scenes, palettes, groups or fixtures here, or add tiles."
)

EMPTY_ARRANGED = tr(
    "An empty page. Drag here from the shelf, or choose there and press Put. The sign "
    "of the rig above lays out all that the rig can do."
)


def _folded(folded: bool) -> str:
    if folded:
        return tr_about("a section of a page", "folded")
    return tr_about("a section of a page", "open")


def _only_tiles_differ(before: tuple[object, ...], now: tuple[object, ...]) -> bool:
    """Whether of what is shown nothing is another but the tiles of the same page."""
    if not before or not very_same(before[1:], now[1:]):
        return False
    old, new = before[0], now[0]
    if not isinstance(old, Page) or not isinstance(new, Page):
        return False
    return old.id == new.id and old.sections == new.sections


def _is_other(one: AnyTile, other: AnyTile) -> bool:
    """Whether two tiles differ by more than where they lie."""
    if type(one) is not type(other):
        return True
    return replace(one, spot=None, section="") != replace(other, spot=None, section="")


class SectionHead(QWidget):
    """The title of a section: press to fold it, or to open it again."""

    pressed = Signal(str)

    def __init__(self, section: Section, folded: bool) -> None:
        super().__init__()
        self.section, self.folded = section, folded
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Section {name}", name=section.name))
        self.setToolTip(tr("Fold this section, or open it"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        return Spoken(Role.Button, _folded(self.folded))

    def speak_press(self) -> None:
        """A screen reader presses it."""
        self.pressed.emit(self.section.id)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        painter.setPen(QPen(QColor(theme.SOFT), 2))

        if self.folded:
            ends = (QPointF(5, y - 5), QPointF(10, y), QPointF(5, y + 5))
        else:
            ends = (QPointF(3, y - 3), QPointF(8, y + 3), QPointF(13, y - 3))

        painter.drawPolyline(list(ends))
        painter.setFont(theme.font(16, strong=True))
        painter.setPen(QColor(theme.TEXT if self.hasFocus() else theme.SOFT))
        words = QRectF(22, 0, self.width() - 22, self.height())
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, self.section.name)

        left = 30 + painter.fontMetrics().horizontalAdvance(self.section.name)
        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        painter.drawLine(QPointF(left, y), QPointF(self.width(), y))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Fold it, or open it."""
        self.pressed.emit(self.section.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Space do the same."""
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.pressed.emit(self.section.id)
        else:
            super().keyPressEvent(event)


class Grid(QWidget):
    """The tiles of one section. `cell`: how large a cell is; `spots`: where the tiles
    lie.
    """

    def __init__(self, view: PageView, section: str) -> None:
        super().__init__()
        self.view, self.section = view, section
        self.tiles: dict[str, TileWidget] = {}
        self.spots: dict[str, Spot] = {}
        self.cell = (72.0, 64.0)

    def rect_of(self, spot: Spot) -> QRect:
        """Where a spot is drawn."""
        wide, tall = self.cell
        x, y = round(spot.x * wide), round(spot.y * tall)
        right, bottom = round((spot.x + spot.w) * wide), round((spot.y + spot.h) * tall)
        return QRect(x, y, right - x - GAP, bottom - y - GAP)

    def cell_at(self, point: QPointF) -> tuple[int, int]:
        """Returns column and row of the cell under a point."""
        wide, tall = self.cell
        return int(point.x() // wide), int(point.y() // tall)

    def lay(self) -> None:
        """Put the tiles where they lie."""
        for tile_id, spot in self.spots.items():
            widget = self.tiles.get(tile_id)
            if widget is not None:
                widget.setGeometry(self.rect_of(spot))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.lay()

    def paintEvent(self, event: QPaintEvent) -> None:
        """While it is arranged, the cells are seen."""
        if not self.view.arranging:
            return
        painter = QPainter(self)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.BATTEN))
        wide, tall = self.cell
        rows = int(self.height() // tall) + 1
        for column in range(self.view.columns + 1):
            for row in range(rows):
                spot = QPointF(column * wide - GAP / 2, row * tall - GAP / 2)
                painter.drawEllipse(spot, 1.5, 1.5)


class PageView(QScrollArea):
    """One page, played."""

    menu_wanted = Signal(str, object)
    """A tile's id, and where on the screen."""

    filled = Signal()
    turned = Signal(str)  # the id of the page

    def __init__(self, parts: Parts, minis: MiniStages, guest: bool = False) -> None:
        super().__init__()
        self.parts, self.minis, self.guest = parts, minis, guest
        self.page_id = ""
        self.arranging = False
        self.tiles: dict[str, TileWidget] = {}

        self.grids: dict[str, Grid] = {}
        self.heads: dict[str, SectionHead] = {}
        self.folded: set[str] = set()
        self._fingers: dict[int, TileWidget] = {}
        self._held_keys: dict[int, TileWidget] = {}

        self._shown: tuple[object, ...] = ()
        self._palettes: object = None
        self.setWidgetResizable(False)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.body = QWidget()

        self.body.setAttribute(Qt.WidgetAttribute.WA_AcceptTouchEvents)
        self.body.installEventFilter(self)
        self.setWidget(self.body)
        self.empty = basics.label("", "soft", wrap=True)
        self.empty.setParent(self.body)

        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setFont(theme.font(16))
        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self._animate)
        self._laying = basics.once(self, 0, self.lay)

        parts.document.show_changed.connect(lambda _: self.fill())
        parts.engine.state_changed.connect(self._state)
        application = QApplication.instance()

        if isinstance(application, QApplication):
            application.applicationStateChanged.connect(self._activity)

    # what it shows

    @property
    def page(self) -> Page | None:
        """The page that is shown."""
        return self.parts.document.show.pages.get(self.page_id)

    @property
    def columns(self) -> int:
        """How many cells it is wide."""
        return self.page.columns if self.page is not None else 12

    def go(self, page_id: str) -> None:
        """Turn to a page. What is held on the one before ends."""
        if page_id != self.page_id:
            self.end_held()
            self.page_id = page_id
            self._shown = ()
            self.turned.emit(page_id)
        self.fill()

    def fill(self) -> None:
        """Make the tiles of the page, where anything of it is another one now. Out of
        sight they stay as they are until they are looked at.
        """
        if self._shown and not self.isVisible():
            return

        show, page = self.parts.document.show, self.page
        shown = (
            page,
            show.playables,
            show.masters,
            show.inputs,
            show.fixtures,
            show.types,
            show.groups,
            show.marks,
            show.pictures,
            show.room,
            self.guest,
        )

        if very_same(shown, self._shown):
            self._follow_palettes()
            return

        before, self._shown = self._shown, shown
        self._palettes = show.palettes
        focused = next((i for i, w in self.tiles.items() if w.hasFocus()), "")

        if page is not None and _only_tiles_differ(before, shown):
            self._refill(page)
        else:
            self._clear()
            if page is not None:
                self._fill_page(page)

        self.set_arranging(self.arranging)
        self.lay()
        self._state(self.parts.engine.state)

        if focused in self.tiles:
            self.tiles[focused].setFocus()

        self.filled.emit()

    def _follow_palettes(self) -> None:
        """Palettes that are others now: what follows them is looked at again."""
        palettes = self.parts.document.show.palettes
        if palettes is not self._palettes:
            self._palettes = palettes
            for tile in self.tiles.values():
                tile.look_again()

    def _clear(self) -> None:
        self.end_held()
        for widget in (*self.grids.values(), *self.heads.values()):
            widget.hide()
            discard(widget)
        self.tiles, self.grids, self.heads = {}, {}, {}

    def _fill_page(self, page: Page) -> None:
        for section in (Section("", ""), *page.sections):
            if section.id:
                head = SectionHead(section, section.id in self.folded)
                head.setParent(self.body)
                head.pressed.connect(self.fold)
                head.show()
                self.heads[section.id] = head

            grid = self.grids[section.id] = Grid(self, section.id)
            grid.setParent(self.body)
            grid.spots = pages.spots(page, section.id)

            for tile in page.tiles:
                if tile.id in grid.spots:
                    self._add(page, grid, tile.id)

            grid.setVisible(section.id not in self.folded)

        self.number_keys()

    def _refill(self, page: Page) -> None:
        """Follow a page of which tiles alone are others: those that only lie elsewhere
        stay, as they are played and looked at.
        """
        before = self.tiles
        for grid in self.grids.values():
            grid.tiles = {}
            grid.spots = pages.spots(page, grid.section)

        self.tiles = {}
        for tile in page.tiles:
            grid = self.grids[pages.section_of(page, tile)]
            widget = before.get(tile.id)
            if widget is None or _is_other(widget.tile, tile):
                self._add(page, grid, tile.id)
            else:
                del before[tile.id]
                self._lie_in(widget, grid, page, tile)

        self._take_away(before)
        self.number_keys()

    def _lie_in(
        self, widget: TileWidget, grid: Grid, page: Page, tile: AnyTile
    ) -> None:
        """Have a tile that is there lie in a grid."""
        widget.page, widget.tile = page, tile
        grid.tiles[tile.id] = self.tiles[tile.id] = widget
        if widget.parentWidget() is not grid:
            widget.setParent(grid)
            widget.show()

    def _take_away(self, widgets: Mapping[str, TileWidget]) -> None:
        """Take tiles off; what is held down of them ends."""
        if widgets:
            self.end_held()
        for widget in widgets.values():
            widget.hide()
            discard(widget)

    def _taught(self, ref: Ref) -> str:
        """The keys of the keyboard that play a tile, as far as it is told on it."""
        ties = self.parts.document.show.inputs.values()
        mine = (t for t in ties if t.kind == KeyInput.kind and t.target == ref)
        return in_a_row([tie.control.name for tie in mine])

    def _add(self, page: Page, grid: Grid, tile_id: str) -> None:
        tile = next(t for t in page.tiles if t.id == tile_id)
        made = WIDGETS[tile.kind](self.parts, self.minis, page, tile)
        made.guest = self.guest
        made.taught = self._taught(tile.ref)
        made.setParent(grid)
        made.menu_wanted.connect(self.menu_wanted)
        made.show()
        grid.tiles[tile_id] = self.tiles[tile_id] = made

    def in_order(self) -> Iterator[TileWidget]:
        """The tiles that keys play, as they are read: section by section, row by
        row.
        """
        for grid in self.grids.values():
            if grid.section in self.folded:
                continue
            places = sorted(grid.spots.items(), key=lambda i: (i[1].y, i[1].x))
            for tile_id, _ in places:
                widget = grid.tiles.get(tile_id)
                if widget is not None and widget.plays_by_key and widget.allowed:
                    yield widget

    def fold(self, section: str) -> None:
        """Fold a section, or open it again."""
        self.folded ^= {section}
        if section in self.heads:
            self.heads[section].folded = section in self.folded
            self.heads[section].update()
            self.grids[section].setVisible(section not in self.folded)
        self.number_keys()
        self.lay()

    def number_keys(self) -> None:
        """Give the tiles that may be played the keys that play them."""
        for widget in self.tiles.values():
            widget.setProperty("key", None)
        for key, widget in zip(KEYS, self.in_order(), strict=False):
            widget.setProperty("key", key)

    def set_arranging(self, on: bool) -> None:
        """Have the tiles be placed in the place of played."""
        self.arranging = on
        if on:
            self.end_held()
        page = self.page
        empty = EMPTY_ARRANGED if on else EMPTY
        self.empty.setText("" if page is not None and page.tiles else empty)
        through = Qt.WidgetAttribute.WA_TransparentForMouseEvents
        for widget in self.tiles.values():
            widget.arranged = on
            widget.setAttribute(through, on)
        for grid in self.grids.values():
            grid.update()

    # laying out

    def scroll_at_edge(self, point: QPoint) -> None:
        """Scroll while something is dragged near the upper or the lower edge."""
        bar, height = self.verticalScrollBar(), self.viewport().height()
        if point.y() < EDGE:
            bar.setValue(bar.value() - EDGE)
        elif point.y() > height - EDGE:
            bar.setValue(bar.value() + EDGE)

    def show_tile(self, tile_id: str) -> None:
        """Have a tile be in sight."""
        widget = self.tiles.get(tile_id)
        if widget is not None:
            self.ensureWidgetVisible(widget)

    def lay(self) -> None:
        """Give every grid its room."""
        rows = self._rows()
        width, wide, tall = self._cells(sum(rows.values()))

        y = 0
        for section, grid in self.grids.items():
            head = self.heads.get(section)
            if head is not None:
                head.setGeometry(0, y, width, HEAD)
                y += HEAD

            if section in self.folded:
                continue

            grid.cell = (wide, tall)
            height = round(rows[section] * tall)
            grid.setGeometry(0, y, width, height)
            grid.lay()
            grid.update()

            y += height

        room = self.viewport().height()
        self.body.resize(width, max(y, room))
        self.empty.setGeometry(40, 0, width - 80, room)
        self.empty.lower()

    def _rows(self) -> dict[str, int]:
        """The rows of each section that is open; one to spare while it is arranged."""
        spare = 1 if self.arranging else 0
        return {
            section: pages.rows(grid.spots) + spare
            for section, grid in self.grids.items()
            if section not in self.folded
        }

    def _cells(self, rows: int) -> tuple[int, float, float]:
        """How wide all is, and how wide and tall a cell: as wide as there is room, and
        as tall as all rows fit, but such that the smallest tile can be hit. What has no
        room then is scrolled to.
        """
        spots = [spot for grid in self.grids.values() for spot in grid.spots.values()]
        thin = min((spot.w for spot in spots), default=2)
        low = min((spot.h for spot in spots), default=2)

        least = max((HIT + GAP) / thin, LEAST_CELL)
        width = max(200, self.viewport().width() - 2)
        width = max(width, math.ceil(least * self.columns) - GAP)
        wide = (width + GAP) / self.columns

        tallest = FOR_GUESTS if self.guest else TALLEST
        room = self.viewport().height() - HEAD * len(self.heads)
        tall = min(wide * tallest, room / max(1, rows))
        return width, wide, max(tall, (HIT + GAP) / low, LEAST_CELL)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.lay()
        self._laying.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fill()
        self.lay()
        self._state(self.parts.engine.state)

    def hideEvent(self, event: QHideEvent) -> None:
        """What is held down on a page that goes out of sight ends."""
        self.end_held()
        self._show_keys(False)
        super().hideEvent(event)

    # following

    def _state(self, state: PlayState) -> None:
        for tile in self.tiles.values():
            tile.show_state(state)
        if self.isVisible() and _goes_on(state):
            self._tick.start(_pace(state))

    def _animate(self) -> None:
        state = self.parts.engine.state
        if not self.isVisible():
            self._tick.stop()
            return
        for tile in self.tiles.values():
            tile.show_state(state)
        if not _goes_on(state):
            self._tick.stop()

    # hands

    def end_held(self) -> None:
        """End what fingers, keys or the mouse hold down."""
        for widget in (*self._fingers.values(), *self._held_keys.values()):
            widget.down = False
            widget.hand_up()
        self._fingers, self._held_keys = {}, {}
        for widget in self.tiles.values():
            if isinstance(widget, FlashTile):
                widget.end()

    def _activity(self, state: Qt.ApplicationState) -> None:
        """Whoever goes to another program holds nothing here."""
        if state != Qt.ApplicationState.ApplicationActive:
            self.end_held()
            self._show_keys(False)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Fingers on the page play tiles."""
        if isinstance(event, QTouchEvent):
            self._touched(event)
            return True
        return super().eventFilter(watched, event)  # it follows the size of its widget

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Alt with a key plays a tile."""
        if not self.key(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """The key goes up."""
        if not self.key(event):
            super().keyReleaseEvent(event)

    def key(self, event: QKeyEvent) -> bool:
        """A key that nobody else took: Alt shows which keys play the tiles, with one of
        these it plays. Returns whether it did.
        """
        if not self.isVisible() or self.arranging:
            return False

        is_down = event.type() == QEvent.Type.KeyPress
        if event.key() == Qt.Key.Key_Alt:
            self._show_keys(is_down)
            return False

        if not is_down:
            held = self._held_keys.pop(event.key(), None)
            if held is not None and not event.isAutoRepeat():
                held.key_up()
            elif held is not None:
                self._held_keys[event.key()] = held

            return held is not None

        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        widget = self._tile_of(event.key()) if alt else None
        if widget is None:
            return False

        if not event.isAutoRepeat():
            self._held_keys[event.key()] = widget
            widget.key_down()

        return True

    def _tile_of(self, key: int) -> TileWidget | None:
        text = chr(key) if 0x20 <= key < 0x7F else ""
        if not text:
            return None
        played = (w for w in self.tiles.values() if w.allowed)
        return next((w for w in played if w.property("key") == text), None)

    def _show_keys(self, on: bool) -> None:
        for widget in self.tiles.values():
            key = str(widget.property("key") or "") if on else ""
            if widget.key != key:
                widget.key = key
                widget.update()

    def _touched(self, event: QTouchEvent) -> None:
        """Each finger plays the tile that it was put on. On a page that is arranged
        the first one is a mouse: it chooses, moves and sizes.
        """
        if self.arranging:
            event.ignore()
            return
        event.accept()
        if event.type() == QEvent.Type.TouchCancel:
            self.end_held()
            return
        for point in event.points():
            self._finger(point)

    def _finger(self, point: QEventPoint) -> None:
        state, number = point.state(), point.id()
        if state == QEventPoint.State.Pressed:
            widget = self._tile_at(point.position())
            if widget is not None:
                self._fingers[number] = widget
                widget.down = True
                widget.hand_down(widget.mapFrom(self.body, point.position()))
                widget.update()

            return

        widget = self._fingers.get(number)
        if widget is None:
            return

        if state == QEventPoint.State.Updated:
            widget.hand_moved(widget.mapFrom(self.body, point.position()))
        elif state == QEventPoint.State.Released:
            del self._fingers[number]
            widget.down = False
            widget.hand_up()
            widget.update()

    def _tile_at(self, point: QPointF) -> TileWidget | None:
        for widget in self.tiles.values():
            place = widget.mapFrom(self.body, point)
            if (
                widget.allowed
                and widget.isVisible()
                and QRectF(widget.rect()).contains(place)
            ):
                return widget
        return None


def moves(player: Player) -> bool:
    """Returns whether something that is on goes from step to step."""
    kind = KINDS.get(player.ref.kind)
    has_steps = kind is not None and kind.steps is not None
    return has_steps and player.steps[-1].cursor.runs


def _pace(state: PlayState) -> int:
    """Milliseconds between looks: what fades quickly is looked at often."""
    soon = time.monotonic() + QUICK
    fading = [p for p in state.players if not p.settled(soon - QUICK)]
    return TICK if any(p.settled(soon) for p in fading) else CALM


def _goes_on(state: PlayState) -> bool:
    """Whether something of a state changes by itself."""
    now = time.monotonic()
    if state.asking:
        return True
    return any(not p.settled(now) or moves(p) for p in state.players)
