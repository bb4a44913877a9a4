"""Keys of the computer's keyboard, and of any pad of keys that is one."""

from __future__ import annotations

from typing import ClassVar

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.refs import Ref

KEYBOARD = "Keyboard"


class KeyInput(Input, frozen=True, kw_only=True, tag="key", omit_defaults=True):
    """A key. `key`: its name, with those held beside it, as “F5” or “Ctrl+1”."""

    kind: ClassVar[str] = "key"

    key: str

    @property
    def control(self) -> Control:
        """What tells this control from others."""
        return key_control(self.key)


def key_control(key: str) -> Control:
    """Returns the control that a key is."""
    return Control(KeyInput.kind, KEYBOARD, key)


def _tied(input_id: str, target: Ref, control: Control) -> KeyInput:
    if not control.name:
        raise ValueError(tr("a key has a name"))
    return KeyInput(id=input_id, target=target, key=control.name)


def _is_key(name: str) -> bool:
    return True


def _called(name: str) -> str:
    return tr("key {key}", key=name)


KEYS = InputKind(tr("Keyboard"), KeyInput, _tied, _called, _is_key)
