"""Whatever is seen goes through one function, whole."""

from __future__ import annotations

import ast
import json
import os
import re
import string
import subprocess
import sys
from pathlib import Path

import pytest

from choreon import language, terms
from choreon.language import facts, listed, plural, sentences, tr
from tests.journeys.marks import marked
from tools import catalogue

INNER = Path(__file__).parent / "journeys" / "in_another_language.py"
UI = catalogue.SOURCE / "ui"

SHOWN = {  # what puts words before somebody, and which of what it is given they are
    "label": 0,
    "button": 0,
    "tool": 1,
    "setText": 0,
    "setToolTip": 0,
    "setPlaceholderText": 0,
    "setAccessibleName": 0,
    "setWindowTitle": 0,
    "addItem": 0,
    "addAction": 0,
    "QCheckBox": 0,
    "QRadioButton": 0,
    "ValueField": 0,
    "NumberField": 0,
    "edit": 0,
    "Spoken": 1,
}


FEW = (
    "Blackout",
    "Tempo",
    "scene",
    "{value:.1f}°",
    "{names} and {last}",
    ("{n} step", "{n} steps"),
)


@pytest.fixture
def few(monkeypatch):
    """A program that says little: to gather all that ours says takes seconds."""
    texts = [(said, "few.py", 1, None) for said in FEW]
    texts.append(("open", "few.py", 2, "a shutter"))
    monkeypatch.setattr(catalogue, "texts", lambda: iter(texts))


@pytest.fixture(scope="module")
def marks(tmp_path_factory):
    """A folder with a language in which each text is marked."""
    folder = tmp_path_factory.mktemp("locale")
    catalogue.compile_to(folder, "fr", catalogue.filled(marked, "fr"))
    return {**os.environ, "CHOREON_LOCALE": str(folder), "LANGUAGE": "fr"}


def test_the_window_in_a_language_of_marks(marks):
    """Every place, form, dialog, menu: all that is read comes out of the catalogue."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", str(INNER)],
        env=marks,
        capture_output=True,
        text=True,
        timeout=220,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-20000:]


def test_nothing_is_shown_that_is_not_said():
    """No words in the code of the interface go straight to a widget."""
    found = []
    for path in UI.rglob("*.py"):
        if path.name == "screenshots.py":
            continue
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call):
                place = SHOWN.get(_name(node.func))
                if place is not None and len(node.args) > place:
                    bare = _bare(node.args[place])
                    found += [f"{path.name}:{node.lineno}: {text}" for text in bare]
    assert not found, "\n".join(found)


def _name(called: ast.expr) -> str:
    return (
        called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")
    )


def _bare(given: ast.expr) -> list[str]:
    """Words in what is given, but for those of a call."""
    if isinstance(given, ast.IfExp):
        return [*_bare(given.body), *_bare(given.orelse)]
    if isinstance(given, ast.BoolOp):
        return [text for value in given.values for text in _bare(value)]
    if isinstance(given, ast.BinOp):
        return [*_bare(given.left), *_bare(given.right)]
    if isinstance(given, ast.JoinedStr):
        return [text for value in given.values for text in _bare(value)]
    if isinstance(given, ast.Constant) and isinstance(given.value, str):
        plain = re.sub(r"<[^>]*>?|[^<]*>|&\w+;", "", given.value)
        return [given.value] if re.search(r"[^\W\d_]{2}", plain) else []
    return []


def test_every_text_can_be_filled_in():
    """Fields have names; one and many of a text have the same, but for the number."""
    counted = 0
    for said, path, line, _ in catalogue.texts():
        forms = said if isinstance(said, tuple) else (said,)
        fields = [_fields(form) - {"n"} for form in forms]
        where = f"{path}:{line}: {said}"
        assert all(field.isidentifier() for names in fields for field in names), where
        if len(forms) == 2:
            counted += 1
            assert fields[0] == fields[1], where
            assert "n" in _fields(forms[1]) or fields[1], where
    assert counted > 80


def _fields(text: str) -> set[str]:
    return {
        name for _, name, _, _ in string.Formatter().parse(text) if name is not None
    }


def test_lists_facts_and_sentences():
    assert listed([]) == ""
    assert listed(["Par 1"]) == "Par 1"
    assert listed(["Par 1", "Par 2"]) == "Par 1 and Par 2"
    assert listed("abc") == "a, b and c"
    assert listed("abcde", 3) == "a, b, c and 2 more"
    assert listed("abc", 3) == "a, b and c"
    assert facts("6 fixtures", "", "colour") == "6 fixtures · colour"
    assert facts() == ""
    assert sentences("It is kept.", "", "It stays on.") == "It is kept. It stays on."


def test_names_with_braces_and_signs_are_filled_in_as_they_are():
    assert tr("{name} is deleted.", name="{0} & %s {name}") == (
        "{0} & %s {name} is deleted."
    )
    assert tr("a {brace} without fields") == "a {brace} without fields"
    assert plural(1, "{n} lamp", "{n} lamps") == "1 lamp"
    assert plural(0, "{n} lamp", "{n} lamps") == "0 lamps"


def test_words_of_the_file_are_said_and_those_of_a_newer_one_stay():
    assert terms.term("upside_down") == "upside down"
    assert terms.term("moonbeam") == "moonbeam"
    assert terms.counted("scene", 2) == "2 scenes"
    assert terms.counted("moonbeam", 2) == "2 things"
    assert terms.a_round(1.0, "beats") == "1 beat a round"
    assert terms.a_round(8.0, "beats") == "8 beats a round"
    assert terms.a_round(2.5, "beats") == "2.5 beats a round"
    assert terms.a_round(2.5, "s") == "2.5 s a round"


SPEAK = """
import json
from choreon.language import code, listed, number, plural, tr, tr_about
from choreon.terms import term
print(json.dumps([code(), tr("Blackout"), tr("{value:.1f}°", value=2.5), number(0.25, 2),
    plural(1, "{n} step", "{n} steps"), plural(2, "{n} step", "{n} steps"),
    plural(5, "{n} step", "{n} steps"), listed(["a", "b"]), tr("Tempo"), term("scene"),
    tr_about("a shutter", "open"), tr_about("a section of a page", "open")]))
"""


def test_another_language_has_its_own_plurals_numbers_and_order(tmp_path, few):
    """Polish counts in three forms; what it has no words for stays English."""
    own = {
        "Blackout": "Ciemność",
        "1.5": "1,5",
        "{names} and {last}": "{last} po {names}",
        "scene": "scena",
    }
    language_of = catalogue.gathered("pl")
    for message in language_of:
        if message.context == "a shutter" and message.id == "open":
            message.string = "otwarta"
        elif message.id in own:
            message.string = own[message.id]
        elif message.id == ("{n} step", "{n} steps"):
            message.string = ("{n} krok", "{n} kroki", "{n} kroków")
    catalogue.compile_to(tmp_path, "pl", language_of)
    assert spoken(tmp_path) == [
        "pl",
        "Ciemność",
        "2,5°",
        "0,25",
        "1 krok",
        "2 kroki",
        "5 kroków",
        "b po a",
        "Tempo",
        "scena",
        "otwarta",
        "open",
    ]


def spoken(folder: Path) -> list[str]:
    """What is said where the surroundings speak Polish, with the catalogues of a folder."""
    done = subprocess.run(
        [sys.executable, "-c", SPEAK],
        env={**os.environ, "CHOREON_LOCALE": str(folder), "LANGUAGE": "pl"},
        capture_output=True,
        text=True,
        check=True,
    )
    return json.loads(done.stdout)


@pytest.mark.parametrize(
    "damage", [b"", b"no catalogue", b"\xde\x12\x04\x95" + b"\xff" * 40]
)
def test_a_damaged_catalogue_keeps_nobody_from_playing(tmp_path, few, damage):
    path = catalogue.compile_to(tmp_path, "pl", catalogue.gathered("pl"))
    path.write_bytes(damage)
    assert spoken(tmp_path)[:3] == ["en", "Blackout", "2.5°"]


@pytest.mark.parametrize(
    "wrong", ["{krok} {n}", "{0}", "{n", "{n.x}", "{n!z}", "{n:q}", "{n[0]}"]
)
def test_a_field_that_a_translator_got_wrong_is_said_in_english(tmp_path, few, wrong):
    language_of = catalogue.gathered("pl")
    for message in language_of:
        if message.id == ("{n} step", "{n} steps"):
            message.string = (wrong, wrong, wrong)
        elif message.id == "{value:.1f}°":
            message.string = wrong
    catalogue.compile_to(tmp_path, "pl", language_of)
    said = spoken(tmp_path)
    assert said[2] == "2.5°"
    assert said[4:7] == ["1 step", "2 steps", "5 steps"]


def test_a_language_that_is_not_there_is_english(tmp_path):
    assert spoken(tmp_path)[:3] == ["en", "Blackout", "2.5°"]
    assert language.code() == "en"


def test_a_translators_file_keeps_what_was_said(tmp_path, monkeypatch):
    """`bin/language de`, work, and once more after the texts have changed."""
    monkeypatch.setattr(catalogue, "SOURCE", tmp_path)
    monkeypatch.setattr(
        catalogue, "texts", lambda: iter([("Keep", "keep.py", 1, None)])
    )
    path = catalogue.bring_up_to_date("de")
    text = path.read_text("utf-8")
    path.write_text(
        text.replace('msgid "Keep"\nmsgstr ""', 'msgid "Keep"\nmsgstr "Merken"')
    )

    more = [("Keep", "keep.py", 3, None), ("Let go", "keep.py", 9, None)]
    monkeypatch.setattr(catalogue, "texts", lambda: iter(more))
    catalogue.bring_up_to_date("de")
    after = path.read_text("utf-8")
    assert 'msgid "Keep"\nmsgstr "Merken"' in after
    assert 'msgid "Let go"\nmsgstr ""' in after
    assert (tmp_path / "locale" / "de" / "LC_MESSAGES" / "choreon.mo").exists()
