"""Groups that are made of what hangs."""

from __future__ import annotations

from choreon.language import in_a_row, plural, tr
from choreon.model import edits
from choreon.model.arrange import Groups
from choreon.ui.parts import Parts

FEW = 6  # names that are told


def keep_groups(parts: Parts, found: Groups) -> None:
    """Make groups, as one step, and say which."""
    show = parts.document.show
    for name, ids in found:
        show, _ = edits.keep_group(show, name, ids)

    parts.document.edit(plural(len(found), "make {n} group", "make {n} groups"), show)
    names = in_a_row(name for name, _ in found[:FEW])
    parts.notices.told.emit(tr("Made: {names}.", names=names), "info")
