"""A printed channel table, as it is typed: each name becomes a channel, with the
meaning that such a name has.
"""

from __future__ import annotations

import re

from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.fixture_type import Channel, FixtureType

MOST_BYTES = 3  # that a channel has

_NUMBER = re.compile(
    r"^\s*(?:ch(?:annel)?\.?\s*)?\d+(?:\s*[-–]\s*\d+)?\s*[:.)\t ]\s*(?=\D)",
    re.IGNORECASE,
)
_BYTES = re.compile(r"\s*\(?\b(16|24)(?:\s*-?\s*bits?)?\)?$", re.IGNORECASE)
_FINE = re.compile(
    r"\s*[,(]?\s*\b(?:ultra\s*-?\s*)?(?:fine|lsb|low byte)\)?$", re.IGNORECASE
)
_NOISE = re.compile(
    r"\b(?:dmx|control|adjust(?:ment)?|function|value|coarse|msb|led|leds|linear|continuous)\b"
)


def meant_by(words: str) -> str:
    """The attribute that a channel of this name is likely to be; `NoFeature` where
    nothing is likely.

    A number at the end chooses the second wheel and so on: `gobo 2`.
    """
    plain = re.sub(r"[^\w\s&/]+", " ", words.lower()).replace("color", "colour")
    plain = re.sub(r"\s*/\s*", "/", plain)
    number = re.search(r"\s(\d)$", plain)
    plain = plain[: number.start()] if number else plain

    for text in (plain, _NOISE.sub(" ", plain)):
        found = at.alias(" ".join(text.split()))
        if found:
            name = found.replace("(n)", number.group(1) if number else "1")
            return name if at.known(name) else found

    return at.NOTHING


def names_in(text: str) -> list[str]:
    """The names in what was typed or pasted: parted by commas, semicolons or lines,
    without their slot numbers and without what stands in further columns.
    """
    parts = (
        _NUMBER.sub("", part).strip()
        for part in re.split(r"[,;\n\r\u2028\u2029]+", text)
    )
    return [part.split("\t")[0].strip() for part in parts if part]


def add_named(
    kind: FixtureType, mode_name: str, text: str
) -> tuple[FixtureType, list[str]]:
    """Add channels by their names at the end of a mode; returns the type and the keys
    of the channels.

    `Pan 16 bit` takes two slots. `Pan fine` gives the channel called Pan its next byte.
    A name that the type has already, and this mode not, puts that channel into the
    mode.
    """
    keys: list[str] = []
    for name in names_in(text):
        if kind.mode(mode_name) is None:
            break

        finer = _finer(kind, mode_name, name)
        kind, key = finer if finer is not None else _named(kind, mode_name, name)
        keys.append(key)

    return kind, keys


def _called(kind: FixtureType, name: str) -> Channel | None:
    """The channel of a name, in whatever case."""
    known = {channel.label.lower(): channel for channel in kind.channels}
    return known.get(name.strip().lower())


def _finer(
    kind: FixtureType, mode_name: str, name: str
) -> tuple[FixtureType, str] | None:
    """The type in which a channel has one byte more, where a name says so."""
    fine = _FINE.search(name)
    coarse = _called(kind, name[: fine.start()]) if fine else None
    mode = kind.mode(mode_name)

    if coarse is None or mode is None:
        return None

    uses = [n for n, use in enumerate(mode.uses) if use.channel == coarse.key]
    if not uses or len(mode.uses[uses[-1]].slots) >= MOST_BYTES:
        return None

    slots = (*mode.uses[uses[-1]].slots, mode.footprint + 1)
    made = type_edits.set_slots(mode, uses[-1], slots)
    return type_edits.put_mode(kind, mode_name, made), coarse.key


def _named(kind: FixtureType, mode_name: str, name: str) -> tuple[FixtureType, str]:
    """The type in which a mode has a channel more, and that channel's key."""
    bytes_ = _BYTES.search(name)
    count = int(bytes_.group(1)) // 8 if bytes_ else 1
    name = name[: bytes_.start()].strip() if bytes_ else name
    known, mode = _called(kind, name), kind.mode(mode_name)
    used = {use.channel for use in mode.uses} if mode else set()

    if known is not None and known.key not in used:
        key = known.key
    else:
        kind, key = type_edits.add_channel(kind, name, meant_by(name))

    mode = kind.mode(mode_name)
    assert mode is not None
    made = type_edits.add_use(mode, key, count)

    return type_edits.put_mode(kind, mode_name, made), key
