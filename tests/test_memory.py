"""What is freed goes back to the machine."""

from __future__ import annotations

import numpy as np
import pytest

from bench.memory import Lives, held
from choreon import memory

MB = 1 << 20


def test_what_lies_free_between_what_is_used_is_given_back(monkeypatch):
    import os

    clock = [100.0]
    monkeypatch.setattr(memory.time, "monotonic", lambda: clock[0])
    tidier = memory.Tidier()
    # small pieces, every hundredth of which stays
    pieces = [np.ones(1 << 10) for _ in range(10_000)]
    full = held(os.getpid())
    kept = pieces[::100]
    del pieces
    before = held(os.getpid())
    tidier.look()
    assert held(os.getpid()) > before - MB  # it is not time yet
    clock[0] += memory.EVERY
    tidier.look()
    assert held(os.getpid()) < full - 50 * MB
    assert all(piece[0] == 1.0 for piece in kept)


def test_growth_is_found_within_each_of_several_lives(monkeypatch):
    """Two processes, each of which grows by 36 MB an hour after its warming up."""
    sizes = {1: 100e6, 2: 500e6}
    monkeypatch.setattr("bench.memory.held", lambda pid: int(sizes[pid]))
    lives = Lives(warm=10.0)
    for now in range(100):
        pid = 1 if now < 50 else 2
        sizes[pid] += 10_000 if now % 50 >= 10 else 5e6  # warming up costs more
        lives.look(pid, float(now))
    assert lives.slope() == pytest.approx(36.0)
    assert lives.last == pytest.approx(500e6 + 10 * 5e6 + 40 * 10_000)
    assert Lives(1.0).slope() == 0.0
