"""The stage picture: what is lit is light in it, where it should be, and in its colour."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from choreon.library import library
from choreon.model import edits
from choreon.model.show import Hanging, Mark, Place, Room, Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.decode import Light, decoder_for
from choreon.render.state import DraftState, PlayState
from choreon.ui.stage import figures
from choreon.ui.stage.camera import (
    ABOVE,
    ASIDE,
    HOUSE,
    Viewpoint,
    from_the_house,
    look,
    read_viewpoint,
)
from choreon.ui.stage.enlarge import Twice
from choreon.ui.stage.haze import Haze, doublings
from choreon.ui.stage.masks import footprint, reach
from choreon.ui.stage.painter import StagePainter

ROOM = Room("", 8.0, 6.0, 4.2)
RECT = QRectF(0, 0, 640, 400)


def par(x: float, y: float, **more) -> Show:
    show = Show(id="t", name="T", room=ROOM)
    show, _ = edits.hang(
        show,
        library()["tarnby-par-7"],
        "8 channel",
        1,
        1,
        1,
        places=[Place(x, y, 4.2)],
        hanging=Hanging(**more),
    )
    return show


class Picture:
    """A show's stage, drawn with a draft on it."""

    def __init__(self, show: Show, look: dict, rect: QRectF = RECT, chosen=()) -> None:
        programme = compile_show(show)
        decoder = decoder_for(programme.rig, show.types.values())
        self.stage = StagePainter(decoder.lamps, show.room)
        self.image = QImage(
            int(rect.width()), int(rect.height()), QImage.Format.Format_RGB32
        )
        painter = QPainter(self.image)
        light = decoder.read(render(programme, PlayState(draft=DraftState(look)), 0.0))
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
    straight, tipped = (
        Picture(par(0.0, 1.0), lit((1, 0, 0))),
        Picture(par(0.0, 1.0, pitch=35), lit((1, 0, 0))),
    )
    assert straight.at(0, 1.0, 0)[0] > straight.at(0, 4.0, 0)[0] + 60
    assert tipped.at(0, 3.9, 0)[0] > tipped.at(0, 1.0, 0)[0] + 60


def test_the_haze_shows_the_beam(qapp):
    dark, bright = Picture(par(0.0, 3.0), {}), Picture(par(0.0, 3.0), lit((1, 1, 1)))
    assert bright.at(0, 3.0, 2.2).sum() > dark.at(0, 3.0, 2.2).sum() + 40


def test_more_level_is_more_light_and_none_is_the_dark_room(qapp):
    levels = [
        Picture(par(0, 3), lit((1, 0, 0), level)).at(0, 3, 0)[0]
        for level in (0.0, 0.2, 0.5, 1.0)
    ]
    assert levels == sorted(levels)
    assert levels[0] < 45
    assert levels[1] > levels[0] + 20
    dark = Picture(par(0, 3), {})
    assert dark.at(0, 3, 0).max() < 45


def test_two_colours_add(qapp):
    show = par(0.0, 3.0)
    show, _ = edits.hang(
        show,
        library()["tarnby-par-7"],
        "8 channel",
        1,
        1,
        50,
        places=[Place(0.0, 3.0, 4.2)],
    )
    both = Picture(show, {**lit((1, 0, 0)), "par-2": lit((0, 0, 1))["par-1"]}).at(
        0, 3, 0
    )
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


@pytest.mark.parametrize(
    ("width", "height"), [(1280, 800), (300, 190), (200, 600), (150, 92), (16, 10)]
)
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
    assert view.project([(0, -50, 1)])[0, 2] == pytest.approx(
        0.3
    )  # behind the eye: kept in front of it


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


# the camera

VIEWS = [HOUSE, ABOVE, ASIDE, Viewpoint(-30.0, 25.0, 2.0)]


@pytest.mark.parametrize("viewpoint", VIEWS)
@pytest.mark.parametrize("point", [(0.0, 3.0, 0.0), (-2.5, 0.5, 0.0), (3.0, 5.5, 0.0)])
def test_a_point_of_the_floor_is_found_where_it_is_seen(viewpoint, point):
    view = look(ROOM, RECT, viewpoint)
    x, y, _ = view.project([point])[0]
    assert view.on_surface(x, y, ROOM) == pytest.approx(point, abs=1e-6)


def test_a_point_of_the_back_wall_is_found_and_the_sky_is_not():
    view = look(ROOM, RECT)
    x, y, _ = view.project([(1.0, ROOM.depth, 2.0)])[0]
    assert view.on_surface(x, y, ROOM) == pytest.approx(
        (1.0, ROOM.depth, 2.0), abs=1e-6
    )
    assert view.on_surface(x, -4000.0, ROOM) is None
    assert look(ROOM, RECT, ABOVE).on_surface(-5000.0, 200.0, ROOM) is None


def test_views_are_bounded_kept_as_text_and_nonsense_is_passed_over():
    far = HOUSE.turned(500.0, 500.0).nearer(99.0)
    assert (far.side, far.up, far.zoom) == (85.0, 82.0, 6.0)
    assert read_viewpoint(ASIDE.text(), HOUSE) == ASIDE
    for text in ("", "1 2", "a b c", "nan 1 1", "inf 0 1"):
        assert read_viewpoint(text, ABOVE) == ABOVE


@pytest.mark.parametrize("viewpoint", VIEWS)
def test_the_picture_is_lit_from_every_view(qapp, viewpoint):
    picture = Picture(par(0.0, 3.0), lit((1, 0, 0)))
    picture.stage.viewpoint = viewpoint
    programme = compile_show(par(0.0, 3.0))
    decoder = decoder_for(programme.rig, par(0.0, 3.0).types.values())
    light = decoder.read(
        render(programme, PlayState(draft=DraftState(lit((1, 0, 0)))), 0.0)
    )
    picture.image.fill(0)
    painter = QPainter(picture.image)
    picture.stage.paint(painter, RECT, light)
    painter.end()
    picture.view = picture.stage.view(RECT)
    red, green, _ = picture.at(0.0, 3.0, 0.0)
    assert red > 100
    assert red > 2 * green


def test_bodies_stand_at_marks_on_the_floor_only(qapp):
    show = par(0.0, 3.0)
    on_floor = edits.put(show, "marks", Mark(id="a", name="A", x=0.0, y=2.0))
    hanging = edits.put(show, "marks", Mark(id="a", name="A", x=0.0, y=2.0, z=1.8))

    def drawn(shown: Show, named: bool = False) -> QImage:
        image = QImage(640, 400, QImage.Format.Format_RGB32)
        image.fill(0xFF404040)
        painter = QPainter(image)
        figures.draw(painter, look(ROOM, RECT), shown, named)
        painter.end()
        return image

    x, y, _ = look(ROOM, RECT).project([(0.0, 2.0, 0.7)])[0]
    body = drawn(on_floor).pixelColor(round(x), round(y)).red()
    assert body < 50  # a dark figure before the light
    assert drawn(hanging).pixelColor(round(x) + 4, round(y)).red() == 0x40
    assert drawn(on_floor, True) != drawn(on_floor)


def test_dim_beams_have_no_bands(qapp):
    """A beam at 3 % fades in fine steps, and in the tint of its lamp."""
    picture = Picture(par(0.0, 3.0), lit((1.0, 0.7, 0.5), 0.03))
    column, top, _ = picture.view.project([(0.0, 3.0, 3.6)])[0]
    _, low, _ = picture.view.project([(0.0, 3.0, 0.6)])[0]
    shades = [
        picture.image.pixelColor(round(column), y)
        for y in range(round(top), round(low))
    ]
    assert len({c.red() for c in shades}) >= 10
    assert all(c.red() >= c.green() >= c.blue() for c in shades)


def spots(look: dict, count: int = 1) -> tuple[Haze, Light]:
    """The haze over some spots that all do the same, and their light."""
    show = Show(id="t", name="T", room=ROOM)
    places = [Place(-2.0 + 0.8 * i, 2.0, 4.2) for i in range(count)]
    show, ids = edits.hang(
        show, library()["ostrey-spot-160"], "13 channel", count, 1, 1, places=places
    )
    programme = compile_show(show)
    decoder = decoder_for(programme.rig, show.types.values())
    light = decoder.read(
        render(programme, PlayState(draft=DraftState(dict.fromkeys(ids, look))), 0.0)
    )
    return Haze(
        decoder.lamps,
        ROOM,
        from_the_house(ROOM, RECT),
        int(RECT.width()),
        int(RECT.height()),
    ), light


def test_a_gobo_that_turns_is_drawn_turned_and_is_back_after_a_whole_turn(qapp):
    haze, light = spots({"Dimmer": 1.0, "Gobo1": 2.0, "Gobo1PosRotate": 60.0})
    first = haze.image(light, 10.0).copy()
    assert haze.image(light, 10.0) == first
    turned = haze.image(light, 10.1).copy()
    assert turned != first
    seconds = 60.0 / light.motion[0, 1]
    for step in np.linspace(10.1, 10.0 + seconds, 8)[1:]:
        last = haze.image(light, float(step)).copy()
    assert np.abs(pixels(last) - pixels(first)).max() <= 2
    still, light = spots({"Dimmer": 1.0, "Gobo1": 2.0, "Gobo1PosRotate": 0.0})
    before = still.image(light, 10.0).copy()
    assert still.image(light, 11.0) == before


def test_a_gobo_that_stands_turned_looks_other_than_one_that_does_not(qapp):
    straight, turned = (
        spots({"Dimmer": 1.0, "Gobo1": 2.0, "Gobo1Pos": a}) for a in (0.0, 40.0)
    )
    assert straight[0].image(straight[1]) != turned[0].image(turned[1])


def test_many_new_beams_come_over_several_pictures_and_then_all_are_there(qapp):
    whole, light = spots({"Dimmer": 1.0}, 5)
    all_at_once = whole.image(light).copy()
    assert not whole.behind
    haze, _ = spots({"Dimmer": 1.0}, 5)
    seen = []
    for left in (4, 3, 2, 1, 0):
        picture = haze.image(light, budget=0.0).copy()  # time for one
        assert haze.behind == (left > 0)
        seen.append(int(pixels(picture).sum()))
    assert seen == sorted(
        seen
    )  # what has no beam yet stays dark rather than shine the wrong way
    assert picture == all_at_once


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint8).astype(int)


def test_between_two_pixels_lies_what_is_between_them():
    dice = np.random.default_rng(7)
    pixels = dice.integers(0, 1 << 32, (5, 7), np.uint32)
    large = Twice(7, 5)(pixels)
    assert large.shape == (10, 14)
    small, seen = (x.view(np.uint8).reshape(*x.shape, 4) for x in (pixels, large))
    small = small.astype(int)
    assert (seen[::2, ::2] == small).all()
    assert (seen[::2, 1:-1:2] == (small[:, :-1] + small[:, 1:]) // 2).all()
    assert (seen[1:-1:2, ::2] == (small[:-1] + small[1:]) // 2).all()
    assert (seen[:, -1] == seen[:, -2]).all()
    assert (seen[-1] == seen[-2]).all()


def test_a_picture_is_doubled_until_it_is_large_enough():
    assert doublings(200, 200, 60) == 0
    assert doublings(760, 470, 60) == 2
    assert doublings(760, 470, 2000) > 2  # hundreds of lamps are drawn more softly


def test_a_lamp_is_seen_at_the_same_place_however_often_the_picture_is_doubled(qapp):
    """The middle of a pool lies where the view says, within a pixel or two."""
    for size in (200, 400, 900, 1700):
        rect = QRectF(0, 0, size, 0.6 * size)
        dark, picture = (
            Picture(par(2.0, 3.0), lit((1, 1, 1), level), rect) for level in (0.0, 0.3)
        )
        seen = pixels(picture.image) - pixels(dark.image)
        grey = seen.reshape(picture.image.height(), -1, 4).sum(axis=2)
        column, row, _ = picture.view.project([(2.0, 3.0, 0.0)])[0]
        across = grey[round(row)]
        middle = (across * (np.arange(len(across)) + 0.5)).sum() / across.sum()
        assert abs(middle - column) < 2.0 + 0.004 * size


def coloured(haze: Haze, light: Light, rgb: np.ndarray) -> np.ndarray:
    """The picture where the lamps shine in these colours."""
    return pixels(haze.image(replace(light, rgb=rgb)).copy())


def test_lamps_that_shine_alike_are_added_up_as_if_they_did_not(qapp):
    """What is kept of sets of lamps is never seen: pictures one after the other are
    those of a haze that draws its first.
    """
    haze, light = spots({"Dimmer": 1.0}, 6)
    dice = np.random.default_rng(3)
    few = dice.random((3, 3))
    which = dice.integers(0, 3, 6)
    for step in range(40):
        if step % 5 == 0:
            which = dice.integers(0, 3, 6)
        if step % 7 == 3:  # some turn
            way = light.direction + dice.normal(0, 0.2, (6, 3)) * (
                dice.random((6, 1)) < 0.4
            )
            way /= np.linalg.norm(way, axis=1, keepdims=True)
            light = replace(light, direction=way)
        rgb = few[which] * (0.2 + 0.02 * step)
        fresh, _ = spots({"Dimmer": 1.0}, 6)
        one, other = coloured(haze, light, rgb), coloured(fresh, light, rgb)
        assert np.abs(one - other).max() <= 1


def test_the_stage_draws_every_pixel_of_its_place(qapp):
    """Nothing below it is drawn, so nothing may be left out."""
    for width, height, ratio in ((301, 199, 1.0), (641, 403, 1.0), (333, 211, 1.5)):
        image = QImage(
            round(width * ratio), round(height * ratio), QImage.Format.Format_RGB32
        )
        image.setDevicePixelRatio(ratio)
        image.fill(0xFFFF00FF)
        stage = StagePainter([], ROOM)
        painter = QPainter(image)
        stage.paint(painter, QRectF(0, 0, width, height), None)
        painter.end()
        bytes_ = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), -1)
        assert not (
            bytes_[: image.height() - 1, : image.width() - 1] == 0xFFFF00FF
        ).any()


def test_a_picture_of_a_new_size_is_the_old_one_stretched_until_it_is_whole(qapp):
    """No beam goes out because the window is made larger; and none lags for ever where
    heads turn all the time.
    """
    haze, light = spots({"Dimmer": 1.0}, 6)
    stage = StagePainter(haze.lamps, ROOM)

    def picture(width: int, light: Light) -> np.ndarray:
        image = QImage(width, 300, QImage.Format.Format_RGB32)
        painter = QPainter(image)
        rect = QRectF(0, 0, width, 300)
        stage.paint(painter, rect, light, budget=0.0)  # time for one beam
        painter.end()
        return pixels(image)

    small = [int(picture(480, light).sum()) for _ in range(8)][-1]
    assert not stage.behind
    large = int(picture(500, light).sum())
    assert stage.stretched
    assert large > small  # all six beams are seen
    dice, pictures = np.random.default_rng(1), 0
    while stage.stretched:
        way = light.direction + dice.normal(0, 0.1, (6, 3))
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        light = replace(light, direction=way)
        picture(500, light)
        pictures += 1
        assert pictures < 10
    assert stage.behind  # some turned since they were drawn
    for _ in range(12):
        last = picture(500, light)
    assert not stage.behind
    stage = StagePainter(haze.lamps, ROOM)
    for _ in range(8):
        fresh = picture(500, light)
    assert (fresh == last).all()
