"""Looks that every light knows: resting at home, and opened up."""

from __future__ import annotations

from choreon.model import attributes as at
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Fixture
from choreon.model.values import Value
from choreon.render.rig import Rig

Values = dict[str, Value]


def home(rig: Rig, fixture: str) -> Values:
    """Everything at its home; no light."""
    values: Values = {}
    for name, places in rig.where.get(fixture, {}).items():
        values[name] = (
            1.0 if name in at.TARGET_COLOUR else float(rig.home[places[0][1]])
        )
    return values


def opened(rig: Rig, kind: FixtureType, fixture: Fixture) -> Values:
    """Shining: intensity full, shutter open, whatever the type says opens it; the rest
    at home.
    """
    values = home(rig, fixture.id)
    for name in values:
        if name == at.DIMMER or (
            name.startswith("Shutter") and at.attribute(name).kind == "slot"
        ):
            values[name] = 1.0

    mode = kind.mode(fixture.mode)
    for _, channel in kind.used(mode) if mode else ():
        if (
            channel.open is not None
            and (span := channel.at(channel.open)) is not None
            and span.attribute in values
        ):
            values[span.attribute] = span.value_at(channel.open)

    return values
