"""Has the frames of films made ready that canvases show: by one process after the
other, which is started again where it dies.
"""

from __future__ import annotations

import contextlib
import logging
import subprocess
import sys
import threading
import time
from collections.abc import Iterable
from pathlib import Path

from choreon.engine import logs
from choreon.formats import films
from choreon.frames_file import DONE, FAILED
from choreon.language import tr
from choreon.model.images import Image, in_use
from choreon.model.playables import Canvas
from choreon.model.playables.canvas import PictureLayer
from choreon.model.playables.nesting import contains
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.canvas.film_frames import film_of

log = logging.getLogger("choreon.engine")

EVERY = 0.25  # seconds between looks
HANGS = 20.0  # seconds without a frame after which one is ended
LATER = 5.0  # seconds after a show came until films are made ready that are not on
DEATHS = 3  # after which a film is let be until the show changes


class FilmKeeper:
    """Looks after films in a thread of its own, so that no frame waits for a disk."""

    def __init__(self) -> None:
        self._wanted: tuple[Image, ...] = ()
        self._seen: tuple[object, str, frozenset[Ref]] | None = None
        self._show: Path | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._image: Image | None = None
        self._grown = (0, 0.0)
        self._deaths: dict[str, int] = {}
        self._lost: dict[str, bool] = {}  # those that stall: whether they are nowhere
        self._since, self._urgent = time.monotonic(), False
        self._over = threading.Event()
        self._thread: threading.Thread | None = None

    def want(self, show: Show, where: str, on: Iterable[Ref] = ()) -> None:
        """The films of a show are wanted: at once where something that is `on` shows
        one, else when nothing else is to do. May be called often.
        """
        seen = (show, where, frozenset(on))
        if self._seen is not None and seen[0] is self._seen[0] and seen == self._seen:
            return
        self._seen = seen
        wanted = tuple(image for image in in_use(show) if image.is_film)
        if wanted and any(_shows_film(show, ref) for ref in seen[2]):
            self._urgent = True
        path = Path(where) if where else None
        if wanted == self._wanted and path == self._show:
            return
        urgent = self._urgent
        self._wanted, self._show = wanted, path
        self._deaths.clear()
        self._lost = {}
        self._since, self._urgent = time.monotonic(), urgent
        if wanted and self._thread is None:
            self._thread = threading.Thread(target=self._run, daemon=True)
            self._thread.start()

    def faults(self) -> list[str]:
        """Returns what is wrong, in words: films of which the last picture stands, and
        one that is on and not ready as yet.
        """
        lost = [self._fault(i) for i in self._wanted if i.key in self._lost]
        image, (ready, _) = self._image, self._grown
        if not self._urgent or self._process is None or image is None:
            return lost
        text = tr(
            "The film {name} is on and not ready: {n} frames are; what is not stands.",
            name=image.name,
            n=ready,
        )
        return [*lost, text]

    def _fault(self, image: Image) -> str:
        if self._lost.get(image.key):
            return tr(
                "The film {name} is nowhere to be found: its first picture stands.",
                name=image.name,
            )
        return tr(
            "The film {name} cannot be made ready any further: the last picture "
            "stands.",
            name=image.name,
        )

    def end(self) -> None:
        """Let it all be."""
        self._over.set()
        if self._thread is not None:
            self._thread.join(2.0)
        self._kill()

    def _run(self) -> None:
        while not self._over.wait(EVERY):
            try:
                self._look()
            except Exception:
                log.exception("films cannot be looked after just now")

    def _look(self) -> None:
        if self._process is not None:
            self._watch()
            return
        if not self._urgent and time.monotonic() - self._since < LATER:
            return
        for image in self._wanted:
            head = film_of(image).head_now()
            ready = head is not None and head.state in (DONE, FAILED)
            tried = self._deaths.get(image.key, 0) >= DEATHS
            if not (ready or tried) and self._start(image):
                return

    def _start(self, image: Image) -> bool:
        path = films.find(image, self._show)
        if path is None:
            self._deaths[image.key] = DEATHS
            self._lost = {**self._lost, image.key: True}
            log.error("The film %s is nowhere to be found.", image.name)
            return False
        self._image, self._grown = image, (0, time.monotonic())
        self._process = subprocess.Popen(
            [sys.executable, "-m", "choreon", "film", str(path), "--key", image.key],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=logs.outside(),
        )
        return True

    def _watch(self) -> None:
        """See whether it has ended, or comes to nothing."""
        assert self._process is not None
        assert self._image is not None
        code = self._process.poll()
        head = film_of(self._image).head_now()
        ready, now = 0 if head is None else head.ready, time.monotonic()
        if ready != self._grown[0]:
            self._grown = ready, now
        if code is None and now - self._grown[1] > HANGS:
            self._kill()
            code = 1
        if code is None:
            return
        if code:
            log.error(
                "Making the frames of %s ready ended (%d).", self._image.name, code
            )
            deaths = self._deaths.get(self._image.key, 0)
            self._deaths[self._image.key] = deaths + 1
            if deaths + 1 >= DEATHS or (head is not None and head.state == FAILED):
                self._lost = {**self._lost, self._image.key: False}
        self._process = None

    def _kill(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            with contextlib.suppress(OSError):
                process.kill()
                process.wait(2.0)


def _shows_film(show: Show, ref: Ref) -> bool:
    """Whether something shows a film, or plays what does."""
    return any(
        one.ref == ref or contains(show, ref, one.ref)
        for one in show.playables.values()
        if isinstance(one, Canvas) and _has_film(show, one)
    )


def _has_film(show: Show, canvas: Canvas) -> bool:
    images = (x.image for x in canvas.layers if isinstance(x, PictureLayer))
    known = (show.images.get(image) for image in images)
    return any(image is not None and image.is_film for image in known)
