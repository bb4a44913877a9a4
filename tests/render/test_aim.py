"""Where beams go, by hand-worked directions."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.render import aim

HALF = np.sqrt(0.5)
degrees = st.floats(-360, 360)


def beam(yaw=0.0, pitch=0.0, roll=0.0, pan=0.0, tilt=0.0):
    return aim.beam(aim.hanging_matrix([yaw], [pitch], [roll]), [pan], [tilt])[0]


@pytest.mark.parametrize(
    ("given_", "way"),
    [
        ({}, (0, 0, -1)),
        ({"pitch": 45}, (0, HALF, -HALF)),  # upstage
        ({"pitch": -45}, (0, -HALF, -HALF)),  # to the audience
        ({"roll": 45}, (HALF, 0, -HALF)),  # to audience right
        ({"pitch": 90}, (0, 1, 0)),
        ({"pitch": 180}, (0, 0, 1)),  # standing on the floor
        (
            {"pitch": 45, "yaw": 90},
            (-HALF, 0, -HALF),
        ),  # turned counter-clockwise from above
        ({"tilt": 45}, (0, HALF, -HALF)),
        ({"pan": 90, "tilt": 45}, (-HALF, 0, -HALF)),
        ({"pan": 180, "tilt": 90}, (0, -1, 0)),
        ({"pitch": 180, "tilt": 90}, (0, -1, 0)),
    ],
)
def test_directions_by_hand(given_, way):
    assert beam(**given_) == pytest.approx(way, abs=1e-12)


@given(degrees, degrees, degrees, degrees, degrees)
def test_beams_have_unit_length(yaw, pitch, roll, pan, tilt):
    assert np.linalg.norm(beam(yaw, pitch, roll, pan, tilt)) == pytest.approx(1.0)


@given(degrees, degrees, degrees)
def test_hangings_only_turn(yaw, pitch, roll):
    matrix = aim.hanging_matrix([yaw], [pitch], [roll])[0]
    assert matrix @ matrix.T == pytest.approx(np.eye(3), abs=1e-9)
    assert np.linalg.det(matrix) == pytest.approx(1.0)


@given(degrees, degrees, degrees, degrees)
def test_pan_does_not_matter_straight_down_and_a_whole_turn_changes_nothing(
    yaw, pan, tilt, roll
):
    assert beam(yaw=yaw, pan=pan) == pytest.approx((0, 0, -1), abs=1e-9)
    assert beam(roll=roll, pan=pan, tilt=tilt) == pytest.approx(
        beam(roll=roll, pan=pan + 360, tilt=tilt), abs=1e-9
    )


SPANS = st.sampled_from(
    [
        ((-270.0, 270.0), (-135.0, 135.0)),
        ((-150.0, 150.0), (-90.0, 90.0)),
        ((-90.0, 90.0), (-45.0, 45.0)),
    ]
)


@given(
    *[st.floats(-180, 180)] * 3, SPANS, st.tuples(*[st.floats(-5, 5)] * 3), st.data()
)
def test_forward_of_inverse_hits_the_point_within_a_centimetre_at_ten_metres(
    yaw, pitch, roll, spans, way, data
):
    """For every hanging: where it can be reached the beam passes the point by less than
    1 cm in 10 m, within the spans.
    """
    if np.linalg.norm(way) < 0.1:
        way = (0.0, 0.0, -1.0)
    hanging = aim.hanging_matrix([yaw], [pitch], [roll])[0]
    now = (data.draw(st.floats(*spans[0])), data.draw(st.floats(*spans[1])))
    pan, tilt, miss = aim.solve(hanging, way, *spans, now)
    assert spans[0][0] <= pan <= spans[0][1]
    assert spans[1][0] <= tilt <= spans[1][1]
    got = aim.beam(hanging[None], [pan], [tilt])[0]
    point = 10.0 * np.array(way) / np.linalg.norm(way)
    away = np.linalg.norm(point - got * (got @ point)) if got @ point > 0 else 10.0
    if miss == 0.0:
        assert away < 0.01
    else:
        assert (
            np.degrees(np.arcsin(min(1.0, away / 10.0)))
            == pytest.approx(min(miss, 90.0), abs=0.2)
            or got @ point <= 0
        )


def test_a_wide_head_reaches_everything_below_and_takes_the_shorter_way():
    """540° by 270°: straight to audience right is pan −90, tilt 90, or pan 90, tilt
    −90, or a turn more.
    """
    flat = aim.hanging_matrix([0.0], [0.0], [0.0])[0]
    wide = ((-270.0, 270.0), (-135.0, 135.0))
    assert aim.solve(flat, (1, 0, 0), *wide, (0.0, 80.0)) == pytest.approx(
        (-90, 90, 0), abs=1e-6
    )
    assert aim.solve(flat, (1, 0, 0), *wide, (0.0, -80.0)) == pytest.approx(
        (90, -90, 0), abs=1e-6
    )
    assert aim.solve(flat, (1, 0, 0), *wide, (260.0, 80.0)) == pytest.approx(
        (270, 90, 0), abs=1e-6
    )
    assert aim.solve(flat, (0, 0, -1), *wide, (33.0, 20.0)) == pytest.approx(
        (33, 0, 0), abs=1e-6
    )


def test_two_makes_meet_at_a_point_and_what_is_out_of_reach_is_told():
    point = np.array([1.0, 3.0, 0.0])
    for place, spans in (
        ((-3.0, 4.6, 4.2), ((-270, 270), (-135, 135))),
        ((3.7, 0.4, 4.2), ((-150, 150), (-90, 90))),
    ):
        hanging = aim.hanging_matrix([20.0], [0.0], [0.0])[0]
        way = point - place
        pan, tilt, miss = aim.solve(hanging, way, *spans, (0.0, 0.0))
        got = aim.beam(hanging[None], [pan], [tilt])[0]
        landed = np.array(place) + got * (-place[2] / got[2])
        assert miss == 0
        assert landed == pytest.approx(point, abs=0.01)
    flat = aim.hanging_matrix([0.0], [0.0], [0.0])[0]
    pan, tilt, miss = aim.solve(flat, (0, 1, 0), (-90, 90), (-45, 45), (0.0, 0.0))
    assert (tilt, miss) == (45, pytest.approx(45, abs=1e-4))
