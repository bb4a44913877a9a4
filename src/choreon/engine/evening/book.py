"""An evening, read: what was on, and the state of any moment of it."""

from __future__ import annotations

import contextlib
from bisect import bisect_right
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

import msgspec

from choreon.engine.actions import housekeeping
from choreon.engine.evening import log
from choreon.engine.evening.records import (
    Begin,
    Block,
    Edited,
    Kind,
    OnNow,
    blocks,
    records,
    unpacked,
    with_fields,
)
from choreon.language import tr
from choreon.model import changes
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.state import PlayState


class NoEvening(ValueError):
    """A file that holds no evening; the text says why."""


class Stretch(NamedTuple):
    """Something that was on, from a time to another."""

    player: str
    ref: Ref
    begin: float
    end: float


class Then(NamedTuple):
    """A moment: the show, what played, and when that was on its engine's clock."""

    show: Show
    state: PlayState
    at: float
    left_out: tuple[str, ...] = ()


class Evening:
    """One file, in memory. Times are seconds on the clock of its engine."""

    def __init__(self, path: Path) -> None:
        """Raises NoEvening and OSError."""
        self.path = path
        found = list(blocks(path.read_bytes()))
        if not found or found[0].kind != Kind.BEGIN:
            raise NoEvening(tr("{name} holds no evening.", name=path.name))
        try:
            self.about = msgspec.msgpack.decode(found[0].data, type=Begin)
        except msgspec.DecodeError:
            raise NoEvening(tr("{name} holds no evening.", name=path.name)) from None
        self._states = [b for b in found if b.kind in (Kind.WHOLE, Kind.MORE)]
        self._shows = [b for b in found if b.kind == Kind.SHOW]
        self._known: list[tuple[float, Show]] = []
        self._names = list(self._read_names(found))
        self.begin = self.about.now
        last = max([self.begin, *(b.at for b in self._states)])
        self.end = max([last, *(then.at for then in self._from(last))])

    @property
    def began(self) -> datetime:
        """When it began, on the clock on the wall."""
        return datetime.fromtimestamp(self.about.wall)

    def wall(self, at: float) -> datetime:
        """Returns what the clock on the wall showed at a time."""
        return datetime.fromtimestamp(self.about.wall + at - self.about.now)

    @staticmethod
    def _read_names(found: list[Block]) -> Iterator[OnNow]:
        for one in found:
            if one.kind == Kind.NAMES:
                with contextlib.suppress(ValueError, msgspec.DecodeError):
                    yield from msgspec.msgpack.decode(
                        unpacked(one.data), type=list[OnNow]
                    )

    def stretches(self) -> list[Stretch]:
        """Returns all that was on, by when it began."""
        found: list[Stretch] = []
        on: dict[tuple[str, Ref], float] = {}
        for names in self._names:
            now = set(names.on)
            for key in [key for key in on if key not in now]:
                found.append(Stretch(*key, on.pop(key), names.at))
            for key in names.on:
                on.setdefault(key, names.at)
        found += [Stretch(*key, begin, self.end) for key, begin in on.items()]
        return sorted(found, key=lambda one: one.begin)

    def show_at(self, at: float) -> Show:
        """Returns the show as it was at a time. Raises NoEvening."""
        self._read_shows()
        times = [time for time, _ in self._known]
        if not times:
            raise NoEvening(tr("The show of this evening was not kept."))
        return self._known[max(0, bisect_right(times, at) - 1)][1]

    def _read_shows(self) -> None:
        show = self._known[-1][1] if self._known else None
        for one in self._shows[len(self._known) :]:
            try:
                edited = msgspec.msgpack.decode(unpacked(one.data), type=Edited)
                if edited.whole:
                    show = msgspec.msgpack.decode(edited.whole, type=Show)
                elif show is not None and edited.delta is not None:
                    show = changes.apply(show, edited.delta)
            except (ValueError, msgspec.DecodeError, KeyError):
                return
            if show is not None:
                self._known.append((one.at, show))

    def at(self, at: float) -> Then:
        """Returns what was on at a time, or at the begin where it is before that.
        Raises NoEvening.
        """
        found: Then | None = None
        for then in self._from(at):
            if found is not None and then.at > at:
                break
            found = then
        if found is None:
            raise NoEvening(tr("Nothing was kept of that moment."))
        return Then(
            self.show_at(max(found.at, at)),
            found.state,
            max(at, found.at),
            found.left_out,
        )

    def moments(self, begin: float, end: float) -> Iterator[Then]:
        """Yields the states from one time to another: the one that was on at first,
        then each as it came.
        """
        before: Then | None = None
        for then in self._from(begin):
            if then.at > end:
                break
            if then.at <= begin:
                before = then
                continue
            if before is not None:
                yield before._replace(at=begin)
                before = None
            yield then
        if before is not None:
            yield before._replace(at=begin)

    def _from(self, at: float) -> Iterator[Then]:
        """The states from the last whole one before a time on. Their show is not read:
        it is that of no moment.
        """
        wholes = [n for n, b in enumerate(self._states) if b.kind == Kind.WHOLE]
        if not wholes:
            return
        times = [self._states[n].at for n in wholes]
        first = max(0, bisect_right(times, at) - 1)
        nothing = Show(id="", name="")
        for place in range(first, len(wholes)):
            after = wholes[place + 1] if place + 1 < len(wholes) else len(self._states)
            stream = [one.data for one in self._states[wholes[place] : after]]
            state = housekeeping.blank()
            for record in records(stream):
                with contextlib.suppress(msgspec.DecodeError):
                    state = with_fields(state, record.fields)
                yield Then(nothing, state, record.at, record.left_out)


def evenings(show_id: str = "") -> list[Path]:
    """Returns the files of all evenings, the latest first; of one show, where an id is
    given.
    """
    try:
        found = sorted(log.folder().glob(f"*{log.SUFFIX}"), reverse=True)
    except OSError:
        return []
    return [path for path in found if not show_id or _show_of(path) == show_id]


def _show_of(path: Path) -> str:
    try:
        with path.open("rb") as file:
            first = next(blocks(file.read(4096)), None)
        if first is None or first.kind != Kind.BEGIN:
            return ""
        return msgspec.msgpack.decode(first.data, type=Begin).show
    except (OSError, msgspec.DecodeError):
        return ""
