"""Which verbs a thing takes: what can be chosen of it is no more than that."""

from __future__ import annotations

from choreon.engine.actions import players
from choreon.engine.actions.kinds import KINDS
from choreon.engine.actions.masters import MASTERS
from choreon.engine.actions.tiles import TILES
from choreon.model.refs import DEED, LAMPS, MASTER, TILE, Ref, find
from choreon.model.show import Show
from choreon.model.tiles import Pad
from choreon.model.verbs import Verb

OF_LAMPS = frozenset((Verb.LEVEL, Verb.SWITCH, Verb.PRESS, Verb.RELEASE))


def verbs_of(show: Show, ref: Ref) -> frozenset[Verb]:
    """Returns what can be asked of a thing; nothing of what is gone, or of what the
    window does.
    """
    if ref.kind == DEED:
        return frozenset((Verb.PRESS,))
    if ref.kind == LAMPS:
        return OF_LAMPS

    found = find(show, ref)
    if found is None:
        return frozenset()
    if ref.kind == TILE:
        known = TILES.get(found.kind)
        return frozenset() if known is None else frozenset(known.acts)
    if ref.kind == MASTER:
        return frozenset(MASTERS[found.kind])
    if players.playable_of(show, ref) is None:
        return frozenset()

    # what plays is played as a pad of its own
    own = KINDS[ref.kind].acts
    return frozenset((Verb.START, *TILES[Pad.kind].acts, *own))
