"""MIDI devices in the engine: halves of 14 bits, echoes of what was shown, and what a
surface says of lights.
"""

from __future__ import annotations

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine.inputs import MidiDevice, Surroundings
from choreon.engine.inputs import midi as controls
from choreon.formats.surface_file import named, of_device
from choreon.model import edits
from choreon.model.inputs import midi_control
from choreon.model.refs import BLACKOUT, GRAND
from choreon.sim.controller import PracticeController, name_of
from choreon.wire import midi
from tests import play
from tests.conftest import until

DEVICE = "Desk"


class Midi:
    """The way in for MIDI with a practice controller, and what was told."""

    def __init__(self, folder, show, layout: str = "faders-8") -> None:
        self.show, self.told = show, []
        self.open: dict[str, bool] = {}
        self.desk = PracticeController(folder / "midi", DEVICE, layout)
        self.device = MidiDevice(
            Surroundings(
                asked=lambda dos, resolve, hand: self.told.extend(dos),
                newest=lambda: self.show,
                moved=self.told.append,
                ports_changed=lambda kind, ports, trouble: self.open.update(ports),
                gone=lambda hand: None,
                folder=folder,
                real=False,
            )
        )
        until(lambda: self.open == {DEVICE: True})

    def names(self) -> set[str]:
        return {one.control.name for one in self.told if hasattr(one, "control")}

    def close(self) -> None:
        self.device.close()
        self.desk.close()


@pytest.fixture
def bare():
    return edits.replace(low_tide(), inputs={})


def half(number: int, value: int) -> bytes:
    return bytes((0xB0, number, value))


def test_halves_are_controls_of_their_own_until_the_whole_is_meant(tmp_path, bare):
    plain = Midi(tmp_path / "a", bare)
    plain.desk.send_raw(half(5, 64) + half(37, 3) + bytes((0x90, 9, 1)))
    until(lambda: "note 0 9" in plain.names())
    assert plain.names() == {"cc 0 5", "cc 0 37", "note 0 9"}
    plain.close()

    fine = midi_control(DEVICE, "fine", 0, 5)
    tied = Midi(tmp_path / "b", edits.learn(bare, fine, GRAND))
    tied.desk.send_raw(half(5, 64) + half(37, 3) + bytes((0x90, 9, 1)))
    until(lambda: "note 0 9" in tied.names())
    assert "cc 0 5" not in tied.names()
    assert {do.ref for do in tied.told if hasattr(do, "ref")} == {GRAND}
    tied.close()

    described = edits.put(bare, "surfaces", named("wing-10", DEVICE))
    drawn = Midi(tmp_path / "c", described)
    drawn.desk.send_raw(bytes((0xB1, 0, 64, 0xB1, 32, 3, 0x90, 9, 1)))
    until(lambda: "note 0 9" in drawn.names())
    assert drawn.names() == {"fine 1 0", "note 0 9"}
    drawn.close()


def test_what_is_learnt_is_told_as_it_comes(tmp_path, bare):
    learnt = Midi(tmp_path, bare)
    learnt.device.learning = True
    learnt.desk.send_raw(half(5, 64) + half(37, 3) + bytes((0x90, 9, 1)))
    until(lambda: "note 0 9" in learnt.names())
    assert learnt.names() == {"cc 0 5", "cc 0 37", "note 0 9"}
    learnt.close()


def test_a_device_that_says_again_what_it_was_told_presses_nothing(
    tmp_path, monkeypatch
):
    """Else a light would press what it shows, and so on for ever."""
    monkeypatch.setattr(midi, "ECHO", 60.0)  # however slow this machine is
    events: list[midi.Event] = []
    desk = PracticeController(tmp_path, DEVICE)
    troubles: list[str] = []
    hub = midi.MidiDevices(
        tmp_path, events.append, lambda _, trouble: troubles.append(trouble), real=False
    )
    lit = midi.to_bytes("note", 0, 36, 127)
    heard: list[int] = []

    def echo() -> None:
        if desk.lights[0] == 127 and not heard:
            heard.append(1)
            desk.send_raw(lit)
            desk.send_raw(midi.to_bytes("note", 0, 50, 9))

    desk.told = echo
    hub.show({(DEVICE, "note", 0, 36): midi.Shown((lit,))})
    until(lambda: any(event.number == 50 for event in events))
    assert not any(event.number == 36 for event in events)
    until(lambda: DEVICE in troubles[-1])
    desk.hit_pad(0, 90)  # a hand, though the light is on
    until(lambda: any(e.number == 36 and e.value < 1.0 for e in events))
    hub.close()
    desk.close()


def test_a_fader_that_says_again_what_it_was_told_moves_nothing(tmp_path, monkeypatch):
    """Else what it shows of a fade would hold that fade back; another place is a
    hand's.
    """
    monkeypatch.setattr(midi, "ECHO", 60.0)  # however slow this machine is
    events: list[midi.Event] = []
    desk = PracticeController(tmp_path, DEVICE)
    ports: dict[str, bool] = {}
    troubles: list[str] = []

    def changed(found: dict[str, bool], trouble: str) -> None:
        ports.update(found)
        troubles.append(trouble)

    hub = midi.MidiDevices(tmp_path, events.append, changed, real=False)
    until(lambda: ports.get(DEVICE))
    placed = midi.to_bytes("cc", 0, 77, 64)
    told: list[int] = []
    desk.told = lambda: told.append(1)
    hub.show({(DEVICE, "cc", 0, 77): midi.Shown((placed,))})
    until(lambda: told)

    desk.send_raw(placed)
    desk.send_raw(midi.to_bytes("cc", 0, 77, 90))
    until(lambda: events)
    assert [(event.number, round(127 * event.value)) for event in events] == [(77, 90)]
    until(lambda: DEVICE in troubles[-1])
    hub.close()
    desk.close()


def test_ten_thousand_notes_are_held_and_let_go(tmp_path):
    """Every note of every channel, again and again, and none let go; then all are."""
    events: list[midi.Event] = []
    desk = PracticeController(tmp_path, DEVICE)
    ports: dict[str, bool] = {}
    hub = midi.MidiDevices(
        tmp_path, events.append, lambda found, _: ports.update(found), real=False
    )
    until(lambda: ports.get(DEVICE))
    notes = [(n // 128 % 16, n % 128) for n in range(10_000)]

    def say(some: list[tuple[int, int]], velocity: int) -> None:
        before = len(events)
        for begin in range(0, len(some), 500):
            part = some[begin : begin + 500]
            desk.send_raw(b"".join(bytes((0x90 | c, n, velocity)) for c, n in part))
            told = before + begin + len(part)
            until(lambda told=told: len(events) == told)

    say(notes, 100)
    assert [event[2:4] for event in events] == notes
    say(notes[:2048], 0)
    assert all(event.value == 0.0 for event in events[10_000:])
    hub.close()
    desk.close()


def test_a_practice_controller_is_known_by_its_name(tmp_path, bare):
    name = name_of("pads-64")
    assert of_device(bare, name).parts
    assert of_device(bare, "Practice controller").part("note 0 36") is not None
    assert of_device(bare, "Practice controller of mine") is None
    assert of_device(bare, "Desk") is None
    own = edits.put(bare, "surfaces", edits.replace(named("keys-24", name), parts=()))
    assert of_device(own, name).parts == ()


def test_lights_are_those_of_the_surface(tmp_path, bare):
    pad = midi_control(DEVICE, "note", 0, 0)
    show = edits.put(bare, "surfaces", named("pads-64", DEVICE))
    show = edits.learn(show, pad, BLACKOUT)
    lit = Midi(tmp_path, show, "pads-64")
    lit.device.follow(show, play.blank())
    part = show.surfaces[DEVICE].part(pad.name)
    dim = controls.shown_on(part, pad, controls.Feedback(BLACKOUT, 0.0)).turns[0][2]
    until(lambda: lit.desk.lit[part.id] == dim)
    lit.close()
    assert lit.desk.lit[part.id] in (dim, part.shows.off)
