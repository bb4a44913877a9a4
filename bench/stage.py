"""The stage picture: milliseconds a frame, beside a plain fill of the same size in the
same run.
"""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QApplication

from choreon.demo import low_tide
from choreon.engine.actions.draft import set_draft
from choreon.library import library
from choreon.model import edits
from choreon.model.show import Hanging, Place
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.decode import decoder_for
from choreon.render.state import PlayState
from choreon.ui.stage.painter import StagePainter


def timed(act: Callable[[], object], rounds: int = 40) -> float:
    took = []
    for _ in range(rounds):
        begin = time.perf_counter()
        act()
        took.append(1000 * (time.perf_counter() - begin))
    return statistics.median(took)


def main() -> None:
    app = QApplication.instance() or QApplication([])
    show = low_tide()
    sixty, _ = edits.hang(
        show,
        library()["tarnby-par-7"],
        "8 channel",
        10,
        4,
        1,
        places=[Place(-4 + 0.8 * i, 2.5, 4.2) for i in range(10)],
        hanging=Hanging(),
    )
    for name, rig in (("sample rig", show), ("60 fixtures, all lit", sixty)):
        compiled = compile_show(rig)
        decoder = decoder_for(compiled.rig, rig.types.values())
        look = {
            i: {"Dimmer": 0.9, "ColorRGB_Red": 1.0, "ColorRGB_Green": 0.4}
            for i in rig.fixtures
        }
        frame = render(compiled, set_draft(PlayState(), look), 0.0)
        image = QImage(1280, 800, QImage.Format.Format_RGB32)
        stage = StagePainter(decoder.lamps, rig.room)
        rect = QRectF(0, 0, 1280, 800)

        def paint(
            stage=stage, decoder=decoder, frame=frame, image=image, rect=rect
        ) -> None:  # type: ignore[no-untyped-def]
            painter = QPainter(image)
            stage.paint(painter, rect, decoder.read(frame))
            painter.end()

        paint()
        bare = timed(lambda image=image: image.fill(QColor("#102030")))  # type: ignore[misc]
        cost = timed(paint)
        decode = timed(lambda d=decoder, f=frame: d.read(f))  # type: ignore[misc]
        print(
            f"stage picture, {name}, 1280×800: {cost:.1f} ms a frame ({decode:.2f} "
            "ms of it decoding), "
            f"a plain fill {bare:.2f} ms, ratio {cost / bare:.0f}  (goal ≤ 12 ms, "
            "30 a second)"
        )
    del app
