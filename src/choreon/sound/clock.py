"""The clock of a sound card: which of its frames goes out when, on this machine's
clock, made steady.
"""

from __future__ import annotations

from collections import deque

LOOKED_AT = 2.0  # seconds of calls that are looked at
PULL = 0.002  # seconds that it is pulled in each second, where it is near
FAR, NEAR = 0.05, 0.001  # seconds off beyond which it hurries, and until which
WITHIN = 0.5  # seconds within which it is there then


class CardClock:
    """Knows when a card asks for its frames.

    Its calls are late, by as much as the machine is busy, and never early: of those of
    the last seconds the one that was late the least says how the card's clock stands.
    """

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self._seen: deque[tuple[float, float]] = deque()  # the least of what follows
        self._began: float | None = None
        self._read = 0.0
        self._far = False

    @property
    def runs(self) -> bool:
        """Whether the card has ever asked."""
        return self._began is not None

    def called(self, frame: int, now: float) -> None:
        """The card asks for what comes from a frame on."""
        began = now - frame / self.rate
        while self._seen and self._seen[-1][1] >= began:
            self._seen.pop()
        self._seen.append((now, began))
        while self._seen[0][0] < now - LOOKED_AT:
            self._seen.popleft()

        wanted = self._seen[0][1]
        if self._began is None:
            self._began = wanted
        else:
            self._began += self._pull(wanted - self._began, now - self._read)
        self._read = now

    def _pull(self, off: float, passed: float) -> float:
        """By how much it is moved that should stand elsewhere, some seconds later."""
        self._far = abs(off) > (NEAR if self._far else FAR)
        if self._far:
            return off * min(1.0, 5.0 * passed / WITHIN)
        most = PULL * max(0.0, passed)
        return min(most, max(-most, off))

    def time_of(self, frame: float) -> float:
        """Returns when the card asks for a frame."""
        return (self._began or 0.0) + frame / self.rate

    def frame_at(self, now: float) -> float:
        """Returns the frame that the card asks for at a time."""
        return (now - (self._began or 0.0)) * self.rate
