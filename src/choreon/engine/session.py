"""What was playing, kept on disk, so that an engine that died goes on where it was."""

from __future__ import annotations

import contextlib
import os
import re
import time
from pathlib import Path

import msgspec

from choreon import folders
from choreon.engine.actions import lasting
from choreon.render.state import PlayState


class Session(msgspec.Struct, frozen=True):
    """`saved` is on the monotonic clock of the boot named."""

    boot: str
    saved: float
    show: str
    state: PlayState


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
    return folders.state() / f"{re.sub(r'[^A-Za-z0-9-]', '_', show_id)[:80]}.session"


def save(show_id: str, state: PlayState) -> None:
    """Write what plays; a disk that refuses costs nothing but the memory of it."""
    target = path_for(show_id)
    lasting = msgspec.structs.replace(state, identify=None, sent=())
    session = Session(boot(), time.monotonic(), show_id, lasting)
    with contextlib.suppress(OSError):
        part = target.with_suffix(f".{os.getpid()}")
        part.write_bytes(msgspec.msgpack.encode(session))
        part.replace(target)


def load(show_id: str) -> PlayState | None:
    """What played last with this show, its times fitted to the clock of now; None where
    nothing is known.
    """
    try:
        session = msgspec.msgpack.decode(path_for(show_id).read_bytes(), type=Session)
    except (OSError, msgspec.DecodeError):
        return None
    if session.show != show_id:
        return None
    now = time.monotonic()
    if session.boot == boot() and session.saved <= now:
        return lasting.prune(session.state, now)
    return lasting.prune(lasting.shift(session.state, now - session.saved), now)
