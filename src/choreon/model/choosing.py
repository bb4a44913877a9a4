"""Choosing fixtures and putting them in order: what typed words mean, every nth,
mirrored, sorted by place.
"""

from __future__ import annotations

import random
import re
from collections.abc import Sequence

from choreon.model.show import Fixture, Show

Ids = tuple[str, ...]


def every(ids: Sequence[str], step: int, first: int = 1) -> Ids:
    """Every `step`th, counted from the `first`th (from 1)."""
    return tuple(ids[max(0, first - 1) :: max(1, step)])


def inverted(show: Show, chosen: Sequence[str]) -> Ids:
    """All that are not chosen, in the order in which they hang."""
    return tuple(i for i in show.fixtures if i not in set(chosen))


def alike(show: Show, chosen: Sequence[str]) -> Ids:
    """All fixtures of the types of those chosen."""
    kinds = {show.fixtures[i].type for i in chosen if i in show.fixtures}
    return tuple(i for i, f in show.fixtures.items() if f.type in kinds)


def turned(ids: Sequence[str]) -> Ids:
    """The order from the other end."""
    return tuple(reversed(ids))


def mirrored(ids: Sequence[str]) -> Ids:
    """From the ends to the middle: first, last, second, last but one …"""
    half = (len(ids) + 1) // 2
    pairs = zip(ids[:half], reversed(ids), strict=False)
    return tuple(dict.fromkeys(i for pair in pairs for i in pair))


def shuffled(ids: Sequence[str], seed: int) -> Ids:
    """A random order, the same for the same seed."""
    made = list(ids)
    random.Random(seed).shuffle(made)
    return tuple(made)


def by_place(show: Show, ids: Sequence[str]) -> Ids:
    """From audience left to right; above each other from downstage to up, then from
    below.
    """

    def key(i: str) -> tuple[float, float, float]:
        place = show.fixtures[i].place
        return round(place.x, 2), round(place.y, 2), round(place.z, 2)

    return tuple(sorted((i for i in ids if i in show.fixtures), key=key))


def next_of(ids: Sequence[str], alone: str | None, step: int) -> str | None:
    """The one of a choice that comes after `alone`, or before it; round and round."""
    if not ids:
        return None
    if alone is None or alone not in ids:
        return ids[0] if step > 0 else ids[-1]
    return ids[(list(ids).index(alone) + step) % len(ids)]


_RANGE = re.compile(r"(\d+)(?:\s*[-–]\s*(\d+))?")


def typed(show: Show, words: str, chosen: Sequence[str] = ()) -> Ids | None:
    """The fixtures that typed words mean; None where they mean none.

    A term names short names, fixtures or a group, and may pick among them: `par`,
    `par3`, `par 1-4 7`, `spot odd`, `dots every 3`, `front 2-`. `+` joins terms, `-`
    before one takes it away; a text that begins so starts from those chosen. Numbers
    alone are fixture numbers. `all`, `none`, `invert` stand for themselves.
    """
    text = words.strip().lower()
    parts = re.split(r"\s*([+,]|(?:^|\s)-(?=\s*[a-z]))\s*", text)
    found: list[str] = []
    sign = "+"
    begun = False
    for part in parts:
        part = part.strip()
        if part in ("+", ",", "-"):
            if not begun:
                found = list(chosen)
            sign = part
        elif part:
            term = _term(show, part, chosen)
            if term is None:
                return None
            begun = True
            if sign == "-":
                found = [i for i in found if i not in term]
            else:
                found += [i for i in term if i not in found]
    return tuple(found) if begun else None


def _term(show: Show, text: str, chosen: Sequence[str]) -> Ids | None:
    if text in ("all", "none", "invert"):
        return {
            "all": tuple(show.fixtures),
            "none": (),
            "invert": inverted(show, chosen),
        }[text]
    for fixture in show.fixtures.values():
        if text in (fixture.short.lower(), fixture.name.lower()):
            return (fixture.id,)
    match = re.match(
        r"^(.*?)\s*(odd|even|every\s+\d+|(?:\d+(?:\s*[-–]\s*\d*)?[\s]*)*)$", text
    )
    name, pick = (
        (match.group(1).strip(), match.group(2).strip()) if match else (text, "")
    )
    pool = _named(show, name)
    if not pool:
        return None
    picked = _pick(show, pool, pick, by_number=not name)
    return picked or None


def _named(show: Show, name: str) -> Ids:
    """Those that a name means: all of a short name's stem, of a group, or whose names
    begin so.
    """
    if not name:
        return tuple(show.fixtures)
    for same in (True, False):
        for group in show.groups.values():
            if group.name.lower() == name or (
                not same and group.name.lower().startswith(name)
            ):
                return tuple(i for i in group.fixtures if i in show.fixtures)
        stems = {
            i: re.sub(r"\d+$", "", f.short.lower()) for i, f in show.fixtures.items()
        }
        found = tuple(
            i
            for i, stem in stems.items()
            if stem == name or (not same and stem.startswith(name))
        )
        if found:
            return found
        if not same:
            return tuple(
                i for i, f in show.fixtures.items() if f.name.lower().startswith(name)
            )
    return ()


def _pick(show: Show, pool: Ids, pick: str, by_number: bool) -> Ids:
    if not pick:
        return pool
    if pick in ("odd", "even"):
        return every(pool, 2, 1 if pick == "odd" else 2)
    if pick.startswith("every"):
        return every(pool, int(pick.split()[1]))
    found: list[str] = []
    count = {i: _count(show.fixtures[i], n, by_number) for n, i in enumerate(pool, 1)}
    for first, last in re.findall(r"(\d+)(\s*[-–]\s*\d*)?", pick):
        low = int(first)
        digits = re.sub(r"\D", "", last)
        high = int(digits) if digits else (10**6 if last else low)
        low, high = min(low, high), max(low, high)
        found += [i for i, n in count.items() if low <= n <= high and i not in found]
    return tuple(found)


def _count(fixture: Fixture, n: int, by_number: bool) -> int:
    """How a fixture is counted: by its number, or by the number at the end of its short
    name.
    """
    if by_number:
        return fixture.number
    match = re.search(r"(\d+)$", fixture.short)
    return int(match.group(1)) if match else n
