"""Show files whose `show.json` was changed by hand, as another version might write it."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

from choreon.formats import showfile
from choreon.model.show import Show


def document_of(data: bytes) -> dict[str, Any]:
    """The `show.json` of a show file."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        document: dict[str, Any] = json.loads(archive.read("show.json"))
    return document


def changed_file(show: Show, change: Callable[[dict[str, Any]], object]) -> bytes:
    """A show's file with its document put through a function that changes it."""
    data = showfile.to_bytes(show)
    document = document_of(data)
    change(document)
    made = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(data)) as archive,
        zipfile.ZipFile(made, "w") as out,
    ):
        for name in archive.namelist():
            body = archive.read(name)
            out.writestr(name, json.dumps(document) if name == "show.json" else body)
    return made.getvalue()
