"""Painting on frames, and edits of canvases: fields in, fields out."""

from __future__ import annotations

import itertools

from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo.low_tide import low_tide
from choreon.model import canvases, edits, painting
from choreon.model.images import Image, packed, pixels_of
from choreon.model.lamps import fixtures_of
from choreon.model.playables.canvas import FigureLayer, PictureLayer
from choreon.model.refs import IMAGE, Ref

RED, BLUE = (255, 0, 0, 255), (0, 0, 255, 255)
WALL = Ref("canvas", "tide-wall")


def painted(*fields, colour=RED, columns=4, rows=3):
    layer = painting.layer_of(columns, rows)
    return painting.painted(layer, 0, fields, colour)


def test_fields_are_painted_and_those_beside_the_frame_are_not() -> None:
    layer = painted((0, 0), (3, 2), (4, 0), (-1, 1), (0, 3))
    assert painting.colour_at(layer, 0, (0, 0)) == RED
    assert painting.colour_at(layer, 0, (3, 2)) == RED
    lit = [
        f
        for f in painting.rectangle((0, 0), (3, 2))
        if painting.colour_at(layer, 0, f)[3]
    ]
    assert lit == [(0, 0), (3, 2)]
    assert painting.painted(layer, 0, [(0, 0)], RED) is layer  # nothing changes
    assert painting.painted(layer, 7, [(0, 0)], BLUE) is layer
    assert painting.colour_at(layer, 9, (0, 0)) == painting.CLEAR


@settings(max_examples=60)
@given(st.tuples(*[st.integers(-9, 9)] * 4))
def test_a_line_goes_from_end_to_end_in_steps_of_one(ends) -> None:
    begin, end = ends[:2], ends[2:]
    fields = painting.line(begin, end)
    assert fields[0] == begin
    assert fields[-1] == end
    assert len(fields) == max(abs(end[0] - begin[0]), abs(end[1] - begin[1])) + 1
    for one, other in itertools.pairwise(fields):
        assert max(abs(one[0] - other[0]), abs(one[1] - other[1])) == 1


def test_what_is_of_one_colour_side_by_side_is_filled() -> None:
    layer = painted((1, 0), (1, 1), (1, 2))  # a bar that parts the frame
    assert painting.alike(layer, 0, (0, 0)) == [(0, 0), (0, 1), (0, 2)]
    assert len(painting.alike(layer, 0, (3, 1))) == 6
    assert painting.alike(layer, 0, (9, 9)) == []


def test_a_part_is_copied_and_what_was_clear_in_it_leaves_what_is_there() -> None:
    layer = painted((0, 0), (1, 1))
    part = painting.part_of(layer, 0, (1, 1), (0, 0))  # marked from below to above
    assert part.columns == 2
    ground = painting.painted(layer, 0, [(2, 1), (3, 1), (2, 2), (3, 2)], BLUE)
    made = painting.with_part(ground, 0, (2, 1), part)
    assert painting.colour_at(made, 0, (2, 1)) == RED
    assert painting.colour_at(made, 0, (3, 1)) == BLUE
    assert painting.colour_at(made, 0, (3, 2)) == RED


def test_frames_are_added_copied_moved_and_taken_out() -> None:
    layer = painted((0, 0))
    layer = painting.with_new_frame(layer, 0, copy=False)
    layer = painting.with_new_frame(layer, 0, copy=True)
    on = [painting.colour_at(layer, n, (0, 0)) == RED for n in range(3)]
    assert on == [True, True, False]
    moved = painting.with_frame_moved(layer, 2, -2)
    assert painting.colour_at(moved, 0, (0, 0)) == painting.CLEAR
    assert painting.with_frame_moved(layer, 9, 1) is layer
    assert len(painting.without_frame(layer, 0).frames) == 2
    alone = painted((0, 0))
    assert painting.without_frame(alone, 0) is alone
    many = alone
    for _ in range(300):
        many = painting.with_new_frame(many, 0, copy=False)
    assert len(many.frames) == painting.MOST_FRAMES
    assert painting.with_time(alone, 0, 3.0).frames[0].lasts == 3.0


def test_another_ground_keeps_what_is_painted() -> None:
    layer = painted((0, 0), (3, 2))
    larger = painting.resized(layer, 6, 5)
    assert painting.colour_at(larger, 0, (3, 2)) == RED
    smaller = painting.resized(layer, 2, 2)
    assert painting.colour_at(smaller, 0, (0, 0)) == RED
    assert len(smaller.frames[0].cells) == 16
    assert painting.resized(layer, 4, 3) is layer
    assert painting.resized(layer, 9999, 0).columns == painting.MOST_SIDE


# canvases


def test_layers_are_added_moved_copied_and_taken() -> None:
    show = low_tide()
    show, made = canvases.add_layer(show, WALL, FigureLayer(id=""))
    ids = [x.id for x in canvases.canvas_of(show, WALL).layers]
    assert ids == ["water", "foam", made]
    show = canvases.move_layer(show, WALL, made, -99)
    assert canvases.canvas_of(show, WALL).layers[0].id == made
    show, copy = canvases.copy_layer(show, WALL, "water")
    ids = [x.id for x in canvases.canvas_of(show, WALL).layers]
    assert ids == [made, "water", copy, "foam"]
    show = canvases.take_layer(show, WALL, "water")
    assert "water" not in [x.id for x in canvases.canvas_of(show, WALL).layers]
    gone = Ref("canvas", "gone")
    assert canvases.add_layer(show, gone, FigureLayer(id="")) == (show, "")
    assert canvases.change(show, gone, brightness=0.0) is show
    assert canvases.change_layer(show, WALL, "foam", opacity=0.35) is show


def test_cells_and_fixtures_come_and_go() -> None:
    show = low_tide()
    show = canvases.leave_out(show, WALL, [("dot-1", 0), ("dot-2", 0)], True)
    show = canvases.leave_out(show, WALL, [("dot-2", 0)], False)
    assert canvases.canvas_of(show, WALL).layout.left_out == {"dot-1": (0,)}
    show = canvases.add_fixtures(show, WALL, ["bar-1", "dot-1"])
    assert canvases.canvas_of(show, WALL).layout.fixtures[-1] == "bar-1"
    show = canvases.take_fixtures(show, WALL, ["dot-1"])
    assert canvases.canvas_of(show, WALL).layout.left_out == {}
    assert "dot-1" not in fixtures_of(show, [WALL])
    assert canvases.take_fixtures(show, WALL, ["par-1"]) is show


def test_an_image_is_kept_once_and_its_users_are_known() -> None:
    show = low_tide()
    image = Image(id="", name="Moon", width=1, height=1, data=packed(bytes(4)))
    one, ref = canvases.add_image(show, image)
    same, again = canvases.add_image(one, image)
    assert (same, again) == (one, ref)
    assert one.images[ref.id].name != "Moon"  # there is one of that name
    assert Ref("canvas", "moon-wall") in edits.used_by(show, Ref(IMAGE, "moon"))
    without = edits.remove(show, Ref(IMAGE, "moon"))
    layer = canvases.canvas_of(without, Ref("canvas", "moon-wall")).layers[0]
    assert isinstance(layer, PictureLayer)
    kind = canvases.canvas_of(without, Ref("canvas", "moon-wall"))
    from choreon.model.playables import kind_of

    assert any("gone" in problem.text for problem in kind_of(kind).check(without, kind))


def test_pixels_that_are_not_what_is_said_are_none() -> None:
    good = Image(id="i", name="I", width=2, height=1, data=packed(bytes(8)))
    assert pixels_of(good) == bytes(8)
    for wrong in (
        edits.replace(good, width=3),
        edits.replace(good, data=b"damaged"),
        edits.replace(good, width=100_000, height=100_000),
        edits.replace(good, data=packed(bytes(4))),
    ):
        assert pixels_of(wrong) == b""
    # a bomb: a small file that would become large
    bomb = edits.replace(good, data=packed(bytes(50_000_000)))
    assert len(pixels_of(bomb)) in (0, 8)


def test_links_of_canvases_are_known_unlinked_and_checked() -> None:
    from choreon.model import palettes
    from choreon.model.playables import kind_of

    show = low_tide()
    users = [one.id for one in palettes.users(show, "teal")]
    assert {"tide-wall", "round-room"} <= set(users)
    alone = palettes.unlink(show, WALL, "palette:teal")
    stops = canvases.canvas_of(alone, WALL).layer("water").stops
    assert [stop.palette for stop in stops] == ["deep", ""]
    assert stops[1].colour == (0.0, 0.62, 0.5)
    lost = edits.drop(show, "palettes", ["teal"])
    canvas = canvases.canvas_of(lost, WALL)
    told = [problem.text for problem in kind_of(canvas).check(lost, canvas)]
    assert any("palette of Tide on the wall is gone" in text for text in told)
