"""Choosing fixtures and putting them in order: what typed words mean, every nth,
mirrored, sorted by place.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable, Sequence

from choreon.model.show import Fixture, Show

Ids = tuple[str, ...]

SIGNS = ("+", ",", "-")  # between terms
NO_END = 10**6  # “3-” goes on for ever


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


def typed(show: Show, words: str, chosen: Sequence[str] = ()) -> Ids | None:
    """Returns the fixtures that typed words mean; None where they mean none.

    A term names short names, fixtures or a group, and may pick among them: `par`,
    `par3`, `par 1-4 7`, `spot odd`, `dots every 3`, `front 2-`. `+` joins terms, `-`
    before one takes it away; a text that begins so starts from those chosen. Numbers
    alone are fixture numbers. `all`, `none`, `invert` stand for themselves.
    """
    text = words.strip().lower()
    split = re.split(r"\s*([+,]|(?:^|\s)-(?=\s*[a-z]))\s*", text)
    parts = [part.strip() for part in split if part.strip()]
    begins_with_sign = bool(parts) and parts[0] in SIGNS
    found = dict.fromkeys(chosen) if begins_with_sign else {}

    sign, begun = "+", False
    for part in parts:
        if part in SIGNS:
            sign = part
            continue

        term = _term(show, part, chosen)
        if term is None:
            return None

        begun = True
        if sign == "-":
            found = {i: None for i in found if i not in term}
        else:
            found |= dict.fromkeys(term)

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
    begin so. What is called so goes before what begins so.
    """
    if not name:
        return tuple(show.fixtures)
    return (
        _grouped(show, lambda word: word == name)
        or _stemmed(show, lambda word: word == name)
        or _grouped(show, lambda word: word.startswith(name))
        or _stemmed(show, lambda word: word.startswith(name))
        or tuple(i for i, f in show.fixtures.items() if f.name.lower().startswith(name))
    )


def _grouped(show: Show, meant: Callable[[str], bool]) -> Ids:
    """Those of the first group whose name is meant."""
    for group in show.groups.values():
        if meant(group.name.lower()):
            return tuple(i for i in group.fixtures if i in show.fixtures)
    return ()


def _stemmed(show: Show, meant: Callable[[str], bool]) -> Ids:
    """Those whose short name, without its number, is meant."""
    return tuple(
        i
        for i, fixture in show.fixtures.items()
        if meant(re.sub(r"\d+$", "", fixture.short.lower()))
    )


def _pick(show: Show, pool: Ids, pick: str, by_number: bool) -> Ids:
    """Those of a pool that words like `odd`, `every 3` or `1-4 7` pick."""
    if not pick:
        return pool
    if pick in ("odd", "even"):
        return every(pool, 2, 1 if pick == "odd" else 2)
    if pick.startswith("every"):
        return every(pool, int(pick.split()[1]))
    found: dict[str, None] = {}
    counts = {i: _count(show.fixtures[i], n, by_number) for n, i in enumerate(pool, 1)}
    for first, last in re.findall(r"(\d+)(\s*[-–]\s*\d*)?", pick):
        low, high = _span(first, last)
        found |= dict.fromkeys(i for i, count in counts.items() if low <= count <= high)
    return tuple(found)


def _span(first: str, last: str) -> tuple[int, int]:
    """The numbers that `3`, `3-5` or `3-` mean, the lowest first."""
    low = int(first)
    digits = re.sub(r"\D", "", last)
    high = int(digits) if digits else low
    if last and not digits:
        high = NO_END
    return min(low, high), max(low, high)


def _count(fixture: Fixture, n: int, by_number: bool) -> int:
    """How a fixture is counted: by its number, or by the number at the end of its short
    name.
    """
    if by_number:
        return fixture.number
    match = re.search(r"(\d+)$", fixture.short)
    return int(match.group(1)) if match else n
