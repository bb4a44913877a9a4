"""The compositor: lays the layers in their order, and has the last word of each value.

From below: home values, players by priority and start, what tiles give live, the draft,
group masters, lamps that are aside, grand master and blackout, override faders,
identify, bytes sent on purpose. It gives a frame, or a frame with its trace. Both are
pure functions of the compiled show, what plays, and the time.

Intensity is the highest of all players; the draft replaces it where it gives one. For
all else a layer has a share. With `own`, the light that it gives the lamp now, and
`others`, the highest that anything else gives it, the share of a layer of weight w is 1
− (1 − w) · others / max(others, own): full where it alone lights the lamp, which so
comes up and goes out in its own colour and place; its weight where others light it as
strongly.

Beside the draft's light, and that of what only adds, `own` and `others` are seen as
parts of HOLD · beside where that is more: the share is
1 − (1 − w) · (1 − max(0, own − others) / max(own, others, HOLD · beside)).
A lamp that a fader lights half up keeps the fader's colour when its level is taken in
hand, and leaves it smoothly when the fader goes out.

What moves by itself counts as lighting a lamp as strongly as it ever does, so that no
share follows a wave. Effects that scale or add to what others give change the layers
below theirs: levels in the order of the layers, all else as offsets, which a layer
above covers as it covers values.

What stands still is worked out once. Layers below the first one that moves are a base,
kept by what lies in it; each frame begins with a copy.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np

from choreon.model import attributes as at
from choreon.model.show import Room
from choreon.render import on_paths, shades
from choreon.render.compiled import CompiledShow
from choreon.render.drafts import (
    Drafted,
    asides_of,
    drafts_of,
    lay_drafts,
    lights_of_drafts,
)
from choreon.render.encode import encode, raw_values
from choreon.render.lights import Lights
from choreon.render.looks import CompiledLook
from choreon.render.on_paths import OnPaths
from choreon.render.pile import Pile
from choreon.render.plan import AnyLayer, Plan
from choreon.render.ready import lay_ready
from choreon.render.rig import Bytes, Floats, Rig
from choreon.render.state import Identify, Masters, PlayState
from choreon.render.trace import Trace

replace = msgspec.structs.replace

BLINK = 0.5  # seconds of light, and of dark, of a lamp that identifies itself


# what is asked of it


def render(compiled: CompiledShow, state: PlayState, now: float) -> Bytes:
    """Returns the frame (U, 512) at time `now`, in the order of the rig's universes."""
    rig = compiled.rig
    pile = compose(compiled, state, now)
    frame = encode(rig, pile.values[: rig.size], pile.raw())
    for sent in state.sent:
        if now < sent.until and sent.universe in rig.universes:
            row = rig.universes.index(sent.universe)
            row_left = frame[row, max(0, sent.address - 1) :]
            slots = np.frombuffer(sent.slots, np.uint8)[: len(row_left)]
            row_left[: len(slots)] = slots
    return frame


def blend(compiled: CompiledShow, state: PlayState, now: float) -> Floats:
    """Returns every parameter's value (P, in blending units), masters included."""
    return compose(compiled, state, now).values[: compiled.rig.size]


def unmastered(
    compiled: CompiledShow, state: PlayState, now: float, steady: bool = False
) -> Floats:
    """Returns every parameter's value (P, in blending units) before the masters.
    `steady`: without what effects do to what others give.
    """
    plain = replace(state, masters=Masters(), identify=None)
    pile = compose(compiled, plain, now, alone=steady, steady=steady)
    return pile.values[: compiled.rig.size]


def levels(compiled: CompiledShow, state: PlayState, now: float) -> Floats:
    """Returns the raw value of every channel (C), in the resolution of its mode."""
    return driven_values(compiled.rig, compose(compiled, state, now))


def driven_values(rig: Rig, pile: Pile, apart: bool = False) -> Floats:
    """Returns the raw value of every channel (C) that a pile comes to. `apart`:
    another thread may encode meanwhile.
    """
    raw = raw_values(rig, pile.values[: rig.size], apart)
    driven = pile.raw()
    if driven is not None:
        raw += driven[1] * (driven[0] - raw)
    return raw


def trace(compiled: CompiledShow, state: PlayState, now: float) -> Trace:
    """Returns what every layer gives at time `now`, lowest first."""
    found = Trace(compiled.rig)
    compose(compiled, state, now, found)
    return found


# a frame


def compose(
    compiled: CompiledShow,
    state: PlayState,
    now: float,
    found: Trace | None = None,
    alone: bool = False,
    steady: bool = False,
) -> Pile:
    """Lay all layers over each other; with `found`, record what each one gave. `alone`:
    another thread may compose meanwhile. `steady`: no effect changes what others give.
    """
    rig, masters = compiled.rig, compiled.masters
    state = masters.scaled(state, now)
    apart = alone or found is not None
    plan = _plan_for(compiled, state, now, apart)
    plan.steady = steady

    plan.dim(masters.of_what_plays(state.masters, now))
    pile = plan.base.pile.copy()
    if state.ready:
        lay_ready(pile, compiled, plan.given, state, now)
    drafts = drafts_of(compiled, state, now, apart)

    for draft in drafts:
        draft.move(now, state.beat(now))

    drafted = lights_of_drafts(rig, drafts)
    held = masters.light(state.masters, now)
    lights, beside = plan.light(
        now, _highest(held, None if drafted is None else drafted.top)
    )
    _lay_players(compiled, plan, pile, lights, beside, found)
    lit = lights.level[:-1]

    if drafts:
        others = _highest(lights.top, _highest(plan.added, held))
        lit = lay_drafts(pile, drafts, others, lit.copy(), found, steady)

    scale = masters.of_groups(state.masters, now)
    left = shades.left_of(rig, state, now) if state.shades else None
    if left is not None:
        scale = left if scale is None else scale * left
    if scale is not None:
        lit = lit * scale
    if found is not None:
        found.changing = left

    asides = asides_of(compiled, state, now)
    if asides:
        others = _highest(lights.top, beside)
        lit = lay_drafts(pile, asides, others, lit.copy(), found, steady)
        scale = _but_for(scale, asides)

    pile.settle()
    whole = masters.of_all(state.masters, now) * state.masters.closing
    pile.values[: rig.intensities] = lit * whole
    _shade_raw(pile, whole if scale is None else scale * whole)
    masters.hold(pile, state.masters, now)

    paths = _on_paths(rig, [*plan.above, *drafts, *asides])
    if paths is not None:
        _darken(pile, paths, compiled.show.room, found)

    if state.identify is not None and now < state.identify.until:
        _identify(pile, state.identify, now)

    return pile


def _on_paths(
    rig: Rig, layers: Sequence[AnyLayer | CompiledLook | Drafted]
) -> OnPaths | None:
    """How far paths have the heads, after all layers that lie above what stands, lowest
    first; None where no path is on.
    """
    paths: OnPaths | None = None
    for layer in layers:
        if isinstance(layer, CompiledLook):
            if paths is not None:
                paths.cover(layer.heads, 1.0)
        elif layer.seen and (paths is not None or layer.followed()):
            paths = paths or OnPaths(rig)
            paths.lay(layer)

    return paths


def _darken(pile: Pile, paths: OnPaths, room: Room, found: Trace | None) -> None:
    """Heads go dark where their paths have them turn back, or lead them into what is to
    be kept out of, whatever lights them.
    """
    rig = pile.rig
    turning, clear = paths.turning(), paths.clear(room, pile.values[: rig.size])
    if found is not None:
        found.turning = on_paths.of_lamps(rig, turning)
        found.clear = on_paths.of_lamps(rig, clear)

    light = turning * clear
    if (light >= 1.0).all():
        return

    left = on_paths.of_lamps(rig, light)
    pile.values[: rig.intensities] *= left[:-1]

    if pile.driven:
        dims = rig.channel_dims[rig.shaded]
        pile.values[rig.size + rig.shaded] *= left[dims]


def _highest(one: Floats | None, other: Floats | None) -> Any:
    """The higher of two lights (I + 1), where there are both."""
    if one is None or other is None:
        return other if one is None else one
    return np.maximum(one, other)


def _but_for(scale: Floats | None, asides: list[Drafted]) -> Floats | None:
    """What group masters leave (I) where lamps are aside, which they do not reach."""
    if scale is not None:
        for aside in asides:
            lamps = aside.look.lamps
            scale[lamps] += aside.weight * (1.0 - scale[lamps])
    return scale


def _lay_players(
    compiled: CompiledShow,
    plan: Plan,
    pile: Pile,
    lights: Lights,
    beside: Floats | None,
    found: Trace | None,
) -> None:
    """Lay all that plays above what stands, the lowest first."""
    for layer in plan.above:
        if isinstance(layer, CompiledLook):
            pile.put(layer)
        elif layer.seen:
            if layer.modifies and not plan.steady:
                layer.change_values(pile)

            share = layer.lay(pile, lights, beside, found is not None)
            if found is not None:
                layer.record(found, share, compiled)


def _plan_for(
    compiled: CompiledShow, state: PlayState, now: float, apart: bool
) -> Plan:
    """The plan for a state; the last one where it still holds."""
    if apart:
        return Plan(compiled, state, now, apart=True)
    plan = compiled.plan
    if plan is None or not plan.holds(state, now):
        compiled.turn()
        plan = compiled.plan = Plan(compiled, state, now)
    return plan


def _shade_raw(pile: Pile, scale: float | Floats) -> None:
    """The masters scale raw values of dimmers, and of emitters that are dimmed by what
    they mix with. `scale`: what they leave, one number or one a lamp (I).
    """
    rig = pile.rig
    if not pile.driven:
        return
    if not isinstance(scale, float):
        # a dimmer without a lamp in the table is left as the others are at most
        scale = np.append(scale, scale.max(initial=1.0))[rig.channel_dims[rig.shaded]]
    factor = np.where(rig.shaded_by < 0, scale, pile.values[rig.shaded_by])
    pile.values[rig.size + rig.shaded] *= factor


def _identify(pile: Pile, asked: Identify, now: float) -> None:
    """Make fixtures blink above all else: open and white, then dark."""
    rig, values = pile.rig, pile.values
    is_lit = int((now - asked.begin) / BLINK) % 2 == 0

    for fixture in asked.fixtures:
        for name, places in rig.where.get(fixture, {}).items():
            rows = [row for _, row in places]
            if name == at.DIMMER:
                values[rows] = 1.0 if is_lit else 0.0
            elif at.attribute(name).family != at.Family.POSITION:
                values[rows] = rig.home[rows]

        if pile.driven:
            for driven in rig.direct.get(fixture, {}).values():
                channels = [channel for _, channel, *_ in driven]
                pile.raw_share[channels] = 0.0
