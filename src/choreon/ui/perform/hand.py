"""Lamps in the hand while a show is played: what lights the one that is pressed in the
picture, and those that are taken aside.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model import links, pages
from choreon.model.refs import Ref
from choreon.model.show import Fixture
from choreon.model.tiles import AsideTile
from choreon.model.values import Look
from choreon.render.explain import HOME, WhyLayer
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import ColourField, Rgb
from choreon.ui.widgets.floor_pad import FloorPad
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.values import ValueField
from choreon.ui.words import some

MOST_LAYERS = 5  # that are told of a lamp


class LampPanel(QFrame):
    """What lights the lamps that are chosen, and the way aside."""

    wanted = Signal(object)
    """The Ref of something to be led to."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.setProperty("panel", "true")
        self.title = basics.name_label()
        self.take = basics.button(
            tr("Take aside"),
            self.take_aside,
            "quiet",
            "hold",
            tr("Out of what plays, as they are; nothing else reaches them then"),
        )

        self.gone = basics.tool("close", tr("Choose no fixture"), self._nobody)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        head = basics.row(self.title, self.gone, spacing=4)
        basics.grow(head, 0)
        box = basics.stack(self, head, flow(self.take, 1), margins=10, spacing=4)
        box.addLayout(self.rows)

        self._shown: object = None
        parts.selection.changed.connect(self._follow)
        parts.engine.state_changed.connect(lambda _: self._follow())
        self.hide()
        basics.once(self, 0, self._follow).start()  # what was chosen before

    @property
    def lamps(self) -> list[str]:
        """The lamps that are chosen."""
        return list(self.parts.selection.chosen)

    def take_aside(self) -> None:
        """Take those chosen out of what plays."""
        self.parts.engine.take_aside(self.lamps)

    def _nobody(self) -> None:
        self.parts.selection.choose([])

    def _follow(self) -> None:
        fixtures, lamps = self.parts.document.show.fixtures, self.lamps
        self.setVisible(bool(lamps))
        if not lamps:
            self._shown = None
            return

        names = [fixtures[i].name for i in lamps if i in fixtures]
        self.title.setText(some(names, 2))
        aside = self.parts.engine.state.aside
        self.take.setEnabled(any(lamp not in aside for lamp in lamps))
        layers = self.layers() if len(lamps) == 1 and self.isVisible() else []
        shown = (tuple(lamps), tuple((x.source, x.target) for x in layers))

        if shown == self._shown:
            return

        self._shown = shown
        basics.clear(self.rows)
        for layer in layers[:MOST_LAYERS]:
            self.rows.addWidget(self._row(layer))

    def layers(self) -> list[WhyLayer]:
        """Returns what wins on the lamp that is chosen: each source once."""
        fixture = self.parts.document.show.fixtures.get(self.lamps[0])
        if fixture is None or not self.parts.preview.ready:
            return []
        found: dict[tuple[str, Ref | None], WhyLayer] = {}
        for slot in self._slots(fixture):
            for why in self.parts.preview.why(fixture.universe, slot):
                for layer in why.layers:
                    if layer.wins and layer.source != HOME:
                        found.setdefault((layer.owner, layer.target), layer)
        return list(found.values())

    def _slots(self, fixture: Fixture) -> range:
        kind = self.parts.document.show.types.get(fixture.type)
        mode = None if kind is None else kind.mode(fixture.mode)
        length = 0 if mode is None else min(mode.footprint, 24)
        return range(fixture.address, fixture.address + length)

    def _row(self, layer: WhyLayer) -> QWidget:
        source, target = layer.owner, layer.target
        if target is None:
            return basics.name_label(source, "small")
        tip = tr("Go to {source}", source=source)
        made = basics.button(
            source, partial(self.wanted.emit, target), "quiet", "why", tip
        )
        made.setStyleSheet("text-align: left;")
        return made


class AsidePanel(QFrame):
    """The lamps that are aside: level, colour and aim by hand, and the way back."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.page_id = ""
        self.setObjectName("aside")
        self.setStyleSheet(
            f"#aside {{ background: {theme.DECK}; border-left: 4px solid {theme.KEEP};"
            f" border-radius: {theme.RADIUS}px; }}"
        )

        self.title = basics.name_label("", "heading")
        self.names = basics.name_label("", "small")
        self.level = ValueField(tr("Level"), 0, 100, "%", 0, 100.0)
        self.level.changed.connect(lambda level: self.give({at.DIMMER: level / 100.0}))
        self.colour = ColourField()

        self.colour.setMinimumHeight(44)
        self.colour.setFixedHeight(44)
        self.colour.changed.connect(self._coloured)
        self.floor = FloorPad()
        self.floor.setFixedHeight(84)

        self.floor.aimed.connect(lambda link: self.give(dict(links.aim(link))))
        self.back = basics.button(
            tr("Bring back"),
            self.bring_back,
            "main",
            "undo",
            tr("Back to what plays, in 2 s: those chosen, else all of them"),
        )

        self.keep = basics.button(
            tr("Keep as a tile"),
            self.keep_tile,
            "quiet",
            "keep",
            tr("On the page shown"),
        )

        basics.stack(
            self,
            self.title,
            self.names,
            basics.row(self.back, self.keep, 1, spacing=4),
            self.level,
            self.colour,
            self.floor,
            margins=10,
            spacing=6,
        )

        parts.engine.state_changed.connect(self._follow)
        parts.selection.changed.connect(lambda: self._follow(parts.engine.state))
        self._follow(parts.engine.state)

    @property
    def lamps(self) -> list[str]:
        """The lamps that are meant: those aside that are chosen, else all aside."""
        aside = self.parts.engine.state.aside
        chosen = [lamp for lamp in self.parts.selection.chosen if lamp in aside]
        return chosen or list(aside)

    def look(self) -> Look:
        """What they have."""
        aside = self.parts.engine.state.aside
        return {lamp: aside[lamp].look[lamp] for lamp in self.lamps}

    def give(self, values: dict[str, object]) -> None:
        """Give them values, as far as they take them."""
        takes = self.parts.preview.takes
        look: Look = {
            lamp: {n: v for n, v in values.items() if takes(lamp, n)}  # type: ignore[misc]
            for lamp in self.lamps
        }
        self.parts.engine.set_aside({i: own for i, own in look.items() if own})

    def _coloured(self, rgb: Rgb) -> None:
        self.give(dict(zip(at.TARGET_COLOUR, rgb, strict=True)))

    def bring_back(self) -> None:
        """Bring them back to what plays."""
        self.parts.engine.bring_back(self.lamps)

    def keep_tile(self) -> None:
        """Keep them, as they are now, as a tile of the page."""
        show, look = self.parts.document.show, self.look()
        if self.page_id in show.pages and look:
            show, _ = pages.add(show, self.page_id, AsideTile(id="aside", look=look))
            self.parts.document.edit(tr("keep fixtures aside as a tile"), show)

    def _follow(self, state: PlayState) -> None:
        aside, show = state.aside, self.parts.document.show
        self.setVisible(bool(aside))
        if not aside:
            return

        self.title.setText(
            plural(len(aside), "Aside: {n} fixture", "Aside: {n} fixtures")
        )
        names = [show.fixtures[i].name for i in self.lamps if i in show.fixtures]
        self.names.setText(some(names, 1))
        self.level.set_value(_one_level(self.look()))
        takes = self.parts.preview.takes

        lamps = self.lamps
        self.colour.setVisible(any(takes(lamp, at.RED) for lamp in lamps))
        heads = [lamp for lamp in lamps if takes(lamp, at.PAN)]
        self.floor.setVisible(bool(heads))

        if heads:
            self.floor.show_stage(show.room, list(show.marks.values()))


def _one_level(look: Look) -> float | None:
    """The level in per cent that all of a look have; None where they differ, or have
    none.
    """
    levels = [values.get(at.DIMMER) for values in look.values()]
    numbers = [float(v) for v in levels if isinstance(v, float | int)]
    alike = numbers and max(numbers) - min(numbers) < 1e-6
    return 100.0 * numbers[0] if alike else None
