"""What is found for the words that were typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

MOST = 40  # lines that are shown


@dataclass(frozen=True)
class Entry:
    """Something that can be found: its title, what it is, the key that does it too,
    other words for it, and what happens when it is taken.
    """

    title: str
    sort: str
    act: Callable[[], object] = field(compare=False)
    key: str = ""
    words: str = ""


# said in a question, and of no use in finding an answer
FILLERS = frozenset(
    (
        *("a", "an", "the", "how", "do", "does", "i", "can", "to", "of", "on", "in"),
        *("is", "it", "my", "me", "please", "make", "set", "give", "turn", "want"),
        *("where", "what", "with", "light", "lights", "lamp", "lamps", "fixture"),
    )
)


def words_of(text: str) -> list[str]:
    """The words of a text, in lower case."""
    return re.findall(r"[\w%.]+", text.casefold())


def meant(text: str) -> list[str]:
    """The words of a question that say what is wanted; all where no others are left."""
    found = words_of(text)
    return [word for word in found if word not in FILLERS] or found


def _score(entry: Entry, wanted: Sequence[str]) -> int:
    """How well an entry fits: 0 not at all, since one of the words is in none of
    its own.
    """
    title, others = (
        words_of(entry.title),
        words_of(f"{entry.words} {entry.sort}"),
    )

    total = 1
    for word in wanted:
        if word in title:
            total += 8
        elif any(own.startswith(word) for own in title) and not word.isdigit():
            total += 5
        elif word in others:
            total += 3
        elif any(own.startswith(word) for own in others) and not word.isdigit():
            total += 2
        else:
            return 0

    return 2 * total - len(title)


def find(entries: Iterable[Entry], text: str) -> list[Entry]:
    """Returns the entries that have every word of a text, those that fit best first."""
    wanted = meant(text)
    if not wanted:
        return []
    scored = [(_score(entry, wanted), entry) for entry in entries]
    fitting = [pair for pair in scored if pair[0]]
    fitting.sort(key=lambda pair: -pair[0])
    return [entry for _, entry in fitting[:MOST]]
