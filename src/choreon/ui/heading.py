"""The heading: always there, with the show, how it is kept, the engine's health, grand
master and blackout.
"""

from __future__ import annotations

import time

from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy

from choreon.engine.protocol import Pulse
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
WIDE = 1100  # points from which there is room for everything
PLAYED = 48  # pixels of what is played, under way and in the dark
NAME = 104  # pixels that are kept for the name of the show
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
        self.setFixedHeight(56)

        box = self._row = QHBoxLayout(self)
        box.setContentsMargins(16, 4, 16, 4)
        self.name = basics.name_label("", "big")
        self.name.least = NAME
        self.kept = basics.label("", "small")
        self.undo = basics.tool("undo", "Undo", parts.document.undo)

        self.redo = basics.tool("redo", "Redo", parts.document.redo)
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
        self.grand = FaderSlider("Grand master", upright=False, token=theme.TEXT)
        self.grand.setMinimumSize(84, PLAYED)
        self.grand.setMaximumWidth(190)
        self.grand.moved.connect(parts.engine.set_grand)

        self.grand_text = basics.label("", "heading")
        self.grand_text.setFixedWidth(48)
        self.blackout = QPushButton("Blackout")
        self.blackout.setCheckable(True)
        self.blackout.setProperty("played", True)
        fixed = QSizePolicy.Policy.Fixed
        self.blackout.setSizePolicy(fixed, fixed)  # its words are always whole
        self.blackout.setIcon(theme.icon("dark"))

        self.blackout.setToolTip(
            "Blackout: all intensity to zero, until pressed again (Ctrl+B)"
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
        self.grand_name = basics.label("Grand", "soft")

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
        """Where there is little room all stands closer, and the grand master goes
        without its name.
        """
        wide = self.width() >= WIDE
        self._row.setSpacing(12 if wide else 6)
        self.grand_name.setVisible(wide)

    def _show(self) -> None:
        basics.say(self.name, self.parts.document.show.name)
        history = self.parts.document.history
        for button, name, word, keys in (
            (self.undo, history.undo_name, "Undo", "Ctrl+Z"),
            (self.redo, history.redo_name, "Redo", "Ctrl+Shift+Z"),
        ):
            button.setEnabled(bool(name))
            button.setToolTip(
                f"{word} {name} ({keys})" if name else f"Nothing to {word.lower()}"
            )
        self._tell_kept()

    def _tell_kept(self) -> None:
        kept = self.parts.document.kept
        if kept.trouble:
            self.kept.setText("⚠ not kept in its place")
            self.kept.setToolTip(kept.trouble)
            basics.set_role(self.kept, "alarm")
            return
        when = time.strftime("%H:%M", time.localtime(kept.when))
        basics.say(self.kept, f"kept {when}")
        self.kept.setToolTip(f"Every edit is written to {kept.path} within a second.")
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
        basics.say(self.grand_text, f"{100 * masters.grand:.0f} %")
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
        aside, gripped = now
        parts = [f"{aside} aside"] if aside else []
        show = self.parts.document.show
        names = [name_of(show, Ref(MASTER, grip.id)) for grip in grips]

        if gripped:
            parts.append(words.count(gripped, "override"))

        self.held.setText(" · ".join(parts))
        self.held.setVisible(bool(parts))
        tip = f"{words.count(aside, 'fixture')} aside. " if aside else ""

        if gripped:
            tip += f"{words.some(names)} in hand. "

        self.held.setToolTip(f"{tip}Press to go to Perform.")

    def _tell_draft(self, draft: DraftState) -> None:
        word = "blind draft" if draft.blind else "draft"
        self.draft.setVisible(bool(draft.look))
        self.draft.setText(f"◌ {word} · {len(draft.look)}")
        what = "" if draft.empty else words.summary(draft.look, draft.effects)
        where = "on stage above all that plays"
        if draft.blind:
            where = "kept off the stage"
        text = f"The draft: {what}; {where}, kept nowhere yet."
        self.draft.setToolTip(f"{text} Press to go to Compose.")

    def _tell_blackout(self, on: bool) -> None:
        self.blackout.setChecked(on)
        self.blackout.setText("Blackout is on" if on else "Blackout")
        if on:
            style = f"background: {theme.ALARM}; color: {theme.PIT}; font-weight: 600;"
        else:
            style = f"color: {theme.TEXT};"
        self.blackout.setStyleSheet(style)
        self.blackout.setIcon(theme.icon("dark", theme.PIT if on else theme.SOFT))

    def _pulse(self, pulse: Pulse) -> None:
        skipped = self._stutter.look(pulse.missed, time.monotonic())
        figures = (
            f"{pulse.frames} frames, {pulse.late} more than 4 ms late, "
            f"{pulse.missed} skipped. "
            f"A frame takes {pulse.cost:.1f} ms; the worst of the last half second "
            f"came {pulse.lateness:.1f} ms late. "
            f"{pulse.sent} packets sent, {pulse.errors} failed."
        )

        if skipped >= SEEN:
            sign, text = f'<span style="color:{theme.ALARM}">▲</span>', "light stutters"
            advice = (
                f"{skipped} frames were skipped in the last half minute: this computer "
                "is too busy. Close what else runs on it, and plug it in. "
            )
        else:
            sign = f'<span style="color:{theme.LIVE}">●</span>'
            text, advice = f"{pulse.rate:.0f} frames/s", ""

        basics.say(self.health, f"{sign} {text}")
        self.health.setToolTip(advice + figures)

    def show_engine(self, alive: bool) -> None:
        """Show whether the engine is there."""
        if not alive:
            self.health.setText(
                f'<span style="color:{theme.ALARM}">▲</span> starting the engine …'
            )
