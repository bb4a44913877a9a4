"""The channels of the fixture in hand as strips: each with its ranges, live, through
the draft.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QVBoxLayout, QWidget

from choreon.language import facts, in_a_row, plural, tr
from choreon.model import attributes as at
from choreon.model.fixture_type import (
    Channel,
    FixtureType,
    Mode,
    Range,
    Use,
    main_attribute,
)
from choreon.model.show import Fixture
from choreon.model.values import Look, Value
from choreon.render.channels import meanings
from choreon.render.commands import Command, commands_of
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.slots import slot_of, slot_picture
from choreon.ui.widgets import basics
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.values import parse

TALL, NAME, BAR, CHIP = 48, 20, 16, 24


def value_text(span: Range | None, raw: float) -> str:
    """What a raw value means: the range's name, and the value in its unit where there
    is more than one.
    """
    if span is None:
        return tr("no meaning")
    if span.attribute == at.NOTHING:
        return span.name or tr("nothing")
    if span.discrete:
        return span.name or words.number(span.attribute, span.low)
    value = words.number(span.attribute, span.value_at(raw))
    return tr("{name} {value}", name=span.name, value=value) if span.name else value


class Strip(QWidget):
    """One channel: drag or wheel over its line, click a range, or type a DMX value."""

    moved = Signal(float)
    typed = Signal(float)
    types_in = True
    """Digits mean something to it."""

    def __init__(self, kind: FixtureType, channel: Channel, title: str) -> None:
        super().__init__()
        self.kind, self.channel, self.title = kind, channel, title
        self.raw = 0.0
        self.drafted = False
        self._typing = ""

        self._dragging = False
        self.chips = [
            (r, s)
            for r in channel.ranges
            if (s := slot_of(kind, channel, r)) and r.slot < 0
        ]

        self.setFixedHeight(TALL)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)
        names = in_a_row(r.name for r in channel.ranges if r.name)
        self.setToolTip(
            tr(
                "{title}: drag over the line, turn the wheel (Shift: fine), or type a "
                "DMX value.\n"
                "{names}",
                title=title,
                names=names,
            ).strip()
        )

    def sizeHint(self) -> QSize:
        return QSize(180, TALL)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        span = self.channel.at(int(self.raw))
        name = span.name if span is not None else ""
        said = in_a_row(filter(None, (tr("{raw:.0f}", raw=self.raw), name)))
        return Spoken(Role.Slider, said, self.raw, 0.0, float(self.channel.top), 1.0)

    def speak_value(self, value: float) -> None:
        """A screen reader sets it."""
        self.moved.emit(min(float(self.channel.top), max(0.0, round(value))))

    def minimumSizeHint(self) -> QSize:
        return QSize(120, TALL)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Chips may take more lines."""
        rows = -(-len(self.chips) // max(1, (self.width() - 12) // (CHIP + 4)))
        self.setFixedHeight(TALL + rows * (CHIP + 4))

    def chip_rect(self, i: int) -> QRectF:
        """Where a slot's picture is drawn."""
        across = max(1, (self.width() - 12) // (CHIP + 4))
        row, column = divmod(i, across)
        return QRectF(8 + column * (CHIP + 4), TALL - 4 + row * (CHIP + 4), CHIP, CHIP)

    def show_raw(self, raw: float, drafted: bool) -> None:
        """Show a value, in the channel's own resolution."""
        if (raw, drafted) != (self.raw, self.drafted):
            self.raw, self.drafted = raw, drafted
            self.update()

    # drawing

    def _line(self) -> QRectF:
        return QRectF(8, NAME + 4, self.width() - 16, BAR)

    def x_of(self, raw: float) -> float:
        """Returns where across a raw value is drawn."""
        line = self._line()
        return line.left() + line.width() * raw / (self.channel.top + 1)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        span = self.channel.at(self.raw)
        painter.setFont(theme.font(13))
        top = QRectF(8, 2, self.width() - 16, NAME)

        painter.setPen(QColor(theme.SOFT))
        painter.drawText(
            top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.title
        )

        number = f"{self._typing}_" if self._typing else tr("{raw:.0f}", raw=self.raw)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(theme.FAINT))

        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(top, right, number)
        painter.setPen(QColor(theme.DRAFT if self.drafted else theme.TEXT))
        taken = painter.fontMetrics().horizontalAdvance(number) + 10
        name = painter.fontMetrics().horizontalAdvance(self.title) + 24
        room = top.adjusted(name, 0, -taken, 0)
        text = painter.fontMetrics().elidedText(
            value_text(span, self.raw), Qt.TextElideMode.ElideRight, int(room.width())
        )

        painter.drawText(room, right, text)

        self._ranges(painter, span)
        self._draw_chips(painter, span)
        x = min(self.x_of(self.raw + 0.5), self._line().right())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.DRAFT if self.drafted else theme.TEXT))

        painter.drawRoundedRect(QRectF(x - 1.5, NAME + 1, 3, BAR + 6), 1.5, 1.5)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.drawRoundedRect(
                QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5),
                theme.RADIUS,
                theme.RADIUS,
            )

    def _ranges(self, painter: QPainter, now: Range | None) -> None:
        """The ranges side by side, and how far the value is in the one it stands on."""
        line = self._line()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))
        painter.drawRect(line)

        for place, span in enumerate(self.channel.ranges):
            left, right = self.x_of(span.start), self.x_of(span.end + 1)
            gap = 1 if right - left > 3 else 0
            wide = max(1.0, right - left - gap)
            rect = QRectF(left, line.top(), wide, line.height())
            self._paint_range(painter, rect, span, span is now, bool(place % 2))

        if now is not None and not now.discrete:
            left = self.x_of(now.start)
            wide = max(0.0, self.x_of(self.raw + 0.5) - left)
            token = theme.DRAFT if self.drafted else theme.SOFT
            painter.setBrush(theme.colour(token, 0.35))
            painter.drawRect(QRectF(left, line.top(), wide, line.height()))

    def _paint_range(
        self, painter: QPainter, rect: QRectF, span: Range, on: bool, odd: bool
    ) -> None:
        """A range, with a line in its slot's colour, or that says “on purpose”."""
        quiet = span.attribute == at.NOTHING
        lifted = not quiet and (on or not odd)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIFT if lifted else theme.FLAT))
        painter.drawRect(rect)

        slot = slot_of(self.kind, self.channel, span)
        token, tall = (theme.KEEP, 2) if span.on_purpose else ("", 0)
        if slot is not None and slot.colour:
            token, tall = slot.colour, 3

        if token:
            painter.setBrush(QColor(token))
            top = rect.bottom() - tall
            painter.drawRect(QRectF(rect.left(), top, rect.width(), tall))

    def _draw_chips(self, painter: QPainter, now: Range | None) -> None:
        """The wheel's slots, to be clicked."""
        for i, (span, slot) in enumerate(self.chips):
            rect = self.chip_rect(i)
            painter.drawPixmap(rect.topLeft().toPoint(), slot_picture(slot, CHIP))
            if span is now:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(
                    QPen(QColor(theme.DRAFT if self.drafted else theme.TEXT), 2)
                )
                painter.drawEllipse(rect.adjusted(-1, -1, 1, 1))

    # moving

    def _raw_at(self, x: float) -> float:
        line = self._line()
        part = (x - line.left()) / max(1.0, line.width())
        return float(min(self.channel.top, max(0, int(part * (self.channel.top + 1)))))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the value under the pointer, or the slot of a chip."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        for i, (span, _) in enumerate(self.chips):
            if self.chip_rect(i).contains(event.position()):
                self.moved.emit(float((span.start + span.end) // 2))
                return
        if NAME - 2 < event.position().y() < TALL - 4:
            self._dragging = True
            self.moved.emit(self._raw_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the value."""
        if self._dragging:
            self.moved.emit(self._raw_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the value go."""
        self._dragging = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A step up or down, with Shift a small one."""
        ticks = event.angleDelta().y() / 120 or event.angleDelta().x() / 120
        fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self._step(ticks * (1 if fine else max(1, (self.channel.top + 1) / 64)))
        event.accept()

    def _step(self, by: float) -> None:
        self.moved.emit(float(min(self.channel.top, max(0, round(self.raw + by)))))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step, digits are typed, Enter takes them."""
        key = event.key()
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self._step(1 if key == Qt.Key.Key_Right else -1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._typing:
            value = parse(self._typing, self.raw)
            self._typing = ""
            if value is not None:
                self.typed.emit(float(min(self.channel.top, max(0, round(value)))))

            self.update()
        elif key == Qt.Key.Key_Escape and self._typing:
            self._typing = ""
            self.update()
        elif key == Qt.Key.Key_Backspace and self._typing:
            self._typing = self._typing[:-1]
            self.update()
        elif event.text() and event.text() in "0123456789+-/*":
            self._typing += event.text()
            self.update()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What was typed and not taken is forgotten."""
        self._typing = ""
        self.update()


class Strips(QWidget):
    """The strips of the chosen fixtures that are of the first one's type and mode."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.strips: dict[tuple[str, int], Strip] = {}
        self._shown: tuple[object, ...] = ()
        self.title = basics.label("", "soft", wrap=True)

        self.open_up = basics.button(
            tr("Open up"),
            parts.draft.open_up,
            "",
            "",
            tr("Make the chosen shine (O on the plan)"),
        )

        self.go_home = basics.button(
            tr("Home"),
            parts.draft.home,
            "",
            "",
            tr("Everything at home, dark (H on the plan)"),
        )

        self.command = basics.button(
            tr("Send…"),
            self._commands,
            "",
            "",
            tr("Commands of the fixture: sent on purpose, never stored"),
        )

        self.rows = QWidget()
        self.box = QVBoxLayout(self.rows)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(2)

        for button in (self.open_up, self.go_home, self.command):
            button.setStyleSheet("padding: 6px 8px;")

        basics.stack(
            self,
            basics.row(self.open_up, self.go_home, 1, self.command, spacing=4),
            self.title,
            self.rows,
            1,
        )

        self._timer = QTimer(self, interval=80)
        self._timer.timeout.connect(self._follow)
        parts.selection.changed.connect(lambda _: self._rebuild())
        parts.document.show_changed.connect(lambda _: self._rebuild())

    def showEvent(self, event: QShowEvent) -> None:
        self._timer.start()
        self._rebuild()

    def hideEvent(self, event: QHideEvent) -> None:
        self._timer.stop()

    def _alike(self) -> list[Fixture]:
        """The chosen that are of the first one's type and mode."""
        fixtures = self.parts.document.show.fixtures
        chosen = [fixtures[i] for i in self.parts.selection.chosen if i in fixtures]
        return [
            f for f in chosen if (f.type, f.mode) == (chosen[0].type, chosen[0].mode)
        ]

    def _rebuild(self) -> None:
        if not self.isVisible():
            return

        alike = self._alike()
        kind = self.parts.document.show.types.get(alike[0].type) if alike else None
        mode = kind.mode(alike[0].mode) if kind else None
        self._tell_who(kind, len(alike))

        for button in (self.open_up, self.go_home):
            button.setEnabled(bool(alike))

        self.command.setEnabled(bool(kind and mode and commands_of(kind, mode.name)))
        shown = (kind, mode.name if mode else "")
        before = self._shown or (None, "")

        if shown[0] is not before[0] or shown[1] != before[1] or not self._shown:
            self._shown = shown
            self._lay_strips(kind, mode)

        self._follow()

    def _lay_strips(self, kind: FixtureType | None, mode: Mode | None) -> None:
        """One strip a channel."""
        basics.clear(self.box)
        self.strips = {}
        if kind is None or mode is None:
            return
        for use, channel in kind.used(mode):
            if not channel.rest:
                self.box.addWidget(self._strip(kind, use, channel))

    def _tell_who(self, kind: FixtureType | None, count: int) -> None:
        """Say how many the strips are of, and how many are of another type."""
        text = (
            tr("{count} × {label}", count=count, label=kind.label)
            if kind and count > 1
            else ""
        )

        others = len(self.parts.selection.chosen) - count
        if others:
            more = plural(
                others,
                "{n} other is of another type or mode",
                "{n} others are of another type or mode",
            )
            text = facts(text, more)

        self.title.setText(text)
        self.title.setVisible(bool(text))

    def _strip(self, kind: FixtureType, use: Use, channel: Channel) -> Strip:
        title = (
            tr("{label} {cell}", label=channel.label, cell=use.cell)
            if use.cell
            else channel.label
        )
        strip = Strip(kind, channel, title)
        strip.moved.connect(lambda raw, u=use, c=channel: self._move(u, c, raw))
        strip.typed.connect(lambda raw, u=use, c=channel: self._type(u, c, raw))
        self.strips[(channel.key, use.cell)] = strip
        return strip

    def _follow(self) -> None:
        alike = self._alike()
        if not alike or not self.strips:
            return

        one = alike[0]
        kind = self.parts.document.show.types.get(one.type)
        mode = kind.mode(one.mode) if kind else None
        raw = self.parts.preview.levels().get(one.id, {})
        held = self.parts.engine.state.draft.look.get(one.id, {})

        count: dict[str, int] = {}
        for use, channel in kind.used(mode) if kind and mode else ():
            number = count.get(channel.key, 0)
            count[channel.key] = number + 1
            strip = self.strips.get((channel.key, use.cell))
            values = raw.get(channel.key, [])

            if strip is not None and number < len(values):
                sent = int(values[number] + 0.5 + 1e-6)  # as it is encoded
                own = sent * 256.0 ** (channel.resolution - len(use.slots))
                strip.show_raw(
                    float(int(own)), any(name in held for name in self._names(channel))
                )

    def _names(self, channel: Channel) -> list[str]:
        names = [f"{at.RAW}{channel.key}", *meanings(channel)]
        return (
            [*names, *at.TARGET_COLOUR]
            if set(names) & {*at.EMITTERS, *at.FILTERS}
            else names
        )

    # touching

    def _move(self, use: Use, channel: Channel, raw: float) -> None:
        """Give what the value means; a value that means nothing is given raw."""
        span = channel.at(raw)
        if span is None or (span.attribute == at.NOTHING and not meanings(channel)):
            self._type(use, channel, raw)
            return

        if at.attribute(span.attribute).command:
            return  # commands are sent with the button, on purpose

        main = main_attribute(channel)
        given = {n: 0.0 for n in meanings(channel) if n not in (main, span.attribute)}
        if span.attribute == at.NOTHING:
            given[main] = 0.0
        else:
            value = span.value_at(raw)
            if span.attribute != main and abs(value) < 1e-9:
                self._type(use, channel, raw)
                return

            given[span.attribute] = value

        self._touch(use, channel, given, raw=False)

    def _type(self, use: Use, channel: Channel, raw: float) -> None:
        """Give the raw value itself."""
        step = 256.0 ** (channel.resolution - 1)
        self._touch(use, channel, {f"{at.RAW}{channel.key}": raw / step}, raw=True)

    def _touch(
        self, use: Use, channel: Channel, given: dict[str, float], raw: bool
    ) -> None:
        """Give the chosen values of a channel; its raw value ends where it has
        others.
        """
        rig, draft = self.parts.preview.compiled.rig, self.parts.draft
        look: Look = {}
        ended: dict[str, tuple[str, ...]] = {}
        raw_name = f"{at.RAW}{channel.key}"

        for fixture in self._alike():
            values: dict[str, Value] = {}
            for name, value in given.items():
                if rig.has(fixture.id, name):
                    values[name] = value
                    if use.cell:
                        values[name] = self._one_cell(fixture.id, name, use.cell, value)

            if values:
                look[fixture.id] = values

            if not raw and raw_name in draft.look.get(fixture.id, {}):
                ended[fixture.id] = (raw_name,)

        if ended:
            draft.untouch(ended)

        if look:
            draft.touch(look)

    def _one_cell(
        self, fixture: str, name: str, cell: int, value: float
    ) -> float | tuple[float, ...]:
        """One cell's value among those that the others have now."""
        rig = self.parts.preview.compiled.rig
        places = rig.where.get(fixture, {}).get(name)
        if places:
            now = self.parts.preview.values()
            held = {c: float(now[row]) for c, row in places}
        else:
            raw = {
                c: (number, slope, offset)
                for c, number, slope, offset in rig.direct[fixture][name]
            }
            levels = self.parts.preview.raw_levels()
            held = {
                c: float((levels[n] - offset) / slope) if slope else 0.0
                for c, (n, slope, offset) in raw.items()
            }

        if cell not in held or len(held) == 1:
            return value

        held[cell] = value
        return tuple(held.get(c, value) for c in range(1, max(held) + 1))

    # commands

    def _commands(self) -> None:
        alike = self._alike()
        kind = self.parts.document.show.types.get(alike[0].type) if alike else None
        if kind is None:
            return
        menu = Menu(self)
        for command in commands_of(kind, alike[0].mode):
            seconds = command.span.hold
            text = (
                tr("{label} ({seconds:g} s)", label=command.label, seconds=seconds)
                if seconds
                else command.label
            )
            menu.addAction(text, partial(self._send, command))
        menu.exec(self.command.mapToGlobal(self.command.rect().bottomLeft()))

    def _send(self, command: Command) -> None:
        alike = self._alike()
        for fixture in alike:
            self.parts.engine.send_command(fixture, command)
        self.parts.notices.told.emit(
            tr(
                "{label} was sent to {names}.",
                label=command.label,
                names=words.some([f.name for f in alike]),
            ),
            "info",
        )
