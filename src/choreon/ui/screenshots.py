"""Pictures of the main views from the sample show, for the documentation: a real
window, a real engine.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath

from PySide6.QtCore import QEventLoop
from PySide6.QtWidgets import QApplication, QWidget

from choreon.demo import by_groups
from choreon.engine.do import Do
from choreon.language import tr
from choreon.model import links
from choreon.model.inputs import midi_control
from choreon.model.motion import EffectMode, Path, Rate, Wave
from choreon.model.offers import Sort
from choreon.model.refs import Ref, to_tile
from choreon.model.verbs import Verb
from choreon.sim.controller import NAME
from choreon.sim.node import Node
from choreon.ui.compose.pattern_dialog import PatternDialog
from choreon.ui.surfaces.place import SurfacesPlace
from choreon.ui.widgets import basics
from choreon.ui.window import MainWindow


def settle(seconds: float) -> None:
    """Let the window live for a while."""
    loop = QEventLoop()
    basics.once(loop, int(1000 * seconds), loop.quit).start()
    loop.exec()


def wait_until(what: Callable[[], object], seconds: float = 8.0) -> None:
    """Let the window live until `what()` holds. Raises TimeoutError."""
    end = time.monotonic() + seconds
    while not what():
        if time.monotonic() > end:
            raise TimeoutError("the window did not get ready")
        settle(0.05)


def main(folder: FilePath) -> int:
    """Write the pictures to a folder; gives the exit code."""
    with tempfile.TemporaryDirectory() as home:
        for name in (
            "RUNTIME_DIR",
            "STATE_HOME",
            "DATA_HOME",
            "CONFIG_HOME",
            "CACHE_HOME",
        ):
            os.environ[f"XDG_{name}"] = str(FilePath(home) / name.lower())
            FilePath(os.environ[f"XDG_{name}"]).mkdir(mode=0o700)
        return _take(folder, FilePath(home))


def _take(folder: FilePath, home: FilePath) -> int:
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
        window.notice.hide()
        widget.grab().save(str(folder / f"{name}.png"))

    parts = window.parts
    wait_until(
        lambda: (
            parts.engine.alive and parts.engine.ports.ports.get("Practice controller")
        )
    )

    _perform(window, picture)
    _compose(window, picture)
    _motion(window, picture)
    _score(window, picture)
    _rig(window, picture)
    window.go("surfaces")

    controller.move_fader(2, 60)
    settle(0.3)
    controller.move_fader(2, 84)
    settle(0.3)
    surfaces = window.places["surfaces"]
    assert isinstance(surfaces, SurfacesPlace)
    surfaces.drawing.choose(midi_control(NAME, "cc", 0, 2))
    picture("surfaces")
    window.finish(stop=True, fade=0.0)

    window.close()
    controller.close()
    settle(0.5)

    return 0


def _perform(window: MainWindow, picture: Callable[..., None]) -> None:
    parts = window.parts
    window.go("perform")
    parts.engine.press("spring-tide-pad")
    parts.engine.press("cello-pad")
    parts.engine.set_level("haze-fader", 0.7)
    parts.engine.set_level("house-lights-fader", 0.25)
    settle(3.4)
    parts.engine.press("lanterns-home-pad")
    settle(2.4)
    picture("perform")
    parts.engine.release()
    settle(2.5)
    _groups(window, picture)
    _band(window, picture)


def _groups(window: MainWindow, picture: Callable[..., None]) -> None:
    """A page laid out from the rig: levels, colours and a picture of groups."""
    parts, place = window.parts, window.perform
    place.go(by_groups.PAGE)
    for tile in parts.document.show.pages[by_groups.PAGE].tiles:
        if tile.kind == "fader" and tile.section in ("pars", "spots"):
            parts.engine.send(Do(tile.ref, Verb.LEVEL, 0.8))
        elif tile.kind == "choice" and tile.name in (tr("Colour"), tr("Gobo")):
            parts.engine.send(Do(tile.ref, Verb.STEP, 3.0))

    settle(4.0)
    place.view.verticalScrollBar().setValue(place.view.verticalScrollBar().maximum())
    picture("perform-groups")
    parts.engine.release()
    settle(2.5)


def _arranging(window: MainWindow, picture: Callable[..., None]) -> None:
    """Arranging, with the shelf beside it: palettes that a strip could take."""
    place = window.perform
    place.arrange(True)
    place.arranger.choose(["band-looks"])
    place.shelf.show_sort(Sort.PALETTES)
    offered = [offer.ref for offer in place.shelf.list.offers.offers]
    place.shelf.list.choose(*offered[1:4])
    settle(1.5)
    picture("perform-arrange")
    place.arrange(False)


def _band(window: MainWindow, picture: Callable[..., None]) -> None:
    """A page for a band while it is arranged: a look, something that moves, the
    singer's lamps aside; then the guest's page.
    """
    parts, place = window.parts, window.perform
    place.go("band")
    parts.engine.send(Do(to_tile("band-looks"), Verb.STEP, 1.0))
    parts.engine.press("band-swell")
    parts.engine.set_level("band-pars", 0.8)

    settle(2.5)
    parts.engine.press("band-singer")
    settle(2.0)
    _arranging(window, picture)

    parts.engine.deed("normal")
    settle(2.5)
    window.begin_guest()
    window.showNormal()
    window.resize(1280, 800)

    parts.engine.press("mic-warm")
    settle(2.5)
    picture("guest")
    window.end_guest()
    window.resize(1280, 800)

    parts.engine.release()
    place.go("low-tide")
    settle(2.5)


def _compose(window: MainWindow, picture: Callable[..., None]) -> None:
    parts = window.parts
    place = window.compose
    window.go("compose")
    settle(4.0)
    parts.selection.choose(
        [*parts.document.show.groups["spots"].fixtures, "par-5", "uplight-2", "wash-1"]
    )

    parts.draft.touch({i: {"Dimmer": 0.9} for i in parts.selection.chosen})
    place.what.hand.give_colour((0.0, 0.62, 0.5))
    picture("compose")
    parts.selection.choose([*parts.document.show.groups["spots"].fixtures])
    place.what.open_tab("Aim")

    place.what.aim_panel.send(links.to_mark("cello"))
    place.what.aim_panel.limit.setChecked(True)
    place.stage.go_to(1)
    picture("compose-aim")
    place.what.aim_panel.limit.setChecked(False)

    place.stage.go_to(0)


def _canvas(window: MainWindow, picture: Callable[..., None]) -> None:
    """The dots as one picture, its layers, the stage."""
    parts, place = window.parts, window.compose
    parts.engine.release()
    settle(2.5)
    parts.engine.press("tide-wall-pad")
    settle(4.5)
    place.open_canvas(Ref("canvas", "tide-wall"))
    picture("canvas")
    place.board.close_it()
    parts.engine.release()


def _motion(window: MainWindow, picture: Callable[..., None]) -> None:
    parts, place = window.parts, window.compose
    parts.draft.clear()
    parts.engine.release()
    window.go("compose")
    settle(3.0)

    groups = parts.document.show.groups
    heads = [*groups["spots"].fixtures, *groups["washes"].fixtures]
    parts.selection.choose(heads)
    parts.draft.touch({i: {"Dimmer": 0.9} for i in heads})
    place.what.open_tab("Motion")

    panel = place.what.motion_panel
    circle = Path(in_room=True, size=1.7, centre="mark:centre")
    panel.add(circle)
    panel.add(Wave(mode=EffectMode.SCALES, low=0.3, rate=Rate(beats=2.0)))
    panel.pick(parts.draft.effects[0].id)

    place.shelf.show_kind("motions")
    settle(0.8)
    picture("compose-motion")
    parts.draft.clear()
    place.shelf.show_kind("scenes")

    place.open_chase(Ref("chase", "tide-turns"))
    place.steps.play_it()
    settle(4.0)
    place.steps.strip.choose([place.steps.strip.steps[2].id])
    picture("compose-steps")

    place.steps.play_it()
    place.steps.close_it()
    _canvas(window, picture)
    parts.selection.choose(list(groups["pars"].fixtures))
    dialog = PatternDialog(parts, place.what.hand, place)
    dialog.show()

    picture("patterns", dialog)
    dialog.reject()


def _score(window: MainWindow, picture: Callable[..., None]) -> None:
    """The play in the middle of its second page, then run dry."""
    window.parts.engine.release()
    window.parts.draft.clear()
    settle(3.0)
    window.go("score")
    hand = window.score.hand
    hand.open("last-ferry")
    for number in (6, 7):
        hand.go_to(hand.cues[number].id)
        settle(3.5)
    hand.go()
    settle(1.6)
    picture("score")
    hand.let_go()

    hand.choose([hand.cues[8].id])
    hand.run_dry(True)
    settle(0.5)
    hand.go()
    settle(2.0)
    picture("score-dry")
    hand.run_dry(False)
    settle(2.5)
    _timeline(window, picture)


def _timeline(window: MainWindow, picture: Callable[..., None]) -> None:
    """The song, as it plays, and the evening up to then."""
    score = window.score
    score.open(window.parts.document.show.playables["lanterns-home-song"])
    lines = score.lines
    wait_until(lambda: _has_wave(window), 30.0)
    lines.view.fit()
    lines.hand.go_to(33.0)
    lines.hand.play()
    settle(2.5)
    picture("score-timeline")
    lines.hand.stop()
    settle(2.5)
    score.turn_back()
    view = score.evening.view
    view.choose(0.45 * view.length, 0.7 * view.length)
    view.go_to(0.6 * view.length)
    settle(0.5)
    picture("score-evening")
    score.open(window.parts.document.show.playables["last-ferry"])
    settle(1.0)


def _has_wave(window: MainWindow) -> bool:
    sound = window.parts.document.show.sounds["lanterns-home"]
    return window.score.lines.waves.of(sound) is not None


def _rig(window: MainWindow, picture: Callable[..., None]) -> None:
    window.go("rig")
    place, parts = window.rig, window.parts
    parts.draft.clear()
    place.go(0)
    place.hang.choose_type("tarnby-par-7")

    place.hang.count.setValue(4)
    parts.selection.choose(["spot-2"])
    place.ribbon.go(1)
    picture("rig")
    place.hang.types.setCurrentRow(-1)

    parts.selection.choose(["spot-1", "spot-2", "spot-3", "spot-4"])
    place.go(2)
    node = Node(45571, art_port=6454)
    place.go(3)

    place.outputs.add("artnet", "127.0.0.1", (3,), "Dots")
    settle(3.2)
    picture("rig-outputs")
    parts.document.undo()
    node.close()

    place.go(0)
    place.ribbon.whole.setChecked(True)
    parts.draft.touch({"spot-2": {"Gobo1": 3.0}})
    place.in_hand.show_why(2, 82)
    picture("rig-map")

    place.ribbon.whole.setChecked(False)
    parts.draft.clear()
    place.go(0)

    _types(window, picture)


def _types(window: MainWindow, picture: Callable[..., None]) -> None:
    place, parts = window.rig, window.parts
    place.go(0)
    place.edit_type(parts.document.show.types["ostrey-spot-160"])
    place.editor._channel_clicked("gobo")
    place.editor.channel.choose(3)
    picture("type-editor")
    place.editor.leave()
    parts.draft.clear()


if __name__ == "__main__":
    sys.exit(main(FilePath(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")))
