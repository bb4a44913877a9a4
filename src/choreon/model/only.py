"""A part of a scene: what concerns some fixtures, or some families."""

from __future__ import annotations

from collections.abc import Collection, Iterable

import msgspec

from choreon.model import effects as model_effects
from choreon.model import palettes
from choreon.model.edits import fresh_id, fresh_name, names_in, put
from choreon.model.motion import Effect, Effects, family
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look

replace = msgspec.structs.replace


def only(
    show: Show,
    look: Look,
    effects: Effects,
    families: Collection[str],
    fixtures: Collection[str] | None = None,
) -> tuple[Look, Effects]:
    """Returns what a look and its effects have of some families, for some fixtures or,
    for None, for all.
    """
    kept = [e for e in effects if family(model_effects.motion_of(show, e)) in families]
    if fixtures is not None:
        kept = list(model_effects.on_fixtures(show, tuple(kept), fixtures))
    return palettes.part(look, families, fixtures), _with_own_clocks(kept)


def _with_own_clocks(effects: Iterable[Effect]) -> Effects:
    """Effects, of which those whose clock is that of one that is not there have their
    own.
    """
    kept = tuple(effects)
    ids = {effect.id for effect in kept}
    return tuple(
        effect if not effect.clock or effect.clock in ids else replace(effect, clock="")
        for effect in kept
    )


def keep_part(
    show: Show, scene: Scene, name: str, look: Look, effects: Effects
) -> tuple[Show, Ref]:
    """Store a part of a scene as a scene of its own, with the same times and folder;
    returns the show and the ref to it.
    """
    name = fresh_name(name.strip() or scene.name, names_in(show, "playables"))
    made = replace(
        scene,
        id=fresh_id(name, show.playables),
        name=name,
        look=look,
        effects=effects,
    )

    return put(show, "playables", made), made.ref
