"""The one message to act: from tiles, keys, controllers, whatever has hands."""

from __future__ import annotations

import msgspec

from choreon.model.numbers import Number
from choreon.model.refs import Ref
from choreon.model.verbs import Edge, Verb


class Do(msgspec.Struct, frozen=True, tag_field="t", tag="do"):
    """Do something to what `ref` points at. `value` 0…1, where the verb takes one."""

    ref: Ref
    verb: Verb
    value: Number = 1.0
    edge: Edge = Edge.DOWN
