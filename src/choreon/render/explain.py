"""Why a slot has the value it has: every layer that touches it, lowest first, and which
one wins. Read off the compositor's trace.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from choreon.language import in_a_row, tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.fixture_type import Channel, Use
from choreon.model.inputs import Merge
from choreon.model.motion import EffectMode
from choreon.model.patch import mode_of
from choreon.model.playables import Stack
from choreon.model.playables.stack import number_in_words
from choreon.model.refs import (
    ASIDE,
    BLACKOUT,
    DRAFT,
    GRAND,
    MASTER,
    TYPE,
    Ref,
    exists,
    name_of,
    parse,
)
from choreon.model.show import Fixture, Show
from choreon.model.values import Value
from choreon.render.channels import meanings
from choreon.render.colour import from_oklab
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import trace
from choreon.render.looks import plain_values
from choreon.render.rig import Rig
from choreon.render.state import Outside, PlayState, Ready
from choreon.render.trace import Trace, TracePart
from choreon.terms import term

replace = msgspec.structs.replace

HOME = tr("home")
TURNS = tr("dark as its path has it turn back")
CHANGES = tr("dark while something in it is changed")
NEAR = tr("dark as its beam comes near to what is kept out of")


class WhyLayer(msgspec.Struct, frozen=True):
    """One layer: `source` in words, what it gives (attribute and value), and how much
    of it is in what comes out, 0…1. `target` says where it is changed. `moves`: an
    effect gives it; `how`: it scales or adds to what is below, and never wins by
    itself.
    """

    source: str
    attribute: str
    value: float | tuple[float | None, ...]
    weight: float = 1.0
    wins: bool = False
    target: Ref | None = None
    how: str = ""
    moves: bool = False
    replaces: bool = False
    """As a level it counts in place of those below, however high they are."""
    thing: str = ""
    """What the source is called without where it stands; empty: as the source."""

    @property
    def owner(self) -> str:
        """What gives it, without where that stands."""
        return self.thing or self.source


class Why(msgspec.Struct, frozen=True):
    """What stands on a slot, and the layers. `byte`: 0 for the coarse one."""

    fixture: Fixture
    channel: Channel
    use: Use
    byte: int
    layers: tuple[WhyLayer, ...]


def on_slot(
    show: Show, universe: int, slot: int
) -> list[tuple[Fixture, Use, Channel, int]]:
    """Returns the fixtures and channels on a slot; several where they clash."""
    found = []
    for fixture in show.fixtures.values():
        mode = mode_of(show.types, fixture)
        if fixture.universe != universe or mode is None:
            continue
        own = slot - fixture.address + 1
        for use, channel in show.types[fixture.type].used(mode):
            if own in use.slots:
                found.append((fixture, use, channel, use.slots.index(own)))
    return found


def explain(
    compiled: CompiledShow, state: PlayState, now: float, universe: int, slot: int
) -> list[Why]:
    """Returns why the slot has its value: one answer for each fixture on it."""
    found = on_slot(compiled.show, universe, slot)
    traced = trace(compiled, state, now) if found else Trace(compiled.rig)
    return [
        Why(
            fixture,
            channel,
            use,
            byte,
            tuple(
                _Slot(compiled, fixture, use, channel).layers(traced, state, now, slot)
            ),
        )
        for fixture, use, channel, byte in found
    ]


class _Slot:
    """A channel of a fixture, and what its value comes from."""

    def __init__(
        self, compiled: CompiledShow, fixture: Fixture, use: Use, channel: Channel
    ) -> None:
        self.compiled = compiled
        self.show, self.rig = compiled.show, compiled.rig
        self.fixture, self.channel = fixture, channel
        mode = mode_of(self.show.types, fixture)
        self.cell = use.cell
        if fixture.reversed and use.cell and mode is not None:
            self.cell = len(mode.cells) + 1 - use.cell
        self.names = _names(self.rig, fixture, channel)
        self.rows = {name: self._row(name) for name in self.names}

    def _row(self, name: str) -> int | None:
        """The row that says what an attribute is here; raw ones lie after P."""
        places = self.rig.where.get(self.fixture.id, {}).get(name)
        if places is not None:
            rows = dict(places)
            return rows.get(self.cell, rows.get(0))
        for cell, channel, *_ in self.rig.direct.get(self.fixture.id, {}).get(name, ()):
            if cell == self.cell:
                return self.rig.size + channel
        return None

    def layers(
        self, traced: Trace, state: PlayState, now: float, slot: int
    ) -> list[WhyLayer]:
        """Returns every layer that touches the slot, lowest first."""
        home = WhyLayer(
            HOME, *_at_home(self.channel), target=Ref(TYPE, self.fixture.type)
        )

        if self.channel.rest:
            return [replace(home, source=tr("left alone: always at home"), wins=True)]

        weights = {
            name: self._weights(traced, row)
            for name, row in self.rows.items()
            if row is not None
        }
        parts = [
            layer
            for n, part in enumerate(traced.parts)
            for layer in self._of_part(n, part, weights)
        ]
        named = {layer.attribute for layer in parts}
        ahead = [x for x in self._ahead(state, now) if x.attribute not in named]
        given = [home, *ahead, *parts]

        given = _with_winners(given, traced) + self._darkened(traced)
        given = self._held(given + self._masters(state), state, now)
        return _over_all(given, self.fixture, state, now, slot)

    def _ahead(self, state: PlayState, now: float) -> Iterator[WhyLayer]:
        """Where the lamp, dark as it is, goes ahead to for a cue that comes."""
        for ready in state.ready:
            rows = self.compiled.ready_rows(ready)
            stands = dict(
                zip(rows.rows.tolist(), rows.at(now, ready).tolist(), strict=True)
            )
            for name, row in self.rows.items():
                if row in stands:
                    source = _ready_name(self.show, state, ready)
                    yield WhyLayer(source, name, stands[row])

    def _weights(self, traced: Trace, row: int) -> list[float]:
        """For each part how much of it is seen: of a level, how far it is on."""
        if row >= self.rig.intensities:
            return traced.weights(row)
        on = []
        for part in traced.parts:
            lamp = np.flatnonzero(part.lamps == row)
            on.append(part.on if len(lamp) else 0.0)
        return on

    def _of_part(
        self, n: int, part: TracePart, weights: dict[str, list[float]]
    ) -> Iterator[WhyLayer]:
        stored = part.look.get(self.fixture.id, {})
        values = plain_values(self.rig, self.fixture.id, stored, self.show)
        if part.place:  # a chase gives what its steps have come to
            values |= self._given_by(part)

        moved = {layer.attribute: layer for layer in self._moved(n, part, weights)}
        for name in self.names:
            value = self._of_cell(values.get(name))
            if value is None or isinstance(value, str) or name not in weights:
                continue
            if name in moved and not moved[name].how:
                continue  # an effect of the same look gives it in its place

            link = link_name(self.show, stored.get(name))
            source = in_a_row(filter(None, (part_name(self.show, part), link)))
            yield WhyLayer(
                source,
                name,
                value,
                weights[name][n],
                target=part.source,
                replaces=part.replaces > 0.0,
                thing=thing_name(self.show, part),
            )

        yield from moved.values()

    def _of_cell(self, value: Value | None) -> Value | None:
        """A value, of many that of the cell which is asked for."""
        if not isinstance(value, tuple):
            return value
        return value[min(max(self.cell - 1, 0), len(value) - 1)] if value else None

    def _given_by(self, part: TracePart) -> dict[str, Value]:
        """What a part gives the slot now, whatever is stored."""
        rows = dict(zip(part.rows.tolist(), part.values.tolist(), strict=True))
        lamps = dict(zip(part.lamps.tolist(), part.levels.tolist(), strict=True))
        found: dict[str, Value] = {}

        for name, row in self.rows.items():
            if row is None:
                continue

            if name in at.TARGET_COLOUR and row in rows:
                found[name] = self._light(name, row, rows)
            elif row in lamps and part.on > 0:
                found[name] = lamps[row] / part.on
            elif row in rows:
                found[name] = rows[row]

        return found

    def _moved(
        self, n: int, part: TracePart, weights: dict[str, list[float]]
    ) -> Iterator[WhyLayer]:
        """What the effects of a part do to the slot now."""
        for entry in part.effects:
            given = dict(zip(entry.rows.tolist(), entry.values.tolist(), strict=True))
            for name, row in self.rows.items():
                if row not in given or row is None:
                    continue

                value = float(given[row])
                if name in at.TARGET_COLOUR:
                    value = self._light(name, row, given)

                weight = part.on if entry.how else weights[name][n]
                source = in_a_row([part_name(self.show, part), entry.name])
                yield WhyLayer(
                    source,
                    name,
                    value,
                    weight,
                    False,
                    part.source,
                    entry.how,
                    True,
                    thing=thing_name(self.show, part),
                )

    def _light(self, name: str, row: int, given: dict[int, float]) -> float:
        """A part of a target colour, of which effects give OKLab."""
        which = at.TARGET_COLOUR.index(name)
        red = row - which * self.rig.colours
        lab = [given.get(red + i * self.rig.colours, 0.0) for i in range(3)]
        return float(from_oklab(lab).clip(0.0, 1.0)[which])

    def _darkened(self, traced: Trace) -> list[WhyLayer]:
        """What is left of the light where a path has the head, or where something in
        it is changed in the dark.
        """
        row = self.rows.get(at.DIMMER)
        if row is None or row >= self.rig.intensities:
            return []
        return [
            WhyLayer(why, at.DIMMER, float(left[row]), how=EffectMode.SCALES)
            for why, left in (
                (TURNS, traced.turning),
                (NEAR, traced.clear),
                (CHANGES, traced.changing),
            )
            if left is not None and left[row] < 1.0
        ]

    def _masters(self, state: PlayState) -> list[WhyLayer]:
        """What the masters that scale do to the slot."""
        row = self.rows.get(at.DIMMER)
        if at.DIMMER not in self.names:
            return []

        found = self._group_masters(state, row)
        exempt = row is not None and row < self.rig.intensities
        if exempt and self.compiled.masters.exempt[row]:
            return found

        if state.masters.blackout:
            dark = WhyLayer(tr("blackout"), at.DIMMER, 0.0, wins=True, target=BLACKOUT)
            return [*found, dark]

        if state.masters.grand < 1.0:
            grand = state.masters.grand
            found.append(WhyLayer(tr("grand master"), at.DIMMER, grand, target=GRAND))

        return found

    def _group_masters(self, state: PlayState, row: int | None) -> list[WhyLayer]:
        """The group masters that reach the lamp: none where it is aside."""
        if self.fixture.id in state.aside:
            return []
        rows = self.compiled.masters.rows
        return [
            WhyLayer(
                tr("group master {name}", name=name_of(self.show, ref)),
                at.DIMMER,
                level,
                target=ref,
            )
            for master, level in state.masters.levels.items()
            if row in rows.get(master, ()) and (ref := Ref(MASTER, master))
        ]

    def _held(
        self, layers: list[WhyLayer], state: PlayState, now: float
    ) -> list[WhyLayer]:
        """The layers with the override faders that hold the lamp, which win where they
        alone count, or are the highest.
        """
        row = self.rows.get(at.DIMMER)
        for grip in state.masters.grips:
            held = self.compiled.masters.overrides.get(grip.id)
            weight = grip.held.at(now)
            if held is None or row not in held.rows or weight <= 0.0:
                continue

            ref = Ref(MASTER, grip.id)
            name = tr("override {name}", name=name_of(self.show, ref))
            over = WhyLayer(name, at.DIMMER, grip.level, weight, target=ref)
            wins = weight > 0.5 if held.alone else _height(over) >= _reached(layers)

            if wins:
                layers = [replace(layer, wins=False) for layer in layers]

            layers = [*layers, replace(over, wins=wins, replaces=held.alone)]

        return layers


def part_name(show: Show, part: TracePart) -> str:
    """Returns what a part of the light is called, and where it stands: “scene
    Mudlight”, “chase Buoys, step 2 of 4”, “draft”.
    """
    thing = thing_name(show, part)
    if part.source.kind in (DRAFT, ASIDE) or not part.place:
        return thing
    return in_a_row([thing, part.place])


def thing_name(show: Show, part: TracePart) -> str:
    """Returns what a part of the light is called: “scene Mudlight”, “draft”."""
    if part.source.kind == DRAFT:
        return tr("draft") if not part.source.id else tr("draft that was let go")
    if part.source.kind == ASIDE:
        return tr("aside")
    name = name_of(show, part.source)
    return tr("{kind} {name}", kind=term(part.source.kind), name=name)


def _ready_name(show: Show, state: PlayState, ready: Ready) -> str:
    """“ready for cue 13 of The Last Ferry”."""
    player = next((p for p in state.players if p.id == ready.player), None)
    stack = show.playables.get(player.ref.id) if player is not None else None
    cue = stack.cue(ready.cue) if isinstance(stack, Stack) else None
    if stack is None or cue is None:
        return tr("ready for the next cue")
    number = number_in_words(cue.number)
    return tr("ready for cue {number} of {stack}", number=number, stack=stack.name)


def _names(rig: Rig, fixture: Fixture, channel: Channel) -> list[str]:
    """The attributes that a channel's value comes from."""
    own = meanings(channel)
    names = [f"{at.RAW}{channel.key}", *own]
    if set(own) & {*at.ALL_EMITTERS, *at.FILTERS}:
        has = rig.where.get(fixture.id, {})
        names += [n for n in at.TARGET_COLOUR if n in has]
        names += [at.DIMMER] if _virtual(rig, fixture, own) else []
    return names


def _virtual(rig: Rig, fixture: Fixture, names: list[str]) -> bool:
    """Whether the channel is dimmed by what it mixes with, for want of a dimmer."""
    emits = bool(set(names) & {*at.ALL_EMITTERS})
    return emits and any(p.virtual for p in rig.parts if p.fixture == fixture.id)


def _at_home(channel: Channel) -> tuple[str, float]:
    span = channel.at(channel.home)
    if span is None:
        return f"{at.RAW}{channel.key}", float(channel.home)
    return span.attribute, span.value_at(channel.home)


def link_name(show: Show, value: Value | None) -> str:
    """Returns what a link leads to, in words: “palette Moon”, “mark Cello”; empty for
    plain values.
    """
    if not isinstance(value, str):
        return ""
    if value.startswith(links.POINT):
        return tr("a point in the room")
    ref = parse(value)
    if exists(show, ref):
        return tr("{kind} {name}", kind=term(ref.kind), name=name_of(show, ref))
    return tr("a {kind} that is gone", kind=term(ref.kind))


def _with_winners(layers: list[WhyLayer], traced: Trace) -> list[WhyLayer]:
    """Mark who wins each attribute: of levels the draft, else the highest; of all else
    whoever has the greatest part in what comes out. Raw values win over what the
    parameters make of the channel.
    """
    best: dict[str, int] = {}
    for i, layer in enumerate(layers):
        if layer.how:
            continue

        now = best.get(layer.attribute)
        if now is None or _beats(layer, layers[now]):
            best[layer.attribute] = i

    raw = [i for i, layer in enumerate(layers) if _drives_raw(layer)]
    wins = {raw[-1]} if raw else set(best.values())
    if len(wins) > 1:
        wins -= {i for i in wins if layers[i].source == HOME}

    return [replace(layer, wins=i in wins) for i, layer in enumerate(layers)]


def _drives_raw(layer: WhyLayer) -> bool:
    is_raw = layer.attribute.startswith(at.RAW)
    return is_raw and layer.source != HOME and layer.weight > 0


def _beats(layer: WhyLayer, other: WhyLayer) -> bool:
    """Whether a layer wins over one below it, of the same attribute."""
    if layer.weight <= 0:
        return False
    if other.source == HOME:
        return True
    if layer.attribute != at.DIMMER:
        return layer.weight >= other.weight
    if layer.replaces:
        return True
    return _height(layer) >= _height(other)


def _height(layer: WhyLayer) -> float:
    value = layer.value[0] if isinstance(layer.value, tuple) else layer.value
    return layer.weight * float(value or 0.0)


def _reached(layers: list[WhyLayer]) -> float:
    """How high the level is that layers come to."""
    level = max((_height(layer) for layer in layers if layer.wins), default=0.0)
    for layer in layers:
        if layer.target in (GRAND, BLACKOUT) or layer.source.startswith("group master"):
            level *= _height(layer)
    return level


def _past_all(
    fixture: Fixture, state: PlayState, now: float, slot: int
) -> Iterator[WhyLayer]:
    """What goes past all layers for a while: a lamp that blinks, bytes sent on
    purpose.
    """
    asked = state.identify
    if asked and fixture.id in asked.fixtures and now < asked.until:
        yield WhyLayer(tr("identify: it blinks"), "", 1.0, wins=True)

    for sent in state.sent:
        place = slot - sent.address
        if sent.universe == fixture.universe and 0 <= place < len(sent.slots):
            byte = float(sent.slots[place])
            yield WhyLayer(tr("sent on purpose"), "", byte, wins=True)


def _of_desk(desk: Outside) -> WhyLayer:
    """What another desk lays over a universe."""
    name = desk.name or tr("another desk")
    if desk.how == Merge.HIGHEST:
        text = tr("{desk}, another desk, where its levels are higher", desk=name)
        return WhyLayer(text, "", 1.0)
    text = tr("{desk}, another desk over all of it", desk=name)
    return WhyLayer(text, "", 1.0, wins=True)


def _over_all(
    layers: list[WhyLayer], fixture: Fixture, state: PlayState, now: float, slot: int
) -> list[WhyLayer]:
    """The layers with what goes past all of them; the last of these wins alone."""
    above = [
        *_past_all(fixture, state, now, slot),
        *(
            _of_desk(desk)
            for desk in state.outside
            if desk.universe == fixture.universe
        ),
    ]
    found = [*layers, *above]
    dark = bool(layers) and layers[-1].target == BLACKOUT
    if not above and not dark:
        return found

    last = len(found) - 1
    return [replace(layer, wins=n == last) for n, layer in enumerate(found)]
