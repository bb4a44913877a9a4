"""Shows of earlier formats, brought to the present one as plain dicts, before anything
is decoded into today's types. One file a step.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from choreon.formats.migrations import (
    v1_to_v2,
    v2_to_v3,
    v3_to_v4,
    v4_to_v5,
    v5_to_v6,
)
from choreon.model.fixture_type import FixtureType

Document = dict[str, Any]
"""The `show` of a `show.json`, as it was read."""

Step = Callable[[Document, Mapping[str, FixtureType]], Document]

STEPS: dict[int, Step] = {
    1: v1_to_v2.migrate,
    2: v2_to_v3.migrate,
    3: v3_to_v4.migrate,
    4: v4_to_v5.migrate,
    5: v5_to_v6.migrate,
}
"""Format → what brings a show of it to the next one."""

FORMAT = max(STEPS) + 1


def migrated(
    show: Document, from_format: int, types: Mapping[str, FixtureType]
) -> Document:
    """Returns the show in the present format. `types`: the fixture types in
    the file.
    """
    for number in range(max(1, from_format), FORMAT):
        show = STEPS[number](show, types)
    return show
