"""The place Rig: “that is my room, and I know what to set on every lamp.”"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from choreon.ui.rig.hang import HangPanel
from choreon.ui.rig.in_hand import InHand
from choreon.ui.rig.plan import Plan
from choreon.ui.rig.ribbon import RibbonPanel
from choreon.ui.session import Session


class RigPlace(QWidget):
    """Types on the left, the plan, the fixture in hand on the right, the addresses below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.hang = HangPanel(session)
        self.plan = Plan(session)
        self.in_hand = InHand(session)
        self.ribbon = RibbonPanel(session)
        self.hang.planned.connect(self.ribbon.show_ghost)
        self.hang.planned.connect(self.plan.show_ghost)
        self.ribbon.universe_changed.connect(self.hang.set_universe)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.plan)
        middle.addWidget(self.ribbon)
        middle.setStretchFactor(0, 1)
        middle.setSizes([500, 180])
        across = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.hang, middle, self.in_hand):
            across.addWidget(widget)
        across.setStretchFactor(1, 1)
        across.setSizes([274, 656, 250])
        for i in range(3):
            across.setCollapsible(i, False)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)
        box.addWidget(across)
