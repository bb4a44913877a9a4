"""What is wrong with the show, told by a sign in the heading; pressing it lists the
lines, and each leads to its place.
"""

from __future__ import annotations

import threading
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from choreon.language import plural, sentences, tr
from choreon.model.checks import check
from choreon.model.problem import Problem
from choreon.model.show import Show
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics, beside
from choreon.ui.widgets.menu import Menu

SOON = 400  # milliseconds after an edit until the show is looked through again
MOST = 20  # lines that are listed

OWN_TYPES = "own-types"


class Troubles(QPushButton):
    """Only there when something is wrong. A large show takes a fifth of a second to
    look through, so that is done in a thread beside the window.
    """

    wanted = Signal(str)  # the path of a problem, to be led to

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.problems: list[Problem] = []
        self._looked_at: Show | None = None
        self._busy = False
        self.setProperty("kind", "quiet")
        self.setStyleSheet(f"QPushButton {{ color: {theme.ALARM}; }}")
        self.clicked.connect(self.open_list)
        self.hide()
        self._soon = basics.once(self, SOON, self._look)
        parts.document.show_changed.connect(self._soon.start)
        parts.document.types_changed.connect(self._tell)
        self._soon.start()

    def _look(self) -> None:
        """Look through the show as it is now, one look at a time."""
        show = self.parts.document.show
        if self._busy or show is self._looked_at:
            return
        self._busy = True
        hand_over = beside.post(self, self._take)
        threading.Thread(
            target=lambda: hand_over((show, check(show))), name="check", daemon=True
        ).start()

    def _take(self, found: tuple[Show, list[Problem]]) -> None:
        show, problems = found
        self._busy, self._looked_at, self.problems = False, show, problems
        self._tell()
        self._look()  # the show may have changed meanwhile

    def lines(self) -> list[Problem]:
        """Returns all that is wrong, errors first."""
        unread = self.parts.document.types_trouble
        own = [Problem(OWN_TYPES, text) for text in unread]
        return sorted([*own, *self.problems], key=lambda p: p.level != "error")

    def _tell(self) -> None:
        count = len(self.lines())
        self.setVisible(bool(count))
        self.setText(f"▲ {count}")
        text = plural(
            count,
            "{n} thing to look at in this show",
            "{n} things to look at in this show",
        )
        advice = tr("Press to see what, and to go there.")
        self.setToolTip(sentences(tr("{text}.", text=text), advice))
        self.setAccessibleName(text)

    def open_list(self) -> None:
        """List what is wrong; a line leads to its place."""
        menu = Menu(self)
        lines = self.lines()
        for problem in lines[:MOST]:
            text = problem.text[:1].upper() + problem.text[1:]
            menu.addAction(f"▲ {text}", partial(self.wanted.emit, problem.path))
        if len(lines) > MOST:
            menu.addAction(
                plural(len(lines) - MOST, "and {n} more", "and {n} more")
            ).setEnabled(False)
        menu.exec(self.mapToGlobal(self.rect().bottomLeft()))
