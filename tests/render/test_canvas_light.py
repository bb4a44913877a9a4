"""What canvases give lamps, byte by byte: where a canvas lies among layers, how it
samples, what a black cell does to the light of others.
"""

from __future__ import annotations

import numpy as np
import pytest

from choreon.engine import actions
from choreon.engine.do import Do
from choreon.library import library
from choreon.model import canvases, edits, palettes
from choreon.model.motion import ColourStop, Rate
from choreon.model.playables import Chase, Timeline, kind_of
from choreon.model.playables.canvas import (
    Channel,
    Drives,
    FigureLayer,
    Fit,
    Frame,
    Layout,
    Mode,
    View,
)
from choreon.model.playables.chase import ChaseStep
from choreon.model.playables.stack import Cue, Stack
from choreon.model.playables.timeline import Clip, Track
from choreon.model.refs import Ref
from choreon.model.show import Group, Show
from choreon.model.swap import swap
from choreon.model.tiles import Pad, Page, parts
from choreon.model.verbs import Verb
from choreon.render.bake import bake_canvas
from choreon.render.canvas import carries
from choreon.render.capture import capture
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.explain import explain
from choreon.render.state import Step, Time
from tests import play
from tests.render.canvases import (
    BLACK,
    BLUE,
    GREEN,
    RED,
    WHITE,
    at,
    dots,
    hang,
    image,
    lit,
    painted,
    picture,
    plain,
    scene,
    stop,
    wall,
    with_canvas,
)


def linear(byte: int) -> float:
    """IEC 61966-2-1, written anew."""
    value = byte / 255.0
    return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4


def slot(light: float) -> int:
    return int(light * 255.0 + 0.5)


def close(frame, wanted, within: int = 1) -> None:
    assert np.abs(np.array(frame, int) - np.array(wanted, int)).max() <= within, (
        frame,
        wanted,
    )


# sampling


def test_fields_that_lie_on_cells_come_out_as_they_were_painted() -> None:
    show, ref = with_canvas(wall(2, 2), painted(2, 2, [RED, GREEN, BLUE, WHITE]))
    # dots begin in the lower left: blue and white, then red and green above
    wanted = [(0, 0, 255), (255, 255, 255), (255, 0, 0), (0, 255, 0)]
    close(dots(lit(compile_show(show), ref), 4), wanted, 0)


def test_a_cell_sees_the_average_of_its_area_in_linear_light() -> None:
    # two cells side by side, four columns: each sees two of them
    show, ref = with_canvas(
        wall(2, 1), painted(4, 1, [RED, BLACK, (128, 128, 128), WHITE])
    )
    grey = slot((linear(128) + 1.0) / 2.0)
    wanted = [(slot(0.5), 0, 0), (grey, grey, grey)]
    close(dots(lit(compile_show(show), ref), 2), wanted)


def test_fine_stripes_are_averaged_not_picked() -> None:
    show = wall(3, 1)
    stripes = np.zeros((10, 300, 3), np.uint8)
    stripes[:, ::2] = 255
    show, pictured = image(show, stripes)
    show, ref = with_canvas(show, picture(pictured, fit=Fit.STRETCH))
    close(dots(lit(compile_show(show), ref), 3), [(128, 128, 128)] * 3)


def test_a_part_of_a_pixel_counts_as_that_part() -> None:
    # three columns over two cells: each sees one and a half of them
    show, ref = with_canvas(wall(2, 1), painted(3, 1, [RED, GREEN, BLUE]))
    wanted = [(slot(2 / 3), slot(1 / 3), 0), (0, slot(1 / 3), slot(2 / 3))]
    close(dots(lit(compile_show(show), ref), 2), wanted)


@pytest.mark.parametrize(
    ("how", "wanted"),
    [
        ({"mirrored": True}, [WHITE, BLUE, GREEN, RED]),
        ({"flipped": True}, [RED, GREEN, BLUE, WHITE]),
        ({"turn": 180.0}, [GREEN, RED, WHITE, BLUE]),
        ({"turn": 90.0}, [WHITE, GREEN, BLUE, RED]),
    ],
)
def test_mirrored_flipped_turned(how, wanted) -> None:
    show = wall(2, 2)
    layout = Layout(fixtures=tuple(show.fixtures), **how)
    show, ref = with_canvas(
        show, painted(2, 2, [RED, GREEN, BLUE, WHITE]), layout=layout
    )
    close(dots(lit(compile_show(show), ref), 4), wanted, 0)


def test_what_moves_on_the_plan_moves_in_the_canvas_or_stays() -> None:
    show, ref = with_canvas(wall(2, 1), painted(2, 1, [RED, BLUE]))
    first, second = show.fixtures
    crossed = at(at(show, first, x=9.0, y=3.0, z=1.0), second, x=8.5, y=3.0, z=1.0)
    close(dots(lit(compile_show(crossed), ref), 2), [BLUE, RED], 0)

    kept = canvases.change_layout(
        crossed, ref, places={first: ((0.0, 1.0),), second: ((0.5, 1.0),)}
    )
    close(dots(lit(compile_show(kept), ref), 2), [RED, BLUE], 0)


def test_an_unrolled_ring_and_a_snake() -> None:
    show = wall(2, 2)
    names = list(show.fixtures)
    # round the square, from the lower left counter-clockwise, as a line
    ring = Layout(fixtures=(names[0], names[1], names[3], names[2]), view=View.LINE)
    line = painted(4, 1, [RED, GREEN, BLUE, WHITE])
    made, ref = with_canvas(show, line, layout=ring)
    close(dots(lit(compile_show(made), ref), 4), [RED, GREEN, WHITE, BLUE], 0)

    grid = Layout(fixtures=tuple(names), view=View.GRID, columns=2, snake=True)
    made, ref = with_canvas(show, painted(2, 2, [RED, GREEN, BLUE, WHITE]), layout=grid)
    # the second row runs back
    close(dots(lit(compile_show(made), ref), 4), [RED, GREEN, WHITE, BLUE], 0)


def test_cells_outside_of_the_frame_are_told_and_dark() -> None:
    show = wall(3, 1)
    layout = Layout(fixtures=tuple(show.fixtures), frame=Frame(0.25, 1.0, 1.0, 0.5))
    show, ref = with_canvas(show, painted(1, 1, [RED]), layout=layout)
    compiled = compile_show(show)
    source = compiled.source(Step(ref=ref))
    assert source.cells.outside.tolist() == [False, False, True]
    close(dots(lit(compiled, ref), 3), [RED, RED, BLACK], 0)


def test_a_bar_by_cells_and_in_one_piece_show_the_same_picture() -> None:
    show = hang(wall(0, 0), "pellow-bar-8", "24 channel", 1, 1)
    show = hang(show, "pellow-bar-8", "3 channel", 1, 101)
    cells, whole = show.fixtures
    show = at(at(show, cells, x=0.0, y=3.0, z=1.0), whole, x=0.0, y=3.0, z=2.0)
    row = [RED, RED, RED, RED, BLUE, BLUE, BLUE, BLUE]
    show, ref = with_canvas(show, painted(8, 1, row), fixtures=[cells, whole])
    frame = lit(compile_show(show), ref)
    close(dots(frame, 8), row, 0)
    # that of one piece is as long: it sees all of it
    close(frame[100:103].tolist(), (slot(0.5), 0, slot(0.5)))


def test_cells_under_one_dimmer_have_a_level_each() -> None:
    show = hang(wall(0, 0), "pellow-bar-8", "26 channel", 1, 1)
    (bar,) = show.fixtures
    half = (188, 188, 188)  # half of the light, as on screens
    row = [WHITE, half, BLACK, RED, WHITE, WHITE, WHITE, WHITE]
    show, ref = with_canvas(show, painted(8, 1, row), fixtures=[bar])
    compiled = compile_show(show)
    frame = lit(compiled, ref)
    dim = compiled.rig.where[bar]["Dimmer"]
    assert len(dim) == 1
    cells = frame[2:26].reshape(8, 3) if frame[0] == 255 else frame[:24].reshape(8, 3)
    own = slot(linear(188))
    wanted = [WHITE, (own, own, own), BLACK, RED, *[WHITE] * 4]
    close(cells.tolist(), wanted)


# modes


MODES = {
    Mode.COVER: lambda b, s, a, o: s * a * o + b * (1 - a * o),
    Mode.ADD: lambda b, s, a, o: min(1.0, b + s * a * o),
    Mode.MULTIPLY: lambda b, s, a, o: b * (1 - a * o + s * a * o),
}


@pytest.mark.parametrize("mode", list(MODES))
@pytest.mark.parametrize("opacity", [1.0, 0.4, 0.0])
@pytest.mark.parametrize("cover", [255, 128])
def test_every_mode_in_linear_light(mode, opacity, cover) -> None:
    below, above = (0.6, 0.2, 0.9), (0.5, 0.8, 0.0)
    rgb = [
        round(255 * (12.92 * v if v < 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055))
        for v in above
    ]
    show, ref = with_canvas(
        wall(1, 1),
        plain(*below, id="b"),
        painted(1, 1, [(*rgb, cover)], mode=mode, opacity=opacity),
    )
    a = cover / 255.0
    wanted = [
        slot(MODES[mode](b, linear(s), a, opacity))
        for b, s in zip(below, rgb, strict=True)
    ]
    close(dots(lit(compile_show(show), ref), 1), [wanted])


@pytest.mark.parametrize("opacity", [1.0, 0.5])
def test_a_mask_lets_through_what_is_bright(opacity) -> None:
    show, ref = with_canvas(
        wall(3, 1),
        plain(1.0, 0.5, 0.0, id="b"),
        painted(3, 1, [WHITE, (188, 0, 0), BLACK], mode=Mode.MASK, opacity=opacity),
    )
    left = [1.0, 1.0 - opacity * (1.0 - linear(188)), 1.0 - opacity]
    wanted = [(slot(m), slot(0.5 * m), 0) for m in left]
    close(dots(lit(compile_show(show), ref), 3), wanted)


def test_tint_brightness_and_strobe_lie_above_all() -> None:
    show, ref = with_canvas(
        wall(1, 1),
        plain(1.0, 1.0, 0.5),
        tint=stop(1.0, 0.5, 1.0),
        brightness=0.5,
        strobe=2.0,
    )
    compiled = compile_show(show)
    close(dots(lit(compiled, ref, after=0.1), 1), [(slot(0.5), slot(0.25), slot(0.25))])
    close(dots(lit(compiled, ref, after=0.3), 1), [BLACK], 0)
    close(dots(lit(compiled, ref, after=0.6), 1), [(slot(0.5), slot(0.25), slot(0.25))])


def test_a_layer_that_is_off_gives_nothing() -> None:
    show, ref = with_canvas(
        wall(1, 1), plain(1.0, 0.0, 0.0, id="b"), plain(0.0, 1.0, 0.0, on=False)
    )
    close(dots(lit(compile_show(show), ref), 1), [RED], 0)


# among others


def white_wash(show):
    look = {
        "Dimmer": 1.0,
        "ColorRGB_Red": 1.0,
        "ColorRGB_Green": 1.0,
        "ColorRGB_Blue": 1.0,
    }
    return scene(show, "wash", **dict.fromkeys(show.fixtures, look))


def test_a_black_cell_under_a_white_wash_leaves_it_alone() -> None:
    show, ref = with_canvas(wall(3, 1), painted(3, 1, [RED, BLACK, (99, 0, 0)]))
    show, wash = white_wash(show)
    for order in ((wash, ref), (ref, wash)):
        frame = dots(lit(compile_show(show), *order), 3)
        assert frame[1] == [255, 255, 255], order
    over = dots(lit(compile_show(show), wash, ref), 3)
    # red as strong as the wash has its colour, at the higher level
    assert over[0] == [255, 0, 0]
    # what gives less than a quarter of it leaves some of the white
    assert over[2][0] == 255
    assert 0 < over[2][1] < 255


def test_a_cell_fading_to_black_over_a_wash_never_jumps() -> None:
    frames = [[(v, 0, 0)] for v in range(255, -1, -1)]
    show, ref = with_canvas(
        wall(1, 1), painted(1, 1, *frames, fades=True, rate=Rate(10.0), once=True)
    )
    show, wash = white_wash(show)
    compiled = compile_show(show)
    state = play.blank()
    for one in (wash, ref):
        state = actions.perform(show, state, Do(one, Verb.PRESS), 100.0)
    seen = np.array(
        [render(compiled, state, 100.0 + n / 200.0)[0, :3] for n in range(1990)], int
    )
    assert np.abs(np.diff(seen, axis=0)).max() <= 8
    assert seen[-1].tolist() == [255, 255, 255]


def test_colour_alone_leaves_levels_to_others_and_black_gives_nothing() -> None:
    show, ref = with_canvas(
        wall(2, 1), painted(2, 1, [RED, BLACK]), drives=Drives.COLOUR
    )
    compiled = compile_show(show)
    assert not any(map(any, dots(lit(compiled, ref), 2)))

    look = {
        "Dimmer": 0.5,
        "ColorRGB_Red": 0.0,
        "ColorRGB_Green": 1.0,
        "ColorRGB_Blue": 0.0,
    }
    show, wash = scene(show, "wash", **dict.fromkeys(show.fixtures, look))
    close(dots(lit(compile_show(show), wash, ref), 2), [(128, 0, 0), (0, 128, 0)])


def test_level_alone_leaves_colours() -> None:
    show, ref = with_canvas(
        wall(2, 1), painted(2, 1, [(188, 0, 0), BLACK]), drives=Drives.LEVEL
    )
    look = {
        "Dimmer": 0.0,
        "ColorRGB_Red": 0.0,
        "ColorRGB_Green": 1.0,
        "ColorRGB_Blue": 0.0,
    }
    show, wash = scene(show, "wash", **dict.fromkeys(show.fixtures, look))
    half = slot(linear(188))
    close(dots(lit(compile_show(show), wash, ref), 2), [(0, half, 0), BLACK])


def test_levels_on_lamps_without_colour_and_four_and_six_emitters() -> None:
    show = hang(wall(0, 0), "tarnby-par-7", "8 channel", 1, 1)
    show = hang(show, "tarnby-flood-6", "8 channel", 1, 101)
    par, flood = show.fixtures
    amber = (255, 188, 0)
    show, ref = with_canvas(show, painted(1, 1, [amber]), fixtures=[par, flood])
    rgb = [1.0, linear(188), 0.0]
    look = dict(
        zip(
            ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"),
            rgb,
            strict=True,
        )
    )
    show, same = scene(
        show, "same", **{fixture: {"Dimmer": 1.0, **look} for fixture in (par, flood)}
    )
    compiled = compile_show(show)
    close(lit(compiled, ref).tolist(), lit(compiled, same).tolist())
    assert lit(compiled, ref).any()


def test_an_attribute_from_one_channel() -> None:
    show = hang(wall(0, 0), "ostrey-wash-90", "12 channel", 2, 1)
    one, other = show.fixtures
    show = at(at(show, one, x=0.0, y=3.0, z=4.0), other, x=2.0, y=3.0, z=4.0)
    show, ref = with_canvas(
        show,
        painted(2, 1, [(188, 0, 255), (0, 255, 0)]),
        fixtures=[one, other],
        drives=Drives.ATTRIBUTE,
        attribute="Tilt",
        channel=Channel.RED,
        low=-40.0,
        high=40.0,
    )
    tilt = -40.0 + 80.0 * linear(188)
    show, same = scene(show, "same", **{one: {"Tilt": tilt}, other: {"Tilt": -40.0}})
    compiled = compile_show(show)
    close(lit(compiled, ref).tolist(), lit(compiled, same).tolist())


def test_only_some_families_are_taken() -> None:
    show, ref = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0))
    compiled = compile_show(show)
    level = compiled.source(Step(ref=ref, only=("intensity",)))
    colour = compiled.source(Step(ref=ref, only=("colour",)))
    neither = compiled.source(Step(ref=ref, only=("beam",)))
    assert (len(level.look.lamps), len(level.look.rows)) == (1, 0)
    assert (len(colour.look.lamps), len(colour.look.rows)) == (0, 3)
    assert (len(neither.look.lamps), len(neither.look.rows)) == (0, 0)


# time


def test_frames_last_and_fade_as_said() -> None:
    show, ref = with_canvas(wall(1, 1), painted(1, 1, [RED], [GREEN], [BLUE]))
    compiled = compile_show(show)
    for after, wanted in ((0.5, RED), (1.5, GREEN), (2.5, BLUE), (3.5, RED)):
        close(dots(lit(compiled, ref, after=after), 1), [wanted], 0)

    show, ref = with_canvas(wall(1, 1), painted(1, 1, [RED], [GREEN], fades=True))
    half = lit(compile_show(show), ref, after=0.5)
    close(dots(half, 1), [(128, 128, 0)])


def test_speed_in_beats() -> None:
    layer = painted(1, 1, [RED], [GREEN], rate=Rate(beats=2.0))
    show, ref = with_canvas(wall(1, 1), layer)
    compiled = compile_show(show)
    source = compiled.source(Step(ref=ref))
    for beats, wanted in ((0.5, 0), (1.5, 1), (2.5, 0), (3.25, 1)):
        seen = source.seen(Time(77.0, beats), {})
        assert int(seen[:3, 0].argmax()) == wanted


def test_a_moving_picture_shows_each_frame_for_its_time() -> None:
    pixels = [[[RED]], [[GREEN]], [[BLUE]]]
    show, pictured = image(wall(1, 1), pixels, (0.5, 1.0, 0.5))
    show, ref = with_canvas(show, picture(pictured, rate=Rate(2.0)))
    compiled = compile_show(show)
    for after, wanted in (
        (0.4, RED),
        (0.6, GREEN),
        (1.4, GREEN),
        (1.6, BLUE),
        (2.1, RED),
    ):
        close(dots(lit(compiled, ref, after=after), 1), [wanted], 0)


def test_a_tiled_picture_pans_and_closes() -> None:
    show, pictured = image(wall(4, 1), [[RED, GREEN, BLUE, WHITE]])
    show, ref = with_canvas(
        show, picture(pictured, fit=Fit.STRETCH, tiled=True, pan_x=1, rate=Rate(4.0))
    )
    compiled = compile_show(show)
    first = dots(lit(compiled, ref), 4)
    close(first, [RED, GREEN, BLUE, WHITE], 0)
    close(dots(lit(compiled, ref, after=1.0), 4), [WHITE, RED, GREEN, BLUE])
    close(dots(lit(compiled, ref, after=4.0), 4), first)


# one after the other


def on_a_choice(show, *refs: Ref):
    tiles = [
        Pad(id=f"t{n}", plays=parts(ref), choice="c") for n, ref in enumerate(refs)
    ]
    page = Page(id="p", name="P", tiles=tuple(tiles))
    return edits.put(show, "pages", page)


def pressed(show, state, tile: str, now: float):
    return actions.perform(show, state, Do(Ref("tile", tile), Verb.PRESS), now)


def test_red_to_green_is_half_of_both_half_way() -> None:
    show, red = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0), name="Red")
    show, green = with_canvas(show, plain(0.0, 1.0, 0.0), name="Green")
    for ref in (red, green):
        show = edits.change(show, ref, fade_in=1.0, fade_out=1.0)
    show = on_a_choice(show, red, green)
    compiled = compile_show(show)
    state = pressed(show, play.blank(), "t0", 90.0)
    state = pressed(show, state, "t1", 100.0)
    steps = state.players[0].steps
    whole = max(step.fall.seconds for step in steps if step.ref == green)
    for part in (0.25, 0.5, 0.75):
        frame = render(compiled, state, 100.0 + part * whole)[0]
        close(dots(frame, 1), [(slot(1 - part), slot(part), 0)])


def test_a_chase_of_canvases_fades_as_pictures() -> None:
    show, red = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0), name="Red")
    show, blue = with_canvas(show, plain(0.0, 0.0, 1.0), name="Blue")
    steps = tuple(
        ChaseStep(id=str(n), plays=ref, hold=1.0, fade=1.0)
        for n, ref in enumerate((red, blue))
    )
    chase = Chase(id="ch", name="Chase", steps=steps, fade_in=0.0)
    show = edits.put(show, "playables", chase)
    compiled = compile_show(show)
    seen = np.array(
        [lit(compiled, chase.ref, after=n / 50.0)[:3] for n in range(300)], int
    )
    # both together are as bright as one of them: no hump and no dip
    later = seen[100:]
    assert np.abs(later[:, 0] + later[:, 2] - 255).max() <= 2
    assert ((later[:, 0] > 60) & (later[:, 0] < 190)).any()


def test_cues_with_canvases_fade_as_pictures() -> None:
    show, red = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0), name="Red")
    show, blue = with_canvas(show, plain(0.0, 0.0, 1.0), name="Blue")
    cues = tuple(
        Cue(id=str(n), number=float(n), plays=parts(ref), fade_in=2.0, fade_out=2.0)
        for n, ref in enumerate((red, blue), start=1)
    )
    stack = Stack(id="st", name="Stack", cues=cues)
    show = edits.put(show, "playables", stack)
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(stack.ref, Verb.GO), 100.0)
    state = actions.perform(show, state, Do(stack.ref, Verb.GO), 110.0)
    half = render(compiled, state, 111.0)[0]
    close(dots(half, 1), [(128, 0, 128)], 2)


def test_interrupted_crossfades_of_three_pictures_never_jump() -> None:
    show = wall(2, 1)
    refs = []
    for n, colours in enumerate(([RED, BLACK], [GREEN, BLUE], [BLACK, WHITE])):
        show, ref = with_canvas(show, painted(2, 1, colours), name=f"P{n}")
        show = edits.change(show, ref, fade_in=1.0, fade_out=1.0)
        refs.append(ref)
    look = {
        "Dimmer": 0.7,
        "ColorRGB_Red": 0.2,
        "ColorRGB_Green": 0.4,
        "ColorRGB_Blue": 0.3,
    }
    show, other = scene(show, "other", **dict.fromkeys(show.fixtures, look))
    show = edits.change(show, other, fade_in=1.0, fade_out=1.0)
    show = on_a_choice(show, *refs, other)
    compiled = compile_show(show)

    dice = np.random.default_rng(7)
    state, now = pressed(show, play.blank(), "t0", 100.0), 100.0
    seen = []
    for _ in range(18):
        tile = f"t{dice.integers(4)}"
        until = now + dice.uniform(0.1, 1.6)
        while now < until:
            seen.append(render(compiled, state, now)[0, :6])
            now += 0.008
        before = render(compiled, state, now)[0, :6].astype(int)
        state = pressed(show, state, tile, now)
        after = render(compiled, state, now)[0, :6].astype(int)
        assert np.abs(after - before).max() <= 2
        state = actions.motion.follow(compiled, state, now)
    steps = np.abs(np.diff(np.array(seen, int), axis=0)).max()
    assert steps <= 12


# told


def test_why_says_which_layer_and_where_in_the_picture() -> None:
    show, ref = with_canvas(
        wall(3, 2),
        plain(0.0, 0.0, 1.0, id="b", name="Ground"),
        painted(3, 2, [RED, *[(0, 0, 0, 0)] * 5], name="Mark"),
    )
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 100.0)
    upper_left, lower_right = list(show.fixtures)[3], list(show.fixtures)[2]

    def told(fixture: str) -> list[str]:
        lamp = show.fixtures[fixture]
        answers = explain(compiled, state, 100.0, lamp.universe, lamp.address)
        return [layer.source for one in answers for layer in one.layers]

    assert any("Mark, column 1 of 3, row 1 of 2" in text for text in told(upper_left))
    assert any(
        "Ground, column 3 of 3, row 2 of 2" in text for text in told(lower_right)
    )


def test_capture_keeps_the_picture_as_it_is() -> None:
    show, ref = with_canvas(wall(2, 1), painted(2, 1, [RED, (99, 200, 3)]))
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 100.0)
    look = capture(compiled, state, 100.0)
    kept, scene_ref = edits.keep_scene(show, "Kept", look, 0.0, 0.0)
    after = compile_show(kept)
    close(dots(lit(after, scene_ref), 2), dots(lit(compiled, ref), 2))


def test_baking_gives_the_same_light_as_steps() -> None:
    show, ref = with_canvas(
        wall(2, 1), painted(2, 1, [RED, BLACK], [BLACK, GREEN], rate=Rate(4.0))
    )
    compiled = compile_show(show)
    baked = bake_canvas(compiled, canvases.canvas_of(show, ref), 4)
    assert (len(baked.steps), baked.length) == (4, 4.0)
    chase = Chase(id="b", name="B", steps=baked.steps, hold=1.0, fade=0.0, fade_in=0.0)
    after = compile_show(edits.put(show, "playables", chase))
    for at_ in (0.5, 1.5, 2.5, 3.5):
        canvas, steps = lit(after, ref, after=at_), lit(after, chase.ref, after=at_)
        close(dots(steps, 2), dots(canvas, 2))


def test_size_and_phase_by_dials() -> None:
    show, ref = with_canvas(wall(4, 1), painted(4, 1, [RED, GREEN, BLUE, WHITE]))
    compiled = compile_show(show)
    source = compiled.source(Step(ref=ref))
    small = source.seen(Time(), {}, 0.5)
    # half as large it lies on the two cells in the middle, two of its fields on each
    # and covers them to half of their height
    assert small[3].tolist() == pytest.approx([0.0, 0.5, 0.5, 0.0])
    assert small[:3, 1].tolist() == pytest.approx([0.25, 0.25, 0.0])

    show, ref = with_canvas(wall(1, 1), painted(1, 1, [RED], [GREEN], rate=Rate(4.0)))
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 100.0)
    state = actions.perform(show, state, Do(ref, Verb.PHASE, 0.5), 100.0)
    close(dots(render(compile_show(show), state, 100.5)[0], 1), [GREEN], 0)


def test_an_edit_of_the_rate_leaves_the_picture_where_it_is() -> None:
    show, ref = with_canvas(wall(1, 1), painted(1, 1, [RED], [GREEN], rate=Rate(4.0)))
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 100.0)
    quick = canvases.change_layer(show, ref, "p", rate=Rate(1.0))
    after = compile_show(quick, compiled)
    state = actions.motion.carried(compiled, after, state, 103.0)
    close(dots(render(after, state, 103.0)[0], 1), [GREEN], 0)
    close(dots(render(after, state, 103.3)[0], 1), [RED], 0)


# odd sizes


def test_no_cells_one_cell_all_in_one_place() -> None:
    show, ref = with_canvas(Show(id="s", name="S"), plain(1.0, 0.0, 0.0))
    assert render(compile_show(show), play.blank(), 1.0).size == 0
    source = compile_show(show).source(Step(ref=ref))
    assert carries.of_cells(source.cells)

    show = wall(2, 2)
    for fixture in show.fixtures:
        show = at(show, fixture, x=1.0, y=1.0, z=1.0)
    show, ref = with_canvas(show, painted(2, 2, [RED, RED, RED, RED]))
    compiled = compile_show(show)
    close(dots(lit(compiled, ref), 4), [RED] * 4, 0)
    cells = compiled.source(Step(ref=ref)).cells
    assert any("one place" in text for text in carries.of_cells(cells))


def test_what_was_taken_down_or_swapped_is_left_out_and_comes_back() -> None:
    show, ref = with_canvas(wall(3, 1), painted(3, 1, [RED, GREEN, BLUE]))
    _first, middle, _last = show.fixtures
    less = edits.take_down(show, [middle])
    frame = lit(compile_show(less), ref)
    # two are left: each sees half of the picture
    close(frame[:3].tolist(), (slot(2 / 3), slot(1 / 3), 0))
    assert frame[3:6].tolist() == [0, 0, 0]
    assert any(
        "not hang" in p.text
        for p in kind_of(canvases.canvas_of(less, ref)).check(
            less, canvases.canvas_of(less, ref)
        )
    )
    back = edits.put(less, "fixtures", show.fixtures[middle])
    close(dots(lit(compile_show(back), ref), 3), [RED, GREEN, BLUE], 0)


def test_a_group_is_followed_and_spelled_out_when_it_goes() -> None:
    show = wall(3, 1)
    first, middle, last = show.fixtures
    show = edits.put(show, "groups", Group(id="g", name="G", fixtures=(first, last)))
    show, ref = canvases.add(
        show, "Canvas", group="g", layers=(plain(1.0, 0.0, 0.0),), fade_in=0.0
    )
    close(dots(lit(compile_show(show), ref), 3), [RED, BLACK, RED], 0)
    compiled = compile_show(show)
    grown = edits.put(show, "groups", Group(id="g", name="G", fixtures=(first, middle)))
    close(dots(lit(compile_show(grown, compiled), ref), 3), [RED, RED, BLACK], 0)
    without = edits.remove(grown, Ref("group", "g"))
    assert canvases.canvas_of(without, ref).layout.fixtures == (first, middle)


def test_a_palette_is_followed_and_its_colour_stays_when_it_goes() -> None:
    show = wall(1, 1)
    look = {"any": {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}}
    show, made = palettes.keep_palette(show, "Signal", "colour", look)
    palette = made.id if hasattr(made, "id") else made
    stops = (ColourStop(palette=palette),)
    show, ref = with_canvas(show, plain(0.0, 0.0, 0.0, stops=stops))
    compiled = compile_show(show)
    close(dots(lit(compiled, ref), 1), [RED], 0)
    blue = {"ColorRGB_Red": 0.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 1.0}
    other = edits.put(
        show, "palettes", edits.replace(show.palettes[palette], values=blue)
    )
    close(dots(lit(compile_show(other, compiled), ref), 1), [BLUE], 0)
    gone = edits.remove(other, Ref("palette", palette))
    close(dots(lit(compile_show(gone), ref), 1), [BLUE], 0)


def test_cells_in_two_canvases_by_order_and_told_by_why() -> None:
    show, red = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0), name="Red")
    show, blue = with_canvas(show, plain(0.0, 0.0, 1.0), name="Blue")
    compiled = compile_show(show)
    close(dots(lit(compiled, red, blue), 1), [BLUE], 0)
    close(dots(lit(compiled, blue, red), 1), [RED], 0)


def test_a_damaged_picture_is_dark_and_the_rest_is_painted() -> None:
    show, pictured = image(wall(1, 1), [[RED]])
    broken = edits.replace(show.images[pictured.id], data=b"no zlib")
    show = edits.put(show, "images", broken)
    show, ref = with_canvas(show, plain(0.0, 0.0, 1.0, id="b"), picture(pictured))
    close(dots(lit(compile_show(show), ref), 1), [BLUE], 0)
    gone = edits.remove(show, pictured)
    close(dots(lit(compile_show(gone), ref), 1), [BLUE], 0)


@pytest.mark.parametrize("number", [float("nan"), float("inf"), -5.0, 0.0, 1e12])
def test_numbers_that_are_none_give_light_or_none_but_never_a_fault(number) -> None:
    layer = FigureLayer(
        id="f",
        figure="rings",
        count=number,
        width=number,
        soft=number,
        zoom=number,
        turn=number,
        x=number,
        y=number,
        swell=number,
        opacity=number,
        start=number,
        rate=Rate(number),
    )
    layout = {"turn": number, "bend": number, "wide": number, "tall": number}
    show = wall(2, 2)
    layout = Layout(fixtures=tuple(show.fixtures), **layout)
    show, ref = with_canvas(
        show,
        plain(0.5, 0.5, 0.5, id="b"),
        layer,
        layout=layout,
        brightness=number,
        strobe=number,
    )
    compiled = compile_show(show)
    assert not compiled.left_out
    lit(compiled, ref, after=1.3)
    assert not compiled.left_out


def test_a_colour_wheel_turns_to_the_nearest_slot_and_black_leaves_it() -> None:
    show = hang(wall(0, 0), "ostrey-spot-160", "13 channel", 2, 1)
    one, other = show.fixtures
    show = at(at(show, one, x=0.0, y=3.0, z=4.0), other, x=2.0, y=3.0, z=4.0)
    show, ref = with_canvas(
        show, painted(2, 1, [(250, 10, 0), BLACK]), fixtures=[one, other]
    )
    red = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
    show, same = scene(show, "same", **{one: {"Dimmer": linear(250), **red}})
    compiled = compile_show(show)
    close(lit(compiled, ref).tolist(), lit(compiled, same).tolist())

    green = {"Dimmer": 1.0, **dict(zip(red, (0.0, 1.0, 0.0), strict=True))}
    show, wash = scene(show, "wash", **{one: green, other: green})
    compiled = compile_show(show)
    both, alone = lit(compiled, wash, ref), lit(compiled, wash)
    assert both[13:26].tolist() == alone[13:26].tolist()
    assert both[:13].tolist() != alone[:13].tolist()


def test_aside_masters_and_blackout_reach_what_a_canvas_lights() -> None:
    show, ref = with_canvas(wall(2, 1), plain(1.0, 0.0, 0.0))
    first = next(iter(show.fixtures))
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 100.0)
    dim = actions.perform(
        show, state, Do(Ref("master", "grand"), Verb.LEVEL, 0.5), 101.0
    )
    close(dots(render(compiled, dim, 102.0)[0], 2), [(128, 0, 0)] * 2)
    dark = actions.perform(
        show, state, Do(Ref("master", "blackout"), Verb.PRESS), 101.0
    )
    assert not render(compiled, dark, 105.0).any()
    drafted = play.set_draft(state, {first: {"Dimmer": 0.2}})
    assert dots(render(compiled, drafted, 102.0)[0], 2)[1] == [255, 0, 0]


@pytest.mark.parametrize("drives", list(Drives))
def test_a_canvas_half_up_and_going_out_never_jumps(drives) -> None:
    show, ref = with_canvas(
        wall(2, 2),
        painted(2, 2, [RED, BLACK, (40, 90, 10), WHITE]),
        drives=drives,
        attribute="Dimmer",
    )
    show = edits.change(show, ref, fade_in=1.0, fade_out=1.0)
    show, wash = white_wash(show)
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(wash, Verb.PRESS), 99.0)
    state = actions.perform(show, state, Do(ref, Verb.PRESS), 100.0)
    seen = [render(compiled, state, 100.0 + n / 250.0)[0, :12] for n in range(150)]
    state = actions.perform(show, state, Do(ref, Verb.PRESS), 100.6)
    seen += [render(compiled, state, 100.6 + n / 250.0)[0, :12] for n in range(300)]
    assert np.abs(np.diff(np.array(seen, int), axis=0)).max() <= 10
    assert dots(seen[-1], 4) == [[255, 255, 255]] * 4


def test_clips_that_lie_over_each_other_go_over_as_pictures() -> None:
    show, red = with_canvas(wall(1, 1), plain(1.0, 0.0, 0.0), name="Red")
    show, green = with_canvas(show, plain(0.0, 1.0, 0.0), name="Green")
    clips = (
        Clip(id="a", plays=red, start=0.0, length=10.0),
        Clip(id="b", plays=green, start=6.0, length=10.0),
    )
    line = Timeline(id="l", name="L", tracks=(Track(id="t", clips=clips),), fade_in=0.0)
    show = edits.put(show, "playables", line)
    compiled = compile_show(show)
    for place, part in ((3.0, 0.0), (7.0, 0.25), (8.0, 0.5), (9.0, 0.75), (12.0, 1.0)):
        state = actions.perform(
            show, play.blank(), Do(line.ref, Verb.STEP, place), 50.0
        )
        wanted = (slot(1.0 - part), slot(part), 0)
        close(dots(render(compiled, state, 50.0)[0], 1), [wanted], 2)


def test_cells_swapped_for_another_type_go_on_with_what_that_can() -> None:
    show, ref = with_canvas(wall(2, 1), painted(2, 1, [(188, 0, 0), WHITE]))
    kind = library()["generic-dimmer"]
    swapped = swap(show, list(show.fixtures), kind, kind.modes[0].name).show
    frame = lit(compile_show(swapped), ref)
    lamps = [swapped.fixtures[f].address - 1 for f in swapped.fixtures]
    close([int(frame[a]) for a in lamps], [slot(linear(188)), 255])
