"""The lit stage as a widget: it follows the frames that go out, and fixtures are chosen
and aimed on it.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model import choosing, links
from choreon.model.refs import exists, name_of
from choreon.model.sameness import very_same
from choreon.model.show import Mark
from choreon.render.decode import Decoder, Lamp, Light
from choreon.render.rig import Floats
from choreon.ui import theme, words
from choreon.ui.lamp_marks import LampMarks, draw_mark
from choreon.ui.parts import Parts
from choreon.ui.refresh_timer import RefreshTimer
from choreon.ui.settings import open_settings
from choreon.ui.stage import figures
from choreon.ui.stage.camera import ABOVE, ASIDE, HOUSE, View, Viewpoint, read_viewpoint
from choreon.ui.stage.painter import StagePainter
from choreon.ui.stage.path_on_stage import PathOnStage
from choreon.ui.widgets import basics
from choreon.ui.widgets.labels import Labels
from choreon.ui.widgets.spoken import Role, Spoken

FRAME = 33  # milliseconds between pictures
# seconds of a picture for beams that are new or turn; the rest come in the next one
BUDGET = 0.006
NEAR = 16.0  # pixels within which a click means a lamp
GRIP = 8.0  # pixels within which a drag begins on a lamp, and a sweep takes one
AFTER = 30  # milliseconds by which the picture of a large choice follows its panels
NAMED, MANY = 12, 60  # chosen, up to which all are named, and numbered
USUAL = (HOUSE, ABOVE, ASIDE)
HOW = tr(
    "Press a fixture to choose it; Shift or Ctrl adds and takes away. Drag over "
    "fixtures to sweep them up, from an empty place for a box. Type short names: par "
    "1-4, spot odd. Right-drag turns the view, the wheel brings it nearer."
)


HINTS = {
    "aim": tr("Press where the heads shall look. Esc ends it."),
    "mark": tr("Press where the mark shall be. Esc ends it."),
    "like": tr("Press the fixture that the chosen shall be like. Esc ends it."),
}
"""What a mode of the picture waits for."""


class _Figures(NamedTuple):
    """A picture of marks and figures, and what it was made of."""

    made_of: tuple[object, ...]
    how: tuple[object, ...]
    picture: QPixmap


class StagePicture(QWidget):
    """The stage. What a press does depends on what is asked for: `aiming` points heads,
    `marking` sets a mark.
    """

    pointed = Signal(str)  # a link: a point or a mark that heads are sent to
    marked = Signal(tuple)  # a point for a new mark
    mark_moved = Signal(str, tuple)
    like = Signal(str)  # a fixture that the choice shall be like
    path_dragged = Signal(
        str, tuple
    )  # a handle of the path that is shown, and where to
    modes_changed = Signal()

    def __init__(self, parts: Parts, choosing: bool = True) -> None:
        super().__init__()
        self.parts = parts
        self.choosing = choosing
        self.held = LampMarks(parts, self)
        self.setMinimumSize(240, 150)

        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(tr("Stage picture"))
        self.setFocusPolicy(
            Qt.FocusPolicy.StrongFocus if choosing else Qt.FocusPolicy.NoFocus
        )
        self.settings = open_settings()
        self.viewpoint = HOUSE

        self.mode = ""  # "", aim, mark or like
        self.lasso = False
        self.marks_shown = False
        self.path: PathOnStage | None = None
        self.runners: Callable[[], Floats] = lambda: np.zeros((0, 3))

        self._handle = ""
        self.phases: dict[str, float] = {}
        """Fixture → degrees by which it is behind, shown on the lamps."""
        self.typed: str | None = None
        self._typed_from: tuple[str, ...] = ()

        self._painter: StagePainter | None = None
        self._for: Decoder | None = None
        self.shown_light: Light | None = None
        self._number = -2
        self._moves = False  # something in the light turns or shakes

        self._cost = 0.005
        self._press: QPointF | None = None
        self._box: QRectF | None = None
        self._trail: list[QPointF] = []
        self._swept: list[str] | None = None

        self._turn: QPointF | None = None
        self._mark = ""
        self._brushed: QPointF | None = None  # where the brush was last
        self._looks = RefreshTimer(parts, self, FRAME, self._follow)
        self._figures: _Figures | None = None

        parts.document.show_changed.connect(self._refresh)
        # Drawn in a turn of its own, after the panels that a choice changes.
        self._soon = basics.once(self, 0, self.update)
        parts.selection.changed.connect(self._chosen)
        parts.preview.changed.connect(self._refresh)
        parts.brush.changed.connect(self._brush_changed)

        if choosing:
            self.setToolTip(HOW)

    @property
    def cost(self) -> float:
        """Seconds that a picture takes, smoothed."""
        return self._cost

    @property
    def aiming(self) -> bool:
        """Whether the next press aims the chosen."""
        return self.mode == "aim"

    def sizeHint(self) -> QSize:
        return QSize(760, 470)

    def showEvent(self, event: QShowEvent) -> None:
        self._looks.start()
        self._refresh()

    def hideEvent(self, event: QHideEvent) -> None:
        self._looks.stop()

    def _chosen(self, chosen: tuple[str, ...]) -> None:
        self._soon.start(AFTER if len(chosen) > MANY else 0)

    def _refresh(self) -> None:
        self._number = -2
        self.update()

    def _follow(self) -> bool:
        """Draw the newest light, where it differs from what is drawn. Returns whether
        something was drawn, or soon may be.
        """
        preview, painter = self.parts.preview, self._painter
        if not preview.ready:
            preview.compile_soon()
        elif painter is not None and not self._is_current(painter):
            self.update()

        found = preview.seen()
        if found is None:
            return True

        drawn = self._take(*found) or self._goes_on() or self.path is not None
        if drawn:
            self.update()

        # A slow machine gets fewer pictures rather than a slow window.
        self._looks.cost = self._cost
        return drawn

    def _take(self, number: int, light: Light) -> bool:
        """Take the light of a frame; gives whether it differs from what is drawn."""
        if number == self._number and number >= 0:
            return False
        before = self.shown_light
        self._number, self.shown_light, self._moves = number, light, light.moving
        return before is None or _differs(before, light)

    def _goes_on(self) -> bool:
        """Whether the next picture will be another one, though no light changes."""
        behind = self._painter is not None and self._painter.behind
        return self.shown_light is not None and (self._moves or behind)

    def _stage(self) -> StagePainter:
        """What draws the show; the show before, until this one is ready to be drawn."""
        preview, room = self.parts.preview, self.parts.document.show.room
        known = self._painter
        if known is None or (preview.ready and not self._is_current(known)):
            self._for = preview.decoder if preview.ready else None
            known = StagePainter(self._for.lamps if self._for else [], room)
        self._painter = known
        known.viewpoint = self.viewpoint
        return known

    def _is_current(self, painter: StagePainter) -> bool:
        """Whether it draws the show as it is now, which is ready to be drawn."""
        preview, room = self.parts.preview, self.parts.document.show.room
        return self._for is preview.decoder and painter.room is room

    def view(self) -> View:
        """The view as it is drawn."""
        return self._stage().view(QRectF(self.rect()))

    # views

    def go_to(self, number: int) -> None:
        """Show one of the three viewpoints that are kept."""
        text = str(self.settings.value(f"viewpoint/{number}") or "")
        self.look_from(read_viewpoint(text, USUAL[number]))

    def keep_view(self, number: int) -> None:
        """Keep the present viewpoint as one of the three."""
        self.settings.setValue(f"viewpoint/{number}", self.viewpoint.text())

    def look_from(self, viewpoint: Viewpoint) -> None:
        """Look at the stage from a viewpoint."""
        if viewpoint != self.viewpoint:
            self.viewpoint = viewpoint
            self.update()

    # drawing

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: who is lit, and who is chosen."""
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        names = words.fixtures_named(show, chosen)
        lit = 0
        if self.shown_light is not None:
            lit = int((self.shown_light.rgb.max(axis=-1) > 0.01).sum())
        return Spoken(
            Role.Graphic, tr("{lit} lit; chosen: {names}", lit=lit, names=names)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        begin = time.perf_counter()
        stage = self._stage()
        light = (
            self.shown_light
            if self.shown_light is not None
            and len(self.shown_light.rgb) == len(stage.lamps)
            else None
        )

        painter = QPainter(self)
        stage.paint(
            painter,
            QRectF(self.rect()),
            light,
            self.parts.selection.chosen,
            cells=self.parts.selection.cells,
            now=begin,
            budget=BUDGET,
        )

        painter.drawPixmap(0, 0, self._figures_in(stage.view(QRectF(self.rect()))))
        if self.path is not None and self.choosing:
            self.path.draw(painter, stage.view(QRectF(self.rect())), self.runners())

        if self.choosing:
            self._captions(painter, stage)

        self._held(painter, stage)
        self._shapes(painter)
        self._notes(painter)
        painter.end()
        self._cost += 0.1 * (time.perf_counter() - begin - self._cost)

    def _figures_in(self, view: View) -> QPixmap:
        """Marks and figures as they are seen, drawn once for a view."""
        show, ratio = self.parts.document.show, self.devicePixelRatioF()
        made_of, how = (view, show.marks), (self._marks_named(), ratio)
        known = self._figures
        if known is None or known.how != how or not very_same(known.made_of, made_of):
            made = QPixmap(self.size() * ratio)
            made.setDevicePixelRatio(ratio)
            made.fill(Qt.GlobalColor.transparent)
            painter = QPainter(made)
            figures.draw(painter, view, show, named=self._marks_named())
            painter.end()
            known = self._figures = _Figures(made_of, how, made)
        return known.picture

    def _marks_named(self) -> bool:
        return self.marks_shown or self.mode in ("aim", "mark")

    def _captions(self, painter: QPainter, stage: StagePainter) -> None:
        """The chosen by their place in the order, and by their short names where there
        is room for them.
        """
        chosen = self.parts.selection.chosen
        if not chosen:
            return

        at = stage.view(QRectF(self.rect())).project(stage.places)
        own, labels = stage.own, Labels()
        names = len(chosen) <= NAMED

        for place, fixture in enumerate(chosen[: 1 if len(chosen) > MANY else None], 1):
            rows = own.get(fixture)
            if not rows:
                continue

            x, low = at[rows, 0].mean(), at[rows, 1].max()
            if names:
                short = self.parts.document.show.fixtures[fixture].short
                self._draw_name(painter, labels, short, QPointF(x, at[rows, 1].min()))

            if fixture in self.phases:
                self._draw_phase(painter, x, low, self.phases[fixture])
            elif len(chosen) > 1:
                self._draw_place(painter, labels, place, QPointF(x, low))

    def _draw_name(
        self, painter: QPainter, labels: Labels, name: str, at: QPointF
    ) -> None:
        """A name above a lamp, higher up where others are in its way."""
        painter.setFont(theme.font(12))
        wide = painter.fontMetrics().horizontalAdvance(name) + 4
        room = labels.place(
            QRectF(at.x() - wide / 2, at.y() - 27 - up, wide, 16) for up in (0, 16, 32)
        )
        if room is not None:
            painter.setPen(QColor(theme.CHOSEN))
            painter.drawText(room, Qt.AlignmentFlag.AlignHCenter, name)

    def _draw_place(
        self, painter: QPainter, labels: Labels, number: int, at: QPointF
    ) -> None:
        """A place in the order below a lamp, or beside it."""
        room = labels.place(
            QRectF(at.x() - 8 + x, at.y() + y, 16, 14)
            for x, y in ((0, 13), (22, -7), (-22, -7))
        )
        if room is not None:
            painter.setFont(theme.font(11))
            painter.setPen(QColor(theme.SOFT))
            painter.drawText(room, Qt.AlignmentFlag.AlignHCenter, str(number))

    def _held(self, painter: QPainter, stage: StagePainter) -> None:
        """Marks at the lamps that a hand holds."""
        marked = self.held.lamps
        if not marked:
            return
        at = stage.view(QRectF(self.rect())).project(stage.places)
        for fixture in marked.keys() & stage.own.keys():
            own = stage.own[fixture]
            spot = QPointF(at[own, 0].mean(), at[own, 1].max() + 10)
            draw_mark(painter, spot, marked[fixture])

    def _draw_phase(
        self, painter: QPainter, x: float, low: float, degrees: float
    ) -> None:
        """By how much a lamp is behind: in degrees, and as a shade."""
        part = degrees % 360.0 / 360.0
        painter.setPen(QPen(QColor(theme.DRAFT), 1))
        painter.setBrush(theme.colour(theme.DRAFT, 1.0 - part))
        painter.drawRect(QRectF(x - 12, low + 14, 24, 4))
        painter.setFont(theme.font(11))
        painter.setPen(QColor(theme.DRAFT))
        room = QRectF(x - 24, low + 18, 48, 14)
        painter.drawText(
            room, Qt.AlignmentFlag.AlignHCenter, tr("{degrees:.0f}°", degrees=degrees)
        )

    def show_phases(self, phases: dict[str, float]) -> None:
        """Show by how much each lamp is behind; nothing for none."""
        if phases != self.phases:
            self.phases = phases
            self.update()

    def _shapes(self, painter: QPainter) -> None:
        painter.setPen(QPen(QColor(theme.CHOSEN), 1))
        painter.setBrush(theme.colour(theme.CHOSEN, 0.12))
        if self._box is not None:
            painter.drawRect(self._box)
        elif len(self._trail) > 1:
            painter.drawPolygon(QPolygonF(self._trail))

    def _notes(self, painter: QPainter) -> None:
        """What is typed, and what is shown here that is not on stage."""
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(14, strong=True))
        if self.typed is not None:
            low = QRectF(12, self.height() - 34, self.width() - 24, 24)
            painter.setPen(QColor(theme.TEXT))
            painter.drawText(low, middle, f"{self.typed}▏")

        text = self._not_on_stage()
        token = theme.DRAFT if text else theme.CHOSEN
        held = self.parts.brush.palette

        if not text and held is not None and self.choosing:
            text = tr(
                "Brush: {name}. Draw over fixtures; Esc puts it down.", name=held.name
            )
            token = theme.CHOSEN

        text = text or HINTS.get(self.mode, "")
        if not text:
            return

        painter.setPen(QColor(token))
        painter.drawText(QRectF(12, 10, self.width() - 24, 22), middle, text)
        if token == theme.DRAFT:
            pen = QPen(QColor(token), 2)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _not_on_stage(self) -> str:
        """What is seen here that is not on stage; empty where all of it is."""
        parts = self.parts
        shown, draft = parts.preview.shown, parts.engine.state.draft
        if shown is not None and exists(parts.document.show, shown):
            name = name_of(parts.document.show, shown)
            return tr("◌ {name}: looked at, not on stage", name=name)
        if parts.preview.trial or parts.preview.tried is not None:
            return tr("◌ tried out, not on stage")
        if draft.blind and not draft.empty:
            return tr("◌ blind: with the draft, which is not on stage")
        return ""

    # what is where

    def _near(self, point: QPointF, within: float = NEAR) -> Lamp | None:
        stage = self._stage()
        if not len(stage.lamps):
            return None
        at = self.view().project(stage.places)[:, :2]
        away = np.hypot(at[:, 0] - point.x(), at[:, 1] - point.y())
        nearest = int(away.argmin())
        return stage.lamps[nearest] if away[nearest] <= within else None

    def lamp_at(self, point: QPointF) -> str | None:
        """The fixture drawn nearest to a point, within reach of a finger."""
        found = self._near(point)
        return found.fixture if found else None

    def _inside(self, shape: QRectF | QPolygonF) -> list[Lamp]:
        stage = self._stage()
        at = self.view().project(stage.places)[:, :2]

        def within(point: QPointF) -> bool:
            if isinstance(shape, QPolygonF):
                return shape.containsPoint(point, Qt.FillRule.OddEvenFill)
            return shape.contains(point)

        return [
            lamp
            for lamp, (x, y) in zip(stage.lamps, at, strict=True)
            if within(QPointF(x, y))
        ]

    def point_of(self, fixture: str, cell: int | None = None) -> QPointF | None:
        """Where a fixture, or one of its cells, is drawn."""
        stage = self._stage()
        at = self.view().project(stage.places)
        own = [
            i
            for i, lamp in enumerate(stage.lamps)
            if lamp.fixture == fixture and cell in (None, lamp.cell)
        ]
        return QPointF(at[own[0], 0], at[own[0], 1]) if own else None

    def mark_at(self, point: QPointF) -> Mark | None:
        """The mark drawn at a point."""
        for mark in self.parts.document.show.marks.values():
            x, y, _ = self.view().project([(mark.x, mark.y, mark.z)])[0]
            if np.hypot(x - point.x(), y - point.y()) <= NEAR:
                return mark
        return None

    # pressing

    def set_mode(self, mode: str) -> None:
        """What presses do: `aim`, `mark`, `like`, or choose again."""
        if mode != self.mode:
            self.mode = mode
            self.setCursor(
                Qt.CursorShape.CrossCursor if mode else Qt.CursorShape.ArrowCursor
            )
            if mode:
                self.setFocus()
            self.update()
            self.modes_changed.emit()

    def _brush_changed(self) -> None:
        """Show by the pointer what a press does."""
        cross = self.parts.brush.palette is not None or bool(self.mode)
        shape = Qt.CursorShape.CrossCursor if cross else Qt.CursorShape.ArrowCursor
        self.setCursor(shape)
        self._brushed = None
        self.update()

    def aim(self, on: bool) -> None:
        """Have presses send heads, or choose again."""
        if on or self.mode == "aim":
            self.set_mode("aim" if on else "")

    def mark(self, on: bool) -> None:
        """Have the next press set a mark, or choose again."""
        if on or self.mode == "mark":
            self.set_mode("mark" if on else "")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose, aim, mark, or take hold of a mark."""
        at = event.position()
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self._turn = at
        elif event.button() != Qt.MouseButton.LeftButton or not self.choosing:
            return
        elif self.parts.brush.palette is not None:
            self._brushed = at
            self.parts.brush.begin()
            self._brush(at)
        elif self.mode:
            self._act_on(at)
        elif self.path is not None and self.path.handle_at(self.view(), at):
            self._handle = self.path.handle_at(self.view(), at)
        else:
            mark = None
            if self.marks_shown and self._near(at) is None:
                mark = self.mark_at(at)

            if mark is not None:
                self._mark = mark.id
            else:
                self._press = at
                self._trail = [at]

    def _act_on(self, at: QPointF) -> None:
        """Do what the mode of the picture waits for."""
        if self.mode == "aim":
            self._point(at, marks=True)
        elif self.mode == "mark":
            room = self.parts.document.show.room
            found = self.view().on_surface(at.x(), at.y(), room)
            self.set_mode("")

            if found is not None:
                self.marked.emit(tuple(found.tolist()))
        elif self.mode == "like":
            lamp = self.lamp_at(at)
            if lamp is not None:
                self.set_mode("")
                self.like.emit(lamp)

    def _point(self, point: QPointF, marks: bool = False) -> None:
        mark = self.mark_at(point) if marks else None
        if mark is not None:
            self.pointed.emit(links.to_mark(mark.id))
            return
        found = self.view().on_surface(
            point.x(), point.y(), self.parts.document.show.room
        )
        if found is not None:
            self.pointed.emit(links.to_point(found.tolist()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn the view, brush, carry a mark, or draw a box."""
        at = event.position()
        if self._turn is not None:
            away, self._turn = at - self._turn, at
            self.look_from(self.viewpoint.turned(-0.3 * away.x(), 0.3 * away.y()))
        elif self._brushed is not None:
            self._brush(at)
        elif self._handle:
            self._drag_handle(at)
        elif self._mark:
            found = self.view().on_surface(
                at.x(), at.y(), self.parts.document.show.room
            )
            if found is not None:
                self.mark_moved.emit(self._mark, tuple(found.tolist()))
        elif self.mode == "aim" and event.buttons() & Qt.MouseButton.LeftButton:
            self._point(at)
        elif self._press is not None and self._swept is not None:
            self._sweep(at)
        elif self._press is not None and (at - self._press).manhattanLength() > 6:
            self._drag(at, event)

    def _drag_handle(self, at: QPointF) -> None:
        room = self.parts.document.show.room
        found = self.view().on_surface(at.x(), at.y(), room)
        if found is not None:
            self.path_dragged.emit(self._handle, tuple(found.tolist()))

    def show_path(self, path: PathOnStage | None) -> None:
        """Show a path of heads, to be dragged; None for none."""
        if path is not None or self.path is not None:
            self.path = path
            self.update()

    def _drag(self, at: QPointF, event: QMouseEvent) -> None:
        first = self._near(self._press, GRIP) if self._press is not None else None
        if first is not None and self._box is None and len(self._trail) <= 1:
            adding = bool(event.modifiers() & _ADDING)
            self._swept = (
                [*self.parts.selection.chosen, first.fixture]
                if adding
                else [first.fixture]
            )

            self._sweep(at)
        elif self.lasso:
            self._trail.append(at)
        elif self._press is not None:
            self._box = QRectF(self._press, at).normalized()

        self.update()

    def _sweep(self, at: QPointF) -> None:
        """Add what is swept over, in the order in which it is: also what lies between
        two reports of a fast mouse.
        """
        if self._swept is None:
            return
        for one in self._on_way(self._trail[-1], at):
            if one not in self._swept:
                self._swept.append(one)
        self._trail = [at]
        self.parts.selection.choose(self._swept)

    def _on_way(self, start: QPointF, end: QPointF) -> Iterator[str]:
        """The fixtures between two points, also where a fast mouse reports few."""
        way = end - start
        steps = max(1, int(np.hypot(way.x(), way.y()) / (GRIP / 2)))
        for step in range(1, steps + 1):
            one = self._near(start + way * (step / steps), GRIP)
            if one is not None:
                yield one.fixture

    def _brush(self, at: QPointF) -> None:
        """Give what the brush holds to what lies under it."""
        assert self._brushed is not None
        touched = [*self._on_way(self._brushed, at)]
        pressed = self.lamp_at(at) if at == self._brushed else None
        self._brushed = at
        self.parts.brush.touch([*touched, *([pressed] if pressed else [])])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Choose what was pressed, swept or drawn around."""
        self._turn, self._mark, self._handle = None, "", ""
        self._brushed = None
        if self._press is None:
            return

        adding = bool(event.modifiers() & _ADDING)
        shape = (
            self._box
            if self._box is not None
            else QPolygonF(self._trail)
            if len(self._trail) > 2
            else None
        )

        if self._swept is not None:
            pass
        elif shape is not None:
            self._choose_in(shape, adding)
        else:
            self._choose_one(event.position(), adding)

        self._press = self._box = self._swept = None
        self._trail = []
        self.update()

    def _choose_in(self, shape: QRectF | QPolygonF, adding: bool) -> None:
        """Choose what lies in a shape: fixtures, or their cells one by one."""
        selection = self.parts.selection
        lamps = self._inside(shape)
        found = list(dict.fromkeys(lamp.fixture for lamp in lamps))
        cells = dict(selection.cells) if adding else {}
        if selection.each_cell:
            cells |= self._cells_among(lamps)
        before = selection.chosen if adding else ()
        selection.choose([*before, *found], cells)

    def _cells_among(self, lamps: list[Lamp]) -> dict[str, tuple[int, ...]]:
        """The cells of fixtures that have some of theirs, not all, among lamps."""
        counts = Counter(lamp.fixture for lamp in self._stage().lamps if lamp.cell)
        own: dict[str, tuple[int, ...]] = {}
        for lamp in lamps:
            if lamp.cell:
                own[lamp.fixture] = (*own.get(lamp.fixture, ()), lamp.cell)
        return {i: cells for i, cells in own.items() if len(cells) < counts[i]}

    def _choose_one(self, at: QPointF, adding: bool) -> None:
        parts, one = self.parts, self._near(at)
        if one is None:
            if not adding:
                parts.selection.choose([])
        elif parts.selection.each_cell and one.cell:
            if adding:
                parts.selection.toggle_cell(one.fixture, one.cell)
            else:
                parts.selection.choose([one.fixture], {one.fixture: (one.cell,)})
        elif adding:
            parts.selection.toggle([one.fixture])
        else:
            parts.selection.choose([one.fixture])

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Nearer, or farther away."""
        self.look_from(self.viewpoint.nearer(1.1 ** (event.angleDelta().y() / 120)))
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Look from the house again, with another than the left button."""
        if event.button() != Qt.MouseButton.LeftButton:
            self.look_from(HOUSE)

    # keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Typing chooses by name; arrows go from one to the next."""
        key, parts = event.key(), self.parts
        if not self.choosing:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Escape:
            if not self._escape():
                super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.typed is not None:
            self._end_typing()
        elif key == Qt.Key.Key_Backspace:
            self._backspace()
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_Left) and self.typed is None:
            parts.selection.choose_alone(1 if key == Qt.Key.Key_Right else -1)
        elif key == Qt.Key.Key_Up:
            parts.selection.choose_pool()
        elif self._is_word(event):
            self._type(event.text())
        else:
            super().keyPressEvent(event)

    def _is_word(self, event: QKeyEvent) -> bool:
        """Whether a key is part of what is typed to choose."""
        text = event.text()
        plain = not event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
        )
        return bool(
            plain
            and text
            and text.isprintable()
            and (self.typed is not None or text != " ")
        )

    def _escape(self) -> bool:
        """Let go of what is under way. Returns whether there was anything."""
        if self.parts.brush.palette is not None:
            self.parts.brush.put_down()
        elif self.mode:
            self.set_mode("")
        elif self.typed is not None:
            self.typed = None
            self.parts.selection.choose(self._typed_from)
        elif self._press is not None:
            self._press = self._box = self._swept = None
            self._trail = []
        elif self.parts.preview.shown:
            self.parts.preview.look_at(None)
        elif self.parts.selection.chosen:
            self.parts.selection.choose([])
        else:
            return False

        self.update()
        return True

    def _backspace(self) -> None:
        if self.typed is None:
            self.parts.selection.choose(self.parts.selection.before)
        elif len(self.typed) > 1:
            self.typed = self.typed[:-1]
            self._find()
        else:
            self._escape()

    def _type(self, text: str) -> None:
        if self.typed is None:
            self.typed, self._typed_from = "", self.parts.selection.chosen
        self.typed += text
        self._find()

    def _find(self) -> None:
        """Choose what is meant as soon as it means something."""
        found = choosing.typed(
            self.parts.document.show, self.typed or "", self._typed_from
        )
        if found is not None:
            self.parts.selection.choose(found)
        self.update()

    def _end_typing(self) -> None:
        if (
            choosing.typed(self.parts.document.show, self.typed or "", self._typed_from)
            is None
        ):
            self.parts.notices.told.emit(
                tr(
                    "“{typed}” means no fixture; the choice is as it was.",
                    typed=self.typed,
                ),
                "info",
            )
            self.parts.selection.choose(self._typed_from)
        self.typed = None
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What was typed is forgotten."""
        self.typed = None
        self.update()


_ADDING = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier


def _differs(a: Light, b: Light) -> bool:
    pairs = (
        (a.rgb, b.rgb),
        (a.direction, b.direction),
        (a.strobe, b.strobe),
        (a.beam, b.beam),
        (a.gobo, b.gobo),
    )
    return not all(
        np.array_equal(x, y)
        for x, y in (*pairs, (a.prism, b.prism), (a.motion, b.motion))
    )
