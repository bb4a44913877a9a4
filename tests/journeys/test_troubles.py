"""What is wrong with a show is told, and leads to where it is mended."""

from __future__ import annotations

import msgspec

from choreon import folders
from choreon.model import edits
from choreon.model.refs import Ref
from tests.journeys.conftest import pick


def troubles(hands) -> list[str]:
    return [problem.text for problem in hands.window.heading.troubles.lines()]


def test_a_sound_show_has_no_sign(hands):
    sign = hands.window.heading.troubles
    document = hands.parts.document
    document.edit("rename", edits.rename(document.show, Ref("scene", "cello"), "Cello"))
    hands.until(lambda: sign.problems == [] and not sign.isVisible())


def test_what_leads_nowhere_is_told_and_gone_to(hands):
    sign, document = hands.window.heading.troubles, hands.parts.document
    show = document.show
    playables = {i: p for i, p in show.playables.items() if i != "cello"}
    blue = playables["stage-blue"]
    look = {**blue.look, "par-1": {"Dimmer": 1.0, "ColorRGB_Red": "palette:lost"}}
    playables["stage-blue"] = msgspec.structs.replace(blue, look=look)
    broken = msgspec.structs.replace(show, playables=playables)
    document.edit("break", broken)
    hands.until(sign.isVisible)
    texts = troubles(hands)
    link = "“palette:lost” in Stage blue leads nowhere; it is kept, gives nothing"
    tile = "what a tile of Low Tide plays is gone (scene:cello)"
    assert link in texts
    assert tile in texts
    assert sign.text() == f"▲ {len(texts)}"
    pick(hands, sign.open_list, f"▲ {link}")
    assert hands.window.place == "compose"
    assert hands.window.compose.shelf.chosen == "stage-blue"
    pick(hands, sign.open_list, "▲ What a tile of Low Tide")
    assert hands.window.place == "perform"
    assert hands.window.perform.page_id == "low-tide"
    document.undo()
    hands.until(lambda: not sign.isVisible())


def test_types_that_cannot_be_read_are_told(hands):
    sign = hands.window.heading.troubles
    (folders.types() / "broken.json").write_text("{")
    hands.parts.document.read_types()
    assert sign.isVisible()
    assert any("broken.json" in text for text in troubles(hands))
    (folders.types() / "broken.json").unlink()
    hands.parts.document.read_types()
    hands.until(lambda: not sign.isVisible())
