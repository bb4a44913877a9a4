"""Walk the rig: lamp by lamp, for the check at the ladder; by key, by button, or from a
controller.
"""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QFrame

from choreon.engine.protocol import ControlMoved
from choreon.language import tr
from choreon.model.edits import unlearn
from choreon.model.refs import WALK, Ref
from choreon.ui import theme
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.rig.slip import Slip
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu

NEXT, BACK = Ref(WALK, "next"), Ref(WALK, "back")
TARGETS = {NEXT: 1, BACK: -1}
BLINK = 6.0  # seconds, begun anew before they are over


class WalkBar(QFrame):
    """Which lamp it is now, what to set on it, and the way on."""

    def __init__(self, parts: Parts, learner: Learner | None) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self.order: list[str] = []
        self.index = 0
        self.setObjectName("walk")

        self.setStyleSheet(
            f"#walk {{ background: {theme.DECK}; border: 1px solid {theme.LIVE}; "
            f"border-radius: {theme.RADIUS}px; }}"
        )
        self.name = basics.name_label("", "big")
        self.where = basics.label("", "big")
        self.count = basics.label("", "soft")
        self.slip = Slip()

        self.slip.setFixedWidth(190)
        self.back = basics.button(
            tr("Back"), lambda: self.step(-1), tip=tr("The fixture before (Page up)")
        )

        self.next = basics.button(
            tr("Next"),
            lambda: self.step(1),
            "main",
            tip=tr("The next fixture (Page down)"),
        )

        self.learn = basics.tool(
            "link", tr("Have a controller step on and back"), self._learn
        )

        self.stop = basics.button(
            tr("End"), self.end, "quiet", tip=tr("End the walk (Esc)")
        )

        line = flow(
            self.name,
            self.where,
            self.slip,
            1,
            self.count,
            self.back,
            self.next,
            self.learn,
            self.stop,
            spacing=12,
        )

        basics.stack(self, line).setContentsMargins(14, 8, 10, 8)
        self._again = QTimer(self, interval=int(1000 * BLINK * 0.7))
        self._again.timeout.connect(self._blink)
        parts.engine.control_moved.connect(self._control)

        parts.document.show_changed.connect(lambda _: self._show_changed())
        self.hide()

    @property
    def walking(self) -> bool:
        """Whether a walk is under way."""
        return bool(self.order)

    def start(self) -> None:
        """Begin: through the chosen where there are several, else through all, by
        universe and address.
        """
        show = self.parts.document.show
        ids = (
            self.parts.selection.chosen
            if len(self.parts.selection.chosen) > 1
            else tuple(show.fixtures)
        )

        self.order = sorted(
            ids, key=lambda i: (show.fixtures[i].universe, show.fixtures[i].address)
        )

        if len(self.parts.selection.chosen) > 1:
            self.order = list(self.parts.selection.chosen)

        self.index = 0
        if self.order:
            self.show()
            self.next.setFocus()  # wherever the hands were, its keys work from now on
            self._again.start()
            self.show_fixture()

    def step(self, by: int) -> None:
        """Go on or back; past an end it goes on at the other."""
        if self.order:
            self.index = (self.index + by) % len(self.order)
            self.show_fixture()

    def end(self) -> None:
        """Lamps stop blinking."""
        if self.order:
            self.order = []
            self._again.stop()
            self.parts.engine.blink(())
            self.hide()

    def show_fixture(self) -> None:
        """Show the fixture in hand, and have it blink."""
        fixture = self.parts.document.show.fixtures[self.order[self.index]]
        self.parts.selection.choose([fixture.id])
        self.name.setText(fixture.name)
        self.where.setText(
            tr(
                "{universe} · {address:03d}",
                universe=fixture.universe,
                address=fixture.address,
            )
        )

        self.count.setText(
            tr("{index} of {n}", index=self.index + 1, n=len(self.order))
        )

        self.slip.show_address(fixture.address, fixture.mode)
        self._blink()

    def _blink(self) -> None:
        if self.order:
            self.parts.engine.blink([self.order[self.index]], BLINK)

    def _show_changed(self) -> None:
        if not self.order:
            return
        self.order = [i for i in self.order if i in self.parts.document.show.fixtures]
        self.index = min(self.index, len(self.order) - 1)
        if self.order:
            self.show_fixture()
        else:
            self.order = ["-"]
            self.end()

    # the controller

    def _control(self, moved: ControlMoved) -> None:
        if not self.order or moved.value <= 0:
            return
        for tied in self.parts.document.show.inputs.values():
            if tied.control == moved.control and tied.target in TARGETS:
                self.step(TARGETS[tied.target])

    def _learn(self) -> None:
        if self.learner is None:
            return
        learner = self.learner
        menu = Menu(self)
        menu.addAction(tr("Learn: next fixture"), lambda: learner.start(NEXT))
        menu.addAction(tr("Learn: fixture before"), lambda: learner.start(BACK))
        tied = any(
            m.target in TARGETS for m in self.parts.document.show.inputs.values()
        )
        menu.addAction(tr("Forget both"), self._forget).setEnabled(tied)
        menu.exec(self.learn.mapToGlobal(self.learn.rect().bottomLeft()))

    def _forget(self) -> None:
        show = self.parts.document.show
        for target in TARGETS:
            show = unlearn(show, target)
        self.parts.document.edit(tr("unlearn the walk"), show)
