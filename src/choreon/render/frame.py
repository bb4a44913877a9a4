"""One frame: home, players, draft, masters, bytes. A pure function of the compiled show, what plays, and the time."""

from __future__ import annotations

import numpy as np

from choreon.render.encode import encode
from choreon.render.looks import Compiled, Flags, look_of
from choreon.render.players import Draft, Player, PlayState, Step
from choreon.render.programme import Content, Programme
from choreon.render.rig import Bytes, Floats, Ints, Rig


def render(programme: Programme, state: PlayState, now: float) -> Bytes:
    """The frame (U, 512) at time `now`, in the order of `programme.rig.universes`."""
    return encode(programme.rig, blend(programme, state, now))


def blend(programme: Programme, state: PlayState, now: float) -> Floats:
    """Every parameter's value (P, in blending units) at time `now`, masters included."""
    rig = programme.rig
    values = rig.home.copy()
    lit = np.zeros(rig.intensities + 1)
    plain: list[str] = []
    for player in sorted(state.players, key=lambda p: (p.priority, p.order)):
        weight = player.weight_at(now)
        if weight >= 1.0 and player.steps[-1].done(now):
            plain.append(player.steps[-1].scene)
        elif weight > 0.0:
            _lay_plain(programme, values, lit, plain)
            plain = []
            _lay_player(programme, values, lit, player, weight, now)
    _lay_plain(programme, values, lit, plain)
    _lay_draft(programme, values, lit, state.draft, now)
    grand = 0.0 if state.masters.blackout else state.masters.grand
    values[: rig.intensities] = lit[:-1] * grand
    return values


def _lay_plain(programme: Programme, values: Floats, lit: Floats, scenes: list[str]) -> None:
    """Lay scenes that are wholly on, one above the other: they simply cover what is below."""
    if scenes:
        look = programme.merged(tuple(scenes))
        values[look.rows] = look.values
        np.maximum(lit, look.intensity, out=lit)


def _lay_player(programme: Programme, values: Floats, lit: Floats, player: Player, weight: float, now: float) -> None:
    steps = player.steps[-1:] if player.steps[-1].done(now) else player.steps
    if len(steps) == 1:
        scene = programme.scene(steps[0].scene)
        if scene is None:
            return
        own = scene.intensity * weight
        _lay(values, lit, own, scene, None, weight)
    else:
        content = crossfade(programme, steps, now)
        own = content.intensity * weight
        _lay(values, lit, own, _as_look(programme.rig, content), content.presence, weight)
    np.maximum(lit, own, out=lit)


def _as_look(rig: Rig, content: Content) -> Compiled:
    rows = np.arange(rig.intensities, rig.size)
    return look_of(rig, content.intensity, content.intensity > 0, rows, content.values[rows])


def _lay(values: Floats, lit: Floats, own: Floats, look: Compiled, presence: Floats | None, weight: float) -> None:
    """Lay a look's non-intensity rows over `values`.

    Where the look also lights the fixture, it weighs by the light it brings: full where nothing below is lit (so
    a light comes up, and goes out, in its own colour and place), its weight where it joins light of its own strength.
    """
    if weight >= 1.0 and presence is None:
        values[look.rows] = look.values
        return
    below = lit[look.light]
    share = below / np.maximum(np.maximum(below, own[look.light]), 1e-9)
    if not look.all_shown:
        share = np.where(look.shown, share, 1.0)
    alpha = 1.0 - (1.0 - weight) * share
    if presence is not None:
        alpha *= presence[look.rows]
    if look.any_snap:
        alpha[look.snap] = alpha[look.snap] > 0
    values[look.rows] += alpha * (look.values - values[look.rows])


def _lay_draft(programme: Programme, values: Floats, lit: Floats, draft: Draft, now: float) -> None:
    for look, ramp in (*draft.leaving, (draft.look, None)):
        weight = ramp.at(now) if ramp else 1.0
        if not look or weight <= 0.0:
            continue
        held = programme.look(look)
        _lay(values, lit, held.intensity * weight, held, None, weight)
        lit[held.held] += weight * (held.intensity[held.held] - lit[held.held])


def crossfade(programme: Programme, steps: tuple[Step, ...], now: float) -> Content:
    """What a player puts out on its way to its last step: a straight interpolation from what it put out at the
    time that step began. What is dark on one side takes the other side's colour, place and beam at once."""
    rig = programme.rig
    target = _dense(programme, steps[-1].scene)
    if len(steps) == 1 or steps[-1].done(now):
        return target
    step = steps[-1]
    before = programme.frozen.get(steps)
    if before is None:
        if len(programme.frozen) > 64:
            programme.frozen.clear()
        before = programme.frozen[steps] = crossfade(programme, steps[:-1], step.at)
    rise, fall = _progress(step, now, step.fade_in), _progress(step, now, step.fade_out)
    gain = target.intensity - before.intensity
    intensity = before.intensity + gain * np.where(gain > 0, rise, fall)
    alpha = _side(rig.light, rig.intensities, before.intensity, target.intensity, rise)
    alpha[rig.snaps_from :] = alpha[rig.snaps_from :] > 0
    old, new = before.presence * (1.0 - alpha), target.presence * alpha
    presence = old + new
    mixed = old * before.values + new * target.values
    values = np.divide(mixed, presence, out=np.zeros_like(mixed), where=presence > 0)
    return Content(intensity, values, presence)


def _side(light: Ints, always: int, before: Floats, target: Floats, progress: float) -> Floats:
    """How far each row is on its way: all the way where it was dark, not at all where it gets dark."""
    was: Flags = before[light] > 0
    will: Flags = target[light] > 0
    free = light == always
    return np.where(free | (was & will), progress, np.where(was, 0.0, 1.0))


def _progress(step: Step, now: float, seconds: float) -> float:
    return 1.0 if seconds <= 0 else min(1.0, max(0.0, (now - step.at) / seconds))


def _dense(programme: Programme, scene_id: str) -> Content:
    rig = programme.rig
    values, presence = np.zeros(rig.size), np.zeros(rig.size)
    scene = programme.scene(scene_id)
    if scene is None:
        return Content(np.zeros(rig.intensities + 1), values, presence)
    values[scene.rows] = scene.values
    presence[scene.rows] = 1.0
    return Content(scene.intensity, values, presence)
