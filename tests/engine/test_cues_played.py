"""Cues in real processes: an engine that dies in a fade, and a window that is gone
between two cues.
"""

from __future__ import annotations

import csv
import io
import os
import signal

from choreon.engine import protocol, session
from choreon.engine.do import Do
from choreon.engine.run_log import last_runs
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.patch import footprint
from choreon.model.playables import Scene, Stack
from choreon.model.playables.stack import Cue, Follow, FollowKind
from choreon.model.refs import Ref
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from tests.conftest import until, values

STACK = Ref("stack", "k")
FRONT = Part(Ref("scene", "front-wash"))
LIT = 217  # front 1 in the front wash


def with_stack(path, *cues: Cue) -> None:
    """The sample show with a stack of these."""
    stack = Stack(id="k", name="K", cues=cues, fade_in=0.0, fade_out=0.0, guard=0.0)
    showfile.write(path, edits.put(showfile.read(path), "playables", stack))


def cursor_of(state):
    return next(p.steps[-1].cursor for p in state.players if p.ref == STACK)


def test_killed_in_a_fade_it_is_back_in_the_same_cue_at_the_same_place(
    engines, demo_path, node
):
    with_stack(
        demo_path,
        Cue(id="a", number=1.0),
        Cue(id="b", number=2.0, plays=(FRONT,), fade_in=600.0),
    )
    client = engines.start(demo_path)
    pid = client.wait_for(protocol.Welcome).pid
    for _ in range(2):
        client.send(Do(STACK, Verb.GO))
    until(lambda: values(node, 1)[:1] > [0])
    until(
        lambda: (
            (known := session.load("low-tide")) is not None
            and known.players
            and cursor_of(known).cue == "b"
            and cursor_of(known).complete is not None
        )
    )
    before = session.load("low-tide")
    seen = values(node, 1)[0]

    os.kill(pid, signal.SIGKILL)
    after = engines.another(pid).state
    assert cursor_of(after) == cursor_of(before)
    step, was = after.players[0].steps[-1], before.players[0].steps[-1]
    assert step.progress == was.progress
    packets = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > packets + 10)
    # it goes on from where it was: neither from the beginning, nor at its end
    assert seen <= values(node, 1)[0] < LIT


def test_what_follows_comes_with_no_window_while_all_stands(engines, demo_path, node):
    with_stack(
        demo_path,
        Cue(id="a", number=1.0),
        Cue(id="b", number=2.0, plays=(FRONT,), follow=Follow(FollowKind.BEGUN, 1.0)),
        Cue(id="c", number=3.0, follow=Follow(FollowKind.COMPLETE, 0.5)),
    )
    client = engines.start(demo_path)
    client.send(Do(STACK, Verb.GO))
    until(lambda: session.load("low-tide") is not None)
    client.close()
    until(lambda: values(node, 1)[:1] == [LIT])
    until(lambda: values(node, 1)[:1] == [0])

    def written() -> list[str]:
        runs = last_runs("low-tide", "k")
        text = runs[0].read_text() if runs else ""
        return [row["id"] for row in csv.DictReader(io.StringIO(text))]

    until(lambda: written() == ["a", "b", "c"])


def test_a_dark_head_goes_ahead_while_nothing_else_happens(engines, demo_path, node):
    show = showfile.read(demo_path)
    there = {"Dimmer": 1.0, "Pan": 30.0, "Tilt": 20.0}
    scene = Scene(id="spot", name="Spot", look={"spot-1": there})
    showfile.write(demo_path, edits.put(show, "playables", scene))
    with_stack(
        demo_path,
        Cue(id="a", number=1.0, plays=(FRONT,)),
        Cue(id="b", number=2.0, plays=(Part(scene.ref),)),
    )
    spot = show.fixtures["spot-1"]
    own = slice(spot.address - 1, spot.address - 1 + footprint(show, spot))

    client = engines.start(demo_path)
    until(lambda: len(values(node, 2)) > 0)
    at_home = values(node, 2)
    client.send(Do(STACK, Verb.GO))
    until(lambda: values(node, 2) != at_home)

    def ready():
        state = client.wait_for(protocol.State).state
        return state.ready and state.ready[0].moves and state.ready

    until(ready)
    last: list[int] = []

    def stands() -> bool:
        nonlocal last
        before, last = last, values(node, 2)
        return before == last != at_home

    until(stands, step=0.3)
    went = [n for n, (a, b) in enumerate(zip(at_home, last, strict=True)) if a != b]
    assert all(own.start <= n < own.stop for n in went)

    # with GO it is there at once: nothing but its light and what lets that out changes
    client.send(Do(STACK, Verb.GO))
    until(lambda: values(node, 2) != last)
    until(lambda: values(node, 1)[:1] == [0])
    pan = [n for n in went if at_home[n] != last[n]]
    assert [values(node, 2)[n] for n in pan] == [last[n] for n in pan]
