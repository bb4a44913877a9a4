"""What all ways in have in common: they turn what devices send into `Do`."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable

from choreon.engine.do import Do
from choreon.model.show import Show
from choreon.render.state import PlayState

Resolve = Callable[[Show, PlayState], list[Do]]
"""What a move asks for. It is called in the frame that shows it, with what is on then:
a fader that is taken over goes on from there."""

Asked = Callable[[list[Do], Resolve, str], None]
"""Called by a way in, from its own thread, with what may be started, what is asked, and
which hand asks.
"""


class InputDevice(ABC):
    """A way in. It calls `asked` when something is moved."""

    def __init__(self, asked: Asked) -> None:
        self._asked = asked
        self.learning = False
        """While a control is to be learnt, what it does is only told."""

    @abstractmethod
    def follow(self, show: Show, state: PlayState) -> None:
        """Show on the device what is on now. Never blocks."""

    @property
    @abstractmethod
    def thread(self) -> threading.Thread:
        """What listens to the device."""

    @property
    @abstractmethod
    def beat(self) -> float:
        """When that thread last came round, monotonic seconds."""

    @abstractmethod
    def abandon(self) -> None:
        """Give the thread up, which hangs. Never blocks."""

    @abstractmethod
    def close(self) -> None:
        """Let the device go."""
