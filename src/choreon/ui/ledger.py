"""The ledger strip: what the draft holds, line by line, and what to do with it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QComboBox, QFrame, QLineEdit, QMenu, QVBoxLayout, QWidget

from choreon.model import attributes as at
from choreon.model import edits
from choreon.ui import theme, words
from choreon.ui.session import Session
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField

MOST_LINES = 200


class Ledger(QFrame):
    """Only there when there is a draft."""

    kept_scene = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._look: object = None
        self.summary = basics.label("", "heading")
        self.open = basics.tool("up", "Show what the draft holds, line by line", self._toggle, checkable=True)
        self.update_button = basics.button(
            "Update…", self._update_menu, "quiet", "update", "Lay the draft over a scene that is stored"
        )
        self.keep_button = basics.button(
            "Keep as…", self.ask_name, "main", "keep", "Store the draft as a scene (Ctrl+S)"
        )
        self.clear_button = basics.button(
            "Clear",
            session.clear_draft,
            "",
            "clear",
            "Let the draft go; the stage returns to what plays (Ctrl+Shift+X)",
        )
        self.deeds = basics.row(self.summary, self.open, 1, self.update_button, self.clear_button, self.keep_button)
        self.form = self._make_form()
        self._rows = QWidget()
        self._box = QVBoxLayout(self._rows)
        self._box.setContentsMargins(0, 0, 8, 0)
        self._box.setSpacing(2)
        self.list = basics.scroller(self._rows)
        self.list.setFixedHeight(190)
        self.list.hide()
        layout = basics.stack(self, self.list, self.deeds, self.form, margins=10, spacing=8)
        layout.setContentsMargins(16, 10, 16, 10)
        self._refill = basics.once(self, 120, self._fill)
        session.state_changed.connect(self._state)
        self._state(session.state)

    def _make_form(self) -> QWidget:
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name of the scene")
        self.name.setAccessibleName("Name of the scene")
        self.name.setMinimumWidth(220)
        self.name.returnPressed.connect(self.keep)
        self.fade_in = ValueField("Fade in", 0, 30, "s", 1, bar=False)
        self.fade_out = ValueField("Fade out", 0, 30, "s", 1, bar=False)
        for field in (self.fade_in, self.fade_out):
            field.set_value(2.0)
            field.setFixedWidth(130)
        self.page = QComboBox()
        self.page.setAccessibleName("Put it on a page")
        self.page.setMinimumWidth(190)
        self.confirm = basics.button("Keep", self.keep, "main", "check")
        cancel = basics.button("Not yet", self._cancel, "quiet")
        self.what = basics.label("", "soft")
        form = basics.row(
            basics.label("Keep as", "heading"),
            self.name,
            self.fade_in,
            self.fade_out,
            self.page,
            self.what,
            1,
            cancel,
            self.confirm,
        )
        form.hide()
        return form

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.DECK))
        pen = QPen(QColor(theme.DRAFT), 2)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawLine(0, 1, self.width(), 1)

    def _state(self, state) -> None:
        look = state.draft.look
        if look is self._look:
            return
        self._look = look
        self.setVisible(bool(look))
        if not look:
            self._cancel()
            return
        self.summary.setText(f'<span style="color:{theme.DRAFT}">◌ draft</span>&nbsp;&nbsp;{words.summary(look)}')
        self.what.setText(words.summary(look))
        if self.list.isVisible() and not self._refill.isActive():
            self._refill.start()

    # line by line

    def _toggle(self) -> None:
        shown = not self.list.isVisible()
        self.list.setVisible(shown)
        self.open.setChecked(shown)
        self.open.setIcon(theme.icon("down" if shown else "up"))
        if shown:
            self._fill()

    def _fill(self) -> None:
        basics.clear(self._box)
        look = self.session.state.draft.look
        below = self.session.values(without_draft=True)
        where = self.session.programme.rig.where
        found = words.lines(look)
        for fixture, name, attributes in found[:MOST_LINES]:
            self._box.addWidget(self._line(look, below, where, fixture, name, attributes))
        if len(found) > MOST_LINES:
            self._box.addWidget(basics.label(f"… and {len(found) - MOST_LINES} more lines", "small"))
        self._box.addStretch(1)

    def _line(self, look, below, where, fixture: str, name: str, attributes: tuple[str, ...]) -> QWidget:
        show = self.session.show
        title = basics.label(show.fixtures[fixture].name if fixture in show.fixtures else fixture)
        title.setFixedWidth(170)
        what = basics.label(name, "soft")
        what.setFixedWidth(120)
        before = {a: below[where[fixture][a][0][1]] for a in attributes if a in where.get(fixture, {})}
        if name == "Colour":
            new = _swatch([_first(look[fixture].get(a, 0.0)) for a in at.TARGET_COLOUR])
            old = _swatch([before.get(a, 0.0) for a in at.TARGET_COLOUR])
        else:
            new = words.value(attributes[0], look[fixture][attributes[0]])
            old = words.number(attributes[0], before[attributes[0]]) if before else "nothing"
        now = basics.label(new)
        now.setFixedWidth(150)
        remove = basics.tool("close", f"Take {name.lower()} of {title.text()} out of the draft", lambda: None)
        remove.clicked.connect(lambda: self.session.untouch({fixture: attributes}))
        return basics.row(title, what, now, basics.label(f"was {old}", "soft"), 1, remove)

    # storing

    def ask_name(self) -> None:
        """Show the one line that stores: what, under which name, how fast, and where to."""
        if not self.session.state.draft.look:
            return
        show = self.session.show
        self.name.setText(self._suggest())
        self.page.clear()
        self.page.addItem("on no page", None)
        for page in show.pages.values():
            self.page.addItem(f"as a pad on {page.name}", (page.id, "pad"))
            self.page.addItem(f"as a fader on {page.name}", (page.id, "fader"))
        self.deeds.hide()
        self.form.show()
        self.name.setFocus()
        self.name.selectAll()

    def _suggest(self) -> str:
        look = self.session.state.draft.look
        show = self.session.show
        touched = set(look)
        group = next((g.name for g in show.groups.values() if set(g.fixtures) == touched), "")
        if not group:
            stems = {show.fixtures[i].name.rsplit(" ", 1)[0] for i in touched if i in show.fixtures}
            group = stems.pop() if len(stems) == 1 else "Look"
        return edits.fresh_name(f"{group} look" if group != "Look" else "Look", (s.name for s in show.scenes.values()))

    def keep(self) -> None:
        """Store the draft as a scene, then let the draft go."""
        look = self.session.state.draft.look
        if not look:
            return
        name = self.name.text().strip() or self._suggest()
        show, scene_id = edits.keep_scene(
            self.session.show, name, look, self.fade_in.value or 0.0, self.fade_out.value or 0.0
        )
        place = self.page.currentData()
        if place is not None:
            show, _ = edits.add_tile(show, place[0], scene_id, place[1])
        self.session.store(f"keep {show.scenes[scene_id].name}", show)
        self._cancel()
        self.session.told.emit(f"Kept as {show.scenes[scene_id].name}. The draft is let go.", "info")
        self.kept_scene.emit(scene_id)

    def _cancel(self) -> None:
        self.form.hide()
        self.deeds.show()

    def _update_menu(self) -> None:
        menu = QMenu(self)
        on = {p.scene for p in self.session.state.players}
        scenes = sorted(self.session.show.scenes.values(), key=lambda s: (s.id not in on, s.name))
        for scene in scenes:
            difference = _difference(scene.look, self.session.state.draft.look)
            mark = "● " if scene.id in on else ""
            menu.addAction(f"{mark}{scene.name}: {difference}", lambda s=scene: self.update_scene(s.id))
        if not scenes:
            menu.addAction("There is no scene yet").setEnabled(False)
        menu.exec(self.update_button.mapToGlobal(self.update_button.rect().topLeft()))

    def update_scene(self, scene_id: str) -> None:
        """Lay the draft over a scene."""
        name = self.session.show.scenes[scene_id].name
        show = edits.update_scene(self.session.show, scene_id, self.session.state.draft.look)
        self.session.store(f"update {name}", show)
        self.session.told.emit(f"{name} is updated. The draft is let go.", "info")

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and self.form.isVisible():
            self._cancel()
        else:
            super().keyPressEvent(event)


def _difference(old, new) -> str:
    changed = sum(1 for f, vs in new.items() for a, v in vs.items() if a in old.get(f, {}) and old[f][a] != v)
    added = sum(1 for f, vs in new.items() for a in vs if a not in old.get(f, {}))
    parts = [f"{n} value{'s' if n > 1 else ''} {word}" for n, word in ((changed, "changed"), (added, "added")) if n]
    return ", ".join(parts) or "no change"


def _first(given: float | tuple[float, ...]) -> float:
    return given[0] if isinstance(given, tuple) else given


def _swatch(rgb: list[float]) -> str:
    code = words.hex_colour(rgb)
    return f'<span style="color:{code}">■</span> {code}'
