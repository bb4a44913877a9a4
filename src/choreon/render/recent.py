"""What was worked out lately, kept by recency."""

from __future__ import annotations

import contextlib
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable
from typing import Generic, TypeVar

BEYOND = 8  # times as many as are kept else may be kept because they are in use

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Recent(Generic[K, V]):
    """The last few results by what they were made of; the one unused for longest goes
    first.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[K, V] = OrderedDict()

    @property
    def _room(self) -> int:
        """How many may be kept now."""
        return self._most

    def get(self, key: K, make: Callable[[], V]) -> V:
        """Returns what `make` gave for the key, now or before."""
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = make()
            while len(self._kept) > self._room:
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


class InUse(Recent[K, V]):
    """The last few results, and all that was asked for in this turn and the one before,
    however much that is.
    """

    def __init__(self, most: int) -> None:
        super().__init__(most)
        self._asked: set[K] = set()  # in this turn
        self._before = 0  # how many were in the turn before

    def turn(self) -> None:
        """A new turn begins: what was asked for may be needed in it once more."""
        self._before = len(self._asked)
        self._asked.clear()

    def only(self, kept: Iterable[tuple[K, V]]) -> InUse[K, V]:
        """Returns one in the same turn that keeps only these."""
        made = InUse[K, V](self._most)
        made._before, made._asked = self._before, self._asked.copy()
        made._kept.update(kept)
        return made

    @property
    def _room(self) -> int:
        needed = max(self._most + self._before, len(self._asked))
        return min(needed, BEYOND * self._most)

    def get(self, key: K, make: Callable[[], V]) -> V:
        """Returns what `make` gave for the key, now or before."""
        self._asked.add(key)
        return super().get(key, make)
