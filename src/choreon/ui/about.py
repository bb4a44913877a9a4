"""What this is, which version, and under which licences it and its parts are."""

from __future__ import annotations

import re
from importlib import metadata
from pathlib import Path

from PySide6.QtWidgets import QPlainTextEdit, QWidget

from choreon import __version__
from choreon.language import tr
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog

HERE = Path(__file__).parent


def parts() -> list[tuple[str, str, str]]:
    """Returns name, version and licence of every package that this one needs."""
    try:
        needed = metadata.requires("choreon") or []
    except metadata.PackageNotFoundError:
        return []

    found = []
    for line in needed:
        match = re.match(r"[A-Za-z0-9_.-]+", line)
        if "extra ==" in line or match is None:
            continue
        try:
            about = metadata.metadata(match[0])
        except metadata.PackageNotFoundError:
            continue
        found.append((about["Name"], about["Version"], _licence(match[0])))

    return sorted(found, key=lambda part: part[0].lower())


def _licence(name: str) -> str:
    """The licence of a package in few words: as it is named, else by its text."""
    about = metadata.metadata(name)
    named = [
        *(about.get_all("License-Expression") or []),
        _classified(about.get_all("Classifier") or []),
        *(text.strip() for text in about.get_all("License") or []),
    ]
    words = next((text for text in named if text), "")
    return words.splitlines()[0] if words else _by_its_text(name)


def _classified(classifiers: list[str]) -> str:
    """The licences among a package's classifiers."""
    licences = (c for c in classifiers if c.startswith("License ::"))
    return ", ".join(
        text.rpartition(" :: ")[2]
        for text in licences
        if not text.endswith("OSI Approved")
    )


def _by_its_text(name: str) -> str:
    """What the licence file of a package is, as far as it is known by its words."""
    for file in metadata.files(name) or []:
        if re.match(r"(LICEN[CS]E|COPYING)", file.name, re.IGNORECASE):
            whole = Path(str(file.locate())).read_text("utf-8", "replace")
            if "Permission is hereby granted, free of charge" in whole:
                return tr("MIT License")
    return tr("see the package")


def text() -> str:
    """Returns all of it as plain text."""
    lines = [
        tr("{name} {version}: {licence}", name=name, version=version, licence=licence)
        for name, version, licence in parts()
    ]
    shipped = [
        (tr("Letters: Atkinson Hyperlegible Next"), HERE / "fonts" / "OFL.txt"),
        (tr("Icons"), HERE / "icons" / "LICENSE"),
    ]

    whole = [
        tr("Choreon {version}", version=__version__),
        tr("Stage lighting for the person who lights a small venue alone."),
        tr("Under the Apache License, version 2.0."),
        "",
        tr("It stands on:"),
        *lines,
    ]

    for title, file in shipped:
        if file.exists():
            whole += ["", "", title, "", file.read_text("utf-8").strip()]

    return "\n".join(whole)


class About(Dialog):
    """The version and the licences."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("About Choreon"))
        self.resize(620, 460)
        self.words = QPlainTextEdit(text())
        self.words.setReadOnly(True)
        self.words.setAccessibleName(tr("Version and licences"))
        basics.stack(
            self,
            basics.label(tr("Choreon {version}", version=__version__), "big"),
            self.words,
            basics.row(1, basics.button(tr("Done"), self.accept, "main")),
            margins=20,
            spacing=12,
        )
