"""The selection: the fixtures, or cells, that the hands are on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QObject, Signal

from choreon.model import choosing
from choreon.model.show import Show
from choreon.render import choice
from choreon.ui.parts.document import Document
from choreon.ui.parts.preview import Preview


class Selection(QObject):
    """Which fixtures are chosen, in which order."""

    changed = Signal(tuple)

    def __init__(self, document: Document, preview: Preview) -> None:
        super().__init__()
        self._document, self._preview = document, preview
        self.chosen: tuple[str, ...] = ()
        self.cells: dict[str, tuple[int, ...]] = {}
        """Of the chosen those that are not chosen wholly."""
        self.each_cell = False
        """Whether it goes cell by cell."""
        self.pool: tuple[str, ...] = ()
        """What one is taken out of, while that is alone."""
        self.before: tuple[str, ...] = ()
        document.show_changed.connect(self._follow)

    def _follow(self, show: Show) -> None:
        gone = [i for i in self.chosen if i not in show.fixtures]
        if gone:
            self.choose([i for i in self.chosen if i not in gone])

    def choose(
        self, fixtures: Sequence[str], cells: Mapping[str, Sequence[int]] | None = None
    ) -> None:
        """Choose fixtures, in this order; of those in `cells` only some of their
        cells.
        """
        hung = self._document.show.fixtures
        chosen = tuple(dict.fromkeys(i for i in fixtures if i in hung))
        own: dict[str, tuple[int, ...]] = {}
        for fixture, numbers in (cells or {}).items():
            if fixture in chosen and numbers:
                own[fixture] = tuple(dict.fromkeys(numbers))
        if chosen == self.chosen and own == self.cells:
            return
        if self.chosen and set(self.chosen) != set(chosen):
            self.before = self.chosen
        self.chosen, self.cells, self.pool = chosen, own, ()
        self.changed.emit(chosen)

    def toggle(self, fixtures: Sequence[str]) -> None:
        """Add fixtures, or take them away where all are chosen."""
        if all(i in self.chosen for i in fixtures):
            kept = [i for i in self.chosen if i not in fixtures]
            self.choose(kept, self.cells)
        else:
            cells = {i: c for i, c in self.cells.items() if i not in fixtures}
            self.choose([*self.chosen, *fixtures], cells)

    def toggle_cell(self, fixture: str, cell: int) -> None:
        """Add one cell, or take it away."""
        count = choice.cell_count(self._preview.compiled.rig, fixture)
        whole = tuple(range(1, count + 1))
        own = self.cells.get(fixture)
        if own is None:
            own = whole if fixture in self.chosen else ()
        own = _toggled(own, cell)
        others = {i: cells for i, cells in self.cells.items() if i != fixture}
        if not own:
            self.choose([i for i in self.chosen if i != fixture], others)
            return
        part = {} if set(own) == set(whole) else {fixture: own}
        self.choose([*self.chosen, fixture], others | part)

    def choose_alone(self, step: int) -> None:
        """One of the chosen alone: the next one, or the one before."""
        pool = self.pool or self.chosen
        alone = self.chosen[0] if self.pool and len(self.chosen) == 1 else None
        next_one = choosing.next_of(pool, alone, step)
        if next_one is not None and len(pool) > 1:
            self.choose([next_one])
            self.pool = pool
            self.changed.emit(self.chosen)

    def choose_pool(self) -> None:
        """All of them again, after one was alone."""
        if self.pool:
            self.choose(self.pool)

    def set_each_cell(self, on: bool) -> None:
        """Have it go cell by cell, or fixture by fixture."""
        if on == self.each_cell:
            return
        self.each_cell = on
        if not on:
            self.cells = {}
        self.changed.emit(self.chosen)

    def items(self) -> list[choice.Item]:
        """Returns the chosen one by one: fixtures, or cells."""
        rig = self._preview.compiled.rig
        return choice.items(rig, self.chosen, self.cells, self.each_cell)


def _toggled(cells: tuple[int, ...], cell: int) -> tuple[int, ...]:
    """Cells with one more, or without it."""
    if cell in cells:
        return tuple(other for other in cells if other != cell)
    return (*cells, cell)
