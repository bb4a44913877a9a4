"""The panel of a canvas: its layers, its cells, what it drives."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QPushButton, QStackedWidget, QWidget

from choreon.language import tr
from choreon.model import canvases, painting
from choreon.model.motion import Rate
from choreon.model.playables.canvas import PictureLayer, WordsLayer
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.canvas.cells_form import CellsForm
from choreon.ui.compose.canvas.figure_dialog import FigureDialog, layer_of
from choreon.ui.compose.canvas.layer_form import LayerForm
from choreon.ui.compose.canvas.layer_list import TALL, LayerList
from choreon.ui.compose.canvas.light_form import LightForm
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.moving_grid import GAP

PAINTED, CELLS, LIGHT = "painted", "cells", "light"
TITLES = {PAINTED: tr("Painted"), CELLS: tr("Cells"), LIGHT: tr("Light")}
MOST_SEEN = 3  # layers that are seen at once
MOST_GROUND = 16  # fields a side that a new painted layer has


class CanvasPanel(QWidget):
    """Tabs, and below them the forms."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self.tabs: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for name, title in TITLES.items():
            tab = basics.button(title, lambda n=name: self.show_tab(n), "quiet")  # type: ignore[misc]
            tab.setCheckable(True)
            group.addButton(tab)
            self.tabs[name] = tab

        self.layers = LayerList(hand)
        self.layers.chosen.connect(hand.choose)
        self.layers.switched.connect(self._switch)
        self.layers.taken.connect(self._take)
        self._make_deeds()
        self.form = LayerForm(hand)
        self.cells = CellsForm(hand)
        self.light = LightForm(hand)

        painted = QWidget()
        basics.stack(
            painted,
            self.adds,
            self.layers,
            self.deeds,
            basics.scroller(self.form),
            margins=0,
            spacing=6,
        )
        basics.grow(painted, 3)
        self.pages = QStackedWidget()
        for page in (
            painted,
            basics.scroller(self.cells),
            basics.scroller(self.light),
        ):
            self.pages.addWidget(page)
        panel = basics.panel(
            basics.row(*self.tabs.values(), 1, spacing=2),
            self.pages,
            margins=10,
            spacing=8,
        )
        basics.grow(panel, 1)
        basics.stack(self, panel, margins=0)
        hand.changed.connect(self._follow)
        self.show_tab(PAINTED)

    def _make_deeds(self) -> None:
        self.add_figure = basics.button(
            tr("Figure"), self.ask_figure, "", "", tr("Add a ready figure")
        )
        self.add_picture = basics.button(
            tr("Picture"),
            self.new_picture,
            "",
            "",
            tr("Add a picture, a moving picture or a film"),
        )
        self.add_words = basics.button(
            tr("Words"), self.new_words, "", "", tr("Add words")
        )
        self.add_painted = basics.button(
            tr("Paint"), self.new_painted, "", "", tr("Add frames to paint on")
        )
        self.adds = flow(
            self.add_figure,
            self.add_picture,
            self.add_words,
            self.add_painted,
            spacing=4,
        )
        for button in (
            self.add_figure,
            self.add_picture,
            self.add_words,
            self.add_painted,
        ):
            button.setStyleSheet("padding: 5px 6px; min-width: 20px; font-size: 13px;")

        self.higher = basics.tool("up", tr("Higher"), lambda: self._move(1))
        self.deeper = basics.tool("down", tr("Lower"), lambda: self._move(-1))
        self.twice = basics.tool("copy", tr("The layer once more"), self._twice)
        self.out = basics.tool(
            "trash", tr("Take the layer out"), lambda: self._take(self.hand.layer_id)
        )
        self.about = basics.name_label("", "soft")
        self.deeds = basics.row(
            self.about, 1, self.higher, self.deeper, self.twice, self.out, spacing=2
        )

    def show_tab(self, name: str) -> None:
        """Show one of the forms."""
        self.tabs[name].setChecked(True)
        self.pages.setCurrentIndex(list(TITLES).index(name))

    def _follow(self) -> None:
        layer, canvas = self.hand.layer, self.hand.canvas
        seen = min(MOST_SEEN, max(1, self.layers.count()))
        self.layers.setFixedHeight(seen * (TALL + GAP))
        for tool in (self.higher, self.deeper, self.twice, self.out):
            tool.setEnabled(layer is not None)
        if layer is not None and canvas is not None:
            self.higher.setEnabled(layer is not canvas.layers[-1])
            self.deeper.setEnabled(layer is not canvas.layers[0])
        name = tr("Nothing painted yet: add a layer.")
        self.about.setText(canvases.title(layer) if layer is not None else name)

    # layers

    def ask_figure(self) -> None:
        """Ask for a figure, and add it."""
        dialog = FigureDialog(self.hand, self)
        if dialog.exec() and dialog.figure:
            self.hand.add_layer(layer_of(dialog.figure))
        discard(dialog)

    def new_picture(self) -> None:
        """Add a picture: the newest of the show, until another one is read."""
        images = self.hand.show.images
        image = next(reversed(images.values()), None)
        rate = (
            Rate(seconds=image.lasts) if image is not None and image.lasts else Rate()
        )
        image_id, name = ("", "") if image is None else (image.id, image.name)
        self.hand.add_layer(PictureLayer(id="", name=name, image=image_id, rate=rate))

    def new_words(self) -> None:
        """Add words: the name of the canvas, to begin with."""
        canvas = self.hand.canvas
        text = "" if canvas is None else canvas.name.upper()
        self.hand.add_layer(WordsLayer(id="", text=text, rate=Rate(seconds=8.0)))

    def new_painted(self) -> None:
        """Add a blank frame, a field for each cell where that can be."""
        cells = self.hand.cells
        columns = 8 if cells is None else min(MOST_GROUND, cells.columns)
        rows = 8 if cells is None else min(MOST_GROUND, cells.rows)
        self.hand.add_layer(painting.layer_of(columns, rows))

    def _switch(self, layer_id: str) -> None:
        canvas = self.hand.canvas
        layer = None if canvas is None else canvas.layer(layer_id)
        if canvas is not None and layer is not None:
            show = canvases.change_layer(
                self.hand.show, canvas.ref, layer_id, on=not layer.on
            )
            self.hand.edit(tr("switch {name}", name=canvases.title(layer)), show)

    def _take(self, layer_id: str) -> None:
        canvas = self.hand.canvas
        layer = None if canvas is None else canvas.layer(layer_id)
        if canvas is not None and layer is not None:
            show = canvases.take_layer(self.hand.show, canvas.ref, layer_id)
            self.hand.edit(tr("take out {name}", name=canvases.title(layer)), show)

    def _move(self, by: int) -> None:
        canvas, layer = self.hand.canvas, self.hand.layer
        if canvas is not None and layer is not None:
            show = canvases.move_layer(self.hand.show, canvas.ref, layer.id, by)
            self.hand.edit(tr("move {name}", name=canvases.title(layer)), show)

    def _twice(self) -> None:
        canvas, layer = self.hand.canvas, self.hand.layer
        if canvas is not None and layer is not None:
            show, made = canvases.copy_layer(self.hand.show, canvas.ref, layer.id)
            self.hand.layer_id = made
            self.hand.edit(tr("copy {name}", name=canvases.title(layer)), show)
