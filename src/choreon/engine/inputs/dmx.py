"""Desks whose DMX comes in: their slots as controls, or their universes over ours."""

from __future__ import annotations

import time
from typing import NamedTuple

import numpy as np

from choreon.engine.inputs.asking import ControlMove
from choreon.engine.inputs.base import Surroundings
from choreon.engine.inputs.feedback import Feedback
from choreon.engine.inputs.listening import Listener
from choreon.folders import source_id
from choreon.language import sentences, tr
from choreon.model.inputs import Control, DmxInput, Merge, dmx_control
from choreon.model.inputs.dmx import Desk, Lost
from choreon.model.outputs import ArtnetOutput
from choreon.model.show import SLOTS, Show
from choreon.render.desk_merge import Bytes, SlotMap, merged, slot_map
from choreon.render.state import Outside, Ramp
from choreon.wire.dmx_in import DmxPort, Heard

LOOK = 0.25  # seconds between two looks at what is to be listened to
AGAIN = 2.0  # seconds between two attempts to open a port
SILENCE = 2.5  # seconds after which a source is lost: E1.31, section 6.7.1
COMES, GOES = 0.5, 3.0  # seconds in which a desk comes over ours, and fades from it
TOUCH = 3.0  # seconds after the last move in which a desk counts as touched
MOVED = 2  # of 255: less is noise of a line
TOP = 255


class DeskState(NamedTuple):
    """What is known of a desk: what it sends, who it is, when it was heard and moved
    last (None: never), and how far it has come over ours.
    """

    slots: Bytes
    source: bytes = b""
    name: str = ""
    priority: int = 0
    heard: float | None = None
    moved: float | None = None
    share: Ramp = Ramp(0.0, 0.0, 0.0, 0.0)


NOTHING = DeskState(np.zeros(SLOTS, np.uint8))


class DmxDevice(Listener):
    """All desks that the show listens to."""

    kind = DmxInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self.version = 0
        """Another number whenever something else is to be sent."""
        self._own = source_id()
        self._ports: dict[tuple[str, int], DmxPort] = {}
        self._again = 0.0
        self._trouble: dict[tuple[str, int], str] = {}
        self._looped = ""
        self._desks: dict[str, Desk] = {}
        self._states: dict[str, DeskState] = {}
        self._last_told: tuple[object, ...] = ()
        self._maps: tuple[Show | None, dict[int, SlotMap]] = (None, {})
        self.begin()

    # what a kind says

    def show(self, lights: dict[Control, Feedback]) -> None:
        """A desk cannot be told what is on."""

    # what is sent

    def laid_over(self, show: Show, universes: tuple[int, ...], frame: Bytes) -> Bytes:
        """Returns a frame (U, 512) with desks laid over it, as they are now."""
        now = time.monotonic()
        made = frame
        for desk_id, state in self._states.items():
            desk = self._desks.get(desk_id)
            share = state.share.at(now)
            if desk is None or share <= 0.0 or desk.universe not in universes:
                continue
            row = universes.index(desk.universe)
            if made is frame:
                made = frame.copy()
            slots = self._map(show, desk.universe)
            made[row] = merged(made[row], state.slots, desk.merge, share, slots)
        return made

    def _map(self, show: Show, universe: int) -> SlotMap:
        if self._maps[0] is not show:
            self._maps = (show, {})
        known = self._maps[1]
        if universe not in known:
            known[universe] = slot_map(show, universe)
        return known[universe]

    def stirs(self) -> bool:
        """Returns whether what is laid over ours changes by itself just now."""
        now = time.monotonic()
        return any(not state.share.done(now) for state in self._states.values())

    @property
    def outside(self) -> tuple[Outside, ...]:
        """What lies over our universes, for those who ask why."""
        now = time.monotonic()
        return tuple(
            Outside(desk.universe, state.name or desk.name, desk.merge)
            for desk_id, state in self._states.items()
            if (desk := self._desks.get(desk_id)) is not None
            and desk.merge != Merge.CONTROLS
            and (state.share.at(now) > 0.0 or state.share.end > 0.0)
        )

    # listening

    def handles(self) -> list[int]:
        """Returns the ports that are open."""
        return [port.fileno() for port in self._ports.values()]

    def patience(self) -> float:
        """What the show wants is looked for now and then."""
        return LOOK

    def came_round(self) -> None:
        """Take what came; find out who is not heard any more."""
        for port in list(self._ports.values()):
            self._hear(port)
        self._age(time.monotonic())
        self._tell_state()

    def shut(self) -> None:
        """Let the ports go."""
        for port in self._ports.values():
            port.close()
        self._ports.clear()

    def adjust(self, now: float) -> None:
        """Listen to what the show wants, and to nothing else."""
        desks = self.around.newest().desks
        if desks is not self._desks:
            self._desks = desks
            self._states = {i: s for i, s in self._states.items() if i in desks}
            self._again, self._looped = 0.0, ""
            self.version += 1

        wanted = {(d.protocol, d.port) for d in desks.values() if d.on}
        for key in [key for key in self._ports if key not in wanted]:
            self._ports.pop(key).close()
        if now >= self._again:
            self._again = now + AGAIN
            self._open_all(wanted)

    def _open_all(self, wanted: set[tuple[str, int]]) -> None:
        """Open the ports that are not open yet, and ask for what is sent to groups."""
        self._trouble = {}
        for key in sorted(wanted - self._ports.keys()):
            self._open(key)
        for desk in self._desks.values():
            port = self._ports.get((desk.protocol, desk.port))
            if port is not None:
                port.join(desk.number)

    def _open(self, key: tuple[str, int]) -> None:
        try:
            self._ports[key] = DmxPort(*key)
        except (OSError, OverflowError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            self._trouble[key] = tr(
                "DMX cannot be heard by {protocol}: {reason}.",
                protocol=key[0],
                reason=reason,
            )

    def _hear(self, port: DmxPort) -> None:
        for _ in range(1000):
            got = port.receive()
            if got is None:
                return
            heard, sender = got
            for desk in self._desks.values():
                same = (desk.protocol, desk.number) == (port.protocol, heard.number)
                if desk.on and same and not self._is_own(desk, heard, sender):
                    self._take(desk, heard, time.monotonic())

    def _is_own(self, desk: Desk, heard: Heard, sender: str) -> bool:
        """Whether it is what we send ourselves: that would feed itself for ever."""
        own = heard.source == self._own
        if desk.protocol == "artnet" and sender.startswith("127."):
            outputs = self.around.newest().outputs.values()
            arts = [o for o in outputs if isinstance(o, ArtnetOutput) and o.on]
            numbers = {desk.universe + o.shift for o in arts}
            own = heard.number in numbers
        if own:
            self._looped = tr(
                "What is sent here comes back as universe {number}: it is not taken.",
                number=heard.number,
            )
        return own

    def _take(self, desk: Desk, heard: Heard, now: float) -> None:
        """A desk said something."""
        before = self._states.get(desk.id, NOTHING)
        fresh = before.heard is None or now - before.heard > SILENCE
        other = heard.source != before.source
        if not fresh and other and heard.priority <= before.priority:
            return  # of two the one with more priority is heard, else the first
        if heard.ended:
            if not other:
                self._states[desk.id] = before._replace(heard=now - 2 * SILENCE)
            return

        slots = np.zeros(SLOTS, np.uint8)
        given = np.frombuffer(heard.slots, np.uint8)[:SLOTS]
        slots[: len(given)] = given
        moved = np.abs(slots.astype(int) - before.slots) >= MOVED
        touched = bool(moved.any()) and not fresh and not other
        state = before._replace(
            slots=slots,
            source=heard.source,
            name=heard.name,
            priority=heard.priority,
            heard=now,
            moved=now if touched else before.moved,
        )
        self._states[desk.id] = self._shared(desk, state, now)
        if not np.array_equal(slots, before.slots):
            self.version += 1
            self._say_moves(desk, before.slots, slots)

    def _say_moves(self, desk: Desk, before: Bytes, after: Bytes) -> None:
        """Slots as controls: those that moved, where anything may be tied to them."""
        if desk.merge != Merge.CONTROLS:
            return
        for place in np.flatnonzero(before != after).tolist():
            control = dmx_control(desk.id, place + 1)
            self.moved(ControlMove(control, float(after[place]) / TOP))

    def _shared(self, desk: Desk, state: DeskState, now: float) -> DeskState:
        """A desk on its way to where it shall be over ours."""
        wanted, seconds = self._wanted(desk, state, now)
        if state.share.end == wanted:
            return state
        self.version += 1
        return state._replace(share=Ramp(state.share.at(now), wanted, now, seconds))

    def _wanted(self, desk: Desk, state: DeskState, now: float) -> tuple[float, float]:
        """How far a desk shall come over ours, and in which time."""
        if desk.merge == Merge.CONTROLS or not desk.on or state.heard is None:
            return 0.0, COMES
        if now - state.heard > SILENCE and desk.lost != Lost.HOLD:
            return 0.0, GOES if desk.lost == Lost.FADE else COMES
        if desk.merge == Merge.TOUCHED:
            touched = state.moved is not None and now - state.moved < TOUCH
            return (1.0, COMES) if touched else (0.0, GOES)
        return 1.0, COMES

    def _age(self, now: float) -> None:
        """Desks that are not heard, or not touched, any more."""
        for desk_id, state in list(self._states.items()):
            desk = self._desks.get(desk_id)
            if desk is not None:
                self._states[desk_id] = self._shared(desk, state, now)

    def _tell_state(self) -> None:
        """Say which desks are heard, and what is wrong."""
        now = time.monotonic()
        ports = {}
        for desk in self._desks.values():
            if desk.on:
                heard = self._states.get(desk.id, NOTHING).heard
                ports[desk.id] = heard is not None and now - heard <= SILENCE
        trouble = sentences(*self._trouble.values(), self._looped)
        told = (tuple(ports.items()), trouble)
        if told != self._last_told:
            self._last_told = told
            self.ports_changed(ports, trouble)
