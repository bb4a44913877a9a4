"""A storm at the boathouse: a line of waves and wind, played again and again, and
whose events start three lines of thunder.
"""

from __future__ import annotations

from typing import Any

from choreon.language import tr
from choreon.model import edits
from choreon.model.playables import Scene, Timeline
from choreon.model.playables.stack import CueAct
from choreon.model.playables.timeline import (
    Clip,
    Event,
    LineEnd,
    LinePoint,
    Mark,
    Track,
    TrackSort,
)
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.tempo_map import TempoMap
from choreon.model.verbs import Verb

FOLDER = tr("The storm")
BPM = 72.0
FLASHES = {
    "far": (0.0, 0.35, 0.5),
    "near": (0.0, 0.2, 0.3, 0.9),
    "over": (0.0, 0.1, 0.25, 0.35, 0.8, 1.3),
}
"""Thunder → when it flashes, in seconds."""
NAMES = {
    "far": tr("Thunder, far off"),
    "near": tr("Thunder, near"),
    "over": tr("Thunder over us"),
}
BRIGHT = {"far": 0.35, "near": 0.7, "over": 1.0}


def with_storm(show: Show) -> Show:
    """The show with the storm, as timelines."""
    show = edits.put(show, "playables", _lightning(show))
    show = edits.put(show, "playables", *(_thunder(name) for name in FLASHES))
    return edits.put(show, "playables", _waves())


def _lightning(show: Show) -> Scene:
    """All that is white and quick, at once."""
    lamps = [*show.groups["pars"].fixtures, *show.groups["uplights"].fixtures]
    white = {"ColorRGB_Red": 0.8, "ColorRGB_Green": 0.9, "ColorRGB_Blue": 1.0}
    return Scene(
        id="lightning",
        name=tr("Lightning"),
        look={lamp: {"Dimmer": 1.0, **white} for lamp in lamps},
        fade_in=0.0,
        fade_out=0.2,
        folder=FOLDER,
    )


def _thunder(name: str) -> Timeline:
    clips = tuple(
        Clip(
            id=f"flash-{n}",
            plays=Ref("scene", "lightning"),
            start=at,
            length=0.4,
            level=BRIGHT[name] * (1.0 if n % 2 == 0 else 0.6),
            line=(LinePoint(0.0, 1.0), LinePoint(0.08, 0.3), LinePoint(0.4, 0.0)),
        )
        for n, at in enumerate(FLASHES[name])
    )
    lanes = (clips[0::2], clips[1::2])
    return Timeline(
        id=f"thunder-{name}",
        name=NAMES[name],
        tracks=tuple(
            Track(id=f"light-{n}", name=tr("Light"), clips=lane)
            for n, lane in enumerate(lanes)
        ),
        fade_in=0.0,
        fade_out=0.0,
        folder=FOLDER,
    )


def _clip(clip_id: str, plays: str, start: float, length: float, **more: Any) -> Clip:
    return Clip(
        id=clip_id, plays=Ref("scene", plays), start=start, length=length, **more
    )


def _waves() -> Timeline:
    bar = 4 * 60.0 / BPM
    sea = (
        _clip("blue", "stage-blue", 0.0, 5 * bar, fade_in=3.0, level=0.6),
        _clip("tide", "spring-tide", 4 * bar, 4 * bar, level=0.5, fade_out=3.0),
    )
    wind = (
        _clip("gulls", "gulls", bar, 2 * bar, fade_in=2.0, fade_out=2.0),
        _clip("swell", "swell", 4 * bar, 3.5 * bar, fade_in=2.0, fade_out=3.0),
    )
    thunder = (("far", 1.5), ("near", 3.25), ("far", 5.0), ("over", 6.5))
    events = tuple(
        Event(
            id=f"{name}-{n}",
            at=bars * bar,
            act=CueAct(Ref("timeline", f"thunder-{name}"), Verb.START),
        )
        for n, (name, bars) in enumerate(thunder)
    )
    return Timeline(
        id="waves",
        name=tr("Waves and wind"),
        tracks=(
            Track(id="sea", name=tr("Sea"), clips=sea),
            Track(id="wind", name=tr("Wind"), clips=wind),
            Track(
                id="thunder", name=tr("Thunder"), sort=TrackSort.EVENTS, events=events
            ),
        ),
        marks=(Mark(id="breaks", at=4 * bar, name=tr("It breaks")),),
        length=8 * bar,
        end=LineEnd.LOOP,
        region=(0.0, 8 * bar),
        tempo=TempoMap(bpm=BPM),
        fade_in=2.0,
        fade_out=3.0,
        folder=FOLDER,
    )
