"""Outputs: where universes go."""

from __future__ import annotations

from typing import ClassVar

import msgspec


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
    port: int = 0
    shift: int = 0
    interface: str = ""
    rate: float = 0.0
    rest: bool = False
    universes: tuple[int, ...] = ()
    on: bool = True


class SacnOutput(Output, frozen=True, kw_only=True, omit_defaults=True, tag="sacn"):
    """By sACN (ANSI E1.31); without a host by multicast. `sync`: universe of the
    synchronisation packets, 0: none.
    """

    kind: ClassVar[str] = "sacn"

    priority: int = 100
    sync: int = 0


class ArtnetOutput(Output, frozen=True, kw_only=True, omit_defaults=True, tag="artnet"):
    """By Art-Net 4; without a host by broadcast. Port-addresses count from 0, so a
    shift of −1 makes universe 1 port-address 0. `sync`: send ArtSync after each frame.
    """

    kind: ClassVar[str] = "artnet"

    sync: bool = False


AnyOutput = SacnOutput | ArtnetOutput

OUTPUTS: dict[str, type[SacnOutput] | type[ArtnetOutput]] = {
    t.kind: t for t in (SacnOutput, ArtnetOutput)
}
