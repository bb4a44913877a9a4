"""DMX over a serial line: how the line is set, that packets are whole and steady, what
is told when it cannot be used, gone in the middle and back.
"""

from __future__ import annotations

import errno
import statistics

import numpy as np
import pytest

from choreon.model.outputs import (
    SacnOutput,
    SerialOutput,
    as_kind,
    new_output,
    troubles,
)
from choreon.sim.serial_line import PracticeLine
from choreon.wire.outputs import Sender
from choreon.wire.outputs.serial_line import BREAK, MARK, trouble_of, write_packet
from tests.conftest import until


@pytest.fixture
def line(tmp_path):
    made = PracticeLine(tmp_path)
    yield made
    made.close()


def sender(device, universes=(), rows=(1, 2)) -> Sender:
    output = SerialOutput(id="s", device=str(device), universes=tuple(universes))
    return Sender("Choreon", bytes(16), [output], rows)


def frame(*levels: int) -> np.ndarray:
    made = np.zeros((2, 512), np.uint8)
    for row, level in enumerate(levels):
        made[row] = level
        made[row, 0] = 255 - level
    return made


def keep_sending(out: Sender, levels, what, clock=None) -> None:
    if clock is None:
        clock = [0.0]

    def goes() -> bool:
        clock[0] += 0.025
        out.send(frame(*levels), clock[0])
        return bool(what())

    until(goes)


def test_one_universe_goes_out_whole_at_8n2(line):
    out = sender(line.path)
    keep_sending(out, (7, 9), lambda: line.slots == bytes((248,)) + bytes((7,)) * 511)
    assert line.start_code == 0
    assert (line.data_bits, line.stop_bits, line.has_parity) == (8, 2, False)
    assert line.has_own_speed
    assert out.tallies()[0].trouble == ""
    out.close()
    until(lambda: line.slots == bytes(512))  # it ends dark
    assert line.broken == 0


def test_the_universe_that_is_chosen_goes_out(line):
    out = sender(line.path, universes=(2,))
    keep_sending(out, (7, 9), lambda: line.slots[5] == 9)
    out.close()


def test_packets_come_steadily_while_nothing_new_is_sent(line):
    out = sender(line.path)
    keep_sending(out, (7, 9), lambda: line.packets > 3)
    until(lambda: line.packets > 60)  # no frame was sent meanwhile
    period = statistics.median(line.periods[-50:])
    assert 0.0227 <= period < 0.1  # seconds; a whole packet takes 22.7 ms on a cable
    out.close()


def test_a_line_that_is_gone_in_the_middle_is_told_and_comes_back(tmp_path, line):
    out = sender(line.path)
    keep_sending(out, (7, 9), lambda: line.packets > 3)
    line.close()
    keep_sending(out, (7, 9), lambda: "not plugged in" in out.tallies()[0].trouble)
    again = PracticeLine(tmp_path)
    keep_sending(out, (11, 9), lambda: again.slots[5] == 11)
    keep_sending(out, (11, 9), lambda: out.tallies()[0].trouble == "")
    out.close()
    again.close()


def test_another_rig_goes_on_with_the_same_line(line):
    before = sender(line.path)
    keep_sending(before, (7, 9), lambda: line.packets > 3)
    after = sender(line.path, rows=(1, 2, 3))
    after.take_over(before)
    count = line.packets
    made = np.full((3, 512), 33, np.uint8)
    after.send(made, 99.0)
    until(lambda: line.slots == bytes((33,)) * 512)
    assert line.packets > count
    assert line.broken == 0
    after.close()


@pytest.mark.parametrize(
    ("number", "words"),
    [
        (errno.EACCES, "dialout"),
        (errno.ENOENT, "not plugged in"),
        (errno.EBUSY, "in use"),
        (errno.EINVAL, "cannot be used"),
    ],
)
def test_what_is_wrong_is_told_with_what_to_do(number, words):
    error = OSError(number, "x")
    assert words in trouble_of("/dev/ttyUSB0", error)


def test_without_an_adapter_it_says_so(monkeypatch):
    from choreon.wire.outputs import serial_line

    monkeypatch.setattr(serial_line, "adapters", list)
    out = sender("")
    keep_sending(out, (1, 1), lambda: "No serial adapter" in out.tallies()[0].trouble)
    out.close()


class Recorder:
    """A line that keeps what is done to it, and when it was let stand."""

    def __init__(self, slept: list[float]) -> None:
        self.deeds: list[object] = []
        self.slept = slept

    @property
    def break_condition(self) -> bool:
        return False

    @break_condition.setter
    def break_condition(self, on: bool) -> None:
        self.deeds.append(("break", on, len(self.slept)))

    def write(self, data: bytes) -> None:
        self.deeds.append(("write", data, len(self.slept)))

    def flush(self) -> None:
        self.deeds.append(("flush", None, len(self.slept)))


def test_a_packet_is_a_break_a_mark_a_start_code_and_the_slots(monkeypatch):
    from choreon.wire.outputs import serial_line

    slept: list[float] = []
    monkeypatch.setattr(serial_line.time, "sleep", slept.append)
    line = Recorder(slept)
    write_packet(line, bytes(range(256)) * 2)
    assert [deed[:2] for deed in line.deeds] == [
        ("break", True),
        ("break", False),
        ("write", b"\0" + bytes(range(256)) * 2),
        ("flush", None),
    ]
    assert [deed[2] for deed in line.deeds] == [0, 1, 2, 2]
    assert slept == [BREAK, MARK]
    assert BREAK >= 92e-6  # E1.11, 8.9
    assert MARK >= 12e-6


def test_an_output_becomes_another_kind_and_back():
    made = new_output("serial", id="s", name="Par line", universes=(3,))
    assert troubles(made) == []
    other = as_kind(made, SacnOutput.kind)
    assert (other.name, other.universes) == ("Par line", (3,))
    assert as_kind(other, SerialOutput.kind) == made
    assert troubles(SerialOutput(id="s", device="x" * 999))
