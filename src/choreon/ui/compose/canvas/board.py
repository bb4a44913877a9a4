"""The board of a canvas: its cells in large, tools to move, brush and paint, its
frames. It takes the place of the shelf.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QButtonGroup, QInputDialog, QToolButton, QWidget

from choreon.engine.do import Do
from choreon.language import facts, plural, tr
from choreon.model import chases, painting
from choreon.model.motion import Rgb
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.verbs import Verb
from choreon.render import bake
from choreon.render.canvas.sampling import LINEAR
from choreon.render.colour import to_screen
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.canvas.frames_strip import FramesStrip
from choreon.ui.compose.canvas.view import PAINTS, CanvasView, Tool
from choreon.ui.compose.spread_panel import ColourButton
from choreon.ui.kinds.canvas import layers_in_words
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

TOOLS = {
    Tool.MOVE: ("move", tr("Drag the layer in hand; the wheel makes it larger")),
    Tool.LEAVE: ("clear", tr("Brush cells out, or in again")),
    Tool.BRUSH: ("brush", tr("Paint fields")),
    Tool.FILL: ("bucket", tr("Fill all fields of one colour, side by side")),
    Tool.LINE: ("line", tr("Draw a line")),
    Tool.RECTANGLE: ("rectangle", tr("Draw a rectangle")),
    Tool.PICK: ("dropper", tr("Take a colour from a field")),
    Tool.PART: ("lasso", tr("Mark a part, to copy it or to paste there")),
}
LOOK = 400  # milliseconds between looks whether it is on


class CanvasBoard(QWidget):
    """The open canvas. `closed` tells that the shelf is wanted again; `baked` a chase
    that was made of it.
    """

    closed = Signal()
    baked = Signal(Ref)

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self.part: painting.Clipping | None = None
        self.view = CanvasView(hand)
        self.view.picked.connect(self._picked)
        self._make_head()
        self._make_tools()
        self._make_frames()
        panel = basics.panel(
            self.head, self.tools, self.view, self.frames, margins=10, spacing=5
        )
        basics.grow(panel, 2)
        basics.stack(self, panel, margins=0)
        self._tick = QTimer(self, interval=LOOK)
        self._tick.timeout.connect(self._show_on)
        hand.changed.connect(self._follow)

    def _make_head(self) -> None:
        self.title = basics.name_label("", "heading")
        self.about = basics.name_label("", "small")
        self.play = basics.tool(
            "play", tr("Play it on stage, or let it go"), self.play_it, checkable=True
        )
        self.look = basics.tool(
            "eye",
            tr("Look at it on the stage picture without lighting it"),
            self._look,
            checkable=True,
        )
        self.bake = basics.button(
            tr("Bake…"),
            self.ask_to_bake,
            "",
            "steps",
            tr("Make a chase of it, step by step"),
        )
        self.close_ = basics.button(
            tr("Done"),
            self.close_it,
            "quiet",
            "close",
            tr("Back to the shelf; all is kept"),
        )
        self.head = flow(
            self.title,
            self.about,
            1,
            self.look,
            self.play,
            self.bake,
            self.close_,
            spacing=4,
        )

    def _make_tools(self) -> None:
        group = QButtonGroup(self)
        self.buttons: dict[Tool, QToolButton] = {}
        for tool, (icon, tip) in TOOLS.items():
            made = basics.tool(icon, tip, lambda t=tool: self.set_tool(t), True)  # type: ignore[misc]
            group.addButton(made)
            self.buttons[tool] = made
        self.buttons[Tool.MOVE].setChecked(True)

        self.colour = ColourButton(tr("Colour to paint with"))
        self.colour.setFixedWidth(48)
        self.colour.changed.connect(self._set_colour)
        self.palettes = basics.tool("more", tr("A colour of a palette"), lambda: None)
        self.palettes.clicked.connect(self._open_palettes)
        self.rubber = basics.tool(
            "minus", tr("Paint with nothing: rub out"), self._rub, checkable=True
        )
        self.ghost = basics.tool(
            "pages", tr("The frame before shines through"), self._ghost, checkable=True
        )
        self.ghost.setChecked(True)
        self.copy = basics.tool(
            "copy", tr("Copy the marked part, or the whole frame"), self.copy_part
        )
        self.paste = basics.tool(
            "import", tr("Paste what was copied, on any frame"), self.paste_part
        )
        self.painting = [
            *(self.buttons[tool] for tool in PAINTS),
            self.colour,
            self.palettes,
            self.rubber,
            self.copy,
            self.paste,
            self.ghost,
        ]
        self.tools = flow(
            self.buttons[Tool.MOVE],
            self.buttons[Tool.LEAVE],
            *self.painting,
            1,
            spacing=2,
        )

    def _make_frames(self) -> None:
        self.strip = FramesStrip(self.hand)
        self.strip.chosen.connect(self.hand.choose_frame)
        self.new = basics.tool("plus", tr("A blank frame"), lambda: self._frame(False))
        self.twice = basics.tool(
            "copy", tr("The frame once more"), lambda: self._frame(True)
        )
        self.earlier = basics.tool("before", tr("Earlier"), lambda: self._shift(-1))
        self.later = basics.tool("after", tr("Later"), lambda: self._shift(1))
        self.out = basics.tool("trash", tr("Delete the frame"), self._without)
        self.lasts = ValueField(tr("Lasts"), 0.05, 20, "×", 2, 1.0, bar=False)
        self.lasts.setMaximumWidth(120)
        self.lasts.setToolTip(tr("How many times as long as others it is shown"))
        self.lasts.changed.connect(self._time)
        self.frames = basics.row(
            self.strip,
            self.lasts,
            self.earlier,
            self.later,
            self.new,
            self.twice,
            self.out,
            spacing=2,
        )
        basics.grow(self.frames, 0)

    # showing

    def _follow(self) -> None:
        canvas = self.hand.canvas
        if canvas is None:
            if self.hand.ref is not None:  # it was deleted meanwhile
                self.close_it()
            return

        self.title.setText(canvas.name)
        cells = self.hand.cells
        count = 0 if cells is None else len(cells.items)
        self.about.setText(
            facts(layers_in_words(canvas), plural(count, "{n} cell", "{n} cells"))
        )
        painted = self.hand.painted
        for widget in self.painting:
            widget.setVisible(painted is not None)
        self.frames.setVisible(painted is not None)
        if painted is None and self.view.tool in PAINTS:
            self.set_tool(Tool.MOVE)
        if painted is not None and self.view.tool == Tool.MOVE and not painted.name:
            blank = not any(any(frame.cells) for frame in painted.frames)
            if blank:
                self.set_tool(Tool.BRUSH)  # it is there to be painted on
        if painted is not None and painted.frames:
            frame = painted.frames[min(self.hand.frame, len(painted.frames) - 1)]
            self.lasts.set_value(frame.lasts)
            self.out.setEnabled(len(painted.frames) > 1)
        self.paste.setEnabled(self.part is not None)
        self._show_on()

    def _show_on(self) -> None:
        self.play.setChecked(self.hand.player is not None)

    def set_tool(self, tool: Tool) -> None:
        """Have a press on the cells do something else."""
        self.buttons[tool].setChecked(True)
        self.view.set_tool(tool)

    # the whole

    def play_it(self) -> None:
        """Play it on stage, or let it go."""
        if self.hand.ref is not None:
            verb = Verb.PRESS if self.hand.player is None else Verb.RELEASE
            self.hand.parts.engine.send(Do(self.hand.ref, verb))

    def _look(self) -> None:
        on = self.look.isChecked()
        self.hand.parts.preview.look_at(self.hand.ref if on else None)

    def close_it(self) -> None:
        """Back to the shelf."""
        self.look.setChecked(False)
        self.hand.parts.preview.look_at(None)
        self.hand.open(None)
        self.closed.emit()

    def ask_to_bake(self) -> None:
        """Ask into how many steps of a chase."""
        count, sure = QInputDialog.getInt(
            self,
            tr("Make a chase of it"),
            tr("Steps in a cycle"),
            16,
            bake.LEAST,
            bake.MOST,
        )
        if sure:
            self.bake_into(count)

    def bake_into(self, count: int) -> None:
        """Make a chase of what is painted; the canvas stays."""
        canvas = self.hand.canvas
        if canvas is None:
            return
        show, ref = baked_into(self.hand, count)
        self.hand.edit(tr("bake {name}", name=canvas.name), show)
        self.baked.emit(ref)

    # painting

    def _set_colour(self, rgb: Rgb) -> None:
        seen = (to_screen(rgb) * 255.0 + 0.5).astype(int).tolist()
        self.view.colour = (seen[0], seen[1], seen[2], 255)
        self.rubber.setChecked(False)

    def _picked(self, colour: painting.Colour) -> None:
        if not colour[3]:
            self.rubber.setChecked(True)
            self._rub()
            return
        rgb = tuple(float(LINEAR[part]) for part in colour[:3])
        self.colour.take(rgb)  # type: ignore[arg-type]
        self.set_tool(Tool.BRUSH)

    def _rub(self) -> None:
        if self.rubber.isChecked():
            self.view.colour = painting.CLEAR
        else:
            self._set_colour(self.colour.rgb)

    def _ghost(self) -> None:
        self.view.ghost = self.ghost.isChecked()
        self.view.update()

    def _open_palettes(self) -> None:
        menu = Menu(self)
        for palette in self.hand.show.palettes.values():
            rgb = palette_deeds.colour_of(palette)
            if rgb is not None:
                menu.addAction(palette.name, partial(self.colour.take, rgb))
        menu.exec(self.palettes.mapToGlobal(self.palettes.rect().bottomLeft()))

    def copy_part(self) -> None:
        """Copy what is marked."""
        self.part = self.view.copied()
        self.paste.setEnabled(self.part is not None)

    def paste_part(self) -> None:
        """Lay what was copied on the frame in hand."""
        if self.part is not None:
            self.view.paste(self.part)

    # frames

    def _frame(self, copy: bool) -> None:
        painted = self.hand.painted
        if painted is not None:
            here = self.hand.frame
            made = painting.with_new_frame(painted, here, copy)
            self.hand.frame = min(here + 1, len(made.frames) - 1)
            self.hand.change_layer(frames=made.frames)

    def _shift(self, by: int) -> None:
        painted = self.hand.painted
        if painted is not None:
            here = self.hand.frame
            made = painting.with_frame_moved(painted, here, by)
            self.hand.frame = min(len(made.frames) - 1, max(0, here + by))
            self.hand.change_layer(frames=made.frames)

    def _without(self) -> None:
        painted = self.hand.painted
        if painted is not None:
            made = painting.without_frame(painted, self.hand.frame)
            self.hand.change_layer(frames=made.frames)

    def _time(self, lasts: float) -> None:
        painted = self.hand.painted
        if painted is not None:
            made = painting.with_time(painted, self.hand.frame, lasts)
            self.hand.change_layer(frames=made.frames)

    # Qt's own

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()
        self.hand.parts.preview.look_at(None)


def baked_into(hand: CanvasHand, count: int) -> tuple[Show, Ref]:
    """Returns the show with a chase of the canvas in hand, in so many steps a cycle."""
    canvas = hand.canvas
    assert canvas is not None
    baked = bake.bake_canvas(hand.parts.preview.compiled, canvas, count)
    return chases.keep_chase(
        hand.show,
        tr("{name} baked", name=canvas.name),
        baked.steps,
        unit=baked.unit,
        fade=baked.fade,
        hold=0.0,
    )
