"""Pads, flashes, faders and choices."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QResizeEvent

from choreon.engine.actions import choices
from choreon.engine.actions.tile_context import playing
from choreon.language import tr
from choreon.model import stops
from choreon.model.fixture_type import Slot
from choreon.model.playables import Given, Playable
from choreon.model.refs import exists, find, name_of
from choreon.model.tiles import Page, player_id
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.slots import slot_picture
from choreon.ui.stage.mini import MiniStages
from choreon.ui.tiles.base import (
    EDGE,
    LEAST,
    TileWidget,
    draw_dot,
    draw_fitting,
    now,
    progress,
)
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.faders import FaderSlider
from choreon.ui.widgets.spoken import Role, Spoken

WORDS = 28  # pixels of the words of a look
LEAST_PICTURE = 20  # pixels that a picture on a look is high
OFF_WIDE, OFF_WIDEST = 64.0, 96.0  # pixels of the place where none is on
SMALL = 12  # of a strip's name, in that place
SWATCH = 7.0  # pixels of a colour that a group is given


class PlayingWidget(TileWidget):
    """A tile that plays things."""

    takes_level = True

    def seen(self, state: PlayState, level: float) -> tuple[float, bool]:
        """How far the furthest of what it plays is on."""
        weight, fading, show = 0.0, False, self.parts.document.show
        for one in playing(show, self.page, self.tile):
            player = state.player(one.player_id)
            if player is not None and one.plays(player):
                own, moves = progress(state, one.player_id, now())
                weight, fading = max(weight, own), fading or moves
        return weight, fading

    def turn(self, by: float) -> bool:
        """Dim what is on."""
        if self.level <= 0.0:
            return False
        self.dim(max(0.01, self.level + by))
        return True


class PadTile(PlayingWidget):
    """A pad: press for on, again for off; within a choice, the others go out."""

    def tip(self) -> str:
        """How it is played."""
        if self.tile.note:
            return str(self.tile.note)
        return tr("{name}: press to switch on or off; wheel: level", name=self.name)

    def hand_down(self, point: QPointF) -> None:
        """It answers on the way down."""
        self.press()

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """A mini-stage, a bar that grows with the fade, the name."""
        picture = self.foot().top() - rect.top()
        self.draw_stage(painter, rect, picture)
        self._draw_bar(painter, rect, picture)
        self.draw_foot(painter)
        self._draw_choice(painter, rect)

    def _draw_bar(self, painter: QPainter, rect: QRectF, top: float) -> None:
        if self.weight > 0:
            bar = QRectF(rect.left(), rect.top() + top - 2, rect.width(), 4)
            painter.fillRect(bar, QColor(theme.BATTEN))
            bar.setWidth(rect.width() * self.weight)
            painter.fillRect(bar, QColor(theme.LIVE))

    def _draw_choice(self, painter: QPainter, rect: QRectF) -> None:
        """Pads that exclude each other hang on one line."""
        if not getattr(self.tile, "choice", ""):
            return
        y = rect.bottom() - 2.5
        painter.setPen(QPen(QColor(theme.BATTEN), 3))
        painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))


class FlashTile(PadTile):
    """On while it is held."""

    def tip(self) -> str:
        """How it is played."""
        return str(self.tile.note) or tr(
            "{name}: on while it is held down", name=self.name
        )

    def hand_down(self, point: QPointF) -> None:
        """On."""
        self.down = True
        self.do(Verb.PRESS, 1.0, Edge.DOWN)

    def hand_up(self) -> None:
        """Off."""
        self.down = False
        self.do(Verb.PRESS, 0.0, Edge.UP)

    takes_level = False

    def turn(self, by: float) -> bool:
        """It has no level of its own."""
        return False

    def end(self) -> None:
        """It goes away while it is held: it ends."""
        if self.down:
            self.hand_up()

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """A pad with a flash at its corner."""
        super().draw(painter, rect)
        bolt = (
            QPointF(14, 4),
            QPointF(6, 17),
            QPointF(12, 17),
            QPointF(9, 28),
            QPointF(19, 13),
            QPointF(12, 13),
        )
        painter.setPen(QPen(QColor(theme.PIT), 2))
        painter.setBrush(QColor(theme.TEXT if self.level > 0 else theme.SOFT))
        painter.drawPolygon([point + rect.topLeft() for point in bolt])


class FaderTile(PlayingWidget):
    """A fader that brings something in by hand."""

    def __init__(
        self, parts: Parts, minis: MiniStages, page: Page, tile: object
    ) -> None:
        super().__init__(parts, minis, page, tile)
        self.upright = not self.tile.lying
        self.fader = FaderSlider(self.name, self.upright, self.token)
        self.fader.setParent(self)
        self.fader.moved.connect(self.dim)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setFocusProxy(self.fader)

    token = theme.LIVE
    role = Role.Grouping

    def tip(self) -> str:
        """How it is played."""
        note = str(self.tile.note)
        return note or tr(
            "{name}: drag, wheel (Shift: fine), digits for tenths", name=self.name
        )

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Give the fader the room that is left."""
        super().resizeEvent(event)
        foot = int(self.foot().top())
        if self.upright:
            head = max(0, min(self.picture_height() + 22, self.height() - LEAST))
            width = min(64, self.width(), max(LEAST, self.width() - 12))
            left = (self.width() - width) // 2
            tall = min(self.height() - head, max(LEAST, foot - head))
            self.fader.setGeometry(left, head, width, tall)
        else:
            height = min(56, self.height(), max(LEAST, foot - 8))
            top = max(0, min((foot - height) // 2, self.height() - height))
            self.fader.setGeometry(10, top, self.width() - 74, height)

    def picture_height(self) -> int:
        """How many pixels at its head show the stage."""
        room = self.height() - self.foot().height()
        return int(min(90, max(0, room - 150))) if self.upright else 0

    def level_shown(self) -> None:
        """Have the fader follow the level."""
        self.fader.set_level(self.level)

    def hand_down(self, point: QPointF) -> None:
        """Take hold of the fader where it stands, wherever the finger is."""
        self.fader.grip(point)

    def hand_moved(self, point: QPointF, fine: bool = False) -> None:
        """Move it by as much as the finger."""
        self.fader.pull(point, 0.1 if fine else 1.0)

    def hand_up(self) -> None:
        """Let it go."""
        self.fader.drop()

    def key_down(self) -> None:
        """Its key takes the fader in hand: arrows and digits go on from there."""
        self.fader.setFocus()

    def key_up(self) -> None:
        """It stays in hand."""

    def turn(self, by: float) -> bool:
        """Up or down, from nothing too."""
        self.dim(self.level + by)
        return True

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The mini-stage, the level in figures, the name."""
        height = self.picture_height()
        self.draw_stage(painter, rect, height)
        painter.setFont(theme.font(15, strong=True))
        painter.setPen(QColor(theme.TEXT if self.level > 0 else theme.SOFT))
        if self.upright:
            spot = QRectF(rect.right() - 60, rect.top() + height + 2, 52, 22)
        else:
            spot = QRectF(rect.right() - 62, rect.top() + 4, 54, self.foot().top() - 8)
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(spot, flags, self.figures())
        self.draw_foot(painter)

    def figures(self) -> str:
        """The level, in per cent."""
        return tr("{level:.0f}", level=100 * self.level)


class ChoiceTile(PlayingWidget):
    """Several looks in one strip, of which one is on."""

    takes_level = False

    def __init__(
        self, parts: Parts, minis: MiniStages, page: Page, tile: object
    ) -> None:
        self.index: int | None = None
        super().__init__(parts, minis, page, tile)

    def tip(self) -> str:
        """How it is played."""
        note = str(self.tile.note)
        return note or tr("{name}: press one; arrows go to the next", name=self.name)

    def show_state(self, state: PlayState) -> None:
        """Follow which look is on."""
        show = self.parts.document.show
        index = choices.chosen(show, state, self.page, self.tile)
        if index != self.index:
            self.index = index
            self.update()
        super().show_state(state)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: which look is on."""
        index, plays = self.index, self.tile.plays
        if index is None or not 0 <= index < len(plays):
            return Spoken(Role.ComboBox, tr("none"), is_on=False)
        name = name_of(self.parts.document.show, plays[index].ref)
        return Spoken(Role.ComboBox, name, is_on=True)

    def seen(self, state: PlayState, level: float) -> tuple[float, bool]:
        """How far the crossfade has come."""
        return progress(state, player_id(self.page, self.tile), now())

    @property
    def has_off(self) -> bool:
        """Whether there is a place where none is on."""
        return choices.may_be_off(self.tile)

    def cells(self) -> list[tuple[int, QRectF]]:
        """The looks by number, −1 for off, and where each is drawn."""
        rect = QRectF(self.rect()).adjusted(3, 3, -3, -3)
        numbers = list(range(len(self.tile.plays)))
        top = 24.0 if self.titled else 0.0
        foot = self.note_height()
        body = rect.adjusted(0, top, 0, -foot)
        share = body.width() / (len(numbers) + 1)
        off = min(self._off_width(), share) if self.has_off else 0.0

        found = []
        if self.has_off:
            found.append((-1, QRectF(body.left(), body.top(), off, body.height())))

        wide = (body.width() - off) / max(1, len(numbers))
        for n in numbers:
            left = body.left() + off + n * wide
            found.append((n, QRectF(left, body.top(), wide, body.height())))

        return found

    def _off_width(self) -> float:
        """How wide the place is where none is on; the name stands in it where there is
        no room for a line of its own.
        """
        if self.titled or not self.tile.name:
            return OFF_WIDE
        metrics = QFontMetricsF(theme.font(SMALL))
        name = metrics.horizontalAdvance(self.name) + 18.0
        return min(OFF_WIDEST, max(OFF_WIDE, name))

    @property
    def titled(self) -> bool:
        """Whether the choice has a name of its own, and room for it."""
        return bool(self.tile.name) and self.height() > 84

    def hand_down(self, point: QPointF) -> None:
        """Go to the look under the finger."""
        for number, rect in self.cells():
            if rect.contains(point):
                self.do(Verb.STEP, float(number))
                return

    def key_down(self) -> None:
        """On to the next."""
        self.do(Verb.PRESS)

    def turn(self, by: float) -> bool:
        """To the look beside."""
        count = len(self.tile.plays)
        if not count:
            return False
        here = -1 if self.index is None else self.index
        there = here + (1 if by > 0 else -1)
        lowest = -1 if self.has_off else 0
        there = min(count - 1, max(lowest, there))
        if there != here:
            self.do(Verb.STEP, float(there))
        return True

    def label(self, number: int) -> str:
        """What stands on a look."""
        if number < 0:
            return tr("Off")
        if number < len(self.tile.names) and self.tile.names[number]:
            return str(self.tile.names[number])
        show, ref = self.parts.document.show, self.tile.plays[number].ref
        return name_of(show, ref) if exists(show, ref) else "gone"

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """A cell for each look, that which is on lit up."""
        if self.titled:
            painter.setPen(QColor(theme.SOFT))
            head = QRectF(rect.left() + 12, rect.top() + 2, rect.width() - 24, 22)
            draw_fitting(painter, head, self.name, 14)

        if not self.tile.plays:
            painter.setPen(QColor(theme.SOFT))
            draw_fitting(
                painter, rect.adjusted(12, 0, -12, 0), tr("Nothing to choose"), 15
            )
            return

        for number, cell in self.cells():
            self._draw_cell(painter, number, cell.adjusted(2, 2, -2, -2))

        if self.note_height():
            painter.setPen(QColor(theme.SOFT))
            low = QRectF(
                EDGE, self.height() - 22, self.width() - 2 * EDGE, self.note_height()
            )
            draw_fitting(painter, low, self.tile.note, 13)

    def _draw_cell(self, painter: QPainter, number: int, cell: QRectF) -> None:
        is_on = number == (-1 if self.index is None else self.index)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIFT if is_on else theme.DECK))
        painter.drawRoundedRect(cell, 5, 5)

        playable = self._played(number)
        self._draw_swatch(painter, playable, cell)
        if playable is not None and cell.height() - WORDS > LEAST_PICTURE:
            painter.setOpacity(1.0 if is_on else 0.75)
            self._draw_picture(painter, playable, cell)
            painter.setOpacity(1.0)

        lit = is_on and number >= 0
        self._draw_words(painter, number, cell, is_on)
        if lit:
            painter.setPen(QPen(QColor(theme.LIVE), 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(cell, 5, 5)

    def _draw_picture(
        self, painter: QPainter, playable: Playable, cell: QRectF
    ) -> None:
        """The picture of a wheel that a group is given; else what it lights."""
        tall, slot = cell.height() - WORDS, self._slot(playable)
        if slot is None:
            mini = self.minis.picture(playable, int(cell.width()), int(tall), self)
            painter.drawPixmap(cell.topLeft(), mini)
            return

        picture = slot_picture(slot, int(min(tall, cell.width())) - 6)
        across = QPointF((cell.width() - picture.width()) / 2, 4)
        painter.drawPixmap(cell.topLeft() + across, picture)

    def _draw_words(
        self, painter: QPainter, number: int, cell: QRectF, is_on: bool
    ) -> None:
        """What stands on a look, with a dot where it is on; where none is on, the name
        of the strip above it.
        """
        foot = QRectF(cell.left() + 8, cell.bottom() - 26, cell.width() - 14, 24)
        if number < 0 and self.tile.name and not self.titled:
            painter.setPen(QColor(theme.FAINT))
            above = QRectF(foot.left(), cell.top() + 2, foot.width(), 18)
            draw_fitting(painter, above, self.name, SMALL)

        if is_on and number >= 0:
            draw_dot(painter, QPointF(foot.left() + 4, foot.center().y()))
            foot = foot.adjusted(14, 0, 0, 0)

        painter.setPen(QColor(theme.TEXT if is_on else theme.SOFT))
        draw_fitting(painter, foot, self.label(number), 15)

    outlined = False

    def _draw_swatch(
        self, painter: QPainter, playable: Playable | None, cell: QRectF
    ) -> None:
        """The colour that a group is given, where it is one."""
        if not isinstance(playable, Given):
            return
        palette = self.parts.document.show.palettes.get(playable.palette)
        rgb = None if palette is None else palette_deeds.colour_of(palette)
        if rgb is not None:
            painter.setBrush(on_screen(rgb))
            strip = QRectF(cell.left() + 6, cell.top() + 5, cell.width() - 12, SWATCH)
            painter.drawRoundedRect(strip, 2, 2)

    def _slot(self, playable: Playable | None) -> Slot | None:
        """The slot of a wheel that a group is given, where it is one."""
        if not isinstance(playable, Given):
            return None
        return stops.slot_given(self.parts.document.show, playable)

    def _played(self, number: int) -> Playable | None:
        if number < 0:
            return None
        found = find(self.parts.document.show, self.tile.plays[number].ref)
        return found if isinstance(found, Playable) else None
