"""What can be done with shows as files, from the window's menu and its find box."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QSettings, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from choreon.formats import showfile
from choreon.formats.versions import SUFFIX
from choreon.language import tr
from choreon.model.show import Show
from choreon.ui.parts import Parts
from choreon.ui.widgets.work import Work


class ShowFiles(QObject):
    """`begun(show, path)`: a new show is to be played from there. `wanted(path)`: a
    show file is to be opened.
    """

    begun = Signal(Show, Path)
    wanted = Signal(Path)

    def __init__(self, window: QWidget, parts: Parts, settings: QSettings) -> None:
        super().__init__(window)
        self.window, self.parts, self.settings = window, parts, settings
        self.work = Work(self)
        self.work.told.connect(parts.notices.working)

    def _on_stage(self) -> str:
        """The name of the show, where something of it is on."""
        playing = self.parts.engine.state.players
        return self.parts.document.show.name if playing else ""

    def new(self) -> None:
        """Ask for a new show."""
        self._ask_new(sample=False)

    def sample(self) -> None:
        """Ask for a new show that begins with the sample."""
        self._ask_new(sample=True)

    def _ask_new(self, sample: bool) -> None:
        from choreon.ui.shows.new_dialog import NewShowDialog

        dialog = NewShowDialog(self.window, self._on_stage(), sample)
        if dialog.exec():
            self.begun.emit(dialog.made(), dialog.path)

    def open(self) -> None:
        """Ask which show to open."""
        from choreon.ui.shows.open_dialog import OpenShowDialog

        path = self.parts.document.path
        dialog = OpenShowDialog(self.window, self.settings, path, self._on_stage())
        if dialog.exec() and dialog.chosen is not None:
            self.wanted.emit(dialog.chosen)

    def versions(self) -> None:
        """Show the earlier versions."""
        from choreon.ui.shows.versions_dialog import VersionsDialog

        dialog = VersionsDialog(self.parts, self.window)
        dialog.opened.connect(self.wanted)
        dialog.exec()

    def copy(self) -> None:
        """Ask where a copy of the show is to go, and write it."""
        document = self.parts.document
        proposed = document.path.with_name(
            tr("{name}, copy", name=document.path.stem) + SUFFIX
        )
        name, _ = QFileDialog.getSaveFileName(
            self.window,
            tr("Copy the show to a file"),
            str(proposed),
            tr("Shows (*{suffix})", suffix=SUFFIX),
        )
        if name:
            path = Path(name)
            self.copy_to(path if path.suffix == SUFFIX else Path(f"{name}{SUFFIX}"))

    def copy_to(self, path: Path) -> None:
        """Write a copy of the show, with everything in it."""
        document, tell = self.parts.document, self.parts.notices.told.emit
        if path == document.path:
            tell(
                tr(
                    "{name} is this show itself; it is kept there anyway.",
                    name=path.name,
                ),
                "info",
            )
            return

        show, edits = document.show, document.edits

        def write() -> None:
            showfile.write(path, show, versions=False, edits=edits)

        def done(_: None) -> None:
            text = tr(
                "The show as it is now, with its fixture types and pictures, is in "
                "{path}.",
                path=path,
            )
            tell(text, "info")

        def failed(error: Exception) -> None:
            why = getattr(error, "strerror", None) or str(error)
            tell(
                tr(
                    "{path} cannot be written ({why}). The show is kept as ever.",
                    path=path,
                    why=why,
                ),
                "alarm",
            )

        self.work.run(
            tr("Copying {name}", name=document.show.name), write, done, failed
        )
