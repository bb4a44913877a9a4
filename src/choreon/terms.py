"""How words of the file are said: what is stored is one word for one thing in every
language; what is seen is that of the surroundings.
"""

from __future__ import annotations

from choreon.language import plural, tr

TERMS = {
    # families
    "intensity": tr("intensity"),
    "colour": tr("colour"),
    "position": tr("position"),
    "beam": tr("beam"),
    "device": tr("device"),
    # things of the show
    "scene": tr("scene"),
    "chase": tr("chase"),
    "step": tr("step"),
    "palette": tr("palette"),
    "mark": tr("mark"),
    "group": tr("group"),
    "fixture": tr("fixture"),
    "master": tr("master"),
    "page": tr("page"),
    "tile": tr("tile"),
    "event": tr("event"),
    "walk": tr("walk"),
    # time, and how steps run
    "s": tr("s"),
    "beats": tr("beats"),
    "forward": tr("forward"),
    "backward": tr("backward"),
    "there and back": tr("there and back"),
    "shuffled": tr("shuffled"),
    # waves and paths
    "sine": tr("sine"),
    "triangle": tr("triangle"),
    "ramp up": tr("ramp up"),
    "ramp down": tr("ramp down"),
    "pulse": tr("pulse"),
    "steps": tr("steps"),
    "random": tr("random"),
    "own curve": tr("own curve"),
    "circle": tr("circle"),
    "ellipse": tr("ellipse"),
    "line": tr("line"),
    "eight": tr("eight"),
    "polygon": tr("polygon"),
    "wander": tr("wander"),
    "free": tr("free"),
    # what a path has heads do
    "made smaller, to stay within the limits": tr(
        "made smaller, to stay within the limits"
    ),
    "out of reach; kept still, as near as may be": tr(
        "out of reach; kept still, as near as may be"
    ),
    "bent away from what is to be kept out of": tr(
        "bent away from what is to be kept out of"
    ),
    "dark over what is to be kept out of": tr("dark over what is to be kept out of"),
    "hung over the path; dark while turning back": tr(
        "hung over the path; dark while turning back"
    ),
    # parts of a controller
    "fader": tr("fader"),
    "knob": tr("knob"),
    "pad": tr("pad"),
    # what fixtures have
    "place": tr("place"),
    "hanging": tr("hanging"),
    "note": tr("note"),
    "number": tr("number"),
    "gel": tr("gel"),
    "upside_down": tr("upside down"),
    "flipped": tr("flipped"),
}


def term(word: str) -> str:
    """Returns how a word of the file is said; the word itself where it is not known,
    as those of a newer Choreon are.
    """
    return TERMS.get(str(word), str(word))


def a_round(length: float, unit: str) -> str:
    """“8 beats a round”, “2.5 s a round”."""
    if unit != "beats":
        return tr("{length:.3g} s a round", length=length)
    if length == int(length):
        return plural(int(length), "{n} beat a round", "{n} beats a round")
    return tr("{length:.3g} beats a round", length=length)
