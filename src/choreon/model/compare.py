"""What differs between two states of a show, thing by thing, in words."""

from __future__ import annotations

from typing import Any

import msgspec

from choreon.language import capital, facts, listed, tr
from choreon.model.playables import AnyPlayable
from choreon.model.show import COLLECTIONS, Fixture, Show
from choreon.terms import counted, term

PLAIN = int | float | str  # values that are named
OF_FIXTURES = ("look", "each")  # fields with an entry for each fixture
MOST = 8  # things of a kind that are told one by one

NOUNS = {
    "types": "type",
    "fixtures": "fixture",
    "groups": "group",
    "pages": "page",
    "masters": "master",
    "inputs": "control",
    "surfaces": "controller",
    "desks": "desk",
    "sends": "message",
    "outputs": "output",
    "pictures": "picture",
    "sounds": "sound",
    "images": "image",
    "marks": "mark",
    "palettes": "palette",
}
"""What a thing of each collection is; what plays goes by its kind."""

ORDERS = {
    "types": tr("the order of fixture types"),
    "fixtures": tr("the order of fixtures"),
    "groups": tr("the order of groups"),
    "pages": tr("the order of pages"),
    "masters": tr("the order of masters"),
    "inputs": tr("the order of controls"),
    "surfaces": tr("the order of controllers"),
    "desks": tr("the order of desks"),
    "sends": tr("the order of messages"),
    "outputs": tr("the order of outputs"),
    "pictures": tr("the order of pictures"),
    "sounds": tr("the order of sounds"),
    "images": tr("the order of images"),
    "marks": tr("the order of marks"),
    "palettes": tr("the order of palettes"),
    "playables": tr("the order of what plays"),
}

SINGLES = {
    "room": tr("the room"),
    "opens": tr("what comes up when the show is opened"),
    "safe": tr("the safe look"),
    "midi": tr("whose clock is followed"),
    "music": tr("what live music is listened to"),
    "osc": tr("what is listened to by OSC"),
    "safe_grand": tr("the grand master of the safe look"),
    "guest": tr("what a guest may do"),
}

FIELDS = {
    "short": tr("short name"),
    "look": tr("values"),
    "effects": tr("effects"),
    "fade_in": tr("fade-in time"),
    "fade_out": tr("fade-out time"),
    "lamp_on": tr("lamp on when the show opens"),
    "place": tr("place"),
    "hanging": tr("how it hangs"),
    "plays": tr("what it plays"),
    "tiles": tr("tiles"),
    "leds": tr("lights"),
    "note": tr("note"),
    "number": tr("number"),
    "mode": tr("mode"),
    "fixtures": tr("fixtures"),
    "values": tr("values"),
    "level": tr("level"),
    "steps": tr("steps"),
    "cues": tr("cues"),
    "guard": tr("the guard time of GO"),
    "layout": tr("where its cells lie"),
    "layers": tr("layers"),
    "drives": tr("what it drives"),
    "brightness": tr("brightness"),
    "tint": tr("tint"),
    "strobe": tr("strobe"),
    "folder": tr("folder"),
    "tags": tr("tags"),
    "colour": tr("colour"),
}
"""Fields whose name in the file does not say what they are."""


class Difference(msgspec.Struct, frozen=True):
    """How one thing differs. `noun`: what it is called; empty for what there is once.
    `how`: added, removed, changed or moved. `details`: what of it changed.
    """

    noun: str
    how: str
    name: str
    details: tuple[str, ...] = ()


def compare(before: Show, after: Show) -> list[Difference]:
    """Returns what leads from one state of a show to the other, in the order of the
    show's parts. Equal things are not looked into.
    """
    found = []
    if before.name != after.name:
        details = (tr("was called {name}", name=before.name),)
        found.append(
            Difference(
                "", "changed", tr("the show's name: {name}", name=after.name), details
            )
        )

    for field, name in SINGLES.items():
        if getattr(before, field) != getattr(after, field):
            found.append(Difference("", "changed", name))

    for collection in COLLECTIONS:
        old, new = getattr(before, collection), getattr(after, collection)
        if old is not new:
            found += _of(collection, old, new)

    return found


def _of(collection: str, old: dict[str, Any], new: dict[str, Any]) -> list[Difference]:
    """How two states of a collection differ."""

    def difference(how: str, thing: Any, *details: str) -> Difference:
        return Difference(_noun(collection, thing), how, _name(thing), details)

    came = [difference("added", thing) for thing in _without(new, old)]
    went = [difference("removed", thing) for thing in _without(old, new)]
    stayed = [key for key in new if key in old]
    changed = [
        difference("changed", new[key], *_details(old[key], new[key]))
        for key in stayed
        if old[key] != new[key]
    ]

    moved = []
    if stayed != [key for key in old if key in new]:
        noun = NOUNS.get(collection, "scene")
        moved.append(Difference(noun, "moved", ORDERS[collection]))

    return [*came, *went, *changed, *moved]


def _without(things: dict[str, Any], others: dict[str, Any]) -> list[Any]:
    """The things whose ids the others do not have."""
    return [thing for key, thing in things.items() if key not in others]


def _noun(collection: str, thing: Any) -> str:
    """What a thing is called."""
    if isinstance(thing, AnyPlayable):
        return thing.kind
    return NOUNS.get(collection, "thing")


def _name(thing: Any) -> str:
    """What a thing is called; a control or an output may have no name of its own."""
    for field in ("name", "label"):
        text = getattr(thing, field, "")
        if text:
            return str(text)
    return str(thing.id)


def _details(old: Any, new: Any) -> list[str]:
    """What of a thing changed."""
    if type(old) is not type(new):
        return [tr("it is of another kind")]

    changed = [
        name
        for name in new.__struct_fields__
        if name != "id" and getattr(old, name) != getattr(new, name)
    ]

    found = []
    if isinstance(new, Fixture) and {"universe", "address"} & set(changed):
        changed = [name for name in changed if name not in ("universe", "address")]
        was, now = f"{old.universe}.{old.address}", f"{new.universe}.{new.address}"
        found.append(tr("address {was} → {now}", was=was, now=now))

    found += [_detail(name, getattr(old, name), getattr(new, name)) for name in changed]
    return found


def _detail(field: str, old: Any, new: Any) -> str:
    """What became of a field: short values are named, of mappings how many."""
    name = FIELDS.get(field, field.replace("_", " "))
    if field == "name":
        return tr("was called {old}", old=old)
    if isinstance(new, bool):
        return tr("{field}: yes", field=name) if new else tr("{field}: no", field=name)
    if isinstance(new, PLAIN) and isinstance(old, PLAIN):
        return tr("{field} {old} → {new}", field=name, old=_short(old), new=_short(new))
    if isinstance(new, dict) and isinstance(old, dict):
        of = "fixture" if field in OF_FIXTURES else "value"
        many = counted(of, _changed_keys(old, new))
        return tr("{field} ({many})", field=name, many=many)
    return name


def _changed_keys(old: dict[str, Any], new: dict[str, Any]) -> int:
    """How many entries differ, came or went."""
    return sum(old.get(key) != new.get(key) for key in {*old, *new})


def _short(value: float | str) -> str:
    """A value in a few letters."""
    if isinstance(value, str):
        text = value if len(value) <= 24 else f"{value[:23]}…"
        return text or tr("none")
    return tr("{value:g}", value=value)


def told(differences: list[Difference]) -> list[str]:
    """Returns differences line by line: what came and went by kind, what changed thing
    by thing; of many of a kind the first, and how many more.
    """
    lines = [_line(known) for known in differences if not known.noun]
    for noun in dict.fromkeys(known.noun for known in differences if known.noun):
        lines += _told_of(noun, [d for d in differences if d.noun == noun])
    return lines


def _told_of(noun: str, differences: list[Difference]) -> list[str]:
    """The lines about things of one kind."""
    by_how: dict[str, list[Difference]] = {}
    for known in differences:
        by_how.setdefault(known.how, []).append(known)

    lines = []
    for how, text in (
        ("added", tr("{things} added: {names}")),
        ("removed", tr("{things} removed: {names}")),
    ):
        names = [known.name for known in by_how.get(how, [])]
        if names:
            things = counted(noun, len(names))
            lines.append(text.format(things=things, names=listed(names, MOST)))

    changed = by_how.get("changed", [])
    lines += [_line(known) for known in changed[:MOST]]
    if len(changed) > MOST:
        more = counted(noun, len(changed) - MOST)
        lines.append(tr("and {things} more", things=more))

    return lines + [capital(known.name) for known in by_how.get("moved", [])]


def _line(difference: Difference) -> str:
    """One thing that changed, and what of it."""
    noun, head = difference.noun, difference.name
    if noun:
        head = tr("{kind} {name}", kind=term(noun), name=head)
    if not difference.details:
        return capital(head)
    return tr(
        "{thing}: {details}", thing=capital(head), details=facts(*difference.details)
    )
