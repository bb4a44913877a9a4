"""Garbage that holds widgets is taken apart in the window's thread alone."""

from __future__ import annotations

import gc
import threading

from choreon.ui import garbage


class Ring:
    """Garbage that says in which thread it was found."""

    def __init__(self, found_in: list[threading.Thread]) -> None:
        self.found_in = found_in
        self.itself = self

    def __del__(self) -> None:
        self.found_in.append(threading.current_thread())


def test_a_busy_thread_does_not_take_garbage_apart(qtbot):
    garbage.keep_to_this_thread()
    found_in: list[threading.Thread] = []
    gc.collect()

    def work() -> None:
        for _ in range(5000):  # far more than makes the interpreter look
            Ring(found_in)

    worker = threading.Thread(target=work)
    worker.start()
    worker.join()
    assert found_in == []
    qtbot.waitUntil(lambda: bool(found_in), timeout=10_000)
    assert set(found_in) == {threading.main_thread()}
