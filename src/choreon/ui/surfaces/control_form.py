"""What the control in hand does, and how: what is asked, its range and curve, how it
takes hold, on which page, in which layer.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QSizePolicy, QWidget

from choreon.engine.actions.taken import verbs_of
from choreon.language import tr
from choreon.model import edits
from choreon.model.inputs import AnyInput, Control, Curve, Pickup, called, is_key
from choreon.model.verbs import Verb
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.surfaces.drawing import part_name
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField

DOES: dict[Verb | None, str] = {
    None: tr("the usual"),
    Verb.PRESS: tr("Press"),
    Verb.SWITCH: tr("On and off"),
    Verb.LEVEL: tr("Level"),
    Verb.GO: tr("GO"),
    Verb.BACK: tr("Back"),
    Verb.HOLD: tr("Hold, go on"),
    Verb.RELEASE: tr("Let go"),
    Verb.START: tr("On at once"),
    Verb.RATE: tr("Rate"),
    Verb.SIZE: tr("Size"),
    Verb.PHASE: tr("Phase"),
    Verb.FADE: tr("Fade time"),
    Verb.TAP: tr("Tap"),
    Verb.HALF: tr("Half as fast"),
    Verb.DOUBLE: tr("Twice as fast"),
}
CURVES = {
    Curve.EVEN: tr("even"),
    Curve.SLOW: tr("slow at first"),
    Curve.QUICK: tr("quick at first"),
    Curve.SOFT: tr("soft at both ends"),
}
PICKUPS = {
    Pickup.MEET: tr("they meet"),
    Pickup.CATCH: tr("waits"),
    Pickup.JUMP: tr("jumps"),
}


class ControlForm(QWidget):
    """The fields of the tie of one control."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.tie: AnyInput | None = None
        self.title = basics.name_label("", "heading")
        self.why = basics.label("", "soft", wrap=True)
        self.untie = basics.button(tr("Untie"), self._untie, "quiet")

        self.does = self._box(tr("Asks for"), self._set_does)
        self.curve = self._box(tr("Curve"), lambda v: self._answer(curve=v))
        self.pickup = self._box(tr("Takes hold"), lambda v: self._answer(pickup=v))
        self.page = self._box(tr("On page"), lambda v: self._change(page=v))
        self.layer = self._box(tr("While held"), lambda v: self._change(shift=v))
        _fill(self.curve, CURVES)
        _fill(self.pickup, PICKUPS)

        self.low = ValueField(tr("From"), 0, 100, "%", 0, home=0)
        self.high = ValueField(tr("To"), 0, 100, "%", 0, home=100)
        self.steps = ValueField(tr("Steps"), 0, 24, "", 0, home=0)
        self.steps.none = tr("none")
        self.low.changed.connect(lambda v: self._answer(low=v / 100))
        self.high.changed.connect(lambda v: self._answer(high=v / 100))
        self.steps.changed.connect(lambda v: self._answer(steps=round(v)))

        self.fields = QWidget()
        keeps = self.fields.sizePolicy()
        keeps.setRetainSizeWhenHidden(True)  # the drawing stays where it is
        self.fields.setSizePolicy(keeps)
        grid = QGridLayout(self.fields)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        rows: list[tuple[QWidget, ...]] = [
            (self.does, self.low, self.high),
            (self.curve, self.steps, self.pickup),
            (self.page, self.layer, self.untie),
        ]
        for y, widgets in enumerate(rows):
            for x, widget in enumerate(widgets):
                grid.addWidget(_named(widget), y, x)
        for x in range(3):
            grid.setColumnStretch(x, 1)

        basics.stack(self, self.title, self.why, self.fields, spacing=4)
        self.show_control(None, "")

    def _box(self, name: str, chosen: Callable[[Any], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(name)
        box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        box.activated.connect(lambda index: chosen(box.itemData(index)))
        return box

    # what is shown

    def show_control(
        self, control: Control | None, why: str, tie: AnyInput | None = None
    ) -> None:
        """Show a control, and its tie where it has one that holds now."""
        self.tie = tie
        show = self.parts.document.show
        if control is None:
            self.title.setText(tr("Press a part of the drawing, or move a control."))
            self.why.setText("")
            self.fields.hide()
            return

        does = words.target_name(show, tie.target) if tie else tr("nothing yet")
        name = part_name(show, control)
        self.title.setText(tr("{control}: {does}", control=name, does=does))
        sends = called(control)
        both = tr("{sends}. {why}", sends=sends, why=why)
        self.why.setText(why if name == sends else both)
        self.fields.setVisible(tie is not None)
        if tie is not None:
            self._show_tie(control, tie)

    def show_row(self, controls: Sequence[Control]) -> None:
        """Show that several are in hand: what they do is chosen on the right."""
        self.tie = None
        show = self.parts.document.show
        names = [part_name(show, control) for control in controls]
        self.title.setText(
            tr(
                "{first} to {last}, {n} in hand",
                first=names[0],
                last=names[-1],
                n=len(names),
            )
        )
        self.why.setText(
            tr(
                "Drag them onto the first of a row on the right, or press the sign "
                "beside it: each goes to the next."
            )
        )
        self.fields.hide()

    def _show_tie(self, control: Control, tie: AnyInput) -> None:
        show, answer = self.parts.document.show, tie.answer
        taken = verbs_of(show, tie.target)
        kept = (None, tie.does)  # what stands there stays to be seen
        does = {v: text for v, text in DOES.items() if v in taken or v in kept}
        _fill(self.does, does)
        _choose(self.does, tie.does)
        _choose(self.curve, answer.curve)
        _choose(self.pickup, answer.pickup)
        self.low.set_value(100 * answer.low)
        self.high.set_value(100 * answer.high)
        self.steps.set_value(answer.steps)

        pages = {"": tr("all pages"), **{p.id: p.name for p in show.pages.values()}}
        _fill(self.page, pages)
        _choose(self.page, tie.page)
        keys = {
            known.control.name: part_name(show, known.control)
            for known in show.inputs.values()
            if known.control[:2] == control[:2] and is_key(known.control)
        }
        if tie.shift and tie.shift not in keys:
            keys[tie.shift] = part_name(show, control._replace(name=tie.shift))
        keys.pop(control.name, None)
        _fill(self.layer, {"": tr("no key"), **keys})
        _choose(self.layer, tie.shift)

        moves = not is_key(control)
        for widget in (self.curve, self.pickup, self.steps):
            widget.setEnabled(moves)

    # what is changed

    def _change(self, **fields: Any) -> None:
        tie, document = self.tie, self.parts.document
        if tie is None or tie.id not in document.show.inputs:
            return
        self.tie = made = edits.replace(tie, **fields)
        if made != tie:
            name = tr("change what a control does")
            document.edit(name, edits.put(document.show, "inputs", made))

    def _answer(self, **fields: Any) -> None:
        if self.tie is not None:
            self._change(answer=edits.replace(self.tie.answer, **fields))

    def _set_does(self, verb: Verb | None) -> None:
        self._change(does=verb)

    def _untie(self) -> None:
        tie, document = self.tie, self.parts.document
        if tie is not None:
            show = edits.drop(document.show, "inputs", [tie.id])
            document.edit(tr("untie a control"), show)


def _fill(box: QComboBox, options: dict[Any, str]) -> None:
    """Give a box its choices; it is left alone where it has them."""
    has = [(box.itemData(i), box.itemText(i)) for i in range(box.count())]
    if has == list(options.items()):
        return
    box.clear()
    for key, text in options.items():
        box.addItem(text, key)


def _choose(box: QComboBox, value: object) -> None:
    index = next((i for i in range(box.count()) if box.itemData(i) == value), 0)
    box.setCurrentIndex(index)


def _named(widget: QWidget) -> QWidget:
    """A field with its name; one that shows its own has it already."""
    if not isinstance(widget, QComboBox):
        return widget
    whole = basics.row(
        basics.label(widget.accessibleName(), "small"), widget, spacing=6
    )
    basics.grow(whole, 1)
    return whole
