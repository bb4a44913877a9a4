"""Timelines, in the window."""

from __future__ import annotations

from choreon.language import plural, tr
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import over_at, place_at
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.sources.timeline import clock_words
from choreon.render.state import AnyCursor, Time
from choreon.ui.kinds.base import StepsInWords, UiKind


def _look(timeline: Timeline) -> Look:
    return {}


def clips_in_words(timeline: Timeline) -> str:
    """Returns how many clips there are, in words."""
    count = sum(len(track.clips) for track in timeline.tracks)
    return plural(count, "{n} clip", "{n} clips")


def _about(show: Show, timeline: Timeline) -> str:
    return tr(
        "{name}: {length}, {clips}",
        name=timeline.name,
        length=clock_words(over_at(timeline)),
        clips=clips_in_words(timeline),
    )


def _tail(timeline: Timeline) -> str:
    return clock_words(over_at(timeline))


def _moves(timeline: Timeline) -> bool:
    return True


def _steps(show: Show, timeline: Timeline) -> StepsInWords:
    whole = clock_words(over_at(timeline))

    def told(cursor: AnyCursor, time: Time) -> str:
        here = clock_words(place_at(timeline, time.seconds))
        return tr("{here} of {whole}", here=here, whole=whole)

    return told


TIMELINE = UiKind(
    "timeline",
    "timeline",
    _look,
    _about,
    _tail,
    takes=False,
    moves=_moves,
    steps=_steps,
)
