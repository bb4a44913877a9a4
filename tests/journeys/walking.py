"""A walk through every place, tab, form and dialog of the window, and what is looked at
in each: whether words are whole, whether anything lies over another, how large what is
pressed is, whether the focus is seen and goes round, whether Esc closes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QAccessible, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QRadioButton,
    QScrollArea,
    QSizeGrip,
    QSplitterHandle,
    QStackedWidget,
    QToolButton,
    QWidget,
)
from shiboken6 import isValid

from choreon.formats import cue_list
from choreon.model import cues, edits, offers
from choreon.model.motion import Path, Wave
from choreon.model.offers import Sort
from choreon.model.playables.canvas import Drives, View
from choreon.model.refs import GROUP, Ref
from choreon.model.show import Show
from choreon.ui.compose.canvas.figure_dialog import FigureDialog
from choreon.ui.compose.canvas.view import Tool
from choreon.ui.help.window import HelpWindow
from choreon.ui.perform.group_dialog import GroupDialog
from choreon.ui.perform.rig_page_dialog import RigPageDialog
from choreon.ui.rig.wall_dialog import WallDialog
from choreon.ui.tiles.base import TileWidget
from choreon.ui.widgets import tips
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.elided import Elided
from choreon.ui.widgets.faders import FaderSlider
from choreon.ui.widgets.spoken import Speaks
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField
from tests.journeys.conftest import Hands

TARGET = 32  # pixels that is pressed by mouse
TOUCH = 48  # pixels of what is played
MOST_WITHIN = 80  # tiles of a page, or links of a text, that Tab stops at
NOTICE = "Something went wrong, and this is what to do about it."
LONG = "Nineteen lanterns at the far boathouse door"


@dataclass
class State:
    """Something that is there to be looked at."""

    name: str
    root: QWidget
    is_open: Callable[[], bool] | None = None
    """Of what Esc closes: whether it is open."""


# states


def states(hands: Hands) -> Iterator[State]:
    """Open everything that there is, one after the other."""
    yield from _rig(hands)
    yield from _types(hands)
    yield from _compose(hands)
    yield from _score(hands)
    yield from _perform(hands)
    yield from _others(hands)


def press_escape(state: State) -> None:
    """Press Esc where the focus is, or in what is open."""
    focus = QApplication.focusWidget()
    inside = focus is not None and focus.window() is state.root.window()
    QTest.keyClick(focus if inside and focus else state.root, Qt.Key.Key_Escape)


def settle() -> None:
    """Let what is laid out later be laid out."""
    QTest.qWait(10)
    for _ in range(12):  # what is inside tells what it lies in, one after the other
        QApplication.sendPostedEvents()
        QApplication.processEvents()
    QTest.qWait(10)


def _rig(hands: Hands) -> Iterator[State]:
    rig = hands.place("rig")
    parts = hands.parts
    for view, name in enumerate(("above", "front", "list", "outputs")):
        rig.go(view)
        settle()
        yield State(f"rig, {name}", hands.window)

    rig.go(0)
    rig.hang.choose_type("tarnby-par-7")
    parts.selection.choose(["spot-2"])
    settle()
    yield State("rig, hanging", hands.window)
    dialog = WallDialog(hands.window, parts.document.show.room, rig.hang.spots_of)
    dialog.show()
    settle()
    yield State("rig, hanging a panel", dialog, dialog.isVisible)
    discard(dialog)
    for page in range(len(rig.in_hand.tabs.buttons())):
        rig.in_hand.go(page)
        settle()
        yield State(f"rig, in hand {page}", hands.window)

    rig.in_hand.go(0)
    rig.in_hand.show_why(2, 82)
    settle()
    yield State("rig, why", hands.window)
    rig.hang.types.setCurrentRow(-1)
    parts.selection.choose(["spot-1", "spot-2", "spot-3"])
    rig.arrange.begin("line")
    settle()
    yield State("rig, arranging", hands.window, rig.arrange.isVisible)
    rig.arrange.leave()
    rig.walk.start()
    settle()
    yield State("rig, walk", hands.window, lambda: rig.walk.walking)
    rig.walk.end()
    yield from _young(hands)
    rig.show_room(True)
    settle()
    yield State("rig, room", hands.window, lambda: rig.right.currentIndex() == 1)
    rig.show_room(False)
    rig.ribbon.whole.setChecked(True)
    settle()
    yield State("rig, map", hands.window, rig.ribbon.whole.isChecked)
    rig.ribbon.whole.setChecked(False)


def _types(hands: Hands) -> Iterator[State]:
    rig = hands.place("rig")
    kind = hands.parts.document.show.types["ostrey-spot-160"]
    rig.edit_type(kind)
    settle()
    yield State("types", hands.window)
    rig.editor.modes.chosen.emit("gobo")
    settle()
    yield State("types, a channel", hands.window, lambda: rig.edits_type)
    rig.editor.leave()


def _compose(hands: Hands) -> Iterator[State]:
    compose = hands.place("compose")
    parts, show = hands.parts, hands.parts.document.show
    settle()
    yield State("compose", hands.window)

    spots = list(show.groups["spots"].fixtures)
    parts.selection.choose([*spots, "bar-1", "wash-1"])
    parts.draft.touch({i: {"Dimmer": 0.9, "Pan": 10.0} for i in spots})
    for name in compose.what.tabs:
        compose.what.open_tab(name)
        settle()
        yield State(f"compose, {name}", hands.window)

    compose.what.open_tab("Motion")
    panel = compose.what.motion_panel
    for motion in (Path(in_room=True, size=1.7, centre="mark:centre"), Wave()):
        panel.add(motion)
        panel.pick(parts.draft.effects[-1].id)
        settle()
        yield State(f"compose, {motion.kind}", hands.window)

    for kind in compose.shelf.tabs:
        compose.shelf.show_kind(kind)
        settle()
        yield State(f"shelf, {kind}", hands.window)

    compose.shelf.show_kind("scenes")
    for playable in ("cello", "tide-turns"):
        compose.shelf.choose(playable)
        settle()
        yield State(f"shelf, the card {playable}", hands.window)

    ledger = hands.window.ledger
    hands.click(ledger.open)
    settle()
    yield State("ledger, line by line", hands.window)
    hands.click(ledger.open)
    ledger.ask_update(scene_of(show))
    settle()
    yield State("update", hands.window, ledger.question.isVisible)
    ledger.cancel()
    ledger.ask_name()
    settle()
    yield State("keep", hands.window, ledger.form.isVisible)
    ledger.cancel()
    parts.draft.clear()

    compose.open_chase(Ref("chase", "tide-turns"))
    steps = compose.steps.strip.steps
    compose.steps.strip.choose([steps[1].id])
    settle()
    yield State("chase", hands.window, compose.steps.isVisible)
    compose.steps.close_it()
    yield from _canvas(hands)


def _canvas(hands: Hands) -> Iterator[State]:
    compose = hands.place("compose")
    board = compose.board
    for canvas in ("tide-wall", "words-wall", "moon-wall", "lantern-wall"):
        compose.open_canvas(Ref("canvas", canvas))
        settle()
        yield State(f"canvas, {canvas}", hands.window, board.isVisible)

    board.set_tool(Tool.BRUSH)
    settle()
    yield State("canvas, painting", hands.window, board.isVisible)
    for view in (View.LINE, View.GRID):
        compose.open_canvas(Ref("canvas", "round-room"))
        compose.canvas_panel.show_tab("cells")
        board.hand.change_layout(view=view)
        settle()
        yield State(f"canvas, cells {view}", hands.window, board.isVisible)

    board.hand.change(drives=Drives.ATTRIBUTE, attribute="Shutter1")
    compose.canvas_panel.show_tab("light")
    settle()
    yield State("canvas, light", hands.window, board.isVisible)
    dialog = FigureDialog(board.hand, hands.window, "rings")
    dialog.show()
    settle()
    yield State("figures", dialog, dialog.isVisible)
    discard(dialog)
    compose.canvas_panel.show_tab("painted")
    board.close_it()


def _score(hands: Hands) -> Iterator[State]:
    score = hands.place("score")
    hand = score.hand
    hand.open(next(iter(cues.stacks_of(hands.parts.document.show))).id)
    settle()
    yield State("score", hands.window)
    for pane in score.panes.values():
        if not pane.isChecked():
            pane.click()
    rich = next(cue for cue in hand.cues if cue.lamps or cue.does)
    hand.choose([rich.id])
    settle()
    yield State("score, a cue", hands.window)
    if score.panes["text"].isChecked():
        score.panes["cue"].click()
    else:  # where there is little room it takes the place of the cue
        score.panes["text"].click()
    score.text.begin()
    settle()
    yield State("score, correcting the text", hands.window)
    score.text.cancel()
    hand.go()
    hands.until(lambda: hand.now is not None)
    settle()
    yield State("score, playing", hands.window)
    hand.let_go()
    yield from _lines(hands)


def _lines(hands: Hands) -> Iterator[State]:
    score = hands.place("score")
    score.open(hands.parts.document.show.playables["waves"])
    settle()
    yield State("score, a timeline", hands.window)
    line = score.lines.hand.line
    clip = line.tracks[0].clips[0]
    score.lines.hand.choose([clip.id])
    settle()
    yield State("score, a clip", hands.window)
    score.lines.hand.choose([line.tracks[2].events[0].id])
    settle()
    yield State("score, an event", hands.window)
    score.open(hands.parts.document.show.playables["lanterns-home-song"])
    score.lines.hand.choose(["song"])
    settle()
    yield State("score, a song", hands.window)
    score.turn_back()
    settle()
    yield State("score, an evening", hands.window)
    score.open(next(iter(cues.stacks_of(hands.parts.document.show))))
    settle()


def _young(hands: Hands) -> Iterator[State]:
    """The rig while there are no groups, and while nothing hangs."""
    document = hands.parts.document
    show = document.show
    for name, gone in (("no groups", "groups"), ("nothing hangs", "fixtures")):
        bare = edits.drop(document.show, gone, list(getattr(document.show, gone)))
        document.edit(name, bare)
        settle()
        yield State(f"rig, {name}", hands.window)
    document.edit("as before", show)
    settle()


def scene_of(show: Show) -> Ref:
    """A scene of the sample show."""
    return next(p.ref for p in show.playables.values() if p.kind == "scene")


def _perform(hands: Hands) -> Iterator[State]:
    perform = hands.place("perform")
    parts = hands.parts
    for page in list(parts.document.show.pages):
        perform.go(page)
        parts.engine.press(next(iter(perform.tiles)))
        hands.heeded()
        settle()
        yield State(f"page {page}", hands.window)
    parts.engine.release()
    dialog = RigPageDialog(parts.document.show, perform.page_id, hands.window)
    dialog.show()
    settle()
    yield State("a page from the rig", dialog, dialog.isVisible)
    discard(dialog)

    groups = offers.groups_on(parts.document.show, perform.view.page.tiles)
    groups = groups or [Ref(GROUP, group) for group in parts.document.show.groups]
    asks = GroupDialog(parts.document.show, groups, "Copy", hands.window)
    asks.show()
    settle()
    yield State("a copy for other groups", asks, asks.isVisible)
    discard(asks)

    perform.arrange(True)
    settle()
    yield State("arranging", hands.window, lambda: perform.arranger.on)
    perform.arrange(True)
    yield from _shelf(hands)
    kinds: set[str] = set()
    for page in list(parts.document.show.pages):
        perform.go(page)
        for tile_id, tile in list(perform.tiles.items()):
            if tile.tile.kind not in kinds:
                kinds.add(tile.tile.kind)
                perform.arranger.choose([tile_id])
                settle()
                yield State(f"inspector, {tile.tile.kind}", hands.window)
    perform.arrange(False)


def _shelf(hands: Hands) -> Iterator[State]:
    """The shelf beside a page: palettes of a group, and a tile that may take them."""
    perform = hands.window.perform
    perform.show_shelf(True)
    shelf = perform.shelf
    shelf.show_sort(Sort.PALETTES)
    settle()
    palettes = [offer.ref for offer in shelf.list.offers.offers]
    shelf.list.choose(*palettes[:3])
    perform.arranger.choose(list(perform.tiles)[:1])
    settle()
    yield State("shelf, palettes", hands.window)

    perform.show_shelf(False)
    perform.arranger.choose(list(perform.tiles)[:3])
    settle()
    yield State("inspector, several tiles", hands.window)
    perform.arranger.choose(())


def _others(hands: Hands) -> Iterator[State]:
    window = hands.window
    surfaces = hands.place("surfaces")
    hands.until(lambda: surfaces.is_listed)
    hands.until(lambda: not hidden(surfaces), 2.0, "Surfaces is not laid out")
    yield State("surfaces", window)

    surfaces.drawing.choose(next(iter(surfaces.drawing.drawn())))
    yield State("surfaces, a control in hand", window)
    surfaces.draw.setChecked(True)
    hands.until(lambda: not squeezed(surfaces), 2.0, "the drawing is not laid out")
    yield State("surfaces, drawing", window, surfaces.draw.isChecked)
    surfaces.draw.setChecked(False)

    window.find_box.begin()
    settle()
    yield State("find", window, window.find_box.isVisible)
    window.find_box.end()
    window.tell("start")
    found = [w for w in QApplication.topLevelWidgets() if isinstance(w, HelpWindow)]
    settle()
    yield State("help", found[-1], found[-1].isVisible)
    found[-1].close()
    window.evening.begin()
    settle()
    yield State("first evening", window, window.evening.isVisible)
    window.evening.end()
    window.notice.tell(NOTICE, "alarm")
    settle()
    yield State("notice", window, window.notice.isVisible)
    window.notice.dismiss.click()

    for name, make in _dialogs(hands):
        dialog = make()
        dialog.show()
        QTest.qWaitForWindowExposed(dialog)
        settle()
        yield State(name, dialog, dialog.isVisible)
        dialog.reject()
        dialog.deleteLater()


def _dialogs(hands: Hands) -> Iterator[tuple[str, Callable[[], QDialog]]]:
    """Every dialog, by its name."""
    from choreon.ui.about import About
    from choreon.ui.compose.only_dialog import OnlyDialog
    from choreon.ui.compose.pattern_dialog import PatternDialog
    from choreon.ui.compose.times import TimesDialog
    from choreon.ui.perform.guest_dialog import GuestDialog
    from choreon.ui.preferences import Preferences
    from choreon.ui.rig.swap import SwapDialog
    from choreon.ui.score.files import ColumnsDialog
    from choreon.ui.score.sound_dialog import SoundDialog
    from choreon.ui.shows.new_dialog import NewShowDialog
    from choreon.ui.shows.open_dialog import OpenShowDialog
    from choreon.ui.shows.versions_dialog import VersionsDialog
    from choreon.ui.surfaces.ways_dialog import WaysDialog
    from choreon.ui.window import CloseDialog

    window, parts = hands.window, hands.parts
    show, path = parts.document.show, parts.document.path
    scene = show.playables[scene_of(show).id]
    yield "close dialog", lambda: CloseDialog(window)
    yield "preferences", lambda: Preferences(window.settings, window)
    yield "guest dialog", lambda: GuestDialog(parts, window)
    yield "about", lambda: About(window)
    yield "times", lambda: TimesDialog(window, scene)
    yield "only", lambda: OnlyDialog(parts, scene, window)
    parts.selection.choose(list(show.groups["pars"].fixtures))
    hand = window.compose.what.hand
    yield "patterns", lambda: PatternDialog(parts, hand, window)
    stack = cues.stacks_of(show)[0]
    table = cue_list.read_table(b"cue,title,up,colour\n1,Doors,2,red\nx,No,2,blue\n")
    yield (
        "columns",
        lambda: ColumnsDialog(window.score.hand, stack, "cues.csv", table, window),
    )
    yield "swap", lambda: SwapDialog(parts, window)
    yield "new show", lambda: NewShowDialog(window)
    yield "open show", lambda: OpenShowDialog(window, window.settings, path)
    yield "sound", lambda: SoundDialog(parts, window)
    yield "ways in", lambda: WaysDialog(parts, window)
    yield "versions", lambda: VersionsDialog(parts, window)


def with_long_names(show: Show) -> Show:
    """The same show, everything in it with a long name."""

    def longer(thing, n: int):
        return edits.replace(thing, name=f"{LONG} {n}")

    for field in ("fixtures", "groups", "playables", "palettes", "pages", "masters"):
        things = getattr(show, field).values()
        renamed = [longer(thing, n) for n, thing in enumerate(things)]
        show = edits.put(show, field, *renamed)
    return edits.replace(show, name=LONG)


# what is looked at


def problems(root: QWidget, room: tuple[int, int]) -> list[str]:
    """What is wrong with the words, the room and the sizes in a part of the window."""
    return [
        *cut_words(root),
        *overlapping(root),
        *hidden(root),
        *squeezed(root),
        *small_targets(root),
        *too_large(root, room),
    ]


def seen(widget: QWidget) -> bool:
    """Whether any of a widget can be seen."""
    return widget.isVisible() and not widget.visibleRegion().isEmpty()


def label_of(widget: QWidget) -> str:
    """What a widget is called in a report."""
    said = ""
    if isinstance(widget, QAbstractButton | QLabel):
        said = widget.text()
    said = said or widget.accessibleName() or widget.toolTip()
    return f"{type(widget).__name__} “{said[:50]}”"


def cut_words(root: QWidget) -> list[str]:
    """Where words have less room than they need, and do not end in dots with a tooltip
    that says them whole.
    """
    found = []
    for widget in root.findChildren(QWidget):
        if not isinstance(widget, QLabel | QAbstractButton | QComboBox | QLineEdit):
            continue
        if not seen(widget) or isinstance(widget.parentWidget(), QComboBox):
            continue
        if isinstance(widget, QToolButton) and not shows_text(widget):
            continue

        words, room = tips.words_of(widget)
        wide = widget.fontMetrics().horizontalAdvance
        need = max((wide(line) for line in words.split("\n")), default=0)
        if need <= room + 1:
            continue

        # of these each cuts its words by itself where it has to; what is typed is
        # scrolled through
        ends = isinstance(widget, Elided | QComboBox | QLineEdit | Tick)
        tip = tips.tip_at(widget, QPoint(1, 1))
        if not ends or words not in tip:
            found.append(f"{label_of(widget)}: {need} > {room}")
    return found


def cut_ticks(root: QWidget) -> list[str]:
    """Ticks whose words end in dots, as they may where there is little room."""
    found = []
    for tick in root.findChildren(Tick):
        words, room = tips.words_of(tick)
        if seen(tick) and tick.fontMetrics().horizontalAdvance(words) > room:
            found.append(f"Tick “{words}” ends in dots")
    return found


def shows_text(tool: QToolButton) -> bool:
    only = Qt.ToolButtonStyle.ToolButtonIconOnly
    return bool(tool.text()) and (
        tool.toolButtonStyle() != only or tool.icon().isNull()
    )


def overlapping(root: QWidget) -> list[str]:
    """What lies over another in the same part of the window."""
    found = []
    for parent in [root, *root.findChildren(QWidget)]:
        if parent.layout() is None or not seen(parent):
            continue
        layout = parent.layout()
        laid = [layout.itemAt(i).widget() for i in range(layout.count())]
        laid = [w for w in laid if w is not None and seen(w)]
        for n, one in enumerate(laid):
            for other in laid[n + 1 :]:
                both = one.geometry().intersected(other.geometry())
                if both.width() > 1 and both.height() > 1:
                    found.append(f"{label_of(one)} over {label_of(other)}")
    return found


def squeezed(root: QWidget) -> list[str]:
    """What has less room than what is laid out in it needs, so that fields lie over
    each other.
    """
    found = []
    for widget in [root, *root.findChildren(QWidget)]:
        layout = widget.layout()
        if layout is None or not seen(widget) or isinstance(widget, QMainWindow):
            continue
        need, has = layout.minimumSize(), widget.size()
        if isinstance(widget, QStackedWidget):  # what is not shown needs no room
            need = widget.currentWidget().minimumSizeHint()
        if need.width() > has.width() + 1 or need.height() > has.height() + 1:
            found.append(
                f"{type(widget).__name__} {widget.accessibleName()} in "
                f"{type(widget.parentWidget()).__name__} needs {need.width()} × "
                f"{need.height()}, has {has.width()} × {has.height()}"
            )
    return found


def too_large(root: QWidget, room: tuple[int, int]) -> list[str]:
    """A dialog that is larger than the screen."""
    if not isinstance(root, QDialog):
        return []
    least = root.minimumSizeHint()
    if least.width() > room[0] or least.height() > room[1]:
        return [f"{root.windowTitle()}: {least.width()} × {least.height()}"]
    return []


def hidden(root: QWidget) -> list[str]:
    """What reaches beyond what it lies in, where nothing scrolls to it."""
    found = []
    for widget in root.findChildren(QWidget):
        if not isinstance(
            widget,
            QAbstractButton | QComboBox | QLineEdit | ValueField | FaderSlider | QLabel,
        ):
            continue
        if not widget.isVisible() or widget.width() == 0:
            continue
        beyond = _beyond(widget)
        if beyond:
            found.append(f"{label_of(widget)}: {beyond}")
    return found


def _beyond(widget: QWidget) -> str:
    """By how much a widget is cut by what it lies in; empty where it is not, or where
    a bar that is there scrolls to it.
    """
    parent, rect = widget.parentWidget(), QRect(widget.rect())
    inside: QWidget = widget
    while parent is not None and not inside.isWindow():
        corner = inside.mapTo(parent, QPoint(0, 0))
        mapped = QRect(corner, rect.size()) if inside is widget else rect
        if inside is not widget:
            mapped = rect.translated(corner)
        area = parent.parentWidget()
        if isinstance(area, QAbstractScrollArea) and area.viewport() is parent:
            across = area.horizontalScrollBar().maximum() > 0
            along = area.verticalScrollBar().maximum() > 0
            shown = _scrolls(area, across, along)
            left_out = mapped.left() < 0 or mapped.right() > parent.width()
            if left_out and not (across and shown):
                return f"{mapped.right() - parent.width()} px beside"
            return ""
        over = mapped.right() - parent.width()
        under = mapped.bottom() - parent.height()
        if over > 0 or under > 0 or mapped.left() < -1 or mapped.top() < -1:
            return f"{max(over, under)} px beyond {type(parent).__name__}"
        rect, inside, parent = mapped, parent, parent.parentWidget()
    return ""


def _scrolls(area: QAbstractScrollArea, across: bool, along: bool) -> bool:
    off = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
    if across:
        return area.horizontalScrollBarPolicy() != off or _has_arrows(area)
    return along and area.verticalScrollBarPolicy() != off


def _has_arrows(area: QAbstractScrollArea) -> bool:
    from choreon.ui.perform.page_tabs import PageTabs

    return isinstance(area.parentWidget(), PageTabs)


def small_targets(root: QWidget) -> list[str]:
    """What is pressed and smaller than a finger or a pointer needs."""
    found = []
    for widget in root.findChildren(QWidget):
        pressed = isinstance(
            widget,
            QAbstractButton
            | QComboBox
            | QLineEdit
            | QAbstractSpinBox
            | ValueField
            | FaderSlider
            | TileWidget,
        )
        if not pressed or not seen(widget) or _inside_another(widget):
            continue
        least = TOUCH if is_played(widget) else TARGET
        tile = widget if isinstance(widget, TileWidget) else widget.parentWidget()
        if isinstance(tile, TileWidget) and tile.arranged:
            continue  # nothing is played from it
        wide, high = widget.width(), widget.height()
        if isinstance(widget, QCheckBox | QRadioButton):
            wide = max(wide, least)
        if min(wide, high) < least:
            found.append(f"{label_of(widget)}: {wide} × {high}")
    return found


def is_played(widget: QWidget) -> bool:
    """Whether it is pressed while light is played."""
    window = widget.window()
    heading = getattr(window, "heading", None)
    if heading is not None:
        tempo = heading.tempo
        if widget in (heading.blackout, heading.grand, tempo.tap):
            return True
    on_tile = isinstance(widget.parentWidget(), TileWidget)
    return isinstance(widget, TileWidget) or (
        on_tile and isinstance(widget, FaderSlider)
    )


def _inside_another(widget: QWidget) -> bool:
    parent = widget.parentWidget()
    return isinstance(parent, QComboBox | QAbstractSpinBox | QLineEdit) or isinstance(
        widget, QSizeGrip | QSplitterHandle | QAbstractSlider
    )


def stops(root: QWidget) -> list[QWidget]:
    """All that Tab stops at."""
    policy = Qt.FocusPolicy.TabFocus
    return [
        widget
        for widget in root.findChildren(QWidget)
        if widget.isVisible()
        and widget.isEnabled()
        and (widget.focusPolicy() & policy) == policy
        and widget.focusProxy() is None
        and not isinstance(widget, QScrollArea | QMainWindow)
    ]


def without_focus_seen(root: QWidget, known: set[QWidget]) -> list[str]:
    """Stops that look with the focus as they do without; those that are `known` were
    looked at before.
    """
    found = []
    for widget in stops(root):
        if not isValid(widget) or not seen(widget) or widget in known:
            continue
        known.add(widget)
        widget.clearFocus()
        before = picture(widget)
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        if QApplication.focusWidget() is widget and picture(widget) == before:
            found.append(label_of(widget))
    return found


def picture(widget: QWidget) -> QImage:
    """What a widget looks like, with a little around it."""
    return widget.grab().toImage()


def traps(root: QWidget, known: set[QWidget]) -> list[str]:
    """Stops from which Tab does not go on; those that are `known` were tried before."""
    wanted = [w for w in stops(root) if seen(w)]
    found = []
    for widget in wanted:
        if not isValid(widget) or widget in known:
            continue
        known.add(widget)
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        if QApplication.focusWidget() is not widget:
            continue
        for _ in range(MOST_WITHIN):
            QTest.keyClick(widget, Qt.Key.Key_Tab)
            if QApplication.focusWidget() is not widget:
                break
        else:
            if len(wanted) > 1:
                found.append(label_of(widget))
    return found


NO_ROLES = (QAccessible.Role.NoRole, QAccessible.Role.Client)
VALUES = (ValueField, FaderSlider, TileWidget, QLineEdit)


def unspoken(root: QWidget) -> list[str]:
    """Stops of which a screen reader would say nothing, or not what they are."""
    found = []
    for widget in stops(root):
        known = QAccessible.queryAccessibleInterface(widget)
        name = known.text(QAccessible.Text.Name)
        if known.role() in NO_ROLES:
            found.append(f"{label_of(widget)} is nothing")
        if not name and not known.text(QAccessible.Text.Description):
            found.append(f"{label_of(widget)} has no name")
        value = known.text(QAccessible.Text.Value)
        if isinstance(widget, Speaks) and isinstance(widget, VALUES) and not value:
            found.append(f"{label_of(widget)} says no value")
    return found
