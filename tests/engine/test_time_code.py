"""Where another's clock is, steady and through jumps; ours to others, while something
is on; by real devices' bytes.
"""

from __future__ import annotations

import random
import time

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import housekeeping
from choreon.engine.do import Do
from choreon.engine.inputs.midi_clock import CONTINUE, START, STOP
from choreon.engine.inputs.time_code import (
    LOST,
    Running,
    TimeCodeFollower,
    TimeCodeSender,
)
from choreon.engine.sends import Sends
from choreon.model import edits
from choreon.model.inputs import called, midi_control
from choreon.model.playables import Timeline
from choreon.model.refs import BLACKOUT
from choreon.model.sends import Send, SendOn, fault_of, time_code_in
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController
from choreon.wire.time_code import (
    QUARTER,
    Rate,
    TimeCode,
    TimeCodeReader,
    full_frame,
    of_number,
    quarter_frame,
)
from tests.conftest import until
from tests.engine.test_clocks import Midi
from tests.engine.test_sends import Told, scene_of


def pieces(rate: Rate, first: int, count: int, begin: float, jitter=lambda: 0.0):
    """Quarter frames from the frame of a number on, with when each comes."""
    for n in range(count):
        code = of_number(first + 2 * (n // 8), rate)
        yield quarter_frame(code, n % 8), begin + n * rate.seconds / 4 + jitter()


@pytest.mark.parametrize("rate", Rate)
@pytest.mark.parametrize("speed", [1.0, 1.0002, 0.9998])
def test_it_is_followed_within_a_few_milliseconds(rate, speed):
    """Their clock runs at another speed than ours, and the way takes now more, now
    less.
    """
    dice, follower = random.Random(4), TimeCodeFollower()
    first = 3600 * rate.frames
    begin = of_number(first, rate).at
    for message, at in pieces(rate, first, 8 * 400, 100.0):
        now = 100.0 + (at - 100.0) * speed
        follower.take(message, now + dice.uniform(0.0, 0.004))
        place = follower.place(now)
        if now > 102.0:
            true = begin + (at - 100.0)
            assert place is not None
            assert place.runs
            assert place.now(now) == pytest.approx(true, abs=0.006)


def test_it_stands_where_it_stops_and_jumps_where_it_jumps():
    follower = TimeCodeFollower()
    assert follower.place(0.0) is None
    for message, at in pieces(Rate.EUROPE, 0, 80, 10.0):
        follower.take(message, at)
    heard = 10.0 + 79 * 0.01
    stands = follower.place(heard + 2 * LOST)
    assert stands is not None
    assert not stands.runs
    assert stands.now(99.0) == pytest.approx(0.79, abs=0.001)

    for message, at in pieces(Rate.EUROPE, 25 * 60, 8, 20.0):
        follower.take(message, at)
    there = follower.place(20.08)
    assert there is not None
    assert there.now(20.08) == pytest.approx(60.08, abs=0.001)

    follower.take(full_frame(TimeCode(0, 1, 0, 0, Rate.EUROPE)), 21.0)
    stood = follower.place(25.0)
    assert stood is not None
    assert (stood.runs, stood.now(25.0)) == (False, 60.0)
    assert str(stood.code(25.0)) == "00:01:00:00"


def test_ours_goes_out_while_somebody_is_told_and_can_be_read():
    said: list[tuple[float, str, bytes]] = []
    sender = TimeCodeSender(lambda to, data: said.append((time.monotonic(), to, data)))
    began = time.monotonic() - 60.0
    sender.follow({"a": Running(began, Rate.EUROPE)})
    until(lambda: len(said) > 60)
    sender.follow({})
    count = len(said)
    reader, places = TimeCodeReader(), []
    assert said[0][2][0] == 0xF0
    for at, _, data in said[1:]:
        read = reader.read(data)
        if read is not None:
            places.append(read.at - (at - began))
    assert len(places) >= 6
    # said no sooner than it is; as late as the machine is
    assert sorted(places)[len(places) // 2] == pytest.approx(0.0, abs=0.01)
    assert max(places) < 0.001
    time.sleep(0.1)
    assert len(said) <= count + 1

    sender.follow({"b": Running(time.monotonic(), Rate.FILM)})
    until(lambda: said[-1][1] == "b")
    sender.end()


def test_a_send_has_the_time_run_from_start_to_end():
    scene = scene_of(Told().show)
    told = Told(Send(id="a", of=scene, to="Desk", message="time 30"))
    running: list[dict[str, Running]] = []
    told.sends._run = running.append
    told.frame()
    assert running[-1] == {}
    told.do(scene, Verb.START)
    began = told.now - 0.025
    assert running[-1] == {"Desk": Running(pytest.approx(began), Rate.THIRTY)}
    told.now += 5.0
    told.frame()
    assert running[-1]["Desk"].began == pytest.approx(began)
    told.do(scene, Verb.RELEASE)
    assert running[-1] == {}
    assert told.said == []


def test_time_as_it_is_typed():
    assert [time_code_in(t) for t in ("time", "Time 30 ", "time 29.97")] == [
        "25",
        "30",
        "29.97",
    ]
    assert [time_code_in(t) for t in ("time 26", "timer", "note 60")] == [None] * 3
    send = Send(id="a", of=BLACKOUT, to="X", message="time 24")
    assert fault_of(send) == ""
    assert fault_of(edits.replace(send, when=SendOn.END))
    assert fault_of(edits.replace(send, to=""))


def test_a_device_tells_its_time_and_is_told_ours(tmp_path):
    tape = PracticeController(tmp_path / "midi", "Tape")
    midi = Midi(tmp_path)
    until(lambda: midi.open == {"Tape": True})
    for piece in range(8):
        tape.send_raw(quarter_frame(TimeCode(1, 2, 3, 4, Rate.FILM), piece))

    def told() -> bool:
        midi.device.follow(midi.show, midi.state)
        return any(name == "Tape" for name, _ in midi.places)

    until(told)
    assert str(midi.places[0][1].code(midi.places[0][1].since))[:8] == "01:02:03"

    midi.device.run_times({"Tape": Running(time.monotonic(), Rate.EUROPE)})
    until(lambda: sum(data[0] == QUARTER for data in tape.said) > 16)
    midi.device.close()
    tape.close()


@pytest.mark.parametrize(("byte", "number"), [(START, 0), (CONTINUE, 1), (STOP, 2)])
def test_start_and_stop_are_keys_like_others(tmp_path, byte, number):
    drums = PracticeController(tmp_path / "midi", "Drums")
    midi = Midi(tmp_path)
    key = midi_control("Drums", "transport", 0, number)
    assert called(key) == ("start", "continue", "stop")[number]
    midi.show = edits.learn(midi.show, key, BLACKOUT)
    until(lambda: midi.open == {"Drums": True})
    drums.send_raw(bytes((byte,)))
    until(lambda: any(do.ref == BLACKOUT for do in midi.asked))
    midi.device.close()
    drums.close()


def test_the_time_of_a_timeline_is_where_it_is_on_its_line():
    """From its own begin on, after a jump from there, and not while it stands."""
    line = Timeline(id="line", name="Line", length=600.0, offset=3600.0)
    show = edits.put(low_tide(), "playables", line)
    send = Send(id="s", of=line.ref, to="Desk", message="time 25")
    show = edits.put(show, "sends", send)
    running: list[dict[str, Running]] = []
    sends = Sends(lambda port, data: None, lambda told: running.append(dict(told)))
    state = housekeeping.blank()
    sends.follow(show, state)

    def do(verb: Verb, value: float, now: float) -> None:
        nonlocal state
        state = actions.perform(show, state, Do(line.ref, verb, value), now)
        sends.follow(show, state)

    def told(now: float) -> float:
        return now - running[-1]["Desk"].began

    do(Verb.START, 1.0, 100.0)
    assert told(107.0) == pytest.approx(3607.0)
    do(Verb.STEP, 60.0, 110.0)
    assert told(111.0) == pytest.approx(3661.0)
    do(Verb.PAUSE, 1.0, 112.0)
    assert running[-1] == {}
    do(Verb.GO, 1.0, 120.0)
    assert told(121.0) == pytest.approx(3663.0)
    do(Verb.RELEASE, 1.0, 122.0)
    assert running[-1] == {}
