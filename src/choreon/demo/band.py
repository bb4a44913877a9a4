"""The sample show's page for a band that nobody has heard before: looks and hits, what
moves, masters, the singer aside. And what guests see, and the safe look.
"""

from __future__ import annotations

from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.masters import GroupMaster, Override
from choreon.model.refs import BLACKOUT, GROUP, Ref
from choreon.model.show import Show
from choreon.model.tiles import (
    AimTile,
    AnyTile,
    AsideTile,
    Choice,
    ColourTile,
    DarkChange,
    DeedTile,
    Dial,
    Fader,
    Flash,
    Guest,
    MasterTile,
    Pad,
    Page,
    Part,
    Section,
    Spot,
    TempoTile,
    Turns,
    parts,
)
from choreon.model.values import Look

SINGER = ("Front 3", "Front 4")  # the lamps on whoever stands at the middle


def with_band(show: Show) -> Show:
    """Returns the show with the band's page, its masters, and what guests see."""
    pars = GroupMaster(id="pars-master", name="Pars", over=(_group(show, "Pars"),))
    movers = GroupMaster(
        id="heads-master",
        name="Heads",
        over=(_group(show, "Spots"), _group(show, "Washes")),
    )

    house = Override(
        id="house-override", name="House override", over=(_group(show, "House"),)
    )

    show = edits.put(show, "masters", pars, movers, house)
    grand = edits.replace(show.masters["grand"], exempt=(_group(show, "House"),))
    show = edits.put(show, "masters", grand)
    show = edits.put(show, "pages", _page(show))
    safe = (Part(_ref(show, "Stage warm"), 0.8), Part(_ref(show, "Front wash"), 0.6))
    return edits.replace(show, safe=safe, guest=Guest(pages=("open-mic",)))


def _group(show: Show, name: str) -> Ref:
    """The ref to a group by its name."""
    return next(Ref(GROUP, g.id) for g in show.groups.values() if g.name == name)


def _ref(show: Show, name: str) -> Ref:
    """The ref to something that plays by its name."""
    return next(p.ref for p in show.playables.values() if p.name == name)


def _singer(show: Show) -> Look:
    by_name = {fixture.name: fixture.id for fixture in show.fixtures.values()}
    return {by_name[name]: {at.DIMMER: 0.85} for name in SINGER if name in by_name}


def _page(show: Show) -> Page:
    def plays(*names: str) -> tuple[Part, ...]:
        return parts(*(_ref(show, name) for name in names))

    pars, spots = _group(show, "Pars"), _group(show, "Spots")
    looks = Choice(
        id="band-looks",
        name="Stage",
        plays=plays(
            "Stage warm", "Stage blue", "Stage rose", "Mudlight", "The Groynes"
        ),
        change=DarkChange(),
        spot=Spot(0, 0, 9, 2),
    )

    moving = ("Swell", "Gulls", "Sway")
    tiles: tuple[AnyTile, ...] = (
        looks,
        ColourTile(id="band-colour", name="Pars", of=(pars,), spot=Spot(9, 0, 3, 2)),
        Flash(id="band-hit", plays=plays("Strobe hit"), spot=Spot(0, 2)),
        Flash(
            id="band-front",
            name="Front, more",
            plays=plays("Front wash"),
            over=False,
            spot=Spot(2, 2),
        ),
        Flash(id="band-knocks", plays=plays("Three knocks"), spot=Spot(4, 2)),
        AsideTile(id="band-singer", name="Singer", look=_singer(show), spot=Spot(6, 2)),
        Fader(
            id="band-faces",
            name="Faces",
            plays=plays("Front wash"),
            spot=Spot(8, 2, 1, 4),
        ),
        MasterTile(
            id="band-pars", drives=Ref("master", "pars-master"), spot=Spot(9, 2, 1, 4)
        ),
        MasterTile(
            id="band-heads",
            drives=Ref("master", "heads-master"),
            spot=Spot(10, 2, 1, 4),
        ),
        MasterTile(
            id="band-house",
            name="House",
            drives=Ref("master", "house-override"),
            spot=Spot(11, 2, 1, 4),
        ),
        TempoTile(id="band-tempo", spot=Spot(0, 4)),
        MasterTile(id="band-blackout", drives=BLACKOUT, spot=Spot(2, 4, 2, 1)),
        DeedTile(id="band-release", deed="release", spot=Spot(2, 5, 2, 1)),
        AimTile(id="band-aim", name="Spots", of=(spots,), spot=Spot(4, 4, 4, 2)),
        *(
            Pad(
                id=f"band-{name.lower()}",
                plays=plays(name),
                choice="movement",
                section="moving",
                spot=Spot(2 * n, 0),
            )
            for n, name in enumerate(moving)
        ),
        Dial(
            id="band-rate",
            name="Rate",
            of=plays_refs(show, moving),
            section="moving",
            spot=Spot(6, 0),
        ),
        Dial(
            id="band-size",
            name="Size",
            turns=Turns.SIZE,
            of=plays_refs(show, moving),
            section="moving",
            spot=Spot(8, 0),
        ),
        Dial(
            id="band-strobe",
            name="Pars: strobe",
            turns=Turns.ATTRIBUTE,
            attribute=at.STROBE,
            of=(pars,),
            section="moving",
            spot=Spot(10, 0),
        ),
    )

    return Page(
        id="band",
        name="Band",
        event="Open mic hour",
        tiles=tiles,
        sections=(Section("moving", "Moving"),),
    )


def plays_refs(show: Show, names: tuple[str, ...]) -> tuple[Ref, ...]:
    """Returns the refs to things that play by their names."""
    return tuple(_ref(show, name) for name in names)
