"""A take: what hands do while a timeline plays, laid along it."""

from __future__ import annotations

import math
import time

from PySide6.QtCore import QObject, Signal

from choreon.engine.actions import timelines as running
from choreon.engine.evening.book import Then
from choreon.engine.evening.stretch import parts_of, tracks_of
from choreon.language import plural, sentences, tr
from choreon.model import edits, timelines
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import Track, TrackSort, loop_of
from choreon.model.tempo_map import Beats
from choreon.render.state import Player, PlayState
from choreon.ui.score.line_hand import LineHand

MOST = 200_000  # states of a take
LEAP = 0.25  # seconds by which the line has gone elsewhere
TAKE = "take"  # what the ids of tracks of takes begin with


class Take(QObject):
    """Waits for the line to play, follows it, and is over when it stands, goes round,
    or is let go.
    """

    changed = Signal()
    """It is on, or over."""

    def __init__(self, hand: LineHand, parent: QObject) -> None:
        super().__init__(parent)
        self.hand = hand
        self.on = False
        self.on_beats = False
        """Whether what comes and goes is put onto the nearest beat."""
        self._thens: list[Then] = []
        self._line_id = ""
        self._ahead: float | None = None  # the line's time, less the clock's
        hand.parts.engine.state_changed.connect(self._see)

    def begin(self) -> None:
        """Take from now on; where the line stands, from when it plays."""
        if self.hand.line is None:
            return
        self.on, self._line_id = True, self.hand.line_id
        self._thens, self._ahead = [], None
        self.changed.emit()
        self._see(self.hand.parts.engine.state)

    def end(self) -> None:
        """Lay what was taken along the line."""
        if not self.on:
            return
        self.on = False
        self.changed.emit()
        if self._ahead is not None and self._thens:
            self._lay(self._thens, self._ahead)
        self._thens = []

    def _own(self, player: Player) -> bool:
        """Whether a player is the line itself."""
        return player.ref.id == self._line_id and player.ref.kind == Timeline.kind

    def _see(self, state: PlayState) -> None:
        """Another state: it belongs to the take while the line goes on."""
        if not self.on:
            return
        now = time.monotonic()
        here = self._place(state, now)
        if here is None:
            if self._ahead is not None:
                self.end()
            return

        ahead = here - now
        self._ahead = ahead if self._ahead is None else self._ahead
        leapt = abs(ahead - self._ahead) > LEAP
        if leapt or here >= self._until or len(self._thens) > MOST:
            self.end()
            return
        self._thens.append(Then(self.hand.show, state, now))

    def _place(self, state: PlayState, now: float) -> float | None:
        """Where the line is; None while it stands, or is not on."""
        player = next((p for p in state.players if self._own(p)), None)
        cursor = None if player is None else running.cursor_of(player)
        if player is None or player.releasing or cursor is None or cursor.pauses:
            return None
        return cursor.time(now, 0.0).seconds

    @property
    def _until(self) -> float:
        """Where the line goes round, and a take is over."""
        line = self.hand.show.playables.get(self._line_id)
        loop = loop_of(line) if isinstance(line, Timeline) else None
        return math.inf if loop is None else loop[1]

    def _lay(self, thens: list[Then], ahead: float) -> None:
        """Onto tracks of its own; what an earlier take had there makes room."""
        hand, line = self.hand, self.hand.show.playables.get(self._line_id)
        if not isinstance(line, Timeline):
            return
        beats = Beats(line.tempo)
        begin, end = thens[0].at, time.monotonic()

        def place(at: float) -> float:
            return self._on_beat(beats, max(0.0, at + ahead))

        before = {player.id for player in thens[0].state.players}
        players = parts_of(
            thens, end, lambda p: self._own(p) or self._was_on(p, before)
        )
        taken = timelines.ids_of(line)
        made = tracks_of(hand.show, players, place, tr("Take"), taken)
        if not made:
            text = tr("Nothing was done by hand: the line is as it was.")
            hand.parts.notices.told.emit(text, "info")
            return
        clips = [clip for track in made for clip in track.clips]
        first = min(begin + ahead, *(clip.start for clip in clips))
        last = max(end + ahead, *(clip.end for clip in clips))
        earlier = [t.id for t in line.tracks if t.id.startswith(TAKE)]
        room = timelines.cleared(line, earlier, first, last)
        tracks = self._onto(room, made)
        hand.edit(tr("a take"), lambda _: edits.replace(room, tracks=tracks))
        count = len(clips)
        drafted = any(then.state.live for then in thens)
        text = sentences(
            plural(count, "{n} clip was taken.", "{n} clips were taken."),
            tr("What hands gave lamps directly is not among them.") if drafted else "",
        )
        hand.parts.notices.told.emit(text, "info")

    @staticmethod
    def _was_on(player: Player, before: set[str]) -> bool:
        """Whether a player was on when the take began, and stays as it was."""
        return player.id in before and not player.releasing and player.level == 1.0

    def _on_beat(self, beats: Beats, at: float) -> float:
        """A time, on the beat next to it where that is wished."""
        if not self.on_beats:
            return at
        return max(0.0, beats.time_of(round(beats.at(at))))

    @staticmethod
    def _onto(line: Timeline, made: list[Track]) -> tuple[Track, ...]:
        """The tracks of a line with those of a take: onto those of takes before, where
        they have room, else above.
        """
        tracks = list(line.tracks)
        for track in made:
            for n, other in enumerate(tracks):
                if other.id.startswith(TAKE) and _has_room(other, track):
                    clips = (*other.clips, *track.clips)
                    tracks[n] = edits.replace(other, clips=clips)
                    break
            else:
                own = edits.fresh_id(TAKE, [t.id for t in tracks])
                number = sum(t.id.startswith(TAKE) for t in tracks) + 1
                name = tr("Take {n}", n=number)
                tracks.append(
                    Track(id=own, name=name, sort=TrackSort.LIGHT, clips=track.clips)
                )
        return tuple(tracks)


def _has_room(track: Track, other: Track) -> bool:
    return all(
        one.end <= two.start or two.end <= one.start
        for one in track.clips
        for two in other.clips
    )
