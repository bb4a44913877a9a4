"""The fixture types to hang from: searched as one types, the recently used first,
dragged out to hang.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, QSize, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QWidget

from choreon.language import facts, in_a_row, tr
from choreon.library import library, own
from choreon.model.fixture_type import FixtureType
from choreon.terms import term
from choreon.ui.rig import bodies

ID = Qt.ItemDataRole.UserRole
MIME = "application/x-choreon-type"


def searched(
    kinds: dict[str, FixtureType], text: str, recent: list[str]
) -> list[FixtureType]:
    """Returns the types whose maker, name, kind or channel count holds every word; a
    number may mean a footprint.

    Names that hold the words come before kinds and counts, and of those alike the
    recently used come first.
    """
    wanted = text.lower().split()
    used = {type_id: place for place, type_id in enumerate(recent)}
    found = []
    for kind in kinds.values():
        rank = _rank(kind, wanted)
        if rank is not None:
            found.append((rank, used.get(kind.id, len(used)), kind))
    return [kind for *_, kind in sorted(found, key=lambda place: place[:2])]


def _rank(kind: FixtureType, wanted: list[str]) -> int | None:
    """How well a type fits words, 0 the best; None where it does not."""
    label = kind.label.lower()
    words = f"{label} {kind.kind} {term(kind.kind)}".lower()
    sizes = {str(mode.footprint) for mode in kind.modes}
    sizes |= {f"{size}ch" for size in sizes}
    if all(word in label for word in wanted):
        return 0
    if all(word in words for word in wanted):
        return 1
    return 2 if all(word in words or word in sizes for word in wanted) else None


class TypeList(QListWidget):
    """The types that were found."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Fixture types"))
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setIconSize(QSize(22, 22))
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setToolTip(tr("Choose one, or drag it onto the plan or onto an address"))

    def fill(self, kinds: list[FixtureType], recent: set[str], chosen: str) -> None:
        """Show types; those of the user's own, and the recently used, say so."""
        self.clear()
        shipped = library()
        for kind in kinds:
            own = kind.id not in shipped or shipped[kind.id] != kind
            name = facts(kind.label, tr("own")) if own else kind.label
            item = QListWidgetItem(bodies.icon(kind.body), name)
            item.setData(ID, kind.id)
            modes = in_a_row(f"{m.name} ({m.footprint})" for m in kind.modes)
            lines = [
                tr("{label}, {kind}", label=kind.label, kind=term(kind.kind)),
                modes,
            ]
            if kind.id in recent:
                lines.append(tr("Used recently"))
            item.setToolTip("\n".join(lines))
            self.addItem(item)
            if kind.id == chosen:
                self.setCurrentItem(item)

        if self.currentItem() is not None:
            self.scrollToItem(self.currentItem())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What is told of a type takes room below; the chosen one stays in sight."""
        super().resizeEvent(event)
        if self.currentItem() is not None:
            self.scrollToItem(self.currentItem())

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        """A type that is dragged, by its id."""
        data = QMimeData()
        data.setData(MIME, items[0].data(ID).encode() if items else b"")
        return data


class TakesTypes(QWidget):
    """A widget that a dragged type may be dropped on."""

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A type may be dropped here."""
        if dropped(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """A type may be dropped here."""
        if dropped(event.mimeData()):
            event.acceptProposedAction()


def dropped(mime: QMimeData) -> str:
    """The id of the type that is dragged; empty where it is something else."""
    return bytes(mime.data(MIME).data()).decode() if mime.hasFormat(MIME) else ""


def recently() -> list[str]:
    """Returns the ids of the types that were hung last."""
    return own.recent()
