"""MIDI time code: numbers of frames against a count by hand, pieces by an independent
peer, and what comes out of turn.
"""

from __future__ import annotations

import random

import mido
import pytest

from choreon.wire.time_code import (
    PIECES,
    Rate,
    TimeCode,
    TimeCodeReader,
    full_frame,
    of_number,
    quarter_frame,
    time_code,
    typed,
)


def counted(rate: Rate, frames: int) -> list[tuple[int, int, int, int]]:
    """The first numbers of frames, counted one by one as the standard says it."""
    found, now = [], (0, 0, 0, 0)
    for _ in range(frames):
        found.append(now)
        h, m, s, f = now
        f += 1
        if f == rate.frames:
            f, s = 0, s + 1
        if s == 60:
            s, m = 0, m + 1
            if rate == Rate.DROP and m % 10:
                f = 2
        if m == 60:
            m, h = 0, h + 1
        now = (h, m, s, f)
    return found


@pytest.mark.parametrize("rate", Rate)
def test_frames_are_numbered_as_when_they_are_counted(rate):
    for number, counts in enumerate(counted(rate, 70_000)):
        code = of_number(number, rate)
        assert code[:4] == counts
        assert code.at == pytest.approx(number * rate.seconds)
        assert time_code(code.at, rate) == code


def test_an_hour_of_drop_frames_is_an_hour_on_the_wall():
    code = TimeCode(1, 0, 0, 0, Rate.DROP)
    assert code.at == pytest.approx(3600.0, abs=0.004)  # 3.6 ms: known of the format


@pytest.mark.parametrize("rate", Rate)
def test_another_reads_our_pieces_and_we_read_them_again(rate):
    dice = random.Random(rate)
    for _ in range(50):
        code = of_number(dice.randrange(24 * 3600 * rate.frames - 200_000), rate)
        reader = TimeCodeReader()
        read, fields = None, [0] * PIECES
        for piece in range(PIECES):
            data = quarter_frame(code, piece)
            message = mido.Message.from_bytes(data)
            assert (message.type, message.frame_type) == ("quarter_frame", piece)
            fields[piece] = message.frame_value
            assert read is None
            read = reader.read(data)
        whole = [a + 16 * b for a, b in zip(fields[::2], fields[1::2], strict=True)]
        assert whole[:3] == [code.frames, code.seconds, code.minutes]
        assert (whole[3] & 31, whole[3] >> 5) == (code.hours, rate)
        assert read is not None
        assert read.code == code
        assert read.at == pytest.approx(code.at + 1.75 * rate.seconds)


@pytest.mark.parametrize("rate", Rate)
def test_a_whole_time_is_one_message(rate):
    code = TimeCode(23, 59, 58, 7, rate)
    data = full_frame(code)
    assert mido.Message.from_bytes(data).data == (0x7F, 0x7F, 1, 1, *data[5:9])
    read = TimeCodeReader().read(data)
    assert read is not None
    assert (read.code, read.stands, read.at) == (code, True, code.at)


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("1:00:00:00", 3600.0),
        ("0:01:02:12", 62.48),
        ("0:05:30", 330.0),
        ("5:30", 330.0),
        (" 90.5 ", 90.5),
    ],
)
def test_times_as_they_are_typed(text, seconds):
    assert typed(text) == pytest.approx(seconds)


@pytest.mark.parametrize(
    "text", ["", "soon", "1:00:00:25", "-1:0", "25:00:00", "1:2:3:4:5", "nan"]
)
def test_what_is_no_time_is_refused(text):
    with pytest.raises(ValueError):
        typed(text)


def test_pieces_out_of_turn_are_no_time():
    code = TimeCode(1, 2, 3, 4, Rate.EUROPE)
    pieces = [quarter_frame(code, n) for n in range(PIECES)]
    for order in ([1, 2, 3, 4, 5, 6, 7], [0, 1, 2, 4, 5, 6, 7], [7, 6, 5, 4, 3, 2, 1]):
        reader = TimeCodeReader()
        assert [reader.read(pieces[n]) for n in order] == [None] * len(order)
    reader = TimeCodeReader()
    found = [reader.read(pieces[n]) for n in [3, 4, 0, 1, 2, *range(PIECES)]]
    assert [read.code for read in found if read] == [code]


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"\xf1",
        b"\xf0\xf7",
        full_frame(TimeCode(1, 2, 3, 4, Rate.FILM))[:-2],
        full_frame(TimeCode(25, 0, 0, 0, Rate.FILM)),
        full_frame(TimeCode(1, 60, 0, 0, Rate.FILM)),
        full_frame(TimeCode(1, 0, 0, 24, Rate.FILM)),
    ],
)
def test_what_is_no_time_is_passed_over(data):
    assert TimeCodeReader().read(data) is None
