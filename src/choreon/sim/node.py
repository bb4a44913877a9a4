"""A simulated DMX node: receives sACN as a real one would, and shows or serves what it has."""

from __future__ import annotations

import contextlib
import socket
import sys
import threading
import time
from collections import deque
from collections.abc import Iterable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import msgspec

from choreon.wire import sacn

HOLD = 2.5  # seconds of silence after which a source is lost: E1.31, section 6.7.1


class Received(msgspec.Struct):
    """One universe as the node has it. `gap`: the longest pause between two packets, seconds. `jumps`: sequence
    numbers that were missing or out of order."""

    universe: int
    source: str
    priority: int
    packets: int
    rate: float
    gap: float
    jumps: int
    ended: bool
    values: list[int]


class _Universe:
    def __init__(self) -> None:
        self.last: sacn.Packet | None = None
        self.times: deque[float] = deque(maxlen=45)
        self.packets = self.jumps = 0
        self.gap = 0.0

    def take(self, packet: sacn.Packet, now: float) -> None:
        last = self.last
        if last is not None and last.cid != packet.cid and not last.terminated and now - self.times[-1] < HOLD:
            if packet.priority < last.priority:
                return
        elif last is not None and last.cid == packet.cid:
            behind = (packet.sequence - last.sequence + 128) % 256 - 128
            if -20 < behind <= 0:  # section 6.7.2: late packets are dropped
                self.jumps += 1
                return
            self.jumps += behind != 1
        if self.times:
            self.gap = max(self.gap, now - self.times[-1])
        self.last = packet
        self.packets += 1
        self.times.append(now)


class Node:
    """Listens on a UDP port. `reports()` may be asked from any thread."""

    def __init__(
        self, port: int = sacn.PORT, host: str = "127.0.0.1", multicast: Iterable[int] = (), interface: str = ""
    ) -> None:
        """Raises OSError where the port is taken."""
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
        try:
            self._socket.bind((host, port))
        except OSError:
            self._socket.close()
            raise
        self._socket.settimeout(0.2)
        self.port: int = self._socket.getsockname()[1]
        for universe in multicast:
            group = socket.inet_aton(sacn.multicast_address(universe)) + socket.inet_aton(interface or host)
            with contextlib.suppress(OSError):
                self._socket.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, group)
        self._universes: dict[int, _Universe] = {}
        self._lock = threading.Lock()
        self.refused = 0
        self._ended = False
        self._thread = threading.Thread(target=self._run, name="node", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        while not self._ended:
            try:
                data = self._socket.recv(2048)
            except TimeoutError:
                continue
            except OSError:
                return
            packet = sacn.read(data)
            if packet is None:
                self.refused += 1
                continue
            with self._lock:
                self._universes.setdefault(packet.universe, _Universe()).take(packet, time.monotonic())

    def reports(self) -> list[Received]:
        """What the node has, by universe."""
        now = time.monotonic()
        found = []
        with self._lock:
            for number, universe in sorted(self._universes.items()):
                last, times = universe.last, universe.times
                if last is None:
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
                    )
                )
        return found

    def forget_gaps(self) -> None:
        """Measure the longest pause anew."""
        with self._lock:
            for universe in self._universes.values():
                universe.gap = 0.0

    def close(self) -> None:
        self._ended = True
        self._thread.join(1)
        self._socket.close()


def table(reports: list[Received], width: int = 16) -> str:
    """The reports as text, a line each, with the first values."""
    lines = [f"{'universe':>8}  {'source':24} {'prio':>4} {'rate':>5} {'packets':>8}  values"]
    for r in reports:
        state = "ended" if r.ended else f"{r.rate:5.1f}"
        first = " ".join(f"{v:3d}" for v in r.values[:width])
        lines.append(f"{r.universe:8d}  {r.source[:24]:24} {r.priority:4d} {state:>5} {r.packets:8d}  {first} …")
    return "\n".join(lines)


def serve(node: Node, port: int) -> ThreadingHTTPServer:
    """Serve the reports as JSON at http://127.0.0.1:port/ until the server is shut down."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            body = msgspec.json.encode(node.reports())
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
    threading.Thread(target=server.serve_forever, name="node-http", daemon=True).start()
    return server


def main(port: int, http: int | None, multicast: list[int], json: bool) -> int:
    """Run a node until interrupted: print what it has once a second, or serve it."""
    try:
        node = Node(port, multicast=multicast)
    except OSError as error:
        print(f"The node cannot listen on port {port}: {error.strerror}.", file=sys.stderr)
        return 1
    if http is not None:
        try:
            server = serve(node, http)
        except OSError as error:
            print(f"The node cannot serve on port {http}: {error.strerror}.", file=sys.stderr)
            node.close()
            return 1
        print(f"sACN on port {node.port}, reports at http://127.0.0.1:{server.server_port}/", flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        while True:
            time.sleep(1.0)
            if json:
                print(msgspec.json.encode(node.reports()).decode(), flush=True)
            elif http is None:
                print(table(node.reports()), end="\n\n", flush=True)
    node.close()
    return 0
