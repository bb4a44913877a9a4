"""Motions as values: their words, ends and edits; the ready ones; what the sample show
has that moves.
"""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine import actions
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.library.motions import ready_motions
from choreon.model import attributes as at
from choreon.model import checks, edits
from choreon.model import effects as model_effects
from choreon.model.motion import (
    By,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Order,
    Path,
    Spread,
    Wave,
    colour_of_stop,
    family,
    names,
    title,
)
from choreon.model.playables import Chase, Scene
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend
from choreon.render.effects import compile_effects, lacking
from choreon.render.looks import CompiledLook
from choreon.render.state import BeatClock
from choreon.ui.compose import motion_fields as fields
from tests import play

SHOW = low_tide()
COMPILED = compile_show(SHOW)
ALL = tuple(SHOW.fixtures)
READY = ready_motions()


def on(motion, *fixtures: str, **more) -> Effect:
    return Effect(id="e", motion=motion, fixtures=fixtures, **more)


# words


@pytest.mark.parametrize(
    ("motion", "words", "whose", "moved"),
    [
        (Wave(), "sine on intensity", at.Family.INTENSITY, (at.DIMMER,)),
        (Wave(attribute="Zoom"), "sine on zoom", at.Family.BEAM, ("Zoom",)),
        (ColourRoll(), "2 colours rolling", at.Family.COLOUR, at.TARGET_COLOUR),
        (
            ColourRoll(brightness=True),
            "2 colours rolling",
            at.Family.COLOUR,
            (*at.TARGET_COLOUR, at.DIMMER),
        ),
        (Path(), "circle around its aim", at.Family.POSITION, (at.PAN, at.TILT)),
        (
            Path(in_room=True),
            "circle in the room",
            at.Family.POSITION,
            (at.PAN, at.TILT),
        ),
    ],
)
def test_what_a_motion_is_called_and_what_it_moves(motion, words, whose, moved):
    assert title(motion) == words
    assert family(motion) == whose
    assert names(motion) == tuple(moved)


# a wave by its middle and its size


@given(
    low=st.floats(0, 1),
    size=st.floats(0, 1),
    middle=st.floats(-1, 2),
    mode=st.sampled_from(list(EffectMode)),
)
def test_a_wave_stays_within_its_ends_whatever_middle_is_asked(low, size, middle, mode):
    wave = Wave(mode=mode, low=low, high=min(1.0, low + size))
    least, most = (-1.0, 1.0) if mode == EffectMode.ADDS else (0.0, 1.0)
    moved = fields.with_middle(wave, middle)
    assert moved.high - moved.low == pytest.approx(wave.high - wave.low)
    assert least - 1e-9 <= moved.low <= moved.high <= most + 1e-9
    sized = fields.with_size(wave, size)
    assert sized.low + sized.high == pytest.approx(wave.low + wave.high)
    assert least - 1e-9 <= sized.low <= sized.high + 1e-9 <= most + 2e-9
    assert sized.high - sized.low <= size + 1e-9


def test_middle_and_size_are_in_the_unit_of_the_attribute():
    middle, size = fields.middle_and_size(Wave())
    assert (middle.label, middle.unit, middle.low, middle.high) == (
        "Middle",
        "%",
        0,
        100,
    )
    assert (size.label, size.low, size.high) == ("Size", 0, 100)
    _, size = fields.middle_and_size(Wave(mode=EffectMode.ADDS))
    assert size.high == 200


# edits


def test_effects_are_put_taken_out_and_ordered():
    a, b, c = (edits.replace(on(Wave(), "par-1"), id=i) for i in "abc")
    three = (a, b, c)
    assert model_effects.without_effect(three, "b") == (a, c)
    assert model_effects.moved_effect(three, "c", 0) == (c, a, b)
    assert model_effects.moved_effect(three, "a", 9)[-1] == a
    other = edits.replace(b, on=False)
    assert model_effects.with_effect(three, other) == (a, other, c)
    assert model_effects.with_effect((a,), b) == (a, b)
    assert model_effects.fresh_effect_id(three, "a") not in {"a", "b", "c"}


def test_effects_of_single_lamps_are_taken_along():
    both = on(Wave(), "par-1", "par-2")
    other = edits.replace(on(Wave(), "par-3"), id="f")
    found = model_effects.on_fixtures(SHOW, (both, other), ["par-2"])
    assert [effect.fixtures for effect in found] == [("par-2",)]
    # a group that is left is not followed any more
    grouped = Effect(id="g", motion=Wave(), group="pars-down")
    found = model_effects.on_fixtures(SHOW, (grouped,), ["par-1"])
    assert (found[0].group, found[0].fixtures) == ("", ("par-1",))


@pytest.mark.parametrize(
    ("order", "expected"),
    [
        (Order.CHOSEN, ("par-3", "par-10", "par-1")),
        (Order.NAME, ("par-1", "par-3", "par-10")),
    ],
)
def test_rows_lie_in_the_order_that_is_said(order, expected):
    tenth = edits.replace(SHOW.fixtures["par-3"], id="par-10", name="Par 10")
    show = edits.put(SHOW, "fixtures", tenth)
    ids = ("par-3", "par-10", "par-1")
    assert model_effects.in_order(show, ids, Spread(order=order)) == expected


def test_a_shuffled_row_is_the_same_each_time_and_another_by_its_seed():
    ids = tuple(f"par-{n}" for n in range(1, 9))
    one = model_effects.in_order(SHOW, ids, Spread(order=Order.SHUFFLED, seed=1))
    again = model_effects.in_order(SHOW, ids, Spread(order=Order.SHUFFLED, seed=1))
    other = model_effects.in_order(SHOW, ids, Spread(order=Order.SHUFFLED, seed=2))
    assert one == again != other
    assert sorted(one) == sorted(ids)


def test_across_goes_by_where_lamps_hang():
    ids = tuple(f"par-{n}" for n in range(1, 9))
    row = model_effects.in_order(SHOW, ids[::-1], Spread(order=Order.ACROSS))
    places = [SHOW.fixtures[i].place.x for i in row]
    assert places == sorted(places)


def test_a_motion_is_kept_once_under_a_name_of_its_own():
    show, first = model_effects.keep_motion(SHOW, "Breath", Wave())
    show, second = model_effects.keep_motion(show, "Breath", ColourRoll())
    assert first != second
    assert show.palettes[first].name != show.palettes[second].name
    assert show.palettes[first].family == "motion"
    changed = model_effects.update_motion(show, first, Wave(low=0.5))
    follows = on(Wave(), "par-1", palette=first)
    assert model_effects.motion_of(changed, follows) == Wave(low=0.5)
    gone = edits.remove(changed, Ref("palette", first))
    assert model_effects.motion_of(gone, follows) == Wave()  # what it held last


def test_a_stop_that_follows_a_palette_which_is_deleted_keeps_its_colour():
    teal = colour_of_stop(SHOW, ColourStop(palette="teal"))
    effect = on(
        ColourRoll(stops=(ColourStop(palette="teal"), ColourStop((1, 0, 0)))), "bar-1"
    )
    scene = Scene(id="s", name="S", effects=(effect,))
    show = edits.remove(edits.put(SHOW, "playables", scene), Ref("palette", "teal"))
    stop = show.playables["s"].effects[0].motion.stops[0]
    assert stop.palette == ""
    assert stop.colour == pytest.approx(teal)


def test_a_path_about_a_mark_that_is_deleted_stays_where_it_was():
    effect = on(Path(in_room=True, centre="mark:cello"), "spot-1")
    mark = SHOW.marks["cello"]
    scene = Scene(id="s", name="S", effects=(effect,))
    show = edits.remove(edits.put(SHOW, "playables", scene), Ref("mark", "cello"))
    centre = show.playables["s"].effects[0].motion.centre
    assert centre.startswith("point:")
    found = [float(v) for v in centre.removeprefix("point:").split(",")]
    assert found == pytest.approx([mark.x, mark.y, mark.z], abs=1e-3)


# the ready ones


def test_there_are_forty_ready_motions_of_every_kind():
    assert len(READY) >= 40
    called = [name for name, _ in READY]
    assert len(set(called)) == len(called)
    kinds = dict.fromkeys((Wave, ColourRoll, Path), 0)
    for _, motion in READY:
        kinds[type(motion)] += 1
    assert min(kinds.values()) >= 8


@pytest.mark.parametrize(("name", "motion"), READY, ids=[name for name, _ in READY])
def test_a_ready_motion_moves_lamps_that_have_what_it_needs(name, motion):
    effect = on(motion, *ALL)
    missing = set(lacking(SHOW, COMPILED.rig, effect))
    if missing == set(ALL):
        assert name == "Iris pulse"  # of the sample show nobody has an iris
        return
    lit = {i: {at.DIMMER: 0.5} for i in ALL if i not in missing}
    state = edits.replace(play.blank(), clock=BeatClock(bpm=96.0))
    scene = Scene(id="s", name="S", look=lit, effects=(effect,), fade_in=0.0)
    show = edits.put(SHOW, "playables", scene)
    state = actions.perform(show, state, Do(scene.ref, Verb.PRESS), 0.0)
    compiled = compile_show(show, COMPILED)
    frames = [blend(compiled, state, 0.37 * n) for n in range(40)]
    rig = compiled.rig
    plain = np.ones(rig.size, bool)
    plain[rig.colour_rows] = False  # colours are mixed where a and b may be below 0
    for frame in frames:
        assert np.isfinite(frame).all()
        within = frame[: rig.size][plain]
        assert (within >= rig.low[plain] - 1e-9).all()
        assert (within <= rig.high[plain] + 1e-9).all()
    assert np.ptp(np.stack(frames), axis=0).max() > 0.05, f"{name} stands still"


# the sample show


def test_the_sample_show_moves():
    chases = [p for p in SHOW.playables.values() if isinstance(p, Chase)]
    moving = [p for p in SHOW.playables.values() if getattr(p, "effects", ())]
    assert len(chases) >= 6
    assert len(moving) >= 8
    page = SHOW.pages["motion"]
    on_it = {tile.plays[0].ref for tile in page.tiles}
    assert {p.ref for p in chases} | {p.ref for p in moving} <= on_it
    played = {i.target for i in SHOW.inputs.values()}
    assert {tile.ref for tile in page.tiles} <= played
    assert checks.check(SHOW) == []


def _moving() -> list[str]:
    return [
        i
        for i, p in SHOW.playables.items()
        if isinstance(p, Chase) or getattr(p, "effects", ())
    ]


@pytest.mark.parametrize("name", _moving())
def test_what_moves_in_the_sample_show_is_told_nothing_bad_of_and_moves(name):
    playable = SHOW.playables[name]
    for effect in getattr(playable, "effects", ()):
        moving = compile_effects(
            SHOW, COMPILED.rig, CompiledLook(COMPILED.rig), (effect,), {}
        )
        assert moving.lacking == [], effect.id
    state = edits.replace(play.blank(), clock=BeatClock(bpm=96.0))
    below = SHOW.playables["slack-water"]  # some move what others light
    for ref in (below.ref, playable.ref):
        state = actions.perform(SHOW, state, Do(ref, Verb.PRESS), 0.0)
    frames = [blend(COMPILED, state, 4.0 + 0.31 * n) for n in range(50)]
    if getattr(playable, "rounds", 0):  # it is at its end soon
        frames = [blend(COMPILED, state, 0.05 * n) for n in range(50)]
    begin = frames[0]
    lit = np.stack([frame[: COMPILED.rig.intensities] for frame in frames])
    moved = np.ptp(np.stack(frames), axis=0)
    assert lit.max() > 0.2
    assert moved.max() > 0.1
    # whoever asks again sees the same
    begins = 0.0 if getattr(playable, "rounds", 0) else 4.0
    assert np.array_equal(blend(COMPILED, state, begins), begin)


def test_all_that_moves_is_written_and_read_as_it_is(tmp_path):
    path = tmp_path / "moves.choreon"
    cells = on(Wave(), "bar-1", cells={"bar-1": (2, 3)}, by=By.EACH, start=0.25)
    show = edits.put(SHOW, "playables", Scene(id="x", name="X", effects=(cells,)))
    for n, (name, motion) in enumerate(READY):
        show, _ = model_effects.keep_motion(show, f"{n} {name}", motion)
    showfile.write(path, show)
    again = showfile.read(path)
    assert again.playables == show.playables
    assert again.palettes == show.palettes
    assert again.masters == show.masters


def test_scenes_and_chases_of_the_sample_show_are_called_differently():
    called = [p.name for p in SHOW.playables.values()]
    assert len(called) > 40
    pairs = itertools.pairwise(sorted(called))
    assert all(a != b for a, b in pairs)
