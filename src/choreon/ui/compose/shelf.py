"""The shelf: cards of all that is stored, each with a small picture of the stage as it
lights it.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QPoint, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QDrag,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QColorDialog,
    QComboBox,
    QInputDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.playables import AnyPlayable, Scene
from choreon.model.refs import Ref, name_of
from choreon.model.show import Palette
from choreon.model.values import Look
from choreon.render.state import PlayState
from choreon.ui import kinds, theme, words
from choreon.ui.compose import palette_chips
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.times import ask_times
from choreon.ui.drags import carry
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import on_screen

WIDE, TALL = 152, 122
STEP = WIDE + 8  # from one card to the next
ALL = 60  # so many have cards all at once
EVERYWHERE = "Everywhere"


class Shelf(QWidget):
    """Scenes or palettes, side by side. Choosing a card shows what can be done with it;
    it never lights anything.
    """

    def __init__(self, parts: Parts, hand: Hand | None = None) -> None:
        super().__init__()
        self.parts = parts
        self.hand = hand or Hand(parts)
        self.minis = MiniStages(parts, self)
        self.cards: dict[str, Card] = {}
        self.chosen = ""
        self.shows = "scenes"
        self._shown: tuple[object, ...] | None = None
        self._kind = ""  # what the cards are of: scenes or palettes
        self._things: dict[
            str, AnyPlayable | Palette
        ] = {}  # all that are shown, those without a card too
        self._many: dict[str, int] = {}  # how many scenes use them
        self._links: dict[str, tuple[AnyPlayable, frozenset[str]]] = {}
        self.kinds = QButtonGroup(self)
        self.tabs: dict[str, QPushButton] = {}
        for name in ("Scenes", "Palettes"):
            tab = basics.button(
                name,
                partial(self.show_kind, name.lower()),
                "quiet",
                "",
                f"Show the {name.lower()}",
            )
            tab.setCheckable(True)
            self.kinds.addButton(tab)
            self.tabs[name.lower()] = tab
        self.tabs["scenes"].setChecked(True)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find by name or tag")
        self.search.setAccessibleName("Find by name or tag")
        self.search.setToolTip("Show only what has these words in its name or its tags")
        self.search.setFixedWidth(150)
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill(again=True))
        self.folder = QComboBox()
        self.folder.setAccessibleName("Folder")
        self.folder.setToolTip("Show only what lies in a folder, or of one family")
        self.folder.currentIndexChanged.connect(lambda _: self._fill(again=True))
        self.about = basics.label("", "small")
        self.to_page = basics.button("Put on page", self._page_menu, "", "perform")
        self.take = basics.button(
            "Take into draft",
            self._take,
            "",
            "",
            "Bring its values into the draft to change them",
        )
        self.look_at = basics.tool(
            "eye",
            "Look at it on the stage picture without lighting it",
            self._look,
            True,
        )
        self.rename = basics.tool("edit", "Rename it", self._rename)
        self.times = basics.tool("times", "Change its times", self._times)
        self.more = basics.tool(
            "more",
            "Folder, tags, colour, duplicate, merge, where it is used",
            self._more_menu,
        )
        self.delete = basics.tool("trash", "Delete it", self._delete)
        self.deeds = basics.row(
            self.to_page,
            self.take,
            self.look_at,
            self.rename,
            self.times,
            self.more,
            self.delete,
            spacing=2,
        )
        self.capture = basics.button(
            "Capture stage",
            self.capture_stage,
            "",
            "capture",
            "Keep everything that is on now as one new scene",
        )
        self.empty = basics.label("", "soft", wrap=True)
        self.sample = basics.button(
            "Bring sample sets",
            self._sample,
            "",
            "",
            "Colours, marks and beams to begin with",
        )
        self.nothing = basics.row(self.empty, self.sample, 1)
        self.nothing.hide()
        self.row = QWidget()
        self.strip = basics.scroller(self.row, sideways=True)
        self.strip.setWidgetResizable(False)
        self.strip.setMinimumHeight(132)
        self._soon = basics.once(self, 0, self._show_near)
        self.strip.horizontalScrollBar().valueChanged.connect(
            lambda _: self._soon.start()
        )
        self.strip.horizontalScrollBar().rangeChanged.connect(
            lambda *_: self._soon.start()
        )
        self.about.setSizePolicy(
            QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred
        )
        head = basics.row(
            *self.tabs.values(),
            self.search,
            self.folder,
            self.about,
            self.deeds,
            self.capture,
            spacing=4,
        )
        basics.grow(head, 4)
        panel = basics.panel(head, self.nothing, self.strip, margins=10)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        parts.document.show_changed.connect(lambda _: self._fill())
        parts.engine.state_changed.connect(self._state)
        parts.preview.changed.connect(self._looked_at)
        self._fill()

    def sizeHint(self) -> QSize:
        return QSize(684, 196)

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def hideEvent(self, event: QHideEvent) -> None:
        self.parts.preview.look_at(None)

    def show_kind(self, kind: str) -> None:
        """Show scenes or palettes."""
        self.shows = kind
        self.tabs[kind].setChecked(True)
        self.chosen = ""
        self._fill(again=True)

    def _fill(self, again: bool = False) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        show = self.parts.document.show
        rig = self.parts.preview.compiled.rig
        seen = (show.playables, show.palettes, show.marks, rig)
        if (
            self._shown is not None
            and all(a is b for a, b in zip(self._shown, seen, strict=True))
            and not again
        ):
            return
        self._shown = seen
        self._fill_folders()
        wanted = self.search.text().strip().lower()
        things: list[AnyPlayable | Palette]
        if self.shows == "scenes":
            within = self.folder.currentData()
            things = [
                s
                for s in reversed(show.playables.values())
                if within is None or s.folder == within
            ]
        else:
            family = self.folder.currentData()
            things = [
                p
                for p in show.palettes.values()
                if family is None or p.family == family
            ]
        self._lay_out([t for t in things if _is_meant(t, wanted)])
        none = not (show.playables if self.shows == "scenes" else show.palettes)
        scenes = (
            "No scenes yet. Choose lights, give them level and colour, then "
            "press “Keep as…” below."
        )
        others = (
            "No palettes yet: parts of looks, like a colour or an aim, that "
            "scenes follow."
        )
        self.empty.setText(scenes if self.shows == "scenes" else others)
        self.nothing.setVisible(none)
        self.sample.setVisible(none and self.shows == "palettes")
        self.choose(self.chosen if self.chosen in self._things else "")
        self._state(self.parts.engine.state)

    def _lay_out(self, things: list[AnyPlayable | Palette]) -> None:
        """Show these, and cards for those that are seen."""
        if self._kind != self.shows:
            self._drop(list(self.cards))
            self._kind = self.shows
        self._things = {t.id: t for t in things}
        self._many = self._uses() if self.shows == "palettes" else {}
        self.row.setFixedSize(max(1, len(things) * STEP), TALL)
        self._show_near(again=True)

    def _show_near(self, again: bool = False) -> None:
        """Make cards for what is in sight, or nearly so, and let those go that are far
        away. What is there is used again. A few dozen are all made: they then follow
        each other when walked through by key.
        """
        ids = list(self._things)
        bar, reach = (
            self.strip.horizontalScrollBar().value(),
            self.strip.viewport().width(),
        )
        first, last = bar // STEP - ALL // 4, (bar + reach) // STEP + ALL // 4
        near = ids if len(ids) <= ALL else ids[max(0, first) : last + 1]
        wanted = set(near)
        away = [
            i
            for i, card in self.cards.items()
            if i not in wanted and not (i in self._things and card.hasFocus())
        ]
        fresh = [i for i in near if i not in self.cards]
        if not (away or fresh or again):
            return
        self._drop(away)
        for thing_id in fresh:
            self.cards[thing_id] = Card(self, self._things[thing_id])
        place = {thing_id: i for i, thing_id in enumerate(ids)}
        self.cards = {
            i: self.cards[i] for i in sorted(self.cards, key=lambda i: place[i])
        }
        before: Card | None = None
        for thing_id, card in self.cards.items():
            card.move(place[thing_id] * STEP, 0)
            card.set_thing(self._things[thing_id], self._many.get(thing_id, 0))
            if before is not None and fresh:
                QWidget.setTabOrder(before, card)
            before = card
        for thing_id in fresh:
            self.cards[thing_id].set_chosen(thing_id == self.chosen)
            self.cards[thing_id].show()
        if fresh:
            self._state(self.parts.engine.state)

    def _drop(self, ids: list[str]) -> None:
        for thing_id in ids:
            card = self.cards.pop(thing_id)
            card.hide()
            card.deleteLater()

    def step(self, card: Card, by: int) -> None:
        """Go from a card to the one beside it."""
        ids = list(self._things)
        to = ids.index(card.thing.id) + by
        if 0 <= to < len(ids):
            bar = self.strip.horizontalScrollBar()
            left, reach = to * STEP, self.strip.viewport().width()
            bar.setValue(min(left, max(bar.value(), left + WIDE - reach)))
            self._show_near()
            self.choose(ids[to])
            self.cards[ids[to]].setFocus()

    def _uses(self) -> dict[str, int]:
        """How many scenes use each palette; each scene is looked through once for as
        long as it stays the same.
        """
        found: dict[str, int] = {}
        before, self._links = self._links, {}
        for scene in self.parts.document.show.playables.values():
            known = before.get(scene.id)
            own = (
                known[1]
                if known and known[0] is scene
                else frozenset(links.links_in(kinds.look_of(scene)))
            )
            self._links[scene.id] = (scene, own)
            for link in own:
                if link.startswith(links.PALETTE):
                    palette = link.removeprefix(links.PALETTE)
                    found[palette] = found.get(palette, 0) + 1
        return found

    def _fill_folders(self) -> None:
        show = self.parts.document.show
        if self.shows == "scenes":
            entries: list[tuple[str, str | None]] = [(EVERYWHERE, None)]
            entries += [
                (f, f)
                for f in dict.fromkeys(s.folder for s in show.playables.values())
                if f
            ]
        else:
            entries = [
                ("All families", None),
                *((f.capitalize(), str(f)) for f in palettes.FAMILIES),
            ]
        if [
            (self.folder.itemText(i), self.folder.itemData(i))
            for i in range(self.folder.count())
        ] != entries:
            now = self.folder.currentData()
            self.folder.blockSignals(True)
            self.folder.clear()
            for text, data in entries:
                self.folder.addItem(text, data)
            self.folder.setCurrentIndex(max(0, self.folder.findData(now) if now else 0))
            self.folder.blockSignals(False)
        self.folder.setVisible(len(entries) > 1)

    def _state(self, state: PlayState) -> None:
        on = {p.ref.id for p in state.players if not p.releasing}
        draft = state.draft.look
        used = {v.removeprefix(links.PALETTE) for v in links.links_in(draft)}
        taken = self.parts.draft.taken.id if draft and self.parts.draft.taken else ""
        for thing_id, card in self.cards.items():
            card.set_state(thing_id in on, thing_id in used or thing_id == taken)

    def choose(self, thing_id: str) -> None:
        """Show what can be done with a scene or a palette."""
        if thing_id != self.chosen and self.parts.preview.shown:
            self.parts.preview.look_at(None)
        self.chosen = thing_id
        for i, card in self.cards.items():
            card.set_chosen(i == thing_id)
        self.deeds.setVisible(bool(thing_id))
        self.capture.setVisible(not thing_id and self.shows == "scenes")
        scenes = self.shows == "scenes"
        for widget in (self.to_page, self.look_at, self.times, self.more):
            widget.setVisible(scenes)
        playable = self.parts.document.show.playables.get(thing_id) if scenes else None
        takes = playable is None or kinds.kind_of(playable).takes
        self.take.setVisible(takes)
        self.about.setText(self._about(thing_id) if thing_id else "")

    def _about(self, thing_id: str) -> str:
        if self.shows == "palettes":
            return palette_chips.used_by(
                [s.name for s in palettes.users(self.parts.document.show, thing_id)]
            )
        scene = self.parts.document.show.playables[thing_id]
        own = ", ".join(
            f"{family} {t.delay:g}+{t.fade:g} s" for family, t in scene.times.items()
        )
        tags = " ".join(f"#{tag}" for tag in scene.tags)
        parts = [f"in {scene.fade_in:g} s · out {scene.fade_out:g} s", own, tags]
        return " · ".join(p for p in parts if p)

    # scenes

    def _looked_at(self) -> None:
        self.look_at.setChecked(self.parts.preview.shown is not None)

    def _playable(self) -> AnyPlayable:
        return self.parts.document.show.playables[self.chosen]

    def _page_menu(self) -> None:
        menu = QMenu(self)
        for page in self.parts.document.show.pages.values():
            for kind in ("pad", "fader"):
                menu.addAction(
                    f"{page.name}, as a {kind}",
                    partial(self.put_on, page.id, kind),
                )
        if not self.parts.document.show.pages:
            menu.addAction("There is no page yet: add one in Perform").setEnabled(False)
        menu.exec(self.to_page.mapToGlobal(self.to_page.rect().topLeft()))

    def put_on(self, page_id: str, kind: str) -> None:
        """Put the chosen scene on a page as a tile."""
        name = self._playable().name
        show, _ = edits.add_tile(
            self.parts.document.show, page_id, self._playable().ref, kind
        )
        self.parts.document.edit(f"put {name} on {show.pages[page_id].name}", show)
        self.parts.notices.told.emit(
            f"{name} is on the page {show.pages[page_id].name}.", "info"
        )

    def _take(self) -> None:
        if self.shows == "palettes":
            palette_chips.take(
                self.hand, self.parts.document.show.palettes[self.chosen]
            )
            return
        scene = self._playable()
        if kinds.kind_of(scene).takes:
            self.parts.draft.take(scene.ref, kinds.look_of(scene))

    def _look(self) -> None:
        shown = self._playable().ref if self.look_at.isChecked() else None
        self.parts.preview.look_at(shown)

    def _rename(self) -> None:
        if self.shows == "palettes":
            palette_chips.rename(
                self, self.hand, self.parts.document.show.palettes[self.chosen]
            )
            return
        scene = self._playable()
        name, sure = QInputDialog.getText(
            self, "Rename the scene", "Name", text=scene.name
        )
        if sure:
            show = edits.rename(self.parts.document.show, scene.ref, name)
            self.parts.document.edit(f"rename {scene.name}", show)

    def _change(self, step: str, **fields: object) -> None:
        ref = self._playable().ref
        show = edits.change(self.parts.document.show, ref, **fields)
        self.parts.document.edit(step, show)

    def _times(self) -> None:
        scene = self._playable()
        given = ask_times(self, scene)
        if given is not None:
            self._change(f"change the times of {scene.name}", **given)

    def _more_menu(self) -> None:
        scene, show = self._playable(), self.parts.document.show
        menu = QMenu(self)
        used = edits.where_used(show, scene.ref)
        menu.addAction(f"On {words.some(used)}" if used else "On no page").setEnabled(
            False
        )
        for link in dict.fromkeys(links.links_in(kinds.look_of(scene))):
            if link.startswith(links.PALETTE) and (
                p := show.palettes.get(link.removeprefix(links.PALETTE))
            ):
                menu.addAction(
                    f"Unlink from the palette {p.name}", partial(self.unlink, link)
                )
        menu.addSeparator()
        folders = menu.addMenu("Folder")
        for name in dict.fromkeys(["", *(s.folder for s in show.playables.values())]):
            folders.addAction(
                name or "None",
                partial(self._change, f"move {scene.name}", folder=name),
            )
        folders.addAction("New…", self._new_folder)
        menu.addAction("Tags…", self._tags)
        menu.addAction("Colour mark…", self._colour)
        menu.addSeparator()
        menu.addAction("Duplicate", self.duplicate)
        merges = menu.addMenu("Merge with")
        for other in show.playables.values():
            if other.id != scene.id and isinstance(other, Scene):
                merges.addAction(f"{other.name} on top", partial(self.merge, other.id))
        merges.setEnabled(len(show.playables) > 1)
        menu.exec(self.more.mapToGlobal(self.more.rect().topLeft()))

    def unlink(self, link: str) -> None:
        """Give the chosen scene its own values in the place of a link."""
        scene = self._playable()
        self.parts.document.edit(
            f"unlink {scene.name}",
            palettes.unlink(self.parts.document.show, scene.ref, link),
        )
        self.parts.notices.told.emit(f"{scene.name} has its own values now.", "info")

    def _new_folder(self) -> None:
        name, sure = QInputDialog.getText(self, "Folder", "Name of the folder")
        if sure and name.strip():
            self._change(f"move {self._playable().name}", folder=name.strip())

    def _tags(self) -> None:
        scene = self._playable()
        text, sure = QInputDialog.getText(
            self, "Tags", "Words, parted by commas", text=", ".join(scene.tags)
        )
        if sure:
            tags = tuple(
                dict.fromkeys(
                    t.strip().lstrip("#") for t in text.split(",") if t.strip()
                )
            )
            self._change(f"tag {scene.name}", tags=tags)

    def _colour(self) -> None:
        scene = self._playable()
        found = QColorDialog.getColor(
            QColor(scene.colour or "#FFFFFF"), self, "Colour mark"
        )
        if found.isValid():
            self._change(f"mark {scene.name}", colour=found.name().upper())

    def duplicate(self) -> None:
        """The chosen scene once more."""
        name = self._playable().name
        ref = self._playable().ref
        show, made = edits.duplicate(self.parts.document.show, ref)
        self.parts.document.edit(f"duplicate {name}", show)
        self.choose(made.id)

    def merge(self, other: str) -> None:
        """A new scene of the chosen one with another on top."""
        ref = self._playable().ref
        upper = Ref(ref.kind, other)
        show, made = edits.merge_scenes(self.parts.document.show, ref, upper)
        self.parts.document.edit(f"merge {name_of(show, made)}", show)
        self.choose(made.id)

    def capture_stage(self) -> None:
        """Keep everything that is on as a new scene."""
        look = self.parts.preview.capture()
        if not look:
            self.parts.notices.told.emit(
                "The stage is dark: there is nothing to capture.", "alarm"
            )
            return
        names = [p.name for p in self.parts.engine.state.players if not p.releasing]
        name = " + ".join(names[:3]) if 0 < len(names) <= 3 else "Stage"
        given, sure = QInputDialog.getText(
            self, "Capture the stage", "Name of the scene", text=f"{name}, captured"
        )
        if sure:
            show, made = edits.keep_scene(
                self.parts.document.show, given, look, 2.0, 2.0
            )
            self.parts.document.edit(f"capture {name_of(show, made)}", show)
            count = len(look)
            self.parts.notices.told.emit(
                f"{name_of(show, made)} is kept, with {count} fixtures as they "
                "are now.",
                "info",
            )

    def _sample(self) -> None:
        self.parts.document.edit(
            "bring sample sets", palettes.sample(self.parts.document.show)
        )

    def _delete(self) -> None:
        if self.shows == "palettes":
            palette_chips.delete(
                self.hand, self.parts.document.show.palettes[self.chosen]
            )
            return
        scene = self._playable()
        used = edits.where_used(self.parts.document.show, scene.ref)
        self.parts.document.edit(
            f"delete {scene.name}",
            edits.remove(self.parts.document.show, scene.ref),
        )
        note = f" It was on {words.some(used)}." if used else ""
        self.parts.notices.told.emit(
            f"{scene.name} is deleted.{note} Ctrl+Z brings it back.", "info"
        )

    def pressed_twice(self, thing: AnyPlayable | Palette) -> None:
        """A palette is given to the choice; a scene is taken into the draft."""
        if isinstance(thing, Palette):
            palette_chips.give(self.hand, thing)
        else:
            self._take()


def _is_meant(thing: AnyPlayable | Palette, wanted: str) -> bool:
    """Whether a search in lower case means it: by name, or by a tag."""
    tags = () if isinstance(thing, Palette) else thing.tags
    return wanted in thing.name.lower() or any(wanted in tag.lower() for tag in tags)


class Card(QWidget):
    """One scene or palette, with the stage as it lights it. A scene's card can be
    dragged to a page.
    """

    def __init__(self, shelf: Shelf, thing: AnyPlayable | Palette) -> None:
        super().__init__(shelf.row)
        self.shelf, self.thing = shelf, thing
        self._on = self._drafted = self._chosen = False
        self._press: QPoint | None = None
        self.setFixedSize(WIDE, TALL)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.uses = 0
        self.set_thing(thing, 0)

    def set_thing(self, thing: AnyPlayable | Palette, uses: int) -> None:
        """Show a scene or a palette as it is now; `uses`: how many scenes use it."""
        self.thing, self.uses = thing, uses
        if self.accessibleName() != thing.name:
            self.setAccessibleName(thing.name)
            self.setToolTip(thing.name)  # more is said when it is asked for
        self.update()

    def about(self) -> str:
        """What it is, in words."""
        thing, show = self.thing, self.shelf.parts.document.show
        if isinstance(thing, Palette):
            again = palette_chips.used_by(
                [s.name for s in palettes.users(show, thing.id)]
            )
            return f"{thing.name}: {again}. Press twice to give it to the chosen."
        return kinds.kind_of(thing).about(show, thing)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            self.setToolTip(self.about())
        return super().event(event)

    def sizeHint(self) -> QSize:
        return QSize(WIDE, TALL)

    def set_state(self, on: bool, drafted: bool) -> None:
        if (on, drafted) != (self._on, self._drafted):
            self._on, self._drafted = on, drafted
            self.update()

    def set_chosen(self, chosen: bool) -> None:
        if chosen != self._chosen:
            self._chosen = chosen
            self.update()

    def look(self) -> Look:
        """What is drawn: a scene's look; a palette on all that take it, lit."""
        if isinstance(self.thing, Palette):
            return palette_look(self.shelf.parts, self.thing)
        return kinds.look_of(self.thing)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        shape = QPainterPath()
        shape.addRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        painter.setClipPath(shape)
        painter.fillRect(rect, QColor(theme.FLAT))
        mini = self.shelf.minis.of(self.thing, self.look, WIDE - 2, 92, self)
        painter.drawPixmap(1, 1, mini)
        colour = "" if isinstance(self.thing, Palette) else self.thing.colour
        rgb = (
            palette_chips.colour_of(self.thing)
            if isinstance(self.thing, Palette)
            else None
        )
        if colour or rgb:
            painter.fillRect(
                QRectF(1, 90, WIDE, 4), on_screen(rgb) if rgb else QColor(colour)
            )
        painter.setClipping(False)
        left = 10.0
        if self._on:
            painter.setBrush(QColor(theme.LIVE))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QRectF(10, 103, 8, 8))
            left = 24.0
        painter.setFont(theme.font(12))
        right = WIDE - 10.0
        tail = (
            f"{self.uses}×"
            if self.uses
            else ""
            if isinstance(self.thing, Palette)
            else kinds.kind_of(self.thing).tail(self.thing)
        )
        if tail:
            painter.setPen(QColor(theme.SOFT))
            wide = painter.fontMetrics().horizontalAdvance(tail)
            painter.drawText(
                QRectF(right - wide, 94, wide + 2, 26),
                Qt.AlignmentFlag.AlignVCenter,
                tail,
            )
            right -= wide + 6
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(13))
        text = painter.fontMetrics().elidedText(
            self.thing.name, Qt.TextElideMode.ElideRight, int(right - left)
        )
        painter.drawText(
            QRectF(left, 94, right - left, 26), Qt.AlignmentFlag.AlignVCenter, text
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._drafted:
            pen = QPen(QColor(theme.DRAFT), 2)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawPath(shape)
        if self._chosen or self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.drawPath(shape)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._press = event.position().toPoint()
        self.shelf.choose(self.thing.id)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None or isinstance(self.thing, Palette):
            return
        if (
            event.position().toPoint() - self._press
        ).manhattanLength() < QApplication.startDragDistance():
            return
        self._press = None
        drag = QDrag(self)
        drag.setMimeData(carry(self.thing.ref))
        drag.setPixmap(self.grab().scaledToWidth(100))
        drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.shelf.pressed_twice(self.thing)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.shelf.choose(self.thing.id)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.shelf.step(self, 1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)


def palette_look(parts: Parts, palette: Palette) -> Look:
    """A palette on all that take it, lit, so that it can be seen."""
    rig = parts.preview.compiled.rig
    made: Look = {}
    for fixture in rig.fixtures:
        names = [
            n
            for n in links.names_in(parts.document.show, palette, fixture)
            if rig.takes(fixture, n)
        ]
        if names:
            made[fixture] = dict.fromkeys(names, links.to_palette(palette.id))
            if rig.has(fixture, at.DIMMER):
                made[fixture].setdefault(at.DIMMER, 0.8)
    return made
