"""A timeline, drawn: times and beats above, a row for each track, clips that are moved,
trimmed and faded by hand, and the playhead that goes along.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import Enum
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import (
    QLineF,
    QMimeData,
    QPointF,
    QRectF,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QWidget

from choreon.language import tr
from choreon.model import edits, timelines
from choreon.model.playables import AnyPlayable, Timeline
from choreon.model.playables.timeline import (
    Clip,
    Event,
    LinePoint,
    Track,
    TrackSort,
    fade_at,
    loop_of,
    over_at,
)
from choreon.model.refs import name_of
from choreon.model.tempo_map import Beats, with_beat
from choreon.render.sources.timeline import clock_words
from choreon.ui import theme
from choreon.ui.drags import all_carried
from choreon.ui.score.line_hand import LineHand
from choreon.ui.score.line_scale import GAP, GUTTER, RULER, LineScale
from choreon.ui.score.waves import Waves, paint_wave
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets.spoken import Role, Spoken, tell

SNAP = 8  # points within which a time snaps to another
EDGE = 6  # points of an end of a clip that trim it
BEAT_HIGH = 9  # points of a beat at the edge of the times
GRIP = 7  # points about the corner at which a fade is held, and a point of a line
TICK = 33  # milliseconds between two looks at the playhead
ZOOM = 1.25
PICTURE, PICTURED = (60, 38), 130  # points of a picture, and of a clip that has one
CLOSE = 9.0  # points between events below which they are only ticks
WORDED, WORDY = 46.0, 140.0  # points that an event's name has at least, at most
NARROW = 24  # points of a clip below which it is only a bar
NEAR_BEATS = 7  # points between beats from which they are drawn
MARGIN = 0.15  # of the width, near whose end the line goes along with the playhead


class Held(Enum):
    """What is in hand, and what moving it does."""

    NOTHING = 0
    HEAD = 1
    CLIPS = 2
    START = 3
    END = 4
    FADE_IN = 5
    FADE_OUT = 6
    POINT = 7
    FRAME = 8
    BEAT = 9


class Grip(NamedTuple):
    """What was pressed: on which clip or event, which of its points, where, and how the
    timeline was then.
    """

    held: Held
    id: str = ""
    point: int = -1
    at: QPointF = QPointF()
    line: Timeline | None = None


NOTHING = Grip(Held.NOTHING)


class LineView(QWidget):
    """The timeline in hand."""

    sound_dropped = Signal(Path, float)
    """A sound file was let go on it, at a time."""
    tapped = Signal()
    """A beat is where the playhead is."""
    mark_wanted = Signal()
    """The playhead is to be marked."""

    def __init__(self, hand: LineHand, minis: MiniStages, waves: Waves) -> None:
        super().__init__()
        self.hand, self.minis, self.waves = hand, minis, waves
        waves.came.connect(self.update)
        self.scale = LineScale()
        self._grip = NOTHING
        self._frame: QRectF | None = None
        self._snapped: float | None = None  # the time that is snapped to just now
        self._fitted = ""
        self.setMinimumSize(300, 150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Timeline"))
        self.setToolTip(
            tr(
                "Drag clips to move them, their ends to trim them, their upper corners "
                "to fade them. Press the times above to go there."
            )
        )
        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self._look)
        hand.changed.connect(self._follow)
        hand.chosen_changed.connect(self.update)
        hand.chosen_changed.connect(lambda: tell(self))
        hand.went.connect(self._went)

    def sizeHint(self) -> QSize:
        return QSize(700, 320)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        line = self.hand.line
        if line is None:
            return Spoken(Role.Graphic, "")
        chosen = [name_of(self.hand.show, clip.plays) for clip in self.hand.clips]
        where = clock_words(self.hand.place)
        if chosen:
            return Spoken(
                Role.Graphic, tr("{place}, {clip} chosen", place=where, clip=chosen[0])
            )
        return Spoken(Role.Graphic, where)

    # following

    def _follow(self) -> None:
        line = self.hand.line
        if line is not None and line.id != self._fitted:
            self._fitted = line.id
            self.fit()
        self.update()

    def _went(self) -> None:
        if self.isVisible():
            if self.hand.plays and not self._tick.isActive():
                self._tick.start()
            self.update()

    def _look(self) -> None:
        if not self.hand.plays:
            self._tick.stop()
        self._go_along()
        self.update()

    def _go_along(self) -> None:
        """Have the playhead stay in sight while it goes."""
        if self._grip.held != Held.NOTHING:
            return
        x, width = self.scale.x(self.hand.place), self.width()
        if not GUTTER <= x <= width * (1.0 - MARGIN / 2):
            room = (width - GUTTER) * MARGIN / self.scale.per_second
            self.scale.left = max(0.0, self.hand.place - room)

    def showEvent(self, event: QShowEvent) -> None:
        self._went()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()

    def fit(self) -> None:
        """Show all of the line."""
        line = self.hand.line
        if line is not None:
            self.scale.fit(0.0, max(8.0, over_at(line)), self.width())
            self.scale.top = 0.0
            self.update()

    def fit_chosen(self) -> None:
        """Show what is chosen; nothing chosen: all."""
        clips, events = self.hand.clips, self.hand.events
        starts = [clip.start for clip in clips] + [event.at for event in events]
        ends = [clip.end for clip in clips] + [event.at for event in events]
        if not starts:
            self.fit()
            return
        self.scale.fit(min(starts), max(ends), self.width())
        self.update()

    def zoom(self, steps: float) -> None:
        """Show more, or less, about the playhead, else about the middle."""
        x = self.scale.x(self.hand.place)
        if not GUTTER <= x <= self.width():
            x = (GUTTER + self.width()) / 2
        self.scale.zoom(ZOOM**steps, x)
        self.update()

    # what is where

    def rows(self) -> dict[str, QRectF]:
        """Where each track is."""
        line = self.hand.line
        return {} if line is None else self.scale.rows(line, self.width())

    def _seen_clips(self) -> Iterator[tuple[Track, Clip, QRectF]]:
        """The clips that are in sight, those below before those above them."""
        line = self.hand.line
        if line is None:
            return
        rows, scale = self.rows(), self.scale
        left, right = scale.seconds(GUTTER), scale.seconds(self.width())
        for track in line.tracks:
            row = rows[track.id]
            if row.bottom() < RULER or row.top() > self.height():
                continue
            for clip in track.clips:
                if clip.start <= right and clip.start + clip.length >= left:
                    yield track, clip, scale.clip(clip, row)

    def clip_rect(self, clip_id: str) -> QRectF:
        """Where a clip is; empty where it is not in sight."""
        found = (rect for _, clip, rect in self._seen_clips() if clip.id == clip_id)
        return next(found, QRectF())

    def _seen_events(self) -> Iterator[tuple[Track, Event, QRectF]]:
        line = self.hand.line
        if line is None:
            return
        rows = self.rows()
        for track, event in timelines.events_of(line):
            row, x = rows[track.id], self.scale.x(event.at)
            if x - GUTTER > -140 and x < self.width() and row.bottom() > RULER:
                yield track, event, QRectF(x - 7, row.y() + 3, 14, row.height() - 6)

    def event_rect(self, event_id: str) -> QRectF:
        """Where an event is; empty where it is not in sight."""
        found = (rect for _, event, rect in self._seen_events() if event.id == event_id)
        return next(found, QRectF())

    def _track_at(self, point: QPointF) -> Track | None:
        line = self.hand.line
        if line is None:
            return None
        for track_id, row in self.rows().items():
            if row.top() <= point.y() < row.bottom() + GAP:
                return line.track(track_id)
        return None

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.PIT))
        line = self.hand.line
        if line is None:
            return

        self._paint_rows(painter, line)
        painter.save()
        painter.setClipRect(QRectF(GUTTER, RULER, self.width(), self.height()))
        self._paint_beats(painter, line)
        for track in line.tracks:
            self._paint_track(painter, track)
        self._paint_events(painter)
        if self._frame is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._frame.normalized())
        painter.restore()

        self._paint_ruler(painter, line)
        self._paint_head(painter)

    def _paint_rows(self, painter: QPainter, line: Timeline) -> None:
        for track_id, row in self.rows().items():
            track = line.track(track_id)
            assert track is not None
            in_hand = track_id == self.hand.track_id
            painter.fillRect(row, QColor(theme.DECK))
            name = QRectF(0, row.y(), GUTTER - 4, row.height())
            painter.fillRect(name, QColor(theme.LIFT if in_hand else theme.DECK))
            painter.setPen(QColor(theme.TEXT if track.on else theme.FAINT))
            painter.setFont(theme.font(13))
            room = name.adjusted(10, 0, -6, 0)
            said = painter.fontMetrics().elidedText(
                track.name, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)

    def _paint_beats(self, painter: QPainter, line: Timeline) -> None:
        beats = Beats(line.tempo)
        begin, end = self.scale.left, self.scale.seconds(self.width())
        number = int(beats.at(begin))
        apart = self.scale.x(beats.time_of(number + 1)) - self.scale.x(
            beats.time_of(number)
        )
        bar = max(1, line.tempo.bar)
        every = 1 if apart >= NEAR_BEATS else bar
        while apart * every < NEAR_BEATS:
            every *= 4
        number -= (number - line.tempo.first) % every
        while beats.time_of(number) <= end:
            is_bar = beats.bar_line(number)
            painter.setPen(QPen(QColor(theme.BATTEN if is_bar else theme.FLAT), 1))
            x = self.scale.x(beats.time_of(number))
            painter.drawLine(QPointF(x, RULER), QPointF(x, self.height()))
            number += every

    def _paint_track(self, painter: QPainter, track: Track) -> None:
        """The clips of a track. Of those that are narrow no more is seen than where
        they are: a thousand of them are drawn at once.
        """
        row, scale, chosen = self.rows()[track.id], self.scale, set(self.hand.chosen)
        if row.bottom() < RULER or row.top() > self.height():
            return
        first, last = scale.seconds(GUTTER), scale.seconds(self.width())
        widest = NARROW / scale.per_second
        bars: list[QRectF] = []
        for clip in track.clips:
            start, length = clip.start, clip.length
            if start > last or start + length < first:
                continue
            if length < widest and clip.id not in chosen:
                wide = max(2.0, length * scale.per_second - 1.0)
                bars.append(QRectF(scale.x(start), row.y() + 1, wide, row.height() - 2))
            else:
                self._paint_clip(painter, track, clip, scale.clip(clip, row))
        if bars:
            fill = QColor(theme.EDGE)
            fill.setAlpha(150 if track.on else 50)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(fill)
            painter.drawRects(bars)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)

    def _paint_clip(
        self, painter: QPainter, track: Track, clip: Clip, rect: QRectF
    ) -> None:
        playable = self.hand.show.playables.get(clip.plays.id)
        sound = self.hand.show.sounds.get(clip.plays.id)
        if track.sort == TrackSort.SOUND:
            playable = None
        chosen = clip.id in self.hand.chosen
        there = (playable or sound) is not None and track.on
        colour = QColor((playable.colour if playable else "") or theme.EDGE)
        fill = QColor(colour)
        fill.setAlpha(110 if there else 40)

        # as high as it is on: its fades are slopes, its line goes over it
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(rect, 5, 5)
        painter.setBrush(fill)
        smooth = QPainter.RenderHint.Antialiasing
        painter.setRenderHint(smooth, rect.width() > PICTURED)  # it takes long
        painter.drawPolygon(_shape(clip, rect, self.scale.per_second))
        painter.setRenderHint(smooth, True)
        wave = self.waves.of(sound) if track.sort == TrackSort.SOUND and sound else None
        if wave is not None:
            paint_wave(painter, wave, clip, rect, self.scale.per_second, colour)
        edge = QColor(theme.CHOSEN) if chosen else colour
        painter.setPen(QPen(edge, 2 if chosen else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rect, 5, 5)

        if chosen:
            painter.setBrush(QColor(theme.CHOSEN))
            painter.setPen(Qt.PenStyle.NoPen)
            for point in self._grips(clip, rect):
                painter.drawEllipse(point, 3.5, 3.5)
        self._paint_name(painter, playable, clip, rect, there)

    def _paint_name(
        self,
        painter: QPainter,
        playable: AnyPlayable | None,
        clip: Clip,
        rect: QRectF,
        there: bool,
    ) -> None:
        """What a clip plays: a small stage where there is room, and its name."""
        left = max(rect.left(), GUTTER) + 7
        if playable is not None and rect.right() - left > PICTURED:
            wide, high = PICTURE
            picture = self.minis.picture(playable, wide, high, self)
            painter.drawPixmap(QPointF(left, rect.center().y() - high / 2), picture)
            left += wide + 6

        words = QRectF(left, rect.top() + 2, rect.right() - left - 4, rect.height() - 4)
        if words.width() <= 16:
            return
        painter.setPen(QColor(theme.TEXT if there else theme.FAINT))
        painter.setFont(theme.font(13))
        said = painter.fontMetrics().elidedText(
            name_of(self.hand.show, clip.plays),
            Qt.TextElideMode.ElideRight,
            int(words.width()),
        )
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, said)

    def _grips(self, clip: Clip, rect: QRectF) -> list[QPointF]:
        """Where its fades and the points of its line are held."""
        wide = self.scale.per_second
        corners = [
            QPointF(rect.left() + clip.fade_in * wide, rect.top() + 1),
            QPointF(rect.right() - clip.fade_out * wide, rect.top() + 1),
        ]
        points = [_at_point(point, rect, wide) for point in clip.line]
        return [*corners, *points]

    def _paint_events(self, painter: QPainter) -> None:
        """What happens: with its name where there is room up to the next."""
        seen = sorted(self._seen_events(), key=lambda one: one[2].x())
        painter.setFont(theme.font(12))
        chosen = set(self.hand.chosen)
        ticks: list[QLineF] = []
        for n, (track, happens, rect) in enumerate(seen):
            room = seen[n + 1][2].x() - rect.x() if n + 1 < len(seen) else WORDY
            if room < CLOSE and happens.id not in chosen:
                x = rect.center().x()
                ticks.append(QLineF(x, rect.top() + 6, x, rect.bottom() - 6))
            else:
                self._paint_event(painter, track, happens, rect, room)
        painter.setPen(QPen(QColor(theme.DRAFT), 1))
        painter.drawLines(ticks)

    def _paint_event(
        self,
        painter: QPainter,
        track: Track,
        happens: Event,
        rect: QRectF,
        room: float,
    ) -> None:
        chosen = happens.id in self.hand.chosen
        x, middle = rect.center().x(), rect.center().y()
        painter.setPen(QPen(QColor(theme.CHOSEN if chosen else theme.EDGE), 1.5))
        painter.setBrush(QColor(theme.DRAFT if track.on else theme.FLAT))
        tip = (QPointF(x - 5, middle - 7), QPointF(x + 6, middle))
        painter.drawPolygon(QPolygonF([*tip, QPointF(x - 5, middle + 7)]))
        if room < WORDED and not chosen:
            return
        wide = WORDY - 10 if chosen else min(room, WORDY) - 18
        painter.setPen(QColor(theme.TEXT if track.on else theme.FAINT))
        words = QRectF(x + 10, rect.y(), wide, rect.height())
        said = painter.fontMetrics().elidedText(
            name_of(self.hand.show, happens.act.ref),
            Qt.TextElideMode.ElideRight,
            int(wide),
        )
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, said)

    def _paint_ruler(self, painter: QPainter, line: Timeline) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), RULER), QColor(theme.DECK))
        painter.save()
        painter.setClipRect(QRectF(GUTTER, 0, self.width(), RULER))
        loop = loop_of(line)
        if loop is not None:
            left, right = self.scale.x(loop[0]), self.scale.x(loop[1])
            shade = QColor(theme.KEEP)
            shade.setAlpha(70)
            painter.fillRect(QRectF(left, RULER - 9, right - left, 9), shade)

        self._paint_found(painter, line)
        painter.setFont(theme.font(12))
        for at in self.scale.ticks(self.width()):
            x = self.scale.x(at)
            painter.setPen(QColor(theme.EDGE))
            painter.drawLine(QPointF(x, RULER - 8), QPointF(x, RULER))
            painter.setPen(QColor(theme.SOFT))
            painter.drawText(QPointF(x + 4, 15), clock_words(at).removesuffix(".0"))
        for mark in line.marks:
            x = self.scale.x(mark.at)
            painter.setPen(QPen(QColor(theme.KEEP), 2))
            painter.drawLine(QPointF(x, 4), QPointF(x, RULER))
            painter.drawText(QPointF(x + 4, RULER - 4), mark.name)
        painter.restore()

    def _paint_found(self, painter: QPainter, line: Timeline) -> None:
        """The beats that were found, where they can be taken hold of."""
        known = line.tempo.known
        apart = self.scale.per_second * 60.0 / max(1.0, line.tempo.steady)
        if not known or apart < NEAR_BEATS:
            return
        painter.setPen(QPen(QColor(theme.SOFT), 2))
        for at in known:
            x = self.scale.x(at)
            if GUTTER <= x <= self.width():
                top = QPointF(x, RULER - BEAT_HIGH)
                painter.drawLine(top, QPointF(x, RULER - 1))

    def _paint_head(self, painter: QPainter) -> None:
        place = self.hand.place
        x = self.scale.x(place)
        on = self.hand.player is not None
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(13, strong=True))
        painter.drawText(
            QRectF(8, 0, GUTTER - 12, RULER),
            Qt.AlignmentFlag.AlignVCenter,
            clock_words(place),
        )
        if x >= GUTTER - 1:
            painter.setPen(QPen(QColor(theme.LIVE if on else theme.SOFT), 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        if self._snapped is not None:
            painter.setPen(QPen(QColor(theme.CHOSEN), 1, Qt.PenStyle.DashLine))
            at = self.scale.x(self._snapped)
            painter.drawLine(QPointF(at, RULER), QPointF(at, self.height()))

    # hands

    def grip_at(self, point: QPointF) -> Grip:
        """What is under a point."""
        line = self.hand.line
        if line is None:
            return NOTHING
        if point.y() < RULER:
            beat = self._beat_at(point, line)
            held = Held.HEAD if beat < 0 else Held.BEAT
            return Grip(held, point=beat, at=point, line=line)
        if point.x() < GUTTER:
            return NOTHING

        for _, event, rect in self._seen_events():
            if rect.contains(point):
                return Grip(Held.CLIPS, event.id, at=point, line=line)
        for _, clip, rect in reversed(list(self._seen_clips())):
            grown = rect.adjusted(-2, -3, 2, 2)
            if grown.contains(point):
                return self._grip_of(clip, rect, point, line)
        return Grip(Held.FRAME, at=point, line=line)

    def _beat_at(self, point: QPointF, line: Timeline) -> int:
        """Which of the beats that were found is under a point of their edge, the lower
        one of the times; -1 for none.
        """
        known = line.tempo.known
        if point.y() < RULER - BEAT_HIGH or point.x() < GUTTER or not known:
            return -1
        at = self.scale.seconds(point.x())
        near = min(range(len(known)), key=lambda n: abs(known[n] - at))
        off = abs(self.scale.x(known[near]) - point.x())
        return near if off <= EDGE else -1

    def _grip_of(
        self, clip: Clip, rect: QRectF, point: QPointF, line: Timeline
    ) -> Grip:
        """Which part of a clip is under a point."""
        if clip.id in self.hand.chosen:
            for n, at in enumerate(self._grips(clip, rect)):
                if (point - at).manhattanLength() <= GRIP:
                    held = (Held.FADE_IN, Held.FADE_OUT)[n] if n < 2 else Held.POINT
                    return Grip(held, clip.id, n - 2, point, line)
        edge = min(EDGE, rect.width() / 4)
        if point.x() - rect.left() <= edge:
            return Grip(Held.START, clip.id, at=point, line=line)
        if rect.right() - point.x() <= edge:
            return Grip(Held.END, clip.id, at=point, line=line)
        return Grip(Held.CLIPS, clip.id, at=point, line=line)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of what is under the pointer."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        track = self._track_at(point)
        if track is not None:
            self.hand.track_id = track.id
        self._grip = grip = self.grip_at(point)
        more = bool(event.modifiers() & MORE)
        if grip.held == Held.HEAD:
            self.hand.go_to(self._to_time(point.x(), ()))
        elif grip.held == Held.FRAME:
            self._frame = QRectF(point, point)
            if not more:
                self.hand.choose(())
        elif grip.id:
            self._choose(grip.id, more)
        self.update()

    def _choose(self, thing_id: str, more: bool) -> None:
        chosen = self.hand.chosen
        if more and thing_id in chosen:
            self.hand.choose([i for i in chosen if i != thing_id])
        elif more:
            self.hand.choose((*chosen, thing_id))
        elif thing_id not in chosen:
            self.hand.choose((thing_id,))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is in hand."""
        grip, point = self._grip, event.position()
        if not event.buttons() & Qt.MouseButton.LeftButton:
            held = self.grip_at(point).held
            self.setCursor(CURSORS.get(held, Qt.CursorShape.ArrowCursor))
            return
        if grip.held == Held.FRAME and self._frame is not None:
            self._frame.setBottomRight(point)
        elif grip.held == Held.HEAD:
            self.hand.go_to(self._to_time(point.x(), ()))
        elif grip.line is not None:
            self._drag(grip, event)
        self.update()

    def _drag(self, grip: Grip, event: QMouseEvent) -> None:
        point = event.position()
        way = point - grip.at
        if way.manhattanLength() < QApplication.startDragDistance():
            return
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        act = self._acts().get(grip.held)
        if act is not None:
            act(grip, point, free)

    def _acts(self) -> dict[Held, Callable[[Grip, QPointF, bool], None]]:
        return {
            Held.CLIPS: self._move_clips,
            Held.START: self._trim,
            Held.END: self._trim,
            Held.FADE_IN: self._fade,
            Held.FADE_OUT: self._fade,
            Held.POINT: self._move_point,
            Held.BEAT: self._move_beat,
        }

    def _move_clips(self, grip: Grip, point: QPointF, free: bool) -> None:
        """What is chosen, along and across; it snaps by the begin, else the end, of the
        one in hand.
        """
        line = grip.line
        assert line is not None
        by = (point.x() - grip.at.x()) / self.scale.per_second
        if not free:
            by = self._snap_by(line, grip.id, by)
        rows = 0
        if timelines.clip_of(line, grip.id) is not None:
            rows = self._rows_between(line, grip.at, point)
        ids = self.hand.chosen
        self.hand.edit(
            tr("move on the line"), lambda _: timelines.move(line, ids, by, rows)
        )

    def _snap_by(self, line: Timeline, thing_id: str, by: float) -> float:
        found = timelines.clip_of(line, thing_id)
        if found is not None:
            ends = [found[1].start, found[1].end]
        else:
            ends = [e.at for _, e in timelines.events_of(line) if e.id == thing_id]
        points = timelines.snap_points(line, self.hand.chosen)
        near = SNAP / self.scale.per_second
        self._snapped = None
        for end in ends:
            to = timelines.snapped(line, end + by, near, [*points, self.hand.place])
            if to is not None:
                self._snapped = to
                return to - end
        return by

    def _rows_between(self, line: Timeline, start: QPointF, end: QPointF) -> int:
        """By how many tracks of its sort a point lies above another."""
        there = [self._track_at(point) for point in (start, end)]
        lanes = [] if there[0] is None else timelines.lanes_of(line, there[0])
        if any(track is None or track.id not in lanes for track in there):
            return 0
        first, last = (lanes.index(track.id) for track in there if track is not None)
        return last - first

    def _to_time(self, x: float, but: tuple[str, ...], free: bool = False) -> float:
        """The time at a point, snapped to what lies near."""
        line, at = self.hand.line, max(0.0, self.scale.seconds(x))
        self._snapped = None
        if line is None or free:
            return at
        points = timelines.snap_points(line, but)
        self._snapped = timelines.snapped(
            line, at, SNAP / self.scale.per_second, points
        )
        return at if self._snapped is None else self._snapped

    def _trim(self, grip: Grip, point: QPointF, free: bool) -> None:
        line = grip.line
        assert line is not None
        to = self._to_time(point.x(), (grip.id,), free)
        stretches = QApplication.keyboardModifiers() & MORE

        def change(clip: Clip) -> Clip:
            if grip.held == Held.START:
                return timelines.trim_start(clip, to)
            trim = timelines.stretch if stretches else timelines.trim_end
            return trim(clip, to)

        self.hand.edit(
            tr("trim a clip"),
            lambda _: timelines.change_clips(line, (grip.id,), change),
        )

    def _fade(self, grip: Grip, point: QPointF, free: bool) -> None:
        line = grip.line
        assert line is not None
        at = self.scale.seconds(point.x())

        def change(clip: Clip) -> Clip:
            if grip.held == Held.FADE_IN:
                fade = min(clip.length, max(0.0, at - clip.start))
                return edits.replace(clip, fade_in=fade)
            fade = min(clip.length, max(0.0, clip.end - at))
            return edits.replace(clip, fade_out=fade)

        self.hand.edit(
            tr("fade a clip"),
            lambda _: timelines.change_clips(line, (grip.id,), change),
        )

    def _move_beat(self, grip: Grip, point: QPointF, free: bool) -> None:
        """One beat that was found, to where it is meant."""
        line, at = grip.line, self.scale.seconds(point.x())
        assert line is not None
        tempo = with_beat(line.tempo, grip.point, at)
        self.hand.edit(
            tr("put a beat elsewhere"), lambda one: edits.replace(one, tempo=tempo)
        )

    def _move_point(self, grip: Grip, point: QPointF, free: bool) -> None:
        """A point of a level line: no farther than those beside it."""
        line, rect = grip.line, self.clip_rect(grip.id)
        assert line is not None

        def change(clip: Clip) -> Clip:
            points = list(clip.line)
            made = self._point_at(point, clip, rect)
            low = points[grip.point - 1].at if grip.point else 0.0
            last = grip.point + 1 == len(points)
            high = clip.length if last else points[grip.point + 1].at
            points[grip.point] = edits.replace(made, at=min(high, max(low, made.at)))
            return edits.replace(clip, line=tuple(points))

        self.hand.edit(
            tr("draw a level"),
            lambda _: timelines.change_clips(line, (grip.id,), change),
        )

    def _point_at(self, point: QPointF, clip: Clip, rect: QRectF) -> LinePoint:
        at = min(clip.length, max(0.0, self.scale.seconds(point.x()) - clip.start))
        level = 1.0 - (point.y() - rect.top()) / max(1.0, rect.height())
        return LinePoint(at, min(1.0, max(0.0, level)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it lie; choose what the frame is about."""
        if self._grip.held == Held.FRAME and self._frame is not None:
            frame = self._frame.normalized()
            found = [
                c.id for _, c, rect in self._seen_clips() if frame.intersects(rect)
            ]
            found += [e.id for _, e, r in self._seen_events() if frame.intersects(r)]
            if found:
                more = bool(event.modifiers() & MORE)
                self.hand.choose((*self.hand.chosen, *found) if more else found)
        self._frame, self._grip, self._snapped = None, NOTHING, None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """On a clip: a point of its level line comes, or goes."""
        grip = self.grip_at(event.position())
        found = None if grip.line is None else timelines.clip_of(grip.line, grip.id)
        if found is None:
            return
        rect = self.clip_rect(grip.id)

        def change(clip: Clip) -> Clip:
            points = list(clip.line)
            if grip.held == Held.POINT:
                del points[grip.point]
            else:
                points.append(self._point_at(event.position(), clip, rect))
            return edits.replace(clip, line=tuple(sorted(points, key=lambda p: p.at)))

        self.hand.edit(
            tr("draw a level"),
            lambda line: timelines.change_clips(line, (grip.id,), change),
        )

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl nearer or farther about the pointer; else along, and with Shift
        across the tracks.
        """
        delta = event.angleDelta().y() or event.angleDelta().x()
        steps = delta / 120
        line = self.hand.line
        if line is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.scale.zoom(ZOOM**steps, event.position().x())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            most = max(0.0, self.scale.height(line) - self.height())
            self.scale.top = min(most, max(0.0, self.scale.top - 40 * steps))
        else:
            by = 80 * steps / self.scale.per_second
            self.scale.left = max(0.0, self.scale.left - by)
        event.accept()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from beat to beat, with Alt they move what is chosen; Up and Down
        choose a track. Delete, D, S, plus and minus, F and Z: see the help.
        """
        key = Qt.Key(event.key())
        act = self._keys(event).get(key)
        if act is None or self.hand.line is None:
            super().keyPressEvent(event)
            return
        act()
        self.update()

    def _keys(self, event: QKeyEvent) -> dict[Qt.Key, Callable[[], object]]:
        hand = self.hand
        moves = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        every = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if every:
            return {
                Qt.Key.Key_A: hand.choose_all,
                Qt.Key.Key_D: hand.double_chosen,
                Qt.Key.Key_X: hand.cut_chosen,
                Qt.Key.Key_C: hand.copy_chosen,
                Qt.Key.Key_V: hand.paste,
            }
        return {
            Qt.Key.Key_Delete: hand.remove_chosen,
            Qt.Key.Key_S: hand.split_chosen,
            Qt.Key.Key_Plus: lambda: self.zoom(1),
            Qt.Key.Key_Minus: lambda: self.zoom(-1),
            Qt.Key.Key_F: self.fit,
            Qt.Key.Key_Z: self.fit_chosen,
            Qt.Key.Key_M: self.mark_wanted.emit,
            Qt.Key.Key_T: self.tapped.emit,
            Qt.Key.Key_Home: lambda: hand.go_to(0.0),
            Qt.Key.Key_Left: lambda: self._by_beat(-1, moves),
            Qt.Key.Key_Right: lambda: self._by_beat(1, moves),
            Qt.Key.Key_Up: lambda: self._by_row(1, moves),
            Qt.Key.Key_Down: lambda: self._by_row(-1, moves),
        }

    def _by_beat(self, way: int, moves: bool) -> None:
        """The playhead, or what is chosen, a beat along."""
        line = self.hand.line
        assert line is not None
        beats = Beats(line.tempo)
        here = self.hand.place
        if moves:
            apart = beats.time_of(beats.at(here) + 1.0) - here
            self.hand.nudge(way * apart)
            return
        beat = beats.at(here)
        to = round(beat) + way if abs(beat - round(beat)) < 1e-3 else beat
        if to == beat:
            to = float(int(beat) + (1 if way > 0 else 0))
        self.hand.go_to(max(0.0, beats.time_of(to)))
        self._go_along()

    def _by_row(self, way: int, moves: bool) -> None:
        """The track above or below, or what is chosen onto it."""
        if moves:
            self.hand.nudge(0.0, way)
            return
        line = self.hand.line
        assert line is not None
        ids = [track.id for track in line.tracks]
        if self.hand.track_id in ids:
            place = ids.index(self.hand.track_id) + way
            self.hand.track_id = ids[min(len(ids) - 1, max(0, place))]

    # drops

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if all_carried(event.mimeData()) or sound_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Show where it would begin."""
        self._to_time(event.position().x(), ())
        self.update()
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Things come onto the track that they are dropped on, from there on; onto one
        for events they start there. A sound file is listened to for its beats.
        """
        sound = sound_in(event.mimeData())
        if sound is not None:
            event.acceptProposedAction()
            at = self._to_time(event.position().x(), ())
            self._snapped = None
            self.sound_dropped.emit(sound, at)
            return
        track = self._track_at(event.position())
        if track is not None:
            self.hand.track_id = track.id
        self.hand.add_of(
            all_carried(event.mimeData()), self._to_time(event.position().x(), ())
        )
        self._snapped = None
        event.acceptProposedAction()


def sound_in(data: QMimeData) -> Path | None:
    """Returns the sound file that is dragged; None where it is something else."""
    paths = (Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile())
    return next((path for path in paths if path.suffix.lower() in SOUNDS), None)


SOUNDS = (".wav", ".flac", ".ogg", ".mp3")
MORE = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
CURSORS = {
    Held.START: Qt.CursorShape.SizeHorCursor,
    Held.END: Qt.CursorShape.SizeHorCursor,
    Held.FADE_IN: Qt.CursorShape.SizeHorCursor,
    Held.FADE_OUT: Qt.CursorShape.SizeHorCursor,
    Held.POINT: Qt.CursorShape.SizeAllCursor,
    Held.CLIPS: Qt.CursorShape.OpenHandCursor,
    Held.BEAT: Qt.CursorShape.SizeHorCursor,
}


def _at_point(point: LinePoint, rect: QRectF, wide: float) -> QPointF:
    level = min(1.0, max(0.0, point.level))
    return QPointF(rect.left() + point.at * wide, rect.bottom() - level * rect.height())


def _shape(clip: Clip, rect: QRectF, wide: float) -> QPolygonF:
    """A clip as high as it is on: its level line, times its fades."""
    times = {0.0, clip.length}
    if clip.fade_in > 0.0:
        times.add(min(clip.length, clip.fade_in))
    if clip.fade_out > 0.0:
        times.add(max(0.0, clip.length - clip.fade_out))
    times |= {point.at for point in clip.line if 0.0 < point.at < clip.length}
    level = min(1.0, max(0.0, clip.level))
    xs = [point.at for point in clip.line]
    ys = [point.level for point in clip.line]
    shape = [rect.bottomLeft()]
    for at in sorted(times):
        high = level * (float(np.interp(at, xs, ys)) if xs else 1.0)
        high = min(1.0, max(0.0, high)) * fade_at(clip, at)
        x = min(rect.right(), rect.left() + at * wide)
        shape.append(QPointF(x, rect.bottom() - high * rect.height()))
    shape.append(rect.bottomRight())
    return QPolygonF(shape)
