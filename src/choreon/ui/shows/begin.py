"""What a new show begins with, and the shows that were opened of late."""

from __future__ import annotations

import os
import re
import uuid
from pathlib import Path

import msgspec
from PySide6.QtCore import QSettings

from choreon import folders
from choreon.demo import low_tide
from choreon.formats.versions import SUFFIX
from choreon.language import tr
from choreon.model import palettes
from choreon.model.outputs import SacnOutput
from choreon.model.show import Show
from choreon.model.tiles import Page

MOST_RECENT = 12
UNTITLED = tr("Untitled")
SAMPLE = tr("Sample")
LONGEST_NAME = 100  # letters of a file's name


def empty_show(name: str = UNTITLED) -> Show:
    """Returns a show with a page, an output by multicast, and sets of colours, marks
    and beams to begin with.
    """
    show = Show(
        id=fresh_id(),
        name=name,
        pages={"page-1": Page(id="page-1", name=tr("Page 1"))},
        outputs={"sacn": SacnOutput(id="sacn")},
    )
    return palettes.sample(show)


def sample_show(name: str) -> Show:
    """Returns the sample show under another name, sent by multicast."""
    outputs = {"sacn": SacnOutput(id="sacn")}
    return msgspec.structs.replace(
        low_tide(), id=fresh_id(), name=name, outputs=outputs
    )


def fresh_id() -> str:
    """Returns an id that no show has."""
    return f"show-{uuid.uuid4().hex[:12]}"


def stem_of(name: str) -> str:
    """Returns a name as that of a file, without what a file's name cannot hold."""
    stem = re.sub(r"[/\0\s]+", " ", name).strip(". ")
    return stem[:LONGEST_NAME].strip() or UNTITLED


def free_path(name: str, folder: Path | None = None) -> Path:
    """Returns a free path in a folder, else among the user's shows."""
    place, stem, i = folder or folders.shows(), stem_of(name), 1
    while os.path.lexists(path := place / f"{stem}{f' {i}' if i > 1 else ''}{SUFFIX}"):
        i += 1
    return path


def recent_shows(settings: QSettings) -> list[Path]:
    """Returns the show files that were opened of late, the last one first."""
    given = settings.value("recent")
    texts = [given] if isinstance(given, str) else given
    if not isinstance(texts, list):
        return []
    return [Path(t) for t in texts if isinstance(t, str) and t][:MOST_RECENT]


def remember_show(settings: QSettings, path: Path) -> None:
    """Have a show be the one that was opened last."""
    others = [known for known in recent_shows(settings) if known != path]
    settings.setValue("show", str(path))
    settings.setValue("recent", [str(p) for p in (path, *others)][:MOST_RECENT])


def shows_at_hand(settings: QSettings) -> list[Path]:
    """Returns the shows opened of late, then those in the user's folder of shows, the
    last changed first.
    """
    recent = recent_shows(settings)
    lying = [p for p in _lying(folders.shows()) if p not in recent]
    return [*recent, *sorted(lying, key=changed_at, reverse=True)]


def _lying(folder: Path) -> list[Path]:
    try:
        return [path for path in folder.iterdir() if path.suffix == SUFFIX]
    except OSError:
        return []


def changed_at(path: Path) -> float:
    """Returns when a file was written, wall clock seconds; 0 where it is not there."""
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0
