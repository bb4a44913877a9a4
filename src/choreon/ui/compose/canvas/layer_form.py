"""The form of one layer: what is painted, how fast, where it lies, how it comes to what
is below it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QWidget

from choreon.frames_file import DONE, FAILED
from choreon.language import plural, tr
from choreon.model import canvases, edits, painting
from choreon.model.figures import FIGURE_NAMES
from choreon.model.images import Image
from choreon.model.motion import Rate
from choreon.model.playables.canvas import (
    MOST_LETTERS,
    AnyLayer,
    FigureLayer,
    Fit,
    Letters,
    Mode,
    PaintedLayer,
    PictureLayer,
    Runs,
    WordsLayer,
)
from choreon.model.refs import IMAGE, Ref
from choreon.render.canvas import carries
from choreon.render.canvas.figures import FIGURES
from choreon.render.canvas.film_frames import film_of
from choreon.terms import term
from choreon.ui import images
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.canvas.figure_dialog import FigureDialog
from choreon.ui.compose.motion_parts import show_chips
from choreon.ui.compose.stops_row import StopsRow
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import ChipList
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField
from choreon.ui.widgets.work import Work

SECONDS, BEATS = "seconds", "beats"
LOOK = 500  # milliseconds between looks at how far a film is ready


class Dialled(NamedTuple):
    """A number of a layer: which field, between which ends; `times` what is stored
    makes what is shown.
    """

    field: str
    label: str
    low: float
    high: float
    unit: str = ""
    digits: int = 0
    times: float = 1.0
    home: float = 0.0


PLACE = (
    Dialled("zoom", tr("Size"), 10, 1000, "%", 0, 100.0, 100.0),
    Dialled("turn", tr("Turned"), -360, 360, "°", 0, 1.0, 0.0),
    Dialled("x", tr("To the right"), -200, 200, "%", 0, 100.0, 0.0),
    Dialled("y", tr("Up"), -200, 200, "%", 0, 100.0, 0.0),
    Dialled("spin", tr("Turns in a cycle"), -8, 8, "", 0, 1.0, 0.0),
    Dialled("swell", tr("Swells by"), 0, 90, "%", 0, 100.0, 0.0),
)
PAN = (
    Dialled("pan_x", tr("Moves right"), -8, 8, "×", 0, 1.0, 0.0),
    Dialled("pan_y", tr("Moves up"), -8, 8, "×", 0, 1.0, 0.0),
)
FIGURE = (
    Dialled("count", tr("How many"), 0.25, 16, "", 2, 1.0, 2.0),
    Dialled("width", tr("Width"), 0, 100, "%", 0, 100.0, 50.0),
    Dialled("soft", tr("Softness"), 0, 100, "%", 0, 100.0, 30.0),
    Dialled("seed", tr("Other chance"), 1, 99, "", 0, 1.0, 1.0),
)
WHOLE = ("spin", "pan_x", "pan_y", "seed")


class Numbers(QWidget):
    """Numbers of a layer, two in a line."""

    def __init__(self, hand: CanvasHand, entries: tuple[Dialled, ...]) -> None:
        super().__init__()
        self.hand = hand
        self.fields: dict[str, tuple[Dialled, ValueField]] = {}
        for entry in entries:
            field = ValueField(
                entry.label,
                entry.low,
                entry.high,
                entry.unit,
                entry.digits,
                entry.home,
                bar=False,
            )
            field.changed.connect(partial(self._set, entry))
            self.fields[entry.field] = entry, field
        shown = [field for _, field in self.fields.values()]
        lines = [
            basics.row(*shown[n : n + 2], spacing=4) for n in range(0, len(shown), 2)
        ]
        basics.stack(self, *lines, margins=0, spacing=4)

    def _set(self, entry: Dialled, value: float) -> None:
        stored = value / entry.times
        self.hand.change_layer(
            **{entry.field: round(stored) if entry.field in WHOLE else stored}
        )

    def show_layer(self, layer: AnyLayer, uses: tuple[str, ...] | None = None) -> None:
        """Show what a layer has; `uses`: the fields that mean something to it."""
        for name, (entry, field) in self.fields.items():
            field.setVisible(uses is None or name in uses)
            if hasattr(layer, name):
                field.set_value(getattr(layer, name) * entry.times)


class Own(QWidget):
    """What only one kind of layer has."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand

    def show_layer(self, layer: Any) -> None:
        """Show one."""
        raise NotImplementedError


class FigurePart(Own):
    """Which figure, its colours, its dials."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(hand)
        self.which = basics.button(
            "", self.ask, "", "figure", tr("Choose another figure, each seen moving")
        )
        self.stops = StopsRow(hand.parts)
        self.stops.changed.connect(lambda stops: hand.change_layer(stops=stops))
        self.hard = Tick(tr("Colours side by side"))
        self.hard.toggled.connect(lambda on: hand.change_layer(hard=on))
        self.dials = Numbers(hand, FIGURE)
        basics.stack(
            self, self.which, self.stops, self.hard, self.dials, margins=0, spacing=6
        )

    def show_layer(self, layer: FigureLayer) -> None:
        """Show a figure."""
        name = FIGURE_NAMES.get(layer.figure, layer.figure)
        self.which.setText(basics.literal(name))
        self.stops.show_stops(layer.stops)
        _tick(self.hard, layer.hard)
        figure = FIGURES.get(layer.figure)
        uses = () if figure is None else figure.uses
        self.dials.show_layer(layer, uses)

    def ask(self) -> None:
        """Ask for another figure."""
        layer = self.hand.layer
        if not isinstance(layer, FigureLayer):
            return
        dialog = FigureDialog(self.hand, self, layer.figure)
        if dialog.exec() and dialog.figure:
            self.take(dialog.figure)
        discard(dialog)

    def take(self, figure: str) -> None:
        """Have it be another figure, with that one's dials."""
        dials = FIGURES[figure].dials
        self.hand.change_layer(
            figure=figure, count=dials.count, width=dials.width, soft=dials.soft
        )


class PicturePart(Own):
    """Which picture or film, how it lies in the frame, how it moves over it."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(hand)
        self.work = Work(self)
        self.work.told.connect(self._say)
        self.image = QComboBox()
        self.image.setAccessibleName(tr("Picture"))
        self.image.setToolTip(tr("Pictures and films of the show"))
        self.image.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.image.activated.connect(lambda _: self._choose())
        self.read = basics.button(
            tr("Read…"),
            self.ask,
            "",
            "import",
            tr("Read a picture, a moving picture or a film from a file"),
        )
        self.told = basics.label("", "small", wrap=True)
        self.fits = ChipList(tr("How it fits"), font_size=12)
        self.fits.picked.connect(lambda n: hand.change_layer(fit=list(Fit)[n]))
        self.tiled = Tick(tr("Goes on beside itself"))
        self.tiled.toggled.connect(lambda on: hand.change_layer(tiled=on))
        self.pans = Numbers(hand, PAN)
        self.out = basics.tool(
            "trash", tr("Take this picture out of the show"), self.take_out
        )
        line = basics.row(self.image, self.read, self.out, spacing=4)
        basics.grow(line, 0)
        basics.stack(
            self,
            line,
            self.told,
            self.fits,
            self.tiled,
            self.pans,
            margins=0,
            spacing=6,
        )
        self._looks = QTimer(self, interval=LOOK)
        self._looks.timeout.connect(self._tell_ready)

    def show_layer(self, layer: PictureLayer) -> None:
        """Show a picture."""
        entries = [(image.name, i) for i, image in self.hand.show.images.items()]
        if layer.image not in self.hand.show.images:
            entries.insert(0, (tr("none"), layer.image))
        now = [
            (self.image.itemText(n), self.image.itemData(n))
            for n in range(self.image.count())
        ]
        if now != entries:
            self.image.clear()
            for name, image_id in entries:
                self.image.addItem(name, image_id)
        self.image.setCurrentIndex(max(0, self.image.findData(layer.image)))
        show_chips(self.fits, tuple((fit, term(fit)) for fit in Fit), layer.fit)
        _tick(self.tiled, layer.tiled)
        self.pans.show_layer(layer)
        self.out.setEnabled(layer.image in self.hand.show.images)
        self._tell_ready()

    @property
    def shown(self) -> Image | None:
        """The image of the layer in hand."""
        layer = self.hand.layer
        image = layer.image if isinstance(layer, PictureLayer) else ""
        return self.hand.show.images.get(image)

    def _tell_ready(self) -> None:
        """How far a film is ready."""
        image = self.shown
        if self.work.busy:
            return
        if image is None or not image.is_film:
            self._say("")
            return
        head = film_of(image).head_now()
        if head is None:
            self._say(tr("The film is not ready as yet: its first picture stands."))
        elif head.state == FAILED:
            self._say(tr("The film cannot be made ready: its last picture stands."))
        elif head.state == DONE:
            seconds = head.ready / head.rate
            short = seconds + 1.0 < image.seconds
            text = tr("The first {n} s of it are ready.", n=round(seconds))
            self._say(text if short else "")
        else:
            part = round(100.0 * head.ready / max(1, head.whole))
            self._say(tr("Made ready: {part} %", part=part))

    def _say(self, text: str) -> None:
        basics.say(self.told, text)
        self.told.setVisible(bool(text))

    def _choose(self) -> None:
        image = self.hand.show.images.get(str(self.image.currentData() or ""))
        if image is not None:
            self.hand.change_layer(image=image.id, name=image.name, **_rate_for(image))

    def take_out(self) -> None:
        """Take the picture out of the show; layers that show it are dark then."""
        image = self.shown
        if image is not None:
            show = edits.remove(self.hand.show, Ref(IMAGE, image.id))
            self.hand.edit(tr("delete {name}", name=image.name), show)

    def ask(self) -> None:
        """Ask for a file."""
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Picture or film"), "", images.KINDS
        )
        if path:
            self.take(Path(path))

    def take(self, path: Path) -> None:
        """Read a file into the show, and show it on the layer in hand."""
        images.read(self.work, path, self._taken, self._say)

    def _taken(self, image: Image) -> None:
        layer, canvas = self.hand.layer, self.hand.canvas
        if layer is None or canvas is None:
            return
        show, ref = canvases.add_image(self.hand.show, image)
        fields = {"image": ref.id, "name": image.name, **_rate_for(image)}
        show = canvases.change_layer(show, canvas.ref, layer.id, **fields)
        self.hand.edit(tr("read {name}", name=image.name), show)
        self._say("")

    def showEvent(self, event: QShowEvent) -> None:
        self._looks.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._looks.stop()


def _rate_for(image: Image) -> dict[str, Any]:
    """What moves goes at its own speed to begin with."""
    return {"rate": Rate(seconds=image.lasts)} if image.lasts > 0.0 else {}


class WordsPart(Own):
    """The text, its letters, what they do, their colours."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(hand)
        self.text = QLineEdit()
        self.text.setPlaceholderText(tr("Words"))
        self.text.setAccessibleName(tr("Words"))
        self.text.setMaxLength(MOST_LETTERS)
        self.text.textEdited.connect(lambda text: hand.change_layer(text=text))
        self.letters = QComboBox()
        self.letters.setAccessibleName(tr("Letters"))
        self.letters.setToolTip(tr("How many rows of cells a letter takes"))
        for letters in Letters:
            self.letters.addItem(term(letters), letters)
        self.letters.activated.connect(
            lambda _: hand.change_layer(letters=Letters(self.letters.currentData()))
        )
        self.runs = ChipList(tr("What the words do"), font_size=12)
        self.runs.picked.connect(lambda n: hand.change_layer(runs=list(Runs)[n]))
        self.stops = StopsRow(hand.parts)
        self.stops.changed.connect(lambda stops: hand.change_layer(stops=stops))
        basics.stack(
            self, self.text, self.letters, self.runs, self.stops, margins=0, spacing=6
        )

    def show_layer(self, layer: WordsLayer) -> None:
        """Show words."""
        if self.text.text() != layer.text:
            self.text.setText(layer.text)
        self.letters.setCurrentIndex(max(0, self.letters.findData(layer.letters)))
        show_chips(self.runs, tuple((run, term(run)) for run in Runs), layer.runs)
        self.stops.show_stops(layer.stops)


class PaintedPart(Own):
    """The ground that is painted on, and how frames follow each other."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__(hand)
        self.columns = ValueField(tr("Columns"), 1, 64, "", 0, 8.0, bar=False)
        self.rows = ValueField(tr("Rows"), 1, 64, "", 0, 8.0, bar=False)
        for field in (self.columns, self.rows):
            field.changed.connect(lambda _: self._resize())
        self.fades = Tick(tr("Each goes over into the next"))
        self.fades.toggled.connect(lambda on: hand.change_layer(fades=on))
        basics.stack(
            self,
            basics.row(self.columns, self.rows, spacing=4),
            self.fades,
            margins=0,
            spacing=6,
        )

    def show_layer(self, layer: PaintedLayer) -> None:
        """Show painted frames."""
        self.columns.set_value(layer.columns)
        self.rows.set_value(layer.rows)
        _tick(self.fades, layer.fades)

    def _resize(self) -> None:
        painted = self.hand.painted
        if painted is None:
            return
        columns = round(self.columns.value or painted.columns)
        rows = round(self.rows.value or painted.rows)
        made = painting.resized(painted, columns, rows)
        self.hand.change_layer(columns=made.columns, rows=made.rows, frames=made.frames)


def _tick(tick: Tick, on: bool) -> None:
    tick.blockSignals(True)
    tick.setChecked(on)
    tick.blockSignals(False)


PARTS: dict[str, Callable[[CanvasHand], Own]] = {
    FigureLayer.kind: FigurePart,
    PictureLayer.kind: PicturePart,
    WordsLayer.kind: WordsPart,
    PaintedLayer.kind: PaintedPart,
}


class LayerForm(QWidget):
    """Fields of the layer in hand."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self.made: dict[str, Own] = {}
        self.modes = ChipList(tr("How it comes to what is below"), font_size=12)
        self.modes.picked.connect(lambda n: hand.change_layer(mode=list(Mode)[n]))
        self.opacity = ValueField(tr("Opacity"), 0, 100, "%", 0, 100.0)
        self.opacity.changed.connect(lambda v: hand.change_layer(opacity=v / 100.0))
        self._make_rate()
        self.place = Numbers(hand, PLACE)
        self.told = basics.label("", "small", wrap=True)
        self.own = QWidget()
        basics.stack(self.own, margins=0)
        basics.stack(
            self,
            self.own,
            self.told,
            basics.row(self.rates, spacing=4),
            basics.row(self.length, self.factor, spacing=4),
            basics.row(self.backward, self.once, spacing=4),
            basics.label(tr("Where it lies"), "soft"),
            self.place,
            basics.label(tr("On what is below"), "soft"),
            self.modes,
            self.opacity,
            1,
            margins=0,
            spacing=6,
        )
        hand.changed.connect(self.follow)

    def _make_rate(self) -> None:
        hand = self.hand
        self.rates = ChipList(tr("Rate in"), font_size=12)
        self.rates.picked.connect(self._set_unit)
        self.length = ValueField(tr("Cycle"), 0.1, 600, "s", 2, 4.0, bar=False)
        self.length.changed.connect(self._set_length)
        self.factor = ValueField(tr("Faster"), 0.125, 8, "×", 3, 1.0, bar=False)
        self.factor.changed.connect(lambda v: self._set_rate(factor=v))
        self.backward = Tick(tr("Backward"))
        self.backward.toggled.connect(lambda on: hand.change_layer(backward=on))
        self.once = Tick(tr("Once, then stands"))
        self.once.toggled.connect(lambda on: hand.change_layer(once=on))

    def follow(self) -> None:
        """Show the layer in hand as it is now."""
        layer = self.hand.layer
        self.setEnabled(layer is not None)
        if layer is None:
            return
        self._show_own(layer)
        by_tempo = layer.rate.by_tempo
        units = ((SECONDS, tr("Seconds")), (BEATS, tr("Beats of the tempo")))
        show_chips(self.rates, units, BEATS if by_tempo else SECONDS)
        self.length.unit = tr("beats") if by_tempo else "s"
        self.length.set_value(layer.rate.beats if by_tempo else layer.rate.seconds)
        self.factor.set_value(layer.rate.factor)
        _tick(self.backward, layer.backward)
        _tick(self.once, layer.once)
        self.place.show_layer(layer)
        show_chips(self.modes, tuple((m, term(m)) for m in Mode), layer.mode)
        self.opacity.set_value(100.0 * layer.opacity)
        self._tell(layer)

    def _show_own(self, layer: AnyLayer) -> None:
        if layer.kind not in self.made:
            made = self.made[layer.kind] = PARTS[layer.kind](self.hand)
            basics.put_into(self.own, made)
        for kind, part in self.made.items():
            part.setVisible(kind == layer.kind)
        self.made[layer.kind].show_layer(layer)

    def _tell(self, layer: AnyLayer) -> None:
        """What the cells cannot show of it."""
        source = self.hand.source
        placed = [] if source is None else [p for x, p in source.layers if x is layer]
        told = [text for made in placed for text in carries.of_layer(made)]
        basics.say(self.told, "\n".join(told))
        self.told.setVisible(bool(told))

    def _set_unit(self, n: int) -> None:
        layer = self.hand.layer
        if layer is not None and layer.rate.by_tempo != bool(n):
            beats = (layer.rate.seconds * 2.0 or 4.0) if n else 0.0
            self._set_rate(beats=beats)

    def _set_length(self, value: float) -> None:
        layer = self.hand.layer
        if layer is not None:
            field = "beats" if layer.rate.by_tempo else "seconds"
            self._set_rate(**{field: value})

    def _set_rate(self, **fields: float) -> None:
        layer = self.hand.layer
        if layer is not None:
            self.hand.change_layer(rate=canvases.replace(layer.rate, **fields))


def layers_told(count: int) -> str:
    """Returns how many layers there are, in words."""
    return plural(count, "{n} layer", "{n} layers")
