"""Aim: the pad, sending heads to points and marks, nudging, flipping, one by one,
limits, keep-out warnings.
"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from choreon.language import plural, sentences, tr
from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.effects import unlinked
from choreon.model.refs import MARK, PALETTE, Ref
from choreon.model.show import Fixture, Limits, Mark, Room
from choreon.model.values import Value
from choreon.render import aim as sums
from choreon.render import reaching
from choreon.render.looks import aims
from choreon.ui import renaming, words
from choreon.ui.compose.controls import Controls, show_span
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.palette_chips import PaletteChips, keep_button
from choreon.ui.widgets import basics
from choreon.ui.widgets.aim_pad import AimPad
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

Span = tuple[float, float]  # degrees
Spans = tuple[Span, Span]


def _rounded(span: Span | None) -> Span | None:
    return (round(span[0], 1), round(span[1], 1)) if span else None


class AimPanel(QWidget):
    """Where the chosen heads look."""

    setting_mark = Signal(bool)

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.hand, self.parts = hand, hand.parts
        self.pad = AimPad()
        self.pad.nudged.connect(lambda p, t: hand.nudge({at.PAN: p, at.TILT: t}))
        self.pad.limited.connect(self._limited)
        self.fields = {
            name: ValueField(at.attribute(name).label, -1, 1, "°", 1, 0.0)
            for name in (at.PAN, at.TILT)
        }

        for field in self.fields.values():
            field.short = field.label[0]
        for name, field in self.fields.items():
            field.changed.connect(lambda v, n=name: hand.give({n: v}))

        self.aim_at = basics.button(
            tr("Aim at…"),
            lambda: None,
            "",
            "",
            tr("Then press on floor, wall or a mark: the heads go there. Esc ends it."),
        )

        self.aim_at.setCheckable(True)
        self.add_mark = basics.button(
            tr("Set a mark…"),
            lambda: None,
            "",
            "",
            tr("Then press on the stage where it shall be"),
        )

        self.add_mark.setCheckable(True)
        self.add_mark.toggled.connect(self.setting_mark)
        self.flip = basics.button(
            tr("Flip"),
            self.flip_over,
            "",
            "",
            tr("The same direction with pan half a turn away"),
        )

        self.limit = basics.button(
            tr("Limits"),
            lambda: None,
            "",
            "",
            tr("Drag the edges on the pad: no head turns beyond"),
        )

        self.limit.setCheckable(True)
        self.limit.toggled.connect(self._limiting)
        self.ends: dict[str, tuple[ValueField, ValueField]] = {}

        for name, *titles in (
            (at.PAN, tr("Pan from"), tr("Pan to")),
            (at.TILT, tr("Tilt from"), tr("Tilt to")),
        ):
            low, high = (
                ValueField(title, -1, 1, "°", 0, bar=False) for title in titles
            )
            for field in (low, high):
                field.changed.connect(lambda _: self._limits_typed())
            self.ends[name] = (low, high)

        self.limit_fields = QWidget()
        basics.stack(
            self.limit_fields,
            *(basics.row(*pair, spacing=4) for pair in self.ends.values()),
            spacing=4,
        )

        self.limit_fields.hide()
        self.free = basics.tool(
            "close", tr("Take the limits away"), lambda: self._limited(None, None)
        )

        self.reach = basics.label("", "alarm", wrap=True)
        self.reach.hide()
        self.warn = basics.label("", "alarm", wrap=True)
        self.warn.hide()
        self.marks = basics.button(
            tr("Marks…"),
            self._marks_menu,
            "quiet",
            "",
            tr("Aim at a mark, rename or delete one"),
        )

        self.chips = PaletteChips(hand, at.Family.POSITION)
        self.more = Controls(hand)
        for button in (self.aim_at, self.add_mark, self.marks, self.flip, self.limit):
            button.setStyleSheet("padding: 6px 8px; min-width: 20px;")

        basics.stack(
            self,
            flow(self.aim_at, self.add_mark, self.marks, spacing=4),
            self.pad,
            basics.row(*self.fields.values(), spacing=4),
            flow(self.flip, self.limit, self.free, spacing=4),
            self.limit_fields,
            self.reach,
            self.warn,
            basics.row(
                basics.label(tr("Palettes"), "soft"),
                1,
                keep_button(hand, at.Family.POSITION),
            ),
            self.chips,
            self.more,
            spacing=8,
        )

    def rebuild(self, counts: dict[str, int]) -> None:
        """Offer what the choice has."""
        rest = [
            n
            for n in counts
            if at.attribute(n).family == at.Family.POSITION and n not in links.AIMS
        ]
        self.more.set_names(rest, counts)
        for name, field in self.fields.items():
            field.low, field.high = self.hand.span(name)
            field.setVisible(name in counts)
        self.pad.setVisible(all(n in counts for n in links.AIMS))

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Show where the choice aims now."""
        self.more.show_values(counts, total)
        pans, tilts = self.hand.numbers(at.PAN), self.hand.numbers(at.TILT)
        for name, found in ((at.PAN, pans), (at.TILT, tilts)):
            show_span(self.fields[name], found, 1.0, self.hand.drafted(name))

        if len(pans) == len(tilts) and pans:
            spans, limits = self._spans()
            self.pad.show_points(list(zip(pans, tilts, strict=True)), spans, limits)
            self.free.setVisible(limits is not None)
            for fields, (low, high), now in zip(
                self.ends.values(), spans, limits or spans, strict=True
            ):
                for field, value in zip(fields, now, strict=True):
                    field.low, field.high = low, high
                    field.set_value(value)

        self._warn()

    def _spans(self) -> tuple[Spans, Spans | None]:
        """The widest spans of the types, and the limits where all the chosen have
        some.
        """
        heads = self.heads()
        spans = []
        for name in links.AIMS:
            ends = [
                v
                for k, c, _, _ in self.hand.kinds(name)
                for r in c.ranges
                if r.attribute == name
                for v in (r.low, r.high)
            ]
            spans.append((min(ends, default=-270.0), max(ends, default=270.0)))

        limited = [f for f in heads if f.limits.pan or f.limits.tilt]
        if not limited:
            return (spans[0], spans[1]), None
        return (spans[0], spans[1]), (self.hand.span(at.PAN), self.hand.span(at.TILT))

    def heads(self) -> list[Fixture]:
        """The chosen that have pan and tilt."""
        return [f for f in self.hand.fixtures(at.PAN) if f.id in self.hand.rig.axes]

    # aiming

    def send(self, link: str) -> None:
        """Send the chosen heads to a point or a mark; who cannot get there is named."""
        look, short = aims(
            self.hand.rig, self.parts.document.show, self.parts.selection.chosen, link
        )
        if look:
            self._tell_reach([self.parts.document.show.fixtures[i].name for i in short])
            self.parts.draft.touch(look)

    def _tell_reach(self, short: list[str]) -> None:
        self.reach.setText(
            tr(
                "▲ {short} cannot reach there; aimed as near as they can.",
                short=words.some(short),
            )
            if short
            else ""
        )
        self.reach.setVisible(bool(short))

    def flip_over(self) -> None:
        """The same direction from the other side: pan half a turn away, tilt the other
        way, where both are allowed.
        """
        values, items = self.hand.values(), []
        pans: list[Value] = []
        tilts: list[Value] = []
        rig = self.hand.rig

        for fixture in self.heads():
            pan, tilt = (
                float(values[rig.where[fixture.id][n][0][1]]) for n in links.AIMS
            )
            low, high = rig.span(fixture.id, at.PAN)
            ways = sorted(
                (pan + step for step in (180.0, -180.0)), key=lambda p: abs(p)
            )
            to = next((p for p in ways if low <= p <= high), None)
            bottom, top = rig.span(fixture.id, at.TILT)
            if to is not None and bottom <= -tilt <= top:
                items.append((fixture.id, 0))
                pans.append(to)
                tilts.append(-tilt)

        self.hand.give_each({at.PAN: pans, at.TILT: tilts}, items)
        if len(items) < len(self.heads()):
            self.parts.notices.told.emit(
                tr("Not all of them have the room to flip."), "info"
            )

    # limits and keep-out

    def _limiting(self, on: bool) -> None:
        self.pad.edit_limits(on)
        self.limit_fields.setVisible(on)

    def _limits_typed(self) -> None:
        """Limits by numbers; the two ends of one may be given in either order."""
        given = {}
        for name, fields in self.ends.items():
            low, high = sorted(f.value if f.value is not None else 0.0 for f in fields)
            given[name] = (low, max(high, low + 1.0))
        self._limited(given[at.PAN], given[at.TILT])

    def _limited(self, pan: Span | None, tilt: Span | None) -> None:
        changes = {}
        for fixture in self.heads():
            limits = Limits(_rounded(pan), _rounded(tilt))
            changes[fixture.id] = {"limits": limits}
        name = tr("limit movement") if pan else tr("take movement limits away")
        self.parts.document.edit(
            name, edits.change_fixtures(self.parts.document.show, changes)
        )

    def _warn(self) -> None:
        """Name the lit heads whose beams enter an area that is to be kept out of."""
        room = self.parts.document.show.room
        found: list[str] = []
        if room.keep_out or room.screen:
            heads = [f for f in self.hand.rig.fixtures.values() if self._shines(f)]
            for head in heads:
                area = self._area_hit(head, room)
                if area:
                    found.append(
                        tr("{name} shines into {area}", name=head.name, area=area)
                    )
        text = tr("▲ {found}.", found=words.some(found)) if found else ""
        if text != self.warn.text():
            self.warn.setText(text)
            self.warn.setVisible(bool(text))

    def _shines(self, fixture: Fixture) -> bool:
        """Whether a fixture is a head that is lit, or has no level of its own."""
        rig, values = self.hand.rig, self.hand.values()
        if fixture.id not in rig.axes:
            return False
        places = rig.where[fixture.id].get(at.DIMMER, ())
        return not places or any(values[row] > 0 for _, row in places)

    def _area_hit(self, head: Fixture, room: Room) -> str:
        """The name of the area that a head's beam enters; empty for none."""
        rig, values = self.hand.rig, self.hand.values()
        rows = rig.where[head.id]
        pan, tilt = (float(values[rows[name][0][1]]) for name in links.AIMS)
        way = sums.beam(rig.axes[head.id][None], [pan], [tilt])[0]
        start = (head.place.x, head.place.y, head.place.z)
        return reaching.kept_out(room, start, way.tolist())

    # marks

    def mark_at(self, point: tuple[float, ...]) -> None:
        """Keep a mark at a point."""
        show = self.parts.document.show
        name, sure = QInputDialog.getText(
            self,
            tr("Set a mark"),
            tr("Name of the mark"),
            text=tr("Mark {number}", number=len(show.marks) + 1),
        )
        if sure and name.strip():
            show, made = palettes.keep_mark(show, name, *(float(v) for v in point))
            look = {"any": links.aim(links.to_mark(made))}
            show, _ = palettes.keep_palette(
                show, show.marks[made].name, at.Family.POSITION, look
            )
            self.parts.document.edit(tr("set the mark {name}", name=name), show)

    def move_mark(self, mark_id: str, point: tuple[float, ...]) -> None:
        """Move a mark; what aims at it follows."""
        mark = self.parts.document.show.marks.get(mark_id)
        if mark is not None:
            x, y = (round(float(v), 3) for v in point[:2])
            moved = edits.replace(mark, x=x, y=y)
            self.parts.document.edit(
                tr("move {name}", name=mark.name),
                edits.put(self.parts.document.show, "marks", moved),
            )

    def _marks_menu(self) -> None:
        menu = Menu(self)
        for mark in self.parts.document.show.marks.values():
            fill_mark_menu(
                menu.addMenu(
                    tr(
                        "{name}  ({x:g}, {y:g}, {z:g} m)",
                        name=mark.name,
                        x=mark.x,
                        y=mark.y,
                        z=mark.z,
                    )
                ),
                self,
                mark,
            )

        if not self.parts.document.show.marks:
            menu.addAction(tr("There are no marks yet")).setEnabled(False)
        menu.exec(self.marks.mapToGlobal(self.marks.rect().bottomLeft()))

    def rename_mark(self, mark: Mark) -> None:
        """Ask for another name of a mark."""
        name, sure = QInputDialog.getText(
            self, tr("Rename the mark"), tr("Name"), text=mark.name
        )
        if not sure or not name.strip():
            return
        show = self.parts.document.show
        made = edits.rename(show, Ref(MARK, mark.id), name)
        called = made.marks[mark.id].name
        aims = links.aim(links.to_mark(mark.id))
        for palette in show.palettes.values():
            if palette.values == aims and palette.name == mark.name:
                made = edits.rename(made, Ref(PALETTE, palette.id), called)
        self.parts.document.edit(tr("rename {name}", name=mark.name), made)
        renaming.tell(self.parts, name, called)

    def place_mark(self, mark: Mark) -> None:
        """Type where a mark is."""
        text = tr("{x:g} / {y:g} / {z:g}", x=mark.x, y=mark.y, z=mark.z)
        given, sure = QInputDialog.getText(
            self,
            tr("Place the mark"),
            tr("Metres: to audience right / upstage / height"),
            text=text,
        )

        if not sure:
            return
        try:
            x, y, z = (float(part.replace(",", ".")) for part in given.split("/"))
        except ValueError:
            self.parts.notices.told.emit(
                tr(
                    "“{given}” is no place; the mark stays. Try 1.5 / 2 / 0",
                    given=given,
                ),
                "alarm",
            )
            return

        moved = edits.replace(mark, x=x, y=y, z=z)
        self.parts.document.edit(
            tr("place {name}", name=mark.name),
            edits.put(self.parts.document.show, "marks", moved),
        )

    def delete_mark(self, mark: Mark) -> None:
        """Delete a mark; what aims at it keeps its place."""
        users = palettes.aiming_at(self.parts.document.show, mark.id)
        draft = links.unlinked(
            self.parts.document.show,
            self.parts.engine.state.draft.look,
            links.to_mark(mark.id),
        )

        show = edits.remove(self.parts.document.show, Ref(MARK, mark.id))
        effects = unlinked(
            self.parts.document.show,
            self.parts.draft.effects,
            links.to_mark(mark.id),
        )

        self.parts.draft.edit(
            tr("delete the mark {name}", name=mark.name), show, draft, effects
        )

        kept = plural(
            len(users),
            "{users} still aims there.",
            "{users} still aim there.",
            users=words.some(users),
        )

        self.parts.notices.told.emit(
            sentences(
                tr("{name} is deleted.", name=mark.name),
                kept if users else "",
                tr("Ctrl+Z brings it back."),
            ),
            "info",
        )


def fill_mark_menu(menu: QMenu, panel: AimPanel, mark: Mark) -> None:
    """What can be done with a mark."""
    menu.addAction(tr("Aim at it"), lambda: panel.send(links.to_mark(mark.id)))
    menu.addAction(tr("Rename…"), lambda: panel.rename_mark(mark))
    menu.addAction(tr("Place by numbers…"), lambda: panel.place_mark(mark))
    menu.addAction(tr("Delete"), lambda: panel.delete_mark(mark))
