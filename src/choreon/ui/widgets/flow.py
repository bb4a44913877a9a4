"""Widgets side by side that go on in a second line where the first is full."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import (
    QLayout,
    QLayoutItem,
    QSizePolicy,
    QSpacerItem,
    QWidget,
)

NARROW = 110  # pixels that a field which grows is content with


@dataclass
class _FlowLine:
    """What stands in one line, each with its width, and how high it is."""

    items: list[tuple[QLayoutItem, int]]
    width: int = 0
    height: int = 0


class FlowLayout(QLayout):
    """Lines of widgets. What is left of a line goes to its springs, else to the fields
    that grow.
    """

    def __init__(self, parent: QWidget | None = None, spacing: int = 8) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(spacing)

    def spring(self) -> None:
        """Have what follows stand at the end of its line."""
        free, least = QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum
        self.addItem(QSpacerItem(0, 0, free, least))

    # what Qt asks of a layout

    def addItem(self, item: QLayoutItem) -> None:
        """Add one at the end."""
        self._items.append(item)

    def count(self) -> int:
        """How many there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem:
        """One of them; none where there is none."""
        inside = 0 <= index < len(self._items)
        return self._items[index] if inside else None  # type: ignore[return-value]

    def takeAt(self, index: int) -> QLayoutItem:
        """Take one out."""
        inside = 0 <= index < len(self._items)
        return self._items.pop(index) if inside else None  # type: ignore[return-value]

    def expandingDirections(self) -> Qt.Orientation:
        """It takes the width that it is given, and no more height than it needs."""
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        """Fewer pixels across are more lines."""
        return True

    def heightForWidth(self, width: int) -> int:
        """How high it is then."""
        lines = self._lines(width)
        gaps = self.spacing() * max(0, len(lines) - 1)
        return sum(line.height for line in lines) + gaps

    def minimumSize(self) -> QSize:
        """The largest of what it holds."""
        there = [item for item in self._items if not item.isEmpty()]
        wide = max((_least(item) for item in there), default=0)
        high = max((item.sizeHint().height() for item in there), default=0)
        return QSize(wide, high)

    def sizeHint(self) -> QSize:
        """All in one line."""
        there = [item for item in self._items if not item.isEmpty()]
        gaps = self.spacing() * max(0, len(there) - 1)
        wide = sum(item.sizeHint().width() for item in there) + gaps
        return QSize(wide, self.minimumSize().height())

    def setGeometry(self, rect: QRect) -> None:
        """Put all into their places."""
        super().setGeometry(rect)
        y = rect.top()
        lines = self._lines(rect.width())
        if len(lines) == 1:  # alone it stands in the middle of the height
            y += max(0, (rect.height() - lines[0].height) // 2)
        for line in lines:
            self._lay(line, QPoint(rect.left(), y), rect.width())
            y += line.height + self.spacing()

    # lines

    def _lines(self, width: int) -> list[_FlowLine]:
        lines = [_FlowLine([])]
        for item in self._items:
            is_spring = item.spacerItem() is not None
            if item.isEmpty() and not is_spring:
                continue

            line = lines[-1]
            wide = 0 if is_spring else min(_usual(item), width)
            gap = self.spacing() if line.width and not is_spring else 0

            if line.width and line.width + gap + wide > width:
                line = _FlowLine([])
                lines.append(line)
                gap = 0

            line.items.append((item, wide))
            line.width += gap + wide
            line.height = max(line.height, _height(item, wide))

        return lines

    def _lay(self, line: _FlowLine, at: QPoint, width: int) -> None:
        widths = self._widths(line, width - line.width)
        x, first = at.x(), True

        for (item, _), own in zip(line.items, widths, strict=True):
            if item.spacerItem() is not None:
                x += own
                continue

            if not first:
                x += self.spacing()

            high = min(_height(item, own), line.height)
            top = at.y() + (line.height - high) // 2
            item.setGeometry(QRect(x, top, own, high))
            x, first = x + own, False

    def _widths(self, line: _FlowLine, left: int) -> list[int]:
        """How wide each item of a line is, with what is left of it: fields that grow
        come to what they would like first, the rest is the springs'; where there are
        none, it is the fields'.
        """
        widths = [wide for _, wide in line.items]
        places = range(len(widths))
        growing = [n for n in places if _grows(line.items[n][0])]
        springs = [n for n in places if line.items[n][0].spacerItem() is not None]

        for n in growing:
            item = line.items[n][0]
            usual = min(item.sizeHint().width(), item.maximumSize().width())
            wanted = usual - widths[n]
            more = max(0, min(wanted, left))
            widths[n], left = widths[n] + more, left - more

        takers = springs or growing
        for n in takers if left > 0 else ():
            most = line.items[n][0].maximumSize().width()
            widths[n] = max(widths[n], min(most, widths[n] + left // len(takers)))

        return widths


def _height(item: QLayoutItem, width: int) -> int:
    high = item.sizeHint().height()
    return max(high, item.heightForWidth(width)) if item.hasHeightForWidth() else high


def _grows(item: QLayoutItem) -> bool:
    if item.spacerItem() is not None:
        return False
    return bool(item.expandingDirections() & Qt.Orientation.Horizontal)


def _least(item: QLayoutItem) -> int:
    return item.minimumSize().width()


def _usual(item: QLayoutItem) -> int:
    """How wide one is where there is just enough room."""
    hint = item.sizeHint().width()
    if _grows(item):
        return max(_least(item), min(hint, NARROW))
    return max(_least(item), min(hint, item.maximumSize().width()))


def flow(*widgets: QWidget | int, spacing: int = 8) -> QWidget:
    """Widgets side by side, in as many lines as they need; a number is a spring."""
    made = QWidget()
    box = FlowLayout(made, spacing)
    for widget in widgets:
        if isinstance(widget, int):
            box.spring()
        else:
            box.addWidget(widget)

    policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    policy.setHeightForWidth(True)
    made.setSizePolicy(policy)
    return made
