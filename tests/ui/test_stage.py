"""The stage picture: what is lit is light in it, where it should be, and in its colour."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from choreon.library import library
from choreon.model import edits
from choreon.model.show import Hanging, Place, Room, Show
from choreon.render.decode import decoder_for
from choreon.render.frame import render
from choreon.render.players import Draft, PlayState
from choreon.render.programme import compile_show
from choreon.ui.stage.camera import from_the_house
from choreon.ui.stage.haze import footprint, reach
from choreon.ui.stage.painter import StagePainter

ROOM = Room("", 8.0, 6.0, 4.2)
RECT = QRectF(0, 0, 640, 400)


def par(x: float, y: float, **more) -> Show:
    show = Show(id="t", name="T", room=ROOM)
    show, _ = edits.hang(
        show, library()["tarnby-par-7"], "8 channel", 1, 1, 1, places=[Place(x, y, 4.2)], hanging=Hanging(**more)
    )
    return show


class Picture:
    """A show's stage, drawn with a draft on it."""

    def __init__(self, show: Show, look: dict, rect: QRectF = RECT, chosen=()) -> None:
        programme = compile_show(show)
        decoder = decoder_for(programme.rig, show.types.values())
        self.stage = StagePainter(decoder.lamps, show.room)
        self.image = QImage(int(rect.width()), int(rect.height()), QImage.Format.Format_RGB32)
        painter = QPainter(self.image)
        light = decoder.read(render(programme, PlayState(draft=Draft(look)), 0.0))
        self.stage.paint(painter, rect, light, chosen)
        painter.end()
        self.view = self.stage.view(rect)

    def at(self, x: float, y: float, z: float) -> np.ndarray:
        """The colour where a point of the room is seen."""
        column, row, _ = self.view.project([(x, y, z)])[0]
        found = self.image.pixelColor(round(column), round(row))
        return np.array([found.red(), found.green(), found.blue()])


def lit(rgb, level=1.0) -> dict:
    names = ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")
    return {"par-1": {"Dimmer": level, **dict(zip(names, rgb, strict=True))}}


def test_a_par_lights_the_floor_below_it_in_its_colour(qapp):
    picture = Picture(par(2.0, 3.0), lit((0.0, 0.0, 1.0)))
    under, away = picture.at(2.0, 3.0, 0.0), picture.at(-2.0, 3.0, 0.0)
    assert under[2] > 120
    assert under[2] > 3 * under[0]
    assert away.max() < 60


def test_tipped_upstage_it_lights_further_upstage(qapp):
    straight, tipped = Picture(par(0.0, 1.0), lit((1, 0, 0))), Picture(par(0.0, 1.0, pitch=35), lit((1, 0, 0)))
    assert straight.at(0, 1.0, 0)[0] > straight.at(0, 4.0, 0)[0] + 60
    assert tipped.at(0, 3.9, 0)[0] > tipped.at(0, 1.0, 0)[0] + 60


def test_the_haze_shows_the_beam(qapp):
    dark, bright = Picture(par(0.0, 3.0), {}), Picture(par(0.0, 3.0), lit((1, 1, 1)))
    assert bright.at(0, 3.0, 2.2).sum() > dark.at(0, 3.0, 2.2).sum() + 40


def test_more_level_is_more_light_and_none_is_the_dark_room(qapp):
    levels = [Picture(par(0, 3), lit((1, 0, 0), level)).at(0, 3, 0)[0] for level in (0.0, 0.2, 0.5, 1.0)]
    assert levels == sorted(levels)
    assert levels[0] < 45
    assert levels[1] > levels[0] + 20
    dark = Picture(par(0, 3), {})
    assert dark.at(0, 3, 0).max() < 45


def test_two_colours_add(qapp):
    show = par(0.0, 3.0)
    show, _ = edits.hang(show, library()["tarnby-par-7"], "8 channel", 1, 1, 50, places=[Place(0.0, 3.0, 4.2)])
    both = Picture(show, {**lit((1, 0, 0)), "par-2": lit((0, 0, 1))["par-1"]}).at(0, 3, 0)
    assert both[0] > 120
    assert both[2] > 120
    assert both[1] < 60


def test_strobing_is_told_by_a_mark_and_nothing_flashes(qapp):
    steady = Picture(par(0, 3), lit((1, 1, 1)))
    strobing = {"par-1": {**lit((1, 1, 1))["par-1"], "Shutter1Strobe": 8.0}}
    one, two = Picture(par(0, 3), strobing), Picture(par(0, 3), strobing)
    assert one.image == two.image
    assert one.image != steady.image
    assert one.at(0, 3, 0).tolist() == steady.at(0, 3, 0).tolist()


def test_the_chosen_are_outlined(qapp):
    plain, chosen = Picture(par(0, 3), {}), Picture(par(0, 3), {}, chosen=("par-1",))
    assert plain.image != chosen.image


def test_an_empty_room_can_be_drawn(qapp):
    picture = Picture(Show(id="t", name="T", room=ROOM), {})
    assert picture.at(0, 3, 0).max() > 0


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (300, 190), (200, 600), (150, 92), (16, 10)])
def test_the_whole_stage_opening_is_seen_at_any_size(width, height):
    view = from_the_house(ROOM, QRectF(0, 0, width, height))
    corners = [(x, y, z) for x in (-4, 4) for y in (0, 6) for z in (0, 4.2)]
    seen = view.project(corners)
    assert (seen[:, 0] >= 0).all()
    assert (seen[:, 0] <= width).all()
    assert (seen[:, 1] >= 0).all()
    assert (seen[:, 1] <= height).all()


def test_the_view_has_up_above_and_right_on_the_right_and_depth_behind():
    view = from_the_house(ROOM, RECT)
    middle, up, right, back = view.project([(0, 2, 1), (0, 2, 2), (1, 2, 1), (0, 5, 1)])
    assert up[1] < middle[1]
    assert right[0] > middle[0]
    assert back[2] > middle[2]
    assert view.project([(0, -50, 1)])[0, 2] == pytest.approx(0.3)  # behind the eye: kept in front of it


def test_beams_meet_floor_wall_or_nothing():
    start = np.array([[0, 3, 4.0], [0, 3, 2.0], [0, 3, 2.0], [0, 0, 1.0]])
    way = np.array([[0, 0, -1.0], [0, 1.0, 0], [0, -1.0, 0], [0, 0, 1.0]])
    length, normal = reach(ROOM, start, way)
    assert length.tolist() == [4.0, 3.0, 7.0, 7.0]
    assert normal.tolist() == [[0, 0, 1], [0, -1, 0], [0, 0, 0], [0, 0, 0]]


def test_a_slanting_beam_leaves_a_longer_pool():
    way = np.array([[0, 0, -1.0], [0, np.sqrt(0.5), -np.sqrt(0.5)]])
    across, along = footprint(way, np.array([[0, 0, 1.0]] * 2), np.array([1.0, 1.0]))
    assert np.linalg.norm(across, axis=1).tolist() == pytest.approx([1.0, 1.0])
    assert np.linalg.norm(along, axis=1).tolist() == pytest.approx([1.0, np.sqrt(2)])
    assert np.abs(along[1]).argmax() == 1
