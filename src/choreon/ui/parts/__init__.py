"""The window's model, in parts that views take one by one."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from choreon.engine import client as engine_client
from choreon.model.show import Show
from choreon.ui import garbage
from choreon.ui.parts.brush import Brush
from choreon.ui.parts.document import Document
from choreon.ui.parts.draft import Draft
from choreon.ui.parts.engine_link import EngineLink
from choreon.ui.parts.preview import Preview
from choreon.ui.parts.selection import Selection


class Notices(QObject):
    """What the window has to say, from wherever."""

    told = Signal(str, str)
    """Text, and its kind: info or alarm."""
    working = Signal(str)
    """What goes on beside the window; empty when it is over."""
    stopped = Signal()
    """What goes on is not wanted any more."""


@dataclass
class Parts:
    """All parts of one window on one show."""

    document: Document
    engine: EngineLink
    preview: Preview
    selection: Selection
    draft: Draft
    brush: Brush
    notices: Notices

    def end_with(self, window: QObject) -> None:
        """Have all parts end with a window, and with them what listens to them."""
        for part in (
            self.document,
            self.engine,
            self.preview,
            self.selection,
            self.draft,
            self.brush,
            self.notices,
        ):
            part.setParent(window)

    def close(self, stop: bool, fade: float = 2.0) -> None:
        """Write everything; stop the engine, or leave it playing."""
        self.draft.flush()
        self.engine.close(stop, fade)
        self.document.close()


def open_parts(
    show: Show,
    path: Path,
    client: engine_client.Client | None = None,
    edits: int = 0,
) -> Parts:
    """Make the parts of a window on a show, and join them. `client`: a connection to
    the engine that plays; else one is started. `edits`: how often the show has been
    changed.
    """
    garbage.keep_to_this_thread()
    notices = Notices()
    document = Document(show, path, edits)
    engine = EngineLink(document)
    preview = Preview(document, engine)
    selection = Selection(document, preview)
    draft = Draft(document, engine, preview, selection)
    for part in (document, engine, draft):
        part.told.connect(notices.told)
    document.draft_wanted.connect(draft.put)
    engine.begin(client)
    brush = Brush(document, preview, draft)
    return Parts(document, engine, preview, selection, draft, brush, notices)
