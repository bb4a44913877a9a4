"""From hand to light, from start to light, and through kills."""

from __future__ import annotations

import itertools
import os
import random
import signal
import statistics
import subprocess
import sys
import time

from bench.room import Room, room
from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import PERIOD
from choreon.engine.do import Do
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController


def window(place: Room) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "choreon", "open", str(place.path)],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


def hand_to_light(place: Room, rounds: int = 60) -> None:
    """From a controller's message to the packet that shows it, in frame periods."""
    device = PracticeController()
    client = engine_client.connect(10.0)
    while not device.connected:
        time.sleep(0.02)
    time.sleep(0.3)
    took = []
    dice = random.Random(3)
    for i in range(rounds):
        time.sleep(0.05 + dice.random() * PERIOD)
        place.drain()
        before = time.monotonic()
        device.hit_pad(7)  # the strobe panel: on and off without a fade
        want = 230 if i % 2 == 0 else 0
        while True:
            now, packet = place.packet()
            if packet.universe == 3 and packet.slots[110] == want:
                break
        took.append((now - before) / PERIOD)
    took.sort()
    print(
        f"controller → packet: median {statistics.median(took):.2f}, 95 % "
        f"{took[int(0.95 * len(took))]:.2f}, "
        f"worst {took[-1]:.2f} frame periods  (goal ≤ 1)"
    )
    client.close()
    device.close()


def starts() -> None:
    firsts, shown = [], []
    for _ in range(3):
        with room() as place:
            begin = time.monotonic()
            engine_client.start_engine(place.path)
            firsts.append(place.packet()[0] - begin)
        with room() as place:
            sock = folders.runtime() / "window.sock"
            begin = time.monotonic()
            running = window(place)
            while not sock.exists():
                time.sleep(0.005)
            shown.append(time.monotonic() - begin)
            running.kill()
            running.wait()
    print(f"start → first frame: {statistics.median(firsts):.2f} s  (goal ≤ 1)")
    print(f"start → window shown: {statistics.median(shown):.2f} s  (goal ≤ 2)")


def kills() -> None:
    with room() as place:
        sock = folders.runtime() / "window.sock"
        running = window(place)
        while not sock.exists():
            time.sleep(0.01)
        client = engine_client.connect(10.0)
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
        time.sleep(0.5)
        before = client.wait_for(protocol.Pulse)
        place.drain()
        running.kill()
        running.wait()
        time.sleep(2.0)
        numbers = [p.sequence for p in place.drain() if p.universe == 1]
        client.receive()
        after = client.wait_for(protocol.Pulse)
        lost = sum((b - a) % 256 != 1 for a, b in itertools.pairwise(numbers))
        print(
            f"window killed: {lost} frames lost on the wire, "
            f"{after.missed - before.missed} skipped  (goal 0)"
        )
        running = window(place)
        client.close()
        sock.unlink(missing_ok=True)
        while not sock.exists():
            time.sleep(0.01)
        time.sleep(1.0)
        client = engine_client.connect(10.0)
        pid = client.wait_for(protocol.Welcome).pid
        client.close()
        place.drain()
        os.kill(pid, signal.SIGKILL)
        begin = time.monotonic()
        time.sleep(0.06)
        place.drain()
        while True:
            now, packet = place.packet(10)
            if packet.universe == 1 and packet.slots[0] == 217:
                break
        print(f"engine killed → the same light again: {now - begin:.2f} s  (goal ≤ 1)")
        running.kill()
        running.wait()


def main() -> None:
    with room() as place:
        engine_client.start_engine(place.path)
        hand_to_light(place)
    starts()
    kills()
