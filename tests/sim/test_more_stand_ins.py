"""The other stand-ins: practice controllers of every layout, one who speaks OSC, and
what is said of a layout that is not there.
"""

from __future__ import annotations

import io
import socket
import subprocess
import sys

import pytest

from choreon.formats.surface_file import shipped
from choreon.model.inputs import Coding
from choreon.model.inputs.midi import midi_parts
from choreon.model.surfaces import PartSort, Shows, faults
from choreon.sim import osc
from choreon.sim.controller import PracticeController, name_of
from choreon.wire import midi
from choreon.wire.osc import read, write
from tests.conftest import until


class Line:
    """Somebody who opened a practice controller, and what came from it."""

    def __init__(self, folder, device: PracticeController) -> None:
        name = device.surface.id
        self.port = midi.LocalPort(name, *midi.announced(folder / f"{name}.json"))
        self.heard: list[midi.Event] = []

    def hear(self) -> list[midi.Event]:
        self.heard += self.port.read()
        return self.heard

    def close(self) -> None:
        self.port.close()


@pytest.mark.parametrize("layout", sorted(shipped()))
def test_every_part_of_every_layout_speaks_as_its_description_says(tmp_path, layout):
    device = PracticeController(tmp_path, layout=layout, name=name_of(layout))
    line = Line(tmp_path, device)
    for part in device.surface.parts:
        message, channel, number = midi_parts(part.sends)
        before = len(line.hear())
        if part.id in device.data:
            device.move(part.id, 0.75)
        elif part.sort == PartSort.ENDLESS:
            device.turn(part.id, -2)
        else:
            device.press(part.id)
        until(lambda b=before: len(line.hear()) > b)
        event = next(e for e in line.heard[before:] if e.kind == message)
        assert (event.channel, event.number) == (channel, number)
        if part.coding != Coding.PLACE:
            assert part.coding.steps(round(127 * event.value)) == -2
        elif part.id in device.data:
            assert event.value == pytest.approx(0.75, abs=0.005)
    line.close()
    device.close()


def test_layouts_that_ship_are_sound_and_differ():
    seen = set()
    for name, surface in shipped().items():
        assert faults(surface) == [], name
        sends = [part.sends for part in surface.parts]
        assert len(sends) == len(set(sends)), name
        seen.add(surface.name)
    assert len(seen) == len(shipped()) >= 10
    shows = {p.shows.how for s in shipped().values() for p in s.parts}
    assert shows >= set(Shows) - {Shows.LEVELS}


def test_a_mixed_colour_and_a_line_of_text_reach_their_parts(tmp_path):
    device = PracticeController(tmp_path, layout="pads-16", name="P")
    line = Line(tmp_path, device)
    line.port.send(bytes.fromhex("F07D032A 7F 00 40 F7".replace(" ", "")))
    until(lambda: (127, 0, 64) in device.colours.values())
    line.close()
    device.close()

    device = PracticeController(tmp_path, layout="motors-9", name="M")
    line = Line(tmp_path, device)
    line.port.send(b"\xf0\x7d\x04\x02" + b"Harbour light   " + b"\xf7")
    until(lambda: device.texts.get("line 3") == "Harbour light")
    line.port.send(midi.place_bytes("bend", 4, 0, 0.5))
    until(lambda: abs(device.data["fader 5"] - 0.5) < 0.001)
    line.close()
    device.close()


def test_a_layout_that_is_not_there_is_told(own_folders):
    command = [sys.executable, "-m", "choreon", "sim", "controller", "--layout", "x"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "pads-64" in done.stderr


def test_one_who_speaks_osc_says_what_is_typed_and_shows_what_it_is_told(capsys):
    assert osc.parse("/a/b 1 0.5") == ("/a/b", (1.0, 0.5))
    assert osc.parse("hello") is None
    assert osc.parse("/a x") is None
    assert osc.parse("") is None
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(10)
        told: list[tuple[str, float]] = []
        speaker = osc.PracticeOsc(
            ear.getsockname()[1], lambda address, value: told.append((address, value))
        )
        data, sender = ear.recvfrom(1000)
        assert read(data)[0].address == osc.HELLO
        ear.sendto(b"garbage", sender)
        ear.sendto(write("/choreon/master/grand-master", 0.5), sender)
        until(lambda: speaker.hear() or told)
        assert told == [("/choreon/master/grand-master", 0.5)]
        speaker.say("/x", 1.0)
        assert read(ear.recv(1000))[0] == ("/x", (1.0,))
        speaker.close()


class Typed(io.StringIO):
    """Lines that were typed, behind a file that can be waited for."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._pair = socket.socketpair()
        self._pair[1].send(b"x")

    def fileno(self) -> int:
        return self._pair[0].fileno()

    def close(self) -> None:
        super().close()
        for one in self._pair:
            one.close()


def test_lines_are_said_until_there_are_no_more(capsys):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(10)
        typed = Typed("/a 1\nwhat?\n")
        assert osc.run(ear.getsockname()[1], typed) == 0
        typed.close()
        got = [read(ear.recv(1000))[0] for _ in range(2)]
        assert [message.address for message in got] == [osc.HELLO, "/a"]
    assert "no address" in capsys.readouterr().out
