"""What is done with palettes: taken, updated, renamed, deleted, kept."""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog, QWidget

from choreon.language import plural, sentences, tr
from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model import effects as model_effects
from choreon.model.refs import PALETTE, Ref
from choreon.model.show import Palette, Show
from choreon.model.values import Look, Value
from choreon.terms import term
from choreon.ui import renaming, words
from choreon.ui.parts import Parts


def colour_of(palette: Palette) -> tuple[float, float, float] | None:
    """The colour that a palette gives by meaning, linear light."""
    parts = [palette.values.get(n) for n in at.TARGET_COLOUR]
    if any(not isinstance(p, float | int) for p in parts):
        return None
    r, g, b = (float(p) for p in parts if isinstance(p, float | int))
    return r, g, b


def used_by(users: list[str]) -> str:
    """“used by 2 scenes: Mudlight and Spring Tide”."""
    return (
        plural(
            len(users),
            "used by {n} scene: {users}",
            "used by {n} scenes: {users}",
            users=words.some(users),
        )
        if users
        else tr("used by no scene")
    )


def users_of(show: Show, palette_id: str) -> list[str]:
    """Returns the names of what uses a palette."""
    return [user.name for user in palettes.users(show, palette_id)]


def take(parts: Parts, palette: Palette) -> None:
    """Take a palette's values into the draft, to change them and then update it."""
    targets = parts.selection.chosen or tuple(palette.each) or _takers(parts, palette)
    look: Look = {}
    for fixture in targets:
        own = _held(parts, palette, fixture)
        if own:
            look[fixture] = own
    if look:
        parts.draft.take(Ref(PALETTE, palette.id), look)


def _takers(parts: Parts, palette: Palette) -> tuple[str, ...]:
    """The fixtures that have an attribute which the palette gives."""
    return tuple(
        fixture
        for fixture in parts.document.show.fixtures
        if any(parts.preview.takes(fixture, name) for name in palette.values)
    )


def _held(parts: Parts, palette: Palette, fixture: str) -> dict[str, Value]:
    """What the palette gives a fixture."""
    show = parts.document.show
    own: dict[str, Value] = {}
    for name in links.names_in(show, palette, fixture):
        value = links.held(show, palette, fixture, name)
        if value is not None and parts.preview.takes(fixture, name):
            own[name] = value
    return own


def update(parts: Parts, palette_id: str) -> None:
    """Lay what the draft has of a palette's family over it; that part of the draft is
    let go, the rest stays.
    """
    palette = parts.document.show.palettes[palette_id]
    look = parts.engine.state.draft.look
    rest = palettes.part(look, {f for f in at.Family if f != palette.family})
    users = len(palettes.users(parts.document.show, palette_id))
    show = palettes.update_palette(parts.document.show, palette_id, look)
    parts.draft.edit(tr("update {name}", name=palette.name), show, rest)
    parts.notices.told.emit(
        plural(
            users,
            "{name} is updated, and {n} scene with it.",
            "{name} is updated, and {n} scenes with it.",
            name=palette.name,
        ),
        "info",
    )


def rename(parent: QWidget, parts: Parts, palette: Palette) -> None:
    """Ask for another name of a palette."""
    renaming.ask(parent, parts, Ref(PALETTE, palette.id), tr("Rename the palette"))


def delete(parts: Parts, palette: Palette) -> None:
    """Delete a palette: what used it, the draft too, keeps its values."""
    users = [s.name for s in palettes.users(parts.document.show, palette.id)]
    link = links.to_palette(palette.id)
    draft = parts.engine.state.draft.look
    plain = links.unlinked(parts.document.show, draft, link)
    parts.draft.edit(
        tr("delete the palette {name}", name=palette.name),
        edits.remove(parts.document.show, Ref(PALETTE, palette.id)),
        plain,
        model_effects.unlinked(parts.document.show, parts.draft.effects, link),
    )

    kept = plural(
        len(users),
        "{users} keeps its values.",
        "{users} keep its values.",
        users=words.some(users),
    )

    parts.notices.told.emit(
        sentences(
            tr("{name} is deleted.", name=palette.name),
            kept if users else "",
            tr("Ctrl+Z brings it back."),
        ),
        "info",
    )


def ask_to_keep(parent: QWidget, parts: Parts, family: at.Family) -> None:
    """Ask for a name and keep what the draft has of a family as a palette: of the
    chosen fixtures where they have some of it.
    """
    own = palettes.part(parts.engine.state.draft.look, {family})
    if not own:
        parts.notices.told.emit(
            tr(
                "The draft has nothing of {family} yet: give it first, then keep it.",
                family=term(family),
            ),
            "alarm",
        )
        return

    chosen = palettes.part(own, {family}, parts.selection.chosen)
    name, sure = QInputDialog.getText(
        parent, tr("Keep a palette"), tr("Name of the {family} palette", family=family)
    )

    if sure and name.strip():
        show, palette_id = palettes.keep_palette(
            parts.document.show, name, family, chosen or own
        )
        step = tr("keep the palette {name}", name=show.palettes[palette_id].name)
        parts.document.edit(step, show)


def shining(parts: Parts, palette: Palette) -> Look:
    """Returns a palette on all that take it, lit, so that it can be seen."""
    rig, show = parts.preview.compiled.rig, parts.document.show
    look: Look = {}
    for fixture in rig.fixtures:
        names = [
            n for n in links.names_in(show, palette, fixture) if rig.takes(fixture, n)
        ]
        if names:
            look[fixture] = dict.fromkeys(names, links.to_palette(palette.id))
            if rig.has(fixture, at.DIMMER):
                look[fixture].setdefault(at.DIMMER, 0.8)
    return look
