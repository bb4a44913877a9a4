"""The page *By groups*: what pars, spot heads and wash heads can do, laid out from the
rig, to play without a scene.
"""

from __future__ import annotations

from choreon.language import tr
from choreon.model import edits
from choreon.model.refs import GROUP, Ref
from choreon.model.rig_page import Wanted, page_from_rig
from choreon.model.show import Show
from choreon.model.tiles import Page

PAGE = "by-groups"
GROUPS = ("pars", "spots", "washes")


def with_groups_played(show: Show) -> Show:
    """Returns the show with the page; its pictures change in the dark."""
    page = Page(id=PAGE, name=tr("By groups"))
    show = edits.put(show, "pages", page)
    groups = tuple(Ref(GROUP, group) for group in GROUPS)
    return page_from_rig(show, PAGE, Wanted(groups=groups, dark=True))
