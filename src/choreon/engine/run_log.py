"""What was really gone to, and when: a line a cue, as CSV, a file a run; the last runs
of each stack are kept, so that the next rehearsal knows how long an act is.
"""

from __future__ import annotations

import contextlib
import csv
import logging
import re
import time
from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from choreon import folders
from choreon.engine.actions import cues
from choreon.model.playables import Stack
from choreon.model.playables.stack import number_in_words
from choreon.model.show import Show
from choreon.render.state import PlayState

log = logging.getLogger(__name__)

MOST_RUNS = 20  # of a stack that are kept
TITLES = ("time", "seconds", "cue", "name", "id")
SAFE = re.compile(r"[^A-Za-z0-9._-]+")


def folder_of(show_id: str, stack_id: str) -> Path:
    """Returns where the runs of a stack are kept."""
    names = (SAFE.sub("-", part).strip(".")[:80] or "_" for part in (show_id, stack_id))
    return folders.data().joinpath("runs", *names)


class _Run(NamedTuple):
    """A run that is under way: its file, and when it began, in seconds of the monotonic
    clock.
    """

    path: Path
    began: float


class RunLog:
    """Writes what the engine goes to. `clock` and `wall`: seconds that only go on, and
    those of the clock on the wall.
    """

    def __init__(
        self,
        clock: Callable[[], float] = time.monotonic,
        wall: Callable[[], float] = time.time,
    ) -> None:
        self._clock, self._wall = clock, wall
        self._runs: dict[str, _Run] = {}
        self._seen: dict[str, tuple[str, float]] = {}
        self.trouble = ""

    def look(self, show: Show, state: PlayState) -> None:
        """Write down what has been gone to since it was looked at last."""
        on = set()
        for player in state.players:
            cursor, stack = cues.cursor_of(player), cues.stack_of(show, player)
            if cursor is None or stack is None or not cursor.cue:
                continue
            if player.releasing or player.lifts:
                continue

            on.add(player.id)
            here = (cursor.cue, cursor.went)
            if self._seen.get(player.id) != here:
                self._seen[player.id] = here
                self._note(show, player.id, stack, cursor.cue, cursor.went)

        for gone in set(self._seen) - on:
            del self._seen[gone]
            self._runs.pop(gone, None)

    def _note(
        self, show: Show, player: str, stack: Stack, cue_id: str, went: float
    ) -> None:
        """A line of one cue; the first one begins a run."""
        at = self._wall() - (self._clock() - went)
        cue = stack.cue(cue_id)
        try:
            run = self._runs.get(player)
            if run is None:
                run = self._begin(show, stack, at, went)
                self._runs[player] = run

            number = "" if cue is None else number_in_words(cue.number)
            name = "" if cue is None else cue.name
            moment = datetime.fromtimestamp(at).isoformat(sep=" ", timespec="seconds")
            with run.path.open("a", newline="", encoding="utf-8") as file:
                csv.writer(file).writerow(
                    [moment, f"{went - run.began:.1f}", number, name, cue_id]
                )
            self.trouble = ""
        except OSError as error:
            if not self.trouble:
                log.warning("the run cannot be written down: %s", error)
            self.trouble = str(error)

    def _begin(self, show: Show, stack: Stack, at: float, went: float) -> _Run:
        folder = folder_of(show.id, stack.id)
        folder.mkdir(parents=True, exist_ok=True)
        runs = sorted(folder.glob("*.csv"))
        for old in runs[: len(runs) - MOST_RUNS + 1]:
            with contextlib.suppress(OSError):
                old.unlink()

        name = datetime.fromtimestamp(at).strftime("%Y-%m-%d %H.%M.%S")
        path = folder / f"{name}.csv"
        with path.open("w", newline="", encoding="utf-8") as file:
            csv.writer(file).writerow(TITLES)
        return _Run(path, went)


def gaps_of(paths: Iterable[Path]) -> dict[tuple[str, str], float]:
    """Returns how long after a cue the next one came, in seconds, by the ids of both:
    the mean of those runs in which one came right after the other. A file that cannot
    be read counts for nothing.
    """
    sums: dict[tuple[str, str], list[float]] = {}
    for path in paths:
        before: tuple[str, float] | None = None
        for line in _lines(path):
            try:
                here = line["id"], float(line["seconds"])
            except (KeyError, TypeError, ValueError):
                continue
            if before is not None and here[1] >= before[1]:
                gap = here[1] - before[1]
                sums.setdefault((before[0], here[0]), []).append(gap)
            before = here

    return {pair: sum(each) / len(each) for pair, each in sums.items()}


def _lines(path: Path) -> list[Mapping[str, str]]:
    try:
        with path.open(newline="", encoding="utf-8", errors="replace") as file:
            return list(csv.DictReader(file))
    except (OSError, csv.Error):
        return []


def last_runs(show_id: str, stack_id: str, count: int = 5) -> list[Path]:
    """Returns the files of the last runs of a stack, the latest first."""
    try:
        found = sorted(folder_of(show_id, stack_id).glob("*.csv"), reverse=True)
    except OSError:
        return []
    return found[:count]
