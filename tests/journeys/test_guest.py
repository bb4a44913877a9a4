"""Guests: pages that are handed to someone who has never seen them."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import (
    QCloseEvent,
    QContextMenuEvent,
    QDropEvent,
    QKeyEvent,
    QPointingDevice,
    QWheelEvent,
)
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.refs import Ref
from choreon.model.tiles import (
    AimTile,
    AsideTile,
    Choice,
    ClockTile,
    ColourTile,
    CueTile,
    DeedTile,
    Dial,
    Fader,
    Flash,
    Guest,
    LabelTile,
    MasterTile,
    Pad,
    Page,
    PowerOn,
    TempoTile,
    Turns,
    UnknownTile,
    parts,
)
from choreon.model.verbs import Edge, Verb
from choreon.ui.app import DONE, _do_asked
from choreon.ui.perform import pin
from choreon.ui.perform.guest import kept_tries
from choreon.ui.settings import open_settings
from choreon.ui.tiles import WIDGETS
from tests.conftest import until, values
from tests.journeys.conftest import end, open_window, stop_engine

PIN = "2468"


@pytest.fixture
def guest(hands):
    """The open-mic page in a guest's hands, left by a PIN."""
    show = hands.parts.document.show
    kept = Guest(pages=("open-mic",), pin=pin.kept(PIN))
    hands.parts.document.edit("guest", edits.replace(show, guest=kept))
    hands.window.begin_guest()
    hands.until(lambda: hands.window.is_guest and hands.window.guest.view.tiles)
    yield hands
    if hands.window.is_guest:
        hands.window.end_guest()


def playing(hands) -> list[str]:
    players = hands.parts.engine.state.players
    return [p.ref.id for p in players if not (p.releasing or p.lifts)]


def test_the_pages_are_handed_over_with_a_pin(hands):
    """From the button of the place: pages chosen, a PIN typed twice, and all else out
    of reach.
    """
    perform = hands.place("perform")

    def answer(dialog):
        for page, box in dialog.pages.items():
            if box.isChecked() != (page == "open-mic"):
                hands.click(box, QPoint(8, 8))
        hands.type(dialog.pin, "12", enter=False)
        hands.click(dialog.start)
        assert "four figures" in dialog.trouble.text()
        dialog.pin.clear()
        hands.type(dialog.pin, PIN, enter=False)
        hands.type(dialog.again, "2469", enter=False)
        hands.click(dialog.start)
        assert "differ" in dialog.trouble.text()
        dialog.again.clear()
        hands.type(dialog.again, PIN, enter=False)
        hands.click(dialog.start)

    hands.in_dialog(lambda: hands.click(perform.guest_button), answer)
    window = hands.window
    hands.until(lambda: window.is_guest and window.isFullScreen())
    stored = hands.parts.document.show.guest
    assert stored.pages == ("open-mic",)
    assert PIN not in stored.pin
    assert not window.rail.isVisible()
    assert list(window.guest.view.tiles) == [
        tile.id for tile in hands.parts.document.show.pages["open-mic"].tiles
    ]
    window.guest.leave(PIN)
    assert not window.is_guest
    assert window.rail.isVisible()


def test_a_guest_plays_by_keys_and_by_fingers(guest, node):
    view = guest.window.guest.view
    warm, faces = view.tiles["mic-warm"], view.tiles["mic-front"]
    key = warm.property("key")
    alt = Qt.KeyboardModifier.AltModifier
    QTest.keyClick(guest.window.guest, Qt.Key(ord(key)), alt)
    guest.until(lambda: playing(guest) == ["stage-warm"])
    screen = QTest.createTouchDevice(QPointingDevice.DeviceType.TouchScreen)
    blue = view.tiles["mic-blue"].mapTo(view.body, QPoint(40, 40))
    QTest.touchEvent(view.body, screen).press(0, blue, view.body).commit()
    QTest.touchEvent(view.body, screen).release(0, blue, view.body).commit()
    guest.until(lambda: playing(guest) == ["stage-blue"])
    guest.until(lambda: "Stage blue" in guest.window.guest.on_now.text())
    faces.fader.setFocus()
    QTest.keyClick(faces.fader, Qt.Key.Key_F)
    guest.until(lambda: values(node, 1)[0] > 150)
    guest.click(guest.window.guest.normal)
    guest.until(lambda: not playing(guest))


def test_each_tile_explains_itself_and_what_is_not_allowed_is_dead(guest):
    view = guest.window.guest.view
    assert all(tile.guest for tile in view.tiles.values())
    assert view.tiles["mic-warm"].note_height() > 0
    show = guest.parts.document.show
    kept = edits.replace(show.guest, levels=False)
    guest.parts.document.edit("guest", edits.replace(show, guest=kept))
    guest.until(lambda: not view.tiles["mic-front"].allowed)
    assert view.tiles["mic-warm"].allowed
    middle = view.tiles["mic-front"].mapTo(view, QPoint(40, 200))
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=middle)
    QTest.qWait(50)
    assert not playing(guest)


def test_right_click_keys_and_closing_are_dead(guest):
    view, window = guest.window.guest.view, guest.window
    before = guest.parts.document.show
    event = QContextMenuEvent(
        QContextMenuEvent.Reason.Mouse, QPoint(5, 5), QPoint(5, 5)
    )
    QApplication.sendEvent(view.tiles["mic-warm"], event)
    assert QApplication.activePopupWidget() is None
    ctrl = Qt.KeyboardModifier.ControlModifier
    for key in (Qt.Key.Key_1, Qt.Key.Key_E, Qt.Key.Key_B, Qt.Key.Key_Z):
        QTest.keyClick(window, key, ctrl)
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert window.is_guest
    assert guest.parts.document.show is before
    assert not guest.parts.engine.state.masters.blackout
    closing = QCloseEvent()
    window.closeEvent(closing)
    assert not closing.isAccepted()
    assert window.guest.pad.isVisible()


def test_wrong_pins_have_to_wait_longer_and_longer(guest):
    """Three are free; then 2, 4, 8 … seconds, 300 at most; the right one is not taken
    meanwhile, and is when the time has passed.
    """
    tries, now = pin.Tries(), 1000.0
    waits = []
    for _ in range(100):
        tries.missed(now)
        waits.append(tries.wait(now))
        now += waits[-1]
    assert waits[:6] == [0.0, 0.0, 2.0, 4.0, 8.0, 16.0]
    assert max(waits) == 300.0
    assert tries.wait(now) == 0.0
    view = guest.window.guest
    guest.click(view.lock)
    assert view.pad.isVisible()
    assert "--forget-pin" in " ".join(
        label.text() for label in view.pad.findChildren(type(view.on_now))
    )
    for wrong in ("1111", "2222", "3333"):
        for figure in wrong:
            guest.click(view.pad.keys[figure])
        guest.click(view.pad.keys["↵"])
    assert "next try" in view.pad.say.text()
    # more of them, so that a machine that stands still for a moment changes nothing
    for _ in range(4):
        view.tries.missed(time.monotonic())
    view.leave(PIN)
    assert guest.window.is_guest
    view.tries = pin.Tries()  # the time has passed
    guest.type(view.pad.field, PIN)
    guest.until(lambda: not guest.window.is_guest)


def test_what_was_stored_of_a_pin_fits_that_pin_alone():
    stored = pin.kept(PIN)
    assert stored != pin.kept(PIN)  # another salt
    assert pin.fits(PIN, stored)
    assert not pin.fits("2467", stored)
    for broken in ("", "zz:zz", "00", ":", "00:", stored[:-1]):
        assert not pin.fits(PIN, broken)
    assert pin.kept("") == ""


def test_a_page_of_no_tiles_and_pages_that_are_gone(guest):
    show = guest.parts.document.show
    page = edits.replace(show.pages["open-mic"], tiles=())
    guest.parts.document.edit("empty", edits.put(show, "pages", page))
    view = guest.window.guest.view
    guest.until(lambda: not view.tiles)
    assert "nothing to play" in view.empty.text()
    show = edits.drop(guest.parts.document.show, "pages", ["open-mic"])
    guest.parts.document.edit("gone", show)
    # the others were not given to guests
    guest.until(lambda: view.page_id == "")
    assert not view.tiles
    assert not guest.window.guest.tabs.by_page
    assert "Ask whoever" in view.empty.text()


def test_a_window_that_died_comes_back_as_guest(demo_path, node, qapp):
    from choreon.ui.settings import settings_file

    hands = open_window(demo_path)
    try:
        hands.window.begin_guest()
        text = settings_file().read_text()
        assert str(demo_path) in text.partition("guest=")[2]
        hands.window.end_guest()
        assert "guest=" not in settings_file().read_text()
    finally:
        end(hands)


def guest_command(path, *words) -> list[str]:
    return [sys.executable, "-m", "choreon", "guest", str(path), *words]


def test_the_guest_command_starts_the_page_and_brings_its_window_back(demo_path, node):
    """Its window is killed; another one is there soon, and the light is as it was."""
    show = showfile.read(demo_path)
    opens = show.opens or ()
    page = show.pages["open-mic"]
    guest_ = Guest(pages=("open-mic",), power_on=PowerOn.OPENING)
    showfile.write(demo_path, edits.replace(show, guest=guest_, opens=opens))
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with subprocess.Popen(guest_command(demo_path), env=environment) as command:
        try:
            client = engine_client.connect(60)
            client.wait_for(protocol.Welcome, 60.0)
            windows = until_window(command.pid, set())
            client.close()
            os.kill(next(iter(windows)), signal.SIGKILL)
            again = until_window(command.pid, windows)
            assert again
            assert command.poll() is None
        finally:
            command.send_signal(signal.SIGTERM)  # it ends nothing
            assert not ends_within(command, 1.0)
            end_starter(command)
            stop_engine()
    assert page.name == "Open mic"


def ends_within(process: subprocess.Popen, seconds: float) -> bool:
    try:
        process.wait(seconds)
    except subprocess.TimeoutExpired:
        return False
    return True


def end_starter(command: subprocess.Popen) -> None:
    """As Ctrl+C does in a terminal; the starter ends its window as well."""
    command.send_signal(signal.SIGINT)
    command.wait(60)


@pytest.mark.parametrize("way", [signal.SIGTERM, signal.SIGINT])
def test_who_ends_the_guests_window_gets_the_guest_pages_again(demo_path, node, way):
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with subprocess.Popen(guest_command(demo_path), env=environment) as command:
        try:
            first = until_window(command.pid, set())
            until(lambda: "guest=" in settings_text(), 20.0)
            os.kill(next(iter(first)), way)
            assert until_window(command.pid, first)
            assert command.poll() is None
        finally:
            end_starter(command)
            stop_engine()


def settings_text() -> str:
    from choreon.ui.settings import settings_file

    return settings_file().read_text() if settings_file().exists() else ""


def refused(path: Path, *words: str) -> str:
    """Why there are no guest pages of a show, from a real process."""
    done = subprocess.run(
        guest_command(path, *words),
        capture_output=True,
        text=True,
        timeout=30,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )
    assert done.returncode == 4
    return done.stderr


def test_the_guest_pages_of_another_show_do_not_end_what_is_on_stage(
    demo_path, node, engines, own_folders
):
    client = engines.start(demo_path)
    client.wait_for(protocol.Welcome)
    client.send(Do(Ref("scene", "stage-warm"), Verb.PRESS))
    until(lambda: client.wait_for(protocol.State).state.players)
    other = own_folders / "Other.choreon"
    showfile.write(other, edits.replace(showfile.read(demo_path), id="other"))
    assert "is on stage" in refused(other)
    again = engines.connect().wait_for(protocol.Welcome)
    assert again.show.id != "other"
    assert again.state.players


def test_a_file_that_cannot_be_read_gives_guests_no_window(own_folders):
    path = own_folders / "Broken.choreon"
    path.write_bytes(b"no show")
    for words in ((), ("--window",)):
        assert "cannot be opened" in refused(path, *words)


def test_the_starter_beside_the_owners_window_hands_that_over(demo_path, node, qapp):
    """And the PIN is taken away in it, not in the file behind its back."""
    hands = open_window(demo_path)
    try:
        assert _do_asked(hands.window, "guest", "/elsewhere.choreon") != DONE
        assert not hands.window.is_guest
        assert _do_asked(hands.window, "guest", str(demo_path)) == DONE
        assert hands.window.is_guest
        assert _do_asked(hands.window, "front", "") == DONE
        assert hands.window.is_guest
        show = hands.parts.document.show
        kept = edits.replace(show.guest, pin=pin.kept(PIN))
        hands.parts.document.edit("PIN", edits.replace(show, guest=kept))
        assert _do_asked(hands.window, "forget-pin", "/elsewhere.choreon") != DONE
        assert hands.parts.document.show.guest.pin
        assert _do_asked(hands.window, "forget-pin", str(demo_path)) == DONE
        assert hands.parts.document.show.guest.pin == ""
        assert "nothing that this" in _do_asked(hands.window, "open-up", "")
        hands.window.end_guest()
    finally:
        end(hands)


def test_a_pages_own_window_is_out_of_sight_while_a_guest_plays(hands):
    perform = hands.place("perform")
    own = perform.open_window("low-tide")
    assert own.isVisible()
    hands.window.begin_guest()
    assert not own.isVisible()
    hands.window.end_guest()
    assert own.isVisible()
    own.close()


def test_wrong_pins_are_not_forgotten_by_ending_the_window(guest):
    view = guest.window.guest
    for wrong in ("1111", "2222", "3333", "4444"):
        view.tries.resume(time.monotonic(), 0.0)
        view.leave(wrong)
    assert view.tries.wrong == 4
    again = kept_tries(open_settings())
    assert again.wrong == 4
    assert 2.0 < again.wait(time.monotonic()) <= 4.0
    view.tries.resume(time.monotonic(), 0.0)
    view.leave(PIN)
    assert kept_tries(open_settings()).wrong == 0


EVERY_KIND = (
    Pad(id="pad", plays=parts(Ref("scene", "stage-warm"))),
    Flash(id="flash", plays=parts(Ref("scene", "stage-warm"))),
    Fader(id="fader", plays=parts(Ref("scene", "stage-warm"))),
    Choice(
        id="choice", plays=parts(Ref("scene", "stage-warm"), Ref("scene", "stage-blue"))
    ),
    Dial(id="dial", turns=Turns.FADE, of=(Ref("tile", "pad"),)),
    ColourTile(id="colour", of=(Ref("fixture", "par-1"),)),
    AimTile(id="aim", of=(Ref("fixture", "spot-1"),)),
    AsideTile(id="aside", look={"par-1": {"Dimmer": 1.0}}),
    MasterTile(id="grand", drives=Ref("master", "grand")),
    MasterTile(id="blackout", drives=Ref("master", "blackout")),
    TempoTile(id="tempo"),
    CueTile(id="cue", of=Ref("stack", "last-ferry")),
    DeedTile(id="deed", deed="release"),
    ClockTile(id="clock"),
    LabelTile(id="label", name="Words"),
    UnknownTile(id="unknown", stored={"kind": "lantern"}),
)
RIGHT_OF = {
    **dict.fromkeys(("pad", "flash", "choice", "aside", "deed"), "choices"),
    **dict.fromkeys(("fader", "dial", "colour", "aim", "grand"), "levels"),
    "tempo": "tempo",
    "blackout": "blackout",
    "cue": "go",
}
RIGHTS = ("choices", "levels", "tempo", "blackout", "go")


def by_key(guest, view, widget):
    """Alt and any key that a tile may have, and, in hand, what plays and turns."""
    alt = Qt.KeyboardModifier.AltModifier
    for key in dict.fromkeys((str(widget.property("key") or ""), *"1234567890QWERT")):
        if key and (widget.property("key") == key or not widget.property("key")):
            for event in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                view.key(QKeyEvent(event, ord(key), alt))
    for target in (widget, widget.focusProxy()):
        if target is not None:
            for key in (Qt.Key.Key_Space, Qt.Key.Key_Up, Qt.Key.Key_7, Qt.Key.Key_F):
                QTest.keyClick(target, key)


def by_click(guest, view, widget):
    middle = widget.rect().center()
    for target in (widget, widget.focusProxy()):
        if target is not None:
            spot = target.mapFrom(widget, middle)
            QTest.mousePress(target, Qt.MouseButton.LeftButton, pos=spot)
            QTest.mouseMove(target, spot + QPoint(15, -15))
            QTest.mouseRelease(target, Qt.MouseButton.LeftButton, pos=spot)
            QTest.mouseDClick(target, Qt.MouseButton.LeftButton, pos=spot)


def by_wheel(guest, view, widget):
    for target in (widget, widget.focusProxy()):
        if target is not None:
            spot = QPointF(target.rect().center())
            turned = QPoint(0, 120)
            wheel = QWheelEvent(
                spot,
                target.mapToGlobal(spot),
                turned,
                turned,
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
            QApplication.sendEvent(target, wheel)


def by_touch(guest, view, widget):
    screen = QTest.createTouchDevice(QPointingDevice.DeviceType.TouchScreen)
    spot = widget.mapTo(view.body, widget.rect().center())
    QTest.touchEvent(view.body, screen).press(0, spot, view.body).commit()
    QTest.touchEvent(view.body, screen).move(
        0, spot + QPoint(9, -9), view.body
    ).commit()
    QTest.touchEvent(view.body, screen).release(0, spot, view.body).commit()


def by_drop(guest, view, widget):
    """What is dragged from elsewhere is let fall on it."""
    data = QMimeData()
    data.setText("scene:stage-blue")
    data.setUrls([QUrl.fromLocalFile("/tmp/x.choreon")])
    for target in (widget, view.viewport(), guest.window.guest, guest.window):
        event = QDropEvent(
            QPointF(20, 20),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(target, event)


def plays_light(name: str, what: tuple, tile: str) -> bool:
    """Whether something that was asked of the engine plays a tile. One that was held
    before its right was taken may be let go.
    """
    asked = what[0]
    if not isinstance(asked, Do):
        return asked == tile
    return asked.ref.id == tile and asked.edge != Edge.UP


WAYS = (by_key, by_click, by_wheel, by_touch, by_drop)


@pytest.mark.parametrize("right", ["none", *RIGHTS])
def test_every_kind_of_tile_by_every_way_goes_by_the_guests_rights(
    hands, right, monkeypatch
):
    assert {tile.kind for tile in EVERY_KIND} == set(
        WIDGETS
    )  # a new kind comes in here
    rights = dict.fromkeys(RIGHTS, False)
    if right != "none":
        rights[right] = True
    show = edits.put(
        hands.parts.document.show, "pages", Page(id="g", name="G", tiles=EVERY_KIND)
    )
    show = edits.replace(show, guest=Guest(pages=("g",), **rights))
    hands.parts.document.edit("guest", show)
    engine, asked = hands.parts.engine, []
    for name in ("send", "set_level", "press", "set_live", "deed"):
        monkeypatch.setattr(
            engine, name, lambda *what, name=name: asked.append((name, what))
        )
    hands.window.begin_guest()
    view = hands.window.guest.view
    hands.until(lambda: len(view.tiles) == len(EVERY_KIND))
    QTest.qWait(50)
    try:
        for tile in EVERY_KIND:
            widget = view.tiles[tile.id]
            allowed = RIGHT_OF.get(tile.id) == right
            acted = set()
            for way in WAYS:
                asked.clear()
                widget.level = 0.5  # so that there is something to turn
                way(hands, view, widget)
                widget.level = 0.5
                lit = [name for name, what in asked if plays_light(name, what, tile.id)]
                assert allowed or not lit, (tile.id, way.__name__, lit)
                acted |= {way} if lit else set()
            assert bool(acted) == allowed, tile.id
            assert by_drop not in acted
    finally:
        hands.window.end_guest()


def until_window(parent: int, known: set[int]) -> set[int]:
    """The window processes of a guest command, once there is one that is new."""
    limit = time.monotonic() + 60.0
    while time.monotonic() < limit:
        found = {
            int(pid) for pid in _children(parent) if b"--window" in _command_line(pid)
        } - known
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError("no window came")


def _children(parent: int) -> list[str]:
    with open(f"/proc/{parent}/task/{parent}/children") as file:
        return file.read().split()


def _command_line(pid: str) -> bytes:
    try:
        with open(f"/proc/{pid}/cmdline", "rb") as file:
            return file.read()
    except OSError:
        return b""


def test_the_owner_of_the_file_takes_the_pin_away(demo_path):
    show = showfile.read(demo_path)
    guest_ = Guest(pin=pin.kept(PIN))
    showfile.write(demo_path, edits.replace(show, guest=guest_))
    done = subprocess.run(
        guest_command(demo_path, "--forget-pin"), capture_output=True, text=True
    )
    assert done.returncode == 0
    assert "taken away" in done.stdout
    assert showfile.read(demo_path).guest.pin == ""
    assert showfile.edits_of(demo_path) == 1  # it is the newer one


def test_the_pin_is_taken_away_where_an_engine_plays(demo_path, engines, node):
    show = showfile.read(demo_path)
    guest_ = Guest(pin=pin.kept(PIN))
    showfile.write(demo_path, edits.replace(show, guest=guest_), edits=7)
    client = engines.start(demo_path)
    assert client.wait_for(protocol.Welcome).show.guest.pin
    done = subprocess.run(
        guest_command(demo_path, "--forget-pin"), capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    welcome = engines.connect().wait_for(protocol.Welcome)
    assert (welcome.show.guest.pin, welcome.edits) == ("", 8)
    assert showfile.read(demo_path).guest.pin == ""
    assert showfile.edits_of(demo_path) == 8


def test_a_starter_is_a_desktop_file_that_starts_the_guest_pages(demo_path):
    done = subprocess.run(
        guest_command(demo_path, "--starter"), capture_output=True, text=True
    )
    with open(done.stdout.strip()) as file:
        text = file.read()
    assert "[Desktop Entry]" in text
    assert f'"guest" "{demo_path}"' in text
