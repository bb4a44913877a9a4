"""The engine's parts, each by itself."""

from __future__ import annotations

import os
import selectors
import socket
import stat
import struct
import subprocess
import sys
import threading
import time

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon import folders
from choreon.demo import low_tide
from choreon.engine import clock as clocks
from choreon.engine import protocol, session
from choreon.engine.do import Do
from choreon.engine.inputs.soft_takeover import SoftTakeover as Takeover
from choreon.engine.link import Link
from choreon.engine.screen import MOST, ScreenReader, SharedFrame
from choreon.model.inputs import midi_control
from choreon.model.refs import Ref, to_tile
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from tests import play

SHOW = low_tide()
level = st.floats(0.0, 1.0)
FADER = midi_control("desk", "cc", 0, 1)


class Time:
    """A clock in the hand of the test."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.now, self.patch = 100.0, monkeypatch
        monkeypatch.setattr(clocks.time, "monotonic", lambda: self.now)
        monkeypatch.setattr(clocks.time, "sleep", self.sleep)

    def clock(self, period: float) -> clocks.Clock:
        """A clock that this hand moves on, as far as it would sleep."""
        made = clocks.Clock(period)
        self.patch.setattr(made.wake, "wait", self.sleep)
        return made

    def sleep(self, seconds: float) -> None:
        assert seconds >= 0
        self.now += seconds


def test_frames_are_due_at_even_times(monkeypatch):
    hand = Time(monkeypatch)
    clock = hand.clock(0.5)
    assert [clock.wait() for _ in range(4)] == [100.0, 100.5, 101.0, 101.5]
    assert (clock.frames, clock.late, clock.missed) == (4, 0, 0)
    assert hand.now == 101.5


def test_late_frames_are_counted_and_never_made_up_for(monkeypatch):
    hand = Time(monkeypatch)
    clock = hand.clock(0.5)
    clock.wait()
    hand.now += 1.7  # past two more frames
    assert clock.wait() == 101.7
    assert (clock.frames, clock.late, clock.missed) == (2, 1, 2)
    assert clock.wait() == 102.0
    assert clock.missed == 2


def test_lateness_is_told_once(monkeypatch):
    hand = Time(monkeypatch)
    clock = hand.clock(0.5)
    for extra in (0.0, 0.1, 0.2):
        clock.wait()
        hand.now += 0.5 + extra
    clock.wait()
    median, worst = clock.read_lateness()
    assert 0 <= median <= worst == pytest.approx(0.3)
    assert clock.read_lateness() == (0.0, 0.0)


messages = st.lists(
    st.one_of(
        st.builds(
            Do,
            st.builds(Ref, st.text(max_size=8), st.text(max_size=20)),
            st.sampled_from(Verb),
            level,
            st.sampled_from(Edge),
        ),
        st.builds(
            protocol.SetValues,
            look=st.dictionaries(
                st.text(max_size=5), st.dictionaries(st.text(max_size=5), level)
            ),
        ),
        st.builds(protocol.Stop, level),
    ),
    max_size=6,
)


@given(messages, st.integers(1, 50))
def test_messages_arrive_whole_however_they_are_cut(sent, size):
    data = b"".join(protocol.pack(m) for m in sent)
    framer = protocol.Framer()
    got = []
    for i in range(0, len(data), size):
        got += [
            protocol.decode_to_engine(body) for body in framer.feed(data[i : i + size])
        ]
    assert got == sent


def test_a_length_that_cannot_be_is_refused():
    with pytest.raises(ValueError, match="announced"):
        protocol.Framer().feed(struct.pack("<I", protocol.LIMIT + 1))


@given(st.binary(max_size=60))
def test_garbage_is_refused_as_such(body):
    try:
        protocol.decode_to_engine(body)
    except msgspec.DecodeError:
        return
    # What decodes must have been a message.
    assert msgspec.msgpack.decode(body)["t"]


def test_messages_to_the_engine_are_not_taken_for_those_from_it():
    body = protocol.pack(Do(to_tile("x"), Verb.PRESS))[4:]
    with pytest.raises(msgspec.ValidationError):
        protocol.decode_from_engine(body)


def test_frames_for_the_screen_are_never_torn(tmp_path):
    path = tmp_path / "screen"
    screen, reader = SharedFrame(path), ScreenReader(path)
    assert reader.read() is None or reader.read()[2] == {}
    ended = threading.Event()

    def write() -> None:
        i = 0
        while not ended.is_set():
            i += 1
            screen.publish((3, 700), np.full((2, 512), i % 256, np.uint8), float(i))
            time.sleep(0.0002)

    writer = threading.Thread(target=write)
    writer.start()
    try:
        seen = set()
        end = time.monotonic() + 60
        while len(seen) < 200 and time.monotonic() < end:
            found = reader.read()
            if found is not None and found[2]:
                _, when, slots = found
                assert sorted(slots) == [3, 700]
                both = np.concatenate([slots[3], slots[700]])
                assert (both == int(when) % 256).all()
                seen.add(when)
        assert len(seen) == 200
    finally:
        ended.set()
        writer.join()


def test_a_screen_goes_on_counting_and_shows_at_most_its_size(tmp_path):
    path = tmp_path / "screen"
    first = SharedFrame(path)
    first.publish((1,), np.zeros((1, 512), np.uint8), 1.0)
    number = ScreenReader(path).read()[0]
    second = SharedFrame(path)
    many = tuple(range(1, MOST + 20))
    second.publish(many, np.zeros((len(many), 512), np.uint8), 2.0)
    found = ScreenReader(path).read()
    assert found[0] > number
    assert len(found[2]) == MOST


def state_with(tile: str, now: float) -> PlayState:
    return play.touch(
        play.press(SHOW, play.blank(), tile, now), {"par-1": {"Dimmer": 0.3}}
    )


def test_what_played_is_known_again():
    now = time.monotonic()
    state = state_with("slack-water-pad", now)
    session.save("low-tide", state)
    assert session.load("low-tide") == state
    assert session.load("another") is None


def test_after_a_restart_of_the_machine_fades_go_on_where_they_were(monkeypatch):
    now = time.monotonic()
    session.save("low-tide", state_with("slack-water-pad", now - 1.0))
    monkeypatch.setattr(session, "boot", lambda: "another boot")
    monkeypatch.setattr(session.time, "monotonic", lambda: 5.0)
    back = session.load("low-tide")
    assert back.players[0].weight_at(5.0) == pytest.approx(0.25, abs=0.01)
    assert back.draft.look == {"par-1": {"Dimmer": 0.3}}


@pytest.mark.parametrize("content", [b"", b"\x00", b"\x81\xa1x", os.urandom(200)])
def test_a_damaged_session_is_forgotten(content):
    session.path_for("low-tide").write_bytes(content)
    assert session.load("low-tide") is None


def test_what_was_on_at_the_end_is_resumed_only_when_that_is_wanted(own_folders):
    now = time.monotonic()
    last = state_with("slack-water-pad", now)
    session.save("low-tide", play.blank(), last)
    assert session.load("low-tide") == play.blank()
    assert not session.resume_last("another")
    assert session.resume_last("low-tide")
    assert session.load("low-tide") == last
    assert not session.resume_last("low-tide")


def test_session_names_stay_in_their_folder():
    assert session.path_for("../../etc/passwd").parent == folders.state()


@given(level, level, st.lists(level, min_size=1, max_size=30))
def test_a_fader_never_jumps_further_than_the_hand_moved_in_proportion(
    start, first, moves
):
    """From any level and any place of the fader: within 0…1, in the hand's direction,
    and at the ends together.
    """
    hand = Takeover()
    now = hand.move(FADER, start, first)
    at = first
    for to in moves:
        new = hand.move(FADER, now, to)
        assert 0.0 <= new <= 1.0
        if to in (0.0, 1.0):
            assert new == to
        elif abs(at - now) > 2.6 / 127:
            assert (new - now) * (to - at) >= -1e-12
        now, at = new, to


def test_a_controller_that_went_away_is_not_trusted_to_stand_where_it_stood():
    hand = Takeover()
    fader = midi_control("a", "cc", 0, 1)
    hand.move(fader, 0.5, 0.5)
    hand.forget("a")
    assert hand.move(fader, 0.5, 0.9) == 0.5


def test_folders_are_the_users_alone(own_folders):
    assert (folders.runtime().stat().st_mode & 0o777) == 0o700
    assert folders.source_id() == folders.source_id()
    assert len(folders.source_id()) == 16


def test_without_a_runtime_folder_there_is_one_of_the_users_own(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_RUNTIME_DIR", "")
    monkeypatch.setattr(folders.tempfile, "gettempdir", lambda: str(tmp_path))
    folder = folders.runtime()
    assert folder == tmp_path / f"choreon-runtime-{os.getuid()}"
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700


@pytest.mark.parametrize("what", ["a link", "a file", "another user's"])
def test_a_runtime_folder_that_is_not_ours_is_refused_in_words(
    monkeypatch, tmp_path, what
):
    monkeypatch.setenv("XDG_RUNTIME_DIR", "")
    monkeypatch.setattr(folders.tempfile, "gettempdir", lambda: str(tmp_path))
    place = tmp_path / f"choreon-runtime-{os.getuid()}"
    if what == "a link":
        (tmp_path / "elsewhere").mkdir()
        place.symlink_to(tmp_path / "elsewhere")
    elif what == "a file":
        place.write_text("")
    else:
        place.mkdir()
        other = os.getuid() + 1
        monkeypatch.setattr(folders.os, "getuid", lambda: other)
        place.rename(tmp_path / f"choreon-runtime-{other}")
    with pytest.raises(
        folders.FolderRefused, match="Take it away, or set XDG_RUNTIME_DIR"
    ):
        folders.runtime()


def test_what_a_client_sent_before_it_went_is_still_heard(own_folders):
    """It sends its last message and closes, while an answer to it is being written."""
    heard: list[str] = []
    link = Link(
        own_folders / "l.sock",
        lambda peer, message: heard.append(type(message).__name__),
        lambda: protocol.State(PlayState()),
        lambda: None,
    )
    try:
        client = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        client.connect(str(own_folders / "l.sock"))
        link.accept()
        (peer,) = link.peer_of.values()
        client.sendall(protocol.pack(protocol.Hello()))
        link.serve(peer, selectors.EVENT_READ)
        client.sendall(protocol.pack(Do(to_tile("cello-pad"), Verb.PRESS)))
        client.close()
        for _ in range(3):
            link.notice(protocol.Nodes((), "nobody reads this"))
            link.tell_all()
        link.serve(peer, selectors.EVENT_READ)
        assert heard == ["Hello", "Do"]
        link.serve(peer, selectors.EVENT_READ)  # and the end is met after it
        assert link.clients == 0
    finally:
        link.start()
        link.close()


FIRST_FRAME = """
import sys
from choreon.demo import low_tide
from choreon.engine.engine import opened
from choreon.engine import actions
from choreon.engine.do import Do
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
show = low_tide()
state = opened(show)
compiled = compile_show(show)
if sys.argv[1] == "all":
    for playable in show.playables.values():
        state = actions.perform(show, state, Do(playable.ref, Verb.PRESS), 0.0)
compiled.warm(state)
before = set(sys.modules)
for n in range(20):
    render(compiled, state, 0.1 * n)
print(sorted(set(sys.modules) - before))
"""


@pytest.mark.parametrize("plays", ["nothing", "all"])
def test_frames_load_nothing_that_was_not_loaded_before_the_first(plays):
    command = [sys.executable, "-c", FIRST_FRAME, plays]
    done = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert done.stdout.strip() == "[]", done.stderr
