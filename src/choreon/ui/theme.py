"""Colours, fonts and icons: the tokens of the design, and the style sheet
made of them.
"""

from __future__ import annotations

import re
from functools import cache
from importlib.resources import files

from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontDatabase,
    QIcon,
    QPainter,
    QPalette,
    QPixmap,
)
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication, QWidget

from choreon.ui.pixmaps import kept

# grounds, the last one of what is checked or under the pointer
PIT, DECK, FLAT, LIFT = "#131014", "#1B171D", "#252028", "#37313C"
# lines and tracks; the edges of what can be pressed, three to one on every ground
BATTEN, EDGE = "#443C4A", "#80768A"
# FAINT is for what is dead, never for what has to be read
TEXT, SOFT, FAINT = "#F2ECEF", "#B9AEBB", "#948897"
LIVE, DRAFT, CHOSEN, KEEP, ALARM = "#5FD3B8", "#F5A85C", "#A5B1FF", "#D9C46A", "#FF9087"
STAGE_BLACK = "#0B0B0B"

CONTRAST = {
    "PIT": "#000000",
    "DECK": "#0A0A0C",
    "FLAT": "#121216",
    "LIFT": "#1E1E26",
    "BATTEN": "#5A5A66",
    "EDGE": "#B9B3C2",
    "TEXT": "#FFFFFF",
    "SOFT": "#E9E6EC",
    "FAINT": "#C9C3D0",
    "LIVE": "#8CF8DC",
    "DRAFT": "#FFD9AE",
    "CHOSEN": "#DCE2FF",
    "KEEP": "#FFE97A",
    "ALARM": "#FFD2CD",
}
"""The same tokens for those who need more contrast: text on every ground over 12:1."""

FAMILY = "Atkinson Hyperlegible Next"
RADIUS = 6


def colour(token: str, alpha: float = 1.0) -> QColor:
    """A token as a colour, `alpha` 0…1."""
    made = QColor(token)
    made.setAlphaF(alpha)
    return made


def font(size: int = 14, strong: bool = False) -> QFont:
    """The shipped font at a size in pixels, with tabular figures and a slashed zero."""
    made = QFont(FAMILY)
    made.setPixelSize(size)
    made.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    for tag in ("tnum", "zero"):
        made.setFeature(QFont.Tag(tag), 1)
    return made


@cache
def icon(name: str, token: str = "", active: str = "") -> QIcon:
    """A shipped icon, in one colour, and in another when checked or under the pointer.
    A dark one stands on a light button, and stays dark.
    """
    token, active = token or SOFT, active or (PIT if token == PIT else TEXT)
    made = QIcon()
    made.addPixmap(pixmap(name, token), QIcon.Mode.Normal, QIcon.State.Off)
    made.addPixmap(pixmap(name, active), QIcon.Mode.Normal, QIcon.State.On)
    made.addPixmap(pixmap(name, active), QIcon.Mode.Active, QIcon.State.Off)
    made.addPixmap(pixmap(name, BATTEN), QIcon.Mode.Disabled, QIcon.State.Off)
    return made


@cache
def icon_names() -> frozenset[str]:
    """Returns the names of the shipped icons."""
    icons = files("choreon.ui").joinpath("icons").iterdir()
    return frozenset(f.name[:-4] for f in icons if f.name.endswith(".svg"))


@cache
def pixmap(name: str, token: str = SOFT, size: int = 48) -> QPixmap:
    """A shipped icon drawn in a colour."""
    svg = (
        files("choreon.ui")
        .joinpath("icons", f"{name}.svg")
        .read_text()
        .replace("currentColor", token)
    )
    made = QPixmap(size, size)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    QSvgRenderer(QByteArray(svg.encode())).render(painter)
    painter.end()
    return kept(made)


def apply(app: QApplication, contrast: bool = False) -> None:
    """Load the fonts and dress the application. `contrast`: in the high-contrast
    tokens, for as long as it runs.
    """
    if contrast:
        globals().update(CONTRAST)
    for file in files("choreon.ui").joinpath("fonts").iterdir():
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(QByteArray(file.read_bytes()))
    app.setStyle("Fusion")
    app.setFont(font())
    app.setPalette(_palette())
    app.setStyleSheet(style())
    app.setWindowIcon(QIcon(pixmap("choreon", size=128)))


def _palette() -> QPalette:
    role = QPalette.ColorRole
    palette = QPalette()

    for key, token in (
        (role.Window, PIT),
        (role.Base, FLAT),
        (role.AlternateBase, DECK),
        (role.Button, FLAT),
        (role.WindowText, TEXT),
        (role.Text, TEXT),
        (role.ButtonText, TEXT),
        (role.ToolTipBase, FLAT),
        (role.ToolTipText, TEXT),
        (role.PlaceholderText, SOFT),
        (role.Highlight, CHOSEN),
        (role.HighlightedText, PIT),
        (role.Link, CHOSEN),
    ):
        palette.setColor(key, QColor(token))

    for key in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, key, QColor(FAINT))

    return palette


ICON = QSize(18, 18)


def undress() -> None:
    """Have the application have no style sheet of its own, while a window is built that
    is dressed when it stands: with one, every widget that is moved below another is
    styled anew, with all that is in it.
    """
    app = QApplication.instance()
    if isinstance(app, QApplication) and app.styleSheet():
        app.setStyleSheet("")


def dress(window: QWidget) -> None:
    """Give a window, and all that is put into it later, the style sheet."""
    window.setStyleSheet(style())


def style() -> str:
    """The style sheet with the tokens filled in."""
    text = files("choreon.ui").joinpath("style.qss").read_text()
    tokens = {
        "pit": PIT,
        "deck": DECK,
        "flat": FLAT,
        "lift": LIFT,
        "batten": BATTEN,
        "edge": EDGE,
        "text": TEXT,
        "soft": SOFT,
        "faint": FAINT,
    }

    tokens |= {
        "live": LIVE,
        "draft": DRAFT,
        "chosen": CHOSEN,
        "keep": KEEP,
        "alarm": ALARM,
        "radius": str(RADIUS),
    }

    tokens["icons"] = str(files("choreon.ui").joinpath("icons"))
    return re.sub("@(" + "|".join(tokens) + ")", lambda m: tokens[m.group(1)], text)
