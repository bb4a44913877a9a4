"""What all inputs have in common, and what the model must know of each kind."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, NamedTuple

import msgspec

from choreon.model.refs import Ref


class Control(NamedTuple):
    """A control of an input: the kind of input, the device, and what the kind calls the
    control there.
    """

    kind: str
    device: str
    name: str


class Input(msgspec.Struct, frozen=True, kw_only=True, tag_field="kind"):
    """A control that is tied to something. `target` is what it acts on."""

    kind: ClassVar[str] = ""

    id: str
    target: Ref

    @property
    @abstractmethod
    def control(self) -> Control:
        """What tells this control from others."""


def _never(name: str) -> bool:
    return False


@dataclass(frozen=True)
class InputKind:
    """What the model must know of one kind.

    `tied`: an input of an id that ties a control to a target; it raises ValueError for
    a name that no control of the kind has. `is_key`: whether a control, by its name, is
    pressed and let go rather than moved. `called`: what a control is called where
    nothing is known of its device.
    """

    title: str
    type: type[Input]
    tied: Callable[[str, Ref, Control], Any]
    called: Callable[[str], str]
    is_key: Callable[[str], bool] = _never
