"""The wheel holds what the program needs, and starts by itself."""

from __future__ import annotations

import os
import subprocess
import sys
import zipfile
from pathlib import Path

import choreon

ROOT = Path(__file__).parents[1]


def test_a_wheel_holds_fonts_icons_library_and_demo_and_starts(tmp_path, node):
    subprocess.run(
        [
            sys.executable,
            "-m",
            "build",
            "--wheel",
            "--no-isolation",
            "--outdir",
            str(tmp_path),
            str(ROOT),
        ],
        check=True,
        capture_output=True,
    )
    wheel = next(tmp_path.glob("*.whl"))
    with zipfile.ZipFile(wheel) as archive:
        names = set(archive.namelist())
        archive.extractall(tmp_path / "site")
    for needed in (
        "choreon/ui/fonts/AtkinsonHyperlegibleNext_400Regular.ttf",
        "choreon/ui/fonts/OFL.txt",
        "choreon/ui/icons/rig.svg",
        "choreon/ui/icons/LICENSE",
        "choreon/ui/style.qss",
        "choreon/library/heads.py",
        "choreon/demo/low_tide.py",
    ):
        assert needed in names
    started = subprocess.run(
        [
            sys.executable,
            "-P",
            "-c",
            "import choreon, choreon.cli; print(choreon.__file__); choreon.cli.main(['--version'])",
        ],
        cwd=tmp_path,
        env={**os.environ, "PYTHONPATH": str(tmp_path / "site")},
        capture_output=True,
        text=True,
        check=True,
    )
    assert str(tmp_path / "site") in started.stdout
    assert f"Choreon {choreon.__version__}" in started.stdout


def test_layers_hold():
    done = subprocess.run(
        [Path(sys.executable).with_name("lint-imports"), "--no-cache"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "5 kept, 0 broken" in done.stdout, done.stdout


def test_every_module_says_in_one_line_what_it_is_for():
    for file in (ROOT / "src").rglob("*.py"):
        first = file.read_text().split("\n")[0]
        assert first.startswith('"""'), file
        assert len(first) > 20 or first == '"""`python -m choreon`."""', file


def test_screenshots_are_linked_from_the_readme():
    readme = (ROOT / "README.md").read_text()
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 4 <= len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in readme
