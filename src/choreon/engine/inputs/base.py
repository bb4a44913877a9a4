"""What all ways in have in common: what moves of a device's controls ask for, by the
show's inputs, and what the device shows of it.
"""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, NamedTuple

from choreon.engine.do import Do
from choreon.engine.inputs.asking import (
    TOP,
    TURNED,
    ControlMove,
    Stands,
    asked,
    likely,
)
from choreon.engine.inputs.feedback import Feedback, lights
from choreon.engine.inputs.layers import Layers
from choreon.engine.inputs.soft_takeover import SoftTakeover
from choreon.model.inputs import AnyInput, Coding, Control, is_key
from choreon.model.show import Show
from choreon.render.state import PlayState
from choreon.sound.music import Music
from choreon.wire.time_code import Place

Resolve = Callable[[Show, PlayState], list[Do]]
"""What a move asks for. It is called in the frame that shows it, with what is on then:
a fader that is taken over goes on from there."""

Asked = Callable[[list[Do], Resolve, str], None]
"""Called by a way in, from its own thread, with what may be started, what is asked, and
which hand asks.
"""

OFTEN = 0.02  # seconds between two moves of one control that are told
LOST = 0.5  # seconds after which a move that no frame took is asked for again


@dataclass(frozen=True)
class Surroundings:
    """What ways in are given. `newest`: the show as it is known by now. `moved`: told
    of each move. `ports_changed`: told by a kind which of its devices are there, by
    name, and why there may be none. `timed`: told of where the clock of a device is.
    `heard`: told of live music. `gone`: told of the hand of a device that went away.
    `folder`: where simulated devices announce themselves. `real`: whether those of this
    machine are looked for.
    """

    asked: Asked
    newest: Callable[[], Show]
    moved: Callable[[ControlMove], None]
    ports_changed: Callable[[str, dict[str, bool], str], None]
    gone: Callable[[str], None]
    folder: Path
    real: bool = True
    timed: Callable[[str, Place], None] = lambda device, place: None
    heard: Callable[[Music], None] = lambda music: None


class Waiting(NamedTuple):
    """A move that no frame has taken yet, since when it waits, and how its control says
    where it is.
    """

    move: ControlMove
    since: float
    coding: Coding


class InputDevice(ABC):
    """A way in: all devices of a kind. It says `moved` when a control of them is moved,
    and lights them by `show`.
    """

    kind: ClassVar[str]
    lit_every: ClassVar[float] = 0.04
    """Seconds from one time to the next that lights are shown."""

    def __init__(self, around: Surroundings) -> None:
        self.around = around
        self.takeover = SoftTakeover()
        self.learning = False
        """While a control is to be learnt, what it does is only told."""
        self.layers = Layers()
        self._gate = threading.Lock()
        self._waiting: dict[Control, Waiting] = {}
        self._pressed: dict[Control, list[AnyInput]] = {}  # keys that are down
        self._told: dict[Control, float] = {}
        self._untold: dict[Control, ControlMove] = {}
        self._shown: tuple[object, ...] | None = None
        self._lit_at = 0.0

    # what a kind says

    @abstractmethod
    def show(self, lights: dict[Control, Feedback]) -> None:
        """Show on the devices what is on now. Never blocks."""

    @property
    @abstractmethod
    def thread(self) -> threading.Thread:
        """What listens to the devices."""

    @property
    @abstractmethod
    def beat(self) -> float:
        """When that thread last came round, monotonic seconds."""

    @abstractmethod
    def abandon(self) -> None:
        """Give the thread up, which hangs. Never blocks."""

    @abstractmethod
    def close(self) -> None:
        """Let the devices go."""

    # what happens to its devices

    def moved(self, move: ControlMove) -> None:
        """A control was moved."""
        if self.learning:
            self.around.moved(move)
            return
        if self._joins(move):
            return

        show = self.around.newest()
        ties = self._ties_of(show, move)
        coding = next((tie.coding for tie in ties), Coding.PLACE)
        move = _counted(coding, move)
        self._ask(show, ties, move, coding)
        self._tell(move)

    def _ties_of(self, show: Show, move: ControlMove) -> list[AnyInput]:
        """What a move goes to. A key is let go where it was pressed, though another
        page be in front by then.
        """
        ties = self.layers.moved(show, move.control, move.value)
        if not is_key(move.control):
            return ties
        if move.value > 0.0:
            self._pressed[move.control] = ties
            return ties
        return self._pressed.pop(move.control, ties)

    def _joins(self, move: ControlMove) -> bool:
        """Whether a move only goes on with one that no frame has taken yet: then its
        place counts in place of that one's, and no more is done. A thousand a second
        take no time from the frames.
        """
        control = move.control
        with self._gate:
            waiting = self._waiting.get(control)
            if waiting is None or time.monotonic() - waiting.since > LOST:
                return False
            move = _counted(waiting.coding, move)
            own, before = move.steps, waiting.move
            move = move._replace(
                steps=before.steps + move.steps,
                first=before.value if before.first is None else before.first,
            )
            self._waiting[control] = waiting._replace(move=move)
            untold = self._untold.get(control)
            told = own + (0 if untold is None else untold.steps)
            self._untold[control] = ControlMove(control, move.value, told)
        return True

    def _ask(
        self, show: Show, ties: list[AnyInput], move: ControlMove, coding: Coding
    ) -> None:
        """Have the next frame do what a move asks for."""
        control = move.control
        hand = hand_of(control.kind, control.device)
        stood = Stands(self.takeover.stood(control))
        dos = [do for tie in ties for do in likely(show, tie, move, stood)]
        if dos and all(do.verb in TURNED for do in dos) and not is_key(control):
            with self._gate:
                self._waiting[control] = Waiting(move, time.monotonic(), coding)
            self.around.asked(dos, lambda s, t: self._newest(s, t, control), hand)
            return

        self.takeover.stands(control, move.value)
        if dos:
            self.around.asked(
                dos,
                lambda s, t: [
                    do for tie in ties for do in asked(s, t, tie, move, stood)
                ],
                hand,
            )

    def _newest(self, show: Show, state: PlayState, control: Control) -> list[Do]:
        """What the newest move of a control asks for; nothing where that was taken."""
        with self._gate:
            waiting = self._waiting.pop(control, None)
        return [] if waiting is None else self.resolve(show, state, waiting.move)

    def _tell(self, move: ControlMove) -> None:
        """Tell of a move; of one that moves on, only so often."""
        now, control = time.monotonic(), move.control
        with self._gate:
            before = self._untold.pop(control, None)
            if before is not None:
                move = move._replace(steps=move.steps + before.steps)
            if not is_key(control) and now - self._told.get(control, 0.0) < OFTEN:
                self._untold[control] = move
                return
            self._told[control] = now
        self.around.moved(move)

    def _tell_rest(self) -> None:
        """Tell of what has not been told yet, and is not told too soon."""
        if not self._untold:
            return
        now = time.monotonic()
        with self._gate:
            due = [c for c in self._untold if now - self._told.get(c, 0.0) >= OFTEN]
            moves = [self._untold.pop(control) for control in due]
            self._told |= dict.fromkeys(due, now)
        for move in moves:
            self.around.moved(move)

    def ports_changed(self, ports: dict[str, bool], trouble: str) -> None:
        """Devices came or went."""
        for name, is_open in ports.items():
            if not is_open:
                self.takeover.forget(name)
                self.layers.forget(name)
                self._pressed = {
                    held: ties
                    for held, ties in self._pressed.items()
                    if held.device != name
                }
                self.around.gone(hand_of(self.kind, name))
        self.around.ports_changed(self.kind, ports, trouble)

    # what is asked, what is shown

    def resolve(self, show: Show, state: PlayState, move: ControlMove) -> list[Do]:
        """Returns what a move of a control asks for."""
        stood = Stands(self.takeover.stood(move.control))
        self.takeover.stands(move.control, move.value)
        ties = self.layers.ties(show, move.control)
        return [do for tie in ties for do in asked(show, state, tie, move, stood)]

    def follow(self, show: Show, state: PlayState) -> None:
        """Light the devices, where something changed; not every frame."""
        self._tell_rest()
        now, where = time.monotonic(), self.layers.where
        if now - self._lit_at < self.lit_every:
            return

        seen = self._shown
        if seen is None or not _same(seen, (show, state, where)):
            self._shown, self._lit_at = (show, state, where), now
            own = (tie for tie in show.inputs.values() if tie.kind == self.kind)
            holding = self.layers.in_force(show, own)
            self.show(lights(show, state, holding, self.layers.page_of))


def _same(seen: tuple[object, ...], now: tuple[object, ...]) -> bool:
    return seen[0] is now[0] and seen[1] is now[1] and seen[2] == now[2]


def _counted(coding: Coding, move: ControlMove) -> ControlMove:
    """A move of a dial without an end, with how far it was turned."""
    if coding == Coding.PLACE:
        return move
    return move._replace(steps=coding.steps(round(TOP * move.value)))


def is_hand_of(hand: str, kind: str) -> bool:
    """Returns whether a hand is one on a device of a kind."""
    return hand.startswith(f"{kind}:")


def hand_of(kind: str, device: str) -> str:
    """Returns what the hand on a device is called."""
    return f"{kind}:{device};"
