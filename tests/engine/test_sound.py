"""Timelines with sound, with a real engine and the process that sounds beside it."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import pytest

from choreon import folders
from choreon.engine import protocol
from choreon.engine.actions.timelines import cursor_of
from choreon.engine.do import Do
from choreon.engine.instance_lock import heartbeat
from choreon.formats import showfile
from choreon.model import edits, sounds, timelines
from choreon.model.playables.timeline import TrackSort
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from choreon.sound.cards import Practice, plug
from tests.conftest import until
from tests.sound.test_process import counting, kept

SONG = Ref("timeline", "song")


@pytest.fixture(autouse=True)
def loud(monkeypatch):
    """Engines that sound, by practice cards alone."""
    monkeypatch.delenv("CHOREON_SILENT")
    monkeypatch.setenv("CHOREON_NO_CARDS", "1")


@pytest.fixture
def song(demo_show, tmp_path) -> Path:
    """A show with a timeline of half a minute of sound, and light."""
    path = counting(tmp_path / "song.wav", 30.0)
    show, sound = sounds.add(demo_show, str(path), "Song", 30.0)
    show, ref = timelines.add(show, "Song")
    line = show.playables[ref.id]
    line = timelines.add_track(line, "Sound", TrackSort.SOUND)
    line, _ = timelines.put_clips(line, line.tracks[-1].id, 0.0, [(sound, 30.0)])
    line, _ = timelines.put_clips(
        line, "light", 0.0, [(Ref("scene", "slack-water"), 30.0)]
    )
    show = edits.put(show, "playables", line)
    file = tmp_path / "Song.choreon"
    showfile.write(file, show)
    return file


class Song:
    """A song that plays: where its light and its sound are."""

    def __init__(self, client, card: Path) -> None:
        self.client, self.card = client, card
        self.state = client.wait_for(protocol.Welcome).state
        self.sound = protocol.SoundIs()

    def listen(self) -> None:
        for message in self.client.receive(0.05):
            if isinstance(message, protocol.State):
                self.state = message.state
            elif isinstance(message, protocol.SoundIs):
                self.sound = message

    @property
    def cursor(self):
        self.listen()
        found = [p for p in self.state.players if p.ref == SONG]
        return cursor_of(found[0]) if found else None

    @property
    def light(self) -> float:
        """Where the light is now, in seconds."""
        cursor = self.cursor
        return -1.0 if cursor is None else cursor.time(time.monotonic(), 0.0).seconds

    @property
    def heard(self) -> float:
        """Where the sound is that was given to the card last, in seconds."""
        if not self.card.exists():
            return -1.0
        return float(kept(self.card)[-1]) / 1000.0

    def together(self) -> bool:
        """Whether light and sound go side by side: the card's latency, and the block
        that it has just been given, lie between them.
        """
        light, heard = self.light, self.heard
        return heard > 0.0 and abs(heard - light - 0.06 - 0.01) < 0.03


@pytest.fixture
def plays(engines, song, tmp_path):
    plug("Card A", Practice(keeps=str(tmp_path / "kept"), fast=200.0))
    client = engines.start(song)
    made = Song(client, tmp_path / "kept")
    until(lambda: made.listen() or made.sound.device == "Card A")
    return made


def sound_pid() -> int:
    found = heartbeat(folders.runtime())
    if found is None:
        return 0
    try:
        return found[1].sound_pid
    finally:
        found[1].close()


def test_light_and_sound_go_together_through_a_pause_and_a_leap(plays):
    plays.client.send(Do(SONG, Verb.START, 1.0))
    until(plays.together)
    plays.client.send(Do(SONG, Verb.PAUSE, 1.0))
    until(lambda: plays.heard == 0.0)  # silence
    stood = plays.light
    plays.client.send(Do(SONG, Verb.GO, 1.0))
    until(lambda: plays.light > stood and plays.together())
    plays.client.send(Do(SONG, Verb.STEP, 20.0))
    until(lambda: plays.heard > 20.0 and plays.together())
    plays.client.send(Do(SONG, Verb.RELEASE, 1.0))
    until(lambda: plays.heard == 0.0)


def test_the_sound_is_killed_and_comes_back_where_it_should_be_the_light_untouched(
    plays, node
):
    plays.client.send(Do(SONG, Verb.START, 1.0))
    until(plays.together)
    killed = sound_pid()
    os.kill(killed, signal.SIGKILL)
    at = plays.light
    until(lambda: sound_pid() not in (0, killed))
    until(lambda: plays.heard > at and plays.together())
    assert all(report.jumps == 0 for report in node.reports())


def test_the_sound_hangs_and_is_started_again(plays):
    plays.client.send(Do(SONG, Verb.START, 1.0))
    until(plays.together)
    hung = sound_pid()
    os.kill(hung, signal.SIGSTOP)
    until(lambda: sound_pid() not in (0, hung))
    until(plays.together)


def test_the_engine_is_killed_and_the_sound_goes_on_without_a_gap(plays, engines):
    plays.client.send(Do(SONG, Verb.START, 1.0))
    until(plays.together)
    sounding, (engine, _) = sound_pid(), (holder_of(), 0)
    os.kill(engine, signal.SIGKILL)
    welcome = engines.another(engine)
    again = Song.__new__(Song)
    again.client, again.card = engines.clients[-1], plays.card
    again.state, again.sound = welcome.state, protocol.SoundIs()
    until(again.together)
    assert sound_pid() == sounding
    sound = kept(plays.card)
    sound = sound[sound > 0]
    assert (sound[1:] - sound[:-1]).max() <= 1.0  # not a millisecond is missing


def holder_of() -> int:
    found = heartbeat(folders.runtime())
    assert found is not None
    found[1].close()
    return found[0]


def test_another_card_is_chosen_and_its_latency_by_ear_is_kept(plays, tmp_path):
    plug("Card B", Practice(keeps=str(tmp_path / "b"), latency=0.1))
    plays.client.send(protocol.SetSound("Card B", 0.04))
    until(lambda: plays.listen() or plays.sound.device == "Card B")
    until(lambda: plays.listen() or plays.sound.by_ear == pytest.approx(0.04))
    plays.client.send(Do(SONG, Verb.START, 1.0))
    plays.card = tmp_path / "b"
    # what the card was given last is heard 0.14 s later
    until(
        lambda: (
            plays.heard > 0.0 and abs(plays.heard - plays.light - 0.14 - 0.01) < 0.03
        )
    )


def test_the_engine_ends_and_nothing_is_left(plays, engines):
    pid = sound_pid()
    assert pid
    engines.stop()
    until(lambda: not Path(f"/proc/{pid}").exists())


def test_a_show_without_sounds_starts_no_process(engines, demo_show, tmp_path):
    show = edits.remove(demo_show, Ref("timeline", "lanterns-home-song"))
    path = tmp_path / "Silent.choreon"
    showfile.write(path, show)
    client = engines.start(path)
    client.send(Do(Ref("scene", "slack-water"), Verb.START, 1.0))
    client.wait_for(protocol.Pulse)
    client.wait_for(protocol.Pulse)
    assert sound_pid() == 0
