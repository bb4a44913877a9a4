"""A simulated DMX node: receives sACN and Art-Net as a real one would, answers ArtPoll,
and shows or serves what it has. It can be told to drop packets, or to take them late.
"""

from __future__ import annotations

import contextlib
import math
import os
import random
import secrets
import selectors
import socket
import sys
import threading
import time
from collections import deque
from collections.abc import Iterable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import msgspec

from choreon import folders
from choreon.wire import artnet, sacn

HOLD = 2.5  # seconds of silence after which a source is lost: E1.31, section 6.7.1


class Received(msgspec.Struct):
    """One universe as the node has it. `gap`: the longest pause between two packets,
    seconds. `jumps`: sequence numbers that were missing or out of order. `synced`: how
    often a synchronisation packet put it out.
    """

    universe: int
    source: str
    priority: int
    packets: int
    rate: float
    gap: float
    jumps: int
    ended: bool
    values: list[int]
    protocol: str = "sacn"
    synced: int = 0


def _ahead(last: sacn.SacnPacket, packet: sacn.SacnPacket) -> int:
    """How many numbers a packet is ahead of the last one of the same sender."""
    if packet.cid == ART and (last.sequence, packet.sequence) == (255, 1):
        return 1  # Art-Net leaves out 0
    return (packet.sequence - last.sequence + 128) % 256 - 128


class _Universe:
    """What is known of one universe."""

    def __init__(self) -> None:
        self.last: sacn.SacnPacket | None = None
        self.waiting: sacn.SacnPacket | None = None
        self.times: deque[float] = deque(maxlen=45)
        self.packets = self.jumps = self.synced = 0
        self.gap = 0.0

    def take(self, packet: sacn.SacnPacket, now: float) -> None:
        """Take a packet of this universe as a node does: by priority, and in order."""
        last = self.waiting or self.last
        if last is not None and last.cid != packet.cid:
            plays = not last.terminated and now - self.times[-1] < HOLD
            if plays and packet.priority < last.priority:
                return
        elif last is not None:
            ahead = _ahead(last, packet)
            self.jumps += ahead != 1
            if -20 < ahead <= 0:  # section 6.7.2: late packets are dropped
                return

        if self.times:
            self.gap = max(self.gap, now - self.times[-1])

        if packet.sync and not packet.terminated:
            self.waiting = packet
        else:
            self.last, self.waiting = packet, None

        self.packets += 1
        self.times.append(now)

    def put_out(self, sync: int) -> None:
        """A synchronisation packet came."""
        if self.waiting is not None and self.waiting.sync == sync:
            self.last, self.waiting = self.waiting, None
            self.synced += 1


ART = b"Art-Net".ljust(16, b"\0")
NAME = "Practice node"


class Node:
    """Listens on two UDP ports. `reports()` may be asked from any thread.

    `art_port` is None where something else has the port. `drop`: share of the packets
    that are lost, 0…1; `delay`: seconds by which all are late.
    """

    def __init__(
        self,
        port: int = sacn.PORT,
        host: str = "127.0.0.1",
        multicast: Iterable[int] = (),
        interface: str = "",
        art_port: int | None = 0,
    ) -> None:
        """`art_port` 0: any that is free; None: no Art-Net. Raises OSError where the
        sACN port is taken.
        """
        self.host = host
        self._socket = _listen(host, port)
        self.port: int = self._socket.getsockname()[1]

        for universe in multicast:
            group = socket.inet_aton(
                sacn.multicast_address(universe)
            ) + socket.inet_aton(interface or host)
            with contextlib.suppress(OSError):
                self._socket.setsockopt(
                    socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, group
                )

        self._art: socket.socket | None = None
        if art_port is not None:
            with contextlib.suppress(OSError):
                self._art = _listen(host, art_port)

        self.art_port: int | None = self._art.getsockname()[1] if self._art else None
        self.outputs: tuple[int, ...] = (0, 1, 2, 3)
        self.announced: tuple[int, ...] = ()
        """The universes that a source said last that it sends."""
        self.drop = self.delay = 0.0

        self.polls = 0
        self._dice = random.Random(1)
        self._late: deque[tuple[float, bytes]] = deque()
        self._universes: dict[tuple[str, int], _Universe] = {}
        self._lock = threading.Lock()

        self.refused = 0
        self._ended = False
        self._thread = threading.Thread(target=self._run, name="node", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        with selectors.DefaultSelector() as selector:
            for one in (self._socket, self._art):
                if one is not None:
                    selector.register(one, selectors.EVENT_READ)
            while not self._ended:
                for key, _ in selector.select(0.005 if self._late else 0.2):
                    assert isinstance(key.fileobj, socket.socket)
                    with contextlib.suppress(OSError):
                        self._hear(*key.fileobj.recvfrom(2048))
                while self._late and self._late[0][0] <= time.monotonic():
                    self._take(self._late.popleft()[1])

    def _hear(self, data: bytes, sender: tuple[str, int]) -> None:
        if artnet.code_of(data) == artnet.POLL:
            self.polls += 1
            if self._art is not None:
                report = f"#0001 [{self.polls:04d}] well"
                for reply in artnet.build_replies(
                    self.host, NAME, self.outputs, report
                ):
                    with contextlib.suppress(OSError):
                        self._art.sendto(reply, sender)

            return

        if self.drop > 0 and self._dice.random() < self.drop:
            return

        if self.delay > 0:
            self._late.append((time.monotonic() + self.delay, data))
        else:
            self._take(data)

    def _take(self, data: bytes) -> None:
        now = time.monotonic()
        packet = sacn.read(data)
        protocol = "sacn"

        if packet is None and (art := artnet.read_dmx(data)) is not None:
            packet = sacn.SacnPacket(
                ART, "Art-Net", 100, art.sequence, False, art.address, art.slots, 0
            )
            protocol = "artnet"

        with self._lock:
            if packet is not None:
                self._universes.setdefault(
                    (protocol, packet.universe), _Universe()
                ).take(packet, now)
            elif (sync := sacn.read_sync(data)) is not None:
                for universe in self._universes.values():
                    universe.put_out(sync)
            elif (found := sacn.read_discovery(data)) is not None:
                page, _, universes = found
                self.announced = universes if page == 0 else self.announced + universes
            elif artnet.code_of(data) == artnet.SYNC:
                for (kind, _), universe in self._universes.items():
                    universe.synced += kind == "artnet"
            else:
                self.refused += 1

    def reports(self, protocol: str = "sacn") -> list[Received]:
        """What the node has by a protocol, by universe; Art-Net's are port-addresses,
        from 0.
        """
        now = time.monotonic()
        found = []

        with self._lock:
            for (kind, number), universe in sorted(self._universes.items()):
                last, times = universe.last, universe.times
                if last is None or kind != protocol:
                    continue

                span = times[-1] - times[0]
                fresh = now - times[-1] < HOLD
                found.append(
                    Received(
                        universe=number,
                        source=last.source,
                        priority=last.priority,
                        packets=universe.packets,
                        rate=(len(times) - 1) / span if fresh and span > 0 else 0.0,
                        gap=universe.gap,
                        jumps=universe.jumps,
                        ended=last.terminated,
                        values=list(last.slots),
                        protocol=kind,
                        synced=universe.synced,
                    )
                )

        return found

    def forget_gaps(self) -> None:
        """Measure the longest pause anew."""
        with self._lock:
            for universe in self._universes.values():
                universe.gap = 0.0

    def close(self) -> None:
        """Take the node off the wire."""
        self._ended = True
        self._thread.join(1)
        self._socket.close()
        if self._art is not None:
            self._art.close()


def _listen(host: str, port: int) -> socket.socket:
    made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    try:
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        made.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
        made.bind((host, port))
    except OSError:
        made.close()
        raise
    made.setblocking(False)
    return made


def table(reports: list[Received], width: int = 16) -> str:
    """The reports as text, a line each, with the first values."""
    lines = [
        f"{'universe':>8}  {'by':7} {'source':24} {'prio':>4} {'rate':>5} "
        f"{'packets':>8}  values"
    ]
    for r in reports:
        state = "ended" if r.ended else f"{r.rate:5.1f}"
        first = " ".join(f"{v:3d}" for v in r.values[:width])
        lines.append(
            f"{r.universe:8d}  {r.protocol:7} {r.source[:24]:24} {r.priority:4d} "
            f"{state:>5} {r.packets:8d}  {first} …"
        )
    return "\n".join(lines)


def token() -> str:
    """What a request for reports must begin with: made once, and kept where only its
    own user can read it. Whoever asks first makes it. Raises OSError.
    """
    file = folders.runtime() / "node.token"
    part = file.with_name(f".node.{os.getpid()}.part")
    while not (kept := _kept_token(file)):
        folders.write_whole(part, secrets.token_hex(16).encode())
        with contextlib.suppress(FileExistsError):
            os.link(part, file)  # never over one that another process made meanwhile
        part.unlink()
    return kept


def _kept_token(file: Path) -> str:
    """The token in a file; empty where there is none. A file with none in it goes."""
    try:
        kept = folders.read_file(file, 256).decode(errors="replace").strip()
    except FileNotFoundError:
        return ""
    if len(kept) == 32 and kept.isalnum():
        return kept
    file.unlink()
    return ""


def url(port: int) -> str:
    """Where a node on this machine serves its reports on a TCP port."""
    return f"http://127.0.0.1:{port}/{token()}/"


class Server(ThreadingHTTPServer):
    """Serves a node's reports at `url`, which holds a token: whoever was not told it,
    or asks by another host's name, is refused.
    """

    daemon_threads = True

    def __init__(self, port: int, handler: type[BaseHTTPRequestHandler]) -> None:
        super().__init__(("127.0.0.1", port), handler)
        self.token = token()
        self.url = url(self.server_port)

    def knows(self, host: str, path: str) -> bool:
        """Whether a request is of our own user: by the name it asks for, and the token
        in its path.
        """
        hosts = {f"{name}:{self.server_port}" for name in ("127.0.0.1", "localhost")}
        said = path.split("/")[1] if path.startswith("/") else ""
        return host in hosts and secrets.compare_digest(
            said.encode(), self.token.encode()
        )


def _number(told: dict[str, list[str]], name: str, now: float, most: float) -> float:
    value = float(told[name][0]) if name in told else now
    if not math.isfinite(value):
        raise ValueError(name)
    return min(most, max(0.0, value))


def serve(node: Node, port: int) -> Server:
    """Serve the reports as JSON at the server's `url` until it is shut down.

    `tell?drop=0.1&delay=0.05` has the node lose a tenth of the packets and take the
    others 50 ms late.
    """

    class Handler(BaseHTTPRequestHandler):
        """Answers with what the node has, as JSON."""

        server: Server
        timeout = 5.0  # seconds in which a request must be said, and its answer read

        def do_GET(self) -> None:
            """Answer with every universe; set `drop` and `delay` where given."""
            asked = urlsplit(self.path)
            if not self.server.knows(self.headers.get("Host", ""), asked.path):
                self.send_error(403, "the path begins with the token")
                return

            told = parse_qs(asked.query)
            try:
                drop = _number(told, "drop", node.drop, 1.0)
                delay = _number(told, "delay", node.delay, 5.0)
            except ValueError:
                self.send_error(400, "drop and delay are numbers")
                return

            node.drop, node.delay = drop, delay
            body = msgspec.json.encode(node.reports() + node.reports("artnet"))
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))

            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: object) -> None:
            """Keep quiet."""

    server = Server(port, Handler)
    threading.Thread(target=server.serve_forever, name="node-http", daemon=True).start()
    return server


def main(
    port: int,
    http: int | None,
    multicast: list[int],
    json: bool,
    art_port: int = artnet.PORT,
    drop: float = 0.0,
    delay: float = 0.0,
) -> int:
    """Run a node until interrupted: print what it has once a second, or serve it."""
    try:
        node = Node(port, multicast=multicast, art_port=art_port)
    except OSError as error:
        print(
            f"The node cannot listen on port {port}: {error.strerror}.", file=sys.stderr
        )
        return 1

    node.drop, node.delay = drop, delay
    if node.art_port is None:
        print(f"Port {art_port} is taken: this node hears no Art-Net.", file=sys.stderr)

    if http is not None:
        try:
            server = serve(node, http)
        except OSError as error:
            print(
                f"The node cannot serve on port {http}: {error.strerror}.",
                file=sys.stderr,
            )
            node.close()
            return 1

        print(
            f"sACN on port {node.port}, Art-Net on port {node.art_port}, "
            f"reports at {server.url}",
            flush=True,
        )

    with contextlib.suppress(KeyboardInterrupt):
        while True:
            time.sleep(1.0)
            if json:
                print(
                    msgspec.json.encode(
                        node.reports() + node.reports("artnet")
                    ).decode(),
                    flush=True,
                )
            elif http is None:
                print(
                    table(node.reports() + node.reports("artnet")),
                    end="\n\n",
                    flush=True,
                )

    node.close()
    return 0
