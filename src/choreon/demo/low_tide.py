"""*Low Tide*, an evening for three dancers and a cello, in five parts; and the rig it plays on."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from choreon.library import library
from choreon.model import edits
from choreon.model.show import Group, Hanging, Look, Output, Page, Place, Room, Scene, Show, Tile

RGB = tuple[float, float, float]

# Linear light.
WHITE: RGB = (1.0, 1.0, 1.0)
MOON: RGB = (0.30, 0.48, 1.0)
DEEP: RGB = (0.01, 0.06, 0.95)
TEAL: RGB = (0.0, 0.62, 0.50)
SEA: RGB = (0.0, 0.30, 0.80)
MUD: RGB = (0.80, 0.28, 0.05)
RUST: RGB = (1.0, 0.16, 0.02)
LANTERN: RGB = (1.0, 0.42, 0.08)
DUSK: RGB = (0.55, 0.05, 0.60)
ROSE: RGB = (1.0, 0.12, 0.22)


def low_tide(host: str = "127.0.0.1", port: int = 5568) -> Show:
    """The whole sample show, its universes sent to a node at `host`."""
    show = Show(id="low-tide", name="Low Tide", room=Room("Quillmere Boathouse", 8.0, 6.0, 4.2))
    show = edits.put(show, "outputs", Output(id="node", host=host, port=port))
    show = _pages(_scenes(_groups(_rig(show))))
    return _controller(show)


def _rig(show: Show) -> Show:
    kinds = library()

    def row(xs: Iterable[float], y: float, z: float) -> list[Place]:
        return [Place(x, y, z) for x in xs]

    def hang(
        type_id: str, mode: str, name: str, universe: int, address: int, places: list[Place], hanging: Hanging
    ) -> None:
        nonlocal show
        kind = kinds[type_id]
        show, _ = edits.hang(
            show, kind, mode, len(places), universe, address, name=name, places=places, hanging=hanging
        )

    hang(
        "holmwick-6-way",
        "One output",
        "Front",
        1,
        1,
        row((-3.2, -1.9, -0.6, 0.6, 1.9, 3.2), -3.4, 4.2),
        Hanging(pitch=48),
    )
    hang("generic-dimmer", "1 channel", "House", 1, 7, row((-2.4, 2.4), -4.6, 4.0), Hanging())
    over = row((-3.0, -1.0, 1.0, 3.0), 1.6, 4.2) + row((-3.0, -1.0, 1.0, 3.0), 3.6, 4.2)
    hang("tarnby-par-7", "8 channel", "Par", 1, 11, over, Hanging(pitch=-8))
    hang("tarnby-flood-6", "8 channel", "Uplight", 1, 81, row((-3.6, -1.5, 1.5, 3.6), 5.4, 0.2), Hanging(pitch=168))
    hang("pellow-bar-8", "24 channel", "Bar", 2, 1, row((-2.0, 2.0), 5.7, 3.4), Hanging(pitch=0))
    hang("ostrey-spot-160", "13 channel", "Spot", 2, 61, row((-3.4, -1.2, 1.2, 3.4), 4.6, 4.2), Hanging())
    hang("ostrey-wash-90", "12 channel", "Wash", 2, 121, row((-3.7, 3.7), 0.4, 4.2), Hanging())
    dots = [Place(-0.9 + 0.45 * (i % 5), 5.85, 1.0 + 0.45 * (i // 5)) for i in range(20)]
    hang("pellow-dot", "3 channel", "Dot", 3, 1, dots, Hanging(pitch=-90))
    hang("holmwick-mist", "2 channel", "Hazer", 3, 101, row((-3.8,), 2.6, 0.3), Hanging())
    hang("tarnby-panel", "5 channel", "Panel", 3, 111, row((0.0,), 5.6, 4.0), Hanging(pitch=-55))
    return show


def _ids(show: Show, name: str) -> list[str]:
    return [f.id for f in show.fixtures.values() if f.name.rsplit(" ", 1)[0] == name]


def _groups(show: Show) -> Show:
    rows = [
        ("Front", _ids(show, "Front")),
        ("Pars", _ids(show, "Par")),
        ("Pars down", _ids(show, "Par")[:4]),
        ("Pars up", _ids(show, "Par")[4:]),
        ("Uplights", _ids(show, "Uplight")),
        ("Bars", _ids(show, "Bar")),
        ("Spots", _ids(show, "Spot")),
        ("Washes", _ids(show, "Wash")),
        ("Dots", _ids(show, "Dot")),
        ("House", _ids(show, "House")),
    ]
    made = [Group(id=edits.fresh_id(name, ()), name=name, fixtures=tuple(ids)) for name, ids in rows]
    return edits.put(show, "groups", *made)


OPENING = ("slack-water-pad",)  # what is on when the sample show begins


class _Paint:
    """Builds looks by group."""

    def __init__(self, show: Show) -> None:
        self.show = show

    def lit(
        self, name: str, level: float, rgb: RGB | None = None, which: Sequence[int] | None = None, **more: float
    ) -> Look:
        ids = _ids(self.show, name)
        look: Look = {}
        for i in range(len(ids)) if which is None else which:
            values: dict[str, float | tuple[float, ...]] = {"Dimmer": level, **more}
            if rgb is not None:
                values |= dict(zip(("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"), rgb, strict=True))
            look[ids[i]] = values
        return look

    def cells(self, first: RGB, last: RGB, level: float) -> Look:
        """A gradient over the sixteen cells of both bars."""
        ids = _ids(self.show, "Bar")
        look: Look = {}
        for b, fixture in enumerate(ids):
            parts = [(8 * b + c) / 15 for c in range(8)]
            look[fixture] = {"Dimmer": level}
            for i, name in enumerate(("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")):
                look[fixture][name] = tuple(first[i] + (last[i] - first[i]) * p for p in parts)
        return look

    def aimed(
        self, name: str, level: float, aims: Sequence[tuple[float, float]], rgb: RGB | None = None, **more: float
    ) -> Look:
        look: Look = {}
        for i, (pan, tilt) in enumerate(aims):
            look |= self.lit(name, level, rgb, [i], Pan=pan, Tilt=tilt, **more)
        return look

    def dots(self, rgb: RGB, levels: Sequence[float]) -> Look:
        look: Look = {}
        for i, level in enumerate(levels):
            look |= self.lit("Dot", level, rgb, [i])
        return look


def _all(*looks: Look) -> Look:
    merged: Look = {}
    for look in looks:
        merged = edits.merge_looks(merged, look)
    return merged


def _scenes(show: Show) -> Show:
    p = _Paint(show)
    ripple = [0.25 + 0.6 * ((i * 7) % 5) / 4 for i in range(20)]
    heart = [1.0 if i in (6, 7, 8, 11, 12, 13) else 0.12 for i in range(20)]
    still = _all(
        p.lit("Par", 0.55, MOON),
        p.lit("Uplight", 0.5, SEA),
        p.cells(DEEP, TEAL, 0.7),
        p.dots(MOON, ripple),
        p.aimed("Spot", 0.35, [(0, -38), (0, -30), (0, -30), (0, -38)]),
        p.lit("Front", 0.15),
    )
    mud = _all(
        p.lit("Par", 0.6, MUD, range(4)),
        p.lit("Par", 0.35, DUSK, range(4, 8)),
        p.lit("Uplight", 0.65, LANTERN, ColorAdd_RY=0.8),
        p.cells(RUST, DUSK, 0.6),
        p.aimed("Wash", 0.7, [(-40, -32), (40, -32)], LANTERN),
        p.lit("Front", 0.3, which=[1, 2, 3, 4]),
    )
    groynes = _all(
        p.aimed("Spot", 0.95, [(28, -48), (12, -26), (-12, -26), (-28, -48)], gobo=30),
        p.lit("Par", 0.2, DEEP),
        p.lit("Uplight", 0.3, DEEP),
        p.cells(DEEP, DEEP, 0.35),
    )
    spring = _all(
        p.lit("Par", 1.0, TEAL, [0, 2, 5, 7]),
        p.lit("Par", 1.0, SEA, [1, 3, 4, 6]),
        p.lit("Uplight", 0.9, TEAL),
        p.cells(TEAL, WHITE, 1.0),
        p.aimed("Spot", 1.0, [(-24, -20), (-8, -42), (8, -42), (24, -20)]),
        p.aimed("Wash", 0.9, [(-30, -40), (30, -40)], SEA),
        p.dots(WHITE, [0.8] * 20),
        p.lit("Front", 0.45),
    )
    home = _all(
        p.lit("Par", 0.45, LANTERN),
        p.lit("Uplight", 0.55, RUST),
        p.cells(LANTERN, ROSE, 0.55),
        p.dots(LANTERN, heart),
        p.aimed("Spot", 0.5, [(0, -20), (0, -12), (0, -12), (0, -20)]),
        p.lit("Front", 0.35),
    )
    rows: list[tuple[str, Look, float]] = [
        ("Slack Water", still, 4.0),
        ("Mudlight", mud, 5.0),
        ("The Groynes", groynes, 2.0),
        ("Spring Tide", spring, 3.0),
        ("Lanterns Home", home, 6.0),
        (
            "Cello",
            _all(p.lit("Front", 0.75, which=[1, 2]), p.aimed("Wash", 0.5, [(-10, -18), (60, -30)], LANTERN)),
            3.0,
        ),
        ("Front wash", p.lit("Front", 0.85), 2.0),
        ("Stage warm", _all(p.lit("Par", 0.8, LANTERN), p.aimed("Wash", 0.8, [(-35, -30), (35, -30)], LANTERN)), 2.0),
        ("Stage blue", p.lit("Par", 0.8, DEEP), 2.0),
        ("Stage rose", p.lit("Par", 0.8, ROSE), 2.0),
        ("House lights", p.lit("House", 0.9), 3.0),
        ("Dots", p.dots(LANTERN, [0.7] * 20), 1.0),
        ("Haze", {_ids(show, "Hazer")[0]: {"Fog1": 110.0, "Fan1": 140.0}}, 0.0),
        ("Strobe hit", p.lit("Panel", 0.9, WHITE, Shutter1Strobe=8.0), 0.0),
    ]
    rows = rows[5:] + rows[4::-1]  # the shelf shows the newest first: there the five parts stand in their order
    made = [Scene(id=edits.fresh_id(n, ()), name=n, look=look, fade_in=t, fade_out=t) for n, look, t in rows]
    return edits.put(show, "scenes", *made)


def _pages(show: Show) -> Show:
    def tile(scene: str, kind: str = "pad", choice: str = "") -> Tile:
        scene_id = edits.fresh_id(scene, ())
        return Tile(id=f"{scene_id}-{kind}", kind="fader" if kind == "fader" else "pad", scene=scene_id, choice=choice)

    parts = ("Slack Water", "Mudlight", "The Groynes", "Spring Tide", "Lanterns Home")
    evening = Page(
        id="low-tide",
        name="Low Tide",
        tiles=(
            *(tile(name, choice="parts") for name in parts),
            tile("Cello"),
            tile("Dots"),
            tile("Strobe hit"),
            tile("House lights", "fader"),
            tile("Front wash", "fader"),
            tile("Stage warm", "fader"),
            tile("Haze", "fader"),
        ),
    )
    mic = Page(
        id="open-mic",
        name="Open mic",
        tiles=(
            Tile(id="mic-warm", kind="pad", scene="stage-warm", choice="stage"),
            Tile(id="mic-blue", kind="pad", scene="stage-blue", choice="stage"),
            Tile(id="mic-rose", kind="pad", scene="stage-rose", choice="stage"),
            Tile(id="mic-front", kind="fader", scene="front-wash"),
            Tile(id="mic-house", kind="fader", scene="house-lights"),
        ),
    )
    return edits.put(show, "pages", evening, mic)


def _controller(show: Show) -> Show:
    """The practice controller: faders and pads in the page's order, the last fader is the grand master."""
    port = "Practice controller"
    tiles = show.pages["low-tide"].tiles
    for i, tile in enumerate(t for t in tiles if t.kind == "pad"):
        show = edits.learn(show, port, "note", 0, 36 + i, f"tile:{tile.id}")
    for i, tile in enumerate(t for t in tiles if t.kind == "fader"):
        show = edits.learn(show, port, "cc", 0, i, f"tile:{tile.id}")
    show = edits.learn(show, port, "cc", 0, 7, "grand")
    return edits.learn(show, port, "note", 0, 51, "blackout")
