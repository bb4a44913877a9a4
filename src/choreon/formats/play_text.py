"""The text of a play out of a file: plain text, Markdown, DOCX, or that of a PDF."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from typing import Any

from choreon.formats import progress
from choreon.formats.package import FormatError, open_zip
from choreon.language import tr
from choreon.model.script import MOST, Paragraphs, paragraphs_of

MOST_FILE = 64 << 20  # bytes of a file
ENCODINGS = ("utf-8-sig", "cp1252")
MARKS = ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))

HEADING = re.compile(r"^\s{0,3}#{1,6}\s*")
QUOTED = re.compile(r"^\s*(?:>\s?)+")
RULE = re.compile(r"^\s*([-*_])(?:\s*\1){2,}\s*$")
EMPHASIS = re.compile(r"(\*\*|__|\*|_|`)(?=\S)(.+?)(?<=\S)\1")
LINKED = re.compile(r"!?\[([^\]]*)\]\([^)]*\)")


def read(data: bytes, name: str) -> Paragraphs:
    """Returns the paragraphs of a text file of any of these kinds; which one it is, is
    seen from what is in it. Raises FormatError where there is no text in it.
    """
    if len(data) > MOST_FILE:
        raise FormatError(
            tr(
                "{name} has more than {size} MB: a play has not. Nothing was changed.",
                name=name,
                size=MOST_FILE >> 20,
            )
        )

    if data.startswith(b"%PDF"):
        text = _of_pdf(data, name)
    elif zipfile.is_zipfile(io.BytesIO(data)):
        text = _of_docx(data, name)
    else:
        text = _of_plain(data, name)

    paragraphs = paragraphs_of(text)
    if not paragraphs:
        raise FormatError(
            tr(
                "There is no text in {name}. A PDF that was scanned holds pictures of "
                "words: have it recognised first, or paste the text. Nothing was "
                "changed.",
                name=name,
            )
        )
    return paragraphs


def _of_plain(data: bytes, name: str) -> str:
    """Plain text, or Markdown without its marks."""
    mark = next((encoding for begin, encoding in MARKS if data.startswith(begin)), "")
    text = ""
    for encoding in (mark,) if mark else ENCODINGS:
        try:
            text = data.decode(encoding)
            break
        except UnicodeDecodeError:
            continue
    else:
        raise FormatError(
            tr("{name} is no text that can be read. Nothing was changed.", name=name)
        )

    if "\0" in text:
        raise FormatError(
            tr(
                "{name} is no text: TXT, Markdown, DOCX and PDF can be read. Nothing "
                "was changed.",
                name=name,
            )
        )
    if name.lower().endswith((".md", ".markdown")):
        lines = [_unmarked(line) for line in text.split("\n")]
        return "\n".join(lines)
    return text


def _unmarked(line: str) -> str:
    """A line of Markdown as it is read aloud."""
    if RULE.match(line):
        return ""
    plain = QUOTED.sub("", HEADING.sub("", line))
    plain = LINKED.sub(r"\1", plain)
    for _ in range(3):  # bold within italic
        plain = EMPHASIS.sub(r"\2", plain)
    return plain


def _of_docx(data: bytes, name: str) -> str:
    import docx
    from docx.opc.exceptions import PackageNotFoundError

    open_zip(data, name)
    try:
        document = docx.Document(io.BytesIO(data))
        lines = [paragraph.text for paragraph in _paragraphs(document)]
    except (PackageNotFoundError, KeyError, ValueError, zipfile.BadZipFile) as error:
        raise FormatError(
            tr(
                "{name} is no DOCX that can be read ({error}). Nothing was changed.",
                name=name,
                error=error,
            )
        ) from None
    return "\n".join(lines)


def _paragraphs(document: Any) -> Iterator[Any]:
    """The paragraphs of a document in their order, those in tables among them."""
    from docx.table import Table

    for block in document.iter_inner_content():
        if not isinstance(block, Table):
            yield block
            continue
        for row in block.rows:
            for cell in row.cells:
                yield from cell.paragraphs


def _of_pdf(data: bytes, name: str) -> str:
    import pypdf
    from pypdf.errors import PyPdfError

    try:
        reader = pypdf.PdfReader(io.BytesIO(data))
        if reader.is_encrypted and not reader.decrypt(""):
            raise FormatError(
                tr(
                    "{name} is locked by a password: save it without one first.",
                    name=name,
                )
            )

        pages, letters = [], 0
        for n, page in enumerate(reader.pages):
            progress.tell(
                tr("page {page} of {pages}", page=n + 1, pages=len(reader.pages))
            )
            pages.append(page.extract_text())
            letters += len(pages[-1])
            if letters > MOST:
                break
    except (PyPdfError, ValueError, KeyError, RecursionError) as error:
        raise FormatError(
            tr(
                "{name} is no PDF that can be read ({error}). Nothing was changed.",
                name=name,
                error=error,
            )
        ) from None
    return "\n".join(pages)
