"""Which page of the help is about a widget: what it is itself, or lies in."""

from __future__ import annotations

from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QApplication, QWidget

from choreon.ui.help.pages import START

PAGE_OF = {
    # all places
    "Heading": "start",
    "TempoBox": "tempo",
    "Ledger": "draft",
    "KeepForm": "draft",
    "FindBox": "find",
    "Notice": "trust",
    "Troubles": "trust",
    # rig
    "RigPlace": "hang",
    "PlanView": "hang",
    "HangPanel": "hang",
    "WallDialog": "hang",
    "HangTable": "hang",
    "RoomPanel": "hang",
    "WalkBar": "hang",
    "SwapDialog": "hang",
    "InHand": "addresses",
    "RibbonPanel": "addresses",
    "Strips": "addresses",
    "WhyCard": "addresses",
    "TypeList": "types",
    "TypeEditor": "types",
    "OutputsView": "outputs",
    # compose
    "ComposePlace": "values",
    "SelectionPanel": "choose",
    "StagePicture": "choose",
    "AttributePanel": "values",
    "SpreadPanel": "values",
    "MotionPanel": "motion",
    "MotionForm": "motion",
    "PaletteChips": "palettes",
    "Shelf": "draft",
    "Steps": "chases",
    "PatternDialog": "chases",
    "CanvasBoard": "canvas",
    "CanvasPanel": "canvas",
    "FigureDialog": "canvas",
    # score
    "ScorePlace": "cues",
    "ColumnsDialog": "cues",
    "CueWidget": "cues",
    "LinePane": "timelines",
    "EveningPane": "timelines",
    "SoundDialog": "timelines",
    "MusicPanel": "tempo",
    # perform and surfaces
    "PerformPlace": "perform",
    "PageView": "perform",
    "OnNow": "perform",
    "Inspector": "perform",
    "RigPageDialog": "perform",
    "LampPanel": "masters",
    "AsidePanel": "masters",
    "MasterWidget": "masters",
    "AsideWidget": "masters",
    "TempoWidget": "tempo",
    "GuestDialog": "guest",
    "SurfacesPlace": "surfaces",
    # shows
    "NewShowDialog": "shows",
    "OpenShowDialog": "shows",
    "VersionsDialog": "shows",
}
"""The class of a widget → the page about it."""


def page_of(widget: QWidget | None) -> str:
    """Returns the page about a widget; where there is none, about what it lies in."""
    while widget is not None:
        for kind in type(widget).__mro__:
            if kind.__name__ in PAGE_OF:
                return PAGE_OF[kind.__name__]
        widget = widget.parentWidget()
    return START


def under_hand() -> str:
    """Returns the page about what is under the mouse; where that is outside of the
    program, about what has the focus.
    """
    return page_of(QApplication.widgetAt(QCursor.pos()) or QApplication.focusWidget())
