"""The shell: rail, heading, notices, the place, and the ledger strip."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from typing import TYPE_CHECKING, Protocol, cast, runtime_checkable

import shiboken6
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import (
    QCloseEvent,
    QFontMetrics,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
    QShortcut,
)
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QMainWindow,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from choreon.language import tr
from choreon.model.refs import TEMPO, Ref
from choreon.ui import theme, words
from choreon.ui.awake import Awake
from choreon.ui.commands import BY_ID, KeyGate, bind, is_alt
from choreon.ui.control_hand import ControlHand
from choreon.ui.drags import OpensUnder
from choreon.ui.find import Entry, FindBox
from choreon.ui.gestures import gestures
from choreon.ui.heading import Heading
from choreon.ui.help import pages
from choreon.ui.help.under_hand import page_of, under_hand
from choreon.ui.help.walk import FirstEvening
from choreon.ui.key_surface import KeySurface
from choreon.ui.learn import Learner
from choreon.ui.ledger import Ledger
from choreon.ui.notice import Notice
from choreon.ui.parts import Parts
from choreon.ui.preparing import Preparer, turns
from choreon.ui.settings import (
    CLOSING,
    SIZES,
    arrangement_of,
    open_settings,
    put_contrast,
    put_scale,
    text_of,
)
from choreon.ui.shows.files import ShowFiles
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import speak
from choreon.ui.widgets.tick import Tick

if TYPE_CHECKING:
    from choreon.ui.compose.place import ComposePlace
    from choreon.ui.perform.guest import GuestView
    from choreon.ui.perform.place import PerformPlace
    from choreon.ui.rig.place import RigPlace
    from choreon.ui.score.place import ScorePlace
    from choreon.ui.surfaces.place import SurfacesPlace

TITLES = {
    "rig": tr("Rig"),
    "compose": tr("Compose"),
    "score": tr("Score"),
    "perform": tr("Perform"),
    "surfaces": tr("Surfaces"),
}
PLACES = tuple(TITLES)


LEAST = QSize(848, 480)
"""Rail, heading and ledger have this room at least; in a smaller window all scrolls."""

LEAST_OF = {
    "rig": QSize(948, 580),
    "compose": QSize(948, 540),
    "score": QSize(948, 500),
    "perform": QSize(760, 440),
    "surfaces": QSize(984, 560),
}
"""A place has this room at least; in less it scrolls, and what must be at hand, the
blackout and the way to the other places, stays where it is.
"""

AS_NEEDED = Qt.ScrollBarPolicy.ScrollBarAsNeeded
FRAME_SIDES, FRAME_TOP = 8, 44  # pixels that a frame around the window takes


@runtime_checkable
class Closes(Protocol):
    """A place in which something may be open."""

    def escape(self) -> bool:
        """Close it. Returns whether there was anything."""


class GoesBack(Protocol):
    """What can be gone back in."""

    def undo(self) -> object:
        """Go a step back."""

    def redo(self) -> object:
        """Go a step forward."""


class Places(dict[str, QWidget]):
    """The places that were needed so far, by their names; any other is made with `make`
    when it is first asked for.
    """

    def __init__(self, make: Callable[[str], QWidget]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, name: str) -> QWidget:
        if name not in PLACES:
            raise KeyError(name)
        self[name] = made = self._make(name)
        return made


class Ground(QWidget):
    """What is scrolled over where there is too little room: as large as that, or as
    `least`. What lies on it is told so; it is not asked how high it would like to be.
    """

    def __init__(self, inside: QWidget, least: QSize) -> None:
        super().__init__()
        self.setMinimumSize(least)
        self._inside = inside
        inside.setParent(self)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """All of it is for what lies on it."""
        self._inside.setGeometry(self.rect())


class PlaceStack(QStackedWidget):
    """The places, of which only the one that is shown asks for room."""

    def minimumSizeHint(self) -> QSize:
        """What that one needs."""
        place = self.currentWidget()
        return QSize() if place is None else place.minimumSizeHint()


def _scroller(ground: Ground) -> QScrollArea:
    made = basics.scroller(ground)
    made.setHorizontalScrollBarPolicy(AS_NEEDED)
    return made


class MainWindow(QMainWindow):
    """One window, one show."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        speak()
        self.parts = parts
        parts.end_with(self)
        self.settings = open_settings()
        self.shows = ShowFiles(self, parts, self.settings)

        self.closed_for_good = False
        self._kept_back: list[QShortcut] = []  # that are dead while a guest plays
        self._hidden_windows: list[QWidget] = []  # out of sight meanwhile
        self.learner = Learner(parts)
        self.control_hand = ControlHand(
            parts,
            self._turn_to,
            self._front_page,
            lambda: not self.is_guest,
            lambda deed: self._acts()[deed](),
        )
        self.key_surface = KeySurface(parts, self.learner)
        self.heading = Heading(parts)

        self.heading.draft.clicked.connect(lambda: self.go("compose"))
        self.heading.held_wanted.connect(lambda: self.go("perform"))
        self.heading.troubles.wanted.connect(self.go_to_trouble)
        self.heading.tempo.learning.connect(lambda: self.learner.start(TEMPO))
        self.ledger = Ledger(parts)

        self.places = Places(self._make_place)
        self._built: dict[str, QWidget] = {}  # places that are not in the window yet
        self.place = ""
        """The name of the place that is shown."""
        self.stack = PlaceStack()
        self.ground = Ground(self.stack, LEAST_OF["rig"])
        self.place_scroller = _scroller(self.ground)
        self.notice = Notice(self.place_scroller)

        self.rail = self._make_rail()
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)

        for widget in (self.heading, self.place_scroller, self.ledger):
            column.addWidget(widget, 1 if widget is self.place_scroller else 0)

        whole = basics.row(self.rail, body, spacing=0)
        basics.grow(whole, 1)
        self.whole = QStackedWidget()
        self.whole.addWidget(whole)
        self.awake = Awake()

        self.scroller = _scroller(Ground(self.whole, LEAST))
        self.setCentralWidget(self.scroller)
        self.setWindowTitle(tr("{name} — Choreon", name=parts.document.show.name))

        self.resize(self.usual_size())
        self.setMinimumSize(LEAST / 1.6)
        parts.notices.told.connect(self.notice.tell)
        parts.notices.working.connect(self._working)
        parts.engine.mended.connect(self.notice.withdraw)

        parts.document.show_changed.connect(
            lambda show: self.setWindowTitle(tr("{name} — Choreon", name=show.name))
        )
        self.notice.dismissed = self._dismissed
        self.learner.changed.connect(self._learning)
        parts.brush.changed.connect(self._brushing)
        self.find_box = FindBox(whole, parts, self.commands, self.go_to_trouble)

        self.evening = FirstEvening(whole, parts, self.go, self.tell)
        self._shortcuts()
        self.restoreGeometry(arrangement_of(self.settings, "geometry"))
        self.go(self._first_place())

        if parts.document.kept.trouble:
            self.notice.tell(parts.document.kept.trouble, "alarm")

    def usual_size(self) -> QSize:
        """1280 × 800, or what the free area of the screen leaves of it, with room for
        the frame that the system puts around.
        """
        free = self.screen().availableSize() - QSize(FRAME_SIDES, FRAME_TOP)
        return QSize(1280, 800).boundedTo(free)

    # places

    def _first_place(self) -> str:
        """The place that the window opens in: where nothing hangs, that is done first;
        else the place that it was left in.
        """
        show = self.parts.document.show
        if not show.fixtures:
            return "rig"
        usual = "perform" if show.pages else "rig"
        return text_of(self.settings, "place") or usual

    def prepare(self) -> None:
        """Get the other places ready while nobody does anything."""
        self.preparer = Preparer(self, turns(self, PLACES))

    def make_place(self, name: str) -> QWidget:
        """Make a place, unless it is there."""
        return self.places[name]

    def build_place(self, name: str) -> None:
        """Build a place, unless it is there, but leave it outside of the window: taking
        it in, which dresses it, is as much work once more.
        """
        if name not in self.places and name not in self._built:
            with gestures().paused():
                self._built[name] = self._build(name)

    def _make_place(self, name: str) -> QWidget:
        """Make a place. It is dressed once, when it is whole."""
        with gestures().paused():
            made = self._built.pop(name, None) or self._build(name)
            self.stack.addWidget(made)

        for key, splitter in _splitters(name, made):
            splitter.restoreState(arrangement_of(self.settings, key))

        return made

    def _build(self, name: str) -> QWidget:
        """Build a place: what it needs is loaded then, and not before."""
        if name == "rig":
            return self._make_rig()
        if name == "compose":
            from choreon.ui.compose.place import ComposePlace

            return ComposePlace(self.parts)
        if name == "score":
            from choreon.ui.score.place import ScorePlace

            return ScorePlace(self.parts)
        if name == "perform":
            return self._make_perform()

        from choreon.ui.surfaces.place import SurfacesPlace

        return SurfacesPlace(self.parts, self.learner, self.control_hand.layers)

    def _make_rig(self) -> RigPlace:
        from choreon.ui.rig.place import RigPlace

        made = RigPlace(self.parts, self.learner)
        made.begin.evening_wanted.connect(self.evening.begin)
        made.begin.sample_wanted.connect(self.shows.sample)
        made.begin.open_wanted.connect(self.shows.open)
        return made

    def _make_perform(self) -> PerformPlace:
        from choreon.ui.perform.place import PerformPlace

        made = PerformPlace(self.parts, self.learner)
        made.led_to.connect(self.go_to_trouble)
        made.guest_wanted.connect(self.ask_guest)
        made.view.turned.connect(lambda _: self.control_hand.tell_page())
        return made

    @property
    def rig(self) -> RigPlace:
        """Where fixtures hang."""
        return cast("RigPlace", self.places["rig"])

    @property
    def compose(self) -> ComposePlace:
        """Where light is made."""
        return cast("ComposePlace", self.places["compose"])

    @property
    def score(self) -> ScorePlace:
        """Where cues are."""
        return cast("ScorePlace", self.places["score"])

    @property
    def perform(self) -> PerformPlace:
        """Where it is played."""
        return cast("PerformPlace", self.places["perform"])

    @property
    def surfaces(self) -> SurfacesPlace:
        """Where controllers are."""
        return cast("SurfacesPlace", self.places["surfaces"])

    def _make_rail(self) -> QFrame:
        rail = QFrame()
        small = QFontMetrics(theme.font(12))
        widest = max(small.horizontalAdvance(title) for title in TITLES.values())
        wide = max(68, widest + 16)  # whatever the language calls the places
        rail.setFixedWidth(wide + 8)
        rail.setStyleSheet(f"background: {theme.DECK};")
        self.buttons = QButtonGroup(self)
        widgets: list[QWidget | int] = []

        for i, (name, title) in enumerate(TITLES.items()):
            button = QToolButton()
            button.setText(title)
            button.setIcon(theme.icon(name))
            button.setIconSize(QSize(22, 22))
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)

            button.setCheckable(True)
            button.setFixedSize(wide, 60)
            button.setFont(theme.font(12))
            button.setProperty("rail", "true")
            button.setToolTip(tr("{place} ({key})", place=title, key=f"Ctrl+{i + 1}"))

            button.clicked.connect(lambda *_, n=name: self.go(n))
            self.buttons.addButton(button, i)
            OpensUnder(button, partial(self.go, name))
            widgets.append(button)

        self.find_button = basics.tool(
            "search", tr("Find, or say what you want (Ctrl+K)"), self._find
        )
        self.find_button.setFixedSize(68, 40)
        self.more = basics.tool(
            "more", tr("Shows, and how the window behaves"), self._menu
        )

        self.more.setFixedSize(68, 40)
        basics.stack(
            rail, *widgets, 1, self.find_button, self.more, margins=4, spacing=4
        )

        return rail

    def _find(self) -> None:
        self.find_box.begin()

    def go(self, name: str) -> None:
        """Show a place."""
        name = name if name in PLACES else PLACES[0]
        if name not in ("rig", "compose"):
            self.parts.brush.put_down()  # there is nothing there to draw over
        place = self.places[name]
        with gestures().paused():
            self.ground.setMinimumSize(LEAST_OF[name])
            self.stack.setCurrentWidget(place)
        self.notice.raise_()  # a place that has just been made lies above it
        self.place = name
        self.buttons.button(PLACES.index(name)).setChecked(True)
        self.settings.setValue("place", name)

    def go_to_trouble(self, path: str) -> None:
        """Show the place where what a problem's path leads to can be mended."""
        from choreon.ui.compose.shelf import PALETTES, SCENES
        from choreon.ui.rig.place import OUTPUTS_VIEW

        what, _, rest = path.partition("/")
        thing = rest.partition("/")[0]
        if what in ("fixtures", "types", "own-types", "outputs"):
            self.go("rig")
            self.rig.go(OUTPUTS_VIEW if what == "outputs" else 0)
            if what == "fixtures":
                self.parts.selection.choose([thing])
        elif what == "pages":
            self.go("perform")
            self.perform.go(thing)
        elif what == "inputs":
            self.go("surfaces")
        else:
            self.go("compose")
            if what in ("playables", "palettes"):
                kind = PALETTES if what == "palettes" else SCENES
                self.compose.shelf.show_kind(kind)
                self.compose.shelf.choose(thing)

    def _shortcuts(self) -> None:
        """Have the keys of the window do what they stand for."""
        for command, act in self._acts().items():
            bind(self, command, act)

        self.key_gate = KeyGate(self, self._first)
        self._escape = QShortcut(QKeySequence("Esc"), self)
        self._escape.activated.connect(self.learner.cancel)
        self._escape.activated.connect(self.parts.brush.put_down)
        self._escape.setEnabled(False)

    def _acts(self) -> dict[str, Callable[[], object]]:
        """What the commands do that are alive in every place, by their ids."""
        engine = self.parts.engine
        places = {name: partial(self.go, name) for name in PLACES}
        return {
            **places,
            "find": self.find_box.begin,
            "help-here": lambda: self.tell(under_hand()),
            "undo": lambda: self.history.undo(),
            "redo": lambda: self.history.redo(),
            "blackout": self._blackout,
            "keep": self.ledger.ask_name,
            "tap": self.heading.tempo.tap_now,
            "clear": self.parts.draft.clear,
            "take-back": lambda: engine.deed("undo"),
            "let-go": lambda: engine.release(),
            "safe": lambda: engine.deed("safe"),
            "preferences": self.ask_preferences,
            "open": self.shows.open,
        }

    @property
    def history(self) -> GoesBack:
        """What undo goes back in: the show, or what is open in its place and has a
        history of its own.
        """
        if self.place == "rig" and self.rig.edits_type:
            return self.rig.editor
        return self.parts.document

    def _first(self, event: QKeyEvent) -> bool:
        """Alt, and a key with it, plays the page that is in front, whatever has the
        focus there.
        """
        if self.is_guest:
            return False
        if QApplication.activeModalWidget() is None and self.key_surface.key(event):
            return True
        if not is_alt(event):
            return False
        active = QApplication.activeWindow()
        if active is self:
            return self.place == "perform" and self.perform.view.key(event)
        view = getattr(active, "page_view", None)
        return view is not None and view.key(event)

    def commands(self) -> list[Entry]:
        """All that the window can be told to do, with its keys."""
        of_keys = [
            Entry(
                BY_ID[command].title,
                "place" if command in PLACES else "command",
                act,
                BY_ID[command].key,
                BY_ID[command].words,
            )
            for command, act in self._acts().items()
            if command not in ("find", "help-here")
        ]

        do = partial(Entry, sort="command")
        return [
            *of_keys,
            do(
                tr("Hand the pages to a guest…"),
                act=self.ask_guest,
                words=tr("guest helper PIN"),
            ),
            *self._of_shows(),
            *self._of_help(),
            *self._settings(),
        ]

    def _of_help(self) -> list[Entry]:
        """What tells about the program."""
        do = partial(Entry, sort="command")
        return [
            do(
                tr("Help"),
                act=lambda: self.tell("start"),
                words=tr("how manual explain F1"),
            ),
            do(
                tr("All keys"),
                act=lambda: self.tell("keys"),
                words=tr("shortcuts keyboard help"),
            ),
            do(
                tr("The first evening, in five steps"),
                act=self.evening.begin,
                words=tr("help tour begin learn start walk"),
            ),
            do(
                tr("About Choreon…"),
                act=self.tell_about,
                words=tr("version licence help"),
            ),
            *[
                Entry(title, "help", partial(self.tell, topic), words=tr("how help"))
                for topic, title in pages.titles().items()
            ],
        ]

    def _of_shows(self) -> list[Entry]:
        """What can be done with shows as files."""
        do, shows = partial(Entry, sort="command"), self.shows
        return [
            do(tr("New show…"), act=shows.new, words=tr("begin file empty sample")),
            do(
                tr("Copy the show to a file…"),
                act=shows.copy,
                words=tr("save as backup"),
            ),
            do(
                tr("Earlier versions…"),
                act=shows.versions,
                words=tr("history back changed"),
            ),
        ]

    def _settings(self) -> list[Entry]:
        """What can be set of the window."""
        found = [
            Entry(
                tr("Draw everything at {percent} %", percent=percent),
                "setting",
                partial(self._set_scale, percent),
                words=tr("size scale zoom larger smaller"),
            )
            for percent in SIZES
        ]

        high = self.settings.value("contrast") == "high"
        found.append(
            Entry(
                tr("Usual contrast") if high else tr("High contrast"),
                "setting",
                partial(self._set_contrast, not high),
            )
        )

        return found

    def _blackout(self) -> None:
        engine = self.parts.engine
        engine.set_blackout(not engine.state.masters.blackout)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys that nobody took play the page; Esc closes what is open."""
        if self.is_guest:
            event.accept()
        elif event.key() == Qt.Key.Key_Escape:
            self._close_something()
        elif not (self.place == "perform" and self.perform.view.key(event)):
            super().keyPressEvent(event)

    def _close_something(self) -> None:
        """Close what lies in front: what is said, or what is open in the place."""
        place = self.places[self.place]
        if self.ledger.asks:
            self.ledger.cancel()
        elif self.evening.isVisible():
            self.evening.end()
        elif isinstance(place, Closes) and place.escape():
            return
        elif self.notice.isVisible() and self.notice.kind != "work":
            self.notice.dismiss.click()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """What they held on ends."""
        if not (self.place == "perform" and self.perform.view.key(event)):
            super().keyReleaseEvent(event)

    def _working(self, text: str) -> None:
        if text:
            self.notice.tell(tr("{text} …", text=text), "work")
        else:
            self.notice.end("work")

    def _dismissed(self, kind: str) -> None:
        """Closing the line that tells of work lets the work go."""
        if kind == "work":
            self.parts.notices.stopped.emit()

    def _brushing(self) -> None:
        """Esc puts the brush down, wherever the keys go."""
        self._escape.setEnabled(self.parts.brush.palette is not None)

    def _learning(self, target: Ref | None) -> None:
        if target is not None:
            self.parts.brush.put_down()
        self._escape.setEnabled(target is not None)

        if target is not None:
            name = words.target_name(self.parts.document.show, target)
            self.notice.tell(
                tr(
                    "Move the control that “{name}” shall follow. Esc leaves it as it "
                    "is.",
                    name=name,
                ),
                "learn",
            )
        else:
            self.notice.end("learn")

    # what controllers ask of the window

    def _front_page(self) -> str:
        """The page that is in front, or would be."""
        if "perform" in self.places and self.perform.page_id:
            return self.perform.page_id
        return next(iter(self.parts.document.show.pages), "")

    def _turn_to(self, page: str) -> None:
        """Turn to a page, without leaving the place that is shown."""
        if page in self.parts.document.show.pages:
            self.perform.open(page)

    # guests

    @property
    def is_guest(self) -> bool:
        """Whether a guest plays."""
        return self.whole.currentIndex() > 0

    @cached_property
    def guest(self) -> GuestView:
        """What a guest sees; made when the first one comes."""
        from choreon.ui.perform.guest import GuestView

        made = GuestView(self.parts)
        made.left.connect(self.end_guest)
        self.whole.addWidget(made)
        return made

    def ask_guest(self) -> None:
        """Ask what a guest sees and may do, and hand the pages over."""
        from choreon.ui.perform.guest_dialog import GuestDialog

        dialog = GuestDialog(self.parts, self)
        dialog.exec()
        if dialog.hands_over:
            self.begin_guest()

    def begin_guest(self) -> None:
        """Hand the pages to a guest: full screen, and nothing else to be reached. A
        window that dies meanwhile comes back so.
        """
        self.learner.cancel()
        self.parts.brush.put_down()
        self.settings.setValue("guest", str(self.parts.document.path))
        self.settings.sync()
        self._let_keys(False)
        self.whole.setCurrentWidget(self.guest)
        self.guest.begin()
        self._hide_other_windows()
        self.awake.hold(tr("A guest plays the light"))
        self.showFullScreen()

    def _hide_other_windows(self) -> None:
        """Pages and pictures in windows of their own belong to the owner alone."""
        for widget in QApplication.topLevelWidgets():
            if widget is not self and widget.isVisible():
                widget.hide()
                self._hidden_windows.append(widget)

    def end_guest(self) -> None:
        """The owner is back."""
        for widget in self._hidden_windows:
            if shiboken6.isValid(widget):
                widget.show()
        self._hidden_windows = []
        self.settings.remove("guest")
        self.settings.sync()
        self.awake.release()
        self.whole.setCurrentIndex(0)
        self._let_keys(True)
        self.showNormal()

    def _let_keys(self, on: bool) -> None:
        """Have the shortcuts of the window be there, or not."""
        if on:
            for shortcut in self._kept_back:
                shortcut.setEnabled(True)
            self._kept_back = []
            return
        self._kept_back = [s for s in self.findChildren(QShortcut) if s.isEnabled()]
        for shortcut in self._kept_back:
            shortcut.setEnabled(False)

    # shows and the end

    def _menu(self) -> None:
        menu = Menu(self)
        menu.addAction(tr("New show…"), self.shows.new)
        menu.addAction(tr("Open a show… (Ctrl+O)"), self.shows.open)
        menu.addAction(tr("Copy the show to a file…"), self.shows.copy)
        menu.addAction(tr("Earlier versions…"), self.shows.versions)

        menu.addSeparator()
        menu.addAction(tr("Preferences… (Ctrl+,)"), self.ask_preferences)
        menu.addAction(tr("Help (F1)"), lambda: self.tell("start"))
        menu.addAction(tr("The first evening, in five steps"), self.evening.begin)
        menu.addAction(tr("All keys"), lambda: self.tell("keys"))

        menu.addAction(tr("About Choreon…"), self.tell_about)
        menu.addSeparator()
        menu.addAction(
            tr("The show is kept in {path}", path=self.parts.document.path)
        ).setEnabled(False)
        menu.exec(self.more.mapToGlobal(self.more.rect().topRight()))

    def tell(self, page: str) -> None:
        """Show a page of the help, in a window beside this one."""
        from choreon.ui.help.window import HelpWindow

        over = QApplication.activeModalWidget() or self
        found = over.findChildren(HelpWindow)
        if not found:
            found = [HelpWindow(over, self.evening.begin)]
        found[0].open(page)

    def tell_of(self, widget: QWidget) -> None:
        """Show the page of the help about a widget."""
        self.tell(page_of(widget))

    def tell_about(self) -> None:
        """Show the version and the licences."""
        from choreon.ui.about import About  # seldom needed, and so are its packages

        About(self).exec()

    def ask_preferences(self) -> None:
        """Ask how the window shall behave and look."""
        from choreon.ui.preferences import Preferences

        dialog = Preferences(self.settings, self)
        dialog.later.connect(self.notice.tell)
        dialog.exec()

    def _set_scale(self, percent: int) -> None:
        self.notice.tell(put_scale(self.settings, percent))

    def _set_contrast(self, on: bool) -> None:
        self.notice.tell(put_contrast(self.settings, on))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask what becomes of the light, and write everything."""
        if self.closed_for_good:
            event.accept()
            return

        if self.is_guest:
            event.ignore()  # a guest leaves by the PIN
            self.guest.ask()
            return

        answer = self.closing_answer or self._ask()
        if not answer:
            event.ignore()
            return

        self.finish(stop=answer == "stop")
        event.accept()

    @property
    def closing_answer(self) -> str:
        """What shall happen to the light on closing, as it was chosen for every time;
        empty where it is asked.
        """
        chosen = text_of(self.settings, "on_close")
        return chosen if chosen in CLOSING else ""

    def finish(self, stop: bool, fade: float = 2.0) -> None:
        """Write everything and let the engine go on, or have it fade out within `fade`
        seconds and stop.
        """
        self.closed_for_good = True
        self.learner.close()
        self._dismissed("work")
        self.settings.setValue("geometry", self.saveGeometry())
        for name, place in self.places.items():
            for key, splitter in _splitters(name, place):
                self.settings.setValue(key, splitter.saveState())
        for built in self._built.values():
            discard(built)
        self.parts.close(stop, fade)

    def _ask(self) -> str:
        dialog = CloseDialog(self)
        dialog.exec()
        if dialog.answer and dialog.remember.isChecked():
            self.settings.setValue("on_close", dialog.answer)
        return dialog.answer


def _splitters(name: str, place: QWidget) -> list[tuple[str, QSplitter]]:
    """The splitters of a place, each with the key under which its state is kept."""
    found = place.findChildren(QSplitter)
    return [(f"splitter/{name}-{i}", splitter) for i, splitter in enumerate(found)]


class CloseDialog(Dialog):
    """What happens to the light when the window closes."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.answer = ""
        self.setWindowTitle(tr("Close Choreon"))
        self.go_on = basics.button(
            tr("Let the light go on"), lambda: self._done(tr("go on")), "main"
        )

        self.stop = basics.button(tr("Fade out and stop"), lambda: self._done("stop"))

        self.cancel = basics.button(tr("Cancel"), self.reject, "quiet")
        self.remember = Tick(tr("Do the same every time"))
        basics.stack(
            self,
            basics.label(tr("What shall happen to the light?"), "big"),
            basics.label(
                tr("Everything is kept. The engine can play on without this window."),
                "soft",
            ),
            self.remember,
            basics.row(self.cancel, 1, self.stop, self.go_on),
            margins=20,
            spacing=14,
        )

    def _done(self, answer: str) -> None:
        self.answer = answer
        self.accept()
