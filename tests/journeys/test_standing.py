"""A show that ends every window does not keep the next start from standing: real
processes, killed before their window stood.
"""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings

from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.formats import showfile
from choreon.formats.versions import versions
from choreon.model import edits
from choreon.ui.settings import settings_file
from tests.conftest import until


def setting(key: str) -> object:
    return QSettings(str(settings_file()), QSettings.Format.IniFormat).value(key)


@pytest.fixture
def windows(engines):
    """Starts windows as real processes."""
    started: list[subprocess.Popen[bytes]] = []

    def start(*words: str) -> subprocess.Popen[bytes]:
        started.append(
            subprocess.Popen(
                [sys.executable, "-m", "choreon", *words],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
            )
        )
        return started[-1]

    yield start
    for process in started:
        if process.poll() is None:
            process.kill()
            process.wait(60)


def killed_as_it_opens(process: subprocess.Popen[bytes], attempt: int) -> None:
    until(lambda: str(setting("openings")) == str(attempt), 20.0)
    process.send_signal(signal.SIGKILL)
    process.wait(60)


def any_left(home: Path) -> bool:
    """Whether a process with these folders is there still: the window that was killed
    may have started an engine, which may not listen yet. It is asked to end.
    """
    with contextlib.suppress(OSError):
        client = engine_client.Client(window=False)
        client.send(protocol.Stop(0.0))
        client.close()

    mark = f"XDG_RUNTIME_DIR={home}/".encode()
    for environment in Path("/proc").glob("[0-9]*/environ"):
        with contextlib.suppress(OSError):
            if mark in environment.read_bytes():
                return True
    return False


def test_a_show_that_ended_two_windows_gives_way_to_its_last_version(
    windows, engines, own_folders
):
    path = own_folders / "Low Tide.choreon"
    good = low_tide(port=9)
    showfile.write(path, good)
    bad = edits.replace(good, name="Ends every window")
    showfile.write(path, bad, edits=1)
    if not versions(path):  # as it would be kept in the course of an evening
        folder = path.parent / f".{path.stem}-versions"
        folder.mkdir(exist_ok=True)
        showfile.write(folder / "000001-20260101-000000.choreon", good, versions=False)

    killed_as_it_opens(windows("open", str(path)), 1)
    assert setting("show") is None  # it is not the one to begin with
    killed_as_it_opens(windows("open", str(path)), 2)
    windows("open", str(path))
    until(lambda: setting("show") == str(path), 20.0)
    assert setting("openings") is None
    client = engine_client.connect(60)
    try:
        assert client.wait_for(protocol.Welcome).show.name == good.name
    finally:
        client.close()
    kept = [p for p in path.parent.iterdir() if "damaged" in p.name]
    assert [showfile.read(p).name for p in kept] == [bad.name]


def test_a_plain_start_stands_after_one_that_was_asked_for_by_name_did_not(
    windows, own_folders
):
    path = own_folders / "Low Tide.choreon"
    showfile.write(path, low_tide(port=9))
    killed_as_it_opens(windows("open", str(path)), 1)
    until(lambda: not any_left(own_folders), 20.0)
    windows()
    until(lambda: setting("show") not in (None, str(path)), 20.0)
