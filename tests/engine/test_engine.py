"""The engine as a real process over real sockets."""

from __future__ import annotations

import contextlib
import itertools
import os
import signal
import socket
import stat
import subprocess
import sys
import time
from typing import Any

import pytest
import sacn as stranger
from sacn.messages.data_packet import DataPacket

from choreon import folders
from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine import protocol, session
from choreon.engine.do import Do
from choreon.engine.screen import ScreenReader
from choreon.formats import showfile
from choreon.model import changes, edits
from choreon.model.outputs import SacnOutput
from choreon.model.refs import GRAND, to_tile
from choreon.model.tiles import Start
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.sim.controller import PracticeController
from choreon.wire import sacn
from tests import play
from tests.conftest import free_port, until, values


def expected(show, *acts) -> dict[int, list[int]]:
    """What the universes hold long after the acts, computed here."""
    state = play.blank()
    for act in acts:
        state = act(state)
    compiled = compile_show(show)
    frame = render(compiled, play.prune(state, 1e6), 1e6)
    return {u: frame[i].tolist() for i, u in enumerate(compiled.rig.universes)}


def test_a_stranger_on_the_wire_receives_every_universe_with_the_right_bytes(
    engines, own_folders
):
    port = free_port()
    show = low_tide(port=port)
    path = own_folders / "s.choreon"
    showfile.write(path, show)
    got: dict[int, list] = {1: [], 2: [], 3: []}
    receiver = stranger.sACNreceiver(bind_address="127.0.0.1", bind_port=port)
    for universe in got:
        receiver.register_listener(
            "universe",
            lambda packet: got[packet.universe].append((time.monotonic(), packet)),
            universe=universe,
        )
    receiver.start()
    try:
        client = engines.start(path)
        client.send(Do(to_tile("strobe-hit-pad"), Verb.PRESS))
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
        client.send(protocol.SetValues(look={"spot-1": {"Pan": 90.0, "Dimmer": 0.3}}))
        want = expected(
            show,
            lambda s: play.press(show, s, "strobe-hit-pad", 0.0),
            lambda s: play.set_level(show, s, "front-wash-fader", 0.5, 0.0),
            lambda s: play.touch(s, {"spot-1": {"Pan": 90.0, "Dimmer": 0.3}}),
        )
        until(
            lambda: all(got[u] and list(got[u][-1][1].dmxData) == want[u] for u in got)
        )
        assert want[1][1] == 108  # front 2 at .5 of .85
        assert want[3][110] == 230  # the panel at .9
    finally:
        receiver.stop()


def test_every_frame_arrives_44_a_second(engines, own_folders):
    """Each packet read by the independent package: no number is missing, and frames
    sent and skipped together are 44 a second, whatever the machine does meanwhile.
    """
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as wire:
        wire.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
        wire.bind(("127.0.0.1", 0))
        path = own_folders / "s.choreon"
        showfile.write(path, low_tide(port=wire.getsockname()[1]))
        client = engines.start(path)
        first = client.wait_for(protocol.Pulse)
        begin = time.monotonic()
        last = first
        numbers: dict[int, list[int]] = {1: [], 2: [], 3: []}
        wire.setblocking(False)
        while last.frames + last.missed < first.frames + first.missed + 110:
            last = client.wait_for(protocol.Pulse)
            seconds = time.monotonic() - begin
            with contextlib.suppress(BlockingIOError):
                while True:
                    data = wire.recv(2048)
                    if sacn.read_discovery(data) is not None:
                        continue  # every ten seconds: which universes there are
                    packet = DataPacket.make_data_packet(tuple(data))
                    numbers[packet.universe].append(packet.sequence)
    assert (
        last.frames + last.missed - first.frames - first.missed
    ) / seconds == pytest.approx(44, rel=0.12)
    assert last.errors == 0
    for found in numbers.values():
        assert len(found) >= last.frames - 1
        assert all((b - a) % 256 == 1 for a, b in itertools.pairwise(found))


def test_the_light_goes_on_without_any_window(engines, demo_path, node):
    client = engines.start(demo_path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])
    client.close()
    before = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > before + 44)
    assert values(node, 1)[0] == 217
    again = engines.connect()
    welcome = again.wait_for(protocol.Welcome)
    assert [p.ref.id for p in welcome.state.players] == ["front-wash"]
    assert welcome.show.name == "Low Tide"


def test_killed_and_started_again_it_goes_on_where_it_was(engines, demo_path, node):
    client = engines.start(demo_path)
    pid = client.wait_for(protocol.Welcome).pid
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    client.send(Do(GRAND, Verb.LEVEL, 0.5))
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.25}}))
    session_file = folders.state() / "low-tide.session"
    until(lambda: values(node, 1)[:1] == [108] and session_file.exists())
    time.sleep(0.6)
    os.kill(pid, signal.SIGKILL)
    client.close()
    welcome = engines.another(pid)
    assert welcome.resumed
    until(lambda: values(node, 1)[:1] == [108] and values(node, 1)[10] == 32)


def test_edits_reach_the_light_while_it_plays(engines, demo_path, demo_show, node):
    client = engines.start(demo_path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])
    moved = edits.change_fixtures(
        demo_show, {"front-1": {"universe": 9, "address": 100}}
    )
    client.send(protocol.Edit(changes.difference(demo_show, moved)))
    until(lambda: values(node, 9)[99:100] == [217])
    until(lambda: values(node, 1)[0] == 0)
    assert all(r.jumps == 0 for r in node.reports())
    client.send(protocol.Edit(changes.difference(moved, demo_show)))
    until(lambda: next(r for r in node.reports() if r.universe == 9).ended)


def test_garbage_on_the_socket_costs_nothing(engines, demo_path, node):
    client = engines.start(demo_path)
    until(lambda: node.reports())
    for garbage in (
        b"\xff" * 5000,
        b"\x05\0\0\0hello",
        b"\0\0\0\0",
        b"\x03\0\0\0\x81\xa1t",
    ):
        raw = socket.socket(socket.AF_UNIX)
        raw.connect(str(engine_client.socket_path()))
        raw.sendall(garbage)
        raw.close()
    node.forget_gaps()
    client.send(Do(to_tile("nowhere"), Verb.PRESS))
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])
    assert client.wait_for(protocol.State).state.players


def test_a_client_that_never_reads_holds_nothing_up(engines, demo_path, node):
    engines.start(demo_path)
    client = engines.connect()
    for i in range(300):
        client.send(protocol.SetValues(look={"par-1": {"Dimmer": i / 300}}))
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 1.0}}))
    until(lambda: values(node, 1)[10:11] == [255])


def test_the_socket_is_the_users_alone_and_there_is_one_engine(engines, demo_path):
    engines.start(demo_path).wait_for(protocol.Welcome)
    assert stat.S_IMODE(engine_client.socket_path().stat().st_mode) == 0o600
    second = engines.command("engine", str(demo_path))
    assert second.returncode == 3
    assert "already running" in second.stderr


def test_stop_fades_out_and_ends_the_streams(engines, demo_path, node):
    client = engines.start(demo_path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])
    done = engines.command("stop", "--fade", "0.5")
    assert "has stopped" in done.stdout
    until(lambda: all(r.ended for r in node.reports()))
    assert values(node, 1)[0] == 0
    assert engines.running[0].wait(60) == 0
    assert "No engine" in engines.command("stop").stdout


def test_frames_for_the_screen_are_those_of_the_wire(engines, demo_path, node):
    client = engines.start(demo_path)
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.5}}))
    until(lambda: values(node, 1)[10:11] == [128])
    reader = ScreenReader(engine_client.screen_path())
    shown: dict[int, Any] = {}

    def is_the_same() -> bool:
        # A frame goes out before it is shown; nor can it be read while it is being written.
        shown.clear()
        shown.update((reader.read() or (0, 0.0, {}))[2])
        return 1 in shown and shown[1].tolist() == values(node, 1)

    until(is_the_same)
    assert sorted(shown) == [1, 2, 3]
    assert shown[1][10] == 128


def test_a_controller_moves_the_light_and_is_told_what_is_on(engines, demo_path, node):
    device = PracticeController()
    try:
        client = engines.start(demo_path)
        until(lambda: device.connected)
        until(lambda: device.faders[7] == 127 and device.lights[0] == 20)
        device.move_fader(1, 20)
        device.move_fader(1, 127)
        until(lambda: values(node, 1)[:1] == [217])
        device.hit_pad(7)
        device.let_pad(7)
        until(lambda: values(node, 3)[110:111] == [230])
        until(lambda: device.lights[7] == 127)
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
        until(lambda: device.faders[1] == 64)
    finally:
        device.close()


def test_a_controller_that_vanishes_comes_back_and_garbage_from_it_is_passed_over(
    engines, demo_path, node
):
    device = PracticeController()
    client = engines.start(demo_path)
    until(lambda: device.connected)
    device.send_raw(bytes(range(256)) * 8)
    device.close()
    until(
        lambda: (
            client.wait_for(protocol.Ports).ports.get("Practice controller", False)
            is False
        )
    )
    device = PracticeController()
    try:
        until(lambda: device.connected)
        device.hit_pad(7)
        until(lambda: values(node, 3)[110:111] == [230])
    finally:
        device.close()


def test_engine_demo_runs_headless_and_ends_on_a_signal(engines, node):
    process = subprocess.Popen(
        [sys.executable, "-m", "choreon", "engine", "--demo", "--port", str(node.port)]
    )
    until(lambda: [r.universe for r in node.reports()] == [1, 2, 3])
    until(lambda: values(node, 1)[10] == 140)  # Slack Water comes up by itself
    process.send_signal(signal.SIGTERM)
    assert process.wait(60) == 0
    until(lambda: all(r.ended for r in node.reports()))


def test_lamps_that_shall_be_lit_are_switched_on_when_the_show_opens(
    engines, demo_show, own_folders, node
):
    """Lamp on stands for three seconds on the control channel, 204 of 200…209, then it
    rests; once, not again.
    """
    path = own_folders / "Lit.choreon"
    showfile.write(
        path, edits.change_fixtures(demo_show, {"spot-1": {"lamp_on": True}})
    )
    engines.start(path)
    until(lambda: values(node, 2) and values(node, 2)[72] == 204)
    assert values(node, 2)[85] == 0
    until(lambda: values(node, 2)[72] == 0)


def test_bytes_sent_stand_for_their_time_and_blinking_ends(engines, demo_path, node):
    client = engines.start(demo_path)
    client.send(protocol.SendBytes("try", 1, 400, bytes([7, 8]), 30.0))
    client.send(protocol.Blink(("par-1",), 30.0))
    until(lambda: values(node, 1) and values(node, 1)[399:401] == [7, 8])
    until(lambda: values(node, 1)[10] == 255)
    client.send(protocol.SendBytes("try", 1, 1, b"", 0.0))
    client.send(protocol.Blink((), 0.0))
    until(lambda: values(node, 1)[399:401] == [0, 0] and values(node, 1)[10] == 0)
    client.send(
        protocol.SendBytes("far", 1, 600, b"x", 1.0)
    )  # past the universe: nothing comes of it
    client.send(protocol.SendBytes("end", 1, 512, b"\x05\x06", 0.3))
    until(lambda: values(node, 1)[511] == 5)
    until(lambda: values(node, 1)[511] == 0)


def test_outputs_tell_what_they_do_and_one_in_trouble_harms_no_other(
    engines, demo_show, own_folders, node
):
    bad = SacnOutput(id="bad", interface="203.0.113.77")
    path = own_folders / "Two.choreon"
    showfile.write(path, edits.put(demo_show, "outputs", bad))
    client = engines.start(path)
    told: dict[str, protocol.Sending] = {}

    def heard() -> bool:
        for message in client.receive(0.1):
            if isinstance(message, protocol.Pulse):
                told.update({s.id: s for s in message.outputs})
        return bool(told.get("bad")) and told["bad"].errors > 30

    until(heard)
    assert "203.0.113.77 is not there" in told["bad"].trouble
    assert (told["node"].errors, told["node"].trouble) == (0, "")
    assert node.reports()[0].jumps == 0


def test_what_is_on_when_a_show_opens_is_on_at_every_start(engines, demo_show, node):
    """The house lights at .2 after a first start, after a proper end, and, as it was
    left, after a kill.
    """
    show = edits.replace(demo_show, opens=(Start(to_tile("house-lights-fader"), 0.2),))
    path = folders.shows() / "s.choreon"
    showfile.write(path, show)
    level = show.playables["house-lights"].look["house-1"]["Dimmer"]
    slot = show.fixtures["house-1"].address - 1
    wanted = round(255 * 0.2 * level)

    def house() -> int:
        return values(node, 1)[slot] if len(values(node, 1)) > slot else -1

    def kept_level() -> float:
        kept = session.load(show.id)
        return kept.players[0].level if kept and kept.players else 0.0

    for _ in range(2):
        client = engines.start(path)
        until(lambda: house() == wanted)
        client.send(Do(GRAND, Verb.LEVEL, 0.5))
        engines.stop()
        engines.running.clear()
        engines.clients.clear()
        until(lambda: house() == 0)
    client = engines.start(path)
    until(lambda: house() == wanted)
    client.send(Do(to_tile("house-lights-fader"), Verb.LEVEL, 0.6))
    until(lambda: house() == round(255 * 0.6 * level))
    until(lambda: kept_level() == 0.6)
    engines.kill()
    engines.start(path)
    until(lambda: house() == round(255 * 0.6 * level))
