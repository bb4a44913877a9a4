"""The compiled show: the rig, and what plays compiled before it is asked for."""

from __future__ import annotations

import logging
import math
from collections.abc import Callable, Hashable, Iterable, Iterator
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from choreon.model.inputs import Merge
from choreon.model.motion import Effect, Effects
from choreon.model.playables import AnyPlayable, kind_of
from choreon.model.refs import COLLECTION_OF, GROUP, IMAGE, MARK, PALETTE, Ref
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.effects import ROOM, CompiledEffects, LiveEffects, compile_effects
from choreon.render.fades import Fade, Reach
from choreon.render.left_out import compile_most
from choreon.render.live import Live
from choreon.render.looks import (
    Angles,
    CompiledLook,
    Piece,
    assemble,
    safe_piece_of,
)
from choreon.render.masters import CompiledMasters, dimmer_rows
from choreon.render.ready import ReadyRows, rows_of
from choreon.render.recent import InUse, Recent
from choreon.render.rig import Floats, Rig
from choreon.render.sources import SOURCES, CompileContext, Source
from choreon.render.sources.dimmed import Dimmed
from choreon.render.sources.shaped import shaped
from choreon.render.state import Going, Player, PlayState, Ready, Step, Time, replace

if TYPE_CHECKING:
    from choreon.render.plan import Base, Plan

log = logging.getLogger(__name__)


class SourceKey(NamedTuple):
    """What tells the source of a step from others: a playable's id, which way its heads
    reach their points, the families that are taken of it, the fixtures that it gives no
    light, how much of its light it gives, and what its cursor says of it.
    """

    playable: str
    aims: tuple[tuple[str, Angles], ...] = ()
    only: tuple[str, ...] = ()
    dark: tuple[str, ...] = ()
    level: float = 1.0
    cursor: Hashable = None

    @property
    def plain(self) -> bool:
        """Whether it is the playable as it is stored."""
        return self == SourceKey(self.playable)


DRAFTS, FADES, BASES, VARIANTS = 64, 64, 48, 128  # how many of each are kept
PILES = 32  # fades of more than two looks that are kept: they are large, and soon over


def key_of(step: Step) -> SourceKey:
    """Returns what tells the source of a step from others."""
    aims = tuple(step.aims.items())
    own = (step.only, step.dark, step.level, step.cursor.key)
    return SourceKey(step.ref.id, aims, *own)


class CompiledShow:
    """A show ready to be rendered. What is kept follows from the show alone and changes
    no result. Safe to be asked by one thread while another compiles.
    """

    def __init__(
        self, show: Show, rig: Rig, left_out: dict[str, str] | None = None
    ) -> None:
        self.show, self.rig = show, rig
        self.left_out = left_out or {}
        """Fixtures and playables that cannot be compiled, and why."""
        self.nothing = CompiledLook(rig)
        self.sources: dict[SourceKey, Source] = {}

        self.variants: InUse[SourceKey, Source] = InUse(VARIANTS)
        """Those of certain ways of heads, families and lamps: presses bring ever new
        ones.
        """
        self.pieces: dict[str, tuple[object, Piece]] = {}
        self.drafts: Recent[
            tuple[int, int], tuple[Look, Effects, CompiledLook | CompiledEffects]
        ] = Recent(DRAFTS)

        self._draft_lives: Recent[
            tuple[int, int], tuple[CompiledEffects, Going, LiveEffects]
        ]

        self._draft_lives = Recent(DRAFTS)
        self.fades: InUse[tuple[CompiledLook, ...], Fade] = InUse(FADES)
        self.piles: InUse[tuple[CompiledLook, ...], Fade] = InUse(PILES)
        self.bases: Recent[object, Base] = Recent(BASES)
        self.merges: Recent[tuple[CompiledLook, ...], CompiledLook] = Recent(BASES)
        # with what it was made of, which is not made anew meanwhile
        self._ready: Recent[tuple[int, int], tuple[Ready, ReadyRows]] = Recent(BASES)
        self._reaches: Recent[tuple[str, ...], Reach] = Recent(BASES)

        self.plan: Plan | None = None
        self.routes: dict[tuple[str, str], dict[str, Angles]] = {}
        """How heads reach their points in cues that come by themselves: by player and
        cue. Put there ahead of the frames; without them heads go the usual way.
        """

    def source(self, step: Step) -> Source | None:
        """Returns what a step plays; None where that is gone or gives no light."""
        key = key_of(step)
        found = self._source_of(key)
        if found is None and (step.dark or step.level != 1.0):
            whole = self.source(replace(step, dark=(), level=1.0))
            if whole is not None:
                found = Dimmed(whole, self._light_left(step))
                self.keep(key, found)
        elif found is None:
            playable = self.show.playables.get(step.ref.id)
            compile_ = SOURCES.get(step.ref.kind)
            if playable is None or compile_ is None or playable.ref != step.ref:
                return None

            try:
                if step.only:
                    playable = shaped(self.show, playable, step.only)

                found = compile_(self._kitchen_of(step), playable, step.aims)
            except Exception as error:
                if playable.id not in self.left_out:
                    log.exception("%s cannot be compiled", playable.ref)

                self.left_out[playable.id] = f"{type(error).__name__}: {error}"
                return None

            self.keep(key, found)

        return found

    def source_kept(self, step: Step) -> Source | None:
        """Returns what a step plays where that is compiled already."""
        return self._source_of(key_of(step))

    def same_part(self, after: Show, step: Step) -> bool:
        """Returns whether a step plays the same in another state of the show."""
        new = after.playables.get(step.ref.id)
        old = self.show.playables.get(step.ref.id)
        return new is not None and _same_part(old, new, key_of(step))

    def _light_left(self, step: Step) -> Floats:
        """How much of its light (I + 1) a step gives each lamp, 0…1."""
        left = np.full(self.rig.intensities + 1, step.level)
        left[dimmer_rows(self.rig, step.dark)] = 0.0
        return left

    def _source_of(self, key: SourceKey) -> Source | None:
        if key.plain:
            return self.sources.get(key)
        found = self.variants.known(key)
        if found is not None:
            self.variants.put(key, found)  # used just now
        return found

    def keep(self, key: SourceKey, source: Source) -> None:
        """Keep a source that was compiled."""
        if key.plain:
            self.sources[key] = source
        else:
            self.variants.put(key, source)

    def _kitchen_of(self, step: Step) -> CompileContext:
        """What a source is compiled from; of some families where what it plays is to
        give only those. Not kept: what holds itself is not freed when it is let go.
        """

        def source_of(ref: Ref, only: tuple[str, ...] = ()) -> Source | None:
            families = _both(step.only, only)
            return self.source(Step(ref=ref, only=families))

        return CompileContext(self.show, self.rig, source_of, step.cursor.key)

    def ready_rows(self, ready: Ready) -> ReadyRows:
        """Returns what goes ahead in the dark, worked out once."""
        key = (id(ready.before), id(ready.after))
        return self._ready.get(key, lambda: (ready, rows_of(self.rig, ready)))[1]

    def reaches(self, step: Step) -> list[Reach]:
        """Returns the lamps that come to a step in times of their own, a part each."""
        return [
            self._reaches.get(one.fixtures, lambda one=one: self._reach(one.fixtures))  # type: ignore[misc]
            for one in step.lamps
        ]

    def _reach(self, fixtures: tuple[str, ...]) -> Reach:
        rig = self.rig
        lamps = np.zeros(rig.intensities + 1, bool)
        lamps[dimmer_rows(rig, fixtures)] = True
        rows = np.zeros(rig.size + rig.channels, bool)
        for fixture in fixtures:
            for cells in rig.where.get(fixture, {}).values():
                rows[[row for _, row in cells]] = True
            for channels in rig.direct.get(fixture, {}).values():
                rows[[rig.size + channel for _, channel, *_ in channels]] = True
        return Reach(lamps, rows)

    @cached_property
    def masters(self) -> CompiledMasters:
        """The masters, and which lamps each reaches."""
        return CompiledMasters(self.show, self.rig)

    def source_of(self, ref: Ref) -> Source | None:
        """Returns what something plays."""
        return self.source(Step(ref=ref))

    def look_of(self, step: Step) -> CompiledLook:
        """Returns what a step gives, of what moves all that it ever gives; nothing
        where it is gone.
        """
        source = self.source(step)
        return self.nothing if source is None else source.look

    def live_of(self, step: Step) -> Live | None:
        """Returns what a layer asks of a step that moves; None where it stands."""
        source = self.source(step)
        return None if source is None else source.live(step.cursor.ahead)

    def stored(self, step: Step, time: Time) -> Look:
        """Returns what is stored of a step that is seen at its own time."""
        source = self.source(step)
        return {} if source is None else source.stored(time)

    def place(self, step: Step, time: Time) -> str:
        """Returns where in a step that is, in words."""
        source = self.source(step)
        return "" if source is None else source.place(time)

    def running(self, step: Step, time: Time) -> list[Effect]:
        """Returns the effects of a step as they run at its own time."""
        source = self.source(step)
        if source is None or source.still:
            return []
        return source.running(step.cursor, time)

    def fade(self, looks: tuple[CompiledLook, ...]) -> Fade:
        """Returns looks compiled together, as they follow each other in a player."""
        kept = self.fades if len(looks) <= 2 else self.piles
        return kept.get(looks, lambda: Fade(self.rig, looks))

    def draft(
        self, look: Look, effects: Effects = ()
    ) -> CompiledLook | CompiledEffects:
        """Returns a draft's look, with its effects, compiled once for as long as both
        stay the same objects; of its fixtures only those whose values are another
        object than last time.
        """
        key = (id(look), id(effects))
        return self.drafts.get(
            key, lambda: (look, effects, self._draft(look, effects))
        )[2]

    def _draft(self, look: Look, effects: Effects) -> CompiledLook | CompiledEffects:
        pieces: dict[str, Piece] = {}
        for fixture, values in look.items():
            known = self.pieces.get(fixture)
            if known is None or known[0] is not values:
                made = safe_piece_of(self.rig, self.show, fixture, values)
                known = self.pieces[fixture] = (values, made)
            pieces[fixture] = known[1]
        static = assemble(self.rig, pieces, {})
        if not any(effect.on for effect in effects):
            return static
        return compile_effects(self.show, self.rig, static, effects, {})

    def draft_live(
        self, moving: CompiledEffects, going: Going, apart: bool
    ) -> LiveEffects:
        """Returns what a draft that moves gives; with `apart` one that nobody else
        has.
        """
        if apart:
            return moving.live(going.offsets)
        key = (id(moving), id(going.offsets))
        made = self._draft_lives.get(
            key, lambda: (moving, going, moving.live(going.offsets))
        )
        return made[2]

    def settles(self, state: PlayState) -> float:
        """Returns when a state stands still, unless something is asked; `inf` where
        something in it moves by itself.
        """
        if any(self._moves(step) for p in state.players for step in p.steps):
            return math.inf
        draft = state.draft
        for effects in (draft.effects, *(one.effects for one in draft.leaving)):
            if any(effect.on for effect in effects):
                return math.inf
        return state.settles()

    def _moves(self, step: Step) -> bool:
        """Whether a step moves by itself, and does not pause."""
        source, cursor = self.source(step), step.cursor
        if source is None or source.still:
            return False
        return not cursor.pauses

    def turn(self) -> None:
        """A new plan is made: what the last one asked for is there for it."""
        self.variants.turn()
        self.fades.turn()
        self.piles.turn()

    def forget_frames(self) -> None:
        """Forget what was kept from frame to frame: one failed, and may have left it
        half done.
        """
        self.plan = None
        self.bases, self.merges = Recent(BASES), Recent(BASES)
        self._draft_lives = Recent(DRAFTS)
        self.rig.__dict__.pop("encoder", None)

    # ahead of its use

    def warm(self, state: PlayState) -> None:
        """Compile all that plays in a state ahead of its use."""
        self.rig.prepare()
        _ = self.masters
        for player in state.players:
            self.warm_player(player)
        for hand in (*state.live, *state.asides):
            self.draft(hand.look)
        for one in state.draft.leaving:
            self.draft(one.look, one.effects)
        self.draft(state.draft.look, state.draft.effects)

    def warm_player(self, player: Player) -> None:
        """Compile what a player plays, and the fade it is in, ahead of its use."""
        looks = tuple(self.look_of(step) for step in player.steps)
        if len(looks) > 1:
            self.fade(looks)
        if player.size < 1.0:
            for step in player.steps:
                source = self.source(step)
                if source is not None:
                    source.prepare(player.size)


def compile_show(show: Show, before: CompiledShow | None = None) -> CompiledShow:
    """Compile a show, taking over from `before` what did not change: all that plays
    whose palettes and marks still mean the same.
    """
    if before is None or not _same_rig(before.show, show):
        others = passed_on(show)
        return CompiledShow(show, *compile_most(show.types, show.fixtures, others))

    left_out = {i: w for i, w in before.left_out.items() if i in show.fixtures}
    made = CompiledShow(show, before.rig, left_out)
    moved = changed_links(before.show, show)

    def still_right(
        known: Iterable[tuple[SourceKey, Source]],
    ) -> Iterator[tuple[SourceKey, Source]]:
        for key, source in known:
            kept = _kept(key, source, before.show, show, moved)
            if kept is not None:
                yield key, kept

    made.sources.update(still_right(before.sources.items()))
    made.variants = before.variants.only(still_right(before.variants.items()))

    made.fades, made.piles = before.fades, before.piles
    made.bases, made.merges = before.bases, before.merges
    made.nothing = before.nothing

    if _same_masters(before.show, show):
        made.masters = before.masters

    if not any(_in_drafts(link) for link in moved):
        made.pieces, made.drafts = dict(before.pieces), before.drafts

    return made


def _kept(
    key: SourceKey, source: Source, before: Show, after: Show, moved: set[str]
) -> Source | None:
    """What a compiled source is after an edit that moved some links; None where it has
    to be compiled anew.
    """
    new = after.playables.get(key.playable)
    if new is None or not _same_part(before.playables.get(key.playable), new, key):
        return None
    if not moved & source.uses:
        return source
    # heads that were planned another way round are planned anew
    return source.followed(after, moved) if key.plain else None


def _same_rig(before: Show, after: Show) -> bool:
    same = before.types is after.types and before.fixtures is after.fixtures
    return same and passed_on(before) == passed_on(after)


def passed_on(show: Show) -> frozenset[int]:
    """Returns the universes that other desks lie over: they are sent, though none of
    our fixtures lie there.
    """
    desks = show.desks.values()
    laid = (desk for desk in desks if desk.on and desk.merge != Merge.CONTROLS)
    return frozenset(d.universe for d in laid if 1 <= d.universe <= LAST_UNIVERSE)


LAST_UNIVERSE = 63_999  # of sACN: ANSI E1.31, 6.2.7


def _same_masters(before: Show, after: Show) -> bool:
    """Whether masters reach the same lamps, and the same tiles."""
    same = before.masters is after.masters and before.groups is after.groups
    return same and before.pages is after.pages


def _in_drafts(link: str) -> bool:
    """Whether a draft may follow a link: it does not play anything."""
    return link.partition(":")[0] not in SOURCES


def _same_light(before: AnyPlayable | None, after: AnyPlayable | None) -> bool:
    """Whether two versions of a playable give the same light: their looks are the same
    objects, only its name or its times are not.
    """
    if before is after:
        return True
    if before is None or after is None or before.kind != after.kind:
        return False

    light = kind_of(before).light
    old, new = light(before), light(after)
    if old is None or new is None:
        return False
    return all(a is b or a == b for a, b in zip(old, new, strict=True))


def _same_part(before: AnyPlayable | None, after: AnyPlayable, key: SourceKey) -> bool:
    """Whether what a key tells of a playable gives the same light as before. A part
    that is gone is what it was, for as long as it is on.
    """
    if before is after:
        return True
    light_at = kind_of(after).light_at
    if light_at is None or before is None or before.kind != after.kind:
        return _same_light(before, after)

    old, new = light_at(before, key.cursor), light_at(after, key.cursor)
    if old is None or new is None:
        return True
    return all(a is b or a == b for a, b in zip(old, new, strict=True))


def _both(one: tuple[str, ...], other: tuple[str, ...]) -> tuple[str, ...]:
    """The families that both name; none named is all of them."""
    if not one or not other:
        return one or other
    # no family at all is not the same as all of them
    return tuple(f for f in one if f in other) or NO_FAMILY


NO_FAMILY = ("none",)


def changed_links(before: Show, after: Show) -> set[str]:
    """Returns the links that mean something else, or nothing any more, or something at
    last; refs of what plays among them. Another name changes nothing.
    """
    found = {ROOM} if before.room is not after.room else set()
    if before.playables is not after.playables:
        both = {**before.playables, **after.playables}
        for i, playable in both.items():
            if not _same_light(before.playables.get(i), after.playables.get(i)):
                found.add(str(playable.ref))

    for kind, meaning in _MEANINGS.items():
        old, new = (getattr(show, COLLECTION_OF[kind]) for show in (before, after))
        if old is new:
            continue

        for i in {**old, **new}:
            same = old.get(i) is new.get(i)
            if not same and _means(meaning, old.get(i)) != _means(meaning, new.get(i)):
                found.add(str(Ref(kind, i)))

    return found


def _means(meaning: Callable[[Any], object], thing: object) -> object:
    return None if thing is None else (meaning(thing),)


_MEANINGS: dict[str, Callable[[Any], object]] = {
    GROUP: lambda group: group.fixtures,
    IMAGE: lambda image: (image.data, image.key, image.times),
    MARK: lambda mark: (mark.x, mark.y, mark.z),
    PALETTE: lambda palette: (palette.values, palette.each, palette.motion),
}
"""What a link to a thing of a kind stands for."""
