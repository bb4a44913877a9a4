"""Heads on paths: all makes on the same points, always within their limits, out of what
is to be kept out of.
"""

from __future__ import annotations

import numpy as np
import pytest

from choreon.demo import low_tide
from choreon.engine import actions
from choreon.engine.actions import overrides
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.masters import Override
from choreon.model.motion import (
    Effect,
    KeepOut,
    Path,
    PathShape,
    Plane,
    Rate,
    Spread,
)
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Area, Hanging, Place
from choreon.model.verbs import Verb
from choreon.render import aim, explain, keep_out, path_tables, paths, reaching, sphere
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend
from choreon.render.effects import compile_effects
from choreon.render.live import AimChange
from choreon.render.looks import CompiledLook
from choreon.render.path_tables import Trouble
from choreon.render.rig import compile_rig
from choreon.render.state import Time
from tests import play

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


def lights_of(table, seconds: float) -> np.ndarray:
    """How far heads (h) may shine at each sample (n) of a cycle that takes so long."""
    count = table.angles.shape[1]
    heads = len(table.heads)
    found = np.ones((heads, count))
    for n, position in enumerate(np.arange(count) / (count - 1)):
        light = table.at(np.full(heads, position), 1.0 / seconds)[1]
        if light is not None:
            found[:, n] = light
    return found


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
            if trouble in (Trouble.SMALLER, Trouble.STANDS) or head in table.leaves:
                continue  # it says so
            followed += 1
            for position in at:
                angles, light = table.at(np.full(len(rig.heads), position), 1 / 8.0)
                if light is not None and light[head] < 1e-6:
                    continue  # it turns back in the dark
                turn = 2 * np.pi * position
                want = [1.5 * np.cos(turn), 3 + 1.5 * np.sin(turn), 0.0]
                found = landing(rig, head, angles[head][None])[0]
                assert np.linalg.norm(found - want) < 0.05
    assert followed > 180


@pytest.mark.slow
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
        light = lights_of(table, 8.0)
        for head in range(len(rig.heads)):
            step = np.abs(np.diff(table.angles[head][:, 0]))
            lit = np.minimum(light[head][:-1], light[head][1:]) > 0.0
            # even close to the pole pan keeps up
            assert step[lit].max() < 1.05 * 300.0 * 8.0 / 512


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
    # a circle still, nothing is cut off; close below itself it goes as far as pan asks
    assert away.min() > 0.95 * away.max()


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


@pytest.mark.parametrize("how", list(KeepOut))
def test_no_lit_beam_enters_what_is_to_be_kept_out_of(how):
    area = Area("Bench", -1.0, 2.0, 1.0, 3.0, 0.0, 1.5)
    show = edits.replace(STAGE, room=edits.replace(STAGE.room, keep_out=(area,)))
    path = Path(in_room=True, centre="point:0,4.6,0", size=2.6, keep_out=how)
    rig, table = table_of(show, path)
    told = {table.troubles.get(head) for head in range(len(rig.heads))}
    values = rig.home.copy()
    every = np.arange(len(rig.heads))
    for sample in range(0, table.angles.shape[1], 3):
        angles = table.angles[:, sample]
        values[rig.heads.rows] = angles
        clear = keep_out.clear_of(show.room, rig.heads, every, values)
        ways = aim.beam(rig.heads.hanging, angles[:, 0], angles[:, 1])
        for head in every.tolist():
            entered = reaching.hits(show.room, rig.heads.place[head], ways[head][None])
            assert not entered[0] or clear[head] < 0.004  # not a step of 255
    wanted = Trouble.BENT if how == KeepOut.BEND else Trouble.DARK
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


# below a head


def hung_over(x: float, y: float, yaw: float = 0.0):
    """One head of a wide range, straight over a place of the floor."""
    fixture = edits.replace(
        STAGE.fixtures["spot-1"], place=Place(x, y, 4.0), hanging=Hanging(yaw=yaw)
    )
    room = edits.replace(STAGE.room, keep_out=(), screen=None)
    return edits.replace(STAGE, fixtures={"spot-1": fixture}, room=room)


@pytest.mark.parametrize("shape", [PathShape.LINE, PathShape.EIGHT])
@pytest.mark.parametrize("beside", [0.0, 0.01, 0.05, 0.2, 0.6])
@pytest.mark.parametrize("seconds", [3.0, 8.0])
@pytest.mark.parametrize("yaw", [0.0, 37.0])
def test_a_way_passes_below_its_head_without_whirling(shape, beside, seconds, yaw):
    """It goes through the pole, or round it; it says by how much it leaves the line,
    and that is no more than the line is beside it.
    """
    path = Path(shape=shape, in_room=True, centre="point:0,3,0", size=1.5, stretch=0.5)
    show = hung_over(0.0, 3.0 + beside, yaw)
    rig, table = table_of(show, path, seconds)
    own = table.angles[0]
    assert table.turns is None
    assert not table.troubles
    speed = np.abs(np.diff(own[:, 0])) * 512 / seconds
    assert speed.max() <= 301.0
    assert np.allclose(own[0], own[-1])
    wanted = path_tables.points_of(show, path)[1]
    off = np.linalg.norm(landing(rig, 0, own) - wanted, axis=1)
    told = table.leaves.get(0, "")
    if off.max() > 0.03:
        by = float(told.removeprefix("up to ").split(" m")[0])
        assert off.max() <= by + 0.03
    # beyond some of it, going round at full speed leaves the line by less
    assert off.max() <= max(0.05, min(beside + 0.01, 0.6))
    far = np.linalg.norm(wanted[:, :2] - [0.0, 3.0 + beside], axis=1) > 1.2
    assert off[far].max() < 0.02  # only near to the pole


def test_coming_into_a_path_a_head_takes_the_shortest_way():
    """Of all ways within its limits the one to whose beginning it travels least."""
    dice = np.random.default_rng(4)
    path = Path(in_room=True, centre="point:0,3,0", size=1.0)
    for _ in range(60):
        show = with_heads(dice)
        rig = compile_rig(show.types, show.fixtures)
        heads = rig.heads
        which = np.arange(len(heads))
        near = dice.uniform(heads.low, heads.high)
        entry = dice.uniform(0, 1, len(heads))
        table = path_tables.in_room(show, heads, which, path, near, 8.0, 1.0, entry)
        for head in range(len(heads)):
            if head in table.troubles or head in table.leaves:
                continue
            begin = table.angles[head][int(entry[head] * 512)]
            point = table.points[head][int(entry[head] * 512)]
            best = heads.solve(np.array([head]), point[None], near[head][None])[0][0]
            travel = np.abs(begin - near[head]).sum()
            shortest = np.abs(best - near[head]).sum()
            # a way that must stay within the limits all round may have to begin beside
            others = [np.abs(table.angles[head][:, 0] + 360 * n) for n in (-1, 1)]
            fits = any((o <= heads.high[head, 0]).all() for o in others)
            assert travel <= shortest + 1.0 or not fits


@pytest.mark.parametrize("tilt", [-120.0, -60.0, -25.0, 25.0, 60.0, 100.0])
@pytest.mark.parametrize("pan", [-150.0, 0.0, 70.0])
def test_around_an_aim_a_circle_is_round_at_any_tilt(pan, tilt):
    """Measured on the sphere: 12° from the aim all the way, and anticlockwise as seen
    from the house, for a table and for what is below alike.
    """
    show = hung_over(0.0, 3.0)
    rig = compile_rig(show.types, show.fixtures)
    heads = rig.heads
    base = np.array([[pan, tilt]])
    path = Path(size=12.0)
    table = path_tables.around(show, heads, np.array([0]), path, base)
    middle = aim.beam(heads.hanging, base[:, 0], base[:, 1])[0]
    flat = paths.shape_of(path)
    change = AimChange("c", heads, np.array([0]), flat[:1], flat[::32], 20.0)
    values = rig.home.copy()
    values[heads.rows[0]] = base[0]
    ways = {"table": [], "change": []}
    for n in range(0, 512, 8):
        for name, angles in (
            ("table", table.angles[0][n]),
            ("change", base[0] + edits_of(change, flat[n], values)),
        ):
            ways[name].append(aim.beam(heads.hanging, *angles[:, None])[0])
    for found in ways.values():
        found = np.array(found)
        away = np.degrees(np.arccos(np.clip(found @ middle, -1, 1)))
        assert away == pytest.approx(np.full(len(away), 12.0), abs=0.02)
        # it turns one way as seen along the house's view
        sense = np.cross(found[:-1] - middle, found[1:] - middle) @ sphere.VIEW
        leans = middle @ sphere.VIEW
        if abs(leans) > 0.3:
            assert (
                np.sign(sense) == -np.sign(leans) * np.sign(leans)
            ).all() or leans < 0


def edits_of(change, away, values):
    change.away = np.asarray(away)[None]
    return change.offset(values, np.zeros(len(values)))


def test_all_heads_turn_the_same_way_as_seen_from_the_house():
    """Hung four ways, with either tilt: where each spot goes on the floor."""
    path = Path(size=8.0)
    for yaw in (0.0, 90.0, 180.0, 250.0):
        for tilt in (-40.0, 40.0):
            show = hung_over(0.0, 3.0, yaw)
            rig = compile_rig(show.types, show.fixtures)
            base = np.array([[20.0, tilt]])
            table = path_tables.around(show, rig.heads, np.array([0]), path, base)
            spots = landing(rig, 0, table.angles[0])
            rel = spots[:-1, :2] - spots[:-1, :2].mean(axis=0)
            (x, y), (x2, y2) = rel[:-1].T, rel[1:].T
            assert (
                x * y2 - y * x2 > 0
            ).all()  # anticlockwise on the floor, seen from the house
            # and it begins on the right
            assert rel[0, 0] > 0


@pytest.mark.parametrize("speed", [5.0, 60.0])
def test_around_straight_down_pan_keeps_up(speed):
    """Where heads that others aim straight down go round that."""
    show = hung_over(0.0, 3.0)
    rig = compile_rig(show.types, show.fixtures)
    values = rig.home.copy()
    flat = paths.shape_of(Path(size=10.0))
    seconds = 2 * np.pi * 10.0 / speed
    for tilt in (0.0, 0.5, 3.0, -7.0, 11.0):
        values[rig.heads.rows[0]] = (30.0, tilt)
        change = AimChange("c", rig.heads, np.array([0]), flat[:1], flat[::32], speed)
        found = np.array([edits_of(change, place, values) for place in flat])
        turned = np.abs(np.diff(found[:, 0])) * 512 / seconds
        assert turned.max() <= 1.1 * 300.0
        assert np.ptp(found[:, 1]) > 9.0


# how large it is, and what is kept out of


@pytest.mark.parametrize("size", [0.0, 0.1, 0.3, 0.5, 0.77, 1.0])
def test_the_size_dial_shrinks_the_figure_in_the_room(size):
    """All makes go on the same smaller circle."""
    dice = np.random.default_rng(6)
    path = Path(in_room=True, centre="point:0,3,0", size=1.5)
    for _ in range(6):
        show = with_heads(dice)
        compiled, live = moving_on(show, path)
        op = live.moving.ops[0]
        live.size = size
        for position in dice.uniform(0, 1, 6):
            live.move(Time(4.0 * position, 0.0))
            values = live.give(1.0, np.zeros(len(live.look.claims[0]))).values
            angles = values[op.own].reshape(-1, 2)
            turn = 2 * np.pi * position
            want = [size * 1.5 * np.cos(turn), 3 + size * 1.5 * np.sin(turn), 0.0]
            for n, head in enumerate(op.table.heads.tolist()):
                told = op.table.told(head) or any(
                    t.told(head) for t in op.tables.values()
                )
                if not told:
                    spot = landing(compiled.rig, head, angles[n][None])[0]
                    assert np.linalg.norm(spot - want) < 0.05


def moving_on(show, path):
    effect = Effect(
        id="e", motion=edits.replace(path, spread=Spread(amount=0.0)), fixtures=HEADS
    )
    compiled = compile_show(show)
    moving = compile_effects(
        show, compiled.rig, CompiledLook(compiled.rig), (effect,), {}
    )
    return compiled, moving.live({})


def lit_in(show, state, now, area) -> float:
    """The most light of any head whose beam enters an area."""
    compiled = compile_show(show)
    values = blend(compiled, state, now)
    heads, most = compiled.rig.heads, 0.0
    for fixture, head in heads.of.items():
        angles = values[heads.rows[head]]
        way = aim.beam(heads.hanging[head][None], angles[:1], angles[1:])
        row = compiled.rig.where[fixture]["Dimmer"][0][1]
        if reaching.hits(show.room, heads.place[head], way)[0]:
            most = max(most, float(values[row]))
    return most


@pytest.mark.parametrize("keep_out_by", list(KeepOut))
@pytest.mark.parametrize("size", [1.0, 0.3])
@pytest.mark.parametrize("around_others", [False, True])
def test_no_path_lights_what_is_kept_out_of_at_any_size_over_any_aims(
    keep_out_by, size, around_others
):
    """A circle round an area, the aims of another scene beside it, a path between two
    others that fade: judged by where the beam goes in the end.
    """
    area = Area("Bench", -1.0, 2.0, 1.0, 3.0, 0.0, 1.5)
    room = edits.replace(STAGE.room, keep_out=(area,), screen=None)
    heads = tuple(i for i in HEADS)
    path = (
        Path(size=25.0, keep_out=keep_out_by)
        if around_others
        else Path(in_room=True, centre="point:0,2.5,0", size=2.2, keep_out=keep_out_by)
    )
    effect = Effect(id="e", motion=edits.replace(path, spread=Spread()), fixtures=heads)
    scenes = (
        Scene(
            id="aims",
            name="Aims",
            look={
                i: {"Dimmer": 1.0, "Pan": "point:1.8,2.5,0", "Tilt": "point:1.8,2.5,0"}
                for i in heads
            },
            fade_in=0.0,
        ),
        Scene(
            id="goes",
            name="Goes",
            effects=(effect,),
            look={i: {"Dimmer": 1.0} for i in heads},
            fade_in=0.0,
        ),
    )
    show = play.put_scenes(edits.replace(STAGE, room=room, playables={}), scenes)
    state = play.blank()
    for one in scenes:
        state = actions.perform(show, state, Do(one.ref, Verb.PRESS), 0.0)
    if size < 1.0:
        player = Ref("player", state.players[-1].id)
        state = actions.perform(show, state, Do(player, Verb.SIZE, size), 0.0)
    seen = [lit_in(show, state, t, area) for t in np.arange(0.1, 4.1, 0.13)]
    assert max(seen) < 1e-3


# who lights a head that turns back


ROUND = Scene(
    id="round",
    name="Round",
    look={"spot-1": {"Dimmer": 1.0}},
    effects=(
        Effect(
            id="e",
            motion=Path(
                in_room=True, centre="point:0,3,0", size=1.5, rate=Rate(seconds=3.0)
            ),
            fixtures=("spot-1",),
        ),
    ),
    fade_in=0.0,
    fade_out=0.0,
)
LIT = Scene(id="lit", name="Lit", look={"spot-1": {"Dimmer": 0.8}}, fade_in=0.0)
AIMS = Scene(
    id="aims",
    name="Aims",
    look={"spot-1": {"Dimmer": 0.8, "Pan": 40.0, "Tilt": 30.0}},
    fade_in=0.0,
)


def going_round(*others: Scene):
    """A head right over a circle round which it goes: a show, and what plays in it."""
    scenes = (ROUND, *others)
    show = edits.replace(hung_over(0.0, 3.4), playables={})
    show = play.put_scenes(show, scenes)
    state = play.blank()
    for one in scenes:
        state = actions.perform(show, state, Do(one.ref, Verb.PRESS), 0.0)
    return show, state


def seen_of(show, state, times=None):
    """Pan and light of the head, frame by frame over a cycle (n, 2)."""
    compiled = compile_show(show)
    where = compiled.rig.where["spot-1"]
    rows = [where["Pan"][0][1], where["Dimmer"][0][1]]
    every = np.arange(0.5, 4.0, 1 / 44) if times is None else times
    return np.array([blend(compiled, state, now)[rows] for now in every])


def by_draft(show, state):
    return play.set_draft(state, {"spot-1": {"Dimmer": 1.0}})


def by_override(show, state):
    held = Override(id="o", name="O", over=(Ref("fixture", "spot-1"),), alone=True)
    return edits.put(show, "masters", held), overrides.hold(state, "o", 1.0, 0.0)


@pytest.mark.parametrize("lit_by", ["itself", "another", "draft", "override", "all"])
def test_a_head_that_turns_back_is_dark_whoever_lights_it(lit_by):
    show, state = going_round(*([LIT] if lit_by in ("another", "all") else []))
    if lit_by in ("draft", "all"):
        state = by_draft(show, state)
    if lit_by in ("override", "all"):
        show, state = by_override(show, state)

    pan, light = seen_of(show, state).T
    turned = np.abs(np.diff(pan)) > 300.0
    assert turned.any()
    beside = np.minimum(light[:-1], light[1:])
    assert beside[turned].max() < 0.01
    assert light.max() >= 0.8  # it shines for the rest of its round

    # it goes dark in steps that are no flicker, and so it comes back
    assert np.abs(np.diff(light)).max() < 0.25


def test_a_head_that_another_aims_is_lit_all_through_what_would_have_turned_it():
    show, state = going_round(AIMS)
    pan, light = seen_of(show, state).T
    assert np.ptp(pan) == 0.0
    assert light.min() == pytest.approx(1.0)


def test_a_head_that_another_takes_over_in_part_is_as_dark_as_that_is_seen():
    """As AIMS comes, the path has less and less of the head: whatever is left of its
    turn is dark until there is less than can be seen.
    """
    slowly = edits.replace(AIMS, fade_in=6.0)
    show, state = going_round(slowly)
    pan, light = seen_of(show, state, np.arange(0.1, 6.5, 0.004)).T
    # a turn at full light would be 360° in one of these steps
    seen = np.abs(np.diff(pan)) * np.minimum(light[:-1], light[1:])
    assert seen.max() < 20.0
    assert light[-1] == pytest.approx(1.0)


def test_a_look_may_aim_by_hand_where_a_path_below_keeps_out_of():
    area = Area("Bench", -1.0, 2.0, 1.0, 3.0, 0.0, 1.5)
    show, state = going_round(AIMS)
    into = {"Dimmer": 0.8, "Pan": "point:0,2.5,0.5", "Tilt": "point:0,2.5,0.5"}
    show = play.put_scenes(show, [edits.replace(AIMS, look={"spot-1": into})])
    show = edits.replace(show, room=edits.replace(show.room, keep_out=(area,)))
    assert seen_of(show, state)[:, 1].min() > 0.9

    # the path alone is dark there
    _, alone = going_round()
    assert seen_of(show, alone)[:, 1].min() < 0.01


def test_a_closed_free_path_goes_through_its_ends_without_a_corner():
    """Where it closes it goes as anywhere: along the line from the point before to the
    point after (Catmull and Rom).
    """
    points = ((-1.0, -0.6), (0.3, 0.9), (1.0, -0.2))
    path = Path(shape=PathShape.FREE, points=points, closed=True, smooth=True, size=1.0)
    near = paths.shape_of(path, 9600)[:-1]
    known = np.array(points)
    for n, point in enumerate(known):
        place = int(np.argmin(np.linalg.norm(near - point, axis=1)))
        assert np.linalg.norm(near[place] - point) < 0.002
        goes = known[(n + 1) % 3] - known[n - 1]
        comes, leaves = near[place] - near[place - 4], near[(place + 4) % 9599]
        step = comes + (leaves - near[place])
        assert step @ goes > 0.99 * np.linalg.norm(step) * np.linalg.norm(goes), n


@pytest.mark.parametrize("travel", [0.0, 2.0, 6.0])
def test_a_head_turns_no_faster_than_its_type_says(travel):
    """A line on the floor past the point straight below a head, five centimetres beside
    it: 540° of pan in so many seconds, 300°/s where that is not known.
    """
    kind = STAGE.types[STAGE.fixtures["spot-1"].type]
    turned = [
        edits.replace(
            channel,
            ranges=tuple(
                edits.replace(span, travel=travel) if span.attribute == "Pan" else span
                for span in channel.ranges
            ),
        )
        for channel in kind.channels
    ]
    kind = edits.replace(kind, channels=tuple(turned))
    spot = edits.replace(
        STAGE.fixtures["spot-1"], place=Place(0.0, 3.0, 4.2), hanging=Hanging()
    )
    show = edits.replace(
        STAGE, types={kind.id: kind}, fixtures={"spot-1": spot}, playables={}
    )
    show = edits.replace(show, room=edits.replace(show.room, keep_out=()))
    fastest = 540.0 / travel if travel else 300.0
    path = Path(
        shape=PathShape.LINE, in_room=True, centre="point:0.05,3,0", size=2.0, turn=90.0
    )
    rig, table = table_of(show, path, seconds=4.0)
    assert rig.heads.pan_speed.tolist() == pytest.approx([fastest])
    pan = table.angles[0, :, 0]
    speed = np.abs(np.diff(pan)).max() * (len(pan) - 1) / 4.0
    assert speed <= fastest * 1.01

    # around an aim that points nearly straight down
    heads = rig.heads
    change = AimChange(
        "p", heads, np.array([0]), np.zeros((1, 2)), np.zeros((1, 2)), speed=40.0
    )
    values = np.zeros(rig.size)
    values[heads.rows[0]] = 10.0, 1.0
    circle = [(8 * np.cos(a), 8 * np.sin(a)) for a in np.linspace(0, 2 * np.pi, 200)]
    change.outline = np.array(circle)
    pans = []
    for away in circle:
        change.away = np.array([away])
        pans.append(change.offset(values, np.zeros(rig.size))[0])
    lasts = 2 * np.pi * 8 / 40.0  # seconds for the circle
    assert np.abs(np.diff(pans)).max() * 199 / lasts <= fastest * 1.05


def test_why_names_the_turn_and_what_is_kept_out_of():
    """The light on the slot is what wins, times what is left for those reasons."""
    area = Area("Bench", -1.0, 2.0, 1.0, 3.0, 0.0, 1.5)
    show, state = going_round(LIT)
    for kept in ((), (area,)):
        show = edits.replace(show, room=edits.replace(show.room, keep_out=kept))
        compiled = compile_show(show)
        (row,) = (row for _, row in compiled.rig.where["spot-1"]["Dimmer"])
        reasons = set()
        for now in np.arange(0.5, 3.5, 0.03):
            level = blend(compiled, state, now)[row]
            slot = dimmer_slot(show)
            (why,) = explain.explain(compiled, state, now, *slot)
            left = [one for one in why.layers if one.how]
            wins = [one.value for one in why.layers if one.wins]
            reasons |= {one.source for one in left}
            expected = wins[0] * np.prod([one.value for one in left])
            assert level == pytest.approx(expected, abs=1e-6)
        assert explain.TURNS in reasons
        assert (explain.NEAR in reasons) == bool(kept)


def dimmer_slot(show) -> tuple[int, int]:
    """Universe and address of the head's dimmer."""
    spot = show.fixtures["spot-1"]
    kind = show.types[spot.type]
    uses = kind.used(kind.mode(spot.mode))
    (use,) = (use for use, channel in uses if channel.ranges[0].attribute == "Dimmer")
    return spot.universe, spot.address + use.slots[0] - 1
