"""The form of an effect, field by field, and the tasks of a new user that need most of
it.
"""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from choreon.engine.actions import EVERYTHING
from choreon.engine.do import Do
from choreon.model.motion import By, EffectMode, Order, PathShape, Shape
from choreon.model.refs import Ref, to_tile
from choreon.model.verbs import Verb
from choreon.render import reaching
from choreon.ui.compose.motion_fields import ChoiceField, Number, Toggle, read
from tests.conftest import values
from tests.journeys.conftest import pick
from tests.journeys.moving import chip, drafted, motion_of

CELLS = ["bar-1", "bar-2"]
HEADS = ["spot-1", "spot-2", "spot-3", "spot-4", "wash-1", "wash-2"]


def motion(hands, n: int = 0):
    return drafted(hands).effects[n].motion


def set_all(hands, form) -> set[str]:
    """Set every field that is shown, and look whether the draft has it; returns which
    fields there were.
    """
    done = set()
    for entry, widget in list(form.rows):
        if not widget.isVisible():
            continue
        if isinstance(entry, Number):
            wanted = round(entry.low + 0.3 * (entry.high - entry.low), entry.digits)
            wanted = abs(wanted)  # a sign would say by how much
            hands.type(widget, f"{wanted:.{entry.digits}f}")
            stored = read(motion(hands), entry.field) * entry.times
            assert stored == pytest.approx(wanted), entry.label
        elif isinstance(entry, Toggle):
            before = read(motion(hands), entry.field)
            hands.click(widget)
            assert read(motion(hands), entry.field) is not before, entry.label
            hands.click(widget)
            assert read(motion(hands), entry.field) is before, entry.label
        elif isinstance(entry, ChoiceField):
            for value, name in reversed(entry.options):
                chip(hands, widget, name)
                assert read(motion(hands), entry.field) == value, name
        done.add(entry.field)
    return done


def test_every_field_of_a_wave_can_be_set(hands):
    hands.parts.selection.choose(["par-1", "par-2", "par-3"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    common = set_all(hands, panel.form)
    assert {"active", "there_and_back", "backward", "spread.amount"} <= common
    assert {"spread.parts", "spread.together", "spread.repeats"} <= common
    assert {"spread.order", "spread.backward"} <= common
    assert "width" not in common  # a sine has none
    for name, shape, own in (
        ("Pulse", Shape.PULSE, "width"),
        ("Steps", Shape.STEPS, "steps"),
        ("Own curve", Shape.OWN, "smooth"),
        ("Random", Shape.RANDOM, "backward"),
    ):
        chip(hands, panel.form.part.shapes, name)
        assert motion(hands).shape == shape
        assert own in set_all(hands, panel.form)
    for name, mode in (("Scales", EffectMode.SCALES), ("Adds", EffectMode.ADDS)):
        chip(hands, panel.form.part.modes, name)
        assert motion(hands).mode == mode
        assert motion(hands).low < motion(hands).high
    # every step of it can be taken back, one by one
    before = drafted(hands).effects
    hands.parts.document.undo()
    assert drafted(hands).effects != before


def test_every_field_of_a_roll_can_be_set(hands):
    hands.parts.selection.choose(CELLS)
    _, panel = motion_of(hands)
    hands.click(panel.add_colour)
    found = set_all(hands, panel.form)
    assert {"length", "gap", "hard", "brightness", "across"} <= found
    menu = panel.form.part.stop_menu(1)
    next(a for a in menu.actions() if a.text() == "Take it out").trigger()
    assert len(motion(hands).stops) == 1
    last = next(a for a in panel.form.part.stop_menu(0).actions() if "out" in a.text())
    assert not last.isEnabled()  # of one colour nothing is left


def test_every_field_of_a_path_can_be_set(hands):
    hands.parts.selection.choose(HEADS[:4])
    _, panel = motion_of(hands)
    hands.click(panel.add_aim)
    form = panel.form
    assert panel.pad.isVisible()
    degrees = set_all(hands, form)
    assert {"size", "stretch", "turn", "keep_out"} <= degrees
    assert "plane" not in degrees  # around an aim there is none
    chip(hands, form.part.spaces, "In the room")
    assert not panel.pad.isVisible()
    assert "plane" in set_all(hands, form)
    for name, own in (("Polygon", "sides"), ("Wander", "seed"), ("Free", "closed")):
        chip(hands, form.part.shapes, name)
        assert own in set_all(hands, form)
    chip(hands, form.part.shapes, "Ellipse")
    assert motion(hands).stretch == 0.5
    chip(hands, form.part.shapes, "Circle")
    assert motion(hands).stretch == 1.0


def test_a_wave_is_given_by_its_middle_and_its_size(hands):
    hands.parts.selection.choose(["par-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    form = panel.form
    hands.click(form.part.by_middle)
    assert (form.part.low.label, form.part.high.label) == ("Middle", "Size")
    hands.type(form.part.high, "40")
    hands.type(form.part.low, "60")
    assert (motion(hands).low, motion(hands).high) == pytest.approx((0.4, 0.8))
    hands.type(form.part.low, "95")  # it stays within what a level can be
    assert (motion(hands).low, motion(hands).high) == pytest.approx((0.6, 1.0))
    hands.click(form.part.by_middle)
    assert (form.part.low.label, form.part.high.label) == ("Low", "High")
    assert form.part.low.value == pytest.approx(60)


def test_beats_and_seconds_stand_for_each_other(hands):
    hands.parts.selection.choose(["par-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    form = panel.form
    hands.type(form.seconds, "2.5")
    chip(hands, form.rates, "Beats of the tempo")
    assert motion(hands).rate.beats == 4.0  # 2.5 s at 96 beats a minute
    hands.type(form.factor, "2")
    assert motion(hands).rate.factor == 2.0
    chip(hands, form.rates, "Seconds")
    assert motion(hands).rate.seconds == pytest.approx(1.25)
    assert not motion(hands).rate.by_tempo


def test_an_effect_may_run_at_the_rate_of_another(hands):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    assert not panel.form.clocks.isVisible()  # there is no other yet
    hands.type(panel.form.seconds, "3")
    first = drafted(hands).effects[0].id
    hands.click(panel.add_colour)
    hands.select(panel.form.clocks, "Clock of 1")
    assert drafted(hands).effects[1].clock == first
    assert not panel.form.seconds.isVisible()
    hands.select(panel.form.clocks, "Own clock")
    assert drafted(hands).effects[1].clock == ""
    assert panel.form.seconds.isVisible()


def test_any_one_attribute_moves_within_what_the_lamps_can(hands):
    hands.parts.selection.choose(["wash-1", "wash-2"])
    _, panel = motion_of(hands)
    pick(hands, lambda: hands.click(panel.add_other), "Zoom")
    assert motion(hands).attribute == "Zoom"
    assert motion(hands).low < motion(hands).high
    assert panel.form.part.low.unit == "°"
    # what they have a panel for is not offered twice
    assert not panel.add_level.isHidden()
    hands.parts.selection.choose(["front-1"])
    assert not panel.add_aim.isEnabled()
    assert panel.add_level.isEnabled()


def test_whom_it_moves_may_be_changed_to_those_chosen(hands):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    hands.parts.selection.choose(["par-2", "par-3", "par-4"])
    hands.select(panel.form.whom, "On the 3 chosen")
    assert drafted(hands).effects[0].fixtures == ("par-2", "par-3", "par-4")


def test_lamps_show_by_how_much_they_are_behind(hands):
    pars = [f"par-{n}" for n in range(1, 5)]
    hands.parts.selection.choose(pars)
    place, panel = motion_of(hands)
    hands.click(panel.add_level)
    hands.until(lambda: place.stage.phases)
    assert place.stage.phases == dict(zip(pars, (0, 90, 180, 270), strict=True))
    together = next(w for e, w in panel.form.rows if e.label == "Together")
    hands.type(together, "2")
    hands.until(lambda: place.stage.phases["par-3"] == 180)
    assert place.stage.phases["par-2"] == 0
    order = next(w for e, w in panel.form.rows if e.label == "Order")
    chip(hands, order, "By name")
    assert motion(hands).spread.order is Order.NAME
    hands.click(place.what.tabs["Colour"])
    hands.until(lambda: not place.stage.phases)  # only while it is in hand


def test_points_of_a_free_path_come_go_and_are_dragged(hands):
    hands.parts.selection.choose(HEADS[:2])
    place, panel = motion_of(hands)
    hands.click(panel.add_aim)
    chip(hands, panel.form.part.spaces, "In the room")
    chip(hands, panel.form.part.shapes, "Free")
    editor = panel.form.part.path
    assert editor.isVisible()
    hands.click(editor, QPointF(editor.width() / 2, editor.height() / 2))
    hands.until(lambda: len(motion(hands).points) == 5)
    editor.setFocus()
    QTest.keyClick(editor, Qt.Key.Key_Right)
    assert motion(hands).points[4][0] == pytest.approx(0.04, abs=0.01)
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    assert len(motion(hands).points) == 4
    # and on the stage
    handle = next(h for h in place.stage.path.handles() if h.name == "2")
    x, y, _ = place.stage.view().project([handle.place])[0]
    hands.drag(place.stage, QPointF(x, y), QPointF(x + 40, y))
    assert motion(hands).shape is PathShape.FREE
    assert motion(hands).points[2][0] > 1.05
    assert motion(hands).points[0] == (-1.0, 0.0)


def test_ways_on_the_pad_are_dragged_and_sized(hands):
    hands.parts.selection.choose(["spot-1", "spot-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_aim)
    pad = panel.pad
    hands.until(lambda: len(pad.paths) == 2)
    across = pad.spans[0][1] - pad.spans[0][0]
    assert across < 300  # the ways fill it, whatever else the heads could do
    lines = [spot for line in pad.paths for spot in line]
    assert all(pad.spans[0][0] <= pan <= pad.spans[0][1] for pan, _ in lines)
    hands.drag(pad, QPointF(60, 50), QPointF(90, 50))
    hands.until(lambda: "Pan" in drafted(hands).look.get("spot-1", {}))
    before = motion(hands).size
    pad.sized.emit(1.5)
    assert motion(hands).size == pytest.approx(1.5 * before)


def test_an_updated_motion_reaches_all_that_follow_it(hands, answers, node):
    hands.parts.selection.choose(["par-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    answers.append("Breath")
    hands.click(panel.keep)
    ledger = hands.window.ledger
    hands.click(ledger.keep_button)
    hands.type(ledger.name, "Breathing", enter=False)
    hands.click(ledger.confirm)
    hands.until(lambda: drafted(hands).empty)
    show = hands.parts.document.show
    assert show.playables["breathing"].effects[0].palette == "breath"
    hands.parts.engine.send(Do(Ref("scene", "breathing"), Verb.PRESS))
    hands.until(lambda: hands.parts.engine.state.players)
    hands.click(panel.add_level)
    hands.type(panel.form.part.low, "100")
    hands.type(panel.form.part.high, "100")
    pick(hands, lambda: hands.click(panel.update_), "Breath")
    hands.parts.draft.clear()
    hands.until(lambda: drafted(hands).empty)
    # the scene that plays is at full without having been touched
    hands.until(lambda: values(node, 1)[10:11] == [255])


# tasks of a new user


def keep_on_a_tile(hands, name: str) -> Ref:
    """Keep the draft as a scene that is on the page as a pad; returns the tile."""
    ledger = hands.window.ledger
    hands.click(ledger.keep_button)
    hands.type(ledger.name, name, enter=False)
    hands.select(ledger.page, "as a pad on Low Tide")
    hands.click(ledger.confirm)
    hands.until(lambda: drafted(hands).empty)
    page = hands.parts.document.show.pages["low-tide"]
    scene = next(
        p for p in hands.parts.document.show.playables.values() if p.name == name
    )
    return to_tile(next(t.id for t in page.tiles if t.leads_to == (scene.ref,)))


def learn(hands, tile: Ref, act) -> None:
    """Have a control play a tile."""
    hands.until(lambda: hands.parts.engine.ports.ports.get("Practice controller"))
    hands.window.learner.start(tile)
    hands.until(lambda: hands.window.learner.target == tile)
    hands.heeded()
    act()
    hands.until(lambda: hands.window.learner.target is None)
    hands.heeded()
    hands.parts.engine.send(Do(EVERYTHING, Verb.RELEASE))
    hands.heeded()
    hands.until(lambda: not hands.parts.engine.state.players)


def beams(hands):
    """Where lit heads are, and where they look, now: by fixture, places and ways."""
    found = hands.parts.preview.light()
    if found is None:
        return {}
    lamps = enumerate(hands.parts.preview.decoder.lamps)
    return {
        lamp.fixture: (
            (lamp.place.x, lamp.place.y, lamp.place.z),
            found[1].direction[n],
        )
        for n, lamp in lamps
        if lamp.fixture in HEADS and found[1].rgb[n].max() > 0.02
    }


def test_spots_and_washes_on_one_floor_circle_kept_off_the_audience(hands, controller):
    """As a new user would in two minutes."""
    hands.parts.selection.choose(HEADS)
    _, panel = motion_of(hands)
    hands.type(hands.window.compose.what.level, "100")
    hands.click(panel.add_aim)
    chip(hands, panel.form.part.spaces, "In the room")
    size = next(w for e, w in panel.form.rows if e.label == "Size" and e.unit == "m")
    hands.type(size, "4.5")  # it would reach the seats
    hands.until(lambda: "bent away" in panel.warning.text())
    hands.type(panel.form.seconds, "2")
    tile = keep_on_a_tile(hands, "Floor circle")
    learn(hands, tile, lambda: controller.hit_pad(9))
    controller.hit_pad(9)
    hands.until(lambda: hands.parts.engine.state.players)
    room = hands.parts.document.show.room
    seen: dict[str, list[np.ndarray]] = {head: [] for head in HEADS}

    def round_and_round() -> bool:
        for head, (place, way) in beams(hands).items():
            assert not reaching.hits(room, np.array(place), way[None]).any(), head
            seen[head].append(way)
        return min(len(ways) for ways in seen.values()) > 60

    hands.until(round_and_round, 20.0)
    for ways in seen.values():  # every one of them goes round
        assert np.ptp(np.stack(ways), axis=0).max() > 0.1


def test_a_two_colour_roll_over_sixteen_cells_with_a_pulse_on_top(
    hands, node, controller
):
    """As a new user would in two minutes."""
    hands.parts.selection.choose(CELLS)
    _, panel = motion_of(hands)
    hands.type(hands.window.compose.what.level, "100")
    hands.click(panel.add_colour)
    next(
        a for a in panel.form.part.stop_menu(0).actions() if a.text() == "Teal"
    ).trigger()
    hands.type(panel.form.seconds, "12")
    hands.click(panel.add_level)
    chip(hands, panel.form.part.shapes, "Pulse")
    chip(hands, panel.form.part.modes, "Scales")
    effects = drafted(hands).effects
    assert [e.by for e in effects] == [By.CELLS, By.CELLS]
    assert effects[1].motion.low == pytest.approx(0.2)
    tile = keep_on_a_tile(hands, "Roll")
    learn(hands, tile, lambda: controller.hit_pad(9))
    controller.hit_pad(9)
    hands.until(lambda: hands.parts.engine.state.players)
    colours: set[bytes] = set()

    def sixteen_differ() -> bool:
        found = hands.parts.preview.light()[1]
        lamps = hands.parts.preview.decoder.lamps
        cells = [n for n, lamp in enumerate(lamps) if lamp.fixture in CELLS]
        assert len(cells) == 16
        bright = found.rgb[cells].max(axis=1)
        colours.update(np.round(found.rgb[n], 2).tobytes() for n in cells)
        # the pulse leaves half of them low, and none out
        return len(colours) > 16 and bright.max() > 3 * bright.min() > 0.0

    hands.until(sixteen_differ, 20.0)
