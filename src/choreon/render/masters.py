"""Masters as light: which lamps each one reaches, what it leaves of their intensity,
and what override fader holds.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from choreon.model import attributes as at
from choreon.model.lamps import fixtures_of
from choreon.model.masters import GrandMaster, GroupMaster, Override
from choreon.model.refs import FIXTURE, GRAND, GROUP, TILE, Ref
from choreon.model.show import Show
from choreon.model.tiles import player_id
from choreon.model.values import Look, Value
from choreon.render.looks import CompiledLook, compile_look
from choreon.render.open_up import home, opened
from choreon.render.pile import Pile
from choreon.render.rig import Flags, Floats, Ints, Rig
from choreon.render.state import Masters, Player, PlayState, Step, replace

NONE: Ints = np.zeros(0, np.int64)


def dimmer_rows(rig: Rig, fixtures: Iterable[str]) -> Ints:
    """Returns the intensity rows of fixtures, those of all their cells."""
    rows = [
        row
        for fixture in fixtures
        for _, row in rig.where.get(fixture, {}).get(at.DIMMER, ())
        if row < rig.intensities
    ]
    return np.array(rows, np.int64)


@dataclass(frozen=True)
class MasterReach:
    """What plays of that a group master is over: `refs`, and what tiles play, each as
    the player that a tile drives and what it plays then.
    """

    refs: frozenset[Ref]
    tiles: frozenset[tuple[str, Ref]]

    def over(self, player: Player, step: Step) -> bool:
        """Whether it is over a step of a player."""
        drives = player.lifts or player.id
        return step.ref in self.refs or (drives, step.ref) in self.tiles


@dataclass(frozen=True)
class HeldLamps:
    """What an override fader holds: the intensity rows, and what lets light out of the
    lamps. `blocked`: channels whose raw values would keep it in.
    """

    rows: Ints
    open: CompiledLook
    blocked: Ints
    alone: bool


class CompiledMasters:
    """The masters of a show on a rig."""

    def __init__(self, show: Show, rig: Rig) -> None:
        self.rig = rig
        grand = show.masters.get(GRAND.id)
        exempt = grand.exempt if isinstance(grand, GrandMaster) else ()
        self.exempt: Flags = np.zeros(rig.intensities, bool)
        self.exempt[dimmer_rows(rig, fixtures_of(show, exempt))] = True

        self.rows: dict[str, Ints] = {}
        self.playables: dict[str, MasterReach] = {}
        self.overrides: dict[str, HeldLamps] = {}

        for master in show.masters.values():
            if isinstance(master, GroupMaster):
                lamps = fixtures_of(
                    show, (r for r in master.over if r.kind in (GROUP, FIXTURE))
                )
                self.rows[master.id] = dimmer_rows(rig, lamps)
                reach = _reach(show, master)

                if reach.refs or reach.tiles:
                    self.playables[master.id] = reach
            elif isinstance(master, Override):
                self.overrides[master.id] = _held(show, rig, master)

        self._scaled: tuple[PlayState, PlayState] | None = None

    # what scales

    def of_groups(self, masters: Masters, now: float) -> Floats | None:
        """Returns what group masters leave of each intensity (I), 0…1; None where all
        are full.
        """
        low = [
            (self.rows[i], level)
            for i, level in masters.levels_at(now).items()
            if level < 1.0 and len(self.rows.get(i, NONE))
        ]
        if not low:
            return None

        scale = np.ones(self.rig.intensities)
        for rows, level in low:
            scale[rows] *= level

        return scale

    def of_all(self, masters: Masters, now: float) -> float | Floats:
        """Returns what grand master and blackout leave of each intensity, 0…1: one
        number, or (I) where lamps are exempt.
        """
        scale = masters.scale_at(now)
        return np.where(self.exempt, 1.0, scale) if self.exempt.any() else scale

    def scaled(self, state: PlayState, now: float) -> PlayState:
        """Returns the state with the players that group masters are over as far on as
        these leave them. The same object where nothing is to be scaled, or nothing
        changed.
        """
        low = self.of_what_plays(state.masters, now)
        if not low or not state.players:
            return state

        known = self._scaled
        if known is not None and known[0] is state:
            return known[1]

        players = tuple(_scaled(player, low, now) for player in state.players)
        made = replace(state, players=players)
        settled = all(player.steps[-1].done(now) for player in state.players)
        settled = settled and state.masters.before is None
        self._scaled = (state, made) if settled else None

        return made

    def of_what_plays(
        self, masters: Masters, now: float
    ) -> list[tuple[MasterReach, float]]:
        """Returns the group masters that are over what plays and not full, and what
        each leaves, 0…1.
        """
        return [
            (reach, level)
            for i, level in masters.levels_at(now).items()
            if level < 1.0 and (reach := self.playables.get(i)) is not None
        ]

    # what holds

    def light(self, masters: Masters, now: float) -> Floats | None:
        """Returns how strongly override faders light lamps (I + 1); None where none is
        in hand.
        """
        if not masters.grips:
            return None
        light = np.zeros(self.rig.intensities + 1)
        for grip in masters.grips:
            held = self.overrides.get(grip.id)
            if held is not None:
                own = grip.held.at(now) * grip.level
                light[held.rows] = np.maximum(light[held.rows], own)
        return light

    def held_rows(self, masters: Masters) -> Ints:
        """Returns the intensity rows that override faders hold."""
        grips = (self.overrides.get(grip.id) for grip in masters.grips)
        return np.concatenate([NONE, *(held.rows for held in grips if held)])

    def hold(self, pile: Pile, masters: Masters, now: float) -> None:
        """Have override faders hold their lamps. While one is let go, what lies below
        comes back.
        """
        for grip in masters.grips:
            held, weight = self.overrides.get(grip.id), grip.held.at(now)
            if held is None or weight <= 0.0:
                continue

            lit, level = pile.values[held.rows], grip.level * masters.closing
            if held.alone:
                lit = lit + weight * (level - lit)
            else:
                lit = np.maximum(lit, weight * level)

            pile.values[held.rows] = lit
            if held.alone or grip.level > 0.0:
                _let_out(pile, held, weight)


def _let_out(pile: Pile, held: HeldLamps, weight: float) -> None:
    """Open what keeps the light in a lamp."""
    if pile.driven:
        pile.raw_share[held.blocked] *= 1.0 - weight
    look = held.open
    share = np.full(len(look.rows), weight)
    share[look.first_snap : look.first_raw] = 1.0
    pile.blend(look, look.values, share, look.points)


def _reach(show: Show, master: GroupMaster) -> MasterReach:
    """What plays that a group master is over."""
    refs = frozenset(
        ref for ref in master.over if ref.kind not in (GROUP, FIXTURE, TILE)
    )

    driven: set[tuple[str, Ref]] = set()

    for ref in master.over:
        found = show.tile(ref.id) if ref.kind == TILE else None
        if found is not None:
            page, tile = found
            plays = getattr(tile, "plays", ())
            driven |= {
                (player_id(page, tile, n), part.ref) for n, part in enumerate(plays)
            }

    return MasterReach(refs, frozenset(driven))


def _scaled(player: Player, low: list[tuple[MasterReach, float]], now: float) -> Player:
    """A player as far on as the masters over what it plays leave it; on its way from
    one thing to another it goes from what is left of the one to what is of the other.
    """

    def left(step: Step) -> float:
        return math.prod(level for reach, level in low if reach.over(player, step))

    scale = left(player.steps[0])
    for step in player.steps[1:]:
        when = now if step.until is None else min(now, step.until)
        scale += step.progress.level(when) * (left(step) - scale)
    return player if scale == 1.0 else replace(player, level=player.level * scale)


def _held(show: Show, rig: Rig, master: Override) -> HeldLamps:
    lamps = fixtures_of(show, master.over)
    look: Look = {fixture: _opening(show, rig, fixture) for fixture in lamps}
    rows = dimmer_rows(rig, lamps)
    made = compile_look(rig, look, show)
    shut = np.concatenate([rows, made.rows])
    blocked = np.flatnonzero(np.isin(rig.source, shut) & (rig.slope != 0))
    return HeldLamps(rows, made, blocked, master.alone)


def _opening(show: Show, rig: Rig, fixture: str) -> dict[str, Value]:
    """What opens a lamp's shutter and iris, whatever its type needs, but no level and
    no colour.
    """
    kind = show.types.get(show.fixtures[fixture].type)
    if kind is None:
        return {}

    rest, shining = home(rig, fixture), opened(rig, kind, show.fixtures[fixture])
    keep = (at.DIMMER, *at.TARGET_COLOUR)
    return {
        name: float(value)
        for name, value in shining.items()
        if isinstance(value, float | int)
        and name not in keep
        and (value != rest[name] or name.startswith(("Shutter", "Iris")))
    }
