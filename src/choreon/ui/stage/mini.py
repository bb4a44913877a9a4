"""Mini-stages: a scene's light as a small picture, made once and kept for as long as
nothing changes.

Where many are wanted at once they are made a few at a time, so that the window goes on
meanwhile.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import NamedTuple

import shiboken6
from PySide6.QtCore import QObject, QRectF, Qt, QTimer
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model import links
from choreon.model.playables import Canvas, Playable, kind_of
from choreon.model.sameness import very_same
from choreon.model.show import Palette, Room, Show
from choreon.render.decode import Decoder, Light
from choreon.render.recent import Recent
from choreon.render.sources.canvas import CanvasSource
from choreon.render.state import Time
from choreon.ui import kinds
from choreon.ui.parts import Parts
from choreon.ui.pixmaps import kept
from choreon.ui.stage import cells
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics

BUDGET = 0.02  # seconds for pictures before the window does something else
MOVING = 84  # milliseconds between pictures of what moves: 12 a second, all together
WAITS = 20  # milliseconds between looks whether the show is ready to be drawn
FORGOTTEN = 1.5  # seconds after which what is not asked for any more stands still
MOST = 600  # pictures that are kept, some 60 kB each
SIZES = 12  # of pictures for which painters are kept, some megabytes each
Key = tuple[str, int, int]


class _Wanted(NamedTuple):
    """A picture that a widget waits for: how to find the light, what it is made of, and
    its pixels a point.
    """

    on: QWidget
    light: Callable[[], Light]
    made_of: tuple[object, ...]
    ratio: float


class _Moving(NamedTuple):
    """Something that moves, where it is seen, and when it was asked for last."""

    playable: Playable
    on: QWidget
    asked: float


class MiniStages(QObject):
    """Draws scenes in small, for widgets that are drawn again when a picture has come.

    Nothing is drawn while a widget is: pictures are made in turns of their own, between
    which the window goes on. Of what moves one picture after the other is drawn anew,
    while it is seen.
    """

    def __init__(self, parts: Parts, parent: QObject) -> None:
        super().__init__(parent)
        self.parts = parts
        self._wanted: dict[tuple[Key, int], _Wanted] = {}
        self._next = basics.once(self, 0, self._go_on)
        self._later = basics.once(self, WAITS, self._go_on)
        self._stages: Recent[tuple[int, int], StagePainter] = Recent(SIZES)
        self._drawn: tuple[Decoder, Room] | None = None  # what they draw
        self._made: dict[Key, tuple[tuple[object, ...], QPixmap]] = {}
        self._moving: dict[Key, _Moving] = {}
        self._moved: dict[Key, tuple[Playable, QPixmap]] = {}
        self._tick = QTimer(self, interval=MOVING)
        self._tick.timeout.connect(self._move_next)

    @property
    def count(self) -> int:
        """How many pictures are kept."""
        return len(self._made)

    def picture(
        self, playable: Playable, width: int, height: int, on: QWidget
    ) -> QPixmap:
        """Something that plays as a picture of that many pixels. Where it moves, so
        does the picture.
        """
        if isinstance(playable, Canvas) or kinds.kind_of(playable).moves(playable):
            key = (tr("moving {id}", id=playable.id), width, height)
            self._moving[key] = _Moving(playable, on, time.monotonic())
            if not self._tick.isActive():
                self._tick.start()

            moved = self._moved.get(key)
            if moved is not None and moved[0] is playable:
                return moved[1]

        def light() -> Light:
            return self.parts.preview.light_of(playable)

        return self.of(playable, light, width, height, on)

    def _move_next(self) -> None:
        """Draw the one anew that has waited longest of those that are seen."""
        now = time.monotonic()
        for key, moving in list(self._moving.items()):
            gone = not shiboken6.isValid(moving.on) or now - moving.asked > FORGOTTEN
            if gone or not moving.on.isVisible():
                del self._moving[key]
                self._moved.pop(key, None)

        if not self._moving:
            self._tick.stop()
            return

        if self._wanted or not self.parts.preview.ready:
            return  # what stands goes first

        key = next(iter(self._moving))
        moving = self._moving.pop(key)
        self._moving[key] = moving  # to the end of the line

        if moving.on.visibleRegion().isEmpty():
            return

        _, width, height = key
        pixmap = _dark(width, height, moving.on.devicePixelRatioF())
        painter = QPainter(pixmap)
        room = QRectF(0, 0, width, height)
        if isinstance(moving.playable, Canvas):
            self._draw_canvas(painter, room, moving.playable, now)
        else:
            light = self.parts.preview.light_at(moving.playable, now)
            self._stage(width, height).paint(
                painter, room, light, bodies=False, budget=BUDGET
            )

        painter.end()
        self._moved[key] = (moving.playable, kept(pixmap))
        moving.on.update()

    def _draw_canvas(
        self, painter: QPainter, room: QRectF, canvas: Canvas, now: float
    ) -> None:
        """The cells of a canvas as they are after so many seconds, or, while it is on,
        as they are on stage.
        """
        source = self.parts.preview.compiled.source_of(canvas.ref)
        if not isinstance(source, CanvasSource):
            return
        state = self.parts.engine.state
        player = next((p for p in state.players if p.ref == canvas.ref), None)
        time_, ahead, size = Time(now, 2.0 * now), {}, 1.0
        if player is not None and player.steps:
            cursor = player.steps[-1].cursor
            time_, size = cursor.time(now, state.beat(now)), player.size
            ahead = dict(cursor.ahead)
        light = source.seen(time_, ahead, size)
        cells.draw(painter, source.cells, light, room.adjusted(3, 3, -3, -3))

    def of(
        self,
        thing: Playable | Palette,
        light: Callable[[], Light],
        width: int,
        height: int,
        on: QWidget,
    ) -> QPixmap:
        """What something stored lights, `light`, as a picture of that many pixels of
        the widget `on`. Until it has been made, the one before or a dark one; it is
        drawn again then.
        """
        show = self.parts.document.show
        made_of = (thing, *_follows(show, thing))
        name = tr("{name} {id}", name=type(thing).__name__, id=thing.id)

        return self.made(name, made_of, light, width, height, on)

    def made(
        self,
        name: str,
        made_of: tuple[object, ...],
        light: Callable[[], Light],
        width: int,
        height: int,
        on: QWidget,
    ) -> QPixmap:
        """The same for whatever goes by a name: it is drawn anew when something that it
        is made of is another object.
        """
        ratio = on.devicePixelRatioF()
        key = (name, width, height)
        known = self._made.get(key)
        preview = self.parts.preview

        if (
            known is not None
            and preview.ready
            and very_same(known[0], (*made_of, preview.compiled.rig))
        ):
            return known[1]

        self._wanted[key, id(on)] = _Wanted(on, light, made_of, ratio)
        self._next.start()
        if known is not None and known[1].devicePixelRatio() == ratio:
            return known[1]

        return _dark(width, height, ratio)

    def _go_on(self) -> None:
        """Draw what is waited for until the time for it is used up. What is no longer
        looked at is let be.
        """
        if not self.parts.preview.ready:
            self.parts.preview.compile_soon()
            self._later.start()
            return

        begin = time.perf_counter()
        for (key, i), wanted in list(self._wanted.items()):
            on = wanted.on
            seen = (
                shiboken6.isValid(on)
                and on.isVisible()
                and not on.visibleRegion().isEmpty()
            )

            if seen and not self._draw(key, wanted):
                break  # it is half drawn, and goes on in the next turn

            del self._wanted[key, i]
            if seen:
                on.update()

            if time.perf_counter() - begin > BUDGET:
                break

        if self._wanted:
            self._next.start()

    def _draw(self, key: Key, wanted: _Wanted) -> bool:
        """Draw a picture, as far as the time for it allows; gives whether it is
        whole.
        """
        known = self._made.get(key)
        made_of = (*wanted.made_of, self.parts.preview.compiled.rig)
        if known is not None and very_same(known[0], made_of):
            return True

        _, width, height = key
        pixmap = _dark(width, height, wanted.ratio)
        painter = QPainter(pixmap)
        light = wanted.light()
        stage = self._stage(width, height)
        stage.paint(
            painter, QRectF(0, 0, width, height), light, bodies=False, budget=BUDGET
        )

        painter.end()
        if not stage.behind:
            self._made.pop(key, None)
            self._made[key] = (made_of, kept(pixmap))
            if len(self._made) > MOST:
                del self._made[next(iter(self._made))]  # made longest ago

        return not stage.behind

    def _stage(self, width: int, height: int) -> StagePainter:
        """One painter for all pictures of a size: lamps that do not turn are drawn
        alike in all of them.
        """
        drawn = self.parts.preview.decoder, self.parts.document.show.room
        if self._drawn is None or not very_same(self._drawn, drawn):
            self._drawn, self._stages = drawn, Recent(SIZES)
        lamps, room = drawn[0].lamps, drawn[1]
        return self._stages.get((width, height), lambda: StagePainter(lamps, room))


def _follows(show: Show, thing: Playable | Palette) -> tuple[object, ...]:
    """What else of a show a picture of something is made of."""
    if isinstance(thing, Palette):
        return show.palettes, show.marks
    kind = kind_of(thing)
    looks, effects = kind.looks(thing), kind.effects(thing)
    parts: tuple[object, ...] = ()
    if effects or any(links.linked(look) for look in looks):
        parts = (show.palettes, show.marks, show.groups, show.room)
    return (*parts, show.playables) if kind.plays(thing) else parts


def _dark(width: int, height: int, ratio: float) -> QPixmap:
    made = QPixmap(int(width * ratio), int(height * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.black)
    return made
