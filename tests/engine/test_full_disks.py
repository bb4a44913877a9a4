"""Disks that are full, or cannot be written: real ones, as small as they come."""

from __future__ import annotations

import contextlib
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from choreon import folders
from choreon.engine import instance_lock, protocol, session
from choreon.engine.do import Do
from choreon.formats import autosave, rescue, showfile
from choreon.model import edits
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb
from tests.conftest import until, values

LIT = 217


class Disk:
    """A disk of a few pages, in memory, over a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._filling = folder / "something large"

    def fill(self) -> None:
        with contextlib.suppress(OSError), self._filling.open("wb", 0) as out:
            while True:
                out.write(bytes(4096))

    def make_room(self) -> None:
        self._filling.unlink()

    def forbid(self) -> None:
        here = str(self.folder)
        subprocess.run(["mount", "--bind", here, here], check=True)
        subprocess.run(["mount", "-o", "remount,ro,bind", here], check=True)

    def allow(self) -> None:
        subprocess.run(["umount", str(self.folder)], check=True)


@contextlib.contextmanager
def small_disk(folder: Path, size: str = "256k") -> Iterator[Disk]:
    """Where nobody may mount one, there is nothing to try it on."""
    folder.mkdir(mode=0o700, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={size},mode=0700", "tmpfs"]
    if (
        os.getuid() != 0
        or subprocess.run([*command, str(folder)], check=False).returncode
    ):
        pytest.skip("no disk can be mounted here")
    try:
        yield Disk(folder)
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=True)


def faults(client) -> str:
    return " ".join(client.wait_for(protocol.Pulse).faults)


def test_a_full_runtime_folder_costs_the_picture_and_no_light(engines, demo_path, node):
    with small_disk(folders.runtime()) as disk:
        disk.fill()
        client = engines.start(demo_path)
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
        until(lambda: values(node, 1)[:1] == [LIT])
        assert "no frames are shown" in faults(client)
        pid = engines.connect().wait_for(protocol.Welcome).pid
        assert instance_lock.holder(folders.runtime())[0] == pid
        assert instance_lock.heartbeat(folders.runtime())[1].frames > 0
        os.kill(pid, 9)  # and it can be started again
        assert engines.another(pid).state.players
        until(lambda: values(node, 1)[:1] == [LIT])
        engines.stop()
        engines.clients.clear()
        engines.running.clear()


@pytest.mark.parametrize("how", ["full", "read-only"])
def test_what_plays_is_kept_elsewhere_while_its_folder_cannot_be_written(
    engines, demo_path, node, how
):
    with small_disk(folders.state()) as disk:
        client = engines.start(demo_path)
        until(lambda: values(node, 1))
        disk.fill() if how == "full" else disk.forbid()
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
        until(lambda: "is kept in" in faults(client))
        until(lambda: (known := session.load("low-tide")) is not None and known.players)
        pid = engines.connect().wait_for(protocol.Welcome).pid
        os.kill(pid, 9)
        assert engines.another(pid).state.players
        until(lambda: values(node, 1)[:1] == [LIT])
        disk.make_room() if how == "full" else disk.allow()
        client = engines.connect()
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 0.5))
        spare = folders.runtime() / session.path_for("low-tide").name
        until(lambda: not spare.exists() and session.path_for("low-tide").exists())
        until(lambda: "is kept in" not in faults(client))
        engines.stop()
        engines.clients.clear()
        engines.running.clear()


@pytest.mark.parametrize("how", ["full", "read-only"])
def test_a_show_is_kept_elsewhere_while_its_disk_cannot_be_written(
    demo_show, tmp_path, how
):
    with small_disk(tmp_path / "stick") as disk:
        path = disk.folder / "s.choreon"
        told: list[autosave.SaveStatus] = []
        saving = autosave.Autosave(path, told.append, delay=0.01, retry=0.05)
        saving.keep(demo_show)
        until(lambda: told and not told[-1].trouble)
        disk.fill() if how == "full" else disk.forbid()
        saving.keep(edits.replace(demo_show, name="Ebb"))
        until(lambda: told[-1].trouble)
        assert f"{disk.folder} cannot be written" in told[-1].trouble
        assert showfile.read(path) == demo_show  # the file before it is whole
        assert rescue.find(path).show.name == "Ebb"
        disk.make_room() if how == "full" else disk.allow()
        until(lambda: not told[-1].trouble)
        assert showfile.read(path).name == "Ebb"
        assert rescue.find(path) is None
        saving.close()
