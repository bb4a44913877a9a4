"""Which of the things that a control is tied to hold now: by the page that its device
is on, and by the layer that a key holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from choreon.model.inputs import AnyInput, Control, is_key
from choreon.model.refs import TURN
from choreon.model.show import Show

BESIDE = {"next": 1, "back": -1}
"""Pages that are turned to by their place."""


class Layers:
    """Where devices are: which keys are down, and which page each is on. `front` is the
    page on the screen.
    """

    def __init__(self) -> None:
        self.front = ""
        self._held: frozenset[Control] = frozenset()
        self._own_pages: dict[str, str] = {}  # device → its page
        self._known: tuple[object, dict[Control, list[AnyInput]]] = (None, {})

    @property
    def where(self) -> tuple[object, ...]:
        """Another value whenever other ties may hold."""
        return self.front, self._held, tuple(self._own_pages.items())

    def moved(self, show: Show, control: Control, value: float) -> list[AnyInput]:
        """Follow a move. Returns the ties of the control that hold."""
        ties = self.ties(show, control)
        if is_key(control):
            own = {control}
            self._held = self._held | own if value else self._held - own
        for tie in ties:
            if tie.target.kind == TURN and value:
                self._turn(show, control.device, tie.target.id)
        return ties

    def forget(self, device: str) -> None:
        """A device went away, whatever was held on it."""
        self._held = frozenset(held for held in self._held if held.device != device)

    def has_own_pages(self, show: Show, device: str) -> bool:
        """Returns whether a device does not follow the page on the screen."""
        surface = show.surfaces.get(device)
        return surface is not None and surface.own_pages

    def page_of(self, show: Show, device: str) -> str:
        """Returns the page that a device is on: that on the screen, or its own."""
        if not self.has_own_pages(show, device):
            return self.front
        known = self._own_pages.get(device, "")
        return known if known in show.pages else next(iter(show.pages), "")

    def _turn(self, show: Show, device: str, to: str) -> None:
        """Turn a device with pages of its own to another."""
        pages = list(show.pages)
        if not pages or not self.has_own_pages(show, device):
            return
        to = beside(pages, self.page_of(show, device), to)
        if to in pages:
            self._own_pages = {**self._own_pages, device: to}

    def ties(self, show: Show, control: Control) -> list[AnyInput]:
        """Returns what the show ties a control to, as far as it holds now."""
        own = self._tied(show).get(control)
        return self.in_force(show, own) if own else []

    def is_tied(self, show: Show, control: Control) -> bool:
        """Returns whether a control is tied to anything, on whatever page."""
        return control in self._tied(show)

    def _tied(self, show: Show) -> Mapping[Control, list[AnyInput]]:
        """The ties of each control; found once for a show's inputs."""
        inputs, known = self._known
        if inputs is not show.inputs:
            known = {}
            for tie in show.inputs.values():
                known.setdefault(tie.control, []).append(tie)
            self._known = (show.inputs, known)
        return known

    def in_force(self, show: Show, ties: Iterable[AnyInput]) -> list[AnyInput]:
        """Returns the ties that hold now. One of a page goes before one of all pages,
        one of a layer before one of none.
        """
        best: dict[Control, tuple[int, list[AnyInput]]] = {}
        for tie in ties:
            if not self._holds(show, tie):
                continue
            rank = 2 * bool(tie.shift) + bool(tie.page)
            known, found = best.get(tie.control, (-1, []))
            if rank > known:
                best[tie.control] = (rank, [tie])
            elif rank == known:
                found.append(tie)

        return [tie for _, found in best.values() for tie in found]

    def _holds(self, show: Show, tie: AnyInput) -> bool:
        control = tie.control
        if tie.page and tie.page != self.page_of(show, control.device):
            return False
        return not tie.shift or control._replace(name=tie.shift) in self._held


def beside(pages: list[str], here: str, to: str) -> str:
    """Returns the page that is meant by “next”, “back”, or its id."""
    if to not in BESIDE or not pages:
        return to
    place = pages.index(here) if here in pages else 0
    return pages[(place + BESIDE[to]) % len(pages)]
