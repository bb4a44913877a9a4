"""What plays, as a list from which cues are made: dragged, or by Enter."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QRect,
    QSize,
    QSortFilterProxyModel,
    Qt,
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
from choreon.ui import kinds, theme
from choreon.ui.drags import REF, carry
from choreon.ui.score.hand import ScoreHand
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

THING = Qt.ItemDataRole.UserRole
ROW, PICTURE = 44, (60, 38)  # points of a line and of its picture


class ThingModel(QAbstractListModel):
    """All that plays, but for the stack in hand."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.things: list[AnyPlayable] = []

    def refill(self) -> None:
        """Read the show anew."""
        own = self.hand.stack_id
        things = [p for p in self.hand.show.playables.values() if p.id != own]
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

    def __init__(self, hand: ScoreHand, minis: MiniStages) -> None:
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

        self.view = Things(self)
        self.view.setModel(self.shown)
        self.view.setItemDelegate(ThingDelegate(self.view, minis))

        self.add = basics.button(
            tr("A cue of each"),
            self.add_chosen,
            icon="plus",
            tip=tr("Make a cue of each that is chosen (Enter), behind the chosen cue"),
        )
        self.into = basics.button(
            tr("Into the cue"),
            self.put_into_cue,
            "quiet",
            tip=tr("Have the chosen cues play them as well"),
        )
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
        self.into.setEnabled(any_chosen and bool(self.hand.chosen))

    def add_chosen(self) -> None:
        """A cue of each that is chosen."""
        self.hand.add_of(self.chosen())

    def put_into_cue(self) -> None:
        """The chosen cues play what is chosen as well."""
        self.hand.put_into(self.chosen())


class Things(QListView):
    """The list itself."""

    def __init__(self, owner: ThingList) -> None:
        super().__init__()
        self.owner = owner
        self.setAccessibleName(tr("What plays"))
        self.setToolTip(tr("Drag to the list of cues, or press Enter; several at once"))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setMouseTracking(True)
        self.setUniformItemSizes(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.doubleClicked.connect(lambda _: owner.add_chosen())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter makes cues."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.owner.add_chosen()
        else:
            super().keyPressEvent(event)
