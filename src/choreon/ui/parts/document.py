"""The document: the show and its history, and how it is kept."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from choreon.formats import cleaning
from choreon.formats.autosave import Autosave, SaveStatus
from choreon.language import tr
from choreon.library import library, own
from choreon.model.checks import check_rig
from choreon.model.fixture_type import FixtureType
from choreon.model.history import Held, History, UndoStep
from choreon.model.problem import Problem
from choreon.model.show import Show
from choreon.ui.gestures import gestures
from choreon.ui.widgets import beside


class Document(QObject):
    """One show, open in a window: the only part that edits it."""

    show_changed = Signal(Show)
    history_changed = Signal()
    kept_changed = Signal(SaveStatus)
    types_changed = Signal()
    draft_wanted = Signal(Held)
    """A step back or forward, or an edit, changed the draft too: what it is then."""
    told = Signal(str, str)

    def __init__(self, show: Show, path: Path, edits: int = 0) -> None:
        super().__init__()
        self.path = path
        self.edits = edits
        """How often the show has been changed, ever: of two states of it the one with
        more is the newer one.
        """

        self.history = History(show)

        self.gestures = gestures()
        self.kept = SaveStatus(time.time(), path)
        self.own_types: dict[str, FixtureType] = {}
        self.types_trouble: list[str] = []
        self._problems: tuple[Show, list[Problem]] | None = None

        self._autosave = Autosave(path, beside.post(self, self._on_kept))
        self.read_types()

    @property
    def show(self) -> Show:
        """The show as it is now."""
        return self.history.show

    def rig_problems(self) -> list[Problem]:
        """Returns what is wrong with types, fixtures and addresses."""
        if self._problems is None or self._problems[0] is not self.show:
            self._problems = (self.show, check_rig(self.show))
        return self._problems[1]

    # edits

    def edit(
        self,
        name: str,
        show: Show,
        before: Held | None = None,
        after: Held | None = None,
    ) -> None:
        """Make an edit. `name` is what undo calls it; `before` and `after`: the draft,
        where the edit changes that too. Edits of one gesture are one step; one that
        changes nothing is none.
        """
        was = self.show
        self.history.do(name, show, self.gestures.now, before, after)
        if self.show is not was:
            self._changed()
        else:
            self.history_changed.emit()

    def undo(self) -> None:
        """Take the last step back."""
        step = self.history.undo()
        if step is not None:
            self._went(step, step.before, tr("Undone: {name}", name=step.name))

    def redo(self) -> None:
        """Do again what was taken back last."""
        step = self.history.redo()
        if step is not None:
            self._went(step, step.after, tr("Done again: {name}", name=step.name))

    def _went(self, step: UndoStep, draft: Held | None, said: str) -> None:
        """After a step back or forward: show it, and put the draft back where the step
        changed it.
        """
        self._changed()
        if draft is not None:
            self.draft_wanted.emit(draft)
        self.told.emit(said, "info")

    def take(self, show: Show, edits: int) -> None:
        """Go on with a newer state of this show, which the engine has."""
        self.history = History(show)
        self.edits = edits - 1
        self._changed()
        self.history_changed.emit()

    def _changed(self) -> None:
        self.edits += 1
        self._autosave.keep(self.show, self.edits)
        self.show_changed.emit(self.show)

    # keeping

    def _on_kept(self, kept: SaveStatus) -> None:
        fresh = kept.trouble and kept.trouble != self.kept.trouble
        self.kept = kept
        self.kept_changed.emit(kept)
        if fresh:
            self.told.emit(kept.trouble, "alarm")

    def flush(self, seconds: float) -> None:
        """Have all edits on disk, within so many seconds."""
        self._autosave.flush(seconds)

    def close(self) -> None:
        """Write everything."""
        self._autosave.close()

    # types

    def read_types(self) -> list[str]:
        """Read the user's own types anew; returns what could not be read, in words."""
        found, self.types_trouble = own.own_types()
        self.own_types = cleaning.clean_types(found)
        self.types_changed.emit()
        return self.types_trouble

    def kinds(self) -> dict[str, FixtureType]:
        """Returns what can be hung: the library, the user's own types, and those of the
        show.
        """
        return {**library(), **self.own_types, **self.show.types}

    def keep_type(self, kind: FixtureType) -> bool:
        """Keep one of the user's types in the data folder; tells what is wrong where it
        cannot be.
        """
        try:
            own.keep(kind)
        except OSError as error:
            self.told.emit(
                tr(
                    "{label} could not be written among your types ({strerror}). It "
                    "is kept in this show as long as it hangs here.",
                    label=kind.label,
                    strerror=error.strerror,
                ),
                "alarm",
            )
            return False

        self.own_types = {**self.own_types, kind.id: kind}
        self.types_changed.emit()
        return True
