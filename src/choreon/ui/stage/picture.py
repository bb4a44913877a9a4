"""The lit stage as a widget: it follows the frames that go out, and fixtures are chosen on it."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from choreon.render.decode import Decoder, Light
from choreon.ui import theme
from choreon.ui.session import Session
from choreon.ui.stage.painter import StagePainter

FRAME = 33  # milliseconds between pictures
NEAR = 16.0  # pixels within which a click means a lamp


class StagePicture(QWidget):
    """The stage from the house. Click chooses, Shift or Ctrl adds and takes away, dragging draws a box."""

    def __init__(self, session: Session, choosing: bool = True) -> None:
        super().__init__()
        self.session = session
        self.choosing = choosing
        self.setMinimumSize(240, 150)
        self.setAccessibleName("Stage picture")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._painter: StagePainter | None = None
        self._for: Decoder | None = None
        self._light: Light | None = None
        self._number = -1
        self._cost = 0.005
        self._press: QPointF | None = None
        self._box: QRectF | None = None
        self._timer = QTimer(self, interval=FRAME)
        self._timer.timeout.connect(self._follow)
        session.show_changed.connect(self._refresh)
        session.chosen_changed.connect(lambda _: self.update())
        if choosing:
            self.setToolTip("Click a lamp to choose it. Shift or Ctrl: add or take away. Drag: choose with a box.")

    @property
    def cost(self) -> float:
        """Seconds that a picture takes, smoothed."""
        return self._cost

    def sizeHint(self) -> QSize:
        return QSize(760, 470)

    def showEvent(self, event) -> None:
        self._timer.start()
        self._refresh()

    def hideEvent(self, event) -> None:
        self._timer.stop()

    def _refresh(self, _=None) -> None:
        self._number = -1
        self.update()

    def _follow(self) -> None:
        found = self.session.light()
        if found is None:
            return
        number, light = found
        if number != self._number:
            self._number = number
            before = self._light
            self._light = light
            if before is None or len(before.rgb) != len(light.rgb) or _differs(before, light):
                self.update()
        # A slow machine gets fewer pictures rather than a slow window.
        self._timer.setInterval(int(max(FRAME, 2200 * self._cost)))

    def _stage(self) -> StagePainter:
        decoder = self.session.decoder
        if self._painter is None or self._for is not decoder or self._painter.room is not self.session.show.room:
            self._for = decoder
            self._painter = StagePainter(decoder.lamps, self.session.show.room)
        return self._painter

    def paintEvent(self, event: QPaintEvent) -> None:
        begin = time.perf_counter()
        stage = self._stage()
        light = self._light if self._light is not None and len(self._light.rgb) == len(stage.lamps) else None
        painter = QPainter(self)
        stage.paint(painter, QRectF(self.rect()), light, self.session.chosen)
        self._captions(painter, stage)
        if self._box is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.setBrush(theme.colour(theme.CHOSEN, 0.12))
            painter.drawRect(self._box)
        painter.end()
        self._cost += 0.1 * (time.perf_counter() - begin - self._cost)

    def _captions(self, painter: QPainter, stage: StagePainter) -> None:
        """Short names of the chosen, where there is room for them."""
        chosen = self.session.chosen
        if not chosen or len(chosen) > 12:
            return
        painter.setFont(theme.font(12))
        at = stage.view(QRectF(self.rect())).project(stage.places)
        for fixture in chosen:
            own = [i for i, lamp in enumerate(stage.lamps) if lamp.fixture == fixture]
            if own:
                x, y = at[own, 0].mean(), at[own, 1].min()
                short = self.session.show.fixtures[fixture].short
                painter.setPen(QColor(theme.CHOSEN))
                painter.drawText(QRectF(x - 40, y - 27, 80, 16), Qt.AlignmentFlag.AlignHCenter, short)

    # choosing

    def lamp_at(self, point: QPointF) -> str | None:
        """The fixture drawn nearest to a point, within reach of a finger."""
        stage = self._stage()
        if not len(stage.lamps):
            return None
        at = stage.view(QRectF(self.rect())).project(stage.places)[:, :2]
        away = np.hypot(at[:, 0] - point.x(), at[:, 1] - point.y())
        nearest = int(away.argmin())
        return stage.lamps[nearest].fixture if away[nearest] <= NEAR else None

    def lamps_in(self, box: QRectF) -> list[str]:
        """The fixtures drawn within a rectangle, in the rig's order."""
        stage = self._stage()
        at = stage.view(QRectF(self.rect())).project(stage.places)[:, :2]
        inside = [lamp.fixture for lamp, (x, y) in zip(stage.lamps, at, strict=True) if box.contains(QPointF(x, y))]
        return list(dict.fromkeys(inside))

    def point_of(self, fixture: str) -> QPointF | None:
        """Where a fixture is drawn."""
        stage = self._stage()
        at = stage.view(QRectF(self.rect())).project(stage.places)
        own = [i for i, lamp in enumerate(stage.lamps) if lamp.fixture == fixture]
        return QPointF(at[own[0], 0], at[own[0], 1]) if own else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.choosing and event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and (event.position() - self._press).manhattanLength() > 6:
            self._box = QRectF(self._press, event.position()).normalized()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        adding = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if self._box is not None:
            found = self.lamps_in(self._box)
            self.session.choose([*self.session.chosen, *found] if adding else found)
        else:
            one = self.lamp_at(event.position())
            if one and adding:
                self.session.toggle([one])
            elif one or not adding:
                self.session.choose([one] if one else [])
        self._press = self._box = None
        self.update()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and self._box is not None:
            self._press = self._box = None
            self.update()
        else:
            super().keyPressEvent(event)


def _differs(a: Light, b: Light) -> bool:
    return not (
        np.array_equal(a.rgb, b.rgb) and np.array_equal(a.direction, b.direction) and np.array_equal(a.strobe, b.strobe)
    )
