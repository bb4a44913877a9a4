"""The stand-ins, and the commands that start them."""

from __future__ import annotations

import json
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request

import pytest

from choreon import __version__, cli, folders
from choreon.engine import protocol
from choreon.sim import node as nodes
from choreon.sim.controller import PracticeController, announced
from choreon.wire import sacn
from tests.conftest import free_port, until

CID = bytes(range(16))


def send(port: int, *packets: bytes) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as wire:
        for packet in packets:
            wire.sendto(packet, ("127.0.0.1", port))


def packet(
    universe: int = 1, sequence: int = 0, first: int = 0, source: str = "Q"
) -> bytes:
    made = sacn.build(CID, source, universe)
    made[sacn.SEQUENCE_AT] = sequence
    made[sacn.DATA_AT] = first
    return bytes(made)


def test_a_node_counts_what_is_missing_and_refuses_garbage(node):
    send(
        node.port,
        b"hello",
        b"",
        bytes(2000),
        packet(sequence=1),
        packet(sequence=2),
        packet(sequence=5, first=9),
    )
    until(lambda: node.reports() and node.reports()[0].packets == 3)
    report = node.reports()[0]
    assert (report.jumps, report.values[0]) == (1, 9)
    assert node.refused >= 2


def test_a_node_drops_packets_that_come_too_late(node):
    send(
        node.port,
        packet(sequence=10, first=1),
        packet(sequence=9, first=2),
        packet(sequence=10, first=3),
    )
    send(node.port, packet(universe=2))
    until(lambda: len(node.reports()) == 2)
    assert node.reports()[0].values[0] == 1
    assert node.reports()[0].packets == 1


def test_a_source_that_falls_silent_is_replaced(node, monkeypatch):
    send(node.port, packet(first=1))
    until(lambda: node.reports())
    monkeypatch.setattr(nodes, "HOLD", 0.05)
    time.sleep(0.1)
    other = sacn.build(bytes(16), "Late", 1, priority=1)
    send(node.port, bytes(other))
    until(lambda: node.reports()[0].source == "Late")
    assert node.reports()[0].rate >= 0


def test_the_table_shows_source_and_values(node):
    send(node.port, packet(first=200, source="Quillmere"))
    until(lambda: node.reports())
    text = nodes.table(node.reports(), 2)
    assert "Quillmere" in text
    assert "200   0 …" in text
    ended = bytearray(packet(sequence=1))
    ended[sacn.OPTIONS_AT] |= sacn.TERMINATED
    send(node.port, bytes(ended))
    until(lambda: "ended" in nodes.table(node.reports()))


def test_reports_are_served_as_json(node):
    send(node.port, packet(first=7))
    until(lambda: node.reports())
    server = nodes.serve(node, 0)
    with urllib.request.urlopen(server.url) as answer:
        assert answer.headers["Content-Type"] == "application/json"
        found = json.load(answer)
    assert found[0]["values"][:2] == [7, 0]
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize(
    ("path", "host"),
    [
        ("/", None),
        ("/tell?drop=1", None),
        ("TOKENx/tell?drop=1", None),
        ("TOKEN/tell?drop=1", "elsewhere.example"),  # a page that renamed this machine
        ("TOKEN/tell?drop=nan", None),
        ("TOKEN/tell?drop=all", None),
    ],
)
def test_the_node_obeys_its_own_user_alone(node, path, host):
    server = nodes.serve(node, 0)
    path = path.replace("TOKEN", f"/{server.token}")
    asked = urllib.request.Request(f"http://127.0.0.1:{server.server_port}{path}")
    if host:
        asked.add_header("Host", host)
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(asked)
    assert refused.value.code == (400 if "drop=nan" in path or "all" in path else 403)
    refused.value.close()
    assert node.drop == 0.0
    server.shutdown()
    server.server_close()


def test_the_address_of_the_node_stays_and_is_its_users_alone(own_folders):
    first = nodes.url(5580)
    assert nodes.url(5580) == first
    kept = folders.runtime() / "node.token"
    assert kept.stat().st_mode & 0o077 == 0
    kept.write_text("x")  # cannot be one
    assert nodes.url(5580) != first


def test_all_who_ask_for_the_address_at_once_are_told_the_same():
    code = "from choreon.sim import node; print(node.token())"
    asking = [
        subprocess.Popen(
            [sys.executable, "-c", code], stdout=subprocess.PIPE, text=True
        )
        for _ in range(6)
    ]
    assert len({process.communicate(timeout=60)[0] for process in asking}) == 1


def test_the_node_command_prints_json_lines():
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "choreon", "sim", "node", "--port", str(port), "--json"],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        for _ in range(5):
            send(port, packet(universe=4, first=3))
            found = json.loads(process.stdout.readline())
            if found:
                break
        assert found[0]["universe"] == 4
        assert found[0]["values"][0] == 3
    finally:
        process.kill()
        process.communicate()


def test_a_port_that_is_taken_is_told(node, capsys):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind(("127.0.0.1", 0))
        assert nodes.main(taken.getsockname()[1], None, [], False) == 1
    assert "cannot listen on port" in capsys.readouterr().err


def test_a_page_port_that_is_taken_is_told(capsys):
    with socket.create_server(("127.0.0.1", 0)) as taken:
        assert nodes.main(0, taken.getsockname()[1], [], False) == 1
    assert "cannot serve on port" in capsys.readouterr().err


def test_a_controller_is_announced_while_it_is_there(tmp_path):
    assert announced(tmp_path, "Desk") == 0
    device = PracticeController(tmp_path, "Desk")
    assert announced(tmp_path, "Desk") > 0
    device.close()
    (tmp_path / "Desk.json").write_text("[]")
    assert announced(tmp_path, "Desk") == 0


def test_the_command_line(capsys):
    with pytest.raises(SystemExit) as ended:
        cli.main(["--version"])
    assert ended.value.code == 0
    assert __version__ in capsys.readouterr().out
    assert cli.main(["stop"]) == 0
    assert "No engine" in capsys.readouterr().out
    with pytest.raises(SystemExit):
        cli.main(["sim"])


def test_an_engine_is_told_what_is_wrong_with_its_show(tmp_path, engines):
    ended = engines.command("engine", str(tmp_path / "nowhere.choreon"))
    assert ended.returncode == 4
    assert "nowhere.choreon cannot be played: No such file" in ended.stderr
    (tmp_path / "bad.choreon").write_bytes(b"PK nonsense")
    client = engines.start(tmp_path / "bad.choreon")  # it waits for a window's show
    note = client.wait_for(protocol.Welcome).note
    assert "bad.choreon cannot be played" in note
    assert "not a whole show file" in note


def test_the_nodes_page_shows_both_protocols_and_takes_orders(node):
    import json
    import urllib.error
    import urllib.request

    from choreon.sim.node import serve, table
    from choreon.wire import artnet

    server = serve(node, 0)
    base = server.url.rstrip("/")
    try:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as hand:
            hand.sendto(sacn.build(CID, "Q", 1), ("127.0.0.1", node.port))
            hand.sendto(artnet.build_dmx(3), ("127.0.0.1", node.art_port))
            until(lambda: node.reports() and node.reports("artnet"))
        found = json.load(urllib.request.urlopen(f"{base}/"))
        assert [(r["protocol"], r["universe"]) for r in found] == [
            ("sacn", 1),
            ("artnet", 3),
        ]
        assert "artnet" in table(node.reports("artnet"))
        urllib.request.urlopen(f"{base}/tell?drop=0.25&delay=9").close()
        assert (node.drop, node.delay) == (0.25, 5.0)
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(f"{base}/tell?drop=much")
        refused.value.close()
        assert (refused.value.code, node.drop) == (400, 0.25)
    finally:
        server.shutdown()
        server.server_close()


def test_a_taken_art_net_port_leaves_the_rest_working(node):
    from choreon.sim.node import Node

    class Taken(Node):
        pass

    held = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    held.bind(("127.0.0.1", 0))
    second = Taken(0, art_port=held.getsockname()[1])
    assert second.art_port is None
    second.close()
    held.close()
