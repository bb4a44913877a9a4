"""A way in without devices: what is moved is said by the test."""

from __future__ import annotations

import contextlib
import threading
from pathlib import Path

from choreon.engine import actions
from choreon.engine.do import Do
from choreon.engine.inputs import InputDevice, Surroundings
from choreon.engine.inputs.asking import ControlMove
from choreon.model.inputs import Control
from choreon.model.show import Show
from choreon.render.state import PlayState
from tests import play


class Desk(InputDevice):
    """A device of which each move is a call; `frame` does what was asked since."""

    kind, lit_every = "midi", 0.0
    thread, beat = threading.current_thread(), 0.0

    def __init__(self, show: Show, state: PlayState | None = None) -> None:
        self.now_show, self.state = show, state or play.blank()
        self.now = 0.0
        self.asked: list[tuple[list[Do], object, str]] = []
        self.told: list[ControlMove] = []
        self.lit: dict[Control, object] = {}
        super().__init__(
            Surroundings(
                asked=lambda dos, resolve, hand: self.asked.append(
                    (dos, resolve, hand)
                ),
                newest=lambda: self.now_show,
                moved=self.told.append,
                ports_changed=lambda kind, ports, trouble: None,
                gone=lambda hand: None,
                folder=Path("."),
            )
        )

    def move(self, control: Control, value: float) -> None:
        """Move a control to 0…1."""
        self.moved(ControlMove(control, value))

    def frame(self, seconds: float = 0.025) -> list[Do]:
        """Do what was asked since the last frame; returns it."""
        done: list[Do] = []
        waiting, self.asked = self.asked, []
        for _, resolve, hand in waiting:
            for do in resolve(self.now_show, self.state):
                with contextlib.suppress(actions.NotTaken):  # as the engine does
                    self.state = actions.perform(
                        self.now_show, self.state, do, self.now, None, hand
                    )
                done.append(do)
        self.now += seconds
        self.follow(self.now_show, self.state)
        return done

    def show(self, lights) -> None:
        self.lit = lights

    def abandon(self) -> None:
        pass

    def close(self) -> None:
        pass


class Stage:
    """A way in with real ports, whose asking is done at once; what it told."""

    def __init__(self, show: Show) -> None:
        self.show, self.state = show, play.blank()
        self.told: list[ControlMove] = []
        self.ports: list[tuple[dict[str, bool], str]] = []

    def surroundings(self, folder: Path) -> Surroundings:
        return Surroundings(
            asked=self._asked,
            newest=lambda: self.show,
            moved=self.told.append,
            ports_changed=lambda kind, ports, trouble: self.ports.append(
                (ports, trouble)
            ),
            gone=lambda hand: None,
            folder=folder,
            real=False,
        )

    def _asked(self, likely, resolve, hand) -> None:
        for do in resolve(self.show, self.state):
            self.state = actions.perform(self.show, self.state, do, 0.0)
