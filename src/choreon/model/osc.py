"""The OSC addresses by which things of a show are called; docs/osc.md has them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from choreon.model.playables import Stack, Timeline
from choreon.model.refs import BLACKOUT, DEEDS, TEMPO, TURN, Ref, name_of, to_deed
from choreon.model.show import Show
from choreon.model.tiles import SEEN_ONLY
from choreon.model.verbs import Verb

ROOT = "/choreon"


class Meaning(NamedTuple):
    """What an address leads to, and what is asked of that; none for what lies
    nearest.
    """

    ref: Ref
    verb: Verb | None = None


def slug(name: str) -> str:
    """Returns a name as a part of an address: what has a meaning in OSC is left out."""
    plain = re.sub(r"[\s/]+", "-", name.strip().casefold())
    return re.sub(r"[#*,?\[\]{}\x00-\x20\x7f]", "", plain) or "-"


def space(show: Show) -> dict[str, Meaning]:
    """Returns all addresses of a show, by which they follow the names of things. Of two
    things of one name the second has “-2” behind it.
    """
    found: dict[str, Meaning] = {}
    for folder, name, ref, verbs in _things(show):
        address = _free(found, f"{ROOT}/{folder}/{slug(name)}")
        found[address] = Meaning(ref)
        for verb in verbs:
            found[f"{address}/{verb}"] = Meaning(ref, verb)
    return found


def _free(taken: dict[str, Meaning], wanted: str) -> str:
    free, n = wanted, 1
    while free in taken:
        n += 1
        free = f"{wanted}-{n}"
    return free


OF_TILES = (Verb.PRESS, Verb.RELEASE, Verb.RATE, Verb.SIZE, Verb.GO, Verb.BACK)
OF_STACKS = (Verb.GO, Verb.BACK, Verb.HOLD, Verb.RELEASE)
OF_TIMELINES = (Verb.START, Verb.HOLD, Verb.STEP, Verb.RELEASE)
OF_MASTERS: dict[Ref, tuple[Verb, ...]] = {
    TEMPO: (Verb.TAP, Verb.BPM, Verb.HALF, Verb.DOUBLE),
    BLACKOUT: (Verb.PRESS,),
}

_Thing = tuple[str, str, Ref, tuple[Verb, ...]]


def _things(show: Show) -> Iterator[_Thing]:
    """All that has an address: its folder, its name, and what can be asked of it."""
    for master in show.masters.values():
        yield "master", master.name, master.ref, OF_MASTERS.get(master.ref, ())
    for page in show.pages.values():
        yield "page", page.name, Ref(TURN, page.id), ()
        for tile in page.tiles:
            if tile.kind not in SEEN_ONLY:
                folder = f"tile/{slug(page.name)}"
                yield folder, name_of(show, tile.ref), tile.ref, OF_TILES
    for playable in show.playables.values():
        if isinstance(playable, Stack):
            yield "cues", playable.name, playable.ref, OF_STACKS
        elif isinstance(playable, Timeline):
            yield "timeline", playable.name, playable.ref, OF_TIMELINES
    for deed in DEEDS:
        yield "do", deed, to_deed(deed), ()
