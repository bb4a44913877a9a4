"""Controls of a kind that this Choreon does not know: kept as they are."""

from __future__ import annotations

from typing import Any, ClassVar

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.refs import Ref


class UnknownInput(Input, frozen=True, kw_only=True, tag="unknown"):
    """`stored`: all that the file said of it; it is written so again."""

    kind: ClassVar[str] = "unknown"

    stored: dict[str, Any]

    @property
    def control(self) -> Control:
        """One that no device has."""
        return Control(self.kind, "", self.id)


def _tied(input_id: str, target: Ref, control: Control) -> UnknownInput:
    raise ValueError(tr("a control of a kind that is not known cannot be tied"))


def _called(name: str) -> str:
    return tr("{name}, of a kind that is not known here", name=name)


UNKNOWN_INPUT = InputKind("unknown", UnknownInput, _tied, _called)
