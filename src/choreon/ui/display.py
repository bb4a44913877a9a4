"""Where windows are drawn: on the screen there is, or, without one, where nobody sees
them.
"""

from __future__ import annotations

import os
import sys

from choreon.language import tr


def find() -> None:
    """Have Qt draw off the screen where there is no screen; to be called before the
    application is made.
    """
    if not any(
        os.environ.get(name)
        for name in ("QT_QPA_PLATFORM", "DISPLAY", "WAYLAND_DISPLAY")
    ):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        print(
            tr(
                "There is no screen here; the window is drawn where nobody sees it, "
                "and all else runs."
            ),
            file=sys.stderr,
        )
