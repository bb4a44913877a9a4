"""How this machine sounds: by which card, and how late that is heard, set by ear."""

from __future__ import annotations

import time

from PySide6.QtCore import QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QWidget

from choreon.engine import protocol
from choreon.language import tr
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.values import ValueField

EVERY = 1.0  # seconds from a flash to the next
AHEAD = 0.4  # seconds that a click is asked for ahead
LIT = 80  # milliseconds of a flash
MOST = 0.5  # seconds


class Flash(QWidget):
    """Lights up for a moment."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(54)
        self.lit = False
        self._off = QTimer(self, interval=LIT)
        self._off.timeout.connect(self._go_out)

    def flash(self) -> None:
        """Light up."""
        self._set(True)
        self._off.start()

    def _go_out(self) -> None:
        self._off.stop()
        self._set(False)

    def _set(self, lit: bool) -> None:
        self.lit = lit
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.TEXT if self.lit else theme.PIT))


class SoundDialog(Dialog):
    """What is changed here holds at once."""

    def __init__(self, parts: Parts, parent: QWidget) -> None:
        super().__init__(parent)
        self.parts = parts
        self._wanted = ""
        self.setWindowTitle(tr("How this machine sounds"))
        self.card = QComboBox()
        self.card.setAccessibleName(tr("Sound card"))
        self.card.setToolTip(tr("What timelines are heard by"))
        self.card.activated.connect(lambda _: self._choose())
        self.state = basics.label("", "soft", wrap=True)
        self.by_ear = ValueField(tr("Heard later by"), -MOST, MOST, "s", 3, bar=False)
        self.by_ear.setToolTip(
            tr("More where the click comes after the flash, less where it comes before")
        )
        self.by_ear.changed.connect(lambda value: self._send(self._wanted, value))
        self.flash = Flash()
        self.test = basics.button(
            tr("Flash and click"),
            self._toggle,
            "",
            tip=tr("A flash and a click each second: bring them together"),
        )
        self.test.setCheckable(True)
        words = basics.label(
            tr(
                "Light follows what is heard. A card says how long it takes; what lies "
                "behind it, such as a desk or a wireless link, takes longer. It is "
                "kept for each card."
            ),
            "soft",
            wrap=True,
        )
        done = basics.button(tr("Done"), self.accept, "main")
        basics.stack(
            self,
            self.card,
            self.state,
            words,
            self.by_ear,
            self.flash,
            basics.row(self.test, 1, done),
            margins=20,
            spacing=12,
        )
        self.resize(440, 360)
        self._beat = QTimer(self, interval=int(1000 * EVERY))
        self._beat.timeout.connect(self._click)
        self._due = QTimer(self)
        self._due.timeout.connect(self._light_up)
        self.finished.connect(lambda _: self._end())
        parts.engine.sounded.connect(self.follow)
        self.follow(parts.engine.sound)

    def follow(self, sound: protocol.SoundIs) -> None:
        """Show how it is now."""
        self._wanted = sound.wanted
        names = dict.fromkeys(["", *sound.devices, sound.wanted])
        if [self.card.itemData(n) for n in range(self.card.count())] != list(names):
            self.card.clear()
            for name in names:
                self.card.addItem(name or tr("The usual card"), name)
        self.card.setCurrentIndex(self.card.findData(sound.wanted))
        self.by_ear.set_value(sound.by_ear)
        basics.say(self.state, in_words(sound))

    def _choose(self) -> None:
        self._send(self.card.currentData(), self.parts.engine.sound.by_ear)

    def _send(self, device: str, by_ear: float) -> None:
        known = self.parts.engine.sound
        if (device, by_ear) != (known.wanted, known.by_ear):
            self.parts.engine.set_sound(device, by_ear)

    def _end(self) -> None:
        self._beat.stop()
        self._due.stop()

    def _toggle(self) -> None:
        if self.test.isChecked():
            self._click()
            self._beat.start()
        else:
            self._beat.stop()

    def _light_up(self) -> None:
        self._due.stop()
        self.flash.flash()

    def _click(self) -> None:
        """Have a click heard and a flash seen at the same moment."""
        self.parts.engine.click_at(time.monotonic() + AHEAD)
        self._due.start(int(1000 * AHEAD))


def in_words(sound: protocol.SoundIs) -> str:
    """Returns how it sounds, as it is told."""
    if sound.trouble:
        return sound.trouble
    if sound.silent:
        return tr("Nothing sounds as yet: put a sound onto a timeline first.")
    return tr(
        "{device} is heard {seconds:.0f} ms after it is given something.",
        device=sound.device,
        seconds=1000.0 * (sound.latency + sound.by_ear),
    )
