"""The messages between engine and window, and how they are framed on the socket.

A message is a length of four bytes, little-endian, and as many bytes of MessagePack.
The types check themselves when decoded; what does not fit is refused with one line in
the log.
"""

from __future__ import annotations

import struct

import msgspec

from choreon.engine.do import Do
from choreon.model.changes import Delta
from choreon.model.inputs import Control
from choreon.model.motion import Effects
from choreon.model.numbers import Count, Number, wild
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.state import PlayState

LIMIT = 64 << 20
VERSION = 12
"""Of these messages. Hello, Stop and Mismatch stay as they are, so that any two
versions can tell each other what they are.
"""


class Message(msgspec.Struct, tag_field="t"):
    """Base of all messages."""


# from the window


class Hello(Message, tag="hello"):
    """First message of a client. `window`: it wants to be told what goes on."""

    version: int = VERSION
    window: bool = True


class PutShow(Message, tag="show"):
    """Play this show from now on. What plays goes on where the new show has it too."""

    show: Show
    path: str
    edits: int = 0


class Edit(Message, tag="edit"):
    """The show changed. `show`, `base`: the id of the one that it changes, and how
    often that had been changed before; an engine that has another asks for the whole.
    """

    delta: Delta
    edits: int = 0
    show: str = ""
    base: int = 0


class Revision(Message):
    """A change of the draft; `revision` counts the window's changes."""

    revision: int = 0


class SetValues(Revision, tag="touch", kw_only=True):
    """Values for the draft."""

    look: Look


class RemoveValues(Revision, tag="untouch", kw_only=True):
    """Draft values to remove: fixture → attributes."""

    lines: dict[str, tuple[str, ...]]


class ClearDraft(Revision, tag="clear", kw_only=True):
    """Let the draft go, within so many seconds."""

    seconds: Number = 0.8


class SetDraft(Revision, tag="draft", kw_only=True):
    """Replace the draft."""

    look: Look


class SetEffects(Revision, tag="effects", kw_only=True):
    """Replace the draft's effects."""

    effects: Effects


class SetBlind(Revision, tag="blind", kw_only=True):
    """Take the draft off the stage, or bring it there."""

    blind: bool


class SetLive(Message, tag="live"):
    """Have a tile give lamps values."""

    tile: str
    look: Look


class TakeAside(Message, tag="take"):
    """Take lamps out of what plays, as they are now."""

    fixtures: tuple[str, ...]


class SetAside(Message, tag="aside"):
    """Give lamps that are aside other values."""

    look: Look


class BringBack(Message, tag="back"):
    """Bring lamps that are aside back to what plays, within so many seconds; none
    named: all of them.
    """

    fixtures: tuple[str, ...] = ()
    seconds: Number = 2.0


class Restore(Message, tag="restore"):
    """What was playing, for an engine that was started again."""

    state: PlayState


class Learning(Message, tag="learning"):
    """While a control is to be learnt, controls are only told, and do nothing."""

    on: bool = True


class MoveControl(Message, tag="control"):
    """A control that the window sees, such as a key, was moved to `value`, 0…1."""

    control: Control
    value: Number


class Front(Message, tag="front"):
    """The page that is in front on the screen: controllers follow it."""

    page: str


class Blink(Message, tag="blink"):
    """Have fixtures blink above all else for so many seconds; none of them, or 0
    seconds, ends it.
    """

    fixtures: tuple[str, ...] = ()
    seconds: Number = 10.0


class SendBytes(Message, tag="bytes"):
    """Put bytes on slots, past everything, for so many seconds; 0 ends it. What has the
    same key is replaced.
    """

    key: str
    universe: int
    address: int
    slots: bytes
    seconds: Number


class SetSound(Message, tag="set-sound"):
    """Sound by a card, "" for the usual one; it is heard `by_ear` seconds later than it
    says.
    """

    device: str = ""
    by_ear: Number = 0.0


class ClickAt(Message, tag="click"):
    """Have a click heard at a time of this machine's clock, to be set by ear."""

    at: Number


class Fault(Message, tag="fault"):
    """Make a fault on purpose: heeded only by an engine that runs in a test."""

    kind: str


class FindNodes(Message, tag="find"):
    """Look for Art-Net nodes, or stop looking. `hosts` are asked directly, `port` is
    theirs; all the network is asked only where that was asked for, `everywhere`.
    """

    on: bool = True
    hosts: tuple[str, ...] = ()
    port: int = 6454
    everywhere: bool = False


class Stop(Message, tag="stop"):
    """Fade out within `seconds`, then end the streams and quit."""

    seconds: Number = 0.0


# from the engine


class Welcome(Message, tag="welcome"):
    """Answer to Hello: what this engine is playing. `note`: what the user must be told;
    `resumed`: it began with what played when an engine ended without being told to.
    `serial`: how often what plays had changed. `held`: there is no show; the lamps keep
    what was sent last. `bare`: what played made engines fail, and was not taken up.
    """

    version: int
    pid: int
    path: str
    show: Show
    state: PlayState
    note: str = ""
    resumed: bool = False
    serial: int = 0
    held: bool = False
    bare: bool = False
    edits: int = 0


class State(Message, tag="state"):
    """What plays changed; `serial`: how often it did."""

    state: PlayState
    serial: int = 0


class Taken(Message, tag="taken"):
    """How many of this client's messages have been taken since it came."""

    count: int


class Sending(msgspec.Struct):
    """What one output has done since the start; `trouble` in words, empty while all is
    well.
    """

    id: str
    sent: int
    errors: int
    trouble: str = ""


class Resend(Message, tag="resend"):
    """An edit did not fit the engine's show: it wants the whole of it."""


class FoundNode(msgspec.Struct, frozen=True):
    """An Art-Net node that answered; `outputs` are port-addresses."""

    host: str
    name: str
    outputs: tuple[int, ...]
    report: str = ""


class Nodes(Message, tag="nodes"):
    """The Art-Net nodes that answer."""

    nodes: tuple[FoundNode, ...] = ()
    trouble: str = ""


class Pulse(Message, tag="pulse"):
    """How the engine is, twice a second. Since the last pulse, in milliseconds: `cost`
    of the dearest frame, `typical` and worst `lateness` of the frames. The counts are
    since the start. `faults`: what is wrong, in words, for as long as it is.
    """

    frames: int
    late: int
    missed: int
    rate: Number
    cost: Number
    typical: Number
    lateness: Number
    sent: int
    errors: int
    outputs: tuple[Sending, ...] = ()
    faults: tuple[str, ...] = ()


class Ports(Message, tag="ports"):
    """The controllers found: name → whether it is open. `trouble` says why there may be
    none.
    """

    ports: dict[str, bool]
    trouble: str = ""


class TimeCodeAt(Message, tag="time"):
    """Where the clock of a device is: `at` seconds after midnight at `since` on this
    machine's clock; whether it runs, and its frames as `Rate` numbers them.
    """

    device: str
    at: Number
    since: Number
    runs: bool
    rate: int


class SoundIs(Message, tag="sound"):
    """How this machine sounds. `device`: the card that is played by, `wanted` the one
    that is asked for, "" for the usual one; `devices`: those that there are. `silent`:
    none is there, and timelines go by the clock. `latency`: seconds until what a card
    is given is heard, `by_ear` the seconds that it is later than that. `missing`: the
    ids of sounds whose files are nowhere.
    """

    device: str = ""
    wanted: str = ""
    devices: tuple[str, ...] = ()
    silent: bool = True
    latency: Number = 0.0
    by_ear: Number = 0.0
    trouble: str = ""
    missing: tuple[str, ...] = ()


class MusicIs(Message, tag="music"):
    """Live music that is listened to: how loud it is in each band, 0…1, its tempo and
    how sure that is, what can be listened to.
    """

    levels: tuple[Number, ...] = ()
    bpm: Number = 0.0
    sure: Number = 0.0
    sources: tuple[str, ...] = ()
    trouble: str = ""


class ControlMoved(Message, tag="moved"):
    """A control was moved, to `value`, 0…1; of a key 0 is its end. `steps`: how far a
    dial without an end was turned since it was told of last.
    """

    control: Control
    value: Number
    steps: Count = 0


class Mismatch(Message, tag="mismatch"):
    """Answer to the Hello of another version: this engine and that client do not
    understand each other. `choreon` is the engine's release.
    """

    version: int
    choreon: str
    pid: int


ToEngine = (
    Hello
    | PutShow
    | Edit
    | Do
    | SetValues
    | RemoveValues
    | ClearDraft
    | SetDraft
    | SetEffects
    | SetBlind
    | SetLive
    | TakeAside
    | SetAside
    | BringBack
    | Restore
    | Learning
    | Front
    | MoveControl
    | Blink
    | SendBytes
    | FindNodes
    | SetSound
    | ClickAt
    | Fault
    | Stop
)
FromEngine = (
    Welcome
    | State
    | Taken
    | Resend
    | Pulse
    | Nodes
    | Ports
    | TimeCodeAt
    | SoundIs
    | MusicIs
    | ControlMoved
    | Mismatch
)

_encoder = msgspec.msgpack.Encoder()
_to_engine: msgspec.msgpack.Decoder[ToEngine] = msgspec.msgpack.Decoder(ToEngine)
_from_engine: msgspec.msgpack.Decoder[FromEngine] = msgspec.msgpack.Decoder(FromEngine)


def pack(message: Message | Do) -> bytes:
    """The message as framed bytes."""
    body = _encoder.encode(message)
    return struct.pack("<I", len(body)) + body


class Refused(msgspec.DecodeError):
    """A message that is none. The text says where and why."""


def decode_to_engine(body: bytes) -> ToEngine:
    """Raises Refused, with the path to what does not fit."""
    try:
        return _to_engine.decode(body)
    except RecursionError:
        raise Refused("it is nested beyond all measure") from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise Refused(f"{error}{_path(body)}") from None


def _path(body: bytes) -> str:
    """Where in a message a number is none, in words; empty where none is."""
    try:
        found = wild(msgspec.msgpack.decode(body))
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        return ""
    return f" ({found})" if found else ""


def decode_from_engine(body: bytes) -> FromEngine:
    """Raises msgspec.DecodeError."""
    return _from_engine.decode(body)


class Framer:
    """Takes bytes as they come and gives whole message bodies."""

    def __init__(self) -> None:
        self._held = bytearray()

    @property
    def unfinished(self) -> int:
        """Bytes of a message that has not come whole yet."""
        return len(self._held)

    def feed(self, data: bytes) -> list[bytes]:
        """The bodies complete by now. Raises ValueError where the length cannot be that
        of a message.
        """
        self._held += data
        bodies = []

        while len(self._held) >= 4:
            size = int.from_bytes(self._held[:4], "little")
            if size > LIMIT:
                raise ValueError(f"a message of {size} bytes is announced")
            if len(self._held) < 4 + size:
                break

            bodies.append(bytes(self._held[4 : 4 + size]))
            del self._held[: 4 + size]

        return bodies
