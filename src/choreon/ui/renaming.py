"""Renaming, anywhere: a name that another thing of its kind has gets a number, and that
is told.
"""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog, QWidget

from choreon.language import tr
from choreon.model import edits
from choreon.model.refs import Ref, find, name_of
from choreon.ui.parts import Parts


def rename(parts: Parts, ref: Ref, name: str) -> None:
    """Give a thing another name, as one step."""
    document = parts.document
    thing = find(document.show, ref)
    show = edits.rename(document.show, ref, name)
    if thing is None or show is document.show:
        return
    document.edit(tr("rename {name}", name=thing.name), show)
    tell(parts, name, name_of(show, ref))


def tell(parts: Parts, wanted: str, got: str) -> None:
    """Say what something is called, where its name was in use."""
    wanted = wanted.strip()
    if wanted and got != wanted:
        text = tr(
            "There is a {wanted} already; this one is called {got}.",
            wanted=wanted,
            got=got,
        )
        parts.notices.told.emit(text, "info")


def ask(parent: QWidget, parts: Parts, ref: Ref, title: str) -> None:
    """Ask for another name of a thing."""
    thing = find(parts.document.show, ref)
    if thing is None:
        return
    name, sure = QInputDialog.getText(parent, title, tr("Name"), text=thing.name)
    if sure and name.strip():
        rename(parts, ref, name)
