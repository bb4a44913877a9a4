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
from choreon.language import in_a_row, sentences, tr
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
    "hang list": tr("Hang list"),
    "universes": tr("Universes"),
    "slips": tr("Address slips"),
    "plan": tr("Plan"),
}
PRINTS = {
    "hang list": tr("Print the hang list as PDF…"),
    "universes": tr("Print the universes as PDF…"),
    "slips": tr("Print the address slips as PDF…"),
    "plan": tr("Print the plan as PDF…"),
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
        menu.addAction(tr("Print all as PDF…"), lambda: self._ask_paper(PARTS))
        for part in PARTS:
            menu.addAction(
                PRINTS[part],
                partial(self._ask_paper, (part,)),
            )

        menu.addSeparator()
        menu.addAction(
            tr("Write the hang list as CSV…"), lambda: self._ask_write("csv")
        )
        menu.addAction(tr("Read a hang list from CSV…"), lambda: self._ask_read("csv"))
        menu.addSeparator()
        menu.addAction(tr("Write the rig as MVR…"), lambda: self._ask_write("mvr"))
        menu.addAction(tr("Read a rig from MVR…"), lambda: self._ask_read("mvr"))
        return menu

    # asking

    def _ask_paper(self, parts: tuple[str, ...]) -> None:
        title = TITLES[parts[0]] if len(parts) == 1 else tr("Rig")
        name, _ = QFileDialog.getSaveFileName(
            self.parent,
            tr("Print"),
            tr("{name} {title}", name=self.parts.document.show.name, title=title)
            + ".pdf",
            tr("PDF (*.pdf)"),
        )
        if name:
            self.print(Path(name), parts)

    def _ask_write(self, sort: str) -> None:
        title = {"csv": tr("hang list"), "mvr": tr("rig")}[sort]
        name, _ = QFileDialog.getSaveFileName(
            self.parent,
            tr("Write"),
            tr("{name} {title}", name=self.parts.document.show.name, title=title)
            + f".{sort}",
            f"*.{sort}",
        )
        if name:
            self.write(Path(name))

    def _ask_read(self, sort: str) -> None:
        patterns = {"csv": tr("Lists (*.csv *.tsv *.txt)"), "mvr": tr("MVR (*.mvr)")}
        name, _ = QFileDialog.getOpenFileName(
            self.parent, tr("Read"), "", patterns[sort]
        )
        if name:
            self.read(Path(name))

    def ask_type(self, then: Callable[[FixtureType], None]) -> None:
        """Ask for a GDTF file; what was read and kept goes to `then`."""
        name, _ = QFileDialog.getOpenFileName(
            self.parent, tr("Read a type"), "", tr("GDTF (*.gdtf)")
        )
        if name:
            self.read_type(Path(name), then)

    def ask_write_type(self, kind: FixtureType) -> None:
        """Ask where a type is to be written as GDTF."""
        name, _ = QFileDialog.getSaveFileName(
            self.parent, tr("Write the type"), f"{kind.label}.gdtf", tr("GDTF (*.gdtf)")
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
                tr("Writing {name}", name=path.name),
                lambda: path.write_bytes(hang_list.write(show).encode()),
                path,
            )
        else:
            self._put(path, Apart(apart.WriteRig(show)))

    def _put(self, path: Path, job: Apart) -> None:
        self._do(
            tr("Writing {name}", name=path.name),
            lambda: path.write_bytes(job.run()),
            path,
            job.kill,
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
            lambda _: self.parts.notices.told.emit(
                tr("{name} was written.", name=path.name), "info"
            ),
            lambda error: self._failed(
                error,
                tr("{name} could not be written", name=path.name),
                tr("Choose another place."),
            ),
            cancel,
        )

    def _failed(self, error: Exception, what: str, then: str) -> None:
        """Tell what went wrong; only the fault of a file or a disk is expected."""
        if isinstance(error, FormatError):
            self.parts.notices.told.emit(str(error), "alarm")
        elif isinstance(error, OSError):
            self.parts.notices.told.emit(
                sentences(tr("{what}: {why}.", what=what, why=error.strerror), then),
                "alarm",
            )
        else:
            log.error("%s", what, exc_info=error)
            self.parts.notices.told.emit(
                sentences(tr("{what}: {why}.", what=what, why=error), then),
                "alarm",
            )

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
            notes = [
                tr("line {line}: {reason}", line=row.line, reason=row.reason)
                for row in found.bad
            ]

            if found.unknown:
                notes.append(
                    tr(
                        "columns that say nothing here: {names}",
                        names=in_a_row(found.unknown[:8]),
                    )
                )

            taken = shared(show, found.show)
            return taken, (*found.added, *found.changed), len(found.added), notes

        def then(taken: Taken) -> None:
            if parts.document.show is not show:
                text = tr(
                    "The show changed while {name} was read; nothing of it was taken. "
                    "Read it once more.",
                    name=path.name,
                )
                parts.notices.told.emit(text, "alarm")
            else:
                self._taken(path.name, *taken)

        self.work.run(
            tr("Reading {name}", name=path.name),
            take,
            then,
            lambda error: self._failed(
                error,
                tr("{name} could not be read", name=path.name),
                tr("Nothing was changed."),
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
        self.parts.document.edit(tr("read {name}", name=name), show)
        self.parts.selection.choose(touched)
        text = tr(
            "{name}: {added} hung, {changed} changed.",
            name=name,
            added=added,
            changed=len(touched) - added,
        )
        if notes:
            left = tr("Not all was taken: {notes}.", notes=words.some(notes, 4))
            self.parts.notices.told.emit(sentences(text, left), "alarm")
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
            tr("Reading {name}", name=path.name),
            read,
            lambda found: self._type_read(found, then),
            lambda error: self._failed(
                error,
                tr("{name} could not be read", name=path.name),
                tr("Nothing was changed."),
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
            text = tr(
                "{label} was read. Kept as raw channels, or left out: {notes}",
                label=kind.label,
                notes=words.some(list(found.notes), 4),
            )
            self.parts.notices.told.emit(text, "alarm")
        else:
            self.parts.notices.told.emit(
                tr("{label} was read: {n} modes.", label=kind.label, n=len(kind.modes)),
                "info",
            )

        then(kind)


def _kill(jobs: list[Apart]) -> None:
    for job in jobs:
        job.kill()
