"""What is in hand of a timeline: which one is shown, what of it is chosen, where the
playhead is; and what is done to it. Its views take it one by one.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from choreon.engine.actions import timelines as running
from choreon.engine.do import Do
from choreon.language import tr
from choreon.model import edits, sounds, timelines
from choreon.model.playables import Timeline
from choreon.model.playables.nesting import contains
from choreon.model.playables.timeline import Clip, Event, LineEnd, TrackSort, over_at
from choreon.model.refs import Ref
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.model.verbs import Verb
from choreon.render.state import Player
from choreon.sound.files import seconds_of
from choreon.ui.parts import Parts

Change = Callable[[Timeline], Timeline]

TRACKS = {
    TrackSort.LIGHT: tr("Light"),
    TrackSort.EVENTS: tr("Events"),
    TrackSort.SOUND: tr("Sound"),
}
"""What a track is called at first."""


class LineHand(QObject):
    """One timeline in hand."""

    changed = Signal()
    """Another one is shown, or it is another after an edit."""
    chosen_changed = Signal()
    went = Signal()
    """The playhead is elsewhere, or it plays, or does not any more."""

    def __init__(self, parts: Parts, parent: QObject) -> None:
        super().__init__(parent)
        self.parts = parts
        self.line_id = ""
        self.chosen: tuple[str, ...] = ()
        """The ids of the chosen clips and events."""
        self.track_id = ""
        """The track that new things come onto."""
        self.head = 0.0
        """Where the playhead is while it does not play, in seconds."""
        self.on_stage = False
        """Whether scrubbing lights the stage."""
        self.copied: timelines.Copied | None = None
        self._seen: tuple[object, ...] = ()
        parts.document.show_changed.connect(lambda _: self._follow())
        parts.engine.state_changed.connect(lambda _: self.went.emit())
        self._follow()

    @property
    def show(self) -> Show:
        """The show as it is now."""
        return self.parts.document.show

    @property
    def line(self) -> Timeline | None:
        """The timeline that is shown."""
        found = self.show.playables.get(self.line_id)
        return found if isinstance(found, Timeline) else None

    @property
    def takes_into(self) -> bool:
        """Whether things can be started where the playhead is."""
        return self.line is not None

    @property
    def own_id(self) -> str:
        """What is not offered to be put onto itself."""
        return self.line_id

    def open(self, line_id: str) -> None:
        """Show a timeline."""
        if line_id != self.line_id:
            self.line_id, self._seen = line_id, ()
            self.chosen, self.head = (), 0.0
            self._follow()
            self.chosen_changed.emit()

    def _follow(self) -> None:
        line = self.line
        there = set() if line is None else timelines.ids_of(line)
        kept = tuple(i for i in self.chosen if i in there)
        if kept != self.chosen:
            self.chosen = kept
            self.chosen_changed.emit()
        if line is not None and line.track(self.track_id) is None:
            self.track_id = line.tracks[0].id if line.tracks else ""
        seen = (line, self.show.playables)
        if line is None or not very_same(seen, self._seen):
            self._seen = seen
            self.changed.emit()

    # what is chosen

    def choose(self, ids: Collection[str]) -> None:
        """Choose clips and events."""
        chosen = tuple(dict.fromkeys(ids))
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()

    def choose_all(self) -> None:
        """Choose all clips and events."""
        if self.line is not None:
            self.choose(sorted(timelines.ids_of(self.line)))

    @property
    def clips(self) -> list[Clip]:
        """The chosen clips."""
        line = self.line
        if line is None:
            return []
        return [clip for _, clip in timelines.clips_of(line) if clip.id in self.chosen]

    @property
    def events(self) -> list[Event]:
        """The chosen events."""
        line = self.line
        if line is None:
            return []
        own = timelines.events_of(line)
        return [event for _, event in own if event.id in self.chosen]

    # edits

    def edit(self, name: str, change: Change) -> None:
        """Change the timeline; edits of one gesture are undone as one."""
        line = self.line
        if line is None:
            return
        made = change(line)
        if made == line:
            return
        show = edits.put(self.show, "playables", made)
        self.parts.document.edit(name, show)

    def new(self, name: str = "") -> None:
        """Make a timeline, and show it."""
        show, ref = timelines.add(self.show, name)
        self.parts.document.edit(tr("make a timeline"), show)
        self.open(ref.id)

    def add_of(self, refs: Sequence[Ref], at: float | None = None) -> None:
        """Put things onto the track in hand: from the playhead on, or from a time."""
        line = self.line
        if line is None:
            self.new()
            line = self.line
        track = None if line is None else line.track(self.track_id)
        if line is None or track is None or not refs:
            return

        start = self.place if at is None else at
        if track.sort == TrackSort.EVENTS:
            self._put_events(refs, start)
            return
        if track.sort == TrackSort.SOUND:
            self.track_id = next(
                (t.id for t in line.tracks if t.sort == TrackSort.LIGHT), ""
            )
            if self.track_id:
                self.add_of(refs, at)
            return
        fit = [ref for ref in refs if self._may_lie_here(ref)]
        if len(fit) < len(refs):
            text = tr("A timeline cannot lie within itself; an event can start it.")
            self.parts.notices.told.emit(text, "problem")
        things = [(ref, timelines.length_for(self.show, ref)) for ref in fit]
        if not things:
            return
        made, ids = timelines.put_clips(line, track.id, start, things)
        self.edit(tr("put onto the line"), lambda _: made)
        self.choose(ids)

    def add_sound(self, path: Path, at: float | None = None) -> str:
        """Put a sound file onto a track for sound, which is made where there is none.
        Returns the id of the sound. Raises NotHeard.
        """
        seconds = seconds_of(path)
        if self.line is None:
            self.new()
        line = self.line
        assert line is not None
        show, ref = sounds.add(self.show, str(path), path.stem, seconds)
        tracks = [t.id for t in line.tracks if t.sort == TrackSort.SOUND]
        if not tracks:
            line = timelines.add_track(line, tr("Sound"), TrackSort.SOUND)
            tracks = [line.tracks[-1].id]
        own = self.track_id if self.track_id in tracks else tracks[0]
        start = self.place if at is None else at
        made, ids = timelines.put_clips(line, own, start, [(ref, seconds)])
        show = edits.put(show, "playables", made)
        self.parts.document.edit(tr("put a sound onto the line"), show)
        self.track_id = own
        self.choose(ids)
        return ref.id

    def _may_lie_here(self, ref: Ref) -> bool:
        own = Ref(Timeline.kind, self.line_id)
        return ref != own and not contains(self.show, ref, own)

    def _put_events(self, refs: Sequence[Ref], at: float) -> None:
        line = self.line
        assert line is not None
        ids = []
        for ref in refs:
            act = timelines.start_of(ref)
            line, made = timelines.put_event(line, self.track_id, at, act)
            ids.append(made)
        made_line = line
        self.edit(tr("have things start"), lambda _: made_line)
        self.choose(ids)

    def put_into(self, refs: Sequence[Ref]) -> None:
        """Have things start where the playhead is, as events."""
        line = self.line
        if line is None:
            return
        tracks = [t.id for t in line.tracks if t.sort == TrackSort.EVENTS]
        if not tracks:
            made = timelines.add_track(line, tr("Events"), TrackSort.EVENTS)
            self.edit(tr("another track"), lambda _: made)
            tracks = [made.tracks[-1].id]
        before, self.track_id = self.track_id, tracks[0]
        self._put_events(refs, self.place)
        self.track_id = before

    def add_track(self, sort: TrackSort) -> None:
        """One more track."""
        self.edit(
            tr("another track"),
            lambda line: timelines.add_track(line, TRACKS[sort], sort),
        )

    def remove_chosen(self) -> None:
        """Take what is chosen off the line."""
        ids = self.chosen
        self.edit(tr("take off the line"), lambda line: timelines.remove(line, ids))

    def double_chosen(self) -> None:
        """What is chosen once more, behind it."""
        line = self.line
        if line is not None and self.chosen:
            made, ids = timelines.double(line, self.chosen)
            self.edit(tr("double on the line"), lambda _: made)
            self.choose(ids)

    def copy_chosen(self) -> None:
        """Remember what is chosen, to be pasted: here, or onto another line."""
        line = self.line
        found = None if line is None else timelines.copied(line, self.chosen)
        if found is not None:
            self.copied = found

    def cut_chosen(self) -> None:
        """Remember what is chosen, and take it off."""
        self.copy_chosen()
        self.remove_chosen()

    def paste(self) -> None:
        """What was copied, from the playhead on."""
        line = self.line
        if line is None or self.copied is None:
            return
        made, ids = timelines.pasted(line, self.copied, self.place, self.track_id)
        self.edit(tr("paste on the line"), lambda _: made)
        self.choose(ids)

    def split_chosen(self) -> None:
        """Cut the chosen clips, else all, where the playhead is."""
        line = self.line
        if line is None:
            return
        ids = self.chosen or tuple(timelines.ids_of(line))
        at = self.place
        self.edit(tr("split clips"), lambda one: timelines.split(one, ids, at))

    def nudge(self, by: float, rows: int = 0) -> None:
        """Move what is chosen."""
        ids = self.chosen
        self.edit(
            tr("move on the line"), lambda line: timelines.move(line, ids, by, rows)
        )

    def change_clips(self, name: str, **fields: Any) -> None:
        """Change fields of the chosen clips."""
        ids = self.chosen

        def change(clip: Clip) -> Clip:
            return edits.replace(clip, **fields)

        self.edit(name, lambda line: timelines.change_clips(line, ids, change))

    def change_events(self, name: str, **fields: Any) -> None:
        """Change fields of the chosen events."""
        ids = self.chosen

        def change(event: Event) -> Event:
            return edits.replace(event, **fields)

        self.edit(name, lambda line: timelines.change_events(line, ids, change))

    def loop_chosen(self, bars: bool) -> None:
        """Have what is chosen be played again and again; nothing chosen: all of it."""
        line = self.line
        if line is None:
            return
        spans = [(clip.start, clip.end) for clip in self.clips] or [
            (0.0, over_at(line))
        ]
        begin, end = min(b for b, _ in spans), max(e for _, e in spans)
        if bars:
            self.edit(
                tr("fit the loop to bars"),
                lambda one: timelines.loop_bars(one, begin, end),
            )
            return
        self.edit(
            tr("loop a stretch"),
            lambda one: edits.replace(one, end=LineEnd.LOOP, region=(begin, end)),
        )

    # playing

    @property
    def player(self) -> Player | None:
        """What plays the timeline, if anything does."""
        own = Ref(Timeline.kind, self.line_id)
        players = self.parts.engine.state.players
        return next((p for p in players if p.ref == own and not p.releasing), None)

    @property
    def plays(self) -> bool:
        """Whether it goes on just now."""
        player = self.player
        return player is not None and not player.paused

    @property
    def place(self) -> float:
        """Where the playhead is, in seconds."""
        player, line = self.player, self.line
        cursor = None if player is None else running.cursor_of(player)
        if line is None or cursor is None:
            return self.head
        return running.place_of(line, cursor, time.monotonic())

    def _send(self, verb: Verb, value: float = 1.0) -> None:
        self.parts.engine.send(Do(Ref(Timeline.kind, self.line_id), verb, value))

    def play(self) -> None:
        """Go on, or stand; from the playhead where it is not on."""
        if self.line is None:
            return
        player = self.player
        if player is None:
            self.from_here()
        elif player.paused:
            self._send(Verb.GO)
        else:
            self.head = self.place
            self._send(Verb.PAUSE)

    def from_here(self) -> None:
        """Play from where the playhead is: what lies just there happens."""
        place = self.place
        if self.player is None and place == 0.0:
            self._send(Verb.START)
            return
        if self.plays:
            self._send(Verb.PAUSE)
        self._stand_at(place)
        self._send(Verb.GO)

    def _stand_at(self, place: float) -> None:
        """Be on, and stand at a place: just there, whatever passes till it stands."""
        if self.player is None:
            self._send(Verb.STEP, place)
            self._send(Verb.PAUSE)
        self._send(Verb.STEP, place)

    def stop(self) -> None:
        """Let it go; the playhead stays."""
        self.head = self.place
        if self.player is not None:
            self._send(Verb.RELEASE)

    def go_to(self, place: float) -> None:
        """Put the playhead elsewhere: the light goes along where it is on, or where
        scrubbing lights the stage.
        """
        line = self.line
        if line is None:
            return
        place = max(0.0, place)
        self.head = place
        if self.player is not None:
            self._send(Verb.STEP, place)
        elif self.on_stage:
            self._stand_at(place)
        self.went.emit()
