"""The command line: the window, an engine by itself, stopping one, and the
stand-ins.
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from choreon import __version__, folders
from choreon.desktop_entry import commands_of
from choreon.language import tr

if TYPE_CHECKING:
    from choreon.model.show import Show


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; gives the exit code."""
    arguments = command_line().parse_args(argv)
    command: int = arguments.run(arguments)
    return command


def command_line() -> argparse.ArgumentParser:
    """Returns what reads the command line."""
    parser = argparse.ArgumentParser(
        prog="choreon",
        description=tr("Stage lighting for the person who lights a small venue alone."),
    )
    parser.add_argument("--version", action="version", version=f"Choreon {__version__}")
    parser.set_defaults(run=_window, show=None, demo=False)
    commands = parser.add_subparsers(metavar="COMMAND")

    window = commands.add_parser(
        "open", help=tr("open a show in the window (the default)")
    )
    window.add_argument(
        "show", nargs="?", type=Path, help=tr("a show file; without one, the last show")
    )
    window.set_defaults(run=_window)

    demo = commands.add_parser(
        "demo",
        help=tr(
            "the window with the sample show, a simulated node and the practice "
            "controller"
        ),
    )
    demo.add_argument(
        "--fresh",
        action="store_true",
        help=tr("put the sample show back as it was first"),
    )
    demo.add_argument(
        "--port", type=int, default=5568, help=tr("the simulated node's port")
    )
    demo.add_argument(
        "--http",
        type=int,
        default=5580,
        help=tr("where the simulated node serves what it has, as JSON"),
    )

    demo.set_defaults(run=_demo)

    guest = commands.add_parser(
        "guest", help=tr("the guest pages of a show, full screen, and nothing else")
    )
    guest.add_argument("show", type=Path, help=tr("a show file"))
    guest.add_argument(
        "--forget-pin",
        action="store_true",
        help=tr("take the PIN out of the show's file, for whoever owns that"),
    )

    guest.add_argument(
        "--starter",
        action="store_true",
        help=tr("write a desktop file that starts this, and say where it lies"),
    )
    guest.add_argument("--window", action="store_true", help=argparse.SUPPRESS)
    guest.set_defaults(run=_guest)

    engine = commands.add_parser("engine", help=tr("play a show with no window"))
    engine.add_argument("show", nargs="?", type=Path, help=tr("a show file"))
    engine.add_argument("--demo", action="store_true", help=tr("play the sample show"))
    engine.add_argument(
        "--port",
        type=int,
        default=5568,
        help=tr("where the sample show's universes go on 127.0.0.1"),
    )

    for word, kind in (("--beat", int), ("--adopt", int), ("--why", str)):
        engine.add_argument(word, type=kind, help=argparse.SUPPRESS)

    engine.add_argument("--bare", action="store_true", help=argparse.SUPPRESS)
    engine.set_defaults(run=_engine)

    stop = commands.add_parser("stop", help=tr("stop an engine that was left running"))
    stop.add_argument(
        "--fade",
        type=float,
        default=2.0,
        metavar="S",
        help=tr("seconds to fade out in"),
    )
    stop.set_defaults(run=_stop)

    installs = commands.add_parser(
        "install", help=tr("put Choreon into the menu of this user's desktop")
    )
    installs.set_defaults(run=_install)

    beats = commands.add_parser(
        "beats", help=tr("find the beats in a sound file; prints JSON, line by line")
    )
    beats.add_argument("file", type=Path, help=tr("WAV, FLAC, Ogg Vorbis or MP3"))
    beats.set_defaults(run=_beats)

    film = commands.add_parser(
        "film", help=tr("make the frames of a film ready, for canvases")
    )
    film.add_argument("file", type=Path, help=tr("a film"))
    film.add_argument("--key", default="", help=tr("what it is known by"))
    film.set_defaults(run=_film)

    listens = commands.add_parser(
        "listen", help=tr("listen to live music; prints JSON, line by line")
    )
    listens.add_argument("--source", default="", help=tr("microphone or line"))
    listens.set_defaults(run=_listen)

    sound = commands.add_parser(
        "sound", help=tr("the process that sounds; engines start it")
    )
    sound.add_argument("--beat", type=int, help=argparse.SUPPRESS)
    sound.set_defaults(run=_sound)

    sims = commands.add_parser("sim", help=tr("stand-ins for devices")).add_subparsers(
        metavar="DEVICE", required=True
    )

    node = sims.add_parser("node", help=tr("a DMX node that receives sACN"))
    node.add_argument("--port", type=int, default=5568)
    node.add_argument(
        "--http",
        type=int,
        metavar="PORT",
        help=tr("serve what it has as JSON (0: any free port)"),
    )

    node.add_argument(
        "--json", action="store_true", help=tr("print JSON lines instead of a table")
    )
    node.add_argument(
        "--multicast",
        type=int,
        nargs="*",
        default=[],
        metavar="UNIVERSE",
        help=tr("join these groups too"),
    )

    node.add_argument(
        "--art-port", type=int, default=6454, help=tr("UDP port for Art-Net (6454)")
    )
    node.add_argument(
        "--drop", type=float, default=0.0, help=tr("share of packets to lose, 0 to 1")
    )
    node.add_argument(
        "--delay", type=float, default=0.0, help=tr("seconds by which packets are late")
    )
    node.set_defaults(run=_node)
    controller = sims.add_parser(
        "controller", help=tr("the practice controller's window")
    )
    controller.add_argument(
        "--layout", default="faders-8", help=tr("which parts it has (faders-8)")
    )
    controller.add_argument(
        "--name", default="", help=tr("what it is called: two may be alike")
    )
    controller.set_defaults(run=_controller)

    serial = sims.add_parser("serial", help=tr("a serial adapter to practise with"))
    serial.set_defaults(run=_serial)
    osc = sims.add_parser("osc", help=tr("one who speaks OSC, line by line"))
    osc.add_argument("--port", type=int, default=8765, help=tr("UDP port (8765)"))
    osc.set_defaults(run=_osc)
    card = sims.add_parser("card", help=tr("a sound card"))
    card.add_argument("--name", default=tr("Practice card"), help=tr("its name"))
    card.add_argument(
        "--fast", type=float, default=0.0, help=tr("millionths its clock is fast by")
    )
    card.add_argument("--keeps", default="", help=tr("where its sound is kept"))
    card.set_defaults(run=_card)
    music = sims.add_parser("music", help=tr("a band, that plays a sound file"))
    music.add_argument("file", type=Path, help=tr("WAV, FLAC, Ogg Vorbis or MP3"))
    music.add_argument("--name", default=tr("Practice band"), help=tr("its name"))
    music.set_defaults(run=_music)

    for _, command, _ in commands_of(parser):
        command.add_argument(
            "--version", action="version", version=f"Choreon {__version__}"
        )

    return parser


def demo_path() -> Path:
    """Where the sample show lies, so that what is done to it stays."""
    return folders.shows() / "Low Tide.choreon"


def _make_demo(fresh: bool, port: int) -> Path:
    from choreon.demo import opening_show
    from choreon.formats import showfile

    path = demo_path()
    if fresh or not path.exists():
        showfile.write(path, opening_show(port))
    return path


def _window(arguments: argparse.Namespace) -> int:
    return _open_window(arguments.show)


def _open_window(path: Path | None, guest: bool = False) -> int:
    """Open the window; gives its exit code. What is loaded for it stays: there is no
    garbage to look for before it stands.
    """
    gc.disable()
    from choreon.ui.app import run

    return run(path, guest)


def _demo(arguments: argparse.Namespace) -> int:
    from choreon.sim.controller import NAME, announced
    from choreon.sim.node import url

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

    with folders.open_log("demo.log") as log:
        helpers = [
            subprocess.Popen(
                [*command, *words], stdin=subprocess.DEVNULL, stdout=log, stderr=log
            )
            for words in wanted
        ]

    print(tr("What the simulated node has: {url}", url=url(arguments.http)), flush=True)
    # whoever ends it beside its window, by Ctrl+C or otherwise, ends the stand-ins too
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, signal.default_int_handler)
    try:
        code = _open_window(path)
        if helpers and _engine_runs():
            print(
                tr(
                    "The light goes on. Ctrl+C ends the simulated node and controller; "
                    "`choreon stop` ends the engine."
                )
            )

        while helpers and _engine_runs():
            time.sleep(0.3)
    except KeyboardInterrupt:
        code = 0
    finally:
        for helper in helpers:
            helper.terminate()

    return code


SOON, LATEST = 0.5, 10.0  # seconds until a window that died is there again
BRIEFLY = 5.0  # seconds: a window that ends sooner never stood
MOST_BRIEF = 3


def _guest(arguments: argparse.Namespace) -> int:
    """The guest pages. Their window is a process of its own, which comes back where it
    dies; it ends by the PIN.
    """
    from choreon import starter
    from choreon.formats import showfile

    path = arguments.show.resolve()
    if arguments.window:
        return _open_window(path, guest=True)
    if arguments.forget_pin:
        return _forget_pin(path)

    try:
        show, _ = showfile.open_best(path)
    except (showfile.ShowFileError, OSError) as error:
        print(
            tr("{path} cannot be opened: {error}", path=path, error=error),
            file=sys.stderr,
        )
        return 4

    if arguments.starter:
        print(starter.write(path, show.name))
        return 0

    _power_on(show)
    return _keep_window([*_CHOREON, "guest", "--window", str(path)])


_CHOREON = (sys.executable, "-m", "choreon")
NOT_AGAIN = (0, 3, 4)  # exit codes: left by the PIN, not here, nothing to show


def _keep_window(command: Sequence[str]) -> int:
    """Keep a window open until it is left by the PIN, or Ctrl+C is pressed in the
    terminal of whoever started it. Who sends SIGTERM does not get past the PIN: that
    ends it only where no window stands any more, as when a desktop ends.
    """
    told: list[int] = []
    brief = 0  # windows that did not stand, since it was told
    signal.signal(signal.SIGTERM, lambda number, _: told.append(number))
    wait = SOON

    while True:
        began = time.monotonic()
        window = subprocess.Popen(command)

        try:
            code = window.wait()
        except KeyboardInterrupt:
            _end(window)
            return 0

        lasted = time.monotonic() - began
        if code in NOT_AGAIN:
            return code

        brief = brief + 1 if told and lasted < BRIEFLY else 0
        if brief >= MOST_BRIEF:
            return 0

        wait = SOON if lasted > 60.0 else min(LATEST, 2.0 * wait)
        print(
            tr("The window ended ({code}); it is opened again.", code=code),
            file=sys.stderr,
        )
        with contextlib.suppress(KeyboardInterrupt):
            time.sleep(wait)
            continue

        return 0


def _end(window: subprocess.Popen[bytes]) -> None:
    """End a window, one that does not answer too."""
    window.terminate()
    try:
        window.wait(BRIEFLY)
    except (subprocess.TimeoutExpired, KeyboardInterrupt):
        window.kill()
        window.wait()


def _power_on(show: Show) -> None:
    """Where nothing plays yet: forget what played last, or go on with it."""
    from choreon.engine import session
    from choreon.model.tiles import PowerOn

    if _engine_runs():
        return
    if show.guest.power_on == PowerOn.LAST:
        session.resume_last(show.id)
        return
    session.forget(show.id)


def _forget_pin(path: Path) -> int:
    """Take the PIN away where the show is newest: in the window that has it open, in
    the engine that plays it, or in its file alone.
    """
    from choreon.formats.showfile import ShowFileError

    try:
        told = _ask_window(f"forget-pin {path}")
        if told is None:
            _forget_in_engine_and_file(path)
    except (ShowFileError, OSError) as error:
        why = getattr(error, "strerror", None) or error
        print(
            tr("{path}: the PIN is still there: {why}", path=path, why=why),
            file=sys.stderr,
        )
        return 4

    if told not in (None, "done"):
        print(tr("The PIN is still there: {told}", told=told), file=sys.stderr)
        return 3

    print(tr("The PIN is taken away. Open the show, and set another one."))
    return 0


def _ask_window(line: str) -> str | None:
    """Ask something of the window that is open. Returns its answer; None where there is
    no window. Raises OSError where it does not answer.
    """
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as asked:
        asked.settimeout(5.0)
        try:
            asked.connect(str(folders.runtime() / "window.sock"))
        except OSError:
            return None
        asked.sendall(f"{line}\n".encode())
        return asked.makefile().readline().strip() or tr("its window does not answer")


def _forget_in_engine_and_file(path: Path) -> None:
    """Take the PIN out of a show that no window has open. Raises OSError and
    ShowFileError, and then nothing is changed but in the engine.
    """
    from choreon.engine import protocol
    from choreon.engine.client import Client
    from choreon.formats import showfile
    from choreon.model import changes, edits

    client, welcome = None, None
    with contextlib.suppress(OSError, TimeoutError):
        client = Client()
        welcome = client.wait_for(protocol.Welcome, 3.0)

    playing = welcome is not None and welcome.path and Path(welcome.path) == path
    if playing and welcome is not None:
        show, count = welcome.show, welcome.edits
    else:
        show, count = showfile.open_best(path)[0], showfile.edits_of(path)

    without = edits.replace(show, guest=edits.replace(show.guest, pin=""))
    showfile.write(path, without, edits=count + 1)

    if client is not None:
        if playing:
            delta = changes.difference(show, without)
            client.send(protocol.Edit(delta, count + 1, show.id, count))

        client.close()


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
    """A supervisor, and below it the engine that it starts."""
    from choreon.engine import logs

    logs.begin()
    if arguments.beat is None or arguments.adopt is not None:
        return _supervise(arguments)

    from choreon.engine import openings
    from choreon.engine.beat import Heartbeat
    from choreon.engine.engine import run
    from choreon.model.show import Show

    show = Show(id="empty", name="Untitled")
    if arguments.demo:
        from choreon.demo import opening_show

        show = opening_show(arguments.port)

    known = openings.find(arguments.show, show, arguments.why or "", arguments.bare)
    known.beat.close()
    known.beat, known.supervised = Heartbeat(arguments.beat), True

    if known.note:
        print(known.note, file=sys.stderr)

    bare = known.show is None and known.last is None and not arguments.why
    if bare and arguments.show is not None and not arguments.show.exists():
        return 4  # a name that was mistyped

    # else, with nothing known that could be sent, a window may still bring a show
    return run(known)


def _supervise(arguments: argparse.Namespace) -> int:
    from choreon.engine import supervisor

    words = [str(arguments.show.resolve())] if arguments.show else []
    if arguments.demo:
        words = ["--demo", "--port", str(arguments.port)]
    return supervisor.run(words, arguments.adopt or 0, arguments.beat or -1)


def _stop(arguments: argparse.Namespace) -> int:
    from choreon.engine import ending

    return ending.stop(arguments.fade)


def _install(arguments: argparse.Namespace) -> int:
    from choreon import desktop_entry

    home = folders.data().parent
    try:
        for path in desktop_entry.install(home, command_line()):
            print(path)
    except OSError as error:
        print(
            tr(
                "{home} cannot be written: {strerror}.",
                home=home,
                strerror=error.strerror,
            ),
            file=sys.stderr,
        )
        return 1

    return 0


def _film(arguments: argparse.Namespace) -> int:
    from choreon.formats import films

    films.limit_memory()
    return films.make_ready(
        arguments.file, arguments.key or films.key_of(arguments.file)
    )


def _beats(arguments: argparse.Namespace) -> int:
    from choreon.sound.reading import run  # few need it

    return run(arguments.file)


def _sound(arguments: argparse.Namespace) -> int:
    from choreon.engine import logs
    from choreon.engine.beat import Heartbeat
    from choreon.sound.process import run

    logs.begin()
    return run(Heartbeat(arguments.beat) if arguments.beat is not None else None)


def _listen(arguments: argparse.Namespace) -> int:
    from choreon.sound.listening import run

    return run(arguments.source)


def _music(arguments: argparse.Namespace) -> int:
    from choreon.sim.music import run

    return run(arguments.name, arguments.file)


def _card(arguments: argparse.Namespace) -> int:
    from choreon.sim.sound_card import run

    return run(arguments.name, arguments.fast, arguments.keeps)


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


def _serial(arguments: argparse.Namespace) -> int:
    from choreon.sim.serial_line import run

    return run()


def _osc(arguments: argparse.Namespace) -> int:
    from choreon.sim.osc import run

    return run(arguments.port)


def _controller(arguments: argparse.Namespace) -> int:
    from choreon.formats.surface_file import shipped

    if arguments.layout not in shipped():
        known = ", ".join(sorted(shipped()))
        print(
            tr(
                "There is no layout “{layout}”. There are: {known}",
                layout=arguments.layout,
                known=known,
            ),
            file=sys.stderr,
        )
        return 2

    from choreon.ui.controller_window import run

    return run(arguments.layout, arguments.name)
