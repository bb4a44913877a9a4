"""Frames on their way out: a stream for each output, a file a kind.

A stream that fails, because its network interface went away, say, is tried anew every
few seconds and disturbs no other.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Iterable, Mapping, Sequence

from choreon.wire.outputs.artnet import ArtnetStream
from choreon.wire.outputs.base import Destination, Frame, Idle, Stream, Tally
from choreon.wire.outputs.sacn import SacnStream
from choreon.wire.outputs.serial_line import SerialStream
from choreon.wire.sacn import DISCOVERY_EVERY

log = logging.getLogger(__name__)

STREAMS: dict[str, type[Stream]] = {
    "sacn": SacnStream,
    "artnet": ArtnetStream,
    "serial": SerialStream,
}
"""Kind of output → its stream."""


LATEST = 0.05  # what the latest frame counts for in `effort`


class Sender:
    """All outputs of a show. A destination that is off has no stream, one that is
    `unfit` only says why. What goes wrong in one disturbs no other.
    """

    def __init__(
        self,
        source: str,
        cid: bytes,
        destinations: Iterable[Destination],
        universes: Sequence[int],
        unfit: Mapping[str, str] | None = None,
    ) -> None:
        self.universes = tuple(universes)
        self._source = source
        self._announce_due = 0.0  # when the universes are told next
        self.effort = 0.0  # seconds that a frame takes to go out, of late
        self.streams = {
            d.id: _built(source, cid, d, universes, (unfit or {}).get(d.id, ""))
            for d in destinations
            if d.on
        }

    @property
    def sent(self) -> int:
        """Packets sent so far."""
        return sum(stream.sent for stream in self.streams.values())

    @property
    def errors(self) -> int:
        """Packets that could not be sent."""
        return sum(stream.errors for stream in self.streams.values())

    def tallies(self) -> list[Tally]:
        """Returns what each stream has done so far."""
        return [
            Tally(i, stream.sent, stream.errors, stream.trouble)
            for i, stream in self.streams.items()
        ]

    def take_over(self, before: Sender) -> None:
        """Go on where `before` is: streams that stay the same are kept as they are,
        changed ones follow, others end.
        """
        if self.universes_sent() == before.universes_sent():
            self._announce_due = before._announce_due

        self.effort = before.effort

        for i, old in before.streams.items():
            new = self.streams.get(i)
            if new is None or type(new) is not type(old):
                old.close()
                continue

            same_source = before._source == self._source
            same = same_source and old.universes == new.universes
            if same and old.destination == new.destination:
                self.streams[i] = old
                continue

            try:
                new.follow(old)
            except Exception as error:
                new.fail(error)

    def send(self, frame: Frame, now: float) -> None:
        """Send a frame (U, 512), rows in the order of `universes`. What cannot be sent
        is counted in `errors`.
        """
        begun = time.perf_counter()
        for stream in self.streams.values():
            try:
                stream.send(frame, now)
            except Exception as error:  # whatever it is, it is this one's trouble alone
                stream.fail(error)
        self._announce(now)
        self._spent(time.perf_counter() - begun)

    def _spent(self, seconds: float) -> None:
        self.effort += LATEST * (seconds - self.effort)

    def universes_sent(self) -> list[int]:
        """The universes that go out by sACN, in their order."""
        sent = (stream.numbers() for stream in self._sacn())
        return sorted({number for numbers in sent for number in numbers})

    def _sacn(self) -> list[SacnStream]:
        return [s for s in self.streams.values() if isinstance(s, SacnStream)]

    def _announce(self, now: float) -> None:
        """Every ten seconds tell receivers which universes there are (E1.31, section
        4.3), once for each way out.
        """
        if now < self._announce_due:
            return

        self._announce_due = now + DISCOVERY_EVERY
        universes = self.universes_sent()
        ways = {
            (s.destination.host, s.destination.port, s.destination.interface): s
            for s in self._sacn()
        }

        for stream in ways.values():
            try:
                stream.announce(universes)
            except Exception as error:
                stream.fail(error)

    def repeat(self, now: float) -> None:
        """Send the last frame once more: nothing has changed."""
        begun = time.perf_counter()
        for stream in self.streams.values():
            try:
                stream.repeat(now)
            except Exception as error:
                stream.fail(error)
        self._announce(now)
        self._spent(time.perf_counter() - begun)

    def close(self) -> None:
        """End every stream."""
        for stream in self.streams.values():
            try:
                stream.close()
            except Exception as error:
                stream.fail(error)


def _built(
    source: str,
    cid: bytes,
    destination: Destination,
    universes: Sequence[int],
    trouble: str,
) -> Stream:
    """A stream for a destination; one that only tells its trouble where that cannot
    be.
    """
    kind = STREAMS.get(destination.kind)
    if not trouble and kind is not None:
        try:
            return kind(source, cid, destination, universes)
        except Exception as error:
            log.exception("an output cannot be made")
            trouble = f"{type(error).__name__}: {error}"

    return Idle(source, cid, destination, trouble or "This kind is not known")


__all__ = ["STREAMS", "Destination", "Frame", "Sender", "Stream", "Tally"]
