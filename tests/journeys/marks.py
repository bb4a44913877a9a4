"""A language that is English with each text marked at both ends, and a third longer, as
many languages are. The marks take no room.
"""

from __future__ import annotations

import re

BEGIN, END = "\u2062", "\u2063"  # invisible, both
LONGER = 0.35


def marked(text: str) -> str:
    """A text with its marks; what tells how numbers are written is left alone."""
    return text if text == "1.5" else f"{BEGIN}{longer(text)}{END}"


def longer(text: str) -> str:
    """A text with a longer last word, or with more words where it has many."""
    words = re.sub(r"\{[^}]*\}", "", text)
    if not re.search(r"[^\W\d_]{2}", words):
        return text  # figures and units
    more = max(1, round(LONGER * len(words)))
    if len(text) < 24:
        return text + "ä" * more
    return f"{text} {'äöü ' * round(more / 4)}".rstrip()


def plain(text: str) -> str:
    """A text without them."""
    return text.replace(BEGIN, "").replace(END, "")
