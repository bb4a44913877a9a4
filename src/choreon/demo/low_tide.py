"""*Low Tide*, an evening for three dancers and a cello, in five parts; and the rig it
plays on.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from choreon.demo.band import with_band
from choreon.demo.by_groups import with_groups_played
from choreon.demo.canvas import with_canvases
from choreon.demo.ferry import with_play
from choreon.demo.motion import with_motion
from choreon.demo.song import with_song
from choreon.demo.storm import with_storm
from choreon.library import library
from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.inputs import midi_control
from choreon.model.outputs import SacnOutput
from choreon.model.playables import Scene, Times
from choreon.model.refs import BLACKOUT, GRAND, Ref, to_tile
from choreon.model.show import Area, Bar, Group, Hanging, Place, Room, Seats, Show
from choreon.model.tiles import (
    ClockTile,
    DeedTile,
    Fader,
    Pad,
    Page,
    Part,
    Spot,
    Start,
    parts,
)
from choreon.model.values import Look, Value

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

COLOURS: dict[str, RGB] = {
    "Moon": MOON,
    "Deep": DEEP,
    "Teal": TEAL,
    "Sea": SEA,
    "Mud": MUD,
    "Rust": RUST,
    "Lantern": LANTERN,
    "Dusk": DUSK,
    "Rose": ROSE,
}

# Metres; left and right as the performers have them, facing the audience.
MARKS: dict[str, tuple[float, float, float]] = {
    "Cello": (2.2, 1.2, 0.0),
    "Centre": (0.0, 3.0, 0.0),
    "Jetty": (-2.4, 4.4, 0.0),
    "Slip": (2.4, 4.4, 0.0),
    "Chair": (-2.2, 1.1, 0.0),
    "Lantern": (0.0, 4.6, 1.8),
}


BOATHOUSE = Room(
    "Quillmere Boathouse",
    8.0,
    6.0,
    4.2,
    bars=(
        Bar("House bar", -4.2, -3.4, 4.2, -3.4),
        Bar("First bar", -4.2, 1.6, 4.2, 1.6),
        Bar("Second bar", -4.2, 3.6, 4.2, 3.6),
        Bar("Third bar", -4.2, 4.6, 4.2, 4.6),
    ),
    seats=Seats(5, 7.2, 1.8, 0.85, 0.2),
    keep_out=(Area("Audience", -3.8, -5.5, 3.8, -1.5, 0.0, 2.4),),
)


def low_tide(host: str = "127.0.0.1", port: int = 5568) -> Show:
    """The whole sample show, its universes sent to a node at `host`."""
    show = Show(id="low-tide", name="Low Tide", room=BOATHOUSE)
    show = edits.put(show, "outputs", SacnOutput(id="node", host=host, port=port))
    show = _pages(_scenes(_palettes(_groups(_rig(show)))))
    whole = with_storm(with_play(with_band(with_motion(_controller(show)))))
    return with_groups_played(with_canvases(with_song(whole)))


def _rig(show: Show) -> Show:
    kinds = library()

    def row(xs: Iterable[float], y: float, z: float) -> list[Place]:
        return [Place(x, y, z) for x in xs]

    def hang(
        type_id: str,
        mode: str,
        name: str,
        universe: int,
        address: int,
        places: list[Place],
        hanging: Hanging,
    ) -> None:
        nonlocal show
        kind = kinds[type_id]
        show, _ = edits.hang(
            show,
            kind,
            mode,
            len(places),
            universe,
            address,
            name=name,
            places=places,
            hanging=hanging,
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
    hang(
        "generic-dimmer",
        "1 channel",
        "House",
        1,
        7,
        row((-2.4, 2.4), -4.6, 4.0),
        Hanging(),
    )

    over = row((-3.0, -1.0, 1.0, 3.0), 1.6, 4.2) + row((-3.0, -1.0, 1.0, 3.0), 3.6, 4.2)
    hang("tarnby-par-7", "8 channel", "Par", 1, 11, over, Hanging(pitch=-8))
    hang(
        "tarnby-flood-6",
        "8 channel",
        "Uplight",
        1,
        81,
        row((-3.6, -1.5, 1.5, 3.6), 5.4, 0.2),
        Hanging(pitch=168),
    )

    hang(
        "pellow-bar-8",
        "24 channel",
        "Bar",
        2,
        1,
        row((-2.0, 2.0), 5.7, 3.4),
        Hanging(pitch=0),
    )
    hang(
        "ostrey-spot-160",
        "13 channel",
        "Spot",
        2,
        61,
        row((-3.4, -1.2, 1.2, 3.4), 4.6, 4.2),
        Hanging(),
    )

    hang(
        "ostrey-wash-90",
        "12 channel",
        "Wash",
        2,
        121,
        row((-3.7, 3.7), 0.4, 4.2),
        Hanging(),
    )

    dots = [
        Place(round(-0.9 + 0.45 * (i % 5), 3), 5.85, round(1.0 + 0.45 * (i // 5), 3))
        for i in range(20)
    ]

    hang("pellow-dot", "3 channel", "Dot", 3, 1, dots, Hanging(pitch=-90))
    hang(
        "holmwick-mist", "2 channel", "Hazer", 3, 101, row((-3.8,), 2.6, 0.3), Hanging()
    )
    hang(
        "tarnby-panel",
        "5 channel",
        "Panel",
        3,
        111,
        row((0.0,), 5.6, 4.0),
        Hanging(pitch=-55),
    )

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

    made = [
        Group(id=edits.fresh_id(name, ()), name=name, fixtures=tuple(ids))
        for name, ids in rows
    ]

    return edits.put(show, "groups", *made)


def _palettes(show: Show) -> Show:
    """The colours of the evening, its marks and what aims at them, and some beams."""
    for name, rgb in COLOURS.items():
        look: Look = {"any": dict(zip(at.TARGET_COLOUR, rgb, strict=True))}
        show, _ = palettes.keep_palette(show, name, at.Family.COLOUR, look)

    for name, place in MARKS.items():
        show, mark = palettes.keep_mark(show, name, *place)
        aims: Look = {"any": links.aim(links.to_mark(mark))}
        show, _ = palettes.keep_palette(show, f"On {name}", at.Family.POSITION, aims)

    for name, values in palettes.BEAMS:
        show, _ = palettes.keep_palette(
            show, name, at.Family.BEAM, {"any": dict(values)}
        )

    groynes: Look = {i: {"Gobo1": 2.0} for i in _ids(show, "Spot")}
    show, _ = palettes.keep_palette(
        show, "Groynes", at.Family.BEAM, groynes, exact=True
    )
    return show


OPENING = (Start(to_tile("slack-water-pad")), Start(to_tile("house-lights-fader"), 0.2))
"""What is on when the sample show is opened."""


class _Paint:
    """Builds looks by group."""

    def __init__(self, show: Show) -> None:
        self.show = show

    def lit(
        self,
        name: str,
        level: float,
        rgb: RGB | None = None,
        which: Sequence[int] | None = None,
        **more: Value,
    ) -> Look:
        ids = _ids(self.show, name)
        look: Look = {}

        for i in range(len(ids)) if which is None else which:
            values: dict[str, Value] = {"Dimmer": level, **more}
            if rgb is not None:
                values |= self._colour(rgb)

            look[ids[i]] = values

        return look

    def _colour(self, rgb: RGB) -> dict[str, Value]:
        """A link to the palette that holds the colour, or the colour itself."""
        name = next((n for n, c in COLOURS.items() if c == rgb), "")
        palette = next(
            (p for p in self.show.palettes.values() if name and p.name == name), None
        )
        if palette is None:
            return dict(zip(at.TARGET_COLOUR, rgb, strict=True))
        return dict.fromkeys(at.TARGET_COLOUR, links.to_palette(palette.id))

    def cells(self, first: RGB, last: RGB, level: float) -> Look:
        """A gradient over the sixteen cells of both bars."""
        ids = _ids(self.show, "Bar")
        look: Look = {}
        for b, fixture in enumerate(ids):
            parts = [(8 * b + c) / 15 for c in range(8)]
            look[fixture] = {"Dimmer": level}
            for i, name in enumerate(
                ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")
            ):
                look[fixture][name] = tuple(
                    first[i] + (last[i] - first[i]) * p for p in parts
                )
        return look

    def aimed(
        self,
        name: str,
        level: float,
        aims: Sequence[tuple[float, float]],
        rgb: RGB | None = None,
        **more: Value,
    ) -> Look:
        look: Look = {}
        for i, (pan, tilt) in enumerate(aims):
            look |= self.lit(name, level, rgb, [i], Pan=pan, Tilt=tilt, **more)
        return look

    def on_marks(
        self,
        name: str,
        level: float,
        marks: Sequence[str],
        rgb: RGB | None = None,
        **more: Value,
    ) -> Look:
        """Heads, each on a mark, by the palettes that aim there."""
        look: Look = {}
        for i, mark in enumerate(marks):
            if mark:
                palette = next(
                    p for p in self.show.palettes.values() if p.name == f"On {mark}"
                )
                look |= self.lit(
                    name,
                    level,
                    rgb,
                    [i],
                    **links.aim(links.to_palette(palette.id)),
                    **more,
                )

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


def _linked(show: Show, palette: str) -> str:
    return links.to_palette(
        next(p.id for p in show.palettes.values() if p.name == palette)
    )


TAGS: dict[str, tuple[str, ...]] = {
    "Slack Water": ("part", "cello", "calm"),
    "Mudlight": ("part", "warm"),
    "The Groynes": ("part", "heads"),
    "Spring Tide": ("part", "bright"),
    "Lanterns Home": ("part", "cello", "warm"),
    "Cello": ("cello",),
}


def _scenes(show: Show) -> Show:
    p = _Paint(show)
    ripple = [0.25 + 0.6 * ((i * 7) % 5) / 4 for i in range(20)]
    heart = [1.0 if i in (6, 7, 8, 11, 12, 13) else 0.12 for i in range(20)]
    still = _all(
        p.lit("Par", 0.55, MOON),
        p.lit("Uplight", 0.5, SEA),
        p.cells(DEEP, TEAL, 0.7),
        p.dots(MOON, ripple),
        p.on_marks("Spot", 0.35, ["Jetty", "Cello", "Cello", "Slip"]),
        p.lit("Front", 0.15),
    )

    mud = _all(
        p.lit("Par", 0.6, MUD, range(4)),
        p.lit("Par", 0.35, DUSK, range(4, 8)),
        p.lit("Uplight", 0.65, LANTERN, ColorAdd_RY=0.8),
        p.cells(RUST, DUSK, 0.6),
        p.on_marks("Wash", 0.7, ["Centre", "Centre"], LANTERN),
        p.lit("Front", 0.3, which=[1, 2, 3, 4]),
    )

    groynes = _all(
        p.aimed(
            "Spot",
            0.95,
            [(28, -48), (12, -26), (-12, -26), (-28, -48)],
            Gobo1=_linked(show, "Groynes"),
        ),
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
        p.on_marks("Spot", 0.5, ["Cello", "Lantern", "Lantern", "Cello"]),
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
            _all(
                p.lit("Front", 0.75, which=[3, 4]),
                p.on_marks("Wash", 0.5, ["Cello", "Cello"], LANTERN),
            ),
            3.0,
        ),
        ("Front wash", p.lit("Front", 0.85), 2.0),
        (
            "Stage warm",
            _all(
                p.lit("Par", 0.8, LANTERN),
                p.aimed("Wash", 0.8, [(-35, -30), (35, -30)], LANTERN),
            ),
            2.0,
        ),
        ("Stage blue", p.lit("Par", 0.8, DEEP), 2.0),
        ("Stage rose", p.lit("Par", 0.8, ROSE), 2.0),
        ("House lights", p.lit("House", 0.9), 3.0),
        ("Dots", p.dots(LANTERN, [0.7] * 20), 1.0),
        ("Haze", {_ids(show, "Hazer")[0]: {"Fog1": 0.43, "Fan1": 0.55}}, 0.0),
        ("Strobe hit", p.lit("Panel", 0.9, WHITE, Shutter1Strobe=8.0), 0.0),
    ]

    rows = (
        rows[5:] + rows[4::-1]
    )  # the shelf shows the newest first: there the five parts stand in their order

    folders = {n: "Low Tide" for n, _, _ in rows[-5:]} | {
        n: "Open mic" for n, _, _ in rows if n.startswith("Stage")
    }

    made = [
        Scene(
            id=edits.fresh_id(n, ()),
            name=n,
            look=look,
            fade_in=t,
            fade_out=t,
            folder=folders.get(n, "House"),
            tags=TAGS.get(n, ()),
            times={at.Family.POSITION: Times(0.0, 1.5)} if n == "Lanterns Home" else {},
        )
        for n, look, t in rows
    ]

    return edits.put(show, "playables", *made)


def to_scene(scene_id: str) -> Ref:
    """Returns the ref to a scene."""
    return Ref(Scene.kind, scene_id)


def _pages(show: Show) -> Show:
    def pad(scene: str, choice: str, spot: Spot) -> Pad:
        scene_id = edits.fresh_id(scene, ())
        plays = parts(to_scene(scene_id))
        return Pad(id=f"{scene_id}-pad", plays=plays, choice=choice, spot=spot)

    def fader(scene: str, x: int, **more: Any) -> Fader:
        scene_id = edits.fresh_id(scene, ())
        plays, spot = parts(to_scene(scene_id)), Spot(x, 2, 2, 4)
        return Fader(id=f"{scene_id}-fader", plays=plays, spot=spot, **more)

    acts = ("Slack Water", "Mudlight", "The Groynes", "Spring Tide", "Lanterns Home")
    evening = Page(
        id="low-tide",
        name="Low Tide",
        tiles=(
            *(pad(name, "parts", Spot(2 * n, 0)) for n, name in enumerate(acts)),
            pad("Cello", "", Spot(10, 0)),
            pad("Dots", "", Spot(0, 2)),
            pad("Strobe hit", "", Spot(2, 2)),
            fader("House lights", 4, protected=True),
            fader("Front wash", 6),
            fader("Stage warm", 8),
            fader("Haze", 10, protected=True),
            DeedTile(id="back-to-before", deed="undo", spot=Spot(0, 4)),
            DeedTile(id="safe-look", deed="safe", spot=Spot(2, 4)),
        ),
    )

    return edits.put(show, "pages", evening, _mic())


def _mic() -> Page:
    """The page that the volunteer plays: large, and each tile explained."""

    def pad(tile_id: str, scene: str, name: str, note: str, x: int) -> Pad:
        return Pad(
            id=tile_id,
            plays=parts(to_scene(scene)),
            choice="stage",
            name=name,
            note=note,
            spot=Spot(x, 0, 2, 3),
        )

    return Page(
        id="open-mic",
        name="Open mic",
        columns=10,
        event="Open mic hour",
        tiles=(
            pad("mic-warm", "stage-warm", "Warm", "For talking and songs", 0),
            pad("mic-blue", "stage-blue", "Blue", "For slow songs", 2),
            pad("mic-rose", "stage-rose", "Rose", "For the lively ones", 4),
            Fader(
                id="mic-front",
                plays=parts(to_scene("front-wash")),
                name="Faces",
                note="Up: they are seen",
                spot=Spot(6, 0, 2, 5),
            ),
            Fader(
                id="mic-house",
                plays=parts(to_scene("house-lights")),
                name="House",
                note="Light over the seats",
                protected=True,
                spot=Spot(8, 0, 2, 5),
            ),
            Pad(
                id="mic-break",
                plays=(
                    Part(to_scene("house-lights")),
                    Part(to_scene("stage-warm"), 0.3),
                ),
                name="Break",
                note="House light up, stage low",
                choice="stage",
                sign="lightbulb",
                spot=Spot(0, 3, 2, 2),
            ),
            ClockTile(id="mic-clock", spot=Spot(2, 3, 2, 2)),
            DeedTile(
                id="mic-back",
                deed="undo",
                name="Undo",
                note="Back to what was on",
                spot=Spot(4, 3, 2, 2),
            ),
        ),
    )


def _controller(show: Show) -> Show:
    """The practice controller: faders and pads in the page's order, the last fader is
    the grand master.
    """
    port = "Practice controller"
    tiles = show.pages["low-tide"].tiles
    for i, tile in enumerate(t for t in tiles if t.kind == Pad.kind):
        show = edits.learn(show, midi_control(port, "note", 0, 36 + i), tile.ref)
    for i, tile in enumerate(t for t in tiles if t.kind == Fader.kind):
        show = edits.learn(show, midi_control(port, "cc", 0, i), tile.ref)
    show = edits.learn(show, midi_control(port, "cc", 0, 7), GRAND)
    return edits.learn(show, midi_control(port, "note", 0, 51), BLACKOUT)
