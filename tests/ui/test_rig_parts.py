"""The parts of the Rig place by themselves: strips, ranges, meanings, work beside the window, signs and lists."""

from __future__ import annotations

import threading

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtTest import QTest

from choreon.demo import low_tide
from choreon.formats import cleaning
from choreon.formats.pictures import SLOT_SIZE, small
from choreon.library import library
from choreon.model import edits
from choreon.model.fixture_type import Channel, Range, Slot
from choreon.ui import slots, theme
from choreon.ui.rig import bodies
from choreon.ui.rig.hang import channel_map
from choreon.ui.rig.output_fields import interfaces
from choreon.ui.rig.slip import Slip
from choreon.ui.rig.strips import Strip, value_text
from choreon.ui.rig.type_list import TypeList, dropped, searched
from choreon.ui.rig.types.line import RangeLine
from choreon.ui.rig.types.meaning import MeaningField, said
from choreon.ui.rig.types.reach import reach
from choreon.ui.slots import slot_of, slot_picture
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.work import Work

SPOT = library()["ostrey-spot-160"]
GOBO = SPOT.channel("gobo")


@pytest.fixture
def shown(qtbot, qapp):
    """Show a widget at a size."""

    def show(widget, width: int = 260, height: int = 90):
        theme.apply(qapp)
        qtbot.addWidget(widget)
        widget.resize(width, height)
        widget.show()
        QTest.qWaitForWindowExposed(widget)
        return widget

    return show


def colours(image: QImage) -> set[str]:
    return {
        QColor(image.pixel(x, y)).name()
        for x in range(image.width())
        for y in range(image.height())
    }


# strips


def test_a_strip_tells_raw_values_by_drag_wheel_key_and_number(shown, qtbot):
    strip = shown(Strip(SPOT, SPOT.channel("dimmer"), "Dimmer"))
    moved, typed = [], []
    strip.moved.connect(moved.append)
    strip.typed.connect(typed.append)
    QTest.mouseClick(
        strip, Qt.MouseButton.LeftButton, pos=QPointF(strip.x_of(100) + 1, 30).toPoint()
    )
    assert moved[-1] == pytest.approx(100, abs=1)
    QTest.mouseClick(
        strip, Qt.MouseButton.LeftButton, pos=QPoint(20, 6)
    )  # the words are no handle
    assert len(moved) == 1
    strip.show_raw(100, False)
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Right)
    assert moved[-1] == 101
    QTest.keyClicks(strip, "25")
    QTest.keyClick(strip, Qt.Key.Key_Backspace)
    QTest.keyClicks(strip, "00")
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert typed == [200]
    QTest.keyClicks(strip, "+10")
    QTest.keyClick(strip, Qt.Key.Key_Enter)
    assert typed[-1] == 110
    QTest.keyClicks(strip, "9")
    QTest.keyClick(strip, Qt.Key.Key_Escape)
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert len(typed) == 2
    QTest.keyClicks(strip, "9999")
    QTest.keyClick(strip, Qt.Key.Key_Return)
    assert typed[-1] == 255


def test_a_strips_slots_are_pictures_that_can_be_clicked(shown):
    strip = shown(Strip(SPOT, GOBO, "Gobo wheel"), 200)
    moved = []
    strip.moved.connect(moved.append)
    assert [slot.name for _, slot in strip.chips] == [
        "Open",
        "Ripples",
        "Reeds",
        "Net",
        "Rain",
        "Slats",
        "Shoal",
    ]
    rects = [strip.chip_rect(i) for i in range(7)]
    assert all(
        a.intersects(b) is False for i, a in enumerate(rects) for b in rects[i + 1 :]
    )
    assert max(r.bottom() for r in rects) <= strip.height()
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=rects[2].center().toPoint())
    assert moved == [29]
    strip.show_raw(29, True)
    assert theme.DRAFT.lower() in colours(strip.grab().toImage())


def test_slots_are_drawn_by_picture_colour_or_not_at_all():
    assert slot_of(SPOT, GOBO, GOBO.ranges[2]).name == "Reeds"
    assert slot_of(SPOT, GOBO, GOBO.ranges[-1]) is None
    assert (
        slot_of(SPOT, SPOT.channel("dimmer"), SPOT.channel("dimmer").ranges[0]) is None
    )
    red = slot_picture(Slot(name="Red", colour="#FF0000"), 24).toImage()
    assert QColor(red.pixel(12, 12)).name() == "#ff0000"
    png = QImage(8, 8, QImage.Format.Format_RGB32)
    png.fill(QColor("#00ff00"))
    from PySide6.QtCore import QBuffer, QByteArray, QIODevice

    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    png.save(buffer, "PNG")
    made = small(bytes(data.data()), SLOT_SIZE)
    strange = slot_picture(Slot(name="P", picture=made), 20).toImage()
    assert QColor(strange.pixel(10, 10)).name() == "#ffffff"  # not drawn as it came
    cleaning.made_here([made])
    slots.forget()
    green = slot_picture(Slot(name="P", picture=made), 20).toImage()
    assert QColor(green.pixel(10, 10)).name() == "#00ff00"


@pytest.mark.parametrize(
    ("channel", "raw", "text"),
    [("gobo", 30, "Reeds"), ("gobo", 255, "Turning 30.0 rpm"), ("pan", 0, "-270.0°"), ("dimmer", 255, "100 %"),
     ("control", 5, "None"), ("prism", 100, "Three facets")],
)  # fmt: skip
def test_values_are_said_in_their_unit(channel, raw, text):
    found = SPOT.channel(channel)
    assert value_text(found.at(raw), raw) == text
    assert value_text(None, raw) == "no meaning"


# the line of ranges


def test_a_gap_is_filled_and_the_value_below_the_pointer_is_told(shown):
    gap = Channel(
        key="c",
        ranges=(
            Range(start=0, end=99, attribute="Dimmer"),
            Range(start=200, end=255, attribute="Pan"),
        ),
    )
    line = shown(RangeLine(), 540, 100)
    line.show_channel(SPOT, gap, 0)
    edited, pointed, chosen = [], [], []
    line.edited.connect(edited.append)
    line.pointed.connect(pointed.append)
    line.chosen.connect(chosen.append)
    QTest.mouseDClick(
        line, Qt.MouseButton.LeftButton, pos=QPointF(line.x_of(150), 50).toPoint()
    )
    assert [(r.start, r.end, r.attribute) for r in edited[-1].ranges][1] == (
        100,
        199,
        "NoFeature",
    )
    QTest.mouseMove(line, QPointF(line.x_of(60.5), 50).toPoint())
    QTest.mouseMove(line, QPointF(line.x_of(61.5), 50).toPoint())
    assert pointed[-1] == 61
    line.show_channel(SPOT, edited[-1], 0)
    line.setFocus()
    QTest.keyClick(line, Qt.Key.Key_Right)
    QTest.keyClick(line, Qt.Key.Key_Right)
    assert chosen[-1] == 2
    line.show_channel(SPOT, None, 0)
    line.grab()
    QTest.mouseClick(line, Qt.MouseButton.LeftButton, pos=QPoint(30, 50))


def test_a_border_stops_at_its_neighbours(shown):
    line = shown(RangeLine(), 540, 100)
    shutter = SPOT.channel("shutter")
    line.show_channel(SPOT, shutter, 0)
    edited = []
    line.edited.connect(edited.append)
    left = Qt.MouseButton.LeftButton
    for target, ends in ((250, (0, 62)), (-50, (0, 0))):
        line.show_channel(SPOT, shutter, 0)
        QTest.mousePress(line, left, pos=QPointF(line.x_of(32), 50).toPoint())
        QTest.mouseMove(line, QPointF(line.x_of(target), 50).toPoint())
        QTest.mouseRelease(line, left, pos=QPointF(line.x_of(target), 50).toPoint())
        first, second = edited[-1].ranges[:2]
        assert (first.start, first.end) == ends
        assert second.start == first.end + 1


def test_meanings_are_typed_in_plain_words(shown):
    field = shown(MeaningField(), 300, 36)
    picked = []
    field.picked.connect(picked.append)
    field.take("strobe")
    assert picked == ["Shutter1Strobe"]
    assert field.text() == said("Shutter1Strobe") == "Strobe · Shutter1Strobe"
    field.take("Gobo wheel, turning · Gobo1WheelSpin")
    field.take("Gobo3")
    field.take("OddOne")  # a name nobody knows is kept as it is
    field.take("   ")
    assert picked[1:] == ["Gobo1WheelSpin", "Gobo3", "OddOne"]
    assert field.name == "OddOne"
    field.look_for("iris")
    assert field.offered.stringList()[0] == "Iris · Iris"


def test_a_number_is_replaced_by_what_is_typed(shown):
    field = shown(NumberField("Address", 1, 512, 14), 80, 36)
    field.activateWindow()
    QTest.qWaitForWindowActive(field)
    field.clearFocus()
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    QTest.keyClicks(field, "19")
    assert field.value() == 19


# work beside the window


def test_work_gives_its_result_its_fault_or_nothing(qtbot, qapp):
    work = Work(qapp)
    told, done, failed, cancelled = [], [], [], []
    work.told.connect(told.append)
    work.run("Counting", lambda: 6 * 7, done.append, failed.append)
    qtbot.waitUntil(lambda: done == [42])
    assert not work.busy
    work.run("Failing", lambda: 1 // 0, done.append, failed.append)
    qtbot.waitUntil(lambda: len(failed) == 1)
    assert isinstance(failed[0], ZeroDivisionError)
    gate = threading.Event()
    work.run(
        "Waiting",
        lambda: gate.wait(20),
        done.append,
        failed.append,
        lambda: cancelled.append(1),
    )
    qtbot.waitUntil(lambda: "Waiting" in told)  # told after a moment
    work.stop()
    assert (told[-1], cancelled, work.busy) == ("", [1], False)
    gate.set()
    qtbot.wait(50)
    assert done == [42]
    work.run("First", lambda: 1, done.append, failed.append)
    work.run("Second", lambda: 2, done.append, failed.append)  # lets the first go
    qtbot.waitUntil(lambda: done == [42, 2])
    assert cancelled == [1]
    work.told.disconnect()


# signs, slips, lists


@pytest.mark.parametrize("body", [*bodies.SIGNS, "par", "no such body"])
def test_every_body_has_a_sign(qapp, body):
    image = QImage(64, 64, QImage.Format.Format_RGB32)
    image.fill(QColor("black"))
    painter = QPainter(image)
    painter.setPen(QColor("white"))
    painter.translate(32, 32)
    bodies.draw(painter, body)
    painter.end()
    assert "#ffffff" in colours(image)
    assert not bodies.icon(body).isNull()


def test_every_shipped_body_is_one_with_a_sign_and_a_stage_figure():
    from choreon.model.fixture_type import BODIES

    assert {k.body for k in library().values()} <= set(BODIES)
    assert set(BODIES) - {"par"} <= set(bodies.SIGNS)
    pack = library()["holmwick-4-way"]
    assert bodies.body_of(pack, "Four outputs") == "pack"
    assert bodies.body_of(None) == "unknown"


@pytest.mark.parametrize(
    ("address", "on"),
    [(1, "1"), (97, "1, 6, 7"), (512, ""), (511, "1, 2, 3, 4, 5, 6, 7, 8, 9")],
)
def test_switches_of_an_address(shown, address, on):
    slip = shown(Slip(), 220, 66)
    slip.show_address(address, "8 channel")
    assert slip.toolTip() == f"Address {address}: switches {on} on · mode 8 channel"


def test_searching_puts_names_before_kinds_and_recent_ones_first():
    def names(text: str, recent: list[str] | None = None) -> list[str]:
        return [k.id for k in searched(library(), text, recent or [])]

    assert names("par 7")[0] == "tarnby-par-7"
    assert names("spot head 13")[0] == "ostrey-spot-160"
    assert names("", ["pellow-dot", "tarnby-panel"])[:2] == [
        "pellow-dot",
        "tarnby-panel",
    ]
    assert names("dot", ["pellow-dot-w"])[0] == "pellow-dot-w"
    assert len(names("")) == len(library())
    assert names("hazer 2ch") == ["generic-hazer", "holmwick-mist"]
    assert names("xyzzy") == []


def test_a_dragged_type_carries_its_id(shown):
    types = shown(TypeList(), 240, 300)
    types.fill(list(library().values()), {"pellow-dot"}, "pellow-dot")
    assert "Used recently" in types.currentItem().toolTip()
    data = types.mimeData([types.currentItem()])
    assert dropped(data) == "pellow-dot"
    mine = edits.replace(library()["pellow-dot"], name="Dot of mine")
    types.fill([mine], set(), "")
    assert types.item(0).text() == "Pellow Dot of mine · own"


def test_the_channel_map_in_words():
    kind = library()["pellow-bar-8"]
    assert channel_map(kind, kind.mode("26 channel")) == (
        "1 Dimmer · 2 Shutter · 3 Red of cell 1 · 4 Green of cell 1 · 5 Blue of cell 1 · and so on for 8 cells"
    )


def test_interfaces_are_those_of_the_machine():
    assert (
        "127.0.0.1" in [address for address, _ in interfaces()]
    ) or interfaces() == []


def with_modes(kind, *modes):
    return edits.replace(kind, modes=modes)


def test_lamps_follow_a_mode_that_got_another_name():
    """Renaming the mode that lamps hang in must not send them to the first one."""
    show = low_tide()
    kind = show.types["tarnby-par-7"]
    used = {f.mode for f in show.fixtures.values() if f.type == kind.id}
    assert used == {"8 channel"}
    others = [m for m in kind.modes if m.name != "8 channel"]
    long = edits.replace(kind.mode("8 channel"), name="Long")
    for modes in ((*others, long), (long, *others)):  # moved about as well
        found = reach(show, with_modes(kind, *modes))
        assert {f.mode for f in found.show.fixtures.values() if f.type == kind.id} == {
            "Long"
        }
        assert found.lines == ()
    shorter = edits.replace(
        long, uses=long.uses[:-1]
    )  # renamed and changed: known by its place
    place = kind.modes.index(kind.mode("8 channel"))
    modes = (*kind.modes[:place], shorter, *kind.modes[place + 1 :])
    found = reach(show, with_modes(kind, *modes))
    assert {f.mode for f in found.show.fixtures.values() if f.type == kind.id} == {
        "Long"
    }
    gone = reach(show, with_modes(kind, *others))
    assert {f.mode for f in gone.show.fixtures.values() if f.type == kind.id} == {
        others[0].name
    }
    assert any("the mode 8 channel is gone" in line for line in gone.lines)
