"""What is playing: plain values that, with a time, say all that render needs. Times are
monotonic seconds.
"""

from __future__ import annotations

import msgspec

from choreon.model.show import Look


class Ramp(msgspec.Struct, frozen=True):
    """From `start` to `end`, beginning at time `begin`, taking `seconds`."""

    start: float = 1.0
    end: float = 1.0
    begin: float = 0.0
    seconds: float = 0.0

    def at(self, now: float) -> float:
        """The value at time `now`."""
        if now >= self.begin + self.seconds:
            return self.end
        return (
            self.start
            + (self.end - self.start) * max(0.0, now - self.begin) / self.seconds
        )

    def done(self, now: float) -> bool:
        return now >= self.begin + self.seconds


class Step(msgspec.Struct, frozen=True):
    """A scene that a player goes to at time `at`; rising levels take `fade_in` seconds,
    falling ones `fade_out`.
    """

    scene: str
    at: float
    fade_in: float
    fade_out: float

    def done(self, now: float) -> bool:
        return now >= self.at + max(self.fade_in, self.fade_out)


class Player(msgspec.Struct, frozen=True):
    """Something that is on. Its output is the last step's scene, or the crossfade
    towards it, at `weight` × `level`.

    `steps` holds the current scene last, and before it those whose fade it interrupted.
    """

    id: str
    name: str
    steps: tuple[Step, ...]
    weight: Ramp
    level: float = 1.0
    order: int = 0
    priority: int = 1

    @property
    def scene(self) -> str:
        return self.steps[-1].scene

    @property
    def releasing(self) -> bool:
        return self.weight.end == 0.0

    def weight_at(self, now: float) -> float:
        return self.weight.at(now) * self.level

    def gone(self, now: float) -> bool:
        """Whether it has faded out for good."""
        return self.level <= 0.0 or (self.releasing and self.weight.done(now))

    def settled(self, now: float) -> bool:
        return self.weight.done(now) and self.steps[-1].done(now)


class Draft(msgspec.Struct, frozen=True):
    """Values touched and not stored, as far as `shown` (0: blind, not on stage at all).
    `leaving` are earlier drafts that fade out after they were cleared. `turn`: the last
    change of the window's that is in it, so that the window knows what is still on its
    way.
    """

    look: Look = {}
    leaving: tuple[tuple[Look, Ramp], ...] = ()
    turn: int = 0
    shown: Ramp = Ramp()

    @property
    def blind(self) -> bool:
        return self.shown.end == 0.0


class Masters(msgspec.Struct, frozen=True):
    """What scales all intensity."""

    grand: float = 1.0
    blackout: bool = False


class Identify(msgspec.Struct, frozen=True):
    """Fixtures that blink, above all else, from `begin` to `until`."""

    fixtures: tuple[str, ...]
    begin: float
    until: float


class Sent(msgspec.Struct, frozen=True):
    """Bytes put on slots past everything until a time: a command to a lamp, a type that
    is tried out.
    """

    key: str
    universe: int
    address: int
    slots: bytes
    until: float


class PlayState(msgspec.Struct, frozen=True):
    """Everything that, beside the show and the time, decides the light."""

    players: tuple[Player, ...] = ()
    draft: Draft = Draft()
    masters: Masters = Masters()
    started: int = 0
    identify: Identify | None = None
    sent: tuple[Sent, ...] = ()

    def player(self, player_id: str) -> Player | None:
        return next((p for p in self.players if p.id == player_id), None)
