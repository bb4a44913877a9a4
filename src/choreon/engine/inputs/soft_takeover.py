"""How a fader on a controller takes hold of a level without a jump."""

from __future__ import annotations

from choreon.model.inputs import Control, Pickup

NEAR = 2.5 / 127


def taken(before: float | None, level: float, to: float, pickup: Pickup) -> float:
    """Returns the new level after a control moved to `to` (0…1) from `before`, None
    where that is not known, while the level was `level`.
    """
    if pickup == Pickup.JUMP:
        return to

    if before is None:
        # Where it stood is not known. Near the level, or coming up from the bottom, it
        # holds at once.
        holds = abs(to - level) <= 4 * NEAR or (level == 0.0 and to < 0.3)
        return to if holds else level

    if abs(before - level) <= NEAR:
        return to
    if pickup == Pickup.CATCH:
        passes = min(before, to) <= level <= max(before, to)
        return to if passes or abs(to - level) <= NEAR else level
    if to in (0.0, 1.0):
        return to

    # both reach the end together
    if to > before:
        return min(1.0, level + (to - before) * (1.0 - level) / (1.0 - before))
    return max(0.0, level - (before - to) * level / before)


class SoftTakeover:
    """Remembers where each control stands. One that stands elsewhere than its level
    takes hold of it as its tie says; from then on they are one.
    """

    def __init__(self) -> None:
        self._at: dict[Control, float] = {}

    def move(
        self, control: Control, level: float, to: float, pickup: Pickup = Pickup.MEET
    ) -> float:
        """The new level after the control moved to `to` (0…1), where it was `level`."""
        before = self.stood(control)
        self.stands(control, to)
        return taken(before, level, to, pickup)

    def stood(self, control: Control) -> float | None:
        """Returns where a control was last; None where that is not known."""
        return self._at.get(control)

    def stands(self, control: Control, at: float) -> None:
        """A control was moved to a place."""
        self._at[control] = at

    def forget(self, device: str) -> None:
        """A device went away: where its controls stand is not known any more."""
        self._at = {c: v for c, v in self._at.items() if c.device != device}
