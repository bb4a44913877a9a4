"""Commands to lamps, as reset and lamp on: bytes for a while on a channel's slots, past
everything that plays.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Range, Use, bytes_of
from choreon.model.patch import mode_of
from choreon.model.show import SLOTS, Fixture, Show
from choreon.render.state import Sent

HOLD = 2.0  # seconds, where the type says nothing


class Command(msgspec.Struct, frozen=True):
    """Something a fixture can be told."""

    label: str
    attribute: str
    use: Use
    channel: Channel
    span: Range

    @property
    def lamp_on(self) -> bool:
        """Whether it lights the lamp."""
        return self.attribute == "LampControl" and self.span.low > 0


def commands_of(kind: FixtureType, mode_name: str) -> list[Command]:
    """What a fixture of the type can be told in a mode."""
    mode = kind.mode(mode_name)
    found = []
    for use, channel in kind.used(mode) if mode else ():
        for span in channel.ranges:
            if at.attribute(span.attribute).command:
                label = span.name or at.attribute(span.attribute).label
                found.append(Command(label, span.attribute, use, channel, span))
    return found


def send(fixture: Fixture, command: Command, until: float) -> list[Sent]:
    """The command to one fixture. Slots outside of the universe are left out."""
    raw = (command.span.start + command.span.end) // 2
    data = bytes_of(raw, command.channel.resolution, len(command.use.slots))
    return [
        Sent(
            f"{fixture.id}/{command.channel.key}",
            fixture.universe,
            fixture.address + slot - 1,
            data[i : i + 1],
            until,
        )
        for i, slot in enumerate(command.use.slots)
        if fixture.address + slot - 1 <= SLOTS
    ]


def hold_of(command: Command) -> float:
    """Seconds that a command stands."""
    return command.span.hold or HOLD


def lamps_on(show: Show, now: float) -> tuple[Sent, ...]:
    """What switches on the lamps that shall be lit when the show opens."""
    return tuple(_lamps(show.types, show.fixtures, now))


def _lamps(
    types: Mapping[str, FixtureType], fixtures: Mapping[str, Fixture], now: float
) -> Iterator[Sent]:
    for fixture in fixtures.values():
        if fixture.lamp_on and mode_of(types, fixture) is not None:
            for command in commands_of(types[fixture.type], fixture.mode):
                if command.lamp_on:
                    yield from send(fixture, command, now + hold_of(command))
