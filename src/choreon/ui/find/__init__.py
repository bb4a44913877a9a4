"""The find box: one line that leads to every command, lamp, group, scene, palette, page
and setting, and does what is asked of lamps.
"""

from choreon.ui.find.box import FindBox
from choreon.ui.find.search import Entry

__all__ = ["Entry", "FindBox"]
