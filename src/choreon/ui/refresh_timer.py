"""How often a view looks at the light: often under a hand, less often at what goes by
itself, seldom while all stands.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

from choreon.ui.gestures import gestures
from choreon.ui.parts import Parts

CALM = 1000  # milliseconds without a change after which all stands
REST = 120  # milliseconds between looks while all stands
SLOWEST = 100  # milliseconds between looks while something moves
# the part of a core that drawing may take: what a hand moves is followed more closely
HAND, ALONE = 0.45, 0.07


class RefreshTimer(QObject):
    """Calls `look`, which tells whether something has changed, between `start` and
    `stop`; at most once in `every` milliseconds. `cost`: seconds that drawing takes.
    """

    def __init__(
        self, parts: Parts, parent: QObject, every: int, look: Callable[[], bool]
    ) -> None:
        super().__init__(parent)
        self.every, self._look = every, look
        self.cost = 0.0
        self._still = 0  # milliseconds without a change
        self._timer = QTimer(self, interval=every)
        self._timer.timeout.connect(self._tick)
        parts.engine.state_changed.connect(lambda _: self.wake())
        parts.preview.changed.connect(self.wake)
        parts.document.show_changed.connect(lambda _: self.wake())

    def start(self) -> None:
        """Look again and again from now on."""
        self._still = 0
        self._timer.start(self.every)

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    def wake(self) -> None:
        """Something will change: look soon."""
        self._still = 0
        if self._timer.isActive() and self._timer.interval() == REST:
            self._timer.start(self.every)

    def _tick(self) -> None:
        self._still = 0 if self._look() else self._still + self._timer.interval()
        wait = self._wait()
        if wait != self._timer.interval():
            self._timer.setInterval(wait)

    def _wait(self) -> int:
        """Milliseconds until the next look."""
        if self._still > CALM:
            return REST
        share = HAND if gestures().now is not None else ALONE
        return min(SLOWEST, max(self.every, int(1000 * self.cost / share)))
