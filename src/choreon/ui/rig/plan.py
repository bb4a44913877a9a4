"""The plan from above: fixtures where they hang, chosen and dragged."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF, QRadialGradient, QTransform
from PySide6.QtWidgets import QWidget

from choreon.model import edits, patch
from choreon.model.show import Fixture, Place
from choreon.render.colour import to_screen
from choreon.ui import theme
from choreon.ui.rig.ghost import Ghost
from choreon.ui.session import Session

SNAP = 0.1  # metres
NEAR = 15.0  # pixels
FRONT, BACK, SIDE = 5.6, 0.9, 1.1  # metres shown before, behind and beside the stage


class Plan(QWidget):
    """Drag moves the chosen (Alt: without snapping), arrow keys nudge, Delete takes down."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(260, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plan from above")
        self.setToolTip("Click to choose, drag to move (Alt: no snapping). Arrow keys nudge, Delete takes down.")
        self._ghost: Ghost | None = None
        self._press: QPointF | None = None
        self._box: QRectF | None = None
        self._moving: dict[str, Place] | None = None
        self._shown: dict[str, Place] = {}
        self._number = -1
        self._glow: dict[str, tuple[int, int, int]] = {}
        self._timer = QTimer(self, interval=100)
        self._timer.timeout.connect(self._follow)
        session.show_changed.connect(lambda _: self.update())
        session.chosen_changed.connect(lambda _: self.update())

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    def showEvent(self, event) -> None:
        self._timer.start()
        self._follow()

    def hideEvent(self, event) -> None:
        self._timer.stop()

    def show_ghost(self, ghost) -> None:
        """Where the run that is being planned would hang."""
        self._ghost = ghost
        self.update()

    def _follow(self) -> None:
        found = self.session.light()
        if found is None or found[0] == self._number:
            return
        self._number, light = found
        glow: dict[str, tuple[int, int, int]] = {}
        rgb = np.clip(to_screen(light.rgb) * 255, 0, 255).astype(int)
        for lamp, part in zip(self.session.decoder.lamps, rgb.tolist(), strict=False):
            known = glow.get(lamp.fixture, (0, 0, 0))
            glow[lamp.fixture] = (max(known[0], part[0]), max(known[1], part[1]), max(known[2], part[2]))
        if glow != self._glow:
            self._glow = glow
            self.update()

    # geometry

    def _scale(self) -> tuple[float, QPointF]:
        room = self.session.show.room
        wide, deep = room.width + 2 * SIDE, room.depth + FRONT + BACK
        scale = min(self.width() / wide, self.height() / deep)
        middle = QPointF(self.width() / 2, self.height() / 2 + scale * ((room.depth + BACK - FRONT) / 2))
        return scale, middle

    def at(self, place: Place) -> QPointF:
        """Where a place is drawn: upstage is up."""
        scale, middle = self._scale()
        return QPointF(middle.x() + scale * place.x, middle.y() - scale * place.y)

    def _place(self, fixture: Fixture) -> Place:
        return self._shown.get(fixture.id, fixture.place)

    # drawing

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.STAGE_BLACK))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        self._room(painter)
        show = self.session.show
        for fixture in show.fixtures.values():
            self._pool(painter, fixture)
        clashing = {i for c in self._clashes() for i in (c.one, c.other)}
        for fixture in show.fixtures.values():
            self._symbol(painter, fixture, fixture.id in clashing)
        if self._ghost is not None:
            self._draw_ghost(painter)
        if self._box is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.setBrush(theme.colour(theme.CHOSEN, 0.12))
            painter.drawRect(self._box)
        if not show.fixtures and self._ghost is None:
            painter.setPen(QColor(theme.SOFT))
            painter.setFont(theme.font(16))
            text = "Nothing hangs yet. Choose a type on the left, say how many, and press Hang."
            room = self.session.show.room
            stage = QRectF(self.at(Place(-room.width / 2, room.depth)), self.at(Place(room.width / 2, 0)))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(stage.adjusted(20, 20, -20, -20), flags, text)

    def _clashes(self):
        show = self.session.show
        known = getattr(self, "_known", None)
        if known is None or known[0] is not show.fixtures:
            self._known = known = (show.fixtures, patch.clashes(show))
        return known[1]

    def _room(self, painter: QPainter) -> None:
        room = self.session.show.room
        w = room.width / 2
        a, b = self.at(Place(-w, room.depth)), self.at(Place(w, 0))
        stage = QRectF(a, b)
        painter.setBrush(QColor("#171619"))
        painter.setPen(QPen(QColor(theme.BATTEN), 1.2))
        painter.drawRect(stage)
        painter.setPen(QPen(QColor("#1F1D22"), 1))
        for x in range(int(-w) + 1, int(w)):
            painter.drawLine(self.at(Place(x, 0)), self.at(Place(x, room.depth)))
        for y in range(1, int(room.depth)):
            painter.drawLine(self.at(Place(-w, y)), self.at(Place(w, y)))
        painter.setPen(QPen(QColor(theme.BATTEN), 4))
        painter.drawLine(self.at(Place(-w, room.depth + 0.12)), self.at(Place(w, room.depth + 0.12)))
        self._bars(painter, w)
        painter.setPen(QColor(theme.FAINT))
        painter.setFont(theme.font(12))
        centre = Qt.AlignmentFlag.AlignHCenter
        painter.drawText(QRectF(a.x(), b.y() + 4, stage.width(), 16), centre, "front edge · audience below")
        text = f"{room.name or 'The stage'}, {room.width:g} × {room.depth:g} m"
        painter.drawText(QRectF(a.x(), a.y() - 32, stage.width(), 18), centre, text)

    def _bars(self, painter: QPainter, w: float) -> None:
        """A bar wherever three or more lamps hang in line."""
        room = self.session.show.room
        lines: dict[float, int] = {}
        for fixture in self.session.show.fixtures.values():
            if fixture.place.z > 0.75 * room.height:
                lines[round(fixture.place.y, 1)] = lines.get(round(fixture.place.y, 1), 0) + 1
        painter.setPen(QPen(QColor("#2E2932"), 3))
        for y, count in lines.items():
            if count >= 3:
                painter.drawLine(self.at(Place(-w - 0.3, y)), self.at(Place(w + 0.3, y)))

    def _pool(self, painter: QPainter, fixture: Fixture) -> None:
        rgb = self._glow.get(fixture.id)
        if rgb is None or max(rgb) < 12:
            return
        scale, _ = self._scale()
        at, size = self.at(self._place(fixture)), 0.75 * scale
        gradient = QRadialGradient(0, 0, 1)
        gradient.setColorAt(0, QColor(*rgb, 120))
        gradient.setColorAt(1, QColor(*rgb, 0))
        painter.save()
        painter.setTransform(QTransform(size, 0, 0, size, at.x(), at.y()), True)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(gradient)
        painter.drawEllipse(QPointF(0, 0), 1, 1)
        painter.restore()

    def _symbol(self, painter: QPainter, fixture: Fixture, clash: bool) -> None:
        show = self.session.show
        kind = show.types.get(fixture.type)
        at = self.at(self._place(fixture))
        chosen = fixture.id in self.session.chosen
        rgb = self._glow.get(fixture.id, (0, 0, 0))
        fill = QColor(*rgb) if max(rgb) > 40 else QColor(theme.FLAT)
        line = theme.CHOSEN if chosen else theme.ALARM if clash or kind is None else theme.SOFT
        painter.setPen(QPen(QColor(line), 2.2 if chosen else 1.3))
        painter.setBrush(fill)
        body = kind.body if kind else "unknown"
        painter.save()
        painter.translate(at)
        painter.rotate(-fixture.hanging.yaw)
        _draw_body(painter, body)
        painter.restore()
        crowded = body == "dot"
        if chosen or not crowded:
            painter.setFont(theme.font(12 if chosen else 11))
            painter.setPen(QColor(theme.CHOSEN if chosen else theme.SOFT))
            painter.drawText(QRectF(at.x() - 40, at.y() + 11, 80, 16), Qt.AlignmentFlag.AlignHCenter, fixture.short)
        if clash or kind is None:
            painter.setPen(QColor(theme.ALARM))
            painter.drawText(QPointF(at.x() + 9, at.y() - 7), "▲" if kind else "?")

    def _draw_ghost(self, painter: QPainter) -> None:
        pen = QPen(QColor(theme.ALARM if self._ghost.clash else theme.DRAFT), 1.4)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place in self._ghost.places[:100]:
            painter.drawEllipse(self.at(place), 9, 9)

    # choosing and moving

    def fixture_at(self, point: QPointF) -> str | None:
        """The fixture drawn nearest to a point; the chosen win where several are as near."""
        best, away = None, NEAR
        for fixture in self.session.show.fixtures.values():
            d = (self.at(self._place(fixture)) - point).manhattanLength()
            if d < away or (d == away and fixture.id in self.session.chosen):
                best, away = fixture.id, d
        return best

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self._press = event.position()
        one = self.fixture_at(event.position())
        adding = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        self._box = None
        if one is None:
            self._moving = None
            self._box = QRectF(self._press, self._press)
            self._adding = adding
            return
        if adding:
            self.session.toggle([one])
        elif one not in self.session.chosen:
            self.session.choose([one])
        show = self.session.show
        self._moving = {i: show.fixtures[i].place for i in self.session.chosen}

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        away = event.position() - self._press
        if self._box is not None:
            self._box = QRectF(self._press, event.position()).normalized()
        elif self._moving and (self._shown or away.manhattanLength() > 5):
            scale, _ = self._scale()
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self._shown = {
                i: edits.replace(p, x=_snap(p.x + away.x() / scale, free), y=_snap(p.y - away.y() / scale, free))
                for i, p in self._moving.items()
            }
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._box is not None:
            inside = [f.id for f in self.session.show.fixtures.values() if self._box.contains(self.at(f.place))]
            if self._box.width() + self._box.height() > 6 or not self._adding:
                self.session.choose([*self.session.chosen, *inside] if self._adding else inside)
        elif self._shown:
            changes = {i: {"place": place} for i, place in self._shown.items()}
            name = f"move {len(changes)} fixture{'s' if len(changes) > 1 else ''}"
            self.session.edit(name, edits.change_fixtures(self.session.show, changes))
        self._press = self._box = self._moving = None
        self._shown = {}
        self.update()

    def keyPressEvent(self, event) -> None:
        steps = {
            Qt.Key.Key_Left: (-SNAP, 0),
            Qt.Key.Key_Right: (SNAP, 0),
            Qt.Key.Key_Up: (0, SNAP),
            Qt.Key.Key_Down: (0, -SNAP),
        }
        chosen, show = self.session.chosen, self.session.show
        if event.key() == Qt.Key.Key_Escape and self._press is not None:
            self._press = self._box = self._moving = None
            self._shown = {}
            self.update()
        elif event.key() in steps and chosen:
            dx, dy = steps[event.key()]
            moved = {}
            for i in chosen:
                place = show.fixtures[i].place
                moved[i] = {"place": edits.replace(place, x=round(place.x + dx, 3), y=round(place.y + dy, 3))}
            self.session.edit(f"nudge {len(chosen)}", edits.change_fixtures(show, moved), merge=True)
        elif event.key() == Qt.Key.Key_Delete and chosen:
            take_down(self.session)
        elif event.key() == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.session.choose(list(show.fixtures))
        else:
            super().keyPressEvent(event)


def take_down(session: Session) -> None:
    """Take the chosen fixtures down; scenes keep what they hold for them."""
    count = len(session.chosen)
    show = edits.take_down(session.show, session.chosen)
    session.edit(f"take down {count} fixture{'s' if count > 1 else ''}", show)
    session.told.emit(f"{count} taken down. Ctrl+Z hangs them again, with all their programming.", "info")


def _snap(value: float, free: bool) -> float:
    return round(value, 3) if free else round(round(value / SNAP) * SNAP, 3)


def _draw_body(painter: QPainter, body: str) -> None:
    """A sign for each body, facing the audience: downwards."""
    if body == "bar":
        painter.drawRoundedRect(QRectF(-24, -4, 48, 8), 2, 2)
    elif body == "dot":
        painter.drawRect(QRectF(-4, -4, 8, 8))
    elif body == "panel":
        painter.drawRoundedRect(QRectF(-14, -6, 28, 12), 2, 2)
    elif body in ("spot", "wash"):
        painter.drawRoundedRect(QRectF(-10, -10, 20, 20), 4, 4)
        painter.drawEllipse(QPointF(0, 0), 5.5, 5.5)
    elif body in ("profile", "fresnel"):
        painter.drawPolygon(QPolygonF([QPointF(-6, 9), QPointF(6, 9), QPointF(8, -8), QPointF(-8, -8)]))
    elif body == "hazer":
        painter.drawRoundedRect(QRectF(-9, -7, 18, 14), 3, 3)
        painter.drawLine(QPointF(-4, 0), QPointF(4, 0))
    elif body == "unknown":
        painter.drawPolygon(QPolygonF([QPointF(0, -10), QPointF(10, 0), QPointF(0, 10), QPointF(-10, 0)]))
    else:
        painter.drawEllipse(QPointF(0, 0), 9, 9)
