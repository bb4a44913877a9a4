"""Reads a show of made-up kinds that was written without them, and says what of it is
not as it was made. Prints JSON.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

import tests.seams.made_up as made_up
from choreon.formats import showfile
from tests.seams.evening import made_show

if __name__ == "__main__":
    path = Path(sys.argv[1])
    now, before = showfile.read(path), made_show(path.parent / "ledger")
    changed = [
        name
        for name in before.__struct_fields__
        if getattr(now, name) != getattr(before, name)
    ]
    bell = now.tile("beacon")[1]
    assert isinstance(bell, made_up.BellPull)
    print(json.dumps({"changed": changed, "name": bell.name, "rope": bell.rope}))
