"""What a group can do in steps, without a palette being made of it: the gobos and
prisms of its heads, the marks that they can aim at, its zoom narrow to wide, strobe at
a few rates.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import givens, links
from choreon.model.fixture_type import Channel, FixtureType, Range, Slot
from choreon.model.lamps import fixtures_of
from choreon.model.patch import mode_of
from choreon.model.playables import Given
from choreon.model.playables.given import lamps_of
from choreon.model.refs import Ref, name_of
from choreon.model.show import Mark, Show
from choreon.model.tiles import Choice, DarkChange, parts
from choreon.model.values import Value

WHEELS = ("Gobo1", "Gobo2", "Gobo3", "AnimationWheel1", "Prism1", "Prism2")
ZOOM = "Zoom"
AIM = "aim"  # at marks: pan and tilt together
RATES = (1.0, 3.0, 6.0, 10.0)  # strobes a second; no strip strobes faster
ZOOMS = (0.0, 0.5, 1.0)  # shares of the way from narrow to wide


class Stop(NamedTuple):
    """One step: its name, and the values that it gives."""

    name: str
    values: dict[str, Value]


class Known(NamedTuple):
    """A span of an attribute, with the type and the channel that it is of."""

    kind: FixtureType
    channel: Channel
    span: Range


def stops_of(show: Show, lamps: Ref) -> dict[str, list[Stop]]:
    """Returns what a group can do in steps, by attribute: each of two steps or more,
    as the type that most of the group are of has them.
    """
    found: dict[str, list[Stop]] = {}
    for attribute in (*WHEELS, ZOOM, at.STROBE):
        stops = _stops(list(_spans(show, lamps, attribute)), attribute)
        if len(stops) > 1:
            found[attribute] = stops

    if at.STROBE in found:
        found[at.STROBE] = _with_shutter(show, lamps, found[at.STROBE])

    marks = _marks(show)
    if marks and any(_spans(show, lamps, at.PAN)):
        found[AIM] = [Stop(m.name, links.aim(links.to_mark(m.id))) for m in marks]
    return found


def _marks(show: Show) -> list[Mark]:
    """The marks that no palette aims at: where one does, that is offered."""
    aimed = {
        link
        for palette in show.palettes.values()
        if palette.family == at.Family.POSITION
        for link in links.links_in({"": palette.values, **palette.each})
    }
    return [m for m in show.marks.values() if links.to_mark(m.id) not in aimed]


def label_of(attribute: str) -> str:
    """What a strip of steps is called."""
    return tr("Aim") if attribute == AIM else at.attribute(attribute).label


def _spans(show: Show, lamps: Ref, attribute: str) -> Iterator[Known]:
    """The spans of an attribute, of the type that most of a group are of that have it;
    nothing that nothing may choose by itself.
    """
    having: Counter[tuple[str, str]] = Counter()
    own: dict[tuple[str, str], list[Known]] = {}
    for lamp in fixtures_of(show, [lamps]):
        fixture = show.fixtures.get(lamp)
        mode = None if fixture is None else mode_of(show.types, fixture)
        if fixture is None or mode is None:
            continue
        key = (fixture.type, fixture.mode)
        if key not in own:
            kind = show.types[fixture.type]
            own[key] = [
                Known(kind, channel, span)
                for _, channel in kind.used(mode)
                for span in channel.ranges
                if span.attribute == attribute and not span.on_purpose
            ]
        if own[key]:
            having[key] += 1

    if having:
        most, _ = having.most_common(1)[0]
        yield from own[most]


def _stops(spans: Sequence[Known], attribute: str) -> list[Stop]:
    if attribute in WHEELS:
        return _of_wheel(spans, attribute)

    lows = [min(known.span.low, known.span.high) for known in spans]
    highs = [max(known.span.low, known.span.high) for known in spans]
    if not spans:
        return []
    low, high = min(lows), max(highs)
    if attribute == ZOOM:
        values = [low + share * (high - low) for share in ZOOMS]
        return [
            Stop(tr("{angle:.0f}°", angle=value), {ZOOM: value})
            for value in dict.fromkeys(values)
        ]

    rates = [rate for rate in RATES if low <= rate <= high]
    return [Stop(tr("{rate:g} Hz", rate=rate), {at.STROBE: rate}) for rate in rates]


def _of_wheel(spans: Sequence[Known], attribute: str) -> list[Stop]:
    """Every slot of a wheel that it stops at."""
    found: dict[float, Stop] = {}
    for known in spans:
        span = known.span
        if not span.discrete or span.slot >= 0 or span.low in found:
            continue
        slot = slot_at(known, span.low)
        number = tr("Slot {n:.0f}", n=span.low)
        name = span.name or (slot.name if slot is not None else number)
        found[span.low] = Stop(name, {attribute: span.low})
    return list(found.values())


def slot_at(known: Known, value: float) -> Slot | None:
    """The slot of its channel's wheel that a value stands for."""
    wheel = known.kind.wheel(known.channel.wheel) if known.channel.wheel else None
    if wheel is None or not 0 <= int(value) < len(wheel.slots):
        return None
    return wheel.slots[int(value)]


def _with_shutter(show: Show, lamps: Ref, stops: Sequence[Stop]) -> list[Stop]:
    """A shutter that strobes is open, where one can say so."""
    if not any(_spans(show, lamps, at.SHUTTER)):
        return list(stops)
    opened: dict[str, Value] = {at.SHUTTER: 1.0}
    return [Stop(name, opened | values) for name, values in stops]


def slot_given(show: Show, given: Given) -> Slot | None:
    """The slot of a wheel that a group is given, where it is one that has a picture."""
    attribute = next((name for name in given.values if name in WHEELS), "")
    value = given.values.get(attribute)
    if not isinstance(value, float | int):
        return None

    for lamp in lamps_of(show, given)[:1]:
        for known in _spans(show, Ref("fixture", lamp), attribute):
            slot = slot_at(known, float(value))
            if slot is not None:
                return slot
    return None


def strips_for(
    show: Show, lamps: Ref, in_the_dark: bool = False
) -> tuple[Show, list[Choice]]:
    """A show with what a group can do in steps, and a strip of it for each attribute.
    `in_the_dark`: pictures are changed while the heads are dark.
    """
    made = []
    for attribute, stops in stops_of(show, lamps).items():
        refs = []
        label = label_of(attribute)
        for stop in stops:
            called = tr("{what} {stop}", what=label, stop=stop.name)
            show, ref = givens.give_values(show, lamps, called, stop.values)
            refs.append(ref)

        dark = in_the_dark and attribute in WHEELS
        strip = Choice(
            id="",
            name=label,
            plays=parts(*refs),
            names=tuple(stop.name for stop in stops),
            change=DarkChange() if dark else None,
        )
        made.append(strip)
    return show, made


def title(show: Show, lamps: Ref, strip: Choice) -> str:
    """What a strip is called where the group is not said beside it."""
    group = name_of(show, lamps)
    return tr("{group}: {what}", group=group, what=strip.name)
