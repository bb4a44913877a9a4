"""Where the window keeps how it was arranged. What is damaged is set aside; a value
that means nothing counts as none.
"""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import QByteArray, QSettings

from choreon import folders
from choreon.language import sentences, tr

MOST = 1 << 20  # bytes of settings; a file with more is none of ours
SIZES = (80, 90, 100, 110, 125, 150, 175, 200)  # per cent, in which all is drawn
CLOSING = {
    "": tr("Ask what happens to the light"),
    "go on": tr("Let the light go on"),
    "stop": tr("Fade out and stop"),
}
"""What becomes of the light when the window is closed."""

_looked_at: set[Path] = set()
_troubles: list[str] = []


def settings_file() -> Path:
    """Returns the file of the window's settings."""
    return folders.state() / "window.ini"


def open_settings() -> QSettings:
    """Returns the window's settings. A file that cannot be read is set aside first."""
    file = settings_file()
    if file not in _looked_at:
        _looked_at.add(file)
        why = _damage(file)
        if why:
            _set_aside(file, why)
    return QSettings(str(file), QSettings.Format.IniFormat)


def take_troubles() -> str:
    """Returns in words what was set aside since this was asked last."""
    text = sentences(*_troubles)
    _troubles.clear()
    return text


def _damage(file: Path) -> str:
    """What is wrong with a file of settings; empty where it can be read, or is not
    there.
    """
    try:
        data = folders.read_file(file, MOST)
    except FileNotFoundError:
        return ""
    except OSError as error:
        return error.strerror or str(error)
    if b"\0" in data:
        return tr("it is damaged")
    read = QSettings(str(file), QSettings.Format.IniFormat)
    read.allKeys()
    broken = read.status() == QSettings.Status.FormatError
    return tr("it is damaged") if broken else ""


def _set_aside(file: Path, why: str) -> None:
    kept = folders.put_aside(file)
    where = tr("It is kept as {name}.", name=kept.name) if kept is not None else ""
    text = tr(
        "How the window was arranged cannot be read ({why}); it begins anew.", why=why
    )
    _troubles.append(sentences(text, where))


def text_of(settings: QSettings, key: str) -> str:
    """Returns a value as text; empty where there is none."""
    value = settings.value(key)
    return value if isinstance(value, str) else ""


def whole_of(settings: QSettings, key: str) -> list[int]:
    """Returns the whole numbers of a value, parted by spaces; those that are none are
    left out.
    """
    words = str(settings.value(key) or "").split()
    return [int(w) for w in words if w.isascii() and w.isdigit() and len(w) < 10]


def arrangement_of(settings: QSettings, key: str) -> QByteArray:
    """Returns what a widget kept of itself; empty where there is none."""
    value = settings.value(key)
    return value if isinstance(value, QByteArray) else QByteArray()


def scale_of(settings: QSettings) -> float:
    """Returns how large everything is drawn, 0.8…2; what is no number counts as 1."""
    try:
        scale = float(str(settings.value("scale") or 1.0))
    except ValueError:
        return 1.0
    return min(2.0, max(0.8, scale)) if math.isfinite(scale) else 1.0


def is_calm(settings: QSettings) -> bool:
    """Returns whether pictures that would move stand still."""
    return text_of(settings, "motion") == "calm"


def put_scale(settings: QSettings, percent: int) -> str:
    """Have everything drawn at a size, from the next start on. Returns what to tell."""
    settings.setValue("scale", percent / 100.0)
    return tr(
        "From the next start on everything is drawn at {percent} %.", percent=percent
    )


def put_contrast(settings: QSettings, high: bool) -> str:
    """Have high contrast, or the usual one, from the next start on. Returns what to
    tell.
    """
    settings.setValue("contrast", "high" if high else "")
    return (
        tr("From the next start on the contrast is high.")
        if high
        else tr("From the next start on the contrast is usual.")
    )
