"""Colours in a row: each its own, or that of a palette."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from choreon.language import tr
from choreon.model.motion import ColourStop, colour_of_stop
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.spread_panel import ColourButton
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu


class StopsRow(QWidget):
    """The colours of a roll, of a figure, of words. `changed` gives them as they are to
    be.
    """

    changed = Signal(tuple)

    def __init__(self, parts: Parts, most: int = 24) -> None:
        super().__init__()
        self.parts, self.most = parts, most
        self.stops: tuple[ColourStop, ...] = ()
        self.buttons: list[ColourButton] = []
        self._shown: tuple[object, ...] = ()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)

    def show_stops(self, stops: tuple[ColourStop, ...]) -> None:
        """Show colours, some in a line."""
        show = self.parts.document.show
        self.stops = stops
        shown = (stops, tuple(colour_of_stop(show, stop) for stop in stops))
        if shown == self._shown:
            return
        if len(stops) == len(self.buttons):
            # the one that is being turned stays under the hand
            self._shown = shown
            for n, (button, stop) in enumerate(zip(self.buttons, stops, strict=True)):
                self._dress(button, n, stop)
            return

        self._shown = shown
        basics.clear(self._box)
        self.buttons = []
        line: list[QWidget | int] = [self._stop(n, s) for n, s in enumerate(stops)]
        if len(stops) < self.most:
            line.append(basics.tool("plus", tr("One colour more"), self.add))
        self._box.addWidget(flow(*line, spacing=4))

    def _stop(self, n: int, stop: ColourStop) -> QWidget:
        button = ColourButton("")
        button.setMinimumWidth(40)
        self.buttons.append(button)
        self._dress(button, n, stop)
        button.changed.connect(lambda rgb: self.set_stop(n, ColourStop(tuple(rgb))))

        more = basics.tool(
            "more",
            tr("Colour {number}: from a palette, or out", number=n + 1),
            lambda: None,
        )
        more.clicked.connect(lambda: self._open_menu(n, more))
        more.setFixedWidth(32)
        return basics.row(button, more, spacing=0)

    def _dress(self, button: ColourButton, n: int, stop: ColourStop) -> None:
        show = self.parts.document.show
        palette = show.palettes.get(stop.palette)
        name = palette.name if palette is not None else tr("a colour of its own")
        button.title = tr("Colour {number}: {name}", number=n + 1, name=name)
        button.setAccessibleName(button.title)
        button.setToolTip(tr("{title}: press to choose a colour", title=button.title))
        button.set_rgb(colour_of_stop(show, stop))

    def add(self) -> None:
        """One colour more, like the last."""
        last = self.stops[-1] if self.stops else ColourStop()
        self.changed.emit((*self.stops, last))

    def set_stop(self, n: int, stop: ColourStop) -> None:
        """Have a colour be another."""
        self.changed.emit(
            tuple(stop if i == n else s for i, s in enumerate(self.stops))
        )

    def _open_menu(self, n: int, button: QWidget) -> None:
        menu = self.stop_menu(n)
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def stop_menu(self, n: int) -> QMenu:
        """The ways to change a colour."""
        menu = Menu(self)
        for palette in self.parts.document.show.palettes.values():
            rgb = palette_deeds.colour_of(palette)
            if rgb is not None:
                stop = ColourStop(rgb, palette.id)
                menu.addAction(palette.name, partial(self.set_stop, n, stop))

        menu.addSeparator()
        rest = tuple(s for i, s in enumerate(self.stops) if i != n)
        out = menu.addAction(tr("Take it out"), partial(self.changed.emit, rest))
        out.setEnabled(len(rest) > 0)
        return menu
