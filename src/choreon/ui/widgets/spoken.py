"""What screen readers say of what Choreon draws itself: a widget that has `spoken`
tells its role, its value in words and as a number, and whether it is on.
"""

from __future__ import annotations

import weakref
from dataclasses import dataclass
from typing import Any, Protocol, runtime_checkable

import shiboken6
from PySide6.QtCore import QObject
from PySide6.QtGui import (
    QAccessible,
    QAccessibleActionInterface,
    QAccessibleInterface,
    QAccessibleStateChangeEvent,
    QAccessibleValueChangeEvent,
    QAccessibleValueInterface,
)
from PySide6.QtWidgets import QAccessibleWidget, QWidget

from choreon.language import tr

Role = QAccessible.Role
PRESS = tr("Press")


@dataclass(frozen=True)
class Spoken:
    """What is said of a widget now: its role, its value in words; for what has one a
    number with its bounds and a step; for what is on or off, which.
    """

    role: QAccessible.Role
    value: str = ""
    number: float | None = None
    low: float = 0.0
    high: float = 1.0
    step: float = 0.01
    is_on: bool | None = None


@runtime_checkable
class Speaks(Protocol):
    """A widget that says what it shows."""

    def spoken(self) -> Spoken:
        """Returns what is said of it now."""


class SpokenNumber(QAccessibleValueInterface):
    """A widget's value as a number, which can be set."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__()
        self._widget = weakref.ref(widget)

    def _spoken(self) -> Spoken:
        widget = self._widget()
        known = widget is not None and shiboken6.isValid(widget)
        return widget.spoken() if known and isinstance(widget, Speaks) else NOTHING

    def currentValue(self) -> Any:
        """The number now."""
        return self._spoken().number

    def setCurrentValue(self, value: Any) -> None:
        """Set it, where the widget can be."""
        put = getattr(self._widget(), "speak_value", None)
        if put is not None:
            put(float(value))

    def minimumValue(self) -> Any:
        """The lowest that it can be."""
        return self._spoken().low

    def maximumValue(self) -> Any:
        """The highest that it can be."""
        return self._spoken().high

    def minimumStepSize(self) -> Any:
        """A step of it."""
        return self._spoken().step


class SpokenPress(QAccessibleActionInterface):
    """A widget that can be pressed."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__()
        self._widget = weakref.ref(widget)

    def actionNames(self) -> list[str]:
        """What can be done with it."""
        return [PRESS]

    def doAction(self, name: str) -> None:
        """Press it."""
        press = getattr(self._widget(), "speak_press", None)
        if press is not None and name == PRESS:
            press()

    def keyBindingsForAction(self, name: str) -> list[str]:
        """Keys that do the same: those of its own are told in its tooltip."""
        return []


NOTHING = Spoken(Role.Client)


class SpokenWidget(QAccessibleWidget):
    """What Qt asks of a widget that speaks."""

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget, Role.Client)
        self._of = weakref.ref(widget)
        self._number = SpokenNumber(widget)
        self._press = SpokenPress(widget)

    def _spoken(self) -> Spoken:
        widget = self._of()
        known = widget is not None and shiboken6.isValid(widget)
        return widget.spoken() if known and isinstance(widget, Speaks) else NOTHING

    def role(self) -> QAccessible.Role:
        """What it is."""
        return self._spoken().role

    def text(self, which: QAccessible.Text) -> str:
        """Its name, its value, and what is said beside."""
        widget = self._of()
        if widget is None or not shiboken6.isValid(widget):
            return ""
        if which == QAccessible.Text.Value:
            return self._spoken().value
        if which == QAccessible.Text.Description:
            return widget.accessibleDescription() or widget.toolTip()
        return super().text(which)

    def state(self) -> QAccessible.State:
        """What Qt knows of it, and whether it is on."""
        state, is_on = super().state(), self._spoken().is_on
        if is_on is not None:
            state.checkable, state.checked = True, is_on
        return state

    def interface_cast(self, kind: QAccessible.InterfaceType) -> Any:
        """A number, or a press, where it has one."""
        widget = self._of()
        if kind == QAccessible.InterfaceType.ValueInterface:
            return self._number if self._spoken().number is not None else None
        if kind == QAccessible.InterfaceType.ActionInterface:
            return self._press if hasattr(widget, "speak_press") else None
        return super().interface_cast(kind)


_known: dict[int, QAccessibleInterface] = {}
"""Qt keeps what it was given as long as the widget is there, and so does this."""


def _make(_: str, thing: QObject) -> QAccessibleInterface | None:
    if not isinstance(thing, QWidget) or not isinstance(thing, Speaks):
        return None
    made = SpokenWidget(thing)
    key = id(made)
    _known[key] = made
    thing.destroyed.connect(lambda: _known.pop(key, None))
    return made


def speak() -> None:
    """Have screen readers be told of what Choreon draws itself."""
    global _speaking
    if not _speaking:
        QAccessible.installFactory(_make)
        _speaking = True


_speaking = False


def tell(widget: QWidget) -> None:
    """Tell a screen reader, where there is one, that a widget says something else."""
    if not QAccessible.isActive() or not isinstance(widget, Speaks):
        return
    said = widget.spoken()
    value = said.value if said.number is None else said.number
    QAccessible.updateAccessibility(QAccessibleValueChangeEvent(widget, value))
    if said.is_on is not None:
        changed = QAccessible.State()
        changed.checked = True
        event = QAccessibleStateChangeEvent(widget, changed)
        QAccessible.updateAccessibility(event)
