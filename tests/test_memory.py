"""What is freed goes back to the machine."""

from __future__ import annotations

import numpy as np

from bench.memory import held
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
