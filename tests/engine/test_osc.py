"""OSC in and out: an independent peer speaks, is told what is on, and is refused; what
is no OSC, or nested without end, does nothing.
"""

from __future__ import annotations

import contextlib
import random
import socket
import struct

import pytest
from pythonosc.osc_bundle_builder import OscBundleBuilder
from pythonosc.osc_message import OscMessage as TheirMessage
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.udp_client import SimpleUDPClient

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.inputs import osc
from choreon.engine.inputs.osc import OscDevice, do_of, number_in, share_of
from choreon.model import edits
from choreon.model.inputs import OscSettings, osc_control
from choreon.model.osc import ROOT, slug, space
from choreon.model.refs import BLACKOUT, GRAND
from choreon.model.verbs import Edge, Verb
from choreon.wire.osc import NotOsc, read, write
from tests import play
from tests.conftest import free_port, until
from tests.engine import controls_by_hand


class Ear:
    """One who hears OSC, and speaks from the same port."""

    def __init__(self, to: int) -> None:
        self.to = ("127.0.0.1", to)
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("127.0.0.1", 0))
        self.socket.setblocking(False)
        self.heard: dict[str, float] = {}

    def say(self, address: str, *values) -> None:
        builder = OscMessageBuilder(address=address)
        for value in values:
            builder.add_arg(value)
        self.raw(builder.build().dgram)

    def raw(self, data: bytes) -> None:
        self.socket.sendto(data, self.to)

    def hear(self) -> dict[str, float]:
        while True:
            try:
                data = self.socket.recv(65507)
            except BlockingIOError:
                return self.heard
            message = TheirMessage(data)
            self.heard[message.address] = message.params[0]

    def close(self) -> None:
        self.socket.close()


class Stage(controls_by_hand.Stage):
    """The way in for OSC, and what was asked of it."""

    def __init__(self, tmp_path, **settings) -> None:
        self.port = free_port()
        spoken = OscSettings(**{"on": True, "port": self.port, **settings})
        super().__init__(edits.replace(low_tide(), osc=spoken))
        self.device = OscDevice(self.surroundings(tmp_path))

    def opened(self) -> Stage:
        until(lambda: self.ports and self.ports[-1][0] == {"OSC": True})
        return self

    @property
    def grand(self) -> float | None:
        return actions.level_of(self.show, self.state, GRAND)

    def follow(self) -> None:
        self.device.follow(self.show, self.state)


@pytest.fixture
def stage(tmp_path):
    made = Stage(tmp_path)
    yield made.opened()
    made.device.close()


@pytest.fixture
def ear(stage):
    made = Ear(stage.port)
    yield made
    made.close()


def test_names_become_addresses_that_osc_can_have():
    assert slug("Stage  warm") == "stage-warm"
    assert slug("50 % / *?[x]{y}#,") == "50-%-xy"
    assert slug("  ") == "-"
    named = space(low_tide())
    assert named[f"{ROOT}/master/grand-master"].ref == GRAND
    assert all(set(address).isdisjoint(" #*,?[]{}") for address in named)


def test_addresses_follow_names_and_two_of_one_name_are_told_apart():
    show = low_tide()
    page = next(iter(show.pages.values()))
    before = space(show)
    renamed = edits.put(show, "pages", edits.replace(page, name="Second half"))
    after = space(renamed)
    assert any("/tile/second-half/" in address for address in after)
    assert not any("/tile/second-half/" in address for address in before)
    twin = edits.replace(page, id="twin", tiles=())
    assert f"{ROOT}/page/{slug(page.name)}-2" in space(edits.put(show, "pages", twin))


def test_an_independent_peer_moves_the_grand_master_and_presses_blackout(stage, ear):
    client = SimpleUDPClient("127.0.0.1", stage.port)
    with contextlib.closing(client._sock):
        client.send_message(f"{ROOT}/master/grand-master", 0.25)
        until(lambda: stage.grand == 0.25)
        client.send_message(f"{ROOT}/master/blackout/press", [])
        until(lambda: stage.state.masters.blackout)
    assert actions.level_of(stage.show, stage.state, BLACKOUT) == 1.0


def test_all_who_spoke_are_told_what_is_on(stage, ear):
    other = Ear(stage.port)
    ear.say(f"{ROOT}/hello")
    other.say(f"{ROOT}/hello")
    stage.follow()
    grand = f"{ROOT}/master/grand-master"
    until(lambda: ear.hear().get(grand) == 1.0 and other.hear().get(grand) == 1.0)
    ear.say(grand, 0.5)
    until(lambda: stage.grand == 0.5)
    stage.follow()
    until(lambda: other.hear().get(grand) == 0.5)
    assert ear.hear()[grand] == 1.0  # who said it is not told it again
    other.close()


def test_an_address_of_ones_own_is_a_control_that_can_be_tied(stage, ear):
    fader = osc_control("/1/fader3")
    stage.show = edits.learn(stage.show, fader, GRAND)
    ear.say("/1/fader3", 0.9)
    until(lambda: stage.told and stage.told[-1].control == fader)
    ear.say("/1/fader3", 0.8)
    until(lambda: actions.level_of(stage.show, stage.state, GRAND) < 1.0)
    stage.follow()
    until(lambda: ear.hear().get("/1/fader3"))


def test_it_is_off_until_it_is_switched_on(tmp_path):
    stage = Stage(tmp_path, on=False)
    probe = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    probe.bind(("127.0.0.1", stage.port))  # nobody has it
    probe.close()
    stage.show = edits.replace(stage.show, osc=edits.replace(stage.show.osc, on=True))
    stage.opened()
    stage.device.close()


def test_strangers_are_not_heard(tmp_path):
    stage = Stage(tmp_path, allow=("127.0.0.9",)).opened()
    ear = Ear(stage.port)
    ear.say(f"{ROOT}/master/grand-master", 0.1)
    friend = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    friend.bind(("127.0.0.9", 0))
    data = write(f"{ROOT}/master/grand-master", 0.7)
    friend.sendto(data, ("127.0.0.1", stage.port))
    until(lambda: stage.grand == pytest.approx(0.7))
    friend.close()
    ear.close()
    stage.device.close()


def test_a_port_that_is_taken_is_told_and_opened_when_it_is_free(tmp_path):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
        other.bind(("127.0.0.1", 0))
        stage = Stage(tmp_path, port=other.getsockname()[1])
        until(lambda: any(str(stage.show.osc.port) in t for _, t in stage.ports))
    until(lambda: stage.ports[-1] == ({"OSC": True}, ""))
    stage.device.close()


def nested(times: int) -> bytes:
    data = write("/x", 1.0)
    for _ in range(times):
        data = b"#bundle\0" + bytes(8) + struct.pack(">i", len(data)) + data
    return data


def test_bundles_are_read_and_those_without_an_end_are_refused():
    builder = OscBundleBuilder(0)
    for address in ("/a", "/b"):
        message = OscMessageBuilder(address=address)
        message.add_arg(0.5)
        builder.add_content(message.build())
    assert [m.address for m in read(builder.build().dgram)] == ["/a", "/b"]
    assert [m.address for m in read(nested(3))] == ["/x"]
    with pytest.raises(NotOsc):
        read(nested(1000))


def test_garbage_is_passed_over_and_what_is_right_is_heard_after_it(stage, ear):
    dice = random.Random(5)
    for _ in range(300):
        ear.raw(dice.randbytes(dice.randrange(1, 200)))
    right = write(f"{ROOT}/master/grand-master", 0.4)
    for _ in range(100):
        broken = bytearray(right)
        broken[dice.randrange(len(broken))] ^= 1 << dice.randrange(8)
        ear.raw(bytes(broken[: dice.randrange(1, len(broken))]))
    ear.raw(nested(1000))
    ear.say(f"{ROOT}/master/grand-master", "loud")
    ear.say(f"{ROOT}/master/grand-master", float("nan"))

    def heard() -> bool:
        # of so many at once some may be lost on their way
        ear.say(f"{ROOT}/master/grand-master", 0.6)
        return stage.grand == pytest.approx(0.6)

    until(heard)
    assert stage.device.thread.is_alive()


def test_what_values_mean():
    assert number_in(()) == 1.0
    assert number_in((True,)) == 1.0
    assert number_in(("loud",)) is None
    assert number_in((float("inf"),)) is None
    assert [share_of(v) for v in (-3.0, 0.4, 1.0, 127.0, 300.0)] == [0, 0.4, 1, 1, 1]
    show = low_tide()
    named = space(show)
    bpm = do_of(show, named[f"{ROOT}/master/tempo/bpm"], 128.0)
    assert (bpm.verb, bpm.value, bpm.edge) == (Verb.BPM, 128.0, Edge.TURN)
    there = do_of(show, named[f"{ROOT}/timeline/waves-and-wind/step"], 0.25)
    assert (there.verb, there.value) == (Verb.STEP, 0.25)
    tap = named[f"{ROOT}/master/tempo/tap"]
    assert do_of(show, tap, 1.0).verb == Verb.TAP
    assert do_of(show, tap, 0.0) is None


def test_one_who_says_again_what_it_is_told_holds_nothing_back(stage, ear, monkeypatch):
    """A fade goes on as if nobody was there, it is told, and a hand is taken."""
    monkeypatch.setattr(osc, "ECHO", 60.0)  # however slow this machine is
    grand = f"{ROOT}/master/grand-master"
    ear.say(f"{ROOT}/hello")
    stage.follow()
    until(lambda: grand in ear.hear())

    for level in (0.9, 0.8, 0.7, 0.6):
        stage.state = play.set_masters(stage.state, grand=level)
        stage.follow()
        until(lambda level=level: abs(ear.hear()[grand] - level) < 1e-3)
        ear.say(grand, ear.heard[grand])
        ear.say(grand, 0.9)  # one that comes late
    until(lambda: "127.0.0.1" in stage.ports[-1][1])
    assert stage.grand == 0.6

    ear.say(grand, 0.33)
    until(lambda: abs(stage.grand - 0.33) < 1e-6)
