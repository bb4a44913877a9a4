"""Sounds of a show: which files they are, and how they are known again."""

from __future__ import annotations

import msgspec

from choreon.model import edits
from choreon.model.numbers import Number
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import TrackSort
from choreon.model.refs import SOUND, Ref
from choreon.model.show import Show, Sound

__all__ = ["Sound", "add", "has_sound", "in_use"]

replace = msgspec.structs.replace


def add(show: Show, path: str, name: str, seconds: Number) -> tuple[Show, Ref]:
    """A show with a sound of a file; the one that it has where it has it already."""
    for known in show.sounds.values():
        if known.path == path:
            return show, Ref(SOUND, known.id)
    called = edits.fresh_name(name, edits.names_in(show, "sounds"))
    sound_id = edits.fresh_id(called, show.sounds)
    made = Sound(id=sound_id, name=called, path=path, seconds=seconds)
    return edits.put(show, "sounds", made), Ref(SOUND, sound_id)


def has_sound(timeline: Timeline) -> bool:
    """Returns whether anything is heard along a timeline itself."""
    return any(t.sort == TrackSort.SOUND and t.clips for t in timeline.tracks)


def in_use(show: Show) -> list[Sound]:
    """Returns the sounds that timelines have, in their order in the show."""
    used = {
        clip.plays.id
        for one in show.playables.values()
        if isinstance(one, Timeline)
        for track in one.tracks
        for clip in track.clips
        if clip.plays.kind == SOUND
    }
    return [sound for sound in show.sounds.values() if sound.id in used]
