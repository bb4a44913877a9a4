"""What was playing, kept on disk, so that an engine that died goes on where it was.

For each show its session: what plays, and what was sent last. Beside it a copy of the
show as it was played, and for all of them which show it was: an engine that is started
again needs neither a window nor the show's file.
"""

from __future__ import annotations

import contextlib
import logging
import re
import time
from pathlib import Path

import msgspec

from choreon import folders
from choreon.engine.actions import housekeeping
from choreon.language import sentences, tr
from choreon.model.outputs import AnyOutput
from choreon.model.show import Show
from choreon.render.state import PlayState

log = logging.getLogger(__name__)

Slots = dict[int, bytes]
"""Universe → its 512 slots."""


class Session(msgspec.Struct, frozen=True):
    """`saved` is on the monotonic clock of the boot named. `last`: what was on when the
    engine was told to end. `serial`: how often what plays had changed. `source`,
    `outputs`, `frame`: what was sent last, as whom, and where to.
    """

    boot: str
    saved: float
    show: str
    state: PlayState
    last: PlayState | None = None
    serial: int = 0
    source: str = ""
    outputs: tuple[AnyOutput, ...] = ()
    frame: Slots = {}


class Played(msgspec.Struct, frozen=True):
    """The show that was played last, and where its file lies."""

    path: str
    show: Show
    edits: int = 0


class Known(msgspec.Struct):
    """What is known of what played. `told`: what could not be read, in words."""

    session: Session | None = None
    state: PlayState | None = None
    told: str = ""


def boot() -> str:
    """An id of this machine's running since it was started; monotonic times mean
    nothing beyond it.
    """
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""


def path_for(show_id: str) -> Path:
    """Returns the file that a show's session is kept in."""
    return folders.state() / _name(show_id)


def _name(show_id: str) -> str:
    return f"{re.sub(r'[^A-Za-z0-9-]', '_', show_id)[:80]}.session"


def _write(name: str, data: bytes) -> str:
    """Write a file among what is kept; where that cannot be, beside the sockets, which
    lie in memory. Returns what is wrong with the first place, in words; empty where all
    is well.
    """
    spare = folders.runtime() / name
    try:
        folders.write_whole(folders.state() / name, data)
    except OSError as error:
        why = tr(
            "{state} cannot be written ({strerror})",
            state=folders.state(),
            strerror=error.strerror,
        )
        with contextlib.suppress(OSError):
            folders.write_whole(spare, data)
            return tr(
                "{why}. What plays is kept in {parent} meanwhile.",
                why=why,
                parent=spare.parent,
            )

        return tr("{why}. What plays is not kept: free some space.", why=why)

    with contextlib.suppress(OSError):
        spare.unlink()  # there is room again

    return ""


def _places(name: str) -> list[Path]:
    """Where something that is kept may lie, the one that is valid first: the second
    place holds something only where the first could not be written.
    """
    found = [folders.state() / name]
    with contextlib.suppress(OSError):
        found.insert(0, folders.runtime() / name)
    return [path for path in found if path.exists()]


def save(
    show_id: str,
    state: PlayState,
    last: PlayState | None = None,
    serial: int = 0,
    source: str = "",
    outputs: tuple[AnyOutput, ...] = (),
    frame: Slots | None = None,
) -> str:
    """Write what plays, and what did when the engine was told to end. A disk that
    refuses costs nothing but the memory of it. Returns what is wrong, in words.
    """
    kept = msgspec.structs.replace(state, identify=None, sent=())
    session = Session(
        *(boot(), time.monotonic(), show_id, kept, last, serial),
        *(source, outputs, frame or {}),
    )
    return _write(_name(show_id), msgspec.msgpack.encode(session))


PLAYED = "played"


def save_show(path: str, show: Show, edits: int = 0) -> str:
    """Write the show that is played. Returns what is wrong, in words."""
    return _write(PLAYED, msgspec.msgpack.encode(Played(path, show, edits)))


NOTHING = "nothing"  # id of the show of an engine that has none


def load_show() -> Played | None:
    """The show that was played last; None where none is known."""
    for path in _places(PLAYED):
        try:
            found = msgspec.msgpack.decode(folders.read_file(path), type=Played)
        except Exception as error:
            _aside(path, error)
            continue
        if found.show.id != NOTHING:
            return found
    return None


def _aside(path: Path, error: Exception) -> str:
    """Set a file aside that cannot be read. Returns what to tell."""
    if isinstance(error, OSError):
        return tr(
            "{path} cannot be read ({strerror}); it was left as it is.",
            path=path,
            strerror=error.strerror,
        )

    kept = folders.put_aside(path)
    log.warning("%s could not be read: %s", path, error)
    return sentences(
        tr(
            "{name}, which keeps what plays, could not be read ({error}).",
            name=path.name,
            error=error,
        ),
        tr("It is kept as {name}.", name=kept.name) if kept else "",
    )


def _read(show_id: str) -> tuple[Session | None, str]:
    told = ""
    for path in _places(_name(show_id)):
        try:
            session = msgspec.msgpack.decode(folders.read_file(path), type=Session)
        except Exception as error:  # whatever lies there must not keep us from starting
            told = _aside(path, error)
            continue
        if session.show == show_id:
            return session, ""
    return None, told


def resume_last(show_id: str) -> bool:
    """Have the next engine go on with what was on when the last one was told to end.
    Returns whether that is known.
    """
    session, _ = _read(show_id)
    if session is None or session.last is None:
        return False
    resumed = msgspec.structs.replace(session, state=session.last, last=None)
    return not _write(_name(show_id), msgspec.msgpack.encode(resumed))


def forget(show_id: str) -> None:
    """Forget what played with a show."""
    for path in _places(_name(show_id)):
        with contextlib.suppress(OSError):
            path.unlink()


def load(show_id: str) -> PlayState | None:
    """What played last with this show, its times fitted to the clock of now; None where
    nothing is known.
    """
    return know(show_id).state


def know(show_id: str) -> Known:
    """Everything that is known of what played last with a show. Never raises."""
    session, told = _read(show_id)
    if session is None:
        return Known(told=told)
    try:
        return Known(session, _fitted(session))
    except Exception as error:
        log.exception("what played cannot be taken up")
        return Known(
            session, None, tr("What played cannot be taken up ({error}).", error=error)
        )


def _fitted(session: Session) -> PlayState:
    now, state = time.monotonic(), housekeeping.without_held(session.state)
    if session.boot == boot() and session.saved <= now:
        return housekeeping.prune(state, now)
    return housekeeping.prune(housekeeping.shift(state, now - session.saved), now)
