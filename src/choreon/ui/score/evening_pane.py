"""An evening turned back: what was on, the stage at any moment of it, and what of it is
kept.
"""

from __future__ import annotations

import logging
import time
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import (
    QComboBox,
    QInputDialog,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.evening.book import Evening, NoEvening, Then, evenings
from choreon.engine.evening.stretch import parts_of, tracks_of
from choreon.language import listed, plural, sentences, tr
from choreon.model import compare, edits, timelines
from choreon.model.playables import Timeline
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.render.capture import capture, capture_effects
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import render
from choreon.render.decode import decoder_for
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.score.evening_view import EveningView
from choreon.ui.score.stage_then import StageThen
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow

log = logging.getLogger(__name__)

TICK = 66  # milliseconds between two pictures while it goes on
MOST_LISTED = 30  # evenings that are offered
ROOMY = 900  # points from which the stage has room beside


class EveningPane(QWidget):
    """One evening at a time."""

    left = Signal()
    kept = Signal(Ref)
    """Something was made of it."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.evening: Evening | None = None
        self.then: Then | None = None
        self._compiled: tuple[Show, CompiledShow, StagePainter] | None = None
        self._paths: list[Path] = []

        self.back = basics.button(
            tr("Back"), self.left.emit, "quiet", "before", tip=tr("Back to the score")
        )
        self.chooser = QComboBox()
        self.chooser.setAccessibleName(tr("Which evening"))
        self.chooser.setToolTip(tr("Which evening is looked at"))
        self.chooser.setMinimumWidth(200)
        self.chooser.activated.connect(self._choose)
        self.play = basics.button(
            tr("Look on"),
            self._toggle,
            "",
            "play",
            tip=tr("Go on as it went, without the real stage"),
        )
        self.play.setCheckable(True)
        self.moment = basics.button(
            tr("Keep this moment"),
            self._ask_moment,
            "main",
            "capture",
            tip=tr("Make a scene of the stage as it was then"),
        )
        self.stretch = basics.button(
            tr("Keep this stretch"),
            self._ask_stretch,
            "",
            "timeline",
            tip=tr("Make a timeline of the stretch that is chosen"),
        )
        self.view = EveningView()
        self.view.went.connect(lambda _: self._look())
        self.view.chosen_changed.connect(self._follow)
        self.stage = StageThen()
        self.on = basics.label("", "", wrap=True)
        self.changed = basics.label("", "soft", wrap=True)
        self.none = basics.label(
            tr(
                "Nothing has been kept as yet. What plays is kept by itself from now "
                "on, and can be turned back here."
            ),
            "soft",
            wrap=True,
        )
        head = flow(self.back, self.chooser, self.play, 1, self.moment, self.stretch)
        middle = basics.panel(head, self.none, self.view, margins=10)
        basics.grow(middle, 2)
        self.side = basics.panel(
            self.stage,
            basics.label(tr("What was on"), "heading"),
            self.on,
            self.changed,
            1,
            margins=10,
        )
        basics.grow(self.side, 0)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.addWidget(middle)
        self.splitter.addWidget(self.side)
        self.splitter.setStretchFactor(0, 3)
        self.splitter.setStretchFactor(1, 2)
        self.splitter.setChildrenCollapsible(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.splitter)
        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self._go_on)
        self._ticked = 0.0
        self._follow()

    # which evening

    def refresh(self) -> None:
        """List the evenings of this show, and show the latest."""
        self._paths = evenings(self.parts.document.show.id)[:MOST_LISTED]
        self.chooser.clear()
        for path in self._paths:
            self.chooser.addItem(path.stem)
        self.open(self._paths[0] if self._paths else None)

    def _choose(self, number: int) -> None:
        if 0 <= number < len(self._paths):
            self.open(self._paths[number])

    def open(self, path: Path | None) -> None:
        """Show an evening."""
        self._stop()
        self.evening = None
        if path is not None:
            try:
                self.evening = Evening(path)
            except (NoEvening, OSError) as error:
                self.parts.notices.told.emit(str(error), "problem")
        evening = self.evening
        if evening is not None and path in self._paths:
            number = self._paths.index(path)
            self.chooser.setCurrentIndex(number)
            self.chooser.setItemText(number, _name(evening))
        self.view.show_evening(evening, [] if evening is None else self._rows(evening))
        self.none.setVisible(evening is None)
        self.view.setVisible(evening is not None)
        if evening is not None:
            self.view.go_to(self.view.length)
        else:
            self._look()

    def _rows(self, evening: Evening) -> list[tuple[Ref, str, str]]:
        """What was on, what came first above: names as they are now, where it is still
        there.
        """
        show = self.parts.document.show
        refs = dict.fromkeys(one.ref for one in evening.stretches())
        try:
            then = evening.show_at(evening.end)
        except NoEvening:
            then = show
        found = []
        for ref in refs:
            known = show if ref.id in show.playables else then
            thing = known.playables.get(ref.id)
            found.append(
                (ref, name_of(known, ref), "" if thing is None else thing.colour)
            )
        return found

    # a moment

    def _look(self) -> None:
        """Work the moment out anew that is looked at."""
        self.then = None
        evening = self.evening
        if evening is not None:
            try:
                self.then = evening.at(evening.begin + self.view.head)
            except NoEvening as error:
                basics.say(self.on, str(error))
        self._show_then()
        self._follow()

    def _show_then(self) -> None:
        then = self.then
        if then is None:
            self.stage.show_light(None, None)
            basics.say(self.changed, "")
            return
        try:
            compiled, painter = self._compile(then.show)
            frame = render(compiled, then.state, then.at)
            decoder = decoder_for(compiled.rig, then.show.types.values())
            self.stage.show_light(painter, decoder.read(frame))
        except Exception:
            log.exception("a moment of an evening could not be worked out")
            self.stage.show_light(None, None)
        basics.say(self.on, self._in_words(then))
        basics.say(self.changed, self._since(then.show))

    def _compile(self, show: Show) -> tuple[CompiledShow, StagePainter]:
        known = self._compiled
        if known is None or known[0] is not show:
            compiled = compile_show(show)
            lamps = decoder_for(compiled.rig, show.types.values()).lamps
            known = self._compiled = show, compiled, StagePainter(lamps, show.room)
        return known[1], known[2]

    def _in_words(self, then: Then) -> str:
        """What was on, the topmost first."""
        lines = []
        for player in sorted(then.state.players, key=lambda p: p.place, reverse=True):
            if player.releasing or player.lifts:
                continue
            level = round(100 * player.level)
            name = name_of(then.show, player.ref)
            lines.append(name if level == 100 else f"{name}  {level} %")
        if then.state.draft.look:
            count = len(then.state.draft.look)
            lines.append(plural(count, "a draft of {n} lamp", "a draft of {n} lamps"))
        if then.state.masters.grand < 1.0:
            lines.append(
                tr("Grand {percent} %", percent=round(100 * then.state.masters.grand))
            )
        return "\n".join(lines) or tr("Nothing was on.")

    def _since(self, show: Show) -> str:
        """Where the show is another one now."""
        differs = compare.told(compare.compare(show, self.parts.document.show))
        if not differs:
            return ""
        return tr("Since then: {changes}.", changes=listed(differs, 3))

    def _follow(self) -> None:
        self.moment.setEnabled(self.then is not None)
        self.stretch.setEnabled(self.view.chosen is not None)
        self.play.setEnabled(self.evening is not None)

    # going on

    def _toggle(self) -> None:
        if self.play.isChecked():
            if self.view.head >= self.view.length:
                self.view.go_to(0.0)
            self._ticked = time.monotonic()
            self._tick.start()
        else:
            self._stop()

    def _stop(self) -> None:
        self._tick.stop()
        self.play.setChecked(False)

    def _go_on(self) -> None:
        now = time.monotonic()
        self.view.go_to(self.view.head + now - self._ticked)
        self._ticked = now
        if self.view.head >= self.view.length:
            self._stop()

    def hideEvent(self, event: QHideEvent) -> None:
        self._stop()

    # what is kept

    def _ask_moment(self) -> None:
        name, sure = QInputDialog.getText(
            self,
            tr("Keep this moment"),
            tr("Name of the scene"),
            text=tr("At {time}", time=self.view.clock(self.view.head)),
        )
        if sure:
            self.keep_moment(name)

    def keep_moment(self, name: str) -> None:
        """Make a scene of the stage as it was."""
        then, document = self.then, self.parts.document
        if then is None:
            return
        compiled, _ = self._compile(then.show)
        look = capture(compiled, then.state, then.at)
        known = {f: values for f, values in look.items() if f in document.show.fixtures}
        effects = capture_effects(compiled, then.state, then.at)
        if not known and not effects:
            text = tr("The stage was dark then: there is nothing to keep.")
            self.parts.notices.told.emit(text, "alarm")
            return
        show, made = edits.keep_scene(
            document.show, name, known, 2.0, 2.0, effects=effects
        )
        document.edit(tr("keep a moment"), show)
        gone = len(look) - len(known)
        text = sentences(
            tr(
                "{scene} is kept: {summary}, as they were.",
                scene=name_of(show, made),
                summary=words.summary(known, effects),
            ),
            plural(gone, "{n} lamp is gone since.", "{n} lamps are gone since.")
            if gone
            else "",
        )
        self.parts.notices.told.emit(text, "info")
        self.kept.emit(made)

    def _ask_stretch(self) -> None:
        chosen = self.view.chosen
        if chosen is None:
            return
        name, sure = QInputDialog.getText(
            self,
            tr("Keep this stretch"),
            tr("Name of the timeline"),
            text=tr("From {time}", time=self.view.clock(chosen[0])),
        )
        if sure:
            self.keep_stretch(name)

    def keep_stretch(self, name: str) -> None:
        """Make a timeline of the stretch that is chosen."""
        evening, chosen, document = (
            self.evening,
            self.view.chosen,
            self.parts.document,
        )
        if evening is None or chosen is None:
            return
        begin, end = (evening.begin + at for at in chosen)
        thens = list(evening.moments(begin, end))
        players = parts_of(thens, end)
        show, ref = timelines.add(document.show, name)
        line = show.playables[ref.id]
        tracks = tracks_of(show, players, lambda at: at - begin, tr("Evening"))
        if not tracks:
            text = tr("Nothing that is still there was on then.")
            self.parts.notices.told.emit(text, "alarm")
            return
        assert isinstance(line, Timeline)
        others = tuple(track for track in line.tracks if track.id != "light")
        line = edits.replace(line, tracks=(*others, *tracks), length=end - begin)
        document.edit(tr("keep a stretch"), edits.put(show, "playables", line))
        count = sum(len(track.clips) for track in tracks)
        drafted = any(then.state.draft.look or then.state.live for then in thens)
        text = sentences(
            plural(count, "{n} clip was laid.", "{n} clips were laid."),
            tr("What hands gave lamps directly is not among them.") if drafted else "",
        )
        self.parts.notices.told.emit(text, "info")
        self.kept.emit(ref)


def _name(evening: Evening) -> str:
    """When it was."""
    begin, end = evening.began, evening.wall(evening.end)
    return f"{begin:%Y-%m-%d  %H:%M} – {end:%H:%M}"
