"""Live music in a real engine: a practice band sets the tempo and drives what it is
tied to; it goes, comes back, and is never learnt by accident.
"""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import pytest

from choreon.engine import protocol
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.inputs import Answer, MusicSettings, Pickup, music_control, tied
from choreon.model.refs import to_tile
from choreon.sound.listening import plug, practice_folder
from tests.conftest import until
from tests.sound.music import made
from tests.sound.test_files import write_wav

BPM = 100.0
FADER = to_tile("front-wash-fader")


class Ears:
    """What an engine tells of the music, and the state beside it."""

    def __init__(self, client) -> None:
        self.client = client
        self.state = client.wait_for(protocol.Welcome).state
        self.music = protocol.MusicIs()
        self.levels: list[tuple[float, ...]] = []

    def hear(self) -> protocol.MusicIs:
        for message in self.client.receive(0.05):
            if isinstance(message, protocol.MusicIs):
                self.music = message
                if message.levels:
                    self.levels.append(message.levels)
            elif isinstance(message, protocol.State):
                self.state = message.state
        return self.music

    def level_of(self, player: str) -> float:
        found = [p for p in self.state.players if p.ref.id == player]
        return found[0].level if found else 0.0


@pytest.fixture
def band(monkeypatch, tmp_path) -> Path:
    """A band that plays in the room."""
    monkeypatch.setenv("CHOREON_NO_CARDS", "1")
    song = write_wav(tmp_path / "song.wav", made(BPM, seconds=30.0).sound)
    return plug("Band", song)


@pytest.fixture
def listens(demo_show, tmp_path) -> Path:
    """A show that listens to it: the low drives a fader."""
    show = edits.replace(demo_show, music=MusicSettings(on=True, source="Band"))
    tie = tied("low", FADER, music_control("low"))
    tie = edits.replace(tie, answer=Answer(pickup=Pickup.JUMP))
    show = edits.put(show, "inputs", tie)
    path = tmp_path / "Listens.choreon"
    showfile.write(path, show)
    return path


def test_a_band_sets_the_tempo_and_drives_a_fader(engines, band, listens):
    ears = Ears(engines.start(listens))
    until(lambda: ears.hear().sure > 0.3)
    assert ears.music.sources == ("Band",)
    until(lambda: ears.hear() and abs(ears.state.clock.bpm / BPM - 1.0) < 0.03)

    # its low comes and goes: the fader with it
    seen: set[int] = set()

    def goes() -> bool:
        ears.hear()
        seen.add(round(10 * ears.level_of("front-wash")))
        return len(seen) > 3

    until(goes)
    until(lambda: ears.hear() and len(ears.levels) > 20)
    low = [levels[0] for levels in ears.levels]
    assert max(low) > 0.5 > min(low)


def test_the_beat_is_pulled_and_never_jumps(engines, band, listens):
    ears = Ears(engines.start(listens))
    until(lambda: ears.hear().bpm > 0.0)
    before, at = None, 0.0
    end = time.monotonic() + 4.0
    while time.monotonic() < end:
        ears.hear()
        now = time.monotonic()
        beat = ears.state.clock.beat_at(now)
        if before is not None:
            # it never goes back, but for what a state takes on its way here
            assert beat >= before - 0.2
            assert beat - before < (now - at) * 4.0 * 100.0 / 60.0 + 0.3
        before, at = beat, now


def test_a_band_that_goes_is_told_and_found_again(engines, band, listens, tmp_path):
    ears = Ears(engines.start(listens))
    until(lambda: ears.hear().levels)
    song = tmp_path / "song.wav"
    band.unlink()
    until(lambda: "Band" in ears.hear().trouble)
    plug("Band", song)
    until(lambda: ears.hear().levels and not ears.music.trouble)


def test_what_listens_is_killed_and_started_again(engines, band, listens):
    ears = Ears(engines.start(listens))
    until(lambda: ears.hear().levels)

    def listening() -> list[int]:
        found = []
        for path in Path("/proc").glob("[0-9]*/cmdline"):
            try:
                words = path.read_bytes().split(b"\0")
                around = (path.parent / "environ").read_bytes()
            except OSError:
                continue
            own = os.environ["XDG_RUNTIME_DIR"].encode()
            if b"listen" in words and own in around:
                found.append(int(path.parent.name))
        return found

    (pid,) = listening()
    os.kill(pid, signal.SIGKILL)
    count = len(ears.levels)
    until(lambda: listening() not in ([], [pid]))
    until(lambda: ears.hear() and len(ears.levels) > count + 5)
    engines.stop()
    until(lambda: listening() == [])


def test_nothing_listens_while_nobody_wants_it(engines, band, demo_path):
    ears = Ears(engines.start(demo_path))
    for _ in range(10):
        ears.hear()
    assert ears.music == protocol.MusicIs()
    assert practice_folder().exists()
