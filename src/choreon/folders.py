"""Where Choreon keeps things, after the XDG base directory specification."""

from __future__ import annotations

import os
import tempfile
import uuid
from pathlib import Path

import platformdirs

APP = "choreon"


def runtime() -> Path:
    """Sockets and locks of this user's session: $XDG_RUNTIME_DIR/choreon, mode 0700."""
    base = os.environ.get("XDG_RUNTIME_DIR") or ""
    if not base or not os.access(base, os.W_OK):
        base = os.path.join(tempfile.gettempdir(), f"choreon-runtime-{os.getuid()}")
    folder = Path(base) / APP
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    folder.chmod(0o700)
    return folder


def state() -> Path:
    """What is to survive a restart and is not the user's work:
    $XDG_STATE_HOME/choreon.
    """
    return platformdirs.user_state_path(APP, ensure_exists=True)


def data() -> Path:
    """The user's own: $XDG_DATA_HOME/choreon."""
    return platformdirs.user_data_path(APP, ensure_exists=True)


def shows() -> Path:
    """Where shows go when the user names no other place."""
    folder = data() / "shows"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def types() -> Path:
    """Where the user's own fixture types lie."""
    folder = data() / "types"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def source_id() -> bytes:
    """This installation's component identifier for sACN (16 bytes, a version 4 UUID),
    made once and kept.
    """
    file = state() / "source-id"
    try:
        return uuid.UUID(file.read_text().strip()).bytes
    except (OSError, ValueError):
        made = uuid.uuid4()
        file.write_text(str(made))
        return made.bytes
