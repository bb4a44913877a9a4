"""Why a slot has the value it has: every layer that touches it, lowest first, and which
one wins.
"""

from __future__ import annotations

import msgspec

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.fixture_type import Channel, Use
from choreon.model.patch import mode_of
from choreon.model.show import Fixture, Look, Show, Value
from choreon.render.channels import meanings
from choreon.render.looks import plain_values
from choreon.render.players import PlayState
from choreon.render.rig import Rig


class Layer(msgspec.Struct, frozen=True):
    """One layer: `source` in words, what it gives (attribute and value), and its
    weight, 0…1. `target` says where it is changed: `scene:ID`, `draft`, `grand`,
    `type:ID`, or nothing.
    """

    source: str
    attribute: str
    value: float | tuple[float | None, ...]
    weight: float = 1.0
    wins: bool = False
    target: str = ""


class Why(msgspec.Struct, frozen=True):
    """What stands on a slot, and the layers. `byte`: 0 for the coarse one."""

    fixture: Fixture
    channel: Channel
    use: Use
    byte: int
    layers: tuple[Layer, ...]


def on_slot(
    show: Show, universe: int, slot: int
) -> list[tuple[Fixture, Use, Channel, int]]:
    """The fixtures and channels on a slot; several where they clash."""
    found = []
    for fixture in show.fixtures.values():
        mode = mode_of(show.types, fixture)
        if fixture.universe != universe or mode is None:
            continue
        own = slot - fixture.address + 1
        for use, channel in show.types[fixture.type].used(mode):
            if own in use.slots:
                found.append((fixture, use, channel, use.slots.index(own)))
    return found


def explain(
    show: Show, rig: Rig, state: PlayState, now: float, universe: int, slot: int
) -> list[Why]:
    """Why the slot has its value: one answer for each fixture on it."""
    return [
        Why(
            fixture,
            channel,
            use,
            byte,
            tuple(_layers(show, rig, state, now, fixture, use, channel, slot)),
        )
        for fixture, use, channel, byte in on_slot(show, universe, slot)
    ]


def _layers(
    show: Show,
    rig: Rig,
    state: PlayState,
    now: float,
    fixture: Fixture,
    use: Use,
    channel: Channel,
    slot: int,
) -> list[Layer]:
    names = _names(rig, fixture, channel)
    found = [Layer("home", *_at_home(channel), target=f"type:{fixture.type}")]
    if channel.rest:
        return [
            msgspec.structs.replace(
                found[0], source="left alone: always at home", wins=True
            )
        ]
    for player in sorted(state.players, key=lambda p: (p.priority, p.order)):
        weight = player.weight_at(now)
        scene = show.scenes.get(player.scene)
        if scene is not None and weight > 0:
            source = f"scene {scene.name}"
            found += _given(
                show,
                rig,
                scene.look,
                fixture,
                names,
                use,
                source,
                weight,
                f"scene:{scene.id}",
            )
    if not state.draft.blind:
        found += _given(
            show, rig, state.draft.look, fixture, names, use, "draft", 1.0, "draft"
        )
    found = _winner(found)
    if at.DIMMER in names or _virtual(rig, fixture, names):
        if state.masters.blackout:
            found.append(Layer("blackout", at.DIMMER, 0.0, wins=True, target="grand"))
        elif state.masters.grand < 1.0:
            found.append(
                Layer("grand master", at.DIMMER, state.masters.grand, target="grand")
            )
    if (
        state.identify
        and fixture.id in state.identify.fixtures
        and now < state.identify.until
    ):
        found.append(Layer("identify: it blinks", "", 1.0, wins=True))
    for sent in state.sent:
        if (
            sent.universe == fixture.universe
            and sent.address <= slot < sent.address + len(sent.slots)
        ):
            found.append(
                Layer(
                    "sent on purpose",
                    "",
                    float(sent.slots[slot - sent.address]),
                    wins=True,
                )
            )
    last = max((i for i, layer in enumerate(found) if layer.wins), default=0)
    over = found[last].source in ("blackout", "identify: it blinks", "sent on purpose")
    return [
        msgspec.structs.replace(x, wins=x.wins and (i == last or not over))
        for i, x in enumerate(found)
    ]


def _names(rig: Rig, fixture: Fixture, channel: Channel) -> list[str]:
    """The attributes that a channel's value comes from."""
    own = meanings(channel)
    names = [f"{at.RAW}{channel.key}", *own]
    if set(own) & {*at.ALL_EMITTERS, *at.FILTERS}:
        has = rig.where.get(fixture.id, {})
        names += [n for n in at.TARGET_COLOUR if n in has]
        names += [at.DIMMER] if _virtual(rig, fixture, own) else []
    return names


def _virtual(rig: Rig, fixture: Fixture, names: list[str]) -> bool:
    """Whether the channel is dimmed by what it mixes with, for want of a dimmer."""
    emits = bool(set(names) & {*at.ALL_EMITTERS})
    return emits and any(p.virtual for p in rig.parts if p.fixture == fixture.id)


def _at_home(channel: Channel) -> tuple[str, float]:
    span = channel.at(channel.home)
    return (
        (span.attribute, span.value_at(channel.home))
        if span
        else (f"{at.RAW}{channel.key}", float(channel.home))
    )


def _given(
    show: Show,
    rig: Rig,
    look: Look,
    fixture: Fixture,
    names: list[str],
    use: Use,
    source: str,
    weight: float,
    target: str,
) -> list[Layer]:
    given = look.get(fixture.id, {})
    values = plain_values(rig, fixture.id, given, show)
    found = []
    for name in names:
        value = values.get(name)
        if isinstance(value, tuple):
            value = value[min(max(use.cell - 1, 0), len(value) - 1)] if value else None
        if value is not None and not isinstance(value, str):
            by = link_name(show, given.get(name))
            found.append(
                Layer(
                    f"{source}, {by}" if by else source,
                    name,
                    value,
                    weight,
                    False,
                    target,
                )
            )
    return found


def link_name(show: Show, value: Value | None) -> str:
    """What a link leads to, in words: “palette Moon”, “mark Cello”; empty for plain
    values.
    """
    if not isinstance(value, str):
        return ""
    if value.startswith(links.PALETTE):
        palette = show.palettes.get(value.removeprefix(links.PALETTE))
        return f"palette {palette.name}" if palette else "a palette that is gone"
    if value.startswith(links.MARK):
        mark = show.marks.get(value.removeprefix(links.MARK))
        return f"mark {mark.name}" if mark else "a mark that is gone"
    return "a point in the room"


def _winner(layers: list[Layer]) -> list[Layer]:
    """Mark who wins each attribute: the draft; among players the highest intensity, the
    latest of all else.
    """
    best: dict[str, int] = {}
    for i, layer in enumerate(layers):
        now = best.get(layer.attribute)
        if (
            now is None
            or layer.target == "draft"
            or layer.attribute != at.DIMMER
            or layers[now].source == "home"
            or _height(layer) >= _height(layers[now])
        ):
            best[layer.attribute] = i
    bare = [
        i
        for i, layer in enumerate(layers)
        if layer.attribute.startswith(at.RAW) and layer.source != "home"
    ]
    wins = {bare[-1]} if bare else set(best.values())
    if len(layers) > 1 and not bare:
        wins -= {i for i in wins if layers[i].source == "home"}
    return [
        msgspec.structs.replace(layer, wins=i in wins) for i, layer in enumerate(layers)
    ]


def _height(layer: Layer) -> float:
    value = (
        layer.value[0]
        if isinstance(layer.value, tuple) and layer.value
        else layer.value
    )
    return layer.weight * float(value if isinstance(value, float | int) else 0.0)
