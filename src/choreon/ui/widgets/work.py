"""Long work beside the window: it is done in a thread, told after a moment with how far
it has come, and can be let go.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from choreon.language import tr
from choreon.ui.widgets import basics, beside

PATIENCE = 300  # milliseconds before it is told that something goes on
AGAIN = 500  # milliseconds after which it is told anew how far that is


class Work(QObject):
    """One piece of work at a time. `told(text)` while it lasts, `told("")` when it is
    over.
    """

    told = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._number = 0
        self._then: Callable[[Any], None] | None = None
        self._failed: Callable[[Exception], None] | None = None
        self._text = ""
        self._cancel: Callable[[], None] = lambda: None
        self._far = ""
        self._late = basics.once(self, PATIENCE, self._tell)
        self._again = QTimer(self, interval=AGAIN)
        self._again.timeout.connect(self._tell)

    def _tell(self) -> None:
        self._again.start()
        self.told.emit(
            tr("{text}: {far}", text=self._text, far=self._far)
            if self._far
            else self._text
        )

    def far(self, text: str) -> None:
        """How far it has come, in words. May be called from any thread."""
        self._far = text

    @property
    def busy(self) -> bool:
        """Whether something is under way."""
        return self._then is not None

    def run(
        self,
        text: str,
        act: Callable[[], Any],
        then: Callable[[Any], None],
        failed: Callable[[Exception], None],
        cancel: Callable[[], None] = lambda: None,
    ) -> None:
        """Do `act` in a thread; its result goes to `then`, what it raises to `failed`,
        both in the window's thread.

        Work that is still going on is let go: `cancel` is called, and its result is not
        waited for.
        """
        self.stop()
        self._number += 1
        number, self._then, self._failed, self._text = self._number, then, failed, text
        self._cancel, self._far = cancel, ""
        self._late.start()
        hand_over = beside.post(self, self._take)

        def go() -> None:
            try:
                result, error = act(), None
            except Exception as caught:  # handed over to the one who asked
                result, error = None, caught
            hand_over((number, result, error))

        threading.Thread(target=go, name="work", daemon=True).start()

    def stop(self) -> None:
        """Let the work go; nothing comes of it."""
        self._number += 1
        if self._then is not None:
            self._cancel()
        self._then = self._failed = None
        self._late.stop()
        self._again.stop()
        if self._text:
            self._text = ""
            self.told.emit("")

    def _take(self, found: tuple[int, object, Exception | None]) -> None:
        number, result, error = found
        if number != self._number or self._then is None or self._failed is None:
            return
        then, failed = self._then, self._failed
        self._then = self._failed = None  # it is over, there is nothing to cancel
        self.stop()
        if error is not None:
            failed(error)
        else:
            then(result)
