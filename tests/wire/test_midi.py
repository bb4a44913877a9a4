"""Controllers, real and simulated, in and out."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import time
import tracemalloc

import mido
import mido.sockets
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.sim.controller import PracticeController
from choreon.wire import midi
from choreon.wire.midi_bytes import Parser, Voice
from choreon.wire.midi_bytes import message as read_whole
from tests.conftest import until


@pytest.mark.parametrize(
    ("message", "event"),
    [
        (
            mido.Message("control_change", channel=2, control=7, value=127),
            ("p", "cc", 2, 7, 1.0),
        ),
        (mido.Message("control_change", control=0, value=0), ("p", "cc", 0, 0, 0.0)),
        (mido.Message("note_on", note=36, velocity=127), ("p", "note", 0, 36, 1.0)),
        (mido.Message("note_on", note=36, velocity=0), ("p", "note", 0, 36, 0.0)),
        (mido.Message("note_off", note=36, velocity=64), ("p", "note", 0, 36, 0.0)),
        (mido.Message("pitchwheel", pitch=8191), ("p", "bend", 0, 0, 1.0)),
        (mido.Message("pitchwheel", channel=4, pitch=-8192), ("p", "bend", 4, 0, 0.0)),
        (mido.Message("aftertouch", value=127), ("p", "pressure", 0, 0, 1.0)),
        (mido.Message("polytouch", note=40, value=127), ("p", "touch", 0, 40, 1.0)),
    ],
)
def test_messages_become_events(message, event):
    assert midi.Reader("p").read(read_whole(message.bytes())) == [event]


def test_a_program_change_is_pressed_and_let_go():
    message = mido.Message("program_change", channel=1, program=9)
    events = midi.Reader("p").read(read_whole(message.bytes()))
    assert [(e.kind, e.number, e.value) for e in events] == [
        ("program", 9, 1.0),
        ("program", 9, 0.0),
    ]


def test_messages_that_no_control_sends_are_none():
    for message in (mido.Message("clock"), mido.Message("songpos", pos=3)):
        assert midi.Reader("p").read(read_whole(message.bytes())) == []


@given(st.integers(0, 31), st.integers(0, 16383))
def test_two_halves_are_told_each_by_itself_and_as_one(number, value):
    reader, events = midi.Reader("p"), []
    for half, data in ((number, value >> 7), (number + 32, value & 127)):
        message = mido.Message("control_change", control=half, value=data)
        events += reader.read(read_whole(message.bytes()))
    assert [e.kind for e in events] == ["cc", "cc", "fine"]
    assert events[-1] == ("p", "fine", 0, number, value / 16383)


@given(st.integers(0, 15), st.integers(0, 16383))
def test_a_motor_is_sent_where_it_shall_be(channel, value):
    bend = mido.Message.from_bytes(midi.place_bytes("bend", channel, 0, value / 16383))
    assert (bend.type, bend.channel, bend.pitch) == (
        "pitchwheel",
        channel,
        value - 8192,
    )
    fine = midi.place_bytes("fine", channel, 5, value / 16383)
    halves = [mido.Message.from_bytes(fine[:3]), mido.Message.from_bytes(fine[3:])]
    assert [half.control for half in halves] == [5, 37]
    assert (halves[0].value << 7 | halves[1].value) == value


def lit(wanted: dict[midi.Key, int]) -> dict[midi.Key, midi.Shown]:
    """Lights that shall show values."""
    return {
        key: midi.Shown((midi.to_bytes(*key[1:], value),))
        for key, value in wanted.items()
    }


@given(
    st.sampled_from(["cc", "note"]),
    st.integers(0, 15),
    st.integers(0, 127),
    st.integers(0, 127),
)
def test_bytes_are_those_of_the_standard(kind, channel, number, value):
    message = mido.Message.from_bytes(midi.to_bytes(kind, channel, number, value))
    if kind == "cc":
        assert (message.type, message.channel, message.control, message.value) == (
            "control_change",
            channel,
            number,
            value,
        )
    else:
        assert (message.type, message.channel, message.note, message.velocity) == (
            "note_on",
            channel,
            number,
            value,
        )


class Heard:
    """A hub, and what it told."""

    def __init__(self, folder) -> None:
        self.events: list[midi.Event] = []
        self.ports: list[dict[str, bool]] = []
        self.hub = midi.MidiDevices(
            folder,
            self.events.append,
            lambda ports, _: self.ports.append(ports),
            real=False,
        )


@pytest.fixture
def heard(tmp_path):
    made = Heard(tmp_path / "midi")
    yield made
    made.hub.close()


def test_a_controller_is_found_heard_and_lit(heard, tmp_path):
    device = PracticeController(tmp_path / "midi", "Desk")
    until(lambda: {"Desk": True} in heard.ports)
    device.move_fader(3, 64)
    device.turn_knob(0, 127)
    device.hit_pad(5)
    device.let_pad(5)
    until(lambda: len(heard.events) == 4)
    assert heard.events[0] == ("Desk", "cc", 0, 3, 64 / 127)
    assert heard.events[1] == ("Desk", "cc", 0, 16, 1.0)
    assert heard.events[2][:4] == ("Desk", "note", 0, 41)
    assert heard.events[3] == ("Desk", "note", 0, 41, 0.0)
    wanted = {
        ("Desk", "note", 0, 36): 127,
        ("Desk", "cc", 0, 7): 99,
        ("Nobody", "cc", 0, 1): 5,
    }
    heard.hub.show(lit(wanted))
    until(lambda: device.lights[0] == 127 and device.faders[7] == 99)
    device.close()


def test_what_is_moved_at_the_moment_it_is_opened_is_heard(tmp_path):
    """Opening succeeds before the device's thread has run. Nothing that a hand does
    from then on may be lost.
    """
    device = PracticeController(tmp_path, "Desk")
    held, go_on = threading.Event(), threading.Event()
    device.told = lambda: (
        held.set(),
        go_on.wait(10),
    )  # the thread stands still once the first has opened it
    first, second = (
        midi.LocalPort("Desk", *midi.announced(tmp_path / "Desk.json"))
        for _ in range(2)
    )
    assert held.wait(10)
    device.move_fader(3, 64)
    for port in (first, second):
        got: list[midi.Event] = []
        until(lambda port=port, got=got: got.extend(port.read()) or got)
        assert got == [("Desk", "cc", 0, 3, 64 / 127)]
        port.close()
    go_on.set()
    device.close()


class SlowDoor:
    """A server's socket whose thread is held up just after somebody came in."""

    def __init__(self, server: socket.socket) -> None:
        self.server, self.came = server, threading.Event()

    def fileno(self) -> int:
        return self.server.fileno()

    def accept(self):
        found = self.server.accept()
        self.came.set()
        time.sleep(0.3)
        return found

    def close(self) -> None:
        self.server.close()


def test_what_is_moved_while_it_is_being_taken_in_is_heard(tmp_path):
    device = PracticeController(tmp_path, "Desk")
    door = device.server = SlowDoor(device.server)
    port = midi.LocalPort("Desk", *midi.announced(tmp_path / "Desk.json"))
    assert door.came.wait(10)
    device.move_fader(3, 64)
    got: list[midi.Event] = []
    until(lambda: got.extend(port.read()) or got, seconds=3.0)
    assert got == [("Desk", "cc", 0, 3, 64 / 127)]
    port.close()
    device.close()


def test_what_a_hand_moved_is_told_back_even_if_it_was_told_before(heard, tmp_path):
    """The motor must follow when the level did not change but the hand did."""
    device = PracticeController(tmp_path / "midi", "Desk")
    until(lambda: {"Desk": True} in heard.ports)
    heard.hub.show(lit({("Desk", "cc", 0, 0): 50}))
    until(lambda: device.faders[0] == 50)
    device.move_fader(0, 90)
    until(lambda: heard.events)
    heard.hub.show(lit({("Desk", "cc", 0, 0): 50}))
    until(lambda: device.faders[0] == 50)
    device.close()


def test_lights_are_shown_again_when_a_controller_comes_back(heard, tmp_path):
    device = PracticeController(tmp_path / "midi", "Desk")
    heard.hub.show(lit({("Desk", "note", 0, 36): 127}))
    until(lambda: device.lights[0] == 127)
    device.close()
    until(lambda: heard.ports[-1].get("Desk", False) is False)
    device = PracticeController(tmp_path / "midi", "Desk")
    until(lambda: device.lights[0] == 127)
    device.close()


def test_lights_take_turns_are_told_seldom_and_are_left_dark(heard, tmp_path):
    device = PracticeController(tmp_path / "midi", "Desk")
    until(lambda: {"Desk": True} in heard.ports)
    on, off = (midi.to_bytes("note", 0, 36, value) for value in (127, 1))
    dark = midi.to_bytes("note", 0, 36, 0)
    seen: list[int] = []
    device.told = lambda: seen.append(device.lights[0])
    heard.hub.show({("Desk", "note", 0, 36): midi.Shown((on, off), dark)})
    until(lambda: seen.count(127) >= 2 and seen.count(1) >= 2)

    # told anew two hundred times in a second, it takes twenty of them at the most
    begin = time.monotonic()
    heard_before, count = len(seen), 0
    while time.monotonic() < begin + 1.0:
        count += 1
        value = midi.to_bytes("note", 0, 36, 2 + count % 100)
        heard.hub.show({("Desk", "note", 0, 36): midi.Shown((value,), dark)})
        time.sleep(0.005)
    spent = time.monotonic() - begin
    assert len(seen) - heard_before <= 1 + spent / midi.OFTEN + 1

    heard.hub.close()
    until(lambda: device.lights[0] == 0)
    device.close()


def test_a_motor_waits_until_the_hand_is_off_it(heard, tmp_path):
    device = PracticeController(tmp_path / "midi", "Desk")
    until(lambda: {"Desk": True} in heard.ports)
    fader, touch = ("Desk", "cc", 0, 0), ("Desk", "note", 0, 104)
    device.send_raw(midi.to_bytes("note", 0, 104, 127))
    until(lambda: heard.events)

    there, other = midi.to_bytes("cc", 0, 0, 88), midi.to_bytes("cc", 0, 1, 44)
    heard.hub.show(
        {
            fader: midi.Shown((there,), b"", touch),
            ("Desk", "cc", 0, 1): midi.Shown((other,)),
        }
    )
    until(lambda: device.faders[1] == 44)
    assert device.faders[0] == 0
    device.send_raw(midi.to_bytes("note", 0, 104, 0))
    until(lambda: device.faders[0] == 88)
    device.close()


@pytest.mark.parametrize(
    "words",
    ["", "not json", "{}", '{"port": "x"}', '{"port": 1}', '{"port": 99999999}', "[]"],
)
def test_an_announcement_that_leads_nowhere_is_shown_as_closed(heard, tmp_path, words):
    (tmp_path / "midi" / "Ghost.json").write_text(words)
    until(lambda: heard.ports and heard.ports[-1] == {"Ghost": False})


@given(st.binary(max_size=300))
def test_any_bytes_at_all_give_events_or_nothing(data):
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = midi.LocalPort("p", server.getsockname()[1])
        other, _ = server.accept()
        with other:
            other.sendall(data + bytes((0xF7, 0xB0, 1, 2)))
            found: list[midi.Event] = []
            until(
                lambda: (
                    found.extend(port.read())
                    or (found and found[-1][:4] == ("p", "cc", 0, 1))
                )
            )
        for event in found:
            assert 0 <= event.number <= 127
            assert 0.0 <= event.value <= 1.0
        port.close()


def test_an_independent_peer_speaks_to_the_practice_controller(tmp_path):
    device = PracticeController(tmp_path, "Desk")
    port, token = midi.announced(tmp_path / "Desk.json")
    line = socket.create_connection(("127.0.0.1", port))
    line.sendall(token.encode() + b"\n")
    peer = mido.sockets.SocketPort("127.0.0.1", port, conn=line)
    peer.send(mido.Message("note_on", note=38, velocity=90))
    peer.send(mido.Message("control_change", control=16, value=3))
    until(lambda: device.lights[2] == 90 and device.knobs[0] == 3)
    device.move_fader(1, 77)
    got = peer.receive()
    assert (got.type, got.control, got.value) == ("control_change", 1, 77)
    peer.close()
    device.close()
    assert not (tmp_path / "Desk.json").exists()


def feed(data: bytes) -> list[Voice]:
    return Parser().feed(data)


CC = Voice(0xB0, 2, 7, 100)


@pytest.mark.parametrize(
    ("data", "found"),
    [
        ("B2 07 64", [CC]),
        ("B2 07 64 07 64", [CC, CC]),  # running status
        ("B2 F8 07 FE 64", [CC]),  # the clock and a sign of life within
        ("B2 07 F8 64 F8 07 64", [CC, CC]),
        ("F0 01 02 F7 B2 07 64", [CC]),  # exclusive to a system
        ("F0 01 02 B2 07 64", [CC]),  # ended by the next status
        ("F0 01 F8 02 F7 07 64", []),  # and it ends running status
        ("B2 07 64 F6 07 64", [CC]),  # as does any system message
        ("F2 01 02 03 04 B2 07 64", [CC]),  # song position: two bytes, then none
        ("07 64 B2 07 64", [CC]),  # begun in the middle
        ("B2 07 B2 07 64", [CC]),  # one that was broken off
        ("C1 05 06", [Voice(0xC0, 1, 5), Voice(0xC0, 1, 6)]),
        ("F4 01 02 F5 01 B2 07 64", [CC]),  # not defined
    ],
)
@pytest.mark.parametrize("pieces", [1, 2, 100])
def test_streams_are_read_by_the_standard(data, found, pieces):
    """By MIDI 1.0: running status, real-time bytes anywhere, SysEx; in pieces of any
    size.
    """
    raw = bytes.fromhex(data)
    parser = Parser()
    got = []
    for i in range(0, len(raw), pieces):
        got += parser.feed(raw[i : i + pieces])
    assert got == found


@given(
    st.lists(
        st.builds(
            mido.Message,
            st.sampled_from(["note_on", "note_off", "polytouch"]),
            channel=st.integers(0, 15),
            note=st.integers(0, 127),
        )
        | st.builds(mido.Message, st.just("clock"))
        | st.builds(mido.Message, st.just("pitchwheel"), pitch=st.integers(-8192, 8191))
        | st.builds(
            lambda data: mido.Message("sysex", data=data),
            st.lists(st.integers(0, 127), max_size=9),
        )
    )
)
def test_an_independent_reader_finds_the_same(messages):
    raw = b"".join(message.bin() for message in messages)
    mine = feed(raw)
    peers = mido.Parser()
    peers.feed(raw)
    theirs = [m.bytes() for m in peers if hasattr(m, "channel")]
    assert [[v.kind | v.channel, v.first, v.second] for v in mine] == theirs


def test_an_endless_sysex_takes_no_memory():
    parser = Parser()
    parser.feed(b"\xf0")
    piece = bytes(100_000)
    parser.feed(piece)
    tracemalloc.start()
    try:
        for _ in range(20):
            assert parser.feed(piece) == []
        # 2 MB came; what other threads of the tests take meanwhile counts as well
        assert tracemalloc.get_traced_memory()[1] < 1_000_000
    finally:
        tracemalloc.stop()
    assert parser.feed(bytes((0xB2, 7, 100))) == [CC]


def test_a_controller_speaks_to_its_own_user_alone(tmp_path):
    device = PracticeController(tmp_path, "Desk")
    port, token = midi.announced(tmp_path / "Desk.json")
    assert (tmp_path / "Desk.json").stat().st_mode & 0o077 == 0
    for said in (b"\n", b"wrong\n", b"x" * 100, token[:-1].encode() + b"\n"):
        with socket.create_connection(("127.0.0.1", port), timeout=5) as stranger:
            stranger.sendall(said + bytes((0x90, 36, 100)))
            with contextlib.suppress(ConnectionError):
                assert stranger.recv(10) == b""  # it is let go
    assert not device.connected
    assert device.lights[0] == 0
    silent = socket.create_connection(("127.0.0.1", port), timeout=5)
    known = midi.LocalPort("Desk", port, token)
    until(lambda: device.connected)
    device.move_fader(0, 64)
    until(known.read)
    silent.setblocking(False)
    with pytest.raises(BlockingIOError):
        silent.recv(10)
    silent.close()
    known.close()
    device.close()


@pytest.mark.slow
def test_a_client_that_does_not_read_blocks_nobody(tmp_path):
    device = PracticeController(tmp_path, "Desk")
    port, token = midi.announced(tmp_path / "Desk.json")
    deaf = socket.socket()
    deaf.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
    deaf.connect(("127.0.0.1", port))
    deaf.sendall(token.encode() + b"\n")
    until(lambda: device.connected)
    hearing = midi.LocalPort("Desk", port, token)
    until(lambda: device.move_fader(0, 1) or hearing.read())
    for value in range(200):  # 6 MB, more than its line holds
        for _ in range(10):
            device.send_raw(bytes(3000))  # that is no message
        device.move_fader(0, value % 128)
        until(lambda: hearing.read(), step=0.0)
    deaf.settimeout(5)
    with contextlib.suppress(ConnectionError):
        while deaf.recv(1 << 20):
            pass  # it was let go, not waited for
    deaf.close()
    hearing.close()
    device.close()


def test_lights_for_a_device_that_does_not_read_wait_until_it_does(heard, tmp_path):
    """A device whose line is full: what its lights shall show reaches it later."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(5)
        note = json.dumps({"port": server.getsockname()[1]})
        (tmp_path / "midi" / "Deaf.json").write_text(note)
        line, _ = server.accept()
        until(lambda: heard.ports and heard.ports[-1].get("Deaf"))
        last: dict[midi.Key, int] = {}
        for round in range(400):
            last = {
                ("Deaf", "note", ch, n): (round + n) % 128
                for ch in range(16)
                for n in range(128)
            }
            heard.hub.show(lit(last))
        parser, shown = Parser(), {}
        line.settimeout(0.1)

        def all_shown() -> bool:
            with contextlib.suppress(TimeoutError):
                for voice in parser.feed(line.recv(1 << 16)):
                    shown[voice.channel, voice.first] = voice.second
            return shown == {key[2:]: value for key, value in last.items()}

        until(all_shown, 20)
        line.close()


class FakeRt:
    """What python-rtmidi offers, with ports that the test plugs in and out."""

    plugged: list[str] = []
    opened: dict[str, FakeRt.MidiIn] = {}
    sent: list[tuple[str, list[int]]] = []

    class MidiIn:
        def get_ports(self) -> list[str]:
            return list(FakeRt.plugged)

        def open_port(self, index: int, name: str) -> None:
            self.port = FakeRt.plugged[index]
            FakeRt.opened[self.port] = self

        def ignore_types(self, sysex: bool, timing: bool, active_sense: bool) -> None:
            self.hears_clock = not timing

        def set_callback(self, callback) -> None:
            self.callback = callback

        def close_port(self) -> None:
            FakeRt.opened.pop(self.port, None)

    class MidiOut(MidiIn):
        def open_port(self, index: int, name: str) -> None:
            self.port = FakeRt.plugged[index]

        def send_message(self, data: list[int]) -> None:
            FakeRt.sent.append((self.port, data))


@pytest.fixture
def rt(monkeypatch):
    import sys

    FakeRt.plugged, FakeRt.opened, FakeRt.sent = ["Midi Through:Port-0 14:0"], {}, []
    monkeypatch.setitem(sys.modules, "rtmidi", FakeRt)
    return FakeRt


def test_real_devices_are_found_by_name_without_their_changing_numbers(rt):
    events: list[midi.Event] = []
    ports = midi.RtPorts(events.append, lambda *_: None)
    assert ports.scan() == {"Midi Through:Port-0": False}
    rt.plugged.append("Desk:Desk MIDI 1 24:0")
    assert ports.scan()["Desk:Desk MIDI 1"] is True
    rt.opened["Desk:Desk MIDI 1 24:0"].callback(([0xB0, 5, 127], 0.0))
    rt.opened["Desk:Desk MIDI 1 24:0"].callback(([0xF8], 0.0))
    rt.opened["Desk:Desk MIDI 1 24:0"].callback(([0x00], 0.0))
    assert events == [("Desk:Desk MIDI 1", "cc", 0, 5, 1.0)]
    ports.send("Desk:Desk MIDI 1", bytes((0x90, 1, 2)))
    assert rt.sent == [("Desk:Desk MIDI 1 24:0", [0x90, 1, 2])]
    rt.plugged.pop()
    assert "Desk:Desk MIDI 1" not in ports.scan()
    assert not rt.opened
    rt.plugged.append("Desk:Desk MIDI 1 28:0")
    assert ports.scan()["Desk:Desk MIDI 1"] is True
    ports.close()
    assert not rt.opened


def test_two_of_the_same_make_are_told_apart_and_keep_their_names(rt):
    ports = midi.RtPorts(lambda _: None, lambda *_: None)
    rt.plugged += ["Desk:Desk MIDI 1 24:0", "Desk:Desk MIDI 1 28:0"]
    assert {n for n, is_open in ports.scan().items() if is_open} == {
        "Desk:Desk MIDI 1",
        "Desk:Desk MIDI 1 · 2",
    }
    ports.send("Desk:Desk MIDI 1 · 2", b"\x90\1\2")
    assert rt.sent[-1][0] == "Desk:Desk MIDI 1 28:0"

    # the first is pulled out: the second is still the second
    rt.plugged.remove("Desk:Desk MIDI 1 24:0")
    assert {n for n, is_open in ports.scan().items() if is_open} == {
        "Desk:Desk MIDI 1 · 2"
    }
    rt.plugged.append("Desk:Desk MIDI 1 32:0")  # and back, in another socket
    assert ports.scan()["Desk:Desk MIDI 1"] is True
    ports.close()


def test_a_machine_without_midi_says_so(monkeypatch):
    import sys

    class Broken:
        @staticmethod
        def MidiIn():
            raise SystemError("no sequencer here\nand more")

    monkeypatch.setitem(sys.modules, "rtmidi", Broken)
    ports = midi.RtPorts(lambda _: None, lambda *_: None)
    assert (
        ports.trouble
        == "MIDI devices cannot be used on this machine (no sequencer here)."
    )
    assert ports.scan() == {}
    monkeypatch.setitem(sys.modules, "rtmidi", None)
    assert "cannot be used" in midi.RtPorts(lambda _: None, lambda *_: None).trouble
