"""What a newer or other Choreon stored and this one cannot play: kept as it is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, ClassVar

from choreon.language import tr
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.problem import Problem

if TYPE_CHECKING:
    from choreon.model.show import Show


class Unknown(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="unknown"):
    """`stored`: all that the file said of it; it is written so again."""

    kind: ClassVar[str] = "unknown"

    stored: dict[str, Any] = {}

    @property
    def stored_kind(self) -> str:
        """The kind that the file names."""
        return str(self.stored.get("kind", ""))


def _check(show: Show, thing: Unknown) -> Iterator[Problem]:
    text = tr(
        "{name} is a {kind}: this Choreon cannot play it; it is kept",
        name=thing.name,
        kind=thing.stored_kind,
    )
    yield Problem(f"playables/{thing.id}/kind", text, "warning")


UNKNOWN = PlayableKind(title="unknown", type=Unknown, check=_check)
