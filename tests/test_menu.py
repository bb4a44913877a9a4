"""Choreon in the menu of the desktop."""

from __future__ import annotations

import configparser
import os
import shlex
import subprocess
import sys
import xml.etree.ElementTree as Tree

import pytest

from choreon import __version__, cli, desktop_entry
from choreon.demo import low_tide
from choreon.formats import showfile


def test_all_of_it_lies_where_a_desktop_looks(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert cli.main(["install"]) == 0
    written = capsys.readouterr().out.split()
    assert {
        str(p.relative_to(tmp_path)) for p in tmp_path.rglob("*.*") if p.is_file()
    } >= {
        "applications/choreon.desktop",
        "mime/packages/choreon.xml",
        "metainfo/choreon.metainfo.xml",
        "man/man1/choreon.1",
        "icons/hicolor/scalable/apps/choreon.svg",
        "icons/hicolor/scalable/mimetypes/application-vnd.choreon.show.svg",
    }
    assert all(os.path.exists(path) for path in written)
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(tmp_path / "applications/choreon.desktop")
    main = entry["Desktop Entry"]
    command = shlex.split(main["Exec"])
    assert command[1:] == ["-m", "choreon", "open", "%f"]
    done = subprocess.run([*command[:3], "--version"], capture_output=True, text=True)
    assert done.stdout.strip() == f"Choreon {__version__}"
    for action in main["Actions"].strip(";").split(";"):
        words = shlex.split(entry[f"Desktop Action {action}"]["Exec"])
        assert words[0] == sys.executable


def test_a_show_file_is_known_by_its_first_bytes(tmp_path):
    """What the MIME file says of a show stands in a show."""
    path = tmp_path / "s.choreon"
    showfile.write(path, low_tide(port=1))
    data = path.read_bytes()
    match = Tree.fromstring(desktop_entry.mime_file().split("\n", 1)[1])[0][2][0]
    assert data[:4] == b"PK\x03\x04"
    inner = match[0].get("value").encode()
    assert data[30 : 30 + len(inner)] == inner
    assert (
        Tree.fromstring(desktop_entry.metainfo_file().split("\n", 1)[1]).find("id").text
    )


def test_a_folder_that_cannot_be_written_is_told(tmp_path, monkeypatch, capsys):
    home = tmp_path / "file"
    home.write_text("no folder")
    monkeypatch.setenv("XDG_DATA_HOME", str(home))
    assert cli.main(["install"]) == 1
    assert "cannot be written" in capsys.readouterr().err


COMMANDS = [name for name, _, _ in desktop_entry.commands_of(cli.command_line())]


@pytest.mark.parametrize("name", ["", *COMMANDS])
def test_every_command_says_what_it_does_and_which_version_it_is(name, capsys):
    for option, said in (("--help", "usage: choreon"), ("--version", __version__)):
        with pytest.raises(SystemExit) as ended:
            cli.main([*name.split(), option])
        assert ended.value.code == 0
        assert said in capsys.readouterr().out


def test_the_manual_page_has_every_command_and_every_option():
    page = desktop_entry.man_page(cli.command_line())
    assert page.startswith(".TH CHOREON 1")
    for name, command, _ in desktop_entry.commands_of(cli.command_line()):
        assert f"choreon {name}" in page
        for action in command._actions:
            option = (action.option_strings or [""])[0]
            said = action.help not in (None, "==SUPPRESS==")
            if said and option and option != "-h":
                assert option.replace("-", "\\-") in page
