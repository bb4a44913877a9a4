"""Frames on their way out: a stream for each output, a file a kind.

A stream that fails, because its network interface went away, say, is tried anew every
few seconds and disturbs no other.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from choreon.wire.outputs.artnet import ArtnetStream
from choreon.wire.outputs.base import Destination, Frame, Stream, Tally
from choreon.wire.outputs.sacn import SacnStream

STREAMS: dict[str, type[Stream]] = {
    "sacn": SacnStream,
    "artnet": ArtnetStream,
}
"""Kind of output → its stream."""


class Sender:
    """All outputs of a show. A destination that is off has no stream."""

    def __init__(
        self,
        source: str,
        cid: bytes,
        destinations: Iterable[Destination],
        universes: Sequence[int],
    ) -> None:
        self.universes = tuple(universes)
        self._source = source
        self.streams = {
            d.id: STREAMS[d.kind](source, cid, d, universes)
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
        for i, old in before.streams.items():
            new = self.streams.get(i)
            if new is None or type(new) is not type(old):
                old.close()
                continue
            same_source = before._source == self._source
            same = same_source and old.universes == new.universes
            if same and old.destination == new.destination:
                self.streams[i] = old
            else:
                new.follow(old)

    def send(self, frame: Frame, now: float) -> None:
        """Send a frame (U, 512), rows in the order of `universes`. What cannot be sent
        is counted in `errors`.
        """
        for stream in self.streams.values():
            stream.send(frame, now)

    def repeat(self, now: float) -> None:
        """Send the last frame once more: nothing has changed."""
        for stream in self.streams.values():
            stream.repeat(now)

    def close(self) -> None:
        """End every stream."""
        for stream in self.streams.values():
            stream.close()


__all__ = ["STREAMS", "Destination", "Frame", "Sender", "Stream", "Tally"]
