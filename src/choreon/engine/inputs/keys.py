"""Keys of the computer's keyboard: the window sees them, and says so."""

from __future__ import annotations

import threading
import time

from choreon.engine.inputs.base import InputDevice, Surroundings, hand_of
from choreon.engine.inputs.feedback import Feedback
from choreon.model.inputs import Control, KeyInput
from choreon.model.inputs.keys import KEYBOARD


class KeysDevice(InputDevice):
    """The keyboard. It has no thread of its own: what it does comes from the window."""

    kind = KeyInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self._thread = threading.Thread(name="keys", daemon=True)  # it never begins

    def show(self, lights: dict[Control, Feedback]) -> None:
        """Keys have no lights; the window shows them on tiles."""

    def window_gone(self) -> None:
        """Nobody says any more when a key that is down goes up."""
        self.layers.forget(KEYBOARD)
        self.around.gone(hand_of(self.kind, KEYBOARD))

    @property
    def thread(self) -> threading.Thread:
        """One that never begins: there is nothing to look after."""
        return self._thread

    @property
    def beat(self) -> float:
        """It cannot hang."""
        return time.monotonic()

    def abandon(self) -> None:
        """There is nothing to give up."""

    def close(self) -> None:
        """There is nothing to let go."""
