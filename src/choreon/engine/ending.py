"""Ending an engine from outside, one that hangs too."""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import time

from choreon import folders
from choreon.engine import protocol
from choreon.engine.client import Client
from choreon.engine.instance_lock import holder
from choreon.language import tr

ANSWER = 2.0  # seconds beyond its fade that an engine may take to end
FORCED = 5.0  # seconds until one is gone that was ended by force


def stop(fade: float) -> int:
    """Have the engine fade out and end; by force where it does not answer. Returns the
    exit code.
    """
    fade = max(0.0, fade)
    folder = folders.runtime()
    if not holder(folder)[0]:
        print(tr("No engine is running."))
        return 0

    with contextlib.suppress(OSError):
        client = Client(window=False)
        client.send(protocol.Stop(fade))
        client.close()

    if _gone(fade + ANSWER):
        print(tr("The engine has stopped."))
        return 0

    engine, parent = holder(folder)
    for process in (parent, engine):  # the supervisor first, so that none is started
        if process > 1:
            with contextlib.suppress(OSError):
                os.kill(process, signal.SIGTERM)

    if not _gone(FORCED):
        engine, _ = holder(folder)
        with contextlib.suppress(OSError):
            if engine:
                os.kill(engine, signal.SIGKILL)

        if not _gone(FORCED):
            print(tr("The engine did not stop."), file=sys.stderr)
            return 1

    print(tr("The engine did not answer and was ended."))
    return 0


def _gone(seconds: float) -> bool:
    """Whether nobody is there any more within so many seconds."""
    end = time.monotonic() + seconds
    while holder(folders.runtime())[0]:
        if time.monotonic() > end:
            return False
        time.sleep(0.05)
    return True
