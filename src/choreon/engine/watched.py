"""A process that is watched."""

from __future__ import annotations

import contextlib
import os
import select
import signal
import subprocess
from pathlib import Path


class Watched:
    """A process that is watched, a child or one that was adopted."""

    def __init__(self, pid: int, child: subprocess.Popen[bytes] | None = None) -> None:
        """Raises OSError where there is none."""
        self.pid, self.child = pid, child
        self.handle = os.pidfd_open(pid)

    def over(self) -> int | None:
        """Returns the exit code of a child that has ended, 1 for one that was adopted;
        None while it lives.
        """
        if self.child is not None:
            return self.child.poll()
        ready, _, _ = select.select([self.handle], [], [], 0)
        return 1 if ready else None

    def tell(self, number: int) -> None:
        """Send it a signal; one that has gone is passed over."""
        with contextlib.suppress(OSError):
            signal.pidfd_send_signal(self.handle, number)

    def kill(self) -> None:
        """End it, whatever it is about, and wait until it is gone: its lock, and its
        sockets, are then free.
        """
        self.tell(signal.SIGKILL)
        select.select([self.handle], [], [], 10.0)
        if self.child is not None:
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.child.wait(5.0)

    def waited(self) -> float:
        """For how many seconds its main thread, that of the frames, has been ready to
        run while others had the processors (Linux, Documentation/scheduler/sched-stats:
        the second number). 0 where the system does not say.
        """
        try:
            return int(Path(f"/proc/{self.pid}/schedstat").read_text().split()[1]) / 1e9
        except (OSError, ValueError, IndexError):
            return 0.0

    def close(self) -> None:
        """Watch it no longer."""
        os.close(self.handle)
