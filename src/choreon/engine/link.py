"""The engine's socket: takes clients, hands on their messages, and tells windows what
goes on.

It runs in a thread of its own. A client that does not read, or sends what is no
message, costs the engine nothing.
"""

from __future__ import annotations

import contextlib
import logging
import os
import selectors
import socket
import threading
from collections.abc import Callable
from pathlib import Path

import msgspec

from choreon.engine import protocol

log = logging.getLogger(__name__)

BACKLOG = 32 << 20  # bytes a client may leave unread before it is let go


class Peer:
    """One client."""

    def __init__(self, connection: socket.socket) -> None:
        self.socket = connection
        self.framer = protocol.Framer()
        self.out = bytearray()
        self.window = False
        self.stranger = False  # of another version
        self.stale = False
        self.deaf = (
            False  # it no longer reads; what it sent before it went may still lie here
        )


class Link:
    """`handle(peer, message)` is called in the link's thread; `latest()` gives the
    state to tell.
    """

    def __init__(
        self,
        path: Path,
        handle: Callable[[Peer, protocol.ToEngine], None],
        latest: Callable[[], protocol.State],
        idle: Callable[[], None],
    ) -> None:
        self._handle, self._latest, self._idle = handle, latest, idle
        self._peers: dict[int, Peer] = {}
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
        self._thread = threading.Thread(target=self._run, name="link", daemon=True)

    def start(self) -> None:
        """Begin to listen, in a thread of its own."""
        self._thread.start()

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
        self._thread.join(2)
        with contextlib.suppress(FileNotFoundError):
            self._path.unlink()

    def _wake(self) -> None:
        with contextlib.suppress(OSError):
            self._wake_out.send(b"x")

    def _run(self) -> None:
        while not self._ended:
            for key, mask in self._selector.select(0.25):
                if key.fileobj is self._server:
                    self._accept()
                elif key.fileobj is self._wake_in:
                    self._wake_in.recv(4096)
                else:
                    self._serve(self._peers[key.fd], mask)
            self._tell()
            try:
                self._idle()
            except Exception:
                log.exception("looking after the session failed")
        for peer in list(self._peers.values()):
            self._drop(peer)
        self._selector.close()
        for own in (self._server, self._wake_in, self._wake_out):
            own.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            connection, _ = self._server.accept()
            connection.setblocking(False)
            self._peers[connection.fileno()] = Peer(connection)
            self._selector.register(connection, selectors.EVENT_READ)

    def _serve(self, peer: Peer, mask: int) -> None:
        try:
            if mask & selectors.EVENT_READ:
                data = peer.socket.recv(1 << 20)
                if not data:
                    self._drop(peer)
                    return
                self._take(peer, data)
        except (OSError, ValueError) as error:
            log.warning("client let go: %s", error)
            self._drop(peer)

    def _take(self, peer: Peer, data: bytes) -> None:
        for body in peer.framer.feed(data):
            try:
                message = protocol.decode_to_engine(body)
            except msgspec.DecodeError as error:
                log.warning("message of %d bytes refused: %s", len(body), error)
                continue
            if isinstance(message, protocol.Hello):
                peer.window = message.window
            try:
                self._handle(peer, message)
            except Exception:
                log.exception("message %s failed", type(message).__name__)

    def _tell(self) -> None:
        with self._lock:
            notices, self._notices = self._notices, []
        changed, self._changed = self._changed, False
        for peer in list(self._peers.values()):
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
        self._peers.pop(peer.socket.fileno(), None)
        with contextlib.suppress(KeyError, ValueError):
            self._selector.unregister(peer.socket)
        peer.socket.close()
