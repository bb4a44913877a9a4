"""What GDTF has no words for, in a file of its own in the archive, which others pass
over.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Mode, Use, Wheel

EXTRA = "choreon.json"
replace = msgspec.structs.replace


class Extra(msgspec.Struct, omit_defaults=True):
    """What GDTF has no words for, in a file that others pass over. `channels`: for each
    mode, the keys in the order of their slots; `splits`: for each wheel the second
    colours of its slots; `cells`: their names; `marks`: key → what differs from what
    GDTF says of the channel; `modes`, `wheel_names`, `slots` (with their colours):
    names as they are, since the standard allows few characters.
    """

    id: str = ""
    kind: str = ""
    body: str = ""
    notes: str = ""
    lamp: str = ""
    wheels: list[str] = []
    splits: list[list[str]] = []
    channels: list[list[str]] = []
    cells: list[list[str]] = []
    modes: list[str] = []
    wheel_names: list[str] = []
    slots: list[list[tuple[str, str]]] = []
    marks: dict[str, ExtraMark] = {}


class ExtraMark(msgspec.Struct, omit_defaults=True):
    """A channel: its name, whether it is left alone, and for each range its name, slot,
    hold and privacy.
    """

    name: str = ""
    rest: bool = False
    resolution: int = 1
    ranges: list[tuple[str, int, float, bool]] = []


def extra_of(kind: FixtureType) -> Extra:
    """Returns what the standard has no words for."""
    modes, wheels = kind.modes, kind.wheels
    return Extra(
        kind.id,
        kind.kind,
        kind.body,
        kind.notes,
        kind.lamp,
        wheels=[wheel.key for wheel in wheels],
        splits=[[slot.split for slot in wheel.slots] for wheel in wheels],
        channels=[[use.channel for use, _ in kind.used(mode)] for mode in modes],
        cells=[[cell.name for cell in mode.cells] for mode in modes],
        modes=[mode.name for mode in modes],
        wheel_names=[wheel.name for wheel in wheels],
        slots=[[(s.name, s.colour) for s in wheel.slots] for wheel in wheels],
        marks=_marks_of(kind),
    )


def _marks_of(kind: FixtureType) -> dict[str, ExtraMark]:
    """What is said of each channel; of those of one mode by the mode's name too."""
    marks = {channel.key: _mark(channel) for channel in kind.channels}
    for mode in kind.modes:
        for channel in mode.overrides:
            marks[f"{mode.name}/{channel.key}"] = _mark(channel)
    return marks


def _mark(channel: Channel) -> ExtraMark:
    ranges = [(r.name, r.slot, r.hold, r.private) for r in channel.ranges]
    return ExtraMark(channel.name, channel.rest, channel.resolution, ranges)


def with_extra(
    kind: FixtureType, extra: Extra, keys: Sequence[Sequence[str]]
) -> FixtureType:
    """Returns the type with what a file of ours says beside the standard, as far as the
    two still agree. `keys`: for each mode as it was read, the keys of its channels in
    the order of their slots.
    """
    kind = _modes_named(kind, extra.modes)
    sizes = [len(own) for own in keys]
    same_channels = [len(own) for own in extra.channels] == sizes

    if same_channels and len(extra.cells) == len(sizes):
        kind = _renamed(kind, extra)

    if len(extra.wheels) == len(kind.wheels):
        kind = _wheels_renamed(kind, extra.wheels)

    kind = _wheels_as_they_are(kind, extra)
    texts = {name: getattr(extra, name) for name in ("id", "kind", "body", "notes")}
    said = {name: text for name, text in texts.items() if text}

    return replace(kind, lamp=extra.lamp, **said)


def _modes_named(kind: FixtureType, names: Sequence[str]) -> FixtureType:
    if len(names) != len(kind.modes):
        return kind
    named = zip(kind.modes, names, strict=True)
    return replace(kind, modes=tuple(replace(m, name=name) for m, name in named))


def _wheels_as_they_are(kind: FixtureType, extra: Extra) -> FixtureType:
    """The type with the names of its wheels, and the names, the colours and the second
    colours of their slots.
    """
    wheels = kind.wheels
    if len(extra.wheel_names) == len(wheels):
        named = zip(wheels, extra.wheel_names, strict=True)
        wheels = tuple(replace(wheel, name=name) for wheel, name in named)
    slots = [len(wheel.slots) for wheel in wheels]
    if [len(halves) for halves in extra.splits] == slots:
        wheels = tuple(map(_split, wheels, extra.splits))
    if [len(given) for given in extra.slots] == slots:
        wheels = tuple(map(_slots_named, wheels, extra.slots))
    return replace(kind, wheels=wheels)


def _split(wheel: Wheel, halves: list[str]) -> Wheel:
    """A wheel with the second colours of its slots."""
    slots = tuple(
        replace(slot, split=half)
        for slot, half in zip(wheel.slots, halves, strict=True)
    )
    return replace(wheel, slots=slots)


def _slots_named(wheel: Wheel, given: list[tuple[str, str]]) -> Wheel:
    slots = tuple(
        replace(slot, name=name, colour=colour)
        for slot, (name, colour) in zip(wheel.slots, given, strict=True)
    )
    return replace(wheel, slots=slots)


def _wheels_renamed(kind: FixtureType, keys: list[str]) -> FixtureType:
    new = dict(zip([w.key for w in kind.wheels], keys, strict=True))

    def fit(channels: tuple[Channel, ...]) -> tuple[Channel, ...]:
        return tuple(
            replace(c, wheel=new.get(c.wheel, "")) if c.wheel else c for c in channels
        )

    modes = tuple(replace(m, overrides=fit(m.overrides)) for m in kind.modes)
    wheels = tuple(replace(w, key=new[w.key]) for w in kind.wheels)
    return replace(kind, wheels=wheels, channels=fit(kind.channels), modes=modes)


def _renamed(kind: FixtureType, extra: Extra) -> FixtureType:
    """Channels under the keys, and with the marks, that the extra file gives them."""
    channels: dict[str, Channel] = {}
    modes = tuple(
        _mode_renamed(kind, mode, theirs, cells, extra, channels)
        for mode, theirs, cells in zip(
            kind.modes, extra.channels, extra.cells, strict=True
        )
    )

    fitted = {
        key: _fitted(channel, extra.marks.get(key)) for key, channel in channels.items()
    }

    order = [key for key in extra.marks if key in fitted]
    order += [key for key in fitted if key not in extra.marks]

    return replace(kind, channels=tuple(fitted[key] for key in order), modes=modes)


def _mode_renamed(
    kind: FixtureType,
    mode: Mode,
    keys: Sequence[str],
    cells: Sequence[str],
    extra: Extra,
    channels: dict[str, Channel],
) -> Mode:
    """A mode under the keys of its channels; they are put into `channels`, which all
    modes share.
    """
    overrides: dict[str, Channel] = {}
    uses = []
    by_slot = sorted(mode.uses, key=lambda use: use.slots)

    for use, key in zip(by_slot, keys, strict=True):
        channel = kind.channel(use.channel, mode)
        assert channel is not None
        mark = extra.marks.get(f"{mode.name}/{key}") or extra.marks.get(key)
        made = _marked(replace(channel, key=key), mark)
        known = channels.setdefault(key, made)

        if not alike(known, made):
            overrides[key] = made
        elif made.resolution > known.resolution:
            channels[key] = made

        uses.append(Use(key, use.slots, use.cell))

    if len(cells) == len(mode.cells):
        named = zip(mode.cells, cells, strict=True)
        mode = replace(mode, cells=tuple(replace(c, name=n) for c, n in named))

    return replace(mode, uses=tuple(uses), overrides=tuple(overrides.values()))


def _marked(channel: Channel, mark: ExtraMark | None) -> Channel:
    if mark is None:
        return channel
    ranges = channel.ranges
    if len(mark.ranges) < len(ranges):  # gaps had to be said as “nothing”
        ranges = tuple(r for r in ranges if r.attribute != at.NOTHING or r.name)
    if len(mark.ranges) == len(ranges):
        ranges = tuple(
            replace(r, name=name, slot=slot, hold=hold, private=private)
            for r, (name, slot, hold, private) in zip(ranges, mark.ranges, strict=True)
        )
    return replace(channel, name=mark.name, rest=mark.rest, ranges=ranges)


def _fitted(channel: Channel, mark: ExtraMark | None) -> Channel:
    """The channel in the resolution it was written from: a coarse definition that some
    mode uses fine.
    """
    if mark is None or mark.resolution >= channel.resolution:
        return channel

    step = 256 ** (channel.resolution - mark.resolution)
    ranges = tuple(
        replace(r, start=r.start // step, end=r.end // step) for r in channel.ranges
    )

    opened = None if channel.open is None else channel.open // step

    return replace(
        channel,
        resolution=mark.resolution,
        ranges=ranges,
        home=channel.home // step,
        open=opened,
    )


def alike(one: Channel, other: Channel) -> bool:
    """Whether two definitions mean the same, whatever their resolution."""

    def coarse(c: Channel) -> list[tuple[object, ...]]:
        scale = 256 ** (c.resolution - 1)
        return [
            (
                r.start // scale,
                r.end // scale,
                r.attribute,
                round(r.low, 6),
                round(r.high, 6),
                r.name,
            )
            for r in c.ranges
        ]

    def home(c: Channel) -> tuple[int, int | None]:
        scale = 256 ** (c.resolution - 1)
        return c.home // scale, None if c.open is None else c.open // scale

    return (
        coarse(one) == coarse(other)
        and home(one) == home(other)
        and one.rest == other.rest
    )
