"""A desktop file that starts the guest pages of a show (Desktop Entry Specification
1.5).
"""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path


def applications() -> Path:
    """Returns the folder of this user's desktop files."""
    data = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local/share")
    return Path(data) / "applications"


def entry(show: Path, name: str) -> str:
    """Returns the desktop file's text for a show's file. `name`: what the show is
    called.
    """
    command = " ".join(_quoted(word) for word in (*_choreon(), "guest", str(show)))
    lines = (
        "[Desktop Entry]",
        "Type=Application",
        "Version=1.5",
        f"Name={_plain(name)} (guest)",
        "Comment=Play the light from the guest pages",
        f"Exec={command}",
        "Icon=choreon",
        "Terminal=false",
        "Categories=AudioVideo;",
        "StartupWMClass=choreon",
    )
    return "\n".join(lines) + "\n"


def write(show: Path, name: str) -> Path:
    """Write the desktop file for a show. Returns where it lies. Raises OSError."""
    stem = re.sub(r"[^A-Za-z0-9-]+", "-", show.stem).strip("-").lower() or "show"
    target = applications() / f"choreon-guest-{stem}.desktop"
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(entry(show, name))
    return target


def _choreon() -> tuple[str, ...]:
    return (sys.executable, "-m", "choreon")


def _plain(text: str) -> str:
    return text.replace("\\", "\\\\").replace("\n", " ")


def _quoted(word: str) -> str:
    """A word of Exec: quoted, its reserved characters escaped; % is doubled."""
    inner = re.sub(r'(["`$\\])', r"\\\1", word).replace("%", "%%")
    return '"' + inner.replace("\\", "\\\\") + '"'
