"""Pictures that are taken into a show. Files from strangers are decoded in a process of
their own; here only what that drew is seen.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from choreon import folders
from choreon.formats import apart, cleaning
from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.ui.widgets.work import Work

KINDS = tr("Pictures (*.png *.jpg *.jpeg *.svg *.bmp *.webp *.gif *.tif)")


def read(
    work: Work,
    path: Path,
    size: int,
    then: Callable[[bytes], None],
    refused: Callable[[str], None],
) -> None:
    """Read a picture file: a PNG of at most `size` pixels a side goes to `then`, or
    what is wrong, in words, to `refused`.
    """
    jobs: list[apart.Apart] = []

    def act() -> bytes:
        data = folders.read_file(path)
        job = apart.ReadPictures((data,), (size,), path.name)
        jobs.append(apart.Apart(job))
        drawn = msgspec.msgpack.decode(jobs[0].run(), type=apart.Drawn)
        if not drawn.pictures[0]:
            raise FormatError(drawn.wrong)
        cleaning.made_here(drawn.pictures)
        return drawn.pictures[0]

    def failed(error: Exception) -> None:
        why = getattr(error, "strerror", None)
        if why:
            refused(
                tr(
                    "{name} could not be read ({why}). Nothing was changed.",
                    name=path.name,
                    why=why,
                )
            )
        else:
            refused(str(error))

    def cancel() -> None:
        for job in jobs:
            job.kill()

    work.run(tr("Reading {name}", name=path.name), act, then, failed, cancel)
