"""Reads the earlier versions of a show beside the window: what each holds, what it lit,
and what has changed since.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

import msgspec
from PySide6.QtCore import QObject

from choreon.engine.actions import housekeeping
from choreon.formats import showfile
from choreon.formats.versions import versions
from choreon.model import changes, compare
from choreon.model.playables import Chase, Playable, Scene
from choreon.model.show import Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.decode import Decoder, Light, decoder_for
from choreon.render.state import Going, Player, Step
from choreon.ui.widgets import beside

replace = msgspec.structs.replace
A_WHILE_IN = 1.0  # seconds after which something that moves is looked at


class Version(msgspec.Struct):
    """One earlier version. `wrong`: why it cannot be read; then it holds no show.
    `since`: what has changed from it to the show as it is now.
    """

    path: Path
    show: Show | None = None
    wrong: str = ""
    since: tuple[str, ...] = ()
    decoder: Decoder | None = None
    light: Light | None = None


def read_versions(
    owner: QObject, path: Path, now: Show, arrived: Callable[[Version], None]
) -> Callable[[], None]:
    """Read the versions of a show file in a thread, the newest first; each goes to
    `arrived` in the window's thread as long as `owner` is there. Returns what ends it.
    """
    ended = threading.Event()
    hand_over = beside.post(owner, arrived)
    paths = versions(path)

    def work() -> None:
        older: Show | None = None
        for at, version in enumerate(paths):
            if ended.is_set():
                return

            found = _read(version) if older is None else Version(version, older)
            following = _read(paths[at + 1]) if at + 1 < len(paths) else None
            older = following.show if following is not None else None

            if found.show is not None:
                _look_into(found, older, now)

            hand_over(found)

    threading.Thread(target=work, name="versions", daemon=True).start()
    return ended.set


def _read(path: Path) -> Version:
    """A version with its show, or why it has none."""
    try:
        return Version(path, showfile.read(path))
    except (showfile.ShowFileError, OSError) as error:
        return Version(path, wrong=getattr(error, "strerror", None) or str(error))


def _look_into(version: Version, older: Show | None, now: Show) -> None:
    """Find out what a version lit, and what has changed since."""
    show = version.show
    assert show is not None
    version.since = tuple(
        compare.told(compare.compare(show, changes.shared(show, now)))
    )

    shown = worked_on(older, show)

    if shown is None:
        return

    try:
        compiled = compile_show(show)
        version.decoder = decoder_for(compiled.rig, show.types.values())
        going = Going(0.0, 0.0, A_WHILE_IN, 2.0 * A_WHILE_IN, 0.0)
        player = Player("version", "", (Step(ref=shown.ref, cursor=going),))
        state = replace(housekeeping.blank(), players=(player,))
        version.light = version.decoder.read(render(compiled, state, 0.0))
    except Exception:  # a show of before may hold what cannot be drawn now
        version.decoder = version.light = None


def worked_on(older: Show | None, show: Show) -> Playable | None:
    """Returns the scene or chase that came or changed last in a show since an older
    state; where none did, its first scene.
    """
    known = older.playables if older is not None else {}
    seen = [p for p in show.playables.values() if isinstance(p, Scene | Chase)]
    changed = [p for p in seen if known.get(p.id) != p] if known else []
    if changed:
        return changed[-1]
    scenes = [p for p in seen if isinstance(p, Scene)]
    return scenes[0] if scenes else None
