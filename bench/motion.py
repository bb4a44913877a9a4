"""What moves: the frame with effects, a long chase in the window, the tray of motions,
and an effect on its way to the wire.
"""

from __future__ import annotations

import random
import resource
import statistics
import time

from bench.frames import Frames, big_show, reference, state_of
from bench.room import room
from choreon.model import attributes as at
from choreon.model import chases, edits
from choreon.model.motion import (
    By,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Path,
    Rate,
    Shape,
    Spread,
    Wave,
)
from choreon.model.playables import Scene
from choreon.model.playables.chase import ChaseStep
from choreon.model.show import Show
from choreon.render.state import Going, Player, PlayState, Step

EFFECTS, LAMPS, HEADS = 32, 300, 60
GOALS = {16: 2.4, 64: 6.0}  # milliseconds a frame


def with_effects(show: Show, state: PlayState) -> tuple[Show, PlayState]:
    """And 32 effects in eight scenes, each over its eighth of 300 lamps and of 60 heads
    in the room: three on its lamps, one on its heads.
    """
    dice = random.Random(11)
    spots = [f.id for f in show.fixtures.values() if "spot" in f.type][:HEADS]
    lamps = [f.id for f in show.fixtures.values() if "spot" not in f.type][:LAMPS]
    players = list(state.players)
    for scene in range(8):
        effects = []
        for n in range(EFFECTS // 8):
            who = (spots if n == 3 else lamps)[scene::8]
            effects.append(_effect(dice, f"e{n}", n, who))
        made = Scene(id=f"m{scene}", name="M", look={}, effects=tuple(effects))
        show = edits.put(show, "playables", made)
        step = Step(ref=made.ref, cursor=Going())
        players.append(Player(f"m{scene}", "", (step,), order=1000 + scene))
    return show, edits.replace(state, players=tuple(players))


def _effect(dice: random.Random, effect_id: str, n: int, who: list[str]) -> Effect:
    rate = Rate(seconds=dice.uniform(2, 9))
    if n == 0:
        motion: Wave | ColourRoll | Path = Wave(
            rate=rate, shape=dice.choice(list(Shape))
        )
    elif n == 1:
        motion = Wave(rate=rate, mode=EffectMode.SCALES, low=0.3)
    elif n == 2:
        stops = (ColourStop((1, 0, 0)), ColourStop((0, 0.5, 1)), ColourStop((1, 1, 0)))
        motion = ColourRoll(stops=stops, rate=rate)
    else:
        motion = Path(in_room=True, size=2.0, rate=rate, spread=Spread())
    return Effect(id=effect_id, motion=motion, fixtures=tuple(who), by=By.FIXTURES)


def frames() -> None:
    for universes in (16, 64):
        show, state = big_show(universes), state_of(100, 10, 0.0)
        plain = Frames(show, state, 0.0)
        moving = Frames(*with_effects(show, state), 0.0)
        for _ in range(150):
            plain.next()
            moving.next()
        median, worst = moving.close()
        without, _ = plain.close()
        what = f"frame, {universes} universes, 10 of 100 fading, 32 effects"
        print(
            f"{what:56}{median:6.2f} ms median{worst:7.2f} ms 95 %, {without:.2f} "
            f"without  (goal ≤ {GOALS[universes]:g}; reference {reference():.2f})"
        )


def to_the_wire() -> None:
    """An effect put into the draft, until a packet shows it, in frame periods."""
    from choreon.engine import client as engine_client
    from choreon.engine import protocol
    from choreon.engine.clock import PERIOD

    with room() as here:
        process = engine_client.start_engine(here.path)
        client = engine_client.connect(10.0)
        client.wait_for(protocol.Welcome)
        time.sleep(1.5)
        took = []
        for n in range(12):
            here.drain()
            wave = Wave(low=1.0, high=1.0)
            effect = Effect(id=f"e{n}", motion=wave, fixtures=("par-1",))
            begin = time.monotonic()
            client.send(protocol.SetEffects(effects=(effect,)))
            while True:
                when, packet = here.packet()
                if packet.universe == 1 and packet.slots[10] > 200:
                    took.append((when - begin) / PERIOD)
                    break
            client.send(protocol.ClearDraft(seconds=0.0))
            time.sleep(0.3)
        client.send(protocol.Stop(0.0))
        client.close()
        process.wait(5)
    print(
        f"effect added → on the wire: {statistics.median(took):.2f} periods, at worst "
        f"{max(took):.2f}  (goal: the next frame, 1)"
    )


def in_the_window() -> None:
    """A chase of 2,000 steps opened and scrolled; a tray of moving motions."""
    with room() as here:
        from PySide6.QtWidgets import QApplication

        from choreon.formats import showfile
        from choreon.ui import theme
        from choreon.ui.app import App, load
        from choreon.ui.screenshots import settle, wait_until

        app = QApplication.instance() or QApplication(["bench"])
        assert isinstance(app, QApplication)
        theme.apply(app)
        show = showfile.read(here.path)
        dice = random.Random(4)
        pars = [f.id for f in show.fixtures.values() if f.id.startswith("par")]
        steps = [
            ChaseStep(id=f"s{n}", look={dice.choice(pars): {at.DIMMER: 1.0}})
            for n in range(2000)
        ]
        show, ref = chases.keep_chase(show, "Long", steps)
        showfile.write(here.path, show)
        holder = App(load(here.path), None)
        window = holder.window
        window.resize(1280, 800)
        window.show()
        wait_until(lambda: window.parts.engine.alive)
        window.go("compose")
        settle(1.5)
        begin = time.perf_counter()
        window.compose.open_chase(ref)
        app.processEvents()
        opened = 1000 * (time.perf_counter() - begin)
        strip, took = window.compose.steps.strip, []
        for n in range(60):
            begin = time.perf_counter()
            strip.horizontalScrollBar().setValue(n * 120)
            strip.viewport().repaint()
            took.append(1000 * (time.perf_counter() - begin))
            app.processEvents()
        print(f"2,000 steps open in {opened:.0f} ms  (goal ≤ 100)")
        print(
            f"and scroll in {statistics.median(took):.1f} ms a picture, "
            f"{sorted(took)[57]:.1f} ms 95 %  (goal ≤ 33)"
        )
        window.compose.steps.close_it()
        window.parts.selection.choose(pars)
        idle = _share(settle)
        window.compose.shelf.show_kind("motions")
        settle(0.5)
        moving = _share(settle)
        print(
            f"a tray of moving motions: {100 * (moving - idle):.1f} % of a core more "
            f"than {100 * idle:.1f}  (goal ≤ 15)"
        )
        window.finish(stop=True, fade=0.0)
        window.close()
        settle(0.3)


def _share(settle) -> float:  # type: ignore[no-untyped-def]
    """The part of a core that this process uses over three seconds."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    begin = time.monotonic()
    settle(3.0)
    now = resource.getrusage(resource.RUSAGE_SELF)
    spent = now.ru_utime + now.ru_stime - used.ru_utime - used.ru_stime
    return spent / (time.monotonic() - begin)


def main() -> None:
    frames()
    to_the_wire()
    in_the_window()
