"""DMX that comes in: another desk's universe, as controls, or laid over one of ours."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

import msgspec

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.numbers import Count
from choreon.model.refs import Ref


class Merge(StrEnum):
    """What a desk's universe does to ours."""

    CONTROLS = "controls"
    """Nothing: its slots are controls, as faders are."""
    WHOLE = "whole"
    """It is sent in the place of ours."""
    HIGHEST = "highest"
    """Of levels the higher counts; all else is ours."""
    TOUCHED = "touched"
    """It is sent in the place of ours while somebody moves something there."""


class Lost(StrEnum):
    """What is sent when a desk is not heard any more."""

    HOLD = "hold"
    """What it sent last."""
    FADE = "fade"
    """Ours, within a few seconds."""
    GO_ON = "go on"
    """Ours."""


class Desk(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A universe that another desk sends. `protocol`: sacn or artnet. `number`: its
    universe there (port-addresses count from 0). `universe`: the one of ours that it is
    laid over. `port` 0: the protocol's own.
    """

    id: str
    name: str = ""
    protocol: str = "sacn"
    number: Count = 1
    universe: Count = 1
    merge: Merge = Merge.CONTROLS
    lost: Lost = Lost.HOLD
    on: bool = True
    port: Count = 0


class DmxInput(Input, frozen=True, kw_only=True, tag="dmx", omit_defaults=True):
    """A slot of a desk. `slot` 1…512."""

    kind: ClassVar[str] = "dmx"

    desk: str
    slot: Count

    @property
    def control(self) -> Control:
        """What tells this control from others."""
        return dmx_control(self.desk, self.slot)


def dmx_control(desk: str, slot: int) -> Control:
    """Returns the control that a slot of a desk is."""
    return Control(DmxInput.kind, desk, str(slot))


def _tied(input_id: str, target: Ref, control: Control) -> DmxInput:
    return DmxInput(
        id=input_id, target=target, desk=control.device, slot=int(control.name)
    )


def _called(name: str) -> str:
    return tr("slot {slot}", slot=name)


DMX = InputKind(tr("DMX in"), DmxInput, _tied, _called)
