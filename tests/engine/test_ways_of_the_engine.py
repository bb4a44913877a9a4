"""The new ways in and out in real engine processes: another desk over a universe while
all stands, a universe by a serial line, OSC, and what others are told.
"""

from __future__ import annotations

import socket

from sacn.messages.data_packet import DataPacket

from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.inputs import Desk, Lost, Merge, OscSettings
from choreon.model.outputs import SerialOutput
from choreon.model.refs import GRAND
from choreon.model.sends import Send
from choreon.model.verbs import Verb
from choreon.sim.osc import PracticeOsc
from choreon.sim.serial_line import PracticeLine
from choreon.wire.osc import read
from tests.conftest import free_port, until, values


def with_show(path, change) -> None:
    showfile.write(path, change(showfile.read(path)))


def said(level: int, ended: bool = False) -> bytes:
    packet = DataPacket(
        cid=tuple(range(16)),
        sourceName="House desk",
        universe=9,
        dmxData=(level,) * 512,
        streamTerminated=ended,
    )
    return bytes(packet.getBytes())


def test_another_desk_takes_a_universe_over_while_all_stands_and_gives_it_back(
    engines, demo_path, node
):
    port = free_port()
    desk = Desk(
        id="house",
        number=9,
        universe=2,
        port=port,
        merge=Merge.WHOLE,
        lost=Lost.GO_ON,
    )
    with_show(demo_path, lambda show: edits.put(show, "desks", desk))
    client = engines.start(demo_path)
    until(lambda: len(values(node, 2)) == 512)
    ours = values(node, 2)

    line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    line.settimeout(1)

    def says(level: int) -> bool:
        line.sendto(said(level), ("127.0.0.1", port))
        return values(node, 2) == [level] * 512

    until(lambda: says(200))
    until(lambda: says(60))  # what moves there moves here, though nothing plays
    outside = client.wait_for(protocol.State).state.outside
    while not outside:
        outside = client.wait_for(protocol.State).state.outside
    assert outside[0].name == "House desk"

    line.sendto(said(60, ended=True), ("127.0.0.1", port))
    until(lambda: values(node, 2) == ours)
    line.close()


def test_a_universe_of_the_sample_show_leaves_by_a_serial_line(
    engines, demo_path, node, tmp_path
):
    line = PracticeLine(tmp_path)
    output = SerialOutput(id="line", device=str(line.path), universes=(1,))
    with_show(demo_path, lambda show: edits.put(show, "outputs", output))
    client = engines.start(demo_path)
    until(lambda: len(values(node, 1)) == 512)
    until(lambda: list(line.slots) == values(node, 1))

    client.send(Do(GRAND, Verb.LEVEL, 0.5))
    until(lambda: line.packets > 5 and list(line.slots) == values(node, 1))
    line.close()
    until(lambda: _trouble(client, "line"))
    again = PracticeLine(tmp_path)
    until(lambda: again.packets > 3)
    again.close()


def _trouble(client, output: str) -> str:
    pulse = client.wait_for(protocol.Pulse)
    return next((o.trouble for o in pulse.outputs if o.id == output), "")


def test_osc_reaches_an_engine_with_no_window_and_is_answered(engines, demo_path, node):
    port = free_port()
    osc = OscSettings(on=True, port=port)
    with_show(demo_path, lambda show: edits.replace(show, osc=osc))
    client = engines.start(demo_path)
    client.close()
    ear = PracticeOsc(port, lambda address, value: None)
    grand = "/choreon/master/grand-master"

    def answered() -> bool:
        ear.say(grand, 0.25)
        ear.say("/choreon/hello")
        ear.hear()
        return "/choreon/master/blackout" in ear.values

    until(answered)
    other = PracticeOsc(port, lambda address, value: None)

    def told() -> bool:
        other.say("/choreon/hello")
        other.hear()
        return other.values.get(grand) == 0.25

    until(told)
    ear.close()
    other.close()


def test_others_are_told_when_a_scene_starts(engines, demo_path, node):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(20)
        to = f"127.0.0.1:{ear.getsockname()[1]}"
        show = showfile.read(demo_path)
        scene = next(p for p in show.playables.values() if p.kind == "scene")
        send = Send(id="a", of=scene.ref, to=to, message="/light/on 1")
        with_show(demo_path, lambda show: edits.put(show, "sends", send))
        client = engines.start(demo_path)
        until(lambda: len(values(node, 1)) == 512)
        client.send(Do(scene.ref, Verb.PRESS))
        assert read(ear.recv(1000)) == [("/light/on", (1.0,))]
