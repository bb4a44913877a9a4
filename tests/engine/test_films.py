"""Films beside a real engine: the process that makes their frames ready is killed, or
has no film; no frame of light is late for it.
"""

from __future__ import annotations

import contextlib
import os
import signal
from pathlib import Path

import pytest

from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.formats import films, showfile
from choreon.frames_file import DONE, frames_file, read_head
from choreon.model import edits
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from tests.conftest import until, values
from tests.formats.test_images import film

FILM = Ref("canvas", "estuary-film")


def head_of(key: str):
    path = frames_file(key)
    return read_head(path.read_bytes()[:64]) if path.exists() else None


def makers(engine: int) -> list[int]:
    """The processes that make films ready for an engine."""
    found = []
    for children in Path(f"/proc/{engine}/task").glob("*/children"):
        with contextlib.suppress(OSError):
            for pid in children.read_text().split():
                words = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
                if b"film" in words:
                    found.append(int(pid))
    return found


@pytest.fixture
def with_film(demo_show, tmp_path) -> tuple[Path, str]:
    """The sample show with another film in the place of its own."""
    image = edits.replace(films.read(film(tmp_path / "own.mp4")), id="estuary")
    file = tmp_path / "Film.choreon"
    showfile.write(file, edits.put(demo_show, "images", image))
    return file, image.key


def test_the_process_is_killed_and_another_goes_on(engines, with_film, node):
    file, key = with_film
    client = engines.start(file)
    engine = client.wait_for(protocol.Welcome).pid
    client.send(Do(FILM, Verb.PRESS))
    until(lambda: makers(engine))
    (maker,) = makers(engine)
    os.kill(maker, signal.SIGSTOP)  # it has only just begun
    # what is not ready is no reason to wait: the first picture stands
    until(lambda: any(values(node, 3)[:60]))
    os.kill(maker, signal.SIGKILL)
    until(lambda: makers(engine) not in ([], [maker]) or head_of(key) is not None)
    until(lambda: (head := head_of(key)) is not None and head.state == DONE)
    assert head_of(key).ready == 50
    assert any(values(node, 3)[:60])
    assert all(report.jumps == 0 for report in node.reports())


def test_a_film_that_is_nowhere_is_told_and_its_first_picture_stands(
    engines, demo_show, tmp_path, node
):
    path = film(tmp_path / "gone.mp4")
    image = edits.replace(films.read(path), id="estuary", name="Gone")
    path.unlink()
    file = tmp_path / "Gone.choreon"
    showfile.write(file, edits.put(demo_show, "images", image))
    client = engines.start(file)
    client.wait_for(protocol.Welcome)
    client.send(Do(FILM, Verb.PRESS))
    told: list[str] = []

    def faults() -> list[str]:
        for message in client.receive(0.05):
            if isinstance(message, protocol.Pulse):
                told.extend(message.faults)
        return told

    until(lambda: any("Gone is nowhere" in text for text in faults()))
    until(lambda: any(values(node, 3)[:60]))
    assert frames_file(image.key).exists() is False
