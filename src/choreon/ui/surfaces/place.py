"""The place Surfaces: “I see my controller on the screen and what each part does.”"""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from choreon.engine.actions import level_of
from choreon.engine.inputs.layers import Layers
from choreon.engine.protocol import ControlMoved, TimeCodeAt
from choreon.formats import surface_file
from choreon.language import plural, tr
from choreon.model import edits
from choreon.model.inputs import AnyInput, Control
from choreon.model.inputs.watching import Learnt
from choreon.model.refs import Ref
from choreon.model.surfaces import Surface
from choreon.render.state import PlayState
from choreon.ui.drags import carry_controls, drag
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.surfaces.control_form import ControlForm
from choreon.ui.surfaces.drawing import ControllerDrawing
from choreon.ui.surfaces.drawing_form import DrawingForm
from choreon.ui.surfaces.monitor import Monitor, time_words, why_nothing
from choreon.ui.surfaces.targets import TargetList, TargetRow
from choreon.ui.widgets import basics
from choreon.ui.widgets.menu import Menu

ID = Qt.ItemDataRole.UserRole
WIDE = 1150  # points from which the sides have all the room that they like
SIDES, NARROW = (230, 320), (200, 296)  # points of left and right
ENDING = ".surface.json"
AS_MOVED = ""  # drawn from what is moved


class SurfacesPlace(QWidget):
    """Controllers on the left, the drawing with what its part in hand does, and on the
    right what can be tied to a control.
    """

    def __init__(
        self, parts: Parts, learner: Learner, layers: Layers | None = None
    ) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self.layers = layers or Layers()
        self._moved_at: dict[Control, float] = {}
        self._times: dict[str, TimeCodeAt] = {}
        self._listed: tuple[object, ...] = ()

        left = self._make_left()
        middle = self._make_middle()
        self.list = TargetList(parts, learner)
        self.list.tied.connect(self._tie_in_hand)
        self.list.dropped.connect(self.tie_row)
        self.where = self._make_where()
        right = basics.panel(
            basics.label(tr("What controls can do"), "heading"),
            self.where,
            basics.scroller(self.list),
        )

        self._sides = (left, right)
        box = QHBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)
        box.setSpacing(8)
        box.addWidget(left)
        box.addWidget(middle, 1)
        box.addWidget(right)

        parts.engine.ports_changed.connect(lambda _: self._fill_ports())
        parts.document.show_changed.connect(lambda _: self._fill())
        parts.engine.state_changed.connect(self._state)
        parts.engine.control_moved.connect(self._moved)
        parts.engine.timed.connect(self._timed)
        learner.found.connect(self._found)
        learner.changed.connect(lambda _: self._say_learning())
        self._fill_ports()
        self._fill()

    # what it is made of

    def _make_left(self) -> QWidget:
        self.ports = QListWidget()
        self.ports.setAccessibleName(tr("Controllers"))
        self.ports.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.ports.setToolTip(tr("The controllers that were found; ● is connected"))
        self.ports.currentItemChanged.connect(lambda *_: self._port_chosen())

        self.trouble = basics.label("", "small", wrap=True)
        self.none = basics.label(
            tr(
                "No controller yet. Plug one in: it is found and opened by itself. "
                "“choreon sim controller” opens one to practise with."
            ),
            "soft",
            wrap=True,
        )
        self.monitor = Monitor(self.parts, self.layers)
        self.ways = basics.button(
            tr("More ways…"),
            self.ask_ways,
            "quiet",
            tip=tr("OSC, the DMX of another desk, and what others are told"),
        )
        left = basics.panel(
            basics.label(tr("Controllers"), "heading"),
            self.none,
            self.ports,
            self.trouble,
            self.ways,
            basics.label(tr("What came last"), "heading"),
            self.monitor,
        )
        basics.grow(left, 2, 2)
        basics.grow(left, 6, 3)
        return left

    def _make_middle(self) -> QWidget:
        self.drawing = ControllerDrawing(self.parts, self.layers)
        self.drawing.picked.connect(self._control_picked)
        self.drawing.entered.connect(self._control_entered)
        self.drawing.carried.connect(
            lambda row: drag(self.drawing, carry_controls(row))
        )
        self.caption = basics.name_label("", "big")
        self.hint = basics.label("", "soft")

        self.template = QComboBox()
        self.template.setAccessibleName(tr("Drawn as"))
        self.template.setToolTip(tr("How this controller is drawn"))
        policy = QSizePolicy.Policy
        self.template.setSizePolicy(policy.Ignored, policy.Fixed)
        self.template.activated.connect(self._template_chosen)
        self.draw = QPushButton(tr("Draw mine"))
        self.draw.setCheckable(True)
        self.draw.setToolTip(
            tr("Press and move each part of your controller, and the drawing grows")
        )
        self.draw.toggled.connect(self._draw_mine)
        self.more = basics.tool("more", tr("More of this controller"), self._open_menu)

        self.form = ControlForm(self.parts)
        self.drawing_form = DrawingForm(self.parts, self.drawing)
        self.drawing_form.hide()
        head = basics.row(self.caption, self.hint, spacing=10)
        basics.grow(head, 0)
        tools = basics.row(self.template, self.draw, self.more, spacing=6)
        basics.grow(tools, 0)
        middle = basics.panel(head, tools, self.drawing, self.form, self.drawing_form)
        basics.grow(middle, 2)
        return middle

    def _make_where(self) -> QWidget:
        """Where what is learnt holds."""
        self.on_page = QPushButton(tr("On this page alone"))
        self.on_page.setCheckable(True)
        self.on_page.setToolTip(
            tr("What is learnt holds while the page that is in front now is in front")
        )
        self.on_page.toggled.connect(self._say_learning)
        self.skip = basics.button(
            tr("Skip"), self.learner.skip, "quiet", tip=tr("Go on to the next of a row")
        )
        self.skip.hide()
        return basics.row(self.on_page, 1, self.skip, spacing=6)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the sides leave more of it to the drawing."""
        wide = self.width() >= WIDE
        for side, width in zip(self._sides, SIDES if wide else NARROW, strict=True):
            side.setFixedWidth(width)

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def hideEvent(self, event: QHideEvent) -> None:
        """Out of sight nothing is drawn: controls do what they do again."""
        self.draw.setChecked(False)

    # controllers

    def _fill_ports(self) -> None:
        show = self.parts.document.show
        ports = dict(self.parts.engine.ports.ports)
        known = [tie.control.device for tie in show.inputs.values()]
        for device in (*known, *show.surfaces, *show.desks):
            if device:
                ports.setdefault(device, False)

        now = self.port
        listed = (ports, show.desks)
        if listed != self._listed:
            self._listed = listed
            self.ports.blockSignals(True)  # what is in hand stays there
            self._list_ports(ports, now)
            self.ports.blockSignals(False)

        self.none.setVisible(not ports)
        self.trouble.setText(self.parts.engine.ports.trouble)
        self.trouble.setVisible(bool(self.parts.engine.ports.trouble))
        self._port_chosen()

    def _list_ports(self, ports: dict[str, bool], now: str) -> None:
        """List controllers, and have the same be chosen as before."""
        self.ports.clear()
        for name, is_open in ports.items():
            desk = self.parts.document.show.desks.get(name)
            title = desk.name if desk is not None and desk.name else name
            item = QListWidgetItem(f"{'●' if is_open else '○'}  {title}")
            item.setData(ID, name)
            item.setToolTip(
                tr("Connected")
                if is_open
                else tr(
                    "Not connected. It is opened again by itself when it comes back; "
                    "what it does is kept."
                )
            )

            self.ports.addItem(item)
            if name == now:
                self.ports.setCurrentItem(item)

        if self.ports.currentItem() is None and self.ports.count():
            self.ports.setCurrentRow(0)

    @property
    def port(self) -> str:
        """The controller that is shown."""
        item = self.ports.currentItem()
        return item.data(ID) if item else ""

    @property
    def is_open(self) -> bool:
        """Whether it is connected."""
        return self.parts.engine.ports.ports.get(self.port, False)

    def _port_chosen(self) -> None:
        desk = self.parts.document.show.desks.get(self.port)
        self.caption.setText(desk.name if desk is not None else self.port)
        self._say_hint()
        self.drawing.show_port(self.port, self.is_open)
        self._fill_templates()
        self._show_in_hand()

    def _say_hint(self) -> None:
        """Whether the controller is there, and what time it tells."""
        if not self.port:
            said = ""
        elif not self.is_open:
            said = tr("not connected; what it does is kept")
        elif self.port in self._times:
            said = tr("connected, {time}", time=time_words(self._times[self.port]))
        else:
            said = tr("connected")
        basics.say(self.hint, said)

    def _timed(self, told: TimeCodeAt) -> None:
        """The clock of a device says where it is."""
        self._times[told.device] = told
        if told.device == self.port and self.isVisible():
            self._say_hint()

    def _fill_templates(self) -> None:
        """How the controller can be drawn."""
        own = self.parts.document.show.surfaces.get(self.port)
        self.template.clear()
        self.template.addItem(tr("Drawn from what is moved"), AS_MOVED)
        if own is not None:
            self.template.addItem(tr("My drawing: {name}", name=own.name), None)
        for name, surface in surface_file.shipped().items():
            self.template.addItem(surface.name, name)

        index = 1 if own is not None else 0
        if own is None and self.drawing.surface.parts:
            drawn = self.drawing.surface.name
            index = max(0, self.template.findText(drawn))
        self.template.setCurrentIndex(index)
        for widget in (self.template, self.draw, self.more):
            widget.setEnabled(bool(self.port))

    def _template_chosen(self, index: int) -> None:
        name = self.template.itemData(index)
        if name is None:
            return
        if name == AS_MOVED:
            self._set_surface(None)
        else:
            self._set_surface(surface_file.named(name, self.port))

    def _set_surface(self, surface: Surface | None) -> None:
        """Draw the controller as this; none: as it is moved."""
        document = self.parts.document
        if surface is None:
            if self.port in document.show.surfaces:
                show = edits.drop(document.show, "surfaces", [self.port])
                document.edit(tr("forget a drawing"), show)
        else:
            show = edits.put(document.show, "surfaces", surface)
            document.edit(tr("draw {port}", port=self.port), show)

    def ask_ways(self) -> None:
        """Ask what is listened to beside controllers."""
        from choreon.ui.surfaces.ways_dialog import WaysDialog  # few need it

        WaysDialog(self.parts, self).exec()

    # drawing one's own

    def _draw_mine(self, on: bool) -> None:
        """Watch controls, and have the drawing grow by each."""
        self.drawing.arranging = on
        if on:
            self.drawing_form.begin()
        self.learner.watch(on)
        self.form.setVisible(not on)
        self.drawing_form.setVisible(on)
        self.draw.setText(tr("Done") if on else tr("Draw mine"))
        self.drawing_form.follow()
        self.drawing.update()

    def _found(self, found: Learnt) -> None:
        if self.draw.isChecked():
            self.drawing_form.found(found)

    def escape(self) -> bool:
        """Leave the drawing as it is. Returns whether one was being made."""
        drawing = self.draw.isChecked()
        self.draw.setChecked(False)
        return drawing

    def _open_menu(self) -> None:
        menu = Menu(self)
        menu.addAction(tr("Read a drawing…"), self._ask_read)
        save = menu.addAction(tr("Keep this drawing in a file…"), self._ask_write)
        save.setEnabled(bool(self.drawing.surface.parts))
        menu.addSeparator()
        own = self.parts.document.show.surfaces.get(self.port)
        pages = menu.addAction(tr("It has pages of its own"))
        pages.setCheckable(True)
        pages.setChecked(own is not None and own.own_pages)
        pages.triggered.connect(self.set_own_pages)
        self._add_clock(menu)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _add_clock(self, menu: Menu) -> None:
        """Whose tempo is followed, and who is told ours."""
        midi = self.parts.document.show.midi
        follow = menu.addAction(tr("Its clock sets the tempo"))
        tell = menu.addAction(tr("Send it the tempo, as a clock"))
        for action, on, act in (
            (follow, midi.clock_from == self.port, self.follow_clock),
            (tell, self.port in midi.clock_to, self.send_clock),
        ):
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(act)

    def follow_clock(self, on: bool) -> None:
        """Have the controller's MIDI clock set the tempo."""
        self._midi(tr("follow a clock"), clock_from=self.port if on else "")

    def send_clock(self, on: bool) -> None:
        """Have the controller be sent the tempo as MIDI clock."""
        others = [p for p in self.parts.document.show.midi.clock_to if p != self.port]
        to = (*others, self.port) if on else tuple(others)
        self._midi(tr("send a clock"), clock_to=to)

    def _midi(self, name: str, **fields: Any) -> None:
        document = self.parts.document
        midi = edits.replace(document.show.midi, **fields)
        document.edit(name, edits.replace(document.show, midi=midi))

    def set_own_pages(self, on: bool) -> None:
        """Have the controller turn by its own keys, or follow the page on screen."""
        self._set_surface(edits.replace(self.drawing.surface, own_pages=on))

    def _ask_read(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Read a drawing"), "", tr("Drawings of controllers (*.json)")
        )
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """Draw the controller as a file says."""
        try:
            data = path.read_bytes()[: surface_file.MOST_BYTES + 1]
            surface = surface_file.read(data, self.port)
        except (OSError, surface_file.NotRead) as error:
            text = tr(
                "{name} was not read; the drawing is as it was. {error}",
                name=path.name,
                error=error,
            )
            self.parts.notices.told.emit(text, "problem")
            return
        self._set_surface(surface)

    def _ask_write(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self,
            tr("Keep this drawing"),
            f"{self.port}{ENDING}",
            tr("Drawings of controllers (*.json)"),
        )
        if path:
            self.write(Path(path))

    def write(self, path: Path) -> None:
        """Keep the drawing in a file."""
        try:
            path.write_bytes(surface_file.write(self.drawing.surface))
        except OSError as error:
            text = tr("The drawing was not kept: {error}", error=error.strerror)
            self.parts.notices.told.emit(text, "problem")
            return
        text = tr("The drawing is kept in {name}.", name=path.name)
        self.parts.notices.told.emit(text, "info")

    # the control in hand

    def _moved(self, moved: ControlMoved) -> None:
        self._moved_at[moved.control] = time.monotonic()
        self.drawing.moved(moved)
        self.monitor.moved(moved)

    def _control_picked(self, target: Ref | None) -> None:
        self._show_in_hand()

    def _show_in_hand(self) -> None:
        """What the control in hand does, and why it does nothing."""
        control = self.drawing.chosen
        tie = None if control is None else self.drawing.ties().get(control)
        self.list.mark(tie.target if tie else None, control is not None)
        why = "" if control is None else self._why(control, tie)
        if len(self.drawing.row) > 1:
            self.form.show_row(self.drawing.row)
        else:
            self.form.show_control(control, why, tie)

    def _why(self, control: Control, tie: AnyInput | None) -> str:
        show, state = self.parts.document.show, self.parts.engine.state
        caught = None
        if tie is not None and control in self.drawing.values:
            level = level_of(show, state, tie.target)
            if level is not None:
                caught = (self.drawing.values[control], level)
        seen = self._moved_at.get(control)
        return why_nothing(show, self.layers, control, self.is_open, seen, caught)

    def _control_entered(self, target: Ref | None) -> None:
        """The keys go on to what a control does; one that does nothing can be taught
        there.
        """
        rows = self.targets
        row = rows.get(target) if target else next(iter(rows.values()))
        if row is not None:
            row.learn.setFocus(Qt.FocusReason.TabFocusReason)

    def _tie_in_hand(self, target: Ref) -> None:
        """Have the controls in hand do something: from a control to what it does."""
        self.tie_row(self.drawing.row, target)

    def tie_row(self, controls: Sequence[Control], target: Ref) -> None:
        """Have controls do a thing, and those that follow it in its section."""
        row = [
            (Learnt(control, *self.drawing.coding_of(control)), to)
            for control, to in zip(controls, self.list.onward(target), strict=False)
        ]
        self.learner.tie_row(row)
        over = len(controls) - len(row)
        if over and row:
            told = plural(
                over,
                "For 1 control there was nothing left in that section.",
                "For {n} controls there was nothing left in that section.",
            )
            self.parts.notices.told.emit(told, "info")

    # what controls can do

    @property
    def targets(self) -> dict[Ref, TargetRow]:
        """The rows, by what they are of: all of them."""
        return self.list.targets

    @property
    def is_listed(self) -> bool:
        """Whether all rows are there."""
        return self.list.is_listed

    def _say_learning(self) -> None:
        """Where what is learnt holds, and whether more is to come."""
        alone = self.on_page.isChecked()
        self.learner.on_page = self.layers.front if alone else ""
        self.skip.setVisible(bool(self.learner.waiting))

    def _fill(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        self.list.fill()
        self._fill_ports()

    def _state(self, state: PlayState) -> None:
        if self.isVisible():
            self.drawing.update()
