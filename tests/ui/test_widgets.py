"""Controls by themselves, under mouse, wheel and keys."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from choreon.model.show import Mark, Room
from choreon.render.picker import place_of
from choreon.ui import theme, words
from choreon.ui.widgets import basics
from choreon.ui.widgets.aim_pad import AimPad
from choreon.ui.widgets.colour_field import ColourField
from choreon.ui.widgets.faders import FaderSlider
from choreon.ui.widgets.floor_pad import FloorPad
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField, parse

LEFT = Qt.MouseButton.LeftButton
SHIFT = Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def shown(qtbot):
    """Shows a widget at a size and hands it back."""

    def show(widget: QWidget, width: int = 200, height: int = 160) -> QWidget:
        qtbot.addWidget(widget)
        widget.resize(width, height)
        widget.show()
        QTest.qWaitForWindowExposed(widget)
        return widget

    return show


def wheel(widget: QWidget, ticks: int, keys=NONE) -> None:
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(), QPoint(0, 120 * ticks), Qt.MouseButton.NoButton, keys,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def heard(signal) -> list:
    got: list = []
    signal.connect(
        lambda *values: got.append(values[0] if len(values) == 1 else values)
    )
    return got


@pytest.mark.parametrize(
    ("text", "now", "value"),
    [
        ("50", 10.0, 50.0),
        ("-12.5", 10.0, -12.5),
        ("+10", 40.0, 50.0),
        ("+ 10", 40.0, 50.0),
        ("/2", 40.0, 20.0),
        ("*1,5", 40.0, 60.0),
        ("3.5s", 0.0, 3.5),
        ("50 %", 0.0, 50.0),
        ("120bpm", 0.0, 120.0),
        ("+5", None, 5.0),
        ("/0", 40.0, None),
        ("", 40.0, None),
        ("ten", 40.0, None),
        ("5 5", 40.0, None),
    ],
)
def test_what_may_be_typed(text, now, value):
    assert parse(text, now) == value


def test_a_value_is_dragged_finely_with_shift_and_clicks_change_nothing(shown):
    field = shown(ValueField("Level", 0, 100, "%"), 240, 34)
    field.set_value(50)
    got = heard(field.changed)
    QTest.mouseClick(field, LEFT, pos=QPoint(100, 17))
    assert got == []
    QTest.mousePress(field, LEFT, pos=QPoint(100, 17))
    QTest.mouseMove(field, QPoint(124, 17))
    QTest.mouseRelease(field, LEFT, pos=QPoint(124, 17))
    assert field.value == pytest.approx(60)
    assert got[-1] == pytest.approx(60)


def test_escape_leaves_a_drag_as_it_was(shown):
    field = shown(ValueField("Level", 0, 100, "%"), 240, 34)
    field.set_value(50)
    field.setFocus()
    QTest.mousePress(field, LEFT, pos=QPoint(100, 17))
    QTest.mouseMove(field, QPoint(160, 17))
    assert field.value > 60
    QTest.keyClick(field, Qt.Key.Key_Escape)
    QTest.mouseRelease(field, LEFT, pos=QPoint(160, 17))
    assert field.value == 50


def test_wheel_keys_and_double_click(shown):
    field = shown(ValueField("Level", 0, 100, "%", home=25.0), 240, 34)
    field.set_value(50)
    wheel(field, 2)
    assert field.value == 55
    wheel(field, -1, SHIFT)
    assert field.value == 54
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert field.value == 55
    wheel(field, 999)
    assert field.value == 100
    QTest.mouseDClick(field, LEFT)
    assert field.value == 25


def test_values_that_differ_are_shown_as_a_span_and_become_one_when_set(shown):
    field = shown(ValueField("Pan", -270, 270, "°", 1), 240, 34)
    field.set_value(None, (-10.0, 30.0))
    assert field.text() == "-10.0 … 30.0°"
    wheel(field, 1)
    assert field.text() == "23.5°"
    field.set_value(None)
    assert field.text() == "—"


def test_typing_opens_an_editor_that_escape_shuts(shown):
    field = shown(ValueField("Level", 0, 100, "%"), 240, 34)
    field.set_value(40)
    field.setFocus()
    field.window().activateWindow()
    QTest.qWaitForWindowActive(field)
    QTest.keyClick(field, "/")
    QTest.keyClicks(QApplication.focusWidget(), "4")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert field.value == 10
    assert QApplication.focusWidget() is field
    QTest.keyClick(field, "9")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    assert field.value == 10
    QTest.keyClick(field, "x")
    assert field.value == 10


def test_a_hand_on_a_field_is_not_disturbed_by_what_comes_from_elsewhere(shown):
    field = shown(ValueField("Level", 0, 100, "%"), 240, 34)
    field.set_value(50)
    QTest.mousePress(field, LEFT, pos=QPoint(100, 17))
    QTest.mouseMove(field, QPoint(124, 17))
    field.set_value(3)
    assert field.value == pytest.approx(60)
    QTest.mouseRelease(field, LEFT, pos=QPoint(124, 17))
    field.set_value(3)
    assert field.value == 3


@pytest.mark.parametrize("upright", [True, False])
def test_faders_move_from_where_they_stand(shown, upright):
    fader = shown(
        FaderSlider("F", upright), 48 if upright else 228, 228 if upright else 32
    )
    fader.set_level(0.5)
    got = heard(fader.moved)
    start, end = (
        (QPoint(24, 20), QPoint(24, 120))
        if upright
        else (QPoint(200, 16), QPoint(100, 16))
    )
    QTest.mousePress(fader, LEFT, pos=start)
    assert fader.level == 0.5  # touching it never makes it jump
    QTest.mouseMove(fader, end)
    assert fader.level == pytest.approx(0.0)
    fader.set_level(0.9)  # a hand on it wins
    assert fader.level == pytest.approx(0.0)
    QTest.mouseRelease(fader, LEFT, pos=end)
    fader.set_level(0.9)
    assert fader.level == 0.9
    assert got == [pytest.approx(0.0)]


def test_faders_by_keys_and_wheel(shown):
    fader = shown(FaderSlider("F"), 48, 200)
    QTest.keyClick(fader, "7")
    assert fader.level == 0.7
    QTest.keyClick(fader, Qt.Key.Key_Up)
    assert fader.level == pytest.approx(0.75)
    QTest.keyClick(fader, Qt.Key.Key_Down)
    wheel(fader, 1, SHIFT)
    assert fader.level == pytest.approx(0.71)
    QTest.keyClick(fader, "f")
    assert fader.level == 1.0
    QTest.keyClick(fader, "0")
    assert fader.level == 0.0


def test_a_fader_left_by_escape_goes_back(shown):
    fader = shown(FaderSlider("F"), 48, 228)
    fader.set_level(0.4)
    QTest.mousePress(fader, LEFT, pos=QPoint(24, 100))
    QTest.mouseMove(fader, QPoint(24, 20))
    assert fader.level > 0.7
    QTest.keyClick(fader, Qt.Key.Key_Escape)
    assert fader.level == pytest.approx(0.4)


def test_numbers_keep_their_bounds_and_count_on(shown):
    field = shown(NumberField("Address", 1, 512, 10), 80, 34)
    got = heard(field.valueChanged)
    field.setValue(600)
    assert (field.value(), got) == (512, [512])
    field.selectAll()
    QTest.keyClicks(field, "+5")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.value() == 512
    field.selectAll()
    QTest.keyClicks(field, "100")
    assert field.value() == 100  # while typing
    QTest.keyClick(field, Qt.Key.Key_Down)
    wheel(field, -1)
    assert field.value() == 98
    field.selectAll()
    QTest.keyClicks(field, "nonsense")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "98"
    field.selectAll()
    QTest.keyClicks(field, "0")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert field.value() == 1


@pytest.mark.parametrize(
    "rgb",
    [
        (1.0, 0.0, 0.0),
        (0.0, 1.0, 0.0),
        (0.0, 0.0, 1.0),
        (1.0, 1.0, 1.0),
        (1.0, 0.3, 0.2),
        (0.2, 0.4, 1.0),
    ],
)
def test_the_colour_field_gives_linear_light(shown, rgb):
    """Where a colour stands there it can be picked again."""
    field = shown(ColourField(), 721, 241)
    got = heard(field.changed)
    hue, strength = place_of(rgb)
    QTest.mouseClick(
        field,
        LEFT,
        pos=QPoint(max(1, round(hue / 360 * 721)), round((1 - strength) * 241)),
    )
    assert got[-1] == pytest.approx(rgb, abs=0.03)
    assert max(got[-1]) == pytest.approx(1.0)


def test_the_colour_field_shows_what_it_draws(shown):
    """The pixel under the pointer is the colour it gives."""
    field = shown(ColourField(), 300, 120)
    field.set_rgb(None)
    picture = field.grab().toImage()
    got = heard(field.changed)
    for x, y in ((30, 20), (150, 60), (260, 100)):
        QTest.mouseClick(field, LEFT, pos=QPoint(x, y))
        from choreon.ui.widgets.colour_field import on_screen

        there, meant = picture.pixelColor(x, y), on_screen(got[-1])
        for part in ("red", "green", "blue"):
            assert abs(getattr(there, part)() - getattr(meant, part)()) < 8


def test_the_aim_pad_moves_all_by_as_much(shown):
    pad = shown(AimPad(), 200, 132)
    got = heard(pad.nudged)
    QTest.mouseClick(pad, LEFT, pos=QPoint(10, 10))
    assert got == []  # nobody to aim
    pad.show_points([(0.0, 0.0), (20.0, 10.0)], ((-270.0, 270.0), (-135.0, 135.0)))
    QTest.mousePress(pad, LEFT, pos=QPoint(50, 50))
    QTest.mouseMove(pad, QPoint(60, 50))
    assert got[-1] == pytest.approx((27.0, 0.0), abs=0.1)
    assert pad.points == [
        pytest.approx((27.0, 0.0), abs=0.1),
        pytest.approx((47.0, 10.0), abs=0.1),
    ]
    QTest.mouseRelease(pad, LEFT, pos=QPoint(60, 50))
    QTest.keyClick(pad, Qt.Key.Key_Up)
    assert got[-1] == (0.0, 5.0)
    QTest.keyClick(pad, Qt.Key.Key_Left, SHIFT)
    assert got[-1] == (-0.5, 0.0)
    pad.show_points(
        [(0.0, 0.0)], ((-270.0, 270.0), (-135.0, 135.0)), ((-1.0, 1.0), (-135.0, 135.0))
    )
    QTest.keyClick(pad, Qt.Key.Key_Left)
    assert pad.points == [(-1.0, 0.0)]  # not beyond the limits


def test_limits_are_dragged_on_the_pad(shown):
    pad = shown(AimPad(), 200, 132)
    got = []
    pad.limited.connect(lambda pan, tilt: got.append((pan, tilt)))
    pad.show_points([(0.0, 0.0)], ((-270.0, 270.0), (-135.0, 135.0)))
    pad.edit_limits(True)
    QTest.mousePress(pad, LEFT, pos=QPoint(1, 60))
    QTest.mouseMove(pad, QPoint(50, 60))
    QTest.mouseRelease(pad, LEFT, pos=QPoint(50, 60))
    assert got[-1] == (pytest.approx((-135.0, 270.0), abs=3), (-135.0, 135.0))
    QTest.mousePress(pad, LEFT, pos=QPoint(120, 131))
    QTest.mouseMove(pad, QPoint(120, 66))
    QTest.mouseRelease(pad, LEFT, pos=QPoint(120, 66))
    assert got[-1][1] == pytest.approx((0.0, 135.0), abs=3)


def test_the_floor_pad_gives_the_mark_or_the_point_that_is_pressed(shown):
    """A stage of 8 × 6 m: a press at a mark gives that, elsewhere metres."""
    pad = shown(FloorPad(), 240, 180)
    pad.show_stage(Room(width=8.0, depth=6.0), [Mark(id="m", name="M", x=2.0, y=3.0)])
    assert pad.aim(pad.to_screen(2.05, 3.0)) == "mark:m"
    assert pad.point == (2.0, 3.0)
    link = pad.aim(pad.to_screen(-1.0, 1.5))
    assert link == "point:-1.000,1.500,0"
    assert pad.step(0.25, -0.5) == "point:-0.750,1.000,0"
    given: list[str] = []
    pad.aimed.connect(given.append)
    QTest.mouseClick(pad, LEFT, NONE, pad.to_screen(2.0, 3.0).toPoint())
    assert given == ["mark:m"]
    assert not pad.grab().isNull()


@pytest.mark.parametrize("tokens", [{}, theme.CONTRAST])
def test_words_stand_out_on_every_ground(tokens):
    """7:1 for text, 5.5:1 for what is soft; 12:1 and 9:1 where contrast is high."""
    high = bool(tokens)
    ground = [tokens.get(n, getattr(theme, n)) for n in ("PIT", "DECK", "FLAT")]
    for name, least in (
        ("TEXT", 12.0 if high else 7.0),
        ("SOFT", 9.0 if high else 5.5),
    ):
        words_ = luminance(tokens.get(name, getattr(theme, name)))
        for token in ground:
            assert (words_ + 0.05) / (luminance(token) + 0.05) >= least


def luminance(token: str) -> float:
    """Relative luminance: WCAG 2.2."""
    c = QColor(token)
    parts = [
        p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4
        for p in (c.redF(), c.greenF(), c.blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


@pytest.mark.parametrize("ground", [theme.PIT, theme.DECK, theme.FLAT])
def test_words_can_be_read_on_every_surface(ground):
    def contrast(token: str) -> float:
        a, b = sorted((luminance(token), luminance(ground)))
        return (b + 0.05) / (a + 0.05)

    assert contrast(theme.TEXT) >= 7
    assert contrast(theme.SOFT) >= 5.5
    for token in (theme.LIVE, theme.DRAFT, theme.CHOSEN, theme.KEEP, theme.ALARM):
        assert contrast(token) >= 4.5


def test_the_style_sheet_has_all_its_tokens(qapp):
    assert "@" not in theme.style().split("*/")[1]
    assert theme.TEXT in theme.style()


@pytest.mark.parametrize(
    "name",
    ["rig", "compose", "score", "perform", "surfaces", "undo", "keep", "choreon"],
)
def test_icons_are_drawn_in_their_colour(qapp, name):
    image = theme.pixmap(name, theme.LIVE).toImage()
    found = {
        image.pixelColor(x, y).name()
        for x in range(0, 48, 2)
        for y in range(0, 48, 2)
        if image.pixelColor(x, y).alpha() > 250
    }
    assert found
    if name != "choreon":
        assert theme.LIVE.lower() in found


def test_words():
    look = {"a": {"Dimmer": 0.5, "ColorRGB_Red": 1.0}, "b": {"Pan": 12.34}}
    assert words.summary(look) == "2 fixtures · intensity, colour, position"
    assert words.value("Dimmer", 0.804) == "80 %"
    assert words.value("Dimmer", (0.1, 0.9)) == "10 % … 90 %"
    assert words.value("Pan", 12.34) == "12.3°"
    assert words.value("Shutter1", 0.0) == "closed"
    assert words.value("Shutter1Strobe", 8.0) == "8.0 Hz"
    assert words.value("Fog1", 0.43) == "43 %"
    assert words.hex_colour((1.0, 0.0, 0.5)) == "#FF00BC"
    assert words.some(["a"]) == "a"
    assert words.some(["a", "b"]) == "a and b"
    assert words.some(list("abcdef")) == "a, b, c and 3 more"
    assert words.some([]) == ""
    assert ("a", "Colour", ("ColorRGB_Red",)) in words.lines(look)


def test_once_acts_once(qtbot):
    holder = QWidget()
    got: list[int] = []
    timer = basics.once(holder, 5, lambda: got.append(1))
    timer.start()
    qtbot.waitUntil(lambda: bool(got), timeout=5000)
    QTest.qWait(40)  # in which it would act again
    assert got == [1]
