"""Art-Net packets by the specification's numbers, and read by an independent
implementation; outputs side by side.
"""

from __future__ import annotations

import socket
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from stupidArtnet import StupidArtnet, StupidArtnetServer

from choreon.model.outputs import ArtnetOutput, SacnOutput
from choreon.sim.node import Node
from choreon.wire import artnet, sacn
from choreon.wire.outputs import Sender
from tests.conftest import free_port, until

CID = bytes(range(16))


def frame(*first: int) -> np.ndarray:
    made = np.zeros((len(first), 512), np.uint8)
    made[:, 0] = first
    return made


def art(port: int, **more) -> ArtnetOutput:
    return ArtnetOutput(
        **{
            "id": "a",
            "host": "127.0.0.1",
            "port": port,
            "shift": -1,
            **more,
        }
    )


def test_a_dmx_packet_by_the_specification():
    """Field by field after “ArtDmx packet definition”: id, opcode low byte first,
    version 14, sequence, physical, the port-address low byte first, the length high
    byte first.
    """
    packet = bytes(artnet.build_dmx(0x0123))
    assert packet[:8] == b"Art-Net\0"
    assert packet[8:10] == b"\x00\x50"
    assert packet[10:12] == b"\x00\x0e"
    assert packet[14:16] == b"\x23\x01"
    assert packet[16:18] == b"\x02\x00"
    assert len(packet) == 18 + 512
    with pytest.raises(ValueError, match="32768 is no Art-Net"):
        artnet.build_dmx(32768)


def test_poll_sync_and_reply_by_the_specification():
    assert artnet.build_poll() == b"Art-Net\0\x00\x20\x00\x0e\x00\x00"
    assert artnet.build_sync() == b"Art-Net\0\x00\x52\x00\x0e\x00\x00"
    reply = artnet.build_reply("10.0.0.9", "Node", (0x123, 0x124), "#0001")
    assert len(reply) == 239
    assert reply[10:16] == bytes((10, 0, 0, 9)) + b"\x36\x19"
    names = "Node", "Node, simulated by Choreon"
    assert artnet.read_reply(reply) == artnet.Reply(
        "10.0.0.9", *names, (0x123, 0x124), "#0001", "10.0.0.9", 1
    )


@given(st.binary(max_size=600))
def test_garbage_is_no_packet(data):
    assert artnet.read_dmx(data) is None
    assert artnet.read_reply(data) is None


@given(st.integers(0, 238), st.integers(0, 255))
def test_a_damaged_reply_never_raises(at, value):
    reply = bytearray(artnet.build_reply("10.0.0.9", "Node", (1,)))
    reply[at] = value
    artnet.read_reply(bytes(reply))


def test_an_independent_receiver_understands_what_is_sent():
    port = free_port()
    server = StupidArtnetServer(port)
    heard = server.register_listener(universe=1, is_simplified=False)
    sender = Sender("Q", CID, [art(port)], (2,))
    made = np.arange(512, dtype=np.uint16).astype(np.uint8).reshape(1, 512)

    def arrived() -> bool:
        sender.send(made, 0.0)
        return server.get_buffer(heard) == made[0].tolist()

    until(arrived, step=0.05)
    server.listen = False
    sender.send(made, 1.0)  # its thread waits for one more
    time.sleep(0.1)
    server.socket_server.close()
    sender.close()


def test_the_node_understands_an_independent_sender(node: Node):
    theirs = StupidArtnet("127.0.0.1", 5, 512, 30, port=node.art_port)
    theirs.set(bytes([9] * 512))
    theirs.show()
    until(lambda: node.reports("artnet"))
    (report,) = node.reports("artnet")
    assert (report.universe, report.values[0]) == (5, 9)
    theirs.close()


def test_several_outputs_at_once_with_shift_sequence_and_sync(node: Node):
    outputs = [
        SacnOutput(id="s", host="127.0.0.1", port=node.port, sync=7),
        art(node.art_port, universes=(2,), sync=1),
    ]
    sender = Sender("Q", CID, outputs, (1, 2))
    for i in range(300):
        sender.send(frame(10, i % 256), 0.0)
        if i % 40 == 0:
            until(
                lambda i=i: (
                    node.reports("artnet")
                    and node.reports("artnet")[0].packets == i + 1
                )
            )
    until(lambda: node.reports("artnet")[0].packets == 300 and len(node.reports()) == 2)
    (one,) = node.reports("artnet")
    assert (one.universe, one.jumps, one.values[0], one.synced >= 290) == (
        1,
        0,
        299 % 256,
        True,
    )
    until(lambda: all(r.packets == 300 and r.synced >= 290 for r in node.reports()))
    assert all(r.jumps == 0 for r in node.reports())
    sender.close()
    until(
        lambda: node.reports("artnet")[0].values[0] == 0
    )  # Art-Net has no end of stream: it goes dark
    until(lambda: all(r.ended for r in node.reports()))


def test_a_synchronised_node_waits_for_the_packet(node: Node):
    """Slots that belong to a synchronisation universe are held until it comes: E1.31,
    section 6.2.4.
    """
    data = sacn.build(CID, "Q", 1, 100, 9)
    data[sacn.DATA_AT] = 77
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as hand:
        to = ("127.0.0.1", node.port)
        hand.sendto(sacn.build(CID, "Q", 1), to)
        until(lambda: node.reports())
        data[sacn.SEQUENCE_AT] = 1
        hand.sendto(data, to)
        until(lambda: node.reports()[0].packets == 2)
        assert node.reports()[0].values[0] == 0
        hand.sendto(sacn.build_sync(CID, 8), to)
        hand.sendto(sacn.build_sync(CID, 9), to)
        until(lambda: node.reports()[0].values[0] == 77)
    assert sacn.read_sync(bytes(sacn.build_sync(CID, 9))) == 9
    assert sacn.read_sync(bytes(data)) is None


def test_a_slower_rate_for_one_output(node: Node):
    sender = Sender(
        "Q",
        CID,
        [SacnOutput(id="s", host="127.0.0.1", port=node.port, rate=11.0)],
        (1,),
    )
    for i in range(44):
        sender.send(frame(1), i / 44)
    assert sender.sent == 11
    sender.close()


def test_changing_one_output_does_not_touch_the_other(node: Node):
    stays, goes = (
        SacnOutput(id="s", host="127.0.0.1", port=node.port),
        art(node.art_port),
    )
    first = Sender("Q", CID, [stays, goes], (1,))
    first.send(frame(1), 0.0)
    line = first.streams["s"]
    second = Sender(
        "Q",
        CID,
        [
            stays,
            art(node.art_port, universes=(1,), rate=20.0),
            SacnOutput(id="n", on=False),
        ],
        (1,),
    )
    second.take_over(first)
    assert second.streams["s"] is line
    second.send(frame(2), 1.0)
    until(
        lambda: (
            node.reports()
            and node.reports()[0].packets == 2
            and node.reports("artnet")[0].packets == 2
        )
    )
    assert node.reports("artnet")[0].jumps == node.reports()[0].jumps == 0
    assert {t.id: t.sent for t in second.tallies()} == {"s": 2, "a": 2}
    second.close()


def test_an_interface_that_is_not_there_is_told_and_tried_again(node: Node):
    lost = SacnOutput(id="x", interface="203.0.113.77")
    sender = Sender(
        "Q", CID, [lost, SacnOutput(id="s", host="127.0.0.1", port=node.port)], (1,)
    )
    for i in range(5):
        sender.send(frame(1), i / 44)
    told = {t.id: t for t in sender.tallies()}
    assert (told["x"].sent, told["x"].errors) == (0, 5)
    assert "The network interface 203.0.113.77 is not there" in told["x"].trouble
    assert (told["s"].sent, told["s"].errors, told["s"].trouble) == (5, 0, "")
    line = sender.streams["x"]
    line.destination = SacnOutput(
        id="x", interface="127.0.0.1", host="127.0.0.1", port=node.port
    )  # it came back
    line.send(frame(1), 5.0)
    assert line.trouble == ""
    sender.close()


def test_an_interface_that_goes_away_while_sending(monkeypatch):
    sender = Sender("Q", CID, [SacnOutput(id="s", host="127.0.0.1", port=9)], (1,))
    sender.send(frame(1), 0.0)

    class Gone:
        def sendto(self, *_):
            raise OSError(19, "No such device")

        def close(self):
            pass

    sender.streams["s"].shut()
    sender.streams["s"].line = Gone()
    sender.send(frame(1), 1.0)
    assert sender.tallies()[0].trouble == "127.0.0.1 cannot be reached: No such device."
    sender.send(frame(1), 2.0)
    assert sender.errors == 2
    sender.send(frame(1), 3.5)
    assert (sender.sent, sender.tallies()[0].trouble) == (2, "")
    sender.close()


def test_universes_beyond_a_protocols_numbers_are_left_out():
    sender = Sender(
        "Q", CID, [art(9), SacnOutput(id="s", host="127.0.0.1", port=9)], (1, 40000)
    )
    assert [len(line.packets) for line in sender.streams.values()] == [1, 2]
    sender.close()


def test_nodes_are_found_and_forgotten(node: Node, monkeypatch):
    monkeypatch.setattr(artnet.Finder, "EVERY", 0.1)
    monkeypatch.setattr(artnet.Finder, "GONE", 0.5)
    told: list[list[artnet.Reply]] = []
    finder = artnet.Finder(told.append, ["127.0.0.1"], node.art_port)
    until(lambda: told)
    assert (told[-1][0].name, told[-1][0].host, told[-1][0].outputs) == (
        "Practice node",
        "127.0.0.1",
        (0, 1, 2, 3),
    )
    assert node.polls >= 1
    node.close()
    until(lambda: told[-1] == [])
    finder.close()


def test_the_network_is_asked_only_on_request(node: Node, monkeypatch):
    """Everybody is one node on this computer here: nothing goes out."""
    monkeypatch.setattr(artnet.Finder, "EVERY", 0.1)
    monkeypatch.setattr(artnet, "EVERYBODY", ("127.0.0.1", node.art_port))
    told: list[list[artnet.Reply]] = []
    quiet = artnet.Finder(told.append, ["127.0.0.1"], 9)
    assert quiet.asked == [("127.0.0.1", 9)]
    quiet.close()
    finder = artnet.Finder(told.append, everywhere=True)
    until(lambda: told)
    assert told[-1][0].name == "Practice node"
    finder.close()


def test_a_node_with_more_than_four_outputs_is_one_node(node: Node, monkeypatch):
    monkeypatch.setattr(artnet.Finder, "EVERY", 0.1)
    node.outputs = (0, 1, 2, 3, 4, 16, 17)
    told: list[list[artnet.Reply]] = []
    finder = artnet.Finder(told.append, ["127.0.0.1"], node.art_port)
    until(lambda: told and len(told[-1]) == 1 and len(told[-1][0].outputs) == 7)
    assert told[-1][0].outputs == node.outputs
    finder.close()


def test_replies_belong_together_by_their_root_and_their_number():
    """The fields at 207 and 211 of an ArtPollReply, by hand; an old node has none."""
    replies = artnet.build_replies("10.0.0.9", "Node", range(6))
    assert [reply[207:212] for reply in replies] == [
        bytes([10, 0, 0, 9, 1]),
        bytes([10, 0, 0, 9, 2]),
    ]
    other = artnet.build_reply("10.0.0.8", "Node", (9,), index=0)
    old = artnet.build_reply("10.0.0.7", "Old", (3,))[:207]
    read = [artnet.read_reply(data) for data in (*reversed(replies), other, old)]
    found = artnet.as_nodes(reply for reply in read if reply is not None)
    assert [(node.host, node.outputs) for node in found] == [
        ("10.0.0.9", (0, 1, 2, 3, 4, 5)),
        ("10.0.0.8", (9,)),
        ("10.0.0.7", (3,)),
    ]


def test_the_node_can_be_told_to_drop_and_to_delay(node: Node):
    sender = Sender(
        "Q", CID, [SacnOutput(id="s", host="127.0.0.1", port=node.port)], (1,)
    )
    node.drop = 1.0
    sender.send(frame(1), 0.0)
    time.sleep(0.1)
    assert node.reports() == []
    node.drop, node.delay = 0.0, 0.3
    begin = time.monotonic()
    sender.send(frame(2), 0.0)
    until(lambda: node.reports() and node.reports()[0].values[0] == 2)
    assert time.monotonic() - begin >= 0.3
    sender.close()
