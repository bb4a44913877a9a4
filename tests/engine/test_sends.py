"""What others are told when something starts, ends or goes on: MIDI and OSC, by frames,
and never in a ring.
"""

from __future__ import annotations

import socket

import mido
import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.do import Do
from choreon.engine.sends import MOST, Sends
from choreon.model import edits
from choreon.model.playables import Stack
from choreon.model.refs import Ref
from choreon.model.sends import (
    NotAMessage,
    Send,
    SendOn,
    as_midi,
    as_osc,
    fault_of,
    osc_host,
)
from choreon.model.verbs import Verb
from choreon.wire.osc import read
from tests import play


def scene_of(show) -> Ref:
    return next(p.ref for p in show.playables.values() if p.kind == "scene")


class Told:
    """A show that tells, and what was said."""

    def __init__(self, *sends: Send) -> None:
        self.show = edits.put(low_tide(), "sends", *sends)
        self.state, self.now = play.blank(), 0.0
        self.said: list[tuple[str, bytes]] = []
        self.sends = Sends(lambda port, data: self.said.append((port, data)))
        self.frame()

    def frame(self) -> None:
        self.now += 0.025
        self.sends.follow(self.show, self.state)

    def do(self, ref: Ref, verb: Verb = Verb.PRESS) -> None:
        self.state = actions.perform(self.show, self.state, Do(ref, verb), self.now)
        self.frame()


def test_start_and_end_are_told_once():
    scene = scene_of(low_tide())
    told = Told(
        Send(id="a", of=scene, to="Drums", message="note 60 100 ch 10"),
        Send(id="b", of=scene, when=SendOn.END, to="Drums", message="off 60 ch 10"),
    )
    told.do(scene, Verb.START)
    for _ in range(20):
        told.frame()
    assert [mido.Message.from_bytes(data).type for _, data in told.said] == ["note_on"]
    told.do(scene)
    for _ in range(20):
        told.frame()
    assert [port for port, _ in told.said] == ["Drums", "Drums"]
    off = mido.Message.from_bytes(told.said[1][1])
    assert (off.type, off.channel, off.note) == ("note_off", 9, 60)


def test_every_go_of_a_stack_is_told():
    show = low_tide()
    stack = next(p for p in show.playables.values() if isinstance(p, Stack))
    told = Told(Send(id="a", of=stack.ref, when=SendOn.GO, to="X", message="program 5"))
    for n in range(3):
        told.now += 10.0
        told.do(stack.ref, Verb.GO)
        assert len(told.said) == n + 1


def test_what_is_on_when_a_show_comes_is_no_start():
    scene = scene_of(low_tide())
    told = Told()
    told.do(scene, Verb.START)
    told.show = edits.put(
        told.show, "sends", Send(id="a", of=scene, to="X", message="start")
    )
    told.frame()
    told.frame()
    assert told.said == []


def test_osc_goes_to_whoever_it_is_for():
    scene = scene_of(low_tide())
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(10)
        to = f"127.0.0.1:{ear.getsockname()[1]}"
        told = Told(Send(id="a", of=scene, to=to, message="/clip/3 1 0.5"))
        told.do(scene, Verb.START)
        message = read(ear.recv(1000))[0]
        assert message == ("/clip/3", (1.0, 0.5))
        told.sends.close()


def test_a_ring_is_broken_and_told():
    """What is sent presses the same scene again at once, for ever."""
    scene = scene_of(low_tide())
    told = Told(
        Send(id="a", of=scene, to="Loop", message="note 1"),
        Send(id="b", of=scene, when=SendOn.END, to="Loop", message="note 1"),
    )
    for _ in range(20 * MOST):
        told.do(scene)
    assert len(told.said) <= 2 * (MOST + 1)
    assert any("comes back" in fault for fault in told.sends.faults)


@pytest.mark.parametrize(
    ("typed", "sent"),
    [
        ("note 60", "note_on channel=0 note=60 velocity=127 time=0"),
        ("Note 60 90 ch 16", "note_on channel=15 note=60 velocity=90 time=0"),
        ("cc 7 100", "control_change channel=0 control=7 value=100 time=0"),
        ("program 5 ch 2", "program_change channel=1 program=5 time=0"),
        ("start", "start time=0"),
        ("stop", "stop time=0"),
        ("F0 7D 01 02 F7", "sysex data=(125,1,2) time=0"),
    ],
)
def test_messages_as_they_are_typed(typed, sent):
    assert str(mido.Message.from_bytes(as_midi(typed))) == sent


@pytest.mark.parametrize(
    "typed",
    [
        "",
        "note",
        "note 128",
        "note -1",
        "note 60 1 2",
        "cc 7",
        "cc 7 100 ch 17",
        "program x",
        "F0 90 F7",
        "F0 01",
        "90 60 7F",
        "hello",
        "F0 " * 600,
    ],
)
def test_what_is_no_message_is_refused_in_words(typed):
    with pytest.raises(NotAMessage, match=r"\S"):
        as_midi(typed)
    assert fault_of(Send(id="a", of=Ref("scene", "x"), to="X", message=typed))


def test_addresses_of_osc_as_they_are_typed():
    assert as_osc("/a/b 1 2.5") == ("/a/b", (1.0, 2.5))
    assert osc_host("10.0.0.20:9000") == ("10.0.0.20", 9000)
    for wrong in ("10.0.0.20", "host:9000", "10.0.0.20:0", "10.0.0.20:99999"):
        with pytest.raises(NotAMessage):
            osc_host(wrong)
    for wrong in ("/a b", "/", "/a#b 1"):
        with pytest.raises(NotAMessage):
            as_osc(wrong)
    assert fault_of(Send(id="a", of=Ref("scene", "x"), to="nobody", message="/a 1"))
    assert not fault_of(Send(id="a", of=Ref("s", "x"), to="1.2.3.4:5", message="/a 1"))
