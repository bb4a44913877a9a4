"""Whether a show once had a window that stood. One that ends the window as it is opened
is not opened again and again.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

STANDS = 400  # milliseconds after which a window counts as standing
PATIENCE = 2  # attempts that may end before the window stands

_PATH, _COUNT = "opening", "openings"


def begin(settings: QSettings, path: Path) -> int:
    """A window is about to be opened on a show. Returns how often that was tried before
    without one that stood.
    """
    known = settings.value(_PATH) == str(path)
    count = str(settings.value(_COUNT, 0)) if known else ""
    before = int(count) if count.isdigit() else 0
    settings.setValue(_PATH, str(path))
    settings.setValue(_COUNT, before + 1)
    settings.sync()  # it may be the last thing that this process does
    return before


def reached(settings: QSettings) -> None:
    """The window stands."""
    settings.remove(_PATH)
    settings.remove(_COUNT)
