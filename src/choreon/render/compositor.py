"""The compositor: the only place that knows which layer wins.

From below: home values, players by priority and start, the draft, masters, identify,
bytes sent on purpose. It gives a frame, or a frame with its trace. Both are pure
functions of the compiled show, what plays, and the time.

Intensity is the highest of all players; the draft replaces it where it gives one. For
all else a layer has a share. With `own`, the light that it gives the lamp now, and
`others`, the highest that anything else gives it, the share of a layer of weight w is 1
− (1 − w) · others / max(others, own): full where it alone lights the lamp, which so
comes up and goes out in its own colour and place; its weight where others light it as
strongly.

Beside the draft's light the share is 1 − (1 − w) · max(0, 1 − own / (HOLD · drafted)):
a lamp that a fader lights half up keeps the fader's colour when its level is taken in
hand, and leaves it smoothly when the fader goes out.

What stands still is worked out once. Layers below the first one that moves are a base,
kept by what lies in it; each frame begins with a copy.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import msgspec
import numpy as np

from choreon.model import attributes as at
from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.compiled import CompiledShow
from choreon.render.encode import encode, raw_values
from choreon.render.fades import TINY, Fade, Move, part_of
from choreon.render.heads import Trail
from choreon.render.looks import CompiledLook, merged
from choreon.render.rig import FAMILIES, Bytes, Floats, Ints, Rig
from choreon.render.state import (
    Draft,
    Envelope,
    Identify,
    Masters,
    Player,
    PlayState,
    Step,
)

replace = msgspec.structs.replace

HOLD = 0.25  # the part of the draft's light at which a layer below it gives way
BLINK = 0.5  # seconds of light, and of dark, of a lamp that identifies itself


# what is asked of it


def render(compiled: CompiledShow, state: PlayState, now: float) -> Bytes:
    """Returns the frame (U, 512) at time `now`, in the order of the rig's universes."""
    rig = compiled.rig
    canvas = compose(compiled, state, now)
    frame = encode(rig, canvas.values[: rig.size], canvas.raw())
    for sent in state.sent:
        if now < sent.until and sent.universe in rig.universes:
            row = rig.universes.index(sent.universe)
            slots = slice(sent.address - 1, sent.address - 1 + len(sent.slots))
            frame[row, slots] = np.frombuffer(sent.slots, np.uint8)
    return frame


def blend(compiled: CompiledShow, state: PlayState, now: float) -> Floats:
    """Returns every parameter's value (P, in blending units), masters included."""
    return compose(compiled, state, now).values[: compiled.rig.size]


def unmastered(compiled: CompiledShow, state: PlayState, now: float) -> Floats:
    """Returns every parameter's value (P, in blending units) before the masters."""
    return blend(compiled, replace(state, masters=Masters(), identify=None), now)


def levels(compiled: CompiledShow, state: PlayState, now: float) -> Floats:
    """Returns the raw value of every channel (C), in the resolution of its mode."""
    canvas = compose(compiled, state, now)
    raw = raw_values(compiled.rig, canvas.values[: compiled.rig.size])
    driven = canvas.raw()
    if driven is not None:
        raw += driven[1] * (driven[0] - raw)
    return raw


def trace(compiled: CompiledShow, state: PlayState, now: float) -> Trace:
    """Returns what every layer gives at time `now`, lowest first."""
    found = Trace(compiled.rig)
    compose(compiled, state, now, found)
    return found


# what comes out


@dataclass
class Part:
    """One look in one layer. `rows` (n) it gives `values` (n) with a share (n) of what
    is there after it; `lamps` (m) with `levels` (m), as strongly as they come out.
    """

    source: Ref
    player: Player | None
    look: Look
    rows: Ints
    values: Floats
    share: Floats
    lamps: Ints
    levels: Floats
    on: float = 1.0  # how far its levels are on
    replaces: float = 0.0  # how far its levels replace those below; 0: highest wins


@dataclass
class Trace:
    """All parts of all layers, lowest first, and what became of the levels."""

    rig: Rig
    parts: list[Part] = field(default_factory=list)

    def weights(self, row: int) -> list[float]:
        """Returns for each part how much of it is in what comes out on a row that is no
        intensity. What is missing to 1 is home.
        """
        found: list[float] = []
        left = 1.0
        for part in reversed(self.parts):
            place = int(np.searchsorted(part.rows, row))
            there = place < len(part.rows) and part.rows[place] == row
            share = float(part.share[place]) if there else 0.0
            found.append(left * share)
            left *= 1.0 - share
        return found[::-1]

    def strengths(self, lamp: int) -> list[float | None]:
        """Returns for each part the level that it brings a lamp, as it comes out; None
        where it gives it none.
        """
        found: list[float | None] = []
        for part in self.parts:
            there = np.flatnonzero(part.lamps == lamp)
            found.append(float(part.levels[there[0]]) if len(there) else None)
        return found


class Canvas:
    """What the layers come to as they pile up: `values` (P + C, raw values of channels
    after the parameters), the share that raw values have (C), where heads aim.
    """

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.values = np.concatenate([rig.home, np.zeros(rig.channels)])
        self.raw_share = np.zeros(rig.channels)
        self.driven = False  # whether any raw value has a share
        self.trail = Trail(rig.heads)

    def copy(self) -> Canvas:
        """Returns the same once more, to go on from."""
        made = Canvas.__new__(Canvas)
        made.rig, made.driven = self.rig, self.driven
        made.values = self.values.copy()
        made.raw_share = self.raw_share.copy() if self.driven else self.raw_share
        made.trail = self.trail.copy()
        return made

    def raw(self) -> tuple[Floats, Floats] | None:
        """Returns raw values (C) and their share (C); None where there are none."""
        if not self.driven:
            return None
        return self.values[self.rig.size :], self.raw_share

    def _own_raw(self) -> Floats:
        if not self.driven:
            self.driven, self.raw_share = True, np.zeros(self.rig.channels)
        return self.raw_share

    def put(self, look: CompiledLook) -> None:
        """Lay a look wholly over what is there."""
        if self.driven and len(look.freed):
            self.raw_share[look.freed - self.rig.size] = 0.0
        self.values[look.rows] = look.values
        if len(look.channels):
            self._own_raw()[look.channels] = 1.0
        self.trail.replace(look.heads, look.points)

    def blend(
        self,
        look: CompiledLook | Fade,
        values: Floats,
        share: Floats,
        points: Floats | None,
    ) -> None:
        """Lay `values` (n) of a look's rows over what is there by `share` (n)."""
        end = look.first_raw
        rows = look.plain_rows
        before = self.values.take(rows)
        turned = None
        if len(look.heads) and not (self.trail.points is None and points is None):
            here = self.values[self.rig.heads.rows[look.heads]]
            there = values[look.head_rows]
            way = share[look.head_rows[:, 0]]
            turned = self.trail.blend(look.heads, points, here, there, way)
        moved = values[:end] - before
        moved *= share[:end]
        moved += before
        self.values[rows] = moved
        if turned is not None:
            self.values[turned[0]] = turned[1]
        if end < len(look.rows):
            self._blend_raw(look.rows[end:], values[end:], share[end:])

    def _blend_raw(self, rows: Ints, values: Floats, share: Floats) -> None:
        """Raw values over raw values; below them is what the parameters make, so each
        has a share of its own.
        """
        held = self._own_raw()
        channels = rows - self.rig.size
        before = (1.0 - share) * held[channels]
        after = share + before
        mixed = share * values + before * self.values[rows]
        old = self.values[rows]
        self.values[rows] = np.divide(mixed, after, out=old, where=after > 0)
        held[channels] = after

    def free(self, rows: Ints, share: Floats | float) -> None:
        """A target colour ends the raw values that emitters had below it."""
        if self.driven and len(rows):
            self.raw_share[rows - self.rig.size] *= 1.0 - share


class Lights:
    """How strongly layers light each lamp (I + 1; the last one stands for “always
    lit”): the highest and the second highest; and the intensities (I + 1) that come of
    it. Layers may tell again and again, as the time goes on; each tells of the same
    lamps every time.
    """

    def __init__(self, rig: Rig, layers: int, below: Lights | None = None) -> None:
        """`layers`: how many there are to tell. `below`: what lights the lamps already,
        a stranger to all of them.
        """
        count = rig.intensities + 1
        self.lit: Floats = np.zeros((layers + 1, count))
        self._given = self.lit  # intensities; apart only where raw values drive dimmers
        self._strongest = np.empty(self.lit.shape, bool)
        self._rest = np.empty(self.lit.shape)  # large ones are not made anew each frame
        if below is None:
            self._below: Floats = np.zeros(count)
            self.lit[-1, -1] = 1.0
        else:
            self._below = below.level
            self.lit[-1] = below.top
        self.level: Floats = self._below
        self.top: Floats = self.lit[-1]
        self.second = np.zeros(count)

    def tell(
        self, who: int, look: CompiledLook | Fade, light: Floats, level: Floats
    ) -> None:
        """A layer lights its lamps (m): `light`, where that differs `level` as its
        intensities.
        """
        row = self.lit[who]
        row[look.shining[0]] = light
        if level is not light and self._given is self.lit:
            self._given = self.lit.copy()
        if self._given is not self.lit:
            self._given[who, :] = 0.0
            self._given[who, look.lamps] = level

    def done(self) -> None:
        """All layers have told: find out how strong the two strongest are."""
        strongest, rest = self._strongest, self._rest
        self.top = self.lit.max(axis=0)
        np.equal(self.lit, self.top, out=strongest)
        several = np.add.reduce(strongest, axis=0, dtype=np.int32) > 1
        np.logical_not(strongest, out=strongest)
        np.multiply(self.lit, strongest, out=rest)
        self.second = np.where(several, self.top, rest.max(axis=0))
        if len(self.lit) > 1:
            self.level = np.maximum(self._below, self._given[:-1].max(axis=0))

    def others(self, lamps: Ints, own: Floats) -> Floats:
        """Returns the highest light (k) that any layer but one, which gives them `own`
        (k), gives lamps (k).
        """
        top = self.top.take(lamps)
        return np.where(own >= top, self.second.take(lamps), top)


# layers


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


def _snapped(share: Floats, look: CompiledLook | Fade, leaving: bool) -> None:
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

    def light(self, lights: Lights, now: float) -> None:
        """Tell how strongly it lights its lamps now."""
        player, look = self.player, self.look
        self.weight = _weights(player.weight, player.level, now)
        self.intensity = player.weight_at(now)
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
        look = self.look
        claims, row_claim, shine = look.claims
        own = shine * self.intensity
        others = lights.others(claims, own)
        light = None if drafted is None else drafted.top[claims]
        ratio = _ratio(others, own, light)
        share = _share(self.weight, ratio, look.families, row_claim)
        _snapped(share, look, self.player.releasing)
        if canvas.driven and len(look.freed):
            canvas.free(look.freed, share[look.freed_by])
        canvas.blend(look, look.values, share, look.points)
        return share

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
        _snapped(share, fade, self.player.releasing)
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


# what stands still

Still = tuple[tuple[CompiledLook, float], ...]
"""Looks that stand, lowest first, and how far each is on."""


@dataclass
class Base:
    """What layers that stand come to."""

    canvas: Canvas
    lights: Lights


def _base(compiled: CompiledShow, below: Still, all_still: Still) -> Base:
    """Lay the lowest layers on home. `all_still` light the lamps; where all of them are
    wholly on, that makes no difference to what the lowest come to.
    """
    rig = compiled.rig
    lights = Lights(rig, len(all_still))
    for who, (look, weight) in enumerate(all_still):
        light = look.shining[1] * weight
        same = look.shining[1] is look.levels
        lights.tell(who, look, light, light if same else look.levels * weight)
    lights.done()
    canvas = Canvas(rig)
    for who, (look, weight) in enumerate(all_still[: len(below)]):
        if weight >= 1.0:
            canvas.put(look)
        else:
            layer = Single(Player("", "", (), level=weight), look, who)
            layer.weight = layer.intensity = weight
            layer.lay(canvas, lights, None)
    return Base(canvas, lights)


class Plan:
    """How a state is composed, until something of it settles: what stands below is laid
    once, what moves is worked out anew every frame.
    """

    def __init__(
        self, compiled: CompiledShow, state: PlayState, now: float, apart: bool = False
    ) -> None:
        """`apart`: no layers are laid together."""
        self.compiled, self.state = compiled, state
        self.since = now
        self.until = np.inf
        self.moving: list[Single | Fading] = []
        self.above: list[Single | Fading | CompiledLook] = []
        players = sorted(state.players, key=lambda p: p.place)
        layers = [self._layer(p, n, now, apart) for n, p in enumerate(players)]
        found = _move_partial(
            [layer for layer in layers if layer is not None],
            _drafts(compiled, state.draft, now),
        )
        first = next((i for i, m in enumerate(found) if m[1]), len(found))
        standing = [layer for layer, moves in found if not moves]
        self.still: Still = tuple((s.look, s.player.level) for s in standing)  # type: ignore[union-attr]
        self.below = self.still[:first]
        self._stack(found[first:])

    def _layer(
        self, player: Player, who: int, now: float, apart: bool
    ) -> tuple[Single | Fading, bool] | None:
        """The layer of a player, and whether it moves; None where it is out."""
        if player.gone(now) or not player.steps:
            return None
        compiled = self.compiled
        steps = player.steps[-1:] if player.steps[-1].done(now) else player.steps
        looks = tuple(compiled.look_of(step, now) for step in steps)
        stands = player.settled(now) and player.weight.ends_full
        moves = apart or not stands
        if not player.settled(now):
            self.until = min(self.until, _next_change(player, now))
        if len(looks) > 1:
            return Fading(player, compiled.fade(looks), who), True
        return Single(player, looks[0], who), moves

    def _stack(self, found: list[tuple[Single | Fading, bool]]) -> None:
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
        return self.compiled.merges.get(looks, lambda: merged(self.compiled.rig, looks))

    @cached_property
    def base(self) -> Base:
        """What stands below, with all that stands lighting its lamps."""
        key = (self.below, self.still)
        return self.compiled.bases.get(
            key, lambda: _base(self.compiled, self.below, self.still)
        )

    @cached_property
    def lights(self) -> Lights:
        """Where all that moves tells how strongly it lights its lamps."""
        return Lights(self.compiled.rig, len(self.moving), self.base.lights)

    def holds(self, compiled: CompiledShow, state: PlayState, now: float) -> bool:
        """Returns whether this is the plan for a state at a time."""
        same = self.compiled is compiled and self.state.players is state.players
        drafted = self.state.draft is state.draft
        return same and drafted and self.since <= now < self.until


def _next_change(player: Player, now: float) -> float:
    """When a player next settles in part: a fade within it ends, or its weight does."""
    ends = [player.settles, player.steps[-1].over, player.weight.until]
    return min((end for end in ends if end > now), default=now)


def _move_partial(
    layers: list[tuple[Single | Fading, bool]], drafts: list[_Drafted]
) -> list[tuple[Single | Fading, bool]]:
    """Have those that stand half up be worked out anew where something that moves
    lights the same lamps, or lies below them: their share depends on it.
    """
    moving = [layer for layer, moves in layers if moves]
    if not layers or not (moving or drafts):
        return layers
    lit = np.zeros(_rig_of(layers[0][0]).intensities + 1, bool)
    for draft in drafts:
        lit[draft.look.shining[0]] = True
    for layer in moving:
        looks = layer.fade.looks if isinstance(layer, Fading) else (layer.look,)
        for look in looks:
            lit[look.shining[0]] = True
    made: list[tuple[Single | Fading, bool]] = []
    below = False  # whether something that moves lies below
    for layer, moves in layers:
        half = isinstance(layer, Single) and layer.player.level < 1.0
        if not moves and half and isinstance(layer, Single):
            moves = below or bool((layer.look.touches & lit).any())
        below = below or moves
        made.append((layer, moves))
    return made


def _rig_of(layer: Single | Fading) -> Rig:
    return layer.look.rig if isinstance(layer, Single) else layer.fade.rig


# a frame


def compose(
    compiled: CompiledShow,
    state: PlayState,
    now: float,
    found: Trace | None = None,
    alone: bool = False,
) -> Canvas:
    """Lay all layers over each other; with `found`, record what each one gave. `alone`:
    another thread may compose meanwhile.
    """
    rig = compiled.rig
    plan = _plan_for(compiled, state, now, alone or found is not None)
    base = plan.base
    canvas = base.canvas.copy()
    lights = base.lights
    if plan.moving:
        lights = plan.lights
    drafts = _drafts(compiled, state.draft, now)
    drafted = _drafted(rig, drafts)
    for moving in plan.moving:
        moving.light(lights, now)
    if plan.moving:
        lights.done()
    for layer in plan.above:
        if isinstance(layer, CompiledLook):
            canvas.put(layer)
        elif layer.seen:
            share = layer.lay(canvas, lights, drafted, found is not None)
            if found is not None:
                layer.record(found, share, compiled)
    lit = lights.level[:-1]
    if drafts:
        lit = _lay_drafts(canvas, drafts, lights, lit.copy(), found)
    canvas.values[: rig.intensities] = lit * state.masters.scale
    _shade_raw(canvas, state.masters)
    if state.identify is not None:
        _identify(canvas, state.identify, now)
    return canvas


def _plan_for(
    compiled: CompiledShow, state: PlayState, now: float, apart: bool
) -> Plan:
    """The plan for a state; the last one where it still holds."""
    if apart:
        return Plan(compiled, state, now, apart=True)
    plan = compiled.plan
    if plan is None or not plan.holds(compiled, state, now):
        plan = compiled.plan = Plan(compiled, state, now)
    return plan


@dataclass
class _Drafted:
    """A draft on stage."""

    stored: Look
    look: CompiledLook
    weight: float
    leaving: bool
    who: int = 0


def _drafts(compiled: CompiledShow, draft: Draft, now: float) -> list[_Drafted]:
    """The drafts that are to be seen, those that leave first."""
    found = []
    pairs = (*draft.leaving, (draft.look, draft.shown))
    for look, ramp in pairs:
        weight = ramp.at(now)
        if look and weight > 0.0:
            made = compiled.draft(look)
            found.append(_Drafted(look, made, weight, ramp.end == 0.0))
    return found


def _drafted(rig: Rig, drafts: list[_Drafted]) -> Lights | None:
    """How strongly the drafts light lamps; None where there are none."""
    if not drafts:
        return None
    lights = Lights(rig, len(drafts))
    lights.lit[-1, -1] = 0.0
    for who, draft in enumerate(drafts):
        draft.who = who
        light = draft.look.shining[1] * draft.weight
        lights.tell(who, draft.look, light, light)
    lights.done()
    return lights


def _lay_drafts(
    canvas: Canvas,
    drafts: list[_Drafted],
    lights: Lights,
    lit: Floats,
    found: Trace | None,
) -> Floats:
    """Lay the drafts over what plays. Returns the levels (I) after them."""
    drafted = _drafted(canvas.rig, drafts)
    assert drafted is not None
    for draft in drafts:
        look, weight = draft.look, draft.weight
        if weight >= 1.0:
            canvas.put(look)
            share = np.ones(len(look.rows))
        else:
            claims, row_claim, shine = look.claims
            own = shine * weight
            others = np.maximum(lights.top[claims], drafted.others(claims, own))
            ratio = part_of(others, own)
            share = (1.0 - (1.0 - weight) * ratio).take(row_claim)
            _snapped(share, look, draft.leaving)
            canvas.free(look.freed, share[look.freed_by])
            canvas.blend(look, look.values, share, look.points)
        lit[look.lamps] += weight * (look.levels - lit[look.lamps])
        if found is not None:
            found.parts.append(
                Part(
                    Ref("draft", "leaving" if draft.leaving else ""),
                    None,
                    draft.stored,
                    look.rows,
                    look.values,
                    share,
                    look.lamps,
                    weight * look.levels,
                    weight,
                    replaces=weight,
                )
            )
    return lit


def _shade_raw(canvas: Canvas, masters: Masters) -> None:
    """The masters scale raw values of dimmers, and of emitters that are dimmed by what
    they mix with.
    """
    rig = canvas.rig
    if not canvas.driven:
        return
    scale = masters.scale
    factor = np.where(rig.shaded_by < 0, scale, canvas.values[rig.shaded_by])
    canvas.values[rig.size + rig.shaded] *= factor


def _identify(canvas: Canvas, asked: Identify, now: float) -> None:
    """Make fixtures blink above all else: open and white, then dark."""
    if now >= asked.until:
        return
    rig, values = canvas.rig, canvas.values
    lit = int((now - asked.begin) / BLINK) % 2 == 0
    for fixture in asked.fixtures:
        for name, places in rig.where.get(fixture, {}).items():
            rows = [row for _, row in places]
            if name == at.DIMMER:
                values[rows] = 1.0 if lit else 0.0
            elif at.attribute(name).family != at.Family.POSITION:
                values[rows] = rig.home[rows]
        if canvas.driven:
            for driven in rig.direct.get(fixture, {}).values():
                canvas.raw_share[[channel for _, channel, *_ in driven]] = 0.0
