"""What every test stands on: folders of its own, so that no engine, window or show of
anyone else is met.
"""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import hypothesis
import pytest

# What is tested is English, but where a test brings a language of its own. It holds from
# the first module on that is loaded.
if "CHOREON_LOCALE" not in os.environ:
    os.environ["LANGUAGE"] = "en"

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.instance_lock import holder
from choreon.formats import showfile
from choreon.model.show import Show
from choreon.sim.node import Node

# Machines stall, so no deadlines: time is measured in bench/. The same cases each time,
# so that a change is judged by what it changed; CHOREON_FUZZ=1 looks for new ones.
hypothesis.settings.register_profile(
    "choreon",
    deadline=None,
    derandomize="CHOREON_FUZZ" not in os.environ,
    suppress_health_check=[hypothesis.HealthCheck.too_slow],
)
hypothesis.settings.load_profile("choreon")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")


def pytest_configure(config) -> None:
    config.addinivalue_line("markers", "slow: left out of `bin/test quick`")


@pytest.fixture(autouse=True)
def own_folders(
    tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch
) -> Path:
    """XDG folders of this test alone."""
    home = tmp_path_factory.mktemp("h")
    for name in ("RUNTIME_DIR", "STATE_HOME", "DATA_HOME", "CONFIG_HOME", "CACHE_HOME"):
        folder = home / name[:2].lower()
        folder.mkdir(mode=0o700)
        monkeypatch.setenv(f"XDG_{name}", str(folder))
    # an engine starts the process that sounds only where a test is about that
    monkeypatch.setenv("CHOREON_SILENT", "1")
    return home


# A machine that is busy may stand for many seconds: what waits for a state waits this
# long before it says that it never came.
PATIENCE = 60.0
SOON = 5.0  # seconds after which an engine that does not end as asked is ended


def until(
    what: Callable[[], object], seconds: float = PATIENCE, step: float = 0.01
) -> None:
    """Wait until `what()` holds. Fails with the reason where it never does."""
    end = time.monotonic() + max(seconds, PATIENCE)
    while not what():
        assert time.monotonic() < end, "it did not come to that in time"
        time.sleep(step)


def free_port() -> int:
    """A UDP port that is free now."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture
def node() -> Iterator[Node]:
    """A simulated DMX node on a port of its own."""
    made = Node(0)
    yield made
    made.close()


class Engines:
    """Starts engines as real processes and ends them."""

    def __init__(self) -> None:
        self.running: list[subprocess.Popen[bytes]] = []
        self.clients: list[engine_client.Client] = []

    def start(self, path: Path) -> engine_client.Client:
        """An engine that plays the show at `path`, and a client that was welcomed."""
        self.running.append(engine_client.start_engine(path))
        return self.connect()

    def connect(self) -> engine_client.Client:
        """One more client."""
        self.clients.append(engine_client.connect(PATIENCE))
        return self.clients[-1]

    def another(self, pid: int) -> protocol.Welcome:
        """The welcome of the engine that took the place of the one with that pid."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            with contextlib.suppress(OSError, TimeoutError):
                client = engine_client.Client()
                self.clients.append(client)
                welcome = client.wait_for(protocol.Welcome, 1.0)
                if welcome.pid != pid:
                    return welcome
                client.close()
            time.sleep(0.02)
        raise TimeoutError("no engine took its place")

    def kill(self) -> None:
        """Kill the engine and its supervisor at once, and wait until no one answers: a
        killed process takes a moment to be gone.
        """
        engine, parent = holder(folders.runtime())
        os.kill(parent, signal.SIGSTOP)  # else it starts another one meanwhile
        for process in (engine, parent):
            os.kill(process, signal.SIGKILL)
        self.running[-1].wait(PATIENCE)
        until(lambda: not answers())

    def command(self, *words: str) -> subprocess.CompletedProcess[str]:
        """Run `choreon` with words and wait for it."""
        return subprocess.run(
            [sys.executable, "-m", "choreon", *words],
            capture_output=True,
            text=True,
            timeout=PATIENCE,
            check=False,
        )

    def stop(self) -> None:
        for client in self.clients:
            client.close()
        try:
            client = engine_client.Client(window=False)
            client.send(protocol.Stop(0.0))
            client.close()
        except OSError:
            pass
        for process in self.running:
            try:
                process.wait(SOON)
            except subprocess.TimeoutExpired:
                process.terminate()  # the supervisor ends the engine first
                process.wait(PATIENCE)


@pytest.fixture
def engines() -> Iterator[Engines]:
    made = Engines()
    yield made
    made.stop()


@pytest.fixture
def demo_show(node: Node) -> Show:
    """The sample show, sent to the test's node."""
    from choreon.demo import low_tide

    return low_tide(port=node.port)


@pytest.fixture
def demo_path(demo_show: Show, own_folders: Path) -> Path:
    """The sample show as a file."""
    path = own_folders / "Low Tide.choreon"
    showfile.write(path, demo_show)
    return path


def answers() -> bool:
    """Whether an engine can be connected to."""
    try:
        engine_client.Client(window=False).close()
    except OSError:
        return False
    return True


def values(node: Node, universe: int) -> list[int]:
    """What the node has in a universe; empty before the first packet."""
    return next((r.values for r in node.reports() if r.universe == universe), [])
