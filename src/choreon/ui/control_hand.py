"""What controllers do through the window: values of the lamps that are chosen, in the
draft; who is chosen; the page in front.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject

from choreon.engine import protocol
from choreon.engine.inputs.asking import HALF
from choreon.engine.inputs.layers import Layers, beside
from choreon.engine.inputs.soft_takeover import SoftTakeover, taken
from choreon.language import tr
from choreon.model.inputs import AnyInput, Coding, is_key
from choreon.model.inputs.osc import TO_PAGE
from choreon.model.refs import CHOOSE, CHOSEN, EDIT, TURN
from choreon.render.picker import colour_at, place_of
from choreon.ui.compose.hand import Hand
from choreon.ui.gestures import gestures
from choreon.ui.parts import Parts

HUE, STRENGTH = "hue", "strength"
"""What is turned of a colour beside its attributes."""

PALE = 0.02  # strength below which a hue shows nothing


class ControlHand(QObject):
    """Does what controls ask of the window. `turn`: turns to a page; `page`: which is
    in front; `may`: whether hands may reach the draft now; `edits` does what is done to
    edits of the show.
    """

    def __init__(
        self,
        parts: Parts,
        turn: Callable[[str], None],
        page: Callable[[], str],
        may: Callable[[], bool],
        edits: Callable[[str], object] = lambda deed: None,
    ) -> None:
        super().__init__()
        self.parts, self.hand = parts, Hand(parts)
        self.layers, self.takeover = Layers(), SoftTakeover()
        self._turn, self._page, self._may = turn, page, may
        self._edits = edits
        self._acts: dict[str, Callable[[AnyInput, protocol.ControlMoved], None]] = {
            CHOSEN: self._chosen,
            CHOOSE: self._choose,
            EDIT: self._edit,
            TURN: self._turn_to,
        }
        parts.engine.control_moved.connect(self._moved)
        parts.engine.met.connect(self.tell_page)
        parts.engine.ports_changed.connect(self._ports)

    def _ports(self, told: protocol.Ports) -> None:
        """What was held on a device that is gone is let go."""
        for name, is_open in told.ports.items():
            if not is_open:
                self.layers.forget(name)
                self.takeover.forget(name)

    def tell_page(self) -> None:
        """Tell controllers which page is in front."""
        page = self._page()
        self.layers.front = page
        self.parts.engine.send(protocol.Front(page))

    def _moved(self, moved: protocol.ControlMoved) -> None:
        """Do what a control asks for that was moved."""
        show = self.parts.document.show
        if moved.control.name.startswith(TO_PAGE):
            if self._may() and moved.value >= HALF:
                self._turn(moved.control.name.removeprefix(TO_PAGE))
            return

        ties = self.layers.moved(show, moved.control, moved.value)
        for tie in ties:
            act = self._acts.get(tie.target.kind)
            if act is not None and self._may():
                act(tie, moved)
        self.takeover.stands(moved.control, moved.value)

    def _pressed(self, tie: AnyInput, moved: protocol.ControlMoved) -> bool:
        """Whether it was pressed just now: what is moved along passes its middle."""
        if is_key(tie.control) or tie.toggles:
            return moved.value > 0.0 or tie.toggles
        before = self.takeover.stood(moved.control)
        return moved.value >= HALF and (before is None or before < HALF)

    def _turn_to(self, tie: AnyInput, moved: protocol.ControlMoved) -> None:
        """The page in front, where the controller follows it."""
        show = self.parts.document.show
        if self.layers.has_own_pages(show, moved.control.device):
            return
        if self._pressed(tie, moved):
            self._turn(beside(list(show.pages), self._page(), tie.target.id))

    def _choose(self, tie: AnyInput, moved: protocol.ControlMoved) -> None:
        """The lamps of a group."""
        group = self.parts.document.show.groups.get(tie.target.id)
        if group is not None and self._pressed(tie, moved):
            self.parts.selection.choose(list(group.fixtures))

    def _edit(self, tie: AnyInput, moved: protocol.ControlMoved) -> None:
        """The last edit is taken back, or done again."""
        if self._pressed(tie, moved):
            self._edits(tie.target.id)

    # values of those that are chosen

    def _chosen(self, tie: AnyInput, moved: protocol.ControlMoved) -> None:
        """An attribute of the chosen, each from where it is."""
        if not self.parts.selection.chosen:
            if self._pressed(tie, moved):
                text = tr("Nobody is chosen: the control turns nothing.")
                self.parts.notices.told.emit(text, "info")
            return

        self.hand.look_again()
        gestures().outside()
        name = tie.target.id
        if name in (HUE, STRENGTH):
            self._give_colour(tie, moved, name)
        else:
            self._give(tie, moved, name)

    def _give(self, tie: AnyInput, moved: protocol.ControlMoved, name: str) -> None:
        low, high = self.hand.span(name)
        now = self.hand.numbers(name)
        if not now or high <= low:
            return

        here = tie.answer.way((now[0] - low) / (high - low))
        way = self._way(tie, moved, here)
        if way is None:
            return
        value = low + tie.answer.value(way) * (high - low)
        if tie.coding != Coding.PLACE:
            self.hand.nudge({name: value - now[0]})  # all keep what lies between them
        else:
            self.hand.give({name: value})

    def _give_colour(
        self, tie: AnyInput, moved: protocol.ControlMoved, name: str
    ) -> None:
        colours = self.hand.colours()
        if not colours:
            return

        hue, strength = place_of(colours[0])
        here = hue / 360.0 if name == HUE else strength
        way = self._way(tie, moved, tie.answer.way(here))
        if way is None:
            return
        value = tie.answer.value(way)
        if name == STRENGTH:
            at = (hue, value)
        else:
            at = (360.0 * value, strength if strength >= PALE else 1.0)
        self.hand.give_colour(colour_at(*at).tolist())

    def _way(
        self, tie: AnyInput, moved: protocol.ControlMoved, here: float
    ) -> float | None:
        """Where the control brings what stands `here` on its way; None where it moves
        nothing.
        """
        if is_key(tie.control):
            return 1.0 if self._pressed(tie, moved) else None
        if tie.coding != Coding.PLACE:
            return tie.answer.turned(here, moved.steps)
        before = self.takeover.stood(moved.control)
        way = taken(before, here, moved.value, tie.answer.pickup)
        return None if way == here else way
