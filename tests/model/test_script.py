"""The text of a play: cues stay at their words when it is corrected, or another version
is laid over it.
"""

from __future__ import annotations

import random

import pytest

from choreon.demo import low_tide
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue
from choreon.model.script import (
    TextPlace,
    laid_over,
    paragraphs_of,
    with_text,
    word,
    word_at,
    words_around,
)

TEXT = paragraphs_of(
    """
    ADA: Listen. There is no engine.

    A bell, somewhere out on the mud.
    TOM: Missed it again?\tShe laughs.
    """
)


def test_lines_that_hold_words_are_paragraphs():
    assert TEXT == (
        "ADA: Listen. There is no engine.",
        "A bell, somewhere out on the mud.",
        "TOM: Missed it again? She laughs.",
    )
    assert paragraphs_of("") == ()
    assert paragraphs_of("a\r\nb\rc") == ("a", "b", "c")


def test_the_word_under_a_letter():
    assert word_at(TEXT[0], 0) == 0
    assert word_at(TEXT[0], 6) == 1
    assert word_at(TEXT[0], 999) == 5
    assert word_at("", 3) == 0
    assert word(TEXT, TextPlace(0, 1)) == "Listen."
    assert word(TEXT, TextPlace(9, 9)) == ""


def test_what_is_to_be_listened_for():
    assert words_around(TEXT, TextPlace(1, 3)) == "A bell, somewhere out on the mud."
    assert words_around(TEXT, TextPlace(1, 6), 2, 1) == "… on the mud."
    assert words_around(TEXT, TextPlace(1, 0), 2, 1) == "A bell, …"
    assert words_around(TEXT, TextPlace(0, 1, lost=True)) == ""
    assert words_around((), TextPlace(0, 1)) == ""


def lay(after: str, **places: TextPlace):
    new = paragraphs_of(after)
    return new, laid_over(TEXT, new, places)


def test_a_paragraph_put_in_moves_what_comes_after_it():
    new, laid = lay("X.\n" + "\n".join(TEXT), q=TextPlace(2, 1), p=TextPlace(0, 1))
    assert laid.lost == ()
    assert word(new, laid.places["q"]) == "Missed"
    assert word(new, laid.places["p"]) == "Listen."


def test_a_word_corrected_elsewhere_in_the_line_leaves_the_cue_at_its_word():
    new, laid = lay(
        "ADA: But listen! There was no engine at all.\n" + "\n".join(TEXT[1:]),
        q=TextPlace(0, 1),
        p=TextPlace(0, 5),
    )
    assert laid.lost == ()
    assert word(new, laid.places["q"]) == "listen!"  # another mark is no other word
    assert word(new, laid.places["p"]) == "engine"


def test_a_cue_whose_word_is_gone_is_lost_and_the_others_are_not():
    new, laid = lay(
        "ADA: Listen. There is no engine.\nTOM: Missed it again?",
        bell=TextPlace(1, 1),
        tom=TextPlace(2, 1),
    )
    assert laid.lost == ("bell",)
    assert laid.places["bell"].lost
    assert word(new, laid.places["tom"]) == "Missed"


def test_lines_that_are_joined_or_parted_keep_their_cues():
    new, laid = lay(" ".join(TEXT), q=TextPlace(2, 1), b=TextPlace(1, 1))
    assert laid.lost == ()
    assert word(new, laid.places["q"]) == "Missed"
    assert word(new, laid.places["b"]) == "bell,"


def test_a_cue_that_was_lost_stays_so_and_is_not_told_again():
    _, laid = lay("nothing of it", q=TextPlace(0, 1, lost=True))
    assert laid.lost == ()
    assert laid.places["q"].lost


@pytest.mark.parametrize("seed", range(12))
def test_the_sample_play_corrected_at_random(seed):
    """Words put in and taken out; cues whose own word stays are where it is."""
    stack = low_tide().playables["last-ferry"]
    assert isinstance(stack, Stack)
    dice = random.Random(seed)
    own = {(c.at.paragraph, c.at.word) for c in stack.cues if c.at is not None}
    lines = []
    for n, paragraph in enumerate(stack.text):
        made = []
        for m, one in enumerate(paragraph.split()):
            if (n, m) in own:
                made.append(f"§{one}§")
            elif dice.random() < 0.06:
                made.append(f"new{dice.randrange(10**6)}")
            elif dice.random() > 0.05:
                made.append(one)
        lines.append(" ".join(made))
        if dice.random() < 0.1:
            lines.append(f"An added line {dice.randrange(10**6)}.")

    marked = paragraphs_of("\n".join(lines))
    plain = tuple(line.replace("§", "") for line in marked)
    after, lost = with_text(stack, plain)
    assert len(lost) <= 2  # “A” and “The” stand in many places
    right = sum(
        word(marked, cue.at).startswith("§")
        for cue in after.cues
        if cue.at is not None and not cue.at.lost
    )
    assert right >= 22


def test_a_text_of_two_megabytes_in_any_script():
    line = "Κύματα и вода מים على الماء 水の音 — " * 8
    text = paragraphs_of("\n".join(f"{n} {line}" for n in range(6_000)))
    assert sum(map(len, text)) > 1_500_000
    cue = Cue(id="q", number=1.0, at=TextPlace(5_500, 2))
    stack = Stack(id="s", name="S", cues=(cue,), text=text)
    longer = (*text[:100], "one more", *text[100:])
    after, lost = with_text(stack, longer)
    assert lost == ()
    assert after.cues[0].at == TextPlace(5_501, 2)
