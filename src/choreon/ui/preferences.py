"""How the window behaves and looks, for this user: asked in one place."""

from __future__ import annotations

from PySide6.QtCore import QSettings, Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QWidget

from choreon.language import tr
from choreon.ui.keep import AFTER
from choreon.ui.settings import (
    CLOSING,
    SIZES,
    is_calm,
    put_contrast,
    put_scale,
    scale_of,
    text_of,
)
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.tick import Tick


class Preferences(Dialog):
    """What is changed here is kept at once. `later` tells what shows from the next
    start on.
    """

    later = Signal(str)

    def __init__(self, settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.settings = settings
        self.setWindowTitle(tr("Preferences"))
        self.size_box = _box(tr("Size of everything"))

        for percent in SIZES:
            self.size_box.addItem(tr("{percent} %", percent=percent), percent)
        nearest = min(SIZES, key=lambda p: abs(p - 100 * scale_of(settings)))
        self.size_box.setCurrentIndex(SIZES.index(nearest))
        self.size_box.activated.connect(self._size)
        self.contrast = Tick(tr("High contrast"))
        self.contrast.setToolTip(tr("Lighter words and stronger colours on black"))
        self.contrast.setChecked(settings.value("contrast") == "high")
        self.contrast.toggled.connect(self._contrast)
        self.calm = Tick(tr("Less movement"))
        self.calm.setToolTip(tr("Pictures of motions and patterns stand still"))
        self.calm.setChecked(is_calm(settings))
        self.calm.toggled.connect(self._calm)
        self.closing = _box(tr("When the window closes"))

        for key, text in CLOSING.items():
            self.closing.addItem(text, key)
        self.closing.setCurrentIndex(self._of(self.closing, "on_close"))
        self.closing.activated.connect(lambda _: self._put("on_close", self.closing))
        self.keeping = _box(tr("When a draft is kept"))

        for key, (text, _) in AFTER.items():
            self.keeping.addItem(tr("Keep it, {text}", text=text), key)
        self.keeping.setCurrentIndex(self._of(self.keeping, "after_keep"))
        self.keeping.activated.connect(lambda _: self._put("after_keep", self.keeping))
        form = QFormLayout()
        form.setHorizontalSpacing(20)
        form.setVerticalSpacing(12)
        form.addRow(tr("Size of everything"), self.size_box)
        form.addRow("", self.contrast)
        form.addRow("", self.calm)
        form.addRow(tr("When the window closes"), self.closing)
        form.addRow(tr("When a draft is kept"), self.keeping)
        inside = QWidget()
        inside.setLayout(form)
        self.hint = basics.label(
            tr("Size and contrast show from the next start of the window on."),
            "soft",
            True,
        )

        done = basics.button(tr("Done"), self.accept, "main")
        basics.stack(
            self, inside, self.hint, basics.row(1, done), margins=20, spacing=14
        )

    def _of(self, box: QComboBox, key: str) -> int:
        return max(0, box.findData(text_of(self.settings, key)))

    def _put(self, key: str, box: QComboBox) -> None:
        self.settings.setValue(key, box.currentData())

    def _size(self) -> None:
        self.later.emit(put_scale(self.settings, self.size_box.currentData()))

    def _contrast(self, on: bool) -> None:
        self.later.emit(put_contrast(self.settings, on))

    def _calm(self, on: bool) -> None:
        self.settings.setValue("motion", "calm" if on else "")


def _box(name: str) -> QComboBox:
    made = QComboBox()
    made.setAccessibleName(name)
    made.setMinimumWidth(260)
    return made
