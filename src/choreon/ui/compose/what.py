"""What: the attributes of those who are chosen. Everything here goes to the draft and nowhere else."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QVBoxLayout, QWidget

from choreon.model import attributes as at
from choreon.model.show import Look
from choreon.ui import words
from choreon.ui.session import Session
from choreon.ui.widgets import basics
from choreon.ui.widgets.colour_field import AimPad, ColourField, Swatches
from choreon.ui.widgets.values import ValueField

LEVELS = (("Off", 0.0), ("25", 0.25), ("50", 0.5), ("75", 0.75), ("Full", 1.0))


class What(QWidget):
    """One section a family; sections that nobody chosen has are hidden."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fields: dict[str, ValueField] = {}
        self.title = basics.label("", "heading", wrap=True)
        self.empty = basics.label(
            "Choose lights on the stage, or a group on the left. What you change here is on stage at once and goes "
            "into the draft; nothing is stored until you keep it.",
            "soft",
            wrap=True,
        )
        self.sections: dict[at.Family, QWidget] = {
            at.Family.INTENSITY: self._intensity(),
            at.Family.COLOUR: self._colour(),
            at.Family.POSITION: self._position(),
            at.Family.BEAM: self._beam(),
            at.Family.DEVICE: self._device(),
        }
        inner = QWidget()
        basics.stack(inner, self.title, self.empty, *self.sections.values(), 1, margins=12, spacing=14)
        panel = basics.panel(basics.scroller(inner), margins=0)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(280)
        self._soon = basics.once(self, 60, self._show_values)
        self._follow = QTimer(self, interval=250)
        self._follow.timeout.connect(self._show_values)
        session.chosen_changed.connect(self._rebuild)
        session.show_changed.connect(self._rebuild)
        session.state_changed.connect(lambda _: self._soon.isActive() or self._soon.start())
        self._rebuild()

    def showEvent(self, event) -> None:
        self._follow.start()
        self._show_values()

    def hideEvent(self, event) -> None:
        self._follow.stop()

    # sections

    def _field(self, name: str, low=None, high=None, home=0.0, scale: float = 1.0, digits: int = 0) -> ValueField:
        known = at.attribute(name)
        low = known.low * scale if low is None else low
        high = known.high * scale if high is None else high
        field = ValueField(known.label, low, high, known.unit, digits, home)
        field.changed.connect(lambda value: self._touch({name: value / scale}))
        self.fields[name] = field
        return field

    def _intensity(self) -> QWidget:
        section = QWidget()
        level = self._field(at.DIMMER, scale=100)
        quick = basics.row(
            *(
                basics.button(text, lambda v=value: self._touch({at.DIMMER: v}), tip=f"Intensity {text}")
                for text, value in LEVELS
            ),
            spacing=4,
        )
        for i in range(len(LEVELS)):
            quick.layout().itemAt(i).widget().setStyleSheet("padding: 5px 2px;")
        self.open_up = basics.button(
            "Open up", self._open_up, "", "sun", "Make the chosen shine: shutter open, intensity full"
        )
        basics.stack(section, basics.row(basics.label("Intensity", "heading"), 1, self.open_up), level, quick)
        return section

    def _colour(self) -> QWidget:
        section = QWidget()
        self.colour = ColourField()
        self.colour.changed.connect(self._touch_colour)
        self.swatches = Swatches()
        self.swatches.picked.connect(self._touch_colour)
        self.hex = basics.label("", "soft")
        sliders = [self._field(name, scale=100) for name in at.TARGET_COLOUR]
        for name, field in zip(at.TARGET_COLOUR, sliders, strict=True):
            field.changed.disconnect()
            field.changed.connect(lambda value, n=name: self._touch_part(n, value / 100))
        self.direct = [self._field(name, scale=100) for name in at.DIRECT_EMITTERS]
        basics.stack(
            section,
            basics.row(basics.label("Colour", "heading"), 1, self.hex),
            self.colour,
            self.swatches,
            *sliders,
            *self.direct,
        )
        return section

    def _position(self) -> QWidget:
        section = QWidget()
        self.aim = AimPad()
        self.aim.changed.connect(lambda pan, tilt: self._touch({at.PAN: pan, at.TILT: tilt}))
        pan, tilt = self._field(at.PAN, digits=1), self._field(at.TILT, digits=1)
        basics.stack(section, basics.label("Position", "heading"), self.aim, basics.row(pan, tilt))
        return section

    def _beam(self) -> QWidget:
        section = QWidget()
        self.shutter_open = basics.button("Open", lambda: self._touch({at.SHUTTER: 1.0, at.STROBE: 0.0}))
        self.shutter_closed = basics.button("Closed", lambda: self._touch({at.SHUTTER: 0.0}))
        for button in (self.shutter_open, self.shutter_closed):
            button.setCheckable(True)
        strobe = self._field(at.STROBE, digits=1)
        strobe.changed.disconnect()
        strobe.changed.connect(lambda hertz: self._touch({at.SHUTTER: 1.0, at.STROBE: hertz}))
        basics.stack(
            section,
            basics.label("Beam", "heading"),
            basics.row(basics.label("Shutter", "soft"), 1, self.shutter_open, self.shutter_closed),
            strobe,
        )
        return section

    def _device(self) -> QWidget:
        section = QWidget()
        self.raw = QWidget()
        self.raw_box = QVBoxLayout(self.raw)
        self.raw_box.setContentsMargins(0, 0, 0, 0)
        self.raw_fields: dict[str, ValueField] = {}
        heading = basics.label("Device", "heading")
        heading.setToolTip("Channels driven by their raw values, 0…255")
        basics.stack(section, heading, self.raw)
        return section

    # what is chosen

    def _having(self, name: str) -> list[str]:
        where = self.session.programme.rig.where
        return [i for i in self.session.chosen if name in where.get(i, {})]

    def _rebuild(self, _=None) -> None:
        show, chosen = self.session.show, self.session.chosen
        self.title.setText(words.some([show.fixtures[i].name for i in chosen if i in show.fixtures]))
        self.title.setVisible(bool(chosen))
        self.empty.setVisible(not chosen)
        where = self.session.programme.rig.where
        has = {name for i in chosen for name in where.get(i, {})}
        for name, field in self.fields.items():
            field.setVisible(name in has)
        self.colour.setVisible(at.RED in has)
        self.swatches.setVisible(at.RED in has)
        raw = sorted(name for name in has if name not in at.ATTRIBUTES)
        if list(self.raw_fields) != raw:
            self._rebuild_raw(raw)
        shown = {at.attribute(name).family for name in has}
        for family, section in self.sections.items():
            section.setVisible(family in shown)
        self._fit_spans()
        self._show_values()

    def _rebuild_raw(self, names: list[str]) -> None:
        basics.clear(self.raw_box)
        self.raw_fields = {}
        for name in names:
            field = ValueField(self._raw_label(name), 0, 255, "", 0, 0.0)
            field.changed.connect(lambda value, n=name: self._touch({n: value}))
            self.raw_fields[name] = field
            self.raw_box.addWidget(field)

    def _raw_label(self, name: str) -> str:
        """What the first of the chosen that has it calls the channel."""
        show = self.session.show
        for fixture in self._having(name):
            kind = show.types[show.fixtures[fixture].type]
            for channel in kind.channels:
                if channel.key == name or {r.attribute for r in channel.ranges} == {name}:
                    return channel.label
        return at.attribute(name).label

    def _fit_spans(self) -> None:
        """Pan and tilt fields span what the widest of the chosen can do."""
        rig = self.session.programme.rig
        spans = []
        for name in (at.PAN, at.TILT):
            rows = [rig.where[i][name][0][1] for i in self._having(name)]
            low = min((float(rig.low[r]) for r in rows), default=-1.0)
            high = max((float(rig.high[r]) for r in rows), default=1.0)
            self.fields[name].low, self.fields[name].high = low, high
            spans.append((low, high))
        self._spans = tuple(spans)

    # values

    def _show_values(self) -> None:
        if not self.isVisible() or not self.session.chosen:
            return
        rig, values = self.session.programme.rig, self.session.values()
        draft = self.session.state.draft.look

        def of(name: str) -> list[float]:
            return [float(values[row]) for i in self._having(name) for _, row in rig.where[i][name]]

        for name, field in (*self.fields.items(), *self.raw_fields.items()):
            found = of(name)
            if not found:
                continue
            scale = 100 if at.attribute(name).unit == "%" else 1
            low, high = scale * min(found), scale * max(found)
            same = high - low < 10.0**-field.digits / 2
            field.drafted = any(name in draft.get(i, {}) for i in self.session.chosen)
            field.set_value((low + high) / 2 if same else None, None if same else (low, high))
        parts = [of(name) for name in at.TARGET_COLOUR]
        if parts[0]:
            same = all(max(p) - min(p) < 0.004 for p in parts)
            rgb = tuple(p[0] for p in parts)
            self.colour.set_rgb(rgb if same else None)  # type: ignore[arg-type]
            self.hex.setText(words.hex_colour(rgb) if same else "several")
        pans, tilts = of(at.PAN), of(at.TILT)
        if len(pans) == len(tilts):
            self.aim.show_points(list(zip(pans, tilts, strict=True)), self._spans)
        shutters = of(at.SHUTTER)
        self.shutter_open.setChecked(bool(shutters) and all(s >= 0.5 for s in shutters))
        self.shutter_closed.setChecked(bool(shutters) and all(s < 0.5 for s in shutters))

    def _touch(self, given: dict[str, float]) -> None:
        """Give values to all the chosen that have the attribute."""
        look: Look = {}
        for name, value in given.items():
            for fixture in self._having(name):
                look.setdefault(fixture, {})[name] = value
        if look:
            self.session.touch(look)

    def _touch_colour(self, rgb: tuple[float, float, float]) -> None:
        self._touch(dict(zip(at.TARGET_COLOUR, rgb, strict=True)))

    def _touch_part(self, part: str, value: float) -> None:
        """Change one part of the target colour; the other two are taken along as they are, fixture by fixture."""
        rig, values = self.session.programme.rig, self.session.values()
        look: Look = {}
        for fixture in self._having(part):
            look[fixture] = {}
            for name in at.TARGET_COLOUR:
                rows = [row for _, row in rig.where[fixture][name]]
                now = tuple(float(values[r]) for r in rows)
                look[fixture][name] = value if name == part else _one_or_each(now)
        self.session.touch(look)

    def _open_up(self) -> None:
        self._touch({at.DIMMER: 1.0, at.SHUTTER: 1.0, at.STROBE: 0.0})


def _one_or_each(now: tuple[float, ...]) -> float | tuple[float, ...]:
    """One value where all cells have it, else a value for each."""
    return now[0] if max(now) - min(now) < 1e-6 else now
