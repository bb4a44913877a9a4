"""What the form of an effect has for one kind of motion, beside its fields: shapes,
ends and curves of waves, colours of rolls, the plane and the points of paths.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.motion import (
    AnyMotion,
    ColourRoll,
    EffectMode,
    Path,
    PathShape,
    Shape,
    Wave,
)
from choreon.render import paths, waves
from choreon.ui.compose import motion_fields as fields
from choreon.ui.compose.stops_row import StopsRow
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import Chip, ChipList
from choreon.ui.widgets.curves import PointEditor
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

replace = fields.replace

Put = Callable[[Any], None]
"""Takes the motion as it is to be."""


class MotionPart(QWidget):
    """One kind's part of the form. `has_rows`: what is one in the row may be said."""

    has_rows = True

    def __init__(self, parts: Parts, put: Put) -> None:
        super().__init__()
        self.parts, self.put = parts, put
        self.motion: Any = None

    def show_motion(self, motion: AnyMotion) -> None:
        """Show a motion of its kind."""
        self.motion = motion
        self.fill()

    @abstractmethod
    def fill(self) -> None:
        """Show what its motion has."""

    def set(self, field: str, value: Any) -> None:
        """Set a field of the motion."""
        self.put(fields.changed(self.motion, field, value))


class WavePart(MotionPart):
    """Shape, what it does, its two ends, and its own curve."""

    def __init__(self, parts: Parts, put: Put) -> None:
        super().__init__(parts, put)
        self.shapes = ChipList(tr("Shape"), font_size=12)
        self.modes = ChipList(tr("What it does"), font_size=12)
        self.shapes.picked.connect(self._set_shape)
        self.modes.picked.connect(self._set_mode)

        self.low, self.high = (
            ValueField(tr("Low"), 0, 100),
            ValueField(tr("High"), 0, 100),
        )
        self.low.changed.connect(lambda v: self._set_end(0, v))
        self.high.changed.connect(lambda v: self._set_end(1, v))
        self.by_middle = basics.button(
            "±", self._show_ends, "", "", tr("Give the middle and the size instead")
        )

        self.by_middle.setCheckable(True)

        self.by_middle.setFixedWidth(34)
        self.by_middle.setAccessibleName(tr("By middle and size"))

        self.curve = PointEditor(tr("Own curve"), 0.0, 1.0, sorted_=True)
        self.curve.changed.connect(partial(self.set, "curve"))
        ends = basics.row(self.low, self.high, self.by_middle, spacing=4)
        basics.stack(
            self, self.shapes, self.modes, ends, self.curve, margins=0, spacing=6
        )

    def fill(self) -> None:
        """Show a wave."""
        wave: Wave = self.motion
        show_chips(self.shapes, fields.SHAPES.options, wave.shape)
        show_chips(self.modes, fields.MODES.options, wave.mode)
        self._show_ends()

        own = wave.shape == Shape.OWN
        self.curve.setVisible(own)
        if own:
            line = waves.own_curve(wave)
            known = [] if line is None else [(x, y) for x, y in line.tolist()]
            self.curve.show_points(wave.curve, known)

    def _show_ends(self) -> None:
        wave: Wave | None = self.motion
        if wave is None:
            return

        entries, values = fields.wave_ends(wave), (wave.low, wave.high)
        if self.by_middle.isChecked():
            entries = fields.middle_and_size(wave)
            values = (wave.low + wave.high) / 2, abs(wave.high - wave.low)

        trio = zip((self.low, self.high), entries, values, strict=True)
        for field, entry, value in trio:
            field.label, field.unit = entry.label, entry.unit
            field.low, field.high = entry.low, entry.high
            field.digits = entry.digits
            field.setAccessibleName(entry.label)
            field.set_value(value * entry.times)

    def _set_shape(self, place: int) -> None:
        self.set("shape", fields.SHAPES.options[place][0])

    def _set_mode(self, place: int) -> None:
        self.put(in_mode(self.motion, fields.MODES.options[place][0]))

    def _set_end(self, end: int, value: float) -> None:
        entry = fields.wave_ends(self.motion)[end]
        value /= entry.times
        if not self.by_middle.isChecked():
            self.set(entry.field, value)
        elif end == 0:
            self.put(fields.with_middle(self.motion, value))
        else:
            self.put(fields.with_size(self.motion, value))


class RollPart(MotionPart):
    """The colours of a roll."""

    def __init__(self, parts: Parts, put: Put) -> None:
        super().__init__(parts, put)
        self.row = StopsRow(parts)
        self.row.changed.connect(partial(self.set, "stops"))
        self.stop_menu = self.row.stop_menu
        basics.stack(self, self.row, margins=0)

    def fill(self) -> None:
        """Show the colours."""
        self.row.show_stops(self.motion.stops)


class PathPart(MotionPart):
    """Where a path lies, its shape, its points and its middle."""

    has_rows = False

    def __init__(self, parts: Parts, put: Put) -> None:
        super().__init__(parts, put)
        self.spaces = ChipList(tr("Where"), font_size=12)
        self.shapes = ChipList(tr("Shape"), font_size=12)
        self.spaces.picked.connect(self._set_space)
        self.shapes.picked.connect(self._set_shape)

        self.path = PointEditor(tr("Free path"), -1.0, 1.0, sorted_=False)
        self.path.changed.connect(partial(self.set, "points"))
        self.centre = basics.button(
            tr("Centre…"), self._centre_menu, "", "", tr("Put its middle on a mark")
        )
        basics.stack(
            self, self.spaces, self.shapes, self.path, self.centre, margins=0, spacing=6
        )

    def fill(self) -> None:
        """Show a path."""
        path: Path = self.motion
        show_chips(self.shapes, fields.PATHS.options, path.shape)
        show_chips(self.spaces, fields.SPACES.options, path.in_room)
        self.centre.setVisible(path.in_room)
        self.centre.setText(
            basics.literal(tr("Centre: {name}", name=self._centre_name()))
        )

        free = path.shape == PathShape.FREE
        self.path.setVisible(free)
        if free:
            plain = replace(path, size=1.0, stretch=1.0, turn=0.0)
            places = paths.shape_of(plain, 96).tolist()
            self.path.show_points(path.points, [(x, y) for x, y in places])

    def _set_shape(self, place: int) -> None:
        shape = fields.PATHS.options[place][0]
        path = self.motion
        if shape == PathShape.ELLIPSE:
            path = replace(path, stretch=0.5)
        elif shape == PathShape.CIRCLE:
            path = replace(path, stretch=1.0)
        self.put(fields.changed(path, "shape", shape))

    def _set_space(self, place: int) -> None:
        in_room = fields.SPACES.options[place][0]
        if self.motion.in_room != in_room:
            size = 1.5 if in_room else 15.0
            self.put(replace(self.motion, in_room=in_room, size=size))

    def _centre_name(self) -> str:
        show, centre = self.parts.document.show, self.motion.centre
        if centre.startswith(links.MARK):
            mark = show.marks.get(centre.removeprefix(links.MARK))
            return mark.name if mark is not None else tr("a mark that is gone")

        point = links.point_of(show, centre)
        if point is None:
            return tr("in the room")
        return "{:.1f} / {:.1f} / {:.1f} m".format(*point)

    def _centre_menu(self) -> None:
        show = self.parts.document.show
        menu = Menu(self)
        for mark in show.marks.values():
            link = links.to_mark(mark.id)
            menu.addAction(
                tr("On {name}", name=mark.name), partial(self.set, "centre", link)
            )

        middle = links.to_point((0.0, show.room.depth / 2, 0.0))
        text = tr("In the middle of the stage")
        menu.addAction(text, partial(self.set, "centre", middle))
        menu.exec(self.centre.mapToGlobal(self.centre.rect().bottomLeft()))


PARTS: dict[str, type[MotionPart]] = {
    Wave.kind: WavePart,
    ColourRoll.kind: RollPart,
    Path.kind: PathPart,
}
"""Kind of motion → what its form has beside its fields. It need have nothing."""


def in_mode(motion: Wave, mode: EffectMode) -> Wave:
    """Returns a wave that does something else, from ends that are usual for that."""
    if mode == motion.mode:
        return motion

    known = at.attribute(motion.attribute)
    span = known.high - known.low
    ends = {
        EffectMode.REPLACES: (known.low, known.high),
        EffectMode.SCALES: (0.2, 1.0),
        EffectMode.ADDS: (-0.1 * span, 0.1 * span),
    }
    low, high = ends[mode]
    return replace(motion, mode=mode, low=low, high=high)


def show_chips(
    chips: ChipList, options: tuple[tuple[Any, str], ...], value: object
) -> None:
    """Show options as chips, and which of them it is."""
    made = [Chip(str(option), name) for option, name in options]
    if chips.chips.chips != made:
        chips.chips.show_chips(made)
    chips.chips.show_on([n for n, (option, _) in enumerate(options) if option == value])
