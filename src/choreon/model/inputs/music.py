"""Live music as a control: how loud it is in a band."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.refs import Ref

MUSIC = "Live music"
BANDS = {
    "low": tr("the low of the music"),
    "low mid": tr("the low middle of the music"),
    "high mid": tr("the high middle of the music"),
    "high": tr("the high of the music"),
}
"""Band → what it is called."""


class MusicSettings(msgspec.Struct, frozen=True, omit_defaults=True):
    """`on`: live music is listened to; `source`: by what, "" for what is usual;
    `tempo`: its tempo is the tempo.
    """

    on: bool = False
    source: str = ""
    tempo: bool = True


class MusicInput(Input, frozen=True, kw_only=True, tag="music", omit_defaults=True):
    """A band of live music."""

    kind: ClassVar[str] = "music"

    band: str

    @property
    def control(self) -> Control:
        """What tells this control from others."""
        return music_control(self.band)


def music_control(band: str) -> Control:
    """Returns the control that a band is."""
    return Control(MusicInput.kind, MUSIC, band)


def _tied(input_id: str, target: Ref, control: Control) -> MusicInput:
    if control.name not in BANDS:
        raise ValueError(tr("music has no band {name}", name=control.name))
    return MusicInput(id=input_id, target=target, band=control.name)


def _called(name: str) -> str:
    return BANDS.get(name, name)


LIVE_MUSIC = InputKind(tr("Live music"), MusicInput, _tied, _called)
