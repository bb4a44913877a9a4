"""Cards of what is stored: the list behind the shelf, how a card is drawn, and the
strip that they lie in.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import (
    QAbstractListModel,
    QItemSelection,
    QItemSelectionModel,
    QMimeData,
    QModelIndex,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from choreon.language import facts, in_a_row, tr
from choreon.model import palettes
from choreon.model.playables import AnyPlayable
from choreon.model.refs import PALETTE, Ref
from choreon.model.show import Palette
from choreon.render.decode import Light
from choreon.terms import term
from choreon.ui import kinds, theme
from choreon.ui import palettes as palette_deeds
from choreon.ui.drags import REF, carry
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

WIDE, TALL = 152, 122  # pixels of a card
GAP = 8  # pixels between cards
STAGE = 92  # pixels that the small stage is tall

Thing = AnyPlayable | Palette
CARD = Qt.ItemDataRole.UserRole


class Card(NamedTuple):
    """What is stored, and how it stands now.

    `uses`: how many scenes use it. `on`: it plays. `drafted`: the draft has it.
    """

    thing: Thing
    uses: int = 0
    on: bool = False
    drafted: bool = False

    @property
    def tail(self) -> str:
        """A word at the end of its line."""
        if self.uses:
            return f"{self.uses}×"
        if isinstance(self.thing, Palette):
            return ""
        return kinds.kind_of(self.thing).tail(self.thing)

    @property
    def colour(self) -> QColor | None:
        """The colour of its stripe."""
        if isinstance(self.thing, Palette):
            rgb = palette_deeds.colour_of(self.thing)
            return on_screen(rgb) if rgb else None
        return QColor(self.thing.colour) if self.thing.colour else None


def times_of(playable: AnyPlayable) -> str:
    """In what time something comes and goes, and its tags."""
    own = in_a_row(
        tr(
            "{family} {delay:g}+{fade:g} s",
            family=term(family),
            delay=t.delay,
            fade=t.fade,
        )
        for family, t in playable.times.items()
    )
    fades = tr(
        "in {fade_in:g} s · out {fade_out:g} s",
        fade_in=playable.fade_in,
        fade_out=playable.fade_out,
    )
    return facts(fades, own, " ".join(f"#{tag}" for tag in playable.tags))


class CardModel(QAbstractListModel):
    """The cards in their order. What plays can be dragged; a `Ref`
    is carried."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._cards: list[Card] = []
        self._rows: dict[str, int] = {}
        self._on: set[str] = set()
        self._drafted: set[str] = set()

    def show_things(self, things: Sequence[Thing], uses: dict[str, int]) -> None:
        """Show these. Where they are the same ones in the same order, only what changed
        is drawn again.
        """
        before = {card.thing.id: card for card in self._cards}
        cards = []
        for thing in things:
            i = thing.id
            known = before.get(i) or Card(thing)
            told = known._replace(on=i in self._on, drafted=i in self._drafted)
            cards.append(told._replace(thing=thing, uses=uses.get(i, 0)))
        if list(self._rows) == [t.id for t in things]:
            self._take(cards)
            return
        self.beginResetModel()
        self._cards = cards
        self._rows = {t.id: row for row, t in enumerate(things)}
        self.endResetModel()

    def show_state(self, on: set[str], drafted: set[str]) -> None:
        """Say which play and which the draft has, by id."""
        others = (on ^ self._on) | (drafted ^ self._drafted)
        self._on, self._drafted = set(on), set(drafted)
        for i in others & self._rows.keys():
            row = self._rows[i]
            self._cards[row] = self._cards[row]._replace(
                on=i in on, drafted=i in drafted
            )
            self.dataChanged.emit(self.index(row), self.index(row))

    def _take(self, cards: list[Card]) -> None:
        before, self._cards = self._cards, cards
        for row, (old, new) in enumerate(zip(before, cards, strict=True)):
            if old.thing is not new.thing or old[1:] != new[1:]:
                self.dataChanged.emit(self.index(row), self.index(row))

    def ids(self) -> list[str]:
        """Returns the ids in their order."""
        return list(self._rows)

    def card(self, thing_id: str) -> Card:
        """Returns the card of a thing. Raises KeyError."""
        return self._cards[self._rows[thing_id]]

    def index_of(self, thing_id: str) -> QModelIndex:
        """Returns where a thing is; nowhere for what is not shown."""
        row = self._rows.get(thing_id, -1)
        return self.index(row) if row >= 0 else QModelIndex()

    # what Qt asks

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._cards)

    def data(
        self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Card | str | None:
        if not index.isValid():
            return None
        card = self._cards[index.row()]
        if role == CARD:
            return card
        if role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return card.thing.name
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.about(card.thing)
        return None

    def about(self, thing: Thing) -> str:
        """What a thing is, in words."""
        show = self.parts.document.show
        if isinstance(thing, Palette):
            users = [s.name for s in palettes.users(show, thing.id)]
            used = palette_deeds.used_by(users)
            return tr(
                "{name}: {used}. Press twice to give it to the chosen.",
                name=thing.name,
                used=used,
            )
        told = kinds.kind_of(thing).about(show, thing)
        return tr("{what}\n{times}", what=told, times=times_of(thing))

    def flags(self, index: AnyIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        if index.isValid():
            flags |= Qt.ItemFlag.ItemIsDragEnabled
        return flags

    def mimeTypes(self) -> list[str]:
        return [REF]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        thing = self._cards[indexes[0].row()].thing
        if isinstance(thing, Palette):
            return carry(Ref(PALETTE, thing.id))
        return carry(thing.ref)


class CardDelegate(QStyledItemDelegate):
    """Draws a card: the small stage, a stripe of its colour, its name and a word."""

    def __init__(self, strip: CardStrip, minis: MiniStages) -> None:
        super().__init__(strip)
        self.strip, self.minis = strip, minis

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        return QSize(WIDE + GAP, TALL)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        card: Card = index.data(CARD)
        state = option.state
        painter.save()
        painter.translate(option.rect.topLeft())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shape = QPainterPath()
        shape.addRoundedRect(
            QRectF(1, 1, WIDE - 2, TALL - 2), theme.RADIUS, theme.RADIUS
        )
        painter.setClipPath(shape)
        painter.fillRect(QRectF(0, 0, WIDE, TALL), QColor(theme.FLAT))
        painter.drawPixmap(1, 1, self._stage(card.thing))

        if (colour := card.colour) is not None:
            painter.fillRect(QRectF(1, STAGE - 2, WIDE, 4), colour)
        painter.setClipping(False)
        self._draw_words(painter, card)
        painter.setBrush(Qt.BrushStyle.NoBrush)

        if card.drafted:
            pen = QPen(QColor(theme.DRAFT), 2)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawPath(shape)

        focused = state & QStyle.StateFlag.State_HasFocus
        if focused or state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.drawPath(shape)

        painter.restore()

    def _stage(self, thing: Thing) -> QPixmap:
        minis, port = self.minis, self.strip.viewport()
        if not isinstance(thing, Palette):
            return minis.picture(thing, WIDE - 2, STAGE, port)
        parts = minis.parts

        def light() -> Light:
            look = palette_deeds.shining(parts, thing)
            return parts.preview.light_of_look(look)

        return minis.of(thing, light, WIDE - 2, STAGE, port)

    def _draw_words(self, painter: QPainter, card: Card) -> None:
        """A dot where it plays, the name, and the word at the end."""
        left, right = 10.0, WIDE - 10.0
        middle = Qt.AlignmentFlag.AlignVCenter
        if card.on:
            painter.setBrush(QColor(theme.LIVE))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QRectF(10, 103, 8, 8))
            left = 24.0

        if tail := card.tail:
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.SOFT))
            wide = painter.fontMetrics().horizontalAdvance(tail)
            rect = QRectF(right - wide, STAGE + 2, wide + 2, 26)
            painter.drawText(rect, middle, tail)
            right -= wide + 6

        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(13))
        name = painter.fontMetrics().elidedText(
            card.thing.name, Qt.TextElideMode.ElideRight, int(right - left)
        )

        painter.drawText(QRectF(left, STAGE + 2, right - left, 26), middle, name)


class CardStrip(QListView):
    """The cards side by side. Choosing one tells its id; it never lights anything."""

    chosen = Signal(str)
    pressed_twice = Signal(str)

    def __init__(self, parts: Parts, minis: MiniStages) -> None:
        super().__init__()
        self.cards = CardModel(parts)
        self._order: list[str] = []  # what is chosen, as it was chosen
        self.setModel(self.cards)
        self.setItemDelegate(CardDelegate(self, minis))
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(False)
        self.setUniformItemSizes(True)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setMouseTracking(True)
        self.setMinimumHeight(132)
        self.setAccessibleName(tr("What is kept"))
        self.setToolTip(tr("What is kept: choose one to see what can be done with it"))
        self.selectionModel().selectionChanged.connect(self._selected)
        self.doubleClicked.connect(
            lambda index: self.pressed_twice.emit(index.data(CARD).thing.id)
        )

    def choose(self, thing_id: str) -> None:
        """Mark a card as the chosen one, and show it; none for an empty id."""
        index = self.cards.index_of(thing_id)
        if index.isValid() and self.selectionModel().isSelected(index):
            return  # one of several
        if index.isValid():
            flag = QItemSelectionModel.SelectionFlag.ClearAndSelect
            self.selectionModel().setCurrentIndex(index, flag)
        else:
            self.clearSelection()

    def all_chosen(self) -> list[str]:
        """Returns the ids of all cards that are chosen, in the order in which they
        were.
        """
        return list(self._order)

    def _selected(self, selected: QItemSelection, gone: QItemSelection) -> None:
        now = {index.data(CARD).thing.id for index in self.selectedIndexes()}
        fresh = [index.data(CARD).thing.id for index in selected.indexes()]
        kept = [i for i in self._order if i in now]
        self._order = [*kept, *(i for i in fresh if i not in kept)]
        if fresh or not self._order:
            self.chosen.emit(fresh[-1] if fresh else "")
        elif gone.indexes():
            self.chosen.emit(self._order[-1])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Space choose the card that the keys are on."""
        index = self.currentIndex()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and index.isValid():
            self.choose(index.data(CARD).thing.id)
        else:
            super().keyPressEvent(event)
