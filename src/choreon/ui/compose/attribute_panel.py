"""What: the attributes of those who are chosen, family by family. Everything here goes
to the draft, nowhere else.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QColor, QHideEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QLabel,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.language import in_a_row, tr
from choreon.model import attributes as at
from choreon.model.effects import motion_of
from choreon.model.motion import Effects, title
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.ui import theme, words
from choreon.ui.compose.aim_panel import AimPanel
from choreon.ui.compose.colour_panel import ColourPanel
from choreon.ui.compose.controls import ControlOrder, Controls, show_span
from choreon.ui.compose.copying import Copied
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.motion_panel import MotionPanel
from choreon.ui.compose.palette_chips import PaletteChips, keep_button
from choreon.ui.compose.spread_panel import SpreadPanel
from choreon.ui.parts import Parts
from choreon.ui.settings import open_settings
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import ColourField
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

LEVELS = ((tr("Off"), 0.0), ("25", 0.25), ("50", 0.5), ("75", 0.75), (tr("Full"), 1.0))
TAB_FAMILIES = {
    "Colour": at.Family.COLOUR,
    "Aim": at.Family.POSITION,
    "Beam": at.Family.BEAM,
    "Device": at.Family.DEVICE,
}
SPREAD, MOTION = "Spread", "Motion"
TITLES = {
    "Colour": tr("Colour"),
    "Aim": tr("Aim"),
    "Beam": tr("Beam"),
    "Device": tr("Device"),
    SPREAD: tr("Spread"),
    MOTION: tr("Motion"),
}
TABS = tuple(TITLES)


MANY = 60  # fixtures whose values are worked out beside the panels


class Tab(QPushButton):
    """A family's tab; a dashed line below says that the draft has something of it."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setCheckable(True)
        self.setProperty("kind", "quiet")
        self.setStyleSheet("padding: 6px 4px; min-width: 22px; font-size: 12px;")
        self.setToolTip(text)
        self.drafted = 0

    def set_drafted(self, count: int, names: str) -> None:
        """How many of its attributes are in the draft."""
        if count != self.drafted:
            self.drafted = count
            self.update()
        self.setToolTip(
            tr("{text}: in the draft: {names}", text=self.text(), names=names)
            if count
            else self.text()
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.drafted:
            painter = QPainter(self)
            pen = QPen(QColor(theme.DRAFT), 2)
            pen.setDashPattern([3, 2])
            painter.setPen(pen)
            painter.drawLine(8, self.height() - 3, self.width() - 8, self.height() - 3)


class BeamPanel(QWidget):
    """Shutter, and all that shapes the beam."""

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.hand = hand
        self.shutter_open = basics.button(tr("Open"), lambda: self._shutter(1.0))
        self.shutter_closed = basics.button(tr("Closed"), lambda: self._shutter(0.0))

        for button in (self.shutter_open, self.shutter_closed):
            button.setCheckable(True)

        self.shutter = basics.row(
            basics.label(tr("Shutter"), "soft"),
            1,
            self.shutter_open,
            self.shutter_closed,
        )
        self.chips = PaletteChips(hand, at.Family.BEAM)
        self.more = Controls(hand)
        head = basics.row(
            basics.label(tr("Palettes"), "soft"), 1, keep_button(hand, at.Family.BEAM)
        )

        basics.stack(self, self.shutter, self.more, head, self.chips, spacing=8)

    def _shutter(self, value: float) -> None:
        given = {at.SHUTTER: value}
        if value and at.STROBE in self.hand.names():
            given[at.STROBE] = 0.0
        self.hand.give(given)

    def rebuild(self, counts: dict[str, int]) -> None:
        """Offer what the choice has."""
        self.shutter.setVisible(at.SHUTTER in counts)
        rest = [
            n
            for n in counts
            if at.attribute(n).family == at.Family.BEAM and n != at.SHUTTER
        ]
        order = {name: i for i, name in enumerate(BEAM_ORDER)}
        rest.sort(key=lambda n: order.get(at.template(n), len(order)))
        self.more.set_names(rest, counts)

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Show what the choice has now."""
        self.more.show_values(counts, total)
        shutters = self.hand.numbers(at.SHUTTER)
        self.shutter_open.setChecked(bool(shutters) and all(s >= 0.5 for s in shutters))
        self.shutter_closed.setChecked(
            bool(shutters) and all(s < 0.5 for s in shutters)
        )


BEAM_ORDER = (
    "Shutter(n)Strobe",
    tr("Zoom"),
    tr("Iris"),
    "Focus(n)",
    "Frost(n)",
    "Gobo(n)",
    "Gobo(n)Pos",
    "Gobo(n)PosRotate",
)


class DevicePanel(QWidget):
    """Everything else by its names; hidden and reordered by type."""

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.more = Controls(hand, ControlOrder(open_settings()))
        hint = basics.label(
            tr("The right button hides a line or moves it, for this type."),
            "small",
            wrap=True,
        )
        basics.stack(self, self.more, hint, spacing=8)

    def rebuild(self, counts: dict[str, int]) -> None:
        """Offer what the choice has."""
        self.more.set_names(
            [n for n in counts if at.attribute(n).family == at.Family.DEVICE], counts
        )

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Show what the choice has now."""
        self.more.show_values(counts, total)


class AttributePanel(QWidget):
    """Intensity always; then one family at a time."""

    tab_changed = Signal(str)
    like_wanted = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.hand = Hand(parts)
        self.copied = Copied(parts)
        self.title = basics.label("", "heading", wrap=True)

        self.empty = basics.label(
            tr(
                "Choose fixtures on the stage, or a group on the left. What you "
                "change here is on stage at once and goes into the draft; nothing of "
                "it is kept yet."
            ),
            "soft",
            wrap=True,
        )

        self.copy_button = basics.tool(
            "copy", tr("Copy and paste between fixtures"), self._copy_menu
        )

        self.light = self._light()
        self.head = self._head()

        self._make_panels()
        self._make_tabs()
        self._lay_out()
        self._begin_to_follow()

    def _make_panels(self) -> None:
        """One for each family."""
        self.colour_panel = ColourPanel(self.hand)
        self.aim_panel = AimPanel(self.hand)
        self.beam_panel = BeamPanel(self.hand)
        self.device_panel = DevicePanel(self.hand)
        self.spread_panel = SpreadPanel(self.hand)

        self.motion_panel = MotionPanel(self.hand)

        panels = (
            self.colour_panel,
            self.aim_panel,
            self.beam_panel,
            self.device_panel,
            self.spread_panel,
            self.motion_panel,
        )

        self.panels = dict(zip(TABS, panels, strict=True))

    def _make_tabs(self) -> None:
        """A tab for each panel, and the panel behind it."""
        self.group = QButtonGroup(self)
        self.tabs: dict[str, Tab] = {}
        self.stack = QStackedWidget()

        for i, (name, panel) in enumerate(self.panels.items()):
            tab = Tab(TITLES[name])
            tab.clicked.connect(lambda *_, n=name: self.open_tab(n))
            self.tabs[name] = tab
            self.group.addButton(tab, i)

            inner = QWidget()
            basics.stack(inner, panel, 1, margins=0)
            inner.setContentsMargins(0, 0, 10, 0)
            self.stack.addWidget(basics.scroller(inner))

        self.tab_row = flow(*self.tabs.values(), spacing=0)
        self.wanted = TABS[0]

    def _lay_out(self) -> None:
        panel = basics.panel(
            self.head,
            self.empty,
            self.light,
            self.tab_row,
            self.stack,
            margins=12,
            spacing=10,
        )

        basics.grow(panel, 4)
        basics.align_top(panel, self.empty)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

        self.setMinimumWidth(296)

    def _begin_to_follow(self) -> None:
        """Follow what is chosen, and the light."""
        parts = self.parts
        self._soon = basics.once(self, 60, self._follow_light)
        self._next = basics.once(self, 0, lambda: self._show_values(fresh=True))
        self._turn = basics.once(self, 0, self._rebuild)
        self._follow = QTimer(self, interval=250)

        self._follow.timeout.connect(self._follow_light)
        self._seen: tuple[object, ...] = ()  # what the values shown came from
        parts.selection.changed.connect(self._choose)
        parts.document.show_changed.connect(self._rebuild)
        parts.engine.state_changed.connect(
            lambda _: self._soon.isActive() or self._soon.start()
        )

        self._rebuild()

    # parts of it by name, as they are looked for

    @property
    def fields(self) -> dict[str, ValueField]:
        """The fields that show amounts, by attribute."""
        found = {
            at.DIMMER: self.level,
            **self.colour_panel.fields,
            **self.aim_panel.fields,
        }

        for panel in (
            self.colour_panel,
            self.aim_panel,
            self.beam_panel,
            self.device_panel,
        ):
            found |= {
                n: row.field
                for n, row in panel.more.rows.items()
                if row.field is not None
            }

        return found

    @property
    def colour(self) -> ColourField:
        """The field that a colour is picked in."""
        return self.colour_panel.colour

    @property
    def aim_at(self) -> QPushButton:
        """The button that sends heads to a point."""
        return self.aim_panel.aim_at

    @property
    def reach(self) -> QLabel:
        """The words on who cannot get there."""
        return self.aim_panel.reach

    def showEvent(self, event: QShowEvent) -> None:
        self._follow.start()
        self._rebuild()

    def hideEvent(self, event: QHideEvent) -> None:
        self._follow.stop()

    def _head(self) -> QWidget:
        head = basics.row(self.title, self.copy_button)
        basics.grow(head, 0)
        basics.align_top(head, self.copy_button)
        return head

    def _light(self) -> QWidget:
        section = QWidget()
        self.level = ValueField(at.attribute(at.DIMMER).label, 0, 100, "%", 0, 0.0)
        self.level.changed.connect(lambda v: self.hand.give({at.DIMMER: v / 100}))
        levels = [
            basics.button(
                text,
                partial(self.hand.give, {at.DIMMER: value}),
                tip=tr("Intensity {text}", text=text),
            )
            for text, value in LEVELS
        ]

        for button in levels:
            button.setStyleSheet("padding: 5px 2px; min-width: 20px;")

        self.quick = basics.row(*levels, spacing=4)
        self.open_up = basics.button(
            tr("Open up"),
            self.parts.draft.open_up,
            "",
            "sun",
            tr("Make the chosen shine: open, full, the rest at home (Ctrl+U)"),
        )

        self.go_home = basics.button(
            tr("Home"),
            self.parts.draft.home,
            "",
            "",
            tr("Everything at home, dark (Ctrl+H)"),
        )

        self.light_who = basics.label("", "small")
        basics.stack(
            section,
            self.level,
            self.light_who,
            self.quick,
            basics.row(self.open_up, self.go_home, 1),
            spacing=6,
        )

        return section

    def open_tab(self, name: str) -> None:
        """Show a family."""
        self.wanted = name
        if self.parts.selection.chosen:
            self._fit(name, self.hand.names())
        self.stack.setCurrentIndex(TABS.index(name))
        self.tabs[name].setChecked(True)
        self.tab_changed.emit(name)
        self._show_values()

    @property
    def tab(self) -> str:
        """The tab that is shown."""
        return TABS[self.stack.currentIndex()]

    def _copy_menu(self) -> None:
        menu = Menu(self)
        self.copied.fill(menu)
        menu.addSeparator()
        menu.addAction(
            tr("Make these like that one…"), self.like_wanted.emit
        ).setEnabled(bool(self.parts.selection.chosen))
        menu.exec(self.copy_button.mapToGlobal(self.copy_button.rect().bottomLeft()))

    # what is chosen

    def _choose(self, chosen: tuple[str, ...]) -> None:
        """Fit all to another choice; to a large one in a turn of its own, so that
        nothing is held up for long.
        """
        if len(chosen) > MANY:
            self._turn.start()
        else:
            self._rebuild()

    def _rebuild(self) -> None:
        if not self.isVisible():
            return  # it is rebuilt when it is looked at

        show, chosen = self.parts.document.show, self.parts.selection.chosen
        self.hand.look_again()
        counts = self.hand.names() if chosen else {}
        self.title.setText(_title(self.parts, show) if chosen else "")
        self.empty.setVisible(not chosen)

        for widget in (
            self.head,
            self.light,
            self.tab_row,
            self.stack,
        ):
            widget.setVisible(bool(chosen))

        if not chosen:
            self.tab_changed.emit("")
            return

        for widget in (self.level, self.quick):
            widget.setVisible(at.DIMMER in counts)

        self._show_tabs(counts)
        if len(chosen) > MANY:
            self._next.start()  # in a turn of its own, so that neither holds up long
        else:
            self._show_values(fresh=True)

    def _show_tabs(self, counts: dict[str, int]) -> None:
        """Show the tabs of the families that the choice has, and the one that is
        wanted.
        """
        families = {at.attribute(name).family for name in counts}
        there = [name for name, family in TAB_FAMILIES.items() if family in families]
        there += [SPREAD, MOTION]
        for name, tab in self.tabs.items():
            tab.setVisible(name in there)
        shown = self.wanted if self.wanted in there else there[0]
        self._fit(shown, counts)
        self.stack.setCurrentIndex(TABS.index(shown))
        self.tabs[shown].setChecked(True)
        self.tab_changed.emit(shown)

    def _fit(self, tab: str, counts: dict[str, int]) -> None:
        """Fit a family's panel to what the choice has; those that are not seen wait
        until they are.
        """
        self.panels[tab].rebuild(counts)  # type: ignore[attr-defined]

    def _follow_light(self) -> None:
        """Show the values anew where the light has changed, or what it comes from."""
        if not self._next.isActive() and not very_same(self._seen, self._made_of()):
            self._show_values()

    def _made_of(self) -> tuple[object, ...]:
        """What the values come from; as long as it is the same, so are they."""
        frame = self.parts.preview.frame()
        show, state = self.parts.document.show, self.parts.engine.state
        return frame and frame[0], show, state, self.parts.selection.chosen

    def _show_values(self, fresh: bool = False) -> None:
        """Show what the choice has now; `fresh`: the values in hand were read just
        now.
        """
        if not self.isVisible() or not self.parts.selection.chosen:
            return

        if not fresh:
            self.hand.look_again()

        self._seen = self._made_of()
        counts, total = self.hand.names(), len(self.parts.selection.chosen)
        show_span(
            self.level, self.hand.numbers(at.DIMMER), 100, self.hand.drafted(at.DIMMER)
        )
        has = counts.get(at.DIMMER, 0)
        self.light_who.setText(
            tr("{has} of {total} have a level", has=has, total=total)
        )

        self.light_who.setVisible(0 < has < total)
        if self.tab not in (SPREAD, MOTION):
            self.panels[self.tab].show_values(counts, total)  # type: ignore[attr-defined]

        self._mark_tabs()

    def _mark_tabs(self) -> None:
        """Mark the families of which the draft has something for the chosen."""
        draft = self.parts.engine.state.draft.look
        held = {n for i in self.parts.selection.chosen for n in draft.get(i, {})}
        for name, family in zip(TABS, list(at.Family)[1:], strict=False):
            own = [n for n in held if at.attribute(n).family == family]
            labels = dict.fromkeys(
                tr("Colour") if n in at.TARGET_COLOUR else at.attribute(n).label
                for n in own
            )
            self.tabs[name].set_drafted(len(labels), in_a_row(labels))
        moving = [title(motion_of(self.parts.document.show, e)) for e in self._moving()]
        self.tabs[MOTION].set_drafted(len(moving), in_a_row(moving))

    def _moving(self) -> Effects:
        return self.motion_panel.effects()


def _title(parts: Parts, show: Show) -> str:
    names = words.some(
        [show.fixtures[i].name for i in parts.selection.chosen if i in show.fixtures]
    )

    if parts.selection.pool:
        place = parts.selection.pool.index(parts.selection.chosen[0]) + 1
        return tr(
            "{names}  ·  {place} of {n}",
            names=names,
            place=place,
            n=len(parts.selection.pool),
        )
    if parts.selection.cells or parts.selection.each_cell:
        cells = [i for i in parts.selection.items() if i[1]]
        return (
            tr("{names}  ·  {n} cells", names=names, n=len(cells)) if cells else names
        )

    return names
