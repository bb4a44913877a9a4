"""Sounds that travel in a show, and those that are looked for."""

from __future__ import annotations

import os
import zipfile

import pytest

from choreon.formats import showfile, sounds
from choreon.model import edits, timelines
from choreon.model import sounds as model
from choreon.model.playables.timeline import TrackSort
from choreon.model.show import Show, Sound
from tests.sound.test_process import counting


def show_with(path, packed: bool = True, used: bool = True) -> Show:
    """A show with a sound of a file, on a timeline."""
    show, ref = model.add(Show(id="s", name="S"), str(path), "Song", 1.0)
    digest = sounds.digest_of(path)
    size = path.stat().st_size
    sound = edits.replace(show.sounds[ref.id], digest=digest, size=size, packed=packed)
    show = edits.put(show, "sounds", sound)
    sounds.keep(sound, path)
    show, line_ref = timelines.add(show, "Line")
    line = timelines.add_track(show.playables[line_ref.id], "Sound", TrackSort.SOUND)
    if used:
        line, _ = timelines.put_clips(line, "sound", 0.0, [(ref, 1.0)])
    return edits.put(show, "playables", line)


def only(show: Show) -> Sound:
    return next(iter(show.sounds.values()))


def forget(show: Show) -> None:
    """As on another machine."""
    sounds.kept(only(show)).unlink()


def test_what_is_packed_is_heard_on_another_machine(tmp_path):
    song = counting(tmp_path / "song.wav", 1.0)
    show = show_with(song)
    data = song.read_bytes()
    digest = showfile.write(tmp_path / "s.choreon", show)
    assert digest == sounds.digest_of(tmp_path / "s.choreon")
    song.unlink()
    forget(show)
    opened, _ = showfile.open_best(tmp_path / "s.choreon")
    assert opened == show
    found = sounds.find(only(opened), tmp_path / "s.choreon")
    assert found is not None
    assert found.read_bytes() == data
    # and it is packed again from there
    showfile.write(tmp_path / "again.choreon", opened)
    with zipfile.ZipFile(tmp_path / "again.choreon") as archive:
        assert [n for n in archive.namelist() if n.startswith("sounds/")]


@pytest.mark.parametrize(("packed", "used"), [(False, True), (True, False)])
def test_what_lies_beside_or_is_not_used_is_not_packed(tmp_path, packed, used):
    show = show_with(counting(tmp_path / "song.wav", 1.0), packed, used)
    showfile.write(tmp_path / "s.choreon", show)
    with zipfile.ZipFile(tmp_path / "s.choreon") as archive:
        assert not [n for n in archive.namelist() if n.startswith("sounds/")]


def test_one_that_is_not_what_it_is_said_to_be_is_left_out(tmp_path):
    song = counting(tmp_path / "song.wav", 1.0)
    show = show_with(song)
    showfile.write(tmp_path / "s.choreon", show)
    forget(show)
    with zipfile.ZipFile(tmp_path / "s.choreon") as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    with zipfile.ZipFile(tmp_path / "wrong.choreon", "w") as archive:
        for name, data in members.items():
            archive.writestr(name, b"other" if name.startswith("sounds/") else data)
    opened, _ = showfile.open_best(tmp_path / "wrong.choreon")
    assert opened == show
    assert not sounds.kept(only(show)).exists()


def test_a_digest_that_is_a_path_leads_nowhere_else(tmp_path):
    bad = Sound(id="x", name="X", path="a.wav", digest="../../x")
    assert sounds.kept(bad).parent == sounds.kept(Sound(id="y", name="Y")).parent


def test_a_file_that_was_moved_is_found_by_what_is_in_it(tmp_path):
    venue = tmp_path / "venue"
    (venue / "music").mkdir(parents=True)
    song = counting(tmp_path / "song.wav", 1.0)
    show = show_with(song, packed=False)
    forget(show)
    os.rename(song, venue / "music" / "another name.wav")
    counting(venue / "song 2.wav", 0.5)  # not this one
    found = sounds.find(only(show), venue / "s.choreon")
    assert found == venue / "music" / "another name.wav"
    assert sounds.find(only(show), None) is None


def test_one_beside_the_show_is_found_by_its_name(tmp_path):
    song = counting(tmp_path / "song.wav", 1.0)
    sound = Sound(id="x", name="X", path="/nowhere/at/all/song.wav")
    assert sounds.find(sound, tmp_path / "s.choreon") == song
    assert sounds.find(sound, None) is None


def test_the_same_file_is_one_sound(tmp_path):
    show, first = model.add(Show(id="s", name="S"), "/a/b.wav", "B", 1.0)
    show, again = model.add(show, "/a/b.wav", "B", 1.0)
    show, other = model.add(show, "/a/c.wav", "B", 1.0)
    assert first == again != other
    assert len(show.sounds) == 2
    assert [one.name for one in show.sounds.values()] == ["B", "B 2"]
