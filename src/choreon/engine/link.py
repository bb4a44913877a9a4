"""The engine's socket: takes clients, hands on their messages, and tells windows what
goes on.

It runs in a thread of its own. A client that does not read, or sends what is no
message, costs the engine nothing.
"""

from __future__ import annotations

import contextlib
import itertools
import logging
import os
import selectors
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path

from choreon.engine import protocol
from choreon.language import tr

log = logging.getLogger(__name__)

WINDOW = "window"
"""The kind of a hand that is on a window."""
_numbers = itertools.count(1)

BACKLOG = 32 << 20  # bytes a client may leave unread before it is let go
UNFINISHED = 96 << 20  # bytes of messages that are not whole, of all clients together
MOST_CLIENTS = 32
COMPLAIN = 5.0  # seconds between log lines on what goes on failing


class Peer:
    """One client."""

    def __init__(self, connection: socket.socket) -> None:
        self.socket = connection
        self.hand = f"{WINDOW}:{next(_numbers)};"  # what it holds goes with it
        self.framer = protocol.Framer()
        self.out = bytearray()
        self.window = False
        self.taken = 0  # messages
        self.stranger = False  # of another version
        self.stale = False
        self.deaf = (
            False  # it no longer reads; what it sent before it went may still lie here
        )


class Link:
    """`handle(peer, message)` is called in the link's thread, `gone(hand)` when a
    window has left; `latest()` gives the state to tell.
    """

    def __init__(
        self,
        path: Path,
        handle: Callable[[Peer, protocol.ToEngine], None],
        latest: Callable[[], protocol.State],
        idle: Callable[[], None],
        gone: Callable[[str], None] = lambda hand: None,
    ) -> None:
        self._handle, self._latest, self._idle = handle, latest, idle
        self._gone = gone
        self.peer_of: dict[int, Peer] = {}
        self._notices: list[bytes] = []
        self._lock = threading.Lock()

        self._changed = False
        self._ended = False
        self._path = path
        self._server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)

        with contextlib.suppress(FileNotFoundError):
            path.unlink()

        mask = os.umask(0o177)
        try:
            self._server.bind(str(path))
        finally:
            os.umask(mask)

        self._server.listen(16)
        self._server.setblocking(False)
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._wake_out.setblocking(False)

        self._selector = selectors.DefaultSelector()
        self._selector.register(self._server, selectors.EVENT_READ)
        self._selector.register(self._wake_in, selectors.EVENT_READ)
        self.beat = time.monotonic()
        """When the thread last came round."""

        self.thread = threading.Thread(target=self._run, name="link", daemon=True)
        self._complain_due = 0.0

    def start(self) -> None:
        """Begin to listen, in a thread of its own."""
        self.thread.start()

    @property
    def clients(self) -> int:
        """How many are connected. Callable from any thread."""
        return len(self.peer_of)

    def state_changed(self) -> None:
        """Tell every window the latest state, soon. Callable from any thread."""
        self._changed = True
        self._wake()

    def notice(self, message: protocol.Message) -> None:
        """Send a message to every window. Callable from any thread."""
        with self._lock:
            self._notices.append(protocol.pack(message))
        self._wake()

    def reply(self, peer: Peer, message: protocol.Message) -> None:
        """Send a message to one client; only from the link's thread."""
        peer.out += protocol.pack(message)

    def close(self) -> None:
        """End the thread, and take the socket away."""
        self._ended = True
        self._wake()
        self.thread.join(2)
        with contextlib.suppress(OSError):
            self._path.unlink()

    def abandon(self) -> None:
        """Give the thread up, which hangs: its clients are let go and come back to the
        next one. Never blocks.
        """
        self._ended = True
        with contextlib.suppress(OSError):
            self._path.unlink()
        self._server.close()
        for peer in list(self.peer_of.values()):
            with contextlib.suppress(OSError):
                peer.socket.shutdown(socket.SHUT_RDWR)

    def _wake(self) -> None:
        with contextlib.suppress(OSError):
            self._wake_out.send(b"x")

    def _run(self) -> None:
        while not self._ended:
            try:
                self._turn()
            except Exception:
                if self._ended:
                    break

                if self.beat >= self._complain_due:
                    log.exception("the line to the windows failed, and goes on")
                    self._complain_due = self.beat + COMPLAIN

                time.sleep(0.01)

        for peer in list(self.peer_of.values()):
            self._drop(peer)

        self._selector.close()
        for own in (self._server, self._wake_in, self._wake_out):
            own.close()

    def _turn(self) -> None:
        """Serve whoever is ready, once."""
        self.beat = time.monotonic()
        for key, mask in self._selector.select(0.25):
            if self._ended:
                return

            if key.fileobj is self._server:
                self.accept()
            elif key.fileobj is self._wake_in:
                self._wake_in.recv(4096)
            elif key.fd in self.peer_of:
                self.serve(self.peer_of[key.fd], mask)

        self.beat = time.monotonic()
        self.tell_all()
        self._idle()

    def accept(self) -> None:
        """Take a client that knocks."""
        with contextlib.suppress(OSError):
            connection, _ = self._server.accept()
            connection.setblocking(False)
            if len(self.peer_of) >= MOST_CLIENTS:
                self._make_room()
            self.peer_of[connection.fileno()] = Peer(connection)
            self._selector.register(connection, selectors.EVENT_READ)

    def _make_room(self) -> None:
        """Let the oldest client go that is no window; else the oldest."""
        peers = list(self.peer_of.values())
        log.warning("more than %d clients: one is let go", MOST_CLIENTS)
        self._drop(next((peer for peer in peers if not peer.window), peers[0]))

    def serve(self, peer: Peer, mask: int) -> None:
        """Hear a client, and give it what waits for it."""
        try:
            if mask & selectors.EVENT_READ:
                data = peer.socket.recv(1 << 20)
                if not data:
                    self._drop(peer)
                    return

                self._take(peer, data)
                if peer.framer.unfinished > UNFINISHED // 8:
                    waiting = (p.framer.unfinished for p in self.peer_of.values())
                    if sum(waiting) > UNFINISHED:
                        raise ValueError(tr("too much of it is unfinished"))
        except Exception as error:
            log.warning("client let go: %s", error)
            self._drop(peer)

    def _take(self, peer: Peer, data: bytes) -> None:
        for body in peer.framer.feed(data):
            if self._ended:
                return

            peer.taken += 1
            self.beat = time.monotonic()

            try:
                message = protocol.decode_to_engine(body)
            except Exception as error:
                log.warning("message of %d bytes refused: %s", len(body), error)
                continue

            if isinstance(message, protocol.Hello):
                peer.window = message.window

            self._acknowledge(peer)
            try:
                self._handle(peer, message)
            except Exception:
                log.exception("message %s failed", type(message).__name__)

    def _acknowledge(self, peer: Peer) -> None:
        """Tell a window that its message was taken, before anything comes of it: what
        ends an engine is not told to the next one.
        """
        if peer.window and not peer.stranger and not peer.deaf:
            peer.out += protocol.pack(protocol.Taken(peer.taken))
            self._send_some(peer)

    def tell_all(self) -> None:
        """Tell all clients what there is to be told."""
        with self._lock:
            notices, self._notices = self._notices, []
        changed, self._changed = self._changed, False
        for peer in list(self.peer_of.values()):
            if peer.window:
                for notice in notices:
                    peer.out += notice
                peer.stale |= changed
            self._flush(peer)

    def _flush(self, peer: Peer) -> None:
        """Send a client what waits for it, as far as it takes it."""
        if peer.deaf:
            peer.out.clear()
            peer.stale = False

        if peer.stale and not peer.out:
            peer.out += protocol.pack(self._latest())
            peer.stale = False

        self._send_some(peer)
        if len(peer.out) > BACKLOG:
            log.warning("client let go: it does not read")
            self._drop(peer)
            return

        wants = selectors.EVENT_READ
        if peer.out or peer.stale:
            wants |= selectors.EVENT_WRITE

        if self._selector.get_key(peer.socket).events != wants:
            self._selector.modify(peer.socket, wants)

    @staticmethod
    def _send_some(peer: Peer) -> None:
        if not peer.out:
            return
        try:
            sent = peer.socket.send(peer.out)
            del peer.out[:sent]
        except BlockingIOError:
            pass
        except OSError:
            # the end of what it sent is met when that is read
            peer.deaf, peer.stale = True, False
            peer.out.clear()

    def _drop(self, peer: Peer) -> None:
        self.peer_of.pop(peer.socket.fileno(), None)
        with contextlib.suppress(KeyError, ValueError, OSError):
            self._selector.unregister(peer.socket)
        peer.socket.close()
        if peer.window:
            self._gone(peer.hand)
