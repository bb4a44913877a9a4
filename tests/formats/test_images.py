"""Pictures, moving pictures and films of strangers, made into small images of ours."""

from __future__ import annotations

import io
import os
import random
import struct
import zlib

import av
import msgspec
import numpy as np
import pytest
from PIL import Image as Pictures

from choreon.formats import apart, films, images
from choreon.formats.apart import Apart
from choreon.formats.package import FormatError
from choreon.frames_file import (
    DONE,
    FAILED,
    HEAD,
    HEAD_SIZE,
    MAKING,
    frames_file,
    read_head,
)
from choreon.model.images import (
    FILM_HIGH,
    FILM_WIDE,
    HIGH,
    MOVING,
    WIDE,
    Image,
    pixels_of,
)
from choreon.render.canvas import film_frames
from choreon.render.canvas.film_frames import film_of


@pytest.fixture(autouse=True)
def no_films():
    """No film of another test is remembered."""
    film_frames.forget()


def pixels(image: Image) -> np.ndarray:
    shape = (len(image.times), image.height, image.width, 4)
    return np.frombuffer(pixels_of(image), np.uint8).reshape(shape)


def stored(picture, kind: str, **how) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **how)
    return out.getvalue()


def frames(*colours, size=(12, 8)):
    return [Pictures.new("RGB", size, colour) for colour in colours]


def moving(kind: str, durations, *colours, size=(12, 8)) -> bytes:
    first, *rest = frames(*colours, size=size)
    return stored(
        first, kind, save_all=True, append_images=rest, duration=durations, loop=0
    )


# pictures


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP", "BMP", "TIFF"])
def test_a_still_picture_of_any_kind(kind) -> None:
    (red,) = frames((250, 10, 10))
    made = images.read(stored(red, kind), f"red.{kind.lower()}")
    assert (made.name, made.width, made.height, made.times) == ("red", 12, 8, (0.0,))
    assert np.abs(pixels(made)[0, 4, 6, :3].astype(int) - (250, 10, 10)).max() < 12
    assert pixels(made)[0, 4, 6, 3] == 255


def test_what_is_clear_in_a_picture_stays_clear() -> None:
    picture = Pictures.new("RGBA", (2, 1), (255, 0, 0, 255))
    picture.putpixel((1, 0), (0, 0, 0, 0))
    assert pixels(images.read(stored(picture, "PNG"), "half.png"))[0, 0, 1, 3] == 0


def test_a_large_picture_is_kept_small() -> None:
    made = images.read(stored(Pictures.new("L", (6000, 3000), 99), "PNG"), "large.png")
    assert (made.width, made.height) == (WIDE, 160)
    assert made.height <= HIGH
    assert len(made.data) < 5000


def test_svg_is_drawn_without_scripts_links_and_pictures_of_others() -> None:
    svg = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"
      xmlns:xlink="http://www.w3.org/1999/xlink">
      <script>while(true){}</script>
      <image xlink:href="file:///etc/passwd" width="20" height="10"/>
      <rect width="20" height="10" fill="#00ff00"/></svg>"""
    made = images.read(svg, "green.svg")
    assert made.width == 2 * made.height
    assert pixels(made)[0, 5, 5].tolist() == [0, 255, 0, 255]
    bomb = b'<!DOCTYPE x [<!ENTITY a "aaaa">]><svg xmlns="http://www.w3.org/2000/svg"/>'
    with pytest.raises(FormatError):
        images.read(bomb, "bomb.svg")


@pytest.mark.parametrize("kind", ["GIF", "WEBP", "PNG"])
def test_a_picture_that_moves_keeps_its_frames_and_their_times(kind) -> None:
    data = moving(kind, [100, 300, 200], (255, 0, 0), (0, 255, 0), (0, 0, 255))
    made = images.read(data, "three")
    assert made.times == pytest.approx((0.1, 0.3, 0.2))
    assert made.lasts == pytest.approx(0.6)
    seen = [frame[4, 6, :3].argmax() for frame in pixels(made)]
    assert seen == [0, 1, 2]


def test_of_thousands_of_frames_some_hundred_stand_for_all() -> None:
    data = moving(
        "GIF", 20, *[(n % 256, n // 256, 9) for n in range(4000)], size=(4, 4)
    )
    made = images.read(data, "long.gif")
    assert len(made.times) <= images.MOST_FRAMES
    assert made.lasts == pytest.approx(80.0, rel=0.02)
    assert len(made.data) < 2_000_000


def test_frames_without_a_time_have_a_usual_one() -> None:
    data = moving("GIF", 0, (255, 0, 0), (0, 255, 0))
    assert images.read(data, "quick.gif").times == pytest.approx((0.1, 0.1))


def test_one_that_ends_in_the_middle_keeps_what_came_before() -> None:
    data = moving("GIF", 100, *[(n * 20, 0, 99) for n in range(10)], size=(64, 64))
    made = images.read(data[: int(len(data) * 0.6)], "cut.gif")
    assert 1 <= len(made.times) < 10


def test_a_picture_that_moves_is_no_larger_than_it_may_be() -> None:
    data = moving("GIF", 100, (9, 9, 9), (99, 99, 99), size=(500, 250))
    made = images.read(data, "wide.gif")
    assert (made.width, made.height) == (MOVING, MOVING // 2)


def png(wide: int, high: int) -> bytes:
    """A small file that says it is a large picture."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        check = struct.pack(">I", zlib.crc32(kind + data))
        return struct.pack(">I", len(data)) + kind + data + check

    head = struct.pack(">IIBBBBB", wide, high, 8, 2, 0, 0, 0)
    body = zlib.compress(bytes(1000))
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", body)
        + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"nothing",
        b"GIF89a",
        png(100_000, 100_000),
        png(20_000, 20_000),
        b"<svg",
        b"RIFF1234WEBP",
    ],
)
def test_what_is_no_picture_is_refused_in_words(data) -> None:
    with pytest.raises(FormatError, match=r"it\.png|more than can be read"):
        images.read(data, "it.png")


def test_random_bytes_in_a_picture_are_a_picture_or_refused() -> None:
    dice = random.Random(5)
    good = moving("GIF", 50, *[(n * 9, 99, 0) for n in range(12)], size=(20, 20))
    for _ in range(60):
        data = bytearray(good)
        for _ in range(dice.randint(1, 12)):
            data[dice.randrange(6, len(data))] = dice.randrange(256)
        try:
            made = images.read(bytes(data), "odd.gif")
        except FormatError:
            continue
        assert pixels_of(made)


def test_a_picture_is_read_in_a_process_of_its_own() -> None:
    data = moving("GIF", 100, (255, 0, 0), (0, 255, 0))
    result = Apart(apart.ReadImage(data, "two.gif")).run()
    assert len(msgspec.msgpack.decode(result, type=Image).times) == 2
    with pytest.raises(FormatError, match=r"none\.png"):
        Apart(apart.ReadImage(b"none", "none.png")).run()


# films


def film(path, size=(64, 36), rate=25, count=50, times=None, codec="mpeg4"):
    """Red, then blue from the middle on; `times`: of each frame, in thousandths."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height = size
        stream.pix_fmt = "yuv420p"
        for n in range(count):
            pixels_ = np.zeros((size[1], size[0], 3), np.uint8)
            pixels_[..., 0 if n < count // 2 else 2] = 255
            frame = av.VideoFrame.from_ndarray(pixels_, format="rgb24")
            if times is not None:
                from fractions import Fraction

                frame.time_base, frame.pts = Fraction(1, 1000), times[n]
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return path


def head_of(image: Image):
    return read_head(frames_file(image.key).read_bytes()[:HEAD_SIZE])


def test_a_film_is_known_by_its_first_frame_and_made_ready(tmp_path) -> None:
    path = film(tmp_path / "two.mp4")
    image = films.read(path)
    assert (image.width, image.height, image.name) == (64, 36, "two")
    assert image.seconds == pytest.approx(2.0)
    assert pixels(image)[0, 9, 9, 0] > 200

    assert films.make_ready(path, image.key) == 0
    head = head_of(image)
    assert (head.state, head.ready, head.whole, head.rate) == (DONE, 50, 50, 25.0)
    ready = film_of(image)
    assert ready.head_now().state == DONE
    assert ready.pixels(ready.frame_at(0.5))[9, 9].argmax() == 0
    assert ready.pixels(ready.frame_at(1.5))[9, 9].argmax() == 2
    assert ready.frame_at(99.0) == 49
    # made ready once: again it is left as it is
    before = frames_file(image.key).read_bytes()
    assert films.make_ready(path, image.key) == 0
    assert frames_file(image.key).read_bytes() == before


def test_before_it_is_ready_its_first_frame_stands(tmp_path) -> None:
    image = films.read(film(tmp_path / "two.mp4"))
    waiting = film_of(image)
    assert waiting.head_now() is None
    assert waiting.frame_at(1.0) == -1
    assert waiting.pixels(-1)[9, 9, :3].argmax() == 0


def test_a_film_of_its_own_rate_is_made_ready_at_a_steady_one(tmp_path) -> None:
    times = [0, 40, 80, 900, 940, 1500]
    path = film(tmp_path / "odd.mkv", count=6, times=times)
    image = films.read(path)
    films.make_ready(path, image.key)
    ready = film_of(image)
    assert ready.head_now().state == DONE
    # red until the fourth frame, at 0.9 s, and that before it stands as long
    assert ready.pixels(ready.frame_at(0.5))[9, 9].argmax() in (0, 2)
    assert ready.pixels(ready.frame_at(0.04))[9, 9].argmax() == 0
    assert ready.pixels(ready.frame_at(1.4))[9, 9].argmax() == 2


def test_a_large_film_is_made_small(tmp_path) -> None:
    path = film(tmp_path / "large.mp4", size=(1920, 800), count=5)
    image = films.read(path)
    assert image.width == FILM_WIDE
    assert image.height <= FILM_HIGH
    assert len(image.data) < 20_000


def test_a_damaged_film_keeps_what_can_be_read(tmp_path) -> None:
    path = film(tmp_path / "whole.mkv", size=(160, 90), count=100)
    data = path.read_bytes()
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(data[: len(data) * 2 // 3])
    image = films.read(cut)
    assert films.make_ready(cut, image.key) == 0
    assert 0 < head_of(image).ready < 101


@pytest.mark.parametrize("name", ["none.mp4", "empty.mp4", "text.mp4"])
def test_what_is_no_film_is_refused_in_words(tmp_path, name) -> None:
    path = tmp_path / name
    if name == "empty.mp4":
        path.write_bytes(b"")
    elif name == "text.mp4":
        path.write_bytes(os.urandom(5000))
    with pytest.raises((FormatError, OSError)):
        films.read(path)


@pytest.mark.parametrize(
    "text",
    [
        "ffconcat version 1.0\nfile {other}\n",
        "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:2,\n{other}\n#EXT-X-ENDLIST\n",
    ],
)
def test_a_list_that_leads_to_other_files_is_no_film(tmp_path, text) -> None:
    other = film(tmp_path / "secret.mp4")
    for name in ("list.mp4", "list.m3u8", "list.ffconcat"):
        path = tmp_path / name
        path.write_text(text.format(other=other))
        with pytest.raises(FormatError, match="is no film"):
            films.read(path)


def test_sound_alone_is_no_film(tmp_path) -> None:
    path = tmp_path / "song.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("aac", rate=48_000)
        frame = av.AudioFrame.from_ndarray(
            np.zeros((1, 48_000), np.float32), "fltp", "mono"
        )
        frame.rate = 48_000
        for packet in stream.encode(frame):
            container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    with pytest.raises(FormatError, match="sound alone"):
        films.read(path)
    key = films.key_of(path)
    assert films.make_ready(path, key) == 1
    assert read_head(frames_file(key).read_bytes()[:HEAD_SIZE]).state == FAILED


def test_one_that_was_ended_is_gone_on_with_where_it_was(tmp_path) -> None:
    path = film(tmp_path / "two.mp4")
    image = films.read(path)
    films.make_ready(path, image.key)
    file = frames_file(image.key)
    whole = file.read_bytes()
    # as it is when the process is killed after twenty frames; the first ones are marked
    frame = 64 * 36 * 3
    cut = bytearray(whole)
    cut[HEAD_SIZE : HEAD_SIZE + frame] = bytes(frame)
    cut[HEAD_SIZE + 20 * frame :] = bytes(30 * frame)
    head = read_head(whole[:HEAD_SIZE])._replace(state=MAKING, ready=20)
    cut[: HEAD.size] = HEAD.pack(*head)
    file.write_bytes(cut)
    assert films.make_ready(path, image.key) == 0
    after = file.read_bytes()
    assert read_head(after[:HEAD_SIZE]).ready == 50
    assert not any(after[HEAD_SIZE : HEAD_SIZE + frame])  # was not made anew
    assert after[HEAD_SIZE + 20 * frame :] == whole[HEAD_SIZE + 20 * frame :]


def test_ten_hours_are_made_ready_slower_and_not_for_ever() -> None:
    assert films.rate_for(60.0) == 25.0
    assert films.rate_for(30 * 60.0) < 25.0
    assert films.rate_for(36_000.0) == films.LEAST_RATE


def test_a_film_is_found_beside_the_show_and_another_one_is_not_taken_for_it(
    tmp_path,
) -> None:
    path = film(tmp_path / "a.mp4")
    image = films.read(path)
    show = tmp_path / "elsewhere" / "Show.choreon"
    show.parent.mkdir()
    assert films.find(image, show) == path
    moved = show.parent / "a.mp4"
    path.rename(moved)
    assert films.find(image, show) == moved
    film(path, count=20)  # another film of the same name
    assert films.find(image, show) == moved
    moved.unlink()
    assert films.find(image, show) is None


def test_frames_of_others_are_let_go_where_there_is_no_room(
    tmp_path, monkeypatch
) -> None:
    keys = []
    for n in range(3):
        path = film(tmp_path / f"{n}.mp4", count=10 + n)
        image = films.read(path)
        films.make_ready(path, image.key)
        os.utime(frames_file(image.key), (1000 + n, 1000 + n))
        keys.append(image.key)
    size = frames_file(keys[0]).stat().st_blocks * 512
    monkeypatch.setattr(films, "MOST_KEPT", int(2.5 * size))
    films.make_room(films.folder())
    assert [frames_file(key).exists() for key in keys] == [False, True, True]


def test_a_head_that_is_none_is_passed_over(tmp_path) -> None:
    image = films.read(film(tmp_path / "two.mp4"))
    film_frames.forget()
    file = frames_file(image.key)
    file.parent.mkdir(parents=True, exist_ok=True)
    for data in (b"", b"x" * 10, os.urandom(500)):
        film_frames.forget()
        file.write_bytes(data)
        assert film_of(image).frame_at(1.0) == -1
        assert film_of(image).pixels(0) is not None
