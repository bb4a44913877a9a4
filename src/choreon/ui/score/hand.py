"""What is in hand in Score: the stack that is shown, the cues that are chosen, and what
is done to them. Its views take it one by one.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Mapping, Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from choreon.engine.actions import cues as running
from choreon.engine.do import Do
from choreon.engine.dry_run import DryRun
from choreon.engine.run_log import gaps_of, last_runs
from choreon.language import plural, tr
from choreon.model import cues
from choreon.model.cue_words import NotUnderstood, parse_follow, parse_times
from choreon.model.cues import NumberTaken, PlaysItself
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue
from choreon.model.refs import Ref
from choreon.model.sameness import very_same
from choreon.model.script import TextPlace
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from choreon.render.decode import Light
from choreon.render.state import Cued, Player, PlayState
from choreon.ui.parts import Parts

Edit = Callable[[Show, Ref], Show]

ENOUGH_RUNS = 2  # that tell how long an act is
DRY_TICK = 40  # milliseconds between looks at a dry run
LONGEST_STALL = 0.5  # seconds of a window that stood still that count


class ScoreHand(QObject):
    """One stack in hand."""

    changed = Signal()
    """Another stack is shown, or it is another one after an edit."""
    chosen_changed = Signal()
    went = Signal()
    """What plays has changed, on stage or in the dry run."""
    dry_changed = Signal()
    """A dry run began, or is over."""

    def __init__(self, parts: Parts, parent: QObject) -> None:
        super().__init__(parent)
        self.parts = parts
        self.stack_id = ""
        self.chosen: tuple[str, ...] = ()
        """The ids of the chosen cues, in their order."""
        self.copied: tuple[Cue, ...] = ()
        self._seen: tuple[object, ...] = ()
        self._gaps: dict[tuple[str, str], float] = {}
        self._gaps_of = ("", "")
        self.editing = ""
        """The id of the cue whose own look is in the draft, to be put back."""
        self.moving: Mapping[str, str] = {}
        """Cue → what of it will be seen moving, in words; as the check found."""
        self._times: list[tuple[str, float]] | None = None
        self.dry: DryRun | None = None
        self._dry_speed, self._dry_at = 1.0, 0.0
        self._dry_tick = QTimer(self, interval=DRY_TICK)
        self._dry_tick.timeout.connect(self._dry_on)
        parts.document.show_changed.connect(lambda _: self._follow())
        parts.engine.state_changed.connect(lambda _: self._stage_went())
        self._follow()

    @property
    def show(self) -> Show:
        """The show as it is now."""
        return self.parts.document.show

    @property
    def stack(self) -> Stack | None:
        """The stack that is shown."""
        found = self.show.playables.get(self.stack_id)
        return found if isinstance(found, Stack) else None

    @property
    def cues(self) -> tuple[Cue, ...]:
        """Its cues."""
        stack = self.stack
        return () if stack is None else stack.cues

    @property
    def chosen_cues(self) -> list[Cue]:
        """The chosen ones of them."""
        return [cue for cue in self.cues if cue.id in self.chosen]

    @property
    def own_id(self) -> str:
        """What is in hand."""
        return self.stack_id

    @property
    def takes_into(self) -> bool:
        """Whether things can be put into what is chosen."""
        return bool(self.chosen)

    def open(self, stack_id: str) -> None:
        """Show a stack."""
        if stack_id != self.stack_id:
            self.run_dry(False)
            self.stack_id, self._seen = stack_id, ()
            self.chosen = ()
            self._follow()
            self.chosen_changed.emit()

    def _follow(self) -> None:
        stacks = cues.stacks_of(self.show)
        if self.stack is None:
            self.run_dry(False)
            self.stack_id = stacks[0].id if stacks else ""
        if self.dry is not None:
            self.dry.adopt(self.parts.preview.compiled)

        stack = self.stack
        there = {cue.id for cue in self.cues}
        kept = tuple(i for i in self.chosen if i in there)
        if kept != self.chosen:
            self.chosen = kept
            self.chosen_changed.emit()
        show = self.show
        seen = (stack, show.playables, show.groups, show.pages)
        if stack is None or not very_same(seen, self._seen):
            self._seen = seen
            self.changed.emit()

    def choose(self, ids: Sequence[str]) -> None:
        """Choose cues."""
        wanted = set(ids)
        chosen = tuple(cue.id for cue in self.cues if cue.id in wanted)
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()

    # playing, on stage or dry

    @property
    def state(self) -> PlayState:
        """What plays: on stage, or in the dry run."""
        return self.parts.engine.state if self.dry is None else self.dry.state

    @property
    def moment(self) -> float:
        """The time by which that goes."""
        return time.monotonic() if self.dry is None else self.dry.now

    def _stage_went(self) -> None:
        if self.dry is None:
            self._note_time()
            self.went.emit()

    # times by hand

    def take_times(self, on: bool) -> None:
        """Note when each cue is gone to from now on; at the end they come by themselves
        at these times.
        """
        stack, times = self.stack, self._times
        if on:
            self._times = []
            self._note_time()
        elif stack is not None and times is not None:
            self._times = None
            if len(times) > 1:
                show = cues.taken(self.show, stack.ref, times)
                self.parts.document.edit(tr("times by hand"), show)
        self.went.emit()

    @property
    def takes_times(self) -> bool:
        """Whether it notes when cues are gone to."""
        return self._times is not None

    def _note_time(self) -> None:
        cursor = self.cursor
        if self._times is None or cursor is None or not cursor.cue:
            return
        here = (cursor.cue, cursor.went)
        if not self._times or self._times[-1] != here:
            self._times.append(here)

    def run_dry(self, on: bool) -> None:
        """Begin a dry run from the chosen cue, or end it."""
        stack = self.stack
        if on == (self.dry is not None) or (on and stack is None):
            return

        preview = self.parts.preview
        if on and stack is not None:
            clock = self.parts.engine.state.clock
            compiled = preview.compiled
            self.dry = DryRun(compiled, stack.ref, clock, time.time())
            self._dry_speed, self._dry_at = 1.0, time.monotonic()
            preview.dry = self._dry_light
            self._dry_tick.start()
            if len(self.chosen) == 1:
                self.go_to(self.chosen[0])
                self.end_dry_fades()
        else:
            self.dry = None
            preview.dry = None
            self._dry_tick.stop()

        preview.changed.emit()
        self.dry_changed.emit()
        self.went.emit()

    def _dry_light(self) -> Light | None:
        dry = self.dry
        return None if dry is None else self.parts.preview.decoder.read(dry.frame)

    def _dry_on(self) -> None:
        """The time of the dry run goes on."""
        now = time.monotonic()
        passed, self._dry_at = now - self._dry_at, now
        if self.dry is not None:
            self.dry.advance(min(passed, LONGEST_STALL) * self._dry_speed)
            self.went.emit()

    def set_dry_speed(self, speed: float) -> None:
        """Have the dry run go so many times as fast."""
        self._dry_speed = speed

    def end_dry_fades(self) -> None:
        """Have all fades of the dry run be over."""
        if self.dry is not None:
            self.dry.to_the_end()
            self.went.emit()

    @property
    def player(self) -> Player | None:
        """What plays the stack, if it is on."""
        for player in self.state.players:
            same = player.ref.kind == Stack.kind and player.ref.id == self.stack_id
            if same and not (player.lifts or player.releasing):
                return player
        return None

    @property
    def cursor(self) -> Cued | None:
        """Where in it that is."""
        player = self.player
        return None if player is None else running.cursor_of(player)

    @property
    def now(self) -> Cue | None:
        """The cue that is on."""
        stack, cursor = self.stack, self.cursor
        return None if stack is None or cursor is None else stack.cue(cursor.cue)

    @property
    def next(self) -> Cue | None:
        """The cue that GO brings."""
        stack = self.stack
        if stack is None:
            return None
        cursor = self.cursor
        return running.next_cue(stack, Cued() if cursor is None else cursor)

    @property
    def after_next(self) -> Cue | None:
        """The one behind that."""
        stack, coming = self.stack, self.next
        if stack is None or coming is None:
            return None
        return running.next_cue(stack, Cued(cue=coming.id, number=coming.number))

    @property
    def usual_gap(self) -> float | None:
        """How many seconds after the cue that is on the next one came in the last runs;
        None where none of them knows.
        """
        now, coming = self.now, self.next
        if now is None or coming is None:
            return None
        of = (self.stack_id, now.id)
        if of != self._gaps_of:
            self._gaps_of = of
            # the run that goes on is not at its end: it knows less than those before
            runs = last_runs(self.show.id, self.stack_id)[1:]
            self._gaps = gaps_of(runs) if len(runs) >= ENOUGH_RUNS else {}
        return self._gaps.get((now.id, coming.id))

    def go(self) -> None:
        """GO."""
        self._do(Verb.GO)

    def back(self) -> None:
        """To the cue before."""
        self._do(Verb.BACK)

    def hold(self) -> None:
        """Hold, or go on."""
        self._drive(Verb.HOLD)

    def set_rate(self, rate: float) -> None:
        """Have fades and waits go so many times as fast."""
        self._drive(Verb.RATE, rate)

    def let_go(self) -> None:
        """Fade the stack out."""
        self._drive(Verb.RELEASE)

    def _drive(self, verb: Verb, value: float = 1.0) -> None:
        """Do something to what plays the stack."""
        player = self.player
        if player is not None:
            self._send(Do(Ref("player", player.id), verb, value))

    def go_to(self, cue_id: str) -> None:
        """Go to a cue, from wherever it is."""
        place = self._place_of(cue_id)
        if place is not None:
            self._do(Verb.STEP, float(place))

    def make_next(self, cue_id: str) -> None:
        """Have a cue come next."""
        place = self._place_of(cue_id)
        if place is not None and self.player is not None:
            self._do(Verb.READY, float(place))

    def skip(self) -> None:
        """Have the cue after the next one come next."""
        behind = self.after_next
        if behind is not None:
            self.make_next(behind.id)

    def _place_of(self, cue_id: str) -> int | None:
        stack = self.stack
        return None if stack is None else stack.place_of(cue_id)

    def _do(self, verb: Verb, value: float = 1.0) -> None:
        stack = self.stack
        if stack is not None:
            self._send(Do(stack.ref, verb, value))

    def _send(self, do: Do) -> None:
        if self.dry is not None:
            self.dry.do(do.verb, do.value, do.ref)
            self.went.emit()
            return
        self.parts.engine.flush()
        self.parts.engine.send(do)

    # edits

    def edit(self, name: str, make: Edit) -> bool:
        """Make an edit of the stack; one that cannot be is told. Returns whether it was
        made.
        """
        stack = self.stack
        if stack is None:
            return False
        try:
            show = make(self.show, stack.ref)
        except (PlaysItself, NumberTaken, ValueError) as error:
            self.parts.notices.told.emit(str(error), "alarm")
            return False
        self.parts.document.edit(name, show)
        return True

    def new_stack(self, name: str = "", made: Sequence[Cue] = ()) -> None:
        """Make a stack, and show it."""
        show, ref = cues.keep_stack(self.show, name or tr("Stack"))
        if made:
            show, _ = cues.add_cues(show, ref, made)
        self.parts.document.edit(tr("new stack"), show)
        self.open(ref.id)

    def add(self, made: Sequence[Cue], after: str | None = None) -> None:
        """Put cues behind one of them, or, where none is named, behind the last that is
        chosen; and choose them.
        """
        if not made:
            return
        if self.stack is None:
            self.new_stack(made=made)
            self.choose([cue.id for cue in self.cues])
            return

        behind = after if after is not None else (self.chosen[-1:] or (None,))[0]
        fresh: list[str] = []

        def make(show: Show, ref: Ref) -> Show:
            show, ids = cues.add_cues(show, ref, made, behind)
            fresh.extend(ids)
            return show

        name = plural(len(made), "add {n} cue", "add {n} cues")
        if self.edit(name, make):
            self.choose(fresh)

    def add_of(self, refs: Sequence[Ref], after: str | None = None) -> None:
        """Put in a cue for each of some things that play."""
        self.add([self._cue_of(ref) for ref in refs if self._plays(ref)], after)

    def _plays(self, ref: Ref) -> bool:
        found = self.show.playables.get(ref.id)
        return found is not None and found.ref == ref

    def _cue_of(self, ref: Ref) -> Cue:
        name = self.show.playables[ref.id].name
        return cues.cue_of(name, (Part(ref),))

    def put_into(self, refs: Sequence[Ref]) -> None:
        """Have the chosen cues play some things as well."""
        played = [ref for ref in refs if self._plays(ref)]
        ids = self.chosen
        if played and ids:
            self.edit(
                tr("what cues play"),
                lambda s, r: cues.add_parts(s, r, ids, played),
            )

    def add_on_now(self) -> None:
        """Put in a cue of what is on now: what plays, at its level, but for this stack;
        lowest first.
        """
        state = self.parts.engine.state
        players = [
            player
            for player in state.players
            if not (player.lifts or player.releasing)
            and player.ref.id != self.stack_id
            and self._plays(player.ref)
        ]
        players.sort(key=lambda player: player.place)
        parts = tuple(
            Part(
                player.ref,
                round(min(1.0, player.level * player.steps[-1].level), 3),
                player.steps[-1].only,
            )
            for player in players
        )

        draft = self.parts.draft
        if not parts and not draft.look and not draft.effects:
            text = tr(
                "Nothing is on that a cue could be made of. Start scenes in Perform or "
                "Compose, or type what the cue plays."
            )
            self.parts.notices.told.emit(text, "info")
            return

        self.add([cues.cue_of("", parts, draft.look, draft.effects)])

    def add_draft(self) -> None:
        """Put in a cue of the draft, as a look of its own."""
        draft = self.parts.draft
        if not draft.look and not draft.effects:
            text = tr("The draft is empty: touch some lamps in Compose first.")
            self.parts.notices.told.emit(text, "info")
            return
        self.add([cues.cue_of("", (), draft.look, draft.effects)])

    def remove(self) -> None:
        """Remove the chosen cues."""
        ids = self.chosen
        if not ids:
            return
        first = self._place_of(ids[0]) or 0
        name = plural(len(ids), "remove {n} cue", "remove {n} cues")
        if self.edit(name, lambda s, r: cues.remove_cues(s, r, ids)):
            rest = self.cues
            if rest:
                self.choose([rest[min(first, len(rest) - 1)].id])

    def repeat(self) -> None:
        """The chosen cues once more."""
        ids, fresh = self.chosen, list[str]()

        def make(show: Show, ref: Ref) -> Show:
            show, made = cues.repeat_cues(show, ref, ids)
            fresh.extend(made)
            return show

        if ids and self.edit(
            plural(len(ids), "repeat {n} cue", "repeat {n} cues"), make
        ):
            self.choose(fresh)

    def copy(self) -> None:
        """Remember the chosen cues."""
        self.copied = tuple(self.chosen_cues)

    def cut(self) -> None:
        """Remember the chosen cues, and remove them."""
        self.copy()
        self.remove()

    def paste(self) -> None:
        """Put in what is remembered."""
        self.add(self.copied)

    def move(self, index: int, ids: Collection[str] | None = None) -> None:
        """Bring the chosen cues before the one that is at `index`."""
        moved = self.chosen if ids is None else ids
        name = plural(len(moved), "move {n} cue", "move {n} cues")
        if moved:
            self.edit(name, lambda s, r: cues.move_cues(s, r, moved, index))

    def move_by(self, by: int) -> None:
        """Bring the chosen cues one up or down."""
        stack = self.stack
        if stack is None or not self.chosen:
            return
        places = [n for n, cue in enumerate(stack.cues) if cue.id in self.chosen]
        index = places[0] - 1 if by < 0 else places[-1] + 2
        if 0 <= index <= len(stack.cues):
            self.move(index)

    def renumber(self, first: float = 1.0) -> None:
        """Count the cues anew."""
        self.edit(tr("renumber cues"), lambda s, r: cues.renumber(s, r, first))

    def set_fields(self, what: str, ids: Collection[str], /, **fields: object) -> bool:
        """Say the same of some cues; `what` is what undo calls it."""
        return self.edit(what, lambda s, r: cues.change_cues(s, r, ids, **fields))

    def type_times(self, text: str, ids: Collection[str]) -> bool:
        """Give cues the times that were typed."""
        try:
            typed = parse_times(text)
        except NotUnderstood as error:
            self.parts.notices.told.emit(str(error), "alarm")
            return False
        return self.set_fields(tr("times of cues"), ids, **typed._asdict())

    def type_follow(self, text: str, ids: Collection[str]) -> bool:
        """Have cues wait for what was typed."""
        try:
            follow = parse_follow(text)
        except NotUnderstood as error:
            self.parts.notices.told.emit(str(error), "alarm")
            return False
        return self.set_fields(tr("what cues wait for"), ids, follow=follow)

    def type_number(self, text: str, cue_id: str) -> bool:
        """Give a cue the number that was typed."""
        try:
            number = float(text.strip().replace(",", "."))
        except ValueError:
            told = tr("“{text}” is no number; nothing was changed.", text=text)
            self.parts.notices.told.emit(told, "alarm")
            return False
        return self.edit(
            tr("number of a cue"), lambda s, r: cues.set_number(s, r, cue_id, number)
        )

    # changed on purpose

    def begin_edit(self) -> None:
        """Take the own look of the chosen cue into the draft, to be put back."""
        chosen = self.chosen_cues
        if len(chosen) != 1:
            return
        cue = chosen[0]
        self.editing = cue.id
        self.parts.draft.take(None, cue.look, cue.effects)
        self.changed.emit()

    def put_back(self) -> None:
        """What the draft holds becomes the own look of the cue that is edited."""
        stack, draft = self.stack, self.parts.draft
        if stack is None or stack.cue(self.editing) is None:
            self.leave_edit()
            return
        cue = stack.cue(self.editing)
        held = draft.held
        if cue is not None and cue.look and not held.look and not held.effects:
            # it was cleared meanwhile: nobody meant to empty the cue
            text = tr(
                "The draft is empty, so the cue keeps its own look. The × beside that "
                "takes it out."
            )
            self.parts.notices.told.emit(text, "info")
            self.leave_edit()
            return

        cue_id, self.editing = self.editing, ""
        show = cues.put_back(self.show, stack.ref, cue_id, held.look, held.effects)
        draft.store(tr("look of a cue"), show)
        self.changed.emit()

    def leave_edit(self) -> None:
        """The cue stays as it was; the draft is let go."""
        self.editing = ""
        self.parts.draft.clear()
        self.changed.emit()

    def draft_into_cue(self) -> None:
        """Lay the draft over the own look of the chosen cue."""
        stack, draft, chosen = self.stack, self.parts.draft, self.chosen_cues
        if stack is None or len(chosen) != 1:
            return
        held = draft.held
        show = cues.into_cue(
            self.show, stack.ref, chosen[0].id, held.look, held.effects
        )
        draft.store(tr("the draft into a cue"), show)

    def draft_into_scene(self, scene: Ref) -> None:
        """Give a scene those values of the draft that it gives itself; the rest stays
        in the draft.
        """
        draft = self.parts.draft
        show, rest = cues.into_scene(self.show, scene, draft.look)
        draft.edit(tr("the draft into a scene"), show, rest)

    # the text

    def set_at(self, place: TextPlace) -> None:
        """Set the chosen cue at a word, and choose the next that stands at none."""
        chosen = self.chosen_cues
        if len(chosen) != 1:
            text = tr("Choose one cue in the list; then press the word it stands at.")
            self.parts.notices.told.emit(text, "info")
            return

        cue = chosen[0]
        if not self.set_fields(tr("word of a cue"), (cue.id,), at=place):
            return
        behind = self.cues[(self._place_of(cue.id) or 0) + 1 :]
        unplaced = (one for one in behind if one.at is None or one.at.lost)
        following = next(unplaced, None)
        if following is not None:
            self.choose([following.id])

    def add_at(self, place: TextPlace) -> None:
        """Put in a cue at a word, behind the cues that stand before it."""
        before = [
            cue
            for cue in self.cues
            if cue.at is not None and not cue.at.lost and cue.at <= place
        ]
        behind = before[-1].id if before else ""
        self.add([cues.cue_of(at=place)], behind)
