"""E1.31 packets: by the standard's numbers, and read by an independent implementation."""

import socket

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from sacn.messages.data_packet import DataPacket
from sacn.messages.universe_discovery import UniverseDiscoveryPacket

from choreon.model import edits
from choreon.model.outputs import SacnOutput
from choreon.sim.node import Node
from choreon.wire import sacn
from choreon.wire.outputs import Sender
from tests.conftest import until

CID = bytes(range(16))


def test_packet_by_the_standard():
    """Field by field after E1.31-2018, table 4-1 and sections 5 to 7."""
    packet = bytes(sacn.build(CID, "Quillmere", 7, 120))
    assert len(packet) == 638
    assert packet[:4] == b"\x00\x10\x00\x00"
    assert packet[4:16] == b"ASC-E1.17\x00\x00\x00"
    assert packet[16:18] == (0x7000 | (638 - 16)).to_bytes(2, "big")
    assert packet[18:22] == (4).to_bytes(4, "big")
    assert packet[22:38] == CID
    assert packet[38:40] == (0x7000 | (638 - 38)).to_bytes(2, "big")
    assert packet[44:108].rstrip(b"\0") == b"Quillmere"
    assert packet[108] == 120
    assert packet[113:115] == (7).to_bytes(2, "big")
    assert packet[115:117] == (0x7000 | (638 - 115)).to_bytes(2, "big")
    assert packet[117:119] == b"\x02\xa1"
    assert packet[123:126] == b"\x02\x01\x00"


def test_an_independent_reader_understands_it():
    packet = sacn.build(CID, "Quillmere", 512, 90)
    packet[sacn.DATA_AT :] = bytes(i % 256 for i in range(512))
    packet[sacn.SEQUENCE_AT] = 77
    read = DataPacket.make_data_packet(tuple(packet))
    assert (read.universe, read.priority, read.sequence, read.sourceName) == (
        512,
        90,
        77,
        "Quillmere",
    )
    assert bytes(read.dmxData) == bytes(i % 256 for i in range(512))
    assert not read.option_StreamTerminated


def test_the_reader_understands_an_independent_writer():
    theirs = DataPacket(
        tuple(CID), "Other", 3, dmxData=(9,) * 512, priority=150, sequence=5
    )
    read = sacn.read(bytes(theirs.getBytes()))
    assert read is not None
    assert (read.universe, read.priority, read.sequence, read.source) == (
        3,
        150,
        5,
        "Other",
    )
    assert read.slots == bytes([9]) * 512


@given(st.binary(max_size=700))
def test_garbage_is_no_packet(data):
    assert sacn.read(data) is None


@given(st.integers(0, 637), st.integers(0, 255))
def test_a_damaged_packet_never_raises(at, value):
    packet = sacn.build(CID, "Quillmere", 1)
    packet[at] = value
    read = sacn.read(bytes(packet))
    assert read is None or len(read.slots) <= 512


def test_multicast_addresses():
    assert sacn.multicast_address(1) == "239.255.0.1"
    assert sacn.multicast_address(0x1234) == "239.255.18.52"


def test_sequence_numbers_wrap_and_the_stream_is_ended(node: Node):
    output = SacnOutput(id="o", host="127.0.0.1", port=node.port)
    sender = Sender("Q", CID, [output], (1, 2))
    frame = np.zeros((2, 512), np.uint8)
    frame[1, 3] = 200
    for i in range(300):
        sender.send(frame, 0.0)
        if i % 50 == 0:
            until(lambda i=i: [r.packets for r in node.reports()] == [i + 1, i + 1])
    until(lambda: [r.packets for r in node.reports()] == [300, 300])
    one, two = node.reports()
    assert (one.jumps, two.jumps) == (0, 0)
    assert two.values[3] == 200
    assert not one.ended
    sender.close()
    until(lambda: all(r.ended for r in node.reports()))


def test_a_new_sender_goes_on_with_the_numbers_and_ends_what_it_drops(node: Node):
    output = SacnOutput(id="o", host="127.0.0.1", port=node.port)
    first = Sender("Q", CID, [output], (1, 2))
    first.send(np.zeros((2, 512), np.uint8), 0.0)
    second = Sender("Q", CID, [output], (1,))
    second.take_over(first)
    second.send(np.zeros((1, 512), np.uint8), 0.0)
    until(
        lambda: (
            [(r.universe, r.ended) for r in node.reports()] == [(1, False), (2, True)]
        )
    )
    until(lambda: node.reports()[0].packets == 2)
    assert node.reports()[0].jumps == 0
    second.close()


def test_the_sequence_of_synchronisation_goes_on_when_an_output_changes():
    """Packets that came to a socket by hand: 48 is the sync packet's sequence number."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear:
        ear.bind(("127.0.0.1", 0))
        ear.settimeout(5.0)
        port = ear.getsockname()[1]

        def numbers(count: int) -> list[int]:
            found: list[int] = []
            while len(found) < count:
                data = ear.recv(2048)
                if sacn.read_sync(data) is not None:
                    found.append(data[sacn.SYNC_SEQUENCE_AT])
            return found

        output = SacnOutput(id="o", host="127.0.0.1", port=port, sync=9)
        first = Sender("Q", CID, [output], (1,))
        for _ in range(3):
            first.send(np.zeros((1, 512), np.uint8), 0.0)
        before = numbers(3)
        second = Sender("Q", CID, [edits.replace(output, priority=120)], (1,))
        second.take_over(first)
        second.send(np.zeros((1, 512), np.uint8), 0.0)
        assert [*before, *numbers(1)] == [1, 2, 3, 4]
        second.close()


def test_universe_discovery_by_the_standard():
    """E1.31-2018, table 8-9, and an independent writer of it."""
    (packet,) = sacn.build_discovery(CID, "Quillmere", (7, 2, 300))
    theirs = UniverseDiscoveryPacket(tuple(CID), "Quillmere", (2, 7, 300))
    assert list(packet) == theirs.getBytes()
    assert len(packet) == 126
    assert packet[38:40] == bytes([0x70, 88])
    assert packet[112:114] == bytes([0x70, 14])
    assert packet[120:] == bytes([0, 2, 0, 7, 1, 44])
    assert sacn.read_discovery(packet) == (0, 0, (2, 7, 300))
    assert sacn.read_discovery(bytes(sacn.build(CID, "Q", 1))) is None
    pages = sacn.build_discovery(CID, "Q", range(1, 700))
    assert [sacn.read_discovery(p)[:2] for p in pages] == [(0, 1), (1, 1)]
    assert sacn.multicast_address(sacn.DISCOVERY) == "239.255.250.214"


def test_what_is_sent_is_told_every_ten_seconds_and_when_it_changes(node: Node):
    outputs = [
        SacnOutput(id="a", host="127.0.0.1", port=node.port, universes=(2,)),
        SacnOutput(id="b", host="127.0.0.1", port=node.port, universes=(1,), shift=4),
    ]
    sender = Sender("Q", CID, outputs, (1, 2))
    dark = np.zeros((2, 512), np.uint8)
    sender.send(dark, 100.0)
    until(lambda: node.announced == (2, 5))
    node.announced = ()
    sender.send(dark, 109.0)
    sender.repeat(110.0)  # nothing changes: it is told all the same
    until(lambda: node.announced == (2, 5))
    after = Sender("Q", CID, outputs[:1], (1, 2))
    after.take_over(sender)
    after.send(dark, 111.0)
    until(lambda: node.announced == (2,))
    assert node.refused == 0
    after.close()


def test_outputs_choose_universes_and_can_be_off(node: Node):
    port = node.port
    outputs = [
        SacnOutput(id="a", host="127.0.0.1", port=port, universes=(2,), priority=30),
        SacnOutput(id="b", host="127.0.0.1", port=port, on=False),
    ]
    sender = Sender("Q", CID, outputs, (1, 2, 3))
    sender.send(np.full((3, 512), 7, np.uint8), 0.0)
    until(lambda: [(r.universe, r.priority) for r in node.reports()] == [(2, 30)])
    sender.close()


def test_multicast_reaches_a_node_that_joined():
    joined = Node(0, host="0.0.0.0", multicast=[5], interface="127.0.0.1")
    sender = Sender(
        "Q", CID, [SacnOutput(id="m", port=joined.port, interface="127.0.0.1")], (5, 6)
    )
    sender.send(np.full((2, 512), 9, np.uint8), 0.0)
    until(lambda: [r.universe for r in joined.reports()] == [5])
    assert joined.reports()[0].values == [9] * 512
    sender.close()
    joined.close()


def test_a_higher_priority_wins_and_a_late_packet_is_dropped(node: Node):
    address = SacnOutput(id="o", host="127.0.0.1", port=node.port)
    low = Sender("Low", bytes(16), [address], (1,))
    high = Sender(
        "High",
        CID,
        [SacnOutput(id="o", host="127.0.0.1", port=node.port, priority=150)],
        (1,),
    )
    high.send(np.full((1, 512), 50, np.uint8), 0.0)
    until(lambda: node.reports() and node.reports()[0].source == "High")
    low.send(np.full((1, 512), 10, np.uint8), 0.0)
    high.send(np.full((1, 512), 60, np.uint8), 0.0)
    until(lambda: node.reports()[0].values[0] == 60)
    assert node.reports()[0].source == "High"
    for sender in (low, high):
        sender.close()
