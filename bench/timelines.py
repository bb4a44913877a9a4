"""Timelines at size: two thousand clips in an hour, played, scrubbed and drawn; a song
of five minutes listened to.
"""

from __future__ import annotations

import random
import statistics
import time

import numpy as np
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bench.rig import shown_window
from bench.room import room
from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import housekeeping, motion
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.playables import Timeline
from choreon.model.playables.stack import CueAct
from choreon.model.playables.timeline import Clip, Event, LinePoint, Track, TrackSort
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import Step
from choreon.sound.beats import find_beats
from choreon.sound.onsets import Listener
from choreon.sound.samples import RATE

CLIPS, HOUR, LANES, EVENTS = 2000, 3600.0, 8, 400
LINE = Ref("timeline", "line")
FRAMES, SCRUBS, PAINTS = 1500, 200, 20
SONG = 300.0  # seconds


def crowded() -> Show:
    """The sample show with a timeline of two thousand clips in an hour."""
    show, dice = low_tide(), random.Random(1)
    kinds = ("scene", "chase")
    things = [p.ref for p in show.playables.values() if p.kind in kinds]
    each = CLIPS // LANES
    step = HOUR / each
    line = (LinePoint(0.0, 1.0), LinePoint(3.0, 0.5), LinePoint(6.0, 1.0))
    tracks = [
        Track(
            id=str(k),
            name=f"Track {k}",
            clips=tuple(
                Clip(
                    id=f"{k}-{n}",
                    plays=dice.choice(things),
                    start=n * step,
                    length=step * dice.choice([0.7, 1.2]),
                    fade_in=1.0,
                    fade_out=1.0,
                    line=line,
                )
                for n in range(each)
            ),
        )
        for k in range(LANES)
    ]
    tap = CueAct(Ref("master", "tempo"), Verb.TAP)
    events = tuple(
        Event(id=f"e{n}", at=n * HOUR / EVENTS, act=tap) for n in range(EVENTS)
    )
    tracks.append(Track(id="events", sort=TrackSort.EVENTS, events=events))
    made = Timeline(id="line", name="Crowded", tracks=tuple(tracks), fade_in=0.0)
    return edits.put(show, "playables", made)


def played() -> None:
    """The light of it: compiled, by frames, and gone to anywhere."""
    show = crowded()
    before = compile_show(low_tide())
    for playable in before.show.playables.values():
        before.source(Step(ref=playable.ref))

    begin = time.perf_counter()
    compiled = compile_show(show, before)
    compiled.source(Step(ref=LINE))
    print(f"2,000 clips compiled: {time.perf_counter() - begin:.2f} s  (goal ≤ 0.5)")

    state = actions.perform(show, housekeeping.blank(), Do(LINE, Verb.START), 0.0)
    now, took = 0.0, []
    for _ in range(FRAMES):
        now += 1.0 / 44.0
        begin = time.perf_counter()
        state = motion.follow(compiled, state, now)
        render(compiled, state, now)
        took.append(1000.0 * (time.perf_counter() - begin))
    took.sort()
    worst = took[-FRAMES // 100]
    print(f"a frame: {statistics.median(took):.1f} ms, 99 % within {worst:.1f}")

    dice, took = random.Random(2), []
    for _ in range(SCRUBS):
        step = Do(LINE, Verb.STEP, dice.uniform(0.0, HOUR))
        begin = time.perf_counter()
        state = actions.perform(show, state, step, now)
        render(compiled, state, now)
        took.append(1000.0 * (time.perf_counter() - begin))
    middle, most = statistics.median(took), max(took)
    print(f"scrubbed to light: {middle:.1f} ms, worst {most:.1f}  (goal ≤ 50)")


def drawn() -> None:
    """The window: opened, and drawn near and far."""
    with room() as place:
        showfile.write(place.path, crowded())
        window = shown_window(place)
        window.go("score")
        QTest.qWait(1500)
        begin = time.perf_counter()
        window.score.open(window.parts.document.show.playables["line"])
        QApplication.processEvents()
        print(
            f"opened in the window: {time.perf_counter() - begin:.2f} s  (goal ≤ 0.5)"
        )
        view = window.score.lines.view
        QTest.qWait(1500)
        for per_second in (0.2, 2.0, 40.0):
            view.scale.per_second = per_second
            took = []
            for _ in range(PAINTS):
                begin = time.perf_counter()
                view.repaint()
                took.append(1000.0 * (time.perf_counter() - begin))
            middle = statistics.median(took)
            print(
                f"drawn at {per_second:g} points a second: {middle:.0f} ms  (goal ≤ 33)"
            )
        window.finish(stop=True, fade=0.0)
        window.close()


def heard() -> None:
    """Beats in a song: clicks, low and high, over noise."""
    dice = np.random.default_rng(3)
    sound = (0.02 * dice.standard_normal(int(SONG * RATE))).astype(np.float32)
    fall = np.exp(-np.arange(2000) / 400.0)
    for n in range(int(SONG * 2)):
        at = int(n * RATE / 2)
        sound[at : at + 2000] += (fall * dice.standard_normal(2000)).astype(np.float32)
    begin = time.perf_counter()
    listener = Listener()
    for first in range(0, len(sound), 1 << 16):
        listener.hear(sound[first : first + (1 << 16)])
    found = find_beats(listener.heard())
    took = time.perf_counter() - begin
    print(f"beats of five minutes: {took:.1f} s, {found.bpm:.1f} bpm  (goal ≤ 4)")


def main() -> None:
    """Print them."""
    played()
    drawn()
    heard()
