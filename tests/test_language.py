"""Whatever is seen goes through one function, whole."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from tests.journeys.marks import marked
from tools import catalogue

INNER = Path(__file__).parent / "journeys" / "in_another_language.py"


def test_the_window_in_a_language_of_marks(tmp_path):
    """Every place, form and dialog: all that is read comes out of the catalogue."""
    folder = tmp_path / "locale"
    catalogue.compile_to(folder, "fr", catalogue.filled(marked, "fr"))
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", str(INNER)],
        env={**os.environ, "CHOREON_LOCALE": str(folder), "LANGUAGE": "fr"},
        capture_output=True,
        text=True,
        timeout=200,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-20000:]
