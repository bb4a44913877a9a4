"""Never dark: what hangs, dies or fills up, and what of it is seen on the wire."""

from __future__ import annotations

import contextlib
import itertools
import multiprocessing
import os
import random
import signal
import statistics
import subprocess
import sys
import threading
import time
from pathlib import Path

from bench.memory import Memory
from bench.presses import bare_gaps, pads
from bench.room import Room, room
from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import PERIOD
from choreon.engine.do import Do
from choreon.engine.instance_lock import holder
from choreon.formats import rescue, showfile
from choreon.model import changes, edits
from choreon.model.playables import Scene
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController

ROUNDS = 3
FAULTS = ("killed", "stopped", "frames", "spin", "grip", "crash")
EDITS = 20  # a second
# Of a soak: processes are killed in its first part, every so many seconds; memory is
# looked at in its last one.
KILLED, LOOKED_AT, KILLS_EVERY = 0.2, 0.6, 60.0
FRESH = 1.0  # seconds: an edit older than that must not be lost
LIT = 217  # front 1 with the front wash full
SHOW, FIXTURES = "low-tide", 50  # what the file has to hold


def hangs() -> None:
    """Each way to end an engine: how long nothing is sent, and the same light after."""
    os.environ["CHOREON_FAULTS"] = "1"
    for fault in FAULTS:
        gaps, same = [], 0
        for _ in range(ROUNDS):
            with room() as place:
                gap, light = _hang(place, fault)
                gaps.append(gap)
                same += light
        goal = 0.6 if fault in ("killed", "crash") else 2.0
        print(
            f"engine {fault}: silent for {statistics.median(gaps):.2f} s, worst "
            f"{max(gaps):.2f}, the same light {same} of {ROUNDS}  (goal ≤ {goal})"
        )


def _hang(place: Room, fault: str) -> tuple[float, bool]:
    engine_client.start_engine(place.path)
    client = engine_client.connect(10.0)
    pid = client.wait_for(protocol.Welcome).pid
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    time.sleep(1.5)
    place.drain()
    last = begin = time.monotonic()
    if fault == "killed":
        os.kill(pid, signal.SIGKILL)
    elif fault == "stopped":
        os.kill(pid, signal.SIGSTOP)
    else:
        client.send(protocol.Fault(fault))
    gap, level = 0.0, 0
    while time.monotonic() < begin + 4.0:
        with contextlib.suppress(TimeoutError):
            now, packet = place.packet(4.0)
            if packet.universe == 1:
                gap, last, level = max(gap, now - last), now, packet.slots[0]
    client.close()
    place.stop_engine()
    return gap, level == LIT


def edits_beside() -> None:
    """20 edits a second beside a show that plays: the longest gap between packets."""
    with room() as place:
        pads(place)
        engine_client.start_engine(place.path)
        client = engine_client.connect(20.0)
        show = client.wait_for(protocol.Welcome).show
        place.packet(20.0)
        for n in range(10):
            client.send(Do(to_tile(f"t{n}"), Verb.PRESS))
        time.sleep(4.0)
        client.receive()
        place.drain()
        ours, theirs = multiprocessing.Pipe(False)
        seconds, dice = 15.0, random.Random(2)
        work = multiprocessing.get_context("spawn")
        loop = work.Process(target=bare_gaps, args=(seconds, theirs))
        loop.start()
        arrived: list[float] = []
        begin = time.monotonic()
        for n in range(int(seconds * EDITS)):
            scenes = [p for p in show.playables.values() if isinstance(p, Scene)]
            scene = dice.choice(scenes[:20])
            level = dice.random()
            look = {i: {**v, "Dimmer": level} for i, v in scene.look.items()}
            after = edits.put(show, "playables", edits.replace(scene, look=look))
            client.send(protocol.Edit(changes.difference(show, after)))
            show = after
            client.receive()
            while time.monotonic() < begin + (n + 1) / EDITS:
                now, packet = place.packet()
                if packet.universe == 1:
                    arrived.append(now)
        loop.join()
        bare = ours.recv()
        client.close()
        place.stop_engine()
    gaps = [(b - a) / PERIOD for a, b in itertools.pairwise(arrived)]
    print(
        f"{EDITS} edits a second of scenes of 240 fixtures, ten on: longest gap "
        f"{max(gaps):.2f} periods, of the bare loop {bare:.2f}  (goal ≤ 1 more)"
    )


def main() -> None:
    hangs()
    edits_beside()


class Soak:
    """A window, an engine and a controller that hands keep busy, and what becomes of
    them.
    """

    def __init__(self, place: Room, seed: int) -> None:
        self.place, self.dice, self.seed = place, random.Random(seed), seed
        self.log = place.path.with_suffix(".log")
        self.window: subprocess.Popen[bytes] | None = None
        self.kills = {"window": 0, "engine": 0, "supervisor": 0, "stopped": 0}
        self.lost_edits = self.lost_files = self.restarts = self.died = 0
        self.frames = self.jumps = 0
        self.gaps: list[float] = []
        self.story: list[str] = []
        self._last: dict[int, tuple[float, int]] = {}
        self._ended = False
        self._looked_at = 0  # lines of the log
        self.device = PracticeController()
        self._ear = threading.Thread(target=self._listen, daemon=True)
        self._hand = threading.Thread(target=self._play, daemon=True)
        self._ear.start()
        self._hand.start()

    def open(self) -> None:
        """Open the window."""
        self.restarts += 1
        command = [sys.executable, "-m", "bench.driven", str(self.place.path)]
        words = [str(self.seed * 1000 + self.restarts), str(self.log)]
        with self.place.path.with_suffix(".said").open("ab") as out:
            self.window = subprocess.Popen([*command, *words], stdout=out, stderr=out)

    def close(self) -> None:
        """End everything."""
        self._ended = True
        if self.window is not None:
            self.window.kill()
            self.window.wait()
        self._hand.join(2)
        self.device.close()
        self._ear.join(2)
        self.place.stop_engine()

    def _listen(self) -> None:
        while not self._ended:
            try:
                now, packet = self.place.packet(0.5)
            except (TimeoutError, OSError):
                continue
            self.frames += 1
            last = self._last.get(packet.universe)
            if last is not None:
                self.jumps += (packet.sequence - last[1]) % 256 != 1
                if packet.universe == 1 and now - last[0] > 3 * PERIOD:
                    self.gaps.append(now - last[0])
                    self.story.append(f"{now:.2f} silent for {now - last[0]:.2f}")
            self._last[packet.universe] = (now, packet.sequence)

    def _play(self) -> None:
        dice = random.Random(self.seed + 1)
        while not self._ended:
            time.sleep(0.1 * dice.random())
            if dice.random() < 0.7:
                self.device.move_fader(dice.randrange(8), dice.randrange(128))
            else:
                self.device.hit_pad(dice.randrange(16))

    def kill(self) -> None:
        """End one of them, as nobody should."""
        what = self.dice.choice(("window", "engine", "supervisor", "stopped"))
        engine, parent = holder(folders.runtime())
        if what == "window":
            self._kill_window()
        elif not engine:
            return
        else:
            with contextlib.suppress(ProcessLookupError):
                number = signal.SIGSTOP if what == "stopped" else signal.SIGKILL
                os.kill(
                    parent if what == "supervisor" and parent > 1 else engine, number
                )
        self.kills[what] += 1
        self.story.append(f"{time.monotonic():.2f} {what}")

    def _kill_window(self) -> None:
        if self.window is None or self.window.poll() is not None:
            self.open()
            return
        self.window.kill()
        died = time.monotonic()
        self.window.wait()
        self._check(died)
        self.open()

    def _check(self, died: float) -> None:
        """What lies on disk is whole, and no older than an edit may be lost. What a
        window did that died before was looked at then.
        """
        lines = [line.split() for line in self.log.read_text().splitlines()]
        lines, self._looked_at = lines[self._looked_at :], len(lines)
        old = [int(n) for at, n in lines if float(at) <= died - FRESH]
        try:
            show = showfile.read(self.place.path)
        except (showfile.ShowFileError, OSError):
            self.lost_files += 1
            return
        if show.id != SHOW or len(show.fixtures) != FIXTURES:
            self.lost_files += 1
            self.story.append(f"{died:.2f} lost: {show.id} lies in the file")
            return
        copy = rescue.find(self.place.path)
        kept = max(showfile.edits_of(self.place.path), copy.edits if copy else 0)
        if old and kept < old[-1]:
            self.lost_edits += 1
            self.story.append(f"{died:.2f} lost: {kept} on disk, {lines[-5:]}")

    def faults(self) -> int:
        """Tracebacks in what window and engine said."""
        said = [self.place.path.with_suffix(".said"), folders.state() / "engine.log"]
        return sum(
            path.read_text(errors="replace").count("Traceback")
            for path in said
            if path.exists()
        )

    def told(self) -> str:
        """What was found, in words."""
        worst = max(self.gaps, default=0.0)
        over = sum(gap > 2.0 for gap in self.gaps)
        kills = ", ".join(f"{n} {what}" for what, n in self.kills.items())
        return (
            f"kills: {kills}; {self.frames} packets, {self.jumps} out of order, "
            f"{len(self.gaps)} gaps beyond 3 periods, longest {worst:.2f} s, {over} "
            f"beyond 2 s; edits older than {FRESH:.0f} s lost: {self.lost_edits}, "
            f"files lost: {self.lost_files}, tracebacks: {self.faults()}, windows that "
            f"died by themselves: {self.died}"
        )


def kills(count: float = 1000) -> None:
    """So many random kills of window, engine and supervisor, and engines stopped."""
    with room() as place:
        soak = Soak(place, 1)
        soak.open()
        time.sleep(4.0)
        begin = time.monotonic()
        while sum(soak.kills.values()) < count:
            soak.kill()
            time.sleep(0.4 + 3.0 * soak.dice.random())
        minutes = (time.monotonic() - begin) / 60
        time.sleep(5.0)
        print(f"{count:.0f} kills in {minutes:.0f} min: {soak.told()}")
        _show(place, soak.story)
        soak.close()


def soak(minutes: float = 60.0) -> None:
    """Hands at work on window and controller, for so long. In the first part window,
    engine and supervisor are killed now and then; memory is looked at in the last one,
    when what is kept for speed has filled up.
    """
    with room() as place:
        soak = Soak(place, 2)
        soak.open()
        begin = time.monotonic()
        seconds = 60 * minutes
        watched = {"window": Memory(), "engine": Memory()}
        next_kill = KILLS_EVERY
        while (now := time.monotonic() - begin) < seconds:
            time.sleep(min(5.0, seconds / 100))
            if next_kill < now < KILLED * seconds:
                soak.kill()
                next_kill += KILLS_EVERY
                time.sleep(5.0)
            engine, _ = holder(folders.runtime())
            if soak.window is not None and soak.window.poll() is not None:
                soak.died += 1
                soak.story.append(f"{time.monotonic():.2f} the window died by itself")
                soak.open()
            if now > (1 - LOOKED_AT) * seconds and soak.window is not None:
                watched["window"].look(soak.window.pid, now)
                watched["engine"].look(engine, now)
        for what, memory in watched.items():
            print(
                f"{what}: {memory.last / 1e6:.0f} MB, {memory.slope():+.1f} MB an hour "
                f"over {memory.minutes:.0f} min  (goal ≤ 2)"
            )
            soak.story += [f"{what} {at:.0f} {size}" for at, size in memory.samples]
        print(f"{minutes:.0f} min: {soak.told()}")
        _show(place, soak.story)
        soak.close()


def _show(place: Room, story: list[str]) -> None:
    """Keep what was said and done, where CHOREON_SOAK_LOGS names a folder."""
    keep = os.environ.get("CHOREON_SOAK_LOGS")
    if keep:
        target = Path(keep)
        target.mkdir(parents=True, exist_ok=True)
        (target / "story.txt").write_text("\n".join(story))
        said = [place.path.with_suffix(".said"), folders.state() / "engine.log"]
        for path in (*said, place.path, *folders.state().glob("*.session")):
            if path.exists():
                (target / path.name).write_bytes(path.read_bytes())
