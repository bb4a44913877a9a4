"""Canvases by hand: cells, figures, words, pictures, painting, a film, in a tile and in
a cue; a panel that is hung.
"""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from choreon.engine.do import Do
from choreon.frames_file import DONE
from choreon.model import canvases, edits, painting
from choreon.model.figures import FIGURE_NAMES
from choreon.model.motion import ColourStop
from choreon.model.playables.canvas import (
    Drives,
    FigureLayer,
    PictureLayer,
    Runs,
    View,
    WordsLayer,
)
from choreon.model.refs import Ref, to_tile
from choreon.model.show import Place
from choreon.model.tiles import parts
from choreon.model.verbs import Verb
from choreon.render.canvas.film_frames import film_of
from choreon.ui.compose.canvas.view import Tool
from tests.journeys.conftest import pick

DOTS = [f"dot-{n}" for n in range(1, 21)]
BLUE = ColourStop((0.0, 0.0, 1.0))
SPACE = Qt.Key.Key_Space


def new_canvas(hands, *fixtures: str):
    """Compose with a new canvas over fixtures, begun on the shelf."""
    place = hands.place("compose")
    hands.parts.selection.choose(list(fixtures))
    place.shelf.choose("")
    pick(hands, lambda: hands.click(place.shelf.chase), "Canvas over")
    hands.until(place.board.isVisible)
    return place, place.board, place.canvas_panel


def opened(hands, canvas: str):
    """Compose with a canvas of the sample show open."""
    place = hands.place("compose")
    place.open_canvas(Ref("canvas", canvas))
    hands.until(place.board.isVisible)
    return place.board, place.canvas_panel


def canvas(hands):
    """The canvas that is open, as it is stored."""
    return hands.window.compose.board.hand.canvas


def light(hands) -> np.ndarray:
    """What the dots give on the wire: (20, 3), bytes."""
    frame = hands.parts.preview.frame()
    slots = frame[1].get(3) if frame is not None else None
    if slots is None:
        return np.zeros((20, 3), int)
    return np.asarray(slots[:60], int).reshape(20, 3)


def test_a_wall_with_a_figure_plays_and_is_let_go(hands):
    place, board, panel = new_canvas(hands, *DOTS)
    assert canvas(hands).layout.fixtures == tuple(DOTS)
    assert board.hand.cells.columns == 5
    assert board.hand.cells.rows == 4

    def choose(dialog) -> None:
        hands.type(dialog.search, "slope that", enter=False)
        assert dialog.grid.ids == ["still"]
        hands.click(dialog.use)

    hands.in_dialog(lambda: hands.click(panel.add_figure), choose)
    assert [layer.figure for layer in canvas(hands).layers] == ["still"]
    hands.click(board.play)
    hands.until(lambda: (light(hands).max(axis=1) > 100).all())
    # from teal on the left to blue on the right, each column alike
    left, right = light(hands)[::5], light(hands)[4::5]
    assert (left[:, 1] > right[:, 1]).all()
    hands.until(board.play.isChecked)
    hands.click(board.play)
    hands.until(lambda: not light(hands).any())
    hands.click(board.close_)
    hands.until(place.shelf.isVisible)
    assert place.what.isVisible()


def test_words_are_told_where_the_cells_cannot_carry_them(hands):
    _, _board, panel = new_canvas(hands, *DOTS)
    hands.click(panel.add_words)
    part = panel.form.made["words"]
    part.text.selectAll()
    hands.type(part.text, "LOW TIDE", enter=False)
    assert canvas(hands).layers[0].text == "LOW TIDE"
    # Space was typed, and plays nothing
    assert not [p for p in hands.parts.engine.state.players if p.ref.kind == "canvas"]

    chips = part.runs
    place = [chip.name for chip in chips.chips.chips].index("still")
    hands.click(chips, chips.rect_at(place).center())
    assert canvas(hands).layers[0].runs == Runs.STILL
    hands.until(panel.form.told.isVisible)
    assert "20 cells carry 1 letter" in panel.form.told.text()
    place = [chip.name for chip in chips.chips.chips].index("scroll")
    hands.click(chips, chips.rect_at(place).center())
    hands.until(lambda: not panel.form.told.isVisible())


def test_low_tide_can_be_read_on_the_dots(hands):
    """The word goes by letter for letter: L, a bar down and a foot."""
    board, _ = opened(hands, "words-wall")
    source = board.hand.source
    layer, placed = source.layers[1]
    assert isinstance(layer, WordsLayer)
    seen = set()
    for n in range(400):
        cover = placed.paint(n / 400.0, 1.0)[3].reshape(4, 5)[::-1] > 0.5
        rows = ["".join(".#"[int(on)] for on in row) for row in cover]
        seen.add("/".join(row[:3] for row in rows))
    for letter in (
        "#../#../#../###",
        ".#./#.#/#.#/.#.",
        "###/.#./.#./.#.",
        "##./#.#/#.#/##.",
    ):
        assert letter in seen, letter


def test_three_frames_are_painted_by_hand(hands):
    _, board, panel = new_canvas(hands, *DOTS)
    hands.click(panel.add_painted)
    view = board.view
    painted = canvas(hands).layers[0]
    assert (painted.columns, painted.rows) == (5, 4)
    assert view.tool == Tool.BRUSH  # it is there to be painted on

    board.colour.take((1.0, 0.0, 0.0))
    start, end = (view.field_rect(f).center() for f in ((0, 0), (4, 0)))
    hands.drag(view, start, end)
    frame = canvas(hands).layers[0].frames[0]
    fields = np.frombuffer(frame.cells, np.uint8).reshape(4, 5, 4)
    assert fields[0].tolist() == [[255, 0, 0, 255]] * 5
    assert not fields[1:].any()
    hands.parts.document.undo()
    fields = np.frombuffer(canvas(hands).layers[0].frames[0].cells, np.uint8)
    assert not fields.any()  # the whole stroke was one step
    hands.parts.document.redo()

    hands.press(board.frames, "A blank frame")
    hands.press(board.frames, "The frame once more")
    assert len(canvas(hands).layers[0].frames) == 3
    assert board.hand.frame == 2
    hands.click(board.buttons[Tool.RECTANGLE])
    board.colour.take((0.0, 0.0, 1.0))
    corners = (view.field_rect(f).center() for f in ((1, 1), (3, 2)))
    hands.drag(view, *corners)
    third = canvas(hands).layers[0]
    assert painting.colour_at(third, 2, (2, 2)) == (0, 0, 255, 255)
    assert painting.colour_at(third, 2, (0, 2)) == painting.CLEAR

    # a part of it, on the first frame
    hands.click(board.buttons[Tool.PART])
    corners = (view.field_rect(f).center() for f in ((1, 1), (2, 2)))
    hands.drag(view, *corners)
    hands.click(board.copy)
    hands.click(board.strip, board.strip.rect_of(0).center())
    assert board.hand.frame == 0
    hands.click(board.paste)
    assert painting.colour_at(canvas(hands).layers[0], 0, (1, 1)) == (0, 0, 255, 255)

    # filled, and a colour taken from a field
    hands.click(board.buttons[Tool.PICK])
    hands.click(view, view.field_rect((0, 0)).center())
    assert view.colour == (255, 0, 0, 255)
    hands.click(board.buttons[Tool.FILL])
    hands.click(view, view.field_rect((4, 3)).center())
    assert painting.colour_at(canvas(hands).layers[0], 0, (0, 3)) == (255, 0, 0, 255)


def test_painting_by_keys(hands):
    _, board, panel = new_canvas(hands, *DOTS)
    hands.click(panel.add_painted)
    view = board.view
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Right)
    QTest.keyClick(view, Qt.Key.Key_Down)
    QTest.keyClick(view, SPACE)
    painted = canvas(hands).layers[0]
    assert painting.colour_at(painted, 0, (1, 1)) == (255, 255, 255, 255)
    assert "column 2, row 2" in view.spoken().value
    assert all(p.ref.kind != "canvas" for p in hands.parts.engine.state.players)


def test_cells_are_brushed_out_and_in_and_follow_the_plan(hands):
    board, panel = opened(hands, "estuary-film")
    view = board.view
    hands.click(board.buttons[Tool.LEAVE])
    hands.click(view, view.point_of(("bar-1", 8)))
    assert canvas(hands).layout.left_out == {"bar-1": (8,)}
    assert ("bar-1", 8) not in board.hand.cells.items
    # it waits below the frame, and comes back from there
    ((item, rect),) = view.left_out()
    assert item == ("bar-1", 8)
    hands.click(view, rect.center())
    assert canvas(hands).layout.left_out == {}

    before = dict(
        zip(board.hand.cells.items, board.hand.cells.ground.T.tolist(), strict=True)
    )
    show = hands.parts.document.show
    bar = show.fixtures["bar-1"]
    moved = edits.replace(bar, place=Place(bar.place.x, bar.place.y, 0.5))
    hands.parts.document.edit("move", edits.put(show, "fixtures", moved))
    hands.until(lambda: hands.parts.preview.ready)
    after = dict(
        zip(board.hand.cells.items, board.hand.cells.ground.T.tolist(), strict=True)
    )
    assert after[("bar-1", 1)][1] == pytest.approx(0.5)
    assert before[("bar-1", 1)][1] == pytest.approx(3.4)
    assert after[("dot-1", 0)] == before[("dot-1", 0)]

    # or stays where it is
    panel.show_tab("cells")
    hands.click(panel.cells.follows)
    back = edits.put(hands.parts.document.show, "fixtures", bar)
    hands.parts.document.edit("move back", back)
    hands.until(lambda: hands.parts.preview.ready)
    there = dict(
        zip(board.hand.cells.items, board.hand.cells.ground.T.tolist(), strict=True)
    )
    assert there[("bar-1", 1)][1] == pytest.approx(0.5)


def test_layout_and_light_are_set_in_the_panel(hands):
    _board, panel = opened(hands, "tide-wall")
    panel.show_tab("cells")
    views = panel.cells.views
    place = [chip.name for chip in views.chips.chips].index("own grid")
    hands.click(views, views.rect_at(place).center())
    assert canvas(hands).layout.view == View.GRID
    hands.until(panel.cells.snake.isVisible)
    hands.click(panel.cells.snake)
    assert canvas(hands).layout.snake
    hands.parts.selection.choose(["dot-20"])
    hands.click(panel.cells.take)
    assert "dot-20" not in canvas(hands).layout.fixtures

    panel.show_tab("light")
    drives = panel.light.drives
    place = [chip.name for chip in drives.chips.chips].index("level")
    hands.click(drives, drives.rect_at(place).center())
    assert canvas(hands).drives == Drives.LEVEL
    panel.light.strobe.changed.emit(4.0)
    panel.light.bright.changed.emit(50.0)
    assert (canvas(hands).strobe, canvas(hands).brightness) == (4.0, 0.5)
    panel.light.tint.buttons[0].take((1.0, 0.0, 0.0))
    assert canvas(hands).tint == ColourStop((1.0, 0.0, 0.0))


def test_who_else_is_on_its_cells_is_told(hands):
    _, panel = opened(hands, "tide-wall")
    panel.show_tab("cells")
    hands.parts.engine.send(Do(Ref("canvas", "moon-wall"), Verb.PRESS))
    hands.until(
        lambda: "Moon over the water is on its cells" in panel.cells.told.text()
    )


def test_layers_are_switched_moved_copied_and_taken_out(hands):
    board, panel = opened(hands, "tide-wall")
    layers = panel.layers
    names = lambda: [layer.id for layer in canvas(hands).layers]  # noqa: E731
    assert names() == ["water", "foam"]
    assert board.hand.layer_id == "foam"
    hands.click(
        layers, QPointF(layers.rect_of(0).left() + 10, layers.rect_of(0).center().y())
    )
    assert not canvas(hands).layer("foam").on
    hands.click(panel.deeper)
    assert names() == ["foam", "water"]
    hands.click(panel.twice)
    assert len(names()) == 3
    layers.setFocus()
    QTest.keyClick(layers, Qt.Key.Key_Delete)
    assert names() == ["foam", "water"]
    hands.click(layers, QPointF(layers.rect_of(0).center()))
    assert board.hand.layer_id == "water"
    # dragged on the board, and made larger by the wheel
    view = board.view
    middle = QPointF(view.rect().center())
    hands.drag(view, middle, middle + QPointF(40, 0))
    assert canvas(hands).layer("water").x > 0.1


def test_a_picture_is_read_and_lies_on_the_cells(hands, tmp_path):
    from PIL import Image

    picture = Image.new("RGB", (20, 10), (255, 0, 0))
    picture.paste((0, 0, 255), (10, 0, 20, 10))
    path = tmp_path / "halves.png"
    picture.save(path)
    _, board, panel = new_canvas(hands, *DOTS)
    hands.click(panel.add_picture)
    part = panel.form.made["picture"]
    part.take(path)
    hands.until(
        lambda: any(
            i.name == "halves" for i in hands.parts.document.show.images.values()
        )
    )
    layer = canvas(hands).layers[0]
    assert isinstance(layer, PictureLayer)
    assert hands.parts.document.show.images[layer.image].width == 20
    hands.click(board.play)
    hands.until(lambda: (light(hands)[::5, 0] > 200).all())
    assert (light(hands)[4::5, 2] > 200).all()

    # what is no picture is told, and changes nothing
    wrong = tmp_path / "none.png"
    wrong.write_bytes(b"nothing of the kind")
    before = hands.parts.document.show
    part.take(wrong)
    hands.until(part.told.isVisible)
    assert "none.png" in part.told.text()
    assert hands.parts.document.show is before


def test_a_film_is_made_ready_and_plays_in_a_tile_with_strobe_above(hands):
    show = hands.parts.document.show
    image = show.images["estuary"]
    hands.parts.document.edit(
        "strobe", canvases.change(show, Ref("canvas", "estuary-film"), strobe=2.0)
    )
    hands.parts.engine.send(Do(to_tile("estuary-film-fader"), Verb.LEVEL, 1.0))
    hands.until(lambda: light(hands).any())

    # while its frames are not ready its first picture stands; then they are
    def ready():
        head = film_of(image).head_now()
        return head is not None and head.state == DONE

    hands.until(ready)
    head = film_of(image).head_now()
    assert head.ready == 300
    first = light(hands).copy()
    hands.until(lambda: not light(hands).any(), else_="the strobe is never dark")
    hands.until(lambda: light(hands).any() and np.abs(light(hands) - first).max() > 8)


def test_a_canvas_in_a_cue_is_on_by_go(hands):
    from choreon.model.playables.stack import Cue, Stack

    show = hands.parts.document.show
    cues = tuple(
        Cue(id=f"c{n}", number=float(n), plays=parts(Ref("canvas", name)))
        for n, name in enumerate(("moon-wall", "lantern-wall"), start=1)
    )
    stack = Stack(id="wall-cues", name="Wall", cues=cues)
    hands.parts.document.edit("cues", edits.put(show, "playables", stack))
    hands.parts.engine.send(Do(stack.ref, Verb.GO))
    hands.until(lambda: light(hands).any())
    hands.parts.engine.send(Do(stack.ref, Verb.GO))
    hands.until(lambda: (light(hands)[:, 0] > 60).any())
    hands.until(lambda: len(hands.parts.engine.state.players) >= 1)


def test_a_canvas_is_baked_into_a_chase(hands):
    board, _ = opened(hands, "lantern-wall")
    place = hands.window.compose
    board.bake_into(8)
    hands.until(place.steps.isVisible)
    chase = hands.parts.document.show.playables[place.steps.ref.id]
    assert len(chase.steps) == 8
    assert "dot-1" in chase.steps[0].look


def test_figures_have_names_and_all_can_be_found(hands):
    assert len(FIGURE_NAMES) >= 30
    assert len(set(FIGURE_NAMES.values())) == len(FIGURE_NAMES)


def test_a_panel_is_hung_in_a_snake_and_is_a_canvas(hands):
    rig = hands.place("rig")
    rig.hang.choose_type("pellow-dot")

    def answer(dialog) -> None:
        dialog.columns.changed.emit(0.0)
        dialog.columns.set_value(12)
        dialog.rows.set_value(20)
        hands.click(dialog.snake)
        dialog.name.setText("Tall wall")
        assert "240 fixtures" in dialog.told.text()
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(rig.hang.wall), answer)
    show = hands.parts.document.show
    group = next(g for g in show.groups.values() if g.name == "Tall wall")
    assert len(group.fixtures) == 240
    hung = [show.fixtures[fixture] for fixture in group.fixtures]
    # 512 slots carry 170 of them: it goes on in the next universe
    assert len({lamp.universe for lamp in hung}) == 2
    assert hung[11].place.x == hung[12].place.x  # at the end of a row it goes back
    assert hung[12].place.z > hung[11].place.z
    made = next(p for p in show.playables.values() if p.name == "Tall wall")
    assert made.layout.group == group.id


def test_esc_closes_a_canvas_and_a_deleted_one_is_closed(hands):
    board, _ = opened(hands, "tide-wall")
    QTest.keyClick(board.view, Qt.Key.Key_Escape)
    hands.until(hands.window.compose.shelf.isVisible)
    opened(hands, "tide-wall")
    show = hands.parts.document.show
    hands.parts.document.edit("delete", edits.remove(show, Ref("canvas", "tide-wall")))
    hands.until(hands.window.compose.shelf.isVisible)


def test_colours_follow_a_figure_in_hand(hands):
    board, panel = opened(hands, "tide-wall")
    board.hand.choose("water")
    part = panel.form.made["figure"]
    part.stops.buttons[0].take((0.0, 0.0, 1.0))
    layer = canvas(hands).layer("water")
    assert isinstance(layer, FigureLayer)
    assert layer.stops[0] == BLUE
    part.take("rings")
    assert canvas(hands).layer("water").figure == "rings"
    panel.form.length.changed.emit(2.0)
    assert canvas(hands).layer("water").rate.seconds == 2.0
