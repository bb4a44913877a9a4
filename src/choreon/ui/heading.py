"""The heading: always there, with the show, how it is kept, the engine's health, grand
master and blackout.
"""

from __future__ import annotations

import time

from PySide6.QtCore import QEvent, QSize, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy

from choreon.engine.protocol import Pulse
from choreon.language import facts, plural, sentences, tr
from choreon.model.refs import MASTER, Ref, name_of
from choreon.model.sameness import very_same
from choreon.render.state import DraftState, PlayState
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.tempo import TempoBox
from choreon.ui.troubles import Troubles
from choreon.ui.widgets import basics
from choreon.ui.widgets.faders import FaderSlider

RECENT = 30.0  # seconds for which skipped frames are told
LEAST = 700  # points that it takes at least
WIDE = 1100  # points from which there may be room for everything
PLAYED = 48  # pixels of what is played, under way and in the dark
NAME, SHORT_NAME = 104, 56  # pixels that are kept for the name of the show
SEEN = 9  # so many skipped within that, a fifth of a second, are seen on stage


class Stutter:
    """Counts the frames that were skipped of late."""

    def __init__(self) -> None:
        self._missed: int | None = None  # so far
        self._skips: list[tuple[float, int]] = []  # when, and how many

    def look(self, missed: int, now: float) -> int:
        """Returns how many were skipped of late. What was before the first look, and
        with another engine, does not count.
        """
        before, self._missed = self._missed, missed
        if before is not None and missed > before:
            self._skips.append((now, missed - before))
        self._skips = [(at, n) for at, n in self._skips if now - at < RECENT]
        return sum(count for _, count in self._skips)


class Heading(QFrame):
    """One line across the window."""

    held_wanted = Signal()
    """Lamps in the hand are to be seen."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._stutter = Stutter()
        self._black: bool | None = None  # what the button shows
        self._narrow = False
        self._health = ("", "")
        self._fitted: tuple[object, ...] = ()
        self._fitting = basics.once(self, 0, self._fit)
        self.setFixedHeight(56)

        box = self._row = QHBoxLayout(self)
        box.setContentsMargins(16, 4, 16, 4)
        self.name = basics.name_label("", "big")
        self.name.least = NAME
        self.kept = basics.label("", "small")
        self.undo = basics.tool("undo", tr("Undo"), parts.document.undo)

        self.redo = basics.tool("redo", tr("Redo"), parts.document.redo)
        self.troubles = Troubles(parts)
        self.draft = basics.button("", lambda: None, "quiet")
        self.draft.setStyleSheet(f"color: {theme.DRAFT};")
        self.draft.hide()

        self._drafted: tuple[object, ...] | None = None
        self.held = basics.button("", self.held_wanted.emit, "quiet", "hold")
        self.held.setStyleSheet(f"color: {theme.KEEP};")
        self.held.hide()
        self._held: tuple[int, int] | None = None

        self.health = basics.label("", "small", rich=True)
        self.grand = FaderSlider(tr("Grand master"), upright=False, token=theme.TEXT)
        self.grand.setMinimumSize(84, PLAYED)
        self.grand.setMaximumWidth(190)
        self.grand.moved.connect(parts.engine.set_grand)

        self.grand_text = basics.label("", "heading")
        self.grand_text.setFixedWidth(48)
        self.blackout = QPushButton(tr("Blackout"))
        self.blackout.setCheckable(True)
        self.blackout.setProperty("played", True)
        fixed = QSizePolicy.Policy.Fixed
        self.blackout.setSizePolicy(fixed, fixed)  # its words are always whole
        self.blackout.setIcon(theme.icon("dark"))

        self.blackout.setToolTip(
            tr("Blackout: all intensity to zero, until pressed again (Ctrl+B)")
        )

        self.blackout.clicked.connect(parts.engine.set_blackout)

        for widget in (
            self.name,
            self.kept,
            self.undo,
            self.redo,
            self.troubles,
            self.draft,
            self.held,
        ):
            box.addWidget(widget)

        box.addStretch(1)
        self.tempo = TempoBox(parts)
        self.grand_name = basics.label(tr("Grand"), "soft")

        for tail in (
            self.tempo,
            self.health,
            self.grand_name,
            self.grand,
            self.grand_text,
            self.blackout,
        ):
            box.addWidget(tail)

        parts.document.show_changed.connect(self._show)
        parts.document.history_changed.connect(self._show)
        parts.document.kept_changed.connect(lambda _: self._tell_kept())
        parts.engine.state_changed.connect(self._state)
        parts.engine.pulse.connect(self._pulse)

        parts.engine.engine_changed.connect(self.show_engine)
        self._show()
        self._state(parts.engine.state)
        self.show_engine(parts.engine.alive)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Say as much as there is room for."""
        super().resizeEvent(event)
        self._fit()

    def event(self, event: QEvent) -> bool:
        """What comes or goes leaves more or less room for the rest."""
        if event.type() == QEvent.Type.LayoutRequest:
            self._fitting.start()
        return super().event(event)

    def _fit(self) -> None:
        """Write out as much as there is room for: all, or all but closer and the grand
        master without its name, or signs for words.
        """
        content = (
            self.width(),
            self.parts.document.show.name,
            self.draft.isHidden(),
            self._held,
            self.troubles.isHidden(),
            self._health[0],
        )
        if content == self._fitted:
            return

        self._fitted = content
        for roomy, narrow in ((True, False), (False, False), (False, True)):
            self._write(roomy and self.width() >= WIDE, narrow)
            if self._row.minimumSize().width() <= self.width():
                break

    def _write(self, wide: bool, narrow: bool) -> None:
        self._row.setSpacing(12 if wide else 6)
        self.grand_name.setVisible(wide)
        if narrow is self._narrow:
            return

        self._narrow = narrow
        self.grand_text.setHidden(narrow)
        self.tempo.light.setHidden(narrow)
        self.name.least = SHORT_NAME if narrow else NAME
        self.name.updateGeometry()

        self._tell_kept()
        self._tell_draft(self.parts.engine.state.draft)
        self._say_held()
        self._say_health(*self._health)

    def minimumSizeHint(self) -> QSize:
        """What it comes to where little is written out."""
        return QSize(LEAST, 56)

    def _show(self) -> None:
        basics.say(self.name, self.parts.document.show.name)
        history = self.parts.document.history
        undone, redone = history.undo_name, history.redo_name
        self.undo.setEnabled(bool(undone))
        self.undo.setToolTip(
            tr("Undo {name} (Ctrl+Z)", name=undone) if undone else tr("Nothing to undo")
        )
        self.redo.setEnabled(bool(redone))
        self.redo.setToolTip(
            tr("Redo {name} (Ctrl+Shift+Z)", name=redone)
            if redone
            else tr("Nothing to redo")
        )
        self._tell_kept()

    def _tell_kept(self) -> None:
        kept = self.parts.document.kept
        if kept.trouble:
            self.kept.show()
            self.kept.setText(tr("⚠ not kept in its place"))
            self.kept.setToolTip(kept.trouble)
            basics.set_role(self.kept, "alarm")
            return
        self.kept.setHidden(self._narrow)
        when = time.strftime("%H:%M", time.localtime(kept.when))
        basics.say(self.kept, tr("kept {when}", when=when))
        self.kept.setToolTip(
            tr("Every edit is written to {path} within a second.", path=kept.path)
        )
        basics.set_role(self.kept, "small")

    def _state(self, state: PlayState) -> None:
        """Show the masters and that there is a draft."""
        masters, draft = state.masters, state.draft
        drafted = (draft.look, draft.effects, draft.blind)
        if self._drafted is None or not very_same(self._drafted, drafted):
            self._drafted = drafted
            self._tell_draft(draft)
        self._tell_held(state)
        self.grand.set_level(masters.grand)
        basics.say(self.grand_text, tr("{grand:.0f} %", grand=100 * masters.grand))
        if self._black is not masters.blackout:
            self._black = masters.blackout
            self._tell_blackout(masters.blackout)

    def _tell_held(self, state: PlayState) -> None:
        """Count the lamps that are aside, and the override faders in hand."""
        grips = [grip for grip in state.masters.grips if grip.held.end > 0.0]
        now = len(state.aside), len(grips)
        if now == self._held:
            return

        self._held = now
        self._say_held()

    def _say_held(self) -> None:
        state = self.parts.engine.state
        grips = [grip for grip in state.masters.grips if grip.held.end > 0.0]
        aside, gripped = len(state.aside), len(grips)
        parts = [tr("{aside} aside", aside=aside)] if aside else []
        show = self.parts.document.show
        names = [name_of(show, Ref(MASTER, grip.id)) for grip in grips]

        if gripped:
            parts.append(plural(gripped, "{n} override", "{n} overrides"))

        self.held.setText("" if self._narrow else facts(*parts))
        self.held.setAccessibleName(facts(*parts))
        self.held.setVisible(bool(parts))
        self.held.setToolTip(
            sentences(
                plural(aside, "{n} fixture aside.", "{n} fixtures aside.")
                if aside
                else "",
                tr("{names} in hand.", names=words.some(names)) if gripped else "",
                tr("Press to go to Perform."),
            )
        )

    def _tell_draft(self, draft: DraftState) -> None:
        self.draft.setVisible(bool(draft.look))
        what = "" if draft.empty else words.summary(draft.look, draft.effects)
        if draft.blind:
            word = tr("◌ blind draft · {n}", n=len(draft.look))
            text = tr(
                "The draft: {what}; kept off the stage, kept nowhere yet.", what=what
            )
        else:
            word = tr("◌ draft · {n}", n=len(draft.look))
            text = tr(
                "The draft: {what}; on stage above all that plays, kept nowhere yet.",
                what=what,
            )

        self.draft.setText(f"◌ {len(draft.look)}" if self._narrow else word)
        self.draft.setAccessibleName(word)
        self.draft.setToolTip(sentences(text, tr("Press to go to Compose.")))

    def _tell_blackout(self, on: bool) -> None:
        self.blackout.setChecked(on)
        self.blackout.setText(tr("Blackout is on") if on else tr("Blackout"))
        if on:
            style = f"background: {theme.ALARM}; color: {theme.PIT}; font-weight: 600;"
        else:
            style = f"color: {theme.TEXT};"
        self.blackout.setStyleSheet(style)
        self.blackout.setIcon(theme.icon("dark", theme.PIT if on else theme.SOFT))

    def _pulse(self, pulse: Pulse) -> None:
        skipped = self._stutter.look(pulse.missed, time.monotonic())
        figures = tr(
            "{frames} frames, {late} more than 4 ms late, {missed} skipped. A frame "
            "takes {cost:.1f} ms; the worst of the last half second came "
            "{lateness:.1f} ms late. {sent} packets sent, {errors} failed.",
            frames=pulse.frames,
            late=pulse.late,
            missed=pulse.missed,
            cost=pulse.cost,
            lateness=pulse.lateness,
            sent=pulse.sent,
            errors=pulse.errors,
        )

        if skipped >= SEEN:
            sign = f'<span style="color:{theme.ALARM}">▲</span>'
            text = tr("light stutters")
            advice = tr(
                "{skipped} frames were skipped in the last half minute: this computer "
                "is too busy. Close what else runs on it, and plug it in.",
                skipped=skipped,
            )
        else:
            sign = f'<span style="color:{theme.LIVE}">●</span>'
            text, advice = tr("{rate:.0f} frames/s", rate=pulse.rate), ""

        self._say_health(sign, text)
        self.health.setToolTip(sentences(advice, figures))

    def _say_health(self, sign: str, text: str) -> None:
        """Say how the light does; where there is little room by its sign alone."""
        self._health = sign, text
        basics.say(
            self.health,
            sign if self._narrow else tr("{sign} {text}", sign=sign, text=text),
        )
        self.health.setAccessibleName(text)

    def show_engine(self, alive: bool) -> None:
        """Show whether the engine is there."""
        if not alive:
            sign = f'<span style="color:{theme.ALARM}">▲</span>'
            self._say_health(sign, tr("starting the engine …"))
            self.health.setToolTip(tr("The engine is being started."))
