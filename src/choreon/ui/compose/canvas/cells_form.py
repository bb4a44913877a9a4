"""Where the cells of a canvas are: which ones, from where they are seen, how they lie
below the picture.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QComboBox, QWidget

from choreon.language import listed, tr
from choreon.model import canvases
from choreon.model.playables.canvas import (
    Along,
    Canvas,
    Corner,
    View,
    fixtures_of,
)
from choreon.render.canvas import carries
from choreon.render.canvas.layout import grid_size, places_now
from choreon.terms import term
from choreon.ui import words
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.motion_parts import show_chips
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import ChipList
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

OWN = ""  # stands among the groups for fixtures of its own


class CellsForm(QWidget):
    """Fields of the layout."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self._make_who()
        self._make_order()
        self._make_lie()
        self.told = basics.label("", "small", wrap=True)
        basics.stack(
            self,
            self.about,
            self.group,
            flow(self.add, self.take, self.all_in, spacing=4),
            self.told,
            basics.label(tr("Seen"), "soft"),
            self.views,
            self.alongs,
            self.even,
            self.grid,
            self.follows,
            basics.label(tr("How they lie"), "soft"),
            basics.row(self.mirrored, self.flipped, spacing=4),
            basics.row(self.turn, self.bend, spacing=4),
            basics.row(self.wide, self.tall, spacing=4),
            self.kept_frame,
            1,
            margins=0,
            spacing=6,
        )
        hand.changed.connect(self.follow)
        hand.parts.selection.changed.connect(self.follow)
        hand.parts.engine.state_changed.connect(lambda _: self._on_changed())
        self._on: tuple[object, ...] = ()

    def _make_who(self) -> None:
        self.about = basics.label("", "small", wrap=True)
        self.group = QComboBox()
        self.group.setAccessibleName(tr("Whose cells"))
        self.group.setToolTip(tr("Fixtures of its own, or a group that it follows"))
        self.group.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.group.activated.connect(lambda _: self._set_group())
        self.add = basics.button(
            tr("Add the chosen"),
            self.add_chosen,
            "",
            "plus",
            tr("The fixtures that are chosen take part as well"),
        )
        self.take = basics.button(
            tr("Take them out"),
            self.take_chosen,
            "",
            "minus",
            tr("The fixtures that are chosen take part no more"),
        )
        self.all_in = basics.button(
            tr("All cells back in"),
            lambda: self.hand.change_layout(left_out={}),
            "",
            "",
            tr("Cells that were brushed out take part again"),
        )
        for button in (self.add, self.take, self.all_in):
            button.setStyleSheet("padding: 5px 6px; min-width: 20px; font-size: 13px;")

    def _make_order(self) -> None:
        hand = self.hand
        self.views = ChipList(tr("From where they are seen"), font_size=12)
        self.views.picked.connect(lambda n: hand.change_layout(view=list(View)[n]))
        self.alongs = ChipList(tr("In which order they make a line"), font_size=12)
        self.alongs.picked.connect(lambda n: hand.change_layout(along=list(Along)[n]))
        self.even = Tick(tr("All as far apart"))
        self.even.setToolTip(tr("Else as far apart as they hang"))
        self.even.toggled.connect(lambda on: hand.change_layout(even=on))
        self.columns = ValueField(tr("Columns"), 0, 64, "", 0, 0.0, bar=False)
        self.columns.none = tr("as many as rows")
        self.columns.changed.connect(lambda v: hand.change_layout(columns=round(v)))
        self.corner = QComboBox()
        self.corner.setAccessibleName(tr("Begins in the corner"))
        self.corner.setToolTip(tr("In which corner the first cell lies"))
        for corner in Corner:
            self.corner.addItem(term(corner), corner)
        self.corner.activated.connect(
            lambda _: hand.change_layout(corner=Corner(self.corner.currentData()))
        )
        self.snake = Tick(tr("Every other row back"))
        self.snake.toggled.connect(lambda on: hand.change_layout(snake=on))
        self.by_columns = Tick(tr("Down first"))
        self.by_columns.toggled.connect(lambda on: hand.change_layout(by_columns=on))
        self.grid = QWidget()
        basics.stack(
            self.grid,
            basics.row(self.columns, self.corner, spacing=4),
            basics.row(self.snake, self.by_columns, spacing=4),
            margins=0,
            spacing=4,
        )
        self.follows = Tick(tr("Moves along with the plan"))
        self.follows.setToolTip(
            tr("What is moved on the plan moves here; else it stays where it is now")
        )
        self.follows.toggled.connect(self._set_follows)

    def _make_lie(self) -> None:
        hand = self.hand
        self.mirrored = Tick(tr("Mirrored"))
        self.mirrored.toggled.connect(lambda on: hand.change_layout(mirrored=on))
        self.flipped = Tick(tr("Upside down"))
        self.flipped.toggled.connect(lambda on: hand.change_layout(flipped=on))
        self.turn = self._number(tr("Turned"), "turn", -360, 360, "°", 1.0, 0.0)
        self.bend = self._number(tr("Bent"), "bend", -340, 340, "°", 1.0, 0.0)
        self.wide = self._number(tr("Wide"), "wide", 10, 500, "%", 100.0, 100.0)
        self.tall = self._number(tr("Tall"), "tall", 10, 500, "%", 100.0, 100.0)
        self.kept_frame = Tick(tr("The picture stays where it is now"))
        self.kept_frame.setToolTip(
            tr("Cells that move out of it are told; else it always reaches all of them")
        )
        self.kept_frame.toggled.connect(self._set_frame)

    def _number(
        self,
        label: str,
        field: str,
        low: float,
        high: float,
        unit: str,
        times: float,
        home: float,
    ) -> ValueField:
        made = ValueField(label, low, high, unit, 0, home, bar=False)
        made.changed.connect(lambda v: self.hand.change_layout(**{field: v / times}))
        return made

    # showing

    def _on_changed(self) -> None:
        """Something else may be on its cells now."""
        on = tuple(player.ref for player in self.hand.parts.engine.state.players)
        if on != self._on and self.isVisible():
            self._on = on
            self.follow()

    def follow(self) -> None:
        """Show the layout as it is now."""
        canvas = self.hand.canvas
        if canvas is None:
            return
        layout = canvas.layout
        self._show_who(canvas)
        show_chips(self.views, tuple((v, term(v)) for v in View), layout.view)
        show_chips(self.alongs, tuple((a, term(a)) for a in Along), layout.along)
        self.alongs.setVisible(layout.view == View.LINE)
        self.even.setVisible(layout.view == View.LINE)
        self.grid.setVisible(layout.view == View.GRID)
        self.columns.set_value(layout.columns)
        self.corner.setCurrentIndex(max(0, self.corner.findData(layout.corner)))
        self.turn.set_value(layout.turn)
        self.bend.set_value(layout.bend)
        self.wide.set_value(100.0 * layout.wide)
        self.tall.set_value(100.0 * layout.tall)
        for tick, on in (
            (self.even, layout.even),
            (self.snake, layout.snake),
            (self.by_columns, layout.by_columns),
            (self.mirrored, layout.mirrored),
            (self.flipped, layout.flipped),
            (self.follows, not layout.places),
            (self.kept_frame, layout.frame is not None),
        ):
            tick.blockSignals(True)
            tick.setChecked(on)
            tick.blockSignals(False)

    def _show_who(self, canvas: Canvas) -> None:
        show, cells = self.hand.show, self.hand.cells
        chosen = self.hand.parts.selection.chosen
        own = fixtures_of(show, canvas.layout)
        names = [show.fixtures[f].name for f in own if f in show.fixtures]
        self.about.setText(words.some(names) if names else tr("no fixtures"))
        self.add.setEnabled(any(fixture not in own for fixture in chosen))
        self.take.setEnabled(any(fixture in own for fixture in chosen))
        self.all_in.setVisible(bool(canvas.layout.left_out))
        told = [] if cells is None else carries.of_cells(cells)
        if cells is not None and canvas.layout.view == View.GRID:
            columns, rows = grid_size(len(cells.items), canvas.layout)
            text = tr("{columns} columns, {rows} rows", columns=columns, rows=rows)
            told.append(text)
        told += self._told_beside(canvas)
        basics.say(self.told, "\n".join(told))
        self.told.setVisible(bool(told))

        entries = [(tr("Fixtures of its own"), OWN)]
        entries += [
            (tr("The group {name}", name=group.name), group.id)
            for group in show.groups.values()
        ]
        now = [
            (self.group.itemText(n), self.group.itemData(n))
            for n in range(self.group.count())
        ]
        if now != entries:
            self.group.clear()
            for text, group_id in entries:
                self.group.addItem(text, group_id)
        self.group.setCurrentIndex(max(0, self.group.findData(canvas.layout.group)))

    def _told_beside(self, canvas: Canvas) -> list[str]:
        """Who else paints cells of it now, and who wins."""
        players = self.hand.parts.engine.state.players
        others = canvases.beside(self.hand.show, canvas, (p.ref for p in players))
        if not others:
            return []
        text = tr(
            "{names} is on its cells as well: what was started last gives them its "
            "colour, the higher level counts.",
            names=listed([other.name for other in others], 2),
        )
        return [text]

    # edits

    def _set_group(self) -> None:
        canvas = self.hand.canvas
        if canvas is None:
            return
        group = str(self.group.currentData() or "")
        own = fixtures_of(self.hand.show, canvas.layout)
        fields: dict[str, Any] = {"group": group, "left_out": {}, "places": {}}
        if not group:
            fields["fixtures"] = own
        self.hand.change_layout(**fields)

    def add_chosen(self) -> None:
        """Have the chosen fixtures take part."""
        canvas, chosen = self.hand.canvas, self.hand.parts.selection.chosen
        if canvas is not None:
            show = canvases.add_fixtures(self.hand.show, canvas.ref, chosen)
            self.hand.edit(tr("add cells to {name}", name=canvas.name), show)

    def take_chosen(self) -> None:
        """Have the chosen fixtures take part no more."""
        canvas, chosen = self.hand.canvas, self.hand.parts.selection.chosen
        if canvas is not None:
            show = canvases.take_fixtures(self.hand.show, canvas.ref, chosen)
            self.hand.edit(tr("take cells out of {name}", name=canvas.name), show)

    def _set_follows(self, on: bool) -> None:
        canvas = self.hand.canvas
        if canvas is None:
            return
        places = {}
        if not on:
            rig = self.hand.parts.preview.compiled.rig
            places = places_now(self.hand.show, rig, canvas.layout)
        self.hand.change_layout(places=places)

    def _set_frame(self, on: bool) -> None:
        cells = self.hand.cells
        self.hand.change_layout(frame=cells.frame if on and cells is not None else None)
