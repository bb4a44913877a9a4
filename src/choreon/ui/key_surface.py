"""The keyboard as a surface: keys that were taught something do it wherever the window
is in front, and never while something is typed.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QKeyCombination, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QWidget

from choreon.engine import protocol
from choreon.language import tr
from choreon.model.inputs.keys import KeyInput, key_control
from choreon.ui.commands import command_of, edits_text, takes_letters
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts

ALONE = frozenset(
    (
        Qt.Key.Key_Shift,
        Qt.Key.Key_Control,
        Qt.Key.Key_Alt,
        Qt.Key.Key_AltGr,
        Qt.Key.Key_Meta,
        Qt.Key.Key_CapsLock,
        Qt.Key.Key_NumLock,
        Qt.Key.Key_ScrollLock,
        Qt.Key.Key_unknown,
    )
)
"""Keys that mean nothing by themselves."""
ENDS = frozenset((Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab))
"""Keys that are never taught: they lead out of wherever one is."""
LEADS = frozenset(
    (
        Qt.Key.Key_Return,
        Qt.Key.Key_Enter,
        Qt.Key.Key_Space,
        Qt.Key.Key_Backspace,
        Qt.Key.Key_Delete,
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Up,
        Qt.Key.Key_Down,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_PageUp,
        Qt.Key.Key_PageDown,
    )
)
"""Keys by which one goes through lists and presses buttons: they are taught only as
keys of a pad of numbers, or with others held beside them.
"""
PLAIN = Qt.KeyboardModifier.NoModifier
BESIDE = ~Qt.KeyboardModifier.KeypadModifier


class KeySurface(QObject):
    """Looks at keys before the widget that has the focus does."""

    def __init__(self, parts: Parts, learner: Learner) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self._down: dict[int, str] = {}  # key → what it was pressed as
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.applicationStateChanged.connect(self._activity)
            application.focusChanged.connect(self._focus)

    def key(self, event: QKeyEvent) -> bool:
        """Returns whether a key does something here; then it does."""
        if event.type() == QEvent.Type.KeyRelease:
            return self._let_go(event)
        if event.type() != QEvent.Type.KeyPress:
            return False
        if event.key() in self._down:
            return True  # it repeats by itself

        name = name_of(event.keyCombination())
        focus = QApplication.focusWidget()
        means_more = takes_letters(focus) and _is_letter(event)
        if not name or edits_text(focus) or means_more:
            return False
        if _leads(event):
            return self._refuse(name) if self.learner.target is not None else False
        if self.learner.target is not None:
            return self._learn(event, name)
        if not self._is_taught(name) or event.isAutoRepeat():
            return False
        self._press(event, name)
        return True

    def _is_taught(self, name: str) -> bool:
        ties = self.parts.document.show.inputs.values()
        return any(
            tie.kind == KeyInput.kind and tie.control.name == name for tie in ties
        )

    def _learn(self, event: QKeyEvent, name: str) -> bool:
        """A key that is pressed while something waits for a control."""
        command = command_of(event.keyCombination())
        if command is not None:
            text = tr(
                "{key} is the key for “{command}”: take another.",
                key=name,
                command=command.title,
            )
            self.parts.notices.told.emit(text, "problem")
            return True
        self._press(event, name)
        return True

    def _refuse(self, name: str) -> bool:
        """A key that would be missed elsewhere."""
        text = tr("{key} leads through the window: take another.", key=name)
        self.parts.notices.told.emit(text, "problem")
        return True

    def _press(self, event: QKeyEvent, name: str) -> None:
        self._down[event.key()] = name
        self._say(name, 1.0)

    def _let_go(self, event: QKeyEvent) -> bool:
        if event.isAutoRepeat():
            return event.key() in self._down
        name = self._down.pop(event.key(), None)
        if name is None:
            return False
        self._say(name, 0.0)
        return True

    def let_all_go(self) -> None:
        """Nobody says any more when they go up."""
        for name in self._down.values():
            self._say(name, 0.0)
        self._down.clear()

    def _focus(self, _: QWidget | None, now: QWidget | None) -> None:
        """What is typed into does not say when a key goes up."""
        if edits_text(now):
            self.let_all_go()

    def _activity(self, state: Qt.ApplicationState) -> None:
        if state != Qt.ApplicationState.ApplicationActive:
            self.let_all_go()

    def _say(self, name: str, value: float) -> None:
        self.parts.engine.send(protocol.MoveControl(key_control(name), value))


def name_of(keys: QKeyCombination) -> str:
    """Returns what a key is called, with those held beside it; empty for one that is
    never taught.
    """
    if keys.key() in ALONE or keys.key() in ENDS:
        return ""
    held = keys.keyboardModifiers()
    name = QKeySequence(QKeyCombination(held & BESIDE, keys.key())).toString()
    on_pad = held & Qt.KeyboardModifier.KeypadModifier
    return tr("Num {key}", key=name) if on_pad and name else name


def _leads(event: QKeyEvent) -> bool:
    """Whether a key is one by which one goes through the window."""
    held = event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier
    return event.key() in LEADS and held == PLAIN


def _is_letter(event: QKeyEvent) -> bool:
    """Whether a key types something."""
    held = event.modifiers() & ~(
        Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
    )
    return held == PLAIN and event.text().isprintable() and bool(event.text())
