"""MIDI controllers: what their controls do by the show's inputs, and what their lights
show.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from choreon.engine import actions
from choreon.engine.actions import tiles
from choreon.engine.do import Do
from choreon.engine.inputs.base import Asked, InputDevice
from choreon.engine.inputs.soft_takeover import SoftTakeover
from choreon.model.inputs import MidiInput, MidiMessage
from choreon.model.refs import BLACKOUT, DEED, MASTER, TILE, Ref
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from choreon.wire.midi import Event, Key, MidiDevices

LIT, READY = 127, 20  # a pad that is on; a pad that has something behind it
TOP = 127  # of a control change

Moved = Callable[[Event], None]
Ports = Callable[[dict[str, bool], str], None]


class MidiDevice(InputDevice):
    """All MIDI controllers. `newest`: the show as it is known by now. `gone` is called
    with the hand of a controller that went away.
    """

    def __init__(
        self,
        asked: Asked,
        newest: Callable[[], Show],
        moved: Moved,
        ports_changed: Ports,
        folder: Path,
        real: bool = True,
        gone: Callable[[str], None] = lambda hand: None,
    ) -> None:
        super().__init__(asked)
        self._newest, self._told_moved = newest, moved
        self._told_ports, self._gone = ports_changed, gone
        self._shown: tuple[Show, PlayState] | None = None
        self.takeover = SoftTakeover()

        self._devices = MidiDevices(folder, self._moved, self._ports_changed, real)

    def _moved(self, event: Event) -> None:
        show = self._newest()
        likely = [likely_do(show, known, event) for known in tied(show, event)]
        if likely and not self.learning:
            self._asked(
                likely,
                lambda show, state: self.resolve(show, state, event),
                hand_of(event.port),
            )
        self._told_moved(event)

    def resolve(self, show: Show, state: PlayState, event: Event) -> list[Do]:
        """Returns what a move of a control asks for."""
        return [self._do(show, state, known, event) for known in tied(show, event)]

    def _do(self, show: Show, state: PlayState, known: MidiInput, event: Event) -> Do:
        do = likely_do(show, known, event)
        if do.verb != Verb.LEVEL or actions.grips(show, state, known.target):
            return do
        level = actions.level_of(show, state, known.target) or 0.0
        value = self.takeover.move(event[:4], level, event.value)
        return Do(known.target, Verb.LEVEL, value, Edge.TURN)

    def _ports_changed(self, ports: dict[str, bool], trouble: str) -> None:
        for name, is_open in ports.items():
            if not is_open:
                self.takeover.forget(name)
                self._gone(hand_of(name))
        self._told_ports(ports, trouble)

    def follow(self, show: Show, state: PlayState) -> None:
        """Light the controllers, where something changed."""
        seen = self._shown
        if seen is None or seen[0] is not show or seen[1] is not state:
            self._shown = (show, state)
            self._devices.show(lights(show, state))

    @property
    def thread(self) -> threading.Thread:
        """What listens to the controllers."""
        return self._devices.thread

    @property
    def beat(self) -> float:
        """When it last came round."""
        return self._devices.beat

    def abandon(self) -> None:
        """Give it up."""
        self._devices.abandon()

    def close(self) -> None:
        """Let the controllers go."""
        self._devices.close()


def hand_of(port: str) -> str:
    """Returns what the hand on a controller is called."""
    return f"midi:{port};"


def likely_do(show: Show, known: MidiInput, event: Event) -> Do:
    """Returns what a control most likely asks for, whatever is on."""
    if known.message == MidiMessage.NOTE:
        edge = Edge.DOWN if event.value else Edge.UP
        return Do(known.target, Verb.PRESS, event.value, edge)
    verb = turned(show, known.target)
    edge = Edge.TURN
    if verb == Verb.PRESS:
        # what can only be pressed is so in the upper half
        edge = Edge.DOWN if event.value >= 0.5 else Edge.UP
    return Do(known.target, verb, event.value, edge)


def tied(show: Show, event: Event) -> list[MidiInput]:
    """Returns what the show ties a control to."""
    return [known for known in show.inputs.values() if known.control == event[:4]]


def turned(show: Show, target: Ref) -> Verb:
    """Returns what turning a control does to its target."""
    if target.kind == TILE:
        found = show.tile(target.id)
        return tiles.natural(found[1]) if found else Verb.LEVEL
    if target.kind == MASTER and target != BLACKOUT:
        return Verb.LEVEL
    return Verb.PRESS if target.kind == DEED else Verb.SWITCH


def lights(show: Show, state: PlayState) -> dict[Key, int]:
    """Returns what every tied control shall show, 0…127: faders their level, pads
    whether they are on.
    """
    want: dict[Key, int] = {}
    for known in show.inputs.values():
        level = actions.level_of(show, state, known.target)
        if level is None:
            continue
        if known.message == MidiMessage.CONTROL_CHANGE:
            want[known.control] = round(TOP * level)
        else:
            want[known.control] = LIT if level > 0 else READY
    return want
