"""Zip files from strangers: opened only as far as they are harmless."""

from __future__ import annotations

import io
import zipfile
from pathlib import PurePosixPath
from xml.etree.ElementTree import Element

from defusedxml import DefusedXmlException, ElementTree

from choreon.language import tr

# The process that opens them has a limit of memory; these keep what is beyond all
# sense from getting that far.
MOST_FILES = 100_000
MOST_BYTES = 3 << 30  # unpacked, all together
MOST_XML = 512 << 20
MOST_ELEMENTS = 20_000_000
MOST_RATIO = 400  # unpacked to packed, for members that are not harmless
HARMLESS = 1 << 20  # bytes of a member that may be packed as tightly as it likes
NO_ZIP = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    EOFError,
    ValueError,
    NotImplementedError,
)


class FormatError(Exception):
    """A file that cannot be read. The text says what is wrong with it and what
    to do.
    """


def open_zip(data: bytes, name: str) -> zipfile.ZipFile:
    """Returns the zip in `data`. Raises FormatError where it is none, would unpack
    without end, or would leave its folder.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except NO_ZIP as error:
        raise FormatError(
            tr(
                "{name} is not a zip file, as it should be ({error}). Nothing was "
                "changed.",
                name=name,
                error=error,
            )
        ) from None

    members = archive.infolist()
    if len(members) > MOST_FILES:
        raise FormatError(
            tr(
                "{name} holds {n} files; more than {most} are not opened.",
                name=name,
                n=len(members),
                most=MOST_FILES,
            )
        )

    if sum(member.file_size for member in members) > MOST_BYTES:
        size = MOST_BYTES >> 20
        raise FormatError(
            tr(
                "{name} would unpack to more than {size} MB and was not opened.",
                name=name,
                size=size,
            )
        )

    for member in members:
        trouble = _trouble(member)
        if trouble:
            raise FormatError(
                tr("{name} holds {trouble}; not opened.", name=name, trouble=trouble)
            )

    return archive


def _trouble(member: zipfile.ZipInfo) -> str:
    """Why a member of a zip must not be unpacked; empty where it may."""
    path = PurePosixPath(member.filename.replace("\\", "/"))
    if path.is_absolute() or ".." in path.parts or ":" in member.filename:
        return tr(
            "a file that would lie outside of it ({filename})", filename=member.filename
        )
    most = MOST_RATIO * max(1, member.compress_size)
    if member.file_size > HARMLESS and member.file_size > most:
        return tr(
            "{filename}, which would become far too large when unpacked",
            filename=member.filename,
        )
    return ""


def member(
    archive: zipfile.ZipFile, path: str, name: str, limit: int = MOST_XML
) -> bytes:
    """One file of the zip. Raises FormatError where it is missing, too large or
    damaged.
    """
    try:
        info = archive.getinfo(path)
        if info.file_size > limit:
            raise FormatError(
                tr(
                    "{path} in {name} has {size} MB, more than such a file has.",
                    path=path,
                    name=name,
                    size=info.file_size >> 20,
                )
            )
        return archive.read(info)
    except KeyError:
        raise FormatError(
            tr(
                "{name} holds no {path}. It is another kind of file, or incomplete.",
                name=name,
                path=path,
            )
        ) from None
    except FormatError:
        raise
    except Exception as error:  # zlib.error has no common base with the others
        raise FormatError(
            tr(
                "{path} in {name} is damaged ({error}).",
                path=path,
                name=name,
                error=error,
            )
        ) from None


def parse_xml(data: bytes, path: str, name: str) -> Element:
    """The root of an XML document without entities. Raises FormatError."""
    try:
        wide = data.startswith((b"\xff\xfe", b"\xfe\xff"))  # UTF-16
        text = data if wide else data.rstrip(b"\0")
        root: Element = ElementTree.fromstring(text, forbid_dtd=True)
    except DefusedXmlException:
        raise FormatError(
            tr(
                "{path} in {name} defines entities of its own, which is not allowed; "
                "not opened.",
                path=path,
                name=name,
            )
        ) from None
    except Exception as error:  # expat and codecs raise what they like
        raise FormatError(
            tr(
                "{path} in {name} is broken XML ({error}). Ask its maker for a whole "
                "file.",
                path=path,
                name=name,
                error=error,
            )
        ) from None

    count = sum(1 for _ in root.iter())
    if count > MOST_ELEMENTS:
        raise FormatError(
            tr(
                "{path} in {name} has {count} elements, more than such a file has.",
                path=path,
                name=name,
                count=count,
            )
        )

    return root
