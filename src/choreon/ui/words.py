"""How values, attributes and drafts are put into words."""

from __future__ import annotations

from collections.abc import Iterable

from choreon.model import attributes as at
from choreon.model.show import Look, Show
from choreon.render.colour import to_screen

ORDER = list(at.Family)


def families(look: Look) -> list[at.Family]:
    """The families a look touches, in their usual order."""
    found = {at.attribute(name).family for values in look.values() for name in values}
    return [family for family in ORDER if family in found]


def summary(look: Look) -> str:
    """“6 fixtures · intensity, colour”."""
    count = len(look)
    return f"{count} fixture{'' if count == 1 else 's'} · {', '.join(families(look))}"


def number(name: str, value: float) -> str:
    """One value in its attribute's unit."""
    known = at.attribute(name)
    if name == at.SHUTTER:
        return "open" if value >= 0.5 else "closed"
    if known.unit == "%":
        return f"{100 * value:.0f} %"
    if known.unit == "°":
        return f"{value:.1f}°"
    if known.unit:
        return f"{value:.1f} {known.unit}"
    return f"{value:.0f}"


def value(name: str, given: float | tuple[float, ...]) -> str:
    """A value, or the span of a tuple of them, one per cell."""
    if isinstance(given, tuple):
        low, high = min(given, default=0.0), max(given, default=0.0)
        return number(name, low) if low == high else f"{number(name, low)} … {number(name, high)}"
    return number(name, given)


def lines(look: Look) -> list[tuple[str, str, tuple[str, ...]]]:
    """The look line by line: fixture, label, and the attributes it stands for. A target colour is one line."""
    found = []
    for fixture, values in look.items():
        names = list(values)
        if any(n in at.TARGET_COLOUR for n in names):
            found.append((fixture, "Colour", tuple(n for n in names if n in at.TARGET_COLOUR)))
            names = [n for n in names if n not in at.TARGET_COLOUR]
        found += [(fixture, at.attribute(n).label, (n,)) for n in names]
    return found


def hex_colour(rgb: Iterable[float]) -> str:
    """Linear light as #RRGGBB."""
    return "#" + "".join(f"{round(255 * float(v)):02X}" for v in to_screen(list(rgb)))


def some(names: list[str], most: int = 3) -> str:
    """“Front 1, Front 2 and 4 more”."""
    if len(names) <= most:
        return ", ".join(names[:-1]) + " and " + names[-1] if len(names) > 1 else "".join(names)
    return f"{', '.join(names[:most])} and {len(names) - most} more"


def target_name(show: Show, target: str) -> str:
    """What a control's target is called."""
    if target in ("grand", "blackout"):
        return {"grand": "Grand master", "blackout": "Blackout"}[target]
    found = show.tile(target.removeprefix("tile:"))
    if found is None:
        return "gone"
    scene = show.scenes.get(found[1].scene)
    return found[1].name or (scene.name if scene else "empty")
