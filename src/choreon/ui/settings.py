"""Where the window keeps how it was arranged."""

from __future__ import annotations

from pathlib import Path

from choreon import folders


def settings_file() -> Path:
    """Returns the file of the window's settings."""
    return folders.state() / "window.ini"
