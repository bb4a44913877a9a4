"""What is wrong with a show. Every problem names the path to the wrong value."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from choreon.language import tr
from choreon.model import effects as model_effects
from choreon.model import links, motion, patch
from choreon.model.inputs import UnknownInput
from choreon.model.motion import Effects, UnknownMotion
from choreon.model.outputs import Output, UnknownOutput, troubles
from choreon.model.playables import kind_of
from choreon.model.problem import Problem
from choreon.model.refs import exists
from choreon.model.show import MAX_UNIVERSE, SLOTS, Show
from choreon.model.tiles import PlayingTile, UnknownTile
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
        if clash.first == clash.last:
            text = tr(
                "{one} and {other} both have slot {slot} of universe {universe}",
                one=other.name,
                other=one.name,
                slot=clash.first,
                universe=clash.universe,
            )
        else:
            text = tr(
                "{one} and {other} both have slots {first}–{last} of universe "
                "{universe}",
                one=other.name,
                other=one.name,
                first=clash.first,
                last=clash.last,
                universe=clash.universe,
            )
        found.append(Problem(f"fixtures/{other.id}/address", text))

    return found


def _fixtures(show: Show) -> list[Problem]:
    found = []
    for fixture in show.fixtures.values():
        path = f"fixtures/{fixture.id}"
        kind = show.types.get(fixture.type)
        if kind is None:
            text = tr(
                "the type “{type}” is unknown; {name} is kept but cannot be lit",
                type=fixture.type,
                name=fixture.name,
            )
            found.append(Problem(f"{path}/type", text))
        elif kind.mode(fixture.mode) is None:
            found.append(
                Problem(
                    f"{path}/mode",
                    tr(
                        "{label} has no mode “{mode}”",
                        label=kind.label,
                        mode=fixture.mode,
                    ),
                )
            )

        if not 1 <= fixture.universe <= MAX_UNIVERSE:
            found.append(
                Problem(
                    f"{path}/universe",
                    tr(
                        "{universe} is not within 1…{most}",
                        universe=fixture.universe,
                        most=MAX_UNIVERSE,
                    ),
                )
            )

        last = fixture.address + patch.footprint(show, fixture) - 1
        if not 1 <= fixture.address <= SLOTS:
            found.append(
                Problem(
                    f"{path}/address",
                    tr(
                        "{address} is not within 1…{slots}",
                        address=fixture.address,
                        slots=SLOTS,
                    ),
                )
            )
        elif last > SLOTS:
            found.append(
                Problem(
                    f"{path}/address",
                    tr(
                        "{name} would end on slot {last}, past {slots}",
                        name=fixture.name,
                        last=last,
                        slots=SLOTS,
                    ),
                )
            )

    return found


def _references(show: Show) -> list[Problem]:
    """Every way from one thing to another that leads nowhere."""
    found = []
    for group in show.groups.values():
        for member in group.fixtures:
            if member not in show.fixtures:
                text = tr(
                    "{member} of the group {name} does not hang",
                    member=member,
                    name=group.name,
                )
                found.append(_warning(f"groups/{group.id}/fixtures", text))

    for playable in show.playables.values():
        kind = kind_of(playable)
        found += kind.check(show, playable)
        for look in kind.looks(playable):
            path = f"playables/{playable.id}/look"
            found += _broken(show, path, playable.name, look)

        path = f"playables/{playable.id}/effects"
        found += _broken_effects(show, path, playable.name, kind.effects(playable))

    for palette in show.palettes.values():
        path = f"palettes/{palette.id}"
        found += _broken(show, path, palette.name, {"values": palette.values})
        found += _broken(show, f"{path}/each", palette.name, palette.each)

    return [*found, *_dead_controls(show), *_strangers(show)]


def _strangers(show: Show) -> Iterator[Problem]:
    """What is of kinds that are not known here, beside what plays."""
    for page in show.pages.values():
        for tile in page.tiles:
            if isinstance(tile, UnknownTile):
                path = f"pages/{page.id}/tiles/{tile.id}"
                yield _strange(
                    path, tr("a tile of {name}", name=page.name), tile.stored
                )

    for known in show.inputs.values():
        if isinstance(known, UnknownInput):
            yield _strange(f"inputs/{known.id}", tr("a control"), known.stored)

    for output in show.outputs.values():
        if isinstance(output, UnknownOutput):
            yield _strange(f"outputs/{output.id}", tr("an output"), output.stored)

    for playable in show.playables.values():
        for effect in kind_of(playable).effects(playable):
            moves = model_effects.motion_of(show, effect)
            if isinstance(moves, UnknownMotion):
                path = f"playables/{playable.id}/effects/{effect.id}"
                yield _strange(
                    path, tr("an effect of {name}", name=playable.name), moves.stored
                )


def _strange(path: str, what: str, stored: dict[str, Any]) -> Problem:
    kind = stored.get("kind", "")
    return _warning(
        path,
        tr(
            "{what} is a {kind}: this Choreon does not know it; it is kept",
            what=what,
            kind=kind,
        ),
    )


def _dead_controls(show: Show) -> Iterator[Problem]:
    """Tiles and controls that act on what is gone."""
    for page in show.pages.values():
        for tile in page.tiles:
            for ref in tile.leads_to:
                if not exists(show, ref):
                    path = f"pages/{page.id}/tiles/{tile.id}"
                    text = (
                        tr(
                            "what a tile of {page} plays is gone ({ref})",
                            page=page.name,
                            ref=ref,
                        )
                        if isinstance(tile, PlayingTile)
                        else tr(
                            "what a tile of {page} acts on is gone ({ref})",
                            page=page.name,
                            ref=ref,
                        )
                    )
                    yield _warning(path, text)

    yield from _dead_masters(show)
    for known in show.inputs.values():
        if not isinstance(known, UnknownInput) and not exists(show, known.target):
            path = f"inputs/{known.id}/target"
            text = tr("what a control acts on is gone ({target})", target=known.target)
            yield _warning(path, text)


def _dead_masters(show: Show) -> Iterator[Problem]:
    """Masters over what is gone, and what would be brought on and is gone."""
    for master in show.masters.values():
        for ref in (*getattr(master, "over", ()), *getattr(master, "exempt", ())):
            if not exists(show, ref):
                text = tr(
                    "what {name} is over is gone ({ref})", name=master.name, ref=ref
                )
                yield _warning(f"masters/{master.id}", text)

    for start in show.opens:
        if not exists(show, start.ref):
            text = tr(
                "what is to be on when the show opens is gone ({ref})", ref=start.ref
            )
            yield _warning("opens", text)

    for part in show.safe:
        if not exists(show, part.ref):
            yield _warning("safe", tr("the safe look is gone ({ref})", ref=part.ref))


def _warning(path: str, text: str) -> Problem:
    return Problem(path, text, "warning")


def _broken(show: Show, path: str, name: str, look: Look) -> list[Problem]:
    """The links of a look that lead nowhere; what they stand for stays as it is."""
    found: dict[str, Problem] = {}
    for owner, values in look.items():
        for attribute, value in values.items():
            if not isinstance(value, str) or value in found:
                continue
            if not _leads(show, value):
                text = tr(
                    "“{value}” in {name} leads nowhere; it is kept, gives nothing",
                    value=value,
                    name=name,
                )
                found[value] = _warning(f"{path}/{owner}/{attribute}", text)
    return list(found.values())


def _broken_effects(
    show: Show, path: str, name: str, effects: Effects
) -> Iterator[Problem]:
    """Effects that follow what is gone, or move nobody."""
    for link in dict.fromkeys(model_effects.links_in(effects)):
        what, _, target = link.partition(":")
        there = target in show.groups if what == "group" else _leads(show, link)
        if not there:
            text = tr(
                "“{link}” in an effect of {name} leads nowhere; it is kept",
                link=link,
                name=name,
            )
            yield _warning(path, text)

    for effect in effects:
        if not model_effects.fixtures_of(show, effect):
            called = motion.title(model_effects.motion_of(show, effect))
            text = tr(
                "the {called} of {name} moves no fixture; it is kept",
                called=called,
                name=name,
            )
            yield _warning(f"{path}/{effect.id}", text)


def _leads(show: Show, link: str) -> bool:
    what, _, target = link.partition(":")
    if what == "palette":
        return target in show.palettes
    return links.point_of(show, link) is not None


def goes(output: Output, universe: int) -> bool:
    """Whether an output sends a universe."""
    return output.on and (not output.universes or universe in output.universes)


def sent_nowhere(show: Show) -> list[int]:
    """The universes in use that no output sends; what cannot send is not counted."""
    able = [output for output in show.outputs.values() if not troubles(output)]
    return [
        universe
        for universe in patch.universes(show)
        if not any(goes(output, universe) for output in able)
    ]


def _unsent(show: Show) -> list[Problem]:
    return [
        Problem(
            f"outputs/{u}",
            tr("universe {u} is sent nowhere; its fixtures stay dark", u=u),
            "warning",
        )
        for u in sent_nowhere(show)
    ]
