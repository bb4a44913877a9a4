"""What groups are given from tiles: made when a tile needs it, and gone with it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec

from choreon.language import in_a_row, tr
from choreon.model import attributes as at
from choreon.model import edits, links
from choreon.model.lamps import fixtures_of
from choreon.model.motion import MOTIONS
from choreon.model.playables import Given, kind_of
from choreon.model.playables.given import MOTION
from choreon.model.refs import GROUP, Ref, name_of
from choreon.model.show import Palette, Show
from choreon.model.tiles import Choice, Pad, Tile, parts
from choreon.model.values import Value
from choreon.terms import term

replace = msgspec.structs.replace

FEW = 4  # names of palettes that are told as nearest
FADE = 1.0  # seconds in which what is given comes and goes


def given_of(show: Show, ref: Ref) -> Given | None:
    """Returns what a group is given by a ref; None where it is something else."""
    found = show.playables.get(ref.id)
    return found if isinstance(found, Given) and found.ref == ref else None


def give(show: Show, lamps: Ref, palette_id: str) -> tuple[Show, Ref]:
    """A show with a palette of a group, or of a fixture; the one that there is where it
    is there already.
    """
    palette = show.palettes[palette_id]
    made = _given(_called(show, lamps, palette.name), palette.family)
    return _kept(show, _of(show, replace(made, palette=palette_id), lamps))


def give_values(
    show: Show, lamps: Ref, name: str, values: dict[str, Value]
) -> tuple[Show, Ref]:
    """The same with values of a family, under a name."""
    made = _given(_called(show, lamps, name), _family(values))
    return _kept(show, _of(show, replace(made, values=values), lamps))


def values_to(
    show: Show, fixtures: Sequence[str], name: str, values: dict[str, Value]
) -> tuple[Show, Ref]:
    """A show with values of certain fixtures, under a name."""
    made = _given(name, _family(values))
    return _kept(show, replace(made, values=values, fixtures=tuple(fixtures)))


def give_to(show: Show, fixtures: Sequence[str], palette_id: str) -> tuple[Show, Ref]:
    """The same of certain fixtures, called after the palette alone."""
    palette = show.palettes[palette_id]
    made = _given(palette.name, palette.family)
    return _kept(show, replace(made, palette=palette_id, fixtures=tuple(fixtures)))


def again_for(show: Show, given: Given, lamps: Ref) -> tuple[Show, Ref | None]:
    """A show in which another group is given the same; None where none of it can do
    anything with the palette.
    """
    if given.palette:
        palette = show.palettes.get(given.palette)
        if palette is None or not takes(show, lamps, palette):
            return show, None
        return give(show, lamps, given.palette)

    # what single fixtures have of their own, or what moves in them, is theirs
    if not given.values or not any_takes(show, lamps, given.values):
        return show, None
    _, _, what = given.name.partition(": ")
    made = replace(given, id="", each={}, name=_called(show, lamps, what or given.name))
    return _kept(show, _of(show, made, lamps))


def _given(name: str, family: str) -> Given:
    return Given(id="", name=name, family=family, fade_in=FADE, fade_out=FADE)


def _called(show: Show, lamps: Ref, what: str) -> str:
    return tr("{group}: {what}", group=name_of(show, lamps), what=what)


def _family(values: dict[str, Value]) -> str:
    return at.attribute(next(iter(values))).family


def _of(show: Show, made: Given, lamps: Ref) -> Given:
    if lamps.kind == GROUP:
        return replace(made, group=lamps.id)
    return replace(made, fixtures=tuple(fixtures_of(show, [lamps])))


def _kept(show: Show, made: Given) -> tuple[Show, Ref]:
    for known in show.playables.values():
        same = isinstance(known, Given) and replace(known, id="") == made
        if same:
            return show, known.ref
    made = replace(made, id=edits.fresh_id(made.name, show.playables))
    return edits.put(show, "playables", made), made.ref


def takes(show: Show, lamps: Ref, palette: Palette) -> list[str]:
    """Returns the fixtures of a group that can do something with a palette."""
    from choreon.model.pages import attributes_of, mixes

    found = []
    for fixture in fixtures_of(show, [lamps]):
        has = attributes_of(show, fixture)
        if palette.motion is not None:
            names = MOTIONS[palette.motion.kind].needs(palette.motion)
        else:
            names = tuple(links.names_in(show, palette, fixture))
        colour = any(name in at.TARGET_COLOUR for name in names) and mixes(has)
        if colour or any(name in has for name in names):
            found.append(fixture)
    return found


def any_takes(show: Show, lamps: Ref, values: Iterable[str]) -> bool:
    """Whether any of a group has any of some attributes; what mixes colours has a level
    by them.
    """
    from choreon.model.pages import attributes_of, mixes

    wanted = set(values)
    for fixture in fixtures_of(show, [lamps]):
        has = attributes_of(show, fixture)
        if has & wanted or (at.DIMMER in wanted and mixes(has)):
            return True
    return False


def palettes_for(show: Show, lamps: Ref, family: str) -> list[Palette]:
    """Returns the palettes of a family that a group can do something with."""
    return [
        palette
        for palette in show.palettes.values()
        if palette.family == family and takes(show, lamps, palette)
    ]


def families_for(show: Show, lamps: Ref) -> list[str]:
    """Returns the families of which there are palettes that a group can take."""
    families = dict.fromkeys(palette.family for palette in show.palettes.values())
    order = [*at.Family, MOTION]
    found = [family for family in families if palettes_for(show, lamps, family)]
    return sorted(found, key=lambda family: order.index(family))


def idle(show: Show, given: Given) -> str:
    """Returns why a group can do nothing with what it is given, and what is nearest;
    empty where it can.
    """
    lamps = lamps_given(given)
    palette = show.palettes.get(given.palette)
    if lamps is None or lamps.id not in show.groups:
        return ""
    there = [i for i in show.groups[lamps.id].fixtures if i in show.fixtures]
    if not there:
        return tr("{name} has no fixtures: it does nothing", name=given.name)

    if palette is not None and not takes(show, lamps, palette):
        return cannot(show, lamps, palette)
    if given.values and not any_takes(show, lamps, given.values):
        return tr("{name}: the group can do nothing of it", name=given.name)
    return ""


def cannot(show: Show, lamps: Ref, palette: Palette) -> str:
    """Says that a group can do nothing with a palette, and what is nearest."""
    group = name_of(show, lamps)
    text = tr(
        "{group} can do nothing with {palette}", group=group, palette=palette.name
    )
    near = nearest(show, lamps, palette.family)
    if not near:
        return text
    nearby = tr("of theirs there is {names}", names=in_a_row(near[:FEW]))
    return tr("{text}; {nearby}", text=text, nearby=nearby)


def nearest(show: Show, lamps: Ref, family: str) -> list[str]:
    """Returns the names of what a group can do that is nearest to what it cannot:
    palettes of the same family; else the families that it has.
    """
    own = [palette.name for palette in palettes_for(show, lamps, family)]
    return own or [term(one) for one in families_for(show, lamps)]


def lamps_given(given: Given) -> Ref | None:
    """Returns the group that is given something; None where it is single fixtures."""
    return Ref(GROUP, given.group) if given.group else None


def tidied(show: Show) -> Show:
    """A show without what groups were given by tiles that are all gone."""
    given = [one for one in show.playables.values() if isinstance(one, Given)]
    if not given:
        return show
    used = set(_played(show))
    gone = [one.id for one in given if one.ref not in used]
    return edits.drop(show, "playables", gone) if gone else show


def _played(show: Show) -> Iterator[Ref]:
    for page in show.pages.values():
        for tile in page.tiles:
            yield from tile.leads_to
    for playable in show.playables.values():
        yield from kind_of(playable).plays(playable)
    yield from (start.ref for start in show.opens)
    yield from (part.ref for part in show.safe)
    for control in show.inputs.values():
        yield control.target
    for send in show.sends.values():
        yield send.of


# tiles


def choice_of(
    show: Show, lamps: Ref, palettes: Sequence[Palette]
) -> tuple[Show, Choice]:
    """A show with palettes of a group, and the strip of which one is on at a time."""
    refs = []
    for palette in palettes:
        show, ref = give(show, lamps, palette.id)
        refs.append(ref)
    names = tuple(palette.name for palette in palettes)
    made = Choice(id="", name=name_of(show, lamps), plays=parts(*refs), names=names)
    return show, made


def pads_of(
    show: Show, lamps: Ref, palettes: Sequence[Palette]
) -> tuple[Show, tuple[Pad, ...]]:
    """The same as pads, of which one is on at a time; those of another family are on
    beside them.
    """
    made = []
    for palette in palettes:
        show, ref = give(show, lamps, palette.id)
        choice = f"{lamps} {palette.family}"
        pad = Pad(id="", name=palette.name, plays=parts(ref), choice=choice)
        made.append(pad)
    return show, tuple(made)


def group_of_tile(show: Show, tile: Tile) -> Ref | None:
    """Returns the group that a tile gives something; None where it does not."""
    for ref in tile.leads_to:
        given = given_of(show, ref)
        if given is not None and given.group:
            return Ref(GROUP, given.group)
    return None
