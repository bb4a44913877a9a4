"""A chase that is open: its steps, its times, and what is done with them. It takes the
place of the shelf.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QColor, QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QColorDialog, QComboBox, QInputDialog, QMenu, QWidget

from choreon.engine.do import Do
from choreon.language import facts, plural, tr
from choreon.model import attributes as at
from choreon.model import chases, edits, links
from choreon.model.chases import ContainsItself, find_step, own_step, to_step
from choreon.model.colours import of_hex
from choreon.model.playables import Chase
from choreon.model.playables.chase import ChaseStep, End, Run, Unit, steps_of
from choreon.model.refs import Ref, name_of
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render import choice
from choreon.render.rig import Rig
from choreon.render.sources.chase import own_time, rounds_of, step_name
from choreon.render.state import Going, Player
from choreon.terms import a_round, term
from choreon.ui import kinds, words
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.cards import CardStrip
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.step_strip import StepStrip
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

RUNS = tuple(Run)
ENDS = (
    (End.STAY, "stay"),
    (End.RELEASE, tr("let go")),
    (End.START, "start…"),
)
PERIOD = 60  # milliseconds between looks at where it is
FASTER = 2 ** (1 / 4)


class Steps(QWidget):
    """One chase, open. `closed` tells that the shelf is wanted again."""

    closed = Signal()
    patterned = Signal(Ref)
    """The lamps, the rule or what is driven of a pattern are to be changed."""

    def __init__(self, parts: Parts, hand: Hand) -> None:
        super().__init__()
        self.parts, self.hand = parts, hand
        self.ref: Ref | None = None
        self.copied: tuple[ChaseStep, ...] = ()
        self.editing: Ref | None = None

        self.minis = MiniStages(parts, self)
        self.strip = StepStrip(parts, self.minis)
        self._shown: tuple[object, ...] = ()
        self.title = basics.name_label("", "heading")
        self.about = basics.name_label("", "small")

        self._make_head()
        self._make_times()
        self._make_deeds()
        self.cards = CardStrip(parts, self.minis)
        self.cards.pressed_twice.connect(self._add_card)

        self.cards.hide()
        self.empty = basics.label(
            tr("No steps yet. Add what is on stage, the draft, or drop scenes here."),
            "soft",
        )

        self.question = self._make_question()
        panel = basics.panel(
            self.head,
            self.question,
            self.empty,
            self.strip,
            self.deeds,
            self.times,
            self.cards,
            margins=10,
            spacing=5,
        )

        basics.grow(panel, 3, 0)
        basics.stack(self, panel)
        self._wire()
        self._tick = QTimer(self, interval=PERIOD)
        self._tick.timeout.connect(self._follow)

    # what it is made of

    def _make_head(self) -> None:
        self.play = basics.tool(
            "play", tr("Play it on stage, or let it go"), self.play_it, checkable=True
        )

        self.hold = basics.tool(
            "pause",
            tr(
                "Have it stand at its step, or go on; of what is not on, the chosen "
                "step is shown on stage"
            ),
            self.hold_it,
            checkable=True,
        )

        self.back = basics.tool("before", tr("Over to the step before"), self._back)
        self.next = basics.tool("after", tr("Over to the next step"), self._next)
        self.slower = basics.tool(
            "minus", tr("Slower"), partial(self._rate, 1 / FASTER)
        )

        self.faster = basics.tool("plus", tr("Faster"), partial(self._rate, FASTER))
        self.rate = basics.label("", "small")

        self.look = basics.tool(
            "eye",
            tr("Look at the chosen step on the stage picture, without lighting it"),
            self._look,
            checkable=True,
        )

        self.close_ = basics.button(
            tr("Done"),
            self.close_it,
            "quiet",
            "close",
            tr("Back to the shelf; all is kept"),
        )

        self.scenes = basics.tool(
            "grid",
            tr("The scenes, to be dropped between the steps"),
            self._show_cards,
            checkable=True,
        )

        self.head = flow(
            self.title,
            self.about,
            1,
            self.scenes,
            self.look,
            self.back,
            self.play,
            self.hold,
            self.next,
            self.slower,
            self.rate,
            self.faster,
            self.close_,
            spacing=2,
        )

    def _make_times(self) -> None:
        self.fade = ValueField(tr("Fade"), 0, 60, "s", 2, 1.0, bar=False)
        self.stand = ValueField(tr("Hold"), 0, 60, "s", 2, 1.0, bar=False)
        self.share = ValueField(tr("Crossfade"), 0, 100, "%", 0, 50.0)
        self.unit = QComboBox()
        self.unit.addItem(tr("seconds"), Unit.SECONDS)

        self.unit.addItem(tr("beats"), Unit.BEATS)
        self.unit.setAccessibleName(tr("Unit of the times"))
        self.run = QComboBox()
        self.run.setAccessibleName(tr("In which order"))

        for run in RUNS:
            self.run.addItem(term(run), run)

        self.rounds = ValueField(tr("Rounds"), 0, 99, "", 0, 0.0, bar=False)
        self.rounds.none = tr("for ever")
        self.end = QComboBox()
        self.end.setAccessibleName(tr("What happens at the end"))
        self.end.setToolTip(tr("What happens at the end"))

        for end, text in ENDS:
            self.end.addItem(text, end)

        self.bars = basics.button(
            tr("Fit bars…"),
            self._ask_bars,
            "",
            "",
            tr("Have a round last so many bars, exactly"),
        )

        self.rounds.short, self.share.short = "×", tr("Cross")

        for widget, wide in (
            (self.fade, 86),
            (self.stand, 86),
            (self.unit, 95),
            (self.share, 96),
            (self.run, 137),
            (self.rounds, 62),
            (self.end, 82),
        ):
            widget.setFixedWidth(wide)

        self.times = flow(
            self.fade,
            self.stand,
            self.unit,
            self.share,
            self.run,
            self.rounds,
            self.end,
            1,
            spacing=3,
        )

    def _make_deeds(self) -> None:
        self.add = basics.button(
            tr("Add…"), self._add_menu, "", "plus", tr("Add steps")
        )

        self.edit = basics.button(
            tr("Edit"),
            self.edit_it,
            "",
            "edit",
            tr("Take the chosen step into the draft"),
        )

        self.twice = basics.tool("copy", tr("The chosen once more"), self._twice)
        self.mirror = basics.tool("mirror", tr("Swap left and right"), self._mirror)
        self.colour = basics.button(
            tr("Recolour…"),
            self._recolour_menu,
            "",
            "",
            tr("One colour for another throughout"),
        )

        self.give = basics.button(
            tr("From the draft"),
            self._give,
            "",
            "",
            tr("Give the chosen steps what the draft has"),
        )

        self.first = basics.button(
            tr("Begin here"), self._begin_here, "", "", tr("Begin with the chosen step")
        )

        self.take = basics.button(
            tr("Copy"), self._copy, "", "", tr("Copy the chosen steps")
        )

        self.paste = basics.button(
            tr("Paste"), self._paste, "", "", tr("Put copied steps here")
        )

        self.delete = basics.tool(
            "trash", tr("Delete the chosen steps"), self.delete_chosen
        )

        self.tap = basics.button(
            tr("Tap times"),
            self.tap_step,
            "",
            "",
            tr("Press at each step, along the music: each has its time then (Space)"),
        )
        self.tapped = basics.button(
            tr("Tapped"), self.end_taps, "main", "check", tr("Keep the times as tapped")
        )
        self.tapped.hide()
        self.taps: list[float] = []

        self.pattern = basics.button(
            tr("Pattern…"),
            self._pattern,
            "",
            "pattern",
            tr("Change its fixtures, its rule, what it drives"),
        )

        self.deeds = flow(
            self.add,
            self.edit,
            self.give,
            self.colour,
            self.first,
            self.take,
            self.paste,
            self.twice,
            self.mirror,
            self.delete,
            self.bars,
            self.tap,
            self.tapped,
            self.pattern,
            1,
            spacing=3,
        )

        for button in (
            self.add,
            self.edit,
            self.give,
            self.colour,
            self.first,
            self.take,
            self.paste,
            self.pattern,
            self.bars,
            self.tap,
            self.tapped,
        ):
            button.setStyleSheet("padding: 5px 7px; min-width: 20px; font-size: 13px;")

    def _make_question(self) -> QWidget:
        self.whose = basics.name_label("", "heading")
        self.put_back = basics.button(
            tr("Put back"),
            self.put_it_back,
            "main",
            "check",
            tr("The draft becomes the step"),
        )
        self.leave = basics.button(
            tr("Cancel"), self.leave_it, "quiet", "", tr("The step stays as it was")
        )
        row = flow(self.whose, 1, self.leave, self.put_back)
        row.hide()
        return row

    def _wire(self) -> None:
        self.strip.chosen_changed.connect(self._chosen)
        self.strip.moved.connect(self._move)
        self.strip.dropped.connect(self.add_played)
        self.strip.pressed_twice.connect(lambda _: self.edit_it())
        self.strip.deleted.connect(self.delete_chosen)

        self.fade.changed.connect(lambda v: self._retime(fade=v))
        self.stand.changed.connect(lambda v: self._retime(hold=v))
        self.share.changed.connect(self._crossfade)
        self.unit.activated.connect(lambda _: self._set_unit())
        self.run.activated.connect(lambda _: self._change(run=self.run.currentData()))

        self.rounds.changed.connect(lambda v: self._change(rounds=round(v)))
        self.end.activated.connect(lambda _: self._set_end())
        self.parts.document.show_changed.connect(lambda _: self._fill())
        self.parts.engine.state_changed.connect(lambda _: self._follow())

    # showing

    @property
    def chase(self) -> Chase | None:
        """The chase that is open; None where there is none, or it is gone."""
        if self.ref is None:
            return None
        found = self.parts.document.show.playables.get(self.ref.id)
        return found if isinstance(found, Chase) else None

    def open(self, ref: Ref) -> None:
        """Open a chase."""
        self.ref = ref
        self.drop_taps()
        self.strip.chosen = []
        self._fill()
        self._chosen()

    def close_it(self) -> None:
        """Back to the shelf."""
        self.leave_it()
        self.parts.preview.look_at(None)
        self.ref = None
        self.closed.emit()

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()
        self._fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow, its bars go on in more lines, for which there is room."""
        super().resizeEvent(event)
        layout = self.layout()
        if layout is not None:
            self.setMinimumHeight(layout.minimumHeightForWidth(self.width()))

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()
        self.parts.preview.look_at(None)

    def _fill(self) -> None:
        chase = self.chase
        if chase is None:
            if self.ref is not None:  # it was deleted meanwhile
                self.close_it()

            return

        show = self.parts.document.show
        shown = (chase, show.playables, show.fixtures, show.types)
        if very_same(shown, self._shown):
            return

        self._shown = shown
        steps = steps_of(show, chase)
        self.strip.show_steps(chase, steps)
        self.title.setText(chase.name)
        length = chases.round_length(show, chase)

        self.about.setText(
            facts(
                plural(len(steps), "{n} step", "{n} steps"),
                a_round(length, chase.unit),
            )
        )
        self.empty.setVisible(not steps)
        self.strip.setVisible(bool(steps))
        self.pattern.setVisible(chase.pattern is not None)

        self._show_times(chase)

    def _show_times(self, chase: Chase) -> None:
        chosen = [s for s in self.strip.steps if s.id in self.strip.chosen]
        fades = [chase.fade_of(s) for s in chosen] or [chase.fade]
        holds = [chase.hold_of(s) for s in chosen] or [chase.hold]
        for field, found in ((self.fade, fades), (self.stand, holds)):
            field.unit = ""  # it stands beside them
            alike = max(found) - min(found) < 1e-9
            field.set_value(found[0] if alike else None, (min(found), max(found)))
        self.share.set_value(100 * chases.share_of(chase))
        self.unit.setCurrentIndex(self.unit.findData(chase.unit))
        self.run.setCurrentIndex(self.run.findData(chase.run))
        self.rounds.set_value(chase.rounds)
        self.end.setCurrentIndex(self.end.findData(chase.end))
        self.end.setVisible(chase.rounds > 0)

    def _chosen(self) -> None:
        """Offer what can be done with the chosen steps."""
        chase = self.chase
        if chase is None:
            return

        some = bool(self.strip.chosen)
        for widget in (self.edit, self.twice, self.mirror, self.delete, self.take):
            widget.setEnabled(some)

        self.first.setEnabled(len(self.strip.chosen) == 1)
        self.look.setEnabled(some)
        self.paste.setEnabled(bool(self.copied))
        self._show_times(chase)

        if self.look.isChecked():
            self._look()

        player = self.player
        if player is not None and player.paused and len(self.strip.chosen) == 1:
            self._do(Verb.STEP, float(self._index()))

    def _index(self) -> int:
        ids = [step.id for step in self.strip.steps]
        return ids.index(self.strip.chosen[-1]) if self.strip.chosen else -1

    # where it is

    @property
    def player(self) -> Player | None:
        """What plays it now: from here, or from a tile."""
        found = None
        for player in self.parts.engine.state.players:
            if player.ref == self.ref and not player.lifts and not player.releasing:
                found = player
        return found

    def _follow(self) -> None:
        """Show where it is."""
        chase, player = self.chase, self.player
        if not self.isVisible() or chase is None:
            return

        on = player is not None
        self.play.setChecked(on)
        for widget in (self.back, self.next, self.slower, self.faster):
            widget.setEnabled(on)

        self.hold.setEnabled(on or bool(self.strip.steps))
        if player is None:
            self.hold.setChecked(False)
            self.rate.setText("")
            self.strip.show_playing(-1, -1, 1.0)
        else:
            self.hold.setChecked(player.paused)
            self.rate.setText(tr("×{rate:.3g}", rate=player.rate))
            self._show_spot(chase, player)

        self._tell_editing()

    def _show_spot(self, chase: Chase, player: Player) -> None:
        cursor = player.steps[-1].cursor
        steps = self.strip.steps
        if not isinstance(cursor, Going) or not steps:
            return
        state, now = self.parts.engine.state, time.monotonic()
        own = own_time(chase, cursor.time(now, state.beat(now)))
        spot = rounds_of(chase, steps).at(own)
        self.strip.show_playing(spot.before, spot.step, round(spot.share, 2))

    def _do(self, verb: Verb, value: float = 1.0) -> None:
        """Do something to what plays it, from wherever that was started."""
        player = self.player
        if player is not None:
            ref = Ref("player", player.id)
            self.parts.engine.send(Do(ref, verb, value))

    def play_it(self) -> None:
        """Play it on stage, or let it go."""
        if self.player is not None:
            self._do(Verb.RELEASE)
        elif self.ref is not None:
            self.parts.engine.send(Do(self.ref, Verb.PRESS))

    def hold_it(self) -> None:
        """Have it stand where it is, or go on. What is not on comes on stage with the
        chosen step and stands there.
        """
        if self.player is not None or self.ref is None:
            self._do(Verb.PAUSE)
            return
        engine = self.parts.engine
        engine.send(Do(self.ref, Verb.PRESS))
        engine.send(Do(self.ref, Verb.PAUSE))
        if len(self.strip.chosen) == 1:
            engine.send(Do(self.ref, Verb.STEP, float(self._index())))

    def _next(self) -> None:
        self._do(Verb.NEXT)

    def _back(self) -> None:
        self._do(Verb.BACK)

    # times by hand

    def tap_step(self) -> None:
        """Go to the next step just now: the first tap to the first one."""
        chase = self.chase
        if chase is None or self.ref is None or not self.strip.steps:
            return
        self.taps.append(time.monotonic())
        count, number = len(self.strip.steps), len(self.taps)
        if number == 1:
            if self.player is None:
                self.parts.engine.send(Do(self.ref, Verb.PRESS))
            if self.player is None or not self.player.paused:
                self._pause()
        if number <= count:
            self._at_step(number - 1)
        self.tap.setText(
            tr("Tap {n} of {count}", n=min(number + 1, count), count=count)
        )
        self.tapped.setVisible(number > 1)
        if number > count:
            self.end_taps()

    def _pause(self) -> None:
        assert self.ref is not None
        self.parts.engine.send(Do(self.ref, Verb.PAUSE))

    def _at_step(self, number: int) -> None:
        assert self.ref is not None
        self.parts.engine.send(Do(self.ref, Verb.STEP, float(number)))

    def drop_taps(self) -> None:
        """Forget what was tapped."""
        self.taps = []
        self.tap.setText(tr("Tap times"))
        self.tapped.hide()

    def end_taps(self) -> None:
        """Give the steps the times at which they were tapped; it plays on by these."""
        taps = self.taps
        self.drop_taps()
        if len(taps) < 2:
            return
        bpm = self.parts.engine.state.clock.bpm
        self._edit(tr("times by hand"), lambda s, r: chases.taken(s, r, taps, bpm))
        if self.player is not None and self.player.paused:
            self._do(Verb.PAUSE)

    def _rate(self, times: float) -> None:
        player = self.player
        if player is not None:
            self._do(Verb.RATE, player.rate * times)

    def _look(self) -> None:
        """Show the chosen step in the stage picture; nothing is lit by it."""
        shown = None
        if self.look.isChecked() and self.strip.chosen and self.ref is not None:
            shown = to_step(self.ref, self.strip.chosen[-1])
        self.parts.preview.look_at(shown)

    # edits

    def _edit(self, name: str, make: Callable[[Show, Ref], Show]) -> None:
        if self.ref is None:
            return
        show = make(self.parts.document.show, self.ref)
        self.parts.document.edit(
            tr("{deed} of {name}", deed=name, name=name_of(show, self.ref)), show
        )

    def _change(self, **fields: object) -> None:
        self._edit(tr("change the course"), lambda s, r: edits.change(s, r, **fields))

    def _retime(self, **times: float) -> None:
        ids = list(self.strip.chosen)
        self._edit(tr("times"), lambda s, r: chases.retime(s, r, ids, **times))

    def _crossfade(self, share: float) -> None:
        self._edit(tr("crossfade"), lambda s, r: chases.crossfade(s, r, share / 100))

    def _set_unit(self) -> None:
        unit, bpm = self.unit.currentData(), self.parts.engine.state.clock.bpm
        self._edit(tr("unit"), lambda s, r: chases.set_unit(s, r, unit, bpm))

    def _set_end(self) -> None:
        end = self.end.currentData()
        if end != End.START:
            self._change(end=end, then=None)
            return
        menu = Menu(self)
        for playable in kinds.on_shelf(self.parts.document.show.playables.values()):
            if playable.ref != self.ref:
                act = partial(self._change, end=End.START, then=playable.ref)
                menu.addAction(playable.name, act)
        menu.exec(self.end.mapToGlobal(self.end.rect().topLeft()))
        chase = self.chase
        if chase is not None:
            self.end.setCurrentIndex(self.end.findData(chase.end))

    def _pattern(self) -> None:
        if self.ref is not None:
            self.patterned.emit(self.ref)

    def _ask_bars(self) -> None:
        bars, sure = QInputDialog.getDouble(
            self, tr("Fit bars"), tr("Bars that a round lasts"), 1.0, 0.25, 256.0, 2
        )
        if sure:
            self.fit_bars(bars)

    def fit_bars(self, bars: float) -> None:
        """Have a round last so many bars of the tempo."""
        beats = self.parts.engine.state.clock.bar
        self._edit(tr("fit bars"), lambda s, r: chases.fit_bars(s, r, bars, beats))

    # adding

    def _add_menu(self) -> None:
        menu = self.add_menu()
        menu.exec(self.add.mapToGlobal(self.add.rect().topLeft()))

    def add_menu(self) -> QMenu:
        """The ways to add steps."""
        menu = Menu(self)
        menu.addAction(tr("What is on stage"), self.add_stage)
        own = menu.addAction(tr("The draft"), self.add_draft)
        own.setEnabled(not self.parts.engine.state.draft.empty)
        each = menu.addAction(tr("One a fixture of the chosen"), self.add_each)
        each.setEnabled(bool(self.parts.selection.chosen))
        plays = menu.addMenu(tr("A scene or chase"))
        for playable in kinds.on_shelf(self.parts.document.show.playables.values()):
            if playable.ref != self.ref:
                plays.addAction(playable.name, partial(self.add_played, playable.ref))
        plays.setEnabled(not plays.isEmpty())
        return menu

    def _show_cards(self) -> None:
        """Show what can be dropped between the steps, or put it away."""
        playables = self.parts.document.show.playables.values()
        shown = [p for p in kinds.on_shelf(reversed(playables)) if p.ref != self.ref]
        self.cards.cards.show_things(shown, {})
        self.cards.setVisible(self.scenes.isChecked())

    def _add_card(self, playable_id: str) -> None:
        self.add_played(self.parts.document.show.playables[playable_id].ref)

    def _place(self) -> int | None:
        """Behind the last of the chosen; at the end where none is."""
        return self._index() + 1 if self.strip.chosen else None

    def _add(self, steps: list[ChaseStep], index: int | None = None) -> None:
        if self.ref is None or not steps:
            return
        document = self.parts.document
        place = self._place() if index is None else index
        try:
            show, ids = chases.add_steps(document.show, self.ref, steps, place)
        except ContainsItself as error:
            self.parts.notices.told.emit(str(error), "alarm")
            return
        document.edit(
            tr("add steps to {name_of}", name_of=name_of(show, self.ref)), show
        )
        self.strip.choose(list(ids))

    def add_stage(self) -> None:
        """A step of all that is on stage now."""
        preview = self.parts.preview
        look, effects = preview.capture(), preview.capture_effects()
        if not look and not effects:
            text = tr("The stage is dark: there is nothing to make a step of.")
            self.parts.notices.told.emit(text, "alarm")
            return
        told = words.not_alike(
            self.parts.document.show, preview.not_alike(look, effects)
        )
        if told:
            self.parts.notices.told.emit(told, "alarm")
        self._add([ChaseStep(id="step", look=look, effects=effects)])

    def add_draft(self) -> None:
        """A step of what the draft has; the draft stays."""
        draft = self.parts.draft
        self._add([ChaseStep(id="step", look=draft.look, effects=draft.effects)])

    def add_each(self) -> None:
        """A step for each lamp of the choice, which it alone is lit in."""
        rig = self.hand.rig
        steps = []
        for fixture, cell in self.parts.selection.items():
            look = one_lit(rig, fixture, cell)
            if look:
                steps.append(ChaseStep(id="step", look=look))
        if not steps:
            text = tr("None of the chosen has a level: there is nothing to light.")
            self.parts.notices.told.emit(text, "alarm")
        self._add(steps)

    def add_played(self, ref: Ref, index: int | None = None) -> None:
        """A step that plays something."""
        self._add([ChaseStep(id="step", plays=ref)], index)

    # the chosen

    def _move(self, index: int) -> None:
        ids = list(self.strip.chosen)
        place = max(0, index)
        self._edit(tr("order"), lambda s, r: chases.move_steps(s, r, ids, place))

    def delete_chosen(self) -> None:
        """Take the chosen steps out."""
        ids = list(self.strip.chosen)
        self._edit(tr("delete steps"), lambda s, r: chases.remove_steps(s, r, ids))
        text = plural(
            len(ids),
            "{n} step deleted. Ctrl+Z brings it back.",
            "{n} steps deleted. Ctrl+Z brings them back.",
        )
        self.parts.notices.told.emit(text, "info")

    def _twice(self) -> None:
        if self.ref is None:
            return
        document = self.parts.document
        show, ids = chases.duplicate_steps(document.show, self.ref, self.strip.chosen)
        document.edit(
            tr("duplicate steps of {name_of}", name_of=name_of(show, self.ref)), show
        )
        self.strip.choose(list(ids))

    def _mirror(self) -> None:
        ids = list(self.strip.chosen)
        self._edit(tr("mirror steps"), lambda s, r: chases.mirror(s, r, ids))

    def _begin_here(self) -> None:
        self._change(first=self._index())

    def _ids(self) -> list[str]:
        """The chosen steps, or all."""
        return list(self.strip.chosen) or [step.id for step in self.strip.steps]

    def _give(self) -> None:
        """Lay what the draft has over the chosen steps; the draft stays."""
        look = self.parts.draft.look
        if not look:
            text = tr("The draft has no values: give the fixtures some first.")
            self.parts.notices.told.emit(text, "alarm")
            return
        ids = self._ids()
        self._edit(tr("give values"), lambda s, r: chases.give(s, r, ids, look))
        text = plural(
            len(ids),
            "{summary} went into {n} step. The draft is as it was.",
            "{summary} went into {n} steps. The draft is as it was.",
            summary=words.summary(look),
        )
        self.parts.notices.told.emit(text, "info")

    def _recolour_menu(self) -> None:
        menu = self.recolour_menu()
        menu.exec(self.colour.mapToGlobal(self.colour.rect().topLeft()))

    def recolour_menu(self) -> QMenu:
        """Each colour of the steps, and what may come in its place."""
        menu = Menu(self)
        show = self.parts.document.show
        if self.ref is None:
            return menu

        for old in chases.colours_in(show, self.ref):
            sub = menu.addMenu(_colour_name(show, old))
            for palette in show.palettes.values():
                if palette_deeds.colour_of(palette) is not None:
                    link = links.to_palette(palette.id)
                    if link != old:
                        sub.addAction(palette.name, partial(self.recolour, old, link))

            sub.addAction(tr("Another colour…"), partial(self._ask_colour, old))

        if menu.isEmpty():
            menu.addAction(tr("The steps have no colours")).setEnabled(False)

        return menu

    def _ask_colour(self, old: tuple[float, float, float] | str) -> None:
        before = "#FFFFFF" if isinstance(old, str) else words.hex_colour(old)
        found = QColorDialog.getColor(QColor(before), self, tr("Another colour"))
        if found.isValid():
            self.recolour(old, of_hex(found.name().upper()))

    def recolour(
        self,
        old: tuple[float, float, float] | str,
        new: tuple[float, float, float] | str,
    ) -> None:
        """One colour for another in the chosen steps, or in all."""
        ids = self._ids()
        self._edit(tr("colours"), lambda s, r: chases.recolour(s, r, ids, old, new))

    def _copy(self) -> None:
        chosen = self.strip.chosen
        self.copied = tuple(s for s in self.strip.steps if s.id in chosen)
        self.paste.setEnabled(bool(self.copied))
        text = plural(
            len(self.copied),
            "{n} step copied: open a chase and paste.",
            "{n} steps copied: open a chase and paste.",
        )
        self.parts.notices.told.emit(text, "info")

    def _paste(self) -> None:
        self._add(list(self.copied))

    # one step in the draft

    def edit_it(self) -> None:
        """Take the chosen step into the draft."""
        if self.ref is None or len(self.strip.chosen) != 1:
            return

        show = self.parts.document.show
        ref = to_step(self.ref, self.strip.chosen[0])
        found = find_step(show, ref)

        if found is None:
            return

        own = own_step(show, found[1])
        if own.plays is not None:
            name = name_of(show, own.plays)
            text = tr("This step plays {name}: open that to change it.", name=name)
            self.parts.notices.told.emit(text, "info")

            return

        self.editing = ref
        self.parts.draft.take(ref, own.look, own.effects)
        self._tell_editing()

    def _tell_editing(self) -> None:
        """Say whose step the draft is, while it is one."""
        show = self.parts.document.show
        found = None if self.editing is None else find_step(show, self.editing)
        taken = self.parts.draft.taken == self.editing

        if found is None or not taken or self.parts.engine.state.draft.empty:
            self.editing = None

        self.question.setVisible(self.editing is not None)
        self.deeds.setVisible(self.editing is None)
        if found is None or self.editing is None:
            return

        chase, step = found
        number = [s.id for s in steps_of(show, chase)].index(step.id) + 1
        name = step_name(show, step)
        self.whose.setText(
            tr(
                "The draft is step {number}, {name}, of {chase}",
                number=number,
                name=name,
                chase=chase.name,
            )
            if name
            else tr(
                "The draft is step {number} of {chase}", number=number, chase=chase.name
            )
        )

    def put_it_back(self) -> None:
        """The draft becomes the step."""
        if self.editing is None:
            return
        draft, document = self.parts.draft, self.parts.document
        show = chases.set_look(document.show, self.editing, draft.look, draft.effects)
        draft.store(tr("change a step"), show)
        self.editing = None
        self._tell_editing()

    def leave_it(self) -> None:
        """The step stays as it was; the draft is let go."""
        if self.editing is not None:
            self.editing = None
            self.parts.draft.clear()
            self._tell_editing()


def one_lit(rig: Rig, fixture: str, cell: int) -> Look:
    """Returns the look in which one lamp, or one cell of it, is lit."""
    return choice.give(rig, [(fixture, cell)], {at.DIMMER: [1.0]})


def _colour_name(show: Show, colour: tuple[float, float, float] | str) -> str:
    if isinstance(colour, str):
        palette = show.palettes.get(colour.removeprefix(links.PALETTE))
        return palette.name if palette is not None else tr("a palette that is gone")
    return words.hex_colour(colour)
