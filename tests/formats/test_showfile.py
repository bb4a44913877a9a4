"""The show file: whole or not at all, never overwritten by what could not be read."""

from __future__ import annotations

import contextlib
import io
import json
import os
import zipfile
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import autosave, showfile, versions
from choreon.model import edits
from tests.conftest import until

SHOW = low_tide()
DATA = showfile.to_bytes(SHOW)


def archive(**members: str) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as made:
        for name, text in members.items():
            made.writestr(name.replace("__", "."), text)
    return buffer.getvalue()


def test_out_and_in_again_is_the_same_show(tmp_path):
    path = tmp_path / "s.choreon"
    showfile.write(path, SHOW)
    assert showfile.read(path) == SHOW
    assert list(showfile.read(path).fixtures) == list(SHOW.fixtures)
    assert not list(tmp_path.glob("*.part"))


def test_it_is_laid_out_for_reading():
    """One value a line, each level a blank further in, as JSON is laid out; odd names
    do not break it.
    """
    show = edits.replace(
        SHOW, name='a "quoted"\nname — مرحبا', groups={}, room=SHOW.room
    )
    with zipfile.ZipFile(io.BytesIO(showfile.to_bytes(show))) as made:
        text = made.read("show.json")
    assert text == msgspec.json.format(text, indent=1)
    assert json.loads(text)["show"]["name"] == show.name
    assert list(json.loads(text)) == ["format", "edits", "types", "show"]
    assert showfile.from_bytes(showfile.to_bytes(show)) == show


def test_only_types_in_use_travel_and_unknown_ones_are_kept_as_they_are():
    show = edits.take_down(
        SHOW, [f.id for f in SHOW.fixtures.values() if f.type == "pellow-dot"]
    )
    show = edits.change_fixtures(show, {"par-1": {"type": "sunk-lamp"}})
    back = showfile.from_bytes(showfile.to_bytes(show))
    assert "pellow-dot" not in back.types
    assert back.fixtures["par-1"].type == "sunk-lamp"


@settings(max_examples=150, deadline=None)
@given(st.integers(0, len(DATA) - 1))
def test_a_torn_file_is_an_error_and_nothing_else(length):
    with pytest.raises(showfile.ShowFileError):
        showfile.from_bytes(DATA[:length])


@settings(max_examples=400, deadline=None)
@given(st.integers(0, len(DATA) - 1), st.integers(0, 255))
def test_a_flipped_byte_never_gives_another_show(at, value):
    damaged = DATA[:at] + bytes([value]) + DATA[at + 1 :]
    with contextlib.suppress(showfile.ShowFileError):
        assert showfile.from_bytes(damaged) == SHOW


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not a whole show file"),
        (archive(readme__txt="hello"), "holds no Choreon show"),
        (
            archive(show__json="{}"),
            "does not fit: Object missing required field `format`",
        ),
        (
            archive(
                show__json='{"format":1,"show":{"id":"a","name":"b","fixtures":{"x":{"id":3}}}}'
            ),
            "$.fixtures[...]",
        ),
        (archive(show__json='{"format":99,"show":{}}'), "newer Choreon (format 99"),
    ],
)
def test_what_is_wrong_is_said(data, words):
    with pytest.raises(showfile.ShowFileError) as error:
        showfile.from_bytes(data, "evening.choreon")
    assert words in str(error.value)
    assert "evening.choreon" in str(error.value)


@pytest.mark.parametrize(
    "at",
    [
        DATA.rindex(b"types/tarnby-par-7.json"),
        DATA.rindex(b"types/pellow-dot.json") + 4,
    ],
)
def test_a_type_whose_name_was_damaged_in_the_directory_is_missed(at):
    """The zip itself is sound then; the list of types in show.json tells that one is
    gone.
    """
    with pytest.raises(
        showfile.ShowFileError, match=r"the fixture type .* is not in it"
    ):
        showfile.from_bytes(DATA[:at] + b"\0" + DATA[at + 1 :])


def test_a_zip_bomb_is_refused():
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("show.json", b" " * (showfile.LIMIT + 1))
    with pytest.raises(showfile.ShowFileError, match="would unpack"):
        showfile.from_bytes(buffer.getvalue())


def test_the_last_good_version_is_opened_and_the_damaged_file_kept(
    tmp_path, monkeypatch
):
    monkeypatch.setattr(versions, "VERSION_GAP", 0.0)
    path = tmp_path / "s.choreon"
    for name in ("one", "two", "three"):
        showfile.write(path, edits.replace(SHOW, name=name))
    path.write_bytes(path.read_bytes()[:1000])
    show, note = showfile.open_best(path)
    assert show.name == "two"
    assert "the damaged file is kept as" in note
    damaged = next(tmp_path.glob("s (damaged *).choreon"))
    assert len(damaged.read_bytes()) == 1000
    assert not path.exists()


def test_a_newer_file_is_neither_opened_nor_put_aside(tmp_path):
    path = tmp_path / "s.choreon"
    showfile.write(path, SHOW)
    newer = archive(show__json='{"format":99,"show":{}}')
    path.write_bytes(newer)
    with pytest.raises(showfile.NewerFormat):
        showfile.open_best(path)
    assert path.read_bytes() == newer


def test_ten_versions_are_kept_and_not_one_for_every_edit(tmp_path, monkeypatch):
    path = tmp_path / "s.choreon"
    for i in range(5):
        showfile.write(path, edits.replace(SHOW, name=str(i)))
    assert len(showfile.versions(path)) == 1
    monkeypatch.setattr(versions, "VERSION_GAP", 0.0)
    for i in range(15):
        showfile.write(path, edits.replace(SHOW, name=f"later {i}"))
    kept = showfile.versions(path)
    assert len(kept) == versions.VERSIONS
    assert showfile.read(kept[0]).name == "later 13"


def test_a_full_disk_leaves_the_old_file_as_it_was(tmp_path, monkeypatch):
    path = tmp_path / "s.choreon"
    showfile.write(path, SHOW)

    def full(_handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space left"):
        showfile.write(path, edits.replace(SHOW, name="other"))
    assert showfile.read(path) == SHOW
    assert [p.name for p in tmp_path.iterdir()] == ["s.choreon"]
    kept, _ = autosave.save(path, SHOW)
    assert "Nothing can be written: No space left on device" in kept.trouble


def test_autosave_writes_the_newest_and_a_copy_where_it_may_not(tmp_path, own_folders):
    path = tmp_path / "s.choreon"
    told: list[autosave.SaveStatus] = []
    saving = autosave.Autosave(path, told.append, delay=0.02)
    for i in range(20):
        saving.keep(edits.replace(SHOW, name=str(i)))
    until(lambda: path.exists() and showfile.read(path).name == "19")
    assert saving.flush()
    assert told[-1].trouble == ""
    saving.path = Path("/proc/nowhere/s.choreon")
    saving.keep(edits.replace(SHOW, name="elsewhere"))
    until(lambda: told[-1].trouble)
    assert "cannot be written" in told[-1].trouble
    assert showfile.read(told[-1].path).name == "elsewhere"
    saving.close()


def test_the_documented_schema_is_that_of_the_model():
    documented = json.loads(
        (Path(__file__).parents[2] / "docs" / "show.schema.json").read_text()
    )
    assert documented == json.loads(json.dumps(showfile.schema()))
