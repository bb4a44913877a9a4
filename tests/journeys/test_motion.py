"""Motion by hand: effects, paths, chases, patterns, tempo, in the real window on a real
engine.
"""

from __future__ import annotations

import itertools
import time

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QColorDialog, QDialog, QInputDialog

from choreon.model.motion import By, ColourRoll, EffectMode, Path, Shape, Wave
from choreon.model.playables.chase import Run, Unit
from choreon.model.refs import Ref
from choreon.ui.compose.pattern_dialog import PatternDialog
from tests.conftest import values
from tests.journeys.conftest import pick
from tests.journeys.moving import chase_of_four, chip, drafted, motion_of, new_chase


def test_an_effect_is_added_and_is_on_the_wire(hands, node):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    hands.until(lambda: len(drafted(hands).effects) == 1)
    seen = set()

    def many() -> bool:
        found = values(node, 1)
        seen.add(tuple(found[10:26]) if found else ())
        return len(seen) > 12

    hands.until(many)
    assert "1 effect" in hands.window.ledger.summary.text()


def test_shape_ends_and_rate_are_set_by_hand(hands):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    chip(hands, panel.form.part.shapes, "Pulse")
    chip(hands, panel.form.part.modes, "Scales")
    chip(hands, panel.form.rates, "Beats of the tempo")
    hands.type(panel.form.part.low, "30")
    hands.type(panel.form.beats, "2")
    motion = drafted(hands).effects[0].motion
    assert isinstance(motion, Wave)
    assert (motion.shape, motion.mode) == (Shape.PULSE, EffectMode.SCALES)
    assert motion.low == pytest.approx(0.3)
    assert motion.rate.beats == 2.0
    hands.parts.document.undo()
    assert drafted(hands).effects[0].motion.rate.beats != 2.0


def test_several_effects_are_ordered_switched_and_taken_out(hands):
    hands.parts.selection.choose(["bar-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_colour)
    hands.click(panel.add_level)
    ids = [effect.id for effect in drafted(hands).effects]
    assert list(panel.lines) == ids
    assert drafted(hands).effects[0].by is By.CELLS
    second = panel.lines[ids[1]]
    hands.click(second.up)
    assert [e.id for e in drafted(hands).effects] == ids[::-1]
    hands.click(panel.lines[ids[1]].toggle)
    assert not drafted(hands).effects[0].on
    hands.click(panel.lines[ids[1]].out)
    assert [e.id for e in drafted(hands).effects] == ids[:1]
    panel.lines[ids[0]].setFocus()
    QTest.keyClick(panel.lines[ids[0]], Qt.Key.Key_Delete)
    assert drafted(hands).effects == ()


def test_a_scene_with_effects_is_kept_taken_updated_and_played(hands, node):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    ledger = hands.window.ledger
    hands.click(ledger.keep_button)
    hands.type(ledger.name, "Breath", enter=False)
    hands.click(ledger.confirm)
    scene = hands.parts.document.show.playables["breath"]
    assert len(scene.effects) == 1
    hands.until(lambda: drafted(hands).empty)
    shelf = hands.window.compose.shelf
    hands.card(shelf, "breath")
    hands.click(shelf.deeds.take)
    hands.until(lambda: len(drafted(hands).effects) == 1)
    chip(hands, panel.form.part.shapes, "Triangle")
    ledger.ask_update(scene.ref)
    hands.click(ledger.confirm_update)
    kept = hands.parts.document.show.playables["breath"].effects
    assert [effect.motion.shape for effect in kept] == [Shape.TRIANGLE]


def test_ledger_lines_name_effects_and_take_them_out(hands):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    hands.press(hands.window.ledger, "Show what the draft holds")
    hands.take_out(hands.window.ledger, "Par 1 and 1 more", "Effect")
    hands.until(lambda: drafted(hands).effects == ())


def test_a_path_in_the_room_is_dragged_on_the_stage(hands):
    hands.parts.selection.choose(["spot-1", "spot-2", "wash-1", "wash-2"])
    place, panel = motion_of(hands)
    hands.click(panel.add_aim)
    chip(hands, panel.form.part.spaces, "In the room")
    hands.until(lambda: place.stage.path is not None)
    handle = next(h for h in place.stage.path.handles() if h.name == "centre")
    x, y, _ = place.stage.view().project([handle.place])[0]
    start = QPointF(x, y)
    hands.drag(place.stage, start, start + QPointF(60, 10))
    motion = drafted(hands).effects[0].motion
    assert isinstance(motion, Path)
    moved = float(motion.centre.removeprefix("point:").split(",")[0])
    assert moved > 0.3
    before = motion.size
    handle = next(h for h in place.stage.path.handles() if h.name == "size")
    x, y, _ = place.stage.view().project([handle.place])[0]
    hands.drag(place.stage, QPointF(x, y), QPointF(x + 30, y))
    assert drafted(hands).effects[0].motion.size > before
    assert len(panel.runners()) == 4
    pick(hands, lambda: hands.click(panel.form.part.centre), "On Cello")
    assert drafted(hands).effects[0].motion.centre == "mark:cello"


def test_what_cannot_be_followed_is_told_before(hands):
    hands.parts.selection.choose(["wash-1", "wash-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_aim)
    chip(hands, panel.form.part.spaces, "In the room")
    size = next(w for e, w in panel.form.rows if e.label == "Size" and e.unit == "m")
    hands.type(size, "7")
    hands.until(lambda: "▲" in panel.warning.text())
    assert "Wash" in panel.warning.text()


def test_ready_motions_move_the_chosen_while_they_are_pointed_at(hands):
    hands.parts.selection.choose(["par-1", "par-2", "par-3"])
    place, panel = motion_of(hands)
    hands.click(place.shelf.tabs["motions"])
    tray = place.shelf.tray
    assert len(tray.items) >= 40
    QTest.mouseMove(tray.viewport(), tray.rect_of(1).center())
    hands.until(lambda: hands.parts.preview.trial)
    assert drafted(hands).effects == ()  # in the picture only
    between = QPoint(tray.rect_of(0).right() + 3, tray.rect_of(0).center().y())
    QTest.mouseMove(tray.viewport(), between)
    hands.click(place.shelf.on_stage)
    QTest.mouseMove(tray.viewport(), tray.rect_of(0).center())
    hands.until(lambda: len(drafted(hands).effects) == 1)
    QTest.mouseMove(tray.viewport(), between)
    hands.until(lambda: drafted(hands).effects == ())
    hands.type(place.shelf.search, "Heartbeat", enter=False)
    hands.click(tray, tray.rect_of(0).center())
    hands.until(lambda: len(drafted(hands).effects) == 1)
    assert panel.effect is not None
    assert panel.effect.motion.shape is Shape.OWN


def test_a_motion_is_kept_followed_and_unlinked(hands, answers):
    hands.parts.selection.choose(["par-1", "par-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    answers.append("My swell")
    hands.click(panel.keep)
    palette = hands.parts.document.show.palettes["my-swell"]
    assert palette.motion is not None
    assert drafted(hands).effects[0].palette == "my-swell"
    hands.click(panel.unlink)
    assert drafted(hands).effects[0].palette == ""
    chip(hands, panel.form.part.shapes, "Ramp up")
    pick(hands, lambda: hands.click(panel.update_), "My swell")
    assert hands.parts.document.show.palettes["my-swell"].motion.shape is Shape.UP


def test_an_own_curve_has_points_that_come_and_go(hands):
    hands.parts.selection.choose(["par-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    chip(hands, panel.form.part.shapes, "Own curve")
    editor = panel.form.part.curve
    before = len(editor.points)
    hands.click(editor, QPoint(editor.width() // 5, 20))
    hands.until(lambda: len(drafted(hands).effects[0].motion.curve) == before + 1)
    editor.setFocus()
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    hands.until(lambda: len(drafted(hands).effects[0].motion.curve) == before)


def test_colours_of_a_roll_come_from_palettes(hands):
    hands.parts.selection.choose(["bar-1", "bar-2"])
    _, panel = motion_of(hands)
    hands.click(panel.add_colour)
    menu = panel.form.part.stop_menu(0)
    next(a for a in menu.actions() if a.text() == "Teal").trigger()
    motion = drafted(hands).effects[0].motion
    assert isinstance(motion, ColourRoll)
    assert motion.stops[0].palette == "teal"
    hands.press(panel.form.part, "One colour more")
    assert len(drafted(hands).effects[0].motion.stops) == 3


def test_an_effect_is_baked_into_a_chase(hands, monkeypatch):
    hands.parts.selection.choose(["par-1", "par-2"])
    place, panel = motion_of(hands)
    hands.click(panel.add_level)
    monkeypatch.setattr(QInputDialog, "getInt", lambda *_, **__: (8, True))
    hands.click(panel.bake)
    assert len(hands.parts.document.show.playables["baked"].steps) == 8
    assert place.steps.isVisible()
    assert len(drafted(hands).effects) == 1  # the original stays


# chases


def test_a_chase_of_four_scenes_there_and_back_on_the_beat(hands, node):
    """From the shelf to the stage, as a new user would in a minute."""
    _, steps = chase_of_four(hands)
    ref = steps.ref
    hands.select(steps.run, "there and back")
    hands.type(steps.fade, "0.5")
    hands.type(steps.stand, "0.5")
    chase = hands.parts.document.show.playables[ref.id]
    assert [s.plays.id for s in chase.steps] == [
        "slack-water",
        "mudlight",
        "the-groynes",
        "spring-tide",
    ]
    assert (chase.run, chase.unit, chase.fade, chase.hold) == (
        Run.BOUNCE,
        Unit.BEATS,
        0.5,
        0.5,
    )
    hands.type(hands.window.heading.tempo.bpm, "180")
    hands.until(lambda: hands.parts.engine.state.clock.bpm == 180.0)
    hands.click(steps.play)
    seen: list[int] = []

    there_and_back = {(0, 1), (1, 2), (2, 3), (3, 2), (2, 1), (1, 0)}

    def went_there_and_back() -> bool:
        """A machine that stalls may not see each step each time; forth alone is never
        seen as this.
        """
        step = steps.strip.playing[1]
        if step >= 0 and (not seen or seen[-1] != step):
            seen.append(step)
        return there_and_back <= set(itertools.pairwise(seen))

    hands.until(went_there_and_back, 60.0)


def test_steps_are_held_stepped_and_slowed_by_hand(hands):
    _, steps = chase_of_four(hands)
    hands.click(steps.play)
    hands.until(lambda: steps.player is not None)
    hands.click(steps.hold)
    hands.until(lambda: steps.player.paused)
    before = steps.strip.playing[1]
    hands.click(steps.next)
    hands.until(lambda: steps.strip.playing[1] == (before + 1) % 4)
    hands.click(steps.back)
    hands.until(lambda: steps.strip.playing[1] == before)
    steps.strip.choose([steps.strip.steps[3].id])
    hands.until(lambda: steps.strip.playing[1] == 3)
    hands.click(steps.faster)
    hands.until(lambda: steps.player.rate > 1.1)
    hands.click(steps.play)
    hands.until(lambda: steps.player is None)


def test_a_step_of_a_chase_that_is_not_on_is_shown_on_stage(hands):
    _, steps = chase_of_four(hands)
    steps.strip.choose([steps.strip.steps[2].id])
    assert steps.player is None
    hands.click(steps.hold)
    hands.until(lambda: steps.player is not None and steps.player.paused)
    hands.until(lambda: steps.strip.playing[1] == 2)
    assert hands.parts.document.show.playables[steps.ref.id].first == 0
    assert drafted(hands).empty
    hands.click(steps.hold)
    hands.until(lambda: not steps.player.paused)
    hands.click(steps.play)
    hands.until(lambda: steps.player is None)


def test_a_colour_of_the_steps_becomes_any_other(hands, monkeypatch):
    _, steps = chase_of_four(hands)
    look = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
    hands.parts.draft.touch({"par-1": {"Dimmer": 1.0, **look}})
    steps.add_draft()
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor("#00FF00"))
    pick(hands, lambda: hands.click(steps.colour), "#FF0000", "Another colour…")
    step = hands.parts.document.show.playables[steps.ref.id].steps[-1]
    assert step.look["par-1"]["ColorRGB_Red"] == 0.0
    assert step.look["par-1"]["ColorRGB_Green"] == 1.0


def test_steps_are_ordered_doubled_deleted_and_put_back_by_undo(hands):
    _, steps = chase_of_four(hands)
    strip, ref = steps.strip, steps.ref

    def names() -> list[str]:
        return [s.plays.id for s in hands.parts.document.show.playables[ref.id].steps]

    hands.drag(
        strip,
        QPointF(strip.rect_of(0).center()),
        QPointF(strip.rect_of(2).right() - 4, 30),
    )
    hands.until(lambda: names()[:3] == ["mudlight", "the-groynes", "slack-water"])
    hands.press(steps, "The chosen once more")
    assert names().count("slack-water") == 2
    hands.press(steps, "Delete the chosen steps")
    assert names() == ["mudlight", "the-groynes", "slack-water", "spring-tide"]
    hands.parts.document.undo()
    assert len(names()) == 5


def test_looking_at_a_step_lights_nothing_and_arms_nothing(hands):
    _, steps = chase_of_four(hands)
    steps.strip.choose([steps.strip.steps[1].id])
    hands.click(steps.look)
    hands.until(lambda: hands.parts.preview.shown is not None)
    assert hands.parts.engine.state.players == ()
    assert drafted(hands).empty
    assert hands.parts.document.show.playables[steps.ref.id].first == 0
    hands.click(steps.look)
    assert hands.parts.preview.shown is None


def test_a_step_is_changed_only_when_it_is_put_back(hands):
    _, steps = chase_of_four(hands)
    ref = steps.ref
    steps.strip.choose([steps.strip.steps[1].id])
    hands.click(steps.edit)
    hands.until(steps.question.isVisible)
    assert "The draft is step 2" in steps.whose.text()
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.11}})
    scene = hands.parts.document.show.playables["mudlight"]
    step = hands.parts.document.show.playables[ref.id].steps[1]
    assert step.plays == scene.ref  # nothing is changed yet
    hands.click(steps.leave)
    hands.until(lambda: drafted(hands).empty)
    assert hands.parts.document.show.playables[ref.id].steps[1] == step
    hands.click(steps.edit)
    hands.until(steps.question.isVisible)
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.11}})
    hands.click(steps.put_back)
    own = hands.parts.document.show.playables[ref.id].steps[1]
    assert own.plays is None
    assert own.look["par-1"]["Dimmer"] == 0.11
    assert hands.parts.document.show.playables["mudlight"] is scene
    hands.until(lambda: drafted(hands).empty)


def test_steps_come_from_the_draft_the_stage_and_one_a_lamp(hands):
    place = hands.place("compose")
    new_chase(hands, place, "Empty")
    steps = place.steps
    hands.until(steps.isVisible)
    assert steps.empty.isVisible()
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.4}})
    pick(hands, lambda: hands.click(steps.add), "The draft")
    chase = hands.parts.document.show.playables[steps.ref.id]
    assert chase.steps[0].look == {"par-1": {"Dimmer": 0.4}}
    hands.parts.draft.clear()
    hands.parts.selection.choose(["par-1", "par-2", "par-3"])
    pick(hands, lambda: hands.click(steps.add), "One a fixture")
    chase = hands.parts.document.show.playables[steps.ref.id]
    assert [list(s.look) for s in chase.steps[1:]] == [["par-1"], ["par-2"], ["par-3"]]
    hands.parts.engine.press("spring-tide-pad")
    # more than the draft that still leaves
    hands.until(lambda: len(hands.parts.preview.lit()) > 10)
    pick(hands, lambda: hands.click(steps.add), "What is on stage")
    chase = hands.parts.document.show.playables[steps.ref.id]
    assert any(len(s.look) > 10 for s in chase.steps)


def test_a_chase_that_would_contain_itself_is_refused_and_named(hands):
    _, steps = chase_of_four(hands)
    before = hands.parts.document.show
    steps.add_played(steps.ref)
    assert hands.parts.document.show is before
    assert "cannot contain itself" in hands.window.notice.text.text()


def test_a_round_is_fitted_to_bars(hands, monkeypatch):
    _, steps = chase_of_four(hands)
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (4.0, True))
    hands.click(steps.bars)
    assert "16 beats a round" in steps.about.text()


def test_steps_are_copied_into_another_chase(hands):
    place, steps = chase_of_four(hands)
    steps.strip.choose([s.id for s in steps.strip.steps[:2]])
    hands.click(steps.take)
    hands.click(steps.close_)
    hands.until(place.shelf.isVisible)
    new_chase(hands, place, "Empty")
    hands.click(steps.paste)
    chase = hands.parts.document.show.playables[steps.ref.id]
    assert [s.plays.id for s in chase.steps] == ["slack-water", "mudlight"]


# patterns


def ask_pattern(hands, place, do) -> None:
    """Open the patterns over the chosen lamps, and answer."""
    asked: list[PatternDialog] = []

    def answer(dialog: QDialog) -> None:
        assert isinstance(dialog, PatternDialog)
        asked.append(dialog)
        do(dialog)

    hands.in_dialog(
        lambda: new_chase(hands, place, "Chase by a pattern over the chosen fixtures"),
        answer,
    )
    assert asked


def test_a_bounce_in_pairs_over_eight_pars_with_two_left_out(hands, node):
    """As a new user would in a minute."""
    place = hands.place("compose")
    hands.parts.selection.choose([f"par-{n}" for n in range(1, 9)])

    def do(dialog: PatternDialog) -> None:
        hands.type(dialog.words, "pair there back", enter=False)
        hands.until(lambda: dialog.grid.rules[0].id == "pair-bounce")
        hands.click(dialog.grid.viewport(), dialog.grid.rect_of(0).center())
        for row in (0, 7):
            dialog.list.item(row).setCheckState(Qt.CheckState.Unchecked)
        hands.until(lambda: hands.parts.preview.tried is not None)
        assert hands.parts.engine.state.players == ()
        hands.type(dialog.name, "Bounce", enter=False)
        hands.click(dialog.keep)

    ask_pattern(hands, place, do)
    chase = hands.parts.document.show.playables["patternbounce"]
    assert chase.pattern.left_out == ("par-1", "par-8")
    assert hands.parts.preview.tried is None
    hands.until(place.steps.isVisible)
    assert len(place.steps.strip.steps) == 8
    hands.click(place.steps.play)
    lit = set()

    def all_but_two() -> bool:
        found = values(node, 1)
        if found:
            lit.update(n for n in range(8) if found[10 + 8 * n] > 100)
        return len(lit) >= 6

    hands.until(all_but_two, 20.0)
    assert lit == {1, 2, 3, 4, 5, 6}


def test_a_pattern_stays_a_pattern_that_can_be_changed(hands):
    place = hands.place("compose")
    place.open_chase(Ref("chase", "oars"))
    hands.until(place.steps.isVisible)

    def change(dialog: QDialog) -> None:
        assert isinstance(dialog, PatternDialog)
        assert dialog.grid.rule == "pair-bounce"
        dialog.grid.choose("run")
        hands.select(dialog.drives, "Two colours")
        hands.click(dialog.keep)

    hands.in_dialog(lambda: hands.click(place.steps.pattern), change)
    chase = hands.parts.document.show.playables["oars"]
    assert chase.pattern.rule == "run"
    assert "ColorRGB_Red" in chase.pattern.on


# tempo and playing


def test_the_tempo_is_typed_tapped_halved_and_kept(hands):
    tempo = hands.window.heading.tempo
    hands.type(tempo.bpm, "100")
    hands.until(lambda: hands.parts.engine.state.clock.bpm == 100.0)
    tempo.menu().actions()[0].trigger()
    hands.until(lambda: hands.parts.engine.state.clock.bpm == 50.0)
    tempo.keep()
    assert hands.parts.document.show.masters["tempo"].bpm == 50.0
    for _ in range(4):
        hands.click(tempo.tap)
        time.sleep(0.25)
    hands.until(lambda: hands.parts.engine.state.clock.bpm > 90.0)
    first = hands.parts.engine.state.clock.first
    hands.click(tempo.light)
    hands.until(lambda: hands.parts.engine.state.clock.first != first)


def test_on_now_shows_the_step_and_drives_it(hands):
    place = hands.place("perform")
    place.go("motion")
    hands.parts.engine.press("tide-turns-pad")
    hands.until(lambda: place.on_now.rows)
    row = next(iter(place.on_now.rows.values()))
    hands.until(lambda: "→" in row.where.text())
    assert row.where.text().startswith("1 Slack Water")
    hands.click(row.pause)
    player = hands.parts.engine.state.players[0].id
    hands.until(lambda: hands.parts.engine.state.player(player).paused)
    hands.click(row.next)
    hands.until(lambda: row.where.text().startswith("2 Mudlight"))
    hands.click(row.faster)
    hands.until(lambda: hands.parts.engine.state.player(player).rate > 1.1)


def test_the_practice_controller_plays_chases_moving_scenes_and_the_tempo(
    hands, controller
):
    hands.until(lambda: hands.parts.engine.ports.ports.get("Practice controller"))
    controller.hit_pad(9)  # note 45, the second chase
    hands.until(lambda: hands.parts.engine.state.players)
    assert hands.parts.engine.state.players[0].ref == Ref("chase", "oars")
    controller.move_fader(4, 20)
    controller.move_fader(4, 100)
    hands.until(
        lambda: any(
            p.ref == Ref("scene", "water-on-the-wall")
            for p in hands.parts.engine.state.players
        )
    )
    controller.turn_knob(7, 90)
    controller.turn_knob(7, 127)
    hands.until(lambda: hands.parts.engine.state.clock.bpm == 180.0)
    for _ in range(3):
        controller.hit_pad(14)
        time.sleep(0.4)
    hands.until(lambda: hands.parts.engine.state.clock.bpm < 170.0)


def test_an_effect_follows_a_group_and_keeps_its_lamps_when_that_is_deleted(hands):
    hands.parts.selection.choose(["par-1", "par-2"])
    place, panel = motion_of(hands)
    hands.click(panel.add_level)
    hands.select(panel.form.whom, "On the group Pars down")
    assert drafted(hands).effects[0].group == "pars-down"
    members = hands.parts.document.show.groups["pars-down"].fixtures
    row = next(
        place.who.groups.item(n)
        for n in range(place.who.groups.count())
        if place.who.groups.item(n).text().startswith("Pars down")
    )
    where = place.who.groups.visualItemRect(row).center()
    pick(hands, lambda: place.who.group_menu(where), "Delete")
    assert "pars-down" not in hands.parts.document.show.groups
    assert drafted(hands).effects[0].fixtures == members
    assert drafted(hands).effects[0].group == ""
    hands.parts.document.undo()
    assert drafted(hands).effects[0].group == "pars-down"


def test_effects_are_copied_from_lamp_to_lamp(hands):
    hands.parts.selection.choose(["par-1"])
    _, panel = motion_of(hands)
    hands.click(panel.add_level)
    chip(hands, panel.form.part.shapes, "Ramp down")
    place = hands.window.compose
    place.setFocus()
    QTest.keyClick(place, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    hands.parts.selection.choose(["par-5", "par-6"])
    QTest.keyClick(place, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: len(drafted(hands).effects) == 2)
    copied = drafted(hands).effects[1]
    assert copied.fixtures == ("par-5", "par-6")
    assert copied.motion.shape is Shape.DOWN


def test_a_captured_stage_goes_on_moving(hands, answers):
    place = hands.place("compose")
    hands.parts.engine.set_level("water-on-the-wall-fader", 1.0)
    hands.until(lambda: hands.parts.preview.lit())
    answers.append("Water, captured")
    hands.click(place.shelf.capture)
    scene = hands.parts.document.show.playables["water-captured"]
    assert [effect.motion.kind for effect in scene.effects] == ["roll", "wave"]
    assert "bar-1" in scene.look


def test_cards_and_tiles_of_what_moves_move_while_they_are_seen(hands):
    place = hands.place("perform")
    place.go("motion")
    tile = place.tiles["swell-fader"]
    pictures = set()

    def moved() -> bool:
        picture = place.minis.picture(tile.playable, 121, 66, tile)
        pictures.add(bytes(picture.toImage().constBits()))
        return len(pictures) > 3

    hands.until(moved, 20.0)


def test_a_scene_is_baked_from_its_card(hands, monkeypatch):
    place = hands.place("compose")
    monkeypatch.setattr(QInputDialog, "getInt", lambda *_, **__: (6, True))
    place.shelf.choose("embers")
    pick(
        hands, lambda: hands.click(place.shelf.deeds.more), "Make a chase of its steps"
    )
    hands.until(place.steps.isVisible)
    assert len(place.steps.strip.steps) == 6
    assert hands.parts.document.show.playables["embers"].effects
