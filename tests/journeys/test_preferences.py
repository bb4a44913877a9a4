"""How the window behaves and looks, asked in one place."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from choreon import __version__
from choreon.ui.keep import AFTER
from choreon.ui.settings import CLOSING, is_calm, scale_of
from tests.journeys.conftest import pick


@pytest.mark.parametrize(
    ("wrong", "scale"),
    [("1.5", 1.5), ("9", 2.0), ("0.1", 0.8), ("large", 1.0), (float("nan"), 1.0)],
)
def test_a_size_that_is_none_counts_as_usual(hands, wrong, scale):
    hands.window.settings.setValue("scale", wrong)
    assert scale_of(hands.window.settings) == scale


def test_what_is_chosen_is_kept_and_chosen_again(hands):
    settings = hands.window.settings

    def choose(dialog) -> None:
        hands.select(dialog.size_box, "125 %")
        hands.click(dialog.contrast, dialog.contrast.rect().center())
        dialog.contrast.setChecked(True)
        dialog.calm.setChecked(True)
        hands.select(dialog.closing, CLOSING["go on"])
        hands.select(dialog.keeping, f"Keep it, {AFTER['stays'][0]}")
        hands.click(hands.button(dialog, "Done"))

    hands.in_dialog(
        lambda: QTest.keySequence(hands.window, QKeySequence("Ctrl+,")), choose
    )
    assert scale_of(settings) == 1.25
    assert settings.value("contrast") == "high"
    assert is_calm(settings)
    assert settings.value("on_close") == "go on"
    assert settings.value("after_keep") == "stays"

    def look(dialog) -> None:
        boxes = (dialog.size_box, dialog.closing, dialog.keeping)
        assert [box.currentText() for box in boxes] == [
            "125 %",
            CLOSING["go on"],
            f"Keep it, {AFTER['stays'][0]}",
        ]
        assert dialog.contrast.isChecked()
        assert dialog.calm.isChecked()

    hands.in_dialog(lambda: pick(hands, hands.window.more.click, "Preferences"), look)


def test_values_of_a_newer_program_count_as_none(hands):
    settings = hands.window.settings
    for key in ("on_close", "after_keep", "motion", "contrast"):
        settings.setValue(key, "as in ten years")

    def look(dialog) -> None:
        assert dialog.closing.currentText() == CLOSING[""]
        assert dialog.keeping.currentIndex() == 0
        assert not dialog.calm.isChecked()
        assert not dialog.contrast.isChecked()

    hands.in_dialog(hands.window.ask_preferences, look)
    assert hands.window.closing_answer == ""


def test_version_and_licences_are_told(hands):
    def look(dialog) -> None:
        words = dialog.words.toPlainText()
        assert words.startswith(f"Choreon {__version__}")
        for part in (
            "Apache License",
            "numpy",
            "PySide6",
            "msgspec",
            "OPEN FONT",
            "ISC",
        ):
            assert part.lower() in words.lower(), part
        assert "see the package" not in words

    hands.in_dialog(lambda: pick(hands, hands.window.more.click, "About"), look)
