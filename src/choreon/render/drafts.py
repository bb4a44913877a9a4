"""Drafts: what is touched and not stored, above all that plays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.canvas import Canvas
from choreon.render.compiled import CompiledShow
from choreon.render.fades import part_of
from choreon.render.layers import snap
from choreon.render.lights import Lights
from choreon.render.looks import CompiledLook
from choreon.render.rig import Floats, Rig
from choreon.render.state import Draft
from choreon.render.trace import Part, Trace


@dataclass
class Drafted:
    """A draft on stage."""

    stored: Look
    look: CompiledLook
    weight: float
    leaving: bool
    who: int = 0


def drafts_of(compiled: CompiledShow, draft: Draft, now: float) -> list[Drafted]:
    """The drafts that are to be seen, those that leave first."""
    found = []
    pairs = (*draft.leaving, (draft.look, draft.shown))
    for look, ramp in pairs:
        weight = ramp.at(now)
        if look and weight > 0.0:
            made = compiled.draft(look)
            found.append(Drafted(look, made, weight, ramp.end == 0.0))
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
) -> Floats:
    """Lay the drafts over what plays. Returns the levels (I) after them."""
    drafted = lights_of_drafts(canvas.rig, drafts)
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
            snap(share, look, draft.leaving)
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
