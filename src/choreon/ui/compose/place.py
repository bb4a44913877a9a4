"""The place Compose: “I see what I do to whom.”"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from choreon.ui.compose.shelf import Shelf
from choreon.ui.compose.what import What
from choreon.ui.compose.who import Who
from choreon.ui.session import Session
from choreon.ui.stage.picture import StagePicture


class ComposePlace(QWidget):
    """Who on the left, the stage, what on the right, the shelf below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.who = Who(session)
        self.stage = StagePicture(session)
        self.what = What(session)
        self.shelf = Shelf(session)
        across = QSplitter(Qt.Orientation.Horizontal)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.stage)
        middle.addWidget(self.shelf)
        middle.setStretchFactor(0, 1)
        middle.setSizes([470, 176])
        middle.setCollapsible(0, False)
        for widget in (self.who, middle, self.what):
            across.addWidget(widget)
        across.setStretchFactor(1, 1)
        across.setSizes([196, 700, 284])
        across.setCollapsible(1, False)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)
        box.addWidget(across)
