"""One frame: home, players, draft, masters, bytes. A pure function of the compiled
show, what plays, and the time.
"""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np

from choreon.model import attributes as at
from choreon.model.show import Times
from choreon.render.encode import encode, raw_values
from choreon.render.heads import Heads, Trail
from choreon.render.looks import NO_CHANNELS, Compiled, Flags, look_of
from choreon.render.players import Draft, Identify, Masters, Player, PlayState, Step
from choreon.render.programme import Content, Programme
from choreon.render.rig import FAMILIES, Bytes, Floats, Ints, Rig

INTENSITY = FAMILIES.index(at.Family.INTENSITY)


def render(programme: Programme, state: PlayState, now: float) -> Bytes:
    """The frame (U, 512) at time `now`, in the order of `programme.rig.universes`."""
    rig = programme.rig
    pile = _layers(programme, state, now)
    _identify(pile, state.identify, now)
    frame = encode(rig, pile.values, pile.bare)
    for sent in state.sent:
        if now < sent.until and sent.universe in rig.universes:
            row = rig.universes.index(sent.universe)
            frame[row, sent.address - 1 : sent.address - 1 + len(sent.slots)] = (
                np.frombuffer(sent.slots, np.uint8)
            )
    return frame


def blend(programme: Programme, state: PlayState, now: float) -> Floats:
    """Every parameter's value (P, in blending units) at time `now`, masters
    included.
    """
    return _layers(programme, state, now).values


def unmastered(programme: Programme, state: PlayState, now: float) -> Floats:
    """Every parameter's value (P, in blending units) at time `now`, before the
    masters.
    """
    return _layers(programme, replace_masters(state), now).values


def replace_masters(state: PlayState) -> PlayState:
    """The state with its masters open."""
    return msgspec.structs.replace(state, masters=Masters())


def levels(programme: Programme, state: PlayState, now: float) -> Floats:
    """The raw value of every channel (C) at time `now`, in the resolution of
    its mode.
    """
    pile = _layers(programme, state, now)
    raw = raw_values(programme.rig, pile.values)
    if pile.bare is not None:
        raw += pile.bare[1] * (pile.bare[0] - raw)
    return raw


class _Pile:
    """What the layers come to as they pile up: the values (P), how far each intensity
    is lit (I + 1), where heads aim, and bare values of channels with their share (C;
    made only where some layer has one).
    """

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.values = rig.home.copy()
        self.lit = np.zeros(rig.intensities + 1)
        self.trail = Trail(rig.heads)
        self.bare: tuple[Floats, Floats] | None = None

    def cover(self, look: Compiled) -> None:
        """Lay a look's non-intensity rows wholly over what is there."""
        self.values[look.rows] = look.values
        self.trail.cover(look.heads, look.points)

    def lay(
        self,
        own: Floats,
        look: Compiled,
        presence: Floats | None,
        weight: float | Floats,
    ) -> None:
        """Lay a look's non-intensity rows over what is there.

        Where the look also lights the fixture (`own`), it weighs by the light it
        brings: full where nothing below is lit (so a light comes up, and goes out, in
        its own colour and place), its weight where it joins light of its own strength.
        Heads that aim at points below and above go along the line between these.
        """
        if presence is None and isinstance(weight, float | int) and weight >= 1.0:
            self.cover(look)
            return
        values = self.values
        # One number a light first, then one a row: a light has many rows.
        share = self.lit / np.maximum(np.maximum(self.lit, own), 1e-9)
        if isinstance(weight, float | int):
            alpha = (1.0 - (1.0 - weight) * share).take(look.light)
        else:
            alpha = 1.0 - (1.0 - weight) * share.take(look.light)
        if not look.all_shown:
            alpha = np.where(look.shown, alpha, weight)
        if presence is not None:
            alpha *= presence.take(look.rows)
        if look.any_snap:
            alpha[look.snap] = alpha[look.snap] > 0
        turned = None
        if len(look.heads):
            here = values[self.rig.heads.rows[look.heads]]
            there, part = look.values[look.turned], alpha[look.turned[:, 0]]
            turned = self.trail.lay(look.heads, look.points, here, there, part)
        before = values.take(look.rows)
        alpha *= look.values - before
        before += alpha
        values[look.rows] = before
        if turned is not None:
            values[turned[0]] = turned[1]

    def lay_bare(self, look: Compiled, weight: float) -> None:
        """Lay a look's bare values over what is there."""
        if self.bare is not None and len(look.freed):
            self.bare[1][look.freed] *= 1.0 - weight
        if len(look.bare) and weight > 0:
            if self.bare is None:
                count = len(self.rig.source)
                self.bare = (np.zeros(count), np.zeros(count))
            raw, share = self.bare
            here = look.bare.channel
            new = weight + share[here] * (1.0 - weight)
            raw[here] = (
                weight * look.bare.raw + share[here] * (1.0 - weight) * raw[here]
            ) / new
            share[here] = new


def _layers(programme: Programme, state: PlayState, now: float) -> _Pile:
    rig = programme.rig
    pile = _Pile(rig)
    plain: list[str] = []
    for player in sorted(state.players, key=lambda p: (p.priority, p.order)):
        weight = player.weight_at(now)
        if weight >= 1.0 and player.steps[-1].done(now):
            plain.append(player.steps[-1].scene)
        elif weight > 0.0:
            _lay_plain(programme, pile, plain)
            plain = []
            _lay_player(programme, pile, player, weight, now)
    _lay_plain(programme, pile, plain)
    _lay_draft(programme, pile, state.draft, now)
    grand = 0.0 if state.masters.blackout else state.masters.grand
    pile.values[: rig.intensities] = pile.lit[:-1] * grand
    if pile.bare is not None:
        factor = np.where(rig.shaded_by < 0, grand, pile.values[rig.shaded_by])
        pile.bare[0][rig.shaded] *= factor
    return pile


BLINK = 0.5  # seconds of light, and of dark


def _identify(pile: _Pile, asked: Identify | None, now: float) -> None:
    """Make fixtures blink above all else: open and white, then dark."""
    if asked is None or now >= asked.until:
        return
    rig, values = pile.rig, pile.values
    lit = int((now - asked.begin) / BLINK) % 2 == 0
    for fixture in asked.fixtures:
        for name, places in rig.where.get(fixture, {}).items():
            for _, row in places:
                if row < rig.intensities:
                    values[row] = 1.0 if lit else 0.0
                elif at.attribute(name).family != at.Family.POSITION:
                    values[row] = rig.home[row]
        if pile.bare is not None:
            for places_ in rig.direct.get(fixture, {}).values():
                for _, channel, *_ in places_:
                    pile.bare[1][channel] = 0.0


def _lay_plain(programme: Programme, pile: _Pile, scenes: list[str]) -> None:
    """Lay scenes that are wholly on, one above the other: they simply cover what is
    below.
    """
    if scenes:
        look = programme.merged(tuple(scenes))
        pile.cover(look)
        np.maximum(pile.lit, look.intensity, out=pile.lit)
        pile.lay_bare(look, 1.0)


def _lay_player(
    programme: Programme, pile: _Pile, player: Player, weight: float, now: float
) -> None:
    steps = player.steps[-1:] if player.steps[-1].done(now) else player.steps
    if len(steps) == 1:
        scene = programme.scene(steps[0].scene)
        if scene is None:
            return
        times = programme.times(steps[0].scene)
        if times and not player.weight.done(now) and not player.releasing:
            fade = programme.show.scenes[steps[0].scene].fade_in
            shares = _shares(player, times, fade, now)
            own = scene.intensity * shares[INTENSITY]
            pile.lay(own, scene, None, shares[programme.rig.families[scene.rows]])
        else:
            own = scene.intensity * weight
            pile.lay(own, scene, None, weight)
        pile.lay_bare(scene, weight)
    else:
        content = crossfade(programme, steps, now)
        own = content.intensity * weight
        pile.lay(own, _as_look(programme.rig, content), content.presence, weight)
        _lay_bare(programme, pile, steps, weight, now)
    np.maximum(pile.lit, own, out=pile.lit)


def _shares(player: Player, times: dict[str, Times], fade: float, now: float) -> Floats:
    """How far each family of a player is on (5), in the order of FAMILIES, while it
    comes up with times of its own.
    """
    ramp = player.weight
    whole = max([fade, *(t.delay + t.fade for t in times.values())])
    part = (
        min(1.0, max(0.0, now - ramp.begin) / ramp.seconds) if ramp.seconds > 0 else 1.0
    )
    return (
        ramp.start
        + (ramp.end - ramp.start) * family_progress(times, fade, part * whole)
    ) * player.level


def family_progress(times: dict[str, Times], fade: float, elapsed: float) -> Floats:
    """How far each family is on its way (5), `elapsed` seconds after a look began to
    come up.
    """
    own = [times.get(family, Times(0.0, fade)) for family in FAMILIES]
    return np.array(
        [
            min(1.0, max(0.0, elapsed - t.delay) / t.fade)
            if t.fade > 0
            else float(elapsed >= t.delay)
            for t in own
        ]
    )


def _lay_bare(
    programme: Programme,
    pile: _Pile,
    steps: tuple[Step, ...],
    weight: float,
    now: float,
) -> None:
    """The bare values of a crossfade: what comes grows as what goes shrinks."""
    progress = _progress(steps[-1], now, steps[-1].fade_in)
    for step, share in (
        (steps[-2], weight * (1.0 - progress)),
        (steps[-1], weight * progress),
    ):
        scene = programme.scene(step.scene)
        if scene is not None and len(scene.bare):
            pile.lay_bare(replace(scene, freed=NO_CHANNELS), share)


def _as_look(rig: Rig, content: Content) -> Compiled:
    rows = np.arange(rig.intensities, rig.size)
    return look_of(
        rig,
        content.intensity,
        content.intensity > 0,
        rows,
        content.values[rows],
        content.points,
    )


def _lay_draft(programme: Programme, pile: _Pile, draft: Draft, now: float) -> None:
    for look, ramp in (*draft.leaving, (draft.look, draft.shown)):
        weight = ramp.at(now)
        if not look or weight <= 0.0:
            continue
        held = programme.look(look)
        pile.lay(held.intensity * weight, held, None, weight)
        pile.lay_bare(held, weight)
        pile.lit[held.held] += weight * (
            held.intensity[held.held] - pile.lit[held.held]
        )


def crossfade(programme: Programme, steps: tuple[Step, ...], now: float) -> Content:
    """What a player puts out on its way to its last step: a straight interpolation from
    what it put out at the time that step began. What is dark on one side takes the
    other side's colour, place and beam at once.
    """
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
    way: float | Floats = rise
    times = programme.times(step.scene)
    if times:
        each = family_progress(
            times, programme.show.scenes[step.scene].fade_in, now - step.at
        )
        rise, way = float(each[INTENSITY]), each[rig.families]
    gain = target.intensity - before.intensity
    intensity = before.intensity + gain * np.where(gain > 0, rise, fall)
    alpha = _side(rig.light, rig.intensities, before.intensity, target.intensity, way)
    alpha[rig.snaps_from :] = alpha[rig.snaps_from :] > 0
    old, new = before.presence * (1.0 - alpha), target.presence * alpha
    presence = old + new
    mixed = old * before.values + new * target.values
    values = np.divide(mixed, presence, out=np.zeros_like(mixed), where=presence > 0)
    return Content(
        intensity, values, presence, _turn(rig.heads, before, target, alpha, values)
    )


def _turn(
    heads: Heads, before: Content, target: Content, alpha: Floats, values: Floats
) -> Floats | None:
    """Turn heads that go from point to point along the line between; gives the points
    (H, 3) all then aim at.
    """
    if before.points is None and target.points is None:
        return None
    trail = Trail(heads)
    was, will = (c.presence[heads.rows[:, 0]] > 0 for c in (before, target))
    trail.cover(
        np.flatnonzero(was), None if before.points is None else before.points[was]
    )
    both = np.flatnonzero(was & will)
    here, there = (c.values[heads.rows[both]] for c in (before, target))
    ends = None if target.points is None else target.points[both]
    turned = trail.lay(both, ends, here, there, alpha[heads.rows[both, 0]])
    if turned is not None:
        values[turned[0]] = turned[1]
    fresh = np.flatnonzero(will & ~was)
    trail.cover(fresh, None if target.points is None else target.points[fresh])
    return trail.points


def _side(
    light: Ints, always: int, before: Floats, target: Floats, progress: float | Floats
) -> Floats:
    """How far each row is on its way: all the way where it was dark, not at all where
    it gets dark.
    """
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
    points = None
    if scene.points is not None:
        points = np.full((len(rig.heads), 3), np.nan)
        points[scene.heads] = scene.points
    return Content(scene.intensity, values, presence, points)
