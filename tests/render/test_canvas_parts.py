"""Figures, letters, layouts and what cells can carry, each by itself."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo.low_tide import low_tide
from choreon.model.figures import FIGURE_NAMES, STILL
from choreon.model.motion import ColourStop, Rate
from choreon.model.playables.canvas import (
    Along,
    Layout,
    Letters,
    Runs,
    View,
    WordsLayer,
)
from choreon.render.canvas import carries
from choreon.render.canvas.figures import FIGURES, Dials, Ground
from choreon.render.canvas.layers import PlacedImage, PlacedWords
from choreon.render.canvas.layout import cells_of, nearest, places_now
from choreon.render.canvas.letters import DRAWN, ROWS, letters_for, strip_of
from choreon.render.canvas.sampling import LINEAR, Sums, from_bytes
from choreon.render.canvas.stops import Stops
from choreon.render.colour import from_oklab, to_oklab
from choreon.render.compiled import compile_show
from choreon.render.state import Step, Time
from tests.render.canvases import at, image, picture, stop, wall, with_canvas

MANY = 11


def ground(aspect: float = 1.5) -> Ground:
    wide, high = aspect / max(aspect, 1.0), 1.0 / max(aspect, 1.0)
    x, y = np.meshgrid(np.linspace(-wide, wide, MANY), np.linspace(-high, high, MANY))
    return Ground(x.reshape(-1), y.reshape(-1), wide, high)


def compiled_cells(show, ref):
    compiled = compile_show(show)
    return compiled, compiled.source(Step(ref=ref)).cells


# figures


def test_there_are_figures_enough_and_each_has_a_name() -> None:
    assert len(FIGURES) >= 30
    assert FIGURES.keys() == FIGURE_NAMES.keys()


STEPS = {"board", "sparks", "shuffle", "storm", "runner", "bands", "blinds"}
"""Those that go by steps, or have edges that run."""


@pytest.mark.parametrize("name", list(FIGURES))
@pytest.mark.parametrize(
    "dials", [Dials(), Dials(5.0, 0.2, 0.0, 9), Dials(0.5, 1.0, 1.0)]
)
def test_a_figure_stays_within_bounds_and_closes(name, dials) -> None:
    paint, here = FIGURES[name].paint, ground()
    for t in np.linspace(0.0, math.nextafter(1.0, 0.0), 17):
        seen = paint(here, float(t), dials)
        assert seen.along.shape == seen.cover.shape == here.x.shape
        for part in seen:
            assert np.isfinite(part).all()
            assert part.min() >= 0.0
            assert part.max() <= 1.0 + 1e-9

    # its end is its beginning: shortly before it all is as it is there
    begin, end = paint(here, 0.0, dials), paint(here, 1.0 - 1e-7, dials)
    if name not in STEPS:
        assert np.abs(begin.cover - end.cover).max() < 1e-3
        ring = np.abs(begin.along - end.along)
        ring = np.minimum(ring, 1.0 - ring) if FIGURES[name].ring else ring
        assert (ring * np.maximum(begin.cover, end.cover)).max() < 1e-3
    assert (paint(here, 0.0, dials).cover == begin.cover).all()


@pytest.mark.parametrize("name", [n for n in FIGURES if n not in STILL])
def test_a_figure_moves(name) -> None:
    paint, here = FIGURES[name].paint, ground()
    first = paint(here, 0.1, FIGURES[name].dials)
    others = [paint(here, t, FIGURES[name].dials) for t in (0.3, 0.55, 0.8)]
    change = max(
        np.abs(first.cover - o.cover).max() + np.abs(first.along - o.along).max()
        for o in others
    )
    assert change > 0.05


@pytest.mark.parametrize("name", list(FIGURES))
def test_a_figure_on_one_cell_and_on_a_line_is_no_fault(name) -> None:
    one = Ground(np.zeros(1), np.zeros(1), 1.0, 1.0)
    line = Ground(np.linspace(-1.0, 1.0, 7), np.zeros(7), 1.0, 0.01)
    for here in (one, line):
        seen = FIGURES[name].paint(here, 0.37, FIGURES[name].dials)
        assert np.isfinite(seen.cover).all()


# colours


def test_stops_are_mixed_in_oklab_and_close_to_a_ring() -> None:
    show = wall(1, 1)
    red, blue = stop(1.0, 0.0, 0.0), stop(0.0, 0.0, 1.0)
    open_ = Stops(show, (red, blue), ring=False).table
    assert open_[:, 0] == pytest.approx([1.0, 0.0, 0.0], abs=1e-6)
    assert open_[:, -1] == pytest.approx([0.0, 0.0, 1.0], abs=1e-6)
    ring = Stops(show, (red, blue), ring=True).table
    half = from_oklab((to_oklab((1.0, 0, 0)) + to_oklab((0, 0, 1.0))) / 2.0)
    assert ring[:, 64] == pytest.approx(np.clip(half, 0, 1), abs=0.02)
    assert ring[:, 128] == pytest.approx([0.0, 0.0, 1.0], abs=0.02)
    hard = Stops(show, (red, blue), ring=True, hard=True).table
    assert {tuple(c) for c in hard.T.tolist()} == {(1.0, 0.0, 0.0), (0.0, 0.0, 1.0)}
    assert Stops(show, (), ring=True).table.min() == pytest.approx(1.0)
    gone = Stops(show, (ColourStop(palette="gone"),), ring=True)
    assert gone.table.min() == pytest.approx(1.0)


# sampling


@settings(max_examples=60, deadline=None)
@given(
    st.integers(1, 7),
    st.integers(1, 7),
    st.lists(
        st.tuples(
            st.floats(-0.5, 1.5),
            st.floats(-0.5, 1.5),
            st.floats(0.01, 0.6),
            st.floats(0.01, 0.6),
        ),
        min_size=1,
        max_size=6,
    ),
    st.booleans(),
    st.integers(0, 9999),
)
def test_the_average_over_a_box_is_that_of_its_parts(
    wide, high, boxes, tiled, seed
) -> None:
    """Against a count of small squares, worked out apart from the sums."""
    dice = np.random.default_rng(seed)
    pixels = dice.integers(0, 256, (high, wide, 4), dtype=np.uint8)
    sums = Sums(from_bytes(pixels), tiled)
    middle = np.array([[b[0] for b in boxes], [b[1] for b in boxes]])
    half = np.array([[b[2] for b in boxes], [b[3] for b in boxes]])
    found = sums.average(middle, half)

    fine = 120
    steps = (np.arange(fine) + 0.5) / fine * 2.0 - 1.0
    for n in range(len(boxes)):
        x = (middle[0, n] + half[0, n] * steps) * wide
        y = (middle[1, n] + half[1, n] * steps) * high
        column, row = np.meshgrid(np.floor(x).astype(int), np.floor(y).astype(int))
        inside = (column >= 0) & (column < wide) & (row >= 0) & (row < high)
        own = pixels[high - 1 - row % high, column % wide].astype(float)
        cover = own[..., 3] / 255.0
        light = LINEAR[own[..., :3].astype(int)] * cover[..., None]
        there = np.concatenate([light, cover[..., None]], axis=2)
        if not tiled:
            there = there * inside[..., None]
        wanted = there.reshape(-1, 4).mean(axis=0)
        assert np.abs(found[:, n] - wanted).max() < 0.06


# letters


@pytest.mark.parametrize("letters", list(DRAWN))
def test_every_small_letter_is_as_high_as_it_should_be_and_like_no_other(
    letters,
) -> None:
    drawn = DRAWN[letters]
    for letter, rows in drawn.items():
        lines = rows.split("/")
        assert len(lines) == ROWS[letters], letter
        assert len({len(line) for line in lines}) == 1, letter
        assert set("".join(lines)) <= {".", "#"}, letter
    alphabet = [rows for letter, rows in drawn.items() if letter.isalnum()]
    assert len(alphabet) == 36
    alike = len(alphabet) - len(set(alphabet))
    assert alike <= {4: 3, 5: 2, 7: 0}[ROWS[letters]]  # 0 and O, 5 and S … at four rows


def test_text_in_any_script_is_drawn_or_told() -> None:
    for letters in Letters:
        if letters == Letters.AUTO:
            continue
        strip = strip_of("Öl à la Ŵ — 7 €", letters)
        assert not strip.unknown, (letters, strip.unknown)
        strip = strip_of("水 a", letters)
        assert strip.unknown == ("水",)
        assert strip.cover.shape[0] == ROWS.get(letters, strip.high)
    assert (
        strip_of("low", Letters.SMALL).cover.tolist()
        == strip_of("LOW", Letters.SMALL).cover.tolist()
    )
    assert strip_of("", Letters.TINY).wide == 1


def test_letters_grow_with_the_rows_there_are() -> None:
    assert [letters_for(rows) for rows in (1, 4, 5, 6, 7, 40)] == [
        Letters.TINY,
        Letters.TINY,
        Letters.SMALL,
        Letters.SMALL,
        Letters.LARGE,
        Letters.LARGE,
    ]


def test_ten_thousand_letters_are_cut_and_quick_enough_to_be_shown() -> None:
    show = wall(5, 5)
    layer = WordsLayer(id="w", text="a" * 10_000)
    show, ref = with_canvas(show, layer)
    placed = compile_show(show).source(Step(ref=ref)).layers[0][1]
    assert isinstance(placed, PlacedWords)
    assert len(placed.strip.glyphs) == 2000
    assert placed.paint(0.5, 1.0)[3].max() == pytest.approx(1.0)


def test_scrolling_begins_and_ends_beside_the_cells_and_goes_by_whole_fields() -> None:
    show, ref = with_canvas(
        wall(5, 5), WordsLayer(id="w", text="I", letters=Letters.SMALL, rate=Rate(6.0))
    )
    placed = compile_show(show).source(Step(ref=ref)).layers[0][1]
    seen = [placed.paint(t, 1.0)[3].reshape(5, 5) for t in np.linspace(0, 0.999, 60)]
    assert not seen[0].any()
    columns = [int(s.any(axis=0).argmax()) for s in seen if s.any()]
    assert columns[0] == 4
    assert columns[-1] == 0
    for s in seen:
        assert set(np.unique(s.round(6)).tolist()) <= {0.0, 1.0}


def test_letter_by_letter_each_has_its_turn() -> None:
    show, ref = with_canvas(
        wall(5, 7), WordsLayer(id="w", text="AB C", runs=Runs.SPELL, rate=Rate(4.0))
    )
    placed = compile_show(show).source(Step(ref=ref)).layers[0][1]
    shapes = [placed.paint(t, 1.0)[3].round(3).tolist() for t in (0.1, 0.3, 0.6, 0.9)]
    assert len({str(s) for s in shapes}) == 4
    assert not any(shapes[2])  # between words nothing


# layouts


def test_a_straight_line_bends_to_an_arc_and_back_to_itself() -> None:
    show = wall(9, 1)
    straight = Layout(fixtures=tuple(show.fixtures))
    compiled = compile_show(show)
    arc = cells_of(show, compiled.rig, Layout(fixtures=straight.fixtures, bend=180.0))
    # half a circle: as high as half as wide
    across, up = np.ptp(arc.ground, axis=1)
    assert up == pytest.approx(across / 2.0, rel=0.02)
    # neighbours are as far apart as before
    apart = np.linalg.norm(np.diff(arc.ground, axis=1), axis=0)
    assert apart == pytest.approx([0.5] * 8, rel=0.02)


def test_a_line_by_the_nearest_follows_a_strip_that_turns_corners() -> None:
    show = wall(6, 1)
    corners = [(0, 0), (1, 0), (2, 0), (2, 1), (2, 2), (1, 2)]
    names = list(show.fixtures)
    mixed = [names[0], names[3], names[1], names[5], names[2], names[4]]
    for name, (x, z) in zip(names, corners, strict=True):
        show = at(show, name, x=float(x), y=0.0, z=float(z))
    layout = Layout(fixtures=tuple(mixed), view=View.LINE, along=Along.NEAREST)
    cells = cells_of(show, compile_show(show).rig, layout)
    order = [cells.items[n][0] for n in np.argsort(cells.ground[0])]
    assert order == names
    assert np.diff(np.sort(cells.ground[0])) == pytest.approx([1.0] * 5)


def test_round_the_middle_makes_a_line_of_a_ring() -> None:
    show = wall(8, 1)
    for n, name in enumerate(show.fixtures):
        turn = 2.0 * math.pi * (n * 3 % 8) / 8.0
        show = at(show, name, x=math.cos(turn), y=math.sin(turn), z=2.0)
    layout = Layout(fixtures=tuple(show.fixtures), view=View.LINE, along=Along.ROUND)
    cells = cells_of(show, compile_show(show).rig, layout)
    side = 2.0 * math.sin(math.pi / 8.0)
    assert np.diff(np.sort(cells.ground[0])) == pytest.approx([side] * 7)


def test_places_that_stay_are_those_of_now() -> None:
    show = wall(3, 2)
    layout = Layout(fixtures=tuple(show.fixtures))
    rig = compile_show(show).rig
    before = cells_of(show, rig, layout)
    kept = Layout(fixtures=layout.fixtures, places=places_now(show, rig, layout))
    moved = show
    for name in show.fixtures:
        moved = at(moved, name, x=7.0, y=7.0, z=7.0)
    after = cells_of(moved, compile_show(moved).rig, kept)
    assert after.at == pytest.approx(before.at)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(-20, 20), st.integers(-20, 20)), min_size=1, max_size=40
    )
)
def test_how_far_the_nearest_is_against_a_plain_search(points) -> None:
    ground_ = np.array(points, float).T
    found = nearest(ground_)
    for n, (x, y) in enumerate(points):
        away = [math.hypot(x - a, y - b) for a, b in points if (a, b) != (x, y)]
        if away:
            assert found[n] == pytest.approx(min(away))
    assert np.isfinite(found).all()


# what cells carry


def words_told(text: str, columns: int, rows: int, **more) -> list[str]:
    layer = WordsLayer(id="w", text=text, **more)
    show, ref = with_canvas(wall(columns, rows), layer)
    return carries.of_layer(compile_show(show).source(Step(ref=ref)).layers[0][1])


def test_it_is_told_how_many_letters_cells_carry() -> None:
    (told,) = words_told("LOW TIDE", 8, 5, runs=Runs.STILL)
    assert "40 cells carry 2 letters" in told
    assert words_told("LO", 8, 5, runs=Runs.STILL) == []
    assert words_told("LOW TIDE", 8, 5, runs=Runs.SCROLL) == []
    (told,) = words_told("LO", 8, 2)
    assert "2 rows" in told
    (told,) = words_told("L水", 20, 7)
    assert "水" in told
    (told,) = words_told("W", 3, 5, runs=Runs.SPELL)
    assert "3 columns" in told


def test_it_is_told_when_a_picture_is_finer_than_the_cells() -> None:
    show = wall(4, 4)
    fine = np.zeros((64, 64, 3), np.uint8)
    fine[:, ::2] = 255
    show, stripes = image(show, fine)
    plain = np.zeros((4, 4, 3), np.uint8)
    plain[:2] = 255
    show, halves = image(show, plain)
    show, ref = with_canvas(show, picture(stripes), picture(halves, id="h"))
    placed = [made for _, made in compile_show(show).source(Step(ref=ref)).layers]
    assert all(isinstance(made, PlacedImage) for made in placed)
    (told,) = carries.of_layer(placed[0])
    assert "16 cells" in told
    assert carries.of_layer(placed[1]) == []


def test_the_sample_canvases_give_light_and_have_nothing_wrong() -> None:
    show = low_tide()
    compiled = compile_show(show)
    found = [p for p in show.playables.values() if p.kind == "canvas"]
    assert len(found) >= 6
    for canvas in found:
        source = compiled.source(Step(ref=canvas.ref))
        assert source.seen(Time(1.7, 2.3), {})[:3].max() > 0.05, canvas.id
        assert len(source.cells.items) >= 20
        assert not carries.of_cells(source.cells)
