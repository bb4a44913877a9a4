"""Starting the program: one window a user, the right show, the engine
found or started.
"""

from __future__ import annotations

import contextlib
import fcntl
import gc
import os
import signal
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import msgspec
from PySide6.QtCore import Qt, QTimer
from PySide6.QtNetwork import QLocalServer, QLocalSocket
from PySide6.QtWidgets import QApplication, QMessageBox

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import protocol, starter
from choreon.formats import autosave, cleaning, rescue, showfile
from choreon.formats.versions import SUFFIX, versions, when
from choreon.language import capital, plural, sentences, tr
from choreon.model.mending import mended
from choreon.model.show import Show
from choreon.ui import display, theme
from choreon.ui.gestures import gestures
from choreon.ui.parts import open_parts
from choreon.ui.settings import open_settings, scale_of, take_troubles, text_of
from choreon.ui.shows import standing
from choreon.ui.shows.begin import UNTITLED, empty_show, free_path, remember_show
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.window import MainWindow


class Opened(msgspec.Struct):
    """A show that was found, and what the user must know about it."""

    show: Show
    path: Path
    note: str = ""
    edits: int = 0


def load(path: Path) -> Opened:
    """Open a show file, or its last good version. Raises ShowFileError and OSError."""
    found = rescue.find(path)
    if found is not None and found.goes_on:
        note = tr(
            "{name} could not be written last time. The newer copy from {parent} was "
            "opened.",
            name=path.name,
            parent=found.path.parent,
        )
        return Opened(found.show, path, note, found.edits)

    show, note = showfile.open_best(path)
    if found is not None:
        copy = tr(
            "There is also a copy of {name} from when it could not be written; the "
            "file has changed since. It is kept as {path}.",
            name=path.name,
            path=found.path,
        )
        note = sentences(note, copy)

    return Opened(show, path, note, showfile.edits_of(path))


def find_show(wanted: Path | None) -> Opened:
    """The show to begin with: the one named, the last one, or a new one. Never raises:
    what is wrong goes along.
    """
    settings = open_settings()
    last = text_of(settings, "show")
    path = wanted.resolve() if wanted else Path(last) if last else None

    if path is not None and os.path.exists(path):
        try:
            return load(path)
        except (showfile.ShowFileError, OSError) as error:
            why = getattr(error, "strerror", None) or str(error)
            opened = new_show()
            opened.note = tr(
                "{name} could not be opened: {why} A new show was begun instead.",
                name=path.name,
                why=why,
            )

            return opened

    if path is not None and wanted is not None:
        show = empty_show(path.stem)
        return Opened(show, path if path.suffix else path.with_suffix(SUFFIX))

    return new_show()


def new_show() -> Opened:
    """A new show under a name that is free."""
    path = free_path(UNTITLED)
    return Opened(empty_show(path.stem), path)


class App:
    """Holds the window that is open, and changes it for another when another show is
    opened.
    """

    def __init__(self, opened: Opened, client: engine_client.Client | None) -> None:
        self.window = self._make(opened, client)

    def _make(self, opened: Opened, client: engine_client.Client | None) -> MainWindow:
        opened.show, put_right = mended(opened.show)
        if put_right:
            opened.note = sentences(
                opened.note, tr("{text}.", text=capital(put_right[0].text))
            )

        opened.show, lost = cleaning.clean(opened.show)
        opened.note = sentences(opened.note, lost)
        kept = (
            autosave.save(opened.path, opened.show, edits=opened.edits)[0]
            if opened.note
            or opened.edits > showfile.edits_of(opened.path)
            or not opened.path.exists()
            else None
        )

        parts = open_parts(opened.show, opened.path, client, opened.edits)
        if kept is not None:
            parts.document.kept = kept

        theme.undress()
        with gestures().paused():
            window = MainWindow(parts)
            theme.dress(window)

        # one that ends the window before that is not the one to begin with next time
        stands = basics.once(window, standing.STANDS, partial(_stands, opened.path))
        stands.start()
        window.shows.begun.connect(self.begin)
        window.shows.wanted.connect(self.open)
        note = sentences(opened.note, take_troubles())

        if note:
            window.notice.tell(note, "alarm")

        return window

    def begin(self, show: Show, path: Path) -> None:
        """Play a new show instead of this one."""
        self.play(Opened(show, path))

    def open(self, path: Path) -> None:
        """Play the show of a file instead of this one, if it can be read."""
        try:
            opened = load(path)
        except (showfile.ShowFileError, OSError) as error:
            self.window.notice.tell(
                tr(
                    "{name} could not be opened: {error} This show stays open.",
                    name=path.name,
                    error=error,
                ),
                "alarm",
            )
            return
        self.play(opened)

    def play(self, opened: Opened) -> None:
        """Hand another show to the engine, and open a window on it."""
        old = self.window
        old.finish(stop=False)
        client = None

        with contextlib.suppress(OSError, TimeoutError):
            client = hand_over(opened)

        settings = open_settings()
        standing.begin(settings, opened.path)
        self.window = self._make(opened, client)
        remember_show(settings, opened.path)
        self.window.show()

        old.close()
        discard(old)
        if gc.get_freeze_count():
            gc.unfreeze()  # the old window can go
            basics.once(self.window, 5000, steady).start()


def _stands(path: Path) -> None:
    """A window has stood for a while on a show."""
    settings = open_settings()
    remember_show(settings, path)
    standing.reached(settings)


def steady() -> None:
    """Have the interpreter hold the window up as little as can be.

    Painting hands the interpreter on and has to get it back: threads beside it
    (compiling, saving) give it up sooner. What there is once the window stands, mostly
    library and widgets, is not looked through for garbage again and again.
    """
    sys.setswitchinterval(0.0005)
    gc.freeze()


def run(wanted: Path | None, guest: bool = False) -> int:
    """Open the window; gives the exit code. `guest`: on the guest pages, as does a
    window that died while a guest played.
    """
    starter.begin()
    display.find()
    QApplication.setHighDpiScaleFactorRoundingPolicy(
        Qt.HighDpiScaleFactorRoundingPolicy.PassThrough
    )
    settings = open_settings()
    os.environ.setdefault("QT_SCALE_FACTOR", f"{scale_of(settings):g}")

    app = QApplication(sys.argv[:1])
    app.setApplicationName("Choreon")
    app.setDesktopFileName("choreon")
    theme.apply(app, contrast=settings.value("contrast") == "high")
    name = str(folders.runtime() / "window.sock")

    lock = (folders.runtime() / "window.lock").open("a")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.close()
        return _raise_other(name, wanted if guest else None)

    try:
        opened, client = (
            _begin_guest(wanted) if guest and wanted else begin_with(wanted)
        )
    except GuestRefused as error:
        print(error, file=sys.stderr)
        return UNREADABLE

    if standing.begin(settings, opened.path) >= standing.PATIENCE:
        opened, client = _another(opened)
        standing.begin(settings, opened.path)

    holder = App(opened, client)
    server = QLocalServer()
    server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
    QLocalServer.removeServer(name)
    server.newConnection.connect(lambda: _asked(server, holder))

    told, signals_of_before = _end_on_signals(app, holder)
    was_guest = str(holder.window.settings.value("guest") or "")
    if guest or was_guest == str(opened.path):
        holder.window.begin_guest()
    else:
        holder.window.show()
        holder.window.prepare()

    app.processEvents()
    steady()
    starter.give_way()  # it stands: whatever it took to build it was quickly done
    server.listen(name)  # from here on the window can be asked to come to the front
    code = 0 if told else app.exec()  # told before it began, it need not begin

    server.close()  # nobody is here any more to be asked
    lock.close()
    signals_of_before()

    # whoever ends the process of a guest has not left by the PIN
    return ENDED if holder.window.is_guest else code


UNREADABLE = 4  # exit code: there is nothing that guests could be shown
ENDED = 5  # exit code: the window was ended while a guest played


class GuestRefused(Exception):
    """The guest pages of a show cannot be shown. The text says why."""


def _begin_guest(wanted: Path) -> tuple[Opened, engine_client.Client | None]:
    """The show whose guest pages are to be shown, and the engine that plays it. No
    other show takes its place, and it takes that of no other. Raises GuestRefused.
    """
    path = wanted.resolve()
    try:
        client = engine_client.Client()
        welcome = client.wait_for(protocol.Welcome, 3.0)
        client.close()
    except (OSError, TimeoutError):
        return _for_guests(path), None

    if welcome.path and Path(welcome.path) == path and not welcome.held:
        return _newest(Opened(welcome.show, path, edits=welcome.edits)), _linked()
    if welcome.state.players and not welcome.held:
        raise GuestRefused(on_stage(welcome.show.name))

    return _handed(_for_guests(path))


def on_stage(name: str) -> str:
    """Returns what is told where the guest pages of another show are asked for."""
    return tr(
        "{name} is on stage. End it with `choreon stop` first, or open its own "
        "guest pages.",
        name=name,
    )


def _for_guests(path: Path) -> Opened:
    try:
        return load(path)
    except (showfile.ShowFileError, OSError) as error:
        raise GuestRefused(
            tr("{path} cannot be opened: {error}", path=path, error=error)
        ) from None


def begin_with(wanted: Path | None) -> tuple[Opened, engine_client.Client | None]:
    """The show and the engine to begin with. An engine that plays is taken over with
    its show, unless another show was asked for by name, and, where something is on,
    agreed to.
    """
    try:
        client = engine_client.Client()
    except OSError:
        return find_show(wanted), None

    try:
        welcome = client.wait_for(protocol.Welcome, 3.0)
    except (OSError, TimeoutError):
        return find_show(wanted), None
    finally:
        client.close()

    here = Path(welcome.path) if welcome.path else free_path(welcome.show.name)
    if welcome.held:  # it has no show: what it has is not to be written anywhere
        return _handed(find_show(wanted or (here if welcome.path else None)))

    if (
        wanted is None
        or here == wanted.resolve()
        or (welcome.state.players and not may_replace(welcome.show, wanted))
    ):
        playing = Opened(welcome.show, here, edits=welcome.edits)
        return _newest(playing), _linked()

    return _handed(find_show(wanted))


def _another(opened: Opened) -> tuple[Opened, engine_client.Client | None]:
    """What is opened in the place of a show that ends every window: its last version
    that can be read and is another, else a new show. The file itself is kept.
    """
    path = opened.path
    why = plural(
        standing.PATIENCE,
        "The window ended {n} time as {name} was opened.",
        "The window ended {n} times as {name} was opened.",
        name=path.name,
    )

    kept = ""

    for version in versions(path):
        with contextlib.suppress(showfile.ShowFileError, OSError):
            show = showfile.read(version)
            if show == opened.show:
                continue

            if path.exists():
                kept = tr(
                    "The file is kept as {name}.", name=showfile.put_aside(path).name
                )

            other = tr("The version kept at {when} was opened.", when=when(version))
            note = sentences(why, other, kept)
            return _handed(Opened(show, path, note, opened.edits + 1))

    begun = new_show()
    begun.note = sentences(
        why, tr("A new show was begun instead; the file was left as it is.")
    )
    return _handed(begun)


def _linked() -> engine_client.Client | None:
    """A link to the engine that was just spoken to, if it has not gone since."""
    try:
        return engine_client.Client()
    except OSError:
        return None


def _newest(playing: Opened) -> Opened:
    """What an engine plays; or the same show as it lies on disk, where that is newer:
    the engine hung, say, when it was edited last.
    """
    if playing.path.exists():
        with contextlib.suppress(showfile.ShowFileError, OSError):
            there = load(playing.path)
            if there.show.id == playing.show.id and there.edits > playing.edits:
                return there
    return playing


def _handed(opened: Opened) -> tuple[Opened, engine_client.Client | None]:
    """A show, and the engine that was given it."""
    try:
        return opened, hand_over(opened)
    except (
        OSError
    ):  # it has gone meanwhile, or does not answer: the window starts one of its own
        return opened, None


def hand_over(opened: Opened) -> engine_client.Client:
    """Give the engine that plays another show; gives a connection on which it has yet
    to say so. Raises OSError or TimeoutError where no engine answers.
    """
    client = engine_client.connect(2.0)
    try:
        client.wait_for(protocol.Welcome, 2.0)  # to the show before
        client.send(protocol.PutShow(opened.show, str(opened.path), opened.edits))
        client.send(
            protocol.Hello()
        )  # messages are taken in their order: it greets with the new show
    except BaseException:
        client.close()
        raise

    return client


def may_replace(playing: Show, wanted: Path) -> bool:
    """Ask whether another show may take the place of one that is on stage."""
    box = QMessageBox()
    box.setWindowTitle(tr("Choreon"))
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(tr("{name} is on stage.", name=playing.name))
    box.setInformativeText(
        tr("Its light goes out when {stem} is opened instead.", stem=wanted.stem)
    )
    stay = box.addButton(
        tr("Stay with {name}", name=playing.name), QMessageBox.ButtonRole.RejectRole
    )

    go = box.addButton(
        tr("Open {stem}", stem=wanted.stem), QMessageBox.ButtonRole.AcceptRole
    )

    box.setDefaultButton(stay)
    box.exec()
    return box.clickedButton() is go


def _raise_other(name: str, guest: Path | None) -> int:
    """Have the window that is open come to the front, or show the guest pages of its
    show; it may still be starting.
    """
    word = "front" if guest is None else f"guest {guest.resolve()}"
    for _ in range(50):
        socket = QLocalSocket()
        socket.connectToServer(name)
        if socket.waitForConnected(300):
            socket.write(f"{word}\n".encode())
            socket.waitForBytesWritten(300)
            socket.waitForReadyRead(3000)
            answer = bytes(socket.readLine().data()).decode(errors="replace").strip()
            socket.disconnectFromServer()

            if answer == DONE:
                print(
                    tr("Choreon is already open; its window was brought to the front.")
                )
                return 0

            print(answer or tr("Its window does not answer."), file=sys.stderr)
            return 3

        time.sleep(0.1)

    print(
        tr("Choreon is already open, but its window does not answer."), file=sys.stderr
    )
    return 1


DONE = "done"
"""What the window answers when it did what another process asked for."""


def _asked(server: QLocalServer, holder: App) -> None:
    """Another process of this user asks something of the window."""
    while (connection := server.nextPendingConnection()) is not None:
        connection.disconnected.connect(connection.deleteLater)
        connection.readyRead.connect(partial(_answer, connection, holder))
        if connection.canReadLine():
            _answer(connection, holder)


def _answer(connection: QLocalSocket, holder: App) -> None:
    if not connection.canReadLine():
        return
    line = bytes(connection.readLine().data()).decode(errors="replace").strip()
    word, _, path = line.partition(" ")
    told = _do_asked(holder.window, word, path)
    connection.write(f"{told}\n".encode())
    connection.flush()


def _do_asked(window: MainWindow, word: str, path: str) -> str:
    """Do what another process asks for. Returns DONE, or why not."""
    document = window.parts.document
    if word in ("guest", "forget-pin") and Path(path) != document.path:
        return tr(
            "{name} is open in the window; nothing was changed.",
            name=document.show.name,
        )

    if word == "guest":
        if not window.is_guest:
            window.begin_guest()

        return DONE

    if word == "forget-pin":
        guest = msgspec.structs.replace(document.show.guest, pin="")
        show = msgspec.structs.replace(document.show, guest=guest)
        document.edit(tr("take the PIN away"), show)

        return DONE

    if word != "front":
        return tr("“{word}” is nothing that this window does.", word=word)

    window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
    window.show()
    window.raise_()
    window.activateWindow()

    if not window.is_guest:
        window.notice.tell(
            tr(
                "Choreon was started once more; this is the window that was open "
                "already."
            ),
            "info",
        )

    return DONE


def _end_on_signals(
    app: QApplication, holder: App
) -> tuple[list[int], Callable[[], None]]:
    """Ctrl+C in the terminal closes the window and lets the light go on. Returns the
    signals that came, as they come, and what gives them back to who had them before.
    """
    told: list[int] = []

    def end(number: int, _: object) -> None:
        told.append(number)
        holder.window.finish(stop=False)
        basics.once(
            app, 0, app.quit
        ).start()  # also where the event loop has not begun yet

    both = (signal.SIGINT, signal.SIGTERM)
    before = [signal.signal(number, end) for number in both]
    beat = QTimer(app, interval=200)
    beat.timeout.connect(lambda: None)  # lets Python see signals
    beat.start()

    def give_back() -> None:
        for number, handler in zip(both, before, strict=True):
            signal.signal(number, handler)

    return told, give_back
