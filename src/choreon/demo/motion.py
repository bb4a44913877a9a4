"""What moves in *Low Tide*: scenes with effects, chases, patterns; and their page."""

from __future__ import annotations

from collections.abc import Sequence

from choreon.model import attributes as at
from choreon.model import chases, edits, links
from choreon.model import effects as model_effects
from choreon.model.inputs import midi_control, tied
from choreon.model.motion import (
    AnyMotion,
    By,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Effects,
    Path,
    PathShape,
    Rate,
    Shape,
    Spread,
    Wave,
)
from choreon.model.playables import Scene
from choreon.model.playables.chase import ChaseStep, End, Lie, Pattern, Run, Unit
from choreon.model.refs import TEMPO, Ref
from choreon.model.show import Show
from choreon.model.tiles import AnyTile, Fader, Pad, Page, parts
from choreon.model.values import Look, Value

BPM = 96.0
FOLDER = "Motion"
PORT = "Practice controller"

Named = dict[str, list[str]]
"""Groups of the show: name → fixtures."""


def with_motion(show: Show) -> Show:
    """Returns the sample show with what moves, on a page of its own."""
    named = {group.name: list(group.fixtures) for group in show.groups.values()}
    show = edits.change(show, TEMPO, bpm=BPM)
    show, ripple = model_effects.keep_motion(show, "Ripple", _ripple())
    before = show.playables
    moving = edits.replace(show, playables={})
    moving = _scenes(moving, named, ripple)
    moving = edits.replace(moving, playables={**before, **moving.playables})
    moving = _chases(moving, named)
    # the shelf shows the newest first: there the five parts stay at the front
    fresh = {i: p for i, p in moving.playables.items() if i not in before}
    show = edits.replace(moving, playables={**fresh, **before})
    return _controls(_page(show, list(fresh)))


def _ripple() -> Wave:
    return Wave(
        shape=Shape.SINE,
        mode=EffectMode.SCALES,
        low=0.35,
        rate=Rate(beats=4.0),
        spread=Spread(amount=720.0),
    )


def _colour(show: Show, name: str) -> ColourStop:
    """A colour of the evening, as a link."""
    palette = next(p for p in show.palettes.values() if p.name == name)
    parts = [palette.values[n] for n in at.TARGET_COLOUR]
    r, g, b = (float(v) for v in parts if isinstance(v, float | int))
    return ColourStop((r, g, b), palette.id)


def _lit(
    fixtures: Sequence[str],
    level: float,
    colour: ColourStop | None = None,
    **more: Value,
) -> Look:
    values: dict[str, Value] = {at.DIMMER: level, **more}
    if colour is not None:
        link = links.to_palette(colour.palette)
        values |= dict.fromkeys(at.TARGET_COLOUR, link)
    return {i: dict(values) for i in fixtures}


def _on(
    name: str,
    motion: AnyMotion,
    fixtures: Sequence[str] = (),
    by: By = By.CELLS,
    **more: str,
) -> Effect:
    return Effect(id=name, motion=motion, fixtures=tuple(fixtures), by=by, **more)  # type: ignore[arg-type]


def _scene(
    show: Show, name: str, look: Look, effects: Effects, seconds: float = 3.0
) -> Show:
    show, ref = edits.keep_scene(show, name, look, seconds, seconds, FOLDER, effects)
    return edits.change(show, ref, tags=("moves",))


def _scenes(show: Show, named: Named, ripple: str) -> Show:
    bars, dots, pars = named["Bars"], named["Dots"], named["Pars"]
    spots, washes, ups = named["Spots"], named["Washes"], named["Uplights"]
    sea, teal, moon = (_colour(show, n) for n in ("Sea", "Teal", "Moon"))
    rose, lantern, dusk = (_colour(show, n) for n in ("Rose", "Lantern", "Dusk"))
    deep = _colour(show, "Deep")

    dark = ColourStop((0.0, 0.0, 0.0))
    roll = ColourRoll(stops=(sea, teal, moon), rate=Rate(seconds=9.0))
    show = _scene(
        show,
        "Water on the wall",
        _lit(bars, 0.8),
        (_on("colours", roll, bars), _on("ripple", _ripple(), bars, palette=ripple)),
    )

    passing = ColourRoll(
        stops=(lantern, dark), rate=Rate(seconds=5.0), length=6.0, brightness=True
    )

    show = _scene(show, "Lanterns passing", {}, (_on("lanterns", passing, dots),), 2.0)
    circle = Path(
        in_room=True,
        centre="mark:centre",
        size=1.5,
        rate=Rate(seconds=12.0),
    )

    heads = [*spots, *washes]
    show = _scene(
        show,
        "Harbour light",
        {**_lit(spots, 0.8, moon), **_lit(washes, 0.6, deep)},
        (_on("circle", circle, heads, By.FIXTURES),),
    )

    gulls = Path(
        shape=PathShape.WANDER,
        in_room=True,
        centre=links.to_point((0.0, 3.4, 0.0)),
        size=1.8,
        rate=Rate(seconds=30.0),
        spread=Spread(amount=360.0),
    )

    show = _scene(
        show,
        "Gulls",
        _lit(spots, 0.7, Gobo1=1.0),
        (_on("gulls", gulls, (), By.FIXTURES, group="spots"),),
    )

    swell = Wave(low=0.1, high=0.8, rate=Rate(seconds=6.0), spread=Spread(parts=2))
    colours = ColourRoll(stops=(moon, dusk), rate=Rate(seconds=14.0), across=True)
    show = _scene(
        show, "Swell", {}, (_on("swell", swell, pars), _on("dusk", colours, pars))
    )

    embers = Wave(
        shape=Shape.RANDOM, low=0.15, high=0.75, rate=Rate(seconds=1.4), seed=4
    )

    show = _scene(
        show,
        "Embers",
        _lit(ups, 0.6, _colour(show, "Rust")),
        (_on("embers", embers, ups),),
    )

    beat = Wave(
        shape=Shape.DOWN,
        mode=EffectMode.SCALES,
        low=0.2,
        rate=Rate(beats=1.0),
        spread=Spread(amount=0.0),
    )

    show = _scene(show, "On the beat", {}, (_on("pulse", beat, [*pars, *bars]),), 1.0)
    sway = Path(
        shape=PathShape.EIGHT,
        size=14.0,
        stretch=0.6,
        rate=Rate(beats=16.0),
        spread=Spread(parts=2),
    )

    return _scene(
        show,
        "Sway",
        {**_lit(washes, 0.7, rose), **_aimed(washes, "Centre")},
        (_on("sway", sway, washes, By.FIXTURES),),
    )


def _aimed(fixtures: Sequence[str], mark: str) -> Look:
    return {i: links.aim(links.to_mark(edits.fresh_id(mark, ()))) for i in fixtures}


def _chases(show: Show, named: Named) -> Show:
    pars, bars, dots = named["Pars"], named["Bars"], named["Dots"]
    front, ups = named["Front"], named["Uplights"]
    beats = {"unit": Unit.BEATS, "folder": FOLDER, "tags": ("moves",)}

    def plays(name: str) -> ChaseStep:
        return ChaseStep(id="step", plays=Ref(Scene.kind, edits.fresh_id(name, ())))

    parts = ("Slack Water", "Mudlight", "The Groynes", "Spring Tide")
    show, _ = chases.keep_chase(
        show,
        "Tide turns",
        [plays(name) for name in parts],
        fade=2.0,
        hold=2.0,
        run=Run.BOUNCE,
        **beats,
    )

    show, _ = chases.keep_pattern(
        show,
        "Oars",
        Pattern(
            rule="pair-bounce",
            lamps=tuple(pars),
            left_out=(pars[0], pars[7]),
            lie=Lie.PLACE,
        ),
        fade=0.5,
        hold=0.5,
        **beats,
    )

    lantern, deep = _colour(show, "Lantern"), _colour(show, "Deep")

    def link(stop: ColourStop) -> dict[str, Value]:
        return dict.fromkeys(at.TARGET_COLOUR, links.to_palette(stop.palette))

    show, _ = chases.keep_pattern(
        show,
        "Lamps along the quay",
        Pattern(
            rule="run-in-fours",
            lamps=tuple(bars),
            cells=True,
            on={at.DIMMER: 0.9, **link(lantern)},
            off={at.DIMMER: 0.35, **link(deep)},
        ),
        fade=0.25,
        hold=0.25,
        **beats,
    )

    show, _ = chases.keep_pattern(
        show,
        "Spray",
        Pattern(rule="scatter-two-at-a-time-1", lamps=tuple(dots)),
        fade=0.0,
        hold=0.5,
        **beats,
    )

    show, _ = chases.keep_pattern(
        show,
        "Footlights",
        Pattern(rule="out-and-in", lamps=tuple(front), on={at.DIMMER: 0.7}),
        fade=1.0,
        hold=0.0,
        **beats,
    )

    hits = [
        ChaseStep(id="step", name="Left", look=_lit(ups[:2], 1.0, deep)),
        ChaseStep(id="step", name="Right", look=_lit(ups[2:], 1.0, deep)),
        ChaseStep(id="step", name="All", look=_lit(ups, 1.0, lantern), hold=1.0),
    ]

    show, _ = chases.keep_chase(
        show,
        "Three knocks",
        hits,
        fade=0.0,
        hold=0.5,
        rounds=2,
        end=End.RELEASE,
        **beats,
    )
    return show


def _page(show: Show, ids: list[str]) -> Show:
    """Chases and the quick scenes as pads, the other moving scenes as faders."""
    tiles: list[Pad | Fader] = []
    for playable_id in ids:
        ref = show.playables[playable_id].ref
        if ref.kind == Scene.kind and ref.id not in QUICK:
            tiles.append(Fader(id=f"{ref.id}-fader", plays=parts(ref)))
        else:
            tiles.append(Pad(id=f"{ref.id}-pad", plays=parts(ref)))
    page = Page(id="motion", name="Motion", tiles=tuple(tiles))
    return edits.put(show, "pages", page)


QUICK = ("on-the-beat", "sway")  # scenes that are switched rather than brought up
PADS = tuple(range(44, 50))  # notes of the pads that are free
TAP = 50  # the note that taps the tempo
LEVELS = (4, 5, 6, 16, 17, 18)  # faders and knobs that are free
SWITCHES = (19, 20)  # knobs that switch
TURNED = 23  # the knob of the tempo


def _controls(show: Show) -> Show:
    """The practice controller plays the page: pads, the faders that are free, knobs."""
    tiles = show.pages["motion"].tiles
    pads = [tile for tile in tiles if isinstance(tile, Pad)]
    quick = [tile for tile in pads if tile.plays[0].ref.id in QUICK]
    chased = [tile for tile in pads if tile not in quick]
    faders = [tile for tile in tiles if isinstance(tile, Fader)]
    show = _learnt(show, "cc", SWITCHES, quick)
    show = _learnt(show, "note", PADS, chased)
    return _with_tempo(_learnt(show, "cc", LEVELS, faders))


def _learnt(
    show: Show, message: str, numbers: Sequence[int], tiles: Sequence[AnyTile]
) -> Show:
    for number, tile in zip(numbers, tiles, strict=True):
        control = midi_control(PORT, message, 0, number)
        show = edits.learn(show, control, tile.ref)
    return show


def _with_tempo(show: Show) -> Show:
    """A pad that taps, and a knob that turns the tempo."""
    tap = tied("tempo-tap", TEMPO, midi_control(PORT, "note", 0, TAP))
    turn = tied("tempo-turn", TEMPO, midi_control(PORT, "cc", 0, TURNED))
    return edits.put(show, "inputs", tap, turn)
