"""The type editor: modes on the left, the channel in the middle, what is wrong and the
trial on the right.

Two arrangements were weighed: everything in tabs, one below the other; or the three
questions side by side: which slot, which value, is it right. The second lets a printed
channel table be typed from top to bottom without looking away.
"""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.language import in_a_row, plural, sentences, tr
from choreon.model import attributes as at
from choreon.model import channel_table, type_edits
from choreon.model.fixture_type import (
    BODIES,
    LAMPS,
    Channel,
    FixtureType,
    Mode,
    bytes_of,
)
from choreon.model.show import Fixture
from choreon.model.type_checks import check_type, errors
from choreon.terms import term
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.rig import bodies
from choreon.ui.rig.strips import value_text
from choreon.ui.rig.types.channel_form import ChannelForm
from choreon.ui.rig.types.mode_form import ModeForm
from choreon.ui.rig.types.reach import reach
from choreon.ui.rig.types.wheel_form import WheelForm
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

KINDS = (
    *(
        "dimmer",
        "profile",
        "LED par",
        "LED bar",
        "pixel",
        "pixel tape",
        "pixel panel",
        "panel",
        "spot head",
    ),
    *(
        "wash head",
        "beam head",
        "profile head",
        "scanner",
        "mirror effect",
        "multi-beam effect",
        "strobe",
        "blinder",
    ),
    *("hazer", "fogger", "fan", "other"),
)
POINT = tr("Point at the line: the value below the pointer goes to the fixture.")
TRY = 2.0  # seconds that a tried value stands; it is sent anew before they are over


KEEP_SO = tr("Keep it so")


class TypeEditor(QWidget):
    """Edits a copy; nothing reaches the lamps but by trying, and nothing the show
    before it is kept.
    """

    closed = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.kind = self.before = type_edits.blank([])
        self.mode_name = self.key = ""
        self._past: list[FixtureType] = []

        self._future: list[FixtureType] = []
        self._busy = False
        self._at = (
            0  # the number of the mode at hand, should its name change by a step back
        )
        self._pointed: int | None = None
        self._sure = False
        self._asks_leave = False  # rather than whether it is kept

        self.modes = ModeForm()
        self.modes.edited.connect(self._mode_edited)
        self.modes.chosen.connect(self._channel_clicked)
        self.modes.refused.connect(lambda text: parts.notices.told.emit(text, "alarm"))
        self.modes.removed.connect(self._remove_mode)

        self.modes.named.connect(self.add_channels)
        self.channel = ChannelForm()
        self.channel.edited.connect(self._channel_edited)
        self.channel.removed.connect(self._remove_channel)
        self.channel.own_toggled.connect(self._own)

        self.channel.wheel_wanted.connect(self._add_wheel)
        self.channel.pointed.connect(self._point)
        self.channel.table.refused.connect(
            lambda text: parts.notices.told.emit(text, "alarm")
        )
        self.channel.emitter_edited.connect(
            lambda name, fields: self._do(
                type_edits.put_emitter(self.kind, name, **fields)
            )
        )

        self._again = QTimer(self, interval=int(400 * TRY))
        self._again.timeout.connect(self._try)
        across = QSplitter()

        for widget in (self._left(), self._middle(), self._right()):
            across.addWidget(widget)

        across.setSizes([330, 560, 270])
        across.setStretchFactor(1, 1)
        for i in range(3):
            across.setCollapsible(i, False)

        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self._head())
        box.addWidget(across, 1)

        parts.document.show_changed.connect(lambda _: self._fill_trial())

    # laying out

    def _head(self) -> QWidget:
        self.maker, self.name = QLineEdit(), QLineEdit()
        self.maker.setPlaceholderText(tr("Maker"))
        self.name.setPlaceholderText(tr("Name of the type"))

        for field, key, title in (
            (self.maker, "maker", tr("Maker")),
            (self.name, "name", tr("Name")),
        ):
            field.setAccessibleName(title)
            field.setToolTip(
                tr("Who makes the fixture")
                if key == "maker"
                else tr("What the type is called")
            )
            field.editingFinished.connect(
                lambda f=field, k=key: self._put(**{k: f.text().strip()})
            )

        self.sort, self.body, self.lamp = QComboBox(), QComboBox(), QComboBox()
        for box, items, title in (
            (self.sort, KINDS, tr("Kind")),
            (self.body, BODIES, tr("Looks like")),
            (self.lamp, LAMPS, tr("Fixture")),
        ):
            box.setAccessibleName(title)
            box.setToolTip(title)
            for item in items:
                box.addItem(term(item) if item else tr("fixture: none"), item)

        for i, body in enumerate(BODIES):
            self.body.setItemIcon(i, bodies.icon(body))

        self.sort.activated.connect(lambda i: self._put(kind=KINDS[i]))
        self.body.activated.connect(lambda i: self._put(body=BODIES[i]))
        self.lamp.activated.connect(lambda i: self._put(lamp=LAMPS[i]))
        self.beam = ValueField(tr("Beam"), 0, 180, "°", 1, None, bar=False)
        self.field = ValueField(tr("Field"), 0, 180, "°", 1, None, bar=False)

        self.beam.changed.connect(lambda v: self._put(beam=v))
        self.field.changed.connect(lambda v: self._put(field=v))
        self.field.none = tr("as beam")
        self.field.setToolTip(
            tr("The angle at which a tenth of the light is left; none: as the beam")
        )

        for number in (self.beam, self.field):
            number.setFixedWidth(122)

        self.keep_button = basics.button(
            tr("Keep the type"), self.keep, "main", "check"
        )

        leave = basics.button(
            tr("Cancel"),
            self.leave,
            "quiet",
            tip=tr("Back to the room; what was changed here is let go"),
        )

        return flow(
            self.maker,
            self.name,
            self.sort,
            self.body,
            self.lamp,
            self.beam,
            self.field,
            1,
            leave,
            self.keep_button,
            spacing=6,
        )

    def _left(self) -> QWidget:
        self.which = QComboBox()
        self.which.setAccessibleName(tr("Mode"))
        self.which.setToolTip(
            tr("The mode that is edited, and how many slots it takes")
        )
        self.which.activated.connect(self._mode_picked)
        inner = QWidget()
        basics.stack(inner, self.which, self.modes, 1, margins=10)
        return basics.panel(basics.scroller(inner), margins=0)

    def _middle(self) -> QWidget:
        self.pieces = QComboBox()
        self.pieces.setAccessibleName(tr("Channel or wheel"))
        self.pieces.setPlaceholderText(tr("No channels yet"))
        self.pieces.setToolTip(tr("The channel or the wheel that is edited"))
        self.pieces.activated.connect(self._part_picked)

        self.wheel_rows = QStackedWidget()
        self.wheels = WheelForm()
        self.wheels.edited.connect(
            lambda w: self._do(type_edits.put_wheel(self.kind, w))
        )
        self.wheels.removed.connect(self._remove_wheel)
        self.wheels.refused.connect(
            lambda text: self.parts.notices.told.emit(text, "alarm")
        )

        for page in (self.channel, self.wheels):
            inner = QWidget()
            basics.stack(inner, page, *((1,) if page is self.wheels else ()), margins=2)
            self.wheel_rows.addWidget(basics.scroller(inner))

        empty = QWidget()
        words_ = tr(
            "Type the fixture's channels on the left, in the order of its manual, "
            "or paste its table there."
        )

        basics.stack(empty, 1, basics.label(words_, "soft", wrap=True), 2, margins=40)
        self.wheel_rows.addWidget(empty)
        panel = basics.panel(self.pieces, self.wheel_rows)
        basics.grow(panel, 1)

        return panel

    def _right(self) -> QWidget:
        self.checks = QListWidget()
        self.checks.setWordWrap(True)
        self.checks.setAccessibleName(tr("What is wrong with the type"))
        self.checks.setToolTip(
            tr("Press a line to go to its place. ▲ keeps the type from being hung")
        )
        self.checks.itemActivated.connect(self._lead)

        self.checks.itemClicked.connect(self._lead)
        self.verdict = basics.label("", "soft", wrap=True)
        self.users = basics.label("", "small", wrap=True)
        self.trial = Tick(tr("Try it on"))
        self.trial.setToolTip(
            tr(
                "Send the channel that is edited to a fixture that hangs, live; the "
                "others rest at home"
            )
        )

        self.trial.toggled.connect(self._trial_toggled)
        self.on = QComboBox()
        self.on.setAccessibleName(tr("Fixture to try it on"))
        self.on.setToolTip(tr("The fixture that is sent what is edited"))
        self.on.activated.connect(lambda _: self._trial_toggled(self.trial.isChecked()))

        self.tried = basics.label(POINT, "small", wrap=True)
        self.warning = QFrame()
        self.warning.setObjectName("warn")
        self.warning.setStyleSheet(
            f"#warn {{ border: 1px solid {theme.DRAFT}; border-radius: "
            f"{theme.RADIUS}px; }}"
        )

        self.warning_text = basics.label("", "", wrap=True)

        self.go_on = basics.button(KEEP_SO, self._keep_sure, "main")
        self.back = basics.button(tr("Cancel"), self._not_sure, "quiet")
        basics.stack(
            self.warning, self.warning_text, basics.row(1, self.back, self.go_on)
        ).setContentsMargins(10, 8, 10, 8)

        self.warning.hide()
        panel = basics.panel(
            basics.label(tr("Check"), "heading"),
            self.verdict,
            self.checks,
            self.warning,
            basics.label(tr("Try it"), "heading"),
            self.trial,
            self.on,
            self.tried,
            basics.label(tr("Used by"), "heading"),
            self.users,
        )

        basics.grow(panel, 2)

        return panel

    # opening and leaving

    def open(self, kind: FixtureType, mode: str = "") -> None:
        """Edit a type. One of the library is edited as a copy that takes its place for
        this user.
        """
        self.kind, self.before = kind, kind
        self._past, self._future = [], []
        self.mode_name = (
            mode if kind.mode(mode) else (kind.modes[0].name if kind.modes else "")
        )
        found = kind.mode(self.mode_name)
        uses = sorted(found.uses, key=lambda u: u.slots) if found else ()
        self.key = (
            uses[0].channel if uses else (kind.channels[0].key if kind.channels else "")
        )

        self._not_sure()
        self._fill()

    def leave(self) -> None:
        """Back without keeping."""
        self.trial.setChecked(False)
        self.closed.emit()

    def escape(self) -> None:
        """Back where nothing was changed; else ask what becomes of it."""
        if not self._past:
            self.leave()
            return
        self.warning_text.setText(tr("What was changed here is not kept yet."))
        self.go_on.setText(tr("Let it go"))
        self._asks_leave = True
        self.warning.show()
        self.back.setFocus()

    def undo(self) -> None:
        """A step back within the editor."""
        if self._past:
            self._future.append(self.kind)
            self.kind = self._past.pop()
            self._fill()

    def redo(self) -> None:
        """A step forward within the editor."""
        if self._future:
            self._past.append(self.kind)
            self.kind = self._future.pop()
            self._fill()

    # changing

    def _do(self, kind: FixtureType, mode_name: str = "") -> None:
        """Take the type as it is now; `mode_name`: the mode at hand, if it may have
        another name or size now.
        """
        if self._busy or kind == self.kind:
            return

        before = self.kind.mode(self.mode_name)
        self.mode_name = mode_name or self.mode_name
        if (
            before is not None
            and before.name == mode_name
            and before.name not in self._kept_modes()
        ):
            kind, self.mode_name = type_edits.name_by_size(kind, before)

        self._past.append(self.kind)
        self._future.clear()
        self.kind = kind
        self._not_sure()
        self._fill()

        self._try()

    def _kept_modes(self) -> set[str]:
        """The modes that lamps may hang in: their names are not changed unasked."""
        kept = self.parts.document.kinds().get(self.before.id)
        return {mode.name for mode in kept.modes} if kept else set()

    def _put(self, **fields: object) -> None:
        self._do(type_edits.replace(self.kind, **fields))

    def _mode_edited(self, mode: Mode) -> None:
        name = self.mode_name
        self._do(type_edits.put_mode(self.kind, name, mode), mode.name)

    def _channel_edited(self, channel: Channel) -> None:
        mode = self.kind.mode(self.mode_name)
        before = self.kind.channel(channel.key, mode)
        kind = type_edits.put_channel(self.kind, channel, self.mode_name)

        if (
            mode is not None
            and before is not None
            and before.resolution != channel.resolution
        ):
            mode = kind.mode(self.mode_name) or mode
            fitted = type_edits.fit_bytes(
                mode, channel.key, before.resolution, channel.resolution
            )
            kind = type_edits.put_mode(kind, self.mode_name, fitted)

        self._do(kind, self.mode_name)

    def _channel_clicked(self, key: str) -> None:
        self.key = key
        self._fill()

    def add_channels(self, text: str) -> None:
        """New channels at the end of the mode, by their names on the lamp's paper."""
        kind, keys = channel_table.add_named(self.kind, self.mode_name, text)
        if keys:
            self.key, self.channel.index = keys[0], 0
            self._do(kind, self.mode_name)

    def _remove_channel(self) -> None:
        if self.key:
            kind = type_edits.remove_channel(self.kind, self.key)
            self.key = kind.channels[0].key if kind.channels else ""
            self._do(kind)

    def _own(self, on: bool) -> None:
        self._do(type_edits.override(self.kind, self.mode_name, self.key, on))

    def _remove_mode(self) -> None:
        if len(self.kind.modes) > 1:
            kind = type_edits.remove_mode(self.kind, self.mode_name)
            self.mode_name = kind.modes[0].name
            self._do(kind)

    def _mode_picked(self, index: int) -> None:
        name = self.which.itemData(index)
        if name in ("+copy", "+blank"):
            kind, self.mode_name = type_edits.add_mode(
                self.kind, self.mode_name if name == "+copy" else ""
            )
            self._do(kind)
        else:
            self.mode_name = name
            self._fill()

    def _part_picked(self, index: int) -> None:
        sort, key = self.pieces.itemData(index)
        if sort == "+wheel":
            self._add_wheel()
            return
        self.key = f"wheel:{key}" if sort == "wheel" else key
        self._fill()

    def _add_wheel(self) -> None:
        """A new wheel, for the channel at hand where that chooses slots."""
        channel = self.kind.channel(self.key, self.kind.mode(self.mode_name))
        slots = (
            channel is not None and not channel.wheel and type_edits.has_slots(channel)
        )

        kind, key = type_edits.add_wheel(
            self.kind, channel.label if channel and slots else tr("Wheel")
        )

        if channel and slots:
            kind = type_edits.put_channel(
                kind, type_edits.replace(channel, wheel=key), self.mode_name
            )

        self.key = f"wheel:{key}"
        self._do(kind)

    def _remove_wheel(self) -> None:
        kind = type_edits.remove_wheel(self.kind, self.key.removeprefix("wheel:"))
        self.key = kind.channels[0].key if kind.channels else ""
        self._do(kind)

    # showing

    def _fill(self) -> None:
        """Show the type as it is now."""
        kind = self.kind
        self._busy = True
        self._fill_head(kind)
        mode = kind.mode(self.mode_name)

        if mode is None and kind.modes:
            mode = kind.modes[min(self._at, len(kind.modes) - 1)]

        if mode is not None:
            self.mode_name = mode.name
            self._at = kind.modes.index(mode)
            self._find_key(kind, mode)
            self.which.setCurrentIndex(self.which.findData(mode.name))
            self.modes.show_mode(kind, mode, self.key)

        self._fill_parts(kind)
        wheel = None
        if self.key.startswith("wheel:"):
            wheel = kind.wheel(self.key.removeprefix("wheel:"))

        if wheel is not None:
            self.wheels.show_wheel(wheel)

        self.wheel_rows.setCurrentIndex(1 if wheel else 0 if kind.channels else 2)
        channel = kind.channel(self.key, mode) if wheel is None else None
        overrides = mode.overrides if mode is not None else ()
        own = any(override.key == self.key for override in overrides)
        self.channel.show_channel(kind, channel, own)

        self._busy = False
        self._fill_checks(kind)
        self._fill_trial()

    def _fill_head(self, kind: FixtureType) -> None:
        self.maker.setText(kind.maker)
        self.name.setText(kind.name)
        if self.sort.findData(kind.kind) < 0:
            self.sort.addItem(term(kind.kind), kind.kind)

        self.sort.setCurrentIndex(self.sort.findData(kind.kind))
        self.body.setCurrentIndex(self.body.findData(kind.body))
        self.lamp.setCurrentIndex(LAMPS.index(kind.lamp) if kind.lamp in LAMPS else 0)
        self.beam.set_value(kind.beam)
        self.field.set_value(kind.field)

        self.which.clear()
        for mode in kind.modes:
            self.which.addItem(
                tr("{name} ({footprint})", name=mode.name, footprint=mode.footprint),
                mode.name,
            )

        self.which.addItem(tr("New mode, as a copy of this"), "+copy")
        self.which.addItem(tr("New mode, empty"), "+blank")

    def _find_key(self, kind: FixtureType, mode: Mode) -> None:
        """Go to the mode's first channel where what was at hand is gone, by a step
        back.
        """
        wheel = self.key.startswith("wheel:") and kind.wheel(
            self.key.removeprefix("wheel:")
        )
        if not wheel and kind.channel(self.key, mode) is None:
            used = [channel.key for _, channel in kind.used(mode)]
            self.key = (
                used[0] if used else kind.channels[0].key if kind.channels else ""
            )

    def _fill_parts(self, kind: FixtureType) -> None:
        self.pieces.clear()
        for channel in kind.channels:
            self.pieces.addItem(
                tr("Channel: {label}", label=channel.label), ("channel", channel.key)
            )
            if channel.key == self.key:
                self.pieces.setCurrentIndex(self.pieces.count() - 1)

        for wheel in kind.wheels:
            self.pieces.addItem(
                tr("Wheel: {name}", name=wheel.name), ("wheel", wheel.key)
            )
            if f"wheel:{wheel.key}" == self.key:
                self.pieces.setCurrentIndex(self.pieces.count() - 1)

        self.pieces.addItem(tr("New wheel"), ("+wheel", ""))
        if not self.key:
            self.pieces.setCurrentIndex(-1)

    def _fill_checks(self, kind: FixtureType) -> None:
        problems = check_type(kind)
        wrong = errors(problems)
        self.checks.clear()

        for problem in sorted(problems, key=lambda p: p.level != "error"):
            item = QListWidgetItem(
                f"{'▲' if problem.level == 'error' else '·'} {problem.text}"
            )
            item.setData(0x0100, problem.path)
            if problem.level == "error":
                item.setForeground(theme.colour(theme.ALARM))

            self.checks.addItem(item)

        text = tr("Nothing is wrong.")
        if problems:
            soft = len(problems) - len(wrong)
            counts = (
                plural(len(wrong), "{n} error", "{n} errors") if wrong else "",
                plural(soft, "{n} warning", "{n} warnings") if soft else "",
            )
            text = tr("{counts}.", counts=in_a_row(filter(None, counts)))

        advice = tr("Errors keep the type from being hung.") if wrong else ""
        self.verdict.setText(sentences(text, advice))

    def _lead(self, item: QListWidgetItem) -> None:
        """Go to the place that a line of the check is about."""
        path = str(item.data(0x0100)).split("/")[2:]
        if path[:1] == ["channels"]:
            self.key = path[1]
            if "ranges" in path:
                self.channel.index = int(path[path.index("ranges") + 1])
        elif path[:1] == ["modes"] and len(path) > 1:
            self.mode_name = path[1]
            if "overrides" in path:
                self.key = path[path.index("overrides") + 1]
            elif len(path) > 2 and self.kind.channel(path[2]):
                self.key = path[2]
        self._fill()

    # trying

    def showEvent(self, event: QShowEvent) -> None:
        self._fill_trial()
        if not self.kind.channels:
            self.modes.add.setFocus()

    def _fill_trial(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at

        fixtures = list(self.parts.document.show.fixtures.values())
        mine = [f for f in fixtures if f.type == self.kind.id]
        names = words.some([f.name for f in mine], 6)
        self.users.setText(names or tr("No fixture that hangs here."))

        others = [f for f in fixtures if f.type != self.kind.id]
        self._offer_to_try_on([*mine, *others])
        some = self.on.count() > 0
        self.trial.setEnabled(some)
        self.on.setVisible(some)

        if not self.trial.isChecked():
            nobody = tr("Hang a fixture, and what is edited can be sent to it.")
            self.tried.setText(POINT if some else nobody)

    def _offer_to_try_on(self, fixtures: list[Fixture]) -> None:
        """Offer fixtures; one that is tried on stays the one."""
        now = self.on.currentData() if self.trial.isChecked() else None
        self.on.clear()
        for fixture in fixtures:
            text = tr(
                "{name} · {universe}.{address}",
                name=fixture.name,
                universe=fixture.universe,
                address=fixture.address,
            )
            self.on.addItem(text, fixture.id)

        index = self.on.findData(now)
        if index >= 0:
            self.on.setCurrentIndex(index)

    def _trial_toggled(self, on: bool) -> None:
        self._pointed = None
        if on:
            self._again.start()
            self._try()
        else:
            self._again.stop()
            self.parts.engine.send_bytes("try", 1, 1, b"", 0.0)

    def _point(self, raw: int) -> None:
        self._pointed = raw
        if self.trial.isChecked():
            self._try()

    def _try(self) -> None:
        """Send the mode that is edited: every channel at home, the one in hand where
        the pointer is.
        """
        fixture = self.parts.document.show.fixtures.get(self.on.currentData() or "")
        mode = self.kind.mode(self.mode_name)
        if not self.trial.isChecked() or fixture is None or mode is None:
            return

        data = bytearray(mode.footprint)
        told = ""

        for use, channel in self.kind.used(mode):
            raw = self._trial_raw(channel)
            if channel.key == self.key:
                span = channel.at(raw)
                told = tr(
                    "{label} at {raw}: {value}",
                    label=channel.label,
                    raw=raw,
                    value=value_text(span, raw),
                )

            for slot, byte in zip(
                use.slots,
                bytes_of(raw, channel.resolution, len(use.slots)),
                strict=True,
            ):
                if 1 <= slot <= len(data):
                    data[slot - 1] = byte

        self.parts.engine.send_bytes(
            "try", fixture.universe, fixture.address, bytes(data), TRY
        )

        self.tried.setText(told)

    def _trial_raw(self, channel: Channel) -> int:
        if channel.key == self.key and self._pointed is not None:
            return min(channel.top, self._pointed)
        if channel.open is not None:
            return channel.open

        lit = next(
            (
                r
                for r in channel.ranges
                if r.attribute == at.DIMMER or r.attribute in at.ALL_EMITTERS
            ),
            None,
        )
        return (
            lit.raw_at(max(lit.low, lit.high))
            if lit is not None and len(channel.ranges) == 1
            else channel.home
        )

    # keeping

    def keep(self) -> None:
        """Keep the type; where lamps that hang are touched, what cannot carry over is
        told first.
        """
        kind = self.kind
        show = self.parts.document.show
        used = [f.id for f in show.fixtures.values() if f.type == kind.id]
        wrong = errors(check_type(kind))

        if used and wrong:
            names = words.some([show.fixtures[i].name for i in used])
            text = tr(
                "{names} would go dark: {text}. Put it right first; nothing was "
                "changed.",
                names=names,
                text=wrong[0].text,
            )
            self.parts.notices.told.emit(text, "alarm")

            return

        touched = reach(show, kind)
        if touched.lines and not self._sure:
            self.warning_text.setText("\n".join(touched.lines))
            self.warning.show()
            return

        self.parts.document.keep_type(kind)
        if used:
            self.parts.document.edit(
                tr("change the type {name}", name=kind.name), touched.show
            )

        self.trial.setChecked(False)
        note = plural(
            len(wrong),
            "{n} error keeps it from being hung.",
            "{n} errors keep it from being hung.",
        )
        text = tr("{label} is among your types now.", label=kind.label)
        self.parts.notices.told.emit(sentences(text, note if wrong else ""), "info")
        self.before = kind

        self.closed.emit()

    def _keep_sure(self) -> None:
        if self._asks_leave:
            self._not_sure()
            self.leave()
            return
        self._sure = True
        self.keep()

    def _not_sure(self) -> None:
        self._sure = self._asks_leave = False
        self.go_on.setText(KEEP_SO)
        self.warning.hide()
