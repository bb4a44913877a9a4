"""What no program of ours would send or write: to the readers alone, by the hundred
thousand, and to an engine that plays.
"""

from __future__ import annotations

import logging
import os
import random
import socket
import time

from bench.memory import held
from bench.room import Room, room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb
from tests import mutate

MANY = 1_000_000
SHARE = {
    "messages": 0.82,
    "outputs": 0.1,
    "types": 0.05,
    "sessions": 0.02,
    "shows": 0.01,
}
LIVE = 60.0  # seconds in which an engine is sent them


def main(minutes: float = 10.0) -> None:
    """`minutes`: how long the readers may take, at most."""
    logging.disable(logging.CRITICAL)
    with room() as place:
        _readers(60 * minutes)
    with room() as place:
        _engine(place)


def _readers(seconds: float) -> None:
    begin = time.monotonic()
    tried = taken = 0
    faults: list[str] = []
    first = 0
    while tried < MANY and time.monotonic() - begin < seconds:
        for what, share in SHARE.items():
            at = tried // 10_000 * 10_000
            for seed in range(at, at + int(10_000 * share)):
                try:
                    taken += mutate.TRIES[what](random.Random(seed))
                except Exception as error:
                    faults.append(f"  {what}, seed {seed}: {error!r}")
        tried += 10_000
        first = first or (held(os.getpid()) if tried >= 100_000 else 0)
    grown = (held(os.getpid()) - first) / 1e6 if first else 0.0
    print(
        f"{tried} mutated messages, shows, sessions, types, outputs in "
        f"{(time.monotonic() - begin) / 60:.1f} min: {taken} taken, {len(faults)} "
        f"faults (goal 0), memory +{grown:.1f} MB since the first 100,000"
    )
    print("\n".join(faults[:20]))


def _line() -> socket.socket:
    made = socket.socket(socket.AF_UNIX)
    made.connect(str(engine_client.socket_path()))
    made.settimeout(0.05)
    return made


def _engine(place: Room) -> None:
    """An engine that plays is sent mutated messages as fast as it takes them; its light
    must not stop.
    """
    engine_client.start_engine(place.path)
    client = engine_client.connect(10.0)
    pid = client.wait_for(protocol.Welcome).pid
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    time.sleep(1.0)
    dice, sent, gap = random.Random(1), 0, 0.0
    place.drain()
    end, last, warm = time.monotonic() + LIVE, time.monotonic(), 0
    line = _line()
    while time.monotonic() < end:
        try:
            for _ in range(50):
                body = mutate.cut(dice, dice.choice(mutate.messages()))
                line.sendall(len(body).to_bytes(4, "little") + body)
                sent += 1
            line.recv(1 << 20)
        except TimeoutError:
            pass
        except OSError:
            line.close()
            line = _line()
        now = time.monotonic()
        if place.drain():
            gap, last = max(gap, now - last), now
        if not warm and now > end - LIVE / 2:
            warm = held(pid)
    client.close()
    again = engine_client.connect(10.0)
    alive = again.wait_for(protocol.Welcome).pid == pid
    print(
        f"{sent} mutated messages to an engine in {LIVE:.0f} s: it "
        f"{'lives' if alive else 'DIED'}, longest silence {gap:.2f} s, memory "
        f"{(held(pid) - warm) / 1e6:+.1f} MB in the second half"
    )
    again.close()
    place.stop_engine()
