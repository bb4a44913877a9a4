"""The text of a play, tables of cues, and the cue sheet: in and out, good and bad."""

from __future__ import annotations

import io
import zipfile

import docx
import msgspec
import pypdf
import pytest

from choreon.demo import low_tide
from choreon.formats import apart, cue_list, play_text
from choreon.formats.apart import Apart
from choreon.formats.cue_sheet import CueSheet
from choreon.formats.package import FormatError
from choreon.model import cues, edits
from choreon.model.playables import Stack
from choreon.model.playables.stack import FollowKind
from choreon.model.refs import Ref

SHOW = low_tide()
FERRY = cues.stack_of(SHOW, Ref("stack", "last-ferry"))
EMPTY = Stack(id="x", name="X")


# texts


def test_plain_text_in_any_coding():
    for coding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
        data = "ADA: Où?\r\n\r\nTOM: Là.".encode(coding)
        assert play_text.read(data, "play.txt") == ("ADA: Où?", "TOM: Là.")


def test_markdown_is_read_as_it_is_said():
    text = "# The *Last* Ferry\n\n> **ADA:** Listen, [there](x).\n\n---\n- _She waits._"
    assert play_text.read(text.encode(), "play.md") == (
        "The Last Ferry",
        "ADA: Listen, there.",
        "- She waits.",
    )


def docx_of(*paragraphs: str) -> bytes:
    document = docx.Document()
    for paragraph in paragraphs:
        document.add_paragraph(paragraph)
    table = document.add_table(rows=1, cols=2)
    table.cell(0, 0).text, table.cell(0, 1).text = "TOM:", "In a table."
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def test_a_docx_with_what_is_in_its_tables():
    read = play_text.read(docx_of("ADA: One.", "", "ADA: Two."), "play.docx")
    assert read == ("ADA: One.", "ADA: Two.", "TOM:", "In a table.")


def test_the_text_of_a_pdf():
    pdf = CueSheet(SHOW, FERRY, {}, False).write()
    read = play_text.read(pdf, "play.pdf")
    assert any("Tom comes" in line for line in read)


def pdf_without_text() -> bytes:
    writer = pypdf.PdfWriter()
    writer.add_blank_page(300, 300)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def zip_of(name: str, data: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, data)
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "name"),
    [
        (b"", "empty.txt"),
        (b"\0\1\2\3" * 100, "noise.txt"),
        (b"%PDF-1.7\nbroken", "broken.pdf"),
        (pdf_without_text(), "scanned.pdf"),
        (zip_of("readme.txt", b"x"), "other.docx"),
        (zip_of("word/document.xml", b"0" * (900 << 20)), "bomb.docx"),
        (docx_of("x")[:-200], "cut.docx"),
    ],
)
def test_what_holds_no_text_is_refused_in_words(data, name):
    with pytest.raises(FormatError) as error:
        play_text.read(data, name)
    assert name in str(error.value)


def test_a_text_is_read_in_a_process_of_its_own():
    result = Apart(apart.ReadText(docx_of("ADA: One."), "play.docx")).run()
    assert msgspec.msgpack.decode(result)[0] == "ADA: One."
    with pytest.raises(FormatError):
        Apart(apart.ReadText(b"%PDF-1.7\nbroken", "broken.pdf")).run()


# tables


@pytest.mark.parametrize("tabs", [False, True])
def test_a_stack_written_and_read_again_is_the_same(tabs):
    text = cue_list.write(SHOW, FERRY, tabs)
    table = cue_list.read_table(text.encode())
    assert table.fields == cue_list.FIELDS
    read = cue_list.cues_of(SHOW, edits.replace(EMPTY, id="x"), table, table.fields)
    assert read.wrong == ()
    assert len(read.cues) == 24
    for before, after in zip(FERRY.cues, read.cues, strict=True):
        assert after.number == before.number
        assert after.name == before.name
        assert after.plays == before.plays
        assert after.follow == before.follow


def test_another_programs_table_with_commas_for_points():
    data = b"Q;Label;Up time (s);Down time;Follow;Comment\n"
    data += b"1;Saal aus;2,5;3;;ruhig\n2,5;Mond;4/2;;3;\nx;y;;;;\n2,5;z;;;;\n"
    table = cue_list.read_table(data)
    assert table.fields == ("cue", "name", "in", "out", "comes", "note")
    read = cue_list.cues_of(SHOW, EMPTY, table, table.fields)
    first, second = read.cues
    assert (first.fade_in, first.fade_out, first.note) == (2.5, 3.0, "ruhig")
    assert (second.number, second.fade_in, second.fade_out) == (2.5, 4.0, 2.0)
    assert second.follow.kind == FollowKind.BEGUN
    assert [one.line for one in read.wrong] == [4, 5]


def test_a_table_without_titles_is_number_name_in_out():
    table = cue_list.read_table(b"1,Doors,2,3\n2,Dark,0,1\n")
    assert table.fields == ("cue", "name", "in", "out")
    read = cue_list.cues_of(SHOW, EMPTY, table, table.fields)
    assert [cue.name for cue in read.cues] == ["Doors", "Dark"]


def test_a_hundred_thousand_lines_and_noise():
    lines = "\n".join(f"{n},Cue {n},2,3" for n in range(100_000))
    table = cue_list.read_table(lines.encode())
    read = cue_list.cues_of(SHOW, EMPTY, table, table.fields)
    assert 10_000 <= len(read.cues) <= cue_list.MOST_LINES + 1
    for noise in (b"", b"\0" * 50, b"\xff\xfe\0", b'"', b"a\n" * 10, b",,,\n;;;"):
        table = cue_list.read_table(noise)
        assert len(table.titles) == len(table.fields)
        cue_list.cues_of(SHOW, EMPTY, table, table.fields)


# paper


@pytest.mark.parametrize("large", [False, True])
def test_the_cue_sheet_says_all_of_each_cue(large):
    data = CueSheet(SHOW, FERRY, {}, large).write()
    pages = pypdf.PdfReader(io.BytesIO(data)).pages
    text = " ".join(page.extract_text() for page in pages)
    for cue in FERRY.cues:
        assert cue.name.split()[0].strip("“”") in text
    assert "done 1.5" in text
    assert "Missed it again?" in text
    empty = CueSheet(SHOW, EMPTY, {}, large).write()
    assert "no cues yet" in pypdf.PdfReader(io.BytesIO(empty)).pages[0].extract_text()
