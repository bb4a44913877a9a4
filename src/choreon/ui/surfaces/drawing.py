"""A controller drawn as it lies on the table: every part with what it does, and its
light as it is told.
"""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QApplication, QWidget

from choreon.engine.inputs.feedback import Feedback, lights
from choreon.engine.inputs.layers import Layers
from choreon.engine.protocol import ControlMoved
from choreon.formats.surface_file import part_words
from choreon.language import tr
from choreon.model.inputs import AnyInput, Coding, Control, called
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.surfaces import PartSort, Surface, SurfacePart
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.surfaces.layout import placed, surface_of
from choreon.ui.surfaces.part_painter import BODY, PartLook, paint_part
from choreon.ui.widgets.keys import PRESSES
from choreon.ui.widgets.spoken import Role, Spoken, tell

PLACES = (PartSort.FADER, PartSort.DIAL, PartSort.ENDLESS, PartSort.WHEEL)
MARGIN = 18
GRID = 0.25  # units to which a part is moved by hand


def part_name(show: Show, part: Control) -> str:
    """What a part is called: as its surface says, else by what it sends."""
    found = surface_of(show, part.device, ()).part(part.name)
    return part_words(found) if found is not None else called(part)


class ControllerDrawing(QWidget):
    """The controller as its surface says; one that nobody described from the parts that
    were moved or taught.
    """

    picked = Signal(object)  # what the part acts on, or None
    """The Ref of what a part does; None for one that does nothing."""
    entered = Signal(object)
    """The same, of the part that Enter was pressed on."""
    shifted = Signal(str, float, float)
    """A part that was moved on the drawing, and by how many units."""
    removed = Signal(str)
    """A part that is to be taken off the drawing."""
    carried = Signal(object)
    """The parts that are pulled away, to be let go on what they shall do."""

    def __init__(self, parts: Parts, layers: Layers) -> None:
        super().__init__()
        self.parts, self.layers = parts, layers
        self.port, self.open = "", False
        self.values: dict[Control, float] = {}
        self.last: Control | None = None
        self.chosen: Control | None = None
        self.row: tuple[Control, ...] = ()
        """The parts in hand: the chosen one, and those taken with it, in order."""
        self.arranging = False
        """Whether parts are moved, and not chosen, by hand."""
        self._held: tuple[str, QPointF] | None = None
        self._pressed: QPointF | None = None  # where a row may be pulled from
        self._frame: QRectF | None = None  # drawn about parts that are taken together
        self.setMinimumSize(420, 240)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Controller"))
        self.setToolTip(
            tr(
                "Press a part to see what it does, and to change it. Drag it onto what "
                "it shall do; draw a frame about a row to take it whole."
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(620, 420)

    @property
    def surface(self) -> Surface:
        """What is drawn."""
        moved = [part for part in self.values if part.device == self.port]
        return surface_of(self.parts.document.show, self.port, moved)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: what the part in hand does."""
        if self.chosen is None:
            return Spoken(Role.Graphic, tr("{n} controls", n=len(self.drawn())))
        tie = self.ties().get(self.chosen)
        show = self.parts.document.show
        does = words.target_name(show, tie.target) if tie else tr("nothing yet")
        return Spoken(
            Role.Graphic,
            tr("{control}: {does}", control=part_name(show, self.chosen), does=does),
        )

    def show_port(self, port: str, is_open: bool) -> None:
        """Draw a controller, and whether it is there."""
        if (port, is_open) != (self.port, self.open):
            if port != self.port:
                self.last = self.chosen = None
                self.row = ()
            self.port, self.open = port, is_open
        self.update()

    def moved(self, moved: ControlMoved) -> None:
        """Follow a control that was moved."""
        self.values[moved.control] = moved.value
        if moved.control.device == self.port:
            self.last = moved.control
            self.update()

    def _places(self) -> dict[str, QRectF]:
        area = QRectF(self.rect()).adjusted(MARGIN, MARGIN, -MARGIN, -MARGIN)
        return placed(self.surface, area)

    def drawn(self) -> dict[Control, QRectF]:
        """Every part of the controller and where it is drawn."""
        surface, places = self.surface, self._places()
        return {surface.control(part): places[part.id] for part in surface.parts}

    def ties(self) -> dict[Control, AnyInput]:
        """What the parts are tied to that does something now."""
        show = self.parts.document.show
        own = (t for t in show.inputs.values() if t.control.device == self.port)
        return {tie.control: tie for tie in self.layers.in_force(show, own)}

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.port:
            return

        painter.setPen(QPen(QColor(theme.BATTEN), 1.5))
        painter.setBrush(QColor(BODY))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 16, 16)
        surface, places, ties = self.surface, self._places(), self.ties()

        if not surface.parts:
            painter.setPen(QColor(theme.SOFT))
            text = tr(
                "Move any control: it appears here.\nStart with Learn on the "
                "right to give it something to do."
            )
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return

        show, state = self.parts.document.show, self.parts.engine.state
        shown = lights(show, state, ties.values(), self.layers.page_of)
        painter.setOpacity(1.0 if self.open else 0.55)
        for part in surface.parts:
            control = surface.control(part)
            look = self._look(part, control, ties.get(control), shown.get(control))
            paint_part(painter, part.sort, places[part.id], look)
        if self._frame is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._frame)

    def _look(
        self,
        part: SurfacePart,
        control: Control,
        tie: AnyInput | None,
        shown: Feedback | None,
    ) -> PartLook:
        level = 0.0 if shown is None else shown.level
        place = level if tie is not None else self.values.get(control, 0.0)
        light = ""
        if shown is not None and part.sort not in PLACES:
            light = shown.colour or (theme.LIVE if level > 0 else "")
        show = self.parts.document.show
        does = words.target_name(show, tie.target) if tie is not None else ""
        return PartLook(
            place=place,
            light=light,
            dim=level <= 0.0,
            words=does or part_words(part),
            tied=tie is not None,
            pen=self._pen(control),
        )

    def _pen(self, control: Control) -> QPen:
        if control == self.chosen or control in self.row:
            return QPen(QColor(theme.CHOSEN), 2)
        if control == self.last:
            return QPen(QColor(theme.TEXT), 1.5)
        return QPen(QColor(theme.BATTEN), 1)

    # hands

    def _under(self, point: QPointF) -> SurfacePart | None:
        """The part at a point; what lies on another goes first."""
        places = self._places()
        over = (p for p in reversed(self.surface.parts) if places[p.id].contains(point))
        return next(over, None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the part under the pointer; with Shift, all from the one in hand to
        it. Beside the parts a frame begins.
        """
        part = self._under(event.position())
        if part is None:
            self._frame = QRectF(event.position(), event.position())
            return

        control = self.surface.control(part)
        if self.arranging:
            self.choose(control)
            self._held = (part.id, event.position())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.choose_to(control)
        elif control not in self.row:
            self.choose(control)
        self._pressed = None if self.arranging else event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A part that is in hand goes along, by whole steps; a row that is pulled away
        is carried to what it shall do.
        """
        if self._frame is not None:
            self._frame.setBottomRight(event.position())
            self.update()
        elif self._pressed is not None:
            way = (event.position() - self._pressed).manhattanLength()
            if way >= QApplication.startDragDistance():
                self._pressed = None
                self.carried.emit(self.row)
        elif self._held is not None:
            self._shift(event)

    def _shift(self, event: QMouseEvent) -> None:
        """Move the part that is held, while the drawing is arranged."""
        assert self._held is not None
        part_id, since = self._held
        unit = self._unit()
        way = event.position() - since
        dx = round(way.x() / unit.x() / GRID) * GRID
        dy = round(way.y() / unit.y() / GRID) * GRID
        if dx or dy:
            self._held = (part_id, since + QPointF(dx * unit.x(), dy * unit.y()))
            self.shifted.emit(part_id, dx, dy)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it lie; take what the frame is about."""
        if self._frame is not None:
            frame, self._frame = self._frame.normalized(), None
            self.take(c for c, at in self.drawn().items() if frame.intersects(at))
        elif self._pressed is not None and len(self.row) > 1:
            self._choose_under(event)
        self._held = self._pressed = None
        self.update()

    def _choose_under(self, event: QMouseEvent) -> None:
        """A part of a row that was pressed, and not pulled, is chosen alone."""
        part = self._under(event.position())
        shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if part is not None and not shift:
            self.choose(self.surface.control(part))

    def _unit(self) -> QPointF:
        """Pixels of a unit, across and down."""
        places = self._places()
        part = self.surface.parts[0]
        rect = places[part.id]
        return QPointF(rect.width() / part.w, rect.height() / part.h)

    def choose(self, part: Control) -> None:
        """Choose a part: what it does is found on the right."""
        self.chosen, self.row = part, (part,)
        self._told_choice()

    def choose_to(self, part: Control) -> None:
        """Take all parts of its sort from the one in hand to this one."""
        drawn, first = self.drawn(), self.chosen
        if first not in drawn or part not in drawn:
            self.choose(part)
            return
        span = drawn[first].united(drawn[part])
        sort = self._sort(part)
        some = [c for c, at in drawn.items() if span.contains(at.center())]
        self.take(c for c in some if c in (first, part) or self._sort(c) == sort)

    def _sort(self, control: Control) -> PartSort | None:
        part = self.surface.part(control.name)
        return None if part is None else part.sort

    def take(self, some: Iterable[Control]) -> None:
        """Take parts in hand together, as they are read: from the upper left."""
        row = as_read(self.drawn(), some)
        if not row:
            return
        if self.chosen not in row:
            self.chosen = row[0]
        self.row = row
        self._told_choice()

    def _told_choice(self) -> None:
        self._emit(self.picked)
        self.update()
        tell(self)

    def _emit(self, signal: object) -> None:
        tie = None if self.chosen is None else self.ties().get(self.chosen)
        target: Ref | None = None if tie is None else tie.target
        signal.emit(target)  # type: ignore[attr-defined]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from part to part, and with Shift take it along; Enter goes to what
        it does. While the drawing is arranged, Alt and an arrow moves the part, and
        Delete takes it off.
        """
        drawn, key = self.drawn(), Qt.Key(event.key())
        way = WAYS.get(key)
        if self.arranging and self._arranges(event):
            return

        if way and drawn:
            here = drawn.get(self.chosen) if self.chosen else None
            to = beside(drawn, here, way) if here else next(iter(drawn))
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.take(dict.fromkeys((*self.row, to)))
                self.chosen = to
            else:
                self.choose(to)
        elif key in PRESSES and self.chosen:
            self._emit(self.entered)
        else:
            super().keyPressEvent(event)

    def _arranges(self, event: QKeyEvent) -> bool:
        """Returns whether a key moves the part in hand, or takes it off."""
        part = self.surface.part(self.chosen.name) if self.chosen else None
        if part is None:
            return False

        key = Qt.Key(event.key())
        way = WAYS.get(key)
        if way and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.shifted.emit(part.id, way.x() * GRID, way.y() * GRID)
            return True
        if key == Qt.Key.Key_Delete:
            self.removed.emit(part.id)
        return key == Qt.Key.Key_Delete

    def coding_of(self, control: Control) -> tuple[Coding, bool]:
        """How a part says where it is, and whether it holds for itself."""
        part = self.surface.part(control.name)
        return (Coding.PLACE, False) if part is None else (part.coding, part.toggles)


WAYS = {
    Qt.Key.Key_Left: QPointF(-1, 0),
    Qt.Key.Key_Right: QPointF(1, 0),
    Qt.Key.Key_Up: QPointF(0, -1),
    Qt.Key.Key_Down: QPointF(0, 1),
}


def as_read(
    drawn: dict[Control, QRectF], some: Iterable[Control]
) -> tuple[Control, ...]:
    """Returns parts as they are read: line by line, and each from the left."""
    lines: list[list[Control]] = []
    for part in sorted(some, key=lambda part: drawn[part].center().y()):
        if lines and drawn[part].center().y() < drawn[lines[-1][0]].bottom():
            lines[-1].append(part)
        else:
            lines.append([part])
    return tuple(
        part for line in lines for part in sorted(line, key=lambda p: drawn[p].x())
    )


def beside(drawn: dict[Control, QRectF], here: QRectF, way: QPointF) -> Control:
    """Returns the part that lies nearest in a direction; the one that is there, where
    none does.
    """

    def far(part: Control) -> float:
        away = drawn[part].center() - here.center()
        along = QPointF.dotProduct(away, way)
        aside = abs(away.x() * way.y() - away.y() * way.x())
        if drawn[part] == here:
            return 1e6
        return along + 3.0 * aside if along > 1.0 else 1e9

    return min(drawn, key=far)
