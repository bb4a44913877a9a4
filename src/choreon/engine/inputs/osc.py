"""OSC: things of the show by their names, controls by addresses of their own, and
values back to all who spoke.
"""

from __future__ import annotations

import math
import time
from collections import deque
from collections.abc import Mapping

from choreon.engine import actions
from choreon.engine.do import Do
from choreon.engine.inputs.asking import HALF, TURNED, ControlMove, turned
from choreon.engine.inputs.base import Surroundings, hand_of
from choreon.engine.inputs.feedback import Feedback
from choreon.engine.inputs.listening import Listener
from choreon.language import sentences, tr
from choreon.model.inputs import Control, OscInput, OscSettings, osc_control
from choreon.model.inputs.osc import OSC_DEVICE, TO_PAGE
from choreon.model.osc import ROOT, Meaning, space
from choreon.model.refs import TURN
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from choreon.wire.osc import Address, NotOsc, OscMessage, OscPort, read, write

LOOK = 0.25  # seconds between two looks at whether it is to be listened
AGAIN = 2.0  # seconds between two attempts to open the port
OFTEN = 0.05  # seconds between two values back
MOST_CLIENTS = 32
ALONE = 0.4  # seconds after a hand moved something in which it is told nothing of it
ECHO = 0.25  # seconds in which what comes is what was told, if it is that
ECHO_TOLD = 5.0  # seconds for which that is told
LATE = 8  # values of an address that may be on their way back
SAME = 1e-4  # of the way: values that are as good as equal
SILENT = 600.0  # seconds after which a client that says nothing is told nothing
MOST = 127  # of a whole number, as MIDI has them
IN_UNITS = (Verb.BPM, Verb.RATE, Verb.STEP)
HELLO = f"{ROOT}/hello"


class OscDevice(Listener):
    """All that speak OSC to us."""

    kind = OscInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self._port: OscPort | None = None
        self._settings = OscSettings()
        self._again = 0.0
        self._trouble = ""
        self._clients: dict[Address, float] = {}  # who is told, and who spoke when
        self._said: dict[Address, dict[str, float]] = {}
        self._heard_at: dict[tuple[Address, str], float] = {}
        self._told_late: dict[tuple[Address, str], deque[tuple[float, float]]] = {}
        """What a client was told of late of an address, each with when."""
        self._echoes: dict[str, float] = {}
        """Who says again what they are told, and when last."""
        self._echoed: tuple[str, ...] = ()
        self._lit: Mapping[Control, Feedback] = {}
        self._playing: tuple[Show, PlayState] | None = None
        self._named: tuple[Show | None, dict[str, Meaning]] = (None, {})
        self.begin()

    # what a kind says

    def show(self, lights: dict[Control, Feedback]) -> None:
        """Keep what controls shall show; it is sent by the thread."""
        self._lit = lights

    def follow(self, show: Show, state: PlayState) -> None:
        """Keep what is on."""
        super().follow(show, state)
        self._playing = (show, state)

    # listening

    def handles(self) -> list[int]:
        """Returns the port, where it is open."""
        return [] if self._port is None else [self._port.fileno()]

    def patience(self) -> float:
        """Those who spoke are told at once; else it is looked for now and then."""
        return OFTEN if self._clients and self._port is not None else LOOK

    def came_round(self) -> None:
        """Take what came, and tell what changed."""
        if self._port is not None:
            self._hear(self._port)
            self._answer(self._port)

    def adjust(self, now: float) -> None:
        """Open, or close, the port as the show says."""
        wanted = self.around.newest().osc
        if wanted != self._settings:
            self._settings, self._again = wanted, 0.0
            self.shut()
            self._clients, self._said, self._heard_at = {}, {}, {}
            self._told_late, self._echoes = {}, {}
            self._tell_ports("")
        self._tell_echoes(now)
        if not wanted.on or self._port is not None or now < self._again:
            return

        self._again = now + AGAIN
        try:
            host = "" if wanted.allow else "127.0.0.1"
            self._port = OscPort(host, wanted.port)
        except (OSError, OverflowError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            text = tr(
                "OSC cannot listen on port {port}: {reason}.",
                port=wanted.port,
                reason=reason,
            )
            self._tell_ports(text)
        else:
            self._tell_ports("")

    def _tell_ports(self, trouble: str) -> None:
        """Say whether it listens."""
        self._trouble = trouble
        is_open = self._port is not None
        ports = {OSC_DEVICE: is_open} if self._settings.on else {}
        self.ports_changed(ports, trouble)

    def _tell_echoes(self, now: float) -> None:
        """Say who sends back what they are told, as long as they do."""
        hosts = tuple(h for h, at in self._echoes.items() if now - at < ECHO_TOLD)
        if hosts == self._echoed:
            return
        self._echoed = hosts
        texts = [
            tr("{host} sends back what it is told: that is passed over.", host=host)
            for host in hosts
        ]
        self._tell_ports(sentences(*texts))

    def shut(self) -> None:
        """Let the port go."""
        if self._port is not None:
            self._port.close()
            self._port = None

    def _hear(self, port: OscPort) -> None:
        """Take what waits; of what is no OSC, or not from those who are heard, nothing
        is taken.
        """
        for _ in range(1000):
            got = port.receive()
            if got is None:
                return
            data, sender = got
            if not self._settings.hears(sender[0]):
                continue
            try:
                messages = read(data)
            except NotOsc:
                continue
            self._meet(sender)
            for message in messages:
                self._take(message, sender)

    def _meet(self, sender: Address) -> None:
        """Remember who spoke: they are told what is on."""
        now = time.monotonic()
        to = (sender[0], self._settings.reply or sender[1])
        if to not in self._clients and len(self._clients) >= MOST_CLIENTS:
            oldest = min(self._clients, key=lambda one: self._clients[one])
            del self._clients[oldest]
            self._said.pop(oldest, None)
        self._clients[to] = now
        for client in [c for c, at in self._clients.items() if now - at > SILENT]:
            del self._clients[client]
            self._said.pop(client, None)
            self._told_late = {
                k: v for k, v in self._told_late.items() if k[0] != client
            }

    def _take(self, message: OscMessage, sender: Address) -> None:
        value = number_in(message.values)
        if value is None:
            return  # of another type than anything here takes
        if message.address == HELLO:
            self._said.pop((sender[0], self._settings.reply or sender[1]), None)
            return

        meaning = self._space().get(message.address)
        if meaning is None:
            control = osc_control(message.address)
            self.moved(ControlMove(control, share_of(value)))
            if not message.values:
                self.moved(ControlMove(control, 0.0))
            return

        if self.learning or self._is_echo(message.address, value, sender):
            return
        self._remember(message.address, value, sender)
        self._do(meaning, value)

    def _space(self) -> dict[str, Meaning]:
        show = self.around.newest()
        if self._named[0] is not show:
            self._named = (show, space(show))
        return self._named[1]

    def _do(self, meaning: Meaning, value: float) -> None:
        """Do what an address means."""
        show = self.around.newest()
        if meaning.ref.kind == TURN:
            # the window turns to pages: it is told as of a control
            page = osc_control(f"{TO_PAGE}{meaning.ref.id}")
            self.around.moved(ControlMove(page, value))
            return
        do = do_of(show, meaning, value)
        if do is not None:
            hand = hand_of(self.kind, OSC_DEVICE)
            self.around.asked([do], lambda show, state: [do], hand)

    # values back

    def _is_echo(self, address: str, value: float, sender: Address) -> bool:
        """Whether a client only says again what it was told a moment ago: taken for a
        hand's, it would hold back what moves by itself.
        """
        to = (sender[0], self._settings.reply or sender[1])
        now = time.monotonic()
        told = self._told_late.get((to, address), ())
        same = any(abs(v - value) <= SAME and now - at < ECHO for v, at in told)
        if same:
            self._echoes[sender[0]] = now
        return same

    def _remember(self, address: str, value: float, sender: Address) -> None:
        """Who says a value is not told it again, nor the one before it."""
        to = (sender[0], self._settings.reply or sender[1])
        self._said.setdefault(to, {})[address] = value
        self._heard_at[to, address] = time.monotonic()

    def _answer(self, port: OscPort) -> None:
        """Tell all who spoke what has changed."""
        if not self._clients or self._playing is None:
            return
        now = time.monotonic()
        show, state = self._playing
        values = levels(show, state, self._space())
        values |= {c.name: light.level for c, light in self._lit.items()}
        for client in self._clients:
            told = self._said.setdefault(client, {})
            for address, value in values.items():
                before = told.get(address)
                if before is not None and abs(before - value) <= SAME:
                    continue
                if now - self._heard_at.get((client, address), -math.inf) < ALONE:
                    continue  # the hand is still on it
                if not port.send(write(address, float(value)), client):
                    break
                told[address] = value
                late = self._told_late.setdefault((client, address), deque(maxlen=LATE))
                late.append((float(value), now))


def levels(
    show: Show, state: PlayState, named: Mapping[str, Meaning]
) -> dict[str, float]:
    """Returns how high everything stands that has an address, 0…1."""
    found = {}
    for address, meaning in named.items():
        if meaning.verb is None and meaning.ref.kind != TURN:
            level = actions.level_of(show, state, meaning.ref)
            if level is not None:
                found[address] = level
    return found


def do_of(show: Show, meaning: Meaning, value: float) -> Do | None:
    """Returns what a value at an address asks for; None where it asks for nothing."""
    verb = meaning.verb or turned(show, meaning.ref)
    if verb in IN_UNITS:
        return Do(meaning.ref, verb, value, Edge.TURN)
    if verb in TURNED:
        return Do(meaning.ref, verb, share_of(value), Edge.TURN)
    if value >= HALF:
        return Do(meaning.ref, verb, value, Edge.DOWN)
    return Do(meaning.ref, verb, 0.0, Edge.UP) if verb == Verb.PRESS else None


def share_of(value: float) -> float:
    """Returns a value as a share, 0…1; whole numbers beyond 1 are taken as MIDI has
    them.
    """
    if value > 1.0 and value == int(value):
        value /= MOST
    return min(1.0, max(0.0, value))


def number_in(values: tuple[object, ...]) -> float | None:
    """Returns what a message says: its first argument; 1 where it has none. None where
    that is no number.
    """
    if not values:
        return 1.0
    first = values[0]
    if isinstance(first, bool):
        return float(first)
    if not isinstance(first, int | float) or not math.isfinite(first):
        return None
    return float(first)
