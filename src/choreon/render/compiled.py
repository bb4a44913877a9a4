"""The compiled show: the rig, and what plays compiled before it is asked for."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from choreon.model import links
from choreon.model.show import Palette, Show
from choreon.model.values import Look
from choreon.render.fades import Fade
from choreon.render.looks import (
    Angles,
    CompiledLook,
    Piece,
    assemble,
    piece_of,
)
from choreon.render.recent import Recent
from choreon.render.rig import Rig, compile_rig
from choreon.render.sources import SOURCES, Source
from choreon.render.state import Player, PlayState, Step

if TYPE_CHECKING:
    from choreon.render.plan import Base, Plan

Key = tuple[str, tuple[tuple[str, Angles], ...]]
"""A playable's id, and which way its heads reach their points."""

DRAFTS, FADES, BASES = 16, 128, 48  # how many of each are kept


def key_of(step: Step) -> Key:
    """Returns what tells the source of a step from others."""
    return step.ref.id, tuple(step.aims.items())


class CompiledShow:
    """A show ready to be rendered. What is kept follows from the show alone and changes
    no result. Safe to be asked by one thread while another compiles.
    """

    def __init__(self, show: Show, rig: Rig) -> None:
        self.show, self.rig = show, rig
        self.nothing = CompiledLook(rig)
        self.sources: dict[Key, Source] = {}
        self.pieces: dict[str, tuple[object, Piece]] = {}
        self.drafts: Recent[int, tuple[Look, CompiledLook]] = Recent(DRAFTS)
        self.fades: Recent[tuple[CompiledLook, ...], Fade] = Recent(FADES)
        self.bases: Recent[object, Base] = Recent(BASES)
        self.merges: Recent[tuple[CompiledLook, ...], CompiledLook] = Recent(BASES)
        self.plan: Plan | None = None

    def source(self, step: Step) -> Source | None:
        """Returns what a step plays; None where that is gone or gives no light."""
        key = key_of(step)
        found = self.sources.get(key)
        if found is None:
            playable = self.show.playables.get(step.ref.id)
            compile_ = SOURCES.get(step.ref.kind)
            if playable is None or compile_ is None or playable.ref != step.ref:
                return None
            found = compile_(self.show, self.rig, playable, step.aims)
            self.sources[key] = found
        return found

    def look_of(self, step: Step, now: float) -> CompiledLook:
        """Returns what a step gives at a time; nothing where it is gone."""
        source = self.source(step)
        return self.nothing if source is None else source.at(step.cursor, now)

    def fade(self, looks: tuple[CompiledLook, ...]) -> Fade:
        """Returns looks compiled together, as they follow each other in a player."""
        return self.fades.get(looks, lambda: Fade(self.rig, looks))

    def draft(self, look: Look) -> CompiledLook:
        """Returns a draft's look, compiled once for as long as it stays the same
        object; of its fixtures only those whose values are another object than last
        time.
        """
        return self.drafts.get(id(look), lambda: (look, self._draft(look)))[1]

    def _draft(self, look: Look) -> CompiledLook:
        pieces: dict[str, Piece] = {}
        for fixture, values in look.items():
            known = self.pieces.get(fixture)
            if known is None or known[0] is not values:
                made = piece_of(self.rig, self.show, fixture, values)
                known = self.pieces[fixture] = (values, made)
            pieces[fixture] = known[1]
        return assemble(self.rig, pieces, {})

    def settles(self, state: PlayState) -> float:
        """Returns when a state stands still, unless something is asked; `inf` where
        something in it moves by itself.
        """
        for player in state.players:
            source = self.source(player.steps[-1])
            if source is not None and not source.still:
                return math.inf
        return state.settles()

    # ahead of its use

    def warm(self, state: PlayState) -> None:
        """Compile all that plays in a state ahead of its use."""
        for player in state.players:
            self.warm_player(player)
        for look, _ in state.draft.leaving:
            self.draft(look)
        self.draft(state.draft.look)

    def warm_player(self, player: Player) -> None:
        """Compile what a player plays, and the fade it is in, ahead of its use."""
        looks = tuple(self.look_of(step, step.at) for step in player.steps)
        if len(looks) > 1:
            self.fade(looks)

    def warm_all(self) -> None:
        """Compile everything that the show can play."""
        for playable in self.show.playables.values():
            self.source(Step(ref=playable.ref))


def compile_show(show: Show, before: CompiledShow | None = None) -> CompiledShow:
    """Compile a show, taking over from `before` what did not change: all that plays
    whose palettes and marks still mean the same.
    """
    if before is None or not _same_rig(before.show, show):
        return CompiledShow(show, compile_rig(show.types, show.fixtures))
    made = CompiledShow(show, before.rig)
    moved = changed_links(before.show, show)
    for key, source in list(before.sources.items()):
        kept = _kept(key, source, before.show, show, moved)
        if kept is not None:
            made.sources[key] = kept
    made.fades, made.bases, made.merges = before.fades, before.bases, before.merges
    made.nothing = before.nothing
    if not moved:
        made.pieces, made.drafts = dict(before.pieces), before.drafts
    return made


def _kept(
    key: Key, source: Source, before: Show, after: Show, moved: set[str]
) -> Source | None:
    """What a compiled source is after an edit that moved some links; None where it has
    to be compiled anew.
    """
    playable_id, aims = key
    new = after.playables.get(playable_id)
    if new is None or not _same_light(before.playables.get(playable_id), new):
        return None
    if not moved & source.uses:
        return source
    # heads that were planned another way round are planned anew
    return None if aims else source.followed(after, moved)


def _same_rig(before: Show, after: Show) -> bool:
    return before.types is after.types and before.fixtures is after.fixtures


def _same_light(before: object, after: object) -> bool:
    """Whether two versions of a playable give the same light: their looks are the same
    objects, only its name or its times are not.
    """
    if before is after:
        return True
    look = getattr(before, "look", None)
    return look is not None and look is getattr(after, "look", None)


def changed_links(before: Show, after: Show) -> set[str]:
    """Returns the links that mean something else, or nothing any more, or something at
    last. Another name changes nothing.
    """
    found: set[str] = set()
    if before.marks is not after.marks:
        for i in {**before.marks, **after.marks}:
            link = links.to_mark(i)
            if links.point_of(before, link) != links.point_of(after, link):
                found.add(link)
    if before.palettes is not after.palettes:
        for i in {**before.palettes, **after.palettes}:
            old, new = before.palettes.get(i), after.palettes.get(i)
            if old is new:
                continue
            if old is None or new is None or _means(old) != _means(new):
                found.add(links.to_palette(i))
    return found


def _means(palette: Palette) -> tuple[object, object]:
    return palette.values, palette.each
