"""Timelines as light: scrubbing and playing give the same bytes, clips over each other,
tracks, levels, rounds, lines within lines.
"""

from __future__ import annotations

import random

import numpy as np
import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import motion
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.masters import GroupMaster
from choreon.model.playables import Chase, Scene, Stack, Timeline
from choreon.model.playables.chase import ChaseStep, End
from choreon.model.playables.stack import Cue, Follow, FollowKind
from choreon.model.playables.timeline import (
    Clip,
    LineEnd,
    LinePoint,
    Track,
    over_at,
    place_at,
)
from choreon.model.refs import Ref
from choreon.model.tempo_map import TempoMap
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import Step
from tests import play

LINE = Ref("timeline", "line")


def with_line(show, *tracks: Track, **fields):
    made = Timeline(id="line", name="Line", tracks=tracks, **fields)
    return edits.put(show, "playables", made)


def clip(plays: Ref, start: float, length: float, **fields) -> Clip:
    return Clip(
        id=f"{plays} {start}", plays=plays, start=start, length=length, **fields
    )


def tracks(*lists) -> tuple[Track, ...]:
    return tuple(Track(id=str(n), clips=tuple(own)) for n, own in enumerate(lists))


def at_place(compiled, place: float, now: float = 100.0):
    """The frame of the line, gone to at once."""
    show = compiled.show
    state = actions.perform(show, play.blank(), Do(LINE, Verb.STEP, place), now)
    return render(compiled, state, now)


def lamp(scene_id: str, **levels: float) -> Scene:
    look = {i: {"Dimmer": level} for i, level in levels.items()}
    return Scene(id=scene_id, name=scene_id, look=look)


def some(show, dice: random.Random) -> Timeline:
    """A timeline as nobody would make it."""
    things = [p.ref for p in show.playables.values() if p.kind != "timeline"]
    made = []
    for n in range(dice.randrange(1, 5)):
        clips = []
        for k in range(dice.randrange(1, 6)):
            length = dice.choice([0.0, dice.uniform(0.01, 0.3), dice.uniform(0.5, 9.0)])
            points = [
                LinePoint(dice.uniform(-1, length + 1), dice.uniform(-0.5, 1.5))
                for _ in range(dice.choice([0, 0, 1, 3]))
            ]
            clips.append(
                Clip(
                    id=f"{n} {k}",
                    plays=dice.choice(things),
                    start=dice.choice([0.0, 1.0, dice.uniform(0.0, 8.0)]),
                    length=length,
                    entry=dice.choice([0.0, dice.uniform(0.0, 5.0)]),
                    rate=dice.choice([1.0, 0.0, 0.5, 3.0]),
                    repeat=dice.choice([0.0, 0.0, dice.uniform(0.2, 2.0)]),
                    fade_in=dice.choice([0.0, dice.uniform(0.0, 2.0)]),
                    fade_out=dice.choice([0.0, dice.uniform(0.0, 2.0)]),
                    level=dice.choice([1.0, dice.uniform(-0.2, 1.2)]),
                    line=tuple(points),
                )
            )
        made.append(Track(id=str(n), clips=tuple(clips), on=dice.random() < 0.9))

    beats = tuple(sorted(dice.uniform(0, 9) for _ in range(dice.choice([0, 0, 12]))))
    return Timeline(
        id="line",
        name="Line",
        tracks=tuple(made),
        end=dice.choice(list(LineEnd)),
        region=dice.choice([None, (1.0, 3.5), (0.0, 0.7)]),
        tempo=TempoMap(bpm=dice.uniform(50, 180), start=0.3, first=1, beats=beats),
        fade_in=0.0,
    )


@pytest.fixture(scope="module")
def tide():
    """The sample show, all that plays in it compiled: a timeline beside it is compiled
    alone.
    """
    made = compile_show(low_tide())
    for playable in made.show.playables.values():
        made.source(Step(ref=playable.ref))
    return made


@pytest.mark.parametrize("batch", range(10))
def test_scrubbing_to_a_moment_and_playing_to_it_give_the_same_bytes(tide, batch):
    for seed in range(100 * batch, 100 * (batch + 1)):
        played_and_scrubbed(tide, seed)


def played_and_scrubbed(tide, seed: int) -> None:
    """Play a random timeline by frames as they come, and go to where it is at once."""
    dice = random.Random(seed)
    line = some(tide.show, dice)
    show = edits.put(tide.show, "playables", line)
    compiled = compile_show(show, tide)
    fresh = compile_show(show, tide) if seed % 8 == 0 else compiled
    now = 50.0
    state = actions.perform(show, play.blank(), Do(LINE, Verb.START), now)
    for _ in range(2):
        for _ in range(dice.randrange(1, 3)):
            now += dice.choice([0.0227, dice.uniform(0.0, 3.0)])
            state = motion.follow(compiled, state, now)
        played = render(compiled, state, now)
        if not state.players or state.players[0].releasing:
            return

        cursor = state.players[0].steps[-1].cursor
        there = place_at(line, cursor.time(now, 0.0).seconds)
        jumped = actions.perform(show, play.blank(), Do(LINE, Verb.STEP, there), now)
        scrubbed = render(fresh, jumped, now)
        # a place that went round and one that was typed differ in their last bit
        assert np.abs(scrubbed.astype(int) - played).max() <= 1, seed
        assert np.array_equal(render(compiled, state, now), played), seed


# what clips are


def test_a_clip_is_what_a_cue_with_the_same_on_is(tide):
    """Several tracks at their levels, against a cue that has the same on, in order."""
    dice = random.Random(5)
    things = [
        p for p in tide.show.playables.values() if p.kind == "scene" and not p.effects
    ]
    for _ in range(20):
        chosen = dice.sample(things, 4)
        levels = [dice.choice([1.0, dice.uniform(0.1, 1.0)]) for _ in chosen]
        own = [
            [clip(p.ref, 0, 9, level=level)]
            for p, level in zip(chosen, levels, strict=True)
        ]
        order = sorted(range(4), key=lambda n: chosen[n].priority)
        cue = Cue(
            id="1",
            number=1.0,
            plays=tuple(Part(chosen[n].ref, levels[n]) for n in order),
        )
        stack = Stack(id="s", name="S", cues=(cue,), fade_in=0.0, fade_out=0.0)
        show = edits.put(tide.show, "playables", stack)
        show = with_line(show, *tracks(*(own[n] for n in order)))
        compiled = compile_show(show, tide)
        cued = actions.perform(show, play.blank(), Do(stack.ref, Verb.START), 5.0)
        assert np.array_equal(at_place(compiled, 1.0), render(compiled, cued, 100.0)), [
            p.name for p in chosen
        ]


def small(*scenes: Scene, **fields):
    show = low_tide()
    return edits.put(edits.replace(show, playables={}, pages={}), "playables", *scenes)


def level_of(compiled, frame, fixture: str) -> float:
    """The dimmer of a lamp in a frame, 0…1, by what its type says."""
    look = compiled.show.fixtures[fixture]
    row = compiled.rig.universes.index(look.universe)
    mode = next(m for m in compiled.show.types[look.type].modes if m.name == look.mode)
    return frame[row][look.address - 1 + mode_dimmer(compiled.show, look, mode)] / 255


def mode_dimmer(show, fixture, mode) -> int:
    for use, channel in show.types[fixture.type].used(mode):
        if any(one.attribute == "Dimmer" for one in channel.ranges):
            return use.slots[0] - 1
    raise AssertionError("no dimmer")


@pytest.fixture(scope="module")
def par():
    """A lamp with a dimmer of its own."""
    show = low_tide()
    for fixture in show.fixtures.values():
        mode = next(m for m in show.types[fixture.type].modes if m.name == fixture.mode)
        try:
            mode_dimmer(show, fixture, mode)
        except AssertionError:
            continue
        return fixture.id
    raise AssertionError("none")


def levels_along(compiled, par: str, places) -> list[float]:
    return [level_of(compiled, at_place(compiled, t), par) for t in places]


def test_fades_lines_and_levels_by_hand(par):
    scene = lamp("full", **{par: 1.0})
    own = clip(
        scene.ref,
        1.0,
        10.0,
        level=0.8,
        fade_in=2.0,
        fade_out=4.0,
        line=(LinePoint(4.0, 1.0), LinePoint(6.0, 0.5)),
    )
    compiled = compile_show(with_line(small(scene), *tracks([own])))
    places = [0.0, 1.0, 2.0, 3.0, 4.5, 6.0, 6.999, 8.0, 9.0, 10.999, 11.0]
    by_hand = [0.0, 0.0, 0.4, 0.8, 0.8, 0.6, 0.8 * 0.50025, 0.3, 0.2, 0.0001, 0.0]
    assert levels_along(compiled, par, places) == pytest.approx(by_hand, abs=1 / 250)


def test_where_a_clip_goes_over_into_the_next_there_is_no_dip(par):
    full, half = lamp("full", **{par: 1.0}), lamp("half", **{par: 0.5})
    show = small(full, half)
    same = [
        clip(full.ref, 0.0, 6.0, fade_out=3.0),
        Clip(id="b", plays=full.ref, start=4.0, length=6.0, fade_in=1.0),
    ]
    compiled = compile_show(with_line(show, *tracks(same)))
    grid = [0.1 * n for n in range(95)]
    assert min(levels_along(compiled, par, grid)) == 1.0

    down = [clip(full.ref, 0.0, 6.0), clip(half.ref, 4.0, 6.0, fade_in=1.0)]
    compiled = compile_show(with_line(show, *tracks(down)))
    found = levels_along(compiled, par, [3.9, 4.5, 5.0, 5.5, 6.0, 9.0])
    assert found == pytest.approx([1.0, 0.875, 0.75, 0.625, 0.5, 0.5], abs=1 / 250)


def test_a_clip_within_another_comes_and_goes_by_its_own_fades(par):
    full, half = lamp("full", **{par: 1.0}), lamp("half", **{par: 0.5})
    own = [
        clip(full.ref, 0.0, 10.0),
        clip(half.ref, 2.0, 4.0, fade_in=1.0, fade_out=2.0),
    ]
    compiled = compile_show(with_line(small(full, half), *tracks(own)))
    found = levels_along(compiled, par, [1.9, 2.5, 3.0, 3.9, 5.0, 6.0, 9.0])
    assert found == pytest.approx([1, 0.75, 0.5, 0.5, 0.75, 1, 1], abs=1 / 250)


def test_levels_of_tracks_are_as_high_as_the_higher(par):
    full, half = lamp("full", **{par: 1.0}), lamp("half", **{par: 0.5})
    own = [[clip(half.ref, 0.0, 4.0)], [clip(full.ref, 0.0, 4.0, fade_in=4.0)]]
    compiled = compile_show(with_line(small(full, half), *tracks(*own)))
    found = levels_along(compiled, par, [0.5, 2.0, 3.0])
    assert found == pytest.approx([0.5, 0.5, 0.75], abs=1 / 250)


def test_no_lamp_jumps_along_lines_that_fade(tide):
    """Clips with fades at both ends, some over each other: in a hundredth of a second
    no level goes farther than its steepest fades allow.
    """
    dice = random.Random(8)
    things = [
        p.ref
        for p in tide.show.playables.values()
        if p.kind == "scene" and not p.effects
    ]
    for _ in range(2):
        lanes = []
        for _ in range(3):
            at, own = 0.0, []
            for n in range(4):
                length = dice.uniform(2.0, 4.0)
                fades = {"fade_in": 0.8, "fade_out": 0.8}
                own.append(
                    Clip(
                        id=str(n),
                        plays=dice.choice(things),
                        start=at,
                        length=length,
                        **fades,
                    )
                )
                at += length + dice.choice([0.5, -0.9, -1.2])
            lanes.append(own)
        compiled = compile_show(with_line(tide.show, *tracks(*lanes)), tide)
        before = None
        for n in range(250):
            frame = at_place(compiled, 0.04 * n).astype(int)
            if before is not None:
                dimmers = dimmer_slots(compiled)
                assert np.abs(frame - before).reshape(-1)[dimmers].max() < 40
            before = frame


def dimmer_slots(compiled) -> list[int]:
    show, found = compiled.show, []
    for fixture in show.fixtures.values():
        mode = next(m for m in show.types[fixture.type].modes if m.name == fixture.mode)
        row = compiled.rig.universes.index(fixture.universe)
        for use, channel in show.types[fixture.type].used(mode):
            if any(one.attribute == "Dimmer" for one in channel.ranges):
                found.append(512 * row + fixture.address + use.slots[0] - 2)
    return found


# times of their own


def test_a_chase_in_a_clip_goes_by_its_entry_rate_and_rounds(par):
    steps = tuple(
        ChaseStep(id=str(n), look={par: {"Dimmer": n / 4}}, fade=0.0, hold=1.0)
        for n in range(5)
    )
    chase = Chase(id="c", name="C", steps=steps, rounds=1, end=End.STAY)
    show = small(chase)

    def along(**fields):
        own = clip(chase.ref, 2.0, 30.0, **fields)
        compiled = compile_show(with_line(show, *tracks([own])))
        places = [2.5, 3.5, 5.5, 8.5, 12.5]
        return [round(4 * v) for v in levels_along(compiled, par, places)]

    assert along() == [0, 1, 3, 4, 4]
    assert along(entry=2.0) == [2, 3, 4, 4, 4]
    assert along(rate=2.0) == [1, 3, 4, 4, 4]
    assert along(rate=0.0, entry=3.2) == [3] * 5
    assert along(repeat=2.0) == [0, 1, 1, 0, 0]


def test_a_stack_in_a_clip_goes_on_by_its_follows_alone(par):
    one, two, three = (
        lamp(name, **{par: level})
        for name, level in (("one", 1.0), ("two", 0.5), ("three", 0.2))
    )
    cues = (
        Cue(id="1", number=1.0, plays=(Part(one.ref),)),
        Cue(
            id="2",
            number=2.0,
            plays=(Part(two.ref),),
            follow=Follow(FollowKind.BEGUN, 3.0),
        ),
        Cue(id="3", number=3.0, plays=(Part(three.ref),)),
    )
    stack = Stack(id="s", name="S", cues=cues, fade_in=0.0, fade_out=0.0)
    show = small(one, two, three, stack)
    own = clip(stack.ref, 1.0, 50.0)
    compiled = compile_show(with_line(show, *tracks([own])))
    dice = random.Random(3)
    for _ in range(60):
        place = dice.uniform(1.0, 50.0)
        wanted = 1.0 if place < 4.0 else 0.5
        if abs(place - 4.0) > 0.05:
            found = level_of(compiled, at_place(compiled, place), par)
            assert found == pytest.approx(wanted, abs=1 / 250)


def test_a_line_within_a_line_is_that_line_later(tide):
    inner = edits.replace(some(tide.show, random.Random(12)), id="inner", name="Inner")
    inner = edits.replace(inner, end=LineEnd.HOLD, length=0.0, region=None)
    show = edits.put(tide.show, "playables", inner)
    steady = TempoMap(bpm=inner.tempo.bpm)
    inner = edits.replace(inner, tempo=steady)
    show = edits.put(show, "playables", inner)
    own = clip(inner.ref, 2.0, over_at(inner))
    compiled = compile_show(with_line(show, *tracks([own]), tempo=steady), tide)
    alone = compile_show(
        edits.put(show, "playables", edits.replace(inner, id="line")), tide
    )
    for place in (0.0, 0.4, 1.3, 3.0, 5.5):
        outside, inside = at_place(compiled, 2.0 + place), at_place(alone, place)
        assert np.abs(outside.astype(int) - inside).max() <= 1


def test_what_lies_in_itself_or_too_deep_is_dark_and_the_rest_plays(par):
    full = lamp("full", **{par: 1.0})
    show = with_line(small(full), *tracks([clip(LINE, 0, 9)], [clip(full.ref, 0, 9)]))
    compiled = compile_show(show)
    assert level_of(compiled, at_place(compiled, 1.0), par) == 1.0

    deep = [full.ref]
    for n in range(12):
        line = Timeline(id=f"d{n}", name=f"d{n}", tracks=tracks([clip(deep[-1], 0, 9)]))
        show = edits.put(show, "playables", line)
        deep.append(line.ref)
    show = with_line(show, *tracks([clip(deep[3], 0, 9)]))
    compiled = compile_show(show)
    assert level_of(compiled, at_place(compiled, 1.0), par) == 1.0
    show = with_line(show, *tracks([clip(deep[-1], 0, 9)]))
    compiled = compile_show(show)
    assert level_of(compiled, at_place(compiled, 1.0), par) == 0.0


def test_a_master_over_a_scene_reaches_it_in_a_clip(tide, par):
    full, half = lamp("full", **{par: 1.0}), lamp("half", **{par: 0.5})
    own = [clip(full.ref, 0.0, 6.0), clip(half.ref, 4.0, 6.0)]
    show = with_line(small(full, half), *tracks(own))
    master = GroupMaster(id="m", name="M", over=(full.ref,))
    show = edits.put(show, "masters", master)
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(LINE, Verb.STEP, 1.0), 9.0)
    state = actions.perform(show, state, Do(master.ref, Verb.LEVEL, 0.5), 9.0)
    assert level_of(compiled, render(compiled, state, 9.0), par) == pytest.approx(
        0.5, abs=1 / 250
    )
    state = actions.perform(show, state, Do(LINE, Verb.STEP, 5.0), 9.0)
    # half-way over: what is left of the one, and the other as it is
    assert level_of(compiled, render(compiled, state, 9.0), par) == pytest.approx(
        0.5 * 0.5 + 0.5 * 0.5, abs=1 / 250
    )


def test_a_track_that_is_off_gives_nothing(par):
    full = lamp("full", **{par: 1.0})
    track = Track(id="a", clips=(clip(full.ref, 0, 5),), on=False)
    compiled = compile_show(with_line(small(full), track))
    assert level_of(compiled, at_place(compiled, 1.0), par) == 0.0


def test_an_empty_line_plays_and_is_over():
    show = with_line(low_tide())
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(LINE, Verb.START), 1.0)
    render(compiled, state, 1.0)
    state = motion.follow(compiled, state, 1.1)
    assert all(player.releasing for player in state.players)
