"""MIDI controllers: what their controls send, and what their lights show."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Mapping
from functools import lru_cache

from choreon.engine.do import Do
from choreon.engine.inputs.asking import ControlMove
from choreon.engine.inputs.base import InputDevice, Surroundings, hand_of
from choreon.engine.inputs.clock_sender import ClockSender
from choreon.engine.inputs.feedback import Feedback
from choreon.engine.inputs.midi_clock import CONTINUE, START, STOP, ClockFollower
from choreon.engine.inputs.time_code import (
    Running,
    TimeCodeFollower,
    TimeCodeSender,
)
from choreon.formats.surface_file import of_device
from choreon.model.colours import Light, of_hex, to_oklab
from choreon.model.inputs import (
    Control,
    MidiInput,
    MidiMessage,
    is_key,
    midi_control,
)
from choreon.model.inputs.midi import midi_parts
from choreon.model.refs import TEMPO, Ref
from choreon.model.show import Show
from choreon.model.surfaces import Display, Shade, Shows, SurfacePart
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.wire.midi import (
    FINER,
    Event,
    Key,
    MidiDevices,
    Shown,
    place_bytes,
    to_bytes,
)
from choreon.wire.midi_bytes import SYSEX
from choreon.wire.time_code import QUARTER, Place

LIT, READY = 127, 20  # a pad that is on; a pad that has something behind it
TOP = 127  # of a control change
TRANSPORT = (START, CONTINUE, STOP)
TOLD_EVERY = 0.2  # seconds between two times that are told of another's clock


class MidiDevice(InputDevice):
    """All MIDI controllers."""

    kind = MidiInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self._devices = MidiDevices(
            around.folder / "midi",
            self._came,
            self.ports_changed,
            around.real,
            self._system,
        )
        self._followers: dict[str, ClockFollower] = {}
        self._clock = ClockSender(self._devices.say)
        self._times: dict[str, TimeCodeFollower] = {}
        self._time_told: dict[str, tuple[bool, float]] = {}  # whether it ran, and when
        self._time = TimeCodeSender(self._devices.say)

    def _came(self, event: Event) -> None:
        """A control was moved. Two control changes may be the halves of one of 14 bits:
        where that is meant they are not told by themselves, else it is not told.
        """
        if not self.learning and event.kind in ("cc", "fine"):
            upper = event.number % FINER
            fine = midi_control(event.port, "fine", event.channel, upper)
            meant = event.number < 2 * FINER and self._is_meant(fine)
            if meant != (event.kind == "fine"):
                return
        elif event.kind == "fine":
            return  # what is learnt is judged by its halves
        self.moved(move_of(event))

    def _is_meant(self, control: Control) -> bool:
        """Whether a control is tied to something, or is a part of its device."""
        show = self.around.newest()
        surface = of_device(show, control.device)
        described = surface is not None and surface.part(control.name) is not None
        return described or self.layers.is_tied(show, control)

    # the tempo and the time of others, and ours to them

    def _system(self, port: str, message: bytes) -> None:
        """A message of no channel came: of a clock, of time, or start and stop."""
        byte = message[0]
        if byte in (QUARTER, SYSEX):
            follower = self._times.setdefault(port, TimeCodeFollower())
            follower.take(message, time.monotonic())
            return

        self._ticked(port, byte)
        if byte in TRANSPORT:
            key = midi_control(port, "transport", 0, TRANSPORT.index(byte))
            for value in (1.0, 0.0):  # it has no end of its own
                self.moved(ControlMove(key, value))

    def _ticked(self, port: str, byte: int) -> None:
        """A message of another's clock came."""
        if self.around.newest().midi.clock_from != port:
            return
        follower = self._followers.setdefault(port, ClockFollower())
        beat = follower.take(byte, time.monotonic())
        if beat is not None:
            dos = [Do(TEMPO, Verb.BPM, beat.bpm), Do(TEMPO, Verb.ALIGN, beat.at)]
            hand = hand_of(self.kind, port)
            self.around.asked(dos, lambda show, state: dos, hand)

    def follow(self, show: Show, state: PlayState) -> None:
        """Light the controllers, and tell the tempo to those who want it."""
        super().follow(show, state)
        self._clock.follow(state.clock, show.midi.clock_to)
        self._tell_times(time.monotonic())

    def _tell_times(self, now: float) -> None:
        """Tell where the clocks of others are: now and then, and when one stops."""
        for port, follower in list(self._times.items()):
            place = follower.place(now)
            if place is None:
                continue
            ran, told = self._time_told.get(port, (not place.runs, 0.0))
            moved = place.since > told and now - told >= TOLD_EVERY
            if ran != place.runs or moved:
                self._time_told[port] = (place.runs, now)
                self.around.timed(port, place)

    def places(self, now: float) -> dict[str, Place]:
        """Returns where the clocks of devices are that have told a time."""
        found = ((p, follower.place(now)) for p, follower in list(self._times.items()))
        return {port: place for port, place in found if place is not None}

    def run_times(self, running: Mapping[str, Running]) -> None:
        """Tell devices the time since something began."""
        self._time.follow(running)

    def say(self, port: str, data: bytes) -> None:
        """Send a message to a device."""
        self._devices.say(port, data)

    def show(self, lights: dict[Control, Feedback]) -> None:
        """Light the controllers."""
        show = self.around.newest()
        wanted: dict[Key, Shown] = {}
        for control, light in lights.items():
            surface = of_device(show, control.device)
            part = None if surface is None else surface.part(control.name)
            shown = shown_on(part, control, light)
            if shown is not None:
                wanted[key_of(control)] = shown
        self._devices.show(wanted)

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
        self._clock.end()
        self._time.end()
        self._devices.abandon()

    def close(self) -> None:
        """Let the controllers go."""
        self._clock.end()
        self._time.end()
        self._devices.close()


def move_of(event: Event) -> ControlMove:
    """Returns the move that a message tells of."""
    return ControlMove(midi_control(*event[:4]), event.value)


def key_of(control: Control) -> Key:
    """Returns where a control's light is."""
    message, channel, number = midi_parts(control.name)
    return (control.device, str(message), channel, number)


def shown_on(
    part: SurfacePart | None, control: Control, light: Feedback
) -> Shown | None:
    """Returns the messages by which a control shows what it drives; None where it can
    show nothing. `part`: what is known of it.
    """
    if part is None or part.shows.how == Shows.NOTHING:
        return _of_unknown(control, light) if part is None else None

    display = part.shows
    by = midi_parts(display.by or control.name)
    make = _MAKERS[display.how]
    on, dark = make(display, by, light), make(display, by, DARK)
    if not on:
        return None

    touch = None
    if part.touch:
        touch = key_of(control._replace(name=part.touch))
    if light.blinks and display.blink < 0 and display.how in _LIGHTS:
        return Shown((make(display, by, light._replace(level=1.0)), on), dark, touch)
    return Shown((on,), dark, touch)


DARK = Feedback(Ref("", ""), -1.0)
"""What a control shows that nothing is tied to."""


def _of_unknown(control: Control, light: Feedback) -> Shown | None:
    """A control of a device that nobody has described: keys have a light, it may be,
    and faders a motor.
    """
    message, channel, number = midi_parts(control.name)
    if is_key(control):
        if message != MidiMessage.NOTE:
            return None
        lit = to_bytes("note", channel, number, LIT if light.level > 0 else READY)
        off = to_bytes("note", channel, number, 0)
        turns = (
            (to_bytes("note", channel, number, LIT), lit) if light.blinks else (lit,)
        )
        return Shown(turns, off)

    moved = place_bytes(message, channel, number, light.level)
    return Shown((moved,)) if moved else None


By = tuple[MidiMessage, int, int]


def _light(display: Display, by: By, light: Feedback) -> bytes:
    """Three values; a fourth where it blinks by itself."""
    value = display.there if light.level >= 0.0 else display.off
    if light.level > 0.0:
        value = display.on
    elif light.blinks and display.blink >= 0:
        value = display.blink
    return to_bytes(*by, value)


def _levels(display: Display, by: By, light: Feedback) -> bytes:
    """As bright as it is high; a little where it is there."""
    if light.level < 0.0:
        return to_bytes(*by, display.off)
    span = display.on - display.there
    return to_bytes(*by, round(display.there + span * min(1.0, light.level)))


def _colours(display: Display, by: By, light: Feedback) -> bytes:
    """The value whose colour lies nearest."""
    if light.level < 0.0 or not display.shades:
        return to_bytes(*by, display.off)
    shade = _nearest(display.shades, light.colour, light.level > 0.0)
    return to_bytes(*by, shade.value)


@lru_cache(4096)
def _nearest(shades: tuple[Shade, ...], colour: str, is_on: bool) -> Shade:
    """The shade whose colour is likest to a light's."""
    wanted = to_oklab(_scaled(Feedback(Ref("", ""), float(is_on), colour)))

    def far(shade: Shade) -> float:
        own = to_oklab(of_hex(shade.colour))
        return sum((a - b) ** 2 for a, b in zip(own, wanted, strict=True))

    return min(shades, key=far)


def _mix(display: Display, by: By, light: Feedback) -> bytes:
    """Its colour, in a message of its own."""
    r, g, b = (0.0, 0.0, 0.0) if light.level < 0.0 else _scaled(light)
    parts = {"r": _seven(r), "g": _seven(g), "b": _seven(b)}
    return filled(display.bytes, parts, "")


def _ring(display: Display, by: By, light: Feedback) -> bytes:
    """How far it is, in lights about a dial, or by a motor."""
    return place_bytes(*by, max(0.0, light.level))


def _text(display: Display, by: By, light: Feedback) -> bytes:
    """What it is called."""
    return filled(display.bytes, {}, "" if light.level < 0.0 else light.name)


def _seven(part: float) -> int:
    """A part of a colour as lights have it: by the eye, 0…127."""
    return round(TOP * max(0.0, min(1.0, part)) ** (1.0 / 2.2))


def _scaled(light: Feedback) -> Light:
    """The colour of a light: dim where what it drives is there and not on."""
    own = of_hex(light.colour) if light.colour else PLAIN
    bright = 1.0 if light.level > 0.0 else DIM
    return own[0] * bright, own[1] * bright, own[2] * bright


PLAIN: Light = (0.9, 0.9, 0.9)
DIM = 0.06  # of its light, by the eye a quarter
TEXT_LENGTH = 16  # letters of a line


def filled(template: str, values: dict[str, int], text: str) -> bytes:
    """Returns a message in hexadecimal with its fields filled in; empty where it is
    none.
    """
    made = bytearray()
    for token in re.findall(r"\{\w+\}|[0-9A-Fa-f]{2}", template):
        if token == "{text}":
            made += text[:TEXT_LENGTH].ljust(TEXT_LENGTH).encode("ascii", "replace")
        elif token.startswith("{"):
            made.append(values.get(token[1:-1], 0) & 127)
        else:
            made.append(int(token, 16))
    return bytes(made)


_LIGHTS = (Shows.LIGHT, Shows.LEVELS, Shows.COLOURS, Shows.MIX)
_MAKERS: dict[Shows, Callable[[Display, By, Feedback], bytes]] = {
    Shows.LIGHT: _light,
    Shows.LEVELS: _levels,
    Shows.COLOURS: _colours,
    Shows.MIX: _mix,
    Shows.RING: _ring,
    Shows.MOTOR: _ring,
    Shows.TEXT: _text,
}
