"""Motion: the effects of those chosen, each a line with a small moving curve, and the
form of the one in hand. Everything goes to the draft.
"""

from __future__ import annotations

import time
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QShowEvent,
)
from PySide6.QtWidgets import QInputDialog, QSizePolicy, QVBoxLayout, QWidget

from choreon.language import capital, plural, sentences, tr
from choreon.model import attributes as at
from choreon.model import chases, edits, links
from choreon.model import effects as model_effects
from choreon.model.effects import motion_of, rate_of
from choreon.model.motion import (
    AnyMotion,
    By,
    ColourRoll,
    ColourStop,
    Effect,
    Effects,
    Path,
    Plane,
    Wave,
    title,
)
from choreon.model.refs import PALETTE, Ref, name_of
from choreon.render import bake, choice
from choreon.render.compiled import compile_show
from choreon.render.effects import (
    CompiledEffects,
    lacking,
    phases,
    row_of,
)
from choreon.render.rig import Floats
from choreon.ui import palettes as palette_deeds
from choreon.ui import theme, words
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.motion_fields import FORMS
from choreon.ui.compose.motion_form import MotionForm
from choreon.ui.compose.ways import seen, ways_of
from choreon.ui.stage.path_on_stage import CENTRE, SIZE, PathOnStage
from choreon.ui.widgets import basics
from choreon.ui.widgets.aim_pad import AimPad
from choreon.ui.widgets.curves import draw_motion
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Role, Spoken

TALL = 40  # pixels of a line
LINK = 14  # pixels of the sign that an effect follows a palette
RATE = 80  # milliseconds between pictures of what moves: 12 a second
DENSITY = 16  # steps that an effect is baked into, unless another number is asked for


class EffectLine(QWidget):
    """One effect: its curve, what it is, whether it is on, and ways to take it out."""

    picked = Signal(str)

    def __init__(self, panel: MotionPanel, effect: Effect) -> None:
        super().__init__()
        self.panel, self.effect = panel, effect
        self.setFixedHeight(TALL)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

        self.toggle = basics.tool("eye", tr("On or off"), self._toggle, checkable=True)
        self.toggle.setChecked(effect.on)
        self.up = basics.tool("up", tr("Do it before the one above"), self._up)
        self.out = basics.tool("trash", tr("Take this effect out"), self._out)

        for button in (self.toggle, self.up, self.out):
            button.setFixedWidth(32)

        row = basics.row(1, self.toggle, self.up, self.out, spacing=0)
        basics.stack(self, row).setContentsMargins(120, 2, 2, 2)
        self.show_effect(effect)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        is_on = self.effect.on
        return Spoken(Role.ListItem, tr("on") if is_on else tr("off"), is_on=is_on)

    @property
    def motion(self) -> AnyMotion:
        """What moves."""
        return motion_of(self.panel.parts.document.show, self.effect)

    def show_effect(self, effect: Effect) -> None:
        """Show an effect as it is now."""
        self.effect = effect
        self.toggle.setChecked(effect.on)
        name = title(self.motion)
        self.setAccessibleName(name)
        self.setToolTip(tr("{name}: press to change it", name=name))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(260, TALL)

    def _toggle(self) -> None:
        on = replace(self.effect, on=self.toggle.isChecked())
        self.panel.put(on, tr("switch an effect"))

    def _up(self) -> None:
        self.panel.move_up(self.effect.id)

    def _out(self) -> None:
        self.panel.take_out(self.effect.id)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        chosen = self.panel.chosen == self.effect.id
        painter.setBrush(QColor(theme.LIFT if chosen else theme.FLAT))

        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
            painter.drawRoundedRect(frame, theme.RADIUS, theme.RADIUS)

        show = self.panel.parts.document.show
        painter.setOpacity(1.0 if self.effect.on else 0.35)
        position = self.panel.position_of(self.effect)
        draw_motion(painter, QRectF(8, 8, 44, TALL - 16), show, self.motion, position)
        painter.setPen(QColor(theme.TEXT))

        painter.setFont(theme.font(13))
        beside = self.toggle.mapTo(self, QPoint(0, 0)).x()
        room = QRectF(60, 0, beside - 60 - 6, TALL)
        called = title(self.motion)
        palette = show.palettes.get(self.effect.palette)

        if palette is not None:
            called = palette.name
            theme.icon("link").paint(painter, 60, (TALL - LINK) // 2, LINK, LINK)
            room.setLeft(room.left() + LINK + 6)

        name = painter.fontMetrics().elidedText(
            called, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take this one in hand."""
        self.setFocus()
        self.picked.emit(self.effect.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter takes it in hand, Del takes it out."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.picked.emit(self.effect.id)
        elif event.key() == Qt.Key.Key_Delete:
            self._out()
        else:
            super().keyPressEvent(event)


class MotionPanel(QWidget):
    """The draft's effects on those chosen."""

    in_hand = Signal(object)
    """The effect in hand changed; None for none."""
    baked = Signal(Ref)

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.hand, self.parts = hand, hand.parts
        self.chosen = ""
        self.lines: dict[str, EffectLine] = {}
        self.counts: dict[str, int] = {}

        self._make_adds()
        self._make_list()
        self._make_pad()
        self.form = MotionForm(self.parts)
        self.form.changed.connect(self.put)

        self._make_deeds()

        basics.stack(
            self,
            flow(*self.adds, self.add_other, spacing=3),
            self.hint,
            self.from_scene,
            self.list,
            self.warning,
            self.pad,
            self.form,
            self.deeds,
            spacing=6,
        )

        self._tick = QTimer(self, interval=RATE)
        self._tick.timeout.connect(self._animate)
        self.parts.engine.state_changed.connect(lambda _: self._fill())
        self.parts.document.show_changed.connect(lambda _: self._fill())

    def _make_adds(self) -> None:
        """What adds an effect."""
        self.add_level = basics.button(tr("Level"), self._add_level, "", "plus", ADD)
        self.add_colour = basics.button(tr("Colour"), self._add_colour, "", "plus", ADD)
        self.add_aim = basics.button(tr("Aim"), self._add_aim, "", "plus", ADD)
        self.add_other = basics.tool(
            "more", tr("Add an effect on any one attribute"), self._other_menu
        )
        self.adds = (self.add_level, self.add_colour, self.add_aim)

        for button in self.adds:
            button.setStyleSheet("padding: 5px 6px; min-width: 20px;")

    def _make_list(self) -> None:
        """The effects there are, and what is to be said of them."""
        self.hint = basics.label(
            tr(
                "No effects on these yet. Add one, or point at the ready ones under "
                "Motions on the shelf."
            ),
            "soft",
            wrap=True,
        )

        self.from_scene = basics.label("", "small", wrap=True)
        self.list = QWidget()
        self.box = QVBoxLayout(self.list)
        self.box.setContentsMargins(0, 0, 0, 0)

        self.box.setSpacing(3)

        self.warning = basics.label("", "alarm", wrap=True)
        self.warning.hide()

    def _make_pad(self) -> None:
        """The ways of heads around their aims."""
        self.pad = AimPad()
        self.pad.setFixedHeight(110)
        self.pad.setToolTip(
            tr(
                "The heads on their ways, pan across and tilt up: drag moves them, the "
                "wheel makes the ways larger or smaller"
            )
        )
        self.pad.nudged.connect(self._nudge)
        self.pad.sized.connect(self._size)
        self.pad.hide()

    def _make_deeds(self) -> None:
        """What can be done with the one in hand."""
        self.keep = basics.button(
            tr("Keep…"), self.ask_to_keep, "", "keep", tr("Keep it as a motion palette")
        )
        self.update_ = basics.button(
            tr("Update…"),
            self._update_menu,
            "",
            "",
            tr("Give a motion palette this motion"),
        )

        self.unlink = basics.button(
            tr("Unlink"), self._unlink, "", "unlink", tr("Have its own motion")
        )

        self.bake = basics.button(
            tr("To steps…"),
            self.ask_to_bake,
            "",
            "steps",
            tr("Make a chase of the draft's look with its effects; they stay"),
        )

        for button in (self.keep, self.update_, self.unlink, self.bake):
            button.setStyleSheet("padding: 5px 6px; min-width: 20px;")

        self.deeds = basics.row(
            self.keep, self.update_, self.unlink, self.bake, 1, spacing=3
        )

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()
        self._fill()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()
        self.in_hand.emit(None)

    # what there is

    def effects(self) -> Effects:
        """Returns the draft's effects that move some of those chosen."""
        show = self.parts.document.show
        wanted = set(self.parts.selection.chosen)
        return tuple(
            effect
            for effect in self.parts.draft.effects
            if wanted & set(model_effects.fixtures_of(show, effect))
        )

    @property
    def effect(self) -> Effect | None:
        """The effect in hand."""
        return next((e for e in self.effects() if e.id == self.chosen), None)

    def rebuild(self, counts: dict[str, int]) -> None:
        """Offer what the choice has."""
        self.counts = counts
        self.add_level.setEnabled(at.DIMMER in counts)
        self.add_colour.setEnabled(at.RED in counts)
        self.add_aim.setEnabled(at.PAN in counts)
        self._fill()

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Nothing here shows values."""

    def _fill(self) -> None:
        if not self.isVisible():
            return

        effects = self.effects()
        if [e.id for e in effects] != list(self.lines):
            basics.clear(self.box)
            self.lines = {}

            for effect in effects:
                line = EffectLine(self, effect)
                line.picked.connect(self.pick)
                self.lines[effect.id] = line
                self.box.addWidget(line)

        for effect in effects:
            self.lines[effect.id].show_effect(effect)

        if self.chosen not in self.lines:
            self.chosen = next(iter(self.lines), "")

        self.hint.setVisible(not effects)
        self._tell_scenes()
        self._show_chosen()

    def _tell_scenes(self) -> None:
        """Say which effects on these play without being in the draft."""
        show, chosen = self.parts.document.show, set(self.parts.selection.chosen)
        found = []
        for player in self.parts.engine.state.players:
            scene = show.playables.get(player.ref.id)
            for effect in getattr(scene, "effects", ()):
                if effect.on and chosen & set(model_effects.fixtures_of(show, effect)):
                    found.append(
                        tr(
                            "{title} by {name}",
                            title=title(motion_of(show, effect)),
                            name=player.name,
                        )
                    )

        text = (
            tr("Playing on these: {found}.", found=words.some(found)) if found else ""
        )

        self.from_scene.setText(text)
        self.from_scene.setVisible(bool(text))

    def _show_chosen(self) -> None:
        effect = self.effect
        show = self.parts.document.show
        kind = "" if effect is None else motion_of(show, effect).kind

        for widget in (self.form, self.deeds):
            widget.setVisible(kind in FORMS)

        self.warning.setVisible(False)
        if effect is None:
            self.pad.hide()
            self.in_hand.emit(None)
            return

        if kind in FORMS:
            self.form.show_effect(effect, self.parts.draft.effects)

        self.unlink.setVisible(bool(effect.palette))
        self.update_.setVisible(bool(self._palettes()) and not effect.palette)
        text = self._told(effect)
        self.warning.setText(text)
        self.warning.setVisible(bool(text))

        self._show_ways()
        self.in_hand.emit(effect)

    def _told(self, effect: Effect) -> str:
        """What is to be known of an effect before it is trusted."""
        show, compiled = self.parts.document.show, self.parts.preview.compiled
        said = []
        motion = motion_of(show, effect)

        if motion.kind not in FORMS:
            said.append(
                tr(
                    "{title}: it moves nothing, and is kept.",
                    title=capital(title(motion)),
                )
            )

        missing = lacking(show, compiled.rig, effect)
        if missing:
            names = words.some([show.fixtures[i].name for i in missing])
            what = title(motion)
            said.append(
                tr(
                    "{names} cannot do this ({what}); the rest does.",
                    names=names,
                    what=what,
                )
            )

        moving = self._moving()
        if moving is not None:
            by_trouble: dict[str, list[str]] = {}
            for fixture, trouble in moving.troubles.get(effect.id, {}).items():
                name = show.fixtures[fixture].name
                by_trouble.setdefault(str(trouble), []).append(name)

            said += [
                tr("{who}: {what}.", who=words.some(who), what=what)
                for what, who in by_trouble.items()
            ]

        return tr("▲ {told}", told=sentences(*said)) if said else ""

    def position_of(self, effect: Effect) -> float:
        """Returns where an effect is now, in cycles."""
        state = self.parts.engine.state
        now = time.monotonic()
        own = state.draft.going.time(now, state.beat(now))
        show = self.parts.document.show
        rate = rate_of(show, effect, self.parts.draft.effects)
        ahead = state.draft.going.offsets.get(effect.id, 0.0)
        return rate.cycles(*own[:2]) + effect.start + ahead

    def _nudge(self, pan: float, tilt: float) -> None:
        """Move the middle of the ways."""
        self.hand.look_again()
        self.hand.nudge({at.PAN: pan, at.TILT: tilt})

    def _size(self, times: float) -> None:
        motion = self.form.motion
        if isinstance(motion, Path):
            size = round(max(0.1, motion.size * times), 2)
            self.form.put_motion(replace_motion(motion, size=size))

    def _show_ways(self) -> None:
        """Show heads around their aims on the pad."""
        effect, moving = self.effect, self._moving()
        motion = None if effect is None else motion_of(self.parts.document.show, effect)
        around = isinstance(motion, Path) and not motion.in_room
        self.pad.setVisible(around)
        if not around or effect is None or moving is None:
            return
        heads, values = self.hand.rig.heads, self.parts.preview.values()
        ways = ways_of(moving, effect.id, heads, values, self.position_of(effect))
        if ways.which:
            spans = self.pad.spans if self.pad.held else seen(ways, heads)
            self.pad.show_points(ways.points, spans)
        self.pad.show_paths(ways.lines)

    def phases(self) -> dict[str, float]:
        """Returns by how many degrees each lamp of the effect in hand is behind; of
        cells the first.
        """
        effect = self.effect
        if effect is None:
            return {}
        show = self.parts.document.show
        items = row_of(show, self.hand.rig, effect)
        phase, _ = phases(items, effect, motion_of(show, effect))
        found: dict[str, float] = {}
        for (fixture, _), behind in zip(items, phase.tolist(), strict=True):
            found.setdefault(fixture, round(-360.0 * behind, 1) % 360.0)
        return found

    def runners(self) -> Floats:
        """Returns where on the path in hand each head is now (n, 3), metres."""
        effect, moving = self.effect, self._moving()
        if effect is None or moving is None:
            return np.zeros((0, 3))
        for op in moving.ops:
            if op.running.id == effect.id:
                points = op.points(self.position_of(effect))
                if len(points):
                    return points
        return np.zeros((0, 3))

    def drag_path(self, handle: str, place: tuple[float, ...]) -> None:
        """A handle of the path in the stage picture was dragged to a place."""
        effect = self.effect
        motion = None if effect is None else motion_of(self.parts.document.show, effect)
        if effect is None or not isinstance(motion, Path):
            return

        shown = PathOnStage(self.parts.document.show, effect, motion)
        if handle == CENTRE:
            kept = shown.centre
            height = float(kept[2]) if motion.plane == Plane.FLOOR else place[2]
            x, y = place[0], place[1]

            if motion.plane == Plane.WALL:
                y = float(kept[1])

            self.form.put_motion(
                replace_motion(motion, centre=links.to_point((x, y, height)))
            )
        elif handle == SIZE:
            size = round(shown.size_at(place), 2)
            self.form.put_motion(replace_motion(motion, size=size))
        else:
            points = list(motion.points)
            points[int(handle)] = shown.point_at(place)
            self.form.put_motion(replace_motion(motion, points=tuple(points)))

    def _moving(self) -> CompiledEffects | None:
        draft = self.parts.engine.state.draft
        found = self.parts.preview.compiled.draft(draft.look, draft.effects)
        return found if isinstance(found, CompiledEffects) else None

    def _animate(self) -> None:
        for line in self.lines.values():
            if line.effect.on and not line.visibleRegion().isEmpty():
                line.update()
        if self.pad.isVisible():
            self._show_ways()

    def pick(self, effect_id: str) -> None:
        """Take an effect in hand."""
        self.chosen = effect_id
        for line in self.lines.values():
            line.update()
        self._show_chosen()

    # adding

    def add(self, motion: AnyMotion, palette: str = "") -> str:
        """Add an effect on those chosen; returns its id."""
        effect = self.made(motion, palette)
        self.parts.draft.set_effect(tr("add {title}", title=title(motion)), effect)
        self.chosen = effect.id
        self._fill()
        return effect.id

    def made(self, motion: AnyMotion, palette: str = "") -> Effect:
        """Returns an effect on those chosen."""
        selection, rig = self.parts.selection, self.hand.rig
        cells = any(choice.cell_count(rig, i) > 1 for i in selection.chosen)
        return Effect(
            id=model_effects.fresh_effect_id(self.parts.draft.effects, motion.kind),
            motion=motion,
            fixtures=selection.chosen,
            cells=dict(selection.cells),
            by=By.CELLS if cells else By.FIXTURES,
            palette=palette,
        )

    def _add_level(self) -> None:
        self.add(Wave())

    def _add_colour(self) -> None:
        found = self.hand.colours()
        first = found[0] if found else (1.0, 0.0, 0.0)
        other = (0.05, 0.1, 1.0) if first[2] < 0.6 else (1.0, 0.3, 0.0)
        self.add(ColourRoll(stops=(ColourStop(first), ColourStop(other))))

    def _add_aim(self) -> None:
        self.add(Path())

    def _other_menu(self) -> None:
        menu = Menu(self)
        taken = {at.DIMMER, *at.TARGET_COLOUR}
        for name in sorted(self.counts, key=lambda n: at.attribute(n).label):
            known = at.attribute(name)
            plain = name not in taken and not known.program and not known.command
            if plain and known.family != at.Family.DEVICE:
                menu.addAction(known.label, partial(self.add_wave, name))
        if menu.isEmpty():
            menu.addAction(tr("These have nothing else to move")).setEnabled(False)
        menu.exec(self.add_other.mapToGlobal(self.add_other.rect().bottomLeft()))

    def add_wave(self, name: str) -> None:
        """Add a wave on any one attribute."""
        low, high = self.hand.span(name)
        self.add(Wave(attribute=name, low=low, high=high))

    # changing

    def put(self, effect: Effect, what: str) -> None:
        """Change an effect of the draft."""
        self.parts.draft.set_effect(what, effect)

    def move_up(self, effect_id: str) -> None:
        """Have an effect come before the one above it."""
        effects = self.parts.draft.effects
        index = [e.id for e in effects].index(effect_id)
        moved = model_effects.moved_effect(effects, effect_id, max(0, index - 1))
        self.parts.draft.set_effects(tr("order effects"), moved)

    def take_out(self, effect_id: str) -> None:
        """Take an effect out of the draft."""
        kept = model_effects.without_effect(self.parts.draft.effects, effect_id)
        self.parts.draft.set_effects(tr("take an effect out"), kept)

    # palettes

    def _palettes(self) -> list[str]:
        known = self.parts.document.show.palettes.values()
        return [palette.id for palette in known if palette.motion is not None]

    def ask_to_keep(self) -> None:
        """Keep the motion in hand as a palette; the effect follows it from then on."""
        effect = self.effect
        if effect is None:
            return

        motion = motion_of(self.parts.document.show, effect)
        name, sure = QInputDialog.getText(
            self,
            tr("Keep a motion"),
            tr("Name of the motion"),
            text=capital(title(motion)),
        )

        if not sure or not name.strip():
            return

        document, draft = self.parts.document, self.parts.draft
        show, palette = model_effects.keep_motion(document.show, name, motion)
        linked = replace(effect, palette=palette)
        effects = model_effects.with_effect(draft.effects, linked)
        called = name_of(show, Ref(PALETTE, palette))
        document.edit(tr("keep the motion {called}", called=called), show)

        draft.set_effects(tr("follow the motion {called}", called=called), effects)
        self.parts.notices.told.emit(
            tr("{called} is kept among the motions.", called=called), "info"
        )

    def _update_menu(self) -> None:
        menu = Menu(self)
        show = self.parts.document.show
        for palette_id in self._palettes():
            palette = show.palettes[palette_id]
            used = palette_deeds.users_of(show, palette_id)
            menu.addAction(
                tr(
                    "{name}: {used_by}",
                    name=palette.name,
                    used_by=palette_deeds.used_by(used),
                ),
                partial(self.update_palette, palette_id),
            )
        menu.exec(self.update_.mapToGlobal(self.update_.rect().topLeft()))

    def update_palette(self, palette_id: str) -> None:
        """Give a motion palette the motion in hand; all that follows it does so."""
        effect = self.effect
        if effect is None:
            return

        document = self.parts.document
        motion = motion_of(document.show, effect)
        show = model_effects.update_motion(document.show, palette_id, motion)
        name = name_of(show, Ref(PALETTE, palette_id))
        document.edit(tr("update the motion {name}", name=name), show)

        self.put(
            replace(effect, palette=palette_id),
            tr("follow the motion {name}", name=name),
        )

        users = len(palette_deeds.users_of(show, palette_id))
        self.parts.notices.told.emit(
            plural(
                users,
                "{name} is updated, and what uses it ({n}).",
                "{name} is updated, and all that use it ({n}).",
                name=name,
            ),
            "info",
        )

    def _unlink(self) -> None:
        effect = self.effect
        if effect is not None:
            motion = motion_of(self.parts.document.show, effect)
            own = replace(effect, palette="", motion=motion)
            self.put(own, tr("unlink an effect"))

    # baking

    def ask_to_bake(self) -> None:
        """Ask into how many steps."""
        count, sure = QInputDialog.getInt(
            self,
            tr("Steps of a chase"),
            tr("Steps in a cycle"),
            DENSITY,
            bake.LEAST,
            bake.MOST,
        )
        if sure:
            self.bake_into(count)

    def bake_into(self, count: int) -> None:
        """Make a chase of the draft's look with its effects; the draft stays."""
        document, draft = self.parts.document, self.parts.draft
        show, scene = edits.keep_scene(
            document.show, tr("Baked"), draft.look, 1.0, 1.0, effects=draft.effects
        )
        made = compile_show(show, self.parts.preview.compiled)
        baked = bake.bake(made, scene, draft.effects, count)

        if not baked.steps:
            text = tr("There is nothing here that could become steps: no effect is on.")
            self.parts.notices.told.emit(text, "alarm")
            return

        show, chase = chases.keep_chase(
            document.show,
            tr("Baked"),
            baked.steps,
            unit=baked.unit,
            fade=baked.fade,
            hold=0.0,
        )

        name = name_of(show, chase)
        document.edit(tr("bake {name}", name=name), show)
        self.parts.notices.told.emit(
            tr(
                "{name} has {n} steps. The draft stays as it is.",
                name=name,
                n=len(baked.steps),
            ),
            "info",
        )

        self.baked.emit(chase)


ADD = tr("Add an effect on those chosen")


replace_motion = model_effects.replace


def replace(effect: Effect, **changes: object) -> Effect:
    """Returns an effect with fields changed."""
    return model_effects.replace(effect, **changes)
