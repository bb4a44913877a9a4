"""The plan, from above or from the front: fixtures where they hang, chosen and dragged,
in the room they hang in.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QDropEvent,
    QFontMetricsF,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QShowEvent,
)

from choreon.language import facts, plural, sentences, tr
from choreon.model import arrange, edits, patch
from choreon.model.sameness import very_same
from choreon.model.show import Fixture, Place
from choreon.render.colour import to_screen
from choreon.ui import pixmaps, theme, words
from choreon.ui.lamp_marks import LampMarks, draw_mark
from choreon.ui.parts import Parts
from choreon.ui.refresh_timer import RefreshTimer
from choreon.ui.rig import bodies
from choreon.ui.rig.ghost import Ghost
from choreon.ui.rig.type_list import TakesTypes, dropped
from choreon.ui.widgets import basics
from choreon.ui.widgets.keys import HELD_WITH
from choreon.ui.widgets.labels import Labels
from choreon.ui.widgets.spoken import Role, Spoken

SNAP = 0.1  # metres
NEAR = 15.0  # pixels
HINT_WIDTH, HINT_EDGE, HINT_STEP = 460, 12, 8  # pixels
MANY = 150  # lamps whose names are written in a turn of their own
BACK, SIDE = 0.9, 1.1  # metres shown behind and beside the stage
KEYS = tr("O opens up, H is home, I identifies, arrow keys nudge, Delete takes down.")


Key = tuple[object, ...]  # what a picture was drawn for


STEPS = {
    Qt.Key.Key_Left: (-SNAP, 0.0),
    Qt.Key.Key_Right: (SNAP, 0.0),
    Qt.Key.Key_Up: (0.0, SNAP),
    Qt.Key.Key_Down: (0.0, -SNAP),
}
"""Metres across and up that an arrow moves the chosen by."""


class _Name(NamedTuple):
    """A name on the plan: what it says, its middle at the top, and its colour."""

    text: str
    at: QPointF
    chosen: bool
    token: str


class PlanView(TakesTypes):
    """Drag moves the chosen (Alt: without snapping), arrow keys nudge, Delete takes
    down.
    """

    menu_asked = Signal(
        object, object
    )  # where on the screen, and where on the floor (None from the front)
    type_dropped = Signal(str, Place)
    two_points = Signal(QPointF, QPointF)

    def __init__(self, parts: Parts, front: bool = False) -> None:
        super().__init__()
        self.parts = parts
        self.front = front
        self.held = LampMarks(parts, self)
        self.setMinimumSize(260, 150)

        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAccessibleName(
            tr("Plan from the front") if front else tr("Plan from above")
        )
        self.setToolTip(
            sentences(tr("Press to choose, drag to move (Alt: no snapping)."), KEYS)
        )
        self._ghost: Ghost | None = None

        self._press: QPointF | None = None
        self._brushed: QPointF | None = None  # where the brush was last
        self._box: QRectF | None = None
        self._moving: dict[str, Place] | None = None
        self.shown_places: dict[str, Place] = {}

        self._points: list[QPointF] | None = None
        self._scaled: tuple[object, QSize, tuple[float, QPointF]] | None = None
        self._number = -1
        self._glow: dict[str, tuple[int, int, int]] = {}
        self._underlay: tuple[object, QPixmap] | None = None

        self._named: tuple[Key, Key, QPixmap] | None = None
        self._clashes_of: tuple[object, object] = (None, None)
        self._found_clashes: list[patch.Clash] = []
        self._looks = RefreshTimer(parts, self, 100, self._follow)
        # Drawn in a turn of its own: many lamps at once are work for the panels beside
        # it already.
        self._soon = basics.once(self, 0, self.update)

        parts.document.show_changed.connect(lambda _: self._soon.start())
        parts.selection.changed.connect(lambda _: self._soon.start())
        parts.brush.changed.connect(self._soon.start)
        self._name_soon = basics.once(self, 0, self._name)

    def sizeHint(self) -> QSize:
        return QSize(640, 480)

    def showEvent(self, event: QShowEvent) -> None:
        self._looks.start()
        self._follow()

    def hideEvent(self, event: QHideEvent) -> None:
        self._looks.stop()

    def show_ghost(self, ghost: Ghost | None) -> None:
        """Where the run that is being planned would hang."""
        self._ghost = ghost
        self.update()

    def preview(self, places: dict[str, Place]) -> None:
        """Show fixtures elsewhere for the while."""
        self.shown_places = places
        self.update()

    def ask_two_points(self) -> None:
        """Take the next two clicks as points; `two_points` tells their places."""
        self._points = []
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.update()

    def _follow(self) -> bool:
        """Draw the light where it has changed; returns whether it has."""
        found = self.parts.preview.light()
        if found is None or found[0] == self._number:
            return False

        self._number, light = found
        glow: dict[str, tuple[int, int, int]] = {}
        rgb = np.clip(to_screen(light.rgb) * 255, 0, 255).astype(int)

        for lamp, part in zip(
            self.parts.preview.decoder.lamps, rgb.tolist(), strict=False
        ):
            known = glow.get(lamp.fixture, (0, 0, 0))
            glow[lamp.fixture] = (
                max(known[0], part[0]),
                max(known[1], part[1]),
                max(known[2], part[2]),
            )

        changed = glow != self._glow
        if changed:
            self._glow = glow
            self.update()

        return changed

    # geometry

    def metre_and_middle(self) -> tuple[float, QPointF]:
        """Pixels a metre, and where the middle of the stage's front edge is drawn."""
        room = self.parts.document.show.room
        if (
            self._scaled is None
            or self._scaled[0] is not room
            or self._scaled[1] != self.size()
        ):
            self._scaled = (room, self.size(), self._scale_now())
        return self._scaled[2]

    def _scale_now(self) -> tuple[float, QPointF]:
        room = self.parts.document.show.room
        wide = room.width + 2 * SIDE
        if self.front:
            tall = room.height + 1.6
            scale = min(self.width() / wide, self.height() / tall)
            return scale, QPointF(
                self.width() / 2, self.height() / 2 + scale * (room.height + 0.2) / 2
            )

        house = max(1.0, room.house)
        scale = min(self.width() / wide, self.height() / (room.depth + house + BACK))
        return scale, QPointF(
            self.width() / 2,
            self.height() / 2 + scale * ((room.depth + BACK - house) / 2),
        )

    def at(self, place: Place) -> QPointF:
        """Where a place is drawn: upstage is up, or, from the front, height is."""
        scale, middle = self.metre_and_middle()
        return QPointF(
            middle.x() + scale * place.x,
            middle.y() - scale * (place.z if self.front else place.y),
        )

    def place_at(self, point: QPointF) -> Place:
        """The place that a point shows; what it does not show is as for a lamp on the
        grid.
        """
        scale, middle = self.metre_and_middle()
        room = self.parts.document.show.room
        x, up = (point.x() - middle.x()) / scale, (middle.y() - point.y()) / scale
        place = (
            Place(x, room.depth / 2, up) if self.front else Place(x, up, room.height)
        )

        return edits.replace(
            place,
            x=_snap(place.x, False),
            y=_snap(place.y, False),
            z=_snap(place.z, False),
        )

    def place_of(self, point: QPointF) -> tuple[float, float]:
        """Metres across and up that a point shows, unsnapped."""
        scale, middle = self.metre_and_middle()
        return (point.x() - middle.x()) / scale, (middle.y() - point.y()) / scale

    def _place(self, fixture: Fixture) -> Place:
        return self.shown_places.get(fixture.id, fixture.place)

    # drawing

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: who hangs, and who is chosen."""
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        names = words.fixtures_named(show, chosen)
        hang = plural(len(show.fixtures), "{n} fixture", "{n} fixtures")
        return Spoken(Role.Graphic, facts(hang, tr("chosen: {names}", names=names)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.STAGE_BLACK))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)

        (self._room_front if self.front else self._room)(painter)
        show = self.parts.document.show
        self._pools(painter, show.fixtures.values())
        clashing = {i for c in self._clashes() for i in (c.one, c.other)}
        chosen, ratio = set(self.parts.selection.chosen), self.devicePixelRatioF()

        for fixture in show.fixtures.values():
            self._symbol(
                painter, fixture, fixture.id in chosen, fixture.id in clashing, ratio
            )

        painter.drawPixmap(0, 0, self._names())
        if self._ghost is not None:
            self._draw_ghost(painter, self._ghost)

        self._draw_held(painter)
        if self._box is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.setBrush(theme.colour(theme.CHOSEN, 0.12))
            painter.drawRect(self._box)

        self._hints(painter)

    def _hints(self, painter: QPainter) -> None:
        text = ""
        if self._points is not None:
            text = (
                tr("Press on the second of two points that you know the distance of.")
                if self._points
                else tr(
                    "Press on the first of two points that you know the distance of."
                )
            )
            painter.setPen(QPen(QColor(theme.DRAFT), 2))

            for point in self._points:
                painter.drawEllipse(point, 5, 5)
        elif (held := self.parts.brush.palette) is not None:
            text = tr(
                "Brush: {name}. Draw over fixtures; Esc puts it down.", name=held.name
            )
        elif not self.parts.document.show.fixtures and self._ghost is None:
            text = tr(
                "Nothing hangs yet. Choose a type on the left, say how many, "
                "and press Hang; or drag a type here."
            )

        if text:
            self._say(painter, text)

    def _say(self, painter: QPainter, text: str) -> None:
        """Write words onto a plate of their own, where no mark lies."""
        painter.setFont(theme.font(14))
        wide = min(HINT_WIDTH, self.width() - 2 * HINT_EDGE)
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        room = QRectF(0, 0, wide - 2 * HINT_EDGE, self.height())
        tall = painter.boundingRect(room, flags, text).height() + HINT_EDGE
        plate = self.hint_plate(wide, tall)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.DECK))
        painter.drawRoundedRect(plate, theme.RADIUS, theme.RADIUS)
        painter.setPen(QColor(theme.TEXT))
        painter.drawText(plate, flags, text)

    def hint_plate(self, wide: float, tall: float) -> QRectF:
        """Returns where words of a size go: in the middle at the lower edge, or as near
        to it as no mark or fixture lies below them.
        """
        show = self.parts.document.show
        marks = [Place(mark.x, mark.y, mark.z) for mark in show.marks.values()]
        hung = [self._place(fixture) for fixture in show.fixtures.values()]
        taken = [self.at(place) for place in (*marks, *hung)]
        left, lowest = (self.width() - wide) / 2, self.height() - tall - HINT_EDGE
        places = [
            QRectF(left, lowest - step, wide, tall)
            for step in range(0, max(1, int(lowest - HINT_EDGE)), HINT_STEP)
        ]

        around = NEAR + 8.0  # a mark's name lies below it
        free = (
            plate
            for plate in places
            if not any(
                plate.adjusted(-around, -around, around, around).contains(point)
                for point in taken
            )
        )

        return next(free, places[0])

    def _clashes(self) -> list[patch.Clash]:
        show = self.parts.document.show
        now = (show.fixtures, show.types)
        if not very_same(now, self._clashes_of):
            self._clashes_of, self._found_clashes = now, patch.clashes(show)
        return self._found_clashes

    def _room(self, painter: QPainter) -> None:
        room = self.parts.document.show.room
        w = room.width / 2
        a, b = self.at(Place(-w, room.depth)), self.at(Place(w, 0))
        stage = QRectF(a, b)
        painter.setBrush(QColor("#171619"))

        painter.setPen(QPen(QColor(theme.BATTEN), 1.2))
        painter.drawRect(stage)
        self._draw_underlay(painter)
        painter.setPen(QPen(QColor("#1F1D22"), 1))

        for x in range(math.ceil(-w) + 1, int(w)):
            painter.drawLine(self.at(Place(x, 0)), self.at(Place(x, room.depth)))

        for y in range(1, int(room.depth)):
            painter.drawLine(self.at(Place(-w, y)), self.at(Place(w, y)))

        painter.setPen(QPen(QColor(theme.BATTEN), 4))
        painter.drawLine(
            self.at(Place(-w, room.depth + 0.12)), self.at(Place(w, room.depth + 0.12))
        )
        self._furniture(painter)
        self._bars(painter, w)
        painter.setPen(QColor(theme.FAINT))

        painter.setFont(theme.font(12))
        centre = Qt.AlignmentFlag.AlignHCenter
        painter.drawText(
            QRectF(a.x(), b.y() + 4, stage.width(), 16),
            centre,
            tr("front edge · audience below"),
        )

        text = tr(
            "{name}, {width:g} × {depth:g} m",
            name=room.name or tr("The stage"),
            width=room.width,
            depth=room.depth,
        )
        painter.drawText(
            QRectF(a.x(), max(2.0, a.y() - 32), stage.width(), 18), centre, text
        )

    def _furniture(self, painter: QPainter) -> None:
        room = self.parts.document.show.room
        painter.setPen(QPen(QColor("#2A262E"), 5))

        for i in range(room.seats.rows):
            y = -(room.seats.distance + i * room.seats.spacing)
            painter.drawLine(
                self.at(Place(-room.seats.width / 2, y)),
                self.at(Place(room.seats.width / 2, y)),
            )

        if room.screen:
            painter.setPen(QPen(QColor(theme.SOFT), 3))
            half = room.screen.width / 2
            y = room.screen.y
            painter.drawLine(
                self.at(Place(room.screen.x - half, y)),
                self.at(Place(room.screen.x + half, y)),
            )

        painter.setFont(theme.font(11))
        for area in room.keep_out:
            rect = QRectF(
                self.at(Place(area.x1, area.y1)), self.at(Place(area.x2, area.y2))
            ).normalized()
            self._keep_out(painter, rect, area.name)

        painter.setPen(QPen(theme.colour(theme.KEEP, 0.7), 1.4))
        for mark in self.parts.document.show.marks.values():
            at = self.at(Place(mark.x, mark.y))
            for up in (-4, 4):
                painter.drawLine(at + QPointF(-4, up), at + QPointF(4, -up))

    def _keep_out(self, painter: QPainter, rect: QRectF, name: str) -> None:
        painter.setPen(QPen(theme.colour(theme.KEEP, 0.7), 1, Qt.PenStyle.DashLine))
        painter.setBrush(
            QBrush(theme.colour(theme.KEEP, 0.18), Qt.BrushStyle.BDiagPattern)
        )
        painter.drawRect(rect)
        painter.setPen(QColor(theme.KEEP))
        painter.drawText(
            rect.adjusted(4, 2, -4, -2),
            Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft,
            name,
        )

    def _draw_underlay(self, painter: QPainter) -> None:
        """The venue's own plan."""
        show = self.parts.document.show
        under = show.room.underlay
        picture = show.pictures.get(under.picture) if under else None

        if under is None or picture is None:
            return

        if self._underlay is None or self._underlay[0] is not picture:
            self._underlay = (picture, pixmaps.pixmap(picture.data))

        scale, _ = self.metre_and_middle()
        corner = self.at(Place(under.x, under.y))
        painter.save()
        painter.setOpacity(under.strength)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)

        painter.translate(corner)
        painter.rotate(-under.turn)
        painter.scale(scale * under.scale, scale * under.scale)
        painter.drawPixmap(0, 0, self._underlay[1])
        painter.restore()

    def _bars(self, painter: QPainter, w: float) -> None:
        """The hanging bars; where the room has none, a bar wherever three or more lamps
        hang in line.
        """
        room = self.parts.document.show.room
        painter.setFont(theme.font(11))

        for bar in room.bars:
            a, b = self.at(Place(bar.x1, bar.y1)), self.at(Place(bar.x2, bar.y2))
            painter.setPen(QPen(QColor("#4A4250"), 4))
            painter.drawLine(a, b)
            painter.setPen(QColor(theme.FAINT))
            end = b if b.x() >= a.x() else a
            painter.drawText(QPointF(end.x() + 6, end.y() + 4), bar.name)

        if room.bars:
            return

        lines: dict[float, int] = {}
        for fixture in self.parts.document.show.fixtures.values():
            if fixture.place.z > 0.75 * room.height:
                lines[round(fixture.place.y, 1)] = (
                    lines.get(round(fixture.place.y, 1), 0) + 1
                )

        painter.setPen(QPen(QColor("#2E2932"), 3))
        for y, count in lines.items():
            if count >= 3:
                painter.drawLine(
                    self.at(Place(-w - 0.3, y)), self.at(Place(w + 0.3, y))
                )

    def _room_front(self, painter: QPainter) -> None:
        room = self.parts.document.show.room
        w = room.width / 2
        a, b = self.at(Place(-w, 0, room.height)), self.at(Place(w, 0, 0))
        painter.setBrush(QColor("#171619"))
        painter.setPen(QPen(QColor(theme.BATTEN), 1.2))

        painter.drawRect(QRectF(a, b))
        painter.setPen(QPen(QColor("#1F1D22"), 1))
        for z in range(1, math.ceil(room.height)):
            painter.drawLine(self.at(Place(-w, 0, z)), self.at(Place(w, 0, z)))

        for x in range(math.ceil(-w) + 1, int(w)):
            painter.drawLine(self.at(Place(x, 0, 0)), self.at(Place(x, 0, room.height)))

        if room.screen:
            s = room.screen
            painter.setPen(QPen(QColor(theme.SOFT), 1.5))
            corner = self.at(Place(s.x - s.width / 2, 0, s.z + s.height))
            painter.drawRect(QRectF(corner, self.at(Place(s.x + s.width / 2, 0, s.z))))

        for area in room.keep_out:
            corner = self.at(Place(min(area.x1, area.x2), 0, area.high))
            self._keep_out(
                painter,
                QRectF(corner, self.at(Place(max(area.x1, area.x2), 0, area.low))),
                area.name,
            )

        painter.setPen(QPen(QColor("#4A4250"), 4))
        for bar in room.bars:
            painter.drawLine(
                self.at(Place(bar.x1, 0, bar.z)), self.at(Place(bar.x2, 0, bar.z))
            )

        painter.setPen(QPen(QColor(theme.BATTEN), 4))
        painter.drawLine(self.at(Place(-w - 0.8, 0, 0)), self.at(Place(w + 0.8, 0, 0)))
        painter.setPen(QColor(theme.FAINT))
        painter.setFont(theme.font(12))
        text = tr("from the house · {height:g} m to the grid", height=room.height)
        painter.drawText(
            QRectF(0, b.y() + 8, self.width(), 16), Qt.AlignmentFlag.AlignHCenter, text
        )

    def _pools(self, painter: QPainter, fixtures: Iterable[Fixture]) -> None:
        radius, ratio = (
            max(1, round(0.75 * self.metre_and_middle()[0])),
            self.devicePixelRatioF(),
        )
        for fixture in fixtures:
            rgb = self._glow.get(fixture.id)
            if rgb is not None and max(rgb) >= 12:
                picture = bodies.pool(_near(rgb), radius, ratio)
                painter.drawPixmap(
                    self.at(self._place(fixture)) - QPointF(radius, radius), picture
                )

    def _symbol(
        self,
        painter: QPainter,
        fixture: Fixture,
        chosen: bool,
        clash: bool,
        ratio: float,
    ) -> None:
        kind = self.parts.document.show.types.get(fixture.type)
        at = self.at(self._place(fixture))
        rgb = self._glow.get(fixture.id, (0, 0, 0))
        fill = _near(rgb) if max(rgb) > 40 else theme.FLAT
        line = (
            theme.CHOSEN
            if chosen
            else theme.ALARM
            if clash or kind is None
            else theme.SOFT
        )

        turn = 0.0 if self.front else -fixture.hanging.yaw
        body = bodies.body_of(kind, fixture.mode)
        look = bodies.Look(
            body, fill, line, 2.2 if chosen else 1.3, turn, fixture.reversed, ratio
        )

        painter.drawPixmap(at - QPointF(bodies.REACH, bodies.REACH), bodies.sign(look))

        if clash or kind is None:
            painter.setPen(QColor(theme.ALARM))
            painter.drawText(QPointF(at.x() + 9, at.y() - 7), "▲" if kind else "?")

    def _names(self) -> QPixmap:
        """All names as a picture, kept until one of them may have changed. Those of
        many follow a moment later.
        """
        show, size = (
            self.parts.document.show,
            (self.width(), self.height(), self.devicePixelRatioF()),
        )

        seen = (
            show.fixtures,
            show.types,
            show.marks,
            show.room,
            self.parts.selection.chosen,
            self.shown_places,
        )

        known = self._named
        if known is not None and known[1] == size and very_same(known[0], seen):
            return known[2]

        if known is not None and known[1] == size and len(show.fixtures) > MANY:
            self._name_soon.start()
            return known[2]

        made = QPixmap(self.size() * size[2])
        made.setDevicePixelRatio(size[2])
        made.fill(Qt.GlobalColor.transparent)
        painter = QPainter(made)
        self._draw_names(painter)

        painter.end()
        self._named = (seen, size, made)
        return made

    def _name(self) -> None:
        """Write the names anew and show them."""
        self._named = None
        self._names()
        self.update()

    def _draw_names(self, painter: QPainter) -> None:
        """Names as far as they do not run into each other: of the chosen, of other
        fixtures, of marks.
        """
        labels = Labels()
        fonts = (theme.font(11), theme.font(12))
        metrics = tuple(QFontMetricsF(font) for font in fonts)
        for name in self._named_things():
            wide = metrics[name.chosen].horizontalAdvance(name.text) + 4
            room = QRectF(name.at.x() - wide / 2, name.at.y(), wide, 15)
            if labels.place([room]) is not None:
                painter.setFont(fonts[name.chosen])
                painter.setPen(QColor(name.token))
                painter.drawText(room, Qt.AlignmentFlag.AlignHCenter, name.text)

    def _named_things(self) -> list[_Name]:
        """What is named, the most needed first. Dots are many: only the chosen."""
        show, chosen = self.parts.document.show, set(self.parts.selection.chosen)
        named = []
        for fixture in sorted(show.fixtures.values(), key=lambda f: f.id not in chosen):
            mine, kind = fixture.id in chosen, show.types.get(fixture.type)
            if mine or kind is None or kind.body != "dot":
                token = theme.CHOSEN if mine else theme.SOFT
                at = self.at(self._place(fixture)) + QPointF(0, 11)
                named.append(_Name(fixture.short, at, mine, token))
        for mark in () if self.front else show.marks.values():
            at = self.at(Place(mark.x, mark.y)) + QPointF(0, 4)
            named.append(_Name(mark.name, at, False, theme.KEEP))
        return named

    def _draw_held(self, painter: QPainter) -> None:
        """Marks at the lamps that a hand holds."""
        show = self.parts.document.show
        for fixture, how in self.held.lamps.items():
            if fixture in show.fixtures:
                spot = self.at(self._place(show.fixtures[fixture]))
                draw_mark(painter, spot + QPointF(0, 15), how)

    def _draw_ghost(self, painter: QPainter, ghost: Ghost) -> None:
        pen = QPen(QColor(theme.ALARM if ghost.clash else theme.DRAFT), 1.4)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place in ghost.places[:100]:
            painter.save()
            painter.translate(self.at(place))
            bodies.draw(painter, ghost.body)
            painter.restore()

    # choosing and moving

    def fixture_at(self, point: QPointF) -> str | None:
        """The fixture drawn nearest to a point; the chosen win where several are as
        near.
        """
        best, away = None, NEAR
        for fixture in self.parts.document.show.fixtures.values():
            d = (self.at(self._place(fixture)) - point).manhattanLength()
            if d < away or (d == away and fixture.id in self.parts.selection.chosen):
                best, away = fixture.id, d
        return best

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose what is pressed, begin a box or a stroke, or open the menu."""
        if self._points is not None:
            self._take_point(event)
        elif event.button() == Qt.MouseButton.RightButton:
            self._ask_menu(event)
        elif event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            if self.parts.brush.palette is not None:
                self._brushed = event.position()
                self.parts.brush.begin()
                self._brush(event.position())
            else:
                self._take_hold(event)

    def _ask_menu(self, event: QMouseEvent) -> None:
        """Ask for the menu of what lies here."""
        one = self.fixture_at(event.position())
        if one is not None and one not in self.parts.selection.chosen:
            self.parts.selection.choose([one])
        floor = None if self.front else self.place_of(event.position())
        self.menu_asked.emit(event.globalPosition().toPoint(), floor)

    def _take_hold(self, event: QMouseEvent) -> None:
        """Choose the fixture that is pressed, to be carried; else begin a box."""
        selection, show = self.parts.selection, self.parts.document.show
        one = self.fixture_at(event.position())
        adding = bool(
            event.modifiers()
            & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
        )
        self._press, self._box = event.position(), None

        if one is None:
            self._moving = None
            self._box = QRectF(self._press, self._press)
            self._adding = adding

            return

        if adding:
            selection.toggle([one])
        elif one not in selection.chosen:
            selection.choose([one])

        self._moving = {i: show.fixtures[i].place for i in selection.chosen}

    def _take_point(self, event: QMouseEvent) -> None:
        points = self._points
        assert points is not None
        points.append(event.position())
        if len(points) == 2:
            self._points = None
            self.unsetCursor()
            self.two_points.emit(*points)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the chosen, draw the box, or brush."""
        if self._brushed is not None:
            self._brush(event.position())
            return

        if self._press is None:
            return

        away = event.position() - self._press
        if self._box is not None:
            self._box = QRectF(self._press, event.position()).normalized()
        elif self._moving and (self.shown_places or away.manhattanLength() > 5):
            scale, _ = self.metre_and_middle()
            free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            self.shown_places = {
                i: self._moved(p, away.x() / scale, -away.y() / scale, free)
                for i, p in self._moving.items()
            }

        self.update()

    def _brush(self, at: QPointF) -> None:
        """Give what the brush holds to the fixtures between where it was and `at`."""
        assert self._brushed is not None
        way = at - self._brushed
        steps = max(1, int(way.manhattanLength() / (NEAR / 2)))
        on_way = [self._brushed + way * (i / steps) for i in range(1, steps + 1)]
        self._brushed = at
        touched = [self.fixture_at(point) for point in on_way]
        self.parts.brush.touch([one for one in touched if one is not None])

    def _moved(self, place: Place, across: float, up: float, free: bool) -> Place:
        """A place dragged across and up; near a bar it snaps to it, unless it is
        free.
        """
        x = _snap(place.x + across, free)
        if self.front:
            return edits.replace(place, x=x, z=max(0.0, _snap(place.z + up, free)))
        moved = edits.replace(place, x=x, y=_snap(place.y + up, free))
        bar = None if free else arrange.bar_of(self.parts.document.show.room, moved)
        if bar is not None and bar.y1 == bar.y2:
            moved = edits.replace(moved, y=bar.y1)
        return moved

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A box chooses, what was carried stays where it is."""
        self._brushed = None
        selection, document = self.parts.selection, self.parts.document
        if self._box is not None:
            drawn = self._box.width() + self._box.height() > 6
            if drawn or not self._adding:
                before = selection.chosen if self._adding else ()
                selection.choose([*before, *self._inside(self._box)])
        elif self.shown_places and self._moving:
            changes = {i: {"place": place} for i, place in self.shown_places.items()}
            name = plural(len(changes), "move {n} fixture", "move {n} fixtures")
            document.edit(name, edits.change_fixtures(document.show, changes))

        self._press = self._box = self._moving = None
        self.shown_places = {}
        self.update()

    def _inside(self, box: QRectF) -> list[str]:
        """The fixtures that are drawn inside a box."""
        fixtures = self.parts.document.show.fixtures.values()
        return [f.id for f in fixtures if box.contains(self.at(f.place))]

    def dropEvent(self, event: QDropEvent) -> None:
        """Hang the type that is dropped."""
        if type_id := dropped(event.mimeData()):
            event.acceptProposedAction()
            self.type_dropped.emit(type_id, self.place_at(event.position()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows nudge the chosen, Escape lets go of what is under way."""
        key, held = Qt.Key(event.key()), event.modifiers()
        if held & Qt.KeyboardModifier.ControlModifier:
            done = self._with_ctrl(key)
        elif key == Qt.Key.Key_Escape:
            done = self._let_go()
        else:
            done = not held & HELD_WITH and self._alone(key)

        if not done:
            super().keyPressEvent(event)

    def _with_ctrl(self, key: Qt.Key) -> bool:
        """Do what a key with Ctrl stands for; returns whether it is for anything."""
        if key != Qt.Key.Key_A:
            return self._nudge(key)
        self.parts.selection.choose(list(self.parts.document.show.fixtures))
        return True

    def _let_go(self) -> bool:
        """Put the brush down, or leave a drag or a measuring; returns whether there was
        one.
        """
        if self.parts.brush.palette is not None:
            self.parts.brush.put_down()
            return True
        if self._press is None and self._points is None:
            return False

        self._press = self._box = self._moving = self._points = None
        self.shown_places = {}
        self.unsetCursor()
        self.update()
        return True

    def _alone(self, key: Qt.Key) -> bool:
        """Do what a key by itself stands for; returns whether it is for anything."""
        draft = self.parts.draft
        acts = {Qt.Key.Key_O: draft.open_up, Qt.Key.Key_H: draft.home}
        if key not in acts:
            return self._act_on_chosen(key)
        acts[key]()
        return True

    def _act_on_chosen(self, key: Qt.Key) -> bool:
        """Do what a key means for the chosen; returns whether it means anything."""
        chosen = self.parts.selection.chosen
        if self._nudge(key):
            return True
        if chosen and key == Qt.Key.Key_Delete:
            take_down(self.parts)
        elif chosen and key == Qt.Key.Key_I:
            self.parts.engine.blink(chosen)
        else:
            return False
        return True

    def _nudge(self, key: Qt.Key) -> bool:
        """Move the chosen by an arrow; returns whether the key is one."""
        document, chosen = self.parts.document, self.parts.selection.chosen
        if key not in STEPS or not chosen:
            return False
        fixtures = document.show.fixtures
        moved = {
            i: {"place": self._nudged(fixtures[i].place, *STEPS[key])} for i in chosen
        }
        changed = edits.change_fixtures(document.show, moved)
        document.edit(tr("nudge {n}", n=len(chosen)), changed)
        return True

    def _nudged(self, place: Place, across: float, up: float) -> Place:
        if self.front:
            return edits.replace(
                place, x=round(place.x + across, 3), z=round(max(0.0, place.z + up), 3)
            )
        return edits.replace(
            place, x=round(place.x + across, 3), y=round(place.y + up, 3)
        )


def take_down(parts: Parts) -> None:
    """Take the chosen fixtures down; scenes keep what they hold for them."""
    count = len(parts.selection.chosen)
    show = edits.take_down(parts.document.show, parts.selection.chosen)
    parts.document.edit(
        plural(count, "take down {n} fixture", "take down {n} fixtures"),
        show,
    )
    parts.notices.told.emit(
        tr(
            "{count} taken down. Ctrl+Z hangs them again, with all their programming.",
            count=count,
        ),
        "info",
    )


def _near(rgb: tuple[int, int, int]) -> str:
    """A colour that is near enough for a sign, so that few pictures serve for all."""
    return "#" + "".join(f"{part >> 4:x}" for part in rgb)


def _snap(value: float, free: bool) -> float:
    return round(value, 3) if free else round(round(value / SNAP) * SNAP, 3)
