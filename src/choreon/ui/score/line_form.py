"""The chosen clip, or event, in numbers; and the tempo of the line where none is."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QSizePolicy, QWidget

from choreon.language import plural, tr
from choreon.model import edits, timelines
from choreon.model.playables.timeline import LONGEST, Clip, Event
from choreon.model.refs import SOUND, name_of
from choreon.model.tempo_map import (
    TempoMap,
    bar_at,
    doubled,
    halved,
    shifted,
    steadied,
    tapped_along,
)
from choreon.model.verbs import Verb
from choreon.ui.score.line_hand import LineHand
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField

FASTEST = 16.0
MOST_BAR = 32
TAPPED = 2500  # milliseconds after the last tap in which another one may come

VERBS = {
    Verb.START: tr("starts"),
    Verb.RELEASE: tr("is let go"),
    Verb.PAUSE: tr("pauses, or goes on"),
    Verb.GO: tr("GO"),
    Verb.STEP: tr("goes to"),
    Verb.LEVEL: tr("comes to a level"),
    Verb.SWITCH: tr("is switched"),
    Verb.BPM: tr("has the tempo"),
}
"""What an event can do."""
VALUED = {Verb.STEP, Verb.LEVEL, Verb.SWITCH, Verb.BPM}


class LineForm(QWidget):
    """What is chosen, in numbers."""

    def __init__(self, hand: LineHand) -> None:
        super().__init__()
        self.hand = hand
        self.title = basics.name_label("", "heading")
        self.fields = {
            "start": _field(tr("Begins"), 0.0, LONGEST, "s", 2),
            "length": _field(tr("Length"), timelines.SHORTEST, LONGEST, "s", 2),
            "fade_in": _field(tr("Fade in"), 0.0, 600.0, "s", 2),
            "fade_out": _field(tr("Fade out"), 0.0, 600.0, "s", 2),
            "level": _field(tr("Level"), 0.0, 100.0, "%", 0),
            "entry": _field(tr("Enters at"), 0.0, LONGEST, "s", 2),
            "rate": _field(tr("Rate"), 0.0, FASTEST, "×", 2),
            "repeat": _field(tr("Begins anew every"), 0.0, 3600.0, "s", 2),
        }
        for name, field in self.fields.items():
            field.changed.connect(lambda value, name=name: self._put(name, value))

        self.at = _field(tr("At"), 0.0, LONGEST, "s", 2)
        self.at.changed.connect(lambda value: self._put_event(at=value))
        self.does = QComboBox()
        self.does.setAccessibleName(tr("What is done"))
        self.does.setToolTip(tr("What is done there, as a hand would"))
        self.does.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        for verb, words in VERBS.items():
            self.does.addItem(words, verb)
        self.does.activated.connect(lambda n: self._put_act(verb=self.does.itemData(n)))
        self.value = _field(tr("Value"), 0.0, 1000.0, "", 2)
        self.value.changed.connect(lambda value: self._put_act(value=value))

        self.tempo = _field(tr("Tempo"), 20.0, 300.0, "bpm", 2)
        self.tempo.changed.connect(lambda value: self._put_tempo(bpm=value, beats=()))
        self.first = _field(tr("First beat at"), 0.0, 60.0, "s", 3)
        self.first.changed.connect(lambda value: self._put_tempo(start=value))
        self.bar = NumberField(tr("Beats a bar"), 1, MOST_BAR, 4)
        self.bar.valueChanged.connect(lambda value: self._put_tempo(bar=int(value)))

        self.found = basics.label("", "small", wrap=True)
        tips = (
            (tr("Half"), halved, tr("Half as many beats")),
            (tr("Double"), doubled, tr("Twice as many beats")),
            (tr("Bar +1"), shifted, tr("Bars begin a beat later")),
            (
                tr("Steady"),
                steadied,
                tr("One tempo, through the beats that were found"),
            ),
        )
        self.corrections = [
            basics.button(text, partial(self._correct, change), "quiet", tip=tip)
            for text, change, tip in tips
        ]
        self.corrections.append(
            basics.button(
                tr("Bar here"),
                lambda: self._correct(lambda t: bar_at(t, hand.place)),
                "quiet",
                tip=tr("A bar begins where the playhead is"),
            )
        )
        self.tap = basics.button(
            tr("Tap along"),
            self.tap_along,
            "quiet",
            tip=tr("Press on each beat while it plays (T); it ends by itself"),
        )
        self.taps: list[float] = []
        self._last_tap = QTimer(self, interval=TAPPED)
        self._last_tap.timeout.connect(self.end_taps)
        self.of_clip = QWidget()
        basics.stack(self.of_clip, *self.fields.values(), spacing=4)
        self.of_event = QWidget()
        basics.stack(self.of_event, self.at, self.does, self.value, spacing=4)
        self.of_line = QWidget()
        bar = basics.row(basics.label(tr("Beats a bar"), "small"), self.bar, spacing=6)
        buttons = [*self.corrections, self.tap]
        corrections = flow(*buttons, spacing=4)
        basics.stack(
            self.of_line,
            self.tempo,
            self.first,
            bar,
            self.found,
            corrections,
            spacing=4,
        )
        box = basics.stack(
            self, self.title, self.of_clip, self.of_event, self.of_line, spacing=8
        )
        box.addStretch(1)
        hand.changed.connect(self.follow)
        hand.chosen_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Show what is chosen now."""
        clips, events, line = self.hand.clips, self.hand.events, self.hand.line
        self.of_clip.setVisible(bool(clips))
        self.of_event.setVisible(bool(events) and not clips)
        self.of_line.setVisible(line is not None and not clips and not events)
        if clips:
            self._show_clip(clips)
        elif events:
            self._show_event(events[0])
        elif line is not None:
            self.title.setText(tr("Beats"))
            self.tempo.set_value(line.tempo.steady)
            self.first.set_value(line.tempo.start)
            self.bar.setValue(line.tempo.bar)
            known = len(line.tempo.known)
            self.found.setText(
                plural(known, "{n} beat was found", "{n} beats were found")
            )
            self.found.setVisible(known > 0)
            self.first.setEnabled(known == 0)

    def _show_clip(self, clips: list[Clip]) -> None:
        clip = clips[0]
        if len(clips) > 1:
            self.title.setText(plural(len(clips), "{n} clip", "{n} clips"))
        else:
            self.title.setText(name_of(self.hand.show, clip.plays))
        self.fields["rate"].setVisible(clip.plays.kind != SOUND)
        for name, field in self.fields.items():
            value = getattr(clip, name)
            field.set_value(100.0 * value if name == "level" else value)

    def _show_event(self, event: Event) -> None:
        self.title.setText(name_of(self.hand.show, event.act.ref))
        self.at.set_value(event.at)
        self.does.setCurrentIndex(self.does.findData(event.act.verb))
        self.value.setVisible(event.act.verb in VALUED)
        self.value.set_value(event.act.value)

    def _put(self, name: str, value: float) -> None:
        """One field of all chosen clips."""
        made = value / 100.0 if name == "level" else value
        self.hand.change_clips(tr("change a clip"), **{name: made})

    def _put_event(self, **fields: Any) -> None:
        self.hand.change_events(tr("change an event"), **fields)

    def _put_act(self, **fields: Any) -> None:
        for event in self.hand.events[:1]:
            act = edits.replace(event.act, **fields)
            self._put_event(act=act)

    def _correct(self, change: Callable[[TempoMap], TempoMap]) -> None:
        """Beats that were found otherwise than they are meant."""
        self.hand.edit(
            tr("the beats of the line"),
            lambda line: edits.replace(line, tempo=change(line.tempo)),
        )

    def tap_along(self) -> None:
        """A beat is where the playhead is now; some seconds after the last one they
        are put right.
        """
        self.taps.append(self.hand.place)
        self._last_tap.start()
        self.tap.setText(plural(len(self.taps), "{n} tap", "{n} taps"))

    def end_taps(self) -> None:
        """The beats are where they were tapped."""
        taps, self.taps = self.taps, []
        self._last_tap.stop()
        self.tap.setText(tr("Tap along"))
        if len(taps) > 1:
            self._correct(lambda tempo: tapped_along(tempo, taps))

    def _put_tempo(self, **fields: Any) -> None:
        self.hand.edit(
            tr("the beats of the line"),
            lambda line: edits.replace(line, tempo=edits.replace(line.tempo, **fields)),
        )


def _field(name: str, low: float, high: float, unit: str, digits: int) -> ValueField:
    return ValueField(name, low, high, unit, digits, bar=False)
