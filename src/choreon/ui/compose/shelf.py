"""The shelf: a card for every scene, with the stage as it lights it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.model import edits
from choreon.model.show import Scene
from choreon.ui import theme, words
from choreon.ui.session import Session
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics


class Shelf(QWidget):
    """All scenes, side by side. Choosing a card shows what can be done with it; it never lights anything."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.minis = MiniStages(session)
        self.cards: dict[str, SceneCard] = {}
        self.chosen = ""
        self._shown: object = None
        self._rig: object = None
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a scene")
        self.search.setFixedWidth(170)
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill(again=True))
        self.about = basics.label("", "small")
        self.to_page = basics.button("Put on page", self._page_menu, "", "perform")
        self.take = basics.button(
            "Take into draft", self._take, "", "", "Bring its values into the draft to change them"
        )
        self.rename = basics.tool("edit", "Rename the scene", self._rename)
        self.times = basics.tool("times", "Change its fade times", self._times)
        self.delete = basics.tool("trash", "Delete the scene", self._delete)
        self.deeds = basics.row(self.to_page, self.take, self.rename, self.times, self.delete, spacing=4)
        self.empty = basics.label(
            "No scenes yet. Choose lights, give them level and colour, then press “Keep as…” below.", "soft"
        )
        self.row = QWidget()
        self.box = QHBoxLayout(self.row)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(8)
        scroll = basics.scroller(self.row, sideways=True)
        scroll.setFixedHeight(132)
        self.about.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head = basics.row(basics.label("Scenes", "heading"), self.search, self.about, self.deeds)
        head.layout().setStretch(2, 1)
        panel = basics.panel(head, self.empty, scroll, margins=10)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        box.addStretch(0)
        session.show_changed.connect(lambda _: self._fill())
        session.state_changed.connect(self._state)
        self._fill()

    def _fill(self, again: bool = False) -> None:
        show = self.session.show
        rig = self.session.programme.rig
        if self._shown is show.scenes and self._rig is rig and not again:
            return
        self._shown, self._rig = show.scenes, rig
        wanted = self.search.text().strip().lower()
        basics.clear(self.box)
        self.cards = {}
        for scene in reversed(show.scenes.values()):
            if wanted in scene.name.lower():
                card = SceneCard(self, scene)
                self.cards[scene.id] = card
                self.box.addWidget(card)
        self.box.addStretch(1)
        self.empty.setVisible(not show.scenes)
        self.choose(self.chosen if self.chosen in self.cards else "")
        self._state(self.session.state)

    def _state(self, state) -> None:
        on = {p.scene: p for p in state.players if not p.releasing}
        for scene_id, card in self.cards.items():
            card.set_on(scene_id in on)

    def choose(self, scene_id: str) -> None:
        """Show what can be done with a scene."""
        self.chosen = scene_id
        for i, card in self.cards.items():
            card.set_chosen(i == scene_id)
        self.deeds.setVisible(bool(scene_id))
        self.about.setText("")
        if scene_id:
            scene = self.session.show.scenes[scene_id]
            self.about.setText(f"in {scene.fade_in:g} s · out {scene.fade_out:g} s")

    def _page_menu(self) -> None:
        menu = QMenu(self)
        for page in self.session.show.pages.values():
            for kind in ("pad", "fader"):
                menu.addAction(f"{page.name}, as a {kind}", lambda p=page, k=kind: self.put_on(p.id, k))
        menu.exec(self.to_page.mapToGlobal(self.to_page.rect().topLeft()))

    def put_on(self, page_id: str, kind: str) -> None:
        """Put the chosen scene on a page as a tile."""
        name = self.session.show.scenes[self.chosen].name
        show, _ = edits.add_tile(self.session.show, page_id, self.chosen, kind)
        self.session.edit(f"put {name} on {show.pages[page_id].name}", show)
        self.session.told.emit(f"{name} is on the page {show.pages[page_id].name}.", "info")

    def _take(self) -> None:
        scene = self.session.show.scenes[self.chosen]
        self.session.touch(scene.look)
        self.session.choose([i for i in scene.look if i in self.session.show.fixtures])

    def _rename(self) -> None:
        scene = self.session.show.scenes[self.chosen]
        name, sure = QInputDialog.getText(self, "Rename the scene", "Name", text=scene.name)
        if sure and name.strip():
            self.session.edit(
                f"rename {scene.name}", edits.put(self.session.show, "scenes", edits.replace(scene, name=name.strip()))
            )

    def _times(self) -> None:
        scene = self.session.show.scenes[self.chosen]
        text = f"{scene.fade_in:g} / {scene.fade_out:g}"
        given, sure = QInputDialog.getText(self, "Fade times", "Seconds in / out", text=text)
        if not sure:
            return
        try:
            numbers = [max(0.0, float(part.replace(",", "."))) for part in given.split("/")]
        except ValueError:
            self.session.told.emit(f"“{given}” is no time; the times stay as they were. Try 2 / 3.5", "alarm")
            return
        changed = edits.replace(scene, fade_in=numbers[0], fade_out=numbers[-1])
        self.session.edit(f"change the times of {scene.name}", edits.put(self.session.show, "scenes", changed))

    def _delete(self) -> None:
        scene = self.session.show.scenes[self.chosen]
        used = [p.name for p in self.session.show.pages.values() if any(t.scene == scene.id for t in p.tiles)]
        self.session.edit(f"delete {scene.name}", edits.drop(self.session.show, "scenes", [scene.id]))
        note = f" It was on {words.some(used)}." if used else ""
        self.session.told.emit(f"{scene.name} is deleted.{note} Ctrl+Z brings it back.", "info")


class SceneCard(QWidget):
    """One scene, with the stage as it lights it."""

    def __init__(self, shelf: Shelf, scene: Scene) -> None:
        super().__init__()
        self.shelf, self.scene = shelf, scene
        self._on = self._chosen = False
        self.setFixedSize(152, 122)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(scene.name)
        self.setToolTip(f"{scene.name}: {words.summary(scene.look)}")

    def sizeHint(self) -> QSize:
        return QSize(152, 122)

    def set_on(self, on: bool) -> None:
        if on != self._on:
            self._on = on
            self.update()

    def set_chosen(self, chosen: bool) -> None:
        if chosen != self._chosen:
            self._chosen = chosen
            self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        shape = QPainterPath()
        shape.addRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        painter.setClipPath(shape)
        painter.fillRect(rect, QColor(theme.FLAT))
        mini = self.shelf.minis.picture(self.scene, 150, 92, self.devicePixelRatioF())
        painter.drawPixmap(1, 1, mini)
        painter.setClipping(False)
        left = 10.0
        if self._on:
            painter.setBrush(QColor(theme.LIVE))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QRectF(10, 103, 8, 8))
            left = 24.0
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(13))
        text = painter.fontMetrics().elidedText(self.scene.name, Qt.TextElideMode.ElideRight, int(142 - left))
        painter.drawText(QRectF(left, 94, 142 - left, 26), Qt.AlignmentFlag.AlignVCenter, text)
        if self._chosen or self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.drawPath(shape)

    def mousePressEvent(self, event) -> None:
        self.setFocus()
        self.shelf.choose(self.scene.id)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.shelf.choose(self.scene.id)
        else:
            super().keyPressEvent(event)
