"""One cue in all its parts: what it plays and how strongly, times of its own, and what
it does besides.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from choreon.language import listed, plural, sentences, tr
from choreon.model import cues, edits
from choreon.model.attributes import Family
from choreon.model.cue_words import NotUnderstood, parse_times
from choreon.model.playables import Scene, Stack, Times
from choreon.model.playables.stack import Cue, CueAct, LampTimes, called, chain
from choreon.model.refs import GRAND, GROUP, MASTER, TEMPO, TILE, Ref, name_of
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.terms import term
from choreon.ui import kinds, words
from choreon.ui.score.hand import ScoreHand
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

replace = msgspec.structs.replace

FAMILIES = (Family.INTENSITY, Family.COLOUR, Family.POSITION, Family.BEAM)

ACTS = {
    Verb.SWITCH: tr("start"),
    Verb.RELEASE: tr("let go"),
    Verb.GO: tr("GO"),
    Verb.LEVEL: tr("level"),
    Verb.BPM: tr("tempo"),
}
"""What a cue can do besides, in words."""


class CueForm(QFrame):
    """The chosen cue."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.setProperty("panel", "true")
        self._seen: tuple[object, ...] | None = None
        self.title = basics.name_label("", "heading")
        self.hint = basics.label("", "soft", wrap=True)

        self.inside = QWidget()
        self.lines = QVBoxLayout(self.inside)
        self.lines.setContentsMargins(0, 0, 6, 0)
        self.lines.setSpacing(6)
        self.scroller = basics.scroller(self.inside)
        box = basics.stack(self, self.title, self.hint, self.scroller, margins=10)
        box.setStretch(2, 1)

        hand.changed.connect(self._follow)
        hand.chosen_changed.connect(self._follow)
        hand.parts.engine.state_changed.connect(self._draft_follows)
        self._follow()

    def _draft_follows(self, state: PlayState) -> None:
        """What can be done with the draft is offered while there is one."""
        if self._seen is not None and self._seen[-1] != state.draft.empty:
            self._follow()

    @property
    def cue(self) -> Cue | None:
        """The chosen cue, where that is one."""
        chosen = self.hand.chosen_cues
        return chosen[0] if len(chosen) == 1 else None

    def _follow(self) -> None:
        cue, stack = self.cue, self.hand.stack
        show = self.hand.show
        seen = (
            cue,
            show.playables,
            show.groups,
            len(self.hand.chosen),
            self.hand.editing,
            self.hand.parts.engine.state.draft.empty,
        )
        if self._is_shown(seen):
            return

        self._seen = seen
        self.title.setText(tr("Cue") if cue is None else called(cue))
        self.hint.setText(self._hint(cue))
        self.hint.setVisible(bool(self.hint.text()))
        while (item := self.lines.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                discard(widget)

        if cue is not None and stack is not None:
            for widget in self._made(stack, cue):
                self.lines.addWidget(widget)
        self.lines.addStretch(1)

    def _is_shown(self, seen: tuple[object, ...]) -> bool:
        """Whether all of this is shown, or is being changed by a hand on this form:
        what it drags is not made anew below it.
        """
        before = self._seen
        if before is None:
            return False
        if len(before) == len(seen) and all(
            a is b or a == b for a, b in zip(before, seen, strict=True)
        ):
            return True
        was, cue = before[0], seen[0]
        dragging = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        same = isinstance(was, Cue) and isinstance(cue, Cue) and was.id == cue.id
        return same and dragging and self.underMouse()

    def _hint(self, cue: Cue | None) -> str:
        if cue is not None:
            return ""
        count = len(self.hand.chosen)
        if count > 1:
            return plural(
                count,
                "{n} cue is chosen",
                "{n} cues are chosen: what is typed into the list is for all of them.",
            )
        return tr("Choose a cue to see all of it.")

    # its parts

    def _made(self, stack: Stack, cue: Cue) -> list[QWidget]:
        return [
            *self._of_draft(cue),
            *self._of_plays(stack, cue),
            *self._of_note(cue),
            *self._of_families(cue),
            *self._of_lamps(cue),
            *self._of_acts(cue),
        ]

    def _heading(
        self, text: str, tip: str, add: Callable[[], object] | None
    ) -> QWidget:
        """A line above some parts, with what adds one."""
        label = basics.name_label(text, "heading")
        if add is None:
            return label
        button = basics.tool("plus", tip, add)
        line = basics.row(label, button)
        basics.grow(line, 0)
        return line

    def _of_draft(self, cue: Cue) -> list[QWidget]:
        """A cue is changed on purpose alone: its own look by the draft."""
        hand = self.hand
        if hand.editing == cue.id:
            return [
                basics.label(
                    tr(
                        "Its own look is in the draft. Touch lamps in Compose, then "
                        "put it back."
                    ),
                    "soft",
                    wrap=True,
                ),
                flow(
                    basics.button(tr("Put back"), hand.put_back, "main", "check"),
                    basics.button(tr("Leave it as it was"), hand.leave_edit, "quiet"),
                ),
            ]

        if hand.parts.engine.state.draft.empty:
            return [
                basics.button(
                    tr("Edit this cue"),
                    hand.begin_edit,
                    icon="edit",
                    tip=tr("Take its own look into the draft, to be put back"),
                )
            ]
        return self._of_other_draft(cue)

    def _of_other_draft(self, cue: Cue) -> list[QWidget]:
        """Where the draft, which is not of this cue, may go."""
        hand, show = self.hand, self.hand.show
        made: list[QWidget] = [
            basics.name_label(tr("The draft"), "heading"),
            basics.button(
                tr("Into this cue alone"),
                hand.draft_into_cue,
                tip=tr("Lay the draft over the own look of this cue"),
            ),
        ]

        for part in cue.plays:
            if part.ref.kind != Scene.kind:
                continue

            name = name_of(show, part.ref)
            button = basics.button(
                tr("Into {name}", name=name),
                partial(hand.draft_into_scene, part.ref),
                "quiet",
                tip=tr("Those values of the draft that {name} gives", name=name),
            )
            made.append(button)

            stack = hand.stack
            own = None if stack is None else (stack.ref, cue.id)
            users = cues.users_of(show, part.ref, own)
            users += edits.where_used(show, part.ref)
            if users:
                text = tr("also in: {users}", users=listed(users, 4))
                made.append(basics.label(text, "small", wrap=True))
        return made

    def _of_plays(self, stack: Stack, cue: Cue) -> list[QWidget]:
        made = [
            self._heading(
                tr("On after it"), tr("Play something as well"), self._menu_of_things
            )
        ]
        made += [self._row_of_part(cue, part) for part in cue.plays]

        if cue.look or cue.effects:
            lamps = len(cue.look)
            look = basics.label(
                plural(
                    lamps, "its own look, {n} fixture", "its own look, {n} fixtures"
                ),
                "soft",
            )
            gone = basics.tool(
                "close",
                tr("Take the look of its own out"),
                lambda: self._set(tr("look of a cue"), look={}, effects=()),
            )
            made.append(basics.row(look, 1, gone))
        if not (cue.plays or cue.look or cue.effects):
            made.append(
                basics.label(tr("Nothing: all of the stack goes dark."), "soft")
            )

        leaves = Tick(tr("leaves what is there"))
        leaves.setChecked(cue.leaves)
        leaves.setToolTip(
            tr(
                "What the cues before it gave stays, but for what this one names; a "
                "thing at 0 % is taken away"
            )
        )
        leaves.toggled.connect(
            lambda on: self._set(tr("what a cue leaves"), leaves=bool(on))
        )
        made.append(leaves)
        if cue.leaves:
            before = [called(one) for one in chain(stack, cue)[:-1]]
            text = sentences(tr("It goes on from:"), listed(before, 4))
            made.append(basics.label(text if before else "", "small", wrap=True))
        return made

    def _row_of_part(self, cue: Cue, part: Part) -> QWidget:
        """One thing that it plays: its name, level and families, and a way out."""
        show = self.hand.show
        name = basics.name_label(name_of(show, part.ref))
        level = ValueField("", 0, 100, "%", 0, 100.0, bar=False)
        level.setAccessibleName(tr("Level of {name}", name=name_of(show, part.ref)))
        level.setFixedWidth(66)
        level.set_value(100.0 * part.level)
        level.changed.connect(
            lambda value: self._set_part(part.ref, part.only, level=value / 100.0)
        )

        only = basics.tool(
            "tag",
            tr("Which families it gives"),
            lambda: self._menu_of_families(part, only),
        )
        gone = basics.tool(
            "close",
            tr("Take it out of the cue"),
            lambda: self._set(
                tr("what a cue plays"),
                plays=tuple(p for p in self._plays() if not _same(p, part)),
            ),
        )
        line = basics.row(name, level, only, gone, spacing=2)
        basics.grow(line, 0)
        users = cues.users_of(show, part.ref)
        if len(users) > 1:
            name.setToolTip(
                tr(
                    "{name} is played by {cues}",
                    name=name.text(),
                    cues=listed(users, 6),
                )
            )
        if not part.only:
            return line

        both = QWidget()
        families = listed([term(family) for family in part.only], 4)
        tail = basics.label(tr("only {families}", families=families), "small")
        basics.stack(both, line, tail, spacing=0)
        return both

    def _plays(self) -> tuple[Part, ...]:
        cue = self.cue
        return () if cue is None else cue.plays

    def _set_part(self, ref: Ref, only: tuple[str, ...], **fields: object) -> None:
        plays = tuple(
            replace(part, **fields) if (part.ref, part.only) == (ref, only) else part
            for part in self._plays()
        )
        self._set(tr("level in a cue"), plays=plays)

    def _menu_of_families(self, part: Part, button: QWidget) -> None:
        menu = Menu(self)
        for family in FAMILIES:
            action = menu.addAction(term(family))
            action.setCheckable(True)
            action.setChecked(not part.only or family in part.only)
            action.triggered.connect(partial(self._toggle_family, part, str(family)))
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def _toggle_family(self, part: Part, family: str, on: bool) -> None:
        all_of_them = tuple(str(one) for one in FAMILIES)
        now = part.only or all_of_them
        wanted = tuple(
            one
            for one in all_of_them
            if (one in now and one != family) or (one == family and on)
        )
        only = () if wanted == all_of_them or not wanted else wanted
        plays = tuple(
            replace(p, only=only) if _same(p, part) else p for p in self._plays()
        )
        self._set(tr("families in a cue"), plays=plays)

    def _menu_of_things(self) -> None:
        menu = Menu(self)
        there = {part.ref for part in self._plays()}
        for playable in kinds.on_shelf(self.hand.show.playables.values()):
            if playable.id != self.hand.stack_id and playable.ref not in there:
                menu.addAction(
                    playable.name, partial(self.hand.put_into, [playable.ref])
                )
        menu.exec(self.mapToGlobal(self.rect().topRight()))

    def _of_note(self, cue: Cue) -> list[QWidget]:
        note = NoteField(cue.note)
        note.taken = lambda text: self._set(tr("note of a cue"), note=text)
        return [basics.name_label(tr("To watch for"), "heading"), note]

    def _of_families(self, cue: Cue) -> list[QWidget]:
        """Families that come in times of their own."""
        title = basics.name_label(tr("Families in their own time"), "heading")
        made: list[QWidget] = [title]
        for family in FAMILIES:
            own = cue.times.get(family)
            text = "" if own is None else _typed(own.delay, own.fade)
            field = TimeField(
                term(family), text, partial(self._type_family, str(family)), pair=False
            )
            made.append(_named(term(family), field))
        return made

    def _type_family(self, family: str, text: str) -> bool:
        cue = self.cue
        if cue is None:
            return False
        times = {f: own for f, own in cue.times.items() if f != family}
        if text:
            try:
                typed = parse_times(text)
            except NotUnderstood as error:
                self._tell(error)
                return False
            times[family] = Times(typed.delay_in, typed.fade_in or 0.0)
        return self._set(tr("family times of a cue"), times=times)

    def _of_lamps(self, cue: Cue) -> list[QWidget]:
        """Groups that come and go in times of their own."""
        made = [
            self._heading(
                tr("Groups in their own time"),
                tr("Give a group times of its own"),
                self._menu_of_groups if self.hand.show.groups else None,
            )
        ]
        for place, part in enumerate(cue.lamps):
            name = listed([name_of(self.hand.show, ref) for ref in part.of], 3)
            field = TimeField(name, _typed_pair(part), partial(self._type_lamps, place))
            gone = basics.tool(
                "close", tr("As the others"), partial(self._drop_lamps, place)
            )
            made.append(_named(name, field, gone))
        return made

    def _menu_of_groups(self) -> None:
        menu = Menu(self)
        for group in self.hand.show.groups.values():
            ref = Ref(GROUP, group.id)
            menu.addAction(group.name, partial(self._add_lamps, ref))
        menu.exec(self.mapToGlobal(self.rect().topRight()))

    def _add_lamps(self, ref: Ref) -> None:
        cue = self.cue
        if cue is not None:
            fresh = LampTimes(of=(ref,), fade_in=1.0, fade_out=1.0)
            self._set(tr("times of a group"), lamps=(*cue.lamps, fresh))

    def _drop_lamps(self, place: int) -> None:
        cue = self.cue
        if cue is not None:
            kept = tuple(part for n, part in enumerate(cue.lamps) if n != place)
            self._set(tr("times of a group"), lamps=kept)

    def _type_lamps(self, place: int, text: str) -> bool:
        cue = self.cue
        if cue is None or place >= len(cue.lamps):
            return False
        try:
            typed = parse_times(text)
        except NotUnderstood as error:
            self._tell(error)
            return False

        own = replace(cue.lamps[place], **typed._asdict())
        lamps = (*cue.lamps[:place], own, *cue.lamps[place + 1 :])
        return self._set(tr("times of a group"), lamps=lamps)

    def _of_acts(self, cue: Cue) -> list[QWidget]:
        """What it does besides, on GO."""
        made = [
            self._heading(
                tr("Besides, on GO"),
                tr("Have it do something besides"),
                self._menu_of_acts,
            )
        ]
        for place, act in enumerate(cue.does):
            made.append(self._row_of_act(place, act))
        return made

    def _row_of_act(self, place: int, act: CueAct) -> QWidget:
        show = self.hand.show
        name = words.target_name(show, act.ref)
        said = tr("{act}: {name}", act=ACTS.get(act.verb, str(act.verb)), name=name)
        widgets: list[QWidget] = [basics.name_label(said)]
        if act.verb in (Verb.LEVEL, Verb.BPM):
            tempo = act.verb == Verb.BPM
            value = ValueField(
                "",
                20 if tempo else 0,
                400 if tempo else 100,
                "" if tempo else "%",
                0,
                bar=False,
            )
            value.setAccessibleName(said)
            value.setFixedWidth(72)
            value.set_value(act.value if tempo else 100.0 * act.value)
            scale = 1.0 if tempo else 0.01
            value.changed.connect(
                lambda v: self._change_act(place, replace(act, value=v * scale))
            )
            widgets.append(value)

        gone = basics.tool("close", tr("Not any more"), partial(self._drop_act, place))
        line = basics.row(*widgets, gone, spacing=2)
        basics.grow(line, 0)
        return line

    def _change_act(self, place: int, act: CueAct) -> None:
        cue = self.cue
        if cue is not None and place < len(cue.does):
            does = (*cue.does[:place], act, *cue.does[place + 1 :])
            self._set(tr("what a cue does besides"), does=does)

    def _drop_act(self, place: int) -> None:
        cue = self.cue
        if cue is not None:
            kept = tuple(act for n, act in enumerate(cue.does) if n != place)
            self._set(tr("what a cue does besides"), does=kept)

    def _add_act(self, act: CueAct) -> None:
        cue = self.cue
        if cue is not None:
            self._set(tr("what a cue does besides"), does=(*cue.does, act))

    def _menu_of_acts(self) -> None:
        menu, show = Menu(self), self.hand.show
        starts = menu.addMenu(tr("Start"))
        ends = menu.addMenu(tr("Let go"))
        goes = menu.addMenu(tr("GO of another stack"))
        levels = menu.addMenu(tr("Level of"))

        for playable in kinds.on_shelf(show.playables.values()):
            ref = playable.ref
            if playable.id == self.hand.stack_id:
                continue
            add = self._add_act
            starts.addAction(playable.name, partial(add, CueAct(ref, Verb.SWITCH)))
            ends.addAction(playable.name, partial(add, CueAct(ref, Verb.RELEASE)))
            if isinstance(playable, Stack):
                goes.addAction(playable.name, partial(add, CueAct(ref, Verb.GO)))

        levels.addAction(
            tr("Grand master"), partial(self._add_act, CueAct(GRAND, Verb.LEVEL))
        )
        for master in show.masters.values():
            ref = Ref(MASTER, master.id)
            if ref not in (GRAND, TEMPO):
                levels.addAction(
                    master.name, partial(self._add_act, CueAct(ref, Verb.LEVEL))
                )
        for page in show.pages.values():
            for tile in page.tiles:
                if tile.kind == "fader":
                    ref = Ref(TILE, tile.id)
                    levels.addAction(
                        name_of(show, ref),
                        partial(self._add_act, CueAct(ref, Verb.LEVEL)),
                    )

        menu.addAction(
            tr("Tempo"), partial(self._add_act, CueAct(TEMPO, Verb.BPM, 120.0))
        )
        goes.setEnabled(not goes.isEmpty())
        menu.exec(self.mapToGlobal(self.rect().topRight()))

    # edits

    def _set(self, name: str, **fields: object) -> bool:
        cue = self.cue
        return cue is not None and self.hand.set_fields(name, (cue.id,), **fields)

    def _tell(self, error: Exception) -> None:
        self.hand.parts.notices.told.emit(str(error), "alarm")


def _same(one: Part, other: Part) -> bool:
    return (one.ref, one.only) == (other.ref, other.only)


def _typed(delay: float, fade: float) -> str:
    return f"{delay:g}+{fade:g}" if delay > 0.0 else f"{fade:g}"


def _typed_pair(part: LampTimes) -> str:
    """Times of some lamps as they could be typed."""
    rise = "" if part.fade_in is None else _typed(part.delay_in or 0.0, part.fade_in)
    fall = "" if part.fade_out is None else _typed(part.delay_out or 0.0, part.fade_out)
    return rise if rise == fall else f"{rise}/{fall}"


def _named(name: str, *widgets: QWidget) -> QWidget:
    """A field behind its name."""
    line = basics.row(basics.name_label(name, "soft"), *widgets, spacing=4)
    basics.grow(line, 0)
    return line


class TimeField(QLineEdit):
    """Times that are typed; emptied, they are those of the cue."""

    def __init__(
        self, name: str, text: str, take: Callable[[str], bool], pair: bool = True
    ) -> None:
        super().__init__(text)
        self._take, self._before = take, text
        self.setFixedWidth(92)
        self.setPlaceholderText(tr("as the cue"))
        self.setAccessibleName(tr("Times of {name}", name=name))
        how = tr("2 for both, 2/3 for in and out, 1+2 after one second in two")
        self.setToolTip(how if pair else tr("2, or 1+2 after one second in two"))
        self.editingFinished.connect(self._typed)

    def show_text(self, text: str) -> None:
        """Show what the times are, unless they are being typed."""
        if text != self._before and not self.hasFocus():
            self._before = text
            self.setText(text)

    def _typed(self) -> None:
        text = self.text().strip()
        if text == self._before:
            return
        if self._take(text):
            self._before = text
        else:
            self.setText(self._before)


class NoteField(QPlainTextEdit):
    """A note of some lines; it is taken when it is left."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.taken: Callable[[str], object] = lambda text: None
        self._before = text
        self.setAccessibleName(tr("To watch for"))
        self.setPlaceholderText(tr("What is to be watched for"))
        self.setTabChangesFocus(True)
        self.setFixedHeight(64)
        self.setSizeAdjustPolicy(QPlainTextEdit.SizeAdjustPolicy.AdjustIgnored)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What was typed is taken."""
        super().focusOutEvent(event)
        text = self.toPlainText().strip()
        if text != self._before:
            self._before = text
            self.taken(text)
