"""The place Perform: “I can hit it without looking twice.”"""

from __future__ import annotations

import time
from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLayout,
    QLayoutItem,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.playables import Chase
from choreon.model.playables.chase import steps_of
from choreon.model.refs import PLAYER, Ref, exists, name_of, to_tile
from choreon.model.tiles import AnyTile, Fader, Pad, Page
from choreon.model.verbs import Verb
from choreon.render.sources.chase import Rounds, own_time, rounds_of, step_name
from choreon.render.state import Going, Player, PlayState
from choreon.ui import theme
from choreon.ui.drags import OpensUnder, carried
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.perform.tiles import WIDGETS, TileWidget
from choreon.ui.stage.mini import MiniStages
from choreon.ui.stage.picture import StagePicture
from choreon.ui.widgets import basics


class PerformPlace(QWidget):
    """The page on the left; on the right, always in the same spot, the stage and what
    is on.
    """

    def __init__(self, parts: Parts, learner: Learner) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self.minis = MiniStages(parts, self)
        self.page_id = next(iter(parts.document.show.pages), "")
        self.tiles: dict[str, TileWidget] = {}
        self._shown: tuple[object, ...] = ()
        self.tabs = QHBoxLayout()
        self.tabs.setSpacing(4)
        self.page_buttons = QButtonGroup(self)
        self.add_button = basics.button(
            "Add a tile", self._add_menu, "quiet", "plus", "Put a scene on this page"
        )
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)
        line.addLayout(self.tabs)
        line.addWidget(basics.tool("plus", "New page", self._new_page))
        line.addStretch(1)
        line.addWidget(self.add_button)
        self.body = QWidget()
        self.faders: QWidget | None = None
        self.choices: dict[str, QWidget] = {}
        self.setAcceptDrops(True)
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.setSpacing(12)
        left = QWidget()
        basics.stack(left, head, basics.scroller(self.body), spacing=10)
        self.on_now = OnNow(parts)
        self.stage = StagePicture(parts, choosing=False)
        self.stage.setFixedHeight(190)
        right = QWidget()
        right.setFixedWidth(300)
        basics.stack(right, self.stage, self.on_now, spacing=8).setStretch(1, 1)
        box = QHBoxLayout(self)
        box.setContentsMargins(12, 0, 8, 8)
        box.setSpacing(12)
        box.addWidget(left, 1)
        box.addWidget(right)
        self._tick = QTimer(self, interval=50)
        self._tick.timeout.connect(self._animate)
        parts.document.show_changed.connect(lambda _: self._fill())
        parts.engine.state_changed.connect(self._state)
        self._fill()

    def _fill(self) -> None:
        show = self.parts.document.show
        if self.page_id not in show.pages:
            self.page_id = next(iter(show.pages), "")
        shown = (
            show.pages,
            show.playables,
            show.inputs,
            show.fixtures,
            show.types,
            self.page_id,
        )
        if (
            all(a is b for a, b in zip(shown, self._shown, strict=False))
            and self._shown
        ):
            return
        self._shown = shown
        basics.clear(self.tabs)
        for page in show.pages.values():
            self.tabs.addWidget(self._tab(page))
        basics.clear(self.column)
        self.tiles = {}
        shown_page = show.pages.get(self.page_id)
        self.add_button.setEnabled(shown_page is not None)
        if shown_page is not None:
            self._fill_page(shown_page)
        self._state(self.parts.engine.state)

    def _tab(self, page: Page) -> QPushButton:
        tab = basics.button(
            page.name, lambda: self.go(page.id), "quiet", tip=f"The page {page.name}"
        )
        tab.setCheckable(True)
        tab.setChecked(page.id == self.page_id)
        tab.setMinimumHeight(34)
        tab.setFont(theme.font(16, strong=page.id == self.page_id))
        tab.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        tab.customContextMenuRequested.connect(
            lambda point: self._page_menu(page, tab.mapToGlobal(point))
        )
        self.page_buttons.addButton(tab)
        OpensUnder(tab, lambda: self.go(page.id))
        return tab

    def _fill_page(self, page: Page) -> None:
        """Choices and single pads, then the faders in a row."""
        pads = [tile for tile in page.tiles if isinstance(tile, Pad)]
        faders = [tile for tile in page.tiles if isinstance(tile, Fader)]
        if not page.tiles:
            text = (
                "An empty page. Put scenes on it as pads or faders with “Add a tile”."
            )
            self.column.addWidget(basics.label(text, "soft"))
        self.faders, self.choices = None, {}
        for choice in dict.fromkeys(tile.choice for tile in pads):
            members = [self._tile(page, t) for t in pads if t.choice == choice]
            panel = _choice_panel(choice, members) if choice else _plain(members)
            self.choices[choice] = panel
            self.column.addWidget(panel)
        if faders:
            self.faders = _in_a_row([self._tile(page, tile) for tile in faders])
            self.column.addWidget(self.faders, 100)
        self.column.addStretch(1)

    def _tile(self, page: Page, tile: AnyTile) -> TileWidget:
        made = WIDGETS[tile.kind](self.parts, self.minis, page, tile)
        made.wants.connect(self._wanted)
        self.tiles[tile.id] = made
        return made

    def go(self, page_id: str) -> None:
        """Turn to a page."""
        self.page_id = page_id
        self._fill()

    # following

    def _state(self, state: PlayState) -> None:
        for tile in self.tiles.values():
            tile.show_state(state)
        now = time.monotonic()
        if any(not p.settled(now) or _moves(p) for p in state.players):
            self._tick.start()

    def _animate(self) -> None:
        if not self.isVisible():
            return
        state = self.parts.engine.state
        for tile in self.tiles.values():
            tile.show_state(state)
        self.on_now.animate()
        now = time.monotonic()
        if all(p.settled(now) and not _moves(p) for p in state.players):
            self._tick.stop()

    # arranging

    def _wanted(self, what: str, tile_id: str) -> None:
        show = self.parts.document.show
        name = self.tiles[tile_id].name
        page = show.pages[self.page_id]
        index = next((i for i, t in enumerate(page.tiles) if t.id == tile_id), 0)
        if what == "learn":
            self.learner.start(to_tile(tile_id))
        elif what == "unlearn":
            self.learner.forget(to_tile(tile_id))
        elif what in ("earlier", "later"):
            to = index - 1 if what == "earlier" else index + 1
            self.parts.document.edit(
                f"move {name}", edits.move(show, to_tile(tile_id), to)
            )
        elif what == "remove":
            self.parts.document.edit(
                f"take {name} off the page", edits.remove(show, to_tile(tile_id))
            )
            self.parts.notices.told.emit(
                f"{name} is off the page; the scene stays. Ctrl+Z brings it back.",
                "info",
            )
        elif what == "choice":
            self._ask_choice(tile_id, name)

    def _ask_choice(self, tile_id: str, name: str) -> None:
        page = self.parts.document.show.pages[self.page_id]
        known = list(
            dict.fromkeys(
                t.choice for t in page.tiles if isinstance(t, Pad) and t.choice
            )
        )
        text, sure = QInputDialog.getItem(
            self,
            "One at a time",
            "Pads of one choice exclude each other and crossfade.\nName of the "
            "choice (empty: none)",
            ["", *known],
            editable=True,
        )
        if sure:
            self.parts.document.edit(
                f"choice of {name}",
                edits.change(
                    self.parts.document.show, to_tile(tile_id), choice=text.strip()
                ),
            )

    def _add_menu(self) -> None:
        menu = QMenu(self)
        playables = self.parts.document.show.playables
        for kind, title in ((Pad.kind, "As a pad"), (Fader.kind, "As a fader")):
            sub = menu.addMenu(title)
            for playable in playables.values():
                sub.addAction(
                    playable.name,
                    partial(self.add_tile, playable.ref, kind),
                )
            sub.setEnabled(bool(playables))
        menu.exec(self.add_button.mapToGlobal(self.add_button.rect().bottomLeft()))

    def add_tile(self, plays: Ref, kind: str, choice: str = "") -> None:
        """Put something on the page that is shown."""
        before = self.parts.document.show
        show, _ = edits.add_tile(before, self.page_id, plays, kind, choice)
        name = name_of(show, plays)
        page = show.pages[self.page_id]
        self.parts.document.edit(f"put {name} on {page.name}", show)

    def _carried(self, event: QDropEvent) -> Ref | None:
        """What is dragged, where it can be put here."""
        ref = carried(event.mimeData())
        there = ref is not None and exists(self.parts.document.show, ref)
        return ref if there and self.page_id else None

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """What plays may be dropped here."""
        if self._carried(event) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """What is let go over the faders becomes one, over pads that exclude each other
        one of those, else a pad.
        """

        def over(widget: QWidget) -> bool:
            place = widget.mapFrom(self, event.position().toPoint())
            return widget.rect().contains(place)

        ref = self._carried(event)
        if ref is None:
            return
        event.acceptProposedAction()
        if self.faders is not None and over(self.faders):
            self.add_tile(ref, Fader.kind)
            return
        choice = next((name for name, w in self.choices.items() if over(w)), "")
        self.add_tile(ref, Pad.kind, choice)

    def _new_page(self) -> None:
        show, page_id = edits.add_page(self.parts.document.show, "Page")
        self.page_id = page_id
        self.parts.document.edit("new page", show)

    def _page_menu(self, page: Page, point: QPoint) -> None:
        menu = QMenu(self)
        menu.addAction("Rename…", lambda: self._rename(page))
        menu.addAction(
            "Delete",
            lambda: self.parts.document.edit(
                f"delete the page {page.name}",
                edits.drop(self.parts.document.show, "pages", [page.id]),
            ),
        )
        menu.exec(point)

    def _rename(self, page: Page) -> None:
        name, sure = QInputDialog.getText(
            self, "Rename the page", "Name", text=page.name
        )
        if sure and name.strip():
            changed = edits.replace(page, name=name.strip())
            self.parts.document.edit(
                f"rename the page {page.name}",
                edits.put(self.parts.document.show, "pages", changed),
            )


FASTER = 2 ** (1 / 4)  # times as fast by one press


def _moves(player: Player) -> bool:
    """Whether something that is on goes from step to step."""
    cursor = player.steps[-1].cursor
    return isinstance(cursor, Going) and player.ref.kind == Chase.kind


def _choice_panel(name: str, members: list[TileWidget]) -> QFrame:
    """Pads that exclude each other, on one ground."""
    frame = basics.panel(
        basics.label(f"{name} · one at a time", "small"),
        _plain(members),
        margins=10,
        spacing=6,
    )
    return frame


def _plain(members: list[TileWidget]) -> QWidget:
    made = QWidget()
    flow = Flow(made)
    for member in members:
        flow.addWidget(member)
    return made


class Flow(QLayout):
    """Widgets from left to right, wrapped like words."""

    GAP = 10

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), False)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        sizes = [item.minimumSize() for item in self._items]
        return QSize(
            max((s.width() for s in sizes), default=0),
            max((s.height() for s in sizes), default=0),
        )

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, True)

    def _lay(self, rect: QRect, move: bool) -> int:
        x, y, line = rect.x(), rect.y(), 0
        for item in self._items:
            size = item.sizeHint().expandedTo(item.minimumSize())
            if x > rect.x() and x + size.width() > rect.right() + 1:
                x, y, line = rect.x(), y + line + self.GAP, 0
            if move:
                item.setGeometry(QRect(x, y, size.width(), size.height()))
            x += size.width() + self.GAP
            line = max(line, size.height())
        return y + line - rect.y()


class OnNow(QFrame):
    """The list of what is on, the latest on top, each with a way to let it go."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.setProperty("panel", "true")
        self.rows: dict[str, OnRow] = {}
        self.title = basics.label("On now", "heading")
        self.all = basics.button(
            "Let all go",
            lambda: parts.engine.release(),
            "quiet",
            tip="Fade out everything that is on",
        )
        self.empty = basics.label(
            "Nothing is on. The stage rests at home.", "soft", wrap=True
        )
        holder = QWidget()
        self.list = QVBoxLayout(holder)
        self.list.setContentsMargins(0, 0, 4, 0)
        self.list.setSpacing(6)
        basics.stack(
            self,
            basics.row(self.title, 1, self.all),
            self.empty,
            basics.scroller(holder),
            margins=12,
        )
        parts.engine.state_changed.connect(self._state)
        self._state(parts.engine.state)

    def _state(self, state: PlayState) -> None:
        players = sorted(state.players, key=lambda p: -p.order)
        ids = [p.id for p in players]
        if ids != list(self.rows):
            basics.clear(self.list)
            self.rows = {}
            for player in players:
                self.rows[player.id] = OnRow(self.parts, player.id)
                self.list.addWidget(self.rows[player.id])
            self.list.addStretch(1)
        self.empty.setVisible(not players)
        self.all.setEnabled(bool(players))
        for player in players:
            self.rows[player.id].follow(player)

    def animate(self) -> None:
        """Follow fades that are under way."""
        for player in self.parts.engine.state.players:
            if player.id in self.rows:
                self.rows[player.id].follow(player)


class OnRow(QFrame):
    """One thing that is on. What moves shows its step and the next one, its rate, and
    ways to drive it.
    """

    def __init__(self, parts: Parts, player_id: str) -> None:
        super().__init__()
        self.parts, self.player_id = parts, player_id
        self.setStyleSheet(
            f"OnRow {{ background: {theme.FLAT}; border-radius: {theme.RADIUS}px; }}"
        )
        self.name = basics.label("")
        self.level = basics.label("", "soft")
        self.go = basics.tool(
            "close", "Let it go", lambda: parts.engine.release(player_id)
        )
        self.go.setMinimumSize(40, 40)
        self.where = basics.label("", "small")
        self.rate = basics.label("", "small")
        self.pause = basics.tool("pause", "Stand still, or go on", self._pause, True)
        self.back = basics.tool("before", "The step before", self._back)
        self.next = basics.tool("after", "The next step", self._next)
        self.slower = basics.tool("minus", "Slower", self._slower)
        self.faster = basics.tool("plus", "Faster", self._faster)
        for button in (self.pause, self.back, self.next, self.slower, self.faster):
            button.setFixedSize(34, 34)
        self.drive = basics.row(
            self.back,
            self.pause,
            self.next,
            1,
            self.slower,
            self.rate,
            self.faster,
            spacing=0,
        )
        self.rounds: tuple[object, Rounds, tuple[str, ...]] | None = None
        self._rate = 1.0
        basics.stack(
            self,
            basics.row(self.name, 1, self.level, self.go),
            self.where,
            self.drive,
            margins=4,
            spacing=0,
        ).setContentsMargins(12, 2, 4, 2)
        self.where.hide()
        self.drive.hide()

    def _do(self, verb: Verb, value: float = 1.0) -> None:
        self.parts.engine.send(Do(Ref(PLAYER, self.player_id), verb, value))

    def _pause(self) -> None:
        self._do(Verb.PAUSE)

    def _next(self) -> None:
        self._do(Verb.NEXT)

    def _back(self) -> None:
        self._do(Verb.BACK)

    def _slower(self) -> None:
        self._do(Verb.RATE, self._rate / FASTER)

    def _faster(self) -> None:
        self._do(Verb.RATE, self._rate * FASTER)

    def follow(self, player: Player) -> None:
        """Show how far a player is on, and where it is."""
        now = time.monotonic()
        dot = "○" if player.releasing else "●"
        name = player.name.replace("&", "&amp;").replace("<", "&lt;")
        self.name.setText(f'<span style="color:{theme.LIVE}">{dot}</span>&nbsp; {name}')
        step = player.steps[-1]
        weight = player.weight_at(now)
        if len(player.steps) > 1 and not step.done(now):
            part = (now - step.at) / max(step.over - step.at, 1e-3)
            self.level.setText(f"fading in {100 * min(1.0, part):.0f} %")
        elif player.releasing:
            self.level.setText(f"out {100 * weight:.0f} %")
        else:
            self.level.setText(f"{100 * weight:.0f} %")
        self._follow_motion(player, now)

    def _follow_motion(self, player: Player, now: float) -> None:
        cursor = player.steps[-1].cursor
        moves = isinstance(cursor, Going)
        self.drive.setVisible(moves)
        if not isinstance(cursor, Going):
            self.where.hide()
            return
        self._rate = player.rate
        self.rate.setText(f"×{player.rate:.3g}")
        self.pause.setChecked(player.paused)
        show, state = self.parts.document.show, self.parts.engine.state
        chase = show.playables.get(player.ref.id)
        stepped = isinstance(chase, Chase)
        for widget in (self.back, self.next, self.where):
            widget.setVisible(stepped)
        if not isinstance(chase, Chase):
            return
        rounds, names = self._rounds_of(chase)
        if not names:
            self.where.setText("no steps")
            return
        spot = rounds.at(own_time(chase, cursor.time(now, state.beat(now))))
        after = rounds.step_at(spot.number + 1)
        text = f"{spot.step + 1} {names[spot.step]}  →  {after + 1} {names[after]}"
        self.where.setText(text)

    def _rounds_of(self, chase: Chase) -> tuple[Rounds, tuple[str, ...]]:
        """The order of a chase's steps and what they are called, worked out once."""
        show = self.parts.document.show
        if self.rounds is None or self.rounds[0] is not chase:
            steps = steps_of(show, chase)
            names = tuple(step_name(show, step) for step in steps)
            self.rounds = (chase, rounds_of(chase, steps), names)
        return self.rounds[1], self.rounds[2]


def _in_a_row(tiles: Sequence[QWidget]) -> QWidget:
    """Tiles side by side, as tall as there is room."""
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(10)
    for tile in tiles:
        line.addWidget(tile)
    line.addStretch(1)
    row.setMinimumHeight(220)
    row.setMaximumHeight(400)
    return row
