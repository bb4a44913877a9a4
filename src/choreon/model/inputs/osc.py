"""Controls that speak OSC, and whether any is listened to."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.numbers import Count
from choreon.model.refs import Ref

PORT = 8765
OSC_DEVICE = "OSC"
TO_PAGE = "turn "
"""What the window is told by, before a page's id, that is to turn to it."""


class OscSettings(msgspec.Struct, frozen=True, omit_defaults=True):
    """`on`: whether anything is listened to. `port`: the UDP port. `allow`: addresses
    of those who are heard; none but this machine where it is empty. `reply`: the port
    on which they are told what is on; 0: the one that they sent from.
    """

    on: bool = False
    port: Count = PORT
    allow: tuple[str, ...] = ()
    reply: Count = 0

    def hears(self, host: str) -> bool:
        """Returns whether somebody is heard."""
        return host == "127.0.0.1" if not self.allow else host in self.allow


class OscInput(Input, frozen=True, kw_only=True, tag="osc", omit_defaults=True):
    """A control that sends to an address of its own."""

    kind: ClassVar[str] = "osc"

    address: str

    @property
    def control(self) -> Control:
        """What tells this control from others."""
        return osc_control(self.address)


def osc_control(address: str) -> Control:
    """Returns the control that sends to an address."""
    return Control(OscInput.kind, OSC_DEVICE, address)


def _tied(input_id: str, target: Ref, control: Control) -> OscInput:
    if not control.name.startswith("/"):
        raise ValueError(tr("“{name}” is no address of OSC", name=control.name))
    return OscInput(id=input_id, target=target, address=control.name)


def _called(name: str) -> str:
    return name


OSC = InputKind("OSC", OscInput, _tied, _called)
