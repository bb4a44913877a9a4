"""The process that sounds, with practice cards that come and go."""

from __future__ import annotations

import os
import socket
import threading
import time
import wave

import numpy as np
import pytest

from choreon.sound import cards, process
from choreon.sound.asked import (
    Heard,
    Levels,
    Line,
    Lines,
    Shall,
    Voice,
    from_sound,
    pack,
    socket_path,
    to_sound,
)
from choreon.sound.cards import Practice, plug
from choreon.sound.mixer import RATE
from choreon.sound.pcm import Store
from choreon.sound.process import SoundProcess
from tests.conftest import until


def counting(path, seconds: float = 30.0, rate: int = RATE):
    """A WAV whose samples count milliseconds, from 1 on."""
    count = np.arange(round(seconds * rate)) * 1000 // rate + 1
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(count.astype("<i2").tobytes())
    return path


def kept(path) -> np.ndarray:
    """The milliseconds that a practice card was given, frame by frame."""
    sound = np.fromfile(path, np.float32)
    return np.round(sound[: len(sound) // 2 * 2].reshape(-1, 2)[:, 0] * 32768.0)


class Told:
    """Speaks to a process as an engine does, and keeps what it said last."""

    def __init__(self) -> None:
        self.socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self.socket.connect(str(socket_path()))
        self.socket.settimeout(0.5)
        self.heard = Heard()
        self._lines = Lines()

    def tell(self, message) -> None:
        self.socket.sendall(pack(message))

    def hear(self) -> Heard:
        for line in self._lines.feed(self.socket.recv(1 << 18)):
            self.heard = from_sound(line) or self.heard
        return self.heard


@pytest.fixture
def sounds(monkeypatch):
    """A process that plays by practice cards alone."""
    monkeypatch.setenv("CHOREON_NO_CARDS", "1")
    monkeypatch.setattr(process, "LOOK", 0.1)
    made: list[tuple[SoundProcess, threading.Thread, Told]] = []

    def begin() -> Told:
        one = SoundProcess()
        thread = threading.Thread(target=one.run, daemon=True)
        thread.start()
        made.append((one, thread, Told()))
        return made[-1][2]

    yield begin
    for one, thread, told in made:
        one.ended = True
        thread.join(60)
        told.socket.close()


def line_of(path, turn: int = 1, own: float = 0.0, runs: bool = True) -> Line:
    voice = Voice(str(path), 0.0, 30.0)
    return Line("one", turn, time.monotonic(), own, runs, 30.0, (voice,))


def test_what_is_told_is_heard_from_its_first_sample_and_where_it_is_is_told(
    sounds, tmp_path
):
    plug("Card A", Practice(keeps=str(tmp_path / "kept")))
    told = sounds()
    told.tell(Shall((line_of(counting(tmp_path / "a.wav")),), anew=True))
    until(lambda: told.hear().lines and told.heard.lines[0].own > 0.3)
    heard = told.heard
    assert (heard.device, heard.silent, heard.devices) == ("Card A", False, ("Card A",))
    sound = kept(tmp_path / "kept")
    begin = int(np.flatnonzero(sound)[0])
    # all of it, in its order, and nothing left out
    wanted = np.arange(len(sound) - begin) * 1000 // RATE + 1
    assert np.array_equal(sound[begin:], wanted)


def test_without_a_card_time_goes_on_and_it_is_told(sounds, tmp_path):
    told = sounds()
    until(lambda: "no sound card" in told.hear().trouble)
    told.tell(Shall((line_of(counting(tmp_path / "a.wav")),), anew=True))
    until(lambda: bool(told.hear().lines))
    first = told.heard.lines[0]
    until(lambda: told.hear().lines[0].own > first.own + 0.5)
    last = told.heard.lines[0]
    assert told.heard.silent
    assert last.own - first.own == pytest.approx(last.at - first.at, abs=0.1)


def test_a_card_that_goes_and_comes_back_is_found_and_the_sound_is_where_it_should_be(
    sounds, tmp_path
):
    card = plug("Card A", Practice(keeps=str(tmp_path / "first")))
    told = sounds()
    told.tell(
        Shall((line_of(counting(tmp_path / "a.wav")),), device="Card A", anew=True)
    )
    until(lambda: told.hear().lines and told.heard.lines[0].own > 0.2)
    begun = told.heard.lines[0].at - told.heard.lines[0].own
    card.unlink()
    until(lambda: told.hear().silent)
    assert "Card A is not there" in told.heard.trouble
    gone = told.heard.lines[0].own
    until(lambda: told.hear().lines[0].own > gone + 0.3)  # time goes on meanwhile

    plug("Card A", Practice(keeps=str(tmp_path / "again")))
    until(lambda: not told.hear().silent)
    assert told.heard.trouble == ""
    until(lambda: (tmp_path / "again").exists() and kept(tmp_path / "again").any())
    sound = kept(tmp_path / "again")
    assert sound[sound > 0][0] / 1000.0 > gone + 0.2  # it is not taken up where it was
    until(lambda: told.hear().lines[0].own > 0)
    last = told.heard.lines[0]
    assert last.at - last.own == pytest.approx(begun, abs=0.5)


def test_a_card_that_is_asked_for_is_taken_and_another_is_not(sounds, tmp_path):
    plug("Card A", Practice(keeps=str(tmp_path / "a")))
    plug("Card B", Practice(keeps=str(tmp_path / "b")))
    told = sounds()
    told.tell(Shall(device="Card B", anew=True))
    until(lambda: told.hear().device == "Card B")
    told.tell(Shall(device="Card C"))
    until(lambda: told.hear().silent and "Card C" in told.heard.trouble)


def test_what_lies_nowhere_is_told_and_the_rest_is_heard(sounds, tmp_path):
    plug("Card A", Practice(keeps=str(tmp_path / "kept")))
    torn = tmp_path / "torn.flac"
    torn.write_bytes(b"fLaC" + os.urandom(300))
    voices = tuple(
        Voice(str(path), 0.0, 30.0)
        for path in (
            counting(tmp_path / "a.wav"),
            tmp_path / "gone.wav",
            torn,
        )
    )
    told = sounds()
    told.tell(
        Shall((Line("one", 1, time.monotonic(), 0.0, True, 30.0, voices),), anew=True)
    )
    until(lambda: "gone.wav" in told.hear().trouble and "torn" in told.heard.trouble)
    until(lambda: told.hear().lines and told.heard.lines[0].own > 0.2)
    assert kept(tmp_path / "kept").max() > 50


def test_it_is_silent_once_its_engine_has_been_gone_for_a_while(
    sounds, tmp_path, monkeypatch
):
    monkeypatch.setattr(process, "ALONE", 0.3)
    plug("Card A", Practice(keeps=str(tmp_path / "kept")))
    told = sounds()
    told.tell(Shall((line_of(counting(tmp_path / "a.wav")),), anew=True))
    until(lambda: told.hear().lines and told.heard.lines[0].own > 0.2)
    told.socket.close()
    until(lambda: not kept(tmp_path / "kept")[-960:].any())


def test_garbage_on_its_line_ends_that_and_nothing_else(sounds, tmp_path):
    told = sounds()
    told.socket.sendall(b"\x00\xff{]\n" + b'{"type":"shall","lines":7}\n')
    told.tell(Levels({"one": 0.5}))
    until(lambda: told.hear().trouble != "")
    assert to_sound(b"nonsense") is None
    assert from_sound(b"[]") is None


@pytest.mark.parametrize(("rate", "seconds"), [(8_000, 1.0), (192_000, 0.5)])
def test_files_of_any_rate_come_as_the_same_sound(tmp_path, rate, seconds):
    store = Store(tmp_path / "cache")
    path = counting(tmp_path / "a.wav", seconds, rate)
    pcm = store.get(str(path))
    frames = round(seconds * RATE)
    until(lambda: pcm.read(frames - 200, 1)[0, 0] > 0.0)
    sound = pcm.read(0, frames)[:, 0] * 32768.0
    wanted = np.arange(frames) * 1000.0 / RATE + 1
    assert np.abs(sound - wanted)[100:-100].max() < 4.0
    assert not pcm.read(-50, 50).any()
    assert not pcm.read(frames + 10, 50).any()
    assert pcm.read(-50, 60)[50:].any()


def test_a_file_is_decoded_once_and_what_was_left_half_done_is_taken_away(tmp_path):
    folder = tmp_path / "cache"
    path = counting(tmp_path / "a.wav", 1.0)
    first = Store(folder).get(str(path))
    until(lambda: len(list(folder.glob("*.pcm"))) == 1)
    assert first.read(100, 1)[0, 0] > 0.0
    (folder / "x.1.part").write_bytes(b"half")
    again = Store(folder)
    assert not list(folder.glob("*.part"))
    pcm = again.get(str(path))
    until(lambda: pcm.read(100, 1)[0, 0] > 0.0)
    assert len(list(folder.glob("*.pcm"))) == 1


def test_a_file_of_no_length_and_one_that_is_no_sound_are_told(tmp_path):
    store = Store(tmp_path / "cache")
    empty = tmp_path / "empty.wav"
    empty.write_bytes(b"")
    for path in (empty, tmp_path):
        pcm = store.get(str(path))
        until(lambda pcm=pcm: pcm.trouble != "")
        assert path.name in pcm.trouble
    assert len(store.troubles) == 2


def test_the_cards_of_this_machine_can_be_looked_for(monkeypatch, capfd):
    """There may be none; whatever a library says of that is not shown."""
    monkeypatch.delenv("CHOREON_NO_CARDS", raising=False)
    found = cards.Cards().look()
    assert all(isinstance(name, str) and name for name in found)
    assert "ALSA lib" not in capfd.readouterr().err
