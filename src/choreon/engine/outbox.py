"""What a window has to tell the engine, in order, without ever waiting for it.

Of a thing that is moved while the engine takes nothing only the newest value is kept.
What was not yet taken by one engine is told to the next.
"""

from __future__ import annotations

import socket
from collections import deque
from collections.abc import Callable, Hashable

import msgspec

from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.model.edits import merge_looks
from choreon.model.verbs import Edge, Verb

Telling = protocol.Message | Do
Late = Callable[[], Telling | None]
"""A message that is made when it can be sent; None where nothing is left to tell."""

LOOK_BACK = 64  # messages in which one that waits is looked for, to be replaced
MOST = 20_000  # messages that wait; beyond, the oldest presses go


class OutboxEntry(msgspec.Struct):
    """A message that waits, or that was sent and not taken yet."""

    message: Telling | Late
    key: Hashable = None
    number: int = 0


def key_of(message: Telling | Late) -> Hashable:
    """Returns what two messages share of which only the newer one counts; None where
    each counts.
    """
    match message:
        case Do(ref, Verb.LEVEL, _, Edge.TURN):
            return ("level", ref)
        case protocol.SetValues() | protocol.SetDraft():
            return "draft"
        case protocol.SetEffects():
            return "effects"
        case protocol.SetLive(tile, _):
            return ("live", tile)
        case protocol.SetAside():
            return "aside"
        case protocol.Message() | Do():
            return None

    return "late"


def merged(old: Telling | Late, new: Telling | Late) -> Telling | Late:
    """Returns one message for two of the same key."""
    match old, new:
        case protocol.SetValues(), protocol.SetValues():
            look = merge_looks(old.look, new.look)
            return protocol.SetValues(look=look, revision=new.revision)
        case protocol.SetDraft(), protocol.SetValues():
            look = merge_looks(old.look, new.look)
            return protocol.SetDraft(look=look, revision=new.revision)
        case protocol.SetLive(tile, before), protocol.SetLive(_, after):
            return protocol.SetLive(tile, merge_looks(before, after))
        case protocol.SetAside(before), protocol.SetAside(after):
            return protocol.SetAside(merge_looks(before, after))
    return new


class Outbox:
    """The messages of one window."""

    def __init__(self) -> None:
        self._waiting: deque[OutboxEntry] = deque()
        self._sent: deque[OutboxEntry] = deque()
        self._part = bytearray()  # of the message that is on its way
        self._count = 0

    def __len__(self) -> int:
        """How many were not taken yet."""
        return len(self._waiting) + len(self._sent)

    @property
    def stuck(self) -> bool:
        """Whether there is more to send."""
        return bool(self._waiting or self._part)

    def put(self, message: Telling | Late) -> None:
        """Put a message last; into the place of an older one where that means the same
        and nothing between them counts by itself.
        """
        key = key_of(message)
        if key is not None:
            for back, entry in enumerate(reversed(self._waiting)):
                if entry.key == key:
                    entry.message = merged(entry.message, message)
                    return

                if entry.key is None or back > LOOK_BACK:
                    break

        self._waiting.append(OutboxEntry(message, key))
        if len(self._waiting) > MOST:
            self._waiting.popleft()

    def push(self, line: socket.socket) -> None:
        """Send what the line takes now. Raises OSError where it is gone."""
        while True:
            if self._part:
                try:
                    sent = line.send(self._part, socket.MSG_DONTWAIT)
                except BlockingIOError:
                    return

                del self._part[:sent]
                continue

            if not self._waiting:
                return

            entry = self._waiting.popleft()
            message = _made(entry.message)
            if message is None:
                continue

            self._count += 1
            entry.number = self._count
            self._sent.append(entry)
            self._part += protocol.pack(message)

    def taken(self, count: int) -> None:
        """The engine has taken so many messages since the line was made."""
        while self._sent and self._sent[0].number <= count:
            self._sent.popleft()

    def renew(self, said: int) -> None:
        """There is another line, on which so many messages were said already: what the
        last one did not take is to be told again, after what is put first now.
        """
        self._part.clear()
        self._count = said
        waiting = [*self._sent, *self._waiting]
        self._sent.clear()
        self._waiting.clear()
        for entry in waiting:
            self.put(entry.message)

    def first(self, *messages: Telling) -> None:
        """Put messages before all that wait."""
        self._waiting.extendleft(OutboxEntry(message) for message in reversed(messages))


def _made(message: Telling | Late) -> Telling | None:
    return message if isinstance(message, protocol.Message | Do) else message()
