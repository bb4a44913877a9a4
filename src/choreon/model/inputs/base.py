"""What all inputs have in common, and what the model must know of each kind."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, ClassVar, NamedTuple

import msgspec

from choreon.model.inputs.answer import Answer
from choreon.model.refs import Ref
from choreon.model.verbs import Verb


class Control(NamedTuple):
    """A control of an input: the kind of input, the device, and what the kind calls the
    control there.
    """

    kind: str
    device: str
    name: str


class Coding(StrEnum):
    """How a control says where it is: by a place between two ends, or, as dials without
    an end do, by how far it was turned.
    """

    PLACE = "place"
    TWOS = "twos"
    """1, 2 … one way; 127, 126 … the other."""
    MIDDLE = "middle"
    """65, 66 … one way; 63, 62 … the other."""
    SIGNED = "signed"
    """1, 2 … one way; 65, 66 … the other."""

    def steps(self, data: int) -> int:
        """Returns how far a dial without an end was turned, in its own steps, by what
        it sent, 0…127.
        """
        if self == Coding.TWOS:
            return data if data < 64 else data - 128
        if self == Coding.MIDDLE:
            return data - 64
        return data if data < 64 else 64 - data


class Input(
    msgspec.Struct, frozen=True, kw_only=True, tag_field="kind", omit_defaults=True
):
    """A control that is tied to something. `target` is what it acts on.

    `does`: what is asked of that; none for what lies nearest. `answer`: what its way
    from end to end does. `coding`: how it says where it is. `toggles`: a key that is
    pressed once for on and once for off, by itself. `page`: it does so while that page
    is in front alone. `shift`: while the control of that name is held down, alone.
    """

    kind: ClassVar[str] = ""

    id: str
    target: Ref
    does: Verb | None = None
    answer: Answer = Answer()
    coding: Coding = Coding.PLACE
    toggles: bool = False
    page: str = ""
    shift: str = ""

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
