"""A page from the rig: which groups, what of each, seen as it will be."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from choreon.language import capital, plural, tr
from choreon.model import arrange, edits, givens, pages, rig_page
from choreon.model import palettes as model_palettes
from choreon.model.refs import Ref, name_of
from choreon.model.rig_page import Wanted
from choreon.model.show import Show
from choreon.model.tiles import AnyTile, Choice, Page
from choreon.terms import term
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.tick import Tick

HEAD = 20.0
GAP = 3.0
WIDER = 1.7  # than high: a cell
LEAST = 260  # pixels


class PagePicture(QWidget):
    """A page in small: its sections, and where its tiles lie in them."""

    def __init__(self) -> None:
        super().__init__()
        self.show_: Show | None = None
        self.page: Page | None = None
        self.setMinimumSize(360, LEAST)
        self.setAccessibleName(tr("The page as it will be"))

    def sizeHint(self) -> QSize:
        return QSize(460, 400)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        count = 0 if self.page is None else len(self.page.tiles)
        return Spoken(Role.Graphic, plural(count, "{n} tile", "{n} tiles"))

    def show_page(self, show: Show, page: Page) -> None:
        """Show a page of a show."""
        self.show_, self.page = show, page
        self._fit()

    def _fit(self) -> None:
        """As high as the page is at its width."""
        page = self.page
        if page is None:
            return
        parts = ("", *(section.id for section in page.sections))
        rows = [pages.rows(pages.spots(page, part)) for part in parts]
        heads = sum(1 for count in rows if count)
        high = round(8 + heads * HEAD + sum(rows) * self._cell)
        if self.minimumHeight() != max(LEAST, high):
            self.setMinimumHeight(max(LEAST, high))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """It is as high as its width asks for."""
        super().resizeEvent(event)
        self._fit()

    @property
    def _cell(self) -> float:
        """Pixels of a cell."""
        columns = 12 if self.page is None else self.page.columns
        return (self.width() - 8) / columns / WIDER

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.PIT))
        page = self.page
        if page is None:
            return
        parts = [("", ""), *((section.id, section.name) for section in page.sections)]
        lie = [(name, pages.spots(page, part)) for part, name in parts]
        lie = [(name, spots) for name, spots in lie if spots]
        cell = self._cell

        tiles = {tile.id: tile for tile in page.tiles}
        top = 4.0
        for name, spots in lie:
            painter.setPen(QColor(theme.SOFT))
            painter.setFont(theme.font(12))
            head = QRectF(4, top, self.width() - 8, HEAD)
            painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, name)
            top += HEAD
            for tile_id, spot in spots.items():
                rect = QRectF(
                    4 + spot.x * cell * WIDER,
                    top + spot.y * cell,
                    spot.w * cell * WIDER - GAP,
                    spot.h * cell - GAP,
                )
                self._draw(painter, rect, tiles[tile_id])
            top += pages.rows(spots) * cell

    def _draw(self, painter: QPainter, rect: QRectF, tile: AnyTile) -> None:
        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(rect, 3, 3)
        if isinstance(tile, Choice):
            self._draw_strip(painter, rect, tile)
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(9))
        name = tile.name or (name_of(self.show_, tile.ref) if self.show_ else "")
        inside = rect.adjusted(3, 1, -2, -1)
        words = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(inside.width())
        )
        below = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
        painter.drawText(inside, below, words)

    def _draw_strip(self, painter: QPainter, rect: QRectF, tile: Choice) -> None:
        """The looks of a strip, each in its colour where it has one."""
        if self.show_ is None or not tile.plays:
            return
        wide = rect.width() / len(tile.plays)
        for n, part in enumerate(tile.plays):
            own = QRectF(rect.left() + n * wide + 1, rect.top() + 2, wide - 2, 0)
            own.setHeight(max(2.0, rect.height() * 0.5))
            painter.fillRect(own, self._colour(part.ref))

    def _colour(self, ref: Ref) -> QColor:
        assert self.show_ is not None
        given = givens.given_of(self.show_, ref)
        palette = None if given is None else self.show_.palettes.get(given.palette)
        rgb = None if palette is None else palette_deeds.colour_of(palette)
        return QColor(theme.BATTEN) if rgb is None else on_screen(rgb)


class RigPageDialog(Dialog):
    """Asks what a page from the rig is to have."""

    def __init__(self, show: Show, page_id: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("A page from the rig"))
        self.page_id = page_id
        self.base, groups = _ready(show)

        there = rig_page.families_there(self.base, groups)
        usual = _usual(show, groups)
        self.groups = {
            ref: self._tick(name_of(self.base, ref), ref in usual) for ref in groups
        }
        self.families = {family: self._tick(capital(term(family))) for family in there}
        self.levels = self._tick(tr("Levels"))
        self.flashes = self._tick(tr("Flash"))
        self.whole = self._tick(tr("The whole stage"))
        self.large = self._tick(tr("Large"), False)
        self.steps = self._tick(tr("Pictures, prism, zoom and strobe in steps"))
        self.dark = self._tick(tr("Pictures change in the dark"), False)
        self.dark.setToolTip(
            tr("Heads whose gobos or wheels change go down, change, and come up")
        )

        self.picture = PagePicture()
        self.told = basics.label("", "small", wrap=True)
        self.go = basics.button(tr("Make the page"), self.accept, "main", "check")
        self.go.setDefault(True)
        self.leave = basics.button(tr("Cancel"), self.reject, "quiet")

        choices = QWidget()
        basics.stack(
            choices,
            basics.label(tr("Of whom"), "soft"),
            flow(*self.groups.values(), spacing=8),
            basics.label(tr("What"), "soft"),
            flow(self.whole, self.levels, self.flashes, spacing=8),
            flow(*self.families.values(), spacing=8),
            self.steps,
            self.dark,
            self.large,
            self.told,
            1,
            margins=0,
            spacing=8,
        )

        side = self.scrolled(choices)
        side.setFixedWidth(300)
        line = basics.row(side, basics.scroller(self.picture), spacing=12)
        basics.grow(line, 1)
        basics.stack(self, line, basics.row(1, self.leave, self.go), margins=14)
        self.resize(860, 560)
        self._change()

    def _tick(self, text: str, on: bool = True) -> Tick:
        made = Tick(text)
        made.setChecked(on)
        made.toggled.connect(lambda _: self._change())
        return made

    @property
    def wanted(self) -> Wanted:
        """What is wanted now."""
        return Wanted(
            groups=tuple(r for r, tick in self.groups.items() if tick.isChecked()),
            levels=self.levels.isChecked(),
            flashes=self.flashes.isChecked(),
            families=tuple(f for f, tick in self.families.items() if tick.isChecked()),
            steps=self.steps.isChecked(),
            whole=self.whole.isChecked(),
            dark=self.dark.isChecked(),
            large=self.large.isChecked(),
        )

    def _change(self) -> None:
        if not hasattr(self, "go"):
            return  # not yet whole
        made = self.made_of(self.base)
        page = made.pages[self.page_id]
        self.picture.show_page(made, page)

        more = len(page.tiles) - len(self.base.pages[self.page_id].tiles)
        basics.say(self.told, plural(more, "{n} tile more", "{n} tiles more"))
        self.go.setEnabled(made != self.base)

    def made_of(self, show: Show) -> Show:
        """A show, which may have become another since this was opened, with what is
        wanted; itself where the page is gone.
        """
        if self.page_id not in show.pages:
            return show
        base, groups = _ready(show)
        wanted = self.wanted
        there = tuple(group for group in wanted.groups if group in groups)
        wanted = msgspec.structs.replace(wanted, groups=there)
        made = rig_page.page_from_rig(base, self.page_id, wanted)
        if show.groups:
            return made
        # of those that suggested themselves only the ones that are wanted are kept
        others = [ref.id for ref in groups if ref not in there]
        return edits.drop(made, "groups", others)


def _usual(show: Show, groups: tuple[Ref, ...]) -> set[Ref]:
    """The groups that are wanted if nothing else is said: those that there are, else
    those of a kind.
    """
    if show.groups:
        return set(groups)
    names = {name for name, _ in arrange.grouped(show, arrange.By.KIND)}
    base, _ = _ready(show)
    return {ref for ref in groups if name_of(base, ref) in names} or set(groups)


def _ready(show: Show) -> tuple[Show, tuple[Ref, ...]]:
    """A show with groups, which are given too, and palettes to begin with, where it has
    none of its own.
    """
    show, groups = rig_page.groups_for(show)
    return (show if show.palettes else model_palettes.sample(show)), groups
