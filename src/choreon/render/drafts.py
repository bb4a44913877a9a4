"""What hands give lamps, above all that plays: by tiles, in the draft, to lamps that
are aside.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from choreon.model.motion import Effect, Effects
from choreon.model.refs import ASIDE, DRAFT, TILE, Ref
from choreon.model.values import Look
from choreon.render.compiled import CompiledShow
from choreon.render.effects import CompiledEffects
from choreon.render.fades import part_of
from choreon.render.layers import snap
from choreon.render.lights import Lights
from choreon.render.live import Followed, LevelChange, Live
from choreon.render.looks import NO_NUMBERS, CompiledLook
from choreon.render.pile import Pile
from choreon.render.rig import Floats, Ints, Rig
from choreon.render.state import Going, HeldValues, Pace, PlayState, Ramp, replace
from choreon.render.trace import Trace, TracePart

NO_TIME = Going()


@dataclass
class Drafted:
    """A draft on stage, or what else a hand gives. `live`: what of it moves."""

    source: Ref
    stored: Look
    look: CompiledLook
    weight: float
    leaving: bool
    live: Live | None = None
    going: Going = NO_TIME
    effects: Effects = ()
    who: int = 0
    laid: Floats | None = None  # the share (n) that its rows got

    def move(self, now: float, beat: float) -> None:
        """Have what moves go to a time."""
        if self.live is not None:
            self.live.move(self.going.time(now, beat))

    def followed(self) -> list[Followed]:
        """Returns the heads that its paths move."""
        return [] if self.live is None else self.live.followed()

    @property
    def seen(self) -> bool:
        """Whether it is on at all."""
        return self.weight > 0.0

    @property
    def turns(self) -> float:
        """How far on it is where it moves heads that others aim."""
        return self.weight

    @property
    def turned(self) -> tuple[Ints, float | Floats]:
        """The heads that it turns, and the share of their pan (h) that it got."""
        if self.laid is None:
            return self.look.heads, self.weight
        return self.look.heads, self.laid[self.look.head_rows[:, 0]]

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


class _Given(NamedTuple):
    """What a hand gives, and how far it is on."""

    source: Ref
    look: Look
    ramp: Ramp
    effects: Effects = ()
    going: Going = NO_TIME


def drafts_of(
    compiled: CompiledShow, state: PlayState, now: float, apart: bool = False
) -> list[Drafted]:
    """The drafts that are to be seen, lowest first: what tiles give, drafts that leave,
    the draft. `apart`: another thread may ask meanwhile.
    """
    draft = state.draft
    given = _by_hands(TILE, state.live)
    for one in draft.leaving:
        source = Ref(DRAFT, "leaving")
        given.append(_Given(source, one.look, one.ramp, one.effects, one.going))
    source = Ref(DRAFT, "")
    given.append(_Given(source, draft.look, draft.shown, draft.effects, draft.going))
    return list(_drafted(compiled, given, now, apart, state.clock.bpm))


def asides_of(compiled: CompiledShow, state: PlayState, now: float) -> list[Drafted]:
    """What lamps that are aside are given; those that come back first."""
    if not state.asides:
        return []
    hands = sorted(state.asides, key=lambda hand: not hand.leaving)
    given = _by_hands(ASIDE, hands)
    return list(_drafted(compiled, given, now, False, state.clock.bpm))


def _by_hands(kind: str, hands: Iterable[HeldValues]) -> list[_Given]:
    return [_Given(Ref(kind, hand.id), hand.look, hand.held) for hand in hands]


def _drafted(
    compiled: CompiledShow,
    given: Iterable[_Given],
    now: float,
    apart: bool,
    bpm: float,
) -> Iterable[Drafted]:
    for one in given:
        weight = one.ramp.at(now)
        if weight <= 0.0 or not (one.look or one.effects):
            continue

        made = compiled.draft(one.look, one.effects)
        live = None
        if isinstance(made, CompiledEffects):
            live = compiled.draft_live(made, one.going, apart)
            live.pace = Pace(1.0, bpm)

        look = made.look if isinstance(made, CompiledEffects) else made
        leaves = one.ramp.end == 0.0
        yield Drafted(
            one.source, one.look, look, weight, leaves, live, one.going, one.effects
        )


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
    pile: Pile,
    drafts: list[Drafted],
    top: Floats,
    lit: Floats,
    found: Trace | None,
    steady: bool = False,
) -> Floats:
    """Lay the drafts over what plays, which lights lamps by `top` (I + 1) at most.
    Returns the levels (I) after them. `steady`: their effects change nothing of it.
    """
    drafted = lights_of_drafts(pile.rig, drafts)
    assert drafted is not None

    for draft in drafts:
        look, weight = draft.look, draft.weight
        if draft.live is not None and not steady:
            _change(pile, draft.live, weight, lit)

        values, points = draft.values, look.points
        if weight >= 1.0:
            pile.put(look, values, points)
            share = np.ones(len(look.rows))
        else:
            claims, row_claim, shine = look.claims
            own = shine * weight
            others = np.maximum(top[claims], drafted.others(claims, own))
            ratio = part_of(others, own)
            share = (1.0 - (1.0 - weight) * ratio).take(row_claim)
            snap(share, look, draft.leaving)

            pile.free(look.freed, share[look.freed_by])
            pile.blend(look, values, share, points)

        draft.laid = share
        lit[look.lamps] += weight * (draft.levels - lit[look.lamps])
        if found is not None:
            _record(found, draft, values, share)

    return lit


def _change(pile: Pile, live: Live, weight: float, lit: Floats) -> None:
    """Have a draft's effects change what plays."""
    for change, on in live.changes():
        if isinstance(change, LevelChange):
            change.apply(lit, weight * on)
        else:
            pile.change(change, weight * on)


def _record(found: Trace, draft: Drafted, values: Floats, share: Floats) -> None:
    look, weight = draft.look, draft.weight
    found.parts.append(
        TracePart(
            draft.source,
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
