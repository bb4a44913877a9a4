"""Hangings as turning matrices and back, for files that speak in matrices."""

from __future__ import annotations

import math

from choreon.model.show import Hanging

Rows = tuple[
    tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]
]


def matrix_of(hanging: Hanging) -> Rows:
    """The fixture's own axes in the room, as the columns of yaw (about z) · pitch
    (about x) · roll (about −y).
    """
    cy, sy = math.cos(math.radians(hanging.yaw)), math.sin(math.radians(hanging.yaw))
    cp, sp = (
        math.cos(math.radians(hanging.pitch)),
        math.sin(math.radians(hanging.pitch)),
    )

    cr, sr = (
        math.cos(math.radians(-hanging.roll)),
        math.sin(math.radians(-hanging.roll)),
    )

    return (
        (cy * cr - sy * sp * sr, -sy * cp, cy * sr + sy * sp * cr),
        (sy * cr + cy * sp * sr, cy * cp, sy * sr - cy * sp * cr),
        (-cp * sr, sp, cp * cr),
    )


def hanging_of(rows: Rows) -> Hanging:
    """The hanging of a turning matrix. Straight up or down the stage, where yaw and
    roll mean the same, roll is 0.
    """
    sp = min(1.0, max(-1.0, rows[2][1]))
    if abs(sp) > 0.999999:
        yaw, roll = math.atan2(rows[1][0], rows[0][0]), 0.0
    else:
        yaw, roll = (
            math.atan2(-rows[0][1], rows[1][1]),
            math.atan2(rows[2][0], rows[2][2]),
        )

    pitch = math.asin(sp)
    if (
        abs(roll) > math.pi / 2
    ):  # the same turning, told without standing on its head twice
        yaw, pitch, roll = yaw + math.pi, math.pi - pitch, roll + math.pi

    turns = ((math.degrees(a) + 180) % 360 - 180 for a in (yaw, pitch, roll))
    return Hanging(*(round(a, 3) + 0.0 for a in turns))
