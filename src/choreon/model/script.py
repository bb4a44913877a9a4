"""The text of a play beside its cues: paragraphs, and the words at which cues stand.
What is edited, or is a new version, is laid over what was there, word by word
(difflib), and cues stay at their words.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from difflib import SequenceMatcher
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from choreon.model.numbers import Count

if TYPE_CHECKING:
    from choreon.model.playables.stack import Stack

replace = msgspec.structs.replace

WORD = re.compile(r"\S+")
MOST = 4_000_000  # characters of a text
LONGEST_BLOCK = 4_000  # words that are compared one by one with as many others


class TextPlace(msgspec.Struct, frozen=True, order=True, omit_defaults=True):
    """A word of a text: of which paragraph, and which word of that, both from 0.
    `lost`: it stood about here, and its word is gone.
    """

    paragraph: Count
    word: Count = 0
    lost: bool = False


Paragraphs = tuple[str, ...]


class Laid(NamedTuple):
    """A new version laid over the one before: where each place is now, and which are
    lost.
    """

    places: dict[str, TextPlace]
    lost: tuple[str, ...]


def paragraphs_of(text: str) -> Paragraphs:
    """Returns the lines of a text that hold words, without what is around them."""
    lines = text[:MOST].replace("\r\n", "\n").replace("\r", "\n").split("\n")
    clean = (line.replace("\t", " ").strip() for line in lines)
    return tuple(line for line in clean if line)


def words_of(paragraph: str) -> list[tuple[int, int]]:
    """Returns where each word of a paragraph begins and ends."""
    return [match.span() for match in WORD.finditer(paragraph)]


def word_at(paragraph: str, letter: int) -> int:
    """Returns the word at a letter of a paragraph: the last that begins at or before
    it.
    """
    found = 0
    for n, (begin, _) in enumerate(words_of(paragraph)):
        if begin > letter:
            break
        found = n
    return found


def word(text: Sequence[str], place: TextPlace) -> str:
    """Returns the word at a place; empty where there is none."""
    if not 0 <= place.paragraph < len(text):
        return ""
    spans = words_of(text[place.paragraph])
    if not 0 <= place.word < len(spans):
        return ""
    begin, end = spans[place.word]
    return text[place.paragraph][begin:end]


def words_around(
    text: Sequence[str], place: TextPlace, before: int = 5, after: int = 3
) -> str:
    """Returns the words that lead up to a place, and a few behind: what is to be
    listened for.
    """
    if place.lost or not 0 <= place.paragraph < len(text):
        return ""
    paragraph = text[place.paragraph]
    spans = words_of(paragraph)
    if not spans:
        return ""

    here = min(place.word, len(spans) - 1)
    first, last = max(0, here - before), min(len(spans) - 1, here + after)
    words = paragraph[spans[first][0] : spans[last][1]]
    head = "… " if first > 0 else ""
    tail = " …" if last < len(spans) - 1 else ""
    return f"{head}{words}{tail}"


def laid_over(
    before: Sequence[str], after: Sequence[str], places: Mapping[str, TextPlace]
) -> Laid:
    """Returns where places of a text are in another version of it. Paragraphs that
    stayed keep theirs; in those that changed a place stays at its word, wherever that
    is now. One whose word is gone is lost, and knows about where it was.
    """
    found: dict[str, TextPlace] = {}
    for name, place in places.items():
        if place.lost:
            found[name] = place

    matcher = SequenceMatcher(None, before, after, autojunk=len(before) > 5_000)
    for tag, begin, end, there, there_end in matcher.get_opcodes():
        own = {
            name: place
            for name, place in places.items()
            if begin <= place.paragraph < end and not place.lost
        }
        if tag == "equal":
            by = there - begin
            found |= {n: replace(p, paragraph=p.paragraph + by) for n, p in own.items()}
        elif own:
            found |= _within(
                before[begin:end], begin, after[there:there_end], there, own
            )

    for name, place in places.items():
        if name not in found:
            found[name] = replace(place, lost=True)

    lost = tuple(n for n in places if found[n].lost and not places[n].lost)
    return Laid(found, lost)


class _Flat(NamedTuple):
    """The words of some paragraphs one after the other, and where each is."""

    words: list[str]
    places: list[tuple[int, int]]


def _flat(paragraphs: Sequence[str], first: int) -> _Flat:
    words: list[str] = []
    places: list[tuple[int, int]] = []
    for n, paragraph in enumerate(paragraphs):
        for m, (begin, end) in enumerate(words_of(paragraph)):
            words.append(_plain(paragraph[begin:end]))
            places.append((first + n, m))
    return _Flat(words, places)


def _plain(text: str) -> str:
    """A word without what stands around it: a comma more is no other word."""
    stripped = text.strip(".,;:!?…“”„\"'‘’()[]-–—")
    return (stripped or text).casefold()


def _within(
    before: Sequence[str],
    first: int,
    after: Sequence[str],
    there: int,
    places: Mapping[str, TextPlace],
) -> dict[str, TextPlace]:
    """Where places are among paragraphs that changed."""
    old, new = _flat(before, first), _flat(after, there)
    index = {place: n for n, place in enumerate(old.places)}
    large = max(len(old.words), len(new.words)) > LONGEST_BLOCK
    matcher = SequenceMatcher(None, old.words, new.words, autojunk=large)
    moved: dict[int, int] = {}
    for block in matcher.get_matching_blocks():
        for n in range(block.size):
            moved[block.a + n] = block.b + n

    found = {}
    for name, place in places.items():
        at = index.get((place.paragraph, place.word))
        to = None if at is None else moved.get(at)
        if to is not None:
            paragraph, number = new.places[to]
            found[name] = TextPlace(paragraph, number)
        else:
            near = min(there, there + len(after))
            found[name] = TextPlace(max(0, near), 0, lost=True)
    return found


def with_text(stack: Stack, text: Paragraphs) -> tuple[Stack, tuple[str, ...]]:
    """Returns a stack with another version of its text, its cues at their words, and
    the ids of the cues whose words are gone.
    """
    places = {cue.id: cue.at for cue in stack.cues if cue.at is not None}
    laid = laid_over(stack.text, text, places)
    cues = tuple(
        cue if cue.id not in laid.places else replace(cue, at=laid.places[cue.id])
        for cue in stack.cues
    )
    return replace(stack, text=text, cues=cues), laid.lost
