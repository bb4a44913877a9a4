"""Where the window keeps how it was arranged."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import QSettings

from choreon import folders


def settings_file() -> Path:
    """Returns the file of the window's settings."""
    return folders.state() / "window.ini"


def scale_of(settings: QSettings) -> float:
    """Returns how large everything is drawn, 0.8…2; what is no number counts as 1."""
    try:
        scale = float(str(settings.value("scale") or 1.0))
    except ValueError:
        return 1.0
    return min(2.0, max(0.8, scale)) if math.isfinite(scale) else 1.0
