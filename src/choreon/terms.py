"""How words of the file are said: what is stored is one word for one thing in every
language; what is seen is that of the surroundings.
"""

from __future__ import annotations

from collections.abc import Callable

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
    "stack": tr("stack"),
    "timeline": tr("timeline"),
    "canvas": tr("canvas"),
    "given": tr("of a group"),
    "cue": tr("cue"),
    "step": tr("step"),
    "palette": tr("palette"),
    "mark": tr("mark"),
    "group": tr("group"),
    "fixture": tr("fixture"),
    "master": tr("master"),
    "page": tr("page"),
    "tile": tr("tile"),
    "flash": tr("flash"),
    "choice": tr("choice"),
    "dial": tr("dial"),
    "aim": tr("aim"),
    "aside": tr("aside"),
    "tempo": tr("tempo"),
    "clock": tr("clock"),
    "label": tr("label"),
    "unknown": tr("unknown"),
    "event": tr("event"),
    "type": tr("fixture type"),
    "control": tr("control"),
    "controller": tr("controller"),
    "desk": tr("desk"),
    "message": tr("message"),
    "output": tr("output"),
    "picture": tr("picture"),
    "sound": tr("sound"),
    "image": tr("image"),
    "draft": tr("draft"),
    "walk": tr("walk"),
    # time, and how steps run
    "s": tr("s"),
    "beats": tr("beats"),
    "forward": tr("forward"),
    "backward": tr("backward"),
    "there and back": tr("there and back"),
    "shuffled": tr("shuffled"),
    # canvases
    "figure": tr("figure"),
    "words": tr("words"),
    "painted": tr("painted"),
    "cover": tr("cover"),
    "add": tr("add"),
    "multiply": tr("multiply"),
    "mask": tr("mask"),
    "fit": tr("fit"),
    "fill": tr("fill"),
    "stretch": tr("stretch"),
    "as fits": tr("as fits"),
    "4 rows": tr("4 rows"),
    "5 rows": tr("5 rows"),
    "7 rows": tr("7 rows"),
    "plain": tr("plain"),
    "still": tr("still"),
    "scroll": tr("scroll"),
    "letter by letter": tr("letter by letter"),
    "from the front": tr("from the front"),
    "from above": tr("from above"),
    "along a line": tr("along a line"),
    "own grid": tr("own grid"),
    "as chosen": tr("as chosen"),
    "from one to the nearest": tr("from one to the nearest"),
    "round the middle": tr("round the middle"),
    "upper left": tr("upper left"),
    "upper right": tr("upper right"),
    "lower left": tr("lower left"),
    "lower right": tr("lower right"),
    "colour and level": tr("colour and level"),
    "level": tr("level"),
    "attribute": tr("attribute"),
    "brightness": tr("brightness"),
    "red": tr("red"),
    "green": tr("green"),
    "blue": tr("blue"),
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
    # kinds of fixtures, what they look like, and what gives their light
    "dimmer": tr("dimmer"),
    "profile": tr("profile"),
    "LED par": tr("LED par"),
    "LED bar": tr("LED bar"),
    "pixel": tr("pixel"),
    "pixel tape": tr("pixel tape"),
    "pixel panel": tr("pixel panel"),
    "panel": tr("panel"),
    "spot head": tr("spot head"),
    "wash head": tr("wash head"),
    "beam head": tr("beam head"),
    "profile head": tr("profile head"),
    "scanner": tr("scanner"),
    "mirror effect": tr("mirror effect"),
    "multi-beam effect": tr("multi-beam effect"),
    "strobe": tr("strobe"),
    "blinder": tr("blinder"),
    "hazer": tr("hazer"),
    "fogger": tr("fogger"),
    "fan": tr("fan"),
    "other": tr("other"),
    "par": tr("par"),
    "fresnel": tr("fresnel"),
    "flood": tr("flood"),
    "bar": tr("bar"),
    "dot": tr("dot"),
    "spot": tr("spot"),
    "wash": tr("wash"),
    "mirror": tr("mirror"),
    "multi": tr("several beams"),
    "tape": tr("tape"),
    "pack": tr("pack"),
    "LED": tr("LED"),
    "discharge": tr("discharge"),
    "tungsten": tr("tungsten"),
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


COUNTS: dict[str, Callable[[int], str]] = {
    "scene": lambda n: plural(n, "{n} scene", "{n} scenes"),
    "chase": lambda n: plural(n, "{n} chase", "{n} chases"),
    "stack": lambda n: plural(n, "{n} stack", "{n} stacks"),
    "timeline": lambda n: plural(n, "{n} timeline", "{n} timelines"),
    "canvas": lambda n: plural(n, "{n} canvas", "{n} canvases"),
    "given": lambda n: plural(n, "{n} look of a group", "{n} looks of groups"),
    "image": lambda n: plural(n, "{n} image", "{n} images"),
    "cue": lambda n: plural(n, "{n} cue", "{n} cues"),
    "type": lambda n: plural(n, "{n} fixture type", "{n} fixture types"),
    "fixture": lambda n: plural(n, "{n} fixture", "{n} fixtures"),
    "group": lambda n: plural(n, "{n} group", "{n} groups"),
    "page": lambda n: plural(n, "{n} page", "{n} pages"),
    "master": lambda n: plural(n, "{n} master", "{n} masters"),
    "control": lambda n: plural(n, "{n} control", "{n} controls"),
    "controller": lambda n: plural(n, "{n} controller", "{n} controllers"),
    "desk": lambda n: plural(n, "{n} desk", "{n} desks"),
    "message": lambda n: plural(n, "{n} message", "{n} messages"),
    "output": lambda n: plural(n, "{n} output", "{n} outputs"),
    "picture": lambda n: plural(n, "{n} picture", "{n} pictures"),
    "sound": lambda n: plural(n, "{n} sound", "{n} sounds"),
    "mark": lambda n: plural(n, "{n} mark", "{n} marks"),
    "palette": lambda n: plural(n, "{n} palette", "{n} palettes"),
    "value": lambda n: plural(n, "{n} value", "{n} values"),
}


def counted(word: str, number: int) -> str:
    """“1 scene”, “6 scenes”: so many of what a word of the file stands for."""
    if word in COUNTS:
        return COUNTS[word](number)
    return plural(number, "{n} thing", "{n} things")
