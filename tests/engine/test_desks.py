"""Other desks by sACN and Art-Net: as controls, whole, highest, touched; lost and back;
what is our own is not taken; who asks why is told. The peers are independent packages.
"""

from __future__ import annotations

import random
import socket
import time

import numpy as np
import pytest
import sacn as their_sacn
from stupidArtnet import StupidArtnet

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.inputs import dmx as desks
from choreon.engine.inputs.asking import ControlMove
from choreon.engine.inputs.dmx import DmxDevice
from choreon.folders import source_id
from choreon.model import edits
from choreon.model.inputs import Desk, Lost, Merge, dmx_control
from choreon.model.refs import GRAND
from choreon.render.compiled import compile_show
from choreon.render.desk_merge import SlotMap, merged, slot_map
from choreon.render.explain import explain
from choreon.render.state import Outside
from choreon.wire import sacn
from choreon.wire.dmx_in import read
from tests import play
from tests.conftest import free_port, until
from tests.engine import controls_by_hand

UNIVERSE = 1


class Stage(controls_by_hand.Stage):
    """The way in for desks, and what was asked of it."""

    def __init__(self, folder, **fields) -> None:
        self.port = free_port()
        desk = Desk(id="house", name="House", port=self.port, **fields)
        super().__init__(edits.put(low_tide(), "desks", desk))
        self.device = DmxDevice(self.surroundings(folder))
        until(lambda: self.ports)

    def sent(self, level: int = 10) -> np.ndarray:
        """What goes out where our own light is at a level everywhere."""
        frame = np.full((1, 512), level, np.uint8)
        return self.device.laid_over(self.show, (UNIVERSE,), frame)[0]

    def edit(self, **fields) -> None:
        desk = edits.replace(self.show.desks["house"], **fields)
        self.show = edits.put(self.show, "desks", desk)

    def close(self) -> None:
        self.device.close()


class TheirDesk:
    """Packets of another's sACN, from a port of its own."""

    def __init__(self, port: int, cid: bytes = b"0123456789abcdef") -> None:
        self.to, self.sequence = ("127.0.0.1", port), 0
        self.cid = cid
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)

    def say(self, *levels: int, priority: int = 100, ended: bool = False) -> None:
        from sacn.messages.data_packet import DataPacket

        packet = DataPacket(
            cid=tuple(self.cid),
            sourceName="Their desk",
            universe=UNIVERSE,
            dmxData=tuple(levels),
            priority=priority,
            sequence=self.sequence % 256,
            streamTerminated=ended,
        )
        self.sequence += 1
        self.socket.sendto(bytes(packet.getBytes()), self.to)

    def close(self) -> None:
        self.socket.close()


@pytest.fixture
def theirs():
    made = []

    def desk(stage: Stage, **fields) -> TheirDesk:
        made.append(TheirDesk(stage.port, **fields))
        return made[-1]

    yield desk
    for one in made:
        one.close()


@pytest.fixture
def staged(tmp_path):
    made = []

    def stage(**fields) -> Stage:
        made.append(Stage(tmp_path, **fields))
        return made[-1]

    yield stage
    for one in made:
        one.close()


def test_slots_are_controls(staged, theirs):
    stage = staged()
    slot = dmx_control("house", 5)
    stage.show = edits.learn(stage.show, slot, GRAND)
    desk = theirs(stage)

    def told(level: int) -> bool:
        stage.device.follow(stage.show, stage.state)
        return bool(stage.told) and stage.told[-1] == ControlMove(slot, level / 255)

    for level in (20, 200, 255, 100):
        desk.say(0, 0, 0, 0, level)
        until(lambda v=level: told(v))
    until(lambda: actions.level_of(stage.show, stage.state, GRAND) < 0.5)
    assert (stage.sent() == 10).all()  # our universe is ours


def test_a_universe_is_taken_over_whole_softly(staged, theirs):
    stage = staged(merge=Merge.WHOLE)
    desk = theirs(stage)
    desk.say(*([200] * 512))
    seen = []
    until(lambda: seen.append(int(stage.sent()[0])) or seen[-1] == 200)
    assert seen == sorted(seen)
    assert len(set(seen)) > 3  # it came, and did not jump
    assert stage.device.outside == (Outside(UNIVERSE, "Their desk", Merge.WHOLE),)


def test_an_independent_sender_is_heard(staged):
    staged(merge=Merge.WHOLE)
    sender = their_sacn.sACNsender(source_name="Peer", bind_port=free_port())
    sender.start()
    sender.activate_output(UNIVERSE)
    sender[UNIVERSE].destination = "127.0.0.1"
    # it sends to the usual port: what it says is handed on to ours
    packet = sender[UNIVERSE]
    packet.dmx_data = tuple([77] * 512)
    sender.stop()
    from sacn.messages.data_packet import DataPacket

    data = DataPacket(
        cid=tuple(range(16)), sourceName="Peer", universe=UNIVERSE, dmxData=(77,) * 512
    )
    heard = read("sacn", bytes(data.getBytes()), "127.0.0.1")
    assert (heard.name, heard.priority, heard.slots) == ("Peer", 100, bytes([77] * 512))


def test_art_net_of_an_independent_sender_is_heard(staged):
    stage = staged(merge=Merge.WHOLE, protocol="artnet", number=40)
    peer = StupidArtnet("127.0.0.1", 40, 512, 30, True, False, port=stage.port)
    peer.set(bytearray([99] * 512))
    until(lambda: peer.show() or stage.sent()[7] == 99)
    peer.close()


def test_of_levels_the_higher_counts_and_of_all_else_ours(staged, theirs):
    stage = staged(merge=Merge.HIGHEST)
    desk = theirs(stage)
    desk.say(*([180] * 512))
    levels = slot_map(stage.show, UNIVERSE).levels
    others = np.setdiff1d(np.arange(512), levels)
    others = np.setdiff1d(others, slot_map(stage.show, UNIVERSE).lower)
    assert len(levels) > 3
    until(lambda: (stage.sent()[levels] == 180).all())
    assert (stage.sent()[others] == 10).all()
    until(lambda: (stage.sent(250)[levels] == 250).all())


def test_touched_it_has_the_universe_and_lets_go_of_it(staged, theirs, monkeypatch):
    monkeypatch.setattr(desks, "TOUCH", 0.5)
    monkeypatch.setattr(desks, "GOES", 0.2)
    stage = staged(merge=Merge.TOUCHED)
    desk = theirs(stage)

    def say(level: int) -> None:
        desk.say(*([level] * 512))

    say(50)
    until(lambda: stage.ports[-1][0].get("house"))
    assert stage.sent()[0] == 10  # nobody has moved anything yet
    until(lambda: say(int(time.monotonic() * 50) % 200) or stage.sent()[0] != 10)
    until(lambda: say(60) or stage.sent()[0] == 10)


@pytest.mark.parametrize(
    ("lost", "after"), [(Lost.HOLD, 200), (Lost.FADE, 10), (Lost.GO_ON, 10)]
)
def test_a_desk_that_is_lost(staged, theirs, monkeypatch, lost, after):
    monkeypatch.setattr(desks, "GOES", 0.3)
    stage = staged(merge=Merge.WHOLE, lost=lost)
    desk = theirs(stage)
    until(lambda: desk.say(*([200] * 512)) or stage.sent()[0] == 200)
    desk.say(*([200] * 512), ended=True)
    until(lambda: stage.ports[-1][0] == {"house": False})  # it is told
    until(lambda: stage.sent()[0] == after)
    until(lambda: desk.say(*([90] * 512)) or stage.sent()[0] == 90)  # and back


def test_of_two_sources_the_one_with_more_priority_is_heard(staged, theirs):
    stage = staged(merge=Merge.WHOLE)
    first, second = theirs(stage), theirs(stage, cid=b"fedcba9876543210")
    until(lambda: first.say(*([40] * 512)) or stage.sent()[0] == 40)
    second.say(*([80] * 512))
    until(lambda: first.say(*([41] * 512)) or stage.sent()[0] == 41)
    until(lambda: second.say(*([80] * 512), priority=150) or stage.sent()[0] == 80)


def test_what_we_send_ourselves_is_not_taken_and_is_told(staged):
    stage = staged(merge=Merge.WHOLE)
    own = sacn.build(source_id(), "Choreon", UNIVERSE)
    own[-512:] = bytes([255] * 512)
    line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    until(
        lambda: (
            line.sendto(own, ("127.0.0.1", stage.port))
            and "comes back" in stage.ports[-1][1]
        )
    )
    line.close()
    assert (stage.sent() == 10).all()


def test_noise_and_strangers_universes_do_nothing(staged, theirs):
    stage = staged(merge=Merge.WHOLE)
    dice = random.Random(3)
    line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    whole = sacn.build(b"0123456789abcdef", "x", UNIVERSE)
    for _ in range(300):
        line.sendto(dice.randbytes(dice.randrange(1, 700)), ("127.0.0.1", stage.port))
        cut = bytes(whole[: dice.randrange(1, len(whole))])
        line.sendto(cut, ("127.0.0.1", stage.port))
    other = sacn.build(b"0123456789abcdef", "x", UNIVERSE + 1)
    line.sendto(other, ("127.0.0.1", stage.port))
    line.close()
    desk = theirs(stage)
    until(lambda: desk.say(*([33] * 512)) or stage.sent()[0] == 33)


def test_a_port_that_is_taken_by_nobody_else_is_let_go_when_it_is_off(staged):
    stage = staged(merge=Merge.WHOLE)
    stage.edit(on=False)
    until(lambda: stage.ports[-1][0] == {})


# on bytes


MAP = SlotMap(np.array([2]), np.array([3]), np.array([0, 2]))


def test_values_of_two_slots_are_one():
    """255 of 65535 is less than 256 of it, though its lower half is higher."""
    ours = np.array([100, 50, 0, 255], np.uint8)
    theirs_ = np.array([90, 60, 1, 0], np.uint8)
    made = merged(ours, theirs_, Merge.HIGHEST, 1.0, MAP)
    assert made.tolist() == [100, 50, 1, 0]
    half = merged(ours, theirs_, Merge.WHOLE, 0.5, MAP)
    # (255 + 256) / 2 = 255.5, to the even one
    assert half.tolist() == [95, 55, 1, 0]
    assert merged(ours, theirs_, Merge.WHOLE, 1.0, MAP).tolist() == theirs_.tolist()
    assert merged(ours, theirs_, Merge.CONTROLS, 1.0, MAP) is ours
    assert ours.tolist() == [100, 50, 0, 255]  # nobody's bytes are changed


def test_going_over_makes_no_value_of_two_slots_jump():
    ours = np.array([0, 0, 0, 250], np.uint8)
    theirs_ = np.array([0, 0, 3, 5], np.uint8)
    whole = []
    for n in range(101):
        made = merged(ours, theirs_, Merge.WHOLE, n / 100, MAP).astype(int)
        whole.append(made[2] * 256 + made[3])
    steps = np.diff(whole)
    assert steps.min() >= 0
    assert steps.max() <= 6  # (773 − 250) / 100, rounded


def test_who_asks_why_is_told_of_the_desk():
    show = low_tide()
    compiled = compile_show(show)
    state = edits.replace(
        play.blank(), outside=(Outside(UNIVERSE, "Their desk", Merge.WHOLE),)
    )
    lamp = next(f for f in show.fixtures.values() if f.universe == UNIVERSE)
    why = explain(compiled, state, 0.0, UNIVERSE, lamp.address)[0]
    winners = [layer.source for layer in why.layers if layer.wins]
    assert winners == ["Their desk, another desk over all of it"]


def test_a_universe_without_lamps_of_ours_is_sent_as_the_desk_sends_it(staged, theirs):
    house_lights = 7
    stage = staged(merge=Merge.WHOLE, universe=house_lights)
    assert all(f.universe != house_lights for f in stage.show.fixtures.values())
    rig = compile_show(stage.show).rig
    row = rig.universes.index(house_lights)
    desk = theirs(stage)
    blank = rig.blank()

    def passed_on() -> bool:
        desk.say(0, 200, 31)
        frame = stage.device.laid_over(stage.show, rig.universes, blank)
        return frame[row][:3].tolist() == [0, 200, 31]

    until(passed_on)


def test_what_a_desk_lies_over_is_sent_from_the_edit_that_says_so():
    before = compile_show(low_tide())
    desk = Desk(id="house", universe=9)
    for merge, on, is_sent in (
        (Merge.CONTROLS, True, False),
        (Merge.HIGHEST, True, True),
        (Merge.HIGHEST, False, False),
        (Merge.TOUCHED, True, True),
    ):
        made = edits.replace(desk, merge=merge, on=on)
        before = compile_show(edits.put(before.show, "desks", made), before)
        assert (9 in before.rig.universes) == is_sent

    far = edits.replace(desk, merge=Merge.WHOLE, universe=10**9)
    rig = compile_show(edits.put(low_tide(), "desks", far)).rig
    assert rig.universes == compile_show(low_tide()).rig.universes
