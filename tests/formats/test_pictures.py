"""Pictures from strangers: made into small PNGs of our own, or refused."""

from __future__ import annotations

import contextlib
import io
import struct
import zlib

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, PngImagePlugin

from choreon import folders
from choreon.demo import low_tide
from choreon.formats import apart, cleaning, gdtf
from choreon.formats.package import FormatError
from choreon.formats.pictures import SLOT_SIZE, small
from choreon.library import library
from choreon.library.drawings import PICTURES, svg_of
from choreon.model import edits
from choreon.model.show import Picture

SPOT = library()["ostrey-spot-160"]


def encoded(kind: str, size=(300, 150), colour=(255, 0, 0), **more) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, kind, **more)
    return out.getvalue()


def chunk(kind: bytes, data: bytes) -> bytes:
    check = zlib.crc32(kind + data)
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", check)


def bomb(wide: int, high: int) -> bytes:
    """A PNG of a few bytes that says it has so many pixels."""
    head = struct.pack(">IIBBBBB", wide, high, 8, 0, 0, 0, 0)
    data = zlib.compress(bytes(10_000))
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", data)
        + chunk(b"IEND", b"")
    )


def opened(data: bytes) -> Image.Image:
    assert data.startswith(b"\x89PNG")
    return Image.open(io.BytesIO(data))


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "BMP", "WEBP", "GIF", "TIFF"])
def test_every_common_kind_becomes_a_small_png(kind):
    found = opened(small(encoded(kind), SLOT_SIZE))
    assert found.size == (SLOT_SIZE, SLOT_SIZE // 2)
    red, green, blue, alpha = found.getpixel((10, 10))
    assert red > 245
    assert green < 10
    assert (blue < 10, alpha) == (True, 255)


def test_what_else_came_with_a_picture_is_gone():
    words = PngImagePlugin.PngInfo()
    words.add_text("Comment", "from a stranger " * 1000)
    exif = Image.Exif()
    exif[0x010E] = "where it was taken"
    data = encoded("PNG", pnginfo=words, exif=exif)
    made = small(data, SLOT_SIZE)
    assert not opened(made).info
    assert len(made) < 1000
    assert small(made, SLOT_SIZE) == made  # what is our own stays as it is


def test_an_svg_is_drawn_without_what_leads_out_of_it(tmp_path):
    secret = tmp_path / "secret.png"
    secret.write_bytes(encoded("PNG", colour=(0, 255, 0)))
    text = (
        '<svg xmlns="http://www.w3.org/2000/svg" '
        'xmlns:x="http://www.w3.org/1999/xlink" viewBox="0 0 10 20">'
        '<rect width="10" height="20" fill="#fff"/>'
        f'<g><image width="10" height="20" x:href="{secret}"/></g>'
        "<script>while(1);</script><foreignObject/></svg>"
    )
    found = opened(small(text.encode(), SLOT_SIZE))
    assert found.size == (SLOT_SIZE // 2, SLOT_SIZE)
    assert found.getpixel((10, 30)) == (255, 255, 255, 255)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is no picture"),
        (b"no picture at all", "is no picture"),
        (encoded("PNG")[:200], "is no picture"),
        (bomb(60_000, 60_000), "60000 by 60000 pixels|is no picture"),
        (b"<svg", "broken XML"),
        (b'<!DOCTYPE s [<!ENTITY a "a">]><svg>&a;</svg>', "entities"),
        (b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 nan 1"/>', ""),
        (b"<svg>" + b"<g>" * 50_000 + b"</g>" * 50_000 + b"</svg>", ""),
    ],
)
def test_what_is_no_picture_is_refused_in_words(data, words):
    """Apart, as the program does it: some of them end the process that reads them."""
    job = apart.ReadPictures((data, encoded("PNG")), (64, 64), "gift.png")
    answer = apart.Apart(job).run()
    drawn = msgspec.msgpack.decode(answer, type=apart.Drawn)
    assert opened(drawn.pictures[1]).size == (64, 32)  # the other one is read
    if words:
        assert drawn.pictures[0] == b""
        assert any(word in drawn.wrong for word in words.split("|"))


@given(st.data())
def test_any_bytes_become_a_png_or_are_refused(data):
    kind = data.draw(st.sampled_from(["PNG", "JPEG", "GIF", "BMP"]))
    raw = bytearray(encoded(kind, (20, 10)))
    for _ in range(data.draw(st.integers(1, 6))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    with contextlib.suppress(FormatError):
        assert max(opened(small(bytes(raw), SLOT_SIZE)).size) <= SLOT_SIZE


def test_the_librarys_pictures_are_what_is_drawn_of_them():
    for kind in library().values():
        for wheel in kind.wheels:
            for slot in wheel.slots:
                if slot.picture:
                    drawn = opened(small(svg_of(PICTURES[slot.name]), SLOT_SIZE))
                    assert drawn.tobytes() == opened(slot.picture).tobytes()


def strange_show():
    """A show as a stranger made it: an SVG and a JPEG in it, and what is none."""
    wheel = SPOT.wheels[1]
    slots = (
        edits.replace(wheel.slots[0], picture=svg_of(PICTURES["Net"])),
        edits.replace(wheel.slots[1], picture=b"<svg nothing"),
        *wheel.slots[2:],
    )
    wheels = (SPOT.wheels[0], edits.replace(wheel, slots=slots))
    show = edits.put(low_tide(), "types", edits.replace(SPOT, wheels=wheels))
    poster = Picture(id="poster", name="poster.jpg", data=encoded("JPEG"))
    return edits.put(show, "pictures", poster)


def test_pictures_in_a_strangers_show_are_drawn_anew(own_folders):
    show = strange_show()
    found, note = cleaning.clean(show)
    slots = found.types[SPOT.id].wheels[1].slots
    assert slots[0].picture.startswith(b"\x89PNG")
    assert slots[1].picture == b""
    assert slots[2:] == SPOT.wheels[1].slots[2:]
    assert opened(found.pictures["poster"].data).size == (300, 150)
    assert "1 pictures in the show cannot be read" in note
    assert all(cleaning.is_own(data) for data in cleaning.pictures_of(found))
    assert cleaning.clean(found) == (found, "")  # once


def test_what_was_drawn_here_is_known_to_the_next_process(own_folders, monkeypatch):
    made = small(encoded("PNG", (31, 17)), SLOT_SIZE)
    monkeypatch.setattr(cleaning, "_made", set())
    assert not cleaning.is_own(made)
    cleaning.made_here([made])
    monkeypatch.setattr(cleaning, "_made", set())
    monkeypatch.setattr(cleaning, "_read", {})
    assert cleaning.is_own(made)
    (folders.state() / cleaning.FILE).write_bytes(b"\xff\0 damaged")
    monkeypatch.setattr(cleaning, "_read", {})
    assert not cleaning.is_own(made)  # it is drawn once more, no more than that


def test_a_type_with_strange_pictures_goes_through_gdtf_as_small_pngs():
    show = strange_show()
    found = gdtf.read(gdtf.write(show.types[SPOT.id])).kind
    assert found.wheels[1].slots[0].picture.startswith(b"\x89PNG")
    assert found.wheels[1].slots[1].picture == b""
