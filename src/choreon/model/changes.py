"""What differs between two shows, as a message small enough to send on every edit."""

from __future__ import annotations

from typing import Any

import msgspec

from choreon.language import tr
from choreon.model.show import COLLECTIONS, SINGLE, Show

replace = msgspec.structs.replace


class Change(msgspec.Struct, frozen=True):
    """For one collection: objects to put (encoded), ids to drop, and all ids in order
    where the order changed.
    """

    collection: str
    put: tuple[msgspec.Raw, ...] = ()
    drop: tuple[str, ...] = ()
    order: tuple[str, ...] = ()


class Delta(msgspec.Struct, frozen=True):
    """All that leads from one show to another. `fields`: what is no collection and is
    another one now, encoded.
    """

    fields: dict[str, msgspec.Raw] = {}
    changes: tuple[Change, ...] = ()


_encode = msgspec.msgpack.encode


def difference(old: Show, new: Show) -> Delta:
    """Returns what leads from `old` to `new`. Objects that are the same object are not
    looked into.
    """
    changes = []
    for name in COLLECTIONS:
        before, after = getattr(old, name), getattr(new, name)
        if before is not after:
            changes.append(_change(name, before, after))

    fields = {
        name: msgspec.Raw(_encode(getattr(new, name)))
        for name in SINGLE
        if getattr(old, name) is not getattr(new, name)
    }
    return Delta(fields, tuple(changes))


def _change(name: str, before: dict[str, Any], after: dict[str, Any]) -> Change:
    """What leads from one state of a collection to the next."""
    put = tuple(
        msgspec.Raw(_encode(value))
        for key, value in after.items()
        if before.get(key) is not value
    )
    drop = tuple(key for key in before if key not in after)
    stayed = [key for key in before if key in after]
    added = [key for key in after if key not in before]
    moved = [*stayed, *added] != list(after)
    return Change(name, put, drop, tuple(after) if moved else ())


def apply(show: Show, delta: Delta) -> Show:
    """The show with `delta` applied. Raises msgspec.ValidationError where an object
    does not fit.
    """
    fields: dict[str, Any] = {}
    for name, raw in delta.fields.items():
        if name not in SINGLE:
            raise msgspec.ValidationError(tr("a show has no “{name}”", name=name))

        fields[name] = msgspec.msgpack.decode(raw, type=SINGLE[name])

    for change in delta.changes:
        if change.collection not in COLLECTIONS:
            raise msgspec.ValidationError(
                tr(
                    "there is no collection “{collection}”",
                    collection=change.collection,
                )
            )

        items = dict(getattr(show, change.collection))
        for raw in change.put:
            item = msgspec.msgpack.decode(raw, type=COLLECTIONS[change.collection])
            items[item.id] = item

        for gone in change.drop:
            items.pop(gone, None)

        if change.order:
            items = {k: items[k] for k in change.order if k in items} | items

        fields[change.collection] = items

    return replace(show, **fields)


def shared(old: Show, new: Show) -> Show:
    """`new` with every object that equals its like in `old` taken from there: what
    changed is found by identity.
    """
    fields: dict[str, Any] = {}
    for name in COLLECTIONS:
        before, after = getattr(old, name), getattr(new, name)
        if before == after and list(before) == list(after):
            fields[name] = before
        else:
            fields[name] = {
                k: before[k] if before.get(k) == v else v for k, v in after.items()
            }

    for name in SINGLE:
        before, after = getattr(old, name), getattr(new, name)
        fields[name] = before if before == after else after

    return replace(new, **fields)
