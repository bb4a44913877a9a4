"""A real window that hands keep busy at random: `python -m bench.driven SHOW SEED LOG`.
After each act it writes into LOG when that was and how often the show has been changed.
"""

from __future__ import annotations

import faulthandler
import os
import random
import sys
import time
from pathlib import Path
from typing import Any, TextIO

from PySide6.QtCore import QTimer

from choreon.model import edits, history
from choreon.model.playables import Scene
from choreon.ui import app
from choreon.ui.window import PLACES

# milliseconds from act to act
EVERY = int(os.environ.get("CHOREON_SOAK_EVERY", "40"))


class LostShow(Exception):
    """What is open is not the show that was worked on."""


class Hands:
    """Does something every now and then."""

    def __init__(self, held: app.App, seed: int, log: TextIO) -> None:
        self.held = held
        self.dice, self.log, self.count = random.Random(seed), log, seed * 1_000_000
        self.timer = QTimer(interval=EVERY)
        self.timer.timeout.connect(self.act)
        self.timer.start()

    def act(self) -> None:
        """Do one thing in the window that is open."""
        dice, window = self.dice, self.held.window
        if not window.isVisible():
            return
        parts = window.parts
        document, engine = parts.document, parts.engine
        if document.show.id != "low-tide":
            raise LostShow(document.show.id)
        act = dice.random()
        if act < 0.2:
            self.count += 1
            show = edits.replace(document.show, name=f"Soak {self.count}")
            scenes = [
                p for p in show.playables.values() if isinstance(p, Scene) and p.look
            ]
            scene = dice.choice(scenes)
            lamp = dice.choice(list(scene.look))
            look = {**scene.look, lamp: {**scene.look[lamp], "Dimmer": dice.random()}}
            changed = edits.replace(scene, look=look)
            document.edit("change", edits.put(show, "playables", changed))
        elif act < 0.27:
            document.undo()
        elif act < 0.32:
            document.redo()
        elif act < 0.55:
            page = dice.choice(list(document.show.pages.values()))
            if page.tiles:
                tile = dice.choice(page.tiles).id
                if dice.random() < 0.5:
                    engine.press(tile)
                else:
                    engine.set_level(tile, dice.random())
        elif act < 0.8:
            lamps = dice.sample(list(document.show.fixtures), 3)
            parts.draft.touch({lamp: {"Dimmer": dice.random()} for lamp in lamps})
        elif act < 0.84:
            parts.draft.clear()
        elif act < 0.88:
            window.go(dice.choice(PLACES))
        elif act < 0.92:
            parts.selection.choose(dice.sample(list(document.show.fixtures), 2))
        elif act < 0.94:
            engine.set_grand(0.5 + dice.random() / 2)
        else:
            engine.release()
        self.log.write(f"{time.monotonic():.3f} {document.edits}\n")
        self.log.flush()


def main() -> int:
    faulthandler.enable()
    # filled long before the measure begins: then what still grows is no undo
    history.MOST_BYTES = int(os.environ.get("CHOREON_SOAK_UNDO", history.MOST_BYTES))
    path, seed, log = Path(sys.argv[1]), int(sys.argv[2]), Path(sys.argv[3])
    with log.open("a") as out:
        hands: list[Hands] = []

        class Held(app.App):
            """The program's own, with hands in it."""

            def __init__(self, *given: Any) -> None:
                super().__init__(*given)
                hands.append(Hands(self, seed, out))

        app.App = Held  # type: ignore[misc]
        return app.run(path)


if __name__ == "__main__":
    sys.exit(main())
