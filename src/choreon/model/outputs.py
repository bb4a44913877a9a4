"""Outputs: where universes go."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any, ClassVar

import msgspec

from choreon.language import tr
from choreon.model.numbers import Count, Number


class Output(
    msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, tag_field="kind"
):
    """Where universes go.

    `universes` empty: all in use. `rate`: frames a second, 0: the engine's. `rest`:
    send less while nothing changes.
    """

    kind: ClassVar[str] = ""

    id: str
    name: str = ""
    rate: Number = 0.0
    rest: bool = False
    universes: tuple[Count, ...] = ()
    on: bool = True


class NetworkOutput(Output, frozen=True, kw_only=True, omit_defaults=True):
    """An output over a network.

    `host` empty: to whoever listens. `port` 0: the protocol's own. `shift` is added to
    a universe's number. `interface`: address of the network interface, empty: the
    system's choice.
    """

    host: str = ""
    port: Count = 0
    shift: Count = 0
    interface: str = ""


class SacnOutput(
    NetworkOutput, frozen=True, kw_only=True, omit_defaults=True, tag="sacn"
):
    """By sACN (ANSI E1.31); without a host by multicast. `sync`: universe of the
    synchronisation packets, 0: none.
    """

    kind: ClassVar[str] = "sacn"

    priority: Count = 100
    sync: Count = 0


class ArtnetOutput(
    NetworkOutput, frozen=True, kw_only=True, omit_defaults=True, tag="artnet"
):
    """By Art-Net 4; without a host by broadcast. Port-addresses count from 0, so a
    shift of −1 makes universe 1 port-address 0. `sync`: send ArtSync after each frame.
    """

    kind: ClassVar[str] = "artnet"

    sync: bool = False


class SerialOutput(Output, frozen=True, kw_only=True, omit_defaults=True, tag="serial"):
    """One universe by a serial adapter (ANSI E1.11): the first of `universes`.
    `device`: its path; empty: the first that is found.
    """

    kind: ClassVar[str] = "serial"

    device: str = ""


class UnknownOutput(
    Output, frozen=True, kw_only=True, omit_defaults=True, tag="unknown"
):
    """An output of a kind that this Choreon does not know. `stored`: all that the file
    said of it; it is written so again.
    """

    kind: ClassVar[str] = "unknown"

    stored: dict[str, Any] = {}


MOST_PORT = 65535
MOST_PRIORITY = 200  # E1.31, section 6.2.3
MOST_UNIVERSE = 63999  # E1.31, section 6.2.7
MOST_RATE = 44.0  # DMX512: a whole universe takes 22.7 ms
MOST_HOST = 253  # characters of a name (RFC 1035, section 2.3.4)


def within(name: str, value: float, low: float, high: float) -> Iterator[str]:
    """What is wrong with a value that should lie between two others, in words."""
    if not low <= value <= high:
        yield tr(
            "{name} {value:g} is not within {low:g} and {high:g}",
            name=name,
            value=value,
            low=low,
            high=high,
        )


def _network_troubles(output: NetworkOutput) -> Iterator[str]:
    yield from within(tr("Port"), output.port, 0, MOST_PORT)
    yield from within(tr("Shift"), output.shift, -MOST_UNIVERSE, MOST_UNIVERSE)

    for name, text in (
        (tr("Address"), output.host),
        (tr("Network card"), output.interface),
    ):
        if not text.isprintable() or len(text) > MOST_HOST or " " in text:
            yield tr("{name} {text!r} cannot be one", name=name, text=text[:40])


def _sacn_troubles(output: SacnOutput) -> Iterator[str]:
    yield from _network_troubles(output)
    yield from within(tr("Priority"), output.priority, 0, MOST_PRIORITY)
    yield from within(tr("Sync universe"), output.sync, 0, MOST_UNIVERSE)


def _serial_troubles(output: SerialOutput) -> Iterator[str]:
    if not output.device.isprintable() or len(output.device) > MOST_HOST:
        yield tr("Adapter {text!r} cannot be one", text=output.device[:40])


def _unknown_troubles(output: UnknownOutput) -> Iterator[str]:
    yield tr(
        "An output of the kind “{kind}” is not known here",
        kind=output.stored.get("kind", ""),
    )


@dataclass(frozen=True)
class OutputKind:
    """What the model must know of one kind. `title` is what it is called. `troubles`:
    what of one is out of its range, beside what all have. `first`: fields of a new one
    that are not as they are by default.
    """

    title: str
    type: type[Output]
    troubles: Callable[[Any], Iterator[str]]
    first: dict[str, Any] = field(default_factory=dict)


AnyOutput = SacnOutput | ArtnetOutput | SerialOutput | UnknownOutput

OUTPUTS: dict[str, OutputKind] = {
    kind.type.kind: kind
    for kind in (
        OutputKind("sACN", SacnOutput, _sacn_troubles),
        # port-addresses count from 0
        OutputKind(tr("Art-Net 4"), ArtnetOutput, _network_troubles, {"shift": -1}),
        OutputKind(tr("Serial adapter"), SerialOutput, _serial_troubles),
        OutputKind(tr("Unknown"), UnknownOutput, _unknown_troubles),
    )
}


def new_output(kind: str, **fields: Any) -> AnyOutput:
    """Returns a new output of a kind. Raises TypeError for fields that it has not."""
    known = OUTPUTS[kind]
    made: AnyOutput = known.type(**fields, **known.first)  # type: ignore[assignment]
    return made


OWN_NUMBERS = ("port", "shift")  # they mean something else to every protocol


def as_kind(output: AnyOutput, kind: str) -> AnyOutput:
    """Returns an output of another kind, with all that both kinds have in common."""
    wanted = OUTPUTS[kind].type
    common = next(base for base in type(output).__mro__ if issubclass(wanted, base))
    fields = {
        key: getattr(output, key)
        for key in getattr(common, "__struct_fields__", ())
        if key not in OWN_NUMBERS
    }
    return new_output(kind, **fields)


def called(output: Output) -> str:
    """Returns the name of an output, or of its protocol where it has none."""
    return output.name or OUTPUTS[output.kind].title


def troubles(output: Output) -> list[str]:
    """Returns what of an output is out of its range, in words; none where it can send.
    Such an output is let be, and all others send.
    """
    found = list(within(tr("Rate"), output.rate, 0.0, MOST_RATE))
    for universe in output.universes:
        found += within(tr("Universe"), universe, 1, MOST_UNIVERSE)

    return [*found, *OUTPUTS[output.kind].troubles(output)]
