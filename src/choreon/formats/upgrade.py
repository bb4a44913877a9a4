"""Shows of earlier formats, brought to the present one."""

from __future__ import annotations

from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.fixture_type import Channel
from choreon.model.patch import mode_of
from choreon.model.show import Look, Show, Value

SAME_IN_ONE = {
    at.DIMMER,
    *at.TARGET_COLOUR,
    at.AMBER,
    at.UV,
    at.PAN,
    at.TILT,
    at.SHUTTER,
    at.STROBE,
}


def from_one(show: Show) -> Show:
    """Format 1 kept what had no meaning then as a channel's bare value, 0…255; it
    becomes what that value means.
    """
    scenes = {
        i: edits.replace(scene, look=_look(show, scene.look))
        for i, scene in show.scenes.items()
    }
    return edits.replace(show, scenes=scenes)


def _look(show: Show, look: Look) -> Look:
    made: Look = {}
    for fixture_id, values in look.items():
        fixture = show.fixtures.get(fixture_id)
        kind = show.types.get(fixture.type) if fixture else None
        mode = mode_of(show.types, fixture) if fixture else None
        made[fixture_id] = {}
        for name, value in values.items():
            found: dict[str, Value] | None = None
            if (
                kind
                and mode
                and name not in SAME_IN_ONE
                and isinstance(value, float | int)
            ):
                keys = [
                    c
                    for _, c in kind.used(mode)
                    if name in (c.key, *(r.attribute for r in c.ranges))
                ]
                found = _meaning(keys[0], float(value)) if keys else None
            made[fixture_id] |= found or {name: value}
    return made


def _meaning(channel: Channel, raw: float) -> dict[str, Value]:
    """The attribute and its value for a bare value 0…255; the bare value itself where
    it means nothing.
    """
    own = raw * 256.0 ** (channel.resolution - 1)
    found = channel.at(own)
    if (
        found is None
        or found.attribute == at.NOTHING
        or at.attribute(found.attribute).command
    ):
        return {f"{at.RAW}{channel.key}": raw}
    return {found.attribute: found.value_at(own)}
