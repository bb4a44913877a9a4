"""Outputs: where universes go."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from choreon.model.numbers import Count, Number


class Output(
    msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, tag_field="kind"
):
    """Where universes go.

    `universes` empty: all in use. `host` empty: to whoever listens. `port` 0: the
    protocol's own. `shift` is added to a universe's number. `interface`: address of the
    network interface, empty: the system's choice. `rate`: frames a second, 0: the
    engine's. `rest`: send less while nothing changes.
    """

    kind: ClassVar[str] = ""

    id: str
    name: str = ""
    host: str = ""
    port: Count = 0
    shift: Count = 0
    interface: str = ""
    rate: Number = 0.0
    rest: bool = False
    universes: tuple[Count, ...] = ()
    on: bool = True


class SacnOutput(Output, frozen=True, kw_only=True, omit_defaults=True, tag="sacn"):
    """By sACN (ANSI E1.31); without a host by multicast. `sync`: universe of the
    synchronisation packets, 0: none.
    """

    kind: ClassVar[str] = "sacn"

    priority: Count = 100
    sync: Count = 0


class ArtnetOutput(Output, frozen=True, kw_only=True, omit_defaults=True, tag="artnet"):
    """By Art-Net 4; without a host by broadcast. Port-addresses count from 0, so a
    shift of −1 makes universe 1 port-address 0. `sync`: send ArtSync after each frame.
    """

    kind: ClassVar[str] = "artnet"

    sync: bool = False


MOST_PORT = 65535
MOST_PRIORITY = 200  # E1.31, section 6.2.3
MOST_UNIVERSE = 63999  # E1.31, section 6.2.7
MOST_RATE = 44.0  # DMX512: a whole universe takes 22.7 ms
MOST_HOST = 253  # characters of a name (RFC 1035, section 2.3.4)


def troubles(output: Output) -> list[str]:
    """Returns what of an output is out of its range, in words; none where it can send.
    Such an output is let be, and all others send.
    """
    found = []

    def within(name: str, value: float, low: float, high: float) -> None:
        if not low <= value <= high:
            found.append(f"{name} {value:g} is not within {low:g} and {high:g}")

    within("Port", output.port, 0, MOST_PORT)
    within("Rate", output.rate, 0.0, MOST_RATE)
    within("Shift", output.shift, -MOST_UNIVERSE, MOST_UNIVERSE)

    for universe in output.universes:
        within("Universe", universe, 1, MOST_UNIVERSE)

    if isinstance(output, SacnOutput):
        within("Priority", output.priority, 0, MOST_PRIORITY)
        within("Sync universe", output.sync, 0, MOST_UNIVERSE)

    for name, text in (("Address", output.host), ("Network card", output.interface)):
        if not text.isprintable() or len(text) > MOST_HOST or " " in text:
            found.append(f"{name} {text[:40]!r} cannot be one")

    return found


AnyOutput = SacnOutput | ArtnetOutput

OUTPUTS: dict[str, type[SacnOutput] | type[ArtnetOutput]] = {
    t.kind: t for t in (SacnOutput, ArtnetOutput)
}
