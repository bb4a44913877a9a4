"""All commands that a key of the window gives, in one table: what each is called, its
keys, and where it is alive. A field that edits text has its own keys first: only what
is marked so is alive while somebody types.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from PySide6.QtCore import QEvent, QKeyCombination, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)
from shiboken6 import isValid

from choreon.language import tr

ENTRY = "entry"
"""A property of fields whose words become something with Enter, and are gone then."""


class Where(StrEnum):
    """In which places a command is alive."""

    EVERYWHERE = ""
    RIG = "rig"
    COMPOSE = "compose"
    SCORE = "score"
    PERFORM = "perform"


@dataclass(frozen=True)
class KeyCommand:
    """What a key stands for. `title` is how it is said; by `words` it is found, too;
    `typing`: it is alive while a text is edited.
    """

    id: str
    title: str
    keys: tuple[str, ...] = ()
    where: Where = Where.EVERYWHERE
    typing: bool = False
    words: str = ""

    @property
    def key(self) -> str:
        """The key that is shown; empty for none."""
        return self.keys[0] if self.keys else ""


COMMANDS = (
    KeyCommand("rig", tr("Rig"), ("Ctrl+1",), typing=True, words=tr("go to")),
    KeyCommand("compose", tr("Compose"), ("Ctrl+2",), typing=True, words=tr("go to")),
    KeyCommand(
        "score", tr("Score"), ("Ctrl+3",), typing=True, words=tr("go to cues stack")
    ),
    KeyCommand("perform", tr("Perform"), ("Ctrl+4",), typing=True, words=tr("go to")),
    KeyCommand("surfaces", tr("Surfaces"), ("Ctrl+5",), typing=True, words=tr("go to")),
    KeyCommand("find", tr("Find, or say what you want"), ("Ctrl+K",), typing=True),
    KeyCommand(
        "help-here", tr("Help for what is under the mouse"), ("F1",), typing=True
    ),
    KeyCommand("undo", tr("Undo"), ("Ctrl+Z",), words=tr("back edit")),
    KeyCommand("redo", tr("Redo"), ("Ctrl+Shift+Z", "Ctrl+Y")),
    KeyCommand(
        "blackout", tr("Blackout"), ("Ctrl+B",), typing=True, words=tr("dark all off")
    ),
    KeyCommand(
        "keep",
        tr("Keep the draft as a scene…"),
        ("Ctrl+S",),
        typing=True,
        words=tr("store save look"),
    ),
    KeyCommand("tap", tr("Tap the tempo"), ("Ctrl+T",), words="bpm"),
    KeyCommand(
        "clear",
        tr("Clear the draft"),
        ("Ctrl+Shift+X",),
        words=tr("empty touched values"),
    ),
    KeyCommand(
        "take-back",
        tr("Back to before"),
        ("Ctrl+Backspace",),
        words=tr("take back pressed last undo play stage"),
    ),
    KeyCommand(
        "let-go",
        tr("Let all go"),
        ("Ctrl+Shift+Backspace",),
        words=tr("let go of all that plays stop release off"),
    ),
    KeyCommand("safe", tr("Safe look"), ("Ctrl+Shift+Home",), words=tr("panic help")),
    KeyCommand(
        "preferences",
        tr("Preferences…"),
        ("Ctrl+,",),
        typing=True,
        words=tr("settings options size contrast movement closing"),
    ),
    KeyCommand("open", tr("Open a show…"), ("Ctrl+O",), words=tr("file recent load")),
    KeyCommand("walk", tr("Walk the rig, fixture by fixture"), ("W",), Where.RIG),
    KeyCommand("choose-all", tr("Choose all fixtures"), ("Ctrl+A",), Where.COMPOSE),
    KeyCommand(
        "choose-others", tr("Choose all the others"), ("Ctrl+I",), Where.COMPOSE
    ),
    KeyCommand("open-up", tr("Open up the chosen"), ("Ctrl+U",), Where.COMPOSE),
    KeyCommand("home", tr("The chosen home"), ("Ctrl+H",), Where.COMPOSE),
    KeyCommand("view-1", tr("The stage from the house"), ("Alt+1",), Where.COMPOSE),
    KeyCommand("view-2", tr("The stage from above"), ("Alt+2",), Where.COMPOSE),
    KeyCommand("view-3", tr("The stage from the side"), ("Alt+3",), Where.COMPOSE),
    KeyCommand("copy", tr("Copy from a fixture"), ("Ctrl+C",), Where.COMPOSE),
    KeyCommand("paste", tr("Paste onto fixtures"), ("Ctrl+V",), Where.COMPOSE),
    KeyCommand("go", tr("GO"), ("Space",), Where.SCORE),
    KeyCommand("go-back", tr("Back to the cue before"), ("Shift+Space",), Where.SCORE),
    KeyCommand("hold", tr("Hold the cue, or go on"), ("Pause",), Where.SCORE),
    KeyCommand(
        "arrange", tr("Arrange the page, or play again"), ("Ctrl+E",), Where.PERFORM
    ),
)
"""The window's keys. What a key does to the thing that has the focus is its own affair
(see help/keys.py).
"""

BY_ID = {command.id: command for command in COMMANDS}


def bind(owner: QWidget, command: str, act: Callable[[], object]) -> None:
    """Have a command's keys do something as long as `owner` is to be seen."""
    for key in BY_ID[command].keys:
        shortcut = QShortcut(QKeySequence(key), owner)
        shortcut.activated.connect(act)


def edits_text(widget: QWidget | None) -> bool:
    """Returns whether what is typed goes into a text here."""
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    if isinstance(widget, QLineEdit | QTextEdit | QPlainTextEdit):
        return not widget.isReadOnly()
    return isinstance(widget, QAbstractSpinBox)


def takes_letters(widget: QWidget | None) -> bool:
    """Returns whether letters and digits mean something here: a text, a number, a list
    that is searched by them.
    """
    searched = isinstance(widget, QComboBox | QAbstractItemView)
    return edits_text(widget) or searched or bool(getattr(widget, "types_in", False))


class KeyGate(QObject):
    """Looks at keys before the widget that has the focus gets them: a text keeps those
    that are its own, and `first` may take others.
    """

    def __init__(self, parent: QObject, first: Callable[[QKeyEvent], bool]) -> None:
        super().__init__(parent)
        self._first = first
        self._watched: QWidget | None = None
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.connect(self._focus)
            self._focus(None, application.focusWidget())

    def _focus(self, _: QWidget | None, now: QWidget | None) -> None:
        """Watch the widget that has the focus, and no other: a filter over all would
        see every event there is.
        """
        before, self._watched = self._watched, now
        if before is not None and isValid(before):
            before.removeEventFilter(self)
        if now is not None:
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keep a text's keys for it; let `first` see the others."""
        if not isinstance(event, QKeyEvent) or not isinstance(watched, QWidget):
            return False

        if event.type() == QEvent.Type.ShortcutOverride:
            keys = event.keyCombination()
            if keeps(watched, keys):
                event.accept()
                return True
            if has_nothing_to_undo(watched, keys):
                event.ignore()  # else it would take them for nothing
                return True
            return False

        return not edits_text(watched) and self._first(event)


def keeps(widget: QWidget, keys: QKeyCombination) -> bool:
    """Returns whether keys are those of what has the focus, and not of the command that
    they stand for elsewhere.
    """
    command = command_of(keys)
    if command is None or command.typing or has_nothing_to_undo(widget, keys):
        return False
    if command.where == Where.SCORE:
        return edits_text(widget)  # lists and buttons leave GO alone
    plain = keys.keyboardModifiers() == Qt.KeyboardModifier.NoModifier
    return takes_letters(widget) if plain else edits_text(widget)


def has_nothing_to_undo(widget: QWidget, keys: QKeyCombination) -> bool:
    """Returns whether keys would undo or redo in an ENTRY whose words have been taken:
    then they are for what was made of these. (A text that was undone until it is empty
    still has something to redo.)
    """
    command = command_of(keys)
    return (
        command is not None
        and command.id in ("undo", "redo")
        and isinstance(widget, QLineEdit)
        and bool(widget.property(ENTRY))
        and not widget.text()
        and not widget.isUndoAvailable()
        and not widget.isRedoAvailable()
    )


def command_of(keys: QKeyCombination) -> KeyCommand | None:
    """Returns the command that keys stand for."""
    pressed = QKeySequence(keys)
    exact = QKeySequence.SequenceMatch.ExactMatch
    for command in COMMANDS:
        for key in command.keys:
            if QKeySequence(key).matches(pressed) == exact:
                return command
    return None


def is_alt(event: QKeyEvent) -> bool:
    """Returns whether a key is Alt itself, or one with it, or one that goes up."""
    alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
    goes_up = event.type() == QEvent.Type.KeyRelease
    return alt or goes_up or event.key() == Qt.Key.Key_Alt
