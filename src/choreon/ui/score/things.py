"""What plays, as a list from which cues, or clips, are made: dragged, or by Enter."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QRect,
    QSize,
    QSortFilterProxyModel,
    Qt,
    SignalInstance,
)
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from choreon.language import tr
from choreon.model.playables import AnyPlayable
from choreon.model.refs import Ref
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.ui import kinds, theme
from choreon.ui.drags import REF, carry
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

THING = Qt.ItemDataRole.UserRole
ROW, PICTURE = 44, (60, 38)  # points of a line and of its picture


class ThingsHand(Protocol):
    """What things are put into: a stack, or a timeline."""

    changed: SignalInstance
    chosen_changed: SignalInstance

    @property
    def show(self) -> Show:
        """The show as it is now."""

    @property
    def own_id(self) -> str:
        """What is in hand: it is not offered."""

    @property
    def takes_into(self) -> bool:
        """Whether things can be put into what is chosen."""

    def add_of(self, refs: Sequence[Ref]) -> object:
        """Put each in by itself."""

    def put_into(self, refs: Sequence[Ref]) -> object:
        """Put all into what is chosen."""


class ThingModel(QAbstractListModel):
    """All that plays, but for what is in hand."""

    def __init__(self, hand: ThingsHand) -> None:
        super().__init__()
        self.hand = hand
        self.things: list[AnyPlayable] = []

    def refill(self) -> None:
        """Read the show anew."""
        own = self.hand.own_id
        known = kinds.on_shelf(self.hand.show.playables.values())
        things = [p for p in known if p.id != own]
        if not very_same(things, self.things):
            self.beginResetModel()
            self.things = things
            self.endResetModel()

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.things)

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        thing = self.things[index.row()]
        if role == THING:
            return thing
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return thing.name
        if role == Qt.ItemDataRole.ToolTipRole:
            return kinds.kind_of(thing).about(self.hand.show, thing)
        return None

    def flags(self, index: AnyIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return flags | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else flags

    def mimeTypes(self) -> list[str]:
        return [REF]


class Filtered(QSortFilterProxyModel):
    """The ones that are looked for; what is dragged is what they stand for."""

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        rows = sorted(indexes, key=lambda index: index.row())
        return carry(*(index.data(THING).ref for index in rows))


class ThingDelegate(QStyledItemDelegate):
    """Draws a small stage and a name."""

    def __init__(self, view: QListView, minis: MiniStages) -> None:
        super().__init__(view)
        self.view, self.minis = view, minis

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        return QSize(120, ROW)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        thing, room = index.data(THING), option.rect
        painter.save()
        chosen = option.state & QStyle.StateFlag.State_Selected
        if chosen or option.state & QStyle.StateFlag.State_MouseOver:
            painter.fillRect(room, QColor(theme.LIFT if chosen else theme.FLAT))

        width, height = PICTURE
        picture = self.minis.picture(thing, width, height, self.view.viewport())
        painter.drawPixmap(room.x() + 3, room.y() + 3, picture)

        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(14))
        words = QRect(
            room.x() + width + 12, room.y(), room.width() - width - 16, room.height()
        )
        right = Qt.TextElideMode.ElideRight
        name = painter.fontMetrics().elidedText(thing.name, right, words.width())
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, name)
        painter.restore()


class ThingList(QFrame):
    """The list, and what it is searched by."""

    def __init__(
        self,
        hand: ThingsHand,
        minis: MiniStages,
        add: tuple[str, str],
        into: tuple[str, str],
        hint: str,
    ) -> None:
        """`add`, `into`: what the buttons say, and their tips."""
        super().__init__()
        self.hand = hand
        self.setProperty("panel", "true")
        self.model = ThingModel(hand)
        self.shown = Filtered()
        self.shown.setSourceModel(self.model)
        self.shown.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)

        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Search"))
        self.filter.setAccessibleName(tr("Search what plays"))
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self.shown.setFilterFixedString)

        self.view = Things(self, hint)
        self.view.setModel(self.shown)
        self.view.setItemDelegate(ThingDelegate(self.view, minis))

        self.add = basics.button(add[0], self.add_chosen, icon="plus", tip=add[1])
        self.into = basics.button(into[0], self.put_into_cue, "quiet", tip=into[1])
        box = basics.stack(
            self,
            basics.label(tr("What plays"), "heading"),
            self.filter,
            self.view,
            self.add,
            self.into,
            margins=10,
        )
        box.setStretch(2, 1)
        hand.changed.connect(self.model.refill)
        hand.chosen_changed.connect(self._follow)
        self.view.selectionModel().selectionChanged.connect(lambda *_: self._follow())
        self.model.refill()
        self._follow()

    def chosen(self) -> list[Ref]:
        """Returns those that are chosen, in their order."""
        rows = self.view.selectionModel().selectedIndexes()
        return [i.data(THING).ref for i in sorted(rows, key=lambda i: i.row())]

    def _follow(self) -> None:
        any_chosen = bool(self.view.selectionModel().selectedIndexes())
        self.add.setEnabled(any_chosen)
        self.into.setEnabled(any_chosen and self.hand.takes_into)

    def add_chosen(self) -> None:
        """Put each that is chosen in by itself."""
        self.hand.add_of(self.chosen())

    def put_into_cue(self) -> None:
        """Put all that are chosen into what is chosen there."""
        self.hand.put_into(self.chosen())


class Things(QListView):
    """The list itself."""

    def __init__(self, owner: ThingList, hint: str) -> None:
        super().__init__()
        self.owner = owner
        self.setAccessibleName(tr("What plays"))
        self.setToolTip(hint)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setMouseTracking(True)
        self.setUniformItemSizes(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.doubleClicked.connect(lambda _: owner.add_chosen())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter puts them in."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.owner.add_chosen()
        else:
            super().keyPressEvent(event)
