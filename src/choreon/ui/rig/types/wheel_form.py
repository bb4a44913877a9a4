"""A wheel in the type editor: its slots with names, colours and pictures."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QColorDialog, QFileDialog, QLineEdit, QVBoxLayout, QWidget

from choreon.formats.pictures import SLOT_SIZE
from choreon.language import tr
from choreon.model.fixture_type import Slot, Wheel
from choreon.model.type_edits import replace
from choreon.ui import pictures
from choreon.ui.slots import slot_picture
from choreon.ui.widgets import basics
from choreon.ui.widgets.work import Work


class WheelForm(QWidget):
    """`edited` gives the wheel as it is after every change."""

    edited = Signal(Wheel)
    removed = Signal()
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.wheel: Wheel | None = None
        self.work = Work(self)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the wheel"))
        self.name.setToolTip(tr("The wheel's name"))
        self.name.editingFinished.connect(
            lambda: self._put(name=self.name.text().strip() or tr("Wheel"))
        )

        gone = basics.tool("trash", tr("Remove the wheel"), self.removed.emit)
        more = basics.button(tr("Another slot"), self.add, "quiet", "plus")
        self.rows = QVBoxLayout()
        self.rows.setSpacing(4)
        head = basics.row(self.name, gone)
        basics.grow(head, 0)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(head)
        box.addLayout(self.rows)
        box.addWidget(basics.row(more, 1))

    def show_wheel(self, wheel: Wheel) -> None:
        """Show a wheel."""
        if wheel == self.wheel:
            return
        self.wheel = wheel
        self.name.setText(wheel.name)
        basics.clear(self.rows)
        for i, slot in enumerate(wheel.slots):
            self.rows.addWidget(self._row(i, slot))

    def _row(self, i: int, slot: Slot) -> QWidget:
        number = basics.label(str(i), "soft")
        number.setFixedWidth(22)
        name = QLineEdit(slot.name)
        name.setAccessibleName(tr("Name of slot {i}", i=i))
        name.setToolTip(tr("What is in this slot"))
        name.editingFinished.connect(
            lambda: self.change(i, name=name.text().strip() or slot.name)
        )
        colour = basics.tool(
            "compose", tr("Colour of slot {i}", i=i), lambda: self._ask_colour(i)
        )

        swatch = QPixmap(18, 18)
        swatch.fill(QColor(slot.colour or "#00000000"))
        if slot.colour:
            colour.setIcon(QIcon(swatch))
        other = basics.tool(
            "swap",
            tr("Second colour of slot {i}, where it is split", i=i),
            lambda: self._ask_colour(i, "split"),
        )

        if slot.split:
            swatch.fill(QColor(slot.split))
            other.setIcon(QIcon(swatch))

        picture = basics.tool(
            "image", tr("Picture of slot {i}", i=i), lambda: self._ask_picture(i)
        )

        if slot.picture:
            picture.setIcon(QIcon(slot_picture(slot, 24)))
            picture.setIconSize(QSize(24, 24))

        gone = basics.tool("close", tr("Remove slot {i}", i=i), lambda: self.remove(i))
        row = basics.row(number, name, colour, other, picture, gone, spacing=4)
        basics.grow(row, 1)
        return row

    def _put(self, **fields: object) -> None:
        if self.wheel is not None:
            changed = replace(self.wheel, **fields)
            if changed != self.wheel:
                self.edited.emit(changed)

    def change(self, i: int, **fields: object) -> None:
        """Change a slot."""
        if self.wheel is not None:
            slots = tuple(
                replace(s, **fields) if n == i else s
                for n, s in enumerate(self.wheel.slots)
            )
            self._put(slots=slots)

    def add(self) -> None:
        """One more slot."""
        if self.wheel is not None:
            self._put(
                slots=(
                    *self.wheel.slots,
                    Slot(
                        name=tr("Slot {n}", n=len(self.wheel.slots)), colour="#FFFFFF"
                    ),
                )
            )

    def remove(self, i: int) -> None:
        """Without a slot."""
        if self.wheel is not None and len(self.wheel.slots) > 1:
            self._put(slots=tuple(s for n, s in enumerate(self.wheel.slots) if n != i))

    def _ask_colour(self, i: int, half: str = "colour") -> None:
        """Ask for a slot's colour, or for that of its other half; the same one twice
        makes it whole again.
        """
        if self.wheel is not None:
            slot = self.wheel.slots[i]
            colour = QColorDialog.getColor(
                QColor(getattr(slot, half) or slot.colour or "#FFFFFF"), self, slot.name
            )
            if colour.isValid():
                found = colour.name().upper()
                self.change(
                    i,
                    **{half: "" if half == "split" and found == slot.colour else found},
                )

    def _ask_picture(self, i: int) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("Picture: white where light passes"),
            "",
            pictures.KINDS,
        )
        if name:
            self.take_picture(i, Path(name))

    def take_picture(self, i: int, path: Path) -> None:
        """Give a slot a picture from a file."""
        pictures.read(
            self.work,
            path,
            SLOT_SIZE,
            lambda data: self.change(i, picture=data),
            self.refused.emit,
        )
