"""The pages of the help, as they lie beside this file."""

from __future__ import annotations

import contextlib
from functools import cache
from importlib.resources import files

from choreon.language import capital, code, tr

TOPICS = (
    "start",
    "find",
    "hang",
    "addresses",
    "types",
    "outputs",
    "choose",
    "values",
    "draft",
    "palettes",
    "motion",
    "chases",
    "canvas",
    "cues",
    "timelines",
    "perform",
    "masters",
    "guest",
    "surfaces",
    "tempo",
    "shows",
    "trust",
    "keys",
)
"""All pages, in the order in which they are read; the last is made of the keys."""

KEYS = "keys"
START = "start"
MISSING = tr("""# This page is missing

The file of this page is not where it should be: Choreon is not wholly installed.
Everything else works. Install it once more to have the page back; the
[list of keys](keys) is always there.
""")


def read(topic: str) -> str:
    """Returns a page as Markdown, in the language of the surroundings where it is
    there; where its file is missing or damaged, a page that says so.
    """
    pages = files("choreon.ui.help").joinpath("pages")
    for path in (pages.joinpath(code(), f"{topic}.md"), pages.joinpath(f"{topic}.md")):
        with contextlib.suppress(OSError, UnicodeDecodeError):
            return path.read_text("utf-8")
    return MISSING


def title_of(topic: str, text: str) -> str:
    """Returns the title of a page: its first heading, else its name."""
    head, _, _ = text.partition("\n")
    name = head.removeprefix("# ").strip() if head.startswith("# ") else topic
    return capital(topic) if text == MISSING else name


@cache
def titles() -> dict[str, str]:
    """Returns the titles of the pages that are there, by their names."""
    texts = {topic: read(topic) for topic in TOPICS if topic != KEYS}
    return {i: title_of(i, text) for i, text in texts.items() if text != MISSING}
