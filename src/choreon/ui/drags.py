"""What can be dragged from one place to another."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtGui import QDragEnterEvent
from PySide6.QtWidgets import QAbstractButton

from choreon.model.refs import Ref, parse
from choreon.ui.widgets import basics

REF = "application/x-choreon-ref"
LINGER = 350  # milliseconds over a button until it is pressed


def carry(ref: Ref) -> QMimeData:
    """Returns something that plays, to be dragged."""
    data = QMimeData()
    data.setData(REF, str(ref).encode())
    return data


def carried(data: QMimeData) -> Ref | None:
    """Returns what is dragged; None where it is nothing of ours."""
    if not data.hasFormat(REF):
        return None
    with contextlib.suppress(ValueError):
        return parse(bytes(data.data(REF).data()).decode())
    return None


class OpensUnder(QObject):
    """Presses a button when a scene is held over it, so that a drag gets to where the
    button leads.
    """

    def __init__(self, button: QAbstractButton, act: Callable[[], object]) -> None:
        super().__init__(button)
        self._soon = basics.once(self, LINGER, act)
        button.setAcceptDrops(True)
        button.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """A drag that lingers over the button presses it."""
        kind = event.type()
        if isinstance(event, QDragEnterEvent) and carried(event.mimeData()):
            event.acceptProposedAction()
            self._soon.start()
            return True
        if kind in (QEvent.Type.DragLeave, QEvent.Type.Drop):
            self._soon.stop()
            return True
        return False
