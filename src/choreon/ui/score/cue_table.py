"""The list of cues: typed, chosen, dragged and played from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import IntEnum

from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelection,
    QItemSelectionModel,
    QMimeData,
    QModelIndex,
    QPoint,
    Qt,
)
from PySide6.QtGui import (
    QAction,
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QCompleter,
    QHeaderView,
    QLineEdit,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from choreon.language import in_a_row, listed, sentences, tr
from choreon.model.cue_plays import parse_plays, plays_for_show, plays_in_words
from choreon.model.cue_words import (
    NotUnderstood,
    follow_as_typed,
    has_own_times,
    times_in_words,
)
from choreon.model.cues import cue_of
from choreon.model.playables.stack import (
    Cue,
    FollowKind,
    called,
    chain,
    number_in_words,
)
from choreon.ui import kinds, theme
from choreon.ui.drags import REF, all_carried
from choreon.ui.score.hand import ScoreHand
from choreon.ui.widgets.items import NO_PARENT, AnyIndex
from choreon.ui.widgets.menu import Menu

CUES = "application/x-choreon-cues"


class Column(IntEnum):
    """The columns in their order."""

    NUMBER = 0
    NAME = 1
    PLAYS = 2
    TIMES = 3
    COMES = 4
    NOTE = 5


TITLES = {
    Column.NUMBER: tr("Cue"),
    Column.NAME: tr("Name"),
    Column.PLAYS: tr("On"),
    Column.TIMES: tr("In/out s"),
    Column.COMES: tr("Comes"),
    Column.NOTE: tr("Note"),
}

TIPS = {
    Column.NUMBER: tr("Type 12.5 to have it between 12 and 13"),
    Column.NAME: tr("What it is called"),
    Column.PLAYS: tr(
        "What is on after it: names of scenes and chases, with a level where not full: "
        "Mudlight, Haze 40%. Empty is a blackout of the stack"
    ),
    Column.TIMES: tr("2 for both, 2/3 for in and out, 1+2 after one second in two"),
    Column.COMES: tr(
        "Empty for GO; +4 seconds after the cue before began; done 1 after it was "
        "complete; 2 beats; 1 bar; 21:30"
    ),
    Column.NOTE: tr("What is to be watched for"),
}

WIDTHS = {
    Column.NUMBER: 72,
    Column.NAME: 128,
    Column.PLAYS: 156,
    Column.TIMES: 74,
    Column.COMES: 84,
}
ROW = 34  # points that a line is high


class CueModel(QAbstractTableModel):
    """The cues as rows, and a last one that becomes a cue when it is typed into."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.cues: tuple[Cue, ...] = ()
        self.now, self.next = "", ""
        self.problems: Mapping[str, list[str]] = {}
        """Cue → what is to be looked at in it, in words."""
        self.refill()

    def refill(self) -> None:
        """Read the stack anew. Where the same cues are there, only cells change."""
        before, self.cues = self.cues, self.hand.cues
        if len(before) != len(self.cues):
            self.beginResetModel()
            self.endResetModel()
            return
        if before is not self.cues and self.cues:
            last = self.index(len(self.cues) - 1, len(Column) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def follow(self) -> None:
        """Show which cue is on, and which comes next."""
        now, coming = self.hand.now, self.hand.next
        on = self.hand.player is not None
        here = now.id if now is not None else ""
        then = coming.id if coming is not None and on else ""
        if (here, then) != (self.now, self.next):
            self.now, self.next = here, then
            last = self.index(max(0, len(self.cues) - 1), len(Column) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def show_problems(self, problems: Mapping[str, list[str]]) -> None:
        """Show what is to be looked at."""
        self.problems = problems
        if self.cues:
            last = self.index(len(self.cues) - 1, Column.NUMBER)
            self.dataChanged.emit(self.index(0, Column.NUMBER), last)

    def row_of(self, cue_id: str) -> int:
        """Returns the row of a cue; −1 where it is gone."""
        rows = (n for n, cue in enumerate(self.cues) if cue.id == cue_id)
        return next(rows, -1)

    # what Qt asks

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        if parent.isValid() or self.hand.stack is None:
            return 0
        return len(self.cues) + 1

    def columnCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(Column)

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> str | None:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return TITLES[Column(section)]
        return TIPS[Column(section)] if role == Qt.ItemDataRole.ToolTipRole else None

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        column = Column(index.column())
        if index.row() >= len(self.cues):
            return self._of_new(column, role)

        cue = self.cues[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.text(cue, column)
        if role == Qt.ItemDataRole.EditRole:
            return self._typed(cue, column)
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(self._ink(cue, column))
        if role == Qt.ItemDataRole.FontRole:
            strong = column <= Column.NAME and cue.id in (self.now, self.next)
            return theme.font(14, strong)
        if role == Qt.ItemDataRole.BackgroundRole and cue.id == self.now:
            return theme.colour(theme.LIVE, 0.16)
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(cue, column)
        marked = column == Column.NUMBER and cue.id in self.problems
        if role == Qt.ItemDataRole.DecorationRole and marked:
            return theme.pixmap("shield", theme.KEEP, 14)
        return None

    def _of_new(self, column: Column, role: int) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return tr("type a new cue here") if column == Column.NAME else ""
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(theme.SOFT)
        if role == Qt.ItemDataRole.FontRole:
            font = QFont(theme.font(14))
            font.setItalic(True)
            return font
        if role == Qt.ItemDataRole.EditRole:
            return ""
        return TIPS[column] if role == Qt.ItemDataRole.ToolTipRole else None

    def text(self, cue: Cue, column: Column) -> str:
        """What stands in a cell."""
        if column == Column.NUMBER:
            number = number_in_words(cue.number)
            if cue.id == self.now:
                return tr("● {number}", number=number)
            if cue.id == self.next:
                return tr("› {number}", number=number)
            return number
        if column == Column.PLAYS:
            return self._plays(cue)
        if column == Column.TIMES:
            return self._typed(cue, column)
        if column == Column.COMES and cue.follow.kind == FollowKind.GO:
            return tr("GO")
        return self._typed(cue, column)

    def _plays(self, cue: Cue) -> str:
        """What is on after it, in words."""
        words = plays_for_show(self.hand.show, cue)
        if cue.look or cue.effects:
            own = tr("its own look")
            words = in_a_row([words, own]) if words else own
        if cue.leaves:
            return tr("+ {what}", what=words) if words else tr("+ nothing more")
        return words or tr("dark")

    def _typed(self, cue: Cue, column: Column) -> str:
        """What a cell is edited as."""
        stack = self.hand.stack
        if column == Column.NUMBER:
            return number_in_words(cue.number)
        if column == Column.NAME:
            return cue.name
        if column == Column.PLAYS:
            return plays_in_words(self.hand.show, cue)
        if column == Column.TIMES:
            return "" if stack is None else times_in_words(stack, cue)
        if column == Column.COMES:
            return follow_as_typed(cue.follow)
        return cue.note

    def _ink(self, cue: Cue, column: Column) -> str:
        """The colour of a cell: times that are the stack's are softer."""
        if column == Column.TIMES:
            return theme.TEXT if has_own_times(cue) else theme.SOFT
        if column == Column.COMES:
            go = cue.follow.kind == FollowKind.GO
            return theme.SOFT if go else theme.TEXT
        if column == Column.NUMBER and cue.id == self.now:
            return theme.LIVE
        soft = column == Column.PLAYS and not (cue.plays or cue.look or cue.effects)
        return theme.SOFT if soft else theme.TEXT

    def _tip(self, cue: Cue, column: Column) -> str:
        """What a cell stands for, where that is more than what stands there."""
        if column == Column.PLAYS and cue.leaves and self.hand.stack is not None:
            before = chain(self.hand.stack, cue)[:-1]
            return sentences(
                tr("It leaves what the cues before it gave:"),
                listed([called(one) for one in before], 5),
            )
        if column == Column.TIMES and not has_own_times(cue):
            return tr("The stack's own times. {how}", how=TIPS[column])
        told = self.problems.get(cue.id, [])
        if column == Column.NUMBER and told:
            return "\n".join(told)
        return TIPS[column]

    def setData(
        self, index: AnyIndex, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        """Take what was typed into a cell."""
        text, column = str(value).strip(), Column(index.column())
        if index.row() >= len(self.cues):
            return self._new(column, text)

        cue = self.cues[index.row()]
        if text == self._typed(cue, column):
            return False
        return self._set(cue, column, text)

    def _new(self, column: Column, text: str) -> bool:
        """A cue that begins with what was typed into the last row."""
        if not text:
            return False

        last = self.cues[-1].id if self.cues else ""
        if column in (Column.NAME, Column.NOTE):
            made = cue_of(text) if column == Column.NAME else cue_of(note=text)
            self.hand.add([made], last)
            return True

        if column == Column.PLAYS and self._understood(text, ()) is None:
            return False
        self.hand.add([cue_of()], last)
        return not self.cues or self._set(self.cues[-1], column, text)

    def _set(self, cue: Cue, column: Column, text: str) -> bool:
        """Change a cell: for the cue, or, where it is among the chosen, for all of
        them.
        """
        hand = self.hand
        ids = hand.chosen if cue.id in hand.chosen else (cue.id,)
        if column == Column.NUMBER:
            return hand.type_number(text, cue.id)
        if column == Column.NAME:
            return hand.set_fields(tr("name of cues"), ids, name=text)
        if column == Column.NOTE:
            return hand.set_fields(tr("note of cues"), ids, note=text)
        if column == Column.TIMES:
            return hand.type_times(text, ids)
        if column == Column.COMES:
            return hand.type_follow(text, ids)

        plays = self._understood(text, cue)
        return plays is not None and hand.set_fields(
            tr("what cues play"), ids, plays=plays
        )

    def _understood(self, text: str, cue: Cue | tuple[()]) -> tuple[object, ...] | None:
        """What names that were typed stand for; None, and told, where that is
        nothing.
        """
        stack = self.hand.stack
        before = cue.plays if isinstance(cue, Cue) else ()
        if stack is None:
            return None
        try:
            return parse_plays(self.hand.show, text, before, stack.ref)
        except NotUnderstood as error:
            self.hand.parts.notices.told.emit(str(error), "alarm")
            return None

    def flags(self, index: AnyIndex) -> Qt.ItemFlag:
        flags = super().flags(index) | Qt.ItemFlag.ItemIsEditable
        if index.row() < len(self.cues):
            flags |= Qt.ItemFlag.ItemIsDragEnabled
        return flags

    def mimeTypes(self) -> list[str]:
        return [CUES]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        rows = sorted({index.row() for index in indexes})
        ids = [self.cues[row].id for row in rows if row < len(self.cues)]
        data = QMimeData()
        data.setData(CUES, "\n".join(ids).encode())
        return data


class CueEditor(QStyledItemDelegate):
    """The field in which a cell is typed: it offers the names of what plays."""

    def __init__(self, view: CueTable) -> None:
        super().__init__(view)
        self.view = view

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: AnyIndex
    ) -> QWidget:
        line = QLineEdit(parent)
        self.view.typing_at = index.row(), index.column()
        column = Column(index.column())
        line.setAccessibleName(TITLES[column])
        line.setToolTip(TIPS[column])
        line.setFrame(False)
        if column == Column.PLAYS:
            _offer_names(line, self._names())
        return line

    def setEditorData(self, editor: QWidget, index: AnyIndex) -> None:
        """Begin with what stands in the cell. What is being typed stays, whatever comes
        meanwhile: the check that ends, another hand.
        """
        if not (isinstance(editor, QLineEdit) and editor.isModified()):
            super().setEditorData(editor, index)

    def _names(self) -> list[str]:
        hand = self.view.hand
        known = kinds.on_shelf(hand.show.playables.values())
        return [p.name for p in known if p.id != hand.stack_id]


def _offer_names(line: QLineEdit, names: list[str]) -> None:
    """Offer names for what is typed behind the last comma."""
    completer = QCompleter(names, line)
    completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
    completer.setFilterMode(Qt.MatchFlag.MatchContains)
    completer.setWidget(line)

    def typed(text: str) -> None:
        last = text.rpartition(",")[2].strip()
        completer.setCompletionPrefix(last)
        if last and completer.completionCount():
            completer.complete()
        elif (popup := completer.popup()) is not None:
            popup.hide()

    def taken(name: str) -> None:
        before = line.text().rpartition(",")[0]
        line.setText(f"{before}, {name}" if before else name)

    line.textEdited.connect(typed)
    completer.activated.connect(taken)


class CueTable(QTableView):
    """The list of cues. What has the focus is typed over; Enter goes down, Tab on."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self._busy = False
        self.typing_at = 0, 0
        """Row and column of the cell that was typed into last."""
        self.cues = CueModel(hand)
        self.setModel(self.cues)
        self.setItemDelegate(CueEditor(self))
        self.setAccessibleName(tr("Cues"))
        self.setToolTip(
            tr(
                "Type over a cell; with several chosen it is for all of them. "
                "Alt+Up and Alt+Down move, Ctrl+D repeats, Delete removes"
            )
        )
        self._arrange()

        hand.changed.connect(self._refill)
        hand.chosen_changed.connect(self._mirror)
        hand.went.connect(self._went)
        self.selectionModel().selectionChanged.connect(lambda *_: self._chosen())

    def _arrange(self) -> None:
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(triggers.EditKeyPressed | triggers.AnyKeyPressed)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDropIndicatorShown(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)

        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        header.setHighlightSections(False)
        header.setMinimumSectionSize(44)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        header.setDefaultAlignment(left)
        for column, width in WIDTHS.items():
            self.setColumnWidth(column, width)

    def edit_new(self) -> None:
        """Type a new cue."""
        there = self.cues.index(len(self.cues.cues), Column.NAME)
        self.setCurrentIndex(there)
        self.edit(there)

    def closeEditor(
        self, editor: QWidget, hint: QAbstractItemDelegate.EndEditHint
    ) -> None:
        """Enter goes down, Tab on to the next cell, whatever was made of what was
        typed meanwhile.
        """
        hints = QAbstractItemDelegate.EndEditHint
        super().closeEditor(editor, hints.NoHint)
        row, column = self.typing_at
        if hint == hints.SubmitModelCache:
            self._go_to(row + 1, column)
        elif hint == hints.EditNextItem:
            over = column + 1 >= len(Column)
            self._go_to(row + over, Column.NAME if over else column + 1, edit=True)
        elif hint == hints.EditPreviousItem:
            self._go_to(row, max(0, column - 1), edit=True)
        elif hint == hints.RevertModelCache:
            self._go_to(row, column)

    def _go_to(self, row: int, column: int, edit: bool = False) -> None:
        """Have the keys go to a cell; of several that are chosen none is let go."""
        there = self.cues.index(min(row, len(self.cues.cues)), column)
        if len(self.hand.chosen) > 1:
            keep = QItemSelectionModel.SelectionFlag.NoUpdate
            self.selectionModel().setCurrentIndex(there, keep)
        else:
            self.setCurrentIndex(there)
        if edit:
            self.edit(there)

    # what is chosen

    def _refill(self) -> None:
        self._busy = True
        self.cues.refill()
        self.cues.follow()
        self._busy = False
        self._mirror()

    def _went(self) -> None:
        before = self.cues.now
        self.cues.follow()
        if self.cues.now != before and self.state() != self.State.EditingState:
            self._show_next()

    def _show_next(self) -> None:
        """Have what is on and what comes next be in sight."""
        for cue_id in (self.cues.next, self.cues.now):
            row = self.cues.row_of(cue_id)
            if row >= 0:
                self.scrollTo(self.cues.index(row, 0))

    def _mirror(self) -> None:
        """Show which are chosen."""
        if self._busy or self.chosen_ids() == list(self.hand.chosen):
            return

        self._busy = True
        selection = QItemSelection()
        for row, cue in enumerate(self.cues.cues):
            if cue.id in self.hand.chosen:
                here = self.cues.index(row, 0)
                selection.select(here, here)

        flags = QItemSelectionModel.SelectionFlag
        self.selectionModel().select(selection, flags.ClearAndSelect | flags.Rows)
        if self.hand.chosen:
            row = self.cues.row_of(self.hand.chosen[-1])
            column = max(0, self.currentIndex().column())
            there = self.cues.index(row, column)
            self.selectionModel().setCurrentIndex(there, flags.NoUpdate)
            self.scrollTo(there)
        self._busy = False

    def chosen_ids(self) -> list[str]:
        """Returns the ids of the chosen rows, in their order."""
        rows = sorted(index.row() for index in self.selectionModel().selectedRows())
        them = self.cues.cues
        return [them[row].id for row in rows if row < len(them)]

    def _chosen(self) -> None:
        if not self._busy:
            self._busy = True
            self.hand.choose(self.chosen_ids())
            self._busy = False

    # keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter edits, Delete removes, Alt with arrows moves."""
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if alt and event.key() in MOVES:
            self.hand.move_by(MOVES[event.key()])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit(self.currentIndex())
        elif event.key() == Qt.Key.Key_Delete:
            self.hand.remove()
        elif not self._clipboard(event):
            super().keyPressEvent(event)

    def _clipboard(self, event: QKeyEvent) -> bool:
        """Copy, cut, paste, repeat. Returns whether a key was one of these."""
        if event.modifiers() != Qt.KeyboardModifier.ControlModifier:
            return False
        act = {
            Qt.Key.Key_C: self.hand.copy,
            Qt.Key.Key_X: self.hand.cut,
            Qt.Key.Key_V: self.hand.paste,
            Qt.Key.Key_D: self.hand.repeat,
        }.get(Qt.Key(event.key()))
        if act is None:
            return False
        act()
        return True

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Press twice on a cell to type into it; on a number to go to that cue."""
        index = self.indexAt(event.position().toPoint())
        if not index.isValid():
            return
        if index.column() == Column.NUMBER and index.row() < len(self.cues.cues):
            self.hand.go_to(self.cues.cues[index.row()].id)
        else:
            self.edit(index)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the chosen cues."""
        self.menu().exec(event.globalPos())

    def menu(self) -> QMenu:
        """What can be done with the chosen cues."""
        menu, hand = Menu(self), self.hand
        chosen, one = bool(hand.chosen), len(hand.chosen) == 1
        on = hand.player is not None

        def add(text: str, act: object, enabled: bool = True) -> QAction:
            made = menu.addAction(text)
            made.triggered.connect(lambda *_: act())  # type: ignore[operator]
            made.setEnabled(enabled)
            return made

        add(tr("Go to this cue"), lambda: hand.go_to(hand.chosen[0]), one)
        add(tr("Have it come next"), lambda: hand.make_next(hand.chosen[0]), one and on)
        menu.addSeparator()
        add(tr("Cut"), hand.cut, chosen)
        add(tr("Copy"), hand.copy, chosen)
        add(tr("Paste"), hand.paste, bool(hand.copied))
        add(tr("Repeat"), hand.repeat, chosen)
        add(tr("Remove"), hand.remove, chosen)
        menu.addSeparator()
        add(tr("Renumber all cues"), hand.renumber, bool(hand.cues))
        return menu

    # drags

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(REF) or event.mimeData().hasFormat(CUES):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        super().dragMoveEvent(event)
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Cues are moved there; what plays becomes cues there."""
        place = self._place_at(event.position().toPoint())
        data = event.mimeData()
        if data.hasFormat(CUES):
            ids = bytes(data.data(CUES).data()).decode().split("\n")
            self.hand.move(place, ids)
        else:
            before = self.cues.cues[place - 1].id if place > 0 else ""
            self.hand.add_of(all_carried(data), before)
        event.acceptProposedAction()

    def _place_at(self, point: QPoint) -> int:
        """Between which cues a point lies: so many come before it."""
        index = self.indexAt(point)
        count = len(self.cues.cues)
        if not index.isValid():
            return count
        lower_half = point.y() > self.visualRect(index).center().y()
        return min(count, index.row() + int(lower_half))


MOVES: dict[int, int] = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
