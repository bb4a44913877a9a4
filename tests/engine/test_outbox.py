"""What a window has to tell, while the engine takes none of it."""

from __future__ import annotations

import random
import socket

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.engine.outbox import MOST, Outbox
from choreon.model.edits import merge_looks
from choreon.model.refs import to_tile
from choreon.model.verbs import Edge, Verb

A, B = to_tile("a"), to_tile("b")


def level(tile, value: float) -> Do:
    return Do(tile, Verb.LEVEL, value, Edge.TURN)


def press(tile) -> Do:
    return Do(tile, Verb.PRESS)


class Line:
    """A line to an engine that takes messages only when it is let."""

    def __init__(self) -> None:
        self.near, self.far = socket.socketpair()
        self.framer = protocol.Framer()
        self.far.setblocking(False)
        self.taken = 0

    def read(self) -> list[protocol.ToEngine]:
        found = []
        while True:
            try:
                data = self.far.recv(1 << 16)
            except BlockingIOError:
                break
            if not data:
                break
            found += [protocol.decode_to_engine(b) for b in self.framer.feed(data)]
        self.taken += len(found)
        return found

    def close(self) -> None:
        self.near.close()
        self.far.close()


@pytest.fixture
def line():
    made = Line()
    yield made
    made.close()


def sent(outbox: Outbox, line: Line) -> list[protocol.ToEngine]:
    """All that comes out of it, however much that is."""
    found = []
    while True:
        outbox.push(line.near)
        more = line.read()
        if not more:
            return found
        found += more


def test_of_a_thing_that_is_moved_only_the_newest_value_is_told(line):
    outbox = Outbox()
    for i in range(100):
        outbox.put(level(A, i / 100))
        outbox.put(level(B, 1 - i / 100))
        outbox.put(
            protocol.SetValues(look={f"l{i % 3}": {"Dimmer": i / 100}}, revision=i)
        )
    first, second, third = sent(outbox, line)
    assert (first, second) == (level(A, 0.99), level(B, 1 - 0.99))
    assert third.look == {
        "l0": {"Dimmer": 0.99},
        "l1": {"Dimmer": 0.97},
        "l2": {"Dimmer": 0.98},
    }
    assert third.revision == 99


def test_presses_each_count_and_keep_their_place(line):
    outbox = Outbox()
    outbox.put(level(A, 0.1))
    outbox.put(press(B))
    outbox.put(level(A, 0.2))
    outbox.put(press(B))
    outbox.put(level(A, 0.3))
    outbox.put(level(A, 0.4))
    assert sent(outbox, line) == [
        level(A, 0.1),
        press(B),
        level(A, 0.2),
        press(B),
        level(A, 0.4),
    ]


def test_what_one_engine_did_not_take_is_told_to_the_next(line):
    outbox = Outbox()
    for tile in (A, B):
        outbox.put(press(tile))
    outbox.push(line.near)
    assert line.read() == [press(A), press(B)]
    outbox.taken(1)  # the second one it died with
    outbox.put(level(A, 0.5))
    other = Line()
    outbox.renew(0)
    outbox.first(protocol.Learning())
    assert sent(outbox, other) == [protocol.Learning(), press(B), level(A, 0.5)]
    outbox.taken(3)
    assert not outbox
    other.close()


def test_an_edit_is_worked_out_when_it_can_be_sent(line):
    made = []
    outbox = Outbox()

    def edit() -> protocol.Message | None:
        made.append(1)
        return protocol.Learning() if len(made) == 1 else None

    for _ in range(50):
        outbox.put(edit)
    assert not made
    assert sent(outbox, line) == [protocol.Learning()]
    assert len(made) == 1


def test_it_never_waits_and_never_grows_without_end(line):
    """The line is full: what it took in part is finished first when there is room."""
    outbox = Outbox()
    look = {f"lamp-{i}": {"Dimmer": 0.5} for i in range(300)}
    for i in range(200):
        outbox.put(protocol.SetLive(f"t{i}", look))
        outbox.push(line.near)  # returns at once
    assert outbox.stuck
    got = sent(outbox, line)
    assert [one.tile for one in got] == [f"t{i}" for i in range(200)]
    for _ in range(MOST + 500):
        outbox.put(press(A))
    assert len(outbox) <= MOST + 200


@given(st.lists(st.integers(0, 6), max_size=60), st.integers(0, 1000))
def test_whatever_is_cut_off_the_engine_ends_where_the_window_is(acts, seed):
    """Levels and presses in any order, the line cut at any time: the last levels arrive,
    and no press before the cut that was taken is told twice.
    """
    dice, outbox, line = random.Random(seed), Outbox(), Line()
    want: dict[str, float] = {}
    have: dict[str, float] = {}
    draft: dict = {}
    seen: dict = {}
    presses = heard = 0

    def take() -> None:
        nonlocal heard, seen
        for message in line.read():
            match message:
                case Do(ref, Verb.LEVEL, value):
                    have[ref.id] = value
                case Do(_, Verb.PRESS):
                    heard += 1
                case protocol.SetValues(look=look):
                    seen = merge_looks(seen, look)
        outbox.taken(line.taken)

    for act in acts:
        if act < 2:
            name = dice.choice("ab")
            want[name] = dice.random()
            outbox.put(level(to_tile(name), want[name]))
        elif act == 2:
            presses += 1
            outbox.put(press(A))
        elif act == 3:
            look = {dice.choice("xy"): {"Dimmer": dice.random()}}
            draft = merge_looks(draft, look)
            outbox.put(protocol.SetValues(look=look))
        elif act == 4:
            outbox.push(line.near)
        elif act == 5:
            take()
        else:
            take()
            line.close()
            line = Line()
            outbox.renew(0)
    outbox.push(line.near)
    take()
    assert have == want
    assert seen == draft
    assert heard == presses
    line.close()
