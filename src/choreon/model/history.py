"""Undo and redo: a list of shows with the name of the edit that led to each."""

from __future__ import annotations

from choreon.model.show import Show


class History:
    """Where the show has been. Shows share what did not change, so a long evening costs little."""

    def __init__(self, show: Show) -> None:
        self._done: list[tuple[str, Show]] = [("", show)]
        self._undone: list[tuple[str, Show]] = []

    @property
    def show(self) -> Show:
        return self._done[-1][1]

    @property
    def undo_name(self) -> str:
        """Name of the edit that undo would take back; empty where there is none."""
        return self._done[-1][0] if len(self._done) > 1 else ""

    @property
    def redo_name(self) -> str:
        return self._undone[-1][0] if self._undone else ""

    def do(self, name: str, show: Show, merge: bool = False) -> None:
        """Go on to `show`. With `merge`, an edit of the same name before it (a drag) becomes one step with it."""
        if show is self.show:
            return
        if merge and len(self._done) > 1 and self._done[-1][0] == name and not self._undone:
            self._done[-1] = (name, show)
        else:
            self._done.append((name, show))
        self._undone.clear()

    def undo(self) -> Show:
        if len(self._done) > 1:
            self._undone.append(self._done.pop())
        return self.show

    def redo(self) -> Show:
        if self._undone:
            self._done.append(self._undone.pop())
        return self.show
