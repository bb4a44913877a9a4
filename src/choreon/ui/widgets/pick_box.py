"""A box to pick one of several from, which is filled anew without losing what is
picked.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Generic, TypeVar

from PySide6.QtWidgets import QComboBox, QSizePolicy

Value = TypeVar("Value")


class PickBox(QComboBox, Generic[Value]):
    """Texts, each of which stands for a value. It takes the width that it is given."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.entries: list[tuple[str, Value]] = []
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    @property
    def value(self) -> Value | None:
        """What is picked; None where there is nothing."""
        index = self.currentIndex()
        return self.entries[index][1] if 0 <= index < len(self.entries) else None

    def fill(self, entries: Sequence[tuple[str, Value]]) -> None:
        """Offer these; what is picked stays so, or the first is. It tells nothing."""
        if list(entries) == self.entries:
            return
        before, had = self.value, bool(self.entries)
        self.entries = list(entries)

        self.blockSignals(True)
        self.clear()
        self.addItems([text for text, _ in entries])
        same = [n for n, (_, value) in enumerate(entries) if had and value == before]
        self.setCurrentIndex(same[0] if same else 0)
        self.blockSignals(False)

    def pick(self, value: Value) -> None:
        """Pick what stands for a value, if it is there."""
        for n, (_, known) in enumerate(self.entries):
            if known == value:
                self.setCurrentIndex(n)
