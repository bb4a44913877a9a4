"""What is freed goes back to the machine."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest

from bench.memory import Memory, held
from choreon import memory

MB = 1 << 20


def test_what_lies_free_between_what_is_used_is_given_back(monkeypatch):
    import os

    clock = [100.0]
    monkeypatch.setattr(memory.time, "monotonic", lambda: clock[0])
    tidier = memory.Tidier(60.0)
    # small pieces, every hundredth of which stays
    pieces = [np.ones(1 << 10) for _ in range(10_000)]
    full = held(os.getpid())
    kept = pieces[::100]
    del pieces
    before = held(os.getpid())
    tidier.look()
    assert held(os.getpid()) > before - MB  # it is not time yet
    clock[0] += 60.0
    tidier.look()
    assert held(os.getpid()) < full - 50 * MB
    assert all(piece[0] == 1.0 for piece in kept)


LARGE_PIECES = """
import os
import sys

import numpy as np

from bench.memory import held
from choreon import memory

if sys.argv[1] == "apart":
    memory.keep_large_apart()
del (largest := [np.ones(1 << 20)])[:]  # 8 MB: no larger one counts as large from now on
large, kept = [], []
for _ in range(100):  # 0.5 MB that goes, 8 kB that stay
    large.append(np.ones(1 << 16))
    kept.append(np.ones(1 << 10))
full = held(os.getpid())
large.clear()
print((full - held(os.getpid())) >> 20)
"""


def test_large_pieces_are_given_back_at_once():
    def given_back(how: str) -> int:
        command = [sys.executable, "-c", LARGE_PIECES, how]
        return int(subprocess.run(command, capture_output=True, check=True).stdout)

    assert given_back("apart") >= 45
    assert given_back("not") < 20  # else this shows nothing


def test_growth_is_that_of_the_process_looked_at_last(monkeypatch):
    """One that dies is forgotten; the next grows by 36 MB an hour."""
    sizes = {1: 100e6, 2: 500e6, 3: 0.0}
    monkeypatch.setattr("bench.memory.held", lambda pid: int(sizes[pid]))
    found = Memory()
    assert found.slope() == found.last == found.minutes == 0
    for now in range(100):
        pid = 1 if now < 40 else 2
        sizes[pid] += 10_000 if pid == 2 else 5e6
        found.look(pid, float(now))
    found.look(2, 100.0)
    assert found.slope() == pytest.approx(36.0, rel=0.01)
    assert found.last == 500e6 + 60 * 10_000
    assert found.minutes == 1.0
    found.look(3, 101.0)  # it has gone already
    assert found.slope() == 0.0
