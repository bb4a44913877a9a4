"""Colour: one picker for every make, what each make will do with it, emitters, wheels,
palettes.
"""

from __future__ import annotations

from PySide6.QtGui import QFocusEvent, QMouseEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.colours import of_hex, read_hex
from choreon.model.show import Fixture
from choreon.model.values import Value
from choreon.render.picker import (
    COLDEST,
    WARMEST,
    colour_at,
    kelvin_of,
    of_kelvin,
    place_of,
)
from choreon.render.reaching import ColourAnswer, colour_answer
from choreon.ui import words
from choreon.ui.compose.controls import Controls, show_span
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.palette_chips import PaletteChips, keep_button
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import ColourField
from choreon.ui.widgets.values import ValueField

Rgb = tuple[float, float, float]
ALIKE = 0.004  # by which parts may differ and still count as the same


class HexLine(QLineEdit):
    """All of it is marked when it is gone to, so that what is typed or pasted takes its
    place.
    """

    def focusInEvent(self, event: QFocusEvent) -> None:
        """All of it is marked, to be typed over."""
        super().focusInEvent(event)
        self.selectAll()
        self._fresh = True  # the press that comes with it would unmark it

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        if getattr(self, "_fresh", False) and not self.hasSelectedText():
            self.selectAll()
        self._fresh = False


class ColourPanel(QWidget):
    """The field, sliders, and what comes of it."""

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.hand = hand
        self.fields: dict[str, ValueField] = {}
        self.colour = ColourField()
        self.colour.changed.connect(hand.give_colour)

        self.hue = ValueField(tr("Hue"), 0, 360, "°", 0, bar=False)
        self.strength = ValueField(tr("Strength"), 0, 100, "%", 0)
        self.kelvin = ValueField(tr("White"), WARMEST, COLDEST, "K", 0, 6500, bar=False)
        self.hue.changed.connect(lambda v: self._by_place(hue=v))
        self.strength.changed.connect(lambda v: self._by_place(strength=v / 100))

        self.kelvin.changed.connect(lambda v: hand.give_colour(of_kelvin(v)))
        self.hex = HexLine()
        self.hex.setAccessibleName(tr("Colour as #RRGGBB"))
        self.hex.setToolTip(tr("Colour as it is written on screens: #RRGGBB"))
        self.hex.setMaxLength(9)

        self.hex.editingFinished.connect(self._by_hex)
        for name in at.TARGET_COLOUR:
            field = ValueField(at.attribute(name).label, 0, 100, "%", 0, 100)
            field.short = name.removeprefix("ColorRGB_")[0]
            field.changed.connect(lambda v, n=name: self.set_part(n, v / 100))
            self.fields[name] = field

        self.answers = basics.label("", "small", wrap=True)
        self.answers.setAccessibleName(tr("What each make does with the colour"))
        self.chips = PaletteChips(hand, at.Family.COLOUR)
        self.more = Controls(hand)
        self.mixing = QWidget()

        basics.stack(
            self.mixing,
            self.colour,
            self.answers,
            basics.row(self.hue, self.strength, spacing=4),
            basics.row(self.kelvin, self.hex, spacing=4),
            basics.row(*self.fields.values(), spacing=4),
            spacing=6,
        )

        for field in self.fields.values():
            field.setMinimumWidth(70)

        head = basics.row(
            basics.label(tr("Palettes"), "soft"), 1, keep_button(hand, at.Family.COLOUR)
        )

        basics.stack(self, self.mixing, head, self.chips, self.more, spacing=8)
        self._rgb: tuple[float, float, float] | None = None
        self._answered: tuple[object, ...] | None = (
            None  # what the answers below were given to
        )

    def rebuild(self, counts: dict[str, int]) -> None:
        """Fit it to what the choice has."""
        self.mixing.setVisible(at.RED in counts)
        rest = [
            n
            for n in counts
            if at.attribute(n).family == at.Family.COLOUR and n not in at.TARGET_COLOUR
        ]
        self.more.set_names(rest, counts)

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Show the colours that the choice has now."""
        self.more.show_values(counts, total)
        found = self.hand.colours()
        if not found:
            return

        # What was asked for goes before what single lamps made of it: wheels have their
        # slots only.
        wanted = self._wanted()
        rgb = wanted or _in_common(found)
        drafted = self.hand.drafted(*at.TARGET_COLOUR)
        parts = zip(*([rgb] if rgb else found), strict=True)

        for name, part in zip(at.TARGET_COLOUR, parts, strict=True):
            show_span(self.fields[name], part, 100, drafted)

        if rgb != self._rgb or rgb is None:
            self._show_colour(rgb)

        question = rgb, wanted is not None, tuple(self.hand.fixtures(at.RED))
        if question != self._answered:
            self._answered = question
            self._answer(*question)

    def _show_colour(self, rgb: Rgb | None) -> None:
        """Show a colour in all its forms; None where the chosen have several."""
        self._rgb = rgb
        self.colour.set_rgb(rgb)
        if not self.hex.hasFocus():
            self.hex.setText(words.hex_colour(rgb) if rgb else tr("several"))
        hue, strength = place_of(rgb) if rgb else (None, None)
        self.hue.set_value(hue)
        self.strength.set_value(None if strength is None else 100 * strength)
        self.kelvin.set_value(kelvin_of(rgb) if rgb else None)

    def _answer(
        self,
        rgb: tuple[float, float, float] | None,
        asked: bool,
        fixtures: tuple[Fixture, ...],
    ) -> None:
        """What each make does with a colour; `asked`: it was given as one, rather than
        found on the lamps.
        """
        found: dict[tuple[str, ColourAnswer], list[str]] = {}
        answers: dict[tuple[str, str], ColourAnswer] = {}

        for fixture in fixtures:
            if rgb is None or (fixture.id in self.hand.rig.wheels and not asked):
                continue  # a slot was given by itself: that is no answer to a colour

            kind = self.hand.parts.document.show.types.get(fixture.type)
            if (sort := (fixture.type, fixture.mode)) not in answers:
                answers[sort] = colour_answer(self.hand.rig, fixture.id, rgb)

            answer = answers[sort]
            found.setdefault((kind.name if kind else fixture.name, answer), []).append(
                fixture.name
            )

        self.answers.setText(
            "\n".join(
                tr("{name}: {answer}", name=name, answer=answer_text(answer))
                for (name, answer) in found
            )
        )
        self.answers.setVisible(bool(found))

    def _wanted(self) -> tuple[float, float, float] | None:
        """The target that the draft gives all of the chosen, where it is one."""
        parts = self.hand.parts
        draft, targets = parts.engine.state.draft.look, set()

        for fixture in self.hand.fixtures(at.RED):
            own = links.resolve(
                parts.document.show, {fixture.id: draft.get(fixture.id, {})}
            )[fixture.id]
            targets.add(tuple(own.get(n) for n in at.TARGET_COLOUR))

        r, g, b = targets.pop() if len(targets) == 1 else (None, None, None)
        if not (
            isinstance(r, float | int)
            and isinstance(g, float | int)
            and isinstance(b, float | int)
        ):
            return None

        return float(r), float(g), float(b)

    def _by_place(
        self, hue: float | None = None, strength: float | None = None
    ) -> None:
        found = self.hand.colours()
        rgb = self._wanted() or (found[0] if found else None)
        now = place_of(rgb) if rgb else (0.0, 0.0)
        at_ = (now[0] if hue is None else hue, now[1] if strength is None else strength)
        if hue is not None and strength is None and at_[1] < 0.02:
            at_ = (hue, 1.0)  # a hue of white would show nothing
        self.hand.give_colour(colour_at(*at_).tolist())

    def _by_hex(self) -> None:
        found = read_hex(self.hex.text())
        if found is not None:
            self.hex.setText(found)
            if self._rgb is None or words.hex_colour(self._rgb) != found:
                self.hand.give_colour(of_hex(found))
        else:
            self.hex.setText(
                words.hex_colour(self._rgb) if self._rgb else tr("several")
            )

    def set_part(self, part: str, value: float) -> None:
        """Change one part of the target colour; the other two are taken along as they
        are, one by one.
        """
        items = self.hand.items(at.RED)
        values: dict[str, list[Value]] = {name: [] for name in at.TARGET_COLOUR}
        for item in items:
            found = self.hand.colours([item])
            for i, name in enumerate(at.TARGET_COLOUR):
                own = tuple(value if name == part else rgb[i] for rgb in found)
                values[name].append(own[0] if max(own) - min(own) < 1e-6 else own)
        self.hand.give_each(values, items)
        self.hand.look_again()


def answer_text(answer: ColourAnswer) -> str:
    """“exact”, “mixed as near as it can (0.04 off)”, “nearest slot: Deep blue (0.12
    off)”.
    """
    if answer.kind == "exact":
        return tr("exact")
    if answer.kind == "mixed":
        return tr("as near as it mixes ({distance:.2f} off)", distance=answer.distance)
    if answer.kind == "nearest":
        if answer.distance < 0.005:
            return tr("nearest slot: {slot}", slot=answer.slot)
        return tr(
            "nearest slot: {slot} ({distance:.2f} off)",
            slot=answer.slot,
            distance=answer.distance,
        )
    return tr("has no colour")


def _in_common(colours: list[Rgb]) -> Rgb | None:
    """The colour that all have; None where they differ."""
    same = all(max(part) - min(part) < ALIKE for part in zip(*colours, strict=True))
    return colours[0] if same else None
