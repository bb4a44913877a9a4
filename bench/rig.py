"""The Rig place: hanging many, the library, a full address map, a large GDTF file; and
that the window stays quick.

Each act is done in a real window on a real engine. “longest” is the longest time that
the window's thread did not get to its next event; the reference is the same wait with
nothing to do.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bench.room import Room, room
from choreon.formats import gdtf
from choreon.library import library
from choreon.model import edits
from choreon.model.fixture_type import FixtureType


class Beat:
    """Measures the pauses of the window's thread."""

    def __init__(self) -> None:
        self.last = time.perf_counter()
        self.longest = 0.0
        self.timer = QTimer(interval=1)
        self.timer.timeout.connect(self._tick)
        self.timer.start()

    def _tick(self) -> None:
        now = time.perf_counter()
        self.longest = max(self.longest, now - self.last)
        self.last = now

    def around(
        self, act: Callable[[], object], settle: int = 400
    ) -> tuple[float, float]:
        """Milliseconds that an act takes, and the longest pause while it goes on and
        after it.
        """
        QTest.qWait(50)
        self.last, self.longest = time.perf_counter(), 0.0
        begin = time.perf_counter()
        act()
        took = time.perf_counter() - begin
        QTest.qWait(settle)
        return 1000 * took, 1000 * max(self.longest, took)


def shown_window(place: Room):
    """A window on the sample show, with its engine."""
    from choreon.ui import theme
    from choreon.ui.app import App, load, steady

    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    theme.apply(app)
    window = App(load(place.path), None).window
    window.resize(1280, 800)
    window.show()
    while not (window.parts.engine.alive and window.parts.preview.light()):
        QTest.qWait(20)
    steady()
    return window


def line(what: str, took: float, longest: float, note: str = "") -> None:
    print(f"{what:52}{took:9.1f} ms   longest {longest:6.1f} ms  {note}")


def large_type(modes: int) -> FixtureType:
    """A profile head in so many modes that all differ."""
    kind = library()["ostrey-profile-300"]
    made = []
    for i in range(modes):
        source = kind.modes[i % 2]
        uses = tuple(u for n, u in enumerate(source.uses) if n != i % len(source.uses))
        made.append(edits.replace(source, name=f"Mode {i + 1}", uses=uses))
    return edits.replace(kind, id="large", name="Large", modes=tuple(made))


def main() -> None:
    with room() as place:
        _run(place)


def _run(place: Room) -> None:
    window = shown_window(place)
    parts = window.parts
    window.go("rig")
    rig = window.places["rig"]
    rig.go(0)
    QTest.qWait(800)
    beat = Beat()
    line("reference: nothing to do", *beat.around(lambda: None, 1000))
    line("the library, opened", *beat.around(rig.hang._fill))
    took = [
        beat.around(lambda w=w: rig.hang.search.setText(w), 60)
        for w in ("s", "sp", "spo", "spot", "spot h", "", "par 7")
    ]
    line(
        "the library, searched: each key",
        statistics.median(t for t, _ in took),
        max(p for _, p in took),
    )
    rig.hang.search.setText("")
    rig.hang.choose_type("tarnby-par-7")
    rig.hang.universe.setValue(5)
    line("500 planned", *beat.around(lambda: rig.hang.count.setValue(500)))
    line("500 hung", *beat.around(rig.hang.hang, 1500), note="(longest: goal ≤ 100)")
    _map(rig, parts, beat)
    _gdtf(rig, beat)
    window.finish(stop=True, fade=0.0)
    window.close()


def _map(rig, parts, beat: Beat) -> None:
    """A universe that is full, dragged about and lit anew with every frame."""
    ribbon = rig.ribbon.ribbon
    rig.ribbon.go(6)
    QTest.qWait(200)
    ids = [i for i, f in parts.document.show.fixtures.items() if f.universe == 6]
    parts.selection.choose(ids[:3])
    start = ribbon.rect_of(4, 4)[0].center()
    left = Qt.MouseButton.LeftButton
    frames = []
    QTest.mousePress(ribbon, left, pos=start.toPoint())
    for i in range(60):
        at = start + QPointF(6.0 * i, 3 * (i % 30))
        begin = time.perf_counter()
        QTest.mouseMove(ribbon, at.toPoint())
        ribbon.repaint()
        frames.append(1000 * (time.perf_counter() - begin))
    QTest.keyClick(ribbon, Qt.Key.Key_Escape)
    QTest.mouseRelease(ribbon, left, pos=start.toPoint())
    frames.sort()
    print(
        f"{'a block dragged on a full map, a frame':52}"
        f"{statistics.median(frames):9.1f} ms   95 % {frames[57]:9.1f} ms"
    )
    for whole in (False, True):
        rig.ribbon.whole.setChecked(whole)
        QTest.qWait(100)
        paints = []
        for i in range(88):
            ribbon._live = (ribbon._live + 1 + i).astype("u1")
            begin = time.perf_counter()
            ribbon.repaint()
            paints.append(1000 * (time.perf_counter() - begin))
        what = "the map repainted, 512 slots lit" + (", large" if whole else "")
        share = 44 * statistics.median(paints) / 10
        print(
            f"{what:52}{statistics.median(paints):9.1f} ms   {share:.0f} % of a "
            "second at 44 frames"
        )
    rig.ribbon.whole.setChecked(False)


def _gdtf(rig, beat: Beat) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.gdtf"
        path.write_bytes(gdtf.write(large_type(60)))
        begin = time.perf_counter()
        gdtf.read(path.read_bytes())
        alone = 1000 * (time.perf_counter() - begin)

        def read() -> None:
            rig.files.read_type(path)
            while rig.files.work.busy:
                QTest.qWait(1)

        QTest.qWait(50)
        beat.last, beat.longest = time.perf_counter(), 0.0
        begin = time.perf_counter()
        read()
        line(
            "a GDTF of 60 modes, read beside the window",
            1000 * (time.perf_counter() - begin),
            1000 * beat.longest,
            f"(alone {alone:.0f} ms)",
        )
