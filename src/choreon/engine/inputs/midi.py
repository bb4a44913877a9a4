"""MIDI controllers: what their controls send, and what their lights show."""

from __future__ import annotations

import threading

from choreon.engine.inputs.base import ControlMove, Feedback, InputDevice, Surroundings
from choreon.model.inputs import Control, MidiInput, is_key, midi_control
from choreon.model.inputs.midi import midi_parts
from choreon.wire.midi import Event, Key, MidiDevices

LIT, READY = 127, 20  # a pad that is on; a pad that has something behind it
TOP = 127  # of a control change


class MidiDevice(InputDevice):
    """All MIDI controllers."""

    kind = MidiInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self._devices = MidiDevices(
            around.folder / "midi",
            lambda event: self.moved(move_of(event)),
            self.ports_changed,
            around.real,
        )

    def show(self, lights: dict[Control, Feedback]) -> None:
        """Light the controllers."""
        self._devices.show(
            {key_of(control): value_of(control, at) for control, at in lights.items()}
        )

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


def move_of(event: Event) -> ControlMove:
    """Returns the move that a message tells of."""
    return ControlMove(midi_control(*event[:4]), event.value)


def key_of(control: Control) -> Key:
    """Returns where a control's light is."""
    message, channel, number = midi_parts(control.name)
    return (control.device, str(message), channel, number)


def value_of(control: Control, light: Feedback) -> int:
    """Returns what is sent to a control, 0…127: a fader's level, or whether a pad is
    on.
    """
    if is_key(control):
        return LIT if light.level > 0 else READY
    return round(TOP * light.level)
