"""Random shows and random hands: a walk through presses, levels, drafts and releases,
and a look at every value in between.
"""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np

from choreon.engine import actions
from choreon.engine.actions import draft, hands, motion, overrides
from choreon.engine.do import Do
from choreon.engine.precompiler import Precompiler
from choreon.library import library
from choreon.model import attributes as at
from choreon.model import edits, givens, links, pages, palettes
from choreon.model import effects as model_effects
from choreon.model.masters import GroupMaster, Override
from choreon.model.motion import (
    AnyMotion,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Effects,
    Path,
    Rate,
    Shape,
    Spread,
    Wave,
)
from choreon.model.playables import Canvas, Chase, Scene, Times
from choreon.model.playables.canvas import (
    Drives,
    Layout,
    PaintedFrame,
    PaintedLayer,
    View,
)
from choreon.model.playables.chase import ChaseStep, End, Run, Unit
from choreon.model.refs import Ref, to_deed, to_tile
from choreon.model.show import Fixture, Group, Mark, Show
from choreon.model.tiles import (
    Choice,
    DarkChange,
    Fader,
    Flash,
    Pad,
    Page,
    Part,
    parts,
)
from choreon.model.values import Look, Value
from choreon.model.verbs import Edge, Verb
from choreon.render.capture import frozen
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import compose
from choreon.render.rig import Floats
from choreon.render.state import PlayState
from choreon.render.trace import Trace
from tests import play

FADES = (1.0, 3.0)  # seconds, the shortest and the longest
DARK = 0.08  # a lamp below this may jump: whoever goes out there cannot be told
LEVEL = (
    3.0  # most that a fade of a second moves a value, as a part of its span a second
)
LENGTH = 8.0  # seconds of a walk
RIG = (
    ("tarnby-par-7", "8 channel"),
    ("ostrey-wash-90", ""),
    ("ostrey-spot-160", "13 channel"),
    ("pellow-bar-8", "24 channel"),
)
MARKS = {"m1": (1.0, 2.0), "m2": (-2.0, 3.0), "m3": (0.0, 0.5)}


def show_of(dice: random.Random) -> Show:
    """A few lamps, scenes that give them some of what they can do, pads, a choice, and
    faders.
    """
    show = Show(id="w", name="W")
    marks = [Mark(id=i, name=i, x=x, y=y) for i, (x, y) in MARKS.items()]
    show = edits.put(show, "marks", *marks)
    address = 1
    for kind_id, mode_name in RIG:
        kind = library()[kind_id]
        mode = kind.mode(mode_name) or kind.modes[0]
        show, _ = edits.hang(show, kind, mode.name, 1, 1, address)
        address += mode.footprint
    scenes = [
        Scene(
            id=f"s{i}",
            name=f"s{i}",
            look=_look(dice, show),
            fade_in=dice.uniform(*FADES),
            fade_out=dice.uniform(*FADES),
            times=_times(dice),
            effects=_effects(dice, show),
        )
        for i in range(6)
    ]
    chase = _chase(dice, show)
    tiles = [
        Pad(id=f"t{i}", plays=parts(Ref("scene", f"s{i}")), choice="c" if i < 3 else "")
        for i in range(4)
    ]
    if chase is not None:
        tiles[dice.choice((0, 3))] = edits.replace(
            tiles[dice.choice((0, 3))], plays=parts(chase.ref)
        )
        tiles = [edits.replace(t, id=f"t{i}") for i, t in enumerate(tiles)]
    faders = [Fader(id=f"t{i}", plays=parts(Ref("scene", f"s{i}"))) for i in (4, 5)]
    page = Page(id="p", name="P", tiles=(*tiles, *faders))
    moving = [chase] if chase is not None else []
    return edits.put(edits.put(show, "playables", *scenes, *moving), "pages", page)


def _chase(dice: random.Random, show: Show) -> Chase | None:
    """A chase of scenes and looks of its own, softly from one to the next."""
    if dice.random() < 0.35:
        return None
    steps = []
    for n in range(dice.randint(1, 4)):
        own = dice.random() < 0.4
        steps.append(
            ChaseStep(
                id=f"step-{n}",
                plays=None if own else Ref("scene", f"s{dice.randrange(6)}"),
                look=_look(dice, show) if own else {},
                effects=_effects(dice, show) if own else (),
                fade=dice.uniform(0.6, 1.2) if dice.random() < 0.5 else None,
            )
        )
    return Chase(
        id="c",
        name="c",
        steps=tuple(steps),
        fade=dice.uniform(0.6, 1.2),
        hold=dice.uniform(0.0, 0.8),
        run=dice.choice(list(Run)),
        rounds=dice.choice((0, 0, 1, 2)),
        end=dice.choice((End.STAY, End.RELEASE, End.START)),
        then=Ref("scene", "s5"),
        unit=Unit.SECONDS,
        fade_in=dice.uniform(*FADES),
        fade_out=dice.uniform(*FADES),
    )


def _effects(dice: random.Random, show: Show) -> Effects:
    """Soft and slow ones, so that they explain no jump by themselves."""
    if dice.random() < 0.5:
        return ()
    ids = tuple(show.fixtures)
    made = []
    for n in range(dice.randint(1, 2)):
        rate = Rate(seconds=dice.uniform(2.5, 6.0))
        kind = dice.choice(
            ("level", "scale", "add", "zoom", "colour", "around", "room")
        )
        spread = Spread(amount=dice.choice((0.0, 180.0, 360.0)))
        shape = dice.choice((Shape.SINE, Shape.TRIANGLE, Shape.RANDOM))
        wave = Wave(
            shape=shape, rate=rate, spread=spread, there_and_back=dice.random() < 0.3
        )
        moves: AnyMotion
        if kind == "level":
            moves = edits.replace(
                wave, low=dice.uniform(0, 0.4), high=dice.uniform(0.4, 1)
            )
        elif kind == "scale":
            moves = edits.replace(
                wave, mode=EffectMode.SCALES, low=dice.uniform(0, 0.6)
            )
        elif kind == "add":
            moves = edits.replace(wave, mode=EffectMode.ADDS, low=-0.3, high=0.3)
        elif kind == "zoom":
            moves = edits.replace(
                wave,
                attribute="Zoom",
                mode=dice.choice(list(EffectMode)),
                low=0.5,
                high=1.5,
            )
            if moves.mode == EffectMode.REPLACES:
                moves = edits.replace(moves, low=10.0, high=40.0)
        elif kind == "colour":
            stops = tuple(
                ColourStop((dice.random(), dice.random(), dice.random()))
                for _ in range(3)
            )
            moves = ColourRoll(stops=stops, rate=rate, spread=spread)
        elif kind == "around":
            moves = Path(size=20.0, rate=rate, spread=spread)
        else:
            moves = Path(
                in_room=True, centre="point:0,3,0", size=1.2, rate=rate, spread=spread
            )
        made.append(Effect(id=f"e{n}", motion=moves, fixtures=ids))
    return tuple(made)


def _times(dice: random.Random) -> dict[str, Times]:
    if dice.random() < 0.6:
        return {}
    families = dice.sample(["intensity", "colour", "position", "beam"], 2)
    return {f: Times(dice.uniform(0, 1.0), dice.uniform(*FADES)) for f in families}


def _look(dice: random.Random, show: Show) -> Look:
    look: Look = {}
    for fixture in show.fixtures.values():
        if dice.random() < 0.3:
            continue
        has = attributes_of(show, fixture)
        values: dict[str, Value] = {}
        if dice.random() < 0.75:
            values["Dimmer"] = _level(dice, cells=has["cells"])
        if has["mixes"] and dice.random() < 0.7:
            values |= {n: _number(dice, has["cells"]) for n in at.TARGET_COLOUR}
        if has["turns"] and dice.random() < 0.75:
            values |= _aim(dice)
        if has["turns"] and dice.random() < 0.4:
            values["Zoom"] = dice.uniform(10, 40)
        if dice.random() < 0.25:
            values["dmx:blue"] = float(dice.randrange(256))
        look[fixture.id] = values
    return look


def attributes_of(show: Show, fixture: Fixture) -> dict[str, int]:
    """What a fixture can do, as far as looks here make use of it."""
    kind = show.types[fixture.type]
    mode = kind.mode(fixture.mode)
    names = kind.attributes
    return {
        "cells": len(mode.cells) if mode else 0,
        "mixes": "ColorAdd_R" in names,
        "turns": at.PAN in names,
    }


def _number(dice: random.Random, cells: int) -> Value:
    """A number, or now and then one for each cell."""
    if cells and dice.random() < 0.6:
        return tuple(dice.random() for _ in range(cells))
    return dice.random()


def _level(dice: random.Random, cells: int) -> Value:
    return dice.choice([0.0, 0.4, 1.0, _number(dice, cells)])


def _aim(dice: random.Random) -> dict[str, Value]:
    """At a mark, or by angles."""
    if dice.random() < 0.5:
        return links.aim(links.to_mark(dice.choice(list(MARKS))))
    return {"Pan": dice.uniform(-120, 120), "Tilt": dice.uniform(-60, 60)}


@dataclass
class Worst:
    """The largest step of a value of a lit lamp, as a part of its span, what its fades
    explain, and where it was.
    """

    step: float = 0.0
    allowed: float = 1.0
    story: str = ""


class Walk:
    """One show and one hand."""

    def __init__(self, dice: random.Random) -> None:
        self.dice = dice
        self.show = self._show_of(dice)
        self.state = play.blank()
        self.now = 0.0
        self.ahead = Precompiler(
            compile_show(self.show), lambda: self.state, lambda: self.now
        )
        self.compiled = self.ahead.compiled
        times = sorted(
            dice.uniform(0.2, LENGTH - 3.5) for _ in range(dice.randint(4, 9))
        )
        self.deeds = [(t, *self.next_deed()) for t in times]
        rig = self.compiled.rig
        self.span = np.concatenate(
            [np.maximum(rig.high - rig.low, 1e-9), np.maximum(rig.full, 1.0)]
        )
        self.span[rig.colour_rows] = 1.0
        lights = np.concatenate([rig.light, rig.channel_light])
        self.lights = np.minimum(lights, rig.intensities)
        smooth = np.ones(len(self.span), bool)
        smooth[: rig.intensities] = True
        smooth[rig.snaps_from : rig.size] = False
        self.smooth = smooth

    def _show_of(self, dice: random.Random) -> Show:
        return show_of(dice)

    def next_deed(self) -> tuple[str, str, float]:
        whats = ["press"] * 7 + ["release", "draft", "clear", "blind"]
        what = self.dice.choice([*whats, "rate", "pause", "next", "back"])
        return what, f"t{self.dice.randrange(4)}", self.dice.random()

    def act(self, state: PlayState, what: str, tile: str, value: float, now: float):
        if what == "press":  # as the engine does, the way of the heads planned
            self.state, self.now = state, now
            do = Do(to_tile(tile), Verb.PRESS)
            ways = self.ahead.ask([do])[do.ref]
            return actions.perform(self.show, state, do, now, ways)
        if what == "release" and state.players:
            return play.release(self.show, state, state.players[0].id, now)
        if what == "draft":  # a colour by hand: the lamp's own jump is the hand's
            return state
        if what == "clear":
            return play.clear_draft(state, now)
        if what == "blind":
            return play.set_blind(state, value < 0.5, now)
        if what in ("rate", "pause", "next", "back"):
            do = Do(to_tile(tile), Verb(what), 0.5 + value)
            return actions.perform(self.show, state, do, now)
        return state

    def state_at_start(self) -> PlayState:
        """Faders stand somewhere, and perhaps there is a draft."""
        state = play.blank()
        for tile in ("t4", "t5"):
            if self.dice.random() < 0.6:
                level = self.dice.random()
                state = play.set_level(self.show, state, tile, level, 0.0)
        if self.dice.random() < 0.5:
            state = play.set_draft(state, _look(self.dice, self.show))
            effects = _effects(self.dice, self.show)
            state = draft.set_effects(self.show, state, effects, 0.0)
        return state

    def _values(
        self, compiled: CompiledShow, state: PlayState, now: float
    ) -> tuple[Floats, Floats, Floats]:
        """Values, how lit the lamp of each is, and the share of raw values."""
        canvas = compose(compiled, state, now)
        rig = compiled.rig
        light = np.append(canvas.values[: rig.intensities], 1.0)
        shares = np.ones(len(canvas.values))
        shares[rig.size :] = canvas.raw_share if canvas.driven else 0.0
        return canvas.values.copy(), light[self.lights], shares

    def scan(self, step: float) -> Worst:
        """Look at every value, `step` seconds apart."""
        worst = Worst(allowed=step * LEVEL * 4)
        state = self.state_at_start()
        deeds = list(self.deeds)
        before = None
        history: list[str] = []
        for now in np.arange(0.0, LENGTH, step):
            seen = state
            while deeds and deeds[0][0] <= now:
                at_, what, tile, value = deeds.pop(0)
                state = self.act(state, what, tile, value, float(now))
                history.append(f"{at_:.3f} {what} {tile}")
            state = motion.follow(self.compiled, state, float(now))
            state = self.meanwhile(seen, state, float(now))
            state = play.prune(state, float(now))
            found = self._values(self.compiled, state, float(now))
            if before is not None:
                self._compare(worst, before, found, float(now), history)
            before = found
        return worst

    def meanwhile(self, before: PlayState, state: PlayState, now: float) -> PlayState:
        """What else the engine does between two frames."""
        return state

    def _compare(self, worst: Worst, before, after, now: float, history) -> None:
        values, lit, shares = before
        values2, lit2, shares2 = after
        light = np.minimum(lit, lit2)
        # A raw value counts as far as it is there; a share itself moves as a value does.
        moved = np.abs(values2 - values) / self.span * np.minimum(shares, shares2)
        moved = np.maximum(moved, np.abs(shares2 - shares))
        # The dimmer a lamp is, the quicker its colour may turn: others' light over it.
        seen = np.where(light > DARK, moved * np.minimum(1.0, light), 0.0)
        seen[~self.smooth] = 0.0
        row = int(seen.argmax())
        if seen[row] > worst.step:
            rig = self.compiled.rig
            name = rig.names[row] if row < rig.size else f"channel {row - rig.size}"
            worst.step = float(seen[row])
            worst.story = (
                f"{name} (row {row}) at {now:.3f}: {values[row]:.4f} → {values2[row]:.4f}"
                f", light {light[row]:.3f}; {'; '.join(history)}"
            )

    def apart(self) -> float:
        """How far composing with what stands laid together, and one by one, differ."""
        state = self.state_at_start()
        most = 0.0
        for at_, what, tile, value in self.deeds:
            state = self.act(play.prune(state, at_), what, tile, value, at_)
            for now in (at_, at_ + 0.31, at_ + 1.7):
                fast = compose(self.compiled, state, now)
                slow = compose(self.compiled, state, now, Trace(self.compiled.rig))
                differ = np.abs(fast.values - slow.values) / self.span
                if fast.driven:
                    raw = slice(self.compiled.rig.size, None)
                    differ[raw] *= np.minimum(fast.raw_share, slow.raw_share)
                most = max(most, float(differ.max()))
        return most


class PlayedWalk(Walk):
    """The same with all else that hands do on a page: choices, flashes, masters,
    override faders, lamps aside, live values, the order, back to before, the safe look.
    """

    def _show_of(self, dice: random.Random) -> Show:
        show = show_of(dice)
        lamps = [Ref("fixture", i) for i in show.fixtures]
        only = (*[()] * 3, ("colour", "position"), ("intensity",))
        plays = [
            Part(Ref("scene", f"s{i}"), dice.uniform(0.3, 1.0), dice.choice(only))
            for i in range(6)
        ]
        dark = DarkChange(*(dice.uniform(0.6, 1.5) for _ in range(3)))
        tiles = (
            Choice(
                id="choice", plays=tuple(plays[:4]), change=dice.choice((None, dark))
            ),
            Pad(id="many", plays=tuple(plays[2:5])),
            Flash(id="over", plays=tuple(plays[4:5]), fades=True),
            Flash(id="adds", plays=tuple(plays[5:]), fades=True, over=False),
        )
        masters = (
            GroupMaster(id="lamps", name="L", over=tuple(dice.sample(lamps, 2))),
            GroupMaster(id="played", name="P", over=(Ref("scene", "s1"),)),
            Override(
                id="override",
                name="O",
                over=tuple(dice.sample(lamps, 2)),
                alone=dice.random() < 0.5,
            ),
        )
        page = Page(id="q", name="Q", tiles=tiles)
        show = edits.put(edits.put(show, "pages", page), "masters", *masters)
        return edits.replace(show, safe=(plays[5],))

    def next_deed(self) -> tuple[str, str, float]:
        if self.dice.random() < 0.4:
            return super().next_deed()
        return self.dice.choice(PLAYED), "", self.dice.random()

    def state_at_start(self) -> PlayState:
        """Masters stand somewhere; an override fader may be in hand."""
        state = super().state_at_start()
        levels = {i: self.dice.uniform(0.2, 1.0) for i in ("lamps", "played")}
        return play.set_masters(state, levels=levels)

    def act(self, state: PlayState, what: str, tile: str, value: float, now: float):
        if what not in PLAYED:
            return super().act(state, what, tile, value, now)
        if what == "aside":
            some = self._some(value)
            look = frozen(self.compiled, state, now, some)
            return hands.take(state, "aside", look, now)
        if what == "back":
            return hands.bring_back(state, state.aside, now, 1.0 + value)
        if what == "hold":
            held = state.masters.grip("override")
            # its level is the hand's own; it is gripped softly, in more than its time
            state = overrides.hold(state, "override", value, now)
            if held is not None:
                return play.set_masters(state, grips=(held,))
            ramp = state.masters.grips[0].held
            grip = edits.replace(
                state.masters.grips[0], held=edits.replace(ramp, seconds=1.0)
            )
            return play.set_masters(state, grips=(grip,))
        self.state, self.now = state, now
        ref, verb, edge = PLAYED_AS[what]
        if ref.kind == "player":
            if not state.players:
                return state
            mains = [p for p in state.players if not p.lifts]
            ref = Ref("player", mains[int(value * len(mains))].id)
        do = Do(ref, verb, 1.0 if ref.kind == "player" else float(int(4 * value)), edge)
        ways = self.ahead.ask([do])[do.ref]
        return actions.perform(self.show, state, do, now, ways)

    def _some(self, value: float) -> list[str]:
        ids = list(self.show.fixtures)
        return [i for n, i in enumerate(ids) if (int(value * 16) >> n) & 1]


PLAYED_AS = {
    "choose": (to_tile("choice"), Verb.STEP, Edge.DOWN),
    "many": (to_tile("many"), Verb.PRESS, Edge.DOWN),
    "over": (to_tile("over"), Verb.PRESS, Edge.DOWN),
    "over up": (to_tile("over"), Verb.PRESS, Edge.UP),
    "adds": (to_tile("adds"), Verb.PRESS, Edge.DOWN),
    "adds up": (to_tile("adds"), Verb.PRESS, Edge.UP),
    "raise": (Ref("player", ""), Verb.RAISE, Edge.DOWN),
    "lower": (Ref("player", ""), Verb.LOWER, Edge.DOWN),
    "let go": (Ref("master", "override"), Verb.RELEASE, Edge.DOWN),
    "undo": (to_deed("undo"), Verb.PRESS, Edge.DOWN),
    "safe": (to_deed("safe"), Verb.PRESS, Edge.DOWN),
}
PLAYED = [*PLAYED_AS, "choose", "aside", "back", "hold"]


class GivenWalk(PlayedWalk):
    """The same with what groups are given by tiles: palettes of every family, levels,
    motions, in strips, on pads that exclude each other, on faders, beside scenes.
    """

    def _show_of(self, dice: random.Random) -> Show:
        show = super()._show_of(dice)
        ids = list(show.fixtures)
        for n in range(3):
            members = tuple(dice.sample(ids, dice.randint(1, len(ids))))
            group = Group(id=f"g{n}", name=f"G{n}", fixtures=members)
            show = edits.put(show, "groups", group)
        for n, (family, values) in enumerate(_palettes(dice)):
            show, _ = palettes.keep_palette(show, f"p{n}", family, {"any": values})
        wave = Wave(
            rate=Rate(seconds=dice.uniform(2.5, 6.0)),
            low=0.2,
            high=dice.uniform(0.5, 1),
        )
        show, _ = model_effects.keep_motion(show, "wave", wave)

        played = []
        for _ in range(8):
            show, ref = self._given(dice, show)
            played.append(Part(ref))
        page = show.pages["p"]
        some = dice.sample(range(len(page.tiles)), 4)
        tiles = tuple(
            edits.replace(tile, plays=(dice.choice(played),)) if n in some else tile
            for n, tile in enumerate(page.tiles)
        )
        show = edits.put(show, "pages", edits.replace(page, tiles=tiles))
        show = pages.change(show, "choice", plays=tuple(played[:4]))
        return pages.change(show, "many", plays=tuple(played[4:7]))

    @staticmethod
    def _given(dice: random.Random, show: Show) -> tuple[Show, Ref]:
        group = Ref("group", dice.choice(list(show.groups)))
        if dice.random() < 0.25:
            level: Value = dice.choice((0.0, 0.5, 1.0))
            show, ref = givens.give_values(show, group, f"{level}", {"Dimmer": level})
        else:
            show, ref = givens.give(show, group, dice.choice(list(show.palettes)))
        fades = {name: dice.uniform(*FADES) for name in ("fade_in", "fade_out")}
        return edits.change(show, ref, **fades), ref


def _palettes(dice: random.Random) -> list[tuple[at.Family, dict[str, Value]]]:
    """A few of each family."""
    found: list[tuple[at.Family, dict[str, Value]]] = []
    for _ in range(3):
        colour: dict[str, Value] = {name: dice.random() for name in at.TARGET_COLOUR}
        found.append((at.Family.COLOUR, colour))
        found.append((at.Family.POSITION, _aim(dice)))
    found.append((at.Family.BEAM, {"Zoom": dice.uniform(10, 40)}))
    found.append((at.Family.INTENSITY, {"Dimmer": dice.uniform(0.2, 1.0)}))
    return found


class CanvasWalk(Walk):
    """The same with canvases on some of the tiles, pads of a choice among them."""

    def _show_of(self, dice: random.Random) -> Show:
        show = show_of(dice)
        page = show.pages["p"]
        changed = {}
        for n in dice.sample(range(6), 3):
            made = _canvas(dice, show, f"k{n}")
            show = edits.put(show, "playables", made)
            changed[f"t{n}"] = made.ref
        tiles = tuple(
            edits.replace(tile, plays=parts(changed[tile.id]))
            if tile.id in changed
            else tile
            for tile in page.tiles
        )
        return edits.put(show, "pages", edits.replace(page, tiles=tiles))


def _canvas(dice: random.Random, show: Show, name: str) -> Canvas:
    """Painted frames, dark fields among them, that stand or go over slowly."""
    frames = []
    for _ in range(dice.choice((1, 1, 3))):
        fields = (
            (0, 0, 0) if dice.random() < 0.3 else [dice.randrange(256) for _ in "rgb"]
            for _ in range(8)
        )
        frames.append(PaintedFrame(bytes(b for f in fields for b in (*f, 255))))
    rate = Rate(dice.uniform(8.0, 12.0))
    layer = PaintedLayer(
        id="l", columns=4, rows=2, frames=tuple(frames), fades=True, rate=rate
    )
    return Canvas(
        id=name,
        name=name,
        layout=Layout(fixtures=tuple(show.fixtures), view=View.GRID),
        layers=(layer,),
        drives=dice.choice((Drives.LIGHT, Drives.LIGHT, Drives.COLOUR, Drives.LEVEL)),
        fade_in=dice.uniform(*FADES),
        fade_out=dice.uniform(*FADES),
    )
