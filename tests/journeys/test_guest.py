"""Guests: pages that are handed to someone who has never seen them."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QCloseEvent, QContextMenuEvent, QPointingDevice
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.tiles import Guest, PowerOn
from choreon.ui.perform import pin
from tests.conftest import values
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
    view.leave(PIN)
    assert guest.window.is_guest
    guest.until(lambda: view.tries.wait(time.monotonic()) == 0.0)
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
    assert "empty page" in view.empty.text()
    show = edits.drop(guest.parts.document.show, "pages", ["open-mic"])
    guest.parts.document.edit("gone", show)
    guest.until(lambda: view.page_id == "low-tide")
    assert view.tiles


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
            client = engine_client.connect(20.0)
            client.wait_for(protocol.Welcome, 10.0)
            windows = until_window(command.pid, set())
            client.close()
            os.kill(windows.pop(), signal.SIGKILL)
            again = until_window(command.pid, windows)
            assert again
            assert command.poll() is None
        finally:
            command.send_signal(signal.SIGTERM)
            command.wait(10)
            stop_engine()
    assert page.name == "Open mic"


def until_window(parent: int, known: set[int]) -> set[int]:
    """The window processes of a guest command, once there is one that is new."""
    limit = time.monotonic() + 20.0
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


def test_a_starter_is_a_desktop_file_that_starts_the_guest_pages(demo_path):
    done = subprocess.run(
        guest_command(demo_path, "--starter"), capture_output=True, text=True
    )
    with open(done.stdout.strip()) as file:
        text = file.read()
    assert "[Desktop Entry]" in text
    assert f'"guest" "{demo_path}"' in text
