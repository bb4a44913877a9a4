"""Edits of a fixture type: pure functions from type to type."""

from __future__ import annotations

from typing import Any

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.edits import fresh_id, fresh_name
from choreon.model.fixture_type import (
    Cell,
    Channel,
    Emitter,
    FixtureType,
    Mode,
    Range,
    Slot,
    Use,
    Wheel,
    main_attribute,
)

replace = msgspec.structs.replace


NEW_MODE = tr("New mode")


def blank(taken: list[str]) -> FixtureType:
    """A type to begin from: one mode without a channel yet."""
    mode = Mode(name=NEW_MODE, uses=())
    return FixtureType(
        id=fresh_id(tr("own type"), taken),
        maker="",
        name=tr("New type"),
        kind="LED par",
        channels=(),
        modes=(mode,),
    )


def copy_of(kind: FixtureType, taken: list[str]) -> FixtureType:
    """The same under an id and a name of its own."""
    name = fresh_name(f"{kind.name} (copy)", taken)
    return replace(kind, id=fresh_id(f"{kind.maker} {name}", taken), name=name)


# channels


def put_channel(kind: FixtureType, channel: Channel, mode: str = "") -> FixtureType:
    """Change a channel: for all modes, or, where that mode overrides it, for the mode
    named.
    """
    found = kind.mode(mode) if mode else None
    if found is not None and any(c.key == channel.key for c in found.overrides):
        overrides = tuple(
            channel if c.key == channel.key else c for c in found.overrides
        )
        return put_mode(kind, mode, replace(found, overrides=overrides))
    return replace(
        kind,
        channels=tuple(channel if c.key == channel.key else c for c in kind.channels),
    )


def add_channel(
    kind: FixtureType, name: str, attribute: str
) -> tuple[FixtureType, str]:
    """A new channel that means one thing from end to end; gives the type and the
    channel's key.
    """
    known = at.attribute(attribute)
    key = fresh_id(name, [c.key for c in kind.channels])
    low, high = _span(known)
    whole = Range(start=0, end=255, attribute=attribute, low=low, high=high)
    return replace(
        kind, channels=(*kind.channels, Channel(key=key, name=name, ranges=(whole,)))
    ), key


def remove_channel(kind: FixtureType, key: str) -> FixtureType:
    """Without a channel; modes close up behind it."""
    modes = []
    for mode in kind.modes:
        for number in [i for i, use in enumerate(mode.uses) if use.channel == key][
            ::-1
        ]:
            mode = remove_use(mode, number)

        modes.append(
            replace(mode, overrides=tuple(c for c in mode.overrides if c.key != key))
        )

    return replace(
        kind,
        channels=tuple(c for c in kind.channels if c.key != key),
        modes=tuple(modes),
    )


def set_resolution(channel: Channel, resolution: int) -> Channel:
    """Count in more or fewer bytes; ranges keep their share of the line."""
    if resolution == channel.resolution:
        return channel

    old, new = 256**channel.resolution, 256**resolution

    def first(value: int) -> int:
        return value * new // old

    def last(value: int) -> int:
        return (value + 1) * new // old - 1 if new > old else value * new // old

    ranges = tuple(
        replace(r, start=first(r.start), end=max(first(r.start), last(r.end)))
        for r in channel.ranges
    )
    opened = None if channel.open is None else first(channel.open)
    return replace(
        channel,
        resolution=resolution,
        ranges=ranges,
        home=first(channel.home),
        open=opened,
    )


# ranges


def split(channel: Channel, raw: int) -> tuple[Channel, int]:
    """Part the range at a value, or fill the gap there; gives the channel and the new
    range's index.
    """
    ranges = list(channel.ranges)
    for i, span in enumerate(ranges):
        if span.start < raw <= span.end:
            middle = span.value_at(raw)
            ranges[i] = replace(
                span,
                end=raw - 1,
                high=span.value_at(raw - 1) if not span.discrete else span.high,
            )

            ranges.insert(
                i + 1,
                replace(
                    span,
                    start=raw,
                    low=middle if not span.discrete else span.low,
                    name="",
                ),
            )
            return replace(channel, ranges=tuple(ranges)), i + 1

        if span.start == raw:
            return channel, i

    before = max((r.end for r in ranges if r.end < raw), default=-1)
    after = min((r.start for r in ranges if r.start > raw), default=channel.top + 1)
    made = Range(start=before + 1, end=after - 1, attribute=at.NOTHING, low=0, high=0)
    ranges = sorted([*ranges, made], key=lambda r: r.start)

    return replace(channel, ranges=tuple(ranges)), ranges.index(made)


def put_range(channel: Channel, index: int, **fields: Any) -> Channel:
    """Change a range. Its ends push the neighbours that touch it."""
    ranges = list(channel.ranges)
    old = ranges[index]
    new = replace(old, **fields)
    start = min(max(0, new.start), channel.top)
    new = replace(new, start=start, end=min(max(start, new.end), channel.top))
    ranges[index] = new

    if index and ranges[index - 1].end == old.start - 1 and new.start != old.start:
        neighbour = ranges[index - 1]
        ranges[index - 1] = replace(neighbour, end=max(neighbour.start, new.start - 1))

    if (
        index + 1 < len(ranges)
        and ranges[index + 1].start == old.end + 1
        and new.end != old.end
    ):
        neighbour = ranges[index + 1]
        ranges[index + 1] = replace(neighbour, start=min(neighbour.end, new.end + 1))

    return replace(channel, ranges=tuple(sorted(ranges, key=lambda r: r.start)))


def end_range(channel: Channel, index: int, end: int) -> Channel:
    """Let a range end at a value. Where it was the last, what it leaves becomes one
    more range without a meaning.
    """
    last = channel.ranges[index].end
    made = put_range(channel, index, end=end)
    if index == len(made.ranges) - 1 and made.ranges[index].end < min(last, made.top):
        rest = Range(
            start=made.ranges[index].end + 1,
            end=last,
            attribute=at.NOTHING,
            low=0,
            high=0,
        )
        made = replace(made, ranges=(*made.ranges, rest))

    return made


def has_slots(channel: Channel) -> bool:
    """Whether a channel chooses among the slots of a wheel."""
    return at.template(main_attribute(channel)) in (
        "Color(n)",
        "Gobo(n)",
        "AnimationWheel(n)",
        "Prism(n)",
    )


def ranges_of_slots(channel: Channel, wheel: Wheel) -> Channel:
    """One range for each slot of a wheel, all alike wide, with the slots' names."""
    name = main_attribute(channel)
    if at.attribute(name).kind != "slot":
        name = "Gobo1" if any(slot.picture for slot in wheel.slots) else "Color1"

    edges = [
        round(i * (channel.top + 1) / len(wheel.slots))
        for i in range(len(wheel.slots) + 1)
    ]

    ranges = tuple(
        Range(
            start=edges[i],
            end=edges[i + 1] - 1,
            attribute=name,
            low=float(i),
            high=float(i),
            name=slot.name,
        )
        for i, slot in enumerate(wheel.slots)
    )

    return replace(channel, ranges=ranges, wheel=wheel.key)


def _span(known: at.Attribute) -> tuple[float, float]:
    """What a range of an attribute goes from and to at first; one that chooses
    something stands for one thing.
    """
    return (
        (0.0, 0.0)
        if known.kind in ("slot", "mode") or known.command
        else (known.low, known.high)
    )


def mean(span: Range, attribute: str) -> Range:
    """Give a range a meaning; a span in another unit begins with what is usual
    there.
    """
    known, before = at.attribute(attribute), at.attribute(span.attribute)
    low, high = span.low, span.high
    if known.unit != before.unit or known.kind != before.kind:
        low, high = _span(known)
    if known.command:
        low = high = 1.0
    return replace(span, attribute=attribute, low=low, high=high)


def remove_range(channel: Channel, index: int) -> Channel:
    """Without a range; the one before it takes its place, else the one after."""
    ranges = list(channel.ranges)
    gone = ranges.pop(index)
    if index and ranges[index - 1].end == gone.start - 1:
        ranges[index - 1] = replace(ranges[index - 1], end=gone.end)
    elif index < len(ranges) and ranges[index].start == gone.end + 1:
        ranges[index] = replace(ranges[index], start=gone.start)
    return replace(channel, ranges=tuple(ranges))


# modes


def put_mode(kind: FixtureType, name: str, mode: Mode) -> FixtureType:
    """Put a mode in the place of the one of a name."""
    return replace(kind, modes=tuple(mode if m.name == name else m for m in kind.modes))


def add_mode(kind: FixtureType, like: str = "") -> tuple[FixtureType, str]:
    """A new mode, as a copy of another one."""
    source = kind.mode(like)
    base = source or Mode(name="", uses=())
    name = fresh_name(
        NEW_MODE if source is None else f"{like} (copy)", [m.name for m in kind.modes]
    )
    return replace(kind, modes=(*kind.modes, replace(base, name=name))), name


def name_by_size(kind: FixtureType, before: Mode) -> tuple[FixtureType, str]:
    """Name a mode that nobody has named yet after its slots; gives the type and the
    mode's name.

    `before` is the mode as it was, which tells whether its name was given by this.
    """
    mode = kind.mode(before.name)
    given = before.name in (NEW_MODE, f"{before.footprint} channel")
    if mode is None or not given or mode.footprint in (0, before.footprint):
        return kind, before.name
    name = fresh_name(
        tr("{footprint} channel", footprint=mode.footprint),
        [m.name for m in kind.modes],
    )
    return put_mode(kind, before.name, replace(mode, name=name)), name


def remove_mode(kind: FixtureType, name: str) -> FixtureType:
    """Remove a mode; its channels stay with the type."""
    return replace(kind, modes=tuple(m for m in kind.modes if m.name != name))


def _closed(uses: list[Use], gone: tuple[int, ...]) -> tuple[Use, ...]:
    """Uses after slots went: the later ones come forward."""

    def back(slot: int) -> int:
        return slot - sum(1 for g in gone if 0 < g < slot)

    return tuple(replace(use, slots=tuple(back(s) for s in use.slots)) for use in uses)


def add_use(mode: Mode, channel: str, count: int, cell: int = 0) -> Mode:
    """A channel after the last slot, with so many bytes."""
    first = mode.footprint + 1
    return replace(
        mode, uses=(*mode.uses, Use(channel, tuple(range(first, first + count)), cell))
    )


def remove_use(mode: Mode, index: int) -> Mode:
    """Without one use; what follows comes forward."""
    uses = list(mode.uses)
    gone = uses.pop(index)
    return replace(mode, uses=_closed(uses, gone.slots))


def resize_use(mode: Mode, index: int, count: int) -> Mode:
    """Give a channel so many bytes, side by side; what follows makes room."""
    use = mode.uses[index]
    if len(use.slots) == count:
        return mode
    first = use.slots[0]
    without = remove_use(mode, index)
    moved = tuple(
        replace(u, slots=tuple(s + count if s >= first else s for s in u.slots))
        for u in without.uses
    )
    made = replace(use, slots=tuple(range(first, first + count)))
    return replace(mode, uses=(*moved[:index], made, *moved[index:]))


def move_use(mode: Mode, index: int, by: int) -> Mode:
    """Change places with the channel before or after it; only those whose bytes lie
    side by side move.
    """
    order = sorted(range(len(mode.uses)), key=lambda i: mode.uses[i].slots)
    here = order.index(index)
    if not 0 <= here + by < len(order):
        return mode

    one, other = sorted((here, here + by))
    a, b = mode.uses[order[one]], mode.uses[order[other]]
    first = a.slots[0]
    swapped = {
        order[other]: replace(b, slots=tuple(range(first, first + len(b.slots)))),
        order[one]: replace(
            a,
            slots=tuple(
                range(first + len(b.slots), first + len(b.slots) + len(a.slots))
            ),
        ),
    }

    return replace(
        mode, uses=tuple(swapped.get(i, use) for i, use in enumerate(mode.uses))
    )


def type_slots(mode: Mode, index: int, slots: tuple[int, ...]) -> Mode:
    """Put a channel's bytes where they were typed; where it grows in its place, what
    follows makes room.
    """
    now, count = mode.uses[index].slots, len(slots)
    grows = (
        slots[: len(now)] == now
        and slots == tuple(range(slots[0], slots[0] + count))
        and count > len(now)
    )

    taken = {s for i, use in enumerate(mode.uses) if i != index for s in use.slots}
    return (
        resize_use(mode, index, count)
        if grows and taken & set(slots)
        else set_slots(mode, index, slots)
    )


def fit_bytes(mode: Mode, key: str, before: int, after: int) -> Mode:
    """Give a channel that counts in more or fewer bytes than before as many slots,
    where it had one for each.
    """
    for index, use in enumerate(mode.uses):
        if use.channel == key and len(use.slots) == before:
            mode = resize_use(mode, index, after)
    return mode


def set_slots(mode: Mode, index: int, slots: tuple[int, ...]) -> Mode:
    """Put a channel's bytes on slots by number, in any order."""
    uses = list(mode.uses)
    uses[index] = replace(uses[index], slots=slots)
    return replace(mode, uses=tuple(uses))


def set_cell(mode: Mode, index: int, cell: int) -> Mode:
    """Say which cell a use of a channel lights; 0 is the whole."""
    uses = list(mode.uses)
    uses[index] = replace(uses[index], cell=max(0, min(cell, len(mode.cells))))
    return replace(mode, uses=tuple(uses))


def override(kind: FixtureType, mode_name: str, key: str, on: bool) -> FixtureType:
    """Give a mode a definition of its own for a channel, or have it share the common
    one again.
    """
    mode, channel = kind.mode(mode_name), kind.channel(key)
    if mode is None or channel is None:
        return kind
    others = tuple(c for c in mode.overrides if c.key != key)
    return put_mode(
        kind, mode_name, replace(mode, overrides=(*others, channel) if on else others)
    )


def grid(mode: Mode, columns: int, rows: int, pitch: float) -> Mode:
    """Lay the cells in rows from the upper left; uses of cells that go belong to the
    whole.
    """
    columns, rows = max(0, columns), max(0, rows)
    cells = tuple(
        Cell(
            str(r * columns + c + 1),
            round((c - (columns - 1) / 2) * pitch, 4),
            round(((rows - 1) / 2 - r) * pitch, 4),
        )
        for r in range(rows)
        for c in range(columns)
    )

    uses = tuple(
        use if use.cell <= len(cells) else replace(use, cell=0) for use in mode.uses
    )
    return replace(mode, cells=cells, uses=uses)


def grid_of(mode: Mode) -> tuple[int, int, float]:
    """Columns, rows and pitch (metres) of a mode's cells; those of a single row where
    they lie in no grid.
    """
    across, up = (
        {round(v, 4) for v in axis}
        for axis in ((c.x for c in mode.cells), (c.y for c in mode.cells))
    )
    whole = len(across) * len(up) == len(mode.cells)
    line = sorted(across) if len(across) > 1 else sorted(up)
    pitch = round(line[1] - line[0], 4) if len(line) > 1 else 0.0
    return (len(across), len(up), pitch) if whole else (len(mode.cells), 1, pitch)


def repeat_for_cells(mode: Mode) -> Mode:
    """The first cell's channels once for each further cell, one behind the other."""
    first = [use for use in sorted(mode.uses, key=lambda u: u.slots) if use.cell == 1]
    mode = replace(mode, uses=tuple(use for use in mode.uses if use.cell <= 1))
    for cell in range(2, len(mode.cells) + 1):
        for use in first:
            mode = add_use(mode, use.channel, len(use.slots), cell)
    return mode


# emitters


def emitter_of(kind: FixtureType, attribute: str) -> Emitter | None:
    """What is known of the light that an attribute drives."""
    return next((e for e in kind.emitters if e.attribute == attribute), None)


def put_emitter(kind: FixtureType, attribute: str, **fields: float) -> FixtureType:
    """Say where an emitter's colour lies (CIE 1931 x, y) and how strong it is against
    the others.
    """
    known = emitter_of(kind, attribute) or Emitter(
        attribute=attribute, x=0.3127, y=0.329
    )
    made = replace(known, **fields)
    others = tuple(e for e in kind.emitters if e.attribute != attribute)
    return replace(kind, emitters=(*others, made))


# wheels


def add_wheel(kind: FixtureType, name: str) -> tuple[FixtureType, str]:
    """Add a wheel; returns the type and the wheel's key."""
    key = fresh_id(name, [w.key for w in kind.wheels])
    return replace(
        kind,
        wheels=(
            *kind.wheels,
            Wheel(key=key, name=name, slots=(Slot(name=tr("Open")),)),
        ),
    ), key


def put_wheel(kind: FixtureType, wheel: Wheel) -> FixtureType:
    """Put a wheel in the place of the one of its key."""
    return replace(
        kind, wheels=tuple(wheel if w.key == wheel.key else w for w in kind.wheels)
    )


def remove_wheel(kind: FixtureType, key: str) -> FixtureType:
    """Remove a wheel; the channels that turned it stay."""

    def free(channels: tuple[Channel, ...]) -> tuple[Channel, ...]:
        return tuple(replace(c, wheel="") if c.wheel == key else c for c in channels)

    modes = tuple(replace(m, overrides=free(m.overrides)) for m in kind.modes)
    return replace(
        kind,
        wheels=tuple(w for w in kind.wheels if w.key != key),
        channels=free(kind.channels),
        modes=modes,
    )
