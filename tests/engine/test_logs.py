"""What is logged never keeps anybody waiting: real processes whose terminal is held, or
whose pipe nobody reads.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import termios

import pytest

from choreon import folders
from choreon.engine import logs, protocol
from choreon.engine.do import Do
from choreon.engine.instance_lock import holder
from choreon.model.refs import GRAND
from choreon.model.verbs import Verb
from tests.conftest import until

REFUSED = Do(GRAND, Verb.NEXT)


def test_what_finds_no_room_is_left_out_and_counted():
    reads, writes = os.pipe()
    lines = logs.Lines(writes, most=10)
    long = "x" * 4000 + "\n"
    for _ in range(100):  # the pipe holds some sixteen, the queue ten
        lines.put(long)
    found = b""
    while b"left out" not in found:
        found += os.read(reads, 1 << 16)
        lines.put("and this\n")
    told = next(line for line in found.decode().splitlines() if "left out" in line)
    assert 60 <= int(told.split()[1]) <= 100
    os.close(reads)
    for _ in range(20):
        lines.put(long)  # nobody is there any more: no error, and no signal
    lines.drain()


def held_terminal():
    """A terminal whose output is stopped, as by Ctrl+S."""
    master, terminal = os.openpty()
    termios.tcflow(terminal, termios.TCOOFF)
    return master, terminal


@pytest.mark.parametrize("how", ["a pipe", "a terminal"])
def test_the_light_goes_on_where_nobody_takes_what_is_logged(
    engines, demo_path, node, how
):
    reads, writes = os.pipe() if how == "a pipe" else held_terminal()
    command = [sys.executable, "-m", "choreon", "engine", str(demo_path)]
    process = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=writes, stderr=writes
    )
    engines.running.append(process)
    client = engines.connect()
    welcome = client.wait_for(protocol.Welcome)
    try:
        for _ in range(4000):
            client.send(REFUSED)
        client.send(Do(GRAND, Verb.LEVEL, 0.5))
        # it was taken, and frames go on going out
        until(lambda: _told(client).masters.grand == 0.5, 10.0)
        before = _frames(node)
        until(lambda: _frames(node) > before + 20, 5.0)
        # the supervisor has something to say as well, and starts another one
        engine, _ = holder(folders.runtime())
        os.kill(engine, signal.SIGKILL)
        engines.another(welcome.pid)
        before = _frames(node)
        until(lambda: _frames(node) > before + 20, 5.0)
    finally:
        engines.stop()
        for handle in (reads, writes):
            os.close(handle)


def _told(client):
    return client.wait_for(protocol.State, 60.0).state


def _frames(node) -> int:
    return sum(report.packets for report in node.reports())


FORSAKEN = """
import sys
from choreon.engine import supervisor
supervisor.FORSAKEN = 0.5
sys.exit(supervisor.run(sys.argv[1:]))
"""


def test_a_supervisor_whose_folder_is_gone_and_whom_nobody_knows_ends(
    engines, demo_path
):
    """Who started it, a shell, has gone too. A window that is connected keeps it."""
    shell = subprocess.run(
        [
            "bash",
            "-c",
            '"$@" >/dev/null 2>&1 & echo $!',
            "bash",
            sys.executable,
            "-c",
            FORSAKEN,
            demo_path,
        ],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        timeout=20,
        check=True,
    )
    supervisor = int(shell.stdout)
    client = engines.connect()
    client.wait_for(protocol.Welcome)
    engine, parent = holder(folders.runtime())
    assert parent == supervisor
    client.wait_for(protocol.Pulse)
    folder = folders.runtime()
    folder.rename(folder.with_name("moved"))
    for _ in range(4):  # two seconds, and it is still there
        client.wait_for(protocol.Pulse, 60.0)
    assert _lives(engine)
    client.close()
    until(lambda: not _lives(engine) and not _lives(parent), 15.0)
    folder.with_name("moved").rename(folder)


def _lives(pid: int) -> bool:
    try:
        with open(f"/proc/{pid}/stat") as file:
            return file.read().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False
