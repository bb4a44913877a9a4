"""Hours of work: what was made for one moment does not outlive it."""

from __future__ import annotations

import gc
import io
from collections import Counter
from types import SimpleNamespace

from PySide6.QtTest import QTest

from bench import driven


def test_hands_at_random_leave_nothing_that_waits_to_be_found_as_garbage(hands):
    """Edits, undo, presses, drafts, choices, one place and the other: of all that they
    let go nothing holds itself. Garbage is sought seldom, and what is sought in it
    piles up meanwhile.
    """
    work = driven.Hands(SimpleNamespace(window=hands.window), 7, io.StringIO())
    work.timer.stop()

    def acts(count: int) -> None:
        for _ in range(count):
            work.act()
            QTest.qWait(10)

    acts(60)  # what is made once has been made
    hands.heeded()
    gc.collect()
    gc.set_debug(gc.DEBUG_SAVEALL)
    try:
        acts(120)
        hands.heeded()
        gc.collect()
        found = Counter(type(thing).__qualname__ for thing in gc.garbage if ours(thing))
    finally:
        gc.set_debug(0)
        gc.garbage.clear()
    assert not found


def ours(thing: object) -> bool:
    """Whether the program made it, itself or of Qt's."""
    module = type(thing).__module__
    return isinstance(module, str) and module.startswith(("choreon", "PySide6"))
