"""Asks which groups stand in the place of others in a copy."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QFormLayout, QWidget

from choreon.language import tr
from choreon.model.refs import GROUP, Ref, name_of
from choreon.model.show import Show
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.pick_box import PickBox

LEAST = 180  # pixels of a group's name


class GroupDialog(Dialog):
    """For each group of what is copied, the one that stands in its place."""

    def __init__(
        self, show: Show, groups: Sequence[Ref], title: str, parent: QWidget | None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setMinimumWidth(420)
        self.boxes: dict[Ref, PickBox[Ref]] = {}

        form = QFormLayout()
        form.setHorizontalSpacing(20)
        form.setVerticalSpacing(10)
        others = [Ref(GROUP, group) for group in show.groups]
        for ref in groups:
            name = name_of(show, ref)
            box: PickBox[Ref] = PickBox(
                tr("In the place of {name}", name=name),
                tr("The group that the copy has in its place"),
            )
            box.fill([(name_of(show, other), other) for other in others])
            box.pick(ref)
            box.setMinimumWidth(LEAST)
            box.currentIndexChanged.connect(lambda _: self._look())
            form.addRow(basics.name_label(tr("{name} becomes", name=name)), box)
            self.boxes[ref] = box

        inside = QWidget()
        inside.setLayout(form)
        hint = tr(
            "What is copied plays the other group: its level, and the palettes that it "
            "can take. What it cannot do is left out."
        )
        self.go = basics.button(tr("Copy"), self.accept, "main")
        cancel = basics.button(tr("Cancel"), self.reject, "quiet")
        basics.stack(
            self,
            basics.label(hint, "soft", wrap=True),
            self.scrolled(inside),
            basics.row(1, cancel, self.go),
            margins=20,
            spacing=14,
        )
        self._look()

    def groups(self) -> dict[Ref, Ref]:
        """Returns the groups that stand in the places of others."""
        picked = {ref: box.value for ref, box in self.boxes.items()}
        return {
            ref: other
            for ref, other in picked.items()
            if other is not None and other != ref
        }

    def _look(self) -> None:
        self.go.setEnabled(bool(self.groups()))
