"""The ledger strip: what the draft holds, line by line, and what to do with it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property, partial
from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from choreon.language import in_a_row, plural, sentences, tr
from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.effects import beside, without_effect
from choreon.model.motion import Effects
from choreon.model.playables import Scene
from choreon.model.refs import PALETTE, Ref, exists, find, name_of, parse
from choreon.model.show import Palette
from choreon.model.values import Look, Value
from choreon.render.state import PlayState
from choreon.terms import term
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme, words
from choreon.ui.keep import KeepForm
from choreon.ui.ledger_lines import LedgerList, first_of
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

MANY = 60  # fixtures whose lines are made in a turn of their own


class Ledger(QFrame):
    """Only there when there is a draft."""

    kept_scene = Signal(Ref)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._look: object = None
        self._effects: object = None
        self._blind = False
        self._target: Ref | None = None
        self.summary = basics.label("", "heading", rich=True)
        self.open = basics.tool(
            "up",
            tr("Show what the draft holds, line by line"),
            self._toggle,
            checkable=True,
        )

        self.blind = basics.tool(
            "eye",
            tr("Blind: keep the draft off the stage, on the screen only"),
            self._set_blind,
            True,
        )

        self.update_button = basics.button(
            tr("Update…"),
            self._update_menu,
            "quiet",
            "update",
            tr("Lay the draft over something that is kept"),
        )

        self.keep_button = basics.button(
            tr("Keep as…"),
            self.ask_name,
            "main",
            "keep",
            tr("Keep the draft as a scene or a palette (Ctrl+S)"),
        )

        self.clear_button = basics.button(
            tr("Clear"),
            parts.draft.clear,
            "",
            "clear",
            tr("Let the draft go; the stage returns to what plays (Ctrl+Shift+X)"),
        )

        self.deeds = flow(
            self.summary,
            self.open,
            self.blind,
            1,
            self.update_button,
            self.clear_button,
            self.keep_button,
        )

        self.change = basics.label("", wrap=True, rich=True)
        self.confirm_update = basics.button(
            tr("Update"), self._update_now, "main", "check"
        )

        self.question = basics.row(
            self.change,
            basics.button(tr("Cancel"), self.cancel, "quiet"),
            self.confirm_update,
        )

        basics.grow(self.question, 0)
        self.question.hide()
        self.by_family = QWidget()
        self._families = QHBoxLayout(self.by_family)
        self._families.setContentsMargins(0, 0, 0, 0)
        self._families.setSpacing(4)
        self.list = LedgerList(parts)
        self.list.taken_out.connect(self._take_out)
        self.list.hide()
        self.by_family.hide()
        self._lines = basics.stack(
            self,
            self.by_family,
            self.list,
            self.deeds,
            self.question,
            margins=10,
            spacing=8,
        )

        self._lines.setContentsMargins(16, 10, 16, 10)
        self._refill = basics.once(self, 120, self._fill)
        self._next = basics.once(self, 0, self._fill)
        parts.engine.state_changed.connect(self._state)
        parts.brush.changed.connect(self._be_there)
        self._state(parts.engine.state)

    @cached_property
    def form(self) -> KeepForm:
        """What asks for a name, and where to keep it; made when it is first needed."""
        made = KeepForm(self.parts)
        made.hide()
        made.cancelled.connect(self.cancel)
        made.done.connect(self._kept)
        self._lines.insertWidget(self._lines.indexOf(self.question), made)
        return made

    def _hide_form(self) -> None:
        if "form" in vars(self):
            self.form.hide()

    # parts of the form by name

    @property
    def name(self) -> QLineEdit:
        """The line that a name is typed in."""
        return self.form.name

    @property
    def page(self) -> QComboBox:
        """The list of pages that it may be put on."""
        return self.form.page

    @property
    def fade_in(self) -> ValueField:
        """The time in."""
        return self.form.fade_in

    @property
    def fade_out(self) -> ValueField:
        """The time out."""
        return self.form.fade_out

    @property
    def confirm(self) -> QPushButton:
        """The button that keeps it."""
        return self.form.confirm

    def keep(self) -> None:
        """Store what the form says."""
        self.form.keep()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.DECK))
        pen = QPen(QColor(theme.DRAFT), 2)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawLine(0, 1, self.width(), 1)

    def _state(self, state: PlayState) -> None:
        draft = state.draft
        look, effects, blind = draft.look, draft.effects, draft.blind
        same = look is self._look and effects is self._effects
        if same and blind == self._blind:
            return
        self._look, self._effects, self._blind = look, effects, blind
        self._be_there()
        self.blind.setChecked(blind)
        sign = tr("◌ blind draft") if blind else tr("◌ draft")
        what = tr("nothing yet")

        if not draft.empty:
            what = words.summary(look, effects)
        elif blind:
            what = tr("nothing yet; what you touch stays off the stage")

        marked = f'<span style="color:{theme.DRAFT}">{escape(sign)}</span>'
        self.summary.setText(
            tr("{draft}&nbsp;&nbsp;{what}", draft=marked, what=escape(what))
        )

        for widget in (
            self.open,
            self.update_button,
            self.clear_button,
            self.keep_button,
        ):
            widget.setEnabled(not draft.empty)

        if draft.empty:
            self.cancel()
            self.list.hide()
            self.by_family.hide()
            self.open.setChecked(False)
            return

        if self.list.isVisible() and not self._refill.isActive():
            self._refill.start()

    def _be_there(self) -> None:
        """It is there while the draft holds something or is blind; and under a brush
        from the beginning, so that nothing moves under the first stroke.
        """
        draft, brush = self.parts.engine.state.draft, self.parts.brush
        there = not draft.empty or draft.blind or brush.palette is not None
        self.setVisible(there)

    def _set_blind(self) -> None:
        self.parts.draft.set_blind(self.blind.isChecked())

    # line by line

    def _toggle(self) -> None:
        shown = not self.list.isVisible()
        self.list.setVisible(shown)
        self.by_family.setVisible(shown)
        self.open.setChecked(shown)
        self.open.setIcon(theme.icon("down" if shown else "up"))
        if shown and len(self.parts.engine.state.draft.look) > MANY:
            self._next.start()  # in a turn of its own, so that neither holds up long
        elif shown:
            self._fill()

    def _fill(self) -> None:
        draft = self.parts.engine.state.draft
        self._fill_families(draft.look)
        self.list.show_draft(draft.look, draft.effects)

    def _take_out(self, fixture: str, attributes: tuple[str, ...]) -> None:
        """Take values out of the draft; all that it has of a fixture where none are
        named.
        """
        if not fixture:
            effects = self.parts.draft.effects
            for effect in attributes:
                effects = without_effect(effects, effect)
            self.parts.draft.set_effects(tr("take an effect out"), effects)
            return
        look = self.parts.engine.state.draft.look
        names = attributes or tuple(look.get(fixture, {}))
        self.parts.draft.untouch({fixture: names})

    def _fill_families(self, look: Look) -> None:
        """One button for each family that the draft has, to take it out whole."""
        basics.clear(self._families)
        self._families.addWidget(basics.label(tr("Take out"), "soft"))
        for family in words.families(look):
            lines = {
                i: tuple(n for n in values if at.attribute(n).family == family)
                for i, values in look.items()
            }
            count = sum(1 for names in lines.values() if names)
            button = basics.button(
                tr("{family} ({count})", family=term(family), count=count),
                partial(
                    self.parts.draft.untouch, {i: n for i, n in lines.items() if n}
                ),
                "",
                "close",
                tr("Take all of {family} out of the draft", family=term(family)),
            )
            button.setStyleSheet("padding: 5px 8px; min-width: 20px;")
            self._families.addWidget(button)

        if self.parts.draft.effects:
            count = len(self.parts.draft.effects)
            out = partial(self.parts.draft.set_effects, tr("take all effects out"), ())
            button = basics.button(
                tr("effects ({count})", count=count),
                out,
                "",
                "close",
                tr("Take all effects out"),
            )
            button.setStyleSheet("padding: 5px 8px; min-width: 20px;")
            self._families.addWidget(button)

        self._families.addStretch(1)

    # storing

    def ask_name(self) -> None:
        """Show the lines that store."""
        if self.parts.engine.state.draft.empty:
            return
        self.deeds.hide()
        self.question.hide()
        self.form.show()
        self.form.open()

    def _kept(self, made: Ref) -> None:
        self.cancel()
        if made.kind != PALETTE:
            self.kept_scene.emit(made)

    @property
    def asks(self) -> bool:
        """Whether it asks how to keep the draft, or what to update."""
        is_open = "form" in vars(self) and self.form.isVisible()
        return is_open or self.question.isVisible()

    def cancel(self) -> None:
        """Ask for nothing any more."""
        self._hide_form()
        self.question.hide()
        self.deeds.show()

    # updating

    def candidates(self) -> list[Ref]:
        """Returns what the draft may update, likeliest first: what was taken into it,
        what the chosen get their light from, the rest.
        """
        show, taken = self.parts.document.show, self.parts.draft.taken
        found = dict.fromkeys([taken] if taken else [])
        for player in reversed(self.parts.engine.state.players):
            scene = find(show, player.ref)
            if isinstance(scene, Scene):
                found |= dict.fromkeys(self._lighting(scene))
        scenes = [s for s in show.playables.values() if isinstance(s, Scene)]
        found |= dict.fromkeys(s.ref for s in sorted(scenes, key=lambda s: s.name))
        return [ref for ref in found if exists(show, ref)]

    def _lighting(self, scene: Scene) -> list[Ref]:
        """A scene and the palettes that the chosen, or the touched, get from it."""
        look = self.parts.draft.look
        lit = (set(self.parts.selection.chosen) or set(look)) & set(scene.look)
        refs = [scene.ref] if lit else []
        for fixture in lit & set(look):
            values = scene.look[fixture]
            refs += _palettes_in({name: values.get(name) for name in look[fixture]})
        return refs

    def _thing(self, target: Ref) -> Scene | Palette | None:
        found = find(self.parts.document.show, target)
        return found if isinstance(found, Scene | Palette) else None

    def _update_menu(self) -> None:
        menu = Menu(self)
        first = self.parts.draft.taken
        on = {player.ref for player in self.parts.engine.state.players}
        for target in self.candidates():
            name = name_of(self.parts.document.show, target)
            mark = "◌ " if target == first else "● " if target in on else ""
            if target.kind == PALETTE:
                name = tr("palette {name}", name=name)
            text = tr("{name}: {change}", name=name, change=self.difference(target))
            entry = menu.addAction(mark + text)
            entry.triggered.connect(lambda _=False, t=target: self.ask_update(t))
        if menu.isEmpty():
            menu.addAction(tr("Nothing is kept yet")).setEnabled(False)
        menu.exec(self.update_button.mapToGlobal(self.update_button.rect().topLeft()))

    def difference(self, target: Ref) -> str:
        """Returns what updating would change, in few words."""
        look, thing = self.parts.draft.look, self._thing(target)
        if isinstance(thing, Scene):
            return _difference(thing.look, look, self._effects_change(thing))
        if thing is None or not palettes.part(look, {thing.family}):
            return tr("no change")
        users = len(palettes.users(self.parts.document.show, thing.id))
        return plural(
            users,
            "its {family}, and {n} scene with it",
            "its {family}, and {n} scenes with it",
            family=term(thing.family),
        )

    def ask_update(self, target: Ref) -> None:
        """Show the difference, three lines of it at most, and ask."""
        look, thing = self.parts.draft.look, self._thing(target)
        if thing is None or self.parts.engine.state.draft.empty:
            return
        self._target = target
        lines = self._changes(look, thing)

        if isinstance(thing, Scene) and self._effects_change(thing):
            before, after = len(thing.effects), len(self._effects_after(thing))
            lines.append(tr("Effects: {before} → {after}", before=before, after=after))

        shown = lines[:3]
        if len(lines) > 3:
            shown = [*lines[:2], plural(len(lines) - 2, "and {n} more", "and {n} more")]
        head = sentences(
            tr("Update {name}?", name=f"<b>{escape(thing.name)}</b>"),
            tr("{what}.", what=self.difference(target)),
        )

        none = tr("Nothing would change.")
        text = "<br>".join([head, *shown]) if shown else sentences(head, none)
        self.change.setText(text)
        self.confirm_update.setEnabled(bool(shown))
        self.deeds.hide()
        self._hide_form()
        self.question.show()
        self.confirm_update.setFocus()

    def _effects_after(self, scene: Scene) -> Effects:
        """The effects that a scene would have: where it was taken into the draft those
        that the draft has, else both.
        """
        if self.parts.draft.taken == scene.ref:
            return self.parts.draft.effects
        return beside(scene.effects, self.parts.draft.effects)

    def _effects_change(self, scene: Scene) -> bool:
        return self._effects_after(scene) != scene.effects

    def _changes(self, look: Look, thing: Scene | Palette) -> list[str]:
        """What updating would change, line by line."""
        show = self.parts.document.show
        own = look
        if isinstance(thing, Palette):
            own = palettes.part(look, {thing.family})
        lines = []

        for fixture, name, attributes in words.lines(own):
            old = self._stored(thing, fixture, attributes[0])
            new = look[fixture][attributes[0]]
            if old == new:
                continue
            hung = show.fixtures.get(fixture)
            title = hung.name if hung else fixture
            before = {n: self._stored(thing, fixture, n) for n in at.TARGET_COLOUR}
            lines.append(
                tr(
                    "{fixture}, {what}: {before} → {after}",
                    fixture=escape(title),
                    what=name,
                    before=self._say(attributes[0], old, before),
                    after=self._say(attributes[0], new, look[fixture]),
                )
            )

        return lines

    def _stored(self, thing: Scene | Palette, fixture: str, name: str) -> Value | None:
        if isinstance(thing, Scene):
            return thing.look.get(fixture, {}).get(name)
        return links.held(self.parts.document.show, thing, fixture, name)

    def _say(
        self, name: str, value: Value | None, values: Mapping[str, Value | None]
    ) -> str:
        """A value in words, as HTML; a colour, of which `values` has the parts, as a
        patch.
        """
        if value is None:
            return "nothing"
        if name not in at.TARGET_COLOUR or isinstance(value, str):
            return escape(words.value(name, value, self.parts.document.show))
        return _swatch([first_of(values.get(n) or 0.0) for n in at.TARGET_COLOUR])

    def _update_now(self) -> None:
        target = self._target
        if target is None:
            return
        if target.kind == PALETTE:
            self.update_palette(target.id)
        else:
            self.update_scene(target)

    def update_scene(self, target: Ref) -> None:
        """Lay the draft over a scene."""
        before = self.parts.document.show
        name = name_of(before, target)
        draft = self.parts.draft
        show = edits.update_scene(
            before, target, draft.look, draft.effects, whole=draft.taken == target
        )
        self.parts.draft.store(tr("update {name}", name=name), show)
        self.parts.notices.told.emit(
            tr("{name} is updated. The draft is let go.", name=name), "info"
        )

    def update_palette(self, palette_id: str) -> None:
        """Lay what the draft has of a palette's family over it; the rest of the draft
        stays.
        """
        palette_deeds.update(self.parts, palette_id)
        self.cancel()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape takes back what was asked."""
        if event.key() == Qt.Key.Key_Escape and self.asks:
            self.cancel()
        else:
            super().keyPressEvent(event)


def _difference(old: Look, new: Look, moves: bool = False) -> str:
    """What laying a look over another changes, in few words."""
    changed = added = 0
    for fixture, values in new.items():
        before = old.get(fixture, {})
        added += len(values.keys() - before.keys())
        both = values.keys() & before.keys()
        changed += sum(before[name] != values[name] for name in both)
    parts = []
    if changed:
        parts.append(plural(changed, "{n} value changed", "{n} values changed"))
    if added:
        parts.append(plural(added, "{n} value added", "{n} values added"))
    if moves:
        parts.append(tr("its effects"))
    return in_a_row(parts) or tr("no change")


def _swatch(rgb: list[float]) -> str:
    code = words.hex_colour(rgb)
    return tr('<span style="color:{code}">■</span> {code}', code=code)


def _palettes_in(values: Mapping[str, Value | None]) -> list[Ref]:
    """The palettes that values link to."""
    found = [v for v in values.values() if isinstance(v, str)]
    return [parse(v) for v in found if v.startswith(links.PALETTE)]
