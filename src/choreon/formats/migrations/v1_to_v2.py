"""Format 1 kept what had no meaning then as a channel's raw value, 0…255; it becomes
what that value means.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType

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
"""What format 1 had a meaning for already."""


def migrate(show: dict[str, Any], types: Mapping[str, FixtureType]) -> dict[str, Any]:
    """Returns the show in format 2."""
    fixtures = show.get("fixtures", {})
    scenes = {}
    for i, scene in show.get("scenes", {}).items():
        look = {
            fixture: _values(fixtures.get(fixture, {}), types, values)
            for fixture, values in scene.get("look", {}).items()
        }
        scenes[i] = {**scene, "look": look}
    return {**show, "scenes": scenes}


def _values(
    fixture: dict[str, Any], types: Mapping[str, FixtureType], values: dict[str, Any]
) -> dict[str, Any]:
    kind = types.get(fixture.get("type", ""))
    mode = kind.mode(fixture.get("mode", "")) if kind else None
    if kind is None or mode is None:
        return values
    channels = [channel for _, channel in kind.used(mode)]
    made: dict[str, Any] = {}
    for name, value in values.items():
        raw = name not in SAME_IN_ONE and isinstance(value, float | int)
        channel = _channel(channels, name) if raw else None
        if channel is None:
            made[name] = value
        else:
            made.update(_meaning(channel, float(value)))
    return made


def _channel(channels: list[Channel], name: str) -> Channel | None:
    """The channel that a name of format 1 meant: by its key, or by an attribute."""
    for channel in channels:
        if name == channel.key or any(r.attribute == name for r in channel.ranges):
            return channel
    return None


def _meaning(channel: Channel, raw: float) -> dict[str, float]:
    """The attribute and its value for a raw value 0…255; the raw value itself where it
    means nothing.
    """
    own = raw * 256.0 ** (channel.resolution - 1)
    found = channel.at(own)
    if found is None or found.attribute == at.NOTHING:
        return {f"{at.RAW}{channel.key}": raw}
    if at.attribute(found.attribute).command:
        return {f"{at.RAW}{channel.key}": raw}
    return {found.attribute: found.value_at(own)}
