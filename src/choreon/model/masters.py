"""Masters: what scales the light of all that plays, and the tempo that it follows."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from choreon.language import tr
from choreon.model.numbers import Count, Number
from choreon.model.refs import BLACKOUT, GRAND, MASTER, TEMPO, Ref


class Master(msgspec.Struct, frozen=True, kw_only=True, tag_field="kind"):
    """Something above all that plays and the draft."""

    kind: ClassVar[str] = ""

    id: str
    name: str

    @property
    def ref(self) -> Ref:
        """Points at this master."""
        return Ref(MASTER, self.id)


class GrandMaster(Master, frozen=True, kw_only=True, omit_defaults=True, tag="grand"):
    """Scales every intensity by its level. `exempt`: groups and fixtures that neither
    it nor blackout reaches, as house and work light.
    """

    kind: ClassVar[str] = "grand"

    exempt: tuple[Ref, ...] = ()


class Blackout(Master, frozen=True, kw_only=True, tag="blackout"):
    """Puts every intensity to nought while it is on."""

    kind: ClassVar[str] = "blackout"


class Tempo(Master, frozen=True, kw_only=True, omit_defaults=True, tag="tempo"):
    """The beat that all which follows it shares: the tempo that a show opens with, and
    how many beats a bar has.
    """

    kind: ClassVar[str] = "tempo"

    bpm: Number = 120.0
    bar: Count = 4


class GroupMaster(Master, frozen=True, kw_only=True, omit_defaults=True, tag="group"):
    """Scales the intensity of some lamps, or of some of what plays. `over`: groups and
    fixtures, or playables and tiles.
    """

    kind: ClassVar[str] = "group"

    over: tuple[Ref, ...] = ()


class Override(Master, frozen=True, kw_only=True, omit_defaults=True, tag="override"):
    """Sets lamps absolutely while it is in hand, above all that plays and the masters.
    `over`: groups and fixtures. `alone`: its level alone counts; else the highest does.
    """

    kind: ClassVar[str] = "override"

    over: tuple[Ref, ...] = ()
    alone: bool = True


AnyMaster = GrandMaster | Blackout | Tempo | GroupMaster | Override

EVERY_SHOW: dict[str, AnyMaster] = {
    GRAND.id: GrandMaster(id=GRAND.id, name=tr("Grand master")),
    BLACKOUT.id: Blackout(id=BLACKOUT.id, name=tr("Blackout")),
    TEMPO.id: Tempo(id=TEMPO.id, name=tr("Tempo")),
}
"""The masters that every show has."""
