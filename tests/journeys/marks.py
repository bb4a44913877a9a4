"""The marks of a language that is English with each text marked: they take no room."""

from __future__ import annotations

BEGIN, END = "\u2062", "\u2063"  # invisible, both


def marked(text: str) -> str:
    """A text with its marks; what tells how numbers are written is left alone."""
    return text if text == "1.5" else f"{BEGIN}{text}{END}"


def plain(text: str) -> str:
    """A text without them."""
    return text.replace(BEGIN, "").replace(END, "")
