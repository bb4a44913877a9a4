"""From a thread back to the window: what was worked out beside it arrives in its own
thread, or nowhere where whoever asked has gone meanwhile.

A thread must not emit a signal of a view: the view may be taken apart at that very
moment. So there is one relay, which is never taken apart.

Nor may it be the last to know of a view, or of anything of Qt's: that would be taken
apart in the thread. So what a thread is given knows the view by a weak reference.
"""

from __future__ import annotations

import inspect
import weakref
from collections.abc import Callable
from functools import partial
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Qt, Signal

Then = Callable[[Any], None]
WeakOwner = Callable[[], QObject | None]
WeakThen = Callable[[], Then | None]


class _Relay(QObject):
    arrived = Signal(object, object, object)

    def __init__(self) -> None:
        super().__init__()
        self.arrived.connect(self._hand_on, Qt.ConnectionType.QueuedConnection)

    def _hand_on(self, owner: WeakOwner, then: WeakThen, result: object) -> None:
        known, act = owner(), then()
        if known is not None and act is not None and shiboken6.isValid(known):
            act(result)


_relay: _Relay | None = None


def post(owner: QObject, then: Then) -> Callable[[object], None]:
    """Returns what a thread calls with its result: `then` gets it in the window's
    thread, as long as `owner` is still there. To be asked for in the window's thread.
    """
    global _relay
    if _relay is None:
        _relay = _Relay()
    relay = _relay
    weak_owner: WeakOwner = weakref.ref(owner)
    weak_then = (
        weakref.WeakMethod(then) if inspect.ismethod(then) else partial(_same, then)
    )
    return partial(relay.arrived.emit, weak_owner, weak_then)


def _same(then: Then) -> Then:
    return then
