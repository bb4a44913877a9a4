"""The place Perform: “I can hit it without looking twice.”"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragLeaveEvent,
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
from choreon.language import plural, tr
from choreon.model import edits, givens, offers, pages
from choreon.model.lamps import fixtures_of
from choreon.model.refs import (
    GRAND,
    PAGE,
    Ref,
    name_of,
    to_tile,
)
from choreon.model.tiles import (
    SEEN_ONLY,
    AnyTile,
    Dial,
    Pad,
    Page,
    PlayingTile,
    Spot,
)
from choreon.model.verbs import Verb
from choreon.ui import renaming, theme
from choreon.ui.commands import bind
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.perform.arranging import Arranger
from choreon.ui.perform.group_dialog import GroupDialog
from choreon.ui.perform.hand import AsidePanel, LampPanel
from choreon.ui.perform.on_now import OnNow
from choreon.ui.perform.page_tabs import PageTabs
from choreon.ui.perform.page_view import PageView
from choreon.ui.perform.putting import Carried, Putting
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
    from choreon.ui.perform.shelf import ArrangeShelf

SIDE, NARROW = 300, 240  # pixels of what is on now; where there is little room
BESIDE = 260  # pixels of what is said of tiles, beside a shelf and a page
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
    LATER = ("page_form", "inspector", "shelf")
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
        self.arranger.shelf_wanted.connect(self._to_shelf)
        self.banner = basics.label(ARRANGING, "keep")
        self.banner.setStyleSheet(
            f"background: {theme.KEEP}; color: {theme.PIT}; padding: 6px 12px;"
            f"border-radius: {theme.RADIUS}px; font-weight: 600;"
        )
        self.banner.hide()
        self.putting = Putting(parts, self.view, self.arranger)
        left = QWidget()
        self.middle = basics.row(self.view, spacing=12)
        basics.stack(left, self._head(), self.banner, self.middle, spacing=8)

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
            self.ask_for_tiles,
            "quiet",
            "plus",
            tr("The shelf beside the page: all that can be put on it"),
        )
        self.add_button.setCheckable(True)

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

    @cached_property
    def shelf(self) -> ArrangeShelf:
        """What can be put on the page."""
        from choreon.ui.perform.shelf import ArrangeShelf

        made = ArrangeShelf(self.parts, self.minis)
        made.put.connect(self.putting.put)
        made.joins.connect(self.putting.join)
        self.arranger.changed.connect(self._tell_in_hand)
        made.hide()
        layout = self.middle.layout()
        assert isinstance(layout, QHBoxLayout)
        layout.insertWidget(0, made)
        return made

    def _tell_in_hand(self) -> None:
        """Tell the shelf which tile could take what is chosen there."""
        ids = self.arranger.chosen
        alone = self.tiles.get(ids[0]) if len(ids) == 1 else None
        self.shelf.show_in_hand("" if alone is None else alone.name)

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
        for_others = menu.addAction(
            tr("Copy for another group…"), lambda: self.copy_for_others(page)
        )
        for_others.setEnabled(bool(offers.groups_on(show, page.tiles)))
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

    def copy_for_others(self, page: Page) -> None:
        """Ask which groups a copy of a page has in the places of those it has."""
        show = self.parts.document.show
        groups = offers.groups_on(show, page.tiles)
        title = tr("Copy {name} for another group", name=page.name)
        dialog = GroupDialog(show, groups, title, self)
        if dialog.exec():
            show = self.parts.document.show
            show, made = offers.copy_page_for(show, page.id, dialog.groups())
            name = tr("copy the page {name}", name=page.name)
            self.parts.document.edit(name, show)
            self.go(made)
        discard(dialog)

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
        self.aside_button.setVisible(not on)
        self.guest_button.setVisible(not on)
        self.right.setCurrentIndex(0)

        if on:
            self.right.setCurrentWidget(self.inspector)
            self.arranger.begin()
            self.page_form.fill()

            if self.arranger.panes:
                self.arranger.panes[0].setFocus()
        else:
            self.arranger.end()

        self.show_shelf(on and (self.width() >= ROOMY or not self.tiles))

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

    def _name_buttons(self) -> None:
        """While the page is arranged its bar holds more, of which less is said."""
        for button in (self.rig_button, self.tidy_button):
            named = button.accessibleName()
            button.setText("" if self.arranger.on else named)
        self.add_button.setText(tr("Shelf") if self.arranger.on else tr("Add a tile"))

    def _share_room(self) -> None:
        narrow = self.width() < ROOMY
        shelved = "shelf" in self.__dict__ and not self.shelf.isHidden()
        self.right.setVisible(not (narrow and shelved))
        wide = BESIDE if shelved else SIDE
        self.right.setFixedWidth(NARROW if narrow and not self.arranger.on else wide)

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

    def ask_for_tiles(self) -> None:
        """Open the shelf beside the page, which is arranged then; or close it."""
        if not self.arranger.on:
            self.arrange(True)
            self.show_shelf(True)
        else:
            self.show_shelf(self.shelf.isHidden())
        if self.shelf.isVisible():
            self.shelf.search.setFocus()

    def _to_shelf(self) -> None:
        """What the tile in hand could take beside is on the shelf."""
        self.show_shelf(True)
        self.shelf.search.setFocus()

    def show_shelf(self, on: bool) -> None:
        """Have the shelf stand beside the page, or not; where there is little room it
        takes that of what is said of the tiles.
        """
        self.add_button.setChecked(on and self.arranger.on)
        self._name_buttons()
        if on:
            self.shelf.show()
        elif "shelf" in self.__dict__:
            self.shelf.hide()
        self._share_room()

    def add_tile(self, plays: Ref, kind: str) -> None:
        """Put something that plays on the page that is shown, as a pad, say."""
        self.putting.put((plays,), kind, None)

    def add(self, tile: AnyTile, spot: Spot | None = None, section: str = "") -> str:
        """Put a tile on the page that is shown. Returns its id."""
        return self.putting.add(tile, spot, section)

    # dropping

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """What can be a tile may be dropped here."""
        if self.putting.carried(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Anywhere on the page; where it would lie is seen while it is arranged."""
        carried = self.putting.carried(event.mimeData())
        if carried is None:
            return
        event.acceptProposedAction()
        self.view.scroll_at_edge(self.view.mapFrom(self, event.position().toPoint()))
        if self.arranger.on:
            point = self.view.body.mapFrom(self, event.position())
            self.arranger.show_ghosts(*self.putting.ghosts(carried, point))

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        """It is taken elsewhere."""
        self.arranger.show_ghosts("", ())

    def dropEvent(self, event: QDropEvent) -> None:
        """What is let go over the page becomes the tile that fits it; over a tile that
        takes such things it joins that, over a pad of a choice it is one of that
        choice.
        """
        self.arranger.show_ghosts("", ())
        carried = self.putting.carried(event.mimeData())
        if carried is not None:
            event.acceptProposedAction()
            point = self.view.body.mapFrom(self, event.position())
            self.putting.drop(carried, point)

    def drop(self, refs: Sequence[Ref], point: QPointF) -> None:
        """Put things on the page at a point of it."""
        self.putting.drop(Carried(tuple(refs)), point)

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
