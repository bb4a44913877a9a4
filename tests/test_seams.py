"""The seams: a made-up kind of each sort, registered from outside, plays, is seen and
saved; and a Choreon that does not know it loses nothing of it.
"""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest

from choreon.formats import showfile
from choreon.model.inputs import UnknownInput
from choreon.model.motion import UnknownMotion
from choreon.model.outputs import UnknownOutput
from choreon.model.playables import Unknown
from choreon.model.tiles import UnknownTile

ROOT = Path(__file__).parents[1]


def run(*words: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", *words],
        cwd=ROOT,
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.fixture
def evening(own_folders, monkeypatch):
    """What came of an evening with the made-up kinds, and its show file."""
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    told = run("tests.seams.evening", str(own_folders))
    return json.loads(told.splitlines()[-1]), own_folders / "Evening.choreon"


def test_kinds_made_up_outside_play_and_are_kept_where_they_are_not_known(evening):
    said, path = evening
    assert said == {
        "same when read": True,
        "swells": True,
        "stepped": pytest.approx(40.0),
        "goes and holds in its own way": True,
        "ends": True,
        "replaced": True,
        "tile": "PadTile",
        "fields": ["rate", "universes"],
        "control": "bell",
        "moved by the draft": True,
    }

    # opened without them, changed, and written
    show = showfile.read(path)
    page = next(iter(show.pages.values()))
    bell = show.tile("beacon")[1]
    assert isinstance(show.playables["beacon"], Unknown)
    assert isinstance(show.playables["swelling"].effects[0].motion, UnknownMotion)
    assert isinstance(show.inputs["door-beacon"], UnknownInput)
    assert isinstance(show.outputs["l"], UnknownOutput)
    assert isinstance(bell, UnknownTile)

    renamed = msgspec.structs.replace(bell, name="Ring")
    tiles = tuple(renamed if tile is bell else tile for tile in page.tiles)
    pages = {**show.pages, page.id: msgspec.structs.replace(page, tiles=tiles)}
    showfile.write(path, msgspec.structs.replace(show, pages=pages))

    # and opened with them again: all is there
    told = run("tests.seams.again", str(path))
    assert json.loads(told) == {"changed": ["pages"], "name": "Ring", "rope": "hemp"}
