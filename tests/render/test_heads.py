"""Heads that fade from one point in the room to another go along the line between the
two.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.model import edits, links
from choreon.model.playables import Scene
from choreon.model.show import Limits, Mark, Show
from choreon.render import aim
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend
from choreon.render.state import DraftState, Leaving, Player, PlayState, Ramp
from tests import play

LEFT, RIGHT = np.array([-1.5, 1.0, 1.2]), np.array([1.5, 2.0, 1.2])
SPOTS = ["spot-1", "spot-2", "spot-3", "spot-4", "wash-1", "wash-2"]
PLAIN = {"Pan": 10.0, "Tilt": -25.0}


def mark(name: str, point) -> Mark:
    x, y, z = (float(v) for v in point)
    return Mark(id=name, name=name, x=x, y=y, z=z)


def stage() -> Show:
    show = edits.replace(low_tide(), playables={}, pages={}, palettes={}, marks={})
    show = edits.put(show, "marks", mark("left", LEFT), mark("right", RIGHT))
    ways = {
        "left": links.aim("mark:left"),
        "right": links.aim(links.to_point(RIGHT)),
        "plain": PLAIN,
    }
    scenes = [
        Scene(id=i, name=i, look={s: {"Dimmer": 1.0, **way} for s in SPOTS})
        for i, way in ways.items()
    ]
    return edits.put(show, "playables", *scenes)


def player(name: str, order: int = 1, **more) -> Player:
    return play.player(
        name,
        *more.pop("steps", (play.step(name, 0.0, 0.0, 0.0),)),
        weight=more.pop("weight", Ramp()),
        order=order,
    )


def faded(start: str, end: str, seconds: float = 4.0) -> Player:
    return player(
        "p",
        steps=(play.step(start, -9.0, 0.0, 0.0), play.step(end, 0.0, seconds, seconds)),
    )


def miss(compiled, values, point) -> float:
    """By how many metres the worst beam passes a point."""
    heads = compiled.rig.heads
    which = [heads.of[s] for s in SPOTS]
    pan, tilt = values[heads.rows[which]].T
    way = aim.beam(heads.hanging[which], pan, tilt)
    to = np.asarray(point) - heads.place[which]
    return float(
        np.linalg.norm(to - way * (way * to).sum(axis=1, keepdims=True), axis=1).max()
    )


def angles(compiled, values) -> np.ndarray:
    return values[compiled.rig.heads.rows[[compiled.rig.heads.of[s] for s in SPOTS]]]


def test_a_crossfade_between_points_keeps_all_heads_on_one_moving_point():
    compiled = compile_show(stage())
    apart = 0.0
    for part in (0.0, 0.25, 0.5, 0.75, 1.0):
        state = PlayState((faded("left", "right"),))
        values = blend(compiled, state, 4.0 * part)
        assert miss(compiled, values, LEFT + part * (RIGHT - LEFT)) < 0.01
        ends = [angles(compiled, blend(compiled, state, t)) for t in (0.0, 4.0)]
        halved = values.copy()
        rows = compiled.rig.heads.rows[[compiled.rig.heads.of[s] for s in SPOTS]]
        halved[rows] = ends[0] + part * (ends[1] - ends[0])
        apart = max(apart, miss(compiled, halved, LEFT + part * (RIGHT - LEFT)))
    assert apart > 0.1  # by their angles they would have come apart


def test_one_scene_coming_up_over_another_goes_the_same_way():
    compiled = compile_show(stage())
    state = PlayState(
        (player("left"), player("right", 2, weight=Ramp(0.0, 1.0, 0.0, 2.0)))
    )
    for now, part in ((0.5, 0.25), (1.0, 0.5), (1.5, 0.75), (2.0, 1.0)):
        values = blend(compiled, state, now)
        # what joins light of its own strength weighs by its weight; here it brings
        # `part` of it
        assert miss(compiled, values, LEFT + part * (RIGHT - LEFT)) < 0.01


def test_a_draft_that_is_let_go_leads_back_along_the_line():
    compiled = compile_show(stage())
    look = {s: links.aim("mark:right") for s in SPOTS}
    draft = DraftState({}, leaving=(Leaving(look, Ramp(1.0, 0.0, 0.0, 1.0)),))
    values = blend(compiled, PlayState((player("left"),), draft), 0.5)
    assert miss(compiled, values, (LEFT + RIGHT) / 2) < 0.01


def test_a_fade_that_is_interrupted_goes_on_from_where_it_was():
    compiled = compile_show(stage())
    steps = (
        play.step("left", -9.0, 0.0, 0.0),
        play.step("right", 0.0, 4.0, 4.0),
        play.step("left", 1.0, 2.0, 2.0),
    )
    state = PlayState((player("p", steps=steps),))
    quarter = LEFT + 0.25 * (RIGHT - LEFT)
    assert miss(compiled, blend(compiled, state, 1.0), quarter) < 0.01
    assert miss(compiled, blend(compiled, state, 2.0), (quarter + LEFT) / 2) < 0.01


@pytest.mark.parametrize("ends", [("left", "plain"), ("plain", "left")])
def test_to_and_from_plain_angles_the_angles_are_halved(ends):
    compiled = compile_show(stage())
    first, last = (
        angles(compiled, blend(compiled, PlayState((player(e),)), 0.0)) for e in ends
    )
    values = blend(compiled, PlayState((faded(*ends),)), 2.0)
    assert angles(compiled, values) == pytest.approx((first + last) / 2)
    over = PlayState((player(ends[0]), player(ends[1], 2, weight=Ramp(0.5, 0.5))))
    assert angles(compiled, blend(compiled, over, 0.0)) == pytest.approx(
        (first + last) / 2
    )


def test_plain_angles_above_a_point_end_the_line():
    """What lies on a point, then wholly on plain angles, is no longer led from the
    point.
    """
    compiled = compile_show(stage())
    on = (player("left"), player("plain", 2), player("right", 3, weight=Ramp(0.5, 0.5)))
    plain, right = (
        angles(compiled, blend(compiled, PlayState((player(e),)), 0.0))
        for e in ("plain", "right")
    )
    assert angles(compiled, blend(compiled, PlayState(on), 0.0)) == pytest.approx(
        (plain + right) / 2
    )


def test_a_line_keeps_to_the_limits():
    show = stage()
    show = edits.change_fixtures(
        show, {s: {"limits": Limits(pan=(-20.0, 20.0))} for s in SPOTS}
    )
    compiled = compile_show(show)
    for now in np.linspace(0, 4, 9):
        pan = angles(
            compiled, blend(compiled, PlayState((faded("left", "right"),)), now)
        )[:, 0]
        assert np.abs(pan).max() <= 20.0 + 1e-9


POINT = st.tuples(st.floats(-4, 4), st.floats(0.5, 6), st.floats(0, 2))


@pytest.mark.slow
@settings(max_examples=40)
@given(POINT, POINT)
def test_no_line_makes_a_head_jump(start, end):
    """Wherever it goes, a head ends where the scene has it, and takes no step of more
    than 20° in a hundredth of the way.
    """
    show = stage()
    show = edits.put(show, "marks", mark("left", start), mark("right", end))
    look = {s: {"Dimmer": 1.0, **links.aim("mark:right")} for s in SPOTS}
    show = edits.put(show, "playables", Scene(id="right", name="r", look=look))
    compiled = compile_show(
        edits.replace(
            show, fixtures=PROGRAMME.show.fixtures, types=PROGRAMME.show.types
        ),
        PROGRAMME,
    )
    seen = []
    for share in np.linspace(0.0, 1.0, 101):
        state = PlayState((faded("left", "right", 1.0),))
        values = blend(compiled, state, float(share))
        seen.append(
            values[compiled.rig.heads.rows[[compiled.rig.heads.of[s] for s in SPOTS]]]
        )
    assert np.abs(np.diff(seen, axis=0)).max() < 20.0
    last = angles(compiled, blend(compiled, PlayState((player("right"),)), 0.0))
    assert seen[-1] == pytest.approx(last)


PROGRAMME = compile_show(stage())
