"""MIDI clock in, steady against jitter, and out on the beat."""

from __future__ import annotations

import random
import time

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import tempo
from choreon.engine.do import Do
from choreon.engine.inputs import MidiDevice, Surroundings
from choreon.engine.inputs.clock_sender import ClockSender, next_tick
from choreon.engine.inputs.midi_clock import (
    CLOCK,
    CONTINUE,
    START,
    STOP,
    TICKS,
    ClockFollower,
)
from choreon.model import edits
from choreon.model.inputs import MidiSettings
from choreon.model.refs import TEMPO
from choreon.model.verbs import Verb
from choreon.render.state import BeatClock
from choreon.sim.controller import PracticeController
from choreon.wire.time_code import Place
from tests import play
from tests.conftest import until


def ticked(follower, bpm: float, count: int, jitter: float, dice, begin: float = 100.0):
    """Ticks with so much jitter, seconds; gives what was found, with the true beats."""
    found = []
    for n in range(count):
        true = begin + n * 60.0 / (bpm * TICKS)
        beat = follower.take(CLOCK, true + dice.uniform(-jitter, jitter))
        if beat is not None:
            found.append((beat, true))
    return found


@pytest.mark.parametrize("bpm", [62.0, 120.0, 174.5])
@pytest.mark.parametrize("seed", range(5))
def test_with_three_milliseconds_of_jitter_the_tempo_is_steady(bpm, seed):
    found = ticked(ClockFollower(), bpm, 40 * TICKS, 0.003, random.Random(seed))
    settled = found[8:]
    assert len(settled) > 25
    for beat, true in settled:
        assert abs(beat.bpm / bpm - 1.0) <= 0.002
        assert abs(beat.at - true) <= 0.005


def test_no_beat_of_ours_is_moved_by_more_than_five_milliseconds():
    """The clock of the show, led by theirs, against their true beats."""
    bpm, dice = 128.0, random.Random(9)
    clock = BeatClock(bpm=bpm, at=100.0, beat=0.0)
    follower = ClockFollower()
    for n in range(60 * TICKS):
        true = 100.0 + n * 60.0 / (bpm * TICKS)
        at = true + dice.uniform(-0.003, 0.003)
        beat = follower.take(CLOCK, at)
        if beat is not None:
            clock = tempo.at_tempo(clock, beat.bpm, at)
            clock = tempo.aligned(clock, beat.at, at)
        off = (clock.beat_at(true) - n / TICKS) * 60.0 / bpm
        assert abs(off) <= 0.005, n


def test_another_tempo_is_followed_and_the_beat_does_not_jump():
    dice = random.Random(2)
    follower = ClockFollower()
    ticked(follower, 100.0, 20 * TICKS, 0.001, dice)
    begin = 100.0 + 20 * TICKS * 60.0 / (100.0 * TICKS)
    found = ticked(follower, 140.0, 12 * TICKS, 0.001, dice, begin)
    assert abs(found[-1][0].bpm / 140.0 - 1.0) < 0.003


def test_silence_start_and_stop():
    dice = random.Random(1)
    follower = ClockFollower()
    assert ticked(follower, 120.0, TICKS, 0.0, dice) == []
    assert ticked(follower, 90.0, TICKS + 2, 0.0, dice, 200.0)  # counted anew
    follower.take(STOP, 300.0)
    assert not follower.runs
    follower.take(CONTINUE, 300.0)
    assert follower.runs
    assert follower.take(START, 301.0) is None
    assert follower.take(0xFE, 301.0) is None  # active sensing
    assert follower.take(CLOCK, 301.1) is None


def test_ticks_that_come_all_at_once_are_no_tempo():
    follower = ClockFollower()
    assert all(follower.take(CLOCK, 5.0) is None for _ in range(500))


def test_to_come_to_a_beat_moves_none_at_once():
    clock = BeatClock(bpm=120.0, at=10.0, beat=4.0)
    led = tempo.aligned(clock, 10.6, 10.7)  # ours is a tenth of a second early
    assert led.beat_at(10.7) == pytest.approx(clock.beat_at(10.7))
    later = 10.7 + 2 * led.catch
    assert led.beat_at(later) == pytest.approx(clock.beat_at(later) - 0.2)
    assert tempo.aligned(clock, float("nan"), 10.7) is clock
    assert tempo.aligned(clock, 99.0, 10.7) is clock


def test_asking_the_master_to_align_pulls_it(monkeypatch):
    show, state = low_tide(), play.blank()
    before = state.clock
    after = actions.perform(show, state, Do(TEMPO, Verb.ALIGN, 5.1), 5.2).clock
    assert after.beat_at(5.2) == pytest.approx(before.beat_at(5.2))
    assert after.pull != 0.0


class Midi:
    """The way in for MIDI, and what was asked of it."""

    def __init__(self, folder, **settings) -> None:
        self.show = edits.replace(low_tide(), midi=MidiSettings(**settings))
        self.asked: list[Do] = []
        self.open: dict[str, bool] = {}
        self.trouble = ""
        self.places: list[tuple[str, Place]] = []
        self.state = play.blank()
        self.device = MidiDevice(
            Surroundings(
                asked=lambda dos, resolve, hand: self.asked.extend(dos),
                newest=lambda: self.show,
                moved=lambda move: None,
                ports_changed=self._changed,
                gone=lambda hand: None,
                folder=folder,
                real=False,
                timed=lambda device, place: self.places.append((device, place)),
            )
        )

    def _changed(self, kind: str, ports: dict[str, bool], trouble: str) -> None:
        self.open.update(ports)
        self.trouble = trouble


def test_the_clock_of_the_device_that_is_followed_sets_the_tempo(tmp_path):
    drums = PracticeController(tmp_path / "midi", "Drums")
    other = PracticeController(tmp_path / "midi", "Other")
    midi = Midi(tmp_path, clock_from="Drums")
    until(lambda: midi.open == {"Drums": True, "Other": True})

    def tick(device) -> bool:
        device.send_raw(bytes((CLOCK,)))
        time.sleep(0.01)
        return bool(midi.asked)

    for _ in range(2 * TICKS):
        tick(other)
    assert midi.asked == []
    until(lambda: tick(drums))
    assert {do.verb for do in midi.asked} == {Verb.BPM, Verb.ALIGN}
    assert all(do.ref == TEMPO for do in midi.asked)
    midi.device.close()
    drums.close()
    other.close()


def test_our_tempo_is_ticked_to_those_who_want_it(tmp_path):
    drums = PracticeController(tmp_path / "midi", "Drums")
    midi = Midi(tmp_path, clock_to=("Drums",))
    until(lambda: midi.open == {"Drums": True})
    state = edits.replace(play.blank(), clock=BeatClock(bpm=180.0, at=0.0))
    midi.device.follow(midi.show, state)
    until(lambda: drums.ticks.count(CLOCK) > TICKS)
    assert drums.ticks[0] == START
    midi.device.close()
    drums.close()


def test_ticks_are_on_the_beat_and_stop_with_whoever_wants_them():
    said: list[tuple[float, str, int]] = []
    sender = ClockSender(
        lambda port, data: said.append((time.monotonic(), port, *data))
    )
    clock = BeatClock(bpm=240.0, at=time.monotonic(), beat=0.0)
    sender.follow(clock, ("a",))
    until(lambda: len(said) > 3 * TICKS)
    sender.follow(clock, ())
    ticks = [at for at, _, byte in said if byte == CLOCK]
    until(lambda: said[-1][2] == STOP or said[-2][2] == STOP)
    late = sorted(
        (clock.beat_at(at) * TICKS) % 1.0 * 60.0 / (clock.bpm * TICKS) for at in ticks
    )
    assert late[len(late) // 2] < 0.005  # seconds after it was due, of the middle one
    sender.end()


def test_the_tick_after_a_time():
    clock = BeatClock(bpm=60.0, at=0.0, beat=0.0)
    assert next_tick(clock, 0.0) == 1
    assert next_tick(clock, 1.0 / TICKS - 0.001) == 1
    assert next_tick(clock, 1.0 / TICKS) == 2
