"""What makes frames fail is found, whatever it is, and all else goes on."""

from __future__ import annotations

import random

import pytest

from choreon.engine.actions import housekeeping
from choreon.engine.culprits import Culprits, Suspect, parts_of, without
from choreon.model import edits
from choreon.render.state import DraftState, HeldValues, PlayState
from tests import play


def state_of(players: int = 8) -> PlayState:
    state = housekeeping.blank()
    them = tuple(play.player(f"p{i}", order=i + 1) for i in range(players))
    hands = tuple(HeldValues(f"t{i}", {"l": {"Dimmer": 0.1 * i}}) for i in range(3))
    draft = DraftState(look={"l": {"Dimmer": 0.5}})
    return edits.replace(state, players=them, live=hands, draft=draft)


class Lamps:
    """Frames that fail where certain parts, or certain pairs of them, are in."""

    def __init__(
        self, alone: set[Suspect], pairs: set[tuple[Suspect, Suspect]] = frozenset()
    ):
        self.alone, self.pairs = alone, pairs
        self.drawn = 0

    def __call__(self, state: PlayState) -> object:
        self.drawn += 1
        there = set(parts_of(state))
        if there & self.alone or any(set(pair) <= there for pair in self.pairs):
            raise ValueError("no light")
        return state


def settled(culprits: Culprits, state: PlayState, lamps: Lamps) -> PlayState | None:
    """What is played once it has been looked for long enough."""
    for _ in range(200):
        culprits.search()
        found = culprits.harmless(state)
        if found is not None:
            try:
                lamps(found)
            except ValueError as error:
                culprits.failed(state, error)
                continue
            return found
    return None


@pytest.mark.parametrize("seed", range(20))
def test_random_culprits_are_left_out_and_nothing_else(seed):
    dice = random.Random(seed)
    state = state_of()
    parts = list(parts_of(state))
    bad = set(dice.sample(parts, dice.randrange(1, 4)))
    lamps = Lamps(bad)
    found = settled(Culprits(lamps), state, lamps)
    assert found is not None
    assert set(parts_of(found)) == set(parts) - bad


def test_two_that_fail_only_together_cost_one_of_them():
    state = state_of()
    first, second = Suspect("players", "p2"), Suspect("players", "p6")
    lamps = Lamps(set(), {(first, second)})
    found = settled(Culprits(lamps), state, lamps)
    assert found is not None
    gone = set(parts_of(state)) - set(parts_of(found))
    assert len(gone) == 1
    assert gone <= {first, second}


def test_parts_are_taken_out_one_by_one():
    state = state_of()
    for part in parts_of(state):
        left = without(state, {part})
        assert set(parts_of(left)) == set(parts_of(state)) - {part}
    assert without(state, set()) is state
