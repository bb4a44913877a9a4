"""The choice in hand: what it has, what values it has now, and giving it others.
Everything goes to the draft.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Mode, Wheel, main_attribute
from choreon.model.patch import mode_of
from choreon.model.sameness import very_same
from choreon.model.show import Fixture
from choreon.model.values import Value
from choreon.render import choice
from choreon.render.channels import Floats
from choreon.render.rig import Rig
from choreon.ui.parts import Parts

Items = list[choice.Item]
Kind = tuple[FixtureType, Channel, Wheel | None, list[str]]
"""A type, a channel of it, that channel's wheel, and the fixtures of the type."""


def _plain(cells: list[float]) -> Value:
    """Returns the value of a fixture: a number where it has one cell."""
    if len(cells) > 1:
        return tuple(cells)
    return cells[0] if cells else 0.0


class Hand:
    """What is chosen, fixtures or cells, and what can be done with it."""

    def __init__(self, parts: Parts) -> None:
        self.parts = parts
        self._now: Floats | None = None
        self._raw: Floats | None = None
        self._for: tuple[object, ...] = ()
        self._items: dict[str, Items] = {}
        self._rows: dict[str, list[int]] = {}
        self._names: dict[str, int] = {}

    def look_again(self) -> None:
        """Forget the values that were read."""
        self._now = self._raw = None

    @property
    def rig(self) -> Rig:
        """The rig as it hangs now."""
        return self.parts.preview.compiled.rig

    def items(self, name: str = "") -> Items:
        """The choice one by one; of those only who take an attribute."""
        parts, rig = self.parts, self.rig
        now = (
            parts.selection.chosen,
            parts.selection.cells,
            parts.selection.each_cell,
            rig,
        )

        if not very_same(now, self._for):
            self._for, self._items = now, {"": parts.selection.items()}
            self._rows, self._names = {}, {}
        found = self._items.get(name)
        if found is None:
            found = self._items[name] = [
                i for i in self._items[""] if rig.takes(i[0], name)
            ]

        return list(found)

    def fixtures(self, name: str = "") -> list[Fixture]:
        """The chosen fixtures, in order; only those who take an attribute."""
        ids = dict.fromkeys(i for i, _ in self.items(name))
        return [self.rig.fixtures[i] for i in ids if i in self.rig.fixtures]

    def names(self) -> dict[str, int]:
        """Every attribute that something of the choice takes, with how many fixtures
        do.
        """
        rig, everybody = self.rig, self.items()
        if self._names:
            return dict(self._names)
        found: dict[str, int] = {}

        for fixture, count in self._alike(everybody):
            own = dict.fromkeys(rig.where.get(fixture, {}))
            own |= dict.fromkeys(
                n for n in rig.direct.get(fixture, {}) if n in at.ALL_EMITTERS[3:]
            )
            if fixture in rig.wheels:
                own |= dict.fromkeys(at.TARGET_COLOUR)
            for name in own:
                found[name] = found.get(name, 0) + count

        self._names = found
        return dict(found)

    def _alike(self, items: Items) -> list[tuple[str, int]]:
        """Of fixtures of a type and mode, which take the same, the first, and how many
        there are.
        """
        rig = self.rig
        counts: dict[tuple[str, str, bool], tuple[str, int]] = {}
        for i in dict.fromkeys(i for i, _ in items):
            hung = rig.fixtures.get(i)
            if hung is not None:
                key = (hung.type, hung.mode, i in rig.where)
                first, count = counts.get(key, (i, 0))
                counts[key] = first, count + 1
        return list(counts.values())

    # values

    def values(self) -> Floats:
        """Every parameter's value now; read once until `look_again`."""
        if self._now is None:
            self._now = self.parts.preview.values()
        return self._now

    def numbers(self, name: str, items: Items | None = None) -> list[float]:
        """The values of an attribute over the choice."""
        rig, values = self.rig, self.values()
        if items is None:
            items = self.items(name)
            rows = self._rows.get(name)
            if rows is None:
                rows = self._rows[name] = choice.rows(rig, items, name)
        else:
            rows = choice.rows(rig, items, name)
        found: list[float] = values[rows].tolist() if rows else []
        if found or name in at.TARGET_COLOUR:
            return found
        return self._raw_numbers(name, list(dict.fromkeys(i for i, _ in items)))

    def _raw_numbers(self, name: str, fixtures: list[str]) -> list[float]:
        """The values of an attribute that goes straight to channels."""
        if self._raw is None:
            self._raw = self.parts.preview.raw_levels()
        numbers = []
        for fixture in fixtures:
            for _, channel, slope, offset in self.rig.direct.get(fixture, {}).get(
                name, ()
            ):
                raw = float(self._raw[channel])
                numbers.append((raw - offset) / slope if slope else 0.0)
        return numbers

    def colours(self, items: Items | None = None) -> list[tuple[float, float, float]]:
        """The colours of the choice now, linear light; of wheels that of their slot."""
        rig, values = self.rig, self.values()
        found = []
        for fixture, cell in self.items(at.RED) if items is None else items:
            wheel = rig.wheels.get(fixture)
            if wheel is not None:
                slot = min(max(int(values[wheel.row]), 0), len(wheel.light) - 1)
                r, g, b = (float(v) for v in wheel.light[slot])
                found.append((r, g, b))
                continue
            parts = [choice.rows(rig, [(fixture, cell)], n) for n in at.TARGET_COLOUR]
            found += [
                (float(values[a]), float(values[b]), float(values[c]))
                for a, b, c in zip(*parts, strict=True)
            ]

        return found

    def drafted(self, *names: str) -> bool:
        """Whether the draft has one of the attributes for somebody chosen."""
        draft = self.parts.engine.state.draft.look
        return any(
            name in draft.get(i, {})
            for i in self.parts.selection.chosen
            for name in names
        )

    def span(self, name: str) -> tuple[float, float]:
        """The widest span that the choice has for an attribute."""
        rig = self.rig
        spans = [
            rig.span(i, name)
            for i, _ in self.items(name)
            if name in rig.where.get(i, {})
        ]
        known = at.attribute(name)
        return (
            (min(a for a, _ in spans), max(b for _, b in spans))
            if spans
            else (known.low, known.high)
        )

    # giving

    def give(self, given: Mapping[str, Value]) -> None:
        """The same values for all of the choice that take them."""
        items = self.items()
        self.give_each(
            {name: choice.same(items, value) for name, value in given.items()}, items
        )

    def give_each(self, values: Mapping[str, Sequence[Value]], items: Items) -> None:
        """Each of `items` its own value."""
        look = choice.give(self.rig, items, values)
        if look:
            self.parts.draft.touch(look)
            self.look_again()

    def give_colour(self, rgb: Sequence[float]) -> None:
        """Give a colour, linear light, to the choice."""
        self.give(dict(zip(at.TARGET_COLOUR, (float(v) for v in rgb), strict=True)))

    def nudge(self, by: Mapping[str, float]) -> None:
        """Move everybody by as much, from where each is."""
        values: dict[str, list[Value]] = {}
        items = self.items()
        for name, step in by.items():
            rows = [choice.rows(self.rig, [i], name) for i in items]
            values[name] = [
                _plain([float(self.values()[r]) + step for r in own]) for own in rows
            ]
        self.give_each(values, items)
        self.look_again()

    # types

    def kinds(self, name: str) -> list[Kind]:
        """For each type in the choice that has an attribute: the channel that says it,
        its wheel, and who they are.
        """
        found: dict[tuple[str, str], Kind] = {}
        types = self.parts.document.show.types
        for fixture in self.fixtures(name):
            key = (fixture.type, fixture.mode)
            if key in found:
                found[key][3].append(fixture.id)
                continue
            kind, mode = types.get(fixture.type), mode_of(types, fixture)
            channel = _channel_of(kind, mode, name) if kind and mode else None
            if kind is not None and channel is not None:
                wheel = kind.wheel(channel.wheel) if channel.wheel else None
                found[key] = (kind, channel, wheel, [fixture.id])
        return list(found.values())


def _channel_of(kind: FixtureType, mode: Mode, name: str) -> Channel | None:
    """The channel of a mode that says an attribute: best one that is about it alone."""
    channels = [channel for _, channel in kind.used(mode) if not channel.rest]
    saying = [c for c in channels if any(r.attribute == name for r in c.ranges)]
    saying.sort(key=lambda channel: main_attribute(channel) != name)
    return saying[0] if saying else None
