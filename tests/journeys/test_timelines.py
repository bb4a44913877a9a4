"""Timelines in the window: from an empty one to light that plays; clips by the mouse and
by keys; scrubbed; what lies in itself; the storm.
"""

from __future__ import annotations

import time
from importlib.resources import files
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest

from choreon.engine.actions import timelines as timelines_on
from choreon.engine.do import Do
from choreon.formats import sounds
from choreon.model import edits, pages, timelines
from choreon.model.playables.timeline import LineEnd, TrackSort
from choreon.model.refs import Ref, to_tile
from choreon.model.tempo_map import Beats
from choreon.model.tiles import Pad, parts
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController
from choreon.sound.waves import A_SECOND
from choreon.ui.drags import carry
from choreon.ui.score.line_scale import RULER
from choreon.ui.score.line_view import LineView
from choreon.ui.score.sound_dialog import SoundDialog
from choreon.wire.time_code import Rate, of_number, quarter_frame
from tests.journeys.conftest import Hands
from tests.sound.music import f_measure, made
from tests.sound.test_files import write_wav

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def score(hands: Hands):
    return hands.place("score")


@pytest.fixture
def lines(hands: Hands, score):
    """An empty timeline, made in the window."""
    score.begin_line()
    assert score.shows_line
    return score.lines


def drop(view: LineView, *refs: Ref, at: float, row: int = 0) -> None:
    """Drag things onto a track, from the top, at a time."""
    rows = sorted(view.rows().values(), key=lambda r: r.top())
    point = QPointF(view.scale.x(at), rows[row].center().y())
    data = carry(*refs)  # Qt does not keep it
    action, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    view.dropEvent(QDropEvent(point, action, data, button, NONE))


def clips(lines) -> list:
    return [clip for _, clip in timelines.clips_of(lines.hand.line)]


SWELL, TIDE = Ref("scene", "swell"), Ref("scene", "spring-tide")
SWAY = Ref("scene", "sway")
LIGHT, EVENTS = 1, 0  # rows of a fresh one, from the top


def test_from_an_empty_line_to_light_that_plays(hands, lines):
    hand, view = lines.hand, lines.view
    drop(view, TIDE, at=0.0, row=LIGHT)
    drop(view, SWELL, at=6.0, row=LIGHT)
    assert [c.plays for c in clips(lines)] == [TIDE, SWELL]
    drop(view, Ref("scene", "strobe-hit"), at=2.0, row=EVENTS)
    event = next(e for _, e in timelines.events_of(hand.line))
    assert (event.act.verb, event.at) == (Verb.START, pytest.approx(2.0))

    hands.click(lines.play)
    hands.until(lambda: hand.plays)
    hands.until(lambda: hand.place > 2.2)
    state = hands.parts.engine.state
    assert any(p.ref.id == "strobe-hit" for p in state.players)
    assert lines.play.text() == "Stand"
    hands.click(lines.play)
    hands.until(lambda: hand.player is not None and hand.player.paused)
    stood = hand.place
    time.sleep(0.1)
    assert hand.place == pytest.approx(stood)

    hands.click(lines.stop)
    hands.until(lambda: hand.player is None)
    assert hand.place == pytest.approx(stood, abs=0.2)


def test_a_clip_is_moved_trimmed_and_faded_by_hand(hands, lines):
    _hand, view = lines.hand, lines.view
    drop(view, TIDE, at=2.0, row=LIGHT)
    one = clips(lines)[0]
    wide = view.scale.per_second

    middle = view.clip_rect(one.id).center()
    hands.drag(view, middle, middle + QPointF(3.0 * wide, 0))
    assert clips(lines)[0].start == pytest.approx(5.0, abs=0.02)  # on a beat
    hands.parts.document.undo()  # one gesture, one step
    assert clips(lines)[0].start == pytest.approx(2.0, abs=0.02)

    rect = view.clip_rect(one.id)
    end = QPointF(rect.right() - 2, rect.center().y())
    hands.drag(view, end, end - QPointF(2.0 * wide, 0))
    assert clips(lines)[0].end == pytest.approx(8.0, abs=0.02)
    rect = view.clip_rect(one.id)
    begin = QPointF(rect.left() + 2, rect.center().y())
    hands.drag(view, begin, begin + QPointF(1.0 * wide, 0))
    trimmed = clips(lines)[0]
    assert (trimmed.start, trimmed.entry) == (
        pytest.approx(3.0, abs=0.02),
        pytest.approx(1.0, abs=0.02),
    )

    rect = view.clip_rect(one.id)
    corner = QPointF(rect.left(), rect.top() + 1)
    hands.drag(view, corner, corner + QPointF(1.5 * wide, 4))
    assert clips(lines)[0].fade_in == pytest.approx(1.5, abs=0.1)
    corner = QPointF(view.clip_rect(one.id).right(), rect.top() + 1)
    hands.drag(view, corner, corner - QPointF(1.0 * wide, -4))
    assert clips(lines)[0].fade_out == pytest.approx(1.0, abs=0.1)

    # a level line: a point comes by a double click, is moved, and goes
    middle = view.clip_rect(one.id).center()
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, NONE, middle.toPoint())
    assert len(clips(lines)[0].line) == 1
    assert clips(lines)[0].line[0].level == pytest.approx(0.5, abs=0.05)
    hands.drag(view, middle, middle + QPointF(0, 12))
    assert clips(lines)[0].line[0].level < 0.4
    low = view.clip_rect(one.id)
    point = clips(lines)[0].line[0]
    at = QPointF(
        low.left() + point.at * wide, low.bottom() - point.level * low.height()
    )
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, NONE, at.toPoint())
    assert clips(lines)[0].line == ()


def test_by_keys_alone(hands, lines):
    hand, view = lines.hand, lines.view
    hand.track_id = "light"
    hand.add_of([TIDE])
    hand.choose_all()
    view.setFocus()

    def key(which, keys=NONE) -> None:
        QTest.keyClick(view, which, keys)

    key(Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert [c.start for c in clips(lines)] == [0.0, 8.0]
    key(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert clips(lines)[1].start == pytest.approx(8.5)  # a beat on
    for _ in range(5):
        key(Qt.Key.Key_Right)
    assert hand.place == pytest.approx(2.5)
    key(Qt.Key.Key_Left)
    assert hand.place == pytest.approx(2.0)
    key(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    key(Qt.Key.Key_S)
    assert len(clips(lines)) == 3
    key(Qt.Key.Key_Home)
    assert hand.place == 0.0
    key(Qt.Key.Key_Space)
    hands.until(lambda: hand.plays)
    key(Qt.Key.Key_Space)
    hands.until(lambda: not hand.plays)
    key(Qt.Key.Key_Z)
    key(Qt.Key.Key_F)
    key(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    key(Qt.Key.Key_Delete)
    assert clips(lines) == []


def test_scrubbing_lights_the_stage_where_that_is_wanted(hands, lines):
    hand, view = lines.hand, lines.view
    drop(view, TIDE, at=2.0, row=LIGHT)

    def press(at: float) -> None:
        QTest.mouseClick(
            view,
            Qt.MouseButton.LeftButton,
            NONE,
            QPointF(view.scale.x(at), 8).toPoint(),
        )

    press(4.0)
    hands.heeded()
    assert hand.player is None  # only the playhead
    assert hand.place == pytest.approx(4.0)
    hands.click(lines.on_stage)
    press(5.0)
    hands.until(lambda: hand.player is not None and hand.player.paused)
    assert hand.place == pytest.approx(5.0)
    hand.stop()
    hands.until(lambda: hand.player is None)


def test_a_line_within_itself_is_refused_and_an_event_can_start_it(hands, lines):
    hand, view = lines.hand, lines.view
    own = hand.line.ref
    drop(view, own, at=0.0, row=LIGHT)
    assert clips(lines) == []
    assert "within itself" in hands.window.notice.text.text()
    drop(view, own, at=3.0, row=EVENTS)
    assert [e.act.ref for _, e in timelines.events_of(hand.line)] == [own]


def test_what_is_chosen_is_set_in_numbers(hands, lines):
    hand, form = lines.hand, lines.form
    drop(lines.view, TIDE, at=2.0, row=LIGHT)
    form.fields["level"].changed.emit(40.0)
    form.fields["repeat"].changed.emit(2.0)
    assert (clips(lines)[0].level, clips(lines)[0].repeat) == (0.4, 2.0)
    hand.choose(())
    assert form.of_line.isVisibleTo(form)
    form.tempo.changed.emit(90.0)
    form.bar.setValue(3)
    assert (hand.line.tempo.bpm, hand.line.tempo.bar) == (90.0, 3)

    drop(lines.view, TIDE, at=1.0, row=EVENTS)
    form.does.setCurrentIndex(form.does.findData(Verb.LEVEL))
    form.does.activated.emit(form.does.currentIndex())
    form.value.changed.emit(0.5)
    form.at.changed.emit(7.0)
    event = next(e for _, e in timelines.events_of(hand.line))
    assert (event.act.verb, event.act.value, event.at) == (Verb.LEVEL, 0.5, 7.0)


def test_the_loop_closes_on_bars_and_is_let_go_again(hands, lines):
    drop(lines.view, TIDE, at=0.3, row=LIGHT)
    hands.click(lines.loop)
    line = lines.hand.line
    assert line.end == LineEnd.LOOP
    assert line.region[1] % 2.0 == pytest.approx(0.0)  # bars of two seconds
    hands.click(lines.loop)
    assert lines.hand.line.end == LineEnd.RELEASE


def test_stacks_and_timelines_are_chosen_from_one_list(hands, score):
    names = [score.chooser.itemText(n) for n in range(score.chooser.count())]
    assert "Waves and wind" in names
    score._choose("waves")
    assert score.shows_line
    assert score.lines.view.hasFocus()
    box = score.lines.chooser
    assert box.currentText() == "Waves and wind"
    box.activated.emit(box.findText(names[0]))
    assert not score.shows_line

    # one that is deleted while it is looked at gives way to another
    score._choose("waves")
    document = hands.parts.document
    document.edit("gone", edits.remove(document.show, Ref("timeline", "waves")))
    assert score.lines.hand.line.id == "thunder-far"
    document.undo()


def test_the_storm_goes_on_and_starts_its_thunder(hands, score):
    score._choose("waves")
    engine = hands.parts.engine
    engine.send(Do(Ref("timeline", "waves"), Verb.STEP, 4.9))
    hands.until(lambda: any(p.ref.id == "thunder-far" for p in engine.state.players))
    hands.until(
        lambda: not any(p.ref.id == "thunder-far" for p in engine.state.players)
    )
    # over its end, and anew
    engine.send(Do(Ref("timeline", "waves"), Verb.STEP, 26.5))
    hands.until(lambda: score.lines.hand.place < 2.0)
    assert score.lines.hand.plays


def test_a_timeline_is_put_on_a_page_and_played_from_its_tile(hands, lines):
    perform = hands.place("perform")
    page = perform.page_id
    document = hands.parts.document
    show, _ = pages.add(
        document.show, page, Pad(id="storm", plays=parts(Ref("timeline", "waves")))
    )
    document.edit("a tile", show)
    hands.until(lambda: "storm" in perform.tiles)
    hands.parts.engine.press("storm")
    hands.until(lambda: hands.parts.engine.state.player("tile:storm"))
    hands.parts.engine.press("storm")

    def goes() -> bool:
        player = hands.parts.engine.state.player("tile:storm")
        return player is None or player.releasing

    hands.until(goes)


def test_beats_come_out_of_a_sound_file_while_all_goes_on(hands, lines, tmp_path):
    music = made(100, seconds=24.0)
    path = write_wav(tmp_path / "song.wav", music.sound)
    lines.read_beats(path)
    hands.until(lambda: "Listening" in lines.listening.text())
    hands.until(lambda: lines.hand.line.tempo.beats, 60.0)
    tempo = lines.hand.line.tempo
    assert f_measure(tempo.beats, music.beats) > 0.95
    assert lines.hand.line.length == pytest.approx(24.0, abs=0.1)
    assert "100" in hands.window.notice.text.text()
    assert not lines.listening.isVisible()

    # corrected, and taken back
    form = lines.form
    count = len(tempo.beats)
    hands.click(form.corrections[0])
    assert len(lines.hand.line.tempo.beats) == (count + 1) // 2
    hands.parts.document.undo()
    hands.click(form.corrections[2])
    assert lines.hand.line.tempo.first == (tempo.first + 1) % tempo.bar
    hands.click(form.corrections[3])
    assert lines.hand.line.tempo.beats == ()
    assert lines.hand.line.tempo.bpm == pytest.approx(100.0, abs=0.5)


def test_a_file_that_is_no_sound_is_told_and_listening_is_stopped(
    hands, lines, tmp_path
):
    wrong = tmp_path / "wrong.mp3"
    wrong.write_text("no sound")
    before = hands.parts.document.show
    lines.read_beats(wrong)
    hands.until(lambda: "wrong.mp3" in hands.window.notice.text.text(), 60.0)
    assert not lines.reader.is_on

    lines.read_beats(write_wav(tmp_path / "song.wav", made(100).sound))
    hands.until(lambda: lines.listening.isVisible())
    hands.click(lines.listening)
    assert not lines.reader.is_on
    assert hands.parts.document.show is before


def test_a_line_follows_the_time_code_of_a_device(hands, lines):
    hand = lines.hand
    tape = PracticeController(name="Tape")
    hands.until(lambda: hands.parts.engine.ports.ports.get("Tape"))
    drop(lines.view, TIDE, at=0.0, row=LIGHT)
    lines.follow_clock("Tape")
    lines.begin_at("1:00:00:00")
    assert (hand.line.follows, hand.line.offset) == ("Tape", 3600.0)
    lines.begin_at("one o’clock")
    assert "no time" in hands.window.notice.text.text()
    assert hand.line.offset == 3600.0

    hands.click(lines.play)
    hands.until(lambda: hand.plays)
    begun = time.monotonic()
    sent = 0

    def told() -> bool:
        """Quarter frames as time goes: an hour and four seconds after the begin."""
        nonlocal sent
        due = int((time.monotonic() - begun) * 100)
        while sent < due:
            code = of_number(25 * 3604 + 2 * (sent // 8), Rate.EUROPE)
            tape.send_raw(quarter_frame(code, sent % 8))
            sent += 1
        return abs(hand.place - (4.0 + time.monotonic() - begun)) < 0.06

    hands.until(told)
    hand.stop()
    tape.close()


def test_a_sound_file_is_let_go_on_the_line(hands, lines, tmp_path):
    music = made(90, seconds=16.0)
    path = write_wav(tmp_path / "Song.WAV", music.sound)
    other = tmp_path / "notes.txt"
    other.write_text("no sound")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(other)), QUrl.fromLocalFile(str(path))])
    action, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    lines.view.dropEvent(QDropEvent(QPointF(300, 60), action, data, button, NONE))
    hands.until(lambda: lines.hand.line.tempo.beats, 60.0)

    data.setUrls([QUrl.fromLocalFile(str(other))])
    before = hands.parts.document.show
    lines.view.dropEvent(QDropEvent(QPointF(300, 60), action, data, button, NONE))
    assert not lines.reader.is_on
    assert hands.parts.document.show is before


def test_one_beat_is_dragged_to_where_it_is_meant(hands, lines):
    hand, view = lines.hand, lines.view
    beats = tuple(1.0 + 0.5 * n for n in range(12))
    hand.edit(
        "beats",
        lambda line: edits.replace(
            line, tempo=edits.replace(line.tempo, beats=beats), length=8.0
        ),
    )
    view.fit()
    start = QPointF(view.scale.x(beats[3]), RULER - 4)
    hands.drag(view, start, start + QPointF(0.25 * view.scale.per_second, 0))
    moved = hand.line.tempo.beats
    assert moved[3] == pytest.approx(2.75, abs=0.03)
    assert moved[:3] + moved[4:] == beats[:3] + beats[4:]
    assert hand.place == 0.0  # the playhead stays
    hands.parts.document.undo()
    assert hand.line.tempo.beats == beats


def test_a_sound_file_is_let_go_on_the_line_and_all_of_it_is_there(
    hands, lines, tmp_path
):
    music = made(100, seconds=24.0)
    path = write_wav(tmp_path / "song.wav", music.sound)
    view = lines.view
    data = QMimeData()  # Qt does not keep it
    data.setUrls([QUrl.fromLocalFile(str(path))])
    point = QPointF(view.scale.x(0.0), RULER + 60)
    action, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    view.dropEvent(QDropEvent(point, action, data, button, NONE))

    # it lies there at once, as long as it is; its wave and beats come meanwhile
    (clip,) = clips(lines)
    assert (clip.plays, clip.length) == (Ref("sound", "song"), pytest.approx(24.0))
    track = lines.hand.line.track(lines.hand.track_id)
    assert track.sort == TrackSort.SOUND
    assert track.clips == (clip,)
    hands.until(lambda: lines.hand.line.tempo.beats)
    beats = lines.hand.line.tempo.beats
    assert f_measure([b - clip.start for b in beats], music.beats) > 0.95
    sound = hands.parts.document.show.sounds["song"]
    assert sound.digest == sounds.digest_of(path)
    wave = lines.waves.of(sound)
    assert len(wave) == pytest.approx(24.0 * A_SECOND, abs=2)

    # drawn as loud as it is: not a line of one height
    hands.until(view.isVisible)
    drawn = view.grab().toImage()
    rect = view.clip_rect(clip.id)
    middle = int(rect.center().y())
    heights = {drawn.pixelColor(x, middle - 8).lightness() for x in range(300, 500)}
    assert len(heights) > 1

    # trimmed and stretched as others are, but at its own rate
    lines.hand.edit(
        "",
        lambda one: timelines.change_clips(
            one, [clip.id], lambda c: timelines.stretch(c, 12.0)
        ),
    )
    assert (clips(lines)[0].rate, clips(lines)[0].length) == (1.0, 12.0)
    assert not lines.form.fields["rate"].isVisible()

    # it travels in the show, and does not any more
    lines.toggle_packed()
    assert hands.parts.document.show.sounds["song"].packed
    assert sounds.kept(hands.parts.document.show.sounds["song"]).is_file()
    lines.toggle_packed()
    assert not hands.parts.document.show.sounds["song"].packed


def test_what_is_no_sound_is_not_put_onto_the_line(hands, lines, tmp_path):
    wrong = tmp_path / "wrong.mp3"
    wrong.write_text("no sound")
    before = hands.parts.document.show
    lines.add_sound(wrong)
    assert "wrong.mp3" in hands.window.notice.text.text()
    lines.add_sound(tmp_path / "gone.wav")
    assert "gone.wav" in hands.window.notice.text.text()
    assert hands.parts.document.show is before


def test_the_tracks_for_sound_take_sounds_alone(hands, lines, tmp_path):
    path = write_wav(tmp_path / "song.wav", made(100).sound)
    lines.add_sound(path, 2.0)
    lines.add_sound(path, 5.0)
    assert [clip.start for clip in clips(lines)] == [2.0, 5.0]
    known = [s.path for s in hands.parts.document.show.sounds.values()]
    assert known.count(str(path)) == 1
    assert len(lines.hand.line.tracks) == 3
    drop(lines.view, TIDE, at=1.0, row=0)  # onto the track for sound
    light = lines.hand.line.track("light")
    assert [clip.plays for clip in light.clips] == [TIDE]


def test_how_this_machine_sounds_is_set_in_a_dialog(hands, lines):
    dialog = SoundDialog(hands.parts, hands.window)
    dialog.show()
    try:
        dialog.by_ear.changed.emit(0.05)
        hands.until(lambda: hands.parts.engine.sound.by_ear == pytest.approx(0.05))
        assert dialog.by_ear.value == pytest.approx(0.05)
        hands.click(dialog.test)
        hands.until(lambda: dialog.flash.lit)
        hands.until(lambda: not dialog.flash.lit)
        hands.click(dialog.test)
    finally:
        dialog.close()


def test_a_song_in_a_minute(hands, lines):
    """From an empty line: the song let go, its beats and sections are there; looks are
    suggested, and are ordinary clips.
    """
    song = files("choreon.sound").joinpath("shipped", "lanterns-home.ogg")
    lines.add_sound(Path(str(song)))
    hands.until(lambda: lines.hand.line.tempo.beats)
    line = lines.hand.line
    assert line.tempo.bpm == pytest.approx(96.0, abs=0.2)
    assert [mark.name for mark in line.marks] == ["A", "B", "C", "B", "C", "D"]
    lines.suggest()
    (track,) = [t for t in lines.hand.line.tracks if t.id == "suggested"]
    assert len(track.clips) == 6
    assert track.clips[1].plays == track.clips[3].plays != track.clips[2].plays
    assert "Laid by how lively" in hands.window.notice.text.text()
    lines.hand.choose([track.clips[0].id])
    lines.hand.nudge(1.0)
    hands.parts.document.undo()
    hands.parts.document.undo()
    assert not [t for t in lines.hand.line.tracks if t.id == "suggested"]


def test_sections_are_tapped_by_a_key(hands, lines):
    lines.suggest()
    assert "no sections" in hands.window.notice.text.text()
    lines.hand.edit("", lambda one: edits.replace(one, length=60.0))
    lines.view.setFocus()
    for at in (0.0, 8.0, 20.0):
        lines.hand.go_to(at)
        QTest.keyClick(lines.view, Qt.Key.Key_M)
    made = [(mark.at, mark.name) for mark in lines.hand.line.marks]
    assert made == [(0.0, "A"), (8.0, "B"), (20.0, "C")]
    lines.suggest()
    assert len(clips(lines)) == 3


# a take


def player_of(hands, ref: Ref):
    """What plays something, and does not go."""
    players = hands.parts.engine.state.players
    return next((p for p in players if p.ref == ref and not p.releasing), None)


def place_then(hands, lines, at: float) -> float:
    """Where the line was at a time."""
    cursor = timelines_on.cursor_of(lines.hand.player)
    return cursor.seconds + at - cursor.at


def wait_on_line(hands, lines, seconds: float) -> None:
    """Until the line has gone on by so much."""
    to = lines.hand.place + seconds
    hands.until(lambda: lines.hand.place >= to)


def test_hands_beside_a_line_that_plays_are_laid_along_it(hands, lines):
    engine, hand = hands.parts.engine, lines.hand
    hand.edit("", lambda one: edits.replace(one, length=60.0))
    hands.click(lines.play)
    hands.until(lambda: hand.plays and hand.place > 0.1)
    hands.click(lines.taking)
    assert lines.take.on
    wait_on_line(hands, lines, 0.3)
    engine.press("spring-tide-pad")
    hands.until(lambda: player_of(hands, TIDE))
    wait_on_line(hands, lines, 0.6)
    hands.heeded()
    began = place_then(hands, lines, player_of(hands, TIDE).steps[-1].at)
    for level in (0.8, 0.6, 0.4):
        engine.send(Do(to_tile("spring-tide-pad"), Verb.LEVEL, level))
        wait_on_line(hands, lines, 0.1)
        hands.until(lambda level=level: player_of(hands, TIDE).level == level)
    ended = hand.place
    hands.click(lines.taking)
    assert not lines.take.on

    (clip,) = clips(lines)
    assert clip.plays == TIDE
    assert clip.start == pytest.approx(began, abs=0.05)
    assert clip.end >= ended - 0.05
    assert clip.fade_in > 0.0  # as it came
    assert clip.line[-1].level == pytest.approx(0.4)
    (track,) = [t for t in hand.line.tracks if t.clips]
    assert (track.id, track.name) == ("take", "Take 1")
    hands.parts.document.undo()
    assert clips(lines) == []


def test_a_take_again_over_a_part_makes_room_and_goes_onto_beats(hands, lines):
    engine, hand = hands.parts.engine, lines.hand
    hand.edit("", lambda one: edits.replace(one, length=60.0))
    lines._toggle_on_beats()
    hands.click(lines.play)
    hands.until(lambda: hand.plays)

    def take(tile: str, ref: Ref) -> None:
        lines.taking.click()
        engine.press(tile)
        hands.until(lambda: player_of(hands, ref))
        wait_on_line(hands, lines, 1.2)
        lines.taking.click()
        engine.press(tile)
        hands.until(lambda: not player_of(hands, ref))

    take("spring-tide-pad", TIDE)
    (first,) = clips(lines)
    hand.go_to(first.start + 0.4)
    hands.until(lambda: hand.place < first.start + 0.7)
    take("sway-pad", SWAY)
    made = clips(lines)
    assert len({clip.plays for clip in made}) == 2
    assert len(hand.line.tracks) == 3  # on one track of takes
    for clip in made:
        if clip.plays != TIDE:
            beat = clip.start / 0.5  # 120 a minute
            assert beat == pytest.approx(round(beat), abs=1e-6)
    tide = [clip for clip in made if clip.plays == TIDE]
    other = next(clip for clip in made if clip.plays != TIDE)
    assert all(c.end <= other.start + 0.06 or c.start >= other.end - 0.06 for c in tide)


def test_a_take_with_nothing_done_leaves_the_line_as_it_was_and_ends_with_it(
    hands, lines
):
    hand = lines.hand
    hand.edit("", lambda one: edits.replace(one, length=60.0))
    before = hand.line
    lines.taking.click()
    assert lines.take.on  # it waits for the line
    hands.click(lines.play)
    hands.until(lambda: hand.plays and hand.place > 0.2)
    hands.click(lines.play)  # it stands: the take is over
    hands.until(lambda: not lines.take.on)
    assert hand.line == before
    assert not lines.taking.isChecked()
    assert "Nothing was done by hand" in hands.window.notice.text.text()


# an evening turned back


def test_an_evening_is_turned_back_a_moment_kept_and_a_stretch(hands, score):
    engine = hands.parts.engine
    engine.press("spring-tide-pad")
    hands.until(lambda: player_of(hands, TIDE))
    hands.until(lambda: player_of(hands, TIDE).settles < time.monotonic())
    engine.press("spring-tide-pad")
    hands.until(lambda: not any(p.ref == TIDE for p in engine.state.players))

    def kept() -> bool:
        score.turn_back()
        evening = score.evening.evening
        return evening is not None and any(
            one.ref == TIDE and one.end < evening.end for one in evening.stretches()
        )

    hands.until(kept)
    pane = score.evening
    evening = pane.evening
    tide = next(one for one in evening.stretches() if one.ref == TIDE)
    begin, end = tide.begin - evening.begin, tide.end - evening.begin
    pane.view.go_to(end - 0.2)
    assert "Spring Tide" in pane.on.text()
    then = pane.stage.light.rgb.max()
    pane.view.go_to(0.0)
    assert pane.stage.light.rgb.max() < then

    # a moment, as a scene: the same lamps as the scene that was on
    pane.view.go_to(end - 0.2)
    pane.keep_moment("When it looked so good")
    show = hands.parts.document.show
    made = next(
        p for p in show.playables.values() if p.name == "When it looked so good"
    )
    lit = {f for f, v in show.playables["spring-tide"].look.items() if v}
    assert set(made.look) <= lit | set(show.fixtures)
    assert made.look

    # a stretch, as a timeline, which is shown
    pane.view.choose(max(0.0, begin - 1.0), end + 0.5)
    assert pane.stretch.isEnabled()
    pane.keep_stretch("The turn")
    assert score.shows_line
    assert score.lines.hand.line.name == "The turn"
    (clip,) = [c for c in clips(score.lines) if c.plays == TIDE]
    assert clip.length == pytest.approx(end - begin, abs=4.0)
    assert clip.fade_in > 0.0

    # the show has changed since: it is told
    score.turn_back()
    pane.view.go_to(0.0)
    assert "Since then" in pane.changed.text()
    hands.click(pane.back)
    assert score.shows_line


def test_an_evening_by_keys_and_while_nothing_was_kept(hands, score, tmp_path):
    score.turn_back()
    pane = score.evening
    pane.open(None)
    assert not pane.moment.isEnabled()
    assert pane.none.isVisible()
    wrong = tmp_path / "wrong.evening"
    wrong.write_bytes(b"nothing")
    pane.open(wrong)
    assert "wrong.evening" in hands.window.notice.text.text()

    engine = hands.parts.engine

    def long() -> bool:
        engine.press("spring-tide-pad")
        pane.refresh()
        return pane.view.length > 1.5

    hands.until(long)
    view = pane.view
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_Home)
    assert view.head == 0.0
    QTest.keyClick(view, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert view.head == 1.0
    assert view.chosen == (0.0, 1.0)
    QTest.keyClick(view, Qt.Key.Key_End)
    assert view.head == view.length
    hands.click(pane.play)
    hands.until(lambda: 0.2 < view.head < view.length or not pane.play.isChecked())
    pane.play.click()
    assert not pane.play.isChecked()


def test_beats_are_tapped_along_by_a_key(hands, lines):
    lines.hand.edit("", lambda one: edits.replace(one, length=60.0))
    lines.view.setFocus()
    for at in (1.0, 1.75, 2.5, 3.25):
        lines.hand.go_to(at)
        QTest.keyClick(lines.view, Qt.Key.Key_T)
    assert "4" in lines.form.tap.text()
    hands.until(lambda: not lines.form.taps)  # it ends by itself
    assert lines.hand.line.tempo.bpm == pytest.approx(80.0)
    lines.hand.go_to(1.75)
    hands.click(lines.form.corrections[-1])
    assert Beats(lines.hand.line.tempo).bar_line(
        round(Beats(lines.hand.line.tempo).at(1.75))
    )


def test_what_comes_is_seen_before_it_is_there(hands, lines):
    drop(lines.view, TIDE, at=3.0, row=LIGHT)
    lines.hand.edit("", lambda one: edits.replace(one, length=60.0))
    ghost = lines.ghost
    assert ghost.stage.light is None
    lines.hand.on_stage = True
    lines.hand.go_to(0.0)  # it stands there: nothing is lit, and the ghost is
    hands.until(lambda: lines.hand.player is not None and lines.hand.player.paused)
    hands.until(lambda: ghost.stage.light is not None)
    now = hands.parts.preview.light()[1].rgb.max()
    hands.until(lambda: ghost.stage.light.rgb.max() > now + 0.2)
    lines.hand.stop()
    hands.until(lambda: ghost.stage.light is None)


def test_clips_and_events_are_copied_and_pasted_onto_another_line(hands, score, lines):
    drop(lines.view, TIDE, SWELL, at=2.0, row=LIGHT)
    drop(lines.view, SWELL, at=3.0, row=EVENTS)
    lines.view.setFocus()
    ctrl = Qt.KeyboardModifier.ControlModifier
    lines.hand.choose_all()
    QTest.keyClick(lines.view, Qt.Key.Key_C, ctrl)
    lines.hand.go_to(30.0)
    QTest.keyClick(lines.view, Qt.Key.Key_V, ctrl)
    starts = sorted(clip.start for clip in clips(lines))
    assert starts == [2.0, 10.0, 30.0, 38.0]
    events = [e.at for _, e in timelines.events_of(lines.hand.line)]
    assert sorted(events) == [3.0, 31.0]
    assert len(lines.hand.chosen) == 3

    QTest.keyClick(lines.view, Qt.Key.Key_X, ctrl)
    assert len(clips(lines)) == 2
    score.begin_line()
    lines.hand.go_to(1.0)
    QTest.keyClick(lines.view, Qt.Key.Key_V, ctrl)
    assert sorted(clip.start for clip in clips(lines)) == [1.0, 9.0]
    for _ in range(2):
        hands.parts.document.undo()
