"""Starting engines with the priority that this process itself had at its start. A
window gives way to engines; what it starts later would inherit that, so a thread that
was there before starts them.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import threading
from collections.abc import Callable
from concurrent.futures import Future
from queue import SimpleQueue

LESS = 3  # niceness of a window beside its engine
OOM_SCORE = "500"  # of 1000: memory that runs out takes windows first

Popen = subprocess.Popen[bytes]
_asked: SimpleQueue[tuple[Callable[[], Popen], Future[Popen]]] = SimpleQueue()
_thread: threading.Thread | None = None


def begin() -> None:
    """Remember the priority that engines are started with. To be called before
    `give_way`.
    """
    global _thread
    if _thread is None:
        _thread = threading.Thread(target=_serve, name="starter", daemon=True)
        _thread.start()


def give_way() -> None:
    """Have this thread, which is the window's own, and all that it starts from here on,
    give way to engines.
    """
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, os.getpriority(os.PRIO_PROCESS, 0) + LESS)
    with contextlib.suppress(OSError), open("/proc/self/oom_score_adj", "w") as file:
        file.write(OOM_SCORE)


def _serve() -> None:
    while True:
        act, future = _asked.get()
        try:
            future.set_result(act())
        except BaseException as error:
            future.set_exception(error)


def start(act: Callable[[], Popen]) -> Popen:
    """Start a process by `act`, with the priority of before. Raises what it raises."""
    if _thread is None:
        return act()
    future: Future[Popen] = Future()
    _asked.put((act, future))
    return future.result()
