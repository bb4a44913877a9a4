"""A song of the evening, lit: its sound, its sections, and looks along them."""

from __future__ import annotations

from choreon.formats import sounds
from choreon.language import tr
from choreon.model import edits, suggest
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import Clip, Mark, Track, TrackSort
from choreon.model.refs import SOUND, Ref
from choreon.model.show import Show, Sound
from choreon.model.tempo_map import TempoMap

FILE = "lanterns-home.ogg"
BPM, BAR, SECONDS = 96.0, 2.5, 103.0
SECTIONS = (
    ("A", 0, 0.26),
    ("B", 4, 0.81),
    ("C", 12, 1.0),
    ("B", 20, 0.81),
    ("C", 28, 1.0),
    ("D", 36, 0.0),
)
"""Letter, first bar, and how lively it is."""


def with_song(show: Show) -> Show:
    """The show with the song as a timeline."""
    sound = Sound(
        id="lanterns-home",
        name=tr("Lanterns Home"),
        path=FILE,
        digest=sounds.digest_of(sounds.SHIPPED / FILE),
        size=(sounds.SHIPPED / FILE).stat().st_size,
        seconds=SECONDS,
    )
    heard = Clip(
        id="song", plays=Ref(SOUND, sound.id), start=0.0, length=SECONDS, fade_out=2.0
    )
    line = Timeline(
        id="lanterns-home-song",
        name=tr("Lanterns Home, the song"),
        fade_in=0.0,
        fade_out=2.0,
        tracks=(
            Track(id="events", name=tr("Events"), sort=TrackSort.EVENTS),
            Track(id="sound", name=tr("Sound"), sort=TrackSort.SOUND, clips=(heard,)),
        ),
        marks=tuple(
            Mark(id=f"section-{n}", at=bar * BAR, name=letter)
            for n, (letter, bar, _) in enumerate(SECTIONS, 1)
        ),
        tempo=TempoMap(bpm=BPM),
    )
    lit, _ = suggest.suggest(show, line, [energy for *_, energy in SECTIONS])
    show = edits.put(show, "sounds", sound)
    return edits.put(show, "playables", lit)
