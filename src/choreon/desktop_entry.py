"""Choreon in the menu of the desktop: a desktop file, the icon, the type of show files,
AppStream data and a man page, for this user.

By the Desktop Entry Specification 1.5, the Icon Theme Specification, the Shared
MIME-info Database 0.21 and AppStream 1.0 (freedesktop.org).
"""

from __future__ import annotations

import argparse
import contextlib
import shutil
import subprocess
import sys
import textwrap
from pathlib import Path

from choreon import __version__

ID = "choreon"
MIME = "application/vnd.choreon.show"
SUMMARY = "Stage lighting for the person who lights a small venue alone"
ICON = Path(__file__).parent / "ui" / "icons" / "choreon.svg"


def install(home: Path, parser: argparse.ArgumentParser) -> list[Path]:
    """Write all of it below a folder of data (XDG_DATA_HOME). Returns what was written.
    Raises OSError.
    """
    texts = {
        f"applications/{ID}.desktop": desktop_file(),
        f"mime/packages/{ID}.xml": mime_file(),
        f"metainfo/{ID}.metainfo.xml": metainfo_file(),
        f"man/man1/{ID}.1": man_page(parser),
    }

    written = []

    for name, text in texts.items():
        path = home / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, "utf-8")
        written.append(path)

    for name in (ID, MIME.replace("/", "-")):
        sort = "apps" if name == ID else "mimetypes"
        path = home / f"icons/hicolor/scalable/{sort}/{name}.svg"
        path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(ICON, path)
        written.append(path)

    _tell_the_desktop(home)
    return written


def _tell_the_desktop(home: Path) -> None:
    """Have its lists made anew, where it has the commands for that."""
    for command in (
        ["update-mime-database", str(home / "mime")],
        ["update-desktop-database", str(home / "applications")],
    ):
        if shutil.which(command[0]):
            with contextlib.suppress(OSError, subprocess.TimeoutExpired):
                subprocess.run(command, capture_output=True, timeout=20, check=False)


def desktop_file() -> str:
    """The entry in the menu, which opens shows as well."""
    command = f'"{_quoted(sys.executable)}" -m choreon'
    return textwrap.dedent(f"""\
        [Desktop Entry]
        Type=Application
        Version=1.5
        Name=Choreon
        GenericName=Stage lighting
        Comment={SUMMARY}
        Exec={command} open %f
        Icon={ID}
        Terminal=false
        Categories=AudioVideo;
        Keywords=light;DMX;stage;theatre;sACN;Art-Net;
        MimeType={MIME};
        StartupWMClass=choreon
        SingleMainWindow=true
        Actions=demo;stop;

        [Desktop Action demo]
        Name=Open the sample show
        Exec={command} demo

        [Desktop Action stop]
        Name=Fade out and stop the light
        Exec={command} stop
        """)


def _quoted(path: str) -> str:
    """A path within quotes, by the rules for Exec."""
    for sign in '\\"`$':
        path = path.replace(sign, f"\\{sign}")
    return path.replace("\\", "\\\\").replace("%", "%%")


def mime_file() -> str:
    """What a show file is: a zip archive that begins with its type."""
    return textwrap.dedent(f"""\
        <?xml version="1.0" encoding="UTF-8"?>
        <mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
          <mime-type type="{MIME}">
            <comment>Choreon show</comment>
            <sub-class-of type="application/zip"/>
            <magic priority="60">
              <match type="string" offset="0" value="PK\\003\\004">
                <match type="string" offset="30" value="mimetype{MIME}"/>
              </match>
            </magic>
            <glob pattern="*.choreon"/>
          </mime-type>
        </mime-info>
        """)


def metainfo_file() -> str:
    """What software centres show."""
    return textwrap.dedent(f"""\
        <?xml version="1.0" encoding="UTF-8"?>
        <component type="desktop-application">
          <id>{ID}</id>
          <name>Choreon</name>
          <summary>{SUMMARY}</summary>
          <metadata_license>CC0-1.0</metadata_license>
          <project_license>Apache-2.0</project_license>
          <description>
            <p>Patch DMX fixtures, program scenes, chases and effects, map controllers
            and run live shows, over sACN and Art-Net. The light goes on whatever
            becomes of the window.</p>
          </description>
          <launchable type="desktop-id">{ID}.desktop</launchable>
          <provides>
            <binary>{ID}</binary>
            <mediatype>{MIME}</mediatype>
          </provides>
          <content_rating type="oars-1.1"/>
          <releases>
            <release version="{__version__}" date="2026-11-26"/>
          </releases>
        </component>
        """)


def man_page(parser: argparse.ArgumentParser) -> str:
    """The manual page, made of what `--help` of every command says (man-pages(7))."""
    lines = [
        f'.TH CHOREON 1 "" "Choreon {__version__}" "User Commands"',
        ".SH NAME",
        f"choreon \\- {_escaped(SUMMARY[0].lower() + SUMMARY[1:])}",
        ".SH SYNOPSIS",
        ".B choreon",
        "[\\fIcommand\\fR] [\\fIoptions\\fR]",
        ".SH DESCRIPTION",
        _escaped(parser.description or ""),
        ".SH COMMANDS",
    ]

    for name, command, said in commands_of(parser):
        lines += [".TP", f"\\fBchoreon {_escaped(name)}\\fR", _escaped(said)]
        for action in command._actions:
            if (
                action.help in (None, argparse.SUPPRESS)
                or "--help" in action.option_strings
            ):
                continue

            words = ", ".join(action.option_strings) or action.metavar or action.dest
            lines += [".RS", ".TP", f"\\fB{_escaped(str(words))}\\fR"]
            lines += [_escaped(str(action.help)), ".RE"]

    return "\n".join(lines) + "\n"


def _escaped(text: str) -> str:
    """Text of which troff takes nothing for a command of its own."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{text}" if text[:1] in (".", "'") else text


def commands_of(
    parser: argparse.ArgumentParser, within: str = ""
) -> list[tuple[str, argparse.ArgumentParser, str]]:
    """Every command of a parser, those below others too: its words, what takes its
    options, and what is said of it.
    """
    found = []
    for action in parser._actions:
        if not isinstance(action, argparse._SubParsersAction):
            continue

        said = {choice.dest: choice.help or "" for choice in action._choices_actions}
        for name, command in action.choices.items():
            words = f"{within} {name}".strip()
            below = commands_of(command, words)
            found += below or [(words, command, said.get(name, ""))]

    return found
