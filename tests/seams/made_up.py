"""A made-up kind of each sort, registered from outside: one entry a layer. To be
imported before the show's model is.

A beacon plays: its lamps swell by a made-up effect, turn after turn, and after so many
turns it ends. A bell-pull is a tile that starts it, a doorbell an input, a ledger an
output that writes frames into a file.
"""

from __future__ import annotations

import os
import socket
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import numpy as np

from choreon.model import attributes as at
from choreon.model import inputs, motion, outputs, playables, tiles
from choreon.model.inputs import Control, Input, InputKind
from choreon.model.motion import Effect, Motion, MotionKind, Rate
from choreon.model.outputs import Output, OutputKind
from choreon.model.playables import Playable, PlayableKind
from choreon.model.tiles import PlayingTile

assert "choreon.model.show" not in sys.modules  # else its types are fixed already

# the model


class Beacon(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="beacon"):
    """Lamps that swell, so many turns of so many seconds."""

    kind: ClassVar[str] = "beacon"

    lamps: tuple[str, ...] = ()
    turns: int = 4
    seconds: float = 1.0


class Swell(
    Motion,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="swell",
):
    """From dark up to `top`, and dark again."""

    kind: ClassVar[str] = "swell"

    top: float = 1.0


class BellPull(PlayingTile, frozen=True, kw_only=True, omit_defaults=True, tag="bell"):
    """Starts what it plays; it cannot let it go."""

    kind: ClassVar[str] = "bell"

    rope: str = "hemp"


class Doorbell(Input, frozen=True, kw_only=True, tag="doorbell"):
    """A doorbell at a door."""

    kind: ClassVar[str] = "doorbell"

    door: str

    @property
    def control(self) -> Control:
        return Control("doorbell", self.door, "bell")


class Ledger(Output, frozen=True, kw_only=True, omit_defaults=True, tag="ledger"):
    """Writes frames into a file."""

    kind: ClassVar[str] = "ledger"

    file: str = ""


def _nothing_wrong(show: object, thing: object) -> Iterator[object]:
    return iter(())


playables.AnyPlayable |= Beacon
playables.KINDS["beacon"] = PlayableKind("beacon", Beacon, _nothing_wrong)
motion.AnyMotion |= Swell
motion.MOTIONS["swell"] = MotionKind(
    Swell,
    title=lambda swell: "swell",
    family=lambda swell: at.Family.INTENSITY,
    names=lambda swell: (at.DIMMER,),
    needs=lambda swell: (at.DIMMER,),
)
tiles.AnyTile |= BellPull
tiles.TILES["bell"] = BellPull
inputs.AnyInput |= Doorbell
inputs.INPUTS["doorbell"] = InputKind(
    "doorbell",
    Doorbell,
    tied=lambda i, target, control: Doorbell(id=i, target=target, door=control.device),
    called=lambda name: name,
    is_key=lambda name: True,
)
outputs.AnyOutput |= Ledger
outputs.OUTPUTS["ledger"] = OutputKind("Ledger", Ledger, lambda ledger: iter(()))


# the light

from choreon.model.playables import Scene  # noqa: E402
from choreon.render import choice, effects, sources  # noqa: E402
from choreon.render.effects import EffectBuilder, LiveEffects, Op, Running  # noqa: E402
from choreon.render.live import Moved  # noqa: E402
from choreon.render.looks import CompiledLook  # noqa: E402
from choreon.render.sources.scene import MovingScene, compile_scene  # noqa: E402
from choreon.render.state import Going, Time, replace  # noqa: E402


class SwellOp(Op):
    """One swell on rows of levels."""

    def __init__(self, running: Running, swell: Swell, rows: np.ndarray) -> None:
        self.running, self.swell, self.rows = running, swell, rows
        self.own = rows

    def target(self, look: CompiledLook) -> None:
        self.own = np.searchsorted(look.lamps, self.rows)

    def move(self, live: LiveEffects, position: float) -> None:
        part = position % 1.0
        live.levels[self.own] = self.swell.top * (1.0 - abs(2.0 * part - 1.0))

    def moved(self, live: LiveEffects) -> list[Moved]:
        return [Moved(self.running.name, self.rows, live.levels[self.own])]


def add_swell(
    builder: EffectBuilder,
    running: Running,
    swell: Swell,
    items: list[choice.Item],
    effect: Effect,
) -> None:
    found = [r for i in items for r in choice.rows(builder.rig, [i], at.DIMMER)]
    rows = np.array(sorted(found), np.int64)
    builder.lit[rows], builder.most[rows] = True, swell.top
    builder.ops.append(SwellOp(running, swell, rows))


class BeaconSource(MovingScene):
    """A look that swells, and its end."""

    end = Time()

    def ends(self) -> Time:
        return self.end

    def place(self, time: Time) -> str:
        return f"turn {int(time.seconds // self.turn) + 1}"


def compile_beacon(context, beacon: Beacon, aims) -> BeaconSource:
    swell = Swell(rate=Rate(seconds=beacon.seconds))
    effect = Effect(id="swell", motion=swell, fixtures=beacon.lamps)
    inner = Scene(id=beacon.id, name=beacon.name, effects=(effect,))
    moving = compile_scene(context, inner, aims)
    made = BeaconSource(moving.moving, moving.effects, {})
    made.turn = beacon.seconds
    made.end = Time(beacon.turns * beacon.seconds, np.inf)
    return made


effects.COMPILERS["swell"] = add_swell
sources.SOURCES["beacon"] = compile_beacon


# the engine

from choreon.engine import inputs as ways_in  # noqa: E402
from choreon.engine.actions import kinds, pads, players, tile_context  # noqa: E402
from choreon.engine.actions import tiles as tile_actions  # noqa: E402
from choreon.engine.actions.kinds import (  # noqa: E402
    RELEASED,
    PlayableActions,
    Stepped,
)
from choreon.engine.actions.tiles import TileActions  # noqa: E402
from choreon.engine.inputs import ControlMove, InputDevice, Surroundings  # noqa: E402
from choreon.model.verbs import Edge, Verb  # noqa: E402
from choreon.wire import outputs as ways_out  # noqa: E402
from choreon.wire.outputs.base import Packet, Stream  # noqa: E402


def begin(beacon: Beacon, now: float, clock) -> Going:
    return Going(now, clock.beat_at(now))


def step(show, beacon: Beacon, cursor: Going, clock, now: float, wanted) -> Stepped:
    beat = clock.beat_at(now)
    turn = int(cursor.time(now, beat).seconds // beacon.seconds)
    to = (turn + wanted.by if wanted.step is None else wanted.step) % beacon.turns
    return Stepped(Going(now, beat, to * beacon.seconds), 0.0)


def pull(context, do):
    return context.state if do.edge == Edge.UP else pads.bring_in(context)


class Doorbells(InputDevice):
    """Each datagram names a door whose bell is pressed."""

    kind = "doorbell"
    made: ClassVar[list[Doorbells]] = []

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self.lit: dict[str, float] = {}
        self.stuck = threading.Event()
        self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
        self._path = str(around.folder / "doorbells")
        if os.path.exists(self._path):
            os.unlink(self._path)
        self._socket.bind(self._path)
        self._socket.settimeout(0.2)
        self._ended, self._beat = False, time.monotonic()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()
        self.made.append(self)  # from now on it can be rung

    def _run(self) -> None:
        self.ports_changed({"front door": True}, "")
        while not self._ended:
            self._beat = time.monotonic()
            if self.stuck.is_set():
                time.sleep(3600.0)
            try:
                door = self._socket.recv(100).decode()
            except TimeoutError:
                continue
            except OSError:
                return
            self.moved(ControlMove(Control("doorbell", door, "bell"), 1.0))
            self.moved(ControlMove(Control("doorbell", door, "bell"), 0.0))

    def show(self, lights) -> None:
        self.lit = {control.device: light.level for control, light in lights.items()}

    @property
    def thread(self) -> threading.Thread:
        return self._thread

    @property
    def beat(self) -> float:
        return self._beat

    def abandon(self) -> None:
        self._ended = True

    def close(self) -> None:
        self._ended = True
        self._socket.close()


class LedgerStream(Stream):
    """Appends every universe to a file."""

    def __init__(self, *parts) -> None:
        self._file = None
        super().__init__(*parts)

    def build(self, universe: int, row: int) -> Packet:
        data = bytearray(512)
        return Packet(data, np.frombuffer(data, np.uint8), row, "file", universe)

    @property
    def is_open(self) -> bool:
        return self._file is not None

    def open(self) -> None:
        self._file = Path(self.destination.file).open("ab", buffering=0)  # noqa: SIM115

    def write(self, packet: Packet) -> None:
        self._file.write(packet.data)

    def mark_ended(self, packet: Packet) -> None:
        packet.slots[:] = 255

    def shut(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None


def hold(show, state, player, do, now, ways):
    """To half its level, its way of waiting."""
    return players.change(state, player, lambda p: replace(p, level=0.5))


kinds.KINDS["beacon"] = PlayableActions(
    begin, lambda beacon: RELEASED, step, acts={Verb.HOLD: hold}
)
tile_actions.TILES["bell"] = TileActions(
    {Verb.PRESS: pull}, tile_context.level_of, Verb.PRESS
)
ways_in.DEVICES["doorbell"] = Doorbells
ways_out.STREAMS["ledger"] = LedgerStream
