"""The evening turned back: the same bytes as it gave, whatever was on; what is torn; a
stretch as clips.
"""

from __future__ import annotations

import os
import random
import signal

import numpy as np
import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions, protocol
from choreon.engine.actions import draft, housekeeping, motion
from choreon.engine.do import Do
from choreon.engine.evening import log as evening_log
from choreon.engine.evening.book import Evening, NoEvening, evenings
from choreon.engine.evening.log import EveningLog, Moment, Writer
from choreon.engine.evening.records import Kind, blocks
from choreon.engine.evening.stretch import clip_of, parts_of, thinned, tracks_of
from choreon.engine.precompiler import Precompiler
from choreon.model import edits
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import LineEnd
from choreon.model.refs import BLACKOUT, GRAND, Ref, to_tile
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from tests import play
from tests.conftest import until

FRAME = 1 / 44
SWELL, TIDE = Ref("scene", "swell"), Ref("scene", "spring-tide")


class Played:
    """A show that is played by frames and kept, with the bytes that it gave."""

    def __init__(self, show=None, begun: float = 100.0) -> None:
        self.show = low_tide() if show is None else show
        self.compiled = compile_show(self.show)
        self.now, self.state = begun, housekeeping.blank()
        self.wall = 1_900_000_000.0 - begun
        self.log = EveningLog(lambda: self.now, lambda: self.wall + self.now)
        self.writer = Writer(lambda: self.now, lambda: self.wall + self.now)
        self.kept: list[Moment] = []
        self.log._put = self._keep  # by hand, no thread
        self.bytes: dict[float, np.ndarray] = {}

    def _keep(self, moment: Moment) -> None:
        self.log._held, self.log._last = None, moment
        self.kept.append(moment)

    def do(self, ref: Ref, verb: Verb = Verb.START, value: float = 1.0) -> None:
        ways = Precompiler(self.compiled, lambda: self.state).ask(
            [Do(ref, verb, value)]
        )
        self.state = actions.perform(
            self.show, self.state, Do(ref, verb, value), self.now, ways.get(ref)
        )

    def press(self, tile: str) -> None:
        self.state = play.press(self.show, self.state, tile, self.now)

    def edit(self, show) -> None:
        before, self.show = self.compiled, show
        self.compiled = compile_show(show)
        self.state = motion.carried(before, self.compiled, self.state, self.now)

    def run(self, seconds: float) -> None:
        end = self.now + seconds
        while self.now < end:
            self.now += FRAME
            followed = motion.follow(self.compiled, self.state, self.now)
            self.state = housekeeping.prune(followed, self.now)
            self.bytes[self.now] = render(self.compiled, self.state, self.now)
            self.log.note(self.show, self.state, self.now)

    def read(self) -> Evening:
        """The evening, from its file."""
        if self.log._held is not None:
            self._keep(self.log._held)
        count = len(self.kept)
        for n in range(0, count, 37):  # as a thread that looks now and then
            self.writer.write(self.kept[n : n + 37])
        assert self.writer.trouble == ""
        return Evening(self.writer.path)


def light_of(evening: Evening, at: float) -> np.ndarray:
    then = evening.at(at)
    return render(compile_show(then.show), then.state, at)


@pytest.mark.parametrize("seed", range(4))
def test_every_moment_gives_the_bytes_that_it_gave(seed):
    """Presses, masters, chases, stacks, edits in the middle; nothing is dragged."""
    dice = random.Random(seed)
    played = Played()
    things = [p.ref for p in played.show.playables.values()]
    acts = (Verb.START, Verb.START, Verb.RELEASE, Verb.GO, Verb.PAUSE)
    for _ in range(12):
        played.do(dice.choice(things), dice.choice(acts))
        if dice.random() < 0.2:
            played.do(BLACKOUT, Verb.SWITCH, float(dice.random() < 0.5))
        if dice.random() < 0.25:
            scene = dice.choice(
                [p for p in played.show.playables.values() if p.kind == "scene"]
            )
            look = {f: {**values, "Dimmer": 0.3} for f, values in scene.look.items()}
            changed = edits.change(played.show, scene.ref, look=look)
            played.edit(changed)
        played.run(dice.choice([0.1, 0.7, 2.3, 5.0]))
    evening = played.read()
    for at in dice.sample(sorted(played.bytes), 40):
        assert np.array_equal(light_of(evening, at), played.bytes[at]), at


def test_what_is_dragged_is_near_and_ends_exactly():
    played = Played()
    played.do(TIDE)
    played.run(5.0)
    for n in range(100):
        played.do(GRAND, Verb.LEVEL, 1.0 - n / 100)
        played.run(FRAME)
    played.run(1.0)
    evening = played.read()
    times = sorted(played.bytes)
    off = [
        np.abs(light_of(evening, at).astype(int) - played.bytes[at].astype(int)).max()
        for at in times[::7]
    ]
    assert max(off) <= 0.22 * 44 / 100 * 255 + 2  # what a fifth of a second moves
    assert np.array_equal(light_of(evening, times[-1]), played.bytes[times[-1]])
    dragged = [m for m in played.kept if 105.0 < m.at < 105.0 + 100 * FRAME]
    assert len(dragged) <= 100 * FRAME * 5 + 2


def test_drafts_are_kept_and_come_back():
    played = Played()
    played.do(SWELL)
    played.run(3.0)
    played.state = draft.set_draft(played.state, {"par-1": {"Dimmer": 0.7}})
    played.run(1.0)
    evening = played.read()
    at = max(played.bytes)
    assert evening.at(at).state.draft.look == {"par-1": {"Dimmer": 0.7}}
    assert np.array_equal(light_of(evening, at), played.bytes[at])


def test_what_was_on_and_when():
    played = Played()
    played.run(1.0)
    played.do(SWELL)
    played.run(4.0)
    played.do(TIDE)
    played.run(2.0)
    played.do(SWELL, Verb.RELEASE)
    played.run(3.0)
    found = [
        (one.ref, round(one.begin - 100), round(one.end - 100))
        for one in played.read().stretches()
    ]
    assert found == [(SWELL, 1, 5 + 2), (TIDE, 5, 10)]


def test_a_file_that_is_torn_anywhere_is_read_up_to_there(tmp_path):
    played = Played()
    for _ in range(20):
        played.do(SWELL)
        played.run(4.0)
        played.do(SWELL, Verb.RELEASE)
        played.run(1.0)
    whole = played.read()
    data = whole.path.read_bytes()
    dice = random.Random(1)
    ends = []
    for length in sorted(dice.sample(range(2000, len(data)), 25)):
        torn = tmp_path / "torn.evening"
        torn.write_bytes(data[:length])
        part = Evening(torn)
        ends.append(part.end)
        if part.end > part.begin:
            assert part.at(part.end).state == whole.at(part.end).state
    assert ends == sorted(ends)
    # and what is spoilt in the middle costs no more than what follows it
    spoilt = bytearray(data)
    place = len(data) - 300
    spoilt[place : place + 40] = dice.randbytes(40)
    (tmp_path / "spoilt.evening").write_bytes(spoilt)
    begun = Evening(tmp_path / "spoilt.evening")
    assert begun.at(101.0).state == whole.at(101.0).state


def test_what_is_no_evening_is_refused(tmp_path):
    for data in (b"", b"nonsense" * 40, bytes(200)):
        (tmp_path / "x.evening").write_bytes(data)
        with pytest.raises(NoEvening):
            Evening(tmp_path / "x.evening")


def test_another_show_begins_another_file_and_evenings_are_found_by_their_show():
    played = Played()
    played.run(1.0)
    other = edits.replace(played.show, id="other", name="Other")
    played.edit(other)
    played.run(1.0)
    played.read()
    assert len(evenings()) == 2
    (of_other,) = evenings("other")
    assert Evening(of_other).about.name == "Other"


def test_the_oldest_go_where_there_are_too_many(monkeypatch):
    monkeypatch.setattr(evening_log, "MOST_FILES", 3)
    for n in range(6):
        played = Played(begun=100.0 * n)
        played.wall = 1_900_000_000.0 + 86_400 * n
        played.run(0.2)
        played.read()
    assert len(evenings()) == 3
    assert Evening(evenings()[0]).began.day != Evening(evenings()[1]).began.day


def test_a_disk_that_is_full_is_told_and_another_file_begins_when_there_is_room(
    monkeypatch,
):
    played = Played()
    played.run(1.0)
    moments = list(played.kept)

    def full(self, moment):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(Writer, "_begin", full)
        played.writer.write(moments)
        assert "No space left" in played.writer.trouble
    played.now += 60.0
    played.writer.write(moments)
    assert played.writer.trouble == ""
    assert Evening(played.writer.path)


def test_an_evening_of_many_acts_is_small():
    """A press and its letting go, two thousand times: fifty bytes an act at the most
    beside the whole states of each minute.
    """
    played = Played()
    dice = random.Random(2)
    things = [p.ref for p in played.show.playables.values() if p.kind == "scene"]
    for _ in range(2000):
        played.do(dice.choice(things), dice.choice([Verb.START, Verb.RELEASE]))
        played.now += 0.4
        played.state = housekeeping.prune(played.state, played.now)
        played.log.note(played.show, played.state, played.now)
    evening = played.read()
    shows = sum(
        len(b.data) for b in blocks(evening.path.read_bytes()) if b.kind == Kind.SHOW
    )
    size = evening.path.stat().st_size - shows
    assert size / 2000 < 400


# a stretch, as clips


def test_a_stretch_as_clips_by_hand():
    played = Played()
    played.run(1.0)
    played.press("spring-tide-pad")
    played.run(6.0)
    played.do(to_tile("spring-tide-pad"), Verb.LEVEL, 0.5)
    played.run(3.0)
    played.press("spring-tide-pad")
    played.run(5.0)
    evening = played.read()
    begin, end = 100.5, 114.5
    (parts,) = parts_of(evening.moments(begin, end), end)
    (part,) = parts
    tide = played.show.playables["spring-tide"]
    assert part.ref == TIDE
    assert part.begin == pytest.approx(101.0, abs=0.05)
    assert part.end == pytest.approx(110.0 + tide.fade_out, abs=0.1)
    assert (part.fade_in, part.fade_out) == (
        pytest.approx(tide.fade_in, abs=0.05),
        pytest.approx(tide.fade_out, abs=0.05),
    )
    clip = clip_of(part, "tide", lambda at: at - begin)
    assert clip.start == pytest.approx(0.5, abs=0.05)
    levels = {round(p.at): p.level for p in clip.line}
    assert levels[0] == 1.0
    assert clip.line[-1].level == 0.5
    (before,) = [p for p in clip.line if 5.5 < p.at < 5.95]
    assert before.level == 1.0  # it came at once, not over six seconds


def test_a_line_that_is_thinned_is_nowhere_off_by_more_than_half_a_percent():
    dice = random.Random(3)
    for _ in range(50):
        count = dice.randint(3, 400)
        points = [
            (n * 0.02, 0.5 + 0.5 * np.sin(n * dice.uniform(0.01, 0.2)))
            for n in range(count)
        ]
        thin = thinned(points, 0.005)
        at = [p[0] for p in points]
        drawn = np.interp(at, [p[0] for p in thin], [p[1] for p in thin])
        assert np.abs(drawn - [p[1] for p in points]).max() <= 0.005 + 1e-9
        assert len(thin) <= len(points)
    straight = [(n, n / 10) for n in range(11)]
    assert thinned(straight, 0.005) == [straight[0], straight[-1]]


def test_tracks_are_as_few_as_can_be_and_what_is_gone_is_left_out():
    played = Played()
    for ref in (SWELL, TIDE):
        played.do(ref)
        played.run(3.0)
        played.do(ref, Verb.RELEASE)
        played.run(6.0)
    played.do(SWELL)
    played.run(1.0)
    played.do(TIDE)
    played.run(2.0)
    evening = played.read()
    players = parts_of(evening.moments(100.0, 125.0), 125.0)
    tracks = tracks_of(played.show, players, lambda at: at - 100.0, "Take")
    assert 1 <= len(tracks) <= 2
    without = edits.remove(played.show, SWELL)
    (track,) = tracks_of(without, players, lambda at: at - 100.0, "Take")
    assert {clip.plays for clip in track.clips} == {TIDE}


def test_a_stretch_that_is_kept_plays_as_it_was():
    """Scenes that come, go, and are dimmed, laid along a line: the same bytes, but for
    rounding, and for the way that heads go in a fade.
    """
    played = Played()
    played.run(0.5)
    played.press("spring-tide-pad")
    played.run(5.0)
    played.press("cello-pad")
    played.run(2.0)
    played.do(to_tile("cello-pad"), Verb.LEVEL, 0.5)
    played.run(3.0)
    played.press("cello-pad")
    played.run(6.0)
    played.press("spring-tide-pad")
    played.run(5.0)
    evening = played.read()
    begin, end = 100.2, played.now
    players = parts_of(evening.moments(begin, end), end)
    tracks = tracks_of(played.show, players, lambda at: at - begin, "Evening")
    line = Timeline(
        id="kept",
        name="Kept",
        tracks=tuple(tracks),
        length=end - begin,
        end=LineEnd.HOLD,
    )
    show = edits.put(played.show, "playables", line)
    again = Played(show, begun=begin)
    again.do(line.ref)
    again.run(end - begin - 0.1)
    fades = ((5.2, 8.5), (10.2, 13.5))  # in which heads go another way, as in a cue
    compared = 0
    for at in sorted(again.bytes)[10::9]:
        near = min(played.bytes, key=lambda t: abs(t - at))
        was, kept = played.bytes[near].astype(int), again.bytes[at].astype(int)
        off = np.abs(was - kept)
        if any(first < at - begin < last for first, last in fades):
            assert (off > 1).sum() <= 4  # pan and tilt, no level and no colour
        else:
            assert off.max() <= 1, at - begin
            compared += 1
    assert compared > 60


# a real engine


def test_an_engine_that_is_killed_leaves_its_evening_and_begins_another(
    engines, demo_path
):
    client = engines.start(demo_path)
    pid = client.wait_for(protocol.Welcome).pid
    client.send(Do(SWELL, Verb.START, 1.0))

    def kept() -> bool:
        files = evenings()
        if not files:
            return False
        on = [one.ref for one in Evening(files[0]).stretches()]
        return SWELL in on

    until(kept)
    os.kill(pid, signal.SIGKILL)
    engines.another(pid)
    until(lambda: len(evenings()) == 2)
    until(lambda: SWELL in [one.ref for one in Evening(evenings()[0]).stretches()])
