"""What makes frames fail is found, and left out: while it is looked for, and where all
else fails, the last good frame goes on.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import NamedTuple

import msgspec

from choreon.language import listed, plural, tr
from choreon.render.state import DraftState, Masters, Player, PlayState

replace = msgspec.structs.replace

SLICE = 0.006  # seconds of a frame that may go into looking


class Suspect(NamedTuple):
    """A part of what plays: one player, what one hand gives, the draft, the masters."""

    kind: str
    id: str = ""


KINDS = ("live", "asides", "sent", "players")


def parts_of(state: PlayState) -> dict[Suspect, object]:
    """Returns the parts of a state that give or change light, and what each is."""
    found: dict[Suspect, object] = {}
    for kind in KINDS:
        for i, one in enumerate(getattr(state, kind)):
            found[Suspect(kind, getattr(one, "id", "") or f"#{i}")] = one
    if not state.draft.empty or state.draft.leaving:
        found[Suspect("draft")] = (state.draft.look, state.draft.effects)
    if state.identify is not None:
        found[Suspect("identify")] = state.identify
    if state.masters != Masters():
        found[Suspect("masters")] = state.masters
    return found


def without(state: PlayState, parts: set[Suspect]) -> PlayState:
    """Returns the state without some of its parts."""
    if not parts:
        return state

    changes: dict[str, object] = {}
    for kind in KINDS:
        if any(part.kind == kind for part in parts):
            changes[kind] = tuple(
                one
                for i, one in enumerate(getattr(state, kind))
                if Suspect(kind, getattr(one, "id", "") or f"#{i}") not in parts
            )

    if Suspect("draft") in parts:
        changes["draft"] = DraftState(revision=state.draft.revision)

    if Suspect("identify") in parts:
        changes["identify"] = None

    if Suspect("masters") in parts:
        changes["masters"] = Masters()

    return replace(state, **changes)


class Culprits:
    """Knows what is left out. `draw(state)` makes a frame of a state, or raises."""

    def __init__(self, draw: Callable[[PlayState], object]) -> None:
        self._draw = draw
        self._out: dict[Suspect, object] = {}
        self._search: Iterator[None] | None = None
        self._hopeless: PlayState | None = None
        self.why = ""  # what the frames failed with, in words

    def harmless(self, state: PlayState) -> PlayState | None:
        """Returns a state without what is known to make frames fail; None where nothing
        can be drawn of it, for now or as long as it stays as it is.
        """
        if self._search is not None:
            return None

        if self._hopeless is not None:
            if state is self._hopeless:
                return None

            self._hopeless = None

        if self._out:
            here = parts_of(state)
            # what has become another thing since then may be well
            self._out = {
                part: thing
                for part, thing in self._out.items()
                if part in here and _same(part, thing, here[part])
            }

        if not self._out:
            self.why = ""

        return without(state, set(self._out))

    def failed(self, state: PlayState, error: Exception) -> None:
        """A frame of a state failed: find out by what of it."""
        self.why = f"{type(error).__name__}: {error}"
        self._search = self._searched(state)

    def search(self) -> bool:
        """Go on looking for a moment. Returns whether it is over."""
        end = time.perf_counter() + SLICE
        while self._search is not None and time.perf_counter() < end:
            if next(self._search, "over") == "over":
                self._search = None
        return self._search is None

    def _works(self, state: PlayState) -> bool:
        try:
            self._draw(state)
        except Exception:
            return False
        return True

    def _searched(self, state: PlayState) -> Iterator[None]:
        parts = parts_of(state)
        out = set(parts)
        if not self._works(without(state, out)):
            self._hopeless = state
            return

        yield
        for part in parts:
            out.discard(part)
            if not self._works(without(state, out)):
                out.add(part)

            yield

        self._out = {part: parts[part] for part in out}
        if not out:
            self.why = ""  # it worked after all

    def told(self) -> str:
        """Returns what is left out, and why, in words; empty where all is well."""
        if self._hopeless is not None:
            return tr(
                "No frame can be worked out of what plays ({why}). The fixtures keep "
                "what was sent last; release what was started last.",
                why=self.why,
            )

        if not self._out:
            return ""
        names = [_name(part, thing) for part, thing in self._out.items()]
        return plural(
            len(names),
            "{names} makes frames fail ({why}) and is left out. The rest plays.",
            "{names} make frames fail ({why}) and are left out. The rest plays.",
            names=listed(names),
            why=self.why,
        )


def _same(part: Suspect, before: object, now: object) -> bool:
    """Whether a part is what it was: a player that plays the same, whatever its level
    is.
    """
    if part.kind == "players":
        return getattr(before, "ref", None) == getattr(now, "ref", None)
    if part.kind == "draft":
        return before == now
    return before is now


def _name(part: Suspect, thing: object) -> str:
    if isinstance(thing, Player):
        return f"“{thing.name or thing.ref.id}”"
    return NAMES[part.kind]


NAMES = {
    "draft": tr("The draft"),
    "identify": tr("Blinking"),
    "masters": tr("A master"),
    "sent": tr("A command"),
    "asides": tr("What is aside"),
    "live": tr("What a tile gives"),
}
