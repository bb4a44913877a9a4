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
        ({"pitch": 45, "yaw": 90}, (-HALF, 0, -HALF)),  # turned counter-clockwise from above
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
def test_pan_does_not_matter_straight_down_and_a_whole_turn_changes_nothing(yaw, pan, tilt, roll):
    assert beam(yaw=yaw, pan=pan) == pytest.approx((0, 0, -1), abs=1e-9)
    assert beam(roll=roll, pan=pan, tilt=tilt) == pytest.approx(beam(roll=roll, pan=pan + 360, tilt=tilt), abs=1e-9)
