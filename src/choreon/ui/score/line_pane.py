"""Timelines in Score: the line in hand, what can be put onto it, what is chosen."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QInputDialog,
    QMenu,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from choreon.formats import sounds
from choreon.language import tr
from choreon.model import edits, suggest, timelines
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import LineEnd, Mark, TrackSort, WhenStopped
from choreon.model.refs import Ref
from choreon.model.show import Sound
from choreon.model.sounds import has_sound
from choreon.sound.files import NotHeard
from choreon.sound.told import WELL, Told
from choreon.sound.waves import A_SECOND
from choreon.ui import renaming, theme
from choreon.ui.parts import Parts
from choreon.ui.score.beat_reader import BeatReader
from choreon.ui.score.ghost import Ghost
from choreon.ui.score.line_form import LineForm
from choreon.ui.score.line_hand import LineHand
from choreon.ui.score.line_view import SOUNDS, LineView
from choreon.ui.score.sound_dialog import SoundDialog
from choreon.ui.score.take import Take
from choreon.ui.score.things import ThingList
from choreon.ui.score.waves import Waves
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.wire.time_code import Rate, time_code, typed

CARD = 18  # letters of a card's name
ROOMY = 1060  # points from which what plays, and the form, have room beside the line


class LinePane(QWidget):
    """One timeline. `chooser` lists all that Score shows."""

    def __init__(self, parts: Parts, minis: MiniStages, chooser: QComboBox) -> None:
        super().__init__()
        self.parts = parts
        self.hand = LineHand(parts, self)
        self.waves = Waves(parts, self)
        self.waves.heard.connect(self._know)
        self.view = LineView(self.hand, minis, self.waves)
        self.view.sound_dropped.connect(self.add_sound)
        self.view.mark_wanted.connect(self.mark_here)
        self.things = ThingList(
            self.hand,
            minis,
            (
                tr("Onto the line"),
                tr("Put what is chosen onto the track in hand, from the playhead on"),
            ),
            (
                tr("Start it there"),
                tr("Have what is chosen start where the playhead is, as an event"),
            ),
            tr("Drag onto a track, or press Enter; several at once"),
        )
        self.form = LineForm(self.hand)
        self.view.tapped.connect(self.form.tap_along)
        self.take = Take(self.hand, self)
        self.take.changed.connect(self._took)
        self.reader = BeatReader(self)
        self.reader.went_on.connect(self._listening)
        self.reader.found.connect(self._found)
        self.reader.failed.connect(self._not_heard)
        self.chooser = chooser
        self.new = basics.tool("plus", tr("Make another"), lambda: None)
        self.head = self._make_head()

        middle = basics.panel(self.head, self.view, margins=10)
        basics.grow(middle, 1)
        self.ghost = Ghost(self.hand)
        self.side = basics.panel(basics.scroller(self.form), self.ghost, margins=10)
        basics.grow(self.side, 0)
        self.side.setMinimumWidth(196)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.things, middle, self.side):
            self.splitter.addWidget(widget)
        self.splitter.setStretchFactor(1, 3)
        self.splitter.setSizes([172, 800, 198])
        self.splitter.setChildrenCollapsible(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.splitter)
        self._roomy = True
        self._listens_for, self._sound, self._begins = "", "", 0.0

        self.hand.changed.connect(self._follow)
        self.hand.chosen_changed.connect(self._follow)
        self.hand.went.connect(self._went)
        parts.engine.sounded.connect(lambda _: self._follow())
        self._follow()
        self._went()

    def _make_head(self) -> QWidget:
        hand = self.hand
        self.begin = basics.tool("before", tr("To the begin"), lambda: hand.go_to(0.0))
        self.play = basics.button(
            tr("Play"),
            hand.play,
            "main",
            "play",
            tip=tr("Play from the playhead, or stand (Space)"),
        )
        self.stop = basics.tool("stop", tr("Let it go"), hand.stop)
        self.on_stage = basics.button(
            tr("On stage"),
            self._set_on_stage,
            "quiet",
            tip=tr("Have the stage follow the playhead while the line is not played"),
        )
        self.on_stage.setCheckable(True)
        self.listening = basics.button(
            "", self._stop_listening, "quiet", tip=tr("Stop listening")
        )
        self.listening.hide()
        self.taking = basics.button(
            tr("Take"),
            self._toggle_take,
            "quiet",
            tip=tr("Lay what hands do while it plays along the line; again to end it"),
        )
        self.taking.setCheckable(True)
        self.heard_by = basics.button(
            "",
            self.set_up_sound,
            "quiet",
            tip=tr("What sound is heard by, and how late that is"),
        )
        self.loop = basics.button(
            tr("Loop"),
            self._toggle_loop,
            "quiet",
            tip=tr("Play what is chosen, or all, again and again; it closes on bars"),
        )
        self.loop.setCheckable(True)
        self.whole = basics.tool("full", tr("All of it (F)"), self.view.fit)
        self.panes = {
            "things": self._toggle(tr("Plays"), tr("Show what plays")),
            "form": self._toggle(tr("Clip"), tr("Show what is chosen, in numbers")),
        }
        self.more = basics.tool("more", tr("More with this timeline"), self._menu)
        return flow(
            self.chooser,
            self.new,
            self.begin,
            self.play,
            self.stop,
            self.loop,
            self.on_stage,
            self.taking,
            self.listening,
            self.heard_by,
            1,
            self.whole,
            *self.panes.values(),
            self.more,
        )

    def _toggle(self, text: str, tip: str) -> QPushButton:
        made = basics.button(text, self._arrange, "quiet", tip=tip)
        made.setCheckable(True)
        made.setChecked(True)
        return made

    def _arrange(self) -> None:
        """Show beside the line what is wanted, and has room."""
        for name, widget in (("things", self.things), ("form", self.side)):
            button = self.panes[name]
            button.setVisible(self._roomy)
            widget.setVisible(self._roomy and button.isChecked())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the line has it."""
        self._roomy = self.width() >= ROOMY
        self._arrange()
        super().resizeEvent(event)

    def _follow(self) -> None:
        line = self.hand.line
        if line is not None:
            self.loop.setChecked(line.end == LineEnd.LOOP)
        sound = self.parts.engine.sound
        self.heard_by.setVisible(line is not None and has_sound(line))
        card = sound.wanted if sound.silent else sound.device
        name = card[:CARD] if card else tr("No card")
        self.heard_by.setText(tr("No card") if sound.silent else name)
        self.heard_by.setIcon(theme.icon("music", theme.TEXT))

    def _went(self) -> None:
        plays, on = self.hand.plays, self.hand.player is not None
        self.play.setText(tr("Stand") if plays else tr("Play"))
        self.play.setIcon(theme.icon("pause" if plays else "play", theme.PIT))
        self.stop.setEnabled(on)

    def _set_on_stage(self) -> None:
        self.hand.on_stage = self.on_stage.isChecked()

    def _toggle_take(self) -> None:
        if self.taking.isChecked():
            self.take.begin()
        else:
            self.take.end()

    def _took(self) -> None:
        self.taking.setChecked(self.take.on)

    def _toggle_on_beats(self) -> None:
        self.take.on_beats = not self.take.on_beats

    def _toggle_loop(self) -> None:
        if self.loop.isChecked():
            self.hand.loop_chosen(bars=True)
        else:
            self._end(LineEnd.RELEASE)

    def _end(self, end: LineEnd) -> None:
        self.hand.edit(
            tr("what is at the end of the line"),
            lambda line: edits.replace(line, end=end),
        )

    def fill_menu(self, menu: Menu) -> None:
        """Put in what can be done with the timeline in hand."""
        hand, line = self.hand, self.hand.line
        if line is None:
            return
        menu.addAction(
            tr("Another track for light"), lambda: hand.add_track(TrackSort.LIGHT)
        )
        menu.addAction(
            tr("Another track for events"), lambda: hand.add_track(TrackSort.EVENTS)
        )
        menu.addAction(
            tr("Another track for sound"), lambda: hand.add_track(TrackSort.SOUND)
        )
        menu.addAction(tr("Rename the track in hand…"), self._rename_track)
        silent = menu.addAction(tr("The track in hand plays"), self._toggle_track)
        track = line.track(hand.track_id)
        silent.setCheckable(True)
        silent.setChecked(track is not None and track.on)
        menu.addAction(tr("Take the track in hand off"), self._drop_track)
        menu.addSeparator()
        menu.addAction(tr("Nearer"), lambda: self.view.zoom(1))
        menu.addAction(tr("Farther"), lambda: self.view.zoom(-1))
        menu.addSeparator()
        menu.addAction(tr("Split where the playhead is"), hand.split_chosen)
        menu.addAction(tr("Double what is chosen"), hand.double_chosen)
        menu.addAction(tr("Copy what is chosen"), hand.copy_chosen)
        paste = menu.addAction(tr("Paste where the playhead is"), hand.paste)
        paste.setEnabled(hand.copied is not None)
        menu.addAction(tr("Take off what is chosen"), hand.remove_chosen)
        beats = menu.addAction(tr("Takes go onto beats"), self._toggle_on_beats)
        beats.setCheckable(True)
        beats.setChecked(self.take.on_beats)
        self._fill_sound_menu(menu.addMenu(tr("Sound")))
        menu.addAction(tr("A mark where the playhead is…"), self._ask_mark)
        menu.addAction(tr("Suggest looks for its sections"), self.suggest)
        menu.addAction(tr("Loop it as long as it is"), lambda: hand.loop_chosen(False))
        menu.addAction(tr("Fit the loop to bars"), lambda: hand.loop_chosen(True))
        self._fill_clock_menu(menu.addMenu(tr("Another’s clock")))
        ends = menu.addMenu(tr("At its end"))
        for end, words in ENDS.items():
            action = ends.addAction(words, lambda e=end: self._end(e))
            action.setCheckable(True)
            action.setChecked(line.end == end)
        menu.addSeparator()
        menu.addAction(
            tr("Rename…"),
            lambda: renaming.ask(self, self.parts, line.ref, tr("Rename the timeline")),
        )
        menu.addAction(tr("Double it"), self._double)
        menu.addAction(tr("Delete the timeline"), self._delete)

    def _menu(self) -> None:
        menu = Menu(self)
        self.fill_menu(menu)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    # another's clock

    def _fill_clock_menu(self, menu: QMenu) -> None:
        """Whose time code it follows, from when on; and what it does then."""
        line = self.hand.line
        assert line is not None
        known = list(self.parts.engine.ports.ports)
        devices = dict.fromkeys(["", *known, line.follows])
        for device in devices:
            words = tr("Time code of {device}", device=device) if device else NO_CLOCK
            action = menu.addAction(words, partial(self.follow_clock, device))
            action.setCheckable(True)
            action.setChecked(line.follows == device)
        menu.addSeparator()
        at = menu.addAction(
            tr("Begins at {time}…", time=time_code(line.offset, Rate.EUROPE)),
            self._ask_offset,
        )
        holds = menu.addAction(
            tr("Stands when that stands"), lambda: self._toggle_holds()
        )
        holds.setCheckable(True)
        holds.setChecked(line.stopped == WhenStopped.HOLD)
        for action in (at, holds):
            action.setEnabled(bool(line.follows))

    def follow_clock(self, device: str) -> None:
        """Have the line be where a device's time code is, while it is on."""
        self._change_line(tr("whose clock it follows"), follows=device)

    def _toggle_holds(self) -> None:
        line = self.hand.line
        assert line is not None
        held = line.stopped == WhenStopped.HOLD
        stopped = WhenStopped.GO_ON if held else WhenStopped.HOLD
        self._change_line(tr("what it does when that stands"), stopped=stopped)

    def _ask_offset(self) -> None:
        line = self.hand.line
        assert line is not None
        text, sure = QInputDialog.getText(
            self,
            tr("Begins at"),
            tr("Time code, as 1:00:00:00"),
            text=str(time_code(line.offset, Rate.EUROPE)),
        )
        if sure:
            self.begin_at(text)

    def begin_at(self, text: str) -> None:
        """Have the line begin at a time of the other's clock, as it is typed."""
        try:
            offset = typed(text)
        except ValueError:
            said = tr("“{text}” is no time, such as 1:00:00:00.", text=text[:40])
            self.parts.notices.told.emit(said, "problem")
            return
        self._change_line(tr("when it begins"), offset=offset)

    def _change_line(self, name: str, **fields: Any) -> None:
        self.hand.edit(name, lambda line: edits.replace(line, **fields))

    # sections

    def mark_here(self) -> None:
        """Mark where the playhead is, as the next letter: sections are tapped so."""
        at = self.hand.place
        self.hand.edit(
            tr("mark a moment"),
            lambda line: timelines.add_mark(line, at, _letter(len(line.marks))),
        )

    def suggest(self) -> None:
        """Lay looks of the show along the sections, and say which."""
        line = self.hand.line
        if line is None:
            return
        if not line.marks:
            text = tr(
                "There are no sections as yet: put a sound onto the line, or press M "
                "where each begins."
            )
            self.parts.notices.told.emit(text, "info")
            return
        made, choices = suggest.suggest(self.hand.show, line, self._energies(line))
        if not choices:
            text = tr("The show has no scene and no chase that could be laid.")
            self.parts.notices.told.emit(text, "info")
            return
        self.hand.edit(tr("suggest looks"), lambda _: made)
        text = tr(
            "Laid by how lively each section is: {looks}.",
            looks=suggest.in_words(self.hand.show, choices),
        )
        self.parts.notices.told.emit(text, "info")

    def _energies(self, line: Timeline) -> list[float]:
        """How lively each section is, 0…1, by what is heard of it."""
        loud = [
            self._loudness(line, p.begin, p.end) for p in suggest.parts_of(line, ())
        ]
        low, high = min(loud, default=0.0), max(loud, default=0.0)
        span = high - low
        return [(one - low) / span if span > 1e-6 else 0.5 for one in loud]

    def _loudness(self, line: Timeline, begin: float, end: float) -> float:
        """How loud a stretch is, by the waves of the sounds in it."""
        whole = 0.0
        for track in line.tracks:
            for clip in track.clips if track.sort == TrackSort.SOUND else ():
                sound = self.hand.show.sounds.get(clip.plays.id)
                wave = None if sound is None else self.waves.of(sound)
                first, last = max(begin, clip.start), min(end, clip.end)
                if wave is None or last <= first:
                    continue
                by = clip.entry - clip.start
                part = wave[int((first + by) * A_SECOND) : int((last + by) * A_SECOND)]
                whole += float(part.mean()) if len(part) else 0.0
        return whole

    # sound

    def _fill_sound_menu(self, menu: QMenu) -> None:
        """What can be done with sounds, and with the one that is chosen."""
        menu.addAction(tr("Put a sound file here…"), self._ask_sound)
        menu.addAction(tr("Beats out of a sound file…"), self._ask_beats)
        own = self.chosen_sound
        beats = menu.addAction(tr("Beats out of what is chosen"), self.read_chosen)
        travels = menu.addAction(tr("It travels in the show"), self.toggle_packed)
        travels.setCheckable(True)
        travels.setChecked(own is not None and own.packed)
        for action in (beats, travels):
            action.setEnabled(own is not None)
        menu.addAction(tr("How this machine sounds…"), self.set_up_sound)

    def _ask_file(self, title: str) -> Path | None:
        path, _ = QFileDialog.getOpenFileName(
            self,
            title,
            "",
            tr("Sound ({kinds})", kinds=" ".join(f"*{end}" for end in SOUNDS)),
        )
        return Path(path) if path else None

    def _ask_sound(self) -> None:
        path = self._ask_file(tr("Put a sound file here"))
        if path is not None:
            self.add_sound(path)

    def _ask_beats(self) -> None:
        path = self._ask_file(tr("Beats out of a sound file"))
        if path is not None:
            self.read_beats(path)

    def add_sound(self, path: Path, at: float | None = None) -> None:
        """Put a sound file onto the line: from the playhead on, or from a time. The
        beats of a line that has none are found in it.
        """
        try:
            sound_id = self.hand.add_sound(path.absolute(), at)
        except NotHeard as error:
            text = tr("{why} Nothing was put onto the line.", why=str(error))
            self.parts.notices.told.emit(text, "problem")
            return
        line = self.hand.line
        begins = self.hand.clips[0].start if self.hand.clips else 0.0
        if line is not None and not line.tempo.known:
            self._listen(path, sound_id, begins)
        self.view.fit()

    @property
    def chosen_sound(self) -> Sound | None:
        """The sound of the clip that is chosen."""
        own = (self.hand.show.sounds.get(clip.plays.id) for clip in self.hand.clips)
        return next((sound for sound in own if sound is not None), None)

    def read_chosen(self) -> None:
        """Find the beats of the line in the sound that is chosen, where it lies."""
        sound = self.chosen_sound
        path = None if sound is None else self.waves.path(sound)
        if sound is None or path is None:
            text = tr("Its file is not there.")
            self.parts.notices.told.emit(text, "problem")
            return
        clip = next(c for c in self.hand.clips if c.plays.id == sound.id)
        self._listen(path, sound.id, clip.start - clip.entry)

    def toggle_packed(self) -> None:
        """Have the sound that is chosen travel in the show, or lie beside it."""
        sound = self.chosen_sound
        if sound is None:
            return
        packed = not sound.packed
        try:
            path = self.waves.path(sound)
            if packed and path is None:
                raise FileNotFoundError(0, tr("its file is not there"))
            if packed and path is not None:
                size = path.stat().st_size
                digest = sounds.digest_of(path)
                sound = edits.replace(sound, digest=digest, size=size)
                sounds.keep(sound, path)
        except OSError as error:
            text = tr(
                "{name} cannot travel in the show: {error}.",
                name=sound.name,
                error=error.strerror or error,
            )
            self.parts.notices.told.emit(text, "problem")
            return
        self._put_sound(
            tr("whether a sound travels in the show"),
            edits.replace(sound, packed=packed),
        )

    def _put_sound(self, name: str, sound: Sound) -> None:
        show = edits.put(self.hand.show, "sounds", sound)
        self.parts.document.edit(name, show)

    def _know(self, sound_id: str, told: Told) -> None:
        """What is in a sound is known now: it can be found again by that."""
        sound = self.hand.show.sounds.get(sound_id)
        if sound is None or not told.digest or sound.digest == told.digest:
            return
        known = edits.replace(
            sound, digest=told.digest, size=told.size, seconds=told.seconds
        )
        self._put_sound(tr("what was heard in {name}", name=sound.name), known)

    def set_up_sound(self) -> None:
        """Which card it is heard by, and how late."""
        SoundDialog(self.parts, self).exec()

    # beats

    def read_beats(self, path: Path) -> None:
        """Find the beats in a sound file, while all goes on."""
        self._listen(path, "", 0.0)

    def _listen(self, path: Path, sound_id: str, begins: float) -> None:
        self._listens_for = self.hand.line_id
        self._sound, self._begins = sound_id, begins
        self.waves.elsewhere = sound_id
        self.reader.begin(path)

    def _listening(self, done: float) -> None:
        self.listening.setText(
            tr("Listening {percent} %  ·  Stop", percent=round(100 * done))
        )
        self.listening.show()

    def _stop_listening(self) -> None:
        self.reader.stop()
        self._heard_out()

    def _heard_out(self) -> None:
        """Nobody listens any more: what is known of the sound is looked for anew."""
        self.listening.hide()
        self.waves.elsewhere = ""
        if self._sound:
            self.waves.forget(self._sound)

    def _not_heard(self, why: str) -> None:
        self._heard_out()
        text = tr("{why} The beats are as they were.", why=why)
        self.parts.notices.told.emit(text, "problem")

    def _found(self, told: Told) -> None:
        self._heard_out()
        if self._sound:
            self._know(self._sound, told)
        found = told.found
        if found is None or not found.beats:
            text = tr("No beat was found in {name}.", name=self.reader.path.name)
            self.parts.notices.told.emit(text, "info")
            return
        if self.hand.line_id != self._listens_for:
            self.hand.open(self._listens_for)

        begins, alone = self._begins, not self._sound

        def with_beats(line: Timeline) -> Timeline:
            tempo = edits.replace(
                line.tempo,
                bpm=found.bpm,
                beats=tuple(at + begins for at in found.beats if at + begins >= 0.0),
                bar=found.bar,
                first=found.first,
            )
            length = told.seconds if alone else line.length
            marks = line.marks or _marks(told, begins)
            return edits.replace(line, tempo=tempo, length=length, marks=marks)

        self.hand.edit(tr("the beats of a sound file"), with_beats)
        self.view.fit()
        sure = SURE[0] if found.sure > WELL else SURE[1]
        text = tr(
            "{n} beats at {bpm:.1f} a minute, {bar} to a bar: {sure}.",
            n=len(found.beats),
            bpm=found.bpm,
            bar=found.bar,
            sure=sure,
        )
        self.parts.notices.told.emit(text, "info")

    def _rename_track(self) -> None:
        line = self.hand.line
        track = None if line is None else line.track(self.hand.track_id)
        if track is None:
            return
        name, sure = QInputDialog.getText(
            self, tr("Rename the track"), tr("Name"), text=track.name
        )
        if sure and name.strip():
            self._change_track(name=name.strip())

    def _change_track(self, **fields: object) -> None:
        track_id = self.hand.track_id
        self.hand.edit(
            tr("change a track"),
            lambda line: timelines.change_track(line, track_id, **fields),
        )

    def _toggle_track(self) -> None:
        line = self.hand.line
        track = None if line is None else line.track(self.hand.track_id)
        if track is not None:
            self._change_track(on=not track.on)

    def _drop_track(self) -> None:
        track_id = self.hand.track_id
        self.hand.edit(
            tr("take a track off"), lambda line: timelines.drop_track(line, track_id)
        )

    def _ask_mark(self) -> None:
        at = self.hand.place
        name, sure = QInputDialog.getText(self, tr("New mark"), tr("Name"))
        if sure:
            self.hand.edit(
                tr("mark a moment"),
                lambda line: timelines.add_mark(line, at, name.strip()),
            )

    def _double(self) -> None:
        line = self.hand.line
        if line is not None:
            show, ref = edits.duplicate(self.hand.show, line.ref)
            self.parts.document.edit(tr("double {name}", name=line.name), show)
            self.hand.open(ref.id)

    def _delete(self) -> None:
        line = self.hand.line
        if line is not None:
            show = edits.remove(self.hand.show, Ref(line.kind, line.id))
            self.parts.document.edit(tr("delete {name}", name=line.name), show)

    def escape(self) -> bool:
        """Choose nothing. Returns whether anything was chosen."""
        chosen = bool(self.hand.chosen)
        self.hand.choose(())
        return chosen


def _letter(number: int) -> str:
    """A, B, C… and after Z begins AA."""
    name = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        name = chr(ord("A") + rest) + name
    return name


def _marks(told: Told, begins: float) -> tuple[Mark, ...]:
    """The sections that were found, as marks: those that are alike have one letter."""
    return tuple(
        Mark(
            id=f"section-{n + 1}",
            at=section.begin + begins,
            name=_letter(section.which),
        )
        for n, section in enumerate(told.sections)
        if section.begin + begins >= 0.0
    )


SURE = (tr("quite sure"), tr("not sure: look at them"))
NO_CLOCK = tr("By its own clock")
ENDS = {
    LineEnd.RELEASE: tr("it is let go"),
    LineEnd.HOLD: tr("it stays"),
    LineEnd.LOOP: tr("it begins anew"),
}
