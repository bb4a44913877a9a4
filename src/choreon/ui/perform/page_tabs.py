"""The tabs of pages: in one line however many there are, with arrows, the wheel and a
list to reach those out of sight.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent, QWheelEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from choreon.language import tr
from choreon.model.tiles import Page
from choreon.ui import theme
from choreon.ui.drags import OpensUnder
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.menu import Menu

WIDEST = 260  # pixels; a longer name is cut, and whole in the tooltip
LEAST = 240  # pixels
STEP = 160  # pixels that an arrow, or a notch, goes


class PageTab(QPushButton):
    """The tab of one page. A name that is too long ends in dots."""

    def __init__(self, page: Page, size: int) -> None:
        super().__init__()
        self.page, self._size = page, size
        self.setCheckable(True)
        self.setProperty("kind", "quiet")
        self.show_page(page, False)

    def show_page(self, page: Page, is_shown: bool) -> None:
        """Follow the page's name, and whether it is the one that is seen."""
        self.page = page
        self.setChecked(is_shown)
        self.setFont(theme.font(self._size, strong=is_shown))
        room = WIDEST - 32
        cut = self.fontMetrics().elidedText(
            page.name, Qt.TextElideMode.ElideRight, room
        )
        self.setText(basics.literal(cut))
        self.setToolTip(tr("The page {name}", name=page.name))
        self.setAccessibleName(page.name)


class PageTabs(QWidget):
    """Tabs of pages. `height`: of each, in pixels; `size`: of the letters."""

    wanted = Signal(str)
    """A page, by its id, is to be opened."""
    hovered = Signal(str)
    """Something is carried over its tab."""
    menu_wanted = Signal(str, QPoint)
    """What can be done with it; where on the screen."""

    def __init__(self, height: int, size: int) -> None:
        super().__init__()
        self.by_page: dict[str, PageTab] = {}
        self._height, self._size = height, size
        self.group = QButtonGroup(self)
        self._inside = inside = QWidget()
        self._line = QHBoxLayout(inside)
        self._line.setContentsMargins(0, 0, 0, 0)
        self._line.setSpacing(4)
        self._line.addStretch(1)

        self.scroller = basics.scroller(inside, sideways=True)
        off = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        self.scroller.setHorizontalScrollBarPolicy(off)
        self.scroller.setFixedHeight(height)
        self.scroller.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        wide, low = QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed
        self.scroller.setSizePolicy(wide, low)
        self.setSizePolicy(wide, low)

        self.before = self._tool(
            "before", tr("Pages further left"), partial(self.turn, -1)
        )
        self.after = self._tool(
            "after", tr("Pages further right"), partial(self.turn, 1)
        )

        self.all_button = self._tool("list", tr("All pages, in a list"), self._list)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)

        for widget in (self.before, self.scroller, self.after, self.all_button):
            line.addWidget(widget, 1 if widget is self.scroller else 0)

        self.scroller.horizontalScrollBar().rangeChanged.connect(self._fit)
        self.scroller.horizontalScrollBar().valueChanged.connect(self._fit)
        self._into_sight = basics.once(self, 0, self.show_chosen)
        self._fit()

    def _tool(self, icon: str, tip: str, act: Callable[[], object]) -> QWidget:
        made = basics.tool(icon, tip, act)
        made.setFixedHeight(self._height)
        return made

    def sizeHint(self) -> QSize:
        """As wide as all tabs are, if there is the room."""
        return QSize(self._inside.sizeHint().width(), self._height)

    def minimumSizeHint(self) -> QSize:
        """Room for one of them, and what leads to the others."""
        return QSize(LEAST, self._height)

    def fill(self, pages: Sequence[Page], shown: str) -> None:
        """Show the tabs of pages. Those that stay are the same as before, so that the
        focus stays where it is.
        """
        wanted = {page.id: page for page in pages}
        for page_id in [known for known in self.by_page if known not in wanted]:
            tab = self.by_page.pop(page_id)
            self._line.removeWidget(tab)
            tab.hide()
            discard(tab)

        for place, page in enumerate(pages):
            tab = self.by_page.get(page.id) or self._make(page)
            tab.show_page(page, page.id == shown)
            if self._line.indexOf(tab) != place:
                self._line.insertWidget(place, tab)

        self.updateGeometry()
        self._into_sight.start()

    def _make(self, page: Page) -> PageTab:
        tab = self.by_page[page.id] = PageTab(page, self._size)
        tab.setMinimumHeight(self._height - 2)
        tab.clicked.connect(lambda *_: self.wanted.emit(page.id))
        tab.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        tab.customContextMenuRequested.connect(
            lambda point: self.menu_wanted.emit(page.id, tab.mapToGlobal(point))
        )
        self.group.addButton(tab)
        OpensUnder(tab, lambda: self.hovered.emit(page.id))
        return tab

    def show_chosen(self) -> None:
        """Bring the tab of the page that is seen into sight."""
        self._fit()
        tab = self.group.checkedButton()
        if tab is not None:
            self.scroller.ensureWidgetVisible(tab, 8, 0)

    def turn(self, way: int) -> None:
        """Go left or right along them."""
        bar = self.scroller.horizontalScrollBar()
        bar.setValue(bar.value() + way * STEP)

    def _fit(self, *_: int) -> None:
        """Arrows and list are there where not all fits."""
        bar = self.scroller.horizontalScrollBar()
        over = self._inside.sizeHint().width() > self.width()
        for tool in (self.before, self.after, self.all_button):
            tool.setVisible(over)
        self.before.setEnabled(bar.value() > bar.minimum())
        self.after.setEnabled(bar.value() < bar.maximum())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What fits may be another."""
        super().resizeEvent(event)
        self._into_sight.start()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Go along them."""
        turned = event.angleDelta().y() or event.angleDelta().x()
        bar = self.scroller.horizontalScrollBar()
        bar.setValue(bar.value() - round(STEP * turned / 120))
        event.accept()

    def menu(self) -> QMenu:
        """All pages in a list."""
        made = Menu(self)
        for page_id, tab in self.by_page.items():
            open_it = partial(self.wanted.emit, page_id)
            action = made.addAction(tab.page.name, open_it)
            action.setCheckable(True)
            action.setChecked(tab.isChecked())
        return made

    def _list(self) -> None:
        self.menu().exec(self.all_button.mapToGlobal(QPoint(0, self.height())))
