"""Effects in looks: what they do to what is there, whom they move, and how they are
captured, explained and baked.
"""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine.actions import draft, motion, players
from choreon.model import edits
from choreon.model import effects as model_effects
from choreon.model.motion import (
    By,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Path,
    PathShape,
    Rate,
    Shape,
    Spread,
    Wave,
)
from choreon.model.playables import Scene
from choreon.model.playables.chase import Unit
from choreon.render import aim, live
from choreon.render.bake import bake
from choreon.render.capture import capture, capture_effects
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend
from choreon.render.effects import compile_effects, lacking
from choreon.render.explain import explain
from choreon.render.looks import CompiledLook
from choreon.render.rig import compile_rig
from choreon.render.state import BeatClock, Ramp
from tests import play

STAGE = edits.replace(low_tide(), playables={})
PARS = tuple(f"par-{n}" for n in range(1, 5))
TOGETHER = Spread(amount=0.0)


def wave(**fields) -> Effect:
    fixtures = fields.pop("fixtures", PARS)
    by = fields.pop("by", By.FIXTURES)
    fields.setdefault("spread", TOGETHER)
    return Effect(id="e", motion=Wave(**fields), fixtures=fixtures, by=by)


def lit(level: float, *fixtures: str):
    return {i: {"Dimmer": level} for i in fixtures or PARS}


def on(*scenes: Scene, levels=(), clock=None):
    """A show with scenes, and the state in which they play from time 0."""
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    show = play.put_scenes(STAGE, scenes)
    state = play.blank()
    if clock is not None:
        state = edits.replace(state, clock=clock)
    for scene in scenes:
        state = actions.perform(show, state, Do(scene.ref, Verb.PRESS), 0.0)
    players = tuple(
        edits.replace(p, level=level)
        for p, level in zip(state.players, [*levels, *[1.0] * 9], strict=False)
    )
    return compile_show(show), edits.replace(state, players=players)


def scene(name: str, look=None, *effects: Effect) -> Scene:
    return Scene(
        id=name, name=name, look=look or {}, effects=effects, fade_in=0, fade_out=0
    )


def value(compiled, state, now: float, fixture: str = "par-1", name: str = "Dimmer"):
    row = compiled.rig.where[fixture][name][0][1]
    return float(blend(compiled, state, now)[row])


def test_a_wave_replaces_the_level_of_its_own_look():
    compiled, state = on(scene("a", lit(0.4), wave(low=0.2, high=1.0)))
    found = [value(compiled, state, t) for t in (0.0, 1.0, 2.0, 4.0)]
    assert found == pytest.approx([0.2, 0.6, 1.0, 0.2])


def test_a_wave_scales_what_plays_below_it_and_never_what_comes_above():
    pulse = wave(mode=EffectMode.SCALES, low=0.5, high=1.0)
    compiled, state = on(
        scene("a", lit(0.8)), scene("p", {}, pulse), scene("b", lit(0.6))
    )
    found = [value(compiled, state, t) for t in (0.0, 1.0, 2.0)]
    assert found == pytest.approx([0.6, 0.6, 0.8])  # never below what lies above
    compiled, state = on(scene("a", lit(0.8)), scene("p", {}, pulse))
    found = [value(compiled, state, t) for t in (0.0, 1.0, 2.0)]
    assert found == pytest.approx([0.4, 0.6, 0.8])


def test_half_up_an_effect_is_half_as_large():
    pulse = wave(mode=EffectMode.SCALES, low=0.5, high=1.0)
    compiled, state = on(scene("a", lit(0.8)), scene("p", {}, pulse), levels=(1.0, 0.5))
    assert value(compiled, state, 0.0) == pytest.approx(0.6)
    grows = wave(low=0.0, high=1.0)
    compiled, state = on(scene("a", {}, grows), levels=(0.5,))
    assert value(compiled, state, 2.0) == pytest.approx(0.5)


def test_adding_lifts_and_lowers_within_what_there_is():
    adds = wave(mode=EffectMode.ADDS, low=-0.3, high=0.3)
    compiled, state = on(scene("a", lit(0.8)), scene("p", {}, adds))
    found = [value(compiled, state, t) for t in (0.0, 1.0, 2.0)]
    assert found == pytest.approx([0.5, 0.8, 1.0])


@pytest.mark.parametrize("mode", [EffectMode.SCALES, EffectMode.ADDS])
@pytest.mark.parametrize("size", [0.0, 0.25])
def test_of_no_size_what_scales_or_adds_changes_nothing(mode, size):
    """Scaled by 0…1 or raised by 0…1, of which so much is left: .5 (1 − size·(1 − w)),
    and .5 + size·w, at the wave's lowest.
    """
    compiled, state = on(scene("a", lit(0.5), wave(mode=mode, low=0.0, high=1.0)))
    players = tuple(edits.replace(p, size=size) for p in state.players)
    found = value(compiled, edits.replace(state, players=players), 0.0)
    lowest = 0.5 * (1.0 - size) if mode == EffectMode.SCALES else 0.5
    assert found == pytest.approx(lowest)


def test_what_is_added_to_its_own_look_goes_no_higher_than_full():
    """.8 and 1 more is full, and its lamps are known to come to that."""
    adds = wave(mode=EffectMode.ADDS, low=1.0, high=1.0)
    compiled, state = on(scene("a", lit(0.8), adds))
    assert value(compiled, state, 1.0) == 1.0
    (player,) = state.players
    lamps, light = compiled.look_of(player.steps[-1]).shining
    assert len(lamps)
    assert light.max() == 1.0


@pytest.mark.parametrize("backward", [False, True])
def test_across_the_stage_a_roll_goes_from_left_to_right_unless_backward(backward):
    """Red travels: it is at a lamp the later the further right (or left) that is."""
    stops = tuple(ColourStop(rgb) for rgb in ((1.0, 0, 0), (0, 0, 1.0), (0, 0, 1.0)))
    roll = ColourRoll(
        stops=stops,
        hard=True,
        across=True,
        rate=Rate(seconds=8.0),
        spread=Spread(backward=backward),
    )
    ids = (*PARS[::-1],)  # not in the order in which they hang
    effect = Effect(id="e", motion=roll, fixtures=ids, by=By.FIXTURES)
    compiled, state = on(scene("a", lit(1.0, *ids), effect))
    red_at = {}
    for now in np.arange(0.0, 8.0, 0.05):
        for i in ids:
            if value(compiled, state, float(now), i, "ColorRGB_Red") > 0.5:
                red_at.setdefault(i, []).append(float(now))

    def middle(times: list[float]) -> complex:
        return sum(np.exp(2j * np.pi * t / 8.0) for t in times)

    rows = sorted(ids, key=lambda i: STAGE.fixtures[i].place.x)
    places = {STAGE.fixtures[i].place.x for i in rows}
    assert len(places) == len(rows)
    for left, right in itertools.pairwise(rows):
        later = np.angle(middle(red_at[right]) / middle(red_at[left]))
        assert (later < 0.0) == backward
        assert abs(later) > 0.1


def lifted(*scenes: Scene):
    """Scenes of which the first, which fades in over two seconds, is lifted to the top
    at 10 s: the show, the state before and the state after.
    """
    compiled, before = on(*scenes)
    first = before.players[0]
    return compiled, before, players.lift(compiled.show, before, first, 10.0)


def test_what_is_lifted_past_an_effect_that_adds_leaves_it_softly():
    adds = wave(mode=EffectMode.ADDS, low=0.2, high=0.2)
    low = edits.replace(scene("a", lit(0.4)), fade_in=2.0)
    compiled, _, state = lifted(low, scene("p", {}, adds))
    found = [value(compiled, state, t) for t in (10.0, 10.5, 11.0, 12.0)]
    assert found == pytest.approx([0.6, 0.55, 0.5, 0.4])
    there = play.prune(state, 12.0)
    assert len(there.players) == 2
    assert value(compiled, there, 12.0) == pytest.approx(0.4)


def test_an_effect_that_is_lifted_takes_in_what_it_comes_past_softly():
    pulse = wave(mode=EffectMode.SCALES, low=0.5, high=0.5)
    scales = edits.replace(scene("p", {}, pulse), fade_in=2.0)
    compiled, _, state = lifted(scales, scene("a", lit(0.8)))
    found = [value(compiled, state, t) for t in (10.0, 10.5, 11.0, 12.0)]
    assert found == pytest.approx([0.8, 0.7, 0.6, 0.4])
    there = play.prune(state, 12.0)
    assert value(compiled, there, 12.0) == pytest.approx(0.4)


@pytest.mark.parametrize("towards", [(20.0, 0.0), (0.0, 20.0), (-14.0, 14.0)])
def test_a_path_around_an_aim_that_moves_through_the_pole_does_not_whip(towards):
    tilt = np.arange(-6.0, 6.0, 0.005)
    base = np.stack([np.full(len(tilt), 35.0), tilt], axis=1)
    hanging = np.broadcast_to(np.eye(3), (len(tilt), 3, 3))
    away = np.broadcast_to(np.array(towards), (len(tilt), 1, 2))
    moved = base + live.around(base, hanging, away, 1.0)[:, 0]
    assert np.abs(np.diff(moved, axis=0)).max() < 1.0


def test_a_path_around_an_aim_goes_as_far_while_it_is_lifted():
    path = Effect(id="e", motion=Path(size=20.0), fixtures=("spot-1",))
    moves = edits.replace(scene("a", {}, path), fade_in=2.0)
    compiled, before, state = lifted(moves, scene("b", lit(1.0, "spot-1")))
    for t in np.arange(10.0, 12.0, 0.1):
        expected = value(compiled, before, t, "spot-1", "Tilt")
        found = value(compiled, state, t, "spot-1", "Tilt")
        assert found == pytest.approx(expected, abs=1e-6)
    there = play.prune(state, 12.0)
    assert len(there.players) == 2
    expected = value(compiled, before, 12.0, "spot-1", "Tilt")
    assert value(compiled, there, 12.0, "spot-1", "Tilt") == pytest.approx(expected)


def test_effects_on_one_attribute_stack_in_their_order():
    first = wave(low=1.0, high=1.0)
    second = edits.replace(wave(mode=EffectMode.SCALES, low=0.25, high=0.25), id="f")
    compiled, state = on(scene("a", {}, first, second))
    assert value(compiled, state, 0.3) == pytest.approx(0.25)
    compiled, state = on(scene("a", {}, second, first))
    assert value(compiled, state, 0.3) == pytest.approx(1.0)


@given(
    low=st.floats(-1, 2),
    high=st.floats(-1, 2),
    shape=st.sampled_from([s for s in Shape if s != Shape.OWN]),
    at=st.floats(0, 40),
    below=st.floats(0, 1),
)
def test_scale_never_brightens(low, high, shape, at, below):
    pulse = wave(mode=EffectMode.SCALES, low=low, high=high, shape=shape)
    compiled, state = on(scene("a", lit(below)), scene("p", {}, pulse))
    assert -1e-12 <= value(compiled, state, at) <= below + 1e-12


def test_other_attributes_scale_and_add_from_what_is_there():
    look = {"wash-1": {"Dimmer": 1.0, "Zoom": 20.0}}
    scaled = wave(
        attribute="Zoom",
        mode=EffectMode.SCALES,
        low=0.5,
        high=1.5,
        fixtures=("wash-1",),
    )
    compiled, state = on(scene("a", look), scene("p", {}, scaled))
    found = [value(compiled, state, t, "wash-1", "Zoom") for t in (0, 1, 2)]
    assert found == pytest.approx([10.0, 20.0, 30.0])
    added = wave(
        attribute="Zoom", mode=EffectMode.ADDS, low=-5, high=5, fixtures=("wash-1",)
    )
    compiled, state = on(scene("a", look), scene("p", {}, added))
    found = [value(compiled, state, t, "wash-1", "Zoom") for t in (0, 1, 2)]
    assert found == pytest.approx([15.0, 20.0, 25.0])


def test_around_its_aim_a_head_goes_in_degrees_and_less_where_limits_are_near():
    around = Effect(
        id="e",
        motion=Path(size=20.0, spread=TOGETHER),
        fixtures=("spot-1",),
        by=By.FIXTURES,
    )
    look = {"spot-1": {"Dimmer": 1.0, "Pan": 30.0, "Tilt": -90.0}}
    compiled, state = on(scene("a", look), scene("p", {}, around))

    def beam(now):
        angles = [value(compiled, state, now, "spot-1", n) for n in ("Pan", "Tilt")]
        heads = compiled.rig.heads
        hanging = heads.hanging[heads.of["spot-1"]][None]
        return aim.beam(hanging, angles[:1], angles[1:])[0]

    # 20° on the sphere all the way round: opposite places are twice as far apart
    for t in (0.0, 0.3, 1.0, 1.7):
        apart = np.degrees(np.arccos(beam(t) @ beam(t + 2.0)))
        assert apart == pytest.approx(40.0, abs=0.01)
    near = {"spot-1": {"Dimmer": 1.0, "Pan": 265.0, "Tilt": -90.0}}
    compiled, state = on(scene("a", near), scene("p", {}, around))
    high = compiled.rig.high[compiled.rig.where["spot-1"]["Pan"][0][1]]
    pans = [value(compiled, state, t, "spot-1", "Pan") for t in np.linspace(0, 4, 60)]
    assert max(pans) <= high + 1e-9
    assert max(pans) - 265.0 == pytest.approx(265.0 - min(pans), abs=0.3)


def test_cells_fixtures_and_each_fixture_by_itself():
    spread = Spread()
    bars = ("bar-1", "bar-2")

    def phases_of(by: By) -> list[float]:
        rig = compile_rig(STAGE.types, STAGE.fixtures)
        effect = Effect(
            id="e", motion=Wave(shape=Shape.UP, spread=spread), fixtures=bars, by=by
        )
        moving = compile_effects(STAGE, rig, CompiledLook(rig), (effect,), {})
        op = moving.ops[0]
        return sorted(set((-op.phase).round(6).tolist()))

    assert phases_of(By.CELLS) == pytest.approx([n / 16 for n in range(16)])
    assert phases_of(By.FIXTURES) == pytest.approx([0.0, 0.5])
    assert phases_of(By.EACH) == pytest.approx([n / 8 for n in range(8)])


def test_all_cells_of_a_fixture_light():
    effect = wave(fixtures=("bar-1",), low=1.0, high=1.0)
    compiled, state = on(scene("a", {}, effect))
    values = blend(compiled, state, 0.7)
    rows = [row for _, row in compiled.rig.where["bar-1"]["Dimmer"]]
    assert values[rows].tolist() == [1.0] * 8


def test_a_roll_turns_wheels_to_the_nearest_slot_and_changes_it_only_then():
    colours = ColourRoll(
        stops=(ColourStop((1, 0, 0)), ColourStop((0, 0, 1))), rate=Rate(seconds=8.0)
    )
    effect = Effect(
        id="e", motion=colours, fixtures=("spot-1", "par-1"), by=By.FIXTURES
    )
    compiled, state = on(scene("a", lit(1.0, "spot-1", "par-1"), effect))
    wheel = compiled.rig.wheels["spot-1"]
    slots = []
    for now in np.linspace(0, 8, 400, endpoint=False):
        row = wheel.row
        slots.append(float(blend(compiled, state, float(now))[row]))
    assert set(slots) <= {float(n) for n in range(len(wheel.names))}
    changes = sum(a != b for a, b in itertools.pairwise(slots))
    assert 2 <= changes <= 12


def test_who_lacks_an_attribute_is_named_and_the_rest_moves():
    effect = wave(
        attribute="Zoom", low=10, high=30, fixtures=("par-1", "wash-1", "gone")
    )
    rig = compile_rig(STAGE.types, STAGE.fixtures)
    assert lacking(STAGE, rig, effect) == ["par-1"]
    moving = compile_effects(STAGE, rig, CompiledLook(rig), (effect,), {})
    assert moving.lacking[0].fixtures == ("par-1",)
    assert len(moving.ops) == 1


@pytest.mark.parametrize(
    "effect",
    [
        Effect(id="e", motion=Wave()),
        Effect(id="e", motion=Wave(), fixtures=("gone",)),
        Effect(id="e", motion=Wave(), group="gone", fixtures=("gone",)),
        Effect(
            id="e", motion=Path(in_room=True, centre="mark:gone"), fixtures=("spot-1",)
        ),
        Effect(
            id="e", motion=Path(shape=PathShape.FREE, points=()), fixtures=("spot-1",)
        ),
        Effect(
            id="e",
            motion=Path(
                shape=PathShape.FREE, points=((float("nan"), 0.0),), in_room=True
            ),
            fixtures=("spot-1",),
        ),
        Effect(id="e", motion=ColourRoll(stops=()), fixtures=PARS),
        Effect(id="e", motion=Wave(rate=Rate(seconds=0.0)), fixtures=PARS),
        Effect(id="e", motion=Wave(rate=Rate(beats=float("nan"))), fixtures=PARS),
        Effect(id="e", motion=Wave(attribute="ColorRGB_Red"), fixtures=PARS),
        Effect(id="e", motion=Wave(curve=(), shape=Shape.OWN), fixtures=PARS),
        Effect(id="e", motion=Wave(), fixtures=PARS, palette="gone", clock="gone"),
    ],
)
def test_bad_effects_leave_a_frame_that_is_whole(effect):
    compiled, state = on(scene("a", lit(0.5), effect))
    for now in (0.0, 1.3, 1e6):
        assert np.isfinite(blend(compiled, state, now)).all()


def test_lamps_taken_down_while_an_effect_runs_over_them_leave_the_others_moving():
    compiled, state = on(scene("a", {}, wave(low=0.0, high=1.0)))
    show = edits.take_down(compiled.show, ["par-2"])
    after = compile_show(show, compiled)
    assert value(after, state, 2.0, "par-3") == pytest.approx(1.0)


def test_an_effect_follows_its_group_and_its_palette():
    show, palette = model_effects.keep_motion(STAGE, "Swell", Wave(low=1.0, high=1.0))
    effect = Effect(id="e", motion=Wave(), group="pars-down", palette=palette)
    show = play.put_scenes(show, [scene("a", {}, effect)])
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    state = actions.perform(show, play.blank(), Do(scene("a").ref, Verb.PRESS), 0.0)
    before = compile_show(show)
    assert value(before, state, 0.5, "par-1") == pytest.approx(1.0)
    assert value(before, state, 0.5, "par-8") == 0.0
    grown = edits.replace(show.groups["pars-down"], fixtures=("par-8",))
    after = compile_show(edits.put(show, "groups", grown), before)
    assert value(after, state, 0.5, "par-8") == pytest.approx(1.0)
    assert value(after, state, 0.5, "par-1") == 0.0
    halved = model_effects.update_motion(show, palette, Wave(low=0.5, high=0.5))
    assert value(compile_show(halved, before), state, 0.5, "par-1") == pytest.approx(
        0.5
    )


def test_deleting_what_an_effect_follows_leaves_it_as_it_was():
    show, palette = model_effects.keep_motion(STAGE, "Swell", Wave(low=0.3, high=0.3))
    effect = Effect(id="e", motion=Wave(), group="pars-down", palette=palette)
    show = play.put_scenes(show, [scene("a", {}, effect)])
    from choreon.model.refs import Ref

    used = edits.used_by(show, Ref("palette", palette))
    assert used == [Ref("scene", "a")]
    assert Ref("scene", "a") in edits.used_by(show, Ref("group", "pars-down"))
    show = edits.remove(show, Ref("palette", palette), Ref("group", "pars-down"))
    kept = show.playables["a"].effects[0]
    assert kept.motion == Wave(low=0.3, high=0.3)
    assert (kept.palette, kept.group) == ("", "")
    assert kept.fixtures == STAGE.groups["pars-down"].fixtures


def test_effects_that_share_a_clock_run_at_one_rate():
    lead = wave(shape=Shape.UP, rate=Rate(seconds=2.0), fixtures=("par-1",))
    other = edits.replace(
        wave(shape=Shape.UP, rate=Rate(seconds=77.0), fixtures=("par-2",)),
        id="f",
        clock="e",
    )
    compiled, state = on(scene("a", {}, lead, other))
    assert value(compiled, state, 0.5, "par-1") == pytest.approx(0.25)
    assert value(compiled, state, 0.5, "par-2") == pytest.approx(0.25)


def test_in_the_draft_a_changed_rate_moves_no_value():
    show = STAGE
    effect = wave(rate=Rate(seconds=4.0), low=0.0, high=1.0)
    state = draft.set_effects(show, play.blank(), (effect,), 0.0)
    compiled = compile_show(show)
    before = value(compiled, state, 1.3)
    fast = edits.replace(
        effect, motion=edits.replace(effect.motion, rate=Rate(seconds=0.7))
    )
    changed = draft.set_effects(show, state, (fast,), 1.3)
    assert value(compiled, changed, 1.3) == pytest.approx(before)
    by_beat = edits.replace(
        effect, motion=edits.replace(effect.motion, rate=Rate(beats=3.0))
    )
    again = draft.set_effects(show, changed, (by_beat,), 1.9)
    assert value(compiled, again, 1.9) == pytest.approx(value(compiled, changed, 1.9))


def test_a_cleared_draft_takes_its_effects_along_softly():
    state = draft.set_effects(STAGE, play.blank(), (wave(low=1.0, high=1.0),), 0.0)
    compiled = compile_show(STAGE)
    state = draft.clear(state, 1.0, 1.0)
    assert state.draft.empty
    found = [value(compiled, state, t) for t in (1.0, 1.5, 2.0)]
    assert found == pytest.approx([1.0, 0.5, 0.0])


def test_capture_keeps_what_moves_with_its_phase_and_rate():
    clock = BeatClock(bpm=90.0)
    effects = (
        wave(shape=Shape.UP, rate=Rate(seconds=3.0), fixtures=("par-1",)),
        edits.replace(wave(rate=Rate(beats=4.0), fixtures=("par-2",)), id="f"),
        edits.replace(
            wave(mode=EffectMode.SCALES, low=0.2, fixtures=("par-3",)), id="g"
        ),
    )
    compiled, state = on(
        scene("below", lit(0.8, "par-3")), scene("a", {}, *effects), clock=clock
    )
    from choreon.engine.actions import motion

    state = motion.set_rate(state, state.players[1], 1.5, 2.0)
    now = 5.7
    look = capture(compiled, state, now)
    kept = capture_effects(compiled, state, now)
    assert look["par-3"]["Dimmer"] == pytest.approx(0.8)  # what the pulse scales
    show, ref = edits.keep_scene(compiled.show, "Captured", look, 0, 0, effects=kept)
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    after = compile_show(show, compiled)
    alone = edits.replace(state, players=())
    alone = actions.perform(show, alone, Do(ref, Verb.PRESS), now)
    for later in (0.0, 0.4, 1.9):
        for lamp in ("par-1", "par-2", "par-3"):
            want = value(after, state, now + later, lamp)
            assert value(after, alone, now + later, lamp) == pytest.approx(
                want, abs=1e-6
            )


def test_why_names_effects_and_what_they_do():
    pulse = wave(mode=EffectMode.SCALES, low=0.5, high=0.5)
    compiled, state = on(
        scene("a", lit(0.8)), scene("Swell", {}, wave(low=0.3, high=0.3))
    )
    fixture = STAGE.fixtures["par-1"]
    mode = STAGE.types[fixture.type].mode(fixture.mode)
    slot = next(
        fixture.address + use.slots[0] - 1
        for use, channel in STAGE.types[fixture.type].used(mode)
        if channel.key == "dimmer"
    )
    layers = explain(compiled, state, 1.0, fixture.universe, slot)[0].layers
    said = {layer.source: layer.value for layer in layers}
    assert said["scene Swell, sine on intensity"] == pytest.approx(0.3)
    assert next(layer for layer in layers if layer.wins).source == "scene a"
    compiled, state = on(scene("a", lit(0.8)), scene("p", {}, pulse))
    layers = explain(compiled, state, 1.0, fixture.universe, slot)[0].layers
    scaled = next(layer for layer in layers if layer.how)
    assert (scaled.how, scaled.value, scaled.wins) == (
        "scales",
        pytest.approx(0.5),
        False,
    )


@pytest.mark.parametrize("count", [4, 16])
def test_baked_steps_are_the_effect_at_even_times(count):
    effect = wave(low=0.2, high=1.0, rate=Rate(beats=8.0))
    show = play.put_scenes(STAGE, [scene("a", lit(0.5), effect)])
    compiled = compile_show(show)
    baked = bake(compiled, scene("a").ref, (effect,), count)
    assert len(baked.steps) == count
    assert (baked.unit, baked.length) == (Unit.BEATS, pytest.approx(8.0))
    levels = [step.look["par-1"]["Dimmer"] for step in baked.steps]
    turn = 2 * np.pi * np.arange(count) / count
    assert levels == pytest.approx((0.2 + 0.8 * (1 - np.cos(turn)) / 2).tolist())
    assert show.playables["a"].effects == (effect,)


def test_a_moving_player_fades_out_smoothly():
    from choreon.engine.actions import players

    moving = edits.replace(scene("a", {}, wave(low=1.0, high=1.0)), fade_out=2.0)
    compiled, state = on(moving)
    state = players.release(compiled.show, state, state.players[0].id, 1.0)
    found = [value(compiled, state, t) for t in (1.0, 2.0, 3.0)]
    assert found == pytest.approx([1.0, 0.5, 0.0])
    assert isinstance(Ramp().at(0.0), float)


@pytest.mark.slow
@given(
    seconds=st.floats(0.2, 3.0),
    width=st.floats(0.0005, 0.3),
    active=st.sampled_from([1.0, 0.5]),
    rate=st.sampled_from([1.0, 3.0]),
    bpm=st.sampled_from([0.0, 120.0, 260.0]),
    begin=st.floats(0.0, 1.0),
)
def test_of_every_pulse_a_frame_is_seen(seconds, width, active, rate, bpm, begin):
    """However short it is; 44 frames a second, wherever they fall."""
    time = Rate(beats=seconds * bpm / 60.0) if bpm else Rate(seconds=seconds)
    pulse = wave(shape=Shape.PULSE, width=width, active=active, rate=time)
    clock = BeatClock(bpm=bpm or 120.0)
    compiled, state = on(scene("a", lit(0.0), pulse), clock=clock)
    state = motion.set_rate(state, state.players[0], rate, 0.0)
    cycle = seconds / rate
    if cycle < 3 / 44:
        return
    frames = np.arange(begin, begin + 5 * cycle, 1 / 44)
    seen = np.array([value(compiled, state, t) > 0.5 for t in frames])
    cycles = np.floor(frames / cycle + 1e-9)
    longest = max(width * active * cycle * 44, 1.1) + 1
    for n in np.unique(cycles)[1:-1]:
        assert 1 <= seen[cycles == n].sum() <= longest
