"""Mini-stages: a scene's light as a small picture, made once and kept for as long as nothing changes.

Where many are wanted at once they are made a few at a time, so that the window goes on meanwhile.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import shiboken6
from PySide6.QtCore import QObject, QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QWidget

from choreon.model import links
from choreon.model.show import Look, Palette, Scene
from choreon.render.decode import Decoder
from choreon.ui.session import Session
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics

BUDGET = 0.02  # seconds for pictures before the window does something else


class MiniStages(QObject):
    """Draws scenes in small, for widgets that are drawn again when a picture comes later."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self._spent = 0.0
        self._waiting: list[QWidget] = []
        self._begun: tuple[str, int, int] | None = None  # the picture that is half drawn: it goes first
        self._turns = 0  # for how many turns it has been waited for
        self._next = basics.once(self, 0, self._go_on)
        self._stages: dict[tuple[int, int], tuple[Decoder, StagePainter]] = {}
        self._made: dict[tuple[str, int, int], tuple[tuple[object, ...], QPixmap]] = {}

    def picture(self, scene: Scene, width: int, height: int, on: QWidget) -> QPixmap:
        """The scene as a picture of that many pixels."""
        return self.of(scene, lambda: scene.look, width, height, on)

    def of(self, thing: Scene | Palette, look: Callable[[], Look], width: int, height: int, on: QWidget) -> QPixmap:
        """What something stored lights, `look`, as a picture of that many pixels of the widget `on`. Where there is no
        time for it now, the one before or a dark one; the widget is drawn again then."""
        ratio = on.devicePixelRatioF()
        key = (f"{type(thing).__name__} {thing.id}", width, height)
        show = self.session.show
        linked = isinstance(thing, Palette) or links.linked(thing.look)
        made_of = (thing, self.session.programme.rig, *((show.palettes, show.marks) if linked else ()))
        known = self._made.get(key)
        same = known is not None and len(known[0]) == len(made_of)
        if known is not None and same and all(a is b for a, b in zip(known[0], made_of, strict=True)):
            return known[1]
        self._next.start()
        pixmap = QPixmap(int(width * ratio), int(height * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(Qt.GlobalColor.black)
        before = known[1] if known is not None and known[1].devicePixelRatio() == ratio else pixmap
        if self._spent > BUDGET or self._begun not in (None, key):
            self._waiting.append(on)
            return before
        begin = time.perf_counter()
        painter = QPainter(pixmap)
        light = self.session.light_of_look(look())
        stage = self._stage(width, height)
        stage.paint(painter, QRectF(0, 0, width, height), light, bodies=False, budget=BUDGET)
        painter.end()
        self._spent += time.perf_counter() - begin
        self._turns = 0
        self._begun = key if stage.behind else None
        if stage.behind:
            self._waiting.append(on)
            return before
        self._made[key] = (made_of, pixmap)
        return pixmap

    def _go_on(self) -> None:
        """There is time again: those that wait are drawn. What was begun and is no longer looked at is let be."""
        self._spent = 0.0
        self._turns += 1
        if self._turns > 3:
            self._begun = None
        waiting, self._waiting = self._waiting, []
        for widget in waiting:
            if shiboken6.isValid(widget):
                widget.update()

    def _stage(self, width: int, height: int) -> StagePainter:
        """One painter for all pictures of a size: lamps that do not turn are drawn alike in all of them."""
        decoder, room = self.session.decoder, self.session.show.room
        known = self._stages.get((width, height))
        if known is None or known[0] is not decoder or known[1].room is not room:
            known = self._stages[(width, height)] = (decoder, StagePainter(decoder.lamps, room))
        return known[1]
