"""Whether what something was made of is still the same."""

from __future__ import annotations

from collections.abc import Sequence


def very_same(one: Sequence[object], other: Sequence[object]) -> bool:
    """Whether both hold the very same objects, in the same order. What is edited is
    always another object, so this tells at once whether anything was.
    """
    return len(one) == len(other) and all(
        a is b for a, b in zip(one, other, strict=True)
    )
