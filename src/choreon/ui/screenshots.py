"""Pictures of the main views from the sample show, for the documentation: a real window, a real engine."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QEventLoop
from PySide6.QtWidgets import QApplication, QWidget

from choreon.ui.widgets import basics


def settle(seconds: float) -> None:
    """Let the window live for a while."""
    loop = QEventLoop()
    basics.once(loop, int(1000 * seconds), loop.quit).start()
    loop.exec()


def wait_until(what, seconds: float = 8.0) -> None:
    """Let the window live until `what()` holds. Raises TimeoutError."""
    end = time.monotonic() + seconds
    while not what():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get ready")
        settle(0.05)


def main(folder: Path) -> int:
    """Write the pictures to a folder; gives the exit code."""
    with tempfile.TemporaryDirectory() as home:
        for name in ("RUNTIME_DIR", "STATE_HOME", "DATA_HOME", "CONFIG_HOME"):
            os.environ[f"XDG_{name}"] = str(Path(home) / name.lower())
            Path(os.environ[f"XDG_{name}"]).mkdir(mode=0o700)
        return _take(folder, Path(home))


def _take(folder: Path, home: Path) -> int:
    from choreon.demo import low_tide
    from choreon.formats import showfile
    from choreon.sim.controller import PracticeController
    from choreon.ui import theme
    from choreon.ui.app import App, load

    app = QApplication(sys.argv[:1])
    theme.apply(app)
    path = home / "Low Tide.choreon"
    showfile.write(path, low_tide(port=45571))
    controller = PracticeController()
    holder = App(load(path), None)
    window = holder.window
    window.resize(1280, 800)
    window.show()
    folder.mkdir(parents=True, exist_ok=True)

    def picture(name: str, widget: QWidget = window) -> None:
        settle(0.5)
        widget.grab().save(str(folder / f"{name}.png"))

    session = window.session
    wait_until(lambda: session.alive and session.ports.ports.get("Practice controller"))
    _perform(window, picture)
    _compose(window, picture)
    _rig(window, picture)
    window.go("surfaces")
    controller.move_fader(2, 60)
    settle(0.3)
    controller.move_fader(2, 84)
    picture("surfaces")
    window.finish(stop=True, fade=0.0)
    window.close()
    controller.close()
    settle(0.5)
    return 0


def _perform(window, picture) -> None:
    session = window.session
    window.go("perform")
    session.press("spring-tide-pad")
    session.press("cello-pad")
    session.set_level("haze-fader", 0.7)
    session.set_level("house-lights-fader", 0.25)
    settle(3.4)
    session.press("lanterns-home-pad")
    settle(2.4)
    picture("perform")


def _compose(window, picture) -> None:
    session = window.session
    window.go("compose")
    settle(4.0)
    session.choose(list(session.show.groups["spots"].fixtures))
    session.touch(
        {i: {"Dimmer": 1.0, "Pan": p, "Tilt": -40.0} for i, p in zip(session.chosen, (30, 10, -10, -30), strict=True)}
    )
    session.choose(list(session.show.groups["pars-up"].fixtures))
    teal = {"ColorRGB_Red": 0.0, "ColorRGB_Green": 0.62, "ColorRGB_Blue": 0.5}
    session.touch({i: {"Dimmer": 0.9, **teal} for i in session.chosen})
    picture("compose")


def _rig(window, picture) -> None:
    window.go("rig")
    place = window.places["rig"]
    place.hang.choose_type("tarnby-par-7")
    place.hang.count.setValue(4)
    window.session.choose(["spot-2"])
    place.ribbon.go(1)
    picture("rig")
    place.hang.types.setCurrentRow(-1)
    window.session.clear_draft()


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")))
