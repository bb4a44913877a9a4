"""A printed channel table, as it is typed: each name becomes a channel, with the
meaning that such a name has.
"""

from __future__ import annotations

import re

from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.fixture_type import FixtureType

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
    """Add channels by their names at the end of a mode; gives the type and the keys of
    the channels.

    `Pan 16 bit` takes two slots. `Pan fine` gives the channel called Pan its next byte.
    A name that the type has already, and this mode not, puts that channel into the
    mode.
    """
    keys: list[str] = []
    for name in names_in(text):
        mode = kind.mode(mode_name)
        if mode is None:
            break
        fine = _FINE.search(name)
        by_name = {c.label.lower(): c for c in kind.channels}
        coarse = by_name.get(name[: fine.start()].strip().lower()) if fine else None
        if coarse is not None:
            index = max(
                (i for i, u in enumerate(mode.uses) if u.channel == coarse.key),
                default=-1,
            )
            if index >= 0 and len(mode.uses[index].slots) < 3:
                slots = (*mode.uses[index].slots, mode.footprint + 1)
                kind = type_edits.put_mode(
                    kind, mode_name, type_edits.set_slots(mode, index, slots)
                )
                keys.append(coarse.key)
                continue
        bytes_ = _BYTES.search(name)
        count = int(bytes_.group(1)) // 8 if bytes_ else 1
        name = name[: bytes_.start()].strip() if bytes_ else name
        known = by_name.get(name.lower())
        if known is not None and all(u.channel != known.key for u in mode.uses):
            key = known.key
        else:
            kind, key = type_edits.add_channel(kind, name, meant_by(name))
        made = kind.mode(mode_name)
        assert made is not None
        kind = type_edits.put_mode(
            kind, mode_name, type_edits.add_use(made, key, count)
        )
        keys.append(key)
    return kind, keys
