"""What goes wrong on an evening, and what the user then sees."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import msgspec
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from choreon import folders
from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine import protocol, session, starter
from choreon.engine.do import Do
from choreon.engine.instance_lock import holder
from choreon.formats import rescue, showfile
from choreon.model import edits
from choreon.model.refs import GRAND, to_tile
from choreon.model.verbs import Verb
from choreon.sim.node import url as node_url
from choreon.ui import app
from choreon.ui.app import find_show
from choreon.ui.widgets import basics
from choreon.ui.window import CloseDialog
from tests.conftest import free_port, until, values
from tests.journeys.conftest import end, leave, open_window, stop_engine


def start_window(path: Path) -> subprocess.Popen[str]:
    """A window in a process of its own."""
    return subprocess.Popen(
        [sys.executable, "-m", "choreon", "open", str(path)],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )


def window_answers() -> bool:
    """Whether a window stands that can be asked to come to the front."""
    with socket.socket(socket.AF_UNIX) as probe:
        return probe.connect_ex(str(folders.runtime() / "window.sock")) == 0


def finish(process: subprocess.Popen[str]) -> str:
    process.kill()
    return process.communicate(timeout=60)[0]


def test_the_window_is_killed_the_light_goes_on_and_a_new_window_finds_everything(
    demo_path, node
):
    window = start_window(demo_path)
    until(lambda: node.reports())
    client = engine_client.connect(60)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    client.send(Do(GRAND, Verb.LEVEL, 0.5))
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.5}}))
    until(lambda: values(node, 1)[0] == 108 and values(node, 1)[10] == 64)
    client.close()
    finish(window)
    before = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > before + 44)
    assert values(node, 1)[0] == 108
    assert all(r.jumps == 0 for r in node.reports())
    again = start_window(demo_path)
    until(window_answers, 20)
    said = start_window(demo_path).communicate(timeout=60)[0]
    assert "already open; its window was brought to the front" in said
    client = engine_client.connect(60)
    welcome = client.wait_for(protocol.Welcome)
    client.close()
    assert [p.ref.id for p in welcome.state.players] == ["front-wash"]
    assert welcome.state.masters.grand == 0.5
    assert welcome.state.draft.look == {"par-1": {"Dimmer": 0.5}}
    assert values(node, 1)[0] == 108
    finish(again)
    stop_engine()


def niceness(pid: int) -> dict[str, int]:
    """How far each thread of a process gives way, by its name (/proc/PID/task)."""
    found = {}
    for task in Path(f"/proc/{pid}/task").iterdir():
        with contextlib.suppress(OSError):
            name, _, rest = (
                (task / "stat").read_text().partition("(")[2].rpartition(")")
            )
            found[f"{name} {task.name}"] = int(rest.split()[16])
    return found


def test_a_window_gives_way_to_the_engine_that_it_starts(demo_path, node):
    own = os.getpriority(os.PRIO_PROCESS, 0)
    window = start_window(demo_path)
    until(window_answers, 20)
    client = engine_client.connect(60)
    engine = client.wait_for(protocol.Welcome).pid
    client.close()
    less = min(19, own + starter.LESS)
    assert os.getpriority(os.PRIO_PROCESS, window.pid) == less
    assert set(niceness(window.pid).values()) == {own, less}
    assert max(niceness(engine).values()) == own
    adj = [
        int(Path(f"/proc/{p}/oom_score_adj").read_text()) for p in (window.pid, engine)
    ]
    assert adj[0] > adj[1]
    os.kill(engine, signal.SIGKILL)  # and the next one, which the supervisor starts
    until(lambda: holder(folders.runtime())[0] not in (0, engine), 20)
    again = holder(folders.runtime())[0]
    assert max(niceness(again).values()) == own
    finish(window)
    stop_engine()


def test_a_new_window_shows_what_plays_and_the_draft(qapp, engines, demo_path, node):
    client = engines.start(demo_path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    client.send(protocol.SetValues(look={"par-1": {"Dimmer": 0.5}}))
    until(lambda: values(node, 1)[10:11] == [128])
    hands = open_window(demo_path, engines.connect())
    try:
        assert hands.window.ledger.isVisible()
        perform = hands.place("perform")
        hands.until(lambda: perform.tiles["front-wash-fader"].fader.level == 1.0)
        assert len(perform.on_now.rows) == 1
    finally:
        leave(hands)


def test_the_engine_is_killed_and_comes_back_with_the_same_light(hands, node):
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.5}})
    hands.until(lambda: values(node, 1)[0] == 217 and values(node, 1)[10] == 128)
    client = engine_client.Client()
    pid = client.wait_for(protocol.Welcome).pid
    client.close()
    os.kill(pid, signal.SIGKILL)
    before = node.reports()[0].packets
    hands.until(
        lambda: (
            hands.window.notice.isVisible()
            and "was started again" in hands.window.notice.text.text()
        )
    )
    hands.until(lambda: node.reports()[0].packets > before + 20)
    hands.until(lambda: values(node, 1)[0] == 217 and values(node, 1)[10] == 128)
    hands.parts.engine.set_level("front-wash-fader", 0.5)
    hands.until(lambda: values(node, 1)[0] == 108)


def test_the_window_goes_on_while_the_engine_is_stopped_and_all_of_it_arrives(
    hands, node
):
    """Engine and supervisor stand still: nobody starts another one."""
    tile = hands.place("perform").tiles["front-wash-fader"]
    hands.parts.engine.set_level("front-wash-fader", 0.2)
    hands.until(lambda: values(node, 1)[:1] == [43])
    engine, parent = holder(folders.runtime())
    try:
        for process in (parent, engine):
            os.kill(process, signal.SIGSTOP)
        document = hands.parts.document
        lamps = list(document.show.fixtures)
        for i in range(300):  # far more than its line holds
            hands.parts.engine.set_level("front-wash-fader", i / 300)
            look = {lamp: {"Dimmer": i / 300} for lamp in lamps}
            hands.parts.draft.touch(look)
            renamed = edits.replace(document.show, name=f"Tide {i}")
            document.edit("rename", renamed)
            QApplication.processEvents()
        hands.parts.engine.set_level("front-wash-fader", 1.0)
        hands.parts.draft.clear()
        assert tile.isVisible()
        hands.until(lambda: "does not answer" in hands.window.notice.text.text())
        hands.until(lambda: showfile.read(document.path).name == "Tide 299")
    finally:
        for process in (parent, engine):
            os.kill(process, signal.SIGCONT)
    hands.until(lambda: hands.parts.engine.up_to_date)
    hands.until(lambda: values(node, 1)[:1] == [217])
    standing = hands.window.notice.standing
    hands.until(lambda: not any("does not answer" in text for text in standing))
    client = engine_client.Client(window=False)
    client.send(protocol.Hello(window=False))
    hands.until(lambda: client.wait_for(protocol.Welcome).show.name == "Tide 299")
    client.close()


def test_an_engine_that_hangs_with_its_supervisor_dead_is_ended_by_the_next_window(
    hands, node
):
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    hands.until(lambda: values(node, 1)[:1] == [217])
    engine, parent = holder(folders.runtime())
    os.kill(engine, signal.SIGSTOP)
    os.kill(parent, signal.SIGKILL)
    hands.until(lambda: "does not answer" in hands.window.notice.text.text())
    hands.until(lambda: holder(folders.runtime())[0] not in (0, engine))
    packets = node.reports()[0].packets
    hands.until(lambda: node.reports()[0].packets > packets + 20)
    assert values(node, 1)[0] == 217


def test_an_engine_that_holds_what_was_sent_last_gives_a_window_no_show(
    qapp, engines, demo_path, node
):
    """It has none. What the window opens is what lies on disk, and that is played."""
    lit_and_dead(engines, demo_path, node)
    good = demo_path.read_bytes()
    demo_path.write_bytes(b"PK no more")
    engines.start(demo_path)
    assert engines.connect().wait_for(protocol.Welcome).held
    demo_path.write_bytes(good)
    opened, client = app.begin_with(demo_path)
    assert opened.show.fixtures
    assert client.wait_for(protocol.Welcome).show.fixtures
    client.close()
    assert showfile.read(demo_path).fixtures


def test_an_engine_that_goes_as_it_is_spoken_to_leaves_a_window_that_opens(
    qapp, engines, demo_path, monkeypatch
):
    """It greets, and is gone before the window links to it for good."""
    engines.start(demo_path)
    real, made = engine_client.Client, []

    def client(*given):
        made.append(given)
        if len(made) > 1:
            raise ConnectionRefusedError("it has gone")
        return real(*given)

    monkeypatch.setattr(engine_client, "Client", client)
    opened, link = app.begin_with(demo_path)
    assert len(made) == 2
    assert link is None
    assert opened.show.fixtures
    monkeypatch.undo()


def lit_and_dead(engines, path: Path, node) -> None:
    """An engine lit something, and was ended with its supervisor."""
    client = engines.start(path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])
    until(lambda: (known := session.load("low-tide")) is not None and known.players)
    engines.kill()
    for version in showfile.versions(path):
        version.unlink()


@pytest.mark.parametrize("newer", ["file", "engine"])
def test_of_two_states_of_a_show_the_newer_one_is_opened(
    qapp, engines, demo_path, node, newer
):
    show = showfile.read(demo_path)
    of_engine = {"file": 3, "engine": 90}[newer]
    client = engines.start(demo_path)
    told = edits.replace(show, name="engine")
    client.send(protocol.PutShow(told, str(demo_path), of_engine))
    until(lambda: engines.connect().wait_for(protocol.Welcome).show.name == "engine")
    showfile.write(demo_path, edits.replace(show, name="file"), edits=50)
    opened, met = app.begin_with(demo_path)
    assert opened.show.name == newer
    hands = open_window(demo_path, met)
    try:
        hands.until(lambda: hands.parts.document.show.name == newer)
        hands.until(lambda: hands.parts.engine.up_to_date)
        assert engines.connect().wait_for(protocol.Welcome).show.name == newer
        hands.until(lambda: showfile.read(demo_path).name == newer)
        count = hands.parts.document.edits
        hands.parts.document.edit("x", edits.replace(show, name="next"))
        assert hands.parts.document.edits == count + 1
    finally:
        end(hands)


def test_clashes_and_runs_past_512_are_told_before_anything_hangs(hands):
    rig = hands.place("rig")
    rig.hang.choose_type("tarnby-par-7")
    rig.hang.count.setValue(2)
    rig.hang.address.setValue(5)
    assert (
        "Front 5, Front 6, House 1 and 3 more already have slots here"
        in rig.hang.preview.text()
    )
    assert not rig.hang.go.isEnabled()
    assert rig.ribbon.ribbon.ghost.clash
    rig.hang.address.setValue(500)
    assert rig.hang.preview.text() == "Universe 1, 500–507 · Universe 2, 49–56: free."
    rig.hang.over.setChecked(False)
    rig.hang.address.setValue(500)
    assert "ends past 512. 1 would fit" in rig.hang.preview.text()
    assert not rig.hang.go.isEnabled()
    hands.click(hands.button(rig, "Next free"))
    assert rig.hang.address.value() == 113
    assert rig.hang.go.isEnabled()
    rig.hang.address.setValue(513)
    assert rig.hang.address.value() == 512


def test_two_fixtures_on_one_slot_are_hatched_and_told(qapp, own_folders, node):
    show = edits.change_fixtures(low_tide(port=node.port), {"par-2": {"address": 15}})
    path = own_folders / "clash.choreon"
    showfile.write(path, show)
    hands = open_window(path)
    try:
        rig = hands.place("rig")
        assert "Par 1 and Par 2 share 1.15–18" in rig.ribbon.note.text()
        hands.parts.selection.choose(["par-2"])
        assert "both have slots 15–18 of universe 1" in rig.in_hand.trouble.text()
        rig.in_hand.address.setValue(120)
        rig.in_hand.address.editingFinished.emit()
        assert "no clashes" in rig.ribbon.note.text()
    finally:
        end(hands)


def test_an_unknown_type_is_kept_shown_and_the_rest_plays(qapp, own_folders, node):
    show = low_tide(port=node.port)
    show = edits.change_fixtures(show, {"par-1": {"type": "sunk-lamp"}})
    path = own_folders / "unknown.choreon"
    showfile.write(path, show)
    hands = open_window(path)
    try:
        rig = hands.place("rig")
        hands.parts.selection.choose(["par-1"])
        assert "Unknown type “sunk-lamp”" in rig.in_hand.kind.text()
        hands.parts.engine.set_level("front-wash-fader", 1.0)
        hands.until(lambda: values(node, 1)[0] == 217)
        hands.parts.document.edit(
            "rename", edits.replace(hands.parts.document.show, name="Ebb")
        )
        hands.until(lambda: showfile.read(path).name == "Ebb")
        assert showfile.read(path).fixtures["par-1"].type == "sunk-lamp"
        assert "par-1" in showfile.read(path).playables["slack-water"].look
    finally:
        end(hands)


def test_a_block_is_dragged_to_another_address_and_programming_follows(hands, node):
    rig = hands.place("rig")
    ribbon = rig.ribbon.ribbon
    ribbon.grab()
    start = ribbon.rect_of(81, 81)[0].center()
    goal = ribbon.rect_of(201, 201)[0].center()
    hands.drag(ribbon, start, goal)
    assert hands.parts.document.show.fixtures["uplight-1"].address == 201
    hands.parts.engine.press("mudlight-pad")
    hands.until(lambda: values(node, 1)[200] > 0, 12)
    hands.drag(
        ribbon, ribbon.rect_of(201, 201)[0].center(), ribbon.rect_of(12, 12)[0].center()
    )
    assert "does not fit there: Par 1" in hands.window.notice.text.text()
    assert hands.parts.document.show.fixtures["uplight-1"].address == 201


def test_a_fixture_is_moved_on_the_plan_and_escape_leaves_it(hands):
    rig = hands.place("rig")
    plan = rig.plan
    before = hands.parts.document.show.fixtures["wash-1"].place
    start = plan.at(before)
    hands.drag(plan, start, start + QPointF(60, 30))
    moved = hands.parts.document.show.fixtures["wash-1"].place
    assert moved.x > before.x
    assert moved.y < before.y
    hands.drag(plan, plan.at(moved), plan.at(moved) + QPointF(50, 0), release=False)
    QTest.keyClick(plan, Qt.Key.Key_Escape)
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=plan.at(moved).toPoint())
    assert hands.parts.document.show.fixtures["wash-1"].place == moved
    QTest.keyClick(plan, Qt.Key.Key_Delete)
    assert "wash-1" not in hands.parts.document.show.fixtures
    hands.parts.document.undo()
    assert hands.parts.document.show.fixtures["wash-1"].place == moved


def test_a_place_that_cannot_be_written_is_told_and_a_copy_is_kept(
    hands, demo_path, monkeypatch
):
    def refuse(path, show, **more):
        if path == demo_path:
            raise PermissionError(13, "Permission denied")
        return real(path, show, **more)

    real = showfile.write
    with monkeypatch.context() as patched:
        patched.setattr(showfile, "write", refuse)
        hands.parts.document.edit(
            "rename", edits.replace(hands.parts.document.show, name="Ebb")
        )
        hands.until(lambda: "cannot be written" in hands.window.notice.text.text())
        assert "not kept in its place" in hands.window.heading.kept.text()
        copy = rescue.rescue_path(demo_path, "low-tide")
        assert showfile.read(copy).name == "Ebb"
    hands.parts.document.edit(
        "rename", edits.replace(hands.parts.document.show, name="Flood")
    )
    hands.until(lambda: showfile.read(demo_path).name == "Flood")
    hands.until(lambda: hands.window.heading.kept.text().startswith("kept "))


def test_whatever_lies_among_its_files_a_window_opens(qapp, demo_path, node):
    """Each of its own files is damaged, or is none at all."""
    os.mkfifo(folders.state() / "window.ini")
    (folders.state() / "recent-types.json").write_text("[" * 100_000)
    (folders.state() / "source-id").write_text("no id")
    os.mkfifo(folders.types() / "pipe.json")
    (folders.types() / "deep.json").write_text("[" * 100_000)
    (folders.types() / "deleted").write_text("")
    hands = open_window(demo_path)
    try:
        told = " ".join(hands.window.notice.standing)
        assert "window was arranged cannot be read" in told
        assert (folders.state() / "window.ini.damaged").exists()
        assert (folders.state() / "source-id.damaged").exists()
        hands.until(lambda: len(hands.parts.document.types_trouble) == 2)
        hands.parts.engine.set_level("front-wash-fader", 1.0)
        hands.until(lambda: values(node, 1)[:1] == [217])
    finally:
        end(hands)
    hands = open_window(demo_path)  # told once
    try:
        assert "arranged" not in hands.window.notice.text.text()
    finally:
        end(hands)


@pytest.mark.parametrize(
    "lines",
    [
        "[General]\nplace=@Invalid()\ngeometry=word\n[rig]\nview=-1e99\n",
        "[General]\nplace=@Variant(\\0\\0\\0\\x7f\\0)\nscale=nan\nshow=\\0\n",
        "[list]\ncolumns=99999999999 x -1\n[splitter]\nrig-0=1\n[viewpoint]\n1=,\n",
        "\\0\\xff no settings at all",
    ],
)
def test_settings_that_mean_nothing_count_as_none(qapp, demo_path, node, lines):
    (folders.state() / "window.ini").write_text(lines)
    assert find_show(None).show.name
    hands = open_window(demo_path)
    assert hands.window.place in ("perform", "rig")
    end(hands)


def test_without_any_folder_to_write_to_a_window_opens_and_the_light_plays(
    qapp, demo_path, node, own_folders
):
    for name in ("XDG_DATA_HOME", "XDG_STATE_HOME"):
        (Path(os.environ[name]) / "choreon").write_text("not a folder")
    hands = open_window(demo_path)
    try:
        hands.parts.engine.set_level("front-wash-fader", 1.0)
        hands.until(lambda: values(node, 1)[:1] == [217])
        hands.until(lambda: "cannot be written" in hands.window.notice.text.text())
        renamed = edits.replace(hands.parts.document.show, name="Ebb")
        hands.parts.document.edit("rename", renamed)
        hands.until(lambda: showfile.read(demo_path).name == "Ebb")
    finally:
        end(hands)


def test_closing_asks_once_and_remembers(hands, demo_path, node):
    seen = []

    def answer() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, CloseDialog)
        seen.append(dialog)
        if len(seen) == 1:
            dialog.cancel.click()
        else:
            dialog.remember.setChecked(True)
            dialog.go_on.click()

    timer = basics.once(hands.window, 100, answer)
    timer.start()
    hands.window.close()
    assert hands.window.isVisible()
    timer.start()
    hands.window.close()
    assert not hands.window.isVisible()
    assert hands.window.settings.value("on_close") == "go on"
    before = node.reports()[0].packets
    until(lambda: node.reports()[0].packets > before + 20)
    again = open_window(demo_path, engine_client.Client())
    again.window.close()  # remembered: no question
    assert not again.window.isVisible()
    again.window.deleteLater()
    assert len(seen) == 2


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"PK\x03\x04 half a zip", "is not a whole show file"),
        (b"just words", "is not a whole show file"),
    ],
)
def test_a_damaged_show_with_no_version_is_left_alone_and_told(
    own_folders, content, words
):
    path = own_folders / "old.choreon"
    path.write_bytes(content)
    opened = find_show(path)
    assert words in opened.note
    assert "new show was begun" in opened.note
    assert opened.path != path
    assert path.read_bytes() == content


def test_the_rescued_copy_is_opened_when_it_is_newer(own_folders, demo_show):
    path = own_folders / "s.choreon"
    showfile.write(path, demo_show)
    rescue.keep(path, edits.replace(demo_show, name="Ebb"), rescue.digest_of(path))
    os.utime(path, (time.time() + 6000, time.time() + 6000))  # dates change nothing
    opened = find_show(path)
    assert opened.show.name == "Ebb"
    assert "newer copy" in opened.note


def test_an_engine_without_a_file_keeps_its_show_when_a_window_comes(
    qapp, engines, node
):
    engines.running.append(
        subprocess.Popen(
            [
                sys.executable,
                "-m",
                "choreon",
                "engine",
                "--demo",
                "--port",
                str(node.port),
            ]
        )
    )
    engines.connect().wait_for(protocol.Welcome)
    opened, client = app.begin_with(None)
    assert opened.show.name == "Low Tide"
    assert opened.path == folders.shows() / "Low Tide.choreon"
    assert client.wait_for(protocol.Welcome).state.players
    client.close()


@pytest.mark.parametrize("agreed", [False, True])
def test_another_show_takes_the_stage_only_when_agreed(
    qapp, engines, demo_path, node, own_folders, monkeypatch, agreed
):
    other = own_folders / "Workshop.choreon"
    showfile.write(other, app.empty_show("Workshop"))
    client = engines.start(demo_path)
    client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
    until(lambda: values(node, 1)[:1] == [217])

    def answer() -> None:
        box = QApplication.activeModalWidget()
        assert "Low Tide is on stage" in box.text()
        wanted = "Open Workshop" if agreed else "Stay with Low Tide"
        next(b for b in box.buttons() if b.text() == wanted).click()

    timer = basics.once(qapp, 200, answer)
    timer.start()
    opened, taken = app.begin_with(other)
    assert opened.show.name == ("Workshop" if agreed else "Low Tide")
    if not agreed:
        assert values(node, 1)[0] == 217
    else:
        until(lambda: all(r.ended for r in node.reports()))
    taken.close()


@pytest.mark.parametrize("ended", [None, signal.SIGINT, signal.SIGTERM])
def test_demo_starts_window_node_and_controller(own_folders, ended):
    """`choreon demo` from nothing, with no screen: the node has the three universes,
    the controller is there, the show is kept; when the window goes, the light stays.
    What ends the demo then ends the stand-ins; without the engine they end as well.
    """
    port, http = free_port(), free_port()
    demo = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "choreon",
            "demo",
            "--port",
            str(port),
            "--http",
            str(http),
        ],
        env={
            k: v
            for k, v in os.environ.items()
            if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        },
    )
    try:

        def reports() -> list[dict]:
            try:
                with urllib.request.urlopen(node_url(http), timeout=1) as answer:
                    return msgspec.json.decode(answer.read())
            except OSError:
                return []

        until(lambda: [r["universe"] for r in reports()] == [1, 2, 3], 20)
        client = engine_client.connect(60)
        until(
            lambda: client.wait_for(protocol.Ports, 60).ports.get(
                "Practice controller"
            ),
            20,
        )
        client.close()
        until(window_answers, 20)
        until(
            lambda: reports()[0]["values"][10] == 140
        )  # Slack Water is on from the start
        assert (folders.shows() / "Low Tide.choreon").exists()
        demo.send_signal(
            signal.SIGTERM
        )  # the window goes, the light and the stand-ins stay
        before = reports()[0]["packets"]
        until(lambda: reports()[0]["packets"] > before + 44)
        assert demo.poll() is None
        until(lambda: not window_answers())
        if ended is None:
            stop_engine()
        else:
            demo.send_signal(ended)
        assert demo.wait(60) == 0
        until(lambda: reports() == [])
    finally:
        demo.kill()
        demo.wait(60)
        stop_engine()


def test_a_drag_never_jumps_back_while_the_engine_answers(hands):
    """States that the engine sent before it heard of a change do not undo it on the
    screen.
    """
    hands.place("compose")
    parts, seen = hands.parts, []
    parts.engine.state_changed.connect(
        lambda state: seen.append(state.draft.look.get("par-1", {}).get("Dimmer"))
    )
    for i in range(1, 120):
        parts.draft.touch({"par-1": {"Dimmer": i / 120}})
        QTest.qWait(3)
    assert seen == sorted(seen)
    parts.draft.untouch({"par-1": ("Dimmer",)})
    del seen[:]
    for _ in range(40):
        QTest.qWait(3)
    assert set(seen) <= {None}
    hands.until(lambda: parts.engine.state.draft.revision == parts.engine.revision)
