"""What is wrong with a show. Every problem names the path to the wrong value."""

from __future__ import annotations

from choreon.model import links, patch
from choreon.model.outputs import Output
from choreon.model.playables import kind_of
from choreon.model.problem import Problem
from choreon.model.refs import exists
from choreon.model.show import MAX_UNIVERSE, SLOTS, Show
from choreon.model.type_checks import check_type, errors
from choreon.model.values import Look


def check(show: Show) -> list[Problem]:
    """Every problem of the show, the fixture types first."""
    return check_rig(show) + _references(show) + _unsent(show)


def check_rig(show: Show) -> list[Problem]:
    """Every problem of the types in use, of fixtures and of their addresses; what is
    programmed is not looked at.
    """
    used = {fixture.type for fixture in show.fixtures.values()}
    found = [
        p
        for kind in show.types.values()
        if kind.id in used
        for p in errors(check_type(kind))
    ]
    found += _fixtures(show)
    for clash in patch.clashes(show):
        one, other = show.fixtures[clash.one], show.fixtures[clash.other]
        slots = (
            f"slot {clash.first}"
            if clash.first == clash.last
            else f"slots {clash.first}–{clash.last}"
        )
        text = (
            f"{other.name} and {one.name} both have {slots} of universe "
            f"{clash.universe}"
        )
        found.append(Problem(f"fixtures/{other.id}/address", text))
    return found


def _fixtures(show: Show) -> list[Problem]:
    found = []
    for fixture in show.fixtures.values():
        path = f"fixtures/{fixture.id}"
        kind = show.types.get(fixture.type)
        if kind is None:
            text = (
                f"the type “{fixture.type}” is unknown; {fixture.name} is kept "
                "but cannot be lit"
            )
            found.append(Problem(f"{path}/type", text))
        elif kind.mode(fixture.mode) is None:
            found.append(
                Problem(f"{path}/mode", f"{kind.label} has no mode “{fixture.mode}”")
            )
        if not 1 <= fixture.universe <= MAX_UNIVERSE:
            found.append(
                Problem(
                    f"{path}/universe",
                    f"{fixture.universe} is not within 1…{MAX_UNIVERSE}",
                )
            )
        last = fixture.address + patch.footprint(show, fixture) - 1
        if not 1 <= fixture.address <= SLOTS:
            found.append(
                Problem(f"{path}/address", f"{fixture.address} is not within 1…{SLOTS}")
            )
        elif last > SLOTS:
            found.append(
                Problem(
                    f"{path}/address",
                    f"{fixture.name} would end on slot {last}, past {SLOTS}",
                )
            )
    return found


def _references(show: Show) -> list[Problem]:
    found = []
    for group in show.groups.values():
        for member in group.fixtures:
            if member not in show.fixtures:
                found.append(
                    Problem(
                        f"groups/{group.id}/fixtures",
                        f"{member} does not hang",
                        "warning",
                    )
                )
    for playable in show.playables.values():
        kind = kind_of(playable)
        found += kind.check(show, playable)
        for look in kind.looks(playable):
            found += _broken(show, f"playables/{playable.id}/look", look)
    for palette in show.palettes.values():
        found += _broken(show, f"palettes/{palette.id}", {"values": palette.values})
        found += _broken(show, f"palettes/{palette.id}/each", palette.each)
    for page in show.pages.values():
        for tile in page.tiles:
            if not exists(show, tile.plays):
                path = f"pages/{page.id}/tiles/{tile.id}/plays"
                found.append(Problem(path, "what it plays is gone", "warning"))
    for known in show.inputs.values():
        if not exists(show, known.target):
            path = f"inputs/{known.id}/target"
            found.append(Problem(path, "what it acts on is gone", "warning"))
    return found


def _broken(show: Show, path: str, look: Look) -> list[Problem]:
    """The links of a look that lead nowhere; what they stand for stays as it is."""
    found = []
    for owner, values in look.items():
        for name, value in values.items():
            if not isinstance(value, str):
                continue
            what, _, target = value.partition(":")
            there = (
                target in show.palettes
                if what == "palette"
                else links.point_of(show, value) is not None
            )
            if not there:
                text = f"“{value}” leads nowhere; it is kept and gives nothing"
                found.append(Problem(f"{path}/{owner}/{name}", text, "warning"))
    return found


def goes(output: Output, universe: int) -> bool:
    """Whether an output sends a universe."""
    return output.on and (not output.universes or universe in output.universes)


def sent_nowhere(show: Show) -> list[int]:
    """The universes in use that no output sends."""
    return [
        u
        for u in patch.universes(show)
        if not any(goes(o, u) for o in show.outputs.values())
    ]


def _unsent(show: Show) -> list[Problem]:
    return [
        Problem(
            f"outputs/{u}",
            f"universe {u} is sent nowhere; its lamps stay dark",
            "warning",
        )
        for u in sent_nowhere(show)
    ]
