"""The line that stores: as what, under which name, what of it, how fast,
and where to.
"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QPushButton, QWidget

from choreon.language import capital, sentences, tr
from choreon.model import attributes as at
from choreon.model import edits, palettes
from choreon.model.effects import on_fixtures
from choreon.model.motion import Effects
from choreon.model.refs import PALETTE, Ref, name_of
from choreon.model.values import Look
from choreon.terms import term
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.settings import open_settings, text_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

SCENE = "scene"
LET_GO, STAYS, GOES_ON = tr("let go"), "stays", tr("goes on")
AFTER = {
    LET_GO: (tr("and let the light go"), tr("The draft is let go.")),
    STAYS: (tr("and it stays on"), tr("It stays on, in the draft's place.")),
    GOES_ON: (tr("and go on in the draft"), tr("The draft goes on.")),
}
"""What happens to the light when the draft is kept: what is offered, and told."""


class KeepForm(QWidget):
    """Two lines. `done` tells what was kept; `cancelled` that nothing was."""

    done = Signal(Ref)
    cancelled = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Keep it as"))
        self.kind.currentIndexChanged.connect(lambda _: self._kind_changed())

        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Name"))
        self.name.setAccessibleName(tr("Name"))
        self.name.setMinimumWidth(200)
        self.name.returnPressed.connect(self.keep)

        self.fade_in = ValueField(tr("In"), 0, 30, "s", 1, bar=False)
        self.fade_out = ValueField(tr("Out"), 0, 30, "s", 1, bar=False)
        for field in (self.fade_in, self.fade_out):
            field.set_value(2.0)
            field.setFixedWidth(96)

        self.page = QComboBox()
        self.page.setAccessibleName(tr("Put it on a page"))
        self.page.setMinimumWidth(150)
        self.folder = QComboBox()
        self.folder.setEditable(True)

        self.folder.setAccessibleName(tr("Folder"))
        self.folder.setMinimumWidth(120)
        words_line = self.folder.lineEdit()
        assert words_line is not None
        words_line.setPlaceholderText(tr("Folder"))

        self.confirm = basics.button(tr("Keep"), self.keep, "main", "check")
        cancel = basics.button(tr("Cancel"), self.cancelled.emit, "quiet")
        self.all_lit = Tick(tr("everything that is lit"))
        self.all_lit.setToolTip(
            tr("Not only what was touched, but all that is on stage now")
        )

        self.all_lit.toggled.connect(lambda _: self._refresh())

        self.only_chosen = Tick(tr("the chosen only"))
        self.only_chosen.toggled.connect(lambda _: self._refresh())
        self.exact = Tick(tr("exactly as it is for each"))
        self.exact.setToolTip(
            tr(
                "Keep each fixture's own values, rather than the meaning for "
                "whatever fixture"
            )
        )

        self.families: dict[str, QPushButton] = {}

        for family in at.Family:
            button = basics.button(
                term(family),
                self._refresh,
                "",
                "",
                tr("Keep {family} too", family=term(family)),
            )
            button.setCheckable(True)
            button.setStyleSheet("padding: 5px 8px; min-width: 20px;")
            self.families[family] = button

        self.moving = basics.button(
            tr("effects"), self._refresh, "", "", tr("Keep the effects too")
        )

        self.moving.setCheckable(True)
        self.moving.setChecked(True)
        self.moving.setStyleSheet("padding: 5px 8px; min-width: 20px;")
        self.what = basics.label("", "soft", wrap=True)

        first = flow(
            basics.label(tr("Keep as"), "heading"),
            self.kind,
            self.name,
            self.fade_in,
            self.fade_out,
            self.folder,
            self.page,
            1,
            cancel,
            self.confirm,
        )

        self.after = QComboBox()
        self.after.setAccessibleName(tr("What happens to the light then"))
        self.after.setToolTip(tr("What happens to the light once it is kept"))
        self.after.setMinimumWidth(200)

        self.after.activated.connect(self._remember)
        second = flow(
            basics.label(tr("with"), "soft"),
            *self.families.values(),
            self.moving,
            self.all_lit,
            self.only_chosen,
            self.exact,
            self.what,
            1,
            self.after,
            spacing=6,
        )

        basics.stack(self, first, second, spacing=6)

    def open(self, kind: str = SCENE) -> None:
        """Begin with what the draft has."""
        show, look = self.parts.document.show, self.parts.engine.state.draft.look
        self.all_lit.setChecked(False)
        self.only_chosen.setChecked(False)
        self.exact.setChecked(False)
        there = words.families(look)

        self.kind.blockSignals(True)
        self.kind.clear()
        self.kind.addItem(tr("a scene"), SCENE)

        for family in palettes.FAMILIES:
            if family in there:
                self.kind.addItem(words.PALETTES[family], str(family))

        self.kind.setCurrentIndex(max(0, self.kind.findData(kind)))
        self.kind.blockSignals(False)
        self.page.clear()
        self.page.addItem(tr("on no page"), None)

        for page in show.pages.values():
            self.page.addItem(
                tr("as a pad on {name}", name=page.name), (page.id, "pad")
            )
            self.page.addItem(
                tr("as a fader on {name}", name=page.name), (page.id, "fader")
            )

        self.folder.clear()
        self.folder.addItems(
            ["", *dict.fromkeys(s.folder for s in show.playables.values() if s.folder)]
        )
        for name, button in self.families.items():
            button.setChecked(name in there)

        self._kind_changed()
        self.name.setFocus()
        self.name.selectAll()

    def _kind_changed(self) -> None:
        scene = self.kind.currentData() == SCENE
        for widget in (
            self.fade_in,
            self.fade_out,
            self.page,
            self.folder,
            self.all_lit,
        ):
            widget.setVisible(scene)
        self.exact.setVisible(not scene)
        self._offer_after(scene)
        self.name.setText(self.suggest())
        self._refresh()

    def _offer_after(self, scene: bool) -> None:
        """What may become of the light: a palette does not shine by itself, and what is
        blind is not on to stay. What was chosen last is chosen again.
        """
        stays = scene and not self.parts.engine.state.draft.blind
        self.after.clear()
        for key, (text, _) in AFTER.items():
            if stays or key != STAYS:
                self.after.addItem(text, key)
        last = self.after.findData(text_of(open_settings(), "after_keep"))
        self.after.setCurrentIndex(max(0, last))

    def _remember(self) -> None:
        open_settings().setValue("after_keep", self.after.currentData())

    def _refresh(self) -> None:
        scene = self.kind.currentData() == SCENE
        there = words.families(self._source())
        for family, button in self.families.items():
            button.setVisible(scene and family in there)

        self.only_chosen.setEnabled(bool(self.parts.selection.chosen))
        look = self.look()
        effects = self.effects()
        there_is = bool(look or effects)
        self.moving.setVisible(scene and bool(self._effects()))
        summary = (
            words.summary(look, effects) if there_is else tr("nothing of the draft")
        )

        told = self._not_alike(look, effects)
        self.what.setText(sentences(summary, told))
        self.confirm.setEnabled(there_is)

    def _not_alike(self, look: Look, effects: Effects) -> str:
        """What is told of lamps that would not be lit as they are, where all that is
        lit is kept and some of it moves.
        """
        if not (self.all_lit.isChecked() and effects):
            return ""
        found = self.parts.preview.not_alike(look, effects)
        return words.not_alike(self.parts.document.show, found)

    def _source(self) -> Look:
        return (
            self.parts.preview.capture()
            if self.all_lit.isChecked()
            else self.parts.engine.state.draft.look
        )

    def look(self) -> Look:
        """What would be stored."""
        kind = self.kind.currentData()
        source = self._source()
        if kind == SCENE:
            there = set(words.families(self.parts.engine.state.draft.look))
            wanted = {
                f
                for f, b in self.families.items()
                if b.isChecked() or (self.all_lit.isChecked() and f not in there)
            }
        else:
            wanted = {kind}

        only = self.parts.selection.chosen if self.only_chosen.isChecked() else None
        return palettes.part(source, wanted, only)

    def _effects(self) -> Effects:
        """The effects that there are to be kept."""
        if self.all_lit.isChecked():
            return self.parts.preview.capture_effects()
        return self.parts.draft.effects

    def effects(self) -> Effects:
        """The effects that would be stored."""
        if self.kind.currentData() != SCENE or not self.moving.isChecked():
            return ()
        only = self.only_chosen.isChecked()
        chosen = self.parts.selection.chosen
        found = self._effects()
        show = self.parts.document.show
        return on_fixtures(show, found, chosen) if only else found

    def suggest(self) -> str:
        """A name from who and what was touched."""
        show = self.parts.document.show
        kind = self.kind.currentData()
        if kind != SCENE:
            taken = [palette.name for palette in show.palettes.values()]
            return edits.fresh_name(capital(term(kind)), taken)
        who = self._touched()
        taken = [playable.name for playable in show.playables.values()]
        return edits.fresh_name(tr("{who} look", who=who) if who else tr("Look"), taken)

    def _touched(self) -> str:
        """A group that was touched, or how the names of those touched begin."""
        show = self.parts.document.show
        draft = self.parts.engine.state.draft
        touched = {*draft.look, *(i for e in draft.effects for i in e.fixtures)}
        for group in show.groups.values():
            if set(group.fixtures) == touched:
                return group.name
        names = [show.fixtures[i].name for i in touched if i in show.fixtures]
        stems = {name.rsplit(" ", 1)[0] for name in names}
        return stems.pop() if len(stems) == 1 else ""

    def keep(self) -> None:
        """Store it; what happens to the light then is what was chosen."""
        look, kind = self.look(), self.kind.currentData()
        effects = self.effects()
        if not look and not effects:
            return

        name = self.name.text().strip() or self.suggest()
        parts = self.parts
        if kind == SCENE:
            seconds = (self.fade_in.value or 0.0, self.fade_out.value or 0.0)
            show, made = edits.keep_scene(
                parts.document.show,
                name,
                look,
                *seconds,
                self.folder.currentText(),
                effects,
            )

            place = self.page.currentData()
            if place is not None:
                show, _ = edits.add_tile(show, place[0], made, place[1])
        else:
            exact = self.exact.isChecked()
            show, palette_id = palettes.keep_palette(
                parts.document.show, name, kind, look, exact
            )
            made = Ref(PALETTE, palette_id)

        called = name_of(show, made)
        after = self.after.currentData()
        if after == GOES_ON:
            parts.document.edit(tr("keep {called}", called=called), show)
        else:
            parts.draft.store(
                tr("keep {called}", called=called),
                show,
                made if after == STAYS else None,
            )

        parts.notices.told.emit(
            sentences(tr("Kept as {called}.", called=called), AFTER[after][1]),
            "info",
        )

        self.done.emit(made)
