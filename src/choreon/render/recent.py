"""What was worked out lately, kept by recency."""

from __future__ import annotations

import contextlib
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Recent(Generic[K, V]):
    """The last few results by what they were made of; the one unused for longest goes
    first.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[K, V] = OrderedDict()

    def get(self, key: K, make: Callable[[], V]) -> V:
        """Returns what `make` gave for the key, now or before."""
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = make()
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        else:
            with contextlib.suppress(KeyError):  # another thread made room meanwhile
                self._kept.move_to_end(key)
        return found

    def put(self, key: K, value: V) -> None:
        """Keep something that was made."""
        self.get(key, lambda: value)

    def items(self) -> list[tuple[K, V]]:
        """Returns what is kept, the one unused for longest first."""
        return list(self._kept.items())

    def known(self, key: K) -> V | None:
        """Returns what is kept for the key, or None."""
        return self._kept.get(key)

    def __len__(self) -> int:
        return len(self._kept)
