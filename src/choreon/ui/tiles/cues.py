"""GO of a stack, or back, as a tile: what is on and what comes stands on it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter

from choreon.engine.actions import cues as running
from choreon.engine.actions import players
from choreon.language import in_a_row, tr
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue, called
from choreon.model.refs import name_of
from choreon.model.tiles import CueDeed
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Cued, PlayState
from choreon.ui import theme
from choreon.ui.tiles.base import GONE, TileWidget, draw_fitting
from choreon.ui.widgets.spoken import Role, Spoken, tell

MOST = 6  # cues that a list shows
LINE = 22  # points of a line of it
WORDS = {
    CueDeed.GO: tr("GO"),
    CueDeed.BACK: tr("Back"),
    CueDeed.LIST: tr("GO"),
}


class CueWidget(TileWidget):
    """Pressing it is GO, or back."""

    def __init__(self, *parts: object) -> None:
        self.now: Cue | None = None
        self.coming: list[Cue] = []
        super().__init__(*parts)  # type: ignore[arg-type]

    @property
    def stack(self) -> Stack | None:
        """The stack that it is of."""
        found = self.parts.document.show.playables.get(self.tile.of.id)
        return found if isinstance(found, Stack) else None

    @property
    def name(self) -> str:
        """What stands on it: its own name, or that of the stack."""
        if self.stack is None:
            return str(self.tile.name) or GONE
        return str(self.tile.name) or name_of(self.parts.document.show, self.tile.of)

    def tip(self) -> str:
        """What it does."""
        if self.tile.note:
            return str(self.tile.note)
        return tr("{word} of {name}", word=WORDS[self.tile.does], name=self.name)

    def show_state(self, state: PlayState) -> None:
        """Follow what is on and what comes."""
        super().show_state(state)
        stack = self.stack
        on = players.playing_now(state, self.tile.of)
        cursor = running.cursor_of(on[0]) if on else Cued()
        now = None if stack is None or cursor is None else stack.cue(cursor.cue)
        coming: list[Cue] = []

        if stack is not None and cursor is not None:
            cue = running.next_cue(stack, cursor)
            while cue is not None and len(coming) < MOST:
                coming.append(cue)
                cue = running.next_cue(stack, Cued(cue=cue.id, number=cue.number))

        if (now, coming) != (self.now, self.coming):
            self.now, self.coming = now, coming
            self.update()
            tell(self)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: what is on, and what comes."""
        said = []
        if self.now is not None:
            said.append(tr("now {cue}", cue=called(self.now)))
        if self.coming:
            said.append(tr("next {cue}", cue=called(self.coming[0])))
        return Spoken(Role.Button, in_a_row(said), is_on=self.level > 0)

    def hand_down(self, point: QPointF) -> None:
        """GO, or back."""
        self.do(Verb.PRESS, 1.0, Edge.DOWN)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """A large word, and beside or below it what is on and what comes."""
        listed = self.tile.does == CueDeed.LIST
        foot = self.foot()
        room = QRectF(12, 6, self.width() - 24, max(20.0, foot.top() - 8))
        word = WORDS[self.tile.does]
        painter.setPen(QColor(theme.LIVE if self.coming else theme.SOFT))

        if listed:
            first = QRectF(room.x(), room.y(), room.width(), 34)
            draw_fitting(painter, first, word, 26)
            self._draw_list(painter, room.adjusted(0, 36, 0, 0))
        else:
            wide = min(room.width(), max(64.0, room.width() * 0.36))
            first = QRectF(room.x(), room.y(), wide, room.height())
            draw_fitting(painter, first, word, 40)
            if self.tile.does == CueDeed.GO and room.width() - wide > 60:
                self._draw_two(painter, room.adjusted(wide + 8, 0, 0, 0))

        self.draw_foot(painter)

    def _draw_two(self, painter: QPainter, room: QRectF) -> None:
        """What is on, and what comes."""
        half = room.height() / 2
        upper = QRectF(room.x(), room.y(), room.width(), half)
        lower = QRectF(room.x(), room.y() + half, room.width(), half)
        if self.now is not None:
            painter.setPen(QColor(theme.SOFT))
            draw_fitting(painter, upper, called(self.now), 14)
        if self.coming:
            painter.setPen(QColor(theme.TEXT))
            draw_fitting(painter, lower, called(self.coming[0]), 18)

    def _draw_list(self, painter: QPainter, room: QRectF) -> None:
        """What is on, and the cues that come."""
        lines = [] if self.now is None else [(f"● {called(self.now)}", theme.LIVE)]
        lines += [(called(cue), theme.TEXT) for cue in self.coming]
        painter.setFont(theme.font(14))
        fits = max(1, int(room.height() // LINE))

        for n, (text, token) in enumerate(lines[:fits]):
            painter.setPen(QColor(token))
            where = QRectF(room.x(), room.y() + n * LINE, room.width(), LINE)
            right = Qt.TextElideMode.ElideRight
            shown = painter.fontMetrics().elidedText(text, right, int(room.width()))
            painter.drawText(where, Qt.AlignmentFlag.AlignVCenter, shown)
