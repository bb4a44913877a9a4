"""How a fader on a controller takes hold of a level without a jump."""

from __future__ import annotations

from choreon.model.inputs import Control

NEAR = 2.5 / 127


class SoftTakeover:
    """Remembers where each fader stands. One that stands elsewhere than its level moves
    the level in proportion, so that both reach the end together; from then on they are
    one.
    """

    def __init__(self) -> None:
        self._at: dict[Control, float] = {}

    def move(self, control: Control, level: float, to: float) -> float:
        """The new level after the control moved to `to` (0…1), where it was `level`."""
        before = self._at.get(control)
        self._at[control] = to
        if before is None:
            # Where it stood is not known. Near the level, or coming up from the bottom,
            # it holds at once.
            return (
                to
                if abs(to - level) <= 4 * NEAR or (level == 0.0 and to < 0.3)
                else level
            )
        if abs(before - level) <= NEAR or to in (0.0, 1.0):
            return to
        if to > before:
            return min(1.0, level + (to - before) * (1.0 - level) / (1.0 - before))

        return max(0.0, level - (before - to) * level / before)

    def forget(self, device: str) -> None:
        """A device went away: where its faders stand is not known any more."""
        self._at = {c: v for c, v in self._at.items() if c.device != device}
