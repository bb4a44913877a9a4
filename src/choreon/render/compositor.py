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

What moves by itself counts as lighting a lamp as strongly as it ever does, so that no
share follows a wave. Effects that scale or add to what others give change the layers
below theirs: levels in the order of the layers, all else as offsets, which a layer
above covers as it covers values.

What stands still is worked out once. Layers below the first one that moves are a base,
kept by what lies in it; each frame begins with a copy.
"""

from __future__ import annotations

import msgspec
import numpy as np

from choreon.model import attributes as at
from choreon.render.canvas import Canvas
from choreon.render.compiled import CompiledShow
from choreon.render.drafts import drafts_of, lay_drafts, lights_of_drafts
from choreon.render.encode import encode, raw_values
from choreon.render.looks import CompiledLook
from choreon.render.plan import Plan
from choreon.render.rig import Bytes, Floats
from choreon.render.state import Identify, Masters, PlayState
from choreon.render.trace import Trace

replace = msgspec.structs.replace

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


def unmastered(
    compiled: CompiledShow, state: PlayState, now: float, steady: bool = False
) -> Floats:
    """Returns every parameter's value (P, in blending units) before the masters.
    `steady`: without what effects do to what others give.
    """
    plain = replace(state, masters=Masters(), identify=None)
    canvas = compose(compiled, plain, now, alone=steady, steady=steady)
    return canvas.values[: compiled.rig.size]


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


# a frame


def compose(
    compiled: CompiledShow,
    state: PlayState,
    now: float,
    found: Trace | None = None,
    alone: bool = False,
    steady: bool = False,
) -> Canvas:
    """Lay all layers over each other; with `found`, record what each one gave. `alone`:
    another thread may compose meanwhile. `steady`: no effect changes what others give.
    """
    rig = compiled.rig
    plan = _plan_for(compiled, state, now, alone or found is not None)
    plan.steady = steady
    canvas = plan.base.canvas.copy()
    drafts = drafts_of(compiled, state.draft, now, alone or found is not None)
    for draft in drafts:
        draft.move(now, state.beat(now))
    drafted = lights_of_drafts(rig, drafts)
    lights = plan.light(now, drafted)
    for layer in plan.above:
        if isinstance(layer, CompiledLook):
            canvas.put(layer)
        elif layer.seen:
            if layer.modifies and not steady:
                layer.change_values(canvas)
            share = layer.lay(canvas, lights, drafted, found is not None)
            if found is not None:
                layer.record(found, share, compiled)
    lit = lights.level[:-1]
    if drafts:
        lit = lay_drafts(canvas, drafts, lights, lit.copy(), found, steady)
    canvas.settle()
    canvas.values[: rig.intensities] = lit * state.masters.scale
    _shade_raw(canvas, state.masters)
    if state.identify is not None and now < state.identify.until:
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
    rig, values = canvas.rig, canvas.values
    is_lit = int((now - asked.begin) / BLINK) % 2 == 0
    for fixture in asked.fixtures:
        for name, places in rig.where.get(fixture, {}).items():
            rows = [row for _, row in places]
            if name == at.DIMMER:
                values[rows] = 1.0 if is_lit else 0.0
            elif at.attribute(name).family != at.Family.POSITION:
                values[rows] = rig.home[rows]
        if canvas.driven:
            for driven in rig.direct.get(fixture, {}).values():
                channels = [channel for _, channel, *_ in driven]
                canvas.raw_share[channels] = 0.0
