"""Layers: players as they are laid over what is below them."""

from __future__ import annotations

import weakref
from collections.abc import Sequence

import numpy as np

from choreon.render.compiled import CompiledShow
from choreon.render.fades import TINY, Fade, Move, Reach, part_of
from choreon.render.lights import Lights
from choreon.render.live import Change, Dimming, Followed, LevelChange, Live
from choreon.render.looks import NO_ROWS, CompiledLook
from choreon.render.masters import MasterReach
from choreon.render.mixed import Mixed, portion
from choreon.render.pile import Pile
from choreon.render.rig import FAMILIES, POSITION, Floats, Ints
from choreon.render.state import Envelope, Player, Ramp, Step, Time
from choreon.render.trace import Trace, TracePart

NOBODY: Floats = np.zeros(0)  # how others light lamps, to whom does not ask
HOLD = 0.25  # the part of light beside a layer at which it gives way


def _weights(envelope: Envelope, level: float, now: float) -> float | Floats:
    """How far a layer is on: one number, or one for each of FAMILIES."""
    if not envelope.families:
        return envelope.main.at(now) * level
    return np.array([envelope.of(f).at(now) for f in FAMILIES]) * level


def _ratio(others: Floats, own: Floats, beside: Floats | None) -> Floats:
    """How far a layer has to share lamps (k) with others, 0…1. `beside`: the light (k)
    of drafts, and of what only adds, which a layer leaves where it gives little itself.
    """
    if beside is None:
        return part_of(others, own)
    least = HOLD * beside
    here = np.maximum(others, own)
    gives_way = np.maximum(0.0, least - here)
    return (others + gives_way) / np.maximum(np.maximum(here, least), TINY)


def _ratio_into(others: Floats, own: Floats, beside: Floats | None) -> Floats:
    """The same as `_ratio`, in the place of `others`; `own` is used up."""
    if beside is not None:
        return _ratio(others, own, beside)
    np.maximum(own, others, out=own)
    np.maximum(own, TINY, out=own)
    return np.divide(others, own, out=others)


def _share(
    weight: float | Floats, ratio: Floats, families: Ints, row_claim: Ints
) -> Floats:
    """The share of each row (n); `ratio` (k) as _ratio gives it."""
    if isinstance(weight, float):
        return (1.0 - (1.0 - weight) * ratio).take(row_claim)
    own = weight[families]
    return 1.0 - (1.0 - own) * ratio.take(row_claim)


def snap(share: Floats, look: CompiledLook | Fade, leaving: bool) -> None:
    """What snaps does so while the lamp is dark, else when a fade begins."""
    if look.first_snap == look.first_raw:
        return
    snaps = slice(look.first_snap, look.first_raw)
    part = share[snaps]
    share[snaps] = part >= 1.0 if leaving else part > 0.0


class Layer:
    """A player as it is laid over what is below it. `who`: its place among those that
    tell how strongly they light the lamps.
    """

    gives: CompiledLook | Fade
    """What it lays."""

    def __init__(self, player: Player, who: int) -> None:
        self.player, self.who = player, who
        self.weight: float | Floats = 0.0  # one number, or one for each of FAMILIES
        self.intensity = 0.0
        # what brings a player to the top plays the same above it: whose it is, how far
        # it has come (one for each of FAMILIES), and what does so above this one
        self._main: weakref.ref[Single | Moving | Fading] | None = None
        self.come: Floats = np.ones(len(FAMILIES))
        self.lifted_by: Sequence[Layer] = ()
        # the share (n) of each of its rows in the last frame; None for all of them
        self.laid: Floats | None = None
        # of what only adds: the lamps that it lights, and how strongly
        self.added: tuple[Ints, Floats] = (NO_ROWS, NOBODY)

    @property
    def main(self) -> Single | Moving | Fading | None:
        """What this brings to the top, if it does so."""
        return None if self._main is None else self._main()

    def lift(self, main: Single | Moving | Fading) -> None:
        """Bring that to the top, which knows of this: so it is not kept from here."""
        self._main = weakref.ref(main)

    def tell(
        self, lights: Lights, look: CompiledLook | Fade, light: Floats, level: Floats
    ) -> None:
        """Tell how strongly it lights its lamps. What only adds counts beside the
        others, not among them: they keep their colours.
        """
        if self.player.adds:
            self.added = (look.shining[0], light)
            light = np.zeros(len(light))
        lights.tell(self.who, look, light, level)

    def others(self, lights: Lights, lamps: Ints, own: Floats) -> Floats:
        """Returns how strongly others light lamps (k), to which it gives `own` (k)."""
        if self.player.adds:
            return lights.top.take(lamps)
        return lights.others(lamps, own)

    @property
    def _replaces(self) -> float:
        """How far its levels replace those below."""
        return self.intensity if self.player.takes_over else 0.0

    def weigh(self, now: float) -> None:
        """Find out how far it is on now."""
        player = self.player
        if player.weight.families:
            self.weight = _weights(player.weight, player.level, now)
            self.intensity = player.weight_at(now)
        else:
            self.weight = self.intensity = player.weight.main.at(now) * player.level
        if player.lifts:
            self.come = np.array([player.weight.of(f).at(now) for f in FAMILIES])

    @property
    def left(self) -> float | Floats:
        """How much of what it does to values of others is not taken over yet by what
        lifts it: one number, or one for each of FAMILIES.
        """
        left: float | Floats = 1.0
        for lifting in self.lifted_by:
            left = left * (1.0 - lifting.come)
        return left

    @property
    def lit_as(self) -> float:
        """How far on it counts as where it shares lamps with others: what lifts another
        to the top as far as that, for it takes its place.
        """
        return (self.main or self).intensity

    @property
    def weighs(self) -> float | Floats:
        """How far on all else of it counts as there: one number, or one for each of
        FAMILIES.
        """
        return (self.main or self).weight

    def in_place(self, share: Floats, families: Ints) -> Floats:
        """Returns the shares (n) that a layer has, of those that it would have alone:
        what lifts another has as much of them as has come, and that one what is
        missing, so that both together have no more than one would.
        """
        if self.main is not None:
            share = self.come[families] * share
        for lifting in self.lifted_by:
            rest = 1.0 - lifting.come[families] * share
            alone = 1.0 - (1.0 - share) / np.maximum(rest, TINY)
            share = np.where(rest > TINY, alone, share)
        return share

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of it move, and how far each path is on within
        it.
        """
        return []

    @property
    def turned(self) -> tuple[Ints, float | Floats]:
        """The heads that it turns, and the share of their pan (h) that it got; one
        number where it is the same for all.
        """
        gives = self.gives
        if self.laid is None:
            return gives.heads, 1.0
        # of a wide look the shares begin behind its colours
        first = len(gives.rows) - len(self.laid)
        return gives.heads, self.laid[gives.head_rows[:, 0] - first]

    def dim(self, low: Sequence[tuple[MasterReach, float]]) -> None:
        """Have group masters scale what it plays inside; of those over itself the
        player's level has come already.
        """

    @property
    def turns(self) -> float:
        """How far on it is where it moves heads that others aim, 0…1."""
        on = self.weight
        return on if isinstance(on, float) else float(on[POSITION])

    @property
    def seen(self) -> bool:
        """Whether it is on at all."""
        on = self.weight
        there = on > 0.0 if isinstance(on, float) else bool(on.any())
        return there or self.player.releasing

    @property
    def modifies(self) -> bool:
        """Whether it ever changes what others give, or takes over from them."""
        return self.player.takes_over

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give, and how far each is on within
        it.
        """
        return []

    def own_levels(self) -> tuple[Ints, Floats]:
        """Returns the lamps (m) that it lights, and the levels (m) it gives them when
        it is wholly on.
        """
        raise NotImplementedError

    def change_levels(self, level: Floats, steady: bool = False) -> None:
        """Change levels (I + 1) of what lies below, in place. `steady`: no effect
        does.
        """
        if self.player.takes_over and self.intensity > 0.0:
            lamps, own = self.own_levels()
            level[lamps] += self.intensity * (own - level[lamps])
        if steady:
            return
        for change, on in self.changes():
            if isinstance(change, LevelChange):
                change.apply(level, on * self.intensity)

    def change_values(self, pile: Pile) -> None:
        """Change all else that lies below."""
        for change, on in self.changes():
            if not isinstance(change, LevelChange):
                weight = self.weight * self.left
                if not isinstance(weight, float):
                    weight = weight[pile.rig.families[change.rows]]
                pile.change(change, weight * on)


class Single(Layer):
    """A player that plays one look."""

    def __init__(self, player: Player, look: CompiledLook, who: int) -> None:
        super().__init__(player, who)
        self.look = self.gives = look
        # what a crowd has worked out for it: the share of rows, and, where the look is
        # wide, that of all colours (K) in the place of their rows
        self.share: Floats | None = None
        self.colour_share: Floats | None = None

    @property
    def plain(self) -> bool:
        """Whether it can be worked out in a crowd: one weight for all families, and
        its levels are all that lights its lamps.
        """
        look, player = self.look, self.player
        whole = not (player.weight.families or player.takes_over or player.adds)
        whole = whole and not self.lifted_by
        return whole and look.shining[1] is look.levels

    def own_levels(self) -> tuple[Ints, Floats]:
        """Returns its lamps and their levels."""
        return self.look.lamps, self.look.levels

    def light(self, lights: Lights, now: float, beat: float) -> None:
        """Tell how strongly it lights its lamps now."""
        self.weigh(now)
        look = self.look
        light = look.shining[1] * self.intensity
        same = look.shining[1] is look.levels
        level = light if same else look.levels * self.intensity
        self.tell(lights, look, light, level)

    def lay(
        self,
        pile: Pile,
        lights: Lights,
        beside: Floats | None,
        explain: bool = False,
    ) -> Floats:
        """Lay it over what is there. Returns the share (n) that its rows got."""
        look, share = self.look, self.share
        if share is not None and self.colour_share is not None:
            self.laid = share
            return self._lay_wide(pile, share, self.colour_share)

        if share is None:
            share = self._share(lights, beside)
            snap(share, look, self.player.releasing)

        self.laid = share

        if pile.driven and len(look.freed):
            pile.free(look.freed, share[look.freed_by])

        pile.blend(look, look.values, share, look.points)
        return share

    def _lay_wide(self, pile: Pile, share: Floats, colour_share: Floats) -> Floats:
        look = self.look
        count = len(look.colours)
        if pile.driven and len(look.freed):
            ended_by = look.colours.take(look.freed_by % count)
            pile.free(look.freed, colour_share.take(ended_by))
        pile.blend_colours(look.all_colours, colour_share)
        pile.blend(look, look.values, share, look.points, 3 * count)
        return share

    def _share(self, lights: Lights, beside: Floats | None) -> Floats:
        claims, row_claim, shine = self.look.claims
        own = shine * self.lit_as
        others = self.others(lights, claims, own)
        light = None if beside is None else beside[claims]
        ratio = _ratio(others, own, light)
        families = self.look.families
        return self.in_place(_share(self.weighs, ratio, families, row_claim), families)

    def record(self, found: Trace, share: Floats, compiled: CompiledShow) -> None:
        """Put what it gave into a trace."""
        step, look = self.player.steps[-1], self.look
        found.parts.append(
            TracePart(
                step.ref,
                self.player,
                compiled.stored(step, Time()),
                look.rows,
                look.values,
                share,
                look.lamps,
                look.levels * self.intensity,
                self.intensity,
                replaces=self._replaces,
            )
        )


class Moving(Layer):
    """A player that plays one thing which moves by itself."""

    def __init__(
        self, player: Player, look: CompiledLook, live: Live, who: int
    ) -> None:
        super().__init__(player, who)
        self.look = self.gives = look
        self.live = live
        self.values = look.values
        self.time = Time()

    @property
    def modifies(self) -> bool:
        """Whether it ever changes what others give."""
        return self.live.modifies or super().modifies

    def own_levels(self) -> tuple[Ints, Floats]:
        """Returns its lamps and their levels now."""
        return self.look.lamps, self.live.levels

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return self.live.changes()

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of it move."""
        return self.live.followed()

    def dim(self, low: Sequence[tuple[MasterReach, float]]) -> None:
        """Have group masters scale what it plays inside."""
        self.live.dim(_inside(low, self.player, self.player.steps[-1]))

    def light(self, lights: Lights, now: float, beat: float) -> None:
        """Tell how strongly it lights its lamps now."""
        self.weigh(now)
        live = self.live
        self.time = self.player.steps[-1].cursor.time(now, beat)
        live.move(self.time)
        light, level = live.light, live.levels
        if self.intensity != 1.0:
            light, level = light * self.intensity, level * self.intensity
        self.tell(lights, self.look, light, level)

    def lay(
        self,
        pile: Pile,
        lights: Lights,
        beside: Floats | None,
        explain: bool = False,
    ) -> Floats:
        """Lay it over what is there. Returns the share (n) that its rows got."""
        look, live = self.look, self.live
        whole = isinstance(self.weight, float) and self.weight == 1.0
        claims, row_claim, _ = look.claims

        if whole and not live.asks:
            given = live.give(1.0, NOBODY)
            self.values = given.values
            pile.put(look, given.values, given.points)

            self.laid = None
            return np.ones(len(look.rows))

        own = live.shine * self.lit_as
        others = self.others(lights, claims, own)
        light = None if beside is None else beside[claims]
        all_others = others if light is None else np.maximum(others, light)
        given = live.give(self.lit_as, all_others)
        self.values = given.values

        ratio = _ratio(others, own, light)
        share = _share(self.weighs, ratio, look.families, row_claim)
        if pile.driven and len(look.freed):
            ended = share[look.freed_by]
            if given.freed is not None:
                ended = ended * given.freed

            ended = self.in_place(ended, look.families[look.freed_by])
            pile.free(look.freed, ended)

        if given.presence is not None:
            share = share * given.presence

        share = self.in_place(share, look.families)
        snap(share, look, self.player.releasing)
        pile.blend(look, given.values, share, given.points)

        self.laid = share
        return share

    def record(self, found: Trace, share: Floats, compiled: CompiledShow) -> None:
        """Put what it gave into a trace."""
        step, look = self.player.steps[-1], self.look
        found.parts.append(
            TracePart(
                step.ref,
                self.player,
                compiled.stored(step, self.time),
                look.rows,
                self.values,
                share,
                look.lamps,
                self.live.levels * self.intensity,
                self.intensity,
                replaces=self._replaces,
                effects=self.live.names(),
                running=compiled.running(step, self.time),
                place=compiled.place(step, self.time),
            )
        )


class Crowd:
    """Plain layers whose shares are worked out in one go. What they come to is the same
    to the last bit as one by one; with many layers it takes a fraction of the time.
    """

    def __init__(self, layers: Sequence[Single]) -> None:
        self.layers = tuple(layers)
        looks = [layer.look for layer in layers]
        lamps = looks[0].rig.intensities + 1
        self._light = np.concatenate([look.levels for look in looks])
        self._lit_at = np.concatenate(
            [layer.who * lamps + layer.look.shining[0] for layer in layers]
        )

        self._lit_by = _which([len(look.levels) for look in looks])
        counts = [len(look.claims[0]) for look in looks]
        self._claims = np.concatenate([look.claims[0] for look in looks])
        self._shine = np.concatenate([look.claims[2] for look in looks])
        self._claimed_by = _which(counts)

        self._find_rows(looks, np.cumsum([0, *counts[:-1]]))
        self._find_colours(looks, np.cumsum([0, *counts[:-1]]))
        self._lit = np.empty(len(self._lit_at))
        self._own = np.empty(len(self._claims))
        self._others = (np.empty(len(self._claims)), np.empty(len(self._claims)))

        self._shares = np.empty(len(self._row_claim))
        self._of_colours = np.empty(len(self._colour_claim))

    def _find_rows(self, looks: Sequence[CompiledLook], starts: Ints) -> None:
        """Which claim each row follows, of wide looks without their colours; and which
        rows snap.
        """
        firsts = [3 * len(look.colours) if look.is_wide else 0 for look in looks]
        claims = [look.claims[1][f:] for look, f in zip(looks, firsts, strict=True)]
        self._row_claim = np.concatenate(
            [own + start for own, start in zip(claims, starts, strict=True)]
        )
        self._rows_end = np.cumsum([len(own) for own in claims]).tolist()
        snaps = [
            np.arange(look.first_snap, look.first_raw) + end - len(look.rows)
            for look, end in zip(looks, self._rows_end, strict=True)
        ]
        self._snaps = np.concatenate(snaps)

        self._snapped_by = _which([len(own) for own in snaps])

    def _find_colours(self, looks: Sequence[CompiledLook], starts: Ints) -> None:
        """Which claim each colour of a wide look follows, and its place among the
        shares of all colours.
        """
        wide = [n for n, look in enumerate(looks) if look.is_wide]
        self._wide = [self.layers[n] for n in wide]
        self._colour_shares = np.zeros((len(wide), looks[0].rig.colours))
        places = [NO_ROWS]
        claims = [NO_ROWS]

        for line, n in enumerate(wide):
            colours = looks[n].colours
            places.append(line * looks[n].rig.colours + colours)
            claims.append(looks[n].claims[1][: len(colours)] + starts[n])

        self._colour_at = np.concatenate(places)
        self._colour_claim = np.concatenate(claims)

    def light(self, lights: Lights, now: float) -> None:
        """Tell how strongly they light their lamps now."""
        for layer in self.layers:
            layer.weigh(now)
        self._intensity = np.array([layer.intensity for layer in self.layers])
        light = _take(self._intensity, self._lit_by, self._lit)
        light *= self._light
        lights.tell_all(self._lit_at, light)

    def find_shares(self, lights: Lights, beside: Floats | None) -> None:
        """Find the share of each of them."""
        own = _take(self._intensity, self._claimed_by, self._own)
        own *= self._shine
        others = lights.others_into(self._others, self._claims, own)
        light = None if beside is None else beside[self._claims]
        ratio = _ratio_into(others, own, light)
        # the rule of the module's head, all layers at once
        weight = np.array([layer.weight for layer in self.layers], float)
        share = _take(1.0 - weight, self._claimed_by, self._own)
        share *= ratio
        np.subtract(1.0, share, out=share)
        self._hand_out(share)

    def _hand_out(self, share: Floats) -> None:
        """Give each layer the share of its rows, from that of its claims."""
        shares = _take(share, self._row_claim, self._shares)
        snaps = shares.take(self._snaps)
        leaving = np.array([layer.player.releasing for layer in self.layers])
        leaves = leaving.take(self._snapped_by)
        shares[self._snaps] = np.where(leaves, snaps >= 1.0, snaps > 0.0)

        begin = 0
        for layer, end in zip(self.layers, self._rows_end, strict=True):
            layer.share = shares[begin:end]
            begin = end

        # colours that a look does not give keep their share of 0 from the beginning
        colours = self._colour_shares
        of_colours = _take(share, self._colour_claim, self._of_colours)
        colours.reshape(-1)[self._colour_at] = of_colours

        for layer, line in zip(self._wide, colours, strict=True):
            layer.colour_share = line


def _take(numbers: Floats, places: Ints, into: Floats) -> Floats:
    """Numbers at places, into an array that is there: making a large one anew costs
    more than filling it.
    """
    return numbers.take(places, out=into, mode="clip")


def _which(counts: Sequence[int]) -> Ints:
    """The place of the layer that each of so many belongs to."""
    return np.repeat(np.arange(len(counts)), counts)


class Fading(Layer):
    """A player on its way from one look to another. `lives`: those that move."""

    def __init__(
        self, player: Player, fade: Fade, lives: Sequence[Live | None], who: int
    ) -> None:
        super().__init__(player, who)
        self.fade = self.gives = fade
        self.mixed = Mixed(fade, lives)
        self.moves: list[Move] = []
        self.times: list[Time] = []
        self.given: list[Floats] = []
        # who has times of their own on the way to each step but the first
        self.apart: Sequence[Sequence[Reach]] = [()] * (len(lives) - 1)

    @property
    def modifies(self) -> bool:
        """Whether it ever changes what others give."""
        live = any(one is not None and one.modifies for one in self.mixed.lives)
        return live or super().modifies

    def own_levels(self) -> tuple[Ints, Floats]:
        """Returns its lamps and what the levels have come to."""
        return self.fade.lamps, self.mixed.level(self.moves)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return self.mixed.changes(self.moves)

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of its looks move."""
        return self.mixed.followed(self.moves)

    def dim(self, low: Sequence[tuple[MasterReach, float]]) -> None:
        """Have group masters scale what its looks play inside."""
        for step, live in zip(self.player.steps, self.mixed.lives, strict=True):
            if live is not None:
                live.dim(_inside(low, self.player, step))

    def light(self, lights: Lights, now: float, beat: float) -> None:
        """Tell how strongly it lights its lamps now."""
        self.weigh(now)
        mixed, steps = self.mixed, self.player.steps
        self.moves = [
            _move(step, reach, now)
            for step, reach in zip(steps[1:], self.apart, strict=True)
        ]
        self.times = [step.cursor.time(now, beat) for step in steps]
        if mixed.moves_itself:
            mixed.move(self.times)
        light = mixed.light(self.moves) * self.intensity
        same = mixed.level_is_light
        level = light if same else mixed.level(self.moves) * self.intensity
        self.tell(lights, self.fade, light, level)

    def lay(
        self,
        pile: Pile,
        lights: Lights,
        beside: Floats | None,
        explain: bool = False,
    ) -> Floats:
        """Lay it over what is there. Returns the share (n) that its rows got; with
        `explain` that of each look is in `given`.
        """
        # the player as a whole shares the lamp with others; within it, its looks share
        # what it gives, and there the draft counts among the others
        fade, mixed = self.fade, self.mixed
        own = mixed.light_on_claims(self.moves) * self.lit_as
        others = self.others(lights, fade.claims, own)
        light = None if beside is None else beside[fade.claims]
        ratio = _ratio(others, own, light)

        if light is not None:
            others = np.maximum(others, light)

        outcome = mixed.outcome(self.moves, self.lit_as, others, explain)
        share = _share(self.weighs, ratio, fade.families, fade.row_claim)
        snap(share, fade, self.player.releasing)

        if pile.driven and len(fade.freed):
            ended = outcome.freed * share[fade.freed_by]
            ended = self.in_place(ended, fade.families[fade.freed_by])
            pile.free(fade.freed, ended)

        whole = share * outcome.presence
        laid = self.laid = self.in_place(whole, fade.families)
        pile.blend(fade, outcome.values, laid, outcome.points)
        part_of_it = np.divide(laid, whole, out=np.zeros(len(whole)), where=whole > 0)
        self.given = [part * share * part_of_it for part in outcome.given]

        return share

    def record(self, found: Trace, share: Floats, compiled: CompiledShow) -> None:
        """Put what it gave into a trace: each of its looks as a part."""
        left = np.ones(len(share))
        shares: list[Floats] = []

        for given in reversed(self.given):  # as a share of what is there after each
            own = np.divide(given, left, out=np.zeros(len(given)), where=left > 0)
            shares.append(np.minimum(own, 1.0))
            left = left - given

        steps, had = self.player.steps, self.mixed.contents
        effects = dict(self.mixed.names())

        for n, (step, part) in enumerate(zip(steps, shares[::-1], strict=True)):
            look = self.fade.looks[n]
            on = portion(n, self.moves) * self.intensity
            seen = had.levels[n] > 0
            place = np.searchsorted(self.fade.rows, look.rows)
            found.parts.append(
                TracePart(
                    step.ref,
                    self.player,
                    compiled.stored(step, self.times[n]),
                    look.rows,
                    had.values[n][place],
                    part[place],
                    self.fade.lamps[seen],
                    had.levels[n][seen] * on,
                    on,
                    replaces=on if self.player.takes_over else 0.0,
                    effects=effects.get(n, []),
                    running=compiled.running(step, self.times[n]),
                    place=compiled.place(step, self.times[n]),
                )
            )


def _inside(
    low: Sequence[tuple[MasterReach, float]], player: Player, step: Step
) -> Dimming:
    """The masters that are not over a step itself, by what plays of that they are
    over.
    """
    return [(reach.refs, level) for reach, level in low if not reach.over(player, step)]


def _move(step: Step, apart: Sequence[Reach], now: float) -> Move:
    """How far a step has come, and how far on lamps that have their own times; one that
    was left stands as it was then.
    """
    if step.until is not None:
        now = min(now, step.until)
    lamps = tuple(
        (reach, _come(fade.progress, fade.fall, now))
        for reach, fade in zip(apart, step.lamps, strict=True)
    )
    return _come(step.progress, step.fall, now, lamps)


def _come(
    envelope: Envelope,
    fall: Ramp,
    now: float,
    apart: tuple[tuple[Reach, Move], ...] = (),
) -> Move:
    progress: float | Floats = envelope.main.at(now)
    if envelope.families:
        progress = np.array([envelope.of(f).at(now) for f in FAMILIES])
    return Move(envelope.level(now), fall.at(now), progress, apart)
