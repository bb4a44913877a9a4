"""Sound files of a show: kept by their content where they travel in it, and found again
by it where they were moved.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
import zipfile
from collections.abc import Iterator
from importlib.resources import files
from pathlib import Path
from typing import IO

from choreon import folders
from choreon.model.show import Show, Sound
from choreon.model.sounds import in_use

SHIPPED = Path(str(files("choreon.sound").joinpath("shipped")))
"""Where the sounds lie that ship with the program."""
MOST_LOOKED = 4000  # files of a folder that are looked at
MOST_BYTES = 2 << 30  # of a sound that travels in a show
MEMBERS = "sounds/"  # where they lie in a show file
SUFFIXES = (".wav", ".flac", ".ogg", ".mp3")


def digest_of(path: Path) -> str:
    """Returns the SHA-256 of a file, hex. Raises OSError."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def kept(sound: Sound) -> Path:
    """Returns where the content of a sound is kept that travels in its show."""
    suffix = Path(sound.path).suffix.lower()
    name = sound.digest if re.fullmatch("[0-9a-f]{64}", sound.digest) else "unknown"
    return folders.data() / "sounds" / (name + (suffix if suffix in SUFFIXES else ""))


def keep(sound: Sound, path: Path) -> None:
    """Keep the content of a file, to be packed into shows. Raises OSError."""
    target = kept(sound)
    if target.exists():
        return
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_name(f".{target.name}.{os.getpid()}.part")
    try:
        shutil.copyfile(path, part)
        part.replace(target)
    finally:
        with contextlib.suppress(OSError):
            part.unlink()


def find(sound: Sound, show: Path | None) -> Path | None:
    """Returns where a sound lies: as it is said, beside the show, where it is kept, or
    by its content among the files around. None where it is nowhere.
    """
    said = Path(sound.path)
    beside = [said]
    if show is not None:
        beside += [show.parent / said, show.parent / said.name]
    beside.append(SHIPPED / said.name)
    if sound.digest:
        beside.append(kept(sound))
    for path in beside:
        with contextlib.suppress(OSError):
            if path.is_file():
                return path
    return _by_content(sound, [said.parent, *([show.parent] if show else [])])


def _by_content(sound: Sound, around: list[Path]) -> Path | None:
    """A file with the same in it, in one of some folders, or one below. Only those of
    its size are read: there may be a whole library.
    """
    if not sound.digest or not sound.size:
        return None
    looked: set[Path] = set()
    for folder in around:
        for path in _files(folder, looked):
            with contextlib.suppress(OSError):
                alike = path.stat().st_size == sound.size
                if alike and digest_of(path) == sound.digest:
                    return path
    return None


def _files(folder: Path, looked: set[Path]) -> Iterator[Path]:
    """The files of a folder, and of those in it."""
    if folder in looked or not folder.is_absolute():
        return
    looked.add(folder)
    with contextlib.suppress(OSError):
        for n, path in enumerate(sorted(folder.iterdir())):
            if n >= MOST_LOOKED:
                return
            if path.is_file():
                yield path
            elif path.is_dir() and not path.is_symlink():
                with contextlib.suppress(OSError):
                    yield from (p for p in path.iterdir() if p.is_file())


def _packed(show: Show) -> Iterator[tuple[str, Path]]:
    """What of a show's sounds travels in it: the member, and where it is kept."""
    for sound in in_use(show):
        if sound.packed and sound.digest:
            yield MEMBERS + kept(sound).name, kept(sound)


def pack(file: IO[bytes], show: Show) -> bool:
    """Put the sounds that travel in a show behind what is in its file. Returns whether
    there were any. Raises OSError.
    """
    found = [(name, path) for name, path in _packed(show) if path.is_file()]
    if not found:
        return False
    with zipfile.ZipFile(file, "a", zipfile.ZIP_STORED) as archive:
        for name, path in found:
            archive.write(path, name)
    return True


def unpack(archive: zipfile.ZipFile, show: Show) -> None:
    """Keep the sounds that travel in a show, where they are not kept as yet. One that
    is not what it is said to be is left out.
    """
    there = set(archive.namelist())
    for name, path in _packed(show):
        if name not in there or path.exists():
            continue
        with contextlib.suppress(OSError, zipfile.BadZipFile):
            _copy_out(archive, name, path)


def _copy_out(archive: zipfile.ZipFile, name: str, path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with archive.open(name) as packed, part.open("wb") as file:
            left = MOST_BYTES
            while left > 0 and (data := packed.read(min(left, 1 << 20))):
                file.write(data)
                left -= len(data)
        if digest_of(part) == path.stem:
            part.replace(path)
    finally:
        with contextlib.suppress(OSError):
            part.unlink()
