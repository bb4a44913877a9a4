"""Heads on paths: all makes on the same points, always within their limits, out of what
is to be kept out of.
"""

from __future__ import annotations

import numpy as np
import pytest

from choreon.demo import low_tide
from choreon.model import edits
from choreon.model.motion import KeepOut, Path, PathShape, Plane, Spread
from choreon.model.show import Area, Hanging, Place
from choreon.render import aim, path_tables, paths, reaching
from choreon.render.path_tables import Trouble
from choreon.render.rig import compile_rig

STAGE = low_tide()
HEADS = ("spot-1", "spot-2", "wash-1", "wash-2")


def with_heads(dice: np.random.Generator, far: float = 8.0):
    """The stage with four heads of two makes hung at random, at most so far from the
    middle of the floor circle.
    """
    hung = {}
    for i in HEADS:
        place = Place(*dice.uniform((-4, 0, 3.5), (4, 6, 6)))
        hanging = Hanging(yaw=dice.uniform(-180, 180))
        hung[i] = edits.replace(STAGE.fixtures[i], place=place, hanging=hanging)
    room = edits.replace(STAGE.room, keep_out=())
    return edits.replace(STAGE, fixtures=hung, room=room)


def landing(rig, head: int, angles: np.ndarray, height: float = 0.0) -> np.ndarray:
    """Where beams meet a height (n, 3)."""
    heads = rig.heads
    hanging = np.repeat(heads.hanging[head][None], len(angles), axis=0)
    way = aim.beam(hanging, angles[:, 0], angles[:, 1])
    length = (heads.place[head][2] - height) / -way[:, 2]
    return heads.place[head] + way * length[:, None]


def table_of(show, path: Path, seconds: float = 8.0):
    rig = compile_rig(show.types, show.fixtures)
    which = np.arange(len(rig.heads))
    near = rig.home[rig.heads.rows[which]]
    return rig, path_tables.in_room(show, rig.heads, which, path, near, seconds)


def test_heads_of_all_makes_stay_within_5_cm_of_the_path_point():
    dice = np.random.default_rng(3)
    path = Path(in_room=True, centre="point:0,3,0", size=1.5)
    followed = 0
    for _ in range(60):
        show = with_heads(dice)
        rig, table = table_of(show, path)
        at = dice.uniform(0, 1, 40)
        for head in range(len(rig.heads)):
            trouble = table.troubles.get(head)
            if trouble in (Trouble.SMALLER, Trouble.STANDS):
                continue
            followed += 1
            for position in at:
                angles, light = table.at(np.full(len(rig.heads), position))
                if light is not None and light[head] < 1e-6:
                    continue  # it turns back in the dark
                turn = 2 * np.pi * position
                want = [1.5 * np.cos(turn), 3 + 1.5 * np.sin(turn), 0.0]
                found = landing(rig, head, angles[head][None])[0]
                assert np.linalg.norm(found - want) < 0.05
    assert followed > 180


def test_heads_stay_within_their_limits_in_10_000_random_cases():
    dice = np.random.default_rng(5)
    cases = 0
    shapes = list(PathShape)
    while cases < 10_000:
        show = with_heads(dice)
        path = Path(
            shape=shapes[dice.integers(len(shapes))],
            in_room=bool(dice.integers(2)),
            centre="point:{:.2f},{:.2f},{:.2f}".format(
                *dice.uniform((-9, -9, 0), (9, 9, 4))
            ),
            plane=list(Plane)[dice.integers(2)],
            size=float(dice.uniform(0.1, 6.0)),
            stretch=float(dice.uniform(0.1, 2.0)),
            turn=float(dice.uniform(-180, 180)),
            seed=int(dice.integers(99)),
        )
        rig = compile_rig(show.types, show.fixtures)
        heads = rig.heads
        which = np.arange(len(heads))
        if path.in_room:
            near = dice.uniform(heads.low, heads.high)
            table = path_tables.in_room(show, heads, which, path, near, 4.0)
        else:
            wide = edits.replace(path, size=path.size * 20)
            base = dice.uniform(heads.low, heads.high)
            table = path_tables.around(show, heads, which, wide, base)
        angles, _ = table.at(dice.uniform(-5, 5, (25, len(heads)))[0])
        for position in dice.uniform(-5, 5, 25):
            angles, _ = table.at(np.full(len(heads), position))
            assert (angles >= heads.low - 1e-9).all()
            assert (angles <= heads.high + 1e-9).all()
            cases += len(heads)


def test_a_way_has_no_jumps_but_where_a_head_turns_back_in_the_dark():
    dice = np.random.default_rng(8)
    for _ in range(40):
        show = with_heads(dice)
        size = float(dice.uniform(0.5, 3.0))
        path = Path(in_room=True, centre="point:0,3,0", size=size)
        rig, table = table_of(show, path)
        light = (
            table.light if table.light is not None else np.ones(table.angles.shape[:2])
        )
        for head in range(len(rig.heads)):
            step = np.abs(np.diff(table.angles[head][:, 0]))
            lit = np.minimum(light[head][:-1], light[head][1:]) > 0.0
            # nearer to the pole pan may be quick, but never half a turn at once
            assert step[lit].max() < 181.0


def test_limits_make_the_path_smaller_about_its_middle_and_say_so():
    show = edits.change_fixtures(
        STAGE,
        {
            "wash-1": {
                "limits": edits.replace(
                    STAGE.fixtures["wash-1"].limits, tilt=(-40.0, 40.0)
                )
            }
        },
    )
    show = edits.replace(show, room=edits.replace(show.room, keep_out=()))
    path = Path(in_room=True, centre="point:-2.5,1.5,0", size=4.0)
    rig, table = table_of(show, path)
    head = rig.heads.of["wash-1"]
    assert table.troubles[head] is Trouble.SMALLER
    found = landing(rig, head, table.angles[head])
    middle = found[:-1].mean(axis=0)
    assert middle == pytest.approx([-2.5, 1.5, 0.0], abs=0.05)
    away = np.linalg.norm(found - middle, axis=1)
    assert away.max() < 4.0
    assert away.min() > 0.97 * away.max()  # a circle still: nothing is cut off


def test_what_is_wholly_out_of_reach_stands_and_is_named():
    limits = edits.replace(
        STAGE.fixtures["spot-1"].limits, pan=(-5.0, 5.0), tilt=(-5.0, 5.0)
    )
    show = edits.change_fixtures(STAGE, {"spot-1": {"limits": limits}})
    rig, table = table_of(show, Path(in_room=True, centre="point:0,-8,3", size=0.5))
    head = rig.heads.of["spot-1"]
    assert table.troubles[head] is Trouble.STANDS
    assert np.ptp(table.angles[head], axis=0).max() == 0.0
    assert (table.angles[head] >= rig.heads.low[head]).all()


@pytest.mark.parametrize("keep_out", list(KeepOut))
def test_no_lit_beam_enters_what_is_to_be_kept_out_of(keep_out):
    area = Area("Bench", -1.0, 2.0, 1.0, 3.0, 0.0, 1.5)
    show = edits.replace(STAGE, room=edits.replace(STAGE.room, keep_out=(area,)))
    path = Path(in_room=True, centre="point:0,4.6,0", size=2.6, keep_out=keep_out)
    rig, table = table_of(show, path)
    light = table.light if table.light is not None else np.ones(table.angles.shape[:2])
    told = set()
    for head in range(len(rig.heads)):
        hanging = np.repeat(
            rig.heads.hanging[head][None], table.angles.shape[1], axis=0
        )
        ways = aim.beam(hanging, table.angles[head][:, 0], table.angles[head][:, 1])
        entered = reaching.hits(show.room, rig.heads.place[head], ways)
        assert not (entered & (light[head] > 0.0)).any()
        told.add(table.troubles.get(head))
    wanted = Trouble.BENT if keep_out == KeepOut.BEND else Trouble.DARK
    assert wanted in told


def test_many_beams_are_judged_as_one_by_one():
    dice = np.random.default_rng(2)
    room = edits.replace(
        STAGE.room, keep_out=(Area("A", -1, 1, 1, 3, 0, 2), Area("B", 2, 0, 3, 6, 1, 3))
    )
    start = np.array([0.5, 0.5, 4.0])
    ways = dice.normal(size=(400, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    together = reaching.hits(room, start, ways)
    alone = [bool(reaching.kept_out(room, start.tolist(), w.tolist())) for w in ways]
    assert together.tolist() == alone
    assert 20 < sum(alone) < 380


@pytest.mark.parametrize(
    ("path", "at", "expected"),
    [
        (Path(size=2.0), 0.0, (2.0, 0.0)),
        (Path(size=2.0), 0.25, (0.0, 2.0)),
        (Path(size=2.0, backward=True), 0.25, (0.0, -2.0)),
        (Path(shape=PathShape.ELLIPSE, size=2.0, stretch=0.5), 0.25, (0.0, 1.0)),
        (Path(size=1.0, turn=90.0), 0.0, (0.0, 1.0)),
        (Path(shape=PathShape.LINE, size=3.0), 0.5, (3.0, 0.0)),
        (Path(shape=PathShape.LINE, size=3.0), 0.0, (-3.0, 0.0)),
        (Path(shape=PathShape.EIGHT, size=1.0), 0.125, (2**-0.5, 1.0)),
        (Path(shape=PathShape.POLYGON, sides=4, size=1.0), 0.25, (1.0, 0.0)),
        (Path(shape=PathShape.FREE, points=((0.5, 0.5),), size=2.0), 0.7, (1.0, 1.0)),
        (
            Path(
                shape=PathShape.FREE,
                points=((0, 0), (1, 0)),
                closed=False,
                smooth=False,
                size=1.0,
            ),
            0.25,
            (0.5, 0.0),
        ),
    ],
)
def test_paths_pass_through_these_places(path, at, expected):
    places = paths.shape_of(path)
    place = places[round(at * (len(places) - 1))]
    assert place == pytest.approx(expected, abs=1e-6)
    assert places[0] == pytest.approx(places[-1], abs=1e-9)


def test_phase_sends_heads_one_after_the_other_along_the_path():
    from choreon.model.motion import Effect
    from choreon.render.effects import compile_effects
    from choreon.render.looks import CompiledLook
    from choreon.render.state import Time

    rig = compile_rig(STAGE.types, STAGE.fixtures)
    path = Path(in_room=True, centre="point:0,3,0", size=1.2, spread=Spread())
    spots = ("spot-1", "spot-2", "spot-3", "spot-4")
    effect = Effect(id="e", motion=path, fixtures=spots)
    moving = compile_effects(STAGE, rig, CompiledLook(rig), (effect,), {})
    live = moving.live({})
    live.move(Time(1.0, 0.0))  # a quarter of a cycle of 4 s
    values = live.give(1.0, np.zeros(len(live.look.claims[0]))).values
    places = []
    for spot in spots:
        rows = [rig.where[spot][n][0][1] for n in ("Pan", "Tilt")]
        where = np.searchsorted(live.look.rows, rows)
        places.append(landing(rig, rig.heads.of[spot], values[where][None])[0])
    want = [[0, 4.2, 0], [1.2, 3, 0], [0, 1.8, 0], [-1.2, 3, 0]]
    assert np.array(places) == pytest.approx(np.array(want), abs=0.02)
