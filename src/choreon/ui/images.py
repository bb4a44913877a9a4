"""Pictures, moving pictures and films that are taken into a show for canvases. They are
read in a process of their own; here only what that made is seen.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from choreon import folders
from choreon.formats import apart, films
from choreon.language import tr
from choreon.model.images import Image
from choreon.ui.widgets.work import Work

PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".svg", ".gif", ".apng", ".bmp", ".tif")
KINDS = tr(
    "Pictures and films ({kinds})",
    kinds=" ".join(f"*{kind}" for kind in (*PICTURES, *films.KINDS)),
)


def read(
    work: Work,
    path: Path,
    then: Callable[[Image], None],
    refused: Callable[[str], None],
) -> None:
    """Read a file: the image goes to `then`, or what is wrong, in words, to
    `refused`.
    """
    jobs: list[apart.Apart] = []

    def act() -> Image:
        job: apart.AnyJob
        if path.suffix.lower() in films.KINDS:
            job = apart.ReadFilm(str(path))
        else:
            job = apart.ReadImage(folders.read_file(path), path.name)
        jobs.append(apart.Apart(job))
        return msgspec.msgpack.decode(jobs[0].run(), type=Image)

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
