"""What sounds, measured with real processes: how far light and sound are apart by a
card whose clock is wrong, and how soon the sound is back that was killed.
"""

from __future__ import annotations

import os
import signal
import statistics
import time
import wave
from pathlib import Path

import numpy as np

from bench.room import room
from choreon import folders
from choreon.demo.low_tide import low_tide
from choreon.engine import client as engine_client
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
from choreon.sound.mixer import RATE

SONG = Ref("timeline", "song")
LONG, KILLS = 20.0, 5  # seconds listened to, and how often it is killed
LATENCY, FAST = 0.06, 200.0
STEADY = 6.0  # seconds after which a death is no more one of several
ROUND = 30.0  # seconds of the loop
APART = 0.05  # seconds within which light and sound count as together


def counting(path: Path, seconds: float) -> None:
    """A WAV whose samples count milliseconds, from 1 on."""
    count = np.arange(round(seconds * RATE)) * 1000 // RATE + 1
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes((count % 32_000).astype("<i2").tobytes())


class Ears:
    """Where light and sound of a song are."""

    def __init__(self, client: engine_client.Client, kept: Path) -> None:
        self.client, self.kept = client, kept
        self.state = client.wait_for(protocol.Welcome).state
        self.late = 0

    def listen(self, seconds: float = 0.0) -> None:
        """Take what the engine says."""
        for message in self.client.receive(seconds):
            if isinstance(message, protocol.State):
                self.state = message.state
            elif isinstance(message, protocol.Pulse):
                self.late = message.late

    def light(self) -> float:
        """Where the light is, in seconds."""
        self.listen()
        found = [p for p in self.state.players if p.ref == SONG]
        cursor = cursor_of(found[0]) if found else None
        return -1.0 if cursor is None else cursor.time(time.monotonic(), 0.0).seconds

    def off(self) -> float:
        """By how many seconds the light is ahead of what is heard just now."""
        if not self.kept.exists():
            return 9.0
        about = self.kept.stat()
        with self.kept.open("rb") as file:
            file.seek(max(0, about.st_size // 8 * 8 - 8))
            last = np.frombuffer(file.read(8), np.float32)
        light = self.light()
        given = time.time() - about.st_mtime  # since the card was given its last block
        if not len(last) or last[0] <= 0.0:
            return 9.0
        heard = round(float(last[0]) * 32768) / 1000.0 - LATENCY - 0.02 + given
        return (light - heard + ROUND / 2) % ROUND - ROUND / 2


def _show(path: Path) -> None:
    song = path.parent / "song.wav"
    counting(song, 30.0)
    show, sound = sounds.add(low_tide(), str(song), "Song", 30.0)
    show, ref = timelines.add(show, "Song")
    line = timelines.add_track(show.playables[ref.id], "Sound", TrackSort.SOUND)  # type: ignore[arg-type]
    line, _ = timelines.put_clips(line, line.tracks[-1].id, 0.0, [(sound, ROUND)])
    light = Ref("scene", "slack-water")
    line, _ = timelines.put_clips(line, "light", 0.0, [(light, 30.0)])
    line = timelines.loop_bars(line, 0.0, 30.0)
    showfile.write(path, edits.put(show, "playables", line))


def _sound_pid() -> int:
    found = heartbeat(folders.runtime())
    if found is None:
        return 0
    pid = found[1].sound_pid
    found[1].close()
    return pid


def main() -> None:
    """Print it."""
    with room() as place:
        os.environ["CHOREON_NO_CARDS"] = "1"
        kept = place.path.parent / "kept"
        _show(place.path)
        plug("Card", Practice(fast=FAST, jitter=0.01, latency=LATENCY, keeps=str(kept)))
        process = engine_client.start_engine(place.path)
        ears = Ears(engine_client.connect(20.0), kept)
        ears.client.send(Do(SONG, Verb.START, 1.0))
        end = time.monotonic() + 5.0
        while time.monotonic() < end:
            ears.listen(0.05)
        _together(ears)
        _killed(ears)
        ears.client.send(protocol.Stop(0.0))
        process.wait(20)


def _together(ears: Ears) -> None:
    found = []
    end = time.monotonic() + LONG
    while time.monotonic() < end:
        ears.listen(0.05)
        found.append(1000.0 * ears.off())
    near = [abs(off) for off in found if abs(off) < 5000]
    near.sort()
    most = near[int(0.95 * len(near))]
    print(
        f"light and sound apart, card {FAST:.0f} ppm fast, {LONG:.0f} s: "
        f"{statistics.median(near):.1f} ms, 95 % within {most:.1f} "
        f"(a block of the card is 20 ms; goal 10)"
    )


def _killed(ears: Ears) -> None:
    found = []
    for _ in range(KILLS):
        pid = _sound_pid()
        size = ears.kept.stat().st_size
        os.kill(pid, signal.SIGKILL)
        begun = time.monotonic()
        while _sound_pid() in (0, pid) or ears.kept.stat().st_size <= size:
            ears.listen(0.005)
        back = time.monotonic()
        while abs(ears.off()) > APART and time.monotonic() < back + 10.0:
            ears.listen(0.005)
        found.append((back - begun, time.monotonic() - begun))
        end = time.monotonic() + STEADY
        while time.monotonic() < end:
            ears.listen(0.05)
    again, together = zip(*found, strict=True)
    print(
        f"sound killed {KILLS} times: back after {statistics.median(again):.2f} s, "
        f"worst {max(again):.2f} (goal 0.5); at its place after "
        f"{statistics.median(together):.2f} s; frames late meanwhile {ears.late}"
    )
