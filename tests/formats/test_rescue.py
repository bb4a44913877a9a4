"""Where shows go whose own place cannot be written, and what is found again."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from choreon import folders
from choreon.formats import autosave, rescue, showfile, versions
from choreon.model import edits
from choreon.model.show import Show
from tests.conftest import until

SHOW = Show(id="s", name="One")


def named(name: str, show: Show = SHOW) -> Show:
    return edits.replace(show, name=name)


def no_folder(folder: Path) -> Path:
    """A file where a folder should be: nobody, not even root, can write below it."""
    folder.write_text("")
    return folder


def test_what_cannot_be_written_is_kept_elsewhere_and_taken_back_when_it_can(tmp_path):
    """A stick that is pulled out, and put in again."""
    stick = tmp_path / "stick"
    stick.mkdir()
    path = stick / "s.choreon"
    told: list[autosave.SaveStatus] = []
    saving = autosave.Autosave(path, told.append, delay=0.01, retry=0.05)
    saving.keep(SHOW)
    until(lambda: told and not told[-1].trouble)
    stick.rename(tmp_path / "pulled out")
    saving.keep(named("Two"))
    until(lambda: told[-1].trouble)
    assert "cannot be written" in told[-1].trouble
    assert not stick.exists()  # nothing is made below where it was
    assert showfile.read(told[-1].path).name == "Two"
    found = rescue.find(path)
    assert found is not None
    assert found.show.name == "Two"
    (tmp_path / "pulled out").rename(stick)
    until(lambda: not told[-1].trouble)
    assert showfile.read(path).name == "Two"
    assert rescue.find(path) is None  # its copies are not needed any more
    saving.close()


def test_a_copy_is_opened_for_its_own_show_at_its_own_place_alone(tmp_path):
    first, second = tmp_path / "a" / "s.choreon", tmp_path / "b" / "s.choreon"
    for path in (first, second):
        path.parent.mkdir()
        showfile.write(path, named(path.parent.name))
    rescue.keep(first, named("copy"), rescue.digest_of(first))
    assert rescue.find(second) is None  # of the same name, elsewhere
    found = rescue.find(first)
    assert found is not None
    assert (found.show.name, found.goes_on) == ("copy", True)
    other = Show(id="other", name="Other")
    showfile.write(first, other)  # another show was put there
    assert rescue.find(first) is None
    showfile.write(first, named("went on elsewhere"))
    found = rescue.find(first)
    assert found is not None
    assert not found.goes_on  # the file has changed since: it counts


def test_where_the_data_folder_cannot_be_written_a_copy_goes_to_memory(tmp_path):
    no_folder(folders.data() / "rescued")
    path = no_folder(tmp_path / "gone") / "s.choreon"
    kept, _ = autosave.save(path, SHOW)
    assert "A copy is kept" in kept.trouble
    assert kept.path.is_relative_to(folders.runtime())
    found = rescue.find(path)
    assert found is not None
    assert found.show == SHOW


def test_where_nothing_can_be_written_that_is_said(tmp_path):
    no_folder(folders.data() / "rescued")
    no_folder(folders.runtime() / "rescued")
    kept, _ = autosave.save(no_folder(tmp_path / "gone") / "s.choreon", SHOW)
    assert "Nothing can be written" in kept.trouble
    assert kept.when == 0.0


def test_versions_are_ordered_by_number_whatever_the_clock_said(tmp_path, monkeypatch):
    monkeypatch.setattr(versions, "VERSION_GAP", 0.0)
    path = tmp_path / "s.choreon"
    future = time.time() + 400 * 86400
    for i in range(14):
        showfile.write(path, named(str(i)))
        kept = showfile.versions(path)
        if kept and i % 3 == 0:  # the clock was wrong for a while
            os.utime(kept[0], (future, future))
            os.utime(path, (future, future))
    kept = showfile.versions(path)
    assert [showfile.read(p).name for p in kept] == [str(i) for i in range(12, 2, -1)]


@pytest.mark.parametrize("ahead", [-400, 0, 400])
def test_how_often_a_version_is_kept_does_not_hang_on_dates(tmp_path, ahead):
    path = tmp_path / "s.choreon"
    for i in range(4):
        showfile.write(path, named(str(i)))
        when = time.time() + ahead * 86400
        for file in (path, *showfile.versions(path)):
            os.utime(file, (when, when))
    assert len(showfile.versions(path)) == 1


def test_what_a_dying_process_left_is_swept_and_a_living_ones_is_not(tmp_path):
    path = tmp_path / "s.choreon"
    dead = tmp_path / f".s-{2**22 + 1}-abc.part"  # beyond the highest number there is
    alive = tmp_path / f".s-{os.getpid()}-abc.part"
    other = tmp_path / ".t-1-abc.part"
    for file in (dead, alive, other):
        file.write_text("x")
    autosave.Autosave(path, lambda _: None).close()
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted(
        [alive.name, other.name]
    )


@pytest.mark.parametrize("what", ["pipe", "folder", "device"])
def test_what_is_no_file_is_not_waited_for(tmp_path, what):
    path = tmp_path / "s.choreon"
    if what == "pipe":
        os.mkfifo(path)
    elif what == "folder":
        path.mkdir()
    else:
        path.symlink_to("/dev/zero")
    with pytest.raises(OSError, match=r"folder|no file"):
        showfile.read(path)
