"""All keys in one list: those of the window, and those of each place."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape
from typing import NamedTuple

from choreon.ui import theme
from choreon.ui.commands import COMMANDS, KeyCommand, Where


class Key(NamedTuple):
    """Keys, as they are written, and what they do."""

    keys: str
    does: str


OF_PLACES: dict[str, tuple[Key, ...]] = {
    "Everywhere": (
        Key("Tab, Shift+Tab", "Go on to the next control, and back"),
        Key("Esc", "Leave a drag, a question or a dialog without changing anything"),
    ),
    "Values": (
        Key("Up, Down", "A step more or less; with Shift a fine one"),
        Key("Enter", "Type a value: 50, +10, /2, 3.5 s"),
        Key("0 … 9", "On a fader: that many tenths; F is full"),
        Key("Arrows", "On the aim pad and on curves: a step that way"),
    ),
    "Rig": (
        Key("Arrows", "On the plan: nudge the chosen fixtures"),
        Key("Ctrl+A", "On the plan: choose all"),
        Key("O", "On the plan: open up the chosen"),
        Key("H", "On the plan: the chosen home"),
        Key("I", "On the plan: identify the chosen"),
        Key("Del", "Take down the chosen fixtures"),
        Key("Page down, Page up", "On the walk: the next, the one before"),
        Key("Left, Right", "On a channel's fader: a step; digits type a value"),
        Key("Left, Right", "On the addresses: from fixture to fixture"),
        Key("Ctrl+Left, Ctrl+Right", "On the addresses: carry the chosen by a slot"),
        Key("Enter", "On the addresses: what can be done with the slot"),
    ),
    "Types": (
        Key("Left, Right", "On a channel's line: from range to range"),
        Key("Del", "Remove the range"),
        Key("Enter", "In the list of ranges: type into it"),
        Key("Ctrl+Z, Ctrl+Shift+Z", "Undo and redo in the type alone"),
    ),
    "Compose": (
        Key("Letters, digits", "On the stage: choose by name, then Enter"),
        Key("Left, Right", "On the stage: one of the chosen alone"),
        Key("Up", "On the stage: all of the chosen again"),
        Key("B", "On a palette: brush with it, or put it down"),
        Key("Enter, Space", "On a card or a palette: use it"),
        Key("Del", "On a line of the ledger or an effect: take it out"),
        Key("Shift+Del", "On a line of the ledger: all of its fixture"),
    ),
    "Steps of a chase": (
        Key("Left, Right", "From step to step; with Shift choose along"),
        Key("Ctrl+Left, Ctrl+Right", "Carry the chosen steps"),
        Key("Ctrl+A", "Choose all steps"),
        Key("Enter", "Play the step"),
        Key("Del", "Delete the chosen steps"),
    ),
    "Surfaces": (
        Key("Arrows", "On the controller: from part to part"),
        Key("Enter", "On a part: on to what it does"),
    ),
    "Perform": (
        Key("Alt", "Show which letter plays which tile"),
        Key("Alt+letter", "Play that tile"),
        Key("Space, Enter", "Play the tile that has the focus"),
        Key("0 … 9, F", "Bring the tile to that many tenths, or full"),
        Key("F11", "A page in a window of its own: fill the screen"),
    ),
    "Arranging a page": (
        Key("Arrows", "Move the tiles in hand; with Shift size them"),
        Key("Tab, Shift+Tab", "The next tile, the one before"),
        Key("Enter", "On to what the tiles in hand are"),
        Key("Ctrl+A", "All tiles"),
        Key("Ctrl+D", "Copy the tiles in hand"),
        Key("Del", "Take them off the page"),
        Key("Esc", "Play again"),
    ),
}
"""What keys do in each place, besides the commands of the window."""


def page() -> str:
    """Returns all keys as a page of the help, in HTML."""
    tables = [_table("Commands", _of(Where.EVERYWHERE))]
    for place, keys in OF_PLACES.items():
        own = Where(place.lower()) if place.lower() in set(Where) else None
        tables.append(_table(place, [*(_of(own) if own else ()), *keys]))
    return f"<h2>All keys</h2>{''.join(tables)}"


def _of(where: Where) -> list[Key]:
    """The commands that are alive in a place."""
    return [
        Key(", ".join(command.keys), _does(command))
        for command in COMMANDS
        if command.where == where and command.keys
    ]


def _does(command: KeyCommand) -> str:
    title = command.title.removesuffix("…")
    return f"Go to {title}" if command.words == "go to" else title


def _table(title: str, keys: Iterable[Key]) -> str:
    """Keys in two columns under a title."""
    lines = [
        f'<tr><td width="190" style="color: {theme.CHOSEN}">{escape(key.keys)}</td>'
        f"<td>{escape(key.does)}</td></tr>"
        for key in keys
    ]
    table = f'<table cellspacing="0" cellpadding="4">{"".join(lines)}</table>'
    return f"<h3>{escape(title)}</h3>{table}"
