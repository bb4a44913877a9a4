"""Acting, ahead of the frames, at rest, and between versions."""

from __future__ import annotations

import socket
import threading
from functools import partial

import msgspec
import numpy as np
import pytest

from choreon.demo import low_tide
from choreon.engine import actions, protocol
from choreon.engine import client as engine_client
from choreon.engine.clock import Clock
from choreon.engine.do import Do
from choreon.engine.precompiler import Precompiler
from choreon.model import edits
from choreon.model.motion import Effect, Path
from choreon.model.outputs import SacnOutput
from choreon.model.playables import Scene
from choreon.model.refs import BLACKOUT, GRAND, Ref, to_tile
from choreon.model.verbs import Edge, Verb
from choreon.render import compiled as compiling
from choreon.render.compositor import render
from choreon.render.rig import compile_rig
from choreon.wire import sacn
from choreon.wire.outputs import Sender
from tests import play

SHOW = low_tide()


@pytest.mark.parametrize(
    ("ref", "verb"),
    [
        (GRAND, Verb.RELEASE),
        (GRAND, Verb.SWITCH),
        (BLACKOUT, Verb.LEVEL),
        (Ref("player", "x"), Verb.PRESS),
        (Ref("palette", "moon"), Verb.PRESS),
    ],
)
def test_a_verb_that_a_thing_does_not_take_is_refused_in_words(ref, verb):
    with pytest.raises(actions.NotTaken, match=f"{ref} does not take “{verb}”"):
        actions.perform(SHOW, play.blank(), Do(ref, verb), 0.0)


@pytest.mark.parametrize("kind", ["tile", "scene", "master", "tide", "player"])
def test_what_is_gone_changes_nothing(kind):
    state = play.blank()
    do = Do(Ref(kind, "nobody"), Verb.RELEASE)
    assert actions.perform(SHOW, state, do, 0.0) is state


def test_letting_a_pad_up_does_nothing():
    do = Do(to_tile("cello-pad"), Verb.PRESS, 0.0, Edge.UP)
    state = play.blank()
    assert actions.perform(SHOW, state, do, 0.0) is state


def test_something_that_plays_can_be_pressed_without_a_tile():
    do = Do(Ref("scene", "cello"), Verb.PRESS)
    state = actions.perform(SHOW, play.blank(), do, 0.0)
    assert [p.ref for p in state.players] == [Ref("scene", "cello")]


def test_what_was_asked_for_is_not_compiled_in_the_frame(monkeypatch):
    """A first press, the crossfade after it, and a draft: all compiled ahead."""
    state = play.blank()
    ahead = Precompiler(compiling.compile_show(SHOW), lambda: state)

    def press(tile: str, now: float):
        do = Do(to_tile(tile), Verb.PRESS)
        ways = ahead.ask([do])
        return actions.perform(SHOW, state, do, now, ways[do.ref])

    def refuse(*_args, **_more):
        raise AssertionError("compiled in the frame")

    for n, tile in enumerate(("slack-water-pad", "spring-tide-pad", "cello-pad")):
        state = press(tile, 10.0 * n)
        with monkeypatch.context() as frame:
            for name in ("Fade", "assemble", "safe_piece_of"):
                frame.setattr(compiling, name, refuse)
            frame.setattr("choreon.render.sources.scene.compile_look", refuse)
            render(ahead.compiled, state, 10.0 * n + 0.5)
    look = ahead.touch({"par-1": {"Dimmer": 0.5}})
    state = play.set_draft(state, look)
    monkeypatch.setattr(compiling, "assemble", refuse)
    render(ahead.compiled, state, 30.0)


def test_a_new_name_compiles_nothing_and_a_moved_mark_only_what_aims_at_it():
    first = compiling.compile_show(SHOW)
    play.compile_all(first)
    mark = next(iter(SHOW.marks))
    named = edits.rename(SHOW, Ref("mark", mark), "Elsewhere")
    second = compiling.compile_show(named, first)
    assert second.sources == first.sources
    moved = edits.change(SHOW, Ref("mark", mark), x=0.7)
    third = compiling.compile_show(moved, first)
    kept = [k for k in third.sources if third.sources[k] is first.sources[k]]
    followed = set(third.sources) - set(kept)
    assert kept
    assert followed
    for key in followed:  # followed, they are what compiling them anew would make
        fresh = compiling.compile_show(moved).source(play.step(key[0]))
        assert third.sources[key].look.values == pytest.approx(fresh.look.values)


def test_something_new_comes_at_once_at_rest_and_not_sooner_than_a_period(monkeypatch):
    clock = Clock(1000.0)
    clock.wait()
    clock.wake.set()
    clock.wait()  # at once: no frame was new yet
    assert clock.frames == 2
    assert not clock.wake.is_set()


def packets_of(receiver: socket.socket) -> int:
    count = 0
    receiver.setblocking(False)
    while True:
        try:
            count += sacn.read(receiver.recv(2048)) is not None
        except BlockingIOError:
            return count


@pytest.mark.parametrize(("rest", "expected"), [(False, 1 + 440), (True, 1 + 3 + 11)])
def test_an_output_keeps_its_rate_or_rests_while_nothing_changes(rest, expected):
    """Ten seconds of frames: all 440, or three repeats and then one every .9 s: 11."""
    receiver = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    receiver.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
    receiver.bind(("127.0.0.1", 0))
    port = receiver.getsockname()[1]
    output = SacnOutput(id="o", host="127.0.0.1", port=port, rest=rest)
    sender = Sender("test", bytes(16), [output], [1])
    try:
        sender.send(np.zeros((1, 512), np.uint8), 100.0)
        count = 0
        for n in range(1, 441):
            sender.repeat(100.0 + n / 44)
            if n % 40 == 0:
                count += packets_of(receiver)
        count += packets_of(receiver)
        assert abs(count - expected) <= 1
    finally:
        sender.streams["o"].shut()
        receiver.close()


def test_the_same_is_sent_three_times_more_before_an_output_rests():
    """As E1.31, section 6.6.1, asks of a source that is to rest."""
    output = SacnOutput(id="o", host="127.0.0.1", port=9, rest=True)
    sender = Sender("test", bytes(16), [output], [1])
    try:
        for begin in (100.0, 200.0):  # anew after each change
            before = sender.sent + sender.errors
            sender.send(np.full((1, 512), int(begin) % 256, np.uint8), begin)
            sent = []
            for n in range(1, 39):
                sender.repeat(begin + n / 44)
                sent.append(sender.sent + sender.errors - before)
            assert sent[:4] == [2, 3, 4, 4]
            assert sent[-1] == 4  # for .9 seconds
    finally:
        sender.streams["o"].shut()


def test_a_welcome_of_another_version_is_told_as_such(own_folders):
    """An engine of an earlier version welcomes in words that are not ours."""
    server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    server.bind(str(engine_client.socket_path()))
    server.listen(1)
    body = msgspec.msgpack.encode(
        {"t": "welcome", "version": 1, "pid": 5, "show": {"scenes": {}}}
    )

    def serve() -> None:
        connection, _ = server.accept()
        connection.sendall(len(body).to_bytes(4, "little") + body)
        connection.recv(1 << 16)
        connection.close()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    client = engine_client.Client()
    try:
        found = client.wait_for(protocol.Mismatch)
        assert (found.version, found.pid) == (1, 5)
    finally:
        client.close()
        thread.join(5)
        server.close()


def test_lit_heads_come_onto_a_path_by_the_shortest_way_there_is():
    """From wherever they aim: what each travels to where it begins is no more than 35°
    further than it would have to be, unless it could not go on from there.
    """
    dice = np.random.default_rng(12)
    heads = ("spot-1", "spot-2", "wash-1", "wash-2")
    path = Path(in_room=True, centre="point:0,3,0", size=0.8)
    goes = Scene(
        id="goes",
        name="Goes",
        fade_in=0.0,
        effects=(Effect(id="e", motion=path, fixtures=heads),),
        look={i: {"Dimmer": 1.0} for i in heads},
    )
    far = 0
    for _ in range(25):
        table = compile_rig(SHOW.types, SHOW.fixtures).heads
        aims = {}
        for head in heads:
            n = table.of[head]
            pan, tilt = dice.uniform(table.low[n], table.high[n]).tolist()
            aims[head] = {"Dimmer": 1.0, "Pan": pan, "Tilt": tilt}
        stands = Scene(id="stands", name="Stands", look=aims, fade_in=0.0)
        show = play.put_scenes(edits.replace(SHOW, playables={}), (stands, goes))
        before = actions.perform(show, play.blank(), Do(stands.ref, Verb.PRESS), 0.0)
        ahead = Precompiler(
            compiling.compile_show(show), partial(_same, before), partial(_same, 5.0)
        )
        do = Do(goes.ref, Verb.PRESS)
        ways = ahead.ask([do])[do.ref]
        after = actions.perform(show, before, do, 5.0, ways)
        source = ahead.compiled.source(after.players[-1].steps[-1])
        ((which, begin, points),) = source.path_begins()
        here = np.array([[aims[h]["Pan"], aims[h]["Tilt"]] for h in heads])
        order = [table.of[h] for h in heads]
        assert order == which.tolist()
        (op,) = source.moving.ops
        shortest = table.solve(which, points, here)[0]
        further = np.abs(begin - here).sum(axis=1) - np.abs(shortest - here).sum(axis=1)
        legal = [_goes_on(table, op.table, n, shortest[n], begin[n]) for n in range(4)]
        assert (further[legal] <= 35.0).all(), further
        far += int((further > 35.0).sum())
    assert far < 25  # few heads must take the longer way


def _same(thing):
    return thing


def _goes_on(heads, table, n, wanted, begin) -> bool:
    """Whether the way from `begin`, turned to `wanted`, stays within a head's limits."""
    head = table.heads[n]
    pans = table.angles[n][:, 0] + round((wanted[0] - begin[0]) / 180.0) * 180.0
    tilts = table.angles[n][:, 1] * (1 if wanted[1] * begin[1] >= 0 else -1)
    inside = heads.low[head, 0] <= pans.min() and pans.max() <= heads.high[head, 0]
    reached = heads.low[head, 1] <= tilts.min() and tilts.max() <= heads.high[head, 1]
    return bool(inside and reached)
