"""Steps of a chase by hand: chosen, carried, timed, coloured, dropped, changed; and the
dialog of patterns.
"""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog

from choreon.engine.do import Do
from choreon.model import attributes as at
from choreon.model import chases, edits
from choreon.model.playables.chase import ChaseStep, End, Lie, Run, Unit
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from choreon.ui.compose.pattern_dialog import PatternDialog
from choreon.ui.drags import carry
from tests.conftest import values
from tests.journeys.conftest import pick
from tests.journeys.moving import chase_of_four, drafted, new_chase

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
PARS = [f"par-{n}" for n in range(1, 9)]
RED = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}


def chase(hands):
    """The chase that is open, as it is stored."""
    return hands.parts.document.show.playables[hands.window.compose.steps.ref.id]


def scenes(hands) -> list[str]:
    return [step.plays.id for step in chase(hands).steps if step.plays is not None]


def opened(hands, *steps: ChaseStep, **fields):
    """Compose with a chase of these steps open."""
    place = hands.place("compose")
    document = hands.parts.document
    show, ref = chases.keep_chase(document.show, "Mine", steps, **fields)
    document.edit("a chase", show)
    place.open_chase(ref)
    hands.until(place.steps.isVisible)
    return place, place.steps


# the strip


def test_steps_are_chosen_and_carried_by_keys(hands):
    _, steps = chase_of_four(hands)
    strip = steps.strip
    ids = [step.id for step in strip.steps]
    hands.click(strip, QPointF(strip.rect_of(1).center()))
    assert strip.chosen == ids[1:2]
    QTest.keyClick(strip, Qt.Key.Key_Right, SHIFT)
    QTest.keyClick(strip, Qt.Key.Key_Right, SHIFT)
    assert strip.chosen == ids[1:4]  # from where it began, however far
    QTest.keyClick(strip, Qt.Key.Key_Left, SHIFT)
    assert strip.chosen == ids[1:3]
    QTest.keyClick(strip, Qt.Key.Key_Left, CTRL)
    assert scenes(hands) == ["mudlight", "the-groynes", "slack-water", "spring-tide"]
    QTest.keyClick(strip, Qt.Key.Key_Right, CTRL)
    QTest.keyClick(strip, Qt.Key.Key_Right, CTRL)
    assert scenes(hands) == ["slack-water", "spring-tide", "mudlight", "the-groynes"]
    QTest.keyClick(strip, Qt.Key.Key_A, CTRL)
    assert len(strip.chosen) == 4
    hands.click(strip, QPointF(strip.rect_of(0).center()))
    hands.click(strip, QPointF(strip.rect_of(2).center()), keys=CTRL)
    assert len(strip.chosen) == 2
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    assert scenes(hands) == ["spring-tide", "the-groynes"]
    # a press beside them chooses none
    hands.click(strip, QPointF(strip.rect_of(1).right() + 60, 30))
    assert strip.chosen == []


def test_scenes_are_dropped_between_the_steps(hands):
    _, steps = chase_of_four(hands)
    strip = steps.strip
    gap = strip.rect_of(1)
    data = carry(Ref("scene", "stage-blue"))
    drop = QDropEvent(
        QPointF(gap.left() + 4, 30),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    strip.dropEvent(drop)
    assert scenes(hands)[:3] == ["slack-water", "stage-blue", "mudlight"]
    assert strip.chosen == [strip.steps[1].id]
    # the scenes may be laid out below, to be dropped or pressed twice
    hands.click(steps.scenes)
    hands.until(steps.cards.isVisible)
    steps.cards.pressed_twice.emit("stage-rose")
    assert scenes(hands)[2] == "stage-rose"
    hands.click(steps.scenes)
    assert not steps.cards.isVisible()


def test_width_is_time(hands):
    look = {"par-1": {at.DIMMER: 1.0}}
    _, steps = opened(
        hands,
        ChaseStep(id="a", look=look),
        ChaseStep(id="b", look=look, hold=3.0),
        ChaseStep(id="c", look=look),
        fade=1.0,
        hold=1.0,
    )
    wide = [steps.strip.rect_of(n).width() for n in range(3)]
    assert wide[0] == wide[2]
    assert wide[1] == pytest.approx(2 * wide[0], abs=1)


def test_two_thousand_steps_are_scrolled_through(hands):
    made = [
        ChaseStep(id=f"s{n}", look={"par-1": {at.DIMMER: 0.5}}) for n in range(2000)
    ]
    _, steps = opened(hands, *made)
    strip, bar = steps.strip, steps.strip.horizontalScrollBar()
    assert bar.maximum() > 100_000
    hands.click(strip, QPointF(strip.rect_of(0).center()))
    strip.current = 1998
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert strip.chosen == ["s1999"]
    assert strip.rect_of(1999).right() <= strip.viewport().width()


# times and the course


def test_several_steps_are_retimed_and_the_share_of_the_fade_is_set(hands):
    _, steps = chase_of_four(hands)
    hands.select(steps.unit, "seconds")
    steps.strip.choose([])
    hands.type(steps.fade, "1")
    hands.type(steps.stand, "3")
    assert (chase(hands).fade, chase(hands).hold) == (1.0, 3.0)
    steps.strip.choose([s.id for s in steps.strip.steps[:2]])
    hands.type(steps.stand, "5")
    stored = chase(hands)
    assert [stored.hold_of(s) for s in stored.steps] == [5.0, 5.0, 3.0, 3.0]
    steps.strip.choose([])
    lengths = [stored.length_of(s) for s in stored.steps]
    hands.type(steps.share, "100")
    stored = chase(hands)
    assert [stored.length_of(s) for s in stored.steps] == pytest.approx(lengths)
    assert [stored.fade_of(s) for s in stored.steps] == pytest.approx(lengths, abs=0.03)
    hands.type(steps.share, "0")
    stored = chase(hands)
    assert max(stored.fade_of(s) for s in stored.steps) == pytest.approx(0.0)


def test_a_chase_goes_over_to_beats_and_lasts_as_long(hands):
    _, steps = opened(
        hands,
        ChaseStep(id="a", look={"par-1": {at.DIMMER: 1.0}}),
        ChaseStep(id="b", look={"par-2": {at.DIMMER: 1.0}}),
        fade=0.625,
        hold=0.625,
        unit=Unit.SECONDS,
    )
    hands.select(steps.unit, "beats")
    stored = chase(hands)
    assert stored.unit == Unit.BEATS
    assert (stored.fade, stored.hold) == pytest.approx((1.0, 1.0))  # at 96 a minute
    assert "4 beats a round" in steps.about.text()


def test_a_chase_runs_so_often_and_starts_another_at_its_end(hands, node):
    lit = {"par-2": {at.DIMMER: 1.0}}
    _, steps = opened(
        hands,
        ChaseStep(id="a", look={"par-1": {at.DIMMER: 1.0}}),
        ChaseStep(id="b", look=lit),
        fade=0.0,
        hold=0.2,
    )
    assert not steps.end.isVisible()  # without an end nothing comes after it
    hands.type(steps.rounds, "2")
    hands.until(steps.end.isVisible)
    for text, run in (("backward", Run.BACKWARD), ("shuffled", Run.SHUFFLE)):
        hands.select(steps.run, text)
        assert chase(hands).run == run
    pick(hands, lambda: hands.select(steps.end, "start"), "Mudlight")
    assert (chase(hands).end, chase(hands).then) == (
        End.START,
        Ref("scene", "mudlight"),
    )
    hands.click(steps.play)
    hands.until(
        lambda: any(
            p.ref == Ref("scene", "mudlight") for p in hands.parts.engine.state.players
        )
    )
    hands.select(steps.end, "let go")
    assert (chase(hands).end, chase(hands).then) == (End.RELEASE, None)


def test_a_chase_begins_at_the_step_that_is_said(hands):
    _, steps = chase_of_four(hands)
    assert not steps.first.isEnabled()
    steps.strip.choose([steps.strip.steps[2].id])
    hands.click(steps.first)
    assert chase(hands).first == 2
    hands.click(steps.play)
    hands.until(lambda: steps.strip.playing[1] >= 0)
    assert steps.strip.playing[1] == 2


# what steps hold


def test_the_chosen_steps_are_given_values_and_mirrored(hands):
    left, right = {"par-1": {at.DIMMER: 1.0}}, {"par-4": {at.DIMMER: 1.0}}
    _, steps = opened(hands, ChaseStep(id="a", look=left), ChaseStep(id="b", look=left))
    hands.click(steps.give)
    assert "give the fixtures some first" in hands.window.notice.text.text()
    hands.parts.draft.touch({"front-1": {at.DIMMER: 0.3}})
    hands.click(steps.give)  # none is chosen: all of them
    assert all(s.look["front-1"] == {at.DIMMER: 0.3} for s in chase(hands).steps)
    assert drafted(hands).look == {"front-1": {at.DIMMER: 0.3}}  # it is as it was
    hands.parts.document.undo()
    steps.strip.choose(["b"])
    hands.press(steps, "Swap left and right")
    assert [s.look for s in chase(hands).steps] == [left, right]


def test_one_colour_is_put_for_another_in_all_steps(hands):
    look = {"par-1": {at.DIMMER: 1.0, **RED}}
    _, steps = opened(hands, ChaseStep(id="a", look=look), ChaseStep(id="b", look=look))
    pick(hands, lambda: hands.click(steps.colour), "#FF0000", "Teal")
    for step in chase(hands).steps:
        assert step.look["par-1"]["ColorRGB_Red"] == "palette:teal"
        assert step.look["par-1"][at.DIMMER] == 1.0
    pick(hands, lambda: hands.click(steps.colour), "Teal", "Mud")
    assert chase(hands).steps[0].look["par-1"]["ColorRGB_Red"] == "palette:mud"


def test_a_step_in_the_draft_is_left_as_it_was(hands):
    look = {"par-1": {at.DIMMER: 0.5}}
    _, steps = opened(hands, ChaseStep(id="a", look=look))
    steps.strip.choose(["a"])
    QTest.keyClick(steps.strip, Qt.Key.Key_Return)
    if not steps.question.isVisible():
        hands.click(steps.edit)
    hands.until(steps.question.isVisible)
    hands.parts.draft.touch({"par-1": {at.DIMMER: 1.0}})
    hands.click(steps.leave)
    hands.until(lambda: drafted(hands).empty)
    assert chase(hands).steps[0].look == look
    assert not steps.question.isVisible()
    assert steps.deeds.isVisible()


def test_a_step_that_plays_a_scene_is_changed_there(hands):
    _, steps = chase_of_four(hands)
    steps.strip.choose([steps.strip.steps[1].id])
    hands.click(steps.edit)
    told = hands.window.notice.text.text()
    own = steps.question.isVisible() or "plays" in told
    assert own  # it is a look of its own to be changed, or is said to play a scene


def test_a_touched_fader_changes_no_step(hands):
    look = {"par-1": {at.DIMMER: 0.5}}
    _, steps = opened(hands, ChaseStep(id="a", look=look))
    before = chase(hands)
    hands.parts.draft.touch({"par-1": {at.DIMMER: 0.9}})
    hands.until(lambda: not drafted(hands).empty)
    hands.click(steps.close_)
    assert hands.parts.document.show.playables[before.id] is before


def test_a_chase_that_is_deleted_while_it_is_open_gives_the_shelf_back(hands):
    place, steps = chase_of_four(hands)
    hands.click(steps.play)
    hands.until(lambda: steps.player is not None)
    document = hands.parts.document
    document.edit("delete", edits.remove(document.show, steps.ref))
    hands.until(place.shelf.isVisible)
    assert not steps.isVisible()
    hands.until(lambda: not hands.parts.preview.lit())
    document.undo()  # and it goes on
    hands.until(lambda: hands.parts.preview.lit())


def test_a_dark_stage_makes_no_step_and_says_so(hands):
    _, steps = opened(hands)
    assert steps.empty.isVisible()
    pick(hands, lambda: hands.click(steps.add), "What is on stage")
    assert "nothing to make a step of" in hands.window.notice.text.text()
    assert chase(hands).steps == ()


def test_a_chase_played_from_a_tile_is_driven_from_its_steps(hands):
    place = hands.place("compose")
    place.open_chase(Ref("chase", "tide-turns"))
    steps = place.steps
    hands.until(steps.isVisible)
    hands.parts.engine.press("tide-turns-pad")
    hands.until(lambda: steps.player is not None)
    hands.until(lambda: steps.play.isChecked())
    hands.click(steps.slower)
    hands.until(lambda: steps.player.rate < 0.9)
    hands.until(lambda: steps.rate.text().startswith("×0.8"))
    hands.parts.engine.send(Do(Ref("player", steps.player.id), Verb.RELEASE))
    hands.until(lambda: steps.player is None)
    assert not steps.play.isChecked()


# patterns


def in_patterns(hands, place, do) -> None:
    """Open the patterns over the chosen lamps, and answer."""

    def answer(dialog: QDialog) -> None:
        assert isinstance(dialog, PatternDialog)
        do(dialog)

    hands.in_dialog(
        lambda: new_chase(hands, place, "Chase by a pattern over the chosen fixtures"),
        answer,
    )


def test_patterns_are_found_by_lamps_beats_and_name(hands):
    place = hands.place("compose")
    hands.parts.selection.choose(PARS)

    def do(dialog: PatternDialog) -> None:
        everything = len(dialog.grid.rules)
        assert everything >= 100
        hands.select(dialog.over, "2 fixtures")
        two = {rule.id for rule in dialog.grid.rules}
        assert 0 < len(two) < everything
        hands.select(dialog.over, "any number")
        hands.select(dialog.beats, "4")
        four = {rule.id for rule in dialog.grid.rules}
        assert 0 < len(four) < everything
        assert all(len(rule.table(8)) == 4 for rule in dialog.grid.rules)
        hands.select(dialog.beats, "any number")
        hands.type(dialog.words, "no such pattern", enter=False)
        assert dialog.grid.rules == []
        dialog.words.clear()
        assert len(dialog.grid.rules) == everything
        # by keys, with the one in hand in sight
        dialog.grid.setFocus()
        dialog.grid.choose(dialog.grid.rules[0].id)
        for _ in range(dialog.grid.columns):
            QTest.keyClick(dialog.grid, Qt.Key.Key_Right)
        QTest.keyClick(dialog.grid, Qt.Key.Key_Down)
        index = 2 * dialog.grid.columns
        assert dialog.grid.rule == dialog.grid.rules[index].id
        assert dialog.grid.rect_of(index).top() >= 0
        dialog.reject()

    in_patterns(hands, place, do)
    assert hands.parts.preview.tried is None


def test_a_pattern_drives_two_scenes_in_an_order_of_its_own(hands, node):
    place = hands.place("compose")
    hands.parts.selection.choose(PARS[:4])

    def do(dialog: PatternDialog) -> None:
        dialog.grid.choose("run")
        hands.select(dialog.drives, "Two scenes")
        dialog.scenes[0].setCurrentIndex(dialog.scenes[0].findText("Stage rose"))
        dialog.scenes[1].setCurrentIndex(dialog.scenes[1].findText("Stage blue"))
        row = dialog.list.takeItem(3)
        dialog.list.insertItem(0, row)  # the last one is dragged to the front
        hands.type(dialog.step, "2")
        hands.click(dialog.keep)

    in_patterns(hands, place, do)
    made = chase(hands)
    assert made.pattern.on_scene == Ref("scene", "stage-rose")
    assert made.pattern.off_scene == Ref("scene", "stage-blue")
    assert made.pattern.lamps == ("par-4", "par-1", "par-2", "par-3")
    assert made.fade + made.hold == pytest.approx(2.0)
    assert len(place.steps.strip.steps) == 4


def test_a_pattern_by_address_drives_any_attribute(hands):
    place = hands.place("compose")
    hands.parts.selection.choose(["wash-2", "wash-1"])

    def do(dialog: PatternDialog) -> None:
        dialog.grid.choose("run")
        hands.select(dialog.lie, "By address")
        hands.select(dialog.drives, "Any attribute")
        hands.select(dialog.attribute, "Zoom")
        hands.type(dialog.high, "30")
        hands.click(dialog.keep)

    in_patterns(hands, place, do)
    pattern = chase(hands).pattern
    assert pattern.lie == Lie.ADDRESS
    assert pattern.on == {"Zoom": pytest.approx(30.0)}


def test_a_pattern_that_is_given_up_leaves_nothing_behind(hands, node):
    place = hands.place("compose")
    hands.parts.selection.choose(PARS)
    before = hands.parts.document.show

    def do(dialog: PatternDialog) -> None:
        hands.until(lambda: hands.parts.preview.tried is not None)
        dialog.reject()

    in_patterns(hands, place, do)
    assert hands.parts.document.show is before
    assert hands.parts.preview.tried is None
    assert values(node, 1)[10:11] == [0]


def test_a_pattern_that_is_edited_step_by_step_becomes_steps_and_back_by_undo(hands):
    place = hands.place("compose")
    place.open_chase(Ref("chase", "oars"))
    steps = place.steps
    hands.until(steps.pattern.isVisible)
    steps.strip.choose([steps.strip.steps[0].id])
    hands.press(steps, "Delete the chosen steps")
    assert chase(hands).pattern is None
    assert not steps.pattern.isVisible()
    hands.parts.document.undo()
    assert chase(hands).pattern is not None


def test_the_times_of_steps_are_tapped_along_the_music(hands, monkeypatch):
    """Three hundred of them go the same way as these four: once through, each has its
    time.
    """
    names = ("swell", "cello", "gulls", "spring-tide")
    made = [ChaseStep(id=name, plays=Ref("scene", name)) for name in names]
    _, steps = opened(hands, *made, unit=Unit.SECONDS)
    clock = [1000.0]
    monkeypatch.setattr("choreon.ui.compose.steps.time.monotonic", lambda: clock[0])
    gaps = [0.5, 1.25, 0.75, 3.0]
    hands.click(steps.tap)
    for gap in gaps:
        clock[0] += gap
        hands.click(steps.tap)
    monkeypatch.undo()
    made = steps.chase
    assert [made.length_of(step) for step in made.steps] == pytest.approx(gaps)
    assert steps.taps == []
    assert not steps.tapped.isVisible()

    # only so far: the others keep theirs
    hands.click(steps.tap)
    hands.click(steps.tap)
    hands.click(steps.tapped)
    assert [made.length_of(s) for s in steps.chase.steps[1:]] == pytest.approx(gaps[1:])
    assert steps.chase.length_of(steps.chase.steps[0]) < 10.0
    hands.parts.document.undo()
    assert steps.chase.steps == made.steps
