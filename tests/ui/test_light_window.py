"""What keeps the window light: nothing heavy is loaded for it, nothing is read twice."""

from __future__ import annotations

import subprocess
import sys

import numpy as np

from choreon.engine.screen import ScreenReader, SharedFrame

HEAVY = ("reportlab", "pygdtf", "pymvr", "PIL", "scipy", "importlib.metadata")


def test_what_the_window_seldom_needs_is_not_loaded_with_it():
    code = (
        "import sys, choreon.ui.app\n"
        f"print([name for name in {HEAVY!r} if name in sys.modules])"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "[]"


def test_frames_that_are_alike_are_the_very_same(tmp_path):
    path = tmp_path / "screen"
    screen, frame = SharedFrame(path), np.zeros((2, 512), np.uint8)
    screen.publish((1, 5), frame, 0.0)
    reader = ScreenReader(path)
    first = reader.changed()
    assert first is not None
    assert list(first[1]) == [1, 5]
    screen.publish((1, 5), frame, 0.1)  # the same once more
    assert reader.changed() is first
    frame[1, 7] = 9
    assert reader.changed() is first  # it has not been published
    screen.publish((1, 5), frame, 0.2)
    second = reader.changed()
    assert second is not first
    assert second[0] != first[0]
    assert second[1][5][7] == 9
    assert first[1][5][7] == 0  # what was read stays as it was
    screen.publish((1, 6), frame, 0.3)  # alike, but of another universe
    assert list(reader.changed()[1]) == [1, 6]


def test_a_frame_that_is_being_written_is_not_read(tmp_path):
    path = tmp_path / "screen"
    screen = SharedFrame(path)
    reader = ScreenReader(path)
    assert reader.changed() is None  # none was shown yet
    screen.publish((1,), np.full((1, 512), 3, np.uint8), 0.0)
    assert reader.changed()[1][1][0] == 3
