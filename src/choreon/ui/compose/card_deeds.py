"""What can be done with the card that is chosen on the shelf."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QColorDialog,
    QInputDialog,
    QMenu,
    QToolButton,
    QWidget,
)

from choreon.language import sentences, tr
from choreon.model import chases, edits, links, palettes
from choreon.model import effects as model_effects
from choreon.model.only import keep_part
from choreon.model.playables import AnyPlayable, Canvas, Scene
from choreon.model.playables import kind_of as model_kind
from choreon.model.refs import PALETTE, Ref, name_of
from choreon.model.show import Palette
from choreon.render import bake
from choreon.ui import kinds, renaming, words
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.cards import Thing
from choreon.ui.compose.only_dialog import OnlyDialog
from choreon.ui.compose.times import ask_times
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.menu import Menu

GAP = 2  # pixels between buttons


class CardDeeds(QWidget):
    """A row of buttons; hidden while nothing is chosen. `made` tells the id of a new
    thing that is to be chosen next.
    """

    made = Signal(str)
    opened = Signal(Ref)
    """Something that has steps is to be opened."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._ref: Ref | None = None
        self.to_page = basics.button(tr("Put on page"), self._page_menu, "", "perform")
        self.take = basics.button(
            tr("Take into draft"),
            self.take_it,
            icon="import",
            tip=tr("Bring its values into the draft to change them"),
        )

        self.open = basics.button(
            tr("Open"),
            self.open_it,
            "",
            "steps",
            tr("See and change its steps, or its layers"),
        )

        self.look_at = basics.tool(
            "eye",
            tr("Look at it on the stage picture without lighting it"),
            self._look,
            checkable=True,
        )

        self.brush = basics.tool(
            "brush",
            tr("Brush with it: every fixture you touch takes it"),
            self._brush,
            checkable=True,
        )

        self.rename = basics.tool("edit", tr("Rename it"), self._rename)
        self.times = basics.tool("times", tr("Change its times"), self._times)
        self.more = basics.tool(
            "more",
            tr("Folder, tags, colour, duplicate, merge, where it is used"),
            self.open_menu,
        )

        self.delete = basics.tool("trash", tr("Delete it"), self._delete)
        self.buttons = (
            self.to_page,
            self.open,
            self.take,
            self.look_at,
            self.brush,
            self.rename,
            self.times,
            self.more,
            self.delete,
        )

        self._offered: set[QWidget] = set()
        basics.stack(self, basics.row(*self.buttons, spacing=GAP))
        parts.preview.changed.connect(self._looked_at)
        parts.brush.changed.connect(self._brushes)

    def show_thing(self, thing: Thing | None) -> None:
        """Offer what can be done with a thing."""
        plays = thing is not None and not isinstance(thing, Palette)
        self._ref = None
        if isinstance(thing, Palette):
            self._ref = Ref(PALETTE, thing.id)
        elif thing is not None:
            self._ref = thing.ref
            self.take.setVisible(kinds.kind_of(thing).takes)
            self.open.setVisible(kinds.kind_of(thing).opens)

        for widget in (self.to_page, self.look_at, self.times, self.more):
            widget.setVisible(plays)

        if not plays:
            self.take.show()
            self.open.hide()

        self.brush.setVisible(isinstance(thing, Palette) and thing.motion is None)
        self.rename.show()
        self.delete.show()
        self._offered = {b for b in self.buttons if not b.isHidden()}
        self._brushes()
        self.setVisible(thing is not None)

    def fold(self, room: int) -> None:
        """Put into the menu what there is no room for, in pixels."""
        widths = {b: b.sizeHint().width() + GAP for b in self._offered}
        need = sum(widths.values())

        for button in self.folding:
            if button not in self._offered:
                continue
            folded = need > room and self.more in self._offered
            button.setVisible(not folded)
            need -= widths[button] if folded else 0

    @property
    def folding(self) -> tuple[QToolButton, ...]:
        """What goes into the menu, the first of them first."""
        return (self.look_at, self.times, self.rename, self.delete)

    def set_narrow(self, narrow: bool) -> None:
        """Where there is little room the buttons are signs without words."""
        self.to_page.setText("" if narrow else tr("Put on page"))
        self.take.setText("" if narrow else tr("Take into draft"))
        self.open.setText("" if narrow else tr("Open"))

    # what is chosen

    def _palette(self) -> Palette | None:
        if self._ref is None or self._ref.kind != PALETTE:
            return None
        return self.parts.document.show.palettes.get(self._ref.id)

    def _brush(self) -> None:
        palette = self._palette()
        if palette is not None:
            self.parts.brush.hold(palette)

    def _brushes(self) -> None:
        held = self.parts.brush.palette
        self.brush.setChecked(held is not None and held is self._palette())

    def _playable(self) -> AnyPlayable:
        assert self._ref is not None
        return self.parts.document.show.playables[self._ref.id]

    def _change(self, step: str, **fields: object) -> None:
        document = self.parts.document
        changed = edits.change(document.show, self._playable().ref, **fields)
        document.edit(step, changed)

    # one button each

    def _page_menu(self) -> None:
        menu = Menu(self)
        pages = self.parts.document.show.pages
        for page in pages.values():
            for kind, text in (
                ("pad", tr("{page}, as a pad", page=page.name)),
                ("fader", tr("{page}, as a fader", page=page.name)),
            ):
                menu.addAction(text, partial(self.put_on, page.id, kind))
        if not pages:
            menu.addAction(tr("There is no page yet: add one in Perform")).setEnabled(
                False
            )
        menu.exec(self.to_page.mapToGlobal(self.to_page.rect().topLeft()))

    def put_on(self, page_id: str, kind: str) -> None:
        """Put what is chosen on a page as a tile."""
        playable, document = self._playable(), self.parts.document
        show, _ = edits.add_tile(document.show, page_id, playable.ref, kind)
        page = show.pages[page_id].name
        document.edit(tr("put {name} on {page}", name=playable.name, page=page), show)
        self.parts.notices.told.emit(
            tr("{name} is on the page {page}.", name=playable.name, page=page), "info"
        )

    def open_it(self) -> None:
        """Open what is chosen, where it has steps."""
        playable = self._playable()
        if kinds.kind_of(playable).opens:
            self.opened.emit(playable.ref)

    def take_it(self) -> None:
        """Take the values of what is chosen into the draft."""
        if (palette := self._palette()) is not None:
            palette_deeds.take(self.parts, palette)
            return
        playable = self._playable()
        if kinds.kind_of(playable).opens:
            self.open_it()
        if kinds.kind_of(playable).takes:
            effects = model_kind(playable).effects(playable)
            self.parts.draft.take(playable.ref, kinds.look_of(playable), effects)

    def _look(self) -> None:
        shown = self._playable().ref if self.look_at.isChecked() else None
        self.parts.preview.look_at(shown)

    def _looked_at(self) -> None:
        self.look_at.setChecked(self.parts.preview.shown is not None)

    def _rename(self) -> None:
        if (palette := self._palette()) is not None:
            palette_deeds.rename(self, self.parts, palette)
            return
        playable = self._playable()
        renaming.ask(
            self, self.parts, playable.ref, tr("Rename {name}", name=playable.name)
        )

    def _times(self) -> None:
        playable = self._playable()
        given = ask_times(self, playable)
        if given is not None:
            self._change(tr("change the times of {name}", name=playable.name), **given)

    def _delete(self) -> None:
        if (palette := self._palette()) is not None:
            palette_deeds.delete(self.parts, palette)
            return
        playable, document = self._playable(), self.parts.document
        used = edits.where_used(document.show, playable.ref)
        document.edit(
            tr("delete {name}", name=playable.name),
            edits.remove(document.show, playable.ref),
        )

        text = sentences(
            tr("{name} is deleted.", name=playable.name),
            tr("It was on {used}.", used=words.some(used)) if used else "",
            tr("Ctrl+Z brings it back."),
        )

        self.parts.notices.told.emit(text, "info")

    # the menu

    def open_menu(self) -> None:
        """Open the menu of all else that can be done."""
        playable, show = self._playable(), self.parts.document.show
        menu = Menu(self)
        used = edits.where_used(show, playable.ref)
        where = tr("On {used}", used=words.some(used)) if used else tr("On no page")
        menu.addAction(where).setEnabled(False)

        for palette in self._linked(playable):
            act = partial(self.unlink, links.to_palette(palette.id))
            menu.addAction(tr("Unlink from the palette {name}", name=palette.name), act)

        menu.addSeparator()
        for button in self.folding:
            if button in self._offered and button.isHidden():
                menu.addAction(button.toolTip(), button.click)

        menu.addMenu(self._folders(menu, playable))
        menu.addAction(tr("Tags…"), self._tags)
        menu.addAction(tr("Colour mark…"), self._colour)
        menu.addSeparator()

        menu.addAction(tr("Duplicate"), self.duplicate)
        is_scene = isinstance(playable, Scene)
        menu.addAction(tr("Only for these…"), self.ask_only).setEnabled(is_scene)
        moves = isinstance(playable, Scene | Canvas)
        moves = moves and kinds.kind_of(playable).moves(playable)
        menu.addAction(tr("Make a chase of its steps…"), self.ask_to_bake).setEnabled(
            moves
        )

        merges = self._merges(menu, playable)
        menu.addMenu(merges).setEnabled(not merges.isEmpty())
        menu.exec(self.more.mapToGlobal(self.more.rect().topLeft()))

    def _linked(self, playable: AnyPlayable) -> list[Palette]:
        """Returns the palettes that a playable links to."""
        known = self.parts.document.show.palettes
        kind = model_kind(playable)
        looks = [link for look in kind.looks(playable) for link in links.links_in(look)]
        moving = model_effects.links_in(kind.effects(playable))
        found = dict.fromkeys([*looks, *moving, *kind.links(playable)])
        ids = [
            link.removeprefix(links.PALETTE)
            for link in found
            if link.startswith(links.PALETTE)
        ]
        return [known[i] for i in ids if i in known]

    def _folders(self, menu: QMenu, playable: AnyPlayable) -> QMenu:
        folders = Menu(tr("Folder"), menu)
        known = [s.folder for s in self.parts.document.show.playables.values()]
        for name in dict.fromkeys(["", *known]):
            act = partial(
                self._change, tr("move {name}", name=playable.name), folder=name
            )
            folders.addAction(name or tr("None"), act)
        folders.addAction(tr("New…"), self._new_folder)
        return folders

    def _merges(self, menu: QMenu, playable: AnyPlayable) -> QMenu:
        merges = Menu(tr("Merge with"), menu)
        for other in self.parts.document.show.playables.values():
            if other.id != playable.id and isinstance(other, Scene):
                merges.addAction(
                    tr("{name} on top", name=other.name), partial(self.merge, other.id)
                )
        return merges

    def unlink(self, link: str) -> None:
        """Give what is chosen its own values in the place of a link."""
        playable, document = self._playable(), self.parts.document
        show = palettes.unlink(document.show, playable.ref, link)
        document.edit(tr("unlink {name}", name=playable.name), show)
        self.parts.notices.told.emit(
            tr("{name} has its own values now.", name=playable.name), "info"
        )

    def _new_folder(self) -> None:
        name, sure = QInputDialog.getText(self, tr("Folder"), tr("Name of the folder"))
        if sure and name.strip():
            self._change(
                tr("move {name}", name=self._playable().name), folder=name.strip()
            )

    def _tags(self) -> None:
        playable = self._playable()
        text, sure = QInputDialog.getText(
            self,
            tr("Tags"),
            tr("Words, parted by commas"),
            text=", ".join(playable.tags),
        )
        if sure:
            given = (word.strip().lstrip("#") for word in text.split(","))
            tags = tuple(dict.fromkeys(word for word in given if word))
            self._change(tr("tag {name}", name=playable.name), tags=tags)

    def _colour(self) -> None:
        playable = self._playable()
        now = QColor(playable.colour or "#FFFFFF")
        found = QColorDialog.getColor(now, self, tr("Colour mark"))
        if found.isValid():
            self._change(
                tr("mark {name}", name=playable.name), colour=found.name().upper()
            )

    def duplicate(self) -> None:
        """What is chosen once more."""
        playable, document = self._playable(), self.parts.document
        show, made = edits.duplicate(document.show, playable.ref)
        document.edit(tr("duplicate {name}", name=playable.name), show)
        self.made.emit(made.id)

    def ask_only(self) -> None:
        """Ask for a part of the scene: into the draft, or kept as its own."""
        scene, document = self._playable(), self.parts.document
        if not isinstance(scene, Scene):
            return

        dialog = OnlyDialog(self.parts, scene, self)
        if not dialog.exec():
            return

        look, effects = dialog.part()
        if not dialog.keeps:
            self.parts.draft.take(None, look, effects)
            return

        name = dialog.name.text()
        show, ref = keep_part(document.show, scene, name, look, effects)
        document.edit(tr("keep a part of {name}", name=scene.name), show)
        self.made.emit(ref.id)

    def ask_to_bake(self) -> None:
        """Ask into how many steps of a chase; the scene stays."""
        count, sure = QInputDialog.getInt(
            self,
            tr("Make a chase of its steps"),
            tr("Steps in a cycle"),
            16,
            bake.LEAST,
            bake.MOST,
        )
        if sure:
            self.bake_into(count)

    def bake_into(self, count: int) -> None:
        """Make a chase of the chosen scene with its effects."""
        playable, document = self._playable(), self.parts.document
        compiled = self.parts.preview.compiled
        if isinstance(playable, Canvas):
            baked = bake.bake_canvas(compiled, playable, count)
        else:
            effects = model_kind(playable).effects(playable)
            baked = bake.bake(compiled, playable.ref, effects, count)
        show, ref = chases.keep_chase(
            document.show,
            tr("{name} baked", name=playable.name),
            baked.steps,
            unit=baked.unit,
            fade=baked.fade,
            hold=0.0,
        )

        document.edit(tr("bake {name}", name=playable.name), show)

        self.opened.emit(ref)

    def merge(self, other: str) -> None:
        """A new scene of the chosen one with another on top."""
        ref, document = self._playable().ref, self.parts.document
        show, made = edits.merge_scenes(document.show, ref, Ref(ref.kind, other))
        document.edit(tr("merge {name}", name=name_of(show, made)), show)
        self.made.emit(made.id)
