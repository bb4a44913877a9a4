"""What stands above the plan as long as a show is young: ways to begin where nothing
hangs, and groups that suggest themselves where fixtures hang and no group is there.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame

from choreon.language import capital, in_a_row, plural, tr
from choreon.model.arrange import By, suggested_groups
from choreon.model.show import Show
from choreon.ui.grouping import keep_groups
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow

ROOMY = 480  # pixels of width for words beside the buttons
FEW = 3  # names of groups that a button tells

WAYS = {
    By.KIND: tr("By kind"),
    By.BAR: tr("By bar"),
    By.SIDE: tr("By side"),
}


class BeginBar(QFrame):
    """Goes by itself when there is something, and groups of it."""

    evening_wanted = Signal()
    sample_wanted = Signal()
    open_wanted = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._closed = False
        """Whether groups are not to be offered any more."""
        self._begun = False
        """Whether the first of the groups were made here: others are offered yet."""

        self.setProperty("panel", "true")
        self.title = basics.label("", "heading")
        self.text = basics.label("", "soft", wrap=True)

        self._make_ways()
        self._make_groupings()
        head = basics.row(self.title, 1, self.close_it)
        begin = flow(self.evening, self.sample, self.open, spacing=6)
        self.groups = flow(*self.groupings.values(), spacing=6)
        self.begin = begin
        basics.stack(self, head, self.text, begin, self.groups, margins=12, spacing=6)

        parts.document.show_changed.connect(self._fill)
        self._fill(parts.document.show)

    def _make_ways(self) -> None:
        """Ways to begin."""
        self.evening = basics.button(
            tr("The first evening, in five steps"),
            self.evening_wanted.emit,
            "main",
            "walk",
            tr("From the first fixture to a tile that plays, step by step"),
        )
        self.sample = basics.button(
            tr("The sample show…"),
            self.sample_wanted.emit,
            "",
            "lamp",
            tr("A small room, its rig, and what plays in it"),
        )
        self.open = basics.button(
            tr("Open a show…"),
            self.open_wanted.emit,
            "",
            "folder",
            tr("A show that was opened of late, or a file (Ctrl+O)"),
        )

    def _make_groupings(self) -> None:
        """Ways to make groups of what hangs."""
        self.groupings = {
            by: basics.button(text, partial(self._group, by), "", "groups")
            for by, text in WAYS.items()
        }
        self.close_it = basics.tool(
            "close", tr("Not now: the groups’ button makes them too"), self._close
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Buttons that need another line get it, however low the place is; where that
        is narrow, what they are for goes without saying.
        """
        super().resizeEvent(event)
        self.text.setVisible(self.width() >= ROOMY)
        self._grow()

    def _grow(self) -> None:
        layout = self.layout()
        if layout is not None:
            self.setMinimumHeight(layout.heightForWidth(self.width()))

    def _fill(self, show: Show) -> None:
        """Say what can be done now, or be gone."""
        hangs = bool(show.fixtures)
        offered = self._offered(show) if hangs else {}
        self.setVisible(not hangs or bool(offered))

        self.begin.setVisible(not hangs)
        self.groups.setVisible(hangs)
        self.close_it.setVisible(hangs)
        if not hangs:
            self._closed = False
            self.title.setText(tr("How to begin"))
            self.text.setText(
                tr(
                    "Be led from the first fixture to a tile that plays, look around "
                    "in a show that is ready, or open yours. Or hang what you have."
                )
            )
            self._grow()
            return

        self.title.setText(self._count(show))
        self.text.setText(
            tr("Groups are chosen by one press, and tiles play them. Make them:")
        )
        for by, button in self.groupings.items():
            names = offered.get(by, [])
            button.setVisible(bool(names))
            button.setToolTip(capital(in_a_row(names[:FEW])))
        self._grow()

    def _offered(self, show: Show) -> dict[By, list[str]]:
        """The names of the groups that each way would make; none where there are
        groups.
        """
        if self._closed or (show.groups and not self._begun):
            return {}
        found = {by: [n for n, _ in suggested_groups(show, by)] for by in By}
        return {by: names for by, names in found.items() if names}

    def _count(self, show: Show) -> str:
        """How many hang, and how many groups there are."""
        fixtures, groups = len(show.fixtures), len(show.groups)
        hang = plural(fixtures, "{n} fixture", "{n} fixtures")
        if not groups:
            return tr("{fixtures}, no groups yet", fixtures=hang)
        made = plural(groups, "{n} group", "{n} groups")
        return tr("{fixtures}, {groups}", fixtures=hang, groups=made)

    def _group(self, by: By) -> None:
        self._begun = True
        keep_groups(self.parts, suggested_groups(self.parts.document.show, by))

    def _close(self) -> None:
        self._closed = True
        self._fill(self.parts.document.show)
