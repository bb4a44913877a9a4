"""The ledger line by line: what the draft holds, and what each value covers."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from PySide6.QtCore import QAbstractListModel, QEvent, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QListView,
    QSizePolicy,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.effects import fixtures_of, motion_of
from choreon.model.motion import Effect, EffectMode, Effects, title
from choreon.model.values import Look, Value
from choreon.render.channels import Floats
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

TALL = 34  # pixels of a line
MOST = 186  # pixels of all lines that are seen at once
ROOMY = 830  # pixels of a window that has room for so many
COLUMNS = (
    8,
    178,
    298,
    508,
)  # pixels from the left: who, what, the value, what it covers
CROSS, WHOLE = 34, 70  # pixels that the ways to take it out are wide, from the right
PATCH = 10  # pixels of a patch of colour

LINE = Qt.ItemDataRole.UserRole
Attributes = tuple[str, ...]
Words = tuple[str, tuple[str, ...]]  # a value in words, and its colours as #RRGGBB


class LedgerLine(NamedTuple):
    """One value of the draft.

    `value`, `covers`: in words, each with the colours it has. `alone`: the draft has
    nothing else of the fixture.
    """

    fixture: str
    title: str
    what: str
    attributes: Attributes
    value: Words
    covers: Words
    alone: bool

    @property
    def text(self) -> str:
        """The line as it is read out."""
        value, covers = self.value[0], self.covers[0]
        return tr(
            "{fixture} {what} {value} covers {covers}",
            fixture=self.title,
            what=self.what,
            value=value,
            covers=covers,
        )


class LedgerModel(QAbstractListModel):
    """The lines. Each is put into words when it is looked at, and kept so."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._look: Look = {}
        self._effects: dict[str, Effect] = {}
        self._below: Floats | None = None
        self._keys: list[tuple[str, str, Attributes]] = []
        self._lines: dict[int, LedgerLine] = {}

    def show_draft(self, look: Look, effects: Effects = ()) -> None:
        """Show what a draft holds, over what plays now."""
        self._effects = {effect.id: effect for effect in effects}
        moving = [("", tr("Effect"), (effect.id,)) for effect in effects]
        keys = [*words.lines(look), *moving]
        same = keys == self._keys
        if not same:
            self.beginResetModel()
        self._look, self._keys, self._lines = look, keys, {}
        self._below = self.parts.preview.values(without_draft=True)
        if not same:
            self.endResetModel()
        elif keys:
            self.dataChanged.emit(self.index(0), self.index(len(keys) - 1))

    def line(self, row: int) -> LedgerLine:
        """Returns a line in words."""
        if row not in self._lines:
            self._lines[row] = self._said(*self._keys[row])
        return self._lines[row]

    def _said(self, fixture: str, what: str, attributes: Attributes) -> LedgerLine:
        show = self.parts.document.show
        if not fixture:
            return self._effect(attributes)

        hung = show.fixtures.get(fixture)
        if set(attributes) & set(at.TARGET_COLOUR):
            value = self._colour_given(fixture, attributes)
            covers = self._colour_covered(fixture)
        else:
            name = attributes[0]
            value = (words.value(name, self._look[fixture][name], show), ())
            covers = self._covered(fixture, name)

        return LedgerLine(
            fixture,
            hung.name if hung else fixture,
            what,
            attributes,
            value,
            covers,
            alone=len(self._look[fixture]) == len(attributes),
        )

    def _effect(self, ids: Attributes) -> LedgerLine:
        """A line about an effect: on whom, what, and what it does to what is there."""
        show, effect = self.parts.document.show, self._effects[ids[0]]
        motion = motion_of(show, effect)
        moved = fixtures_of(show, effect)
        names = [show.fixtures[i].name for i in moved]
        does = getattr(motion, "mode", EffectMode.REPLACES)
        covers = (
            tr("what it moves") if does == EffectMode.REPLACES else words.COVERS[does]
        )
        value = title(motion)
        if not effect.on:
            value = tr("{motion}, off", motion=value)
        return LedgerLine(
            "", words.some(names, 1), tr("Effect"), ids, (value, ()), (covers, ()), True
        )

    def _colour_given(self, fixture: str, attributes: Attributes) -> Words:
        show, values = self.parts.document.show, self._look[fixture]
        given = {name: values[name] for name in attributes}
        plain = links.resolve(show, {fixture: given})[fixture]
        colours = ends_of([plain.get(name, 0.0) for name in at.TARGET_COLOUR])
        text = " … ".join(colours)
        first = values[attributes[0]]
        if isinstance(first, str):
            value = words.value(attributes[0], first, show)
            text = tr("{colour} {palette}", colour=text, palette=value)
        return text, colours

    def _row(self, fixture: str, name: str) -> int | None:
        rows = self.parts.preview.compiled.rig.where.get(fixture, {}).get(name)
        return rows[0][1] if rows else None

    def _covered(self, fixture: str, name: str) -> Words:
        row = self._row(fixture, name)
        if row is None or self._below is None:
            return "nothing", ()
        return words.number(name, float(self._below[row])), ()

    def _colour_covered(self, fixture: str) -> Words:
        """Of a lamp with a wheel the colour of its slot."""
        if self._below is None:
            return "nothing", ()
        wheel = self.parts.preview.compiled.rig.wheels.get(fixture)
        if wheel is not None:
            slot = min(max(int(self._below[wheel.row]), 0), len(wheel.light) - 1)
            rgb = [float(part) for part in wheel.light[slot]]
        else:
            rows = [self._row(fixture, name) for name in at.TARGET_COLOUR]
            rgb = [float(self._below[r]) if r is not None else 0.0 for r in rows]
        code = words.hex_colour(rgb)
        return code, (code,)

    # what Qt asks

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self._keys)

    def data(
        self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole
    ) -> LedgerLine | str | None:
        if not index.isValid():
            return None
        if role == LINE:
            return self.line(index.row())
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.line(index.row()).text
        if role == Qt.ItemDataRole.ToolTipRole:
            line = self.line(index.row())
            return tr(
                "{text}. Del takes it out, Shift+Del all of {title}.",
                text=line.text,
                title=line.title,
            )
        return None


class LedgerDelegate(QStyledItemDelegate):
    """Draws a line, with the ways to take it out at its end."""

    def __init__(self, lines: LedgerList) -> None:
        super().__init__(lines)
        self.lines = lines
        self._cross = theme.icon("close")

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        return QSize(COLUMNS[-1] + 300, TALL)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        line: LedgerLine = index.data(LINE)
        rect = option.rect
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

        if option.state & (QStyle.StateFlag.State_HasFocus):
            painter.setPen(QColor(theme.CHOSEN))
            frame = rect.adjusted(1, 1, -2, -2)
            painter.drawRoundedRect(frame, theme.RADIUS, theme.RADIUS)

        painter.setFont(theme.font(14))
        texts: tuple[tuple[str, Words], ...] = (
            (theme.TEXT, (line.title, ())),
            (theme.SOFT, (line.what, ())),
            (theme.TEXT, line.value),
            (
                theme.SOFT,
                (tr("covers {covers}", covers=line.covers[0]), line.covers[1]),
            ),
        )

        ends = (*COLUMNS[1:], rect.width() - WHOLE - CROSS)
        for (token, said), left, right in zip(texts, COLUMNS, ends, strict=True):
            room = QRect(rect.left() + left, rect.top(), right - left - 8, TALL)
            _draw_words(painter, room, token, said)

        if not line.alone:
            self._draw_whole(painter, whole_rect(rect))

        self._draw_cross(painter, cross_rect(rect))
        painter.restore()

    def _draw_whole(self, painter: QPainter, rect: QRect) -> None:
        self._draw_ground(painter, rect)
        painter.setFont(theme.font(13))
        painter.setPen(QColor(theme.SOFT))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, tr("all of it"))

    def _draw_cross(self, painter: QPainter, rect: QRect) -> None:
        self._draw_ground(painter, rect)
        self._cross.paint(painter, rect.adjusted(8, 8, -8, -8))

    def _draw_ground(self, painter: QPainter, rect: QRect) -> None:
        """Lift what is under the pointer."""
        if rect.contains(self.lines.pointer):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.LIFT))
            ground = rect.adjusted(1, 2, -1, -2)
            painter.drawRoundedRect(ground, theme.RADIUS, theme.RADIUS)


class LedgerList(QListView):
    """The lines, each taken out by its cross, by Del, or with all of its fixture."""

    taken_out = Signal(str, tuple)
    """A fixture and its attributes (none of them: all of it); no fixture: the moves."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.lines = LedgerModel(parts)
        self.pointer = QPoint(-1, -1)
        self.setModel(self.lines)
        self.setItemDelegate(LedgerDelegate(self))

        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setFrameShape(QFrame.Shape.NoFrame)

        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("What the draft holds"))
        self.setToolTip(tr("What the draft holds: Del takes a line out of it"))

    def show_draft(self, look: Look, effects: Effects = ()) -> None:
        """Show what a draft holds."""
        self.lines.show_draft(look, effects)
        # in a low window the place above it keeps what it needs
        most = max(3 * TALL, MOST - max(0, ROOMY - self.window().height()))
        rows = max(1, self.lines.rowCount())
        self.setFixedHeight(min(most, TALL * rows) + 4)

    def _take_out(self, row: int, whole: bool) -> None:
        line = self.lines.line(row)
        self.taken_out.emit(line.fixture, () if whole else line.attributes)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Lift what is under the pointer."""
        super().mouseMoveEvent(event)
        self.pointer = event.position().toPoint()
        self.viewport().update()

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer any more."""
        super().leaveEvent(event)
        self.pointer = QPoint(-1, -1)
        self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The cross takes the line out, “all of it” its fixture."""
        super().mouseReleaseEvent(event)
        point = event.position().toPoint()
        index = self.indexAt(point)
        if not index.isValid() or event.button() != Qt.MouseButton.LeftButton:
            return
        rect = self.visualRect(index)
        if cross_rect(rect).contains(point):
            self._take_out(index.row(), whole=False)
        elif whole_rect(rect).contains(point) and not index.data(LINE).alone:
            self._take_out(index.row(), whole=True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Del takes the line out, with Shift its fixture."""
        index = self.currentIndex()
        if event.key() == Qt.Key.Key_Delete and index.isValid():
            shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self._take_out(index.row(), whole=bool(shift))
        else:
            super().keyPressEvent(event)


def cross_rect(line: QRect) -> QRect:
    """Where the cross of a line is."""
    return QRect(line.right() - CROSS, line.top(), CROSS, TALL)


def whole_rect(line: QRect) -> QRect:
    """Where a line says “all of it”."""
    return QRect(line.right() - CROSS - WHOLE, line.top(), WHOLE, TALL)


def ends_of(parts: Iterable[Value]) -> tuple[str, ...]:
    """Returns a colour as #RRGGBB, or the first and the last of those that the cells
    have.
    """
    cells = [part if isinstance(part, tuple) else (part,) for part in parts]
    plain = [[v for v in own if v is not None] or [0.0] for own in cells]
    first, last = (
        words.hex_colour([first_of(own[end]) for own in plain]) for end in (0, -1)
    )
    return (first,) if first == last else (first, last)


def first_of(given: Value) -> float:
    """Returns the first number of a value; 0 of a link."""
    if isinstance(given, tuple):
        return next((v for v in given if v is not None), 0.0)
    return 0.0 if isinstance(given, str) else float(given)


def _draw_words(painter: QPainter, room: QRect, token: str, said: Words) -> None:
    """Words, after patches of the colours that they are about."""
    text, colours = said
    left = room.left()

    for code in colours:
        painter.fillRect(
            QRect(left, room.center().y() - PATCH // 2, PATCH, PATCH), QColor(code)
        )
        left += PATCH + 3

    if colours:
        left += 3

    painter.setPen(QColor(token))
    here = QRect(left, room.top(), room.right() - left, room.height())
    text = painter.fontMetrics().elidedText(
        text, Qt.TextElideMode.ElideRight, here.width()
    )
    painter.drawText(here, Qt.AlignmentFlag.AlignVCenter, text)
