"""The pages as a guest sees them: large, explained, with nothing to edit; and the way
out by a PIN.
"""

from __future__ import annotations

import time
from functools import partial

from PySide6.QtCore import QSettings, Qt, QTimer, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from choreon.engine.do import Do
from choreon.language import tr
from choreon.model.refs import BLACKOUT, PAGE, Ref
from choreon.model.tiles import Guest, MasterTile, Page, Tile
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.perform import pin
from choreon.ui.perform.page_tabs import PageTabs
from choreon.ui.perform.page_view import PageView
from choreon.ui.settings import open_settings
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.words import some

RIGHTS = {
    **dict.fromkeys(("pad", "flash", "choice", "aside", "deed"), "choices"),
    **dict.fromkeys(("fader", "dial", "colour", "aim", "master"), "levels"),
    "tempo": "tempo",
    "cue": "go",
}
"""Kind of tile → the right by which guests play it. A kind that is not here is shut."""

TOUCH = 56  # pixels that a button for guests is tall
NOTHING = tr("There is nothing to play here. Ask whoever looks after the light.")


def may_play(guest: Guest, tile: Tile) -> bool:
    """Returns whether a guest may play a tile."""
    if isinstance(tile, MasterTile) and tile.drives == BLACKOUT:
        return guest.blackout
    right = RIGHTS.get(tile.kind)
    return right is not None and bool(getattr(guest, right))


class GuestView(QWidget):
    """Fills the window while a guest plays. `left`: the PIN was right."""

    left = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.tries = kept_tries(open_settings())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.view = PageView(parts, MiniStages(parts, self), guest=True)

        self.view.filled.connect(self._allow)
        self.tabs = PageTabs(TOUCH, 18)
        self.tabs.wanted.connect(self.open)
        self.title = basics.label("", "title")
        self.title.setFont(theme.font(24, strong=True))
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)

        line.addWidget(self.title)
        line.addSpacing(16)
        line.addWidget(self.tabs)
        line.addStretch(1)
        self.lock = basics.tool("lock", tr("Leave the guest pages"), self.ask)

        self.lock.setFixedSize(TOUCH, TOUCH)
        line.addWidget(self.lock)
        self.on_now = basics.label("")
        self.on_now.setFont(theme.font(18))
        self.on_now.setWordWrap(True)

        self.on_now.setAccessibleName(tr("What is on now"))
        self.normal = basics.button(
            tr("Everything back to normal"), self.back_to_normal, "main", "home"
        )
        self.normal.setMinimumHeight(TOUCH)
        self.normal.setFont(theme.font(18, strong=True))
        foot = basics.row(self.on_now, self.normal, spacing=16)
        basics.grow(foot, 0)

        basics.stack(self, head, self.view, foot, margins=16, spacing=12).setStretch(
            1, 1
        )

        self.pad = PinPad(self)
        self.pad.entered.connect(self.leave)
        self.pad.hide()
        parts.document.show_changed.connect(lambda _: self._fill())

        parts.engine.state_changed.connect(self._state)
        parts.engine.engine_changed.connect(lambda _: self._state(parts.engine.state))

    @property
    def guest(self) -> Guest:
        """What guests see, and what they may do."""
        return self.parts.document.show.guest

    def pages(self) -> list[Page]:
        """The pages that guests see; none where all of those that were chosen for them
        are gone.
        """
        known, wanted = self.parts.document.show.pages, self.guest.pages
        if not wanted:
            return list(known.values())
        return [known[i] for i in wanted if i in known]

    def begin(self) -> None:
        """A guest takes over."""
        self._fill()
        found = self.pages()
        self.go(found[0].id if found else "")
        self.view.setFocus()

    def _fill(self) -> None:
        if not self.isVisible():
            return

        self.title.setText(self.parts.document.show.name)
        found = self.pages()
        self.tabs.fill(found, self.view.page_id)
        self.tabs.setVisible(len(found) > 1)

        if self.view.page_id not in self.tabs.by_page:
            self.go(found[0].id if found else "")

        self._allow()
        self._state(self.parts.engine.state)

    def showEvent(self, event: object) -> None:
        """Show what is there."""
        self._fill()

    def open(self, page_id: str) -> None:
        """Turn to a page; it does what it does when it is opened."""
        self.go(page_id)
        self.parts.engine.send(Do(Ref(PAGE, page_id), Verb.PRESS))

    def go(self, page_id: str) -> None:
        """Turn to a page."""
        self.view.go(page_id)
        button = self.tabs.by_page.get(page_id)
        if button is not None:
            button.setChecked(True)

    def _allow(self) -> None:
        """What a guest may not play is seen, and is dead."""
        for widget in self.view.tiles.values():
            widget.set_allowed(may_play(self.guest, widget.tile))
            is_choice = widget.tile.kind in ("choice", "tempo")
            widget.dims = self.guest.levels or is_choice
        self.view.number_keys()
        if not self.view.tiles:
            self.view.empty.setText(NOTHING)

    def _state(self, state: PlayState) -> None:
        if not self.isVisible():
            return

        if not self.parts.engine.alive:
            self.on_now.setText(tr("The light is being started again. One moment."))
            return

        names = [
            player.name
            for player in sorted(state.players, key=lambda p: -p.order)
            if not player.lifts and not player.releasing
        ]
        text = (
            tr("On now: {names}", names=some(list(dict.fromkeys(names)), 4))
            if names
            else ""
        )
        if state.masters.blackout:
            text = tr("Blackout is on: all is dark on purpose.")

        self.on_now.setText(text or tr("Nothing is on. Press a tile."))

    def back_to_normal(self) -> None:
        """What is on when the show opens, and nothing else."""
        self.parts.engine.deed("normal")

    # out of it

    def ask(self) -> None:
        """Ask for the PIN; where there is none, leave."""
        if not self.guest.pin:
            self.left.emit()
            return
        self.pad.open(self.tries.wait(time.monotonic()))

    def leave(self, typed: str) -> None:
        """Leave, where a PIN is right and is not to be waited for."""
        now = time.monotonic()
        wait = self.tries.wait(now)
        if wait > 0.0:
            self.pad.wait(wait)
        elif pin.fits(typed, self.guest.pin):
            self.tries.passed()
            keep_tries(open_settings(), self.tries)
            self.pad.hide()
            self.left.emit()
        else:
            self.tries.missed(now)
            keep_tries(open_settings(), self.tries)
            self.pad.missed(self.tries.wait(now))

    # what is dead

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """A right click does nothing."""
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys play tiles, and do nothing else."""
        self.view.key(event)
        event.accept()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """What a key held on ends."""
        self.view.key(event)
        event.accept()


WRONG, WAIT = "guest_wrong", "guest_wait"


def keep_tries(settings: QSettings, tries: pin.Tries) -> None:
    """Keep how often a PIN was wrong, for a window that is killed and comes back."""
    settings.setValue(WRONG, tries.wrong)
    settings.setValue(WAIT, time.time() + tries.wait(time.monotonic()))
    settings.sync()


def kept_tries(settings: QSettings) -> pin.Tries:
    """Returns the tries as they were kept; what cannot be read counts as none."""
    tries = pin.Tries()
    try:
        tries.wrong = max(0, int(str(settings.value(WRONG) or 0)))
        until = float(str(settings.value(WAIT) or 0.0))
    except ValueError:
        return pin.Tries()
    tries.resume(time.monotonic(), until - time.time())
    return tries


FORGOTTEN = tr(
    "Forgotten? Whoever owns the show's file takes it away with\n"
    "choreon guest --forget-pin SHOW"
)


class PinPad(QFrame):
    """Asks for the PIN, by keys large enough for fingers."""

    entered = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("pin")
        self.setStyleSheet(
            f"#pin {{ background: {theme.DECK}; border: 2px solid {theme.KEEP};"
            f" border-radius: 10px; }}"
        )

        self.field = QLineEdit()
        self.field.setEchoMode(QLineEdit.EchoMode.Password)

        self.field.setFont(theme.font(24))
        self.field.setAccessibleName(tr("PIN"))
        self.field.returnPressed.connect(self._enter)
        self.say = basics.label("", "soft", wrap=True)
        keys = QWidget()
        grid = QGridLayout(keys)
        grid.setContentsMargins(0, 0, 0, 0)

        grid.setSpacing(8)
        self.keys: dict[str, QPushButton] = {}

        for n, text in enumerate("123456789⌫0↵"):
            key = basics.button(text, partial(self._pressed, text), tip=text)
            key.setFixedSize(84, TOUCH)
            key.setFont(theme.font(20, strong=True))
            key.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self.keys[text] = key

            grid.addWidget(key, n // 3, n % 3)

        self.stay = basics.button(tr("Cancel"), self.hide, "quiet")
        basics.stack(
            self,
            basics.label(tr("PIN"), "big"),
            self.field,
            self.say,
            keys,
            basics.label(FORGOTTEN, "small", wrap=True),
            self.stay,
            margins=20,
            spacing=10,
        )

        self._until = 0.0
        self._tick = QTimer(self, interval=500)
        self._tick.timeout.connect(self._count)

    def open(self, wait: float) -> None:
        """Ask. `wait`: seconds until a try is taken."""
        self.field.clear()
        self.say.setText("")
        self.resize(self.sizeHint())
        parent = self.parentWidget()

        if parent is not None:
            self.move(
                (parent.width() - self.width()) // 2,
                max(0, (parent.height() - self.height()) // 2),
            )

        self.show()
        self.raise_()
        self.field.setFocus()

        if wait > 0.0:
            self.wait(wait)

    def _pressed(self, key: str) -> None:
        if key == "⌫":
            self.field.backspace()
        elif key == "↵":
            self._enter()
        else:
            self.field.insert(key)

    def _enter(self) -> None:
        typed = self.field.text()
        self.field.clear()
        if typed:
            self.entered.emit(typed)

    def missed(self, wait: float) -> None:
        """Say that it was wrong."""
        self.say.setText(tr("That is not the PIN."))
        if wait > 0.0:
            self.wait(wait)

    def wait(self, seconds: float) -> None:
        """Take no try for so many seconds, and say so."""
        self._until = time.monotonic() + seconds
        self._tick.start()
        self._count()

    def _count(self) -> None:
        left = self._until - time.monotonic()
        if left <= 0.0:
            self._tick.stop()
            self.say.setText(tr("Try again."))
        else:
            self.say.setText(
                tr("That is not the PIN. The next try in {left:.0f} s.", left=left)
            )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc stays here."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        event.accept()
