"""What came last from controllers, in plain words, and why a control does nothing."""

from __future__ import annotations

import time
from collections import deque

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget

from choreon.engine.actions.taken import verbs_of
from choreon.engine.inputs.layers import Layers
from choreon.engine.protocol import ControlMoved, TimeCodeAt
from choreon.language import in_a_row, tr
from choreon.model.inputs import AnyInput, Control, Pickup, is_key
from choreon.model.refs import PAGE, Ref, exists, name_of
from choreon.model.show import Show
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.surfaces.drawing import part_name
from choreon.ui.widgets import basics
from choreon.wire.time_code import RATES, Rate, time_code

LINES = 40
OFTEN = 80  # milliseconds between two times that it is shown anew


class Monitor(QListWidget):
    """The last moves, the newest on top: “fader 3 → 0.42 → Front wash”."""

    def __init__(self, parts: Parts, layers: Layers) -> None:
        super().__init__()
        self.parts, self.layers = parts, layers
        self.setAccessibleName(tr("What controllers do"))
        self.setToolTip(tr("What came last, from which control, and what it did"))
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._lines: deque[tuple[Control, str]] = deque(maxlen=LINES)
        self._again = basics.once(self, OFTEN, self._fill)

    def moved(self, moved: ControlMoved) -> None:
        """A control was moved. One that is moved on keeps its line."""
        line = said(self.parts.document.show, self.layers, moved)
        if self._lines and self._lines[0][0] == moved.control:
            self._lines.popleft()
        self._lines.appendleft((moved.control, line))
        if not self._again.isActive():
            self._again.start()

    @property
    def lines(self) -> list[str]:
        """What is told, the newest first."""
        return [line for _, line in self._lines]

    def _fill(self) -> None:
        if not self.isVisible():
            return
        self.clear()
        self.addItems(self.lines)


def time_words(told: TimeCodeAt) -> str:
    """Returns where another's clock is, in words."""
    rate = Rate(told.rate)
    time = str(time_code(told.at, rate))
    called = next(name for name, known in RATES.items() if known == rate)
    if told.runs:
        return tr("time code {time}, {rate} a second", time=time, rate=called)
    return tr("time code {time}, {rate} a second, stands", time=time, rate=called)


def said(show: Show, layers: Layers, moved: ControlMoved) -> str:
    """Returns what a move was, and what it went to, in words."""
    control = moved.control
    name = part_name(show, control)
    targets = [
        words.target_name(show, tie.target) for tie in layers.ties(show, control)
    ]
    does = in_a_row(targets) if targets else tr("nothing")
    if moved.steps:
        value = f"{moved.steps:+d}"
    elif is_key(control):
        value = tr("down") if moved.value else tr("up")
    else:
        value = f"{moved.value:.2f}"
    return tr("{control} → {value} → {does}", control=name, value=value, does=does)


def why_nothing(
    show: Show,
    layers: Layers,
    control: Control,
    is_open: bool,
    seen_at: float | None,
    caught: tuple[float, float] | None = None,
) -> str:
    """Returns why a control does nothing, in words; empty where it does something.
    `seen_at`: when it was moved last, monotonic seconds; `caught`: where it stands and
    where its level does.
    """
    if not is_open:
        return tr("Its controller is not connected. What it does is kept.")
    own = [tie for tie in show.inputs.values() if tie.control == control]
    if not own:
        return tr("Nothing is tied to it: press Learn at what it shall do.")

    holds = layers.ties(show, control)
    if not holds:
        return _elsewhere(show, own)
    gone = [tie for tie in holds if not exists(show, tie.target)]
    if len(gone) == len(holds):
        return tr("What it acted on is gone.")
    refused = [tie for tie in holds if not _is_taken(show, tie)]
    if len(refused) == len(holds):
        return tr("What it is tied to does not take what it asks for.")
    if caught is not None:
        waits = _waits(holds[0], *caught)
        if waits:
            return waits
    if seen_at is None:
        return tr("It has not been moved since the window came.")
    ago = time.monotonic() - seen_at
    return tr("It was moved {seconds:.0f} s ago, and did so.", seconds=ago)


def _is_taken(show: Show, tie: AnyInput) -> bool:
    """Whether what a tie asks for can be asked of its target."""
    taken = verbs_of(show, tie.target)
    return tie.does is None or not taken or tie.does in taken


def _elsewhere(show: Show, ties: list[AnyInput]) -> str:
    """It does something on other pages, or in a layer."""
    pages = [name_of(show, Ref(PAGE, tie.page)) for tie in ties if tie.page]
    if pages:
        return tr("It does something on {pages} alone.", pages=in_a_row(pages))
    keys = [part_name(show, tie.control._replace(name=tie.shift)) for tie in ties]
    return tr("It does something while {keys} is held.", keys=in_a_row(keys))


def _waits(tie: AnyInput, stands: float, level: float) -> str:
    """It waits until it meets the level."""
    apart = abs(stands - tie.answer.way(level)) > 0.03
    if tie.answer.pickup == Pickup.JUMP or not apart or is_key(tie.control):
        return ""
    if tie.answer.pickup == Pickup.MEET:
        return tr(
            "It stands at {stands:.0f} %, its level at {level:.0f} %: they meet as it "
            "is moved on.",
            stands=100 * stands,
            level=100 * tie.answer.way(level),
        )
    return tr(
        "It stands at {stands:.0f} % and waits until it passes {level:.0f} %.",
        stands=100 * stands,
        level=100 * tie.answer.way(level),
    )
