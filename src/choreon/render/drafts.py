"""Drafts: what is touched and not stored, above all that plays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from choreon.model.motion import Effect, Effects
from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.canvas import Canvas
from choreon.render.compiled import CompiledShow
from choreon.render.effects import Moving
from choreon.render.fades import part_of
from choreon.render.layers import snap
from choreon.render.lights import Lights
from choreon.render.live import LevelChange, Live
from choreon.render.looks import NO_NUMBERS, CompiledLook
from choreon.render.rig import Floats, Rig
from choreon.render.state import Draft, Going, Leaving, replace
from choreon.render.trace import Part, Trace

NO_TIME = Going()


@dataclass
class Drafted:
    """A draft on stage. `live`: what of it moves."""

    stored: Look
    look: CompiledLook
    weight: float
    leaving: bool
    live: Live | None = None
    going: Going = NO_TIME
    effects: Effects = ()
    who: int = 0

    def move(self, now: float, beat: float) -> None:
        """Have what moves go to a time."""
        if self.live is not None:
            self.live.move(self.going.time(now, beat))

    @property
    def levels(self) -> Floats:
        """The levels (m) of its lamps now."""
        return self.look.levels if self.live is None else self.live.levels

    @property
    def values(self) -> Floats:
        """The values (n) of its rows now."""
        if self.live is None:
            return self.look.values
        return self.live.give(self.weight, NO_NUMBERS).values


def drafts_of(
    compiled: CompiledShow, draft: Draft, now: float, apart: bool = False
) -> list[Drafted]:
    """The drafts that are to be seen, those that leave first. `apart`: another thread
    may ask meanwhile.
    """
    found = []
    now_drafted = Leaving(draft.look, draft.shown, draft.effects, draft.going)
    for one in (*draft.leaving, now_drafted):
        weight = one.ramp.at(now)
        if weight <= 0.0 or not (one.look or one.effects):
            continue
        made = compiled.draft(one.look, one.effects)
        live = None
        if isinstance(made, Moving):
            live = compiled.draft_live(made, one.going, apart)
        look = made.look if isinstance(made, Moving) else made
        leaves = one.ramp.end == 0.0
        found.append(
            Drafted(one.look, look, weight, leaves, live, one.going, one.effects)
        )
    return found


def lights_of_drafts(rig: Rig, drafts: list[Drafted]) -> Lights | None:
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


def lay_drafts(
    canvas: Canvas,
    drafts: list[Drafted],
    lights: Lights,
    lit: Floats,
    found: Trace | None,
    steady: bool = False,
) -> Floats:
    """Lay the drafts over what plays. Returns the levels (I) after them. `steady`:
    their effects change nothing of it.
    """
    drafted = lights_of_drafts(canvas.rig, drafts)
    assert drafted is not None
    for draft in drafts:
        look, weight = draft.look, draft.weight
        if draft.live is not None and not steady:
            _change(canvas, draft.live, weight, lit)
        values, points = draft.values, look.points
        if weight >= 1.0:
            canvas.put(look, values, points)
            share = np.ones(len(look.rows))
        else:
            claims, row_claim, shine = look.claims
            own = shine * weight
            others = np.maximum(lights.top[claims], drafted.others(claims, own))
            ratio = part_of(others, own)
            share = (1.0 - (1.0 - weight) * ratio).take(row_claim)
            snap(share, look, draft.leaving)
            canvas.free(look.freed, share[look.freed_by])
            canvas.blend(look, values, share, points)
        lit[look.lamps] += weight * (draft.levels - lit[look.lamps])
        if found is not None:
            _record(found, draft, values, share)
    return lit


def _change(canvas: Canvas, live: Live, weight: float, lit: Floats) -> None:
    """Have a draft's effects change what plays."""
    for change, on in live.changes():
        if isinstance(change, LevelChange):
            change.apply(lit, weight * on)
        else:
            canvas.change(change, weight * on)


def _record(found: Trace, draft: Drafted, values: Floats, share: Floats) -> None:
    look, weight = draft.look, draft.weight
    found.parts.append(
        Part(
            Ref("draft", "leaving" if draft.leaving else ""),
            None,
            draft.stored,
            look.rows,
            values,
            share,
            look.lamps,
            weight * draft.levels,
            weight,
            replaces=weight,
            effects=[] if draft.live is None else draft.live.names(),
            running=as_running(draft.effects, draft.going),
        )
    )


def as_running(effects: Effects, going: Going) -> list[Effect]:
    """Returns effects that are ahead by as much as they are in a run that began
    elsewhere.
    """
    made = []
    for effect in effects:
        ahead = effect.start + going.offsets.get(effect.id, 0.0)
        made.append(replace(effect, start=ahead))
    return made
