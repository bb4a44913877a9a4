"""The brush: a palette that is held, and that every fixture takes which is touched."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.show import Palette, Show
from choreon.model.values import Look
from choreon.render.rig import Rig
from choreon.ui.parts.document import Document
from choreon.ui.parts.draft import Draft
from choreon.ui.parts.preview import Preview


class Brush(QObject):
    """What is held, and the stroke that goes on. A stroke lasts from press to release:
    what it gives is one step for undo.
    """

    changed = Signal()
    """Another palette is held, or none."""

    def __init__(self, document: Document, preview: Preview, draft: Draft) -> None:
        super().__init__()
        self._document, self._preview, self._draft = document, preview, draft
        self._held = ""
        self._stroke: set[str] = set()
        document.show_changed.connect(self._follow)

    @property
    def palette(self) -> Palette | None:
        """The palette that is held."""
        return self._document.show.palettes.get(self._held)

    def hold(self, palette: Palette) -> None:
        """Hold a palette; the one that is held already is put down."""
        self._held = "" if palette.id == self._held else palette.id
        self.changed.emit()

    def put_down(self) -> None:
        """Hold nothing."""
        if self._held:
            self._held = ""
            self.changed.emit()

    def _follow(self, show: Show) -> None:
        if self._held and self._held not in show.palettes:
            self.put_down()

    def begin(self) -> None:
        """A stroke begins: every fixture may take it once more."""
        self._stroke = set()

    def touch(self, fixtures: Iterable[str]) -> None:
        """Give it to fixtures that the stroke has not touched yet."""
        palette = self.palette
        fresh = [i for i in fixtures if i not in self._stroke]
        if palette is None or not fresh:
            return
        self._stroke.update(fresh)
        show, rig = self._document.show, self._preview.compiled.rig
        look = look_of(show, rig, palette, fresh)
        if look:
            self._draft.touch(look)


def look_of(show: Show, rig: Rig, palette: Palette, fixtures: Iterable[str]) -> Look:
    """Returns what gives fixtures a palette, as links; those that have nothing of what
    it is about are left out.
    """
    ids = list(fixtures)
    takes = {fixture: _names_taken(rig, fixture) for fixture in ids}
    return links.from_palette(show, palette, ids, takes)


def _names_taken(rig: Rig, fixture: str) -> set[str]:
    """Returns the attributes that a fixture takes, raw ones and target colours too."""
    names = {*rig.where.get(fixture, {}), *rig.direct.get(fixture, {})}
    return names | set(at.TARGET_COLOUR) if fixture in rig.wheels else names
