"""The place Compose: “I see what I do to whom.”"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import (
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.model import choosing
from choreon.model.effects import motion_of
from choreon.model.motion import Effect, Path
from choreon.model.playables import Canvas
from choreon.model.refs import Ref
from choreon.ui.commands import bind
from choreon.ui.compose.attribute_panel import AttributePanel
from choreon.ui.compose.canvas.board import CanvasBoard
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.canvas.panel import CanvasPanel
from choreon.ui.compose.pattern_dialog import PatternDialog
from choreon.ui.compose.selection_panel import SelectionPanel
from choreon.ui.compose.shelf import Shelf
from choreon.ui.compose.stage_tools import StageTools
from choreon.ui.compose.steps import Steps
from choreon.ui.parts import Parts
from choreon.ui.stage.path_on_stage import PathOnStage
from choreon.ui.stage.picture import StagePicture
from choreon.ui.widgets.discard import discard

SHELF, STEPS, BOARD = 196, 284, 360  # pixels that shelf, steps, board are tall


class ComposePlace(QWidget):
    """Who on the left, the stage, what on the right, the shelf below."""

    LATER = ("steps", "board")
    """What is made when it is first asked for."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.who = SelectionPanel(parts)
        self.stage = StagePicture(parts)
        self.tools = StageTools(self.stage, parts)

        self.what = AttributePanel(parts)
        self.pattern: PatternDialog | None = None
        self.shelf = Shelf(parts, self.what.hand, self.what.motion_panel)
        self._steps: Steps | None = None
        self._board: CanvasBoard | None = None
        self.canvas_panel: CanvasPanel | None = None
        self.beside = QStackedWidget()
        self.below = QStackedWidget()

        self.below.addWidget(self.shelf)
        self._wire()

        across = QSplitter(Qt.Orientation.Horizontal)
        middle = self.middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.stage)
        middle.addWidget(self.below)
        middle.setStretchFactor(0, 1)

        middle.setSizes([540, 196])
        middle.setCollapsible(0, False)
        self.beside.addWidget(self.what)
        for widget in (self.who, middle, self.beside):
            across.addWidget(widget)

        across.setStretchFactor(1, 1)
        across.setSizes([196, 684, 300])
        across.setCollapsible(1, False)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)

        box.addWidget(across)
        self._keys()

    def _wire(self) -> None:
        """What the stage is pressed for is told by the panels, and what was pressed
        goes back to them.
        """
        stage, aim = self.stage, self.what.aim_panel
        aim.aim_at.toggled.connect(stage.aim)
        aim.setting_mark.connect(stage.mark)
        stage.modes_changed.connect(self._modes)
        stage.pointed.connect(aim.send)

        stage.marked.connect(aim.mark_at)
        stage.mark_moved.connect(aim.move_mark)
        stage.like.connect(self.what.copied.make_like)
        self.what.motion_panel.in_hand.connect(self._show_path)
        stage.path_dragged.connect(self.what.motion_panel.drag_path)

        stage.runners = self.what.motion_panel.runners
        self.shelf.deeds.opened.connect(self.open)
        self.what.motion_panel.baked.connect(self.open_chase)
        self.shelf.patterned.connect(lambda: self.ask_pattern(None))
        self.what.tab_changed.connect(self._tab)
        self.what.like_wanted.connect(lambda: stage.set_mode("like"))

    @property
    def steps(self) -> Steps:
        """The steps of a chase."""
        if self._steps is None:
            made = self._steps = Steps(self.parts, self.what.hand)
            ignored = QSizePolicy.Policy.Ignored
            made.setSizePolicy(ignored, ignored)
            made.patterned.connect(self.ask_pattern)
            made.closed.connect(lambda: self._show_below(self.shelf, SHELF))
            self.below.addWidget(made)
        return self._steps

    @property
    def board(self) -> CanvasBoard:
        """The cells of a canvas, and its panel beside."""
        if self._board is None:
            hand = CanvasHand(self.parts)
            made = self._board = CanvasBoard(hand)
            ignored = QSizePolicy.Policy.Ignored
            made.setSizePolicy(ignored, ignored)
            made.closed.connect(self._close_canvas)
            made.baked.connect(self._open_baked)
            self.below.addWidget(made)
            self.canvas_panel = CanvasPanel(hand)
            self.beside.addWidget(self.canvas_panel)
        return self._board

    def open(self, ref: Ref) -> None:
        """Open what has steps, or layers."""
        if ref.kind == Canvas.kind:
            self.open_canvas(ref)
        else:
            self.open_chase(ref)

    def open_canvas(self, ref: Ref) -> None:
        """Show a canvas in the place of the shelf, its layers beside the stage."""
        self.board.hand.open(ref)
        assert self.canvas_panel is not None
        self.beside.setCurrentWidget(self.canvas_panel)
        self._show_below(self.board, BOARD)

    def _close_canvas(self) -> None:
        self.beside.setCurrentWidget(self.what)
        self._show_below(self.shelf, SHELF)

    def _open_baked(self, ref: Ref) -> None:
        self.board.close_it()
        self.open_chase(ref)

    def open_chase(self, ref: Ref) -> None:
        """Show the steps of a chase in the place of the shelf."""
        self.steps.open(ref)
        self._show_below(self.steps, STEPS)

    def ask_pattern(self, chase: Ref | None) -> None:
        """Ask for a pattern over the chosen lamps, or change that of a chase."""
        dialog = PatternDialog(self.parts, self.what.hand, self, chase)
        self.pattern = dialog
        dialog.exec()
        if dialog.kept is not None:
            self.open_chase(dialog.kept)
        discard(dialog)

    def escape(self) -> bool:
        """Close what is open in this place. Returns whether there was anything."""
        if self.below.currentWidget() is self.shelf:
            return False
        if self.below.currentWidget() is self._board:
            self.board.close_it()
        else:
            self.steps.close_it()
        return True

    def _show_below(self, page: QWidget, tall: int) -> None:
        """Show something below the stage, as tall as it needs to be."""
        self.below.setCurrentWidget(page)
        for other in (self.shelf, self._steps, self._board):
            if other is None:
                continue
            policy = QSizePolicy.Policy.Preferred
            if other is not page:
                policy = QSizePolicy.Policy.Ignored
            other.setSizePolicy(policy, policy)
        whole = sum(self.middle.sizes())
        self.middle.setSizes([max(150, whole - tall), tall])

    def _show_path(self, effect: Effect | None) -> None:
        """The path in hand is drawn on the stage, and dragged there."""
        show = self.parts.document.show
        self.stage.show_phases(self.what.motion_panel.phases() if effect else {})
        motion = None if effect is None else motion_of(show, effect)
        if effect is not None and isinstance(motion, Path) and motion.in_room:
            self.stage.show_path(PathOnStage(show, effect, motion))
        else:
            self.stage.show_path(None)

    def _modes(self) -> None:
        aim = self.what.aim_panel
        aim.aim_at.setChecked(self.stage.mode == "aim")
        aim.add_mark.setChecked(self.stage.mode == "mark")

    def _tab(self, name: str) -> None:
        """Marks can be taken hold of while aiming is what goes on."""
        self.stage.marks_shown = name == "Aim"
        if name != "Aim" and self.stage.mode in ("aim", "mark"):
            self.stage.set_mode("")
        self.stage.update()

    def _keys(self) -> None:
        draft, copied = self.parts.draft, self.what.copied
        bind(self, "choose-all", self._choose_all)
        bind(self, "choose-others", self._choose_others)
        bind(self, "open-up", draft.open_up)
        bind(self, "home", draft.home)
        bind(self, "copy", copied.copy)
        bind(self, "paste", copied.paste)

    def _choose_all(self) -> None:
        self.parts.selection.choose(list(self.parts.document.show.fixtures))

    def _choose_others(self) -> None:
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        self.parts.selection.choose(choosing.inverted(show, chosen))

    def hideEvent(self, event: QHideEvent) -> None:
        self.stage.set_mode("")
