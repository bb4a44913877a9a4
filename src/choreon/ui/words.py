"""How values, attributes and drafts are put into words."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from choreon.language import facts, in_a_row, listed, plural, tr, tr_about
from choreon.model import attributes as at
from choreon.model.colours import hex_of
from choreon.model.motion import EffectMode, Effects
from choreon.model.refs import WALK, Ref, exists, name_of
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.explain import link_name
from choreon.terms import term

ORDER = list(at.Family)
PALETTES = {
    at.Family.INTENSITY: tr("an intensity palette"),
    at.Family.COLOUR: tr("a colour palette"),
    at.Family.POSITION: tr("a position palette"),
    at.Family.BEAM: tr("a beam palette"),
}
COVERS = {
    EffectMode.SCALES: tr("nothing, it scales"),
    EffectMode.ADDS: tr("nothing, it adds"),
}
WALKS = {"next": tr("Walk: next fixture"), "back": tr("Walk: fixture before")}


def families(look: Look) -> list[at.Family]:
    """The families a look touches, in their usual order."""
    found = {at.attribute(name).family for values in look.values() for name in values}
    return [family for family in ORDER if family in found]


def summary(look: Look, effects: Effects = ()) -> str:
    """“6 fixtures · intensity, colour · 2 effects”."""
    parts = []
    if look or not effects:
        parts.append(plural(len(look), "{n} fixture", "{n} fixtures"))
        parts.append(in_a_row(term(family) for family in families(look)))
    if effects:
        parts.append(plural(len(effects), "{n} effect", "{n} effects"))
    return facts(*parts)


def not_alike(show: Show, fixtures: Sequence[str]) -> str:
    """What is told of fixtures that a captured scene would not light as they are lit;
    empty where there are none.
    """
    if not fixtures:
        return ""
    names = some([show.fixtures[i].name for i in fixtures], 4)
    return tr(
        "▲ {names}: what moves there cannot be kept in one scene just as it goes "
        "on now. It is kept as near as it can be.",
        names=names,
    )


def number(name: str, value: float) -> str:
    """One value in its attribute's unit."""
    known = at.attribute(name)
    if name.startswith(at.RAW):
        return tr("DMX {value:.0f}", value=value)
    if name == at.SHUTTER:
        if value >= 0.5:
            return tr_about("a shutter", "open")
        return tr_about("a shutter", "closed")

    if known.unit == "%":
        return tr("{value:.0f} %", value=100 * value)
    if known.unit == "°":
        return tr("{value:.1f}°", value=value)
    if known.unit:
        return tr("{value:.1f} {unit}", value=value, unit=known.unit)
    return (
        tr("{value:.0f}", value=value)
        if known.snap or known.high > 1
        else tr("{value:.2f}", value=value)
    )


def value(name: str, given: Value, show: Show | None = None) -> str:
    """A value, the span of a tuple of them, one per cell, or what a link leads to."""
    if isinstance(given, str):
        return link_name(show, given) if show is not None else tr("linked")
    if isinstance(given, tuple):
        cells = [v for v in given if v is not None]
        low, high = min(cells, default=0.0), max(cells, default=0.0)
        return (
            number(name, low)
            if low == high
            else tr(
                "{number} … {high}",
                number=number(name, low),
                high=number(name, high),
            )
        )

    return number(name, given)


def lines(look: Look) -> list[tuple[str, str, tuple[str, ...]]]:
    """The look line by line: fixture, label, and the attributes it stands for. A target
    colour is one line.
    """
    found = []
    for fixture, values in look.items():
        names = list(values)
        if any(n in at.TARGET_COLOUR for n in names):
            found.append(
                (
                    fixture,
                    tr("Colour"),
                    tuple(n for n in names if n in at.TARGET_COLOUR),
                )
            )
            names = [n for n in names if n not in at.TARGET_COLOUR]
        found += [(fixture, at.attribute(n).label, (n,)) for n in names]
    return found


def hex_colour(rgb: Iterable[float]) -> str:
    """Linear light as #RRGGBB."""
    r, g, b = (float(v) for v in rgb)
    return hex_of((r, g, b))


def some(names: Iterable[str], most: int = 3) -> str:
    """“Front 1, Front 2 and 4 more”."""
    return listed(names, most)


def fixtures_named(show: Show, ids: Iterable[str]) -> str:
    """“Front 1, Front 2 and 4 more”; “nobody” where there are none."""
    names = [show.fixtures[i].name for i in ids if i in show.fixtures]
    return some(names) or tr("nobody")


def target_name(show: Show, target: Ref) -> str:
    """Returns what a control's target is called."""
    if target.kind == WALK:
        return WALKS.get(target.id, tr("Walk"))
    return name_of(show, target) if exists(show, target) else tr("gone")
