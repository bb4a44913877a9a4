"""How a state is composed until something of it settles: what stands is laid once."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import chain, combinations

import numpy as np

from choreon.render.compiled import CompiledShow
from choreon.render.drafts import Drafted, drafts_of
from choreon.render.layers import Crowd, Fading, Moving, Single
from choreon.render.lights import Lights
from choreon.render.live import Live
from choreon.render.looks import CompiledLook, merged
from choreon.render.masters import MasterReach
from choreon.render.pile import Pile
from choreon.render.rig import Flags, Floats, Ints, Rig
from choreon.render.sources.together import share_things
from choreon.render.state import Pace, Player, PlayState, Step

Still = tuple[tuple[CompiledLook, float], ...]
"""Looks that stand, lowest first, and how far each is on."""


AnyLayer = Single | Moving | Fading
MOST_LIFTING = 6  # of those that are lifted at once, each doubles what is worked out


@dataclass
class Stratum:
    """Layers between one that changes what lies below it and the next: the levels
    (I + 1) of those that stand, the places of those that move, and who ends it.
    """

    still: Floats
    movers: list[AnyLayer]
    ended_by: AnyLayer | None = None


@dataclass
class Base:
    """What layers that stand come to."""

    pile: Pile
    lights: Lights


def _base(rig: Rig, below: Still, all_still: Still) -> Base:
    """Lay the lowest layers on home. `all_still` light the lamps; where all of them are
    wholly on, that makes no difference to what the lowest come to.
    """
    lights = Lights(rig, len(all_still))
    for who, (look, weight) in enumerate(all_still):
        light = look.shining[1] * weight
        same = look.shining[1] is look.levels
        lights.tell(who, look, light, light if same else look.levels * weight)

    lights.done()
    pile = Pile(rig)

    for who, (look, weight) in enumerate(all_still[: len(below)]):
        if weight >= 1.0:
            pile.put(look)
        else:
            layer = Single(Player("", "", (), level=weight), look, who)
            layer.weight = layer.intensity = weight
            layer.lay(pile, lights, None)

    return Base(pile, lights)


class Plan:
    """How a state is composed, until something of it settles: what stands below is laid
    once, what moves is worked out anew every frame. It is kept by what was compiled, so
    it does not keep that.
    """

    def __init__(
        self, compiled: CompiledShow, state: PlayState, now: float, apart: bool = False
    ) -> None:
        """`apart`: no layers are laid together."""
        self.rig, self.state, self.apart = compiled.rig, state, apart
        self._bases, self._merges = compiled.bases, compiled.merges
        self.since = now
        self.until = np.inf
        self.steady = False  # no layer changes what lies below it

        self._dimmed = False  # masters scale what plays inside of something
        # how strongly (I + 1) what only adds lights the lamps; None for not at all
        self.added: Floats | None = None
        self.moving: list[AnyLayer] = []
        self.above: list[AnyLayer | CompiledLook] = []
        # lowest first: by priority, then by when they were started
        players = sorted(state.players, key=lambda p: p.place)
        layers = [self._layer(compiled, p, n, now) for n, p in enumerate(players)]
        there = [layer for layer in layers if layer is not None]
        _find_lifted([layer for layer, _ in there], now)

        found = _move_partial(
            there,
            drafts_of(compiled, state, now),
            compiled.masters.held_rows(state.masters),
        )
        self.strata = _strata(compiled.rig, found)
        self.found = found
        self.lifting = _that_matter(found)[-MOST_LIFTING:]
        # all below the first that moves is laid once, as the base
        first = next((i for i, m in enumerate(found) if m[1]), len(found))

        standing = [layer for layer, moves in found if not moves]
        self.still: Still = tuple((s.look, s.player.level) for s in standing)  # type: ignore[union-attr]
        self.below = self.still[:first]
        self._stack(found[first:])

    def _layer(
        self, compiled: CompiledShow, player: Player, who: int, now: float
    ) -> tuple[AnyLayer, bool] | None:
        """The layer of a player, and whether it moves; None where it is out."""
        if player.gone(now) or not player.steps:
            return None

        steps = player.steps[-1:] if player.steps[-1].done(now) else player.steps
        looks = tuple(compiled.look_of(step) for step in steps)
        pace = Pace(player.rate, self.state.clock.bpm)
        lives = _lives(compiled, player, steps, pace)

        if not player.settled(now):
            self.until = min(self.until, _next_change(player, now))

        if len(looks) > 1:
            fading = Fading(player, compiled.fade(looks), lives, who)
            fading.apart = [compiled.reaches(step) for step in steps[1:]]
            return fading, True

        live = lives[0]
        if live is not None:
            return Moving(player, looks[0], live, who), True

        return Single(player, looks[0], who), self.apart or not _stands(player, now)

    def _stack(self, found: list[tuple[AnyLayer, bool]]) -> None:
        """Put together what lies above the lowest that moves: those that stand, side by
        side, as one.
        """
        run: list[CompiledLook] = []
        for layer, moves in found:
            if not moves and isinstance(layer, Single):
                run.append(layer.look)
                continue

            if run:
                self.above.append(self._merged(tuple(run)))
                run = []

            layer.who = len(self.moving)
            self.above.append(layer)
            self.moving.append(layer)

        if run:
            self.above.append(self._merged(tuple(run)))

    def _merged(self, looks: tuple[CompiledLook, ...]) -> CompiledLook:
        return self._merges.get(looks, lambda: merged(self.rig, looks))

    @cached_property
    def crowd(self) -> Crowd | None:
        """The layers that are worked out together; None where that gains nothing, or
        each is asked what it gives.
        """
        if self.apart:
            return None
        plain = [m for m in self.moving if isinstance(m, Single) and m.plain]
        return Crowd(plain) if len(plain) > 1 else None

    @cached_property
    def alone(self) -> list[AnyLayer]:
        """The moving layers that are worked out one by one."""
        crowd = self.crowd.layers if self.crowd is not None else ()
        together = {id(layer) for layer in crowd}
        return [layer for layer in self.moving if id(layer) not in together]

    @cached_property
    def base(self) -> Base:
        """What stands below, with all that stands lighting its lamps."""
        key = (self.below, self.still)
        return self._bases.get(key, lambda: _base(self.rig, self.below, self.still))

    @cached_property
    def given(self) -> Flags:
        """The rows (P) that what stands below gives."""
        found = np.zeros(self.rig.size, bool)
        for look, _ in self.below:
            found[look.plain_rows] = True
        return found

    @cached_property
    def lights(self) -> Lights:
        """Where all that moves tells how strongly it lights its lamps."""
        return Lights(self.rig, len(self.moving), self.base.lights)

    def light(self, now: float, beside: Floats | None) -> tuple[Lights, Floats | None]:
        """Have all that moves tell how strongly it lights its lamps, and find the
        shares of those that are worked out together; `beside`: the light (I + 1) of
        drafts and override faders. Returns who lights what, and the light beside it, to
        which that of what only adds has come.
        """
        if not self.moving:
            return self.base.lights, beside

        lights, crowd = self.lights, self.crowd
        beat = self.state.clock.beat_at(now)
        for layer in self.alone:
            layer.light(lights, now, beat)

        if crowd is not None:
            crowd.light(lights, now)

        lights.done()
        beside = self._with_added(beside)
        if crowd is not None:
            crowd.find_shares(lights, beside)

        if len(self.strata) > 1:
            lights.level = self._changed_levels(lights, now)

        return lights, beside

    def dim(self, low: list[tuple[MasterReach, float]]) -> None:
        """Have group masters scale what plays inside of what moves."""
        if not low and not self._dimmed:
            return
        self._dimmed = bool(low)
        for layer in self.moving:
            layer.dim(low)

    @cached_property
    def _adding(self) -> list[AnyLayer]:
        return [layer for layer in self.moving if layer.player.adds]

    def _with_added(self, beside: Floats | None) -> Floats | None:
        """The light beside what plays, with that of what only adds."""
        if not self._adding:
            return beside
        added = np.zeros(self.rig.intensities + 1)
        for layer in self._adding:
            lamps, light = layer.added
            added[lamps] = np.maximum(added[lamps], light)
        self.added = added
        return added if beside is None else np.maximum(added, beside)

    def _changed_levels(self, lights: Lights, now: float) -> Floats:
        """The intensities (I + 1) where layers change what lies below them. What is
        lifted goes from what comes of it where it is to what comes of it at the top.
        """
        if not self.lifting:
            return self._levels_of(self.strata, lights)

        level = np.zeros_like(lights.level)
        come = [lifting.player.weight.main.at(now) for lifting in self.lifting]

        for taken, strata in self.orders.items():
            weight = 1.0
            for n, share in enumerate(come):
                weight *= share if n in taken else 1.0 - share

            if weight > 0.0:
                level += weight * self._levels_of(strata, lights)

        return level

    @cached_property
    def orders(self) -> dict[frozenset[int], list[Stratum]]:
        """The strata for each choice of those that lift something, by their places
        among them, as if these were at the top already and the others had not begun.
        """
        rig, places = self.rig, range(len(self.lifting))
        chosen = chain.from_iterable(
            combinations(places, count) for count in range(len(places) + 1)
        )
        return {
            frozenset(taken): _strata(
                rig, _lifted(self.found, [self.lifting[n] for n in taken])
            )
            for taken in chosen
        }

    def _levels_of(self, strata: list[Stratum], lights: Lights) -> Floats:
        level = np.zeros_like(lights.level)
        for stratum in strata:
            np.maximum(level, stratum.still, out=level)
            for layer in stratum.movers:
                np.maximum(level, lights.given(layer.who), out=level)
            if stratum.ended_by is not None:
                stratum.ended_by.change_levels(level, self.steady)
        return level

    def holds(self, state: PlayState, now: float) -> bool:
        """Returns whether this is the plan for a state at a time."""
        same = self.state.players is state.players
        drafted = self.state.draft is state.draft
        drafted = drafted and self.state.live is state.live
        drafted = drafted and self.state.masters.grips is state.masters.grips
        timed = self.state.clock is state.clock
        return same and drafted and timed and self.since <= now < self.until


def _lives(
    compiled: CompiledShow, player: Player, steps: tuple[Step, ...], pace: Pace
) -> list[Live | None]:
    """What layers ask of a player's steps that move; None for those that stand."""
    lives = [compiled.live_of(step) for step in steps]
    share_things(lives)
    for live in lives:
        if live is not None:
            live.size, live.pace = player.size, pace
    return lives


def _stands(player: Player, now: float) -> bool:
    """Whether a player may be laid once, until something of it settles."""
    if player.takes_over or player.adds:
        return False
    return player.settled(now) and player.weight.ends_full


def _find_lifted(layers: list[AnyLayer], now: float) -> None:
    """Have layers, lowest first, know what lifts them. One that stands is as far on as
    it is now.
    """
    mains = {layer.player.id: layer for layer in layers}
    lifts: dict[str, list[AnyLayer]] = {}

    for layer in layers:
        main = mains.get(layer.player.lifts)
        if layer.player.lifts and main is not None:
            layer.lift(main)
            main.weigh(now)
            lifts.setdefault(main.player.id, []).append(layer)

    for main_id, those in lifts.items():
        mains[main_id].lifted_by = list(those)
        for place, lifting in enumerate(those):
            lifting.lifted_by = list(those[place + 1 :])


def _that_matter(found: list[tuple[AnyLayer, bool]]) -> list[AnyLayer]:
    """Those that lift something past what changes levels below it, or that does so
    itself.
    """
    layers = [layer for layer, _ in found]
    places = {id(layer): n for n, layer in enumerate(layers)}
    made = []
    for n, layer in enumerate(layers):
        if layer.main is not None:
            between = layers[places[id(layer.main)] : n]
            if any(one.modifies for one in between):
                made.append(layer)
    return made


def _lifted(
    found: list[tuple[AnyLayer, bool]], taken: list[AnyLayer]
) -> list[tuple[AnyLayer, bool]]:
    """Layers, lowest first, with what `taken` lift in the place of them, the highest
    for each; none of those that lift is among them.
    """
    moves = {id(layer): moving for layer, moving in found}
    over = {id(lifting.main): lifting for lifting in taken}
    made: list[tuple[AnyLayer, bool]] = []

    for layer, moving in found:
        main = layer.main
        if main is None:
            if id(layer) not in over:
                made.append((layer, moving))
        elif over.get(id(main)) is layer:
            made.append((main, moves[id(main)]))

    return made


def _strata(rig: Rig, found: list[tuple[AnyLayer, bool]]) -> list[Stratum]:
    """Layers, lowest first, cut behind each that changes what lies below it."""

    def begun() -> Stratum:
        return Stratum(np.zeros(rig.intensities + 1), [])

    strata = [begun()]
    for layer, moves in found:
        here = strata[-1]
        if moves or not isinstance(layer, Single):
            here.movers.append(layer)
            if layer.modifies:
                # what it gives itself lies above what it changes
                here.movers.pop()
                here.ended_by = layer
                strata.append(begun())
                strata[-1].movers.append(layer)

            continue

        lamps, level = layer.look.lamps, layer.look.levels * layer.player.level
        here.still[lamps] = np.maximum(here.still[lamps], level)

    return strata


def _next_change(player: Player, now: float) -> float:
    """When a player next settles in part: a fade within it ends, or its weight does."""
    ends = [player.settles, player.steps[-1].over, player.weight.until]
    return min((end for end in ends if end > now), default=now)


def _move_partial(
    layers: list[tuple[AnyLayer, bool]], drafts: list[Drafted], held: Ints
) -> list[tuple[AnyLayer, bool]]:
    """Have those that stand half up be worked out anew where something that moves
    lights the same lamps, or lies below them: their share depends on it. So does that
    of others then which share lamps with them. `held`: intensity rows in the hand.
    """
    looks = [draft.look for draft in drafts]
    looks += _looks_of([layer for layer, moves in layers if moves])
    if not layers or not (looks or len(held)):
        return layers

    lit = np.zeros(_looks_of([layers[0][0]])[0].rig.intensities + 1, bool)
    lit[held] = True

    while True:
        for look in looks:
            lit[look.shining[0]] = True

        marked = _marked(layers, lit)
        fresh = _newly(layers, marked)
        layers = marked

        if not fresh:
            return layers

        looks = _looks_of(fresh)


def _newly(
    before: list[tuple[AnyLayer, bool]], after: list[tuple[AnyLayer, bool]]
) -> list[AnyLayer]:
    """The layers that have come to move."""
    pairs = zip(before, after, strict=True)
    return [layer for (layer, moved), (_, moves) in pairs if moves and not moved]


def _marked(
    layers: list[tuple[AnyLayer, bool]], lit: Flags
) -> list[tuple[AnyLayer, bool]]:
    """Layers, with those that stand half up moving where they touch lamps that are lit
    by what moves, or where something that moves lies below.
    """
    marked: list[tuple[AnyLayer, bool]] = []
    below = False
    for layer, moves in layers:
        if not moves and isinstance(layer, Single) and layer.player.level < 1.0:
            moves = below or bool((layer.look.touches & lit).any())
        below = below or moves
        marked.append((layer, moves))
    return marked


def _looks_of(layers: list[AnyLayer]) -> list[CompiledLook]:
    """All looks that layers play."""
    looks: list[CompiledLook] = []
    for layer in layers:
        looks += layer.fade.looks if isinstance(layer, Fading) else (layer.look,)
    return looks
