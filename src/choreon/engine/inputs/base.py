"""What all ways in have in common: what moves of a device's controls ask for, by the
show's inputs, and what the device shows of it.
"""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, NamedTuple

from choreon.engine import actions
from choreon.engine.actions import tiles
from choreon.engine.do import Do
from choreon.engine.inputs.soft_takeover import SoftTakeover
from choreon.model.inputs import AnyInput, Control, is_key
from choreon.model.refs import BLACKOUT, DEED, MASTER, TILE, Ref
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState

Resolve = Callable[[Show, PlayState], list[Do]]
"""What a move asks for. It is called in the frame that shows it, with what is on then:
a fader that is taken over goes on from there."""

Asked = Callable[[list[Do], Resolve, str], None]
"""Called by a way in, from its own thread, with what may be started, what is asked, and
which hand asks.
"""


class ControlMove(NamedTuple):
    """A control was moved to `value`, 0…1; of a key 0 is its end."""

    control: Control
    value: float


class Feedback(NamedTuple):
    """What the control of a target shows: how high it stands, 0…1."""

    target: Ref
    level: float


@dataclass(frozen=True)
class Surroundings:
    """What ways in are given. `newest`: the show as it is known by now. `moved`: told
    of each move. `ports_changed`: told by a kind which of its devices are there, by
    name, and why there may be none. `gone`: told of the hand of a device that went
    away. `folder`: where simulated devices announce themselves. `real`: whether those
    of this machine are looked for.
    """

    asked: Asked
    newest: Callable[[], Show]
    moved: Callable[[ControlMove], None]
    ports_changed: Callable[[str, dict[str, bool], str], None]
    gone: Callable[[str], None]
    folder: Path
    real: bool = True


class InputDevice(ABC):
    """A way in: all devices of a kind. It says `moved` when a control of them is moved,
    and lights them by `show`.
    """

    kind: ClassVar[str]

    def __init__(self, around: Surroundings) -> None:
        self.around = around
        self.takeover = SoftTakeover()
        self.learning = False
        """While a control is to be learnt, what it does is only told."""
        self._shown: tuple[Show, PlayState] | None = None

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
        show = self.around.newest()
        likely = [likely_do(show, tied.target, move) for tied in ties(show, move)]
        if likely and not self.learning:
            self.around.asked(
                likely,
                lambda show, state: self.resolve(show, state, move),
                hand_of(move.control.kind, move.control.device),
            )
        self.around.moved(move)

    def ports_changed(self, ports: dict[str, bool], trouble: str) -> None:
        """Devices came or went."""
        for name, is_open in ports.items():
            if not is_open:
                self.takeover.forget(name)
                self.around.gone(hand_of(self.kind, name))
        self.around.ports_changed(self.kind, ports, trouble)

    # what is asked, what is shown

    def resolve(self, show: Show, state: PlayState, move: ControlMove) -> list[Do]:
        """Returns what a move of a control asks for."""
        return [self._do(show, state, tied.target, move) for tied in ties(show, move)]

    def _do(self, show: Show, state: PlayState, target: Ref, move: ControlMove) -> Do:
        do = likely_do(show, target, move)
        if do.verb != Verb.LEVEL or actions.grips(show, state, target):
            return do

        level = actions.level_of(show, state, target) or 0.0
        value = self.takeover.move(move.control, level, move.value)
        return Do(target, Verb.LEVEL, value, Edge.TURN)

    def follow(self, show: Show, state: PlayState) -> None:
        """Light the devices, where something changed."""
        seen = self._shown
        if seen is None or seen[0] is not show or seen[1] is not state:
            self._shown = (show, state)
            self.show(lights(show, state, self.kind))


def hand_of(kind: str, device: str) -> str:
    """Returns what the hand on a device is called."""
    return f"{kind}:{device};"


def likely_do(show: Show, target: Ref, move: ControlMove) -> Do:
    """Returns what a control most likely asks for, whatever is on."""
    if is_key(move.control):
        edge = Edge.DOWN if move.value else Edge.UP
        return Do(target, Verb.PRESS, move.value, edge)

    verb = turned(show, target)
    edge = Edge.TURN
    if verb == Verb.PRESS:
        # what can only be pressed is so in the upper half
        edge = Edge.DOWN if move.value >= 0.5 else Edge.UP
    return Do(target, verb, move.value, edge)


def ties(show: Show, move: ControlMove) -> list[AnyInput]:
    """Returns what the show ties a control to."""
    return [tied for tied in show.inputs.values() if tied.control == move.control]


def turned(show: Show, target: Ref) -> Verb:
    """Returns what turning a control does to its target."""
    if target.kind == TILE:
        found = show.tile(target.id)
        return tiles.natural(found[1]) if found else Verb.LEVEL
    if target.kind == MASTER and target != BLACKOUT:
        return Verb.LEVEL
    return Verb.PRESS if target.kind == DEED else Verb.SWITCH


def lights(show: Show, state: PlayState, kind: str) -> dict[Control, Feedback]:
    """Returns what every tied control of a kind shall show."""
    shown: dict[Control, Feedback] = {}
    for tied in show.inputs.values():
        if tied.kind == kind:
            level = actions.level_of(show, state, tied.target)
            if level is not None:
                shown[tied.control] = Feedback(tied.target, level)
    return shown
