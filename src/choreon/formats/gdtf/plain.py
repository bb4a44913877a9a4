"""A description with all that can be said in two ways said in one: no namespace, no
byte-shifted values, no references to geometry, every channel with its home.

The standard is DIN SPEC 15800 (GDTF 1.2).
"""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Iterable
from xml.etree.ElementTree import Element

from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.show import SLOTS

UNMOVED = "{1,0,0,0}{0,1,0,0}{0,0,1,0}{0,0,0,1}"
MOST_CHANNELS = 20_000  # of all modes, those of repeated parts counted each
VALUES = ("Default", "Highlight", "DMXFrom")
Note = Callable[[str], None]


def make_plain(root: Element, name: str, note: Note) -> None:
    """Say everything in `root` one way. `note` is told what was left out. Raises
    FormatError.
    """
    for element in root.iter():
        element.tag = element.tag.rpartition("}")[2]
    templates = {
        geometry.get("Name", ""): geometry
        for geometry in root.findall(".//Geometries/*")
    }

    modes = root.findall(".//DMXMode")
    for mode in modes:
        _leave_out_impossible(mode, name, note)
        for channel in mode.iter("DMXChannel"):
            _unshift(channel)
        homes = {_name_of(c): c for c in mode.iter("DMXChannel")}
        for channel in mode.iter("DMXChannel"):
            _give_home(channel)
        for channel in mode.iter("DMXChannel"):
            _settle_masters(channel, homes, note)

    _Expansion(templates, name, note).of_all(modes)


def _leave_out_impossible(mode: Element, name: str, note: Note) -> None:
    """Channels on slots that there are not: slots count from 1."""
    channels = mode.find("DMXChannels")
    for channel in list(channels if channels is not None else ()):
        for number in _numbers(channel):
            if len(number) > 6 or int(number) > SLOTS:
                raise FormatError(
                    tr(
                        "{name} puts a channel on slot {number}; a universe has "
                        "{slots}.",
                        name=name,
                        number=number[:12],
                        slots=SLOTS,
                    )
                )
        wrong = [number for number in _numbers(channel) if int(number) < 1]
        if wrong and channels is not None:
            channels.remove(channel)
            note(
                tr(
                    "{mode}: {name} is on slot {wrong}, which does not exist (slots "
                    "count from 1); it was left out.",
                    mode=mode.get("Name"),
                    name=_name_of(channel),
                    wrong=wrong[0],
                )
            )


def _numbers(channel: Element) -> list[str]:
    return re.findall(r"-?\d+", channel.get("Offset") or "")


def _name_of(channel: Element) -> str:
    """What links call a channel: its geometry and its first attribute."""
    logical = channel.find("LogicalChannel")
    attribute = logical.get("Attribute", "") if logical is not None else ""
    return f"{channel.get('Geometry', '')}_{attribute}"


def _functions(channel: Element) -> list[Element]:
    return list(channel.iter("ChannelFunction"))


# values


def _unshift(channel: Element) -> None:
    """Byte-shifted values (“128/1s”) as plain ones of the channel's own bytes: what is
    missing below is nought, not a repetition.
    """
    count = max(1, len(_numbers(channel)))
    for element in channel.iter():
        for key in VALUES:
            found = _SHIFTED.fullmatch(element.get(key, ""))
            if found:
                number, size = int(found[1]), max(1, min(8, int(found[2])))
                number <<= 8 * max(0, count - size)
                number >>= 8 * max(0, size - count)
                element.set(key, f"{number}/{count}")


_SHIFTED = re.compile(r"\s*(\d+)/(\d)s\s*")


def raw_value(text: str | None, count: int) -> int:
    """A value (“128/1”) in `count` bytes; its bytes are repeated where it has fewer."""
    found = re.fullmatch(r"\s*(\d+)/(\d)(s?)\s*", text or "")
    if not found:
        return 0
    size = max(1, min(8, int(found[2])))
    number = min(256**size - 1, int(found[1]))
    if size >= count:
        return number >> 8 * (size - count)
    if found[3]:
        return number << 8 * (count - size)
    data = number.to_bytes(size, "big")
    return int.from_bytes((data * count)[:count], "big")


def _give_home(channel: Element) -> None:
    """Where nothing says which function a channel begins with, it is the first."""
    if channel.get("Default") is not None:
        return
    functions = _functions(channel)
    linked = channel.get("InitialFunction", "").rpartition(".")[2]
    named = [f for f in functions if f.get("Name") == linked]
    for function in (named or functions)[:1]:
        channel.set("Default", function.get("Default", "0/1"))


# functions that depend on other channels


def _settle_masters(channel: Element, channels: dict[str, Element], note: Note) -> None:
    """Of functions that depend on another channel, keep those that hold while that one
    is at its home.
    """
    for logical in channel.iter("LogicalChannel"):
        functions = logical.findall("ChannelFunction")
        dependent = [f for f in functions if f.get("ModeMaster")]
        if not dependent:
            continue
        always = [f for f in functions if not f.get("ModeMaster")]
        if any(f.get("Attribute") != at.NOTHING for f in always):
            note(
                tr(
                    "{name}: {n} functions depend on another channel and were left "
                    "out.",
                    name=_name_of(channel),
                    n=len(dependent),
                )
            )
            kept = always
        else:
            kept = _at_home(channel, dependent, channels, note)
        for function in functions:
            function.attrib.pop("ModeMaster", None)
            if function not in kept:
                logical.remove(function)


def _at_home(
    channel: Element,
    dependent: list[Element],
    channels: dict[str, Element],
    note: Note,
) -> list[Element]:
    """The functions that hold while the master is at home; where none does, the first
    that go together.
    """
    holds = [f for f in dependent if _holds(f, channels)] or dependent
    first = _condition(holds[0])
    low, high = (text.partition("/")[0] for text in first[1:])
    note(
        tr(
            "{name} depends on another channel: it is read as it is while {first} "
            "is at {low}…{high}.",
            name=_name_of(channel),
            first=first[0],
            low=low,
            high=high,
        )
    )
    return [f for f in dependent if _condition(f) == first]


def _condition(function: Element) -> tuple[str, str, str]:
    return (
        function.get("ModeMaster", ""),
        function.get("ModeFrom", "0/1"),
        function.get("ModeTo", "0/1"),
    )


def _holds(function: Element, channels: dict[str, Element]) -> bool:
    """Whether a function's condition is met with its master at home. A master is a
    channel, or one function of a channel.
    """
    master, low, high = _condition(function)
    channel = channels.get(master)
    within = ""
    for name, other in channels.items():
        if channel is None and master.startswith(f"{name}."):
            channel, within = other, master.rpartition(".")[2]

    if channel is None:
        return False
    count = max(1, len(_numbers(channel)))
    home = raw_value(channel.get("Default"), count)

    if within:
        begins = sorted(
            (raw_value(f.get("DMXFrom"), count), f.get("Name", ""))
            for f in _functions(channel)
        )
        stands = [name for begin, name in begins if begin <= home][-1:]
        if stands != [within]:
            return False

    return raw_value(low, count) <= home <= raw_value(high, count)


# parts that are described once and used often


class _Expansion:
    """Puts the geometry that references stand for in their places, and gives each its
    channels.
    """

    def __init__(self, templates: dict[str, Element], name: str, note: Note) -> None:
        self.templates = {key: copy.deepcopy(one) for key, one in templates.items()}
        self.tops, self.name, self.note = templates, name, note
        self.made = 0

    def of_all(self, modes: Iterable[Element]) -> None:
        """Expand every mode."""
        placed: dict[str, list[_Placed]] = {}
        for mode in modes:
            top = mode.get("Geometry", "")
            geometry = self.tops.get(top)
            if geometry is None and len(self.tops) == 1:
                geometry = next(iter(self.tops.values()))
                top = geometry.get("Name", "")
            if geometry is None:
                continue
            if top not in placed:
                placed[top] = []
                self._expand(geometry, {}, placed[top], (top,))
            self._channels(mode, placed[top])

    def _expand(
        self,
        geometry: Element,
        shift: dict[str, int],
        placed: list[_Placed],
        within: tuple[str, ...],
    ) -> None:
        """Replace the references within a geometry; note in `placed` what the parts
        within each are called now, and how far its channels are moved. `within`: the
        descriptions that it is part of.
        """
        for place, child in enumerate(list(geometry)):
            if child.tag != "GeometryReference":
                self._expand(child, shift, placed, within)
                continue
            wanted = child.get("Geometry", "")
            template = self.templates.get(wanted)
            if template is None:
                continue
            if wanted in within:
                self.note(
                    tr(
                        "The part {wanted} contains itself; that was left out.",
                        wanted=wanted,
                    )
                )
                continue
            breaks = _breaks(child)
            own = {b: shift.get(b, 0) + offset for b, offset in breaks.items()}
            part = copy.deepcopy(template)
            names = {}
            name = child.get("Name", "")
            for inner in _inside(part):
                old = inner.get("Name", "")
                names[old] = name if inner is part else f"{name} {old}"
                inner.set("Name", names[old])
            part.set("Position", child.get("Position", UNMOVED))
            geometry[place] = part
            placed.append(_Placed(names, own, next(reversed(breaks), "1")))
            self._count(sum(1 for _ in part.iter()))
            self._expand(part, own, placed, (*within, wanted))

    def _channels(self, mode: Element, placed: list[_Placed]) -> None:
        """Give each place of a part the channels that its description has."""
        channels = mode.find("DMXChannels")
        if channels is None:
            return

        for part in placed:
            for channel in list(channels):
                new = part.names.get(channel.get("Geometry", ""))
                if new is None or channel.get("Placed"):
                    continue
                made = part.channel(channel, new)
                channels.append(made)
                self._count(1)

        used = {old for part in placed for old in part.names}
        for channel in list(channels):
            placed_here = channel.attrib.pop("Placed", "")
            if not placed_here and channel.get("Geometry", "") in used:
                channels.remove(channel)

    def _count(self, more: int) -> None:
        self.made += more
        if self.made > MOST_CHANNELS:
            raise FormatError(
                tr(
                    "{name} multiplies its parts and channels beyond {most}; that is "
                    "not a real lamp.",
                    name=self.name,
                    most=MOST_CHANNELS,
                )
            )


class _Placed:
    """A described part in one of its places: what the geometry in it is called there,
    and how many slots each break is moved by.
    """

    def __init__(self, names: dict[str, str], shift: dict[str, int], last: str) -> None:
        self.names, self.shift, self.last = names, shift, last

    def channel(self, channel: Element, geometry: str) -> Element:
        """Returns the channel as it is in this place."""
        made = copy.deepcopy(channel)
        made.set("Geometry", geometry)
        made.set("Placed", "yes")
        number = channel.get("DMXBreak", "1")
        if number == "Overwrite":
            number = self.last
            made.set("DMXBreak", number)
        moved = [int(n) + self.shift.get(number, 0) for n in _numbers(channel)]
        if moved:
            made.set("Offset", ",".join(map(str, moved)))
        return made


def _inside(geometry: Element) -> list[Element]:
    """A geometry and all within it that has a name of its own."""
    return [e for e in geometry.iter() if e.get("Name") is not None]


def _breaks(reference: Element) -> dict[str, int]:
    """How many slots each break of a reference is moved by, in their order."""
    found = {}
    for one in reference.findall("Break"):
        address = one.get("DMXOffset", "1").rpartition(".")[2]
        number = one.get("DMXBreak", "1")
        found[number] = (int(address) if address.strip().isdigit() else 1) - 1
    return found
