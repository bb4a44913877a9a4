"""Layers: players as they are laid over what is below them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from choreon.model.values import Look
from choreon.render.canvas import Canvas
from choreon.render.compiled import CompiledShow
from choreon.render.fades import TINY, Fade, Move, part_of
from choreon.render.lights import Lights
from choreon.render.looks import CompiledLook
from choreon.render.rig import FAMILIES, Floats, Ints
from choreon.render.state import Envelope, Player, Step
from choreon.render.trace import Part, Trace

HOLD = 0.25  # the part of the draft's light at which a layer below it gives way


def _weights(envelope: Envelope, level: float, now: float) -> float | Floats:
    """How far a layer is on: one number, or one for each of FAMILIES."""
    if not envelope.families:
        return envelope.main.at(now) * level
    return np.array([envelope.of(f).at(now) for f in FAMILIES]) * level


def _ratio(others: Floats, own: Floats, drafted: Floats | None) -> Floats:
    """How far a layer has to share lamps (k) with others, 0…1."""
    ratio = part_of(others, own)
    if drafted is None:
        return ratio
    least = HOLD * drafted
    gives_way = np.maximum(0.0, least - own) / np.maximum(least, TINY)
    return np.maximum(ratio, gives_way)


def _share(
    weight: float | Floats, ratio: Floats, families: Ints, row_claim: Ints
) -> Floats:
    """The share of each row (n); `ratio` (k) as _ratio gives it."""
    if isinstance(weight, float):
        return (1.0 - (1.0 - weight) * ratio).take(row_claim)
    own = weight[families]
    return 1.0 - (1.0 - own) * ratio.take(row_claim)


def snap(share: Floats, look: CompiledLook | Fade, leaving: bool) -> None:
    """What snaps does so while the lamp is dark, else when a fade begins."""
    if look.first_snap == look.first_raw:
        return
    snaps = slice(look.first_snap, look.first_raw)
    part = share[snaps]
    share[snaps] = part >= 1.0 if leaving else part > 0.0


class Single:
    """A player that plays one look."""

    def __init__(self, player: Player, look: CompiledLook, who: int) -> None:
        self.player, self.look, self.who = player, look, who
        self.share: Floats | None = None  # that a crowd has worked out for it

    @property
    def plain(self) -> bool:
        """Whether it can be worked out in a crowd: one weight for all families, and
        its levels are all that lights its lamps.
        """
        look = self.look
        return not self.player.weight.families and look.shining[1] is look.levels

    def weigh(self, now: float) -> None:
        """Find out how far it is on now."""
        player = self.player
        if player.weight.families:
            self.weight = _weights(player.weight, player.level, now)
            self.intensity = player.weight_at(now)
        else:
            self.weight = self.intensity = player.weight.main.at(now) * player.level

    def light(self, lights: Lights, now: float) -> None:
        """Tell how strongly it lights its lamps now."""
        self.weigh(now)
        look = self.look
        light = look.shining[1] * self.intensity
        same = look.shining[1] is look.levels
        level = light if same else look.levels * self.intensity
        lights.tell(self.who, look, light, level)

    @property
    def seen(self) -> bool:
        """Whether it is on at all."""
        on = self.weight
        there = on > 0.0 if isinstance(on, float) else bool(on.any())
        return there or self.player.releasing

    def lay(
        self,
        canvas: Canvas,
        lights: Lights,
        drafted: Lights | None,
        explain: bool = False,
    ) -> Floats:
        """Lay it over what is there. Returns the share (n) that its rows got."""
        look, share = self.look, self.share
        if share is None:
            share = self._share(lights, drafted)
            snap(share, look, self.player.releasing)
        if canvas.driven and len(look.freed):
            canvas.free(look.freed, share[look.freed_by])
        canvas.blend(look, look.values, share, look.points)
        return share

    def _share(self, lights: Lights, drafted: Lights | None) -> Floats:
        claims, row_claim, shine = self.look.claims
        own = shine * self.intensity
        others = lights.others(claims, own)
        light = None if drafted is None else drafted.top[claims]
        ratio = _ratio(others, own, light)
        return _share(self.weight, ratio, self.look.families, row_claim)

    def record(self, found: Trace, share: Floats, compiled: CompiledShow) -> None:
        """Put what it gave into a trace."""
        step, look = self.player.steps[-1], self.look
        found.parts.append(
            Part(
                step.ref,
                self.player,
                _stored(compiled, step),
                look.rows,
                look.values,
                share,
                look.lamps,
                look.levels * self.intensity,
                self.intensity,
            )
        )


class Crowd:
    """Plain layers whose shares are worked out in one go. What they come to is the same
    to the last bit as one by one; with many layers it takes a fraction of the time.
    """

    def __init__(self, layers: Sequence[Single]) -> None:
        self.layers = tuple(layers)
        looks = [layer.look for layer in layers]
        lamps = looks[0].rig.intensities + 1
        self._light = np.concatenate([look.levels for look in looks])
        self._lit_at = np.concatenate(
            [layer.who * lamps + layer.look.shining[0] for layer in layers]
        )
        self._lit_by = _which([len(look.levels) for look in looks])
        claims, row_claims, shines = zip(*(look.claims for look in looks), strict=True)
        counts = [len(own) for own in claims]
        starts = np.cumsum([0, *counts])
        self._claims = np.concatenate(claims)
        self._shine = np.concatenate(shines)
        self._claimed_by = _which(counts)
        self._row_claim = np.concatenate(
            [own + start for own, start in zip(row_claims, starts[:-1], strict=True)]
        )
        self._rows_end = np.cumsum([len(own) for own in row_claims]).tolist()
        snaps = [
            np.arange(look.first_snap, look.first_raw) + end - len(look.rows)
            for look, end in zip(looks, self._rows_end, strict=True)
        ]
        self._snaps = np.concatenate(snaps)
        self._snapped_by = _which([len(own) for own in snaps])

    def light(self, lights: Lights, now: float) -> None:
        """Tell how strongly they light their lamps now."""
        for layer in self.layers:
            layer.weigh(now)
        self._intensity = np.array([layer.intensity for layer in self.layers])
        light = self._light * self._intensity.take(self._lit_by)
        lights.tell_all(self._lit_at, light)

    def find_shares(self, lights: Lights, drafted: Lights | None) -> None:
        """Find the share of each of them."""
        own = self._shine * self._intensity.take(self._claimed_by)
        others = lights.others(self._claims, own)
        light = None if drafted is None else drafted.top[self._claims]
        ratio = _ratio(others, own, light)
        weight = np.array([layer.weight for layer in self.layers], float)
        share = 1.0 - (1.0 - weight).take(self._claimed_by) * ratio
        shares = share.take(self._row_claim)
        snaps = shares.take(self._snaps)
        leaving = np.array([layer.player.releasing for layer in self.layers])
        leaves = leaving.take(self._snapped_by)
        shares[self._snaps] = np.where(leaves, snaps >= 1.0, snaps > 0.0)
        begin = 0
        for layer, end in zip(self.layers, self._rows_end, strict=True):
            layer.share = shares[begin:end]
            begin = end


def _which(counts: Sequence[int]) -> Ints:
    """The place of the layer that each of so many belongs to."""
    return np.repeat(np.arange(len(counts)), counts)


class Fading:
    """A player on its way from one look to another."""

    def __init__(self, player: Player, fade: Fade, who: int) -> None:
        self.player, self.fade, self.who = player, fade, who

    def light(self, lights: Lights, now: float) -> None:
        """Tell how strongly it lights its lamps now."""
        player, fade = self.player, self.fade
        self.weight = _weights(player.weight, player.level, now)
        self.intensity = player.weight_at(now)
        self.moves = [_move(step, now) for step in player.steps[1:]]
        light = fade.light(self.moves) * self.intensity
        same = fade.shining[1] is fade.levels
        level = light if same else fade.level(self.moves) * self.intensity
        lights.tell(self.who, fade, light, level)

    @property
    def seen(self) -> bool:
        """Whether it is on at all."""
        on = self.weight
        there = on > 0.0 if isinstance(on, float) else bool(on.any())
        return there or self.player.releasing

    def lay(
        self,
        canvas: Canvas,
        lights: Lights,
        drafted: Lights | None,
        explain: bool = False,
    ) -> Floats:
        """Lay it over what is there. Returns the share (n) that its rows got; with
        `explain` that of each look is in `given`.
        """
        fade = self.fade
        own = fade.light_on_claims(self.moves) * self.intensity
        others = lights.others(fade.claims, own)
        light = None if drafted is None else drafted.top[fade.claims]
        ratio = _ratio(others, own, light)
        if light is not None:
            others = np.maximum(others, light)
        outcome = fade.outcome(self.moves, self.intensity, others, explain)
        share = _share(self.weight, ratio, fade.families, fade.row_claim)
        snap(share, fade, self.player.releasing)
        if canvas.driven and len(fade.freed):
            canvas.free(fade.freed, outcome.freed * share[fade.freed_by])
        canvas.blend(fade, outcome.values, share * outcome.presence, outcome.points)
        self.given = [part * share for part in outcome.given]
        return share

    def record(self, found: Trace, share: Floats, compiled: CompiledShow) -> None:
        """Put what it gave into a trace: each of its looks as a part."""
        left = np.ones(len(share))
        shares: list[Floats] = []
        for given in reversed(self.given):  # as a share of what is there after each
            own = np.divide(given, left, out=np.zeros(len(given)), where=left > 0)
            shares.append(np.minimum(own, 1.0))
            left = left - given
        steps = self.player.steps
        for n, (step, part) in enumerate(zip(steps, shares[::-1], strict=True)):
            look = self.fade.looks[n]
            seen = self.fade.levels[n] > 0
            light = self.fade.levels[n][seen] * self._portion(n)
            found.parts.append(
                Part(
                    step.ref,
                    self.player,
                    _stored(compiled, step),
                    look.rows,
                    look.values,
                    part[self.fade.has[n]],
                    self.fade.lamps[seen],
                    light,
                    self._portion(n),
                )
            )

    def _portion(self, n: int) -> float:
        """How much of the light of its n-th look is left, and has come."""
        come = self.moves[n - 1].rise if n else 1.0
        left = np.prod([1.0 - move.fall for move in self.moves[n:]])
        return float(come * left) * self.intensity


def _move(step: Step, now: float) -> Move:
    """How far a step has come; one that was left stands as it was then."""
    if step.until is not None:
        now = min(now, step.until)
    progress: float | Floats = step.progress.main.at(now)
    if step.progress.families:
        progress = np.array([step.progress.of(f).at(now) for f in FAMILIES])
    return Move(step.progress.level(now), step.fall.at(now), progress)


def _stored(compiled: CompiledShow, step: Step) -> Look:
    """The look of a step as it is stored: with its links."""
    return getattr(compiled.show.playables.get(step.ref.id), "look", {})
