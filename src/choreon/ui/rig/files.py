"""Rig files in and out: hang lists, MVR, GDTF, and paper."""

from __future__ import annotations

import logging
from collections.abc import Callable
from functools import partial
from importlib.resources import as_file, files
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from choreon import folders
from choreon.formats import apart, cleaning, hang_list
from choreon.formats.apart import PARTS, Apart
from choreon.formats.package import FormatError
from choreon.model import edits
from choreon.model.changes import shared
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Show
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.work import Work

if TYPE_CHECKING:
    from choreon.formats import gdtf

log = logging.getLogger(__name__)

Taken = tuple[Show, tuple[str, ...], int, list[str]]
FONTS = (
    "AtkinsonHyperlegibleNext_400Regular.ttf",
    "AtkinsonHyperlegibleNext_600SemiBold.ttf",
)
TITLES = {
    "hang list": "Hang list",
    "universes": "Universes",
    "slips": "Address slips",
    "plan": "Plan",
}


class Files:
    """Reads and writes for the Rig place; what goes wrong is told, and nothing is
    changed then.
    """

    def __init__(self, parts: Parts, parent: QWidget) -> None:
        self.parts, self.parent = parts, parent
        self.work = Work(parent)
        self.work.told.connect(parts.notices.working)
        parts.notices.stopped.connect(self.work.stop)

    def menu(self) -> QMenu:
        """What there is to print, write and read."""
        menu = Menu(self.parent)
        menu.addAction("Print all as PDF…", lambda: self._ask_paper(PARTS))
        for part in PARTS:
            menu.addAction(
                f"Print {TITLES[part].lower()} as PDF…",
                partial(self._ask_paper, (part,)),
            )
        menu.addSeparator()
        menu.addAction("Write the hang list as CSV…", lambda: self._ask_write("csv"))
        menu.addAction("Read a hang list from CSV…", lambda: self._ask_read("csv"))
        menu.addSeparator()
        menu.addAction("Write the rig as MVR…", lambda: self._ask_write("mvr"))
        menu.addAction("Read a rig from MVR…", lambda: self._ask_read("mvr"))
        return menu

    # asking

    def _ask_paper(self, parts: tuple[str, ...]) -> None:
        title = TITLES[parts[0]] if len(parts) == 1 else "Rig"
        name, _ = QFileDialog.getSaveFileName(
            self.parent,
            "Print",
            f"{self.parts.document.show.name} {title}.pdf",
            "PDF (*.pdf)",
        )
        if name:
            self.print(Path(name), parts)

    def _ask_write(self, sort: str) -> None:
        title = {"csv": "hang list.csv", "mvr": "rig.mvr"}[sort]
        name, _ = QFileDialog.getSaveFileName(
            self.parent,
            "Write",
            f"{self.parts.document.show.name} {title}",
            f"*.{sort}",
        )
        if name:
            self.write(Path(name))

    def _ask_read(self, sort: str) -> None:
        patterns = {"csv": "Lists (*.csv *.tsv *.txt)", "mvr": "MVR (*.mvr)"}
        name, _ = QFileDialog.getOpenFileName(self.parent, "Read", "", patterns[sort])
        if name:
            self.read(Path(name))

    def ask_type(self, then: Callable[[FixtureType], None]) -> None:
        """Ask for a GDTF file; what was read and kept goes to `then`."""
        name, _ = QFileDialog.getOpenFileName(
            self.parent, "Read a type", "", "GDTF (*.gdtf)"
        )
        if name:
            self.read_type(Path(name), then)

    def ask_write_type(self, kind: FixtureType) -> None:
        """Ask where a type is to be written as GDTF."""
        name, _ = QFileDialog.getSaveFileName(
            self.parent, "Write the type", f"{kind.label}.gdtf", "GDTF (*.gdtf)"
        )
        if name:
            self._put(Path(name), Apart(apart.WriteType(kind)))

    # doing

    def print(self, path: Path, parts: tuple[str, ...] = PARTS) -> None:
        """Write parts of the rig as PDF."""
        folder = files("choreon.ui").joinpath("fonts")
        with (
            as_file(folder.joinpath(FONTS[0])) as plain,
            as_file(folder.joinpath(FONTS[1])) as bold,
        ):
            fonts = (str(plain), str(bold))
        self._put(path, Apart(apart.Print(self.parts.document.show, parts, fonts)))

    def write(self, path: Path) -> None:
        """Write the hang list (.csv) or the rig (.mvr)."""
        show = self.parts.document.show
        if path.suffix.lower() == ".csv":
            self._do(
                f"Writing {path.name}",
                lambda: path.write_bytes(hang_list.write(show).encode()),
                path,
            )
        else:
            self._put(path, Apart(apart.WriteRig(show)))

    def _put(self, path: Path, job: Apart) -> None:
        self._do(
            f"Writing {path.name}", lambda: path.write_bytes(job.run()), path, job.kill
        )

    def _do(
        self,
        text: str,
        act: Callable[[], object],
        path: Path,
        cancel: Callable[[], None] = lambda: None,
    ) -> None:
        self.work.run(
            text,
            act,
            lambda _: self.parts.notices.told.emit(f"{path.name} was written.", "info"),
            lambda error: self._failed(
                error, f"{path.name} could not be written", "Choose another place."
            ),
            cancel,
        )

    def _failed(self, error: Exception, what: str, then: str) -> None:
        """Tell what went wrong; only the fault of a file or a disk is expected."""
        if isinstance(error, FormatError):
            self.parts.notices.told.emit(str(error), "alarm")
        elif isinstance(error, OSError):
            self.parts.notices.told.emit(f"{what}: {error.strerror}. {then}", "alarm")
        else:
            log.error("%s", what, exc_info=error)
            self.parts.notices.told.emit(f"{what}: {error}. {then}", "alarm")

    def read(self, path: Path) -> None:
        """Take a hang list, or a rig, into the show, as one step."""
        parts = self.parts
        show, kinds = parts.document.show, parts.document.kinds()
        as_rig = path.suffix.lower() == ".mvr"

        reading: list[Apart] = []

        def take() -> Taken:
            data = folders.read_file(path)
            sort = apart.ReadRig if as_rig else apart.ReadList
            job = sort(data, path.name, show, kinds)
            reading.append(Apart(job, self.work.far))
            answer = reading[0].run()
            if as_rig:
                from choreon.formats import mvr  # heavy, and seldom needed

                rig = msgspec.msgpack.decode(answer, type=mvr.Rigged)
                rig = msgspec.structs.replace(rig, show=shared(show, rig.show))
                cleaning.made_here(cleaning.pictures_of(rig.show))
                return (
                    rig.show,
                    (*rig.added, *rig.changed),
                    len(rig.added),
                    list(rig.notes),
                )
            found = msgspec.msgpack.decode(answer, type=hang_list.HangList)
            notes = [f"line {row.line}: {row.reason}" for row in found.bad]
            if found.unknown:
                notes.append(
                    f"columns that say nothing here: {', '.join(found.unknown[:8])}"
                )
            taken = shared(show, found.show)
            return taken, (*found.added, *found.changed), len(found.added), notes

        def then(taken: Taken) -> None:
            if parts.document.show is not show:
                text = (
                    f"The show changed while {path.name} was read; nothing of "
                    "it was taken. Read it once more."
                )
                parts.notices.told.emit(text, "alarm")
            else:
                self._taken(path.name, *taken)

        self.work.run(
            f"Reading {path.name}",
            take,
            then,
            lambda error: self._failed(
                error, f"{path.name} could not be read", "Nothing was changed."
            ),
            lambda: _kill(reading),
        )

    def _taken(
        self,
        name: str,
        show: Show,
        touched: tuple[str, ...],
        added: int,
        notes: list[str],
    ) -> None:
        self.parts.document.edit(f"read {name}", show)
        self.parts.selection.choose(touched)
        text = f"{name}: {added} hung, {len(touched) - added} changed."
        if notes:
            more = f" … and {len(notes) - 4} more" if len(notes) > 4 else ""
            self.parts.notices.told.emit(
                f"{text} Not all was taken: {'; '.join(notes[:4])}{more}.", "alarm"
            )
        else:
            self.parts.notices.told.emit(text, "info")

    def read_type(
        self, path: Path, then: Callable[[FixtureType], None] = lambda kind: None
    ) -> None:
        """Read a type from GDTF and keep it among the user's own."""
        reading: list[Apart] = []

        def read() -> gdtf.Imported:
            job = apart.ReadType(folders.read_file(path), path.name)
            reading.append(Apart(job, self.work.far))
            from choreon.formats import gdtf  # heavy, and seldom needed

            found = msgspec.msgpack.decode(reading[0].run(), type=gdtf.Imported)
            cleaning.made_here(cleaning.pictures_of_type(found.kind))
            return found

        self.work.run(
            f"Reading {path.name}",
            read,
            lambda found: self._type_read(found, then),
            lambda error: self._failed(
                error, f"{path.name} could not be read", "Nothing was changed."
            ),
            lambda: _kill(reading),
        )

    def _type_read(
        self, found: gdtf.Imported, then: Callable[[FixtureType], None]
    ) -> None:
        kind = found.kind
        known = self.parts.document.kinds().get(kind.id)
        if known is not None and known != kind:
            kind = edits.replace(
                kind, id=edits.fresh_id(kind.id, self.parts.document.kinds())
            )
        self.parts.document.keep_type(kind)
        if found.notes:
            text = (
                f"{kind.label} was read. Kept as raw channels, or left out: "
                f"{words.some(list(found.notes), 4)}"
            )
            self.parts.notices.told.emit(text, "alarm")
        else:
            self.parts.notices.told.emit(
                f"{kind.label} was read: {len(kind.modes)} modes.", "info"
            )
        then(kind)


def _kill(jobs: list[Apart]) -> None:
    for job in jobs:
        job.kill()
