"""Live music, set up: what is listened to, whether its tempo is the tempo, what its
bands drive, and how sure it is.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox, QWidget

from choreon.engine import protocol
from choreon.language import tr
from choreon.model import edits
from choreon.model.inputs import Answer, Pickup, music_control, tied
from choreon.model.inputs.music import BANDS
from choreon.model.refs import MASTER, TEMPO, Ref, name_of, to_tile
from choreon.model.show import Show
from choreon.sound.music import SURE
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.tick import Tick

TURNED = ("fader", "dial", "master")
"""Kinds of tiles that a band can drive."""


class Meter(QWidget):
    """How loud a band is."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.level = 0.0
        self.setFixedSize(QSize(90, 12))
        self.setAccessibleName(name)

    def set_level(self, level: float) -> None:
        """Show another level, 0…1."""
        if level != self.level:
            self.level = level
            self.update()

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        return Spoken(
            Role.Indicator, tr("{percent} %", percent=round(100 * self.level))
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.FLAT))
        wide = self.width() * min(1.0, self.level)
        painter.fillRect(QRectF(0, 0, wide, self.height()), QColor(theme.LIVE))


class MusicPanel(QWidget):
    """What is changed here holds at once."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.on = Tick(tr("Listen"))
        self.on.setToolTip(tr("Listen to a microphone, or a line"))
        self.on.toggled.connect(lambda on: self._change(on=on))
        self.source = QComboBox()
        self.source.setAccessibleName(tr("Source"))
        self.source.setToolTip(tr("What is listened to"))
        self.source.activated.connect(
            lambda _: self._change(source=self.source.currentData())
        )
        self.tempo = Tick(tr("Its tempo is the tempo"))
        self.tempo.setToolTip(
            tr("Where it is not sure of it, the last tempo goes on; it never jumps")
        )
        self.tempo.toggled.connect(lambda on: self._change(tempo=on))
        self.state = basics.label("", "soft", wrap=True)
        self.meters: dict[str, Meter] = {}
        self.drives: dict[str, QComboBox] = {}
        rows = []
        for band, name in BANDS.items():
            self.meters[band] = Meter(name)
            box = self.drives[band] = QComboBox()
            box.setAccessibleName(tr("What {band} drives", band=name))
            box.setToolTip(tr("What goes up and down with it"))
            box.activated.connect(lambda _, b=band: self._drive(b))
            row = basics.row(
                basics.label(name, "small"), 1, self.meters[band], box, spacing=8
            )
            rows.append(row)
        basics.stack(
            self,
            basics.row(self.on, self.source, 1, spacing=10),
            self.tempo,
            self.state,
            *rows,
            spacing=6,
        )
        parts.engine.music_heard.connect(self.follow)
        self.fill()
        self.follow(parts.engine.music)

    def fill(self) -> None:
        """Show what holds now."""
        show = self.parts.document.show
        self.on.setChecked(show.music.on)
        self.tempo.setChecked(show.music.tempo)
        targets = _targets(show)
        for band, box in self.drives.items():
            names = [(tr("drives nothing"), None), *targets]
            if [box.itemText(n) for n in range(box.count())] != [n for n, _ in names]:
                box.clear()
                for name, ref in names:
                    box.addItem(name, ref)
            own = self._tie(show, band)
            place = 0 if own is None else _place(targets, own.target)
            box.setCurrentIndex(place)
        self._list_sources(self.parts.engine.music)

    def _list_sources(self, music: protocol.MusicIs) -> None:
        own = self.parts.document.show.music.source
        names = list(dict.fromkeys(["", *music.sources, own]))
        if [self.source.itemData(n) for n in range(self.source.count())] != names:
            self.source.clear()
            for name in names:
                self.source.addItem(name or tr("The usual one"), name)
        self.source.setCurrentIndex(self.source.findData(own))

    def follow(self, music: protocol.MusicIs) -> None:
        """Show what is heard now."""
        for band, level in zip(self.meters, music.levels or (0.0,) * 4, strict=False):
            self.meters[band].set_level(level)
        basics.say(self.state, self._in_words(music))
        self._list_sources(music)

    def _in_words(self, music: protocol.MusicIs) -> str:
        if not self.parts.document.show.music.on:
            return tr("Nothing is listened to.")
        if music.trouble:
            return music.trouble
        if not music.bpm:
            return tr("It listens; a tempo takes some seconds.")
        text = tr(
            "{bpm:.1f} a minute, {percent} % sure",
            bpm=music.bpm,
            percent=round(100 * music.sure),
        )
        if music.sure < SURE:
            return tr("{text}: the last tempo goes on.", text=text)
        return text

    def _change(self, **fields: Any) -> None:
        document = self.parts.document
        made = edits.replace(document.show.music, **fields)
        if made != document.show.music:
            show = edits.replace(document.show, music=made)
            document.edit(tr("change what live music does"), show)

    @staticmethod
    def _tie(show: Show, band: str) -> Any:
        control = music_control(band)
        return next((t for t in show.inputs.values() if t.control == control), None)

    def _drive(self, band: str) -> None:
        """Have a band drive something, or nothing."""
        document = self.parts.document
        target = self.drives[band].currentData()
        known = self._tie(document.show, band)
        show = document.show
        if known is not None:
            show = edits.drop(show, "inputs", [known.id])
        if target is not None:
            input_id = edits.fresh_id(f"music-{band}", show.inputs)
            made = tied(input_id, target, music_control(band))
            # it goes up and down by itself: there is nothing to be taken hold of
            made = edits.replace(made, answer=Answer(pickup=Pickup.JUMP))
            show = edits.put(show, "inputs", made)
        if show is not document.show:
            document.edit(tr("change what a band of the music drives"), show)


def _targets(show: Show) -> list[tuple[str, Ref]]:
    """What a band can drive: masters, and tiles that are turned."""
    masters = [
        (name_of(show, ref), ref)
        for ref in (Ref(MASTER, master) for master in show.masters)
        if ref != TEMPO and ref.id not in ("blackout", "grand")
    ]
    tiles = [
        (_on_page(show, to_tile(tile.id), page.name), to_tile(tile.id))
        for page in show.pages.values()
        for tile in page.tiles
        if tile.kind in TURNED
    ]
    return [*masters, *tiles]


def _on_page(show: Show, tile: Ref, page: str) -> str:
    return tr("{tile}, on {page}", tile=name_of(show, tile), page=page)


def _place(targets: list[tuple[str, Ref]], target: Ref) -> int:
    refs = [ref for _, ref in targets]
    return refs.index(target) + 1 if target in refs else 0
