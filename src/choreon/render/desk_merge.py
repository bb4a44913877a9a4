"""Another desk's universe laid over one of ours, by the bytes that are sent. Values of
two slots are taken as one, so that they fade as one.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from choreon.model import attributes as at
from choreon.model.attributes import Family
from choreon.model.inputs import Merge
from choreon.model.patch import mode_of
from choreon.model.show import SLOTS, Show

Ints = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[np.float64]


class SlotMap(NamedTuple):
    """What lies where in a universe: which slots are the upper halves of values of two,
    which the lower ones; which are levels, by their only, or upper, slot.
    """

    upper: Ints
    lower: Ints
    levels: Ints


def slot_map(show: Show, universe: int) -> SlotMap:
    """Returns what lies where in a universe of a show."""
    pairs: list[tuple[int, int]] = []
    levels: list[int] = []
    for fixture in show.fixtures.values():
        mode = mode_of(show.types, fixture)
        if fixture.universe != universe or mode is None:
            continue
        for use, channel in show.types[fixture.type].used(mode):
            slots = [fixture.address + slot - 2 for slot in use.slots]  # from 0
            if not slots or not all(0 <= slot < SLOTS for slot in slots):
                continue
            if len(slots) > 1:
                pairs.append((slots[0], slots[1]))
            if any(_is_level(one.attribute) for one in channel.ranges):
                levels.append(slots[0])

    found = np.array(pairs, np.int64).reshape(-1, 2)
    return SlotMap(found[:, 0], found[:, 1], np.array(levels, np.int64))


def _is_level(attribute: str) -> bool:
    return at.attribute(attribute).family == Family.INTENSITY


def merged(
    ours: Bytes, theirs: Bytes, how: Merge, share: float, slots: SlotMap
) -> Bytes:
    """Returns what is sent of a universe: `ours` and `theirs` (512) together. `share`:
    how far theirs has come, 0…1.
    """
    if how == Merge.CONTROLS or share <= 0.0:
        return ours
    if how == Merge.HIGHEST:
        return _highest(ours, theirs, share, slots)
    if share >= 1.0:
        return theirs.copy()

    mixed = ours + share * (theirs.astype(float) - ours)
    made = np.rint(mixed).astype(np.uint8)
    own, other = _whole(ours, slots), _whole(theirs, slots)
    return _put_whole(made, own + share * (other - own), slots)


def _highest(ours: Bytes, theirs: Bytes, share: float, slots: SlotMap) -> Bytes:
    """Levels as high as the higher of both; values of two slots as one."""
    made = ours.copy()
    level = slots.levels
    lowered = np.rint(share * theirs[level].astype(float)).astype(np.uint8)
    made[level] = np.maximum(ours[level], lowered)

    is_level = np.isin(slots.upper, level)
    fine = SlotMap(slots.upper[is_level], slots.lower[is_level], level)
    both = np.maximum(_whole(ours, fine), share * _whole(theirs, fine))
    return _put_whole(made, both, fine)


def _whole(data: Bytes, slots: SlotMap) -> Floats:
    """The values of two slots, 0…65535."""
    upper: Floats = data[slots.upper].astype(np.float64)
    return upper * 256.0 + data[slots.lower]


def _put_whole(data: Bytes, values: Floats, slots: SlotMap) -> Bytes:
    """Put values of two slots into bytes."""
    whole = np.rint(values).astype(np.int64)
    data[slots.upper] = whole >> 8
    data[slots.lower] = whole & 255
    return data
