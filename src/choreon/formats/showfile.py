"""The show file: a zip with `show.json` and the fixture types in use, written so that
it is never half there.

docs/show-file.md describes it.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import tempfile
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import msgspec

from choreon import folders
from choreon.formats import sounds, unknown
from choreon.formats.migrations import FORMAT, Document, migrated
from choreon.formats.versions import keep_version, versions, when
from choreon.language import listed, plural, sentences, tr
from choreon.model import attributes as at
from choreon.model.fixture_type import FixtureType
from choreon.model.mending import mended
from choreon.model.problem import Problem
from choreon.model.show import COLLECTIONS, Show

PART = ".part"  # a file that is being written
LAST_MIXED_OTHERWISE = 5  # the format of shows whose many emitters mixed differently
LIMIT = 64 << 20  # bytes a member may unpack to
MIME = "application/vnd.choreon.show"

SCHEMA_NAME = "https://json-schema.org/draft/2020-12/schema"


class ShowFileError(Exception):
    """A show file that cannot be read. The text says what is wrong and what
    was kept.
    """


class NewerFormat(ShowFileError):
    """Written by a newer Choreon; never to be overwritten by this one."""


class Header(msgspec.Struct, frozen=True):
    """What every `show.json` holds. `types` names the fixture types that must lie below
    `types/`. `edits`: how often the show had been changed.
    """

    format: int
    show: msgspec.Raw
    types: tuple[str, ...] = ()
    edits: int = 0


def to_bytes(show: Show, edits: int = 0) -> bytes:
    """The show as the bytes of a show file. `edits`: how often it has been changed."""
    used = {fixture.type for fixture in show.fixtures.values()}
    kinds = {i: kind for i, kind in show.types.items() if i in used}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        # first and not packed, so that a desktop knows the file by its first bytes
        archive.writestr("mimetype", MIME, zipfile.ZIP_STORED)
        with archive.open("show.json", "w") as member:
            for piece in _pieces(show, list(kinds), edits):
                member.write(piece)
        for i, kind in kinds.items():
            archive.writestr(f"types/{i}.json", msgspec.json.encode(kind))
    return buffer.getvalue()


def _pieces(show: Show, kinds: list[str], edits: int) -> Iterator[bytes]:
    """`show.json` but for the types, laid out for reading, object by object: each is
    short, so that a large show that is written beside a window does not hold that up.
    """
    head = b'{\n "format": %d,\n "edits": %d,\n "types": %s,\n "show": {'
    yield head % (FORMAT, edits, _laid_out(kinds, 1))

    for i, name in enumerate(show.__struct_fields__):
        yield b"%s\n  %s: " % (b"," if i else b"", msgspec.json.encode(name))
        value = {} if name == "types" else getattr(show, name)
        if name not in COLLECTIONS or not value:
            yield _laid_out(value, 2)
            continue

        for n, (key, thing) in enumerate(value.items()):
            yield b"%s\n   %s: %s" % (
                b"," if n else b"{",
                msgspec.json.encode(key),
                _laid_out(unknown.given_back(thing), 3),
            )

        yield b"\n  }"

    yield b"\n }\n}"


def _laid_out(value: object, deep: int) -> bytes:
    """JSON with a line for each value, to stand `deep` levels down."""
    return msgspec.json.format(msgspec.json.encode(value), indent=1).replace(
        b"\n", b"\n" + deep * b" "
    )


def edits_in(data: bytes) -> int:
    """How often the show in a show file's bytes had been changed; 0 where it does not
    say.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            member = _member(archive, "show.json")
            return max(0, msgspec.json.decode(member, type=Header).edits)
    except Exception:  # whatever is wrong with it is told where it is read
        return 0


def from_bytes(data: bytes, name: str = tr("the file")) -> Show:
    """The show in a show file's bytes, within bounds. Raises ShowFileError, or
    NewerFormat.
    """
    return mended(_from_bytes(data, name))[0]


def _from_bytes(data: bytes, name: str) -> Show:
    """The show as it stands in a show file's bytes."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            header = msgspec.json.decode(_member(archive, "show.json"), type=Header)
            if header.format > FORMAT:
                raise NewerFormat(
                    tr(
                        "{name} was written by a newer Choreon (format {format}; this "
                        "one reads up to {known}).",
                        name=name,
                        format=header.format,
                        known=FORMAT,
                    )
                )

            kinds = {
                i: msgspec.json.decode(_type_file(archive, i), type=FixtureType)
                for i in header.types
            }
            document = msgspec.json.decode(header.show, type=Document)
            show = _decoded(migrated(document, header.format, kinds), name)
            sounds.unpack(archive, show)
    except ShowFileError:
        raise
    except KeyError:
        raise ShowFileError(
            tr("{name} is a zip, but holds no Choreon show.", name=name)
        ) from None
    except msgspec.DecodeError as error:
        raise ShowFileError(
            tr(
                "{name} holds a value that does not fit: {error}.",
                name=name,
                error=error,
            )
        ) from None
    except (
        zipfile.BadZipFile,
        zipfile.LargeZipFile,
        EOFError,
        NotImplementedError,
        RuntimeError,
        ValueError,
    ) as error:
        raise ShowFileError(
            tr("{name} is not a whole show file ({error}).", name=name, error=error)
        ) from None
    except Exception as error:  # zlib.error has no common base
        raise ShowFileError(
            tr("{name} is damaged ({error}).", name=name, error=error)
        ) from None

    types = {kind.id: kind for kind in kinds.values()}
    return msgspec.structs.replace(show, types=types)


def _decoded(document: Document, name: str) -> Show:
    """A show of the present format, decoded. What it holds and this Choreon has no
    place for is refused: writing the show again would lose it.
    """
    strange = sorted(set(document) - set(Show.__struct_fields__))
    if strange:
        raise NewerFormat(
            tr(
                "{name} holds “{strange}”, which this Choreon has no place for. It "
                "was written by another version. The file was left as it is; open it "
                "with that one.",
                name=name,
                strange=strange[0],
            )
        )

    return msgspec.convert(unknown.taken_in(document), Show)


def _type_file(archive: zipfile.ZipFile, type_id: str) -> bytes:
    try:
        return _member(archive, f"types/{type_id}.json")
    except KeyError:
        raise ValueError(
            tr("the fixture type {type} is not in it", type=type_id)
        ) from None


def _member(archive: zipfile.ZipFile, name: str) -> bytes:
    info = archive.getinfo(name)
    if info.file_size > LIMIT:
        raise ValueError(
            tr(
                "{name} would unpack to {size} MB",
                name=name,
                size=info.file_size >> 20,
            )
        )
    return archive.read(info)


def read(path: Path) -> Show:
    """Read a show file. Raises ShowFileError, or OSError where it cannot be opened."""
    return from_bytes(folders.read_file(path), path.name)


def edits_of(path: Path) -> int:
    """How often the show in a file had been changed; 0 where it does not say."""
    try:
        return edits_in(folders.read_file(path))
    except OSError:
        return 0


def open_best(path: Path) -> tuple[Show, str]:
    """The show, or its last good version; and what to tell the user, empty where all is
    well.

    A file that could not be read is put aside under another name, so that nothing
    writes over it. Raises NewerFormat, and ShowFileError where no version can be read
    either.
    """
    try:
        data = folders.read_file(path)
        show, put_right = mended(_from_bytes(data, path.name))
        notes = (_in_words(put_right), _mixed_anew(data, show))

        return show, sentences(*notes)
    except NewerFormat:
        raise
    except ShowFileError as error:
        for version in versions(path):
            with contextlib.suppress(ShowFileError, OSError):
                show = read(version)
                aside = put_aside(path)
                kept = when(version)

                return (
                    show,
                    sentences(
                        str(error),
                        tr(
                            "The version kept at {kept} was opened; the damaged file "
                            "is kept as {name}.",
                            kept=kept,
                            name=aside.name,
                        ),
                    ),
                )

        raise ShowFileError(
            sentences(
                str(error),
                tr("There is no earlier version of it. The file was left as it is."),
            )
        ) from None


def _in_words(put_right: list[Problem]) -> str:
    """What is told of a show that was out of bounds; empty where nothing was."""
    if not put_right:
        return ""
    first, more = put_right[0], len(put_right) - 1
    if not more:
        return tr("What could not be shown was put right: {text}.", text=first.text)
    return plural(
        more,
        "What could not be shown was put right: {text}, and {n} more like it.",
        "What could not be shown was put right: {text}, and {n} more like it.",
        text=first.text,
    )


def _mixed_anew(data: bytes, show: Show) -> str:
    """What is told of a show from before emitters beside red, green, blue and white
    were mixed as they are now; empty where it has none.
    """
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        header = msgspec.json.decode(_member(archive, "show.json"), type=Header)

    if header.format > LAST_MIXED_OTHERWISE:
        return ""

    names = [kind.name for kind in show.types.values() if _has_more_emitters(kind)]
    if not names:
        return ""

    lamps = listed(f"“{name}”" for name in names)
    return tr(
        "An earlier Choreon mixed the emitters of {lamps} another way. Colours are "
        "the same, and fades between them no longer jump; where amber, lime or "
        "another helped out, some are a little darker. Look them through before "
        "you play.",
        lamps=lamps,
    )


def _has_more_emitters(kind: FixtureType) -> bool:
    """Whether a colour can be mixed in several ways, not by its white alone."""
    mixed = kind.attributes & set(at.MIXED)
    return len(mixed) > 3 and bool(mixed - set(at.EMITTERS))


def put_aside(path: Path) -> Path:
    """Rename a file that cannot be read, out of the way of writing; gives its
    new path.
    """
    stamp = time.strftime("%Y%m%d-%H%M%S")
    target = path.with_name(
        tr(
            "{stem} (damaged {stamp}){suffix}",
            stem=path.stem,
            stamp=stamp,
            suffix=path.suffix,
        )
    )

    i = 2
    while target.exists():
        target = path.with_name(
            tr(
                "{stem} (damaged {stamp} {i}){suffix}",
                stem=path.stem,
                stamp=stamp,
                i=i,
                suffix=path.suffix,
            )
        )
        i += 1

    path.rename(target)
    return target


def write(path: Path, show: Show, versions: bool = True, edits: int = 0) -> str:
    """Write a show file: a new file, synced, then renamed into place. Now and then the
    file before it is kept as a version. Sounds that travel in the show are packed into
    it. Returns the digest of what was written (SHA-256, hex). Raises OSError, and then
    the old file stands as it was; a folder that is not there is not made.
    """
    data = to_bytes(show, edits)
    handle, name = tempfile.mkstemp(
        prefix=f".{path.stem}-{os.getpid()}-", suffix=PART, dir=path.parent
    )

    digest = hashlib.sha256(data).hexdigest()
    try:
        with os.fdopen(handle, "w+b") as file:
            file.write(data)
            if sounds.pack(file, show):
                file.seek(0)
                digest = hashlib.file_digest(file, "sha256").hexdigest()
            file.flush()
            os.fsync(file.fileno())

        if versions:
            keep_version(path)

        os.replace(name, path)
        _sync_folder(path.parent)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(name)

        raise

    return digest


def sweep(path: Path) -> None:
    """Take away what processes left behind that died while they wrote this file."""
    begin = f".{path.stem}-"
    with contextlib.suppress(OSError):
        for part in path.parent.iterdir():
            if part.name.startswith(begin) and part.name.endswith(PART):
                pid = part.name.removeprefix(begin).partition("-")[0]
                if not pid.isdigit() or not Path(f"/proc/{pid}").exists():
                    with contextlib.suppress(OSError):
                        part.unlink()


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def schema() -> dict[str, object]:
    """The JSON schema of `show.json` and of the files below `types/`."""

    class ShowFile(msgspec.Struct):
        """A show file as it lies on disk."""

        format: int
        show: Show
        types: tuple[str, ...] = ()
        edits: int = 0

    (document, _), parts = msgspec.json.schema_components((ShowFile, FixtureType))
    return {
        "$schema": SCHEMA_NAME,
        "title": "show.json; files below types/ are a FixtureType",
        **document,
        "$defs": parts,
    }
