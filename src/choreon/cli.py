"""The command line: the window, an engine by itself, stopping one, and the
stand-ins.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from choreon import __version__, folders


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; gives the exit code."""
    arguments = _parser().parse_args(argv)
    command: int = arguments.run(arguments)
    return command


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="choreon",
        description="Stage lighting for the person who lights a small venue alone.",
    )
    parser.add_argument("--version", action="version", version=f"Choreon {__version__}")
    parser.set_defaults(run=_window, show=None, demo=False)
    commands = parser.add_subparsers(metavar="COMMAND")

    window = commands.add_parser("open", help="open a show in the window (the default)")
    window.add_argument(
        "show", nargs="?", type=Path, help="a show file; without one, the last show"
    )
    window.set_defaults(run=_window)

    demo = commands.add_parser(
        "demo",
        help="the window with the sample show, a simulated node and the practice "
        "controller",
    )
    demo.add_argument(
        "--fresh", action="store_true", help="put the sample show back as it was first"
    )
    demo.add_argument(
        "--port", type=int, default=5568, help="the simulated node's port"
    )
    demo.add_argument(
        "--http",
        type=int,
        default=5580,
        help="where the simulated node serves what it has, as JSON",
    )
    demo.set_defaults(run=_demo)

    engine = commands.add_parser("engine", help="play a show with no window")
    engine.add_argument("show", nargs="?", type=Path, help="a show file")
    engine.add_argument("--demo", action="store_true", help="play the sample show")
    engine.add_argument(
        "--port",
        type=int,
        default=5568,
        help="where the sample show's universes go on 127.0.0.1",
    )
    engine.set_defaults(run=_engine)

    stop = commands.add_parser("stop", help="stop an engine that was left running")
    stop.add_argument(
        "--fade", type=float, default=2.0, metavar="S", help="seconds to fade out in"
    )
    stop.set_defaults(run=_stop)

    sims = commands.add_parser("sim", help="stand-ins for devices").add_subparsers(
        metavar="DEVICE", required=True
    )
    node = sims.add_parser("node", help="a DMX node that receives sACN")
    node.add_argument("--port", type=int, default=5568)
    node.add_argument(
        "--http",
        type=int,
        metavar="PORT",
        help="serve what it has as JSON (0: any free port)",
    )
    node.add_argument(
        "--json", action="store_true", help="print JSON lines instead of a table"
    )
    node.add_argument(
        "--multicast",
        type=int,
        nargs="*",
        default=[],
        metavar="UNIVERSE",
        help="join these groups too",
    )
    node.add_argument(
        "--art-port", type=int, default=6454, help="UDP port for Art-Net (6454)"
    )
    node.add_argument(
        "--drop", type=float, default=0.0, help="share of packets to lose, 0 to 1"
    )
    node.add_argument(
        "--delay", type=float, default=0.0, help="seconds by which packets are late"
    )
    node.set_defaults(run=_node)
    controller = sims.add_parser("controller", help="the practice controller's window")
    controller.set_defaults(run=_controller)
    return parser


def demo_path() -> Path:
    """Where the sample show lies, so that what is done to it stays."""
    return folders.shows() / "Low Tide.choreon"


def _make_demo(fresh: bool, port: int) -> Path:
    from choreon.demo import low_tide
    from choreon.formats import showfile

    path = demo_path()
    if fresh or not path.exists():
        showfile.write(path, low_tide(port=port))
    return path


def _window(arguments: argparse.Namespace) -> int:
    from choreon.ui.app import run

    return run(arguments.show)


def _demo(arguments: argparse.Namespace) -> int:
    from choreon.demo import OPENING
    from choreon.sim.controller import NAME, announced
    from choreon.ui.app import run

    path = _make_demo(arguments.fresh, arguments.port)
    command = [sys.executable, "-m", "choreon", "sim"]
    wanted = []
    if not _answers(
        arguments.http
    ):  # those of a window that was killed are still there
        wanted.append(
            ["node", "--port", str(arguments.port), "--http", str(arguments.http)]
        )
    if not _answers(announced(folders.runtime() / "midi", NAME)):
        wanted.append(["controller"])
    with (folders.state() / "demo.log").open("ab") as log:
        helpers = [
            subprocess.Popen(
                [*command, *words], stdin=subprocess.DEVNULL, stdout=log, stderr=log
            )
            for words in wanted
        ]
    try:
        code = run(path, OPENING)
        if helpers and _engine_runs():
            print(
                "The light goes on. Ctrl+C ends the simulated node and controller; "
                "`choreon stop` ends the engine."
            )
        while helpers and _engine_runs():
            time.sleep(0.3)
    except KeyboardInterrupt:
        code = 0
    finally:
        for helper in helpers:
            helper.terminate()
    return code


def _answers(port: int) -> bool:
    """Whether something listens on a TCP port of this machine."""
    with socket.socket() as probe:
        return 0 < port < 65536 and probe.connect_ex(("127.0.0.1", port)) == 0


def _engine_runs() -> bool:
    from choreon.engine.client import Client

    try:
        Client(window=False).close()
    except OSError:
        return False
    return True


def _engine(arguments: argparse.Namespace) -> int:
    from choreon.demo import OPENING, low_tide
    from choreon.engine.engine import run
    from choreon.formats import showfile
    from choreon.model.show import Show

    if arguments.demo:
        return run(low_tide(port=arguments.port), "", opening=OPENING)
    if arguments.show is None:
        return run(Show(id="empty", name="Untitled"), "")
    path = arguments.show.resolve()
    try:
        show, note = showfile.open_best(path)
    except (showfile.ShowFileError, OSError) as error:
        print(f"{path} cannot be played: {error}", file=sys.stderr)
        return 4
    if note:
        print(note, file=sys.stderr)
    return run(show, str(path), note)


def _stop(arguments: argparse.Namespace) -> int:
    from choreon.engine import protocol
    from choreon.engine.client import Client

    try:
        client = Client(window=False)
    except OSError:
        print("No engine is running.")
        return 0
    client.send(protocol.Stop(max(0.0, arguments.fade)))
    end = time.monotonic() + arguments.fade + 5.0
    with contextlib.suppress(OSError):
        while time.monotonic() < end:
            client.receive(0.2)
        print("The engine did not stop in time.", file=sys.stderr)
        return 1
    print("The engine has stopped.")
    return 0


def _node(arguments: argparse.Namespace) -> int:
    from choreon.sim.node import main as node

    with contextlib.suppress(ValueError):
        signal.signal(signal.SIGTERM, lambda *_: os._exit(0))
    return node(
        arguments.port,
        arguments.http,
        arguments.multicast,
        arguments.json,
        arguments.art_port,
        arguments.drop,
        arguments.delay,
    )


def _controller(arguments: argparse.Namespace) -> int:
    from choreon.ui.controller_window import run

    return run()
