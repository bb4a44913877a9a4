"""What a cue plays, as it is typed and shown in a list: “Mudlight, Haze 40%”."""

from __future__ import annotations

import re

from choreon.language import in_a_row, listed, tr
from choreon.model.cue_words import NotUnderstood
from choreon.model.playables.stack import Cue
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.model.tiles import Part

LEVEL = re.compile(r"^(.*?)(?:\s+@?(\d+(?:[.,]\d+)?)\s*%)$")


def plays_in_words(show: Show, cue: Cue) -> str:
    """Returns what a cue plays as it could be typed."""
    parts = [_part_in_words(show, part) for part in cue.plays]
    return ", ".join(parts)


def plays_for_show(show: Show, cue: Cue) -> str:
    """Returns what a cue plays as it is seen, in the words of the surroundings."""
    parts = []
    for part in cue.plays:
        name = name_of(show, part.ref)
        level = round(100.0 * part.level)
        full = part.level == 1.0
        parts.append(name if full else tr("{name} {level} %", name=name, level=level))
    return in_a_row(parts)


def _part_in_words(show: Show, part: Part) -> str:
    name = name_of(show, part.ref)
    return name if part.level == 1.0 else f"{name} {round(100.0 * part.level)}%"


def parse_plays(
    show: Show, text: str, before: tuple[Part, ...], but: Ref
) -> tuple[Part, ...]:
    """Read names of what plays, with levels where they are not full. What was there
    `before` keeps its families. The stack itself, `but`, cannot be meant. Raises
    NotUnderstood.
    """
    known = {part.ref: part for part in before}
    parts = []
    unknown = []

    for words in _names(show, text):
        name, level = words, 1.0
        found = LEVEL.match(words)
        ref = _called(show, words, but)
        if ref is None and found is not None:
            name, level = found.group(1), _level(found.group(2))
            ref = _called(show, name, but)

        if ref is None:
            unknown.append(words)
            continue

        part = known.get(ref, Part(ref))
        parts.append(Part(ref, level, part.only))

    if unknown:
        raise NotUnderstood(
            tr(
                "Nothing that plays is called {names}; the cue stays as it was.",
                names=listed([f"“{name}”" for name in unknown], 3),
            )
        )
    return tuple(parts)


def _names(show: Show, text: str) -> list[str]:
    """The names in a text, between commas or pluses; a whole name may hold these."""
    if _called(show, text.strip(), Ref("", "")) is not None:
        return [text.strip()]
    parts = re.split(r"[,;+]", text)
    return [part.strip() for part in parts if part.strip()]


def _level(text: str) -> float:
    return min(100.0, float(text.replace(",", "."))) / 100.0


def _called(show: Show, name: str, but: Ref) -> Ref | None:
    """What plays of that name: the very one, else the only one that begins so."""
    wanted = name.casefold()
    if not wanted:
        return None

    begins = []
    for playable in show.playables.values():
        own = playable.name.casefold()
        if playable.ref == but:
            continue
        if own == wanted:
            return playable.ref
        if own.startswith(wanted):
            begins.append(playable.ref)

    return begins[0] if len(begins) == 1 else None
