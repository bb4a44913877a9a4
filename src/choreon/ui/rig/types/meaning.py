"""What a range means, picked from the GDTF attributes by plain words."""

from __future__ import annotations

from PySide6.QtCore import QStringListModel, Qt, Signal
from PySide6.QtWidgets import QCompleter, QLineEdit, QWidget

from choreon.language import tr
from choreon.model import attributes as at


def said(name: str) -> str:
    """An attribute in plain words, with its name."""
    return (
        tr("{label} · {name}", label=at.attribute(name).label, name=name)
        if name
        else ""
    )


class MeaningField(QLineEdit):
    """Type what it is about (`strobe`, `gobo turn`) and pick; a name that is not in the
    list is kept as it is.
    """

    picked = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.name = ""
        self.setAccessibleName(tr("Meaning"))
        self.setPlaceholderText(tr("Meaning: strobe, pan, gobo…"))
        self.setToolTip(
            tr(
                "Type what it is about and pick; a number after it means the second "
                "wheel, and so on"
            )
        )

        self.offered = QStringListModel([said(a.name) for a in at.find("")])
        completer = QCompleter(self.offered, self)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)

        completer.setMaxVisibleItems(12)
        self.setCompleter(completer)
        self.textEdited.connect(self.look_for)
        completer.activated.connect(self.take)
        self.editingFinished.connect(self.settle)

    def show_name(self, name: str) -> None:
        """Show an attribute."""
        self.name = name
        self.setText(said(name))

    def settle(self) -> None:
        """Take what stands there."""
        self.take(self.text())

    def look_for(self, text: str) -> None:
        """Offer what has some words in its name."""
        self.offered.setStringList([said(a.name) for a in at.find(text)[:60]])

    def take(self, text: str) -> None:
        """Take what was picked, or the best that fits what was typed."""
        name = text.split("·")[-1].strip()
        if not at.known(name):
            found = at.find(text)
            plain = name.replace("_", "").isalnum() and not found
            name = (
                found[0].name
                if found and text.strip()
                else name
                if plain and name
                else self.name
            )

        if name and name != self.name:
            self.show_name(name)
            self.picked.emit(name)
        else:
            self.setText(said(self.name))
