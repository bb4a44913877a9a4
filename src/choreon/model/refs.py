"""Ref: the one way to point at a thing of the show, whatever its kind."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import msgspec

from choreon.language import capital, tr
from choreon.model import attributes
from choreon.terms import term

if TYPE_CHECKING:
    from choreon.model.show import Show
    from choreon.model.tiles import AnyTile

MOST_NAMES = 3  # of what a tile plays, in its own name

TILE, MASTER, PLAYER, DRAFT = "tile", "master", "player", "draft"
ASIDE = "aside"  # lamps that are taken out of what plays
WALK = "walk"  # a deed of the window: the next lamp of a walk along the rig
CHOSEN = "chosen"  # a deed of the window: an attribute of the lamps that are chosen
CHOOSE = "choose"  # a deed of the window: the lamps of a group are chosen
TURN = "turn"  # a deed of the window: it turns to a page, or to the one beside
EDIT = "edit"  # a deed of the window: the last edit is taken back, or done again
LAMPS = "lamps"  # an attribute of certain lamps, given by a hand of its own
PAGE = "page"
DEED = "deed"  # something done to all that plays
SOUND = "sound"
IMAGE = "image"
PALETTE, MARK, GROUP, FIXTURE, TYPE = "palette", "mark", "group", "fixture", "type"

COLLECTION_OF = {
    MASTER: "masters",
    PALETTE: "palettes",
    MARK: "marks",
    GROUP: "groups",
    FIXTURE: "fixtures",
    TYPE: "types",
    PAGE: "pages",
    "input": "inputs",
    "output": "outputs",
    "picture": "pictures",
    SOUND: "sounds",
    IMAGE: "images",
    "surface": "surfaces",
    "desk": "desks",
    "send": "sends",
}
"""Kind → the collection of the show that holds it. All that plays is in `playables`,
tiles lie on pages."""


class Ref(msgspec.Struct, frozen=True, order=True):
    """Points at what is called `id` among the things of a kind."""

    kind: str
    id: str

    def __str__(self) -> str:
        return f"{self.kind}:{self.id}"


GRAND = Ref(MASTER, "grand")
BLACKOUT = Ref(MASTER, "blackout")
TEMPO = Ref(MASTER, "tempo")
THE_DRAFT = Ref(DRAFT, "")


DEEDS = {
    "release": tr("Let all go"),
    "safe": tr("Safe look"),
    "undo": tr("Back to before"),
    "normal": tr("Everything back to normal"),
}
"""What can be done to all that plays, and what it is called."""


def to_deed(deed: str) -> Ref:
    """Points at something that is done to all that plays."""
    return Ref(DEED, deed)


TURNS = {"next": tr("Next page"), "back": tr("Page before")}
"""Pages that the window can turn to, whatever they are called."""


EDITS = {"undo": tr("Undo the last edit"), "redo": tr("Redo it")}
"""What can be done to edits of the show, and what it is called."""


COLOURS = {"hue": tr("Hue"), "strength": tr("Strength")}
"""What is turned of a colour beside its attributes."""


def to_lamps(attribute: str, of: Ref) -> Ref:
    """Points at an attribute of a fixture, or of those of a group."""
    return Ref(LAMPS, f"{attribute} {of}")


def lamps_of(ref: Ref) -> tuple[str, Ref]:
    """Returns the attribute of certain lamps that a ref points at, and which lamps."""
    attribute, _, of = ref.id.partition(" ")
    kind, _, name = of.partition(":")
    return attribute, Ref(kind, name)


def parse(text: str) -> Ref:
    """Read what `str(ref)` gave. Raises ValueError where kind or id is missing."""
    kind, colon, thing_id = text.partition(":")
    if not kind or not colon:
        raise ValueError(
            tr("“{text}” points at nothing: it should be KIND:ID", text=text)
        )
    return Ref(kind, thing_id)


def to_tile(tile_id: str) -> Ref:
    """Returns the ref to a tile."""
    return Ref(TILE, tile_id)


def find(show: Show, ref: Ref) -> Any | None:
    """Returns what a ref leads to; None where it is gone."""
    if ref.kind == TILE:
        found = show.tile(ref.id)
        return found[1] if found else None
    collection = COLLECTION_OF.get(ref.kind)
    if collection is not None:
        return getattr(show, collection).get(ref.id)
    playable = show.playables.get(ref.id)
    return playable if playable is not None and playable.kind == ref.kind else None


def exists(show: Show, ref: Ref) -> bool:
    """Returns whether a ref leads to something."""
    if ref.kind == DEED:
        return ref.id in DEEDS
    if ref.kind in (CHOSEN, WALK):
        return True
    if ref.kind == EDIT:
        return ref.id in EDITS
    if ref.kind == LAMPS:
        return exists(show, lamps_of(ref)[1])
    if ref.kind == CHOOSE:
        return ref.id in show.groups
    if ref.kind == TURN:
        return ref.id in TURNS or ref.id in show.pages
    return find(show, ref) is not None


def name_of(show: Show, ref: Ref) -> str:
    """Returns the name of what a ref leads to; a tile without one is called after what
    it plays. Where the thing is gone, its kind and id.
    """
    if ref.kind in _NAMES:
        return _NAMES[ref.kind](show, ref)
    found = find(show, ref)
    if found is None:
        return f"{ref.kind} {ref.id}"
    if ref.kind == TILE and not found.name:
        return _name_of_tile(show, found)
    return str(found.name)


def _name_of_lamps(show: Show, ref: Ref) -> str:
    attribute, of = lamps_of(ref)
    called = attributes.attribute(attribute).label
    return tr("{attribute} of {lamps}", attribute=called, lamps=name_of(show, of))


def _name_of_chosen(show: Show, ref: Ref) -> str:
    called = COLOURS.get(ref.id) or attributes.attribute(ref.id).label
    return tr("{attribute} of the chosen", attribute=called)


def _name_of_choice(show: Show, ref: Ref) -> str:
    return tr("Choose {group}", group=name_of(show, Ref(GROUP, ref.id)))


def _name_of_turn(show: Show, ref: Ref) -> str:
    if ref.id in TURNS:
        return TURNS[ref.id]
    return tr("Page {page}", page=name_of(show, Ref(PAGE, ref.id)))


_NAMES: dict[str, Callable[[Show, Ref], str]] = {
    DEED: lambda show, ref: DEEDS.get(ref.id, ref.id),
    EDIT: lambda show, ref: EDITS.get(ref.id, ref.id),
    LAMPS: _name_of_lamps,
    CHOSEN: _name_of_chosen,
    CHOOSE: _name_of_choice,
    TURN: _name_of_turn,
}
"""What is called after something else."""


def _name_below(show: Show, ref: Ref, deep: int) -> str:
    """The name of what a tile acts on; of one that may act on itself, no deeper than
    so many tiles.
    """
    found = find(show, ref)
    if ref.kind != TILE or found is None or found.name:
        return name_of(show, ref)
    return _name_of_tile(show, found, deep - 1)


DEEPEST_NAME = 4  # tiles that are called after each other


def _name_of_tile(show: Show, tile: AnyTile, deep: int = DEEPEST_NAME) -> str:
    """A tile without a name is called after what it acts on."""
    leads_to = tile.leads_to
    if not leads_to or deep <= 0:
        return capital(term(tile.kind))
    names = [_name_below(show, ref, deep) for ref in leads_to if exists(show, ref)]
    if not names:
        return name_of(show, leads_to[0])
    return " + ".join(names[:MOST_NAMES])
