"""All keys in one list: those of the window, and those of each place."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape
from typing import NamedTuple

from choreon.language import tr
from choreon.ui import theme
from choreon.ui.commands import COMMANDS, KeyCommand, Where


class Key(NamedTuple):
    """Keys, as they are written, and what they do."""

    keys: str
    does: str


OF_PLACES: dict[tuple[str, str], tuple[Key, ...]] = {
    ("everywhere", tr("Everywhere")): (
        Key(tr("Tab, Shift+Tab"), tr("Go on to the next control, and back")),
        Key(
            tr("Esc"),
            tr("Leave a drag, a question or a dialog without changing anything"),
        ),
    ),
    ("values", tr("Values")): (
        Key(tr("Up, Down"), tr("A step more or less; with Shift a fine one")),
        Key(tr("Enter"), tr("Type a value: 50, +10, /2, 3.5 s")),
        Key("0 … 9", tr("On a fader: that many tenths; F is full")),
        Key(tr("Arrows"), tr("On the aim pad and on curves: a step that way")),
    ),
    ("rig", tr("Rig")): (
        Key(tr("Arrows"), tr("On the plan: nudge the chosen fixtures")),
        Key("Ctrl+A", tr("On the plan: choose all")),
        Key("O", tr("On the plan: open up the chosen")),
        Key("H", tr("On the plan: the chosen home")),
        Key("I", tr("On the plan: identify the chosen")),
        Key(tr("Del"), tr("Take down the chosen fixtures")),
        Key(tr("Page down, Page up"), tr("On the walk: the next, the one before")),
        Key(tr("Left, Right"), tr("On a channel's fader: a step; digits type a value")),
        Key(tr("Left, Right"), tr("On the addresses: from fixture to fixture")),
        Key(
            tr("Ctrl+Left, Ctrl+Right"),
            tr("On the addresses: carry the chosen by a slot"),
        ),
        Key(tr("Enter"), tr("On the addresses: what can be done with the slot")),
    ),
    ("types", tr("Types")): (
        Key(tr("Left, Right"), tr("On a channel's line: from range to range")),
        Key(tr("Del"), tr("Remove the range")),
        Key(tr("Enter"), tr("In the list of ranges: type into it")),
        Key(tr("Ctrl+Z, Ctrl+Shift+Z"), tr("Undo and redo in the type alone")),
    ),
    ("compose", tr("Compose")): (
        Key(tr("Letters, digits"), tr("On the stage: choose by name, then Enter")),
        Key(tr("Left, Right"), tr("On the stage: one of the chosen alone")),
        Key(tr("Up"), tr("On the stage: all of the chosen again")),
        Key("B", tr("On a palette: brush with it, or put it down")),
        Key(tr("Enter, Space"), tr("On a card or a palette: use it")),
        Key(tr("Del"), tr("On a line of the ledger or an effect: take it out")),
        Key("Shift+Del", tr("On a line of the ledger: all of its fixture")),
    ),
    ("steps of a chase", tr("Steps of a chase")): (
        Key(tr("Left, Right"), tr("From step to step; with Shift choose along")),
        Key(tr("Ctrl+Left, Ctrl+Right"), tr("Carry the chosen steps")),
        Key("Ctrl+A", tr("Choose all steps")),
        Key(tr("Enter"), tr("Play the step")),
        Key(tr("Del"), tr("Delete the chosen steps")),
    ),
    ("score", tr("Score")): (
        Key(tr("Letters, digits"), tr("On a cell: type over it")),
        Key(tr("Enter, F2"), tr("On a cell: type into it; then Enter goes down")),
        Key(tr("Alt+Up, Alt+Down"), tr("Move the chosen cues")),
        Key("Ctrl+X, C, V, D", tr("Cut, copy, paste, repeat the chosen cues")),
        Key(tr("Del"), tr("Remove the chosen cues")),
        Key(tr("Enter"), tr("On what plays: a cue of each that is chosen")),
    ),
    ("timeline", tr("Timeline")): (
        Key(tr("Left, Right"), tr("The playhead from beat to beat")),
        Key(tr("Alt+arrows"), tr("Move what is chosen, along and across")),
        Key(tr("Up, Down"), tr("The track above, below")),
        Key("Ctrl+A, D", tr("Choose all, double the chosen")),
        Key("Ctrl+X, C, V", tr("Cut, copy, paste where the playhead is")),
        Key("S", tr("Split the chosen where the playhead is")),
        Key("M", tr("A mark where the playhead is: sections are tapped so")),
        Key("T", tr("A beat is here: tap along while it plays")),
        Key("F, Z", tr("Show all of it, show the chosen")),
        Key("+, −", tr("Nearer, farther")),
        Key(tr("Del"), tr("Take the chosen off the line")),
    ),
    ("evening", tr("An evening turned back")): (
        Key(tr("Left, Right"), tr("A second along; with Shift ten")),
        Key(tr("Alt+Left, Alt+Right"), tr("Choose a stretch along")),
        Key(tr("Home, End"), tr("To the begin, to the end")),
        Key("F, +, −", tr("Show all of it, nearer, farther")),
    ),
    ("surfaces", tr("Surfaces")): (
        Key(tr("Shift+arrows"), tr("On the controller: take the next part along")),
        Key(tr("Arrows"), tr("On the controller: from part to part")),
        Key(tr("Enter"), tr("On a part: on to what it does")),
    ),
    ("perform", tr("Perform")): (
        Key(tr("Alt"), tr("Show which letter plays which tile")),
        Key("Alt+letter", tr("Play that tile")),
        Key(tr("Space, Enter"), tr("Play the tile that has the focus")),
        Key("0 … 9, F", tr("Bring the tile to that many tenths, or full")),
        Key("F11", tr("A page in a window of its own: fill the screen")),
    ),
    ("arranging a page", tr("Arranging a page")): (
        Key(tr("Arrows"), tr("Move the tiles in hand; with Shift size them")),
        Key(tr("Tab, Shift+Tab"), tr("The next tile, the one before")),
        Key(tr("Enter"), tr("On to what the tiles in hand are")),
        Key("Ctrl+A", tr("All tiles")),
        Key("Ctrl+D", tr("Copy the tiles in hand")),
        Key(tr("Del"), tr("Take them off the page")),
        Key(tr("Esc"), tr("Play again")),
    ),
}
"""What keys do in each place, besides the commands of the window."""


def page() -> str:
    """Returns all keys as a page of the help, in HTML."""
    tables = [_table(tr("Commands"), _of(Where.EVERYWHERE))]
    for (place, title), keys in OF_PLACES.items():
        own = Where(place) if place in set(Where) else None
        tables.append(_table(title, [*(_of(own) if own else ()), *keys]))
    return f"<h2>{escape(tr('All keys'))}</h2>{''.join(tables)}"


def _of(where: Where) -> list[Key]:
    """The commands that are alive in a place."""
    return [
        Key(", ".join(command.keys), _does(command))
        for command in COMMANDS
        if command.where == where and command.keys
    ]


def _does(command: KeyCommand) -> str:
    title = command.title.removesuffix("…")
    return tr("Go to {title}", title=title) if command.words == "go to" else title


def _table(title: str, keys: Iterable[Key]) -> str:
    """Keys in two columns under a title."""
    lines = [
        f'<tr><td width="190" style="color: {theme.CHOSEN}">{escape(key.keys)}</td>'
        f"<td>{escape(key.does)}</td></tr>"
        for key in keys
    ]
    table = f'<table cellspacing="0" cellpadding="4">{"".join(lines)}</table>'
    return f"<h3>{escape(title)}</h3>{table}"
