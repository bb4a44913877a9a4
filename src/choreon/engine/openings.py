"""What an engine begins with. Whatever lies on disk, it starts."""

from __future__ import annotations

import logging
from dataclasses import dataclass, field
from pathlib import Path

from choreon.engine import session
from choreon.engine.beat import Heartbeat
from choreon.formats import showfile
from choreon.language import sentences, tr
from choreon.model.show import Show

log = logging.getLogger(__name__)


@dataclass
class Opening:
    """The show, None where none can be read; what the user must be told; and what was
    sent last, to go on where there is no show.
    """

    show: Show | None
    path: str = ""
    note: str = ""
    last: session.Session | None = None
    beat: Heartbeat = field(default_factory=Heartbeat.make)
    supervised: bool = False
    edits: int = 0
    """How often the show has been changed."""
    bare: bool = False
    """What played is not to be taken up: it made engines fail."""


def find(path: Path | None, show: Show | None, why: str, bare: bool) -> Opening:
    """Returns what to begin with. `path`, or `show`: what was asked for; `why`: how the
    engine before this one ended, empty where it is the first; `bare`: that has happened
    again and again, so what was sent last is held, and nothing else is tried.
    """
    played = session.load_show() if why or path is not None else None
    if why and played is not None and not bare:
        return Opening(played.show, played.path, edits=played.edits)

    if bare and played is not None:
        note = tr(
            "The engine failed again and again with this show. The fixtures keep what "
            "was sent last. Take out what you changed last, or go back to an earlier "
            "version."
        )
        known = session.know(played.show.id).session
        return Opening(None, played.path, note, known, bare=True)

    if path is None:
        return Opening(show)

    try:
        found, note = showfile.open_best(path)
        return Opening(found, str(path), note, edits=showfile.edits_of(path))
    except Exception as error:
        log.exception("%s cannot be read", path)
        text = getattr(error, "strerror", None) or str(error)

    if played is None or played.path != str(path):
        note = tr("{name} cannot be played: {why}", name=path.name, why=text)
        return Opening(None, str(path), note)

    note = sentences(
        tr("{name} cannot be read: {why}", name=path.name, why=text),
        tr("The fixtures keep what was sent last until a show is opened."),
    )
    return Opening(None, str(path), note, session.know(played.show.id).session)
