"""Contrast by numbers, from the tokens and the style sheet, in the usual colours and in
those of high contrast.

WCAG 2.2, “contrast ratio” and “relative luminance”.
"""

from __future__ import annotations

import re
from importlib.resources import files

import pytest

from choreon.ui import theme

GROUNDS = ("PIT", "DECK", "FLAT", "LIFT")
STATES = ("LIVE", "DRAFT", "CHOSEN", "KEEP", "ALARM")
NAMES = (*GROUNDS, *STATES, "BATTEN", "EDGE", "TEXT", "SOFT", "FAINT")


def luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [
        p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts
    ]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


USUAL = {name: getattr(theme, name) for name in NAMES}
TOKENS = {"usual": USUAL, "high": {**USUAL, **theme.CONTRAST}}


def test_it_measures_as_the_standard_does():
    assert contrast("#FFFFFF", "#000000") == pytest.approx(21.0)
    assert contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("ground", GROUNDS)
def test_words_stand_out_on_every_ground(ground):
    usual, high = TOKENS["usual"], TOKENS["high"]
    assert contrast(usual["TEXT"], usual[ground]) >= 7.0
    assert contrast(usual["SOFT"], usual[ground]) >= 5.5
    assert contrast(usual["FAINT"], usual[ground]) >= 3.0
    for name in STATES:
        least = 5.5 if ground == "LIFT" else 7.0
        assert contrast(usual[name], usual[ground]) >= least, name
    for name in ("TEXT", "SOFT", *STATES):
        assert contrast(high[name], high[ground]) >= 12.0, name
    assert contrast(high["FAINT"], high[ground]) >= 7.0


@pytest.mark.parametrize("which", TOKENS)
@pytest.mark.parametrize("ground", ["PIT", "DECK", "FLAT"])
def test_the_edge_of_what_can_be_pressed_is_seen(which, ground):
    tokens = TOKENS[which]
    for name in ("EDGE", "CHOSEN"):
        assert contrast(tokens[name], tokens[ground]) >= 3.0, name


def rules() -> list[tuple[str, dict[str, str]]]:
    """What the style sheet says, selector by selector."""
    text = files("choreon.ui").joinpath("style.qss").read_text()
    text = re.sub(r"/\*.*?\*/", "", text, flags=re.DOTALL)
    found = []
    for selectors, body in re.findall(r"([^{}]+)\{([^{}]*)\}", text):
        pairs = (line.split(":", 1) for line in body.split(";") if ":" in line)
        said = {key.strip(): value.strip() for key, value in pairs}
        found += [(one.strip(), said) for one in selectors.split(",")]
    return found


def token(value: str) -> str:
    """The token that a value names; empty for none."""
    found = re.search(r"@(\w+)", value)
    return found.group(1).upper() if found else ""


PAIRS = (("color", "background"), ("selection-color", "selection-background-color"))
LEAST = {"high": 12.0, "usual": 5.5}
LEAST_DEAD = {"high": 7.0, "usual": 3.0}


@pytest.mark.parametrize("which", TOKENS)
def test_no_rule_of_the_style_sheet_brings_words_and_ground_too_near(which):
    tokens, looked_at = TOKENS[which], 0
    for selector, said in rules():
        for word_key, ground_key in PAIRS:
            words = token(said.get(word_key, ""))
            ground = token(said.get(ground_key, ""))
            if not words and ground in ("", "BATTEN", "CHOSEN"):
                continue  # nothing is said, or it is a line, a handle, a tick

            behind = [ground] if ground else ["PIT", "DECK", "FLAT"]
            least = (LEAST_DEAD if words == "FAINT" else LEAST)[which]
            for name in behind:
                shown = contrast(tokens[words or "TEXT"], tokens[name])
                assert shown >= least, (selector, word_key, name)
                looked_at += 1
    assert looked_at > 40


PRESSED = (
    "QPushButton",
    "QToolButton",
    "QLineEdit",
    "QComboBox",
    "QCheckBox::indicator",
)


@pytest.mark.parametrize("which", TOKENS)
@pytest.mark.parametrize("selector", PRESSED)
def test_buttons_and_fields_have_an_edge(which, selector):
    tokens = TOKENS[which]
    (said,) = [body for one, body in rules() if one == selector and "border" in body]
    edge = tokens[token(said["border"])]
    for ground in ("PIT", "DECK", "FLAT"):
        assert contrast(edge, tokens[ground]) >= 3.0
