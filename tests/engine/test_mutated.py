"""What comes from outside is refused or taken, whatever it is."""

from __future__ import annotations

import logging

import pytest

from tests import mutate

COUNTS = {
    "messages": 4000,
    "shows": 250,
    "sessions": 1500,
    "types": 500,
    "outputs": 3000,
}


@pytest.mark.parametrize("what", list(COUNTS))
def test_mutated_things_are_refused_or_taken(what, own_folders):
    logging.disable(logging.CRITICAL)
    try:
        taken = sum(mutate.run(what, range(COUNTS[what])))
    finally:
        logging.disable(logging.NOTSET)
    assert 0 < taken < COUNTS[what]  # both happen, so both are looked at
