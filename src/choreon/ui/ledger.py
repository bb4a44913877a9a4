"""The ledger strip: what the draft holds, line by line, and what to do with it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.ui import theme, words
from choreon.ui.compose import palette_chips
from choreon.ui.keep import KeepForm
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics

BATCH = 14  # lines that are made at once; more are when they are scrolled to


class Ledger(QFrame):
    """Only there when there is a draft."""

    kept_scene = Signal(str)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._look: object = None
        self._blind = False
        self._target = ""
        self.summary = basics.label("", "heading")
        self.open = basics.tool(
            "up",
            "Show what the draft holds, line by line",
            self._toggle,
            checkable=True,
        )
        self.blind = basics.tool(
            "eye",
            "Blind: keep the draft off the stage, on the screen only",
            self._set_blind,
            True,
        )
        self.update_button = basics.button(
            "Update…",
            self._update_menu,
            "quiet",
            "update",
            "Lay the draft over something that is stored",
        )
        self.keep_button = basics.button(
            "Keep as…",
            self.ask_name,
            "main",
            "keep",
            "Store the draft as a scene or a palette (Ctrl+S)",
        )
        self.clear_button = basics.button(
            "Clear",
            parts.draft.clear,
            "",
            "clear",
            "Let the draft go; the stage returns to what plays (Ctrl+Shift+X)",
        )
        self.deeds = basics.row(
            self.summary,
            self.open,
            self.blind,
            1,
            self.update_button,
            self.clear_button,
            self.keep_button,
        )
        self.form = KeepForm(parts)
        self.form.hide()
        self.form.cancelled.connect(self._cancel)
        self.form.done.connect(self._kept)
        self.change = basics.label("", wrap=True)
        self.confirm_update = basics.button("Update", self._update_now, "main", "check")
        self.question = basics.row(
            self.change,
            basics.button("Not yet", self._cancel, "quiet"),
            self.confirm_update,
        )
        self.question.layout().setStretch(0, 1)
        self.question.hide()
        self.by_family = QWidget()
        self._families = QHBoxLayout(self.by_family)
        self._families.setContentsMargins(0, 0, 0, 0)
        self._families.setSpacing(4)
        self._rows = QWidget()
        self._box = QVBoxLayout(self._rows)
        self._box.setContentsMargins(0, 0, 8, 0)
        self._box.setSpacing(2)
        self.list = basics.scroller(self._rows)
        self.list.setFixedHeight(190)
        self.list.verticalScrollBar().valueChanged.connect(lambda _: self._go_on())
        self._waiting: list[tuple[str, str, tuple[str, ...]]] = []
        self.list.hide()
        self.by_family.hide()
        layout = basics.stack(
            self,
            self.by_family,
            self.list,
            self.deeds,
            self.form,
            self.question,
            margins=10,
            spacing=8,
        )
        layout.setContentsMargins(16, 10, 16, 10)
        self._refill = basics.once(self, 120, self._fill)
        parts.engine.state_changed.connect(self._state)
        self._state(parts.engine.state)

    # parts of the form by name

    @property
    def name(self):
        return self.form.name

    @property
    def page(self):
        return self.form.page

    @property
    def fade_in(self):
        return self.form.fade_in

    @property
    def fade_out(self):
        return self.form.fade_out

    @property
    def confirm(self):
        return self.form.confirm

    def keep(self) -> None:
        """Store what the form says."""
        self.form.keep()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.DECK))
        pen = QPen(QColor(theme.DRAFT), 2)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawLine(0, 1, self.width(), 1)

    def _state(self, state) -> None:
        look, blind = state.draft.look, state.draft.blind
        if look is self._look and blind == self._blind:
            return
        self._look, self._blind = look, blind
        self.setVisible(bool(look) or blind)
        self.blind.setChecked(blind)
        sign = "blind draft" if blind else "draft"
        what = (
            words.summary(look)
            if look
            else "nothing yet; what you touch stays off the stage"
        )
        self.summary.setText(
            f'<span style="color:{theme.DRAFT}">◌ {sign}</span>&nbsp;&nbsp;{what}'
        )
        for widget in (
            self.open,
            self.update_button,
            self.clear_button,
            self.keep_button,
        ):
            widget.setEnabled(bool(look))
        if not look:
            self._cancel()
            self.list.hide()
            self.by_family.hide()
            self.open.setChecked(False)
            return
        if self.list.isVisible() and not self._refill.isActive():
            self._refill.start()

    def _set_blind(self) -> None:
        self.parts.draft.set_blind(self.blind.isChecked())

    # line by line

    def _toggle(self) -> None:
        shown = not self.list.isVisible()
        self.list.setVisible(shown)
        self.by_family.setVisible(shown)
        self.open.setChecked(shown)
        self.open.setIcon(theme.icon("down" if shown else "up"))
        if shown:
            self._fill()

    def _fill(self) -> None:
        self._rows.setMinimumHeight(0)
        here = self.list.verticalScrollBar().value()
        shown = self._box.count()
        basics.clear(self._box)
        look = self.parts.engine.state.draft.look
        self._fill_families(look)
        found = words.lines(look)
        self._waiting = found
        self._show_lines(max(BATCH, shown if here else 0))
        self.list.setFixedHeight(min(190, 12 + 38 * max(1, len(found))))

    def _go_on(self) -> None:
        """Make more lines when the end of those that are there comes near."""
        bar = self.list.verticalScrollBar()
        if self._waiting and bar.maximum() - bar.value() < 200:
            self._show_lines(BATCH)

    def _show_lines(self, count: int) -> None:
        parts = self.parts
        look = parts.engine.state.draft.look
        below, where = (
            parts.preview.values(without_draft=True),
            parts.preview.compiled.rig.where,
        )
        now, self._waiting = self._waiting[:count], self._waiting[count:]
        for fixture, name, attributes in now:
            if name and all(a in look.get(fixture, {}) for a in attributes):
                self._box.addWidget(
                    self._line(look, below, where, fixture, name, attributes)
                )
        if not self._waiting:
            self._box.addStretch(1)
        self._box.activate()
        self._rows.setMinimumHeight(self._box.minimumSize().height())

    def _fill_families(self, look) -> None:
        """One button for each family that the draft has, to take it out whole."""
        basics.clear(self._families)
        self._families.addWidget(basics.label("Take out", "soft"))
        for family in words.families(look):
            lines = {
                i: tuple(n for n in values if at.attribute(n).family == family)
                for i, values in look.items()
            }
            count = sum(1 for names in lines.values() if names)
            button = basics.button(
                f"{family} ({count})",
                lambda own=lines: self.parts.draft.untouch(
                    {i: n for i, n in own.items() if n}
                ),
                "",
                "close",
                f"Take all of {family} out of the draft",
            )
            button.setStyleSheet("padding: 4px 8px;")
            self._families.addWidget(button)
        self._families.addStretch(1)

    def _line(
        self, look, below, where, fixture: str, name: str, attributes: tuple[str, ...]
    ) -> QWidget:
        show = self.parts.document.show
        title = basics.label(
            show.fixtures[fixture].name if fixture in show.fixtures else fixture
        )
        title.setFixedWidth(170)
        what = basics.label(name, "soft")
        what.setFixedWidth(120)
        before = {
            a: below[where[fixture][a][0][1]]
            for a in attributes
            if a in where.get(fixture, {})
        }
        given = look[fixture][attributes[0]]
        if name == "Colour":
            plain = links.resolve(
                show, {fixture: {a: look[fixture][a] for a in attributes}}
            )[fixture]
            new = _swatches([plain.get(a, 0.0) for a in at.TARGET_COLOUR])
            if isinstance(given, str):
                new += f" {words.value(attributes[0], given, show)}"
            old = _swatch(self._colour_below(fixture, before, below))
        else:
            new = words.value(attributes[0], given, show)
            old = (
                words.number(attributes[0], before[attributes[0]])
                if before
                else "nothing"
            )
        now = basics.label(new)
        now.setFixedWidth(210)
        remove = basics.tool(
            "close",
            f"Take {name.lower()} of {title.text()} out of the draft",
            lambda: None,
        )
        remove.clicked.connect(lambda: self.parts.draft.untouch({fixture: attributes}))
        whole = basics.button(
            "all of it",
            lambda: None,
            "quiet",
            "",
            f"Take everything of {title.text()} out",
        )
        whole.setStyleSheet("padding: 2px 6px;")
        whole.clicked.connect(
            lambda: self.parts.draft.untouch({fixture: tuple(look[fixture])})
        )
        made = basics.row(
            title, what, now, basics.label(f"covers {old}", "soft"), 1, whole, remove
        )
        whole.setVisible(len(look[fixture]) > len(attributes))
        return made

    def _colour_below(
        self, fixture: str, before: dict[str, float], below
    ) -> list[float]:
        """The colour that the draft covers; of a lamp with a wheel that of its slot."""
        wheel = self.parts.preview.compiled.rig.wheels.get(fixture)
        if wheel is None:
            return [before.get(a, 0.0) for a in at.TARGET_COLOUR]
        slot = min(max(int(below[wheel.row]), 0), len(wheel.light) - 1)
        return [float(v) for v in wheel.light[slot]]

    # storing

    def ask_name(self) -> None:
        """Show the lines that store."""
        if not self.parts.engine.state.draft.look:
            return
        self.deeds.hide()
        self.question.hide()
        self.form.show()
        self.form.open()

    def _kept(self, kind: str, made: str) -> None:
        self._cancel()
        if kind == "scene":
            self.kept_scene.emit(made)

    def _cancel(self) -> None:
        self.form.hide()
        self.question.hide()
        self.deeds.show()

    # updating

    def candidates(self) -> list[str]:
        """What the draft may update, likeliest first: what was taken into it, what the
        chosen get their light from, the rest. `scene:ID` or `palette:ID`.
        """
        parts, show = self.parts, self.parts.document.show
        look = parts.engine.state.draft.look
        found = dict.fromkeys([parts.draft.taken] if parts.draft.taken else [])
        chosen = set(parts.selection.chosen) or set(look)
        for player in reversed(parts.engine.state.players):
            scene = show.scenes.get(player.scene)
            if scene is not None and chosen & set(scene.look):
                found[f"scene:{scene.id}"] = None
                for fixture in chosen & set(scene.look) & set(look):
                    for name in look[fixture]:
                        link = scene.look[fixture].get(name)
                        if isinstance(link, str) and link.startswith(links.PALETTE):
                            found[link] = None
        found |= dict.fromkeys(
            f"scene:{s.id}" for s in sorted(show.scenes.values(), key=lambda s: s.name)
        )
        return [t for t in found if self._thing(t) is not None]

    def _thing(self, target: str):
        kind, _, thing_id = target.partition(":")
        show = self.parts.document.show
        return (
            show.scenes.get(thing_id)
            if kind == "scene"
            else show.palettes.get(thing_id)
        )

    def _update_menu(self) -> None:
        menu = QMenu(self)
        first = self.parts.draft.taken
        on = {f"scene:{p.scene}" for p in self.parts.engine.state.players}
        for target in self.candidates():
            thing = self._thing(target)
            mark = "◌ " if target == first else "● " if target in on else ""
            kind = "palette " if target.startswith(links.PALETTE) else ""
            entry = menu.addAction(
                f"{mark}{kind}{thing.name}: {self.difference(target)}"
            )
            entry.triggered.connect(lambda _=False, t=target: self.ask_update(t))
        if menu.isEmpty():
            menu.addAction("There is nothing stored yet").setEnabled(False)
        menu.exec(self.update_button.mapToGlobal(self.update_button.rect().topLeft()))

    def difference(self, target: str) -> str:
        """What updating would change, in few words."""
        look, thing = self.parts.engine.state.draft.look, self._thing(target)
        if target.startswith("scene:"):
            return _difference(thing.look, look)
        own = palettes.part(look, {thing.family})
        users = len(palettes.users(self.parts.document.show, thing.id))
        return (
            f"its {thing.family}, and {users} scene{'s' * (users != 1)} with it"
            if own
            else "no change"
        )

    def ask_update(self, target: str) -> None:
        """Show the difference, three lines of it at most, and ask."""
        look, thing = self.parts.engine.state.draft.look, self._thing(target)
        if thing is None or not look:
            return
        self._target = target
        own = (
            look if target.startswith("scene:") else palettes.part(look, {thing.family})
        )
        lines = []
        for fixture, name, attributes in words.lines(own):
            new = look[fixture][attributes[0]]
            if target.startswith("scene:"):
                old = thing.look.get(fixture, {}).get(attributes[0])
            else:
                old = links.held(
                    self.parts.document.show, thing, fixture, attributes[0]
                )
            if old == new:
                continue
            title = (
                self.parts.document.show.fixtures[fixture].name
                if fixture in self.parts.document.show.fixtures
                else fixture
            )
            lines.append(
                f"{title} {name.lower()}: "
                f"{self._say(attributes, fixture, old, thing, target)} → "
                f"{self._say(attributes, fixture, new, None, target)}"
            )
        shown = lines[:2] + (
            [f"and {len(lines) - 2} more"] if len(lines) > 3 else lines[2:3]
        )
        head = f"Update <b>{thing.name}</b>? {self.difference(target)}."
        self.change.setText(
            "<br>".join([head, *shown]) if shown else f"{head} Nothing would change."
        )
        self.confirm_update.setEnabled(bool(shown))
        self.deeds.hide()
        self.form.hide()
        self.question.show()

    def _say(
        self, attributes: tuple[str, ...], fixture: str, value, thing, target: str
    ) -> str:
        """A value, old (of `thing`) or new, in words; colours as a patch."""
        show = self.parts.document.show
        if value is None:
            return "nothing"
        if attributes[0] not in at.TARGET_COLOUR or isinstance(value, str):
            return words.value(attributes[0], value, show)
        parts = []
        for name in at.TARGET_COLOUR:
            if thing is None:
                part = self.parts.engine.state.draft.look[fixture].get(name, 0.0)
            elif target.startswith("scene:"):
                part = thing.look.get(fixture, {}).get(name, 0.0)
            else:
                part = links.held(show, thing, fixture, name) or 0.0
            parts.append(_first(part))
        return _swatch(parts)

    def _update_now(self) -> None:
        kind, _, thing_id = self._target.partition(":")
        if kind == "scene":
            self.update_scene(thing_id)
        else:
            self.update_palette(thing_id)

    def update_scene(self, scene_id: str) -> None:
        """Lay the draft over a scene."""
        name = self.parts.document.show.scenes[scene_id].name
        show = edits.update_scene(
            self.parts.document.show, scene_id, self.parts.engine.state.draft.look
        )
        self.parts.draft.store(f"update {name}", show)
        self.parts.notices.told.emit(f"{name} is updated. The draft is let go.", "info")

    def update_palette(self, palette_id: str) -> None:
        """Lay what the draft has of a palette's family over it; the rest of the draft
        stays.
        """
        palette_chips.update(self.parts, palette_id)
        self._cancel()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and (
            self.form.isVisible() or self.question.isVisible()
        ):
            self._cancel()
        else:
            super().keyPressEvent(event)


def _difference(old, new) -> str:
    changed = sum(
        1
        for f, vs in new.items()
        for a, v in vs.items()
        if a in old.get(f, {}) and old[f][a] != v
    )
    added = sum(1 for f, vs in new.items() for a in vs if a not in old.get(f, {}))
    parts = [
        f"{n} value{'s' if n > 1 else ''} {word}"
        for n, word in ((changed, "changed"), (added, "added"))
        if n
    ]
    return ", ".join(parts) or "no change"


def _first(given) -> float:
    one = (
        next((v for v in given if v is not None), 0.0)
        if isinstance(given, tuple)
        else given
    )
    return 0.0 if isinstance(one, str) else float(one)


def _swatches(parts: list) -> str:
    """A colour, or the first and the last of those that the cells have."""
    ends = []
    for end in (0, -1):
        cells = [
            [v for v in p if v is not None] if isinstance(p, tuple) else [p]
            for p in parts
        ]
        ends.append(_swatch([_first(c[end] if c else 0.0) for c in cells]))
    return ends[0] if ends[0] == ends[1] else f"{ends[0]} … {ends[1]}"


def _swatch(rgb: list[float]) -> str:
    code = words.hex_colour(rgb)
    return f'<span style="color:{code}">■</span> {code}'
