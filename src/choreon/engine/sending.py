"""What sends a show's frames."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from choreon.model.outputs import AnyOutput, troubles
from choreon.wire.outputs import Sender


def sender_of(
    source: str, cid: bytes, outputs: Iterable[AnyOutput], universes: Sequence[int]
) -> Sender:
    """Returns what sends to outputs; those that are out of their range say why, and
    are let be.
    """
    outputs = list(outputs)
    unfit = {output.id: ". ".join(troubles(output)) for output in outputs}
    return Sender(source, cid, outputs, universes, unfit)
