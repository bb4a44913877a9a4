"""What can be dragged from one place to another."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QMimeData, QObject, QPoint, Qt
from PySide6.QtGui import QDrag, QDragEnterEvent, QMouseEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QWidget

from choreon.model.inputs import Control
from choreon.model.refs import Ref, parse
from choreon.ui.widgets import basics

REF = "application/x-choreon-ref"
LINGER = 350  # milliseconds over a button until it is pressed


def carry(*refs: Ref) -> QMimeData:
    """Returns things of the show, to be dragged."""
    data = QMimeData()
    data.setData(REF, "\n".join(str(ref) for ref in refs).encode())
    return data


def carried(data: QMimeData) -> Ref | None:
    """Returns what is dragged, the first of several; None where it is nothing of
    ours.
    """
    return next(iter(all_carried(data)), None)


def all_carried(data: QMimeData) -> list[Ref]:
    """Returns all that is dragged."""
    if not data.hasFormat(REF):
        return []
    with contextlib.suppress(ValueError):
        lines = bytes(data.data(REF).data()).decode().split("\n")
        return [parse(line) for line in lines]
    return []


TILES = "application/x-choreon-tiles"


def carry_tiles(refs: Sequence[Ref], way: str, of: Ref | None) -> QMimeData:
    """Returns things that each become a tile, to be dragged onto a page: as what, and
    of which group. Where it is no page, they are those things.
    """
    data = carry(*refs)
    told = {"refs": [str(ref) for ref in refs], "way": way, "of": str(of or "")}
    data.setData(TILES, json.dumps(told).encode())
    return data


def carried_tiles(data: QMimeData) -> tuple[list[Ref], str, Ref | None] | None:
    """Returns what becomes tiles, as what, and of which group; None where something
    else is dragged.
    """
    if not data.hasFormat(TILES):
        return None
    with contextlib.suppress(ValueError, TypeError, KeyError, AttributeError):
        told = json.loads(bytes(data.data(TILES).data()))
        refs = [parse(text) for text in told["refs"]]
        of = parse(told["of"]) if told["of"] else None
        return refs, str(told["way"]), of
    return None


CONTROLS = "application/x-choreon-controls"


def carry_controls(controls: Sequence[Control]) -> QMimeData:
    """Returns controls of a device, to be dragged onto what they shall do."""
    data = QMimeData()
    data.setData(CONTROLS, json.dumps(controls).encode())
    return data


def carried_controls(data: QMimeData) -> list[Control]:
    """Returns the controls that are dragged; none where it is something else."""
    with contextlib.suppress(ValueError, TypeError):
        return [Control(*one) for one in json.loads(bytes(data.data(CONTROLS).data()))]
    return []


class DragsOut(QObject):
    """Lets things be dragged out of a list. `refs_at` gives those at a point of it;
    `outside`: a drag begins only when the pointer leaves the list, which itself does
    something with those that stay in it.
    """

    def __init__(
        self,
        view: QWidget,
        refs_at: Callable[[QPoint], Sequence[Ref]],
        outside: bool = False,
    ) -> None:
        super().__init__(view)
        self._view, self._refs_at, self._outside = view, refs_at, outside
        self._pressed: QPoint | None = None
        self._refs: Sequence[Ref] = ()
        view.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Begin a drag when what was pressed is pulled away."""
        if not isinstance(event, QMouseEvent):
            return False
        point = event.position().toPoint()
        if event.type() == QEvent.Type.MouseButtonPress:
            self._pressed, self._refs = point, self._refs_at(point)
        elif event.type() == QEvent.Type.MouseMove and self._pulled(event):
            refs, self._pressed = self._refs, None
            self.begin(refs)
            return True
        elif event.type() == QEvent.Type.MouseButtonRelease:
            self._pressed = None
        return False

    def _pulled(self, event: QMouseEvent) -> bool:
        left = event.buttons() & Qt.MouseButton.LeftButton
        if self._pressed is None or not self._refs or not left:
            return False
        point = event.position().toPoint()
        if self._outside:
            return not self._view.rect().contains(point)
        away = (point - self._pressed).manhattanLength()
        return away >= QApplication.startDragDistance()

    def begin(self, refs: Sequence[Ref]) -> None:
        """Drag things until they are let go."""
        drag(self._view, carry(*refs))


def drag(view: QWidget, data: QMimeData) -> None:
    """Drag something out of a view until it is let go."""
    made = QDrag(view)
    made.setMimeData(data)
    made.exec(Qt.DropAction.CopyAction)


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
