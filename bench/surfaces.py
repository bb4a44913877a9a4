"""Controllers at speed: eight faders at a thousand messages a second each, what comes
back to them, how long it is from plugged in to playing; and a clock with jitter.
"""

from __future__ import annotations

import random
import time

from bench.room import Room, room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import PERIOD
from choreon.engine.inputs.midi_clock import CLOCK, TICKS, ClockFollower
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.inputs import Answer, Pickup, midi_control
from choreon.model.refs import GRAND
from choreon.sim.controller import PracticeController

FADERS, RATE, SECONDS = 8, 1000, 5.0
DESK = "Bench desk"
WAITED = 0.2  # seconds that a pulse takes which had not come yet


def tied(place: Room) -> None:
    """The sample show with eight faders of a desk, one on the grand master."""
    show = showfile.read(place.path)
    tiles = [t.ref for p in show.pages.values() for t in p.tiles if t.kind == "fader"]
    jump = Answer(pickup=Pickup.JUMP)
    for n, target in enumerate([GRAND, *tiles][:FADERS]):
        fader = midi_control(DESK, "cc", 0, n)
        show = edits.learn(show, fader, target, answer=jump)
    showfile.write(place.path, show)


def flood(desk: PracticeController, seconds: float) -> int:
    """Move all faders as fast as that; returns how many messages went out."""
    begin, sent = time.monotonic(), 0
    while (now := time.monotonic()) < begin + seconds:
        want = int((now - begin) * RATE)
        while sent < want * FADERS:
            value = (sent // FADERS) % 128
            desk.send_raw(b"".join(bytes((0xB0, n, value)) for n in range(FADERS)))
            sent += FADERS
        time.sleep(0.002)
    return sent


def newest(client: engine_client.Client) -> protocol.Pulse:
    """The newest word on how the engine is, once all that waits is read."""
    pulse, quiet = client.wait_for(protocol.Pulse), False
    while not quiet:
        begin = time.monotonic()
        pulse = client.wait_for(protocol.Pulse)
        quiet = time.monotonic() - begin > WAITED
    return pulse


def faders() -> None:
    """Frames that were missed while eight faders fly, and what is on the wire then."""
    with room() as place:
        tied(place)
        engine_client.start_engine(place.path)
        client = engine_client.connect(20.0)
        place.packet(20.0)
        desk = PracticeController(name=DESK)
        plugged = time.monotonic()
        while not desk.connected:
            time.sleep(0.005)
        opened = time.monotonic() - plugged
        print(f"plugged in to playing: {opened:.2f} s  (goal ≤ 1)")

        before = newest(client)
        sent = flood(desk, SECONDS)
        after = newest(client)
        missed, late = after.missed - before.missed, after.late - before.late
        frames = after.frames - before.frames
        print(
            f"{sent / SECONDS:.0f} messages a second: {missed} frames missed, {late} "
            f"late of {frames}; worst {after.lateness:.1f} ms  (goal 0)"
        )
        _last_value(place, desk)
        client.close()
        desk.close()


def _last_value(place: Room, desk: PracticeController) -> None:
    """From the last message to the packet that shows it."""
    waits = []
    for n in range(30):
        time.sleep(0.12)
        _drain(place)
        known: dict[int, bytes] = {}
        while len(known) < 2:
            _, packet = place.packet()
            known[packet.universe] = bytes(packet.slots)

        desk.send_raw(bytes((0xB0, 1, 127 if n % 2 else 20)))
        sent = time.monotonic()
        while time.monotonic() < sent + 0.5:
            now, packet = place.packet()
            if known.get(packet.universe) != bytes(packet.slots):
                waits.append((now - sent) / PERIOD)
                break
    waits.sort()
    if waits:
        middle = waits[len(waits) // 2]
        print(f"fader to wire, in play: {middle:.2f} periods  (goal ≤ 1 and a frame)")


def _drain(place: Room) -> None:
    end = time.monotonic() + 0.05
    while time.monotonic() < end:
        place.packet()


def clock() -> None:
    """A clock with ±3 ms of jitter: how far tempo and beats lie off."""
    dice = random.Random(1)
    worst_tempo = worst_beat = 0.0
    for bpm in (72.0, 120.0, 174.0):
        follower = ClockFollower()
        for n in range(64 * TICKS):
            true = 50.0 + n * 60.0 / (bpm * TICKS)
            beat = follower.take(CLOCK, true + dice.uniform(-0.003, 0.003))
            if beat is not None and n > 8 * TICKS:
                worst_tempo = max(worst_tempo, abs(beat.bpm / bpm - 1.0))
                worst_beat = max(worst_beat, abs(beat.at - true))
    print(
        f"clock with ±3 ms: tempo within {100 * worst_tempo:.3f} %  (goal 0.2), beats "
        f"within {1000 * worst_beat:.1f} ms  (goal 5)"
    )


def main() -> None:
    """Print the measures."""
    clock()
    faders()
