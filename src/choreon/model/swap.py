"""Another mode, or another type, for fixtures that hang: what their programming
becomes.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import Literal

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import edits, patch
from choreon.model.colours import of_hex, to_oklab
from choreon.model.fixture_type import (
    Channel,
    FixtureType,
    Mode,
    Range,
    Slot,
    main_attribute,
)
from choreon.model.show import SLOTS, Show
from choreon.model.values import Look, Value

Fate = Literal["kept", "near", "lost"]
FATES: tuple[Fate, ...] = ("lost", "near", "kept")  # the worst first


class SwapLine(msgspec.Struct, frozen=True):
    """What becomes of one attribute: `near` values come close, `lost` ones stay in the
    scenes without effect.
    """

    fate: Fate
    attribute: str
    text: str


class Swap(msgspec.Struct, frozen=True):
    """The show after a swap, and what it does. `readdressed`: fixtures that had to get
    another address.
    """

    show: Show
    lines: tuple[SwapLine, ...]
    readdressed: tuple[str, ...] = ()
    homeless: tuple[str, ...] = ()


class _Side:
    """A type in a mode, by what its attributes can do."""

    def __init__(self, kind: FixtureType, mode: Mode) -> None:
        self.kind, self.mode = kind, mode
        self.spans: dict[str, list[Range]] = {}
        self.channels: dict[str, Channel] = {}

        for _, channel in kind.used(mode):
            if not channel.rest:
                for span in channel.ranges:
                    self.spans.setdefault(span.attribute, []).append(span)
                    self.channels.setdefault(span.attribute, channel)

        self.mixes = bool(set(self.spans) & {*at.EMITTERS[:3], *at.FILTERS})
        self.dims = at.DIMMER in self.spans or bool(
            set(self.spans) & set(at.ALL_EMITTERS)
        )

        self.colour_wheel = next(
            (
                n
                for n in self.spans
                if at.template(n) == "Color(n)"
                and any(not s.split for s in self.slots(n))
            ),
            "",
        )

    def slots(self, name: str) -> tuple[Slot, ...]:
        """The slots of the wheel that an attribute turns; none where it is no
        wheel's.
        """
        channel = self.channels.get(name)
        if (
            channel is None
            or at.attribute(name).kind != "slot"
            or name != main_attribute(channel)
        ):
            return ()
        wheel = self.kind.wheel(channel.wheel)
        return wheel.slots if wheel else ()

    def has(self, name: str) -> bool:
        """Whether the type has an attribute."""
        if name == at.DIMMER:
            return self.dims
        if name in at.TARGET_COLOUR:
            return self.mixes
        return name in self.spans

    def limits(self, name: str) -> tuple[float, float]:
        """The lowest and the highest value of an attribute; that of a second meaning of
        a channel goes down to 0, where it is off.
        """
        ends = [v for r in self.spans.get(name, ()) for v in (r.low, r.high)]
        second = name in self.channels and name != main_attribute(self.channels[name])
        return (
            min([*ends, 0.0] if second else ends, default=0.0),
            max(ends, default=1.0),
        )


def swap(
    show: Show, ids: Sequence[str], kind: FixtureType, mode_name: str, room: bool = True
) -> Swap:
    """Give fixtures another type or mode, and translate their programming.

    With `room`, those that no longer fit at their address are readdressed. Raises
    ValueError for an unknown mode.
    """
    mode = kind.mode(mode_name)
    if mode is None:
        raise ValueError(
            tr(
                "{label} has no mode “{mode}”",
                label=kind.label,
                mode=mode_name,
            )
        )

    translator = _Translator(show, frozenset(ids), _Side(kind, mode))
    made = edits.put(show, "types", kind) if show.types.get(kind.id) != kind else show
    made = edits.looks_changed(made, translator.look)

    for palette in show.palettes.values():
        each = translator.look(palette.each)
        if each is not palette.each:
            made = edits.put(made, "palettes", edits.replace(palette, each=each))

    changes = {i: {"type": kind.id, "mode": mode_name} for i in ids}
    made = edits.change_fixtures(made, changes)
    made, readdressed, homeless = find_room(made, ids) if room else (made, (), ())

    return Swap(made, translator.report(), readdressed, homeless)


class _Translator:
    """Says what looks become when fixtures get another type, and keeps a line for each
    attribute and what happened to it.
    """

    def __init__(self, show: Show, ids: frozenset[str], new: _Side) -> None:
        self._show, self._ids, self._new = show, ids, new
        self._lines: dict[tuple[str, str], SwapLine] = {}

    def look(self, look: Look) -> Look:
        """Returns the look in which the swapped lamps have what theirs become; the
        same object where nothing changes.
        """
        made = dict(look)
        for fixture in self._ids & set(look):
            after, lines = _fixture_look(self._show, fixture, look[fixture], self._new)
            self._lines |= {(line.attribute, line.fate): line for line in lines}
            if after != look[fixture]:
                made[fixture] = after
        return look if made == look else made

    def report(self) -> tuple[SwapLine, ...]:
        """Returns the lines, the worst first. That something is kept is not said where
        it is not kept everywhere.
        """
        changed = {name for name, fate in self._lines if fate != "kept"}
        told = [
            line
            for line in self._lines.values()
            if line.fate != "kept" or line.attribute not in changed
        ]
        return tuple(sorted(told, key=lambda line: FATES.index(line.fate)))


def translate(
    show: Show, look: Look, ids: Iterable[str], kind: FixtureType, mode_name: str
) -> Look:
    """A look, as the draft's, as the fixtures would have it after a swap. `show` is the
    show before it.
    """
    mode = kind.mode(mode_name)
    if mode is None:
        return look
    side = _Side(kind, mode)
    return look | {
        i: _fixture_look(show, i, look[i], side)[0] for i in ids if i in look
    }


def carry(
    show: Show,
    fixture_id: str,
    values: dict[str, Value],
    kind: FixtureType,
    mode_name: str,
) -> dict[str, Value]:
    """A fixture's values as a lamp of another type would have them."""
    mode = kind.mode(mode_name)
    return _fixture_look(show, fixture_id, values, _Side(kind, mode))[0] if mode else {}


def find_room(
    show: Show, ids: Sequence[str]
) -> tuple[Show, tuple[str, ...], tuple[str, ...]]:
    """Fixtures that no longer fit at their address go to the next place that
    is free.
    """
    moved, homeless = [], []
    for i in ids:
        fixture = show.fixtures[i]
        slots = patch.footprint(show, fixture)
        span = (fixture.address, fixture.address + slots - 1)

        if span[1] <= SLOTS and not patch.taken_by(show, fixture.universe, [span], [i]):
            continue

        without = edits.drop(show, "fixtures", [i])
        free = patch.next_free(without, fixture.universe, slots)
        if free is None:
            homeless.append(i)
        else:
            moved.append(i)
            show = edits.change_fixtures(show, {i: {"address": free}})

    return show, tuple(moved), tuple(homeless)


def _fixture_look(
    show: Show, fixture_id: str, values: dict[str, Value], new: _Side
) -> tuple[dict[str, Value], list[SwapLine]]:
    """What a fixture's values become, and a line for each of them."""
    fixture = show.fixtures[fixture_id]
    old_kind = show.types.get(fixture.type)
    old_mode = patch.mode_of(show.types, fixture)
    old = _Side(old_kind, old_mode) if old_kind and old_mode else None
    made: dict[str, Value] = {}

    lines: list[SwapLine] = []
    for name, value in values.items():
        if isinstance(value, str):  # it says what is meant, for any lamp
            made[name] = value
            lines.append(_linked(name, new))
        elif name not in at.TARGET_COLOUR or new.mixes:
            fitted, line = _value(name, value, old, new)
            made |= fitted
            lines.append(line)

    plain = at.RED in values and not isinstance(values[at.RED], str)
    if plain and not new.mixes:
        fitted, line = _colour_to_wheel(values, new)
        made |= fitted
        lines.append(line)

    return made, lines


def _linked(name: str, new: _Side) -> SwapLine:
    """What becomes of a link: it stays, and means something where the lamp can."""
    label = at.attribute(name).label
    by_wheel = name in at.TARGET_COLOUR and bool(new.colour_wheel)
    if new.has(name) or by_wheel:
        return SwapLine("kept", name, label)
    return SwapLine("lost", name, tr("{label}: the new fixture has none", label=label))


def _value(
    name: str, value: Value, old: _Side | None, new: _Side
) -> tuple[dict[str, Value], SwapLine]:
    label = at.attribute(name).label
    if old is not None and old.slots(name):
        return _slot(name, value, old, new)
    if name.startswith(at.RAW):
        return {}, SwapLine(
            "lost",
            name,
            tr(
                "{label}: a raw value means nothing on another fixture; it is left out",
                label=label,
            ),
        )

    if not new.has(name):
        return {name: value}, SwapLine(
            "lost", name, tr("{label}: the new fixture has none", label=label)
        )

    value, cells = _cells(value, new)
    low, high = new.limits(name) if name in new.spans else (0.0, 1.0)
    clipped = _each(value, lambda v: min(high, max(low, v)))

    if clipped != value:
        unit = at.attribute(name).unit
        span = f"{low:g}…{high:g} {unit}".strip()
        return {name: value}, SwapLine(
            "near",
            name,
            tr("{label}: the new fixture reaches {span}", label=label, span=span),
        )

    if cells:
        return {name: value}, SwapLine(
            "near",
            name,
            tr(
                "{label}: spread over {count} cells",
                label=label,
                count=len(new.mode.cells) or 1,
            ),
        )

    return {name: value}, SwapLine("kept", name, label)


def _each(value: Value, act) -> Value:  # type: ignore[no-untyped-def]
    return (
        tuple(v if v is None else act(v) for v in value)
        if isinstance(value, tuple)
        else act(value)
    )


def _cells(value: Value, new: _Side) -> tuple[Value, bool]:
    """Values for as many cells as there are now, by linear interpolation; and whether
    that changed anything.
    """
    count = max(1, len(new.mode.cells))
    if not isinstance(value, tuple) or len(value) == count or not value:
        return value, False
    if None in value:
        return value, True

    given = [v for v in value if v is not None]
    if count == 1:
        return sum(given) / len(given), True

    found = []
    for i in range(count):
        at_ = i * (len(given) - 1) / (count - 1)
        left = min(int(at_), len(given) - 1)
        right = min(left + 1, len(given) - 1)
        found.append(given[left] + (at_ - left) * (given[right] - given[left]))

    return tuple(found), True


def _slot(
    name: str, value: Value, old: _Side, new: _Side
) -> tuple[dict[str, Value], SwapLine]:
    """A slot of a wheel: the slot of the same name, else the nearest colour,
    else none.
    """
    slots = old.slots(name)
    number = int(_number(value))
    slot = slots[min(max(number, 0), len(slots) - 1)]
    label = at.attribute(name).label
    alike = [n for n in new.spans if at.template(n) == at.template(name)]
    targets = [n for n in alike if new.slots(n)]
    same = _same_slot(slot, sorted(targets, key=lambda n: n != name), new)

    if same is not None:
        return same, SwapLine("kept", name, f"{label}: {slot.name}")
    if slot.colour:
        return _colour_slot(name, slot, new)

    if name in targets and number:
        others = new.slots(name)
        near = min(number, len(others) - 1)
        text = tr(
            "{label}: {name} becomes {other}",
            label=label,
            name=slot.name,
            other=others[near].name,
        )

        return {name: float(near)}, SwapLine("near", name, text)

    text = tr("{label}: the new fixture has no {name}", label=label, name=slot.name)
    return {name: value}, SwapLine("lost", name, text)


def _same_slot(slot: Slot, targets: list[str], new: _Side) -> dict[str, Value] | None:
    """The slot of the same name, on the first of the wheels that has one."""
    for target in targets:
        for place, other in enumerate(new.slots(target)):
            if other.name.casefold() == slot.name.casefold():
                return {target: float(place)}
    return None


def _colour_slot(
    name: str, slot: Slot, new: _Side
) -> tuple[dict[str, Value], SwapLine]:
    """A slot that colours the light: mixed where the new lamp mixes, else the nearest
    slot.
    """
    label = at.attribute(name).label
    if new.mixes:
        mixed: dict[str, Value] = dict(
            zip(at.TARGET_COLOUR, of_hex(slot.colour), strict=True)
        )
        return mixed, SwapLine(
            "near", name, tr("{label}: {name} is mixed", label=label, name=slot.name)
        )

    if new.colour_wheel:
        number, other = _nearest(of_hex(slot.colour), new)
        text = tr(
            "{label}: {name} becomes {other}, the nearest",
            label=label,
            name=slot.name,
            other=other.name,
        )
        return {new.colour_wheel: float(number)}, SwapLine("near", name, text)

    return {}, SwapLine(
        "lost", name, tr("{label}: the new fixture has no colour", label=label)
    )


def _colour_to_wheel(
    values: dict[str, Value], new: _Side
) -> tuple[dict[str, Value], SwapLine]:
    """A mixed colour on a lamp that does not mix; the mixed one is kept beside, for the
    way back.
    """
    kept = {n: values[n] for n in at.TARGET_COLOUR if n in values}
    if not new.colour_wheel:
        return kept, SwapLine("lost", at.RED, tr("Colour: the new fixture has none"))

    parts = [kept.get(n, 0.0) for n in at.TARGET_COLOUR]
    r, g, b = (_number(p) for p in parts)
    number, slot = _nearest((r, g, b), new)

    return {**kept, new.colour_wheel: float(number)}, SwapLine(
        "near", at.RED, tr("Colour: {name} is the nearest slot", name=slot.name)
    )


def _number(value: Value) -> float:
    """One number of a value: of cells, the first that has one."""
    one = (
        next((v for v in value if v is not None), 0.0)
        if isinstance(value, tuple)
        else value
    )
    return 0.0 if isinstance(one, str) else float(one)


def _nearest(light: tuple[float, float, float], new: _Side) -> tuple[int, Slot]:
    """The slot nearest in OKLab, of the new lamp's colour wheel."""
    wanted = to_oklab(light)
    slots = new.slots(new.colour_wheel)
    plain = [i for i, slot in enumerate(slots) if not slot.split]
    number = min(
        plain,
        key=lambda i: math.dist(wanted, to_oklab(of_hex(slots[i].colour or "#FFFFFF"))),
    )
    return number, slots[number]
