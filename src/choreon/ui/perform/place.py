"""The place Perform: “I can hit it without looking twice.”"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property, partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QHideEvent,
    QKeyEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QStackedWidget,
    QWidget,
)

from choreon.engine.do import Do
from choreon.language import capital, plural, tr
from choreon.model import edits, givens, pages
from choreon.model.cues import stacks_of
from choreon.model.lamps import fixtures_of
from choreon.model.masters import Override
from choreon.model.refs import (
    DEEDS,
    GRAND,
    GROUP,
    PAGE,
    PALETTE,
    Ref,
    exists,
    name_of,
    to_tile,
)
from choreon.model.show import Palette
from choreon.model.tiles import (
    SEEN_ONLY,
    AimTile,
    Choice,
    ClockTile,
    ColourTile,
    CueDeed,
    CueTile,
    DeedTile,
    Dial,
    Fader,
    Flash,
    LabelTile,
    MasterTile,
    Pad,
    Page,
    PlayingTile,
    Spot,
    TempoTile,
    Tile,
)
from choreon.model.tiles import (
    parts as parts_of,
)
from choreon.model.verbs import Verb
from choreon.terms import term
from choreon.ui import kinds, renaming, theme
from choreon.ui.commands import bind
from choreon.ui.drags import all_carried
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.perform.arranging import Arranger
from choreon.ui.perform.hand import AsidePanel, LampPanel
from choreon.ui.perform.on_now import OnNow
from choreon.ui.perform.page_tabs import PageTabs
from choreon.ui.perform.page_view import PageView
from choreon.ui.perform.rig_page_dialog import RigPageDialog
from choreon.ui.stage.mini import MiniStages
from choreon.ui.stage.picture import StagePicture
from choreon.ui.tiles import TileWidget
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu

if TYPE_CHECKING:
    from choreon.ui.perform.inspector import Inspector
    from choreon.ui.perform.page_form import PageForm

SIDE, NARROW = 300, 240  # pixels of what is on now; where there is little room
ROOMY = 1000  # pixels of the whole place
ALL_EVENTS = tr("All pages")
NEW_EVENT = tr("New event…")
ARRANGING = tr("Arranging: nothing plays from this page. Esc plays it again.")


class PerformPlace(QWidget):
    """The page on the left; on the right, always in the same spot, the stage and what
    is on; while it is arranged, what is said of the tiles in hand.
    """

    guest_wanted = Signal()
    """The pages are to be handed to a guest."""
    led_to = Signal(str)
    """The path of a thing to be shown."""
    LATER = ("page_form", "inspector")
    """What of it is made when it is first needed, or got ready before."""

    def __init__(self, parts: Parts, learner: Learner) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self.minis = MiniStages(parts, self)
        self.event_name = ""
        self.windows: list[PageWindow] = []

        self._shown: tuple[object, ...] = ()
        self.setAcceptDrops(True)
        self.view = PageView(parts, self.minis)
        self.view.menu_wanted.connect(self._tile_menu)
        self.arranger = Arranger(parts, self.view)

        self.arranger.ended.connect(lambda: self.arrange(False))
        self.arranger.into.connect(self._into_inspector)
        self.banner = basics.label(ARRANGING, "keep")
        self.banner.setStyleSheet(
            f"background: {theme.KEEP}; color: {theme.PIT}; padding: 6px 12px;"
            f"border-radius: {theme.RADIUS}px; font-weight: 600;"
        )
        self.banner.hide()
        left = QWidget()
        basics.stack(left, self._head(), self.banner, self.view, spacing=8)

        basics.grow(left, 2)
        self.stage = StagePicture(parts)
        self.stage.setFixedHeight(170)
        self.lamp = LampPanel(parts)
        self.lamp.wanted.connect(self._lead)

        self.aside = AsidePanel(parts)
        self.on_now = OnNow(parts)
        self.on_now.setMinimumHeight(150)
        playing = QWidget()
        basics.stack(
            playing, self.stage, self.lamp, self.aside, self.on_now, spacing=8
        ).setStretch(3, 1)

        self.right = QStackedWidget()
        self.right.setFixedWidth(SIDE)
        self.right.addWidget(playing)
        box = QHBoxLayout(self)
        box.setContentsMargins(12, 0, 8, 8)

        box.setSpacing(12)
        box.addWidget(left, 1)
        box.addWidget(self.right)
        self._shortcuts()
        parts.document.show_changed.connect(lambda _: self._fill())

        self._fill()

    def _head(self) -> QWidget:
        self.tabs = PageTabs(40, 16)
        self.tabs.wanted.connect(self.open)
        self.tabs.hovered.connect(self.go)
        self.tabs.menu_wanted.connect(self._page_menu)
        self.events = QComboBox()
        self.events.setToolTip(tr("The pages of one event, or all of them"))

        self.events.setAccessibleName(tr("Event"))
        self.events.activated.connect(self._event_chosen)
        self.add_button = basics.button(
            tr("Add a tile"),
            self._add_menu,
            "quiet",
            "plus",
            tr("Put a tile on this page"),
        )

        self.rig_button = basics.button(
            tr("From the rig…"),
            self.ask_rig_page,
            "quiet",
            "rig",
            tr("Lay out what the rig can do: levels, colours, aims, beams, motions"),
        )

        self.tidy_button = basics.button(
            tr("Tidy"),
            self.arranger.tidy,
            "quiet",
            "grid",
            tr("Close the gaps of the page"),
        )

        self.arrange_button = basics.button(
            tr("Arrange"),
            lambda: self.arrange(not self.arranger.on),
            "quiet",
            "arrange",
            tr("Place, size and change the tiles of this page (Ctrl+E)"),
        )

        self.arrange_button.setCheckable(True)
        self.aside_button = basics.tool(
            "hold",
            tr("Aside: take a group, or the fixtures chosen, out of what plays"),
            self._aside_menu,
        )

        self.guest_button = basics.tool(
            "guest",
            tr("Guest: hand the pages to someone who shall only play them"),
            self.guest_wanted.emit,
        )

        self.events.setMaximumWidth(150)
        self.new_button = basics.tool("plus", tr("New page"), self.new_page)
        return flow(
            self.events,
            self.tabs,
            self.new_button,
            1,
            self.rig_button,
            self.add_button,
            self.tidy_button,
            self.arrange_button,
            self.aside_button,
            self.guest_button,
            spacing=4,
        )

    def _shortcuts(self) -> None:
        bind(self, "arrange", lambda: self.arrange(not self.arranger.on))

    # what is made when it is first needed

    @cached_property
    def page_form(self) -> PageForm:
        """What a page is."""
        from choreon.ui.perform.page_form import PageForm

        made = PageForm(self.parts, self.view)
        made.fill()
        return made

    @cached_property
    def inspector(self) -> Inspector:
        """What tiles in hand are."""
        from choreon.ui.perform.inspector import Inspector

        made = Inspector(self.parts, self.arranger, self.page_form)
        made.fill()
        self.right.addWidget(made)
        return made

    # pages

    @property
    def page_id(self) -> str:
        """The page that is shown."""
        return self.view.page_id

    @property
    def tiles(self) -> dict[str, TileWidget]:
        """The tiles on it."""
        return self.view.tiles

    @property
    def body(self) -> QWidget:
        """What the tiles lie on."""
        return self.view.body

    def pages(self) -> list[Page]:
        """The pages of the event that is chosen."""
        return pages.pages_of(self.parts.document.show, self.event_name)

    def _fill(self) -> None:
        show = self.parts.document.show
        if self.event_name not in pages.events(show):
            self.event_name = ""

        known = [page.id for page in self.pages()]
        if self.page_id not in known:
            self.view.go(known[0] if known else "")

        shown = (show.pages, self.page_id, self.event_name)
        if self._shown and shown == self._shown and shown[0] is self._shown[0]:
            return

        self._shown = shown
        self.fill_events()
        self.tabs.fill(self.pages(), self.page_id)
        shown_page = self.view.page
        is_empty = shown_page is not None and not shown_page.tiles
        self.add_button.setVisible(is_empty or self.arranger.on)
        self.rig_button.setVisible(is_empty or self.arranger.on)

        self.arrange_button.setEnabled(bool(known))
        self.tidy_button.setVisible(self.arranger.on)
        self.aside.page_id = self.page_id

    def fill_events(self) -> None:
        """Offer the sets of pages that there are."""
        events = pages.events(self.parts.document.show)
        self.events.clear()
        for name in (ALL_EVENTS, *events, NEW_EVENT):
            self.events.addItem(name)
        if self.event_name in events:
            self.events.setCurrentIndex(1 + events.index(self.event_name))

    def _page_menu(self, page_id: str, point: QPoint) -> None:
        page = self.parts.document.show.pages.get(page_id)
        if page is not None:
            self.page_menu(page).exec(point)

    def open(self, page_id: str) -> None:
        """Turn to a page by hand: it does what it does when it is opened."""
        self.go(page_id)
        if not self.arranger.on:
            self.parts.engine.send(Do(Ref(PAGE, page_id), Verb.PRESS))

    def go(self, page_id: str) -> None:
        """Turn to a page."""
        page = self.parts.document.show.pages.get(page_id)
        if page is not None and self.event_name not in ("", page.event):
            self.event_name = ""
        self.view.go(page_id)
        self._fill()

    def new_page(self) -> None:
        """A new, empty page of this event."""
        show, page_id = edits.add_page(self.parts.document.show, tr("Page"))
        page = edits.replace(show.pages[page_id], event=self.event_name)
        self.parts.document.edit(tr("new page"), edits.put(show, "pages", page))
        self.go(page_id)

    def page_menu(self, page: Page) -> QMenu:
        """What can be done with a page."""
        menu, show = Menu(self), self.parts.document.show
        menu.addAction(tr("Rename…"), lambda: self.rename_page(page))
        menu.addAction(tr("Copy"), lambda: self._copy_page(page))
        into = menu.addMenu(tr("Belongs to"))

        for event in ("", *pages.events(show)):
            into.addAction(
                event or tr("No event"), partial(self._set_event, page, event)
            )

        into.addAction(NEW_EVENT, lambda: self._set_event(page, self._ask_event()))
        menu.addSeparator()
        menu.addAction(
            tr("Open in a window of its own"), lambda: self.open_window(page.id)
        )
        menu.addSeparator()
        order = list(show.pages)
        place = order.index(page.id)

        ref = Ref(PAGE, page.id)
        for words, by in ((tr("Further left"), -1), (tr("Further right"), 1)):
            menu.addAction(words, partial(self._move_page, ref, place + by))

        menu.addSeparator()
        menu.addAction(tr("Delete"), lambda: self._delete_page(page))
        return menu

    def _delete_page(self, page: Page) -> None:
        show = edits.drop(self.parts.document.show, "pages", [page.id])
        show = givens.tidied(show)
        self.parts.document.edit(tr("delete the page {name}", name=page.name), show)

    def _move_page(self, ref: Ref, index: int) -> None:
        show = edits.move(self.parts.document.show, ref, index)
        self.parts.document.edit(tr("move a page"), show)

    def _copy_page(self, page: Page) -> None:
        show, page_id = pages.copy_page(self.parts.document.show, page.id)
        self.parts.document.edit(tr("copy the page {name}", name=page.name), show)
        self.go(page_id)

    def _set_event(self, page: Page, event: str | None) -> None:
        if event is None or event == page.event:
            return
        changed = edits.replace(page, event=event)
        show = edits.put(self.parts.document.show, "pages", changed)
        self.parts.document.edit(tr("event of the page {name}", name=page.name), show)

    def _ask_event(self) -> str | None:
        name, sure = QInputDialog.getText(
            self, tr("New event"), tr("Name of the event")
        )
        return name.strip() if sure and name.strip() else None

    def _event_chosen(self, index: int) -> None:
        name = self.events.itemText(index)
        if name == NEW_EVENT:
            self._new_event()
            return
        self.event_name = "" if name == ALL_EVENTS else name
        self._fill()

    def _new_event(self) -> None:
        """A new event with copies of the pages that are shown now."""
        name = self._ask_event()
        show = self.parts.document.show
        if name is not None:
            show, name = pages.copy_event(show, self.event_name, name)
            self.parts.document.edit(tr("new event {name}", name=name), show)
            self.event_name = name
        self.fill_events()
        self._fill()

    def rename_page(self, page: Page) -> None:
        """Ask for another name of a page."""
        renaming.ask(self, self.parts, Ref(PAGE, page.id), tr("Rename the page"))

    def open_window(self, page_id: str) -> PageWindow:
        """Open a page in a window of its own, for a second screen."""
        window = PageWindow(self.parts, self.minis, page_id, self)
        self.windows = [w for w in self.windows if w.isVisible()] + [window]
        window.show()
        return window

    # arranging

    def arrange(self, on: bool) -> None:
        """Arrange the page, or play it again."""
        if on and self.view.page is None:
            return

        self.arrange_button.setChecked(on)
        self.banner.setVisible(on)
        self.tidy_button.setVisible(on)
        self.add_button.setVisible(on or not self.tiles)
        self.rig_button.setVisible(on or not self.tiles)
        self.right.setCurrentIndex(0)

        if on:
            self.right.setCurrentWidget(self.inspector)
            self.arranger.begin()
            self.page_form.fill()

            if self.arranger.panes:
                self.arranger.panes[0].setFocus()
        else:
            self.arranger.end()

        self._share_room()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """While the page is arranged, keys do something to the tiles in hand."""
        focus = QApplication.focusWidget()
        beside = focus is not None and self.right.isAncestorOf(focus)
        is_escape = event.key() == Qt.Key.Key_Escape
        # what a field beside the page did not take is not meant for the tiles
        mine = self.arranger.on and (is_escape or not beside)
        if not (mine and self.arranger.key(event)):
            super().keyPressEvent(event)

    def _into_inspector(self) -> None:
        """The keys go on to what the tiles in hand are."""
        for widget in self.inspector.form.findChildren(QWidget):
            if widget.isVisible() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                return

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the page gets more of it."""
        super().resizeEvent(event)
        self._share_room()

    def _share_room(self) -> None:
        narrow = self.width() < ROOMY and not self.arranger.on
        self.right.setFixedWidth(NARROW if narrow else SIDE)

    def hideEvent(self, event: QHideEvent) -> None:
        """Whoever goes elsewhere is done arranging."""
        if self.arranger.on and not self.isVisible():
            self.arrange(False)
        super().hideEvent(event)

    # tiles

    def _tile_menu(self, tile_id: str, point: QPoint) -> None:
        self.tile_menu(tile_id).exec(point)

    def tile_menu(self, tile_id: str) -> QMenu:
        """What can be done with a tile."""
        menu, show = Menu(self), self.parts.document.show
        ref, widget = to_tile(tile_id), self.tiles[tile_id]
        tile, engine = widget.tile, self.parts.engine

        def do(verb: Verb, value: float = 1.0) -> None:
            engine.send(Do(ref, verb, value))

        if isinstance(tile, PlayingTile):
            menu.addAction(tr("Half as fast"), lambda: do(Verb.HALF))
            menu.addAction(tr("Twice as fast"), lambda: do(Verb.DOUBLE))
            menu.addAction(tr("Fade time…"), lambda: self._ask_fade(widget))

        if isinstance(tile, PlayingTile | Dial):
            menu.addAction(tr("As it is kept"), lambda: do(Verb.STORED))

        if tile.kind not in SEEN_ONLY:
            menu.addAction(tr("Let it go"), lambda: do(Verb.RELEASE))
            menu.addSeparator()
            menu.addAction(
                theme.icon("link"),
                tr("Learn a control…"),
                lambda: self.learner.start(ref),
            )

        if any(known.target == ref for known in show.inputs.values()):
            menu.addAction(
                theme.icon("unlink"), tr("Unlearn"), lambda: self.learner.forget(ref)
            )

        lamps = fixtures_of(show, tile.leads_to)
        if lamps:
            menu.addAction(
                theme.icon("hold"),
                tr("Take its fixtures aside"),
                partial(engine.take_aside, lamps),
            )

        menu.addSeparator()
        menu.addAction(
            theme.icon("arrange"), tr("Arrange…"), lambda: self._arrange_one(tile_id)
        )
        menu.addAction(tr("Move earlier"), lambda: self._shift(tile_id, -1))
        menu.addAction(tr("Move later"), lambda: self._shift(tile_id, 1))

        if isinstance(tile, Pad):
            menu.addAction(tr("One at a time with…"), lambda: self._ask_choice(widget))

        menu.addAction(
            theme.icon("trash"), tr("Take off the page"), lambda: self._remove(widget)
        )
        return menu

    def _arrange_one(self, tile_id: str) -> None:
        self.arrange(True)
        self.arranger.choose((tile_id,))

    def _shift(self, tile_id: str, by: int) -> None:
        """Change places with the tile before, or after, as they are read."""
        show, page = self.parts.document.show, self.view.page
        if page is None:
            return

        order = [widget.tile.id for widget in self.view.in_order()]
        here = order.index(tile_id) if tile_id in order else -1
        there = here + by

        if here < 0 or not 0 <= there < len(order):
            return

        spots = pages.all_spots(page)
        other = order[there]
        mine, its = spots[tile_id], spots[other]
        where = {
            tile_id: edits.replace(mine, x=its.x, y=its.y),
            other: edits.replace(its, x=mine.x, y=mine.y),
        }

        if mine.h == its.h and mine.y == its.y and mine.w != its.w and by > 0:
            where[other] = edits.replace(its, x=mine.x)
            where[tile_id] = edits.replace(mine, x=mine.x + its.w)

        show = pages.place(show, page.id, where)
        show = edits.move(show, to_tile(tile_id), there)
        self.parts.document.edit(tr("move {name}", name=self.tiles[tile_id].name), show)

    def _remove(self, widget: TileWidget) -> None:
        name, ref = widget.name, widget.tile.ref
        show = edits.remove(self.parts.document.show, ref)
        self.parts.document.edit(tr("take {name} off the page", name=name), show)
        text = tr(
            "{name} is off the page; what it played stays. Ctrl+Z brings it back.",
            name=name,
        )
        self.parts.notices.told.emit(text, "info")

    def _ask_fade(self, widget: TileWidget) -> None:
        seconds, sure = QInputDialog.getDouble(
            self,
            tr("Fade time"),
            tr("{name} comes and goes in, seconds", name=widget.name),
            2.0,
            0,
            600,
        )
        if sure:
            self.parts.engine.send(Do(widget.tile.ref, Verb.FADE, seconds))

    def _ask_choice(self, widget: TileWidget) -> None:
        page = self.view.page
        known = [t.choice for t in page.tiles if isinstance(t, Pad)] if page else []
        text, sure = QInputDialog.getItem(
            self,
            tr("One at a time"),
            tr(
                "Pads of one choice exclude each other and crossfade.\nName of the "
                "choice (empty: none)"
            ),
            ["", *dict.fromkeys(name for name in known if name)],
            editable=True,
        )

        if sure:
            show = edits.change(
                self.parts.document.show, widget.tile.ref, choice=text.strip()
            )
            self.parts.document.edit(tr("choice of {name}", name=widget.name), show)

    def _aside_menu(self) -> None:
        self.aside_menu().exec(
            self.aside_button.mapToGlobal(self.aside_button.rect().bottomLeft())
        )

    def aside_menu(self) -> QMenu:
        """Whom to take aside, and the way back."""
        menu, show, engine = Menu(self), self.parts.document.show, self.parts.engine
        chosen = self.parts.selection.chosen
        if chosen:
            text = plural(len(chosen), "The fixture chosen", "The {n} fixtures chosen")
            menu.addAction(text, partial(engine.take_aside, list(chosen)))
        for group in show.groups.values():
            menu.addAction(group.name, partial(engine.take_aside, list(group.fixtures)))
        menu.addSeparator()
        back = menu.addAction(tr("Bring all back"), lambda: engine.bring_back())
        back.setEnabled(bool(engine.state.aside))
        return menu

    # adding

    def _add_menu(self) -> None:
        self.add_menu().exec(
            self.add_button.mapToGlobal(self.add_button.rect().bottomLeft())
        )

    def ask_rig_page(self) -> None:
        """Ask what of the rig is to be on the page, and lay it out."""
        show = self.parts.document.show
        if self.page_id not in show.pages:
            return
        dialog = RigPageDialog(show, self.page_id, self)
        if dialog.exec():
            # what became of the show meanwhile, by a line that is recorded say, is kept
            now = self.parts.document.show
            made = dialog.made_of(now)
            if made is not now:
                self.parts.document.edit(tr("a page from the rig"), made)

        discard(dialog)

    def add_menu(self) -> QMenu:
        """All that can be put on a page."""
        menu = Menu(self)
        menu.addAction(tr("A page from the rig…"), self.ask_rig_page)
        self._add_played(menu)
        self._add_of_groups(menu)
        menu.addSeparator()
        for title, plain in PLAIN.items():
            menu.addAction(title, partial(self.add, plain))
        sub = menu.addMenu(tr("GO of a stack"))
        for stack in stacks_of(self.parts.document.show):
            for does, what in CUE_TILES.items():
                text = tr("{name}: {what}", name=stack.name, what=what)
                tile = CueTile(id="", of=stack.ref, does=does)
                sub.addAction(text, partial(self.add, tile))
        sub.setEnabled(not sub.isEmpty())
        sub = menu.addMenu(tr("For all that plays"))
        for deed, title in DEEDS.items():
            sub.addAction(title, partial(self.add, DeedTile(id="", deed=deed)))
        return menu

    def _add_played(self, menu: QMenu) -> None:
        """What plays scenes and chases."""
        playables = kinds.on_shelf(self.parts.document.show.playables.values())
        for kind, title in PLAYED.items():
            sub = menu.addMenu(title)
            for playable in playables:
                sub.addAction(playable.name, partial(self.add_tile, playable.ref, kind))
            sub.setEnabled(bool(playables))
        sub = menu.addMenu(tr("Dial of"))
        for playable in playables:
            dial = Dial(id="", of=(playable.ref,))
            sub.addAction(playable.name, partial(self.add, dial))
        sub.setEnabled(bool(playables))

    def _add_of_groups(self, menu: QMenu) -> None:
        """What acts on groups: colour, aim, masters, override faders."""
        show = self.parts.document.show
        groups = {Ref(GROUP, i): group.name for i, group in show.groups.items()}
        self._add_given(menu, groups)

        for title, kind_of in ((tr("Colour of"), ColourTile), (tr("Aim of"), AimTile)):
            sub = menu.addMenu(title)
            for ref, name in groups.items():
                sub.addAction(name, partial(self.add, kind_of(id="", of=(ref,))))

            sub.setEnabled(bool(groups))

        sub = menu.addMenu(tr("Master"))
        for master in show.masters.values():
            if master.ref.id != "tempo":
                tile_of = MasterTile(id="", drives=master.ref)
                sub.addAction(master.name, partial(self.add, tile_of))

        sub.addSeparator()
        for ref, name in groups.items():
            sub.addAction(
                tr("New master over {name}", name=name), partial(self._new_master, ref)
            )

        over = menu.addMenu(tr("Override fader of"))
        for ref, name in groups.items():
            over.addAction(name, partial(self._new_override, ref))

        over.setEnabled(bool(groups))

    def _add_given(self, menu: QMenu, groups: Mapping[Ref, str]) -> None:
        """Palettes of a group, family by family, without a scene."""
        show = self.parts.document.show
        whole = menu.addMenu(tr("Palettes of a group"))
        for ref, name in groups.items():
            families = givens.families_for(show, ref)
            if not families:
                continue
            sub = whole.addMenu(name)
            for family in families:
                own = givens.palettes_for(show, ref, family)
                called = capital(term(family))
                strip = tr("{family}: one strip", family=called)
                sub.addAction(strip, partial(self.add_of_group, ref, own, Choice.kind))
                pads = tr("{family}: pads, one on at a time", family=called)
                sub.addAction(pads, partial(self.add_of_group, ref, own, Pad.kind))
        whole.setEnabled(not whole.isEmpty())

    def add_tile(self, plays: Ref, kind: str, choice: str = "") -> None:
        """Put something that plays on the page that is shown."""
        made = {k.kind: k for k in (Pad, Flash, Fader, Choice)}[kind]
        tile = made(id="", plays=parts_of(plays))
        if choice and isinstance(tile, Pad):
            tile = edits.replace(tile, choice=choice)
        tile = edits.replace(tile, id=f"{plays.id} {kind}")
        self.add(tile)

    def add(self, tile: Tile, spot: Spot | None = None, section: str = "") -> str:
        """Put a tile on the page that is shown. Returns its id."""
        show = self.parts.document.show
        if self.page_id not in show.pages:
            return ""
        show, tile_id = pages.add(show, self.page_id, tile, spot, section)
        name, page = name_of(show, to_tile(tile_id)), show.pages[self.page_id]
        self.parts.document.edit(
            tr("put {name} on {name2}", name=name, name2=page.name), show
        )
        if self.arranger.on:
            self.arranger.choose((tile_id,))
        return tile_id

    def _new_master(self, over: Ref) -> None:
        show, ref = pages.add_group_master(self.parts.document.show, (over,))
        self._with_master(show, ref)

    def _new_override(self, over: Ref) -> None:
        show = self.parts.document.show
        names = [master.name for master in show.masters.values()]
        name = edits.fresh_name(
            tr("{name_of} override", name_of=name_of(show, over)), names
        )
        master_id = edits.fresh_id(name, show.masters)
        made = Override(id=master_id, name=name, over=(over,))
        self._with_master(edits.put(show, "masters", made), made.ref)

    def _with_master(self, show: object, ref: Ref) -> None:
        after, _ = pages.add(show, self.page_id, MasterTile(id="", drives=ref))  # type: ignore[arg-type]
        self.parts.document.edit(
            tr("put {name_of} on a page", name_of=name_of(after, ref)), after
        )

    # dropping

    def _carried(self, event: QDropEvent) -> list[Ref]:
        """What is dragged, as far as it is there."""
        show = self.parts.document.show
        refs = [ref for ref in all_carried(event.mimeData()) if exists(show, ref)]
        return refs if self.page_id else []

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """What can be a tile may be dropped here."""
        if self._carried(event):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Anywhere on the page."""
        if self._carried(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """What is let go over the page becomes the tile that fits it; over a tile that
        plays things it is one more of them, over a pad of a choice one of that choice.
        """
        refs = self._carried(event)
        if not refs:
            return
        event.acceptProposedAction()
        self.drop(refs, self.view.body.mapFrom(self, event.position()))

    def drop(self, refs: Sequence[Ref], point: QPointF) -> None:
        """Put things on the page at a point of it."""
        show = self.parts.document.show
        played = [ref for ref in refs if ref.id in show.playables]
        widget = next((w for w in self.tiles.values() if _is_in(w, point, self)), None)

        if played and widget is not None and self._drop_on(widget.tile, played):
            return
        if widget is not None and self._palettes_on(widget.tile, refs):
            return

        show, made = pages.fitting(show, refs)
        if made is None:
            text = (
                tr("None of the fixtures can do anything with this palette.")
                if refs[0].kind == PALETTE
                else tr(
                    "This makes no tile by itself: keep it in a scene, and drag that."
                )
            )
            self.parts.notices.told.emit(text, "alarm")

            return

        spot, section = self._spot_at(point, made)
        after, tile_id = pages.add(show, self.page_id, made, spot, section)
        name = name_of(after, to_tile(tile_id))
        self.parts.document.edit(tr("put {name} on the page", name=name), after)

    def _palettes_on(self, tile: Tile, refs: Sequence[Ref]) -> bool:
        """Put palettes on a tile of a group: they are of that group, too. Returns
        whether it is one, and could take any.
        """
        show = self.parts.document.show
        group = givens.group_of_tile(show, tile)
        wanted = [show.palettes[ref.id] for ref in refs if ref.kind == PALETTE]
        taken = [one for one in wanted if group and givens.takes(show, group, one)]
        if group is None or not taken:
            return False

        if isinstance(tile, Choice):
            after, made = givens.choice_of(show, group, taken)
            plays, names = (*tile.plays, *made.plays), (*tile.names, *made.names)
            after = pages.change(after, tile.id, plays=plays, names=names)
            self.parts.document.edit(tr("one look more in a choice"), after)
        else:
            self.add_of_group(group, taken, Pad.kind)
        return True

    def add_of_group(self, group: Ref, palettes: Sequence[Palette], kind: str) -> None:
        """Put palettes of a group on the page: as one strip, or as pads."""
        show = self.parts.document.show
        if self.page_id not in show.pages or not palettes:
            return
        if kind == Choice.kind:
            after, strip = givens.choice_of(show, group, palettes)
            tiles: Sequence[Tile] = (strip,)
        else:
            after, tiles = givens.pads_of(show, group, palettes)
        ids = []
        for tile in tiles:
            after, tile_id = pages.add(after, self.page_id, tile)
            ids.append(tile_id)
        name = tr("put palettes of {group} on the page", group=name_of(show, group))
        self.parts.document.edit(name, after)
        if self.arranger.on:
            self.arranger.choose(tuple(ids))

    def _drop_on(self, tile: Tile, played: list[Ref]) -> bool:
        """Put things that play on a tile that takes more of them, or beside one that
        sets an example. Returns whether it does.
        """
        if isinstance(tile, Fader):
            self.add_tile(played[0], Fader.kind)
        elif isinstance(tile, Choice):
            plays = (*tile.plays, *parts_of(*played))
            after = pages.change(self.parts.document.show, tile.id, plays=plays)
            self.parts.document.edit(tr("one look more in a choice"), after)
        elif isinstance(tile, Pad) and tile.choice:
            self.add_tile(played[0], Pad.kind, tile.choice)
        else:
            return False

        return True

    def _spot_at(self, point: QPointF, tile: Tile) -> tuple[Spot | None, str]:
        # the lowest that begins above the point: below the last there is room too
        above = [
            (section, grid)
            for section, grid in self.view.grids.items()
            if grid.isVisible() and grid.y() <= point.y()
        ]

        if not above:
            return None, ""

        section, grid = above[-1]
        column, row = grid.cell_at(point - QPointF(grid.pos()))
        width, height = tile.size
        spot = Spot(max(0, column), max(0, row), width, height)
        free = not any(spot.overlaps(s) for s in grid.spots.values())

        return (spot if free else None), section

    # leading to things

    def _lead(self, ref: Ref) -> None:
        """Show what lights a lamp: its tile where there is one on a page, else where it
        is changed.
        """
        show = self.parts.document.show
        for page in show.pages.values():
            for tile in page.tiles:
                if tile.ref == ref or ref in tile.leads_to:
                    self.go(page.id)
                    self.tiles[tile.id].setFocus()
                    return

        if ref.id in show.playables:
            self.led_to.emit(f"playables/{ref.id}")
        elif ref.kind == GRAND.kind:
            text = tr("{name_of} is in the heading.", name_of=name_of(show, ref))
            self.parts.notices.told.emit(text, "info")
        else:
            self.led_to.emit("")


def _is_in(widget: TileWidget, point: QPointF, place: PerformPlace) -> bool:
    there = widget.mapFrom(place.view.body, point)
    return widget.isVisible() and widget.rect().contains(there.toPoint())


PLAYED = {
    Pad.kind: tr("As a pad"),
    Flash.kind: tr("As a flash"),
    Fader.kind: tr("As a fader"),
    Choice.kind: tr("As a choice, with"),
}
CUE_TILES = {
    CueDeed.GO: tr("GO"),
    CueDeed.BACK: tr("back"),
    CueDeed.LIST: tr("GO with a short list"),
}
PLAIN: dict[str, Tile] = {
    tr("Tempo"): TempoTile(id="tempo"),
    tr("Clock"): ClockTile(id="clock"),
    tr("Label"): LabelTile(id="label", name=tr("Label")),
}


class PageWindow(QFrame):
    """A page in a window of its own: played there as in the main window."""

    def __init__(
        self, parts: Parts, minis: MiniStages, page_id: str, parent: QWidget
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.parts = parts
        self.setStyleSheet(f"PageWindow {{ background: {theme.PIT}; }}")
        self.view = self.page_view = PageView(parts, minis)
        self.view.go(page_id)
        basics.stack(self, self.view, margins=12)
        self.resize(900, 600)
        parts.document.show_changed.connect(lambda _: self._name())
        self._name()

    def _name(self) -> None:
        page = self.view.page
        if page is None:
            self.close()  # the page is gone
        else:
            self.setWindowTitle(tr("{name} — Choreon", name=page.name))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F11 fills the screen with it, Esc no more."""
        if event.key() == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        elif event.key() == Qt.Key.Key_Escape and self.isFullScreen():
            self.showNormal()
        elif not self.view.key(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """What a key held on ends."""
        if not self.view.key(event):
            super().keyReleaseEvent(event)
