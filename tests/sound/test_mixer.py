"""What is mixed, sample by sample, against sums worked out by hand."""

from __future__ import annotations

import random

import numpy as np
import pytest

from choreon.sound.asked import Line, Shall, Voice
from choreon.sound.limiter import MOST, Limiter
from choreon.sound.mixer import EDGE, GRAIN, RATE, Mixer


class Ramp:
    """A file whose frame n is n / 2²⁰ on both channels, of a length."""

    def __init__(self, length: int = RATE * 60, part: float = 2.0**-20) -> None:
        self.length, self.part = length, part

    def read(self, begin: int, count: int):
        at = np.arange(begin, begin + count)
        sound = np.where((at >= 0) & (at < self.length), at * self.part, 0.0)
        return np.repeat(sound[:, None], 2, axis=1).astype(np.float32)

    def ready(self, begin: int) -> bool:
        return True


class Full(Ramp):
    """A file that is one throughout."""

    def read(self, begin: int, count: int):
        return np.full((count, 2), 0.5, np.float32)


def line(*voices: Voice, turn: int = 1, own: float = 0.0, at: float = 0.0, **more):
    more.setdefault("runs", True)
    more.setdefault("over", 1000.0)
    return Line("one", turn, at, own, voices=voices, **more)


def played(mixer: Mixer, frame: int, seconds: float, block: int = 960, at: float = 0.0):
    """What is heard from a frame on, in blocks of any size."""
    found = []
    end = frame + round(seconds * RATE)
    while frame < end:
        count = min(block, end - frame)
        found.append(mixer.mix(frame, count, at + frame / RATE))
        frame += count
    return np.concatenate(found)[:, 0]


def mixer_of(source, *lines: Line) -> Mixer:
    made = Mixer(lambda file: source)
    made.shall = Shall(lines)
    return made


@pytest.mark.parametrize("block", [1, 7, 480, 960, 5000])
def test_a_file_is_heard_frame_by_frame_whatever_the_blocks_are(block):
    mixer = mixer_of(Ramp(), line(Voice("a", 0.01, 0.05)))
    heard = played(mixer, 0, 0.08, block)
    wanted = np.zeros(len(heard))
    wanted[480:2880] = np.arange(2400) / 2**20
    assert heard == pytest.approx(wanted, abs=1e-7)


def test_a_loop_closes_to_the_sample_over_a_thousand_rounds():
    """Three bars at 100 a minute are 7.2 s; a third of a frame more a round would be
    heard after a thousand rounds as a hundredth of a second.
    """
    length = 7.2 + 1.0 / 3.0 / RATE
    voice = Voice("a", 0.0, 60.0)
    mixer = mixer_of(Ramp(), line(voice, loop=(0.5, 0.5 + length)))
    mixer.mix(0, 1, 0.0)
    for rounds in (1, 10, 1000):
        begin = round((0.5 + rounds * length) * RATE)
        heard = mixer.mix(begin - 3, 6, begin / RATE)[:, 0] * 2**20
        end = (0.5 + length) * RATE
        assert heard[:2] == pytest.approx([end - 3, end - 2], abs=1.01)
        assert heard[4:] == pytest.approx([0.5 * RATE + 1, 0.5 * RATE + 2], abs=1.01)


def test_a_voice_that_begins_anew_is_read_by_remainder():
    voice = Voice("a", 0.0, 1.0, entry=0.05, repeat=0.1)
    heard = played(mixer_of(Ramp(), line(voice)), 0, 0.5) * 2**20
    at = np.arange(len(heard))
    assert heard == pytest.approx((2400 + at) % 4800, abs=0.1)


def test_fades_and_a_level_line_by_hand():
    voice = Voice(
        *("a", 0.0, 1.0, 0.0, 0.0, 0.2, 0.4, 0.5),
        ((0.0, 1.0), (0.5, 0.0), (1.0, 1.0)),
    )
    heard = played(mixer_of(Full(), line(voice)), 0, 1.0)
    for at in (0.0, 0.1, 0.2, 0.3, 0.5, 0.6, 0.75, 0.9):
        drawn = abs(at - 0.5) / 0.5
        fade = min(1.0, at / 0.2) * min(1.0, (1.0 - at) / 0.4)
        assert heard[round(at * RATE)] == pytest.approx(
            0.5 * 0.5 * drawn * fade, abs=1e-3
        )


def test_what_is_over_is_silent_and_a_line_in_mid_sound_comes_without_a_crack():
    mixer = mixer_of(Full(), line(Voice("a", 0.0, 9.0), own=3.0, over=3.1))
    heard = played(mixer, 0, 0.2)
    assert np.abs(np.diff(heard[: EDGE * 2])).max() < 0.02  # of 0.5, in 96 frames
    assert heard[EDGE + 10] == pytest.approx(0.5)
    assert not heard[round(0.1 * RATE) + 1 :].any()


def test_a_line_that_stands_goes_within_two_milliseconds_and_comes_back_where_it_was():
    voice = Voice("a", 0.0, 30.0)
    mixer = mixer_of(Ramp(), line(voice))
    played(mixer, 0, 1.0)
    mixer.shall = Shall((line(voice, runs=False, own=1.0, at=1.0),))
    after = played(mixer, RATE, 0.5)
    assert after[0] != 0.0
    assert not after[EDGE + 1 :].any()
    mixer.shall = Shall((line(voice, turn=2, own=1.0, at=1.5),))
    again = played(mixer, round(1.5 * RATE), 0.5) * 2**20
    assert again[EDGE + 5] == pytest.approx(RATE + EDGE + 5, abs=0.1)


def test_a_leap_while_it_stands_lets_a_grain_be_heard_there():
    voice = Voice("a", 0.0, 30.0)
    mixer = mixer_of(Full(), line(voice, runs=False))
    assert not played(mixer, 0, 0.1).any()
    mixer.shall = Shall((line(voice, runs=False, turn=2, own=4.0),))
    heard = played(mixer, 4800, 0.5)
    assert heard[round(GRAIN * RATE / 2)] == pytest.approx(0.5)
    assert not heard[round(GRAIN * RATE) + EDGE + 1 :].any()


def test_a_line_that_is_told_late_is_heard_where_it_should_be_by_then():
    """A new process, or a new line to it: sound comes back where the light is."""
    voice = Voice("a", 0.0, 60.0)
    mixer = mixer_of(Ramp(), line(voice, own=10.0, at=100.0))
    heard = played(mixer, 0, 0.1, at=105.0) * 2**20
    assert heard[1000] == pytest.approx(15.0 * RATE + 1000, abs=1.0)


def test_one_that_has_just_begun_is_heard_from_its_begin_on():
    voice = Voice("a", 0.0, 60.0)
    mixer = mixer_of(Ramp(), line(voice, own=0.0, at=100.0))
    heard = played(mixer, 0, 0.1, at=100.09) * 2**20
    assert heard[1000] == pytest.approx(1000, abs=0.1)


def test_another_engine_that_tells_the_same_does_not_disturb_it():
    voice = Voice("a", 0.0, 60.0)
    mixer = mixer_of(Ramp(), line(voice))
    played(mixer, 0, 2.0)
    shall = Shall((line(voice, turn=7, own=2.02, at=2.0),), anew=True)
    mixer.shall = shall
    heard = played(mixer, 2 * RATE, 0.1) * 2**20
    assert heard == pytest.approx(2 * RATE + np.arange(len(heard)), abs=0.1)
    assert mixer.heard(2.05 * RATE, 2.05)[0].turn == 7


def test_where_a_line_is_heard_is_what_is_mixed_for_that_frame():
    voice = Voice("a", 0.0, 60.0)
    mixer = mixer_of(Ramp(), line(voice, own=3.0))
    played(mixer, 0, 1.0)
    place = mixer.heard(RATE * 0.5, 77.0)[0]
    assert (place.own, place.at) == (pytest.approx(3.5), 77.0)
    assert mixer.heard(-RATE, 77.0)[0].own == 3.0  # not before it began


def test_voices_together_are_their_sum_while_that_is_not_too_loud():
    voices = [Voice(str(n), 0.1 * n, 0.3, level=0.1 * n) for n in range(1, 4)]
    heard = played(mixer_of(Full(), line(*voices)), 0, 0.8)
    at = np.arange(len(heard)) / RATE
    wanted = sum(
        0.05 * n * ((at >= 0.1 * n - 1e-9) & (at < 0.1 * n + 0.3 - 1e-9))
        for n in range(1, 4)
    )
    assert heard == pytest.approx(wanted, abs=1e-6)


@pytest.mark.parametrize("seed", range(4))
def test_however_many_overlap_nothing_is_cut_off_and_the_gain_never_leaps(seed):
    chance = random.Random(seed)
    limiter = Limiter(RATE)
    time = np.arange(RATE) / RATE
    sound = sum(
        np.sin(2 * np.pi * chance.uniform(60, 900) * time + chance.random())
        * (time > chance.random() * 0.6)
        for _ in range(8)
    )
    before = np.repeat(sound[:, None], 2, axis=1).astype(np.float32)
    after, n = [], 0
    while n < len(before):
        count = chance.choice([64, 480, 960, 1001])
        after.append(limiter.limit(before[n : n + count].copy()))
        n += count
    after = np.concatenate(after)
    assert np.abs(after).max() <= 1.0
    loud = np.abs(before[:, 0]) > 0.2
    gains = after[loud, 0] / before[loud, 0]
    assert gains.min() > MOST / 8.5
    assert gains.max() <= 1.0 + 1e-6
    # nowhere is the top cut flat: what is loudest keeps its shape
    flat = np.sum(np.abs(after[:, 0]) >= 0.9999)
    assert flat < 0.002 * len(after)


def test_what_is_not_too_loud_is_left_alone_to_the_bit():
    block = np.random.default_rng(1).uniform(-0.9, 0.9, (960, 2)).astype(np.float32)
    assert np.array_equal(Limiter(RATE).limit(block.copy()), block)


def test_clicks_are_heard_at_their_time():
    mixer = Mixer(lambda file: Full())
    mixer.clicks = (10.05,)
    heard = played(mixer, 0, 0.1, at=10.0)
    begin = int(np.flatnonzero(heard)[0])
    assert abs(begin - 0.05 * RATE) < 3
    assert not mixer.clicks


class Slow(Ramp):
    """A file that is made ready only after a while."""

    there = False

    def ready(self, begin: int) -> bool:
        return self.there

    def read(self, begin: int, count: int):
        return super().read(begin, count) * self.there


def test_a_line_that_begins_waits_for_its_file_and_is_heard_from_its_first_sample():
    source = Slow()
    mixer = mixer_of(source, line(Voice("a", 0.0, 60.0)))
    assert not played(mixer, 0, 0.6).any()
    assert mixer.heard(0.6 * RATE, 0.6) == ()  # the light goes on by the clock
    source.there = True
    heard = played(mixer, round(0.6 * RATE), 0.1) * 2**20
    assert heard == pytest.approx(np.arange(len(heard)), abs=0.1)


def test_a_file_that_takes_too_long_is_not_waited_for():
    source = Slow()
    mixer = mixer_of(source, line(Voice("a", 0.0, 60.0)))
    played(mixer, 0, 1.5)
    assert mixer.heard(1.5 * RATE, 1.5)  # it goes on, in silence
    source.there = True
    assert played(mixer, round(1.5 * RATE), 0.1).all()
