"""What can be dragged from one place to another."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtWidgets import QAbstractButton

from choreon.ui.widgets import basics

SCENE = "application/x-choreon-scene"
LINGER = 350  # milliseconds over a button until it is pressed


def carry_scene(scene_id: str) -> QMimeData:
    """A scene to be dragged."""
    data = QMimeData()
    data.setData(SCENE, scene_id.encode())
    return data


def carried_scene(data: QMimeData) -> str:
    """The id of the scene that is dragged; empty where it is something else."""
    return bytes(data.data(SCENE).data()).decode() if data.hasFormat(SCENE) else ""


class OpensUnder(QObject):
    """Presses a button when a scene is held over it, so that a drag gets to where the
    button leads.
    """

    def __init__(self, button: QAbstractButton, act: Callable[[], object]) -> None:
        super().__init__(button)
        self._soon = basics.once(self, LINGER, act)
        button.setAcceptDrops(True)
        button.installEventFilter(self)

    def eventFilter(self, watched, event) -> bool:
        kind = event.type()
        if kind == QEvent.Type.DragEnter and carried_scene(event.mimeData()):
            event.acceptProposedAction()
            self._soon.start()
            return True
        if kind in (QEvent.Type.DragLeave, QEvent.Type.Drop):
            self._soon.stop()
            return True
        return False
