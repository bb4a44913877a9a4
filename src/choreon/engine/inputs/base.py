"""What all ways in have in common: they turn what devices send into `Do`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable

from choreon.engine.do import Do
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.state import PlayState

Resolve = Callable[[Show, PlayState], list[Do]]
"""What a move asks for. It is called in the frame that shows it, with what is on then:
a fader that is taken over goes on from there."""

Asked = Callable[[list[Ref], Resolve], None]
"""Called by a way in, from its own thread, with what may be started and what is asked.
"""


class Way(ABC):
    """A way in. It calls `asked` when something is moved."""

    def __init__(self, asked: Asked) -> None:
        self._asked = asked

    @abstractmethod
    def follow(self, show: Show, state: PlayState) -> None:
        """Show on the device what is on now. Never blocks."""

    @abstractmethod
    def close(self) -> None:
        """Let the device go."""
