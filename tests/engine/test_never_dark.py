"""What ends an engine, or hangs it, does not end the light: real faults in real
processes.
"""

from __future__ import annotations

import math
import os
import signal
import socket
import subprocess
import sys

import msgspec
import pytest

from choreon import folders
from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine import protocol, session, supervisor
from choreon.engine.beat import Phase
from choreon.engine.do import Do
from choreon.engine.instance_lock import holder
from choreon.formats import showfile
from choreon.model import changes, edits
from choreon.model.outputs import ArtnetOutput, SacnOutput
from choreon.model.refs import GRAND, to_tile
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController
from tests.conftest import until, values

LIT = 217  # front 1 in the front wash


@pytest.fixture(autouse=True)
def faults_allowed(monkeypatch):
    monkeypatch.setenv("CHOREON_FAULTS", "1")


def lit(engines, path, node) -> engine_client.Client:
    """An engine with the front wash on, and all of it kept."""
    client = engines.start(path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [LIT])
    until(lambda: (known := session.load("low-tide")) is not None and known.players)
    return client


def pid_of(client: engine_client.Client) -> int:
    return client.wait_for(protocol.Welcome).pid


@pytest.mark.parametrize(
    "fault", ["killed", "stopped", "frames", "spin", "grip", "crash"]
)
def test_the_same_light_comes_back_without_any_window(engines, demo_path, node, fault):
    client = engines.start(demo_path)
    pid = pid_of(client)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    client.send(Do(GRAND, Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])
    until(lambda: (k := session.load("low-tide")) is not None and k.players)
    until(lambda: session.load("low-tide").masters.grand == 0.5)
    if fault == "killed":
        os.kill(pid, signal.SIGKILL)
    elif fault == "stopped":
        os.kill(pid, signal.SIGSTOP)
    else:
        client.send(protocol.Fault(fault))
    welcome = engines.another(pid)
    assert welcome.resumed
    assert [p.ref.id for p in welcome.state.players] == ["front-wash"]
    packets = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > packets + 10)
    assert values(node, 1)[0] == 108


def test_what_moves_goes_on_in_time(engines, demo_path, node):
    client = engines.start(demo_path)
    pid = pid_of(client)
    client.send(Do(to_tile("sway-pad"), Verb.PRESS))
    until(lambda: (k := session.load("low-tide")) is not None and k.players)
    before = session.load("low-tide").players[0].steps[-1]
    os.kill(pid, signal.SIGKILL)
    after = engines.another(pid).state.players[0].steps[-1]
    assert after.at == before.at  # on the same clock: it is as far as time is
    assert after.cursor == before.cursor


def test_the_line_hangs_and_is_made_anew_while_every_frame_goes_out(
    engines, demo_path, node
):
    client = lit(engines, demo_path, node)
    pid = engines.connect().wait_for(protocol.Welcome).pid
    client.send(protocol.Fault("link"))

    def answers() -> bool:
        try:
            other = engine_client.Client()
        except OSError:
            return False
        engines.clients.append(other)
        try:
            return other.wait_for(protocol.Welcome, 0.5).pid == pid
        except (OSError, TimeoutError):
            return False

    until(lambda: not answers())
    jumps = sum(r.jumps for r in node.reports())
    until(answers, 20)
    again = engines.connect()
    again.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])
    assert sum(r.jumps for r in node.reports()) == jumps == 0


def test_the_line_dies_and_is_made_anew(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    client.send(protocol.Fault("link dies"))

    def moved() -> bool:
        try:
            other = engine_client.Client(window=False)
        except OSError:
            return False
        other.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
        other.close()
        return values(node, 1)[:1] == [108]

    until(moved, 20)
    assert all(r.jumps == 0 for r in node.reports())


def test_the_controllers_hang_and_are_heard_again(engines, demo_path, node):
    device = PracticeController()
    try:
        client = lit(engines, demo_path, node)
        until(lambda: device.connected)
        client.send(protocol.Fault("controllers"))

        def moved() -> bool:
            device.move_fader(1, 20)
            device.move_fader(1, 64)
            return values(node, 1)[0] not in (0, LIT)

        until(moved, 20)
        assert all(r.jumps == 0 for r in node.reports())
    finally:
        device.close()


def test_a_supervisor_that_dies_is_replaced(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    pid = engines.connect().wait_for(protocol.Welcome).pid
    engines.running[0].kill()
    engines.running[0].wait(60)
    until(supervisor.is_supervised, 20)
    assert all(r.jumps == 0 for r in node.reports())
    os.kill(pid, signal.SIGKILL)
    client.close()
    assert engines.another(pid).resumed
    until(lambda: values(node, 1)[0] == LIT)


def test_stop_ends_an_engine_that_hangs(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    client.send(protocol.Fault("frames"))
    client.close()
    done = engines.command("stop", "--fade", "0")
    assert done.returncode == 0
    assert holder(folders.runtime()) == (0, 0)
    assert engines.running[0].wait(60) is not None
    assert "No engine is running." in engines.command("stop").stdout


@pytest.mark.parametrize("who", ["engine", "supervisor"])
@pytest.mark.parametrize("how", ["frames", "plays"])
def test_sigterm_ends_it_for_good(engines, demo_path, node, who, how):
    client = lit(engines, demo_path, node)
    pid = engines.connect().wait_for(protocol.Welcome).pid
    if how == "frames":
        client.send(protocol.Fault("frames"))
    os.kill(pid if who == "engine" else engines.running[0].pid, signal.SIGTERM)
    engines.running[0].wait(60)
    assert holder(folders.runtime()) == (0, 0)
    with pytest.raises(OSError):
        engine_client.Client()


def test_time_in_which_the_machine_slept_is_no_death():
    patience, plays = supervisor.Patience(0.0), Phase.PLAYING
    assert patience.look(5, plays, 0.05) == 0.0
    for i in range(10):
        missing = patience.look(5, plays, 0.1 + 0.05 * i)
    assert missing == pytest.approx(0.5)
    assert patience.look(5, plays, 4000.0) == pytest.approx(0.5 + 2 * supervisor.LOOK)
    assert patience.look(6, plays, 4000.05) == 0.0


def test_an_engine_that_others_starve_is_given_time_but_not_for_ever():
    waited, plays = [0.0], Phase.PLAYING
    patience = supervisor.Patience(0.0, lambda: waited[0])
    patience.look(5, plays, 0.0)
    for n in range(1, 21):  # a second, four fifths of which others had
        waited[0] += 0.04
        missing = patience.look(5, plays, 0.05 * n)
    assert missing == pytest.approx(0.2)
    for n in range(21, 81):
        waited[0] += 0.05
        missing = patience.look(5, plays, 0.05 * n)
    assert missing == pytest.approx(4.0 - supervisor.PATIENCE)
    assert patience.look(6, plays, 4.05) == 0.0


def test_time_that_a_process_waits_for_a_processor_is_told():
    """Four that are always busy, on one processor."""
    one = min(os.sched_getaffinity(0))
    busy = f"import os\nos.sched_setaffinity(0, {{{one}}})\nwhile True: pass"
    running = [subprocess.Popen([sys.executable, "-c", busy]) for _ in range(4)]
    watched = supervisor.Watched(running[0].pid, running[0])
    try:
        until(lambda: watched.waited() > 0.5, 30)
        idle = supervisor.Watched(os.getppid())
        assert idle.waited() >= 0.0
        idle.close()
    finally:
        for process in running:
            process.kill()
            process.wait()
        watched.close()
    assert watched.waited() == 0.0  # it is gone


SLOW = """
import sys, time
from choreon.engine.beat import Heartbeat, Phase
beat, again = Heartbeat(int(sys.argv[1])), sys.argv[2] == "again"
time.sleep(1.4)
beat.enter(Phase.PLAYING)
time.sleep(0.4)
for frame in range(1, 9 if again else 2):
    beat.beat(frame)
    time.sleep(0.4)
if not again:
    sys.exit(1)
beat.enter(Phase.ENDING)
"""


def test_an_engine_that_starts_slowly_is_not_taken_for_one_that_hangs():
    starts = []

    def start(beat, why, deaths):
        starts.append(why)
        words = [sys.executable, "-c", SLOW, str(beat.handle)]
        words.append("again" if len(starts) > 1 else "first")
        return subprocess.Popen(words, pass_fds=(beat.handle,))

    before = {n: signal.getsignal(n) for n in (signal.SIGTERM, signal.SIGINT)}
    before[signal.SIGHUP] = signal.getsignal(signal.SIGHUP)
    try:
        assert supervisor.Supervisor(start).run() == 0
    finally:
        signal.set_wakeup_fd(-1)
        for number, handler in before.items():
            signal.signal(number, handler)
    # the first died by itself after one frame; the second, whose first frame has the
    # same number, was left to play
    assert starts == ["", "ended by itself (exit code 1)"]


def test_it_waits_the_longer_the_more_often_engines_die(monkeypatch):
    waits: list[float] = []
    clock = [0.0]
    made = supervisor.Supervisor(lambda *how: None)
    monkeypatch.setattr(supervisor.time, "monotonic", lambda: clock[0])

    def sleep(_r, _w, _x, seconds):
        waits.append(seconds)
        clock[0] += seconds
        return [], [], []

    monkeypatch.setattr(supervisor.select, "select", sleep)
    waited = []
    for _ in range(6):
        clock[0] += 1.0
        waits.clear()
        made.pause()  # in small pieces: what sounds is looked after meanwhile
        waited.append(sum(waits))
    assert waited == pytest.approx([0.0, 0.0, 0.5, 1.0, 2.0, 2.0])
    made.played = 30.0  # it played well for a while
    waits.clear()
    made.pause()
    assert waits == []


def test_engines_that_hang_before_their_first_frame_count_as_deaths(monkeypatch):
    """Each took half a minute to be found out."""
    clock = [0.0]
    deaths = []
    made = supervisor.Supervisor(lambda beat, why, number: deaths.append(number))
    monkeypatch.setattr(supervisor.time, "monotonic", lambda: clock[0])
    monkeypatch.setattr(supervisor.select, "select", lambda *_: ([], [], []))
    monkeypatch.setattr(supervisor, "WAITS", (0.0,))
    monkeypatch.setattr(made, "watch", lambda engine: (1, "hung"))

    class Hangs:
        def __init__(self, pid, child):
            clock[0] += supervisor.STARTING

        def close(self):
            if len(deaths) > supervisor.BRIEF:
                made.ending = True

    class Child:
        pid = 0

    made.starts = lambda beat, why, number: deaths.append(number) or Child()
    monkeypatch.setattr(supervisor, "Watched", Hangs)
    made.run()
    assert deaths == [0, 1, 2, 3]
    assert "--bare" in supervisor.command([], made.heartbeat, "", deaths[-1])


def test_an_engine_that_dies_again_and_again_holds_what_was_sent_last(
    engines, demo_path, node
):
    client = lit(engines, demo_path, node)
    pid = engines.connect().wait_for(protocol.Welcome).pid
    client.close()
    for _ in range(supervisor.BRIEF):
        os.kill(pid, signal.SIGKILL)
        welcome = engines.another(pid)
        pid = welcome.pid
    assert welcome.bare
    assert "again and again" in welcome.note
    packets = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > packets + 10)
    assert values(node, 1)[0] == LIT
    again = engines.connect()
    again.send(protocol.PutShow(low_tide(port=node.port), str(demo_path)))
    again.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])


def renamed(show, name: str) -> changes.Delta:
    return changes.difference(show, edits.replace(show, name=name))


@pytest.mark.parametrize("wrong", ["another show", "another state"])
def test_an_edit_of_another_state_is_not_taken_and_all_is_asked_for(
    engines, demo_path, node, wrong
):
    client = engines.start(demo_path)
    welcome = client.wait_for(protocol.Welcome)
    show = welcome.show
    other = "other" if wrong == "another show" else show.id
    base = welcome.edits + (wrong == "another state")
    client.send(protocol.Edit(renamed(show, "Wrong"), base + 1, other, base))
    client.wait_for(protocol.Resend)
    assert engines.connect().wait_for(protocol.Welcome).show == show
    right = protocol.Edit(
        renamed(show, "Right"), welcome.edits + 3, show.id, welcome.edits
    )
    client.send(right)
    until(lambda: engines.connect().wait_for(protocol.Welcome).show.name == "Right")
    assert engines.connect().wait_for(protocol.Welcome).edits == welcome.edits + 3


def test_an_engine_without_a_show_keeps_nothing_and_takes_no_edits(
    engines, demo_path, node
):
    """Its file cannot be read and nothing is known: what a window would edit lands in
    no show, and nothing is written as what was played.
    """
    demo_path.write_bytes(b"PK no more")
    client = engines.start(demo_path)
    welcome = client.wait_for(protocol.Welcome)
    assert welcome.held
    show = low_tide(port=node.port)
    client.send(protocol.Edit(renamed(show, "Wrong"), 8, show.id, 7))
    client.wait_for(protocol.Resend)
    client.send(Do(GRAND, Verb.LEVEL, 0.5))
    client.send(protocol.PutShow(show, str(demo_path), 8))
    until(lambda: engines.connect().wait_for(protocol.Welcome).held is False)
    until(lambda: (known := session.load_show()) is not None and known.edits == 8)
    assert session.load_show().show == show
    assert not list(folders.state().glob("nothing*"))
    assert demo_path.read_bytes() == b"PK no more"


# starting


def test_a_show_that_cannot_be_read_leaves_the_lamps_as_they_were(
    engines, demo_path, node
):
    lit(engines, demo_path, node).close()
    engines.kill()
    for version in showfile.versions(demo_path):
        version.unlink()
    demo_path.write_bytes(b"PK no more")
    packets = node.reports()[0].packets
    client = engines.start(demo_path)
    welcome = client.wait_for(protocol.Welcome)
    assert welcome.held
    assert "The fixtures keep what was sent last" in welcome.note
    until(lambda: node.reports()[0].packets > packets + 10)
    assert values(node, 1)[0] == LIT
    client.send(protocol.PutShow(low_tide(port=node.port), str(demo_path)))
    until(lambda: engines.connect().wait_for(protocol.Welcome).held is False)
    assert values(node, 1)[0] == LIT  # what played with it plays again


@pytest.mark.parametrize("what", ["damaged", "a folder", "another shape", "NaN"])
def test_a_session_that_cannot_be_read_is_set_aside(engines, demo_path, node, what):
    path = session.path_for("low-tide")
    if what == "a folder":
        path.mkdir()
    elif what == "NaN":
        session.save("low-tide", protocol.PlayState())
        data = path.read_bytes()
        plain = msgspec.msgpack.decode(data)
        plain["state"] = {"masters": {"grand": math.nan}}
        path.write_bytes(msgspec.msgpack.encode(plain))
    else:
        path.write_bytes(
            b"\xff" * 99 if what == "damaged" else msgspec.msgpack.encode({"a": 1})
        )
    client = engines.start(demo_path)
    welcome = client.wait_for(protocol.Welcome)
    assert not welcome.resumed
    assert "low-tide.session" in welcome.note
    if what != "a folder":
        assert path.with_name("low-tide.session.damaged").exists()
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [LIT])


@pytest.mark.parametrize("name", ["screen", "engine.sock", "midi"])
def test_what_lies_in_the_runtime_folder_does_not_keep_it_from_starting(
    engines, demo_path, node, name
):
    place = folders.runtime() / name
    if name == "midi":
        place.write_text("no folder")
    else:
        place.symlink_to(demo_path)
    whole = demo_path.read_bytes()
    lit(engines, demo_path, node)
    assert demo_path.read_bytes() == whole  # no link was followed


def test_a_lamp_that_cannot_be_compiled_is_left_out_and_named(
    engines, own_folders, node
):
    show = low_tide(port=node.port)
    kind = show.types["tarnby-par-7"]
    mode = kind.modes[0]
    uses = tuple(edits.replace(use, cell=-99) for use in mode.uses)
    broken = edits.replace(kind, id="broken", modes=(edits.replace(mode, uses=uses),))
    show = edits.replace(show, types={**show.types, "broken": broken})
    show = edits.change_fixtures(show, {"par-2": {"type": "broken"}})
    path = own_folders / "broken.choreon"
    showfile.write(path, show)
    client = engines.start(path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [LIT])
    told = client.wait_for(protocol.Pulse).faults
    assert told == ("Par 2 cannot be played and is left out; the rest plays.",)


# frames


def test_a_frame_that_fails_costs_only_what_made_it_fail(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 1.0}}))
    until(lambda: values(node, 1)[10:11] == [255])
    before = node.reports()[0].packets
    client.send(protocol.Fault("render:draft"))

    def told() -> tuple[str, ...]:
        return client.wait_for(protocol.Pulse).faults

    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])  # the rest plays, and obeys
    assert values(node, 1)[10] == 0
    until(lambda: any("The draft makes frames fail" in text for text in told()))
    assert node.reports()[0].packets > before
    assert all(r.jumps == 0 for r in node.reports())
    client.send(protocol.Fault("mended"))
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.5}}))
    until(lambda: values(node, 1)[10:11] == [128])
    until(lambda: not told())


def test_where_no_frame_can_be_made_the_last_one_goes_on(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    client.send(protocol.Fault("render:base"))
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(
        lambda: any(
            "keep what was sent last" in text
            for text in client.wait_for(protocol.Pulse).faults
        )
    )
    packets = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > packets + 44)
    assert values(node, 1)[0] == LIT
    client.send(protocol.Fault("mended"))
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.6))
    until(lambda: values(node, 1)[0] not in (0, LIT))


def test_no_memory_for_one_frame_is_no_end(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    client.send(protocol.Fault("memory"))
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])


# outputs

BAD = (
    SacnOutput(id="bad", host="127.0.0.1", port=99999),
    SacnOutput(id="bad", host="a\0b"),
    SacnOutput(id="bad", host="127.0.0.1", priority=999),
    SacnOutput(id="bad", host="127.0.0.1", sync=99999),
    SacnOutput(id="bad", host="127.0.0.1", interface="203.0.113.7"),
    SacnOutput(id="bad", host="no such host"),
    SacnOutput(id="bad", host="ü" * 80),
    SacnOutput(id="bad", host="127.0.0.1", shift=10**9),
    ArtnetOutput(id="bad", host="127.0.0.1", port=-1),
    ArtnetOutput(id="bad", host="127.0.0.1", universes=(-5, 10**9)),
)


def with_output(show, output):
    return edits.replace(show, outputs={output.id: output, **show.outputs})


def test_an_output_that_cannot_send_is_its_own_trouble_alone(
    engines, own_folders, node
):
    show = low_tide(port=node.port)
    path = own_folders / "s.choreon"
    showfile.write(path, with_output(show, BAD[0]))
    client = engines.start(path)  # at start
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [LIT])
    level = 1.0
    for output in BAD:  # while it plays, one after another
        client.send(protocol.PutShow(with_output(show, output), str(path)))

        def trouble() -> str:
            told = client.wait_for(protocol.Pulse).outputs
            return next((o.trouble for o in told if o.id == "bad"), "")

        until(trouble)
        level = 1.5 - level
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, level))
        want = LIT if level == 1.0 else 108
        until(lambda want=want: values(node, 1)[:1] == [want])
    mended = SacnOutput(id="bad", host="127.0.0.1", port=node.port, shift=100)
    client.send(protocol.PutShow(with_output(show, mended), str(path)))
    until(lambda: len(values(node, 101)) == 512)
    client.send(protocol.PutShow(with_output(show, BAD[2]), str(path)))
    until(lambda: next(r for r in node.reports() if r.universe == 101).ended)
    assert engines.command("stop", "--fade", "0").returncode == 0  # and when it ends


# numbers, and what is no message


@pytest.mark.parametrize("wild", [math.nan, math.inf, -math.inf, 1e300])
def test_numbers_that_are_none_are_refused_and_the_path_is_logged(
    engines, demo_path, node, wild
):
    log = folders.state() / "engine.log"
    client = lit(engines, demo_path, node)
    for message in (
        Do(to_tile("front-wash-fader"), Verb.LEVEL, wild),
        Do(GRAND, Verb.LEVEL, wild),
        protocol.SetValues(look={"par-1": {"Dimmer": wild}}),
        protocol.SetValues(look={"spot-1": {"Pan": (wild, 1.0)}}),
        protocol.ClearDraft(seconds=wild),
        protocol.Stop(wild),
    ):
        client.send(message)
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.5}}))
    until(lambda: values(node, 1)[10:11] == [128])
    assert values(node, 1)[0] == LIT
    until(lambda: "$.look.par-1.Dimmer is" in log.read_text())


def test_what_is_nested_or_huge_is_refused_before_it_is_decoded(
    engines, demo_path, node
):
    client = lit(engines, demo_path, node)
    deep = b"\x82\xa1t\xa5touch\xa4look" + b"\x91" * 3_000_000
    strange = b"\x82\xa1t\xa5touch\xa4what" + b"\x91" * 3_000_000
    for body in (deep, strange):
        with socket.socket(socket.AF_UNIX) as stranger:
            stranger.connect(str(engine_client.socket_path()))
            stranger.sendall(len(body).to_bytes(4, "little") + body)
    liar = socket.socket(socket.AF_UNIX)
    liar.connect(str(engine_client.socket_path()))
    liar.sendall(b"\xff\xff\xff\x7f")
    with liar:
        liar.settimeout(5)
        assert liar.recv(1) == b""  # it is let go
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
    until(lambda: values(node, 1)[:1] == [108])


def test_clients_without_end_do_not_keep_a_window_out(engines, demo_path, node):
    lit(engines, demo_path, node)
    idle = []
    for _ in range(3 * 32):
        one = socket.socket(socket.AF_UNIX)
        one.connect(str(engine_client.socket_path()))
        one.sendall(b"\xff\xff\x00\x00half a message")
        idle.append(one)
    try:
        client = engines.connect()
        client.wait_for(protocol.Welcome)
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
        until(lambda: values(node, 1)[:1] == [108])
    finally:
        for one in idle:
            one.close()


def test_a_second_engine_never_sends_beside_a_living_one(engines, demo_path, node):
    client = lit(engines, demo_path, node)
    pid = engines.connect().wait_for(protocol.Welcome).pid
    assert engines.command("engine", str(demo_path)).returncode == 3
    os.kill(pid, signal.SIGSTOP)  # it lives, and holds its place
    second = engine_client.start_engine(demo_path)
    engines.running.append(second)
    welcome = engines.another(pid)
    client.close()
    until(lambda: 3 in [process.poll() for process in engines.running])
    assert None in [process.poll() for process in engines.running]
    assert welcome.resumed
    assert values(node, 1)[0] == LIT


def test_more_outputs_than_a_frame_has_time_for_are_told(engines, own_folders, node):
    """Real ones, to a port of this computer where nobody listens."""
    show = low_tide(port=node.port)
    for number in range(2000):
        output = SacnOutput(id=f"o-{number}", name="Much", host="127.0.0.1", port=9)
        show = edits.put(show, "outputs", output)
    path = own_folders / "crowded.choreon"
    showfile.write(path, show)
    client = engines.start(path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))

    def faults() -> str:
        nonlocal client
        try:
            return " ".join(client.wait_for(protocol.Pulse).faults)
        except ConnectionError:
            # what talks to windows may hang beside so much, and is replaced then
            client = engines.connect()
            return ""

    until(lambda: "Sending to 2001 outputs takes most of each frame" in faults())
    few = {i: output for i, output in show.outputs.items() if i[:2] != "o-"}
    client.send(protocol.PutShow(edits.replace(show, outputs=few), str(path)))
    until(lambda: faults() == "" and faults() == "")
