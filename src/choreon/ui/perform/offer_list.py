"""What can be put on a page, line by line: the list behind the shelf, and how a line is
drawn.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import (
    QAbstractListModel,
    QItemSelection,
    QMimeData,
    QModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model.lamps import fixtures_of
from choreon.model.offers import Offer, Sort
from choreon.model.refs import DEED, Ref, find
from choreon.model.show import Palette
from choreon.model.values import Look
from choreon.render.decode import Light
from choreon.terms import term
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme
from choreon.ui.drags import REF, TILES
from choreon.ui.stage.mini import MiniStages
from choreon.ui.tiles.others import SIGNS
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.curves import draw_motion
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

TALL = 52  # pixels of a line: large enough for a finger
PICTURE = QSize(72, 44)  # pixels
STRIPE = 6.0  # pixels of the colour of a palette
OFFER = Qt.ItemDataRole.UserRole
OPEN = {at.DIMMER: 1.0}

PLAIN_SIGNS = {"tempo": "wave", "clock": "times", "label": "tag"}


class OfferModel(QAbstractListModel):
    """Offers in their order. `carry` makes what is dragged."""

    def __init__(self, carry: Callable[[], QMimeData]) -> None:
        super().__init__()
        self._carry = carry
        self.offers: list[Offer] = []

    def show_offers(self, offers: Sequence[Offer]) -> bool:
        """Show these. Returns whether they are others than before."""
        if list(offers) == self.offers:
            return False
        self.beginResetModel()
        self.offers = list(offers)
        self.endResetModel()
        return True

    def row_of(self, ref: Ref) -> int:
        """Returns the line of something; -1 for what is not shown."""
        return next((n for n, one in enumerate(self.offers) if one.ref == ref), -1)

    # what Qt asks

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.offers)

    def data(
        self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Offer | str | None:
        if not index.isValid():
            return None
        offer = self.offers[index.row()]
        if role == OFFER:
            return offer
        if role == Qt.ItemDataRole.DisplayRole:
            return offer.name
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return tr("{name}, {what}", name=offer.name, what=self.about(offer))
        if role == Qt.ItemDataRole.ToolTipRole:
            return tr("{name}: {what}", name=offer.name, what=self.about(offer))
        return None

    def about(self, offer: Offer) -> str:
        """What an offer is, in few words."""
        if offer.sort in (Sort.PALETTES, Sort.ACTS):
            return offer.folder or tr("For all that plays")
        if offer.sort == Sort.FIXTURES and offer.folder:
            return offer.folder
        kind = capital(term(offer.ref.kind))
        if offer.sort == Sort.MOTIONS:
            kind = capital(term("motion"))
        if offer.folder:
            return tr("{kind} · {folder}", kind=kind, folder=offer.folder)
        return kind

    def flags(self, index: AnyIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else flags

    def mimeTypes(self) -> list[str]:
        return [TILES, REF]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        return self._carry()


class OfferDelegate(QStyledItemDelegate):
    """Draws a line: a picture, the name, and what it is."""

    def __init__(self, offers: OfferList, minis: MiniStages) -> None:
        super().__init__(offers)
        self.list, self.minis = offers, minis
        self.parts = minis.parts

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        return QSize(120, TALL)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        offer: Offer = index.data(OFFER)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(option.rect).adjusted(1, 1, -1, -1)
        chosen = option.state & QStyle.StateFlag.State_Selected

        shape = QPainterPath()
        shape.addRoundedRect(room, theme.RADIUS, theme.RADIUS)
        if chosen:
            painter.fillPath(shape, QColor(theme.LIFT))

        picture = QRectF(
            room.left() + 3, room.top() + 3, PICTURE.width(), PICTURE.height()
        )
        self._draw_picture(painter, picture, offer)
        left = picture.right() + 8
        words = QRectF(left, room.top(), room.right() - left - 4, room.height())
        place = self.list.place_of(offer.ref) if chosen else 0
        self._draw_words(painter, words, offer, place)

        if chosen or option.state & QStyle.StateFlag.State_HasFocus:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.drawPath(shape)
        painter.restore()

    def _draw_words(
        self, painter: QPainter, rect: QRectF, offer: Offer, place: int
    ) -> None:
        """The name over what it is; of several chosen, which of them it is."""
        if place:
            painter.setFont(theme.font(12, strong=True))
            painter.setPen(QColor(theme.CHOSEN))
            upper = rect.adjusted(0, 4, 0, 0)
            end = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
            painter.drawText(upper, end, str(place))
            rect = rect.adjusted(0, 0, -18, 0)

        half = rect.height() / 2
        elide = Qt.TextElideMode.ElideRight
        for text, size, ink, top in (
            (offer.name, 13, theme.TEXT, 4.0),
            (self.list.offers.about(offer), 12, theme.SOFT, half),
        ):
            painter.setFont(theme.font(size))
            painter.setPen(QColor(ink))
            fits = painter.fontMetrics().elidedText(text, elide, int(rect.width()))
            line = QRectF(rect.left(), rect.top() + top, rect.width(), half - 4)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, fits)

    def _draw_picture(self, painter: QPainter, rect: QRectF, offer: Offer) -> None:
        """What it lights, how it moves, or its sign."""
        painter.fillRect(rect, QColor(theme.PIT))
        thing = find(self.parts.document.show, offer.ref)
        if offer.sort == Sort.PLAYS and thing is not None:
            wide, high, port = self._room()
            picture = self.minis.picture(thing, wide, high, port)
            painter.drawPixmap(rect.topLeft(), picture)
        elif isinstance(thing, Palette):
            self._draw_palette(painter, rect, thing)
        elif offer.sort in (Sort.GROUPS, Sort.FIXTURES):
            self._draw_lamps(painter, rect, offer)
        else:
            self._draw_sign(painter, rect, offer)

    def _room(self) -> tuple[int, int, QFrame]:
        return PICTURE.width(), PICTURE.height(), self.list.viewport()  # type: ignore[return-value]

    def _draw_palette(self, painter: QPainter, rect: QRectF, palette: Palette) -> None:
        """The curve of a motion; else the lamps that it lights."""
        if palette.motion is not None:
            show = self.parts.document.show
            inner = rect.adjusted(6, 8, -6, -8)
            draw_motion(painter, inner, show, palette.motion, 0.3)
            return

        def light() -> Light:
            look = palette_deeds.shining(self.parts, palette)
            return self.parts.preview.light_of_look(look)

        picture = self.minis.of(palette, light, *self._room())
        painter.drawPixmap(rect.topLeft(), picture)
        rgb = palette_deeds.colour_of(palette)
        if rgb is not None:
            stripe = QRectF(rect.left(), rect.bottom() - STRIPE, rect.width(), STRIPE)
            painter.fillRect(stripe, on_screen(rgb))

    def _draw_lamps(self, painter: QPainter, rect: QRectF, offer: Offer) -> None:
        """The lamps of a group, opened up."""
        show = self.parts.document.show
        thing = find(show, offer.ref)

        def light() -> Light:
            lamps = fixtures_of(show, [offer.ref])
            look: Look = {lamp: dict(OPEN) for lamp in lamps}
            return self.parts.preview.light_of_look(look)

        name = str(offer.ref)
        picture = self.minis.made(name, (thing,), light, *self._room())
        painter.drawPixmap(rect.topLeft(), picture)

    def _draw_sign(self, painter: QPainter, rect: QRectF, offer: Offer) -> None:
        sign = "dial"
        if offer.ref.kind == DEED:
            sign = SIGNS.get(offer.ref.id, "stop")
        elif offer.sort == Sort.ACTS:
            sign = PLAIN_SIGNS.get(offer.ref.id, "tag")
        pixmap = theme.pixmap(sign, theme.TEXT)
        size = pixmap.deviceIndependentSize()
        middle = rect.center()
        left, top = middle.x() - size.width() / 2, middle.y() - size.height() / 2
        painter.drawPixmap(int(left), int(top), pixmap)


class OfferList(QListView):
    """The lines; several can be chosen, and keep the order in which they were.
    `carry` makes what is dragged of those.
    """

    chosen = Signal()
    """Others are chosen."""
    wanted = Signal()
    """Those chosen shall be put on the page."""

    def __init__(self, minis: MiniStages, carry: Callable[[], QMimeData]) -> None:
        super().__init__()
        self.offers = OfferModel(carry)
        self._order: list[Ref] = []
        self.setModel(self.offers)
        self.setItemDelegate(OfferDelegate(self, minis))
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setAccessibleName(tr("What can be put on the page"))
        self.setToolTip(
            tr(
                "Drag onto the page, or press Enter; Ctrl and Shift choose several, "
                "which land in the order in which they were chosen"
            )
        )
        self.selectionModel().selectionChanged.connect(self._selected)
        self.doubleClicked.connect(lambda _: self.wanted.emit())

    def refs(self) -> list[Ref]:
        """Returns what is chosen, in the order in which it was."""
        return list(self._order)

    def place_of(self, ref: Ref) -> int:
        """Returns which of several chosen something is, from 1; 0 where it is alone."""
        several = len(self._order) > 1 and ref in self._order
        return self._order.index(ref) + 1 if several else 0

    def choose(self, *refs: Ref) -> None:
        """Choose some, in an order."""
        self.clearSelection()
        for ref in refs:
            row = self.offers.row_of(ref)
            if row >= 0:
                index = self.offers.index(row)
                flag = self.selectionModel().SelectionFlag.Select
                self.selectionModel().select(index, flag)
                self.selectionModel().setCurrentIndex(
                    index, self.selectionModel().SelectionFlag.NoUpdate
                )

    def set_several(self, on: bool) -> None:
        """Whether each press takes one more, as a finger needs it."""
        modes = QAbstractItemView.SelectionMode
        self.setSelectionMode(modes.MultiSelection if on else modes.ExtendedSelection)

    def show_offers(self, offers: Sequence[Offer]) -> None:
        """Show these; what is chosen stays so where it is there yet."""
        before = self._order
        if self.offers.show_offers(offers):
            there = {offer.ref for offer in offers}
            self._order = []
            self.choose(*(ref for ref in before if ref in there))
            self.chosen.emit()

    def _selected(self, selected: QItemSelection, gone: QItemSelection) -> None:
        now = {index.data(OFFER).ref for index in self.selectedIndexes()}
        fresh = [index.data(OFFER).ref for index in selected.indexes()]
        kept = [ref for ref in self._order if ref in now]
        self._order = [*kept, *(ref for ref in fresh if ref not in kept)]
        self.viewport().update()
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter puts those chosen on the page."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            index: QModelIndex = self.currentIndex()
            if not self._order and index.isValid():
                self.choose(index.data(OFFER).ref)
            self.wanted.emit()
        elif event.key() == Qt.Key.Key_Escape:
            event.ignore()
        else:
            super().keyPressEvent(event)
