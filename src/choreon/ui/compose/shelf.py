"""The shelf: cards of all that is stored, each with a small picture of the stage as it
lights it.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QInputDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.language import capital, plural, tr
from choreon.model import canvases, chases, edits, links, palettes
from choreon.model import effects as model_effects
from choreon.model.playables import AnyPlayable, Canvas, kind_of
from choreon.model.playables.chase import ChaseStep, Unit
from choreon.model.refs import name_of
from choreon.model.sameness import very_same
from choreon.model.show import Palette
from choreon.render.state import PlayState
from choreon.terms import term
from choreon.ui import kinds, words
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.card_deeds import CardDeeds
from choreon.ui.compose.cards import CardStrip, Thing, times_of
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.motion_panel import MotionPanel
from choreon.ui.compose.palette_chips import give
from choreon.ui.compose.tray import Tray
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.menu import Menu

SCENES, PALETTES, MOTIONS = "scenes", "palettes", "motions"
EVERYWHERE = tr("Everywhere")
WHOLE = 2000  # pixels: as many as there are
EDGES = 24  # pixels beside what stands in the bar
FIND = {False: 154, True: 64}  # pixels to find by: beside few buttons, beside many
ROOMY, TIGHT = 920, 660  # pixels of width for all words, and for all but those
BARE = 540  # below that what makes something new is a sign alone
NO_SCENES = tr(
    "No scenes yet. Choose fixtures, give them level and colour, then press "
    "“Keep as…” below."
)
NO_PALETTES = tr(
    "No palettes yet: parts of looks, like a colour or an aim, that scenes follow."
)


class Shelf(QWidget):
    """Scenes or palettes, side by side. Choosing a card shows what can be done with it;
    it never lights anything.
    """

    patterned = Signal()
    """A new pattern over the chosen lamps is wanted."""

    def __init__(
        self,
        parts: Parts,
        hand: Hand | None = None,
        motion: MotionPanel | None = None,
    ) -> None:
        super().__init__()
        self.parts = parts
        self.hand = hand or Hand(parts)
        self.minis = MiniStages(parts, self)
        self.chosen = ""

        self.shows = SCENES
        self._shown: tuple[object, ...] | None = None
        self._links: dict[str, tuple[AnyPlayable, frozenset[str]]] = {}
        self.tabs = self._make_tabs()
        self.search = self._make_search()

        self.folder = QComboBox()
        self.folder.setAccessibleName(tr("Folder"))
        self.folder.setToolTip(tr("Show only what lies in a folder, or of one family"))
        self.folder.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.folder.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

        self.folder.currentIndexChanged.connect(lambda _: self._fill(again=True))
        self.about = basics.name_label("", "small")
        self.about.setSizePolicy(
            QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred
        )

        self.deeds = CardDeeds(parts)
        self.deeds.made.connect(self.choose)

        self.capture = basics.button(
            tr("Capture stage"),
            self.capture_stage,
            icon="capture",
            tip=tr("Keep everything that is on now as one new scene"),
        )

        self.chase = basics.button(
            tr("New…"),
            self._chase_menu,
            icon="plus",
            tip=tr("A canvas over the chosen fixtures, or a chase"),
        )

        self.strip = CardStrip(parts, self.minis)
        self.strip.chosen.connect(self.choose)
        self.strip.pressed_twice.connect(self._pressed_twice)
        self.tray = Tray(motion or MotionPanel(self.hand))
        self.on_stage = basics.button(
            tr("Try on stage"),
            self._try_on_stage,
            "",
            "",
            tr("Have what is pointed at move on stage, not only in the picture"),
        )

        self.on_stage.setCheckable(True)
        self.on_stage.hide()
        self.tray.hide()
        self._lay_out()
        parts.document.show_changed.connect(lambda _: self._fill())

        parts.engine.state_changed.connect(self._state)
        self._fill()

    def _make_tabs(self) -> dict[str, QPushButton]:
        group = QButtonGroup(self)
        tabs = {}

        for kind, title, tip in (
            (SCENES, tr("Scenes"), tr("Show the scenes")),
            (PALETTES, tr("Palettes"), tr("Show the palettes")),
            (MOTIONS, tr("Motions"), tr("Show the motions")),
        ):
            tab = basics.button(title, partial(self.show_kind, kind), "quiet", tip=tip)
            tab.setCheckable(True)
            group.addButton(tab)
            tabs[kind] = tab

        tabs[SCENES].setChecked(True)
        return tabs

    def _make_search(self) -> QLineEdit:
        search = QLineEdit()
        search.setPlaceholderText(tr("Find"))
        search.setAccessibleName(tr("Find by name or tag"))
        search.setToolTip(tr("Show only what has these words in its name or its tags"))
        search.setMaximumWidth(FIND[False])
        search.setClearButtonEnabled(True)
        search.textChanged.connect(lambda _: self._fill(again=True))
        return search

    def _lay_out(self) -> None:
        self.empty = basics.label("", "soft", wrap=True)
        self.sample = basics.button(
            tr("Bring sample sets"),
            self._sample,
            tip=tr("Colours, marks and beams to begin with"),
        )

        self.nothing = basics.row(self.empty, self.sample, 1)
        self.nothing.hide()
        self.head = head = basics.row(
            *self.tabs.values(),
            self.search,
            self.folder,
            self.about,
            self.on_stage,
            self.deeds,
            self.chase,
            self.capture,
            spacing=4,
        )

        basics.grow(head, 4)
        panel = basics.panel(head, self.nothing, self.strip, self.tray, margins=10)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

    def sizeHint(self) -> QSize:
        return QSize(684, 196)

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """With little room buttons lose their words."""
        super().resizeEvent(event)
        self._fit()
        self._fit_about()

    def _fit(self) -> None:
        """With little room what can be done with a card goes before finding others."""
        narrow = self.width() < ROOMY
        self.deeds.set_narrow(narrow)
        bare = self.width() < BARE
        said = [
            (tr("New…"), tr("Capture stage")),
            (tr("New…"), tr("Capture")),
            ("", ""),
        ]

        self.search.setMinimumWidth(FIND[narrow])
        for texts in said[narrow + bare :]:
            self.chase.setText(texts[0])
            self.capture.setText(texts[1])
            if self._taken() + EDGES <= self.width():
                break

        crowded = self.width() < TIGHT and bool(self.chosen)
        self.search.setVisible(not crowded)
        filtered = self.folder.currentIndex() > 0
        room = filtered if bare else not crowded
        self.folder.setVisible(room and self.folder.count() > 1)
        self._fold_deeds()

    def _fold_deeds(self) -> None:
        """What can be done with a card has the room that the others leave."""
        self.deeds.fold(self.width() - self._taken() - EDGES)

    def _fit_about(self) -> None:
        """What is said of a card stands there whole, or not at all: the card's tooltip
        says it too.
        """
        words = self.about.fontMetrics().horizontalAdvance(self.about.text())
        self.about.setMaximumWidth(WHOLE)
        layout = self.head.layout()
        if layout is not None:
            layout.activate()
        if self.about.width() < words:
            self.about.setMaximumWidth(0)

    def _taken(self) -> int:
        """The pixels that all else in the bar takes at least."""
        layout = self.head.layout()
        assert layout is not None
        taken = 0
        for place in range(layout.count()):
            item = layout.itemAt(place)
            widget = None if item is None else item.widget()
            if item is None or widget is None or widget is self.deeds:
                continue
            if not widget.isHidden():
                taken += item.minimumSize().width() + 4
        return taken

    def hideEvent(self, event: QHideEvent) -> None:
        self.parts.preview.look_at(None)

    # what is shown

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
        seen = (show.playables, show.palettes, show.marks, show.fixtures, show.types)
        known = self._shown is not None and very_same(self._shown, seen)

        if known and not again:
            return

        self._shown = seen
        moving = self.shows == MOTIONS
        self.strip.setVisible(not moving)
        self.tray.setVisible(moving)
        self.on_stage.setVisible(moving)

        self._fill_folders()
        if moving:
            self.tray.fill(self.search.text())
            self.nothing.hide()
            self.choose("")

            return

        uses = self._uses() if self.shows == PALETTES else {}
        self.strip.cards.show_things(self._things(), uses)
        self._tell_empty()
        self.choose(self.chosen if self.chosen in self.strip.cards.ids() else "")
        self._state(self.parts.engine.state)

    def _things(self) -> list[Thing]:
        """Returns what is meant by tab, folder and search; the newest scene first."""
        show, within = self.parts.document.show, self.folder.currentData()
        wanted = self.search.text().strip().lower()
        things: list[Thing]
        if self.shows == SCENES:
            things = [*kinds.on_shelf(reversed(show.playables.values()))]
        else:
            things = [p for p in show.palettes.values() if p.motion is None]
        here = [t for t in things if within is None or _lies_in(t) == within]
        return [thing for thing in here if _is_meant(thing, wanted)]

    def _tell_empty(self) -> None:
        """Where nothing is stored yet, say what goes here."""
        show = self.parts.document.show
        scenes = self.shows == SCENES
        none = not (show.playables if scenes else show.palettes)
        self.empty.setText(NO_SCENES if scenes else NO_PALETTES)
        self.nothing.setVisible(none)
        self.sample.setVisible(none and not scenes)

    def _uses(self) -> dict[str, int]:
        """Returns how many scenes use each palette. A scene is looked through once for
        as long as it stays the same.
        """
        uses: dict[str, int] = {}
        before, self._links = self._links, {}

        for scene in self.parts.document.show.playables.values():
            known = before.get(scene.id)
            if known is not None and known[0] is scene:
                own = known[1]
            else:
                own = frozenset(_links_in(scene))

            self._links[scene.id] = (scene, own)
            for link in own:
                if link.startswith(links.PALETTE):
                    palette = link.removeprefix(links.PALETTE)
                    uses[palette] = uses.get(palette, 0) + 1

        return uses

    def _fill_folders(self) -> None:
        entries: list[tuple[str, str | None]]
        if self.shows == SCENES:
            playables = self.parts.document.show.playables.values()
            folders = dict.fromkeys(s.folder for s in playables if s.folder)
            entries = [(EVERYWHERE, None), *((f, f) for f in folders)]
        elif self.shows == MOTIONS:
            entries = [(EVERYWHERE, None)]
        else:
            families = [(capital(term(f)), str(f)) for f in palettes.FAMILIES]
            entries = [(tr("All families"), None), *families]

        box = self.folder
        now = [(box.itemText(i), box.itemData(i)) for i in range(box.count())]
        if now != entries:
            chosen = box.currentData()
            box.blockSignals(True)
            box.clear()

            for text, data in entries:
                box.addItem(text, data)

            box.setCurrentIndex(max(0, box.findData(chosen) if chosen else 0))
            box.blockSignals(False)

        self._fit()

    def _state(self, state: PlayState) -> None:
        on = {p.ref.id for p in state.players if not p.releasing}
        draft, taken = state.draft.look, self.parts.draft.taken
        drafted = {v.removeprefix(links.PALETTE) for v in links.links_in(draft)}
        if draft and taken:
            drafted.add(taken.id)
        self.strip.cards.show_state(on, drafted)

    def _try_on_stage(self) -> None:
        self.tray.set_on_stage(self.on_stage.isChecked())

    # what is chosen

    def choose(self, thing_id: str) -> None:
        """Show what can be done with a scene or a palette; nothing for an empty id."""
        if thing_id != self.chosen and self.parts.preview.shown:
            self.parts.preview.look_at(None)

        self.chosen = thing_id
        self.strip.choose(thing_id)
        self._fit()
        thing = self._thing(thing_id)
        self.deeds.show_thing(thing)

        several = len(self.strip.all_chosen()) > 1
        self.capture.setVisible(thing is None and self.shows == SCENES)
        self.chase.setVisible(self.shows == SCENES and (thing is None or several))

        if several:
            self.deeds.hide()

        self.about.setText(self._about(thing) if thing is not None else "")
        self._fold_deeds()
        self._fit_about()

    def _thing(self, thing_id: str) -> Thing | None:
        show = self.parts.document.show
        if self.shows == PALETTES:
            return show.palettes.get(thing_id)
        return show.playables.get(thing_id)

    def _about(self, thing: Thing) -> str:
        if isinstance(thing, Palette):
            users = palettes.users(self.parts.document.show, thing.id)
            return palette_deeds.used_by([s.name for s in users])

        return times_of(thing)

    def _pressed_twice(self, thing_id: str) -> None:
        """A palette is given to the chosen lamps; a scene is taken into the draft."""
        thing = self._thing(thing_id)
        if isinstance(thing, Palette):
            give(self.hand, thing)
        elif isinstance(thing, Canvas):
            self.deeds.open_it()
        elif thing is not None:
            self.deeds.take_it()

    def new_canvas(self) -> None:
        """A canvas over the chosen fixtures, or over none as yet."""
        document, chosen = self.parts.document, self.parts.selection.chosen
        show, ref = canvases.add(document.show, tr("Canvas"), chosen)
        document.edit(tr("keep {name}", name=name_of(show, ref)), show)
        self.deeds.opened.emit(ref)

    # chases

    def _chase_menu(self) -> None:
        menu = self.chase_menu()
        menu.exec(self.chase.mapToGlobal(self.chase.rect().topLeft()))

    def chase_menu(self) -> QMenu:
        """The ways to begin a canvas, or a chase."""
        menu = Menu(self)
        menu.addAction(tr("Canvas over the chosen fixtures"), self.new_canvas)
        menu.addSeparator()
        chosen = self.strip.all_chosen()
        of_these = menu.addAction(
            plural(
                len(chosen),
                "Chase of the one chosen scene",
                "Chase of the {n} chosen scenes, in this order",
            ),
            self.chase_of_chosen,
        )
        of_these.setEnabled(bool(chosen))
        over = tr("Chase by a pattern over the chosen fixtures…")
        act = menu.addAction(over, self.patterned.emit)
        act.setEnabled(bool(self.parts.selection.chosen))
        menu.addAction(tr("Empty chase: add steps to it"), self.new_chase)
        return menu

    def chase_of_chosen(self) -> None:
        """A chase of the chosen scenes, in the order of the shelf."""
        show = self.parts.document.show
        refs = [show.playables[i].ref for i in self.strip.all_chosen()]
        self._keep_chase([ChaseStep(id="step", plays=ref) for ref in refs])

    def new_chase(self) -> None:
        """A chase without steps."""
        self._keep_chase([])

    def _keep_chase(self, steps: list[ChaseStep]) -> None:
        document = self.parts.document
        show, ref = chases.keep_chase(
            document.show, tr("Chase"), steps, unit=Unit.BEATS, fade=1.0, hold=1.0
        )
        document.edit(tr("keep {name}", name=name_of(show, ref)), show)
        self.deeds.opened.emit(ref)

    # what needs no card

    def capture_stage(self) -> None:
        """Keep everything that is on as a new scene."""
        document, notices = self.parts.document, self.parts.notices
        look = self.parts.preview.capture()
        effects = self.parts.preview.capture_effects()

        if not look and not effects:
            notices.told.emit(
                tr("The stage is dark: there is nothing to capture."), "alarm"
            )
            return

        told = words.not_alike(
            document.show, self.parts.preview.not_alike(look, effects)
        )

        names = [p.name for p in self.parts.engine.state.players if not p.releasing]
        name = " + ".join(names) if 0 < len(names) <= 3 else tr("Stage")
        given, sure = QInputDialog.getText(
            self,
            tr("Capture the stage"),
            "\n\n".join(filter(None, (told, tr("Name of the scene")))),
            text=tr("{name}, captured", name=name),
        )

        if sure:
            show, made = edits.keep_scene(
                document.show, given, look, 2.0, 2.0, effects=effects
            )
            scene = name_of(show, made)
            document.edit(tr("capture {scene}", scene=scene), show)
            text = tr(
                "{scene} is kept: {summary}, as they are now.",
                scene=scene,
                summary=words.summary(look, effects),
            )
            notices.told.emit(text, "info")

    def _sample(self) -> None:
        document = self.parts.document
        document.edit(tr("bring sample sets"), palettes.sample(document.show))


def _links_in(playable: AnyPlayable) -> list[str]:
    """Every link in something that plays: in values, effects, colours."""
    kind = kind_of(playable)
    found = [link for look in kind.looks(playable) for link in links.links_in(look)]
    found += model_effects.links_in(kind.effects(playable))
    return [*found, *kind.links(playable)]


def _lies_in(thing: Thing) -> str:
    """The folder of what plays, the family of a palette."""
    return thing.family if isinstance(thing, Palette) else thing.folder


def _is_meant(thing: Thing, wanted: str) -> bool:
    """Whether a search in lower case means it: by name, or by a tag."""
    tags = () if isinstance(thing, Palette) else thing.tags
    return wanted in thing.name.lower() or any(wanted in tag.lower() for tag in tags)
