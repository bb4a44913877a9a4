"""The first evening: five steps that watch what is done, and go on by themselves."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QFrame, QWidget

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.show import Show
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics

WIDTH = 380  # pixels
EDGE = 18  # pixels to the edges of the window


class WalkStep(NamedTuple):
    """What is to be done, in which place, how, and which page tells more."""

    title: str
    place: str
    how: str
    page: str


STEPS = (
    WalkStep(
        tr("Hang a fixture"),
        "rig",
        tr(
            "Choose a type on the left and press Hang. Then drag it on the plan to "
            "where it hangs."
        ),
        "hang",
    ),
    WalkStep(
        tr("Choose it"),
        "compose",
        tr("Press it on the stage picture, or draw a box around several."),
        "choose",
    ),
    WalkStep(
        tr("Give it light"),
        "compose",
        tr("Press Open up, then give it a colour. It is on stage at once, as a draft."),
        "values",
    ),
    WalkStep(
        tr("Keep it as a scene"),
        "compose",
        tr("Press Keep as… (Ctrl+S), and give the scene a name."),
        "draft",
    ),
    WalkStep(
        tr("Play it"),
        "perform",
        tr(
            "Put the scene on a page: drag its card from the shelf onto Perform, or "
            "press Add a tile there. Then press the tile."
        ),
        "perform",
    ),
)


class FirstEvening(QFrame):
    """A card over the corner of the window. `go(place)` shows a place, `tell(page)`
    opens a page of the help.
    """

    def __init__(
        self,
        parent: QWidget,
        parts: Parts,
        go: Callable[[str], object],
        tell: Callable[[str], object],
    ) -> None:
        super().__init__(parent)
        self.parts, self._go, self._tell = parts, go, tell
        self.at = 0
        """The step that is to be done; as many as there are when all is done."""
        self._before: Show = parts.document.show
        self.setObjectName("walk")
        self.setStyleSheet(
            f"#walk {{ background: {theme.DECK}; border: 1px solid {theme.CHOSEN}; "
            f"border-radius: {theme.RADIUS}px; }}"
        )

        self.count = basics.label("", "small")
        self.title = basics.label("", "big", wrap=True)
        self.how = basics.label("", wrap=True)
        self.more = basics.button(tr("Tell me more"), self._more, "quiet")
        self.skip = basics.button(tr("Skip it"), self._skip, "quiet")
        self.there = basics.button(tr("Go there"), self._there, "main")
        self.close_it = basics.tool("close", tr("Leave the first evening"), self.end)
        head = basics.row(self.count, 1, self.close_it)
        foot = basics.row(self.more, 1, self.skip, self.there)
        basics.stack(self, head, self.title, self.how, foot, margins=14, spacing=8)
        parts.document.show_changed.connect(lambda _: self._look())
        parts.selection.changed.connect(self._look)
        parts.engine.state_changed.connect(lambda _: self._look())
        parent.installEventFilter(self)
        self.hide()

    def begin(self) -> None:
        """Begin with the first step; what is there already does not count."""
        self.at = 0
        self._arm()
        self.show()
        self.raise_()
        self._tell_step()

    def end(self) -> None:
        """Leave it."""
        self.hide()

    def _arm(self) -> None:
        """From here on what is done counts for the step."""
        self._before = self.parts.document.show
        self._played = {player.id for player in self.parts.engine.state.players}

    def _look(self) -> None:
        """Go on where the step has been done."""
        if self.isVisible() and self.at < len(STEPS) and self._done():
            self._next()

    def _done(self) -> bool:
        show, state = self.parts.document.show, self.parts.engine.state
        checks: tuple[Callable[[], bool], ...] = (
            lambda: bool(set(show.fixtures) - set(self._before.fixtures)),
            lambda: bool(self.parts.selection.chosen),
            lambda: _shines(state),
            lambda: bool(set(show.playables) - set(self._before.playables)),
            lambda: any(player.id not in self._played for player in state.players),
        )
        return checks[self.at]()

    def _next(self) -> None:
        self.at += 1
        self._arm()
        self._tell_step()
        self._look()  # the next one may have been done with it

    def _skip(self) -> None:
        if self.at < len(STEPS):
            self._next()
        else:
            self.end()

    def _there(self) -> None:
        if self.at < len(STEPS):
            self._go(STEPS[self.at].place)
        else:
            self.end()

    def _more(self) -> None:
        self._tell(STEPS[self.at].page if self.at < len(STEPS) else "start")

    def _tell_step(self) -> None:
        over = self.at >= len(STEPS)
        if over:
            self.count.setText(tr("All five steps are done"))
            self.title.setText(tr("That is the whole way"))
            self.how.setText(
                tr(
                    "Hang, choose, give light, keep, play: the rest is more of it. F1 "
                    "tells about what is under the mouse, Ctrl+K finds everything."
                )
            )
        else:
            step = STEPS[self.at]
            self.count.setText(
                tr("The first evening · {at} of {n}", at=self.at + 1, n=len(STEPS))
            )
            self.title.setText(step.title)
            self.how.setText(step.how)

        self.skip.setVisible(not over)
        self.there.setText(tr("Done") if over else tr("Go there"))
        self._lay()

    def _lay(self) -> None:
        """In the lower right corner of the window."""
        parent, layout = self.parentWidget(), self.layout()
        if parent is None or layout is None:
            return
        width = min(WIDTH, parent.width() - 2 * EDGE)
        height = max(layout.heightForWidth(width), self.sizeHint().height())
        left, top = parent.width() - width - EDGE, parent.height() - height - EDGE
        self.setGeometry(left, top, width, height)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """It stays in its corner."""
        if event.type() == QEvent.Type.Resize and self.isVisible():
            self._lay()
        return False


def _shines(state: PlayState) -> bool:
    """Whether the draft lights something."""
    look = state.draft.look
    return any(_level(values.get(at.DIMMER)) > 0.0 for values in look.values())


def _level(value: object) -> float:
    """The highest level in a value."""
    if isinstance(value, tuple):
        return max((_level(v) for v in value), default=0.0)
    if isinstance(value, str):
        return 1.0  # a palette
    return float(value) if isinstance(value, int | float) else 0.0
