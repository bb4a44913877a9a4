"""Tiles that give lamps something live: colour, aim, and lamps aside."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent

from choreon.language import in_a_row, tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.lamps import fixtures_of
from choreon.model.values import Look, Value
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.tiles.base import TileWidget, draw_tape
from choreon.ui.widgets.colour_field import ColourField, Rgb, on_screen
from choreon.ui.widgets.floor_pad import FloorPad
from choreon.ui.widgets.keys import HELD_WITH


class LampsTile(TileWidget):
    """A tile that gives its lamps something, until it is let go."""

    def fixtures(self) -> list[str]:
        """The lamps it reaches."""
        return fixtures_of(self.parts.document.show, self.tile.of)

    def held(self, state: PlayState) -> Look:
        """What it gives them now."""
        for hand in state.live:
            if hand.id == self.tile.id and not hand.leaving:
                return hand.look
        return {}

    def give(self, values: dict[str, Value]) -> None:
        """Give all its lamps values."""
        preview = self.parts.preview
        look: Look = {}
        for fixture in self.fixtures():
            own = {n: v for n, v in values.items() if preview.takes(fixture, n)}
            if own:
                look[fixture] = own
        if look:
            self.give_live(look)
        elif preview.ready:
            text = tr("None of the fixtures of {name} can do that.", name=self.name)
            self.parts.notices.told.emit(text, "alarm")

    def seen(self, state: PlayState, level: float) -> tuple[float, bool]:
        """It is on while it holds its lamps."""
        return level, False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Let its lamps go."""
        if not self.arranged:
            self.do(Verb.RELEASE)

    def key_up(self) -> None:
        """It stays in hand."""


class ColourWidget(LampsTile):
    """The colour of its lamps: a field to drag in."""

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.field = ColourField()
        self.field.setParent(self)
        self.field.setMinimumHeight(20)
        self.field.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.field.set_rgb(None)

    def tip(self) -> str:
        """How it is played."""
        note = str(self.tile.note)
        return note or tr(
            "{name}: drag for a colour; double-click lets go", name=self.name
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The field takes all but the name."""
        super().resizeEvent(event)
        foot = int(self.foot().top())
        self.field.setGeometry(8, 8, self.width() - 16, max(20, foot - 10))

    def show_state(self, state: PlayState) -> None:
        """Show the colour that it gives."""
        look = self.held(state)
        rgb: Rgb | None = None
        for values in look.values():
            given = [values.get(name) for name in at.TARGET_COLOUR]
            if all(isinstance(value, float | int) for value in given):
                red, green, blue = (float(v) for v in given)  # type: ignore[arg-type]
                rgb = (red, green, blue)
                break
        if not self.down:
            self.field.set_rgb(rgb)
        super().show_state(state)

    def hand_down(self, point: QPointF) -> None:
        """Take the colour under the finger."""
        self.hand_moved(point)

    def hand_moved(self, point: QPointF, fine: bool = False) -> None:
        """Go to the colour under the finger."""
        rgb = self.field.pick(point - QPointF(self.field.pos()))
        self.give(dict(zip(at.TARGET_COLOUR, rgb, strict=True)))

    def key_down(self) -> None:
        """Its key takes it in hand: arrows change hue and strength."""
        self.setFocus()

    def turn(self, by: float) -> bool:
        """Round the hues."""
        rgb = self.field.step(by)
        self.give(dict(zip(at.TARGET_COLOUR, rgb, strict=True)))
        return True

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The name below the field."""
        self.draw_foot(painter)


class AimWidget(LampsTile):
    """Where its heads aim: the stage from above, with the marks; drag the cross."""

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.pad = FloorPad()
        self.pad.setParent(self)
        self.pad.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        show = self.parts.document.show
        self.pad.show_stage(show.room, list(show.marks.values()))

    def tip(self) -> str:
        """How it is played."""
        note = str(self.tile.note)
        return note or (
            tr(
                "{name}: drag where its heads shall aim, or press a mark; double-click "
                "lets go",
                name=self.name,
            )
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The stage takes all but the name."""
        super().resizeEvent(event)
        foot = int(self.foot().top())
        self.pad.setGeometry(6, 6, self.width() - 12, max(40, foot - 8))

    def show_state(self, state: PlayState) -> None:
        """Show where it has its heads aim."""
        point: tuple[float, float] | None = None
        for values in self.held(state).values():
            link = values.get(at.PAN)
            if isinstance(link, str):
                there = links.point_of(self.parts.document.show, link)
                point = None if there is None else (there[0], there[1])
                break
        if not self.down:
            self.pad.show_point(point)
        super().show_state(state)

    def hand_down(self, point: QPointF) -> None:
        """Aim there."""
        self.setFocus()
        self.hand_moved(point)

    def hand_moved(self, point: QPointF, fine: bool = False) -> None:
        """Go along with the finger."""
        self.give(dict(links.aim(self.pad.aim(point - QPointF(self.pad.pos())))))

    def key_down(self) -> None:
        """Its key takes it in hand: arrows move the cross."""
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the cross by a quarter of a metre."""
        way = WAYS.get(Qt.Key(event.key()))
        if way is None or event.modifiers() & HELD_WITH or self.arranged:
            super().keyPressEvent(event)
        else:
            self.give(dict(links.aim(self.pad.step(*way))))

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The name below the stage."""
        self.draw_foot(painter)


WAYS = {
    Qt.Key.Key_Left: (-0.25, 0.0),
    Qt.Key.Key_Right: (0.25, 0.0),
    Qt.Key.Key_Up: (0.0, 0.25),
    Qt.Key.Key_Down: (0.0, -0.25),
}


class AsideWidget(TileWidget):
    """Lamps aside, with what was kept for them: press to take them, once more to bring
    them back.
    """

    @property
    def name(self) -> str:
        """What stands on it."""
        if self.tile.name:
            return str(self.tile.name)
        show = self.parts.document.show
        names = [show.fixtures[i].name for i in self.tile.look if i in show.fixtures]
        more = ["…"] if len(names) > 2 else []
        return tr("Aside: {names}", names=in_a_row([*names[:2], *more]))

    def tip(self) -> str:
        """How it is played."""
        note = str(self.tile.note)
        return note or tr(
            "{name}: press to take them aside, again to bring them back", name=self.name
        )

    def hand_down(self, point: QPointF) -> None:
        """Aside, or back."""
        self.do(Verb.PRESS)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The lamps' colours as dots, with tape while they are aside."""
        show = self.parts.document.show
        spots = [i for i in self.tile.look if i in show.fixtures][:12]
        room = QRectF(12, 10, rect.width() - 24, self.foot().top() - 14)
        wide = min(26.0, room.width() / max(1, len(spots)))
        left = room.center().x() - wide * len(spots) / 2

        for n, fixture in enumerate(spots):
            colour = _colour_of(self.tile.look[fixture])
            painter.setPen(QPen(QColor(theme.BATTEN), 1.5))
            painter.setBrush(colour)
            spot = QPointF(left + wide * (n + 0.5), room.center().y())
            painter.drawEllipse(spot, wide * 0.4, wide * 0.4)

        if self.level > 0:
            draw_tape(painter, rect)

        self.draw_foot(painter, dot=False)


def _colour_of(values: dict[str, Value]) -> QColor:

    given = [values.get(name, 1.0) for name in at.TARGET_COLOUR]
    level = values.get(at.DIMMER, 1.0)
    if not all(isinstance(value, float | int) for value in (*given, level)):
        return QColor(theme.SOFT)
    shade = max(0.12, float(level))  # type: ignore[arg-type]
    red, green, blue = (shade * float(value) for value in given)  # type: ignore[arg-type]
    return on_screen((red, green, blue))
