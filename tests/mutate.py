"""Messages, shows, sessions and types as no program of ours would write them, and what
must be said of each: it is refused, or it is taken; nothing else is raised.

`bin/bench mutated` takes a million of them, the tests a few thousand.
"""

from __future__ import annotations

import io
import random
import zipfile
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

import msgspec

from choreon import folders
from choreon.demo import low_tide
from choreon.engine import protocol, session
from choreon.engine.actions import housekeeping
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import changes, edits
from choreon.model.fixture_type import FixtureType
from choreon.model.inputs import key_control
from choreon.model.outputs import AnyOutput
from choreon.model.refs import BLACKOUT, GRAND, TEMPO, to_tile
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show

DEEP: Any = "x"
for _ in range(300):
    DEEP = [DEEP]

ODD: list[Any] = [
    *(float("nan"), float("inf"), float("-inf"), 1e300, -1e300, 5e-324, -0.0, 0.5),
    *(0, 1, -1, 513, 65536, 2**31, -(2**31), 2**63 - 1, -(2**63), 2**64 - 1),
    *(
        "",
        "\0",
        "x" * 5000,
        "../../etc/passwd",
        "\ud800".encode("utf-8", "replace").decode(),
    ),
    *(None, True, False, b"", b"\xff" * 100, [], {}, [None], {"": ""}, DEEP),
]


@cache
def show() -> Show:
    return low_tide()


@cache
def messages() -> tuple[bytes, ...]:
    """One of each kind, without the length before it."""
    look: Look = {"par-1": {"Dimmer": 0.5}, "spot-1": {"Pan": 30.0}}
    renamed = edits.replace(show(), name="Ebb")
    ids = ("par-1", "spot-1")
    them: list[protocol.Message | Do] = [
        protocol.Hello(),
        protocol.Edit(changes.difference(show(), renamed)),
        protocol.SetValues(look=look, revision=3),
        protocol.RemoveValues(lines={"par-1": ("Dimmer",)}),
        protocol.ClearDraft(),
        protocol.SetDraft(look=look),
        protocol.SetEffects(effects=()),
        protocol.SetBlind(blind=True),
        protocol.SetLive("cello-pad", look),
        protocol.TakeAside(ids),
        protocol.SetAside(look),
        protocol.BringBack(ids),
        protocol.Restore(housekeeping.blank()),
        protocol.Learning(),
        protocol.Front("page"),
        protocol.MoveControl(key_control("F5"), 1.0),
        protocol.Blink(ids),
        protocol.SendBytes("k", 1, 1, b"\1\2", 1.0),
        Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5),
        Do(GRAND, Verb.LEVEL, 1.0),
        Do(BLACKOUT, Verb.SWITCH, 0.0),
        Do(TEMPO, Verb.PRESS),
    ]
    return tuple(protocol.pack(one)[4:] for one in them)


@cache
def _plain(what: str) -> Any:
    match what:
        case "show":
            return msgspec.to_builtins(edits.replace(show(), types={}))
        case "type":
            kinds = sorted(show().types.values(), key=lambda k: k.id)
            return [msgspec.to_builtins(kind) for kind in kinds]
        case "session":
            made = session.Session("boot", 1.0, "low-tide", housekeeping.blank())
            return msgspec.to_builtins(made)
        case "output":
            return [msgspec.to_builtins(o) for o in show().outputs.values()]
    raise KeyError(what)


def cut(dice: random.Random, data: bytes) -> bytes:
    """Bytes with some of them changed, left out, doubled or put in."""
    raw = bytearray(data)
    for _ in range(dice.choice((1, 1, 2, 5, 20))):
        at = dice.randrange(len(raw) + 1)
        match dice.randrange(5):
            case 0 if at < len(raw):
                raw[at] = dice.randrange(256)
            case 1:
                del raw[at : at + dice.randrange(1, 9)]
            case 2:
                raw[at:at] = bytes(
                    dice.choice((0, 0x7F, 0x93, 0xCB, 0xDF, 0xFF)) for _ in range(4)
                )
            case 3:
                raw[at:at] = raw[at : at + dice.randrange(1, 40)]
            case 4:
                del raw[max(1, at) :]
        if not raw:
            raw += b"\0"
    return bytes(raw)


def bent(dice: random.Random, plain: Any) -> Any:
    """A document with an odd value, or one too few, in a place or two. What is not
    touched is shared with the one given.
    """
    for _ in range(dice.choice((1, 1, 1, 2, 4))):
        plain = _bent_once(dice, plain)
    return plain


def _bent_once(dice: random.Random, plain: Any) -> Any:
    if isinstance(plain, dict) and plain and dice.random() < 0.93:
        key = dice.choice(list(plain))
        if dice.random() < 0.04:
            return {k: v for k, v in plain.items() if k != key}
        if dice.random() < 0.03:
            return {**plain, str(dice.choice(list(plain))) + "x": plain[key]}
        return {**plain, key: _bent_once(dice, plain[key])}
    if isinstance(plain, list | tuple) and plain and dice.random() < 0.93:
        at = dice.randrange(len(plain))
        if dice.random() < 0.05:
            return [*plain[:at], *plain[at + 1 :]]
        return [*plain[:at], _bent_once(dice, plain[at]), *plain[at + 1 :]]
    if (
        isinstance(plain, int | float)
        and not isinstance(plain, bool)
        and dice.random() < 0.4
    ):
        return plain * dice.choice((-1, 10, 1000, 1e6, 1e-6)) + dice.choice((0, 1, -1))
    return dice.choice(ODD)


# what must hold: each returns whether it was taken


def try_message(dice: random.Random) -> bool:
    """A message to the engine, or from it."""
    raw = cut(dice, dice.choice(messages()))
    if dice.random() < 0.5:
        try:
            plain = msgspec.msgpack.decode(dice.choice(messages()))
            raw = msgspec.msgpack.encode(bent(dice, plain))
        except (OverflowError, ValueError):
            pass
    try:
        protocol.decode_to_engine(raw)
    except protocol.Refused:
        return False
    return True


def try_type(dice: random.Random) -> bool:
    """A fixture type: what is taken can be compiled, or is left out."""
    odd = bent(dice, dice.choice(_plain("type")))
    try:
        kind = msgspec.convert(odd, FixtureType)
    except (msgspec.ValidationError, RecursionError):
        return False
    lamps = [f for f in show().fixtures.values() if f.type == odd["id"]][:2]
    hung = {f.id: edits.replace(f, type=kind.id) for f in lamps}
    compile_show(Show(id="s", name="S", types={kind.id: kind}, fixtures=hung))
    return True


def try_show(dice: random.Random) -> bool:
    """A show file: it is read, or refused in words; and what is read can be compiled."""
    odd = bent(dice, _plain("show"))
    document = {"format": showfile.FORMAT, "types": [], "show": odd}
    try:
        data = msgspec.json.encode(document)
    except (msgspec.EncodeError, ValueError, TypeError, RecursionError):
        return False
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("show.json", data)
    raw = file.getvalue()
    try:
        found = showfile.from_bytes(cut(dice, raw) if dice.random() < 0.2 else raw)
    except showfile.ShowFileError:
        return False
    compile_show(edits.replace(found, types=show().types))
    return True


def try_session(dice: random.Random) -> bool:
    """What an engine kept: it is taken up, or set aside."""
    try:
        data = msgspec.msgpack.encode(bent(dice, _plain("session")))
    except (OverflowError, RecursionError):
        return False
    if dice.random() < 0.3:
        data = cut(dice, data)
    path = session.path_for("low-tide")
    path.write_bytes(data)
    taken = session.know("low-tide").state is not None
    for file in folders.state().glob("*.damaged*"):
        file.unlink()
    return taken


def try_output(dice: random.Random) -> bool:
    """An output."""
    try:
        msgspec.convert(bent(dice, dice.choice(_plain("output"))), AnyOutput)
    except (msgspec.ValidationError, RecursionError):
        return False
    return True


TRIES: dict[str, Callable[[random.Random], bool]] = {
    "messages": try_message,
    "shows": try_show,
    "sessions": try_session,
    "types": try_type,
    "outputs": try_output,
}


def run(what: str, seeds: range) -> Iterator[bool]:
    """Try one kind with each seed; whatever is raised names the seed."""
    for seed in seeds:
        try:
            yield TRIES[what](random.Random(seed))
        except Exception as error:
            raise AssertionError(f"{what}, seed {seed}: {error!r}") from error
