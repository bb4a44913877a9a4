"""From a thread back to the window: what was worked out beside it arrives in its own
thread, or nowhere where whoever asked has gone meanwhile.

A thread must not emit a signal of a view: the view may be taken apart at that very
moment. So there is one relay, which is never taken apart.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal


class _Relay(QObject):
    arrived = Signal(object, object, object)

    def __init__(self) -> None:
        super().__init__()
        self.arrived.connect(self._hand_on, Qt.ConnectionType.QueuedConnection)

    def _hand_on(
        self, owner: QObject, then: Callable[[Any], None], result: object
    ) -> None:
        if shiboken6.isValid(owner):
            then(result)


_relay: _Relay | None = None


def post(owner: QObject, then: Callable[[Any], None]) -> Callable[[object], None]:
    """Returns what a thread calls with its result: `then` gets it in the window's
    thread, as long as `owner` is still there. To be asked for in the window's thread.
    """
    global _relay
    if _relay is None:
        _relay = _Relay()
    relay = _relay
    return lambda result: relay.arrived.emit(owner, then, result)
