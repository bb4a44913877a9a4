"""What is wrong with a fixture type. Errors keep it from being used,
warnings do not.
"""

from __future__ import annotations

from collections.abc import Iterator

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Mode, Range, Use
from choreon.model.problem import Problem
from choreon.model.show import SLOTS


def check_type(kind: FixtureType) -> list[Problem]:
    """Every problem of a type, the channels' first. Paths lead to the place, as
    `types/ID/channels/KEY/ranges/2`.
    """
    path = f"types/{kind.id}"
    found = []
    if not kind.name.strip():
        found.append(Problem(f"{path}/name", tr("a type needs a name")))

    if not kind.modes:
        found.append(Problem(f"{path}/modes", tr("a type needs at least one mode")))

    keys: set[str] = set()
    for channel in kind.channels:
        where = f"{path}/channels/{channel.key}"
        if channel.key in keys:
            found.append(Problem(where, tr("two channels have this key")))

        keys.add(channel.key)
        found += _channel(kind, channel, where)
        if not any(
            use.channel == channel.key for mode in kind.modes for use in mode.uses
        ):
            found.append(
                Problem(
                    where,
                    tr("{label} stands in no mode", label=channel.label),
                    "warning",
                )
            )

    names: set[str] = set()
    for mode in kind.modes:
        where = f"{path}/modes/{mode.name}"
        if mode.name in names:
            found.append(Problem(where, tr("two modes have this name")))

        names.add(mode.name)
        found += _mode(kind, mode, where)

    return found + list(_alike(kind, path))


def errors(problems: list[Problem]) -> list[Problem]:
    """Those that keep a type from being used."""
    return [p for p in problems if p.level == "error"]


def _channel(kind: FixtureType, channel: Channel, where: str) -> Iterator[Problem]:
    """What is wrong with one channel, its ranges and its wheel."""
    top, label = channel.top, channel.label
    if not 0 <= channel.home <= top:
        yield Problem(
            f"{where}/home",
            tr("home {home} is not within 0…{top}", home=channel.home, top=top),
        )
    elif channel.ranges and channel.at(channel.home) is None:
        text = tr(
            "the home of {label}, {home}, lies in no range",
            label=label,
            home=channel.home,
        )
        yield Problem(f"{where}/home", text, "warning")

    if channel.open is not None and not 0 <= channel.open <= top:
        yield Problem(
            f"{where}/open",
            tr("{open} is not within 0…{top}", open=channel.open, top=top),
        )

    if not channel.ranges:
        text = tr("{label} is empty: it says nothing about its values", label=label)
        yield Problem(where, text, "warning")

    yield from _ranges(channel, where)
    shuts = any(r.attribute.startswith("Shutter") for r in channel.ranges)
    if shuts and not _opens(channel):
        text = tr(
            "{label} has no open range: shut once, it could never be opened",
            label=label,
        )
        yield Problem(where, text)

    if channel.wheel:
        yield from _slots(kind, channel, where)


def _slots(kind: FixtureType, channel: Channel, where: str) -> Iterator[Problem]:
    """What is wrong with a channel's wheel."""
    wheel, label = kind.wheel(channel.wheel), channel.label
    if wheel is None:
        text = tr(
            "{label} belongs to the wheel {wheel}, which the type does not have",
            label=label,
            wheel=channel.wheel,
        )
        yield Problem(f"{where}/wheel", text)
        return

    for place, span in enumerate(channel.ranges):
        slot = _slot_of(span)
        if slot >= len(wheel.slots):
            text = tr(
                "{name} is slot {slot}; {name2} has {n}, counted from 0",
                name=span.name or span.attribute,
                slot=slot,
                name2=wheel.name,
                n=len(wheel.slots),
            )
            yield Problem(f"{where}/ranges/{place}", text, "warning")


def _ranges(channel: Channel, where: str) -> Iterator[Problem]:
    """What is wrong with the ranges of a channel: where they lie, what they mean."""
    previous, label = -1, channel.label
    for place, span in enumerate(channel.ranges):
        here = f"{where}/ranges/{place}"
        what = tr(
            "{start}…{end} of {label}", start=span.start, end=span.end, label=label
        )
        if not 0 <= span.start <= span.end <= channel.top:
            yield Problem(
                here, tr("{what} is not within 0…{top}", what=what, top=channel.top)
            )
        elif span.start <= previous:
            yield Problem(here, tr("{what} overlaps the range before it", what=what))
        elif span.start > previous + 1:
            text = tr(
                "{label}: {previous}…{start} has no meaning (a gap)",
                label=label,
                previous=previous + 1,
                start=span.start - 1,
            )
            yield Problem(here, text, "warning")

        if text := _meaningless(channel, span, what):
            yield Problem(here, text, "warning")

        previous = max(previous, span.end)

    if channel.ranges and previous < channel.top:
        text = tr(
            "{label}: {previous}…{top} has no meaning (a gap)",
            label=label,
            previous=previous + 1,
            top=channel.top,
        )
        yield Problem(f"{where}/ranges/{len(channel.ranges) - 1}", text, "warning")


def _meaningless(channel: Channel, span: Range, what: str) -> str:
    """Why a range means nothing here; empty where it means something."""
    if not span.attribute:
        return tr("{what} has no attribute", what=what)
    if span.attribute == at.NOTHING and not span.name and not channel.rest:
        return tr(
            "{what} has no meaning yet; where it does nothing, name it so", what=what
        )
    if not at.known(span.attribute):
        return tr(
            "{attribute} has no meaning here; it is driven by its raw values",
            attribute=span.attribute,
        )
    return ""


def _opens(channel: Channel) -> bool:
    shutters = [
        r
        for r in channel.ranges
        if at.attribute(r.attribute).kind == "slot" and r.attribute[:7] == "Shutter"
    ]
    return any(r.low >= 0.5 or r.high >= 0.5 for r in shutters) or at.DIMMER in {
        r.attribute for r in channel.ranges
    }


def _slot_of(span: Range) -> int:
    if span.slot >= 0:
        return span.slot
    return (
        int(span.low)
        if at.attribute(span.attribute).kind == "slot" and span.discrete
        else 0
    )


def _mode(kind: FixtureType, mode: Mode, where: str) -> Iterator[Problem]:
    """What is wrong with a mode: its slots, its cells, what it overrides."""
    if not mode.name.strip():
        yield Problem(where, tr("a mode needs a name"))

    if not mode.uses:
        yield Problem(where, tr("{name} has no channels", name=mode.name))

    seen: set[int] = set()
    for use in mode.uses:
        yield from _use(kind, mode, use, f"{where}/{use.channel}", seen)
        seen |= set(use.slots)

    missing = sorted(set(range(1, mode.footprint + 1)) - seen)
    if missing:
        more = "…" if len(missing) > 4 else ""
        slots = ", ".join(str(slot) for slot in missing[:4]) + more
        yield Problem(
            where,
            tr("{name}: slot {slots} is nobody's", name=mode.name, slots=slots),
            "warning",
        )

    for channel in mode.overrides:
        yield from _channel(kind, channel, f"{where}/overrides/{channel.key}")

    yield from _cells(kind, mode, where)


def _use(
    kind: FixtureType, mode: Mode, use: Use, here: str, seen: set[int]
) -> Iterator[Problem]:
    """What is wrong with how a mode uses a channel. `seen`: slots that others have."""
    channel = kind.channel(use.channel, mode)
    label = channel.label if channel else use.channel
    if channel is None:
        yield Problem(
            here,
            tr(
                "{name}: the type has no channel {channel}",
                name=mode.name,
                channel=use.channel,
            ),
        )

    if not 0 <= use.cell <= len(mode.cells):
        text = tr(
            "{label} belongs to cell {cell}, which {name} does not have",
            label=label,
            cell=use.cell,
            name=mode.name,
        )
        yield Problem(f"{here}/cell", text)

    slots = f"{here}/slots"
    if use.slots and use.slots[0] < 1 <= max(use.slots):
        yield Problem(
            slots,
            tr(
                "{name}: {label} has a fine slot but no coarse one",
                name=mode.name,
                label=label,
            ),
        )
    elif not use.slots or min(use.slots) < 1 or max(use.slots) > SLOTS:
        yield Problem(
            slots,
            tr("{label}: slots count from 1 to {slots}", label=label, slots=SLOTS),
        )

    if len(use.slots) > 4:
        text = tr(
            "{label} has {n} slots; no channel has more than four",
            label=label,
            n=len(use.slots),
        )
        yield Problem(slots, text)

    if seen & set(use.slots):
        text = tr(
            "{name}: another channel has the slot of {label} already",
            name=mode.name,
            label=label,
        )
        yield Problem(slots, text)


def _cells(kind: FixtureType, mode: Mode, where: str) -> Iterator[Problem]:
    for number, cell in enumerate(mode.cells, 1):
        names = {
            r.attribute
            for use, c in kind.used(mode)
            if use.cell == number
            for r in c.ranges
        }
        if not names & {at.DIMMER, *at.ALL_EMITTERS, *at.FILTERS}:
            yield Problem(
                f"{where}/cells/{number}",
                tr(
                    "{name}: cell {name2} has no light", name=mode.name, name2=cell.name
                ),
                "warning",
            )


def _alike(kind: FixtureType, path: str) -> Iterator[Problem]:
    seen: dict[object, str] = {}
    for mode in kind.modes:
        key = (frozenset(mode.uses), mode.overrides)
        if key in seen:
            yield Problem(
                f"{path}/modes/{mode.name}",
                tr("{name} and {seen} are alike", name=mode.name, seen=seen[key]),
                "warning",
            )
        seen.setdefault(key, mode.name)
