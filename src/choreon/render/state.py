"""What is playing: plain values that, with a time, say all that render needs.

Times are monotonic seconds.
"""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping
from types import MappingProxyType
from typing import NamedTuple, Self

import msgspec

from choreon.model.attributes import Family
from choreon.model.inputs import Merge
from choreon.model.motion import Effects
from choreon.model.numbers import Count, Number
from choreon.model.playables import Priority
from choreon.model.refs import Ref
from choreon.model.values import Look

replace = msgspec.structs.replace


class Ramp(msgspec.Struct, frozen=True):
    """From `start` to `end`, beginning at time `begin`, taking `seconds`."""

    start: Number = 1.0
    end: Number = 1.0
    begin: Number = 0.0
    seconds: Number = 0.0

    def at(self, now: float) -> float:
        """Returns the value at time `now`."""
        if now >= self.begin + self.seconds:
            return self.end
        if now <= self.begin:
            return self.start
        elapsed = now - self.begin
        return self.start + (self.end - self.start) * elapsed / self.seconds

    @property
    def until(self) -> float:
        """When it is at its end."""
        return self.begin + self.seconds

    def done(self, now: float) -> bool:
        """Returns whether it is at its end."""
        return now >= self.begin + self.seconds

    def shifted(self, seconds: float) -> Ramp:
        """Returns the same ramp that many seconds later."""
        return replace(self, begin=self.begin + seconds)

    def stretched(self, factor: float, now: float) -> Ramp:
        """Returns the ramp from where it is at time `now`, with what is left of it, or
        of the wait before it, so many times as long.
        """
        if self.done(now):
            return self
        if now <= self.begin:
            begin = now + (self.begin - now) * factor
            return Ramp(self.start, self.end, begin, self.seconds * factor)
        return Ramp(self.at(now), self.end, now, (self.until - now) * factor)


FULL = Ramp()


class Envelope(msgspec.Struct, frozen=True):
    """How far something is there, 0…1: one ramp for all families but those that have
    one of their own.
    """

    main: Ramp = FULL
    families: dict[str, Ramp] = {}

    def of(self, family: str) -> Ramp:
        """Returns the ramp that a family follows."""
        return self.families.get(family, self.main)

    def level(self, now: float) -> float:
        """Returns how far the intensity is there."""
        return self.of(Family.INTENSITY).at(now)

    @property
    def until(self) -> float:
        """When the slowest family is at its end."""
        return max([self.main.until, *(r.until for r in self.families.values())])

    def done(self, now: float) -> bool:
        """Returns whether all families are at their end."""
        return now >= self.until

    @property
    def ends_full(self) -> bool:
        """Whether all families end wholly there."""
        return self.main.end == 1.0 and all(
            r.end == 1.0 for r in self.families.values()
        )

    @property
    def leaving(self) -> bool:
        """Whether it ends at nought."""
        return self.main.end == 0.0

    def shifted(self, seconds: float) -> Envelope:
        """Returns the same envelope that many seconds later."""
        families = {f: r.shifted(seconds) for f, r in self.families.items()}
        return Envelope(self.main.shifted(seconds), families)

    def stretched(self, factor: float, now: float) -> Envelope:
        """Returns the same with what is left of it so many times as long."""
        families = {f: r.stretched(factor, now) for f, r in self.families.items()}
        return Envelope(self.main.stretched(factor, now), families)


class Time(NamedTuple):
    """The own time of something that moves: in seconds, and in beats. `within`: those
    of what it plays, by key, where these have times of their own.
    """

    seconds: Number = 0.0
    beats: Number = 0.0
    within: Mapping[str, tuple[float, float]] = MappingProxyType({})


class Coming(NamedTuple):
    """When something comes: at a time, or else at a beat of the clock, and not before
    `least`.
    """

    at: float | None
    beat: float | None
    least: float


FRAME = 1.1 / 44.0  # seconds from frame to frame, and what one may be late


class Pace(NamedTuple):
    """How fast something that moves goes by the clock on the wall: `rate` times as fast
    as it is stored, by a tempo of `bpm`.
    """

    rate: Number = 1.0
    bpm: Number = 120.0


class BeatClock(msgspec.Struct, frozen=True):
    """The master tempo. At time `at` it was at `beat`; `pull`: beats by which it still
    catches up with a hand that tapped. `first`: the beat that a bar of `bar` beats
    begins with. `taps`: when it was tapped of late.
    """

    bpm: Number = 120.0
    at: Number = 0.0
    beat: Number = 0.0
    pull: Number = 0.0
    bar: int = 4
    first: int = 0
    taps: tuple[Number, ...] = ()

    def beat_at(self, now: float) -> float:
        """Returns the beat at time `now`, in parts."""
        elapsed = now - self.at
        caught = min(1.0, max(0.0, elapsed / self.catch))
        return self.beat + elapsed * self.bpm / 60.0 + self.pull * caught

    @property
    def catch(self) -> float:
        """Seconds in which it catches up: so long that it never stands still."""
        return CATCH * 60.0 / self.bpm

    def in_bar(self, now: float) -> tuple[int, float]:
        """Returns which beat of the bar it is, from 0, and how much of it is over."""
        beat = self.beat_at(now)
        whole = int(beat // 1)
        return (whole - self.first) % max(1, self.bar), beat - whole

    def shifted(self, seconds: float) -> BeatClock:
        """Returns the same clock that many seconds later."""
        return replace(self, at=self.at + seconds, taps=())


CATCH = 2.0  # beats in which a clock comes to where a hand tapped


class Cursor(msgspec.Struct, frozen=True, tag_field="kind"):
    """Where within a playable it stands: a class a kind that moves by itself. What is
    said here is true of what does not.
    """

    @property
    def runs(self) -> bool:
        """Whether its own time goes on, or would if it did not pause."""
        return False

    @property
    def pauses(self) -> bool:
        """Whether it stands though it could go on."""
        return False

    @property
    def ahead(self) -> dict[str, float]:
        """Effect → cycles by which it is ahead."""
        return {}

    @property
    def key(self) -> Hashable:
        """What of it decides what is compiled, beside the step that has it."""
        return None

    def time(self, now: float, beat: float) -> Time:
        """Returns its own time at time `now`, when the clock is at `beat`."""
        return Time()

    def going_at(self, rate: float, now: float, beat: float) -> Self:
        """Returns the same cursor that goes on at another rate from now on."""
        return self

    def from_then(self, at: float, beat: float) -> Self:
        """Returns the same cursor that goes on only from a time, and a beat, on."""
        return self

    def with_ahead(self, cycles: Mapping[str, float]) -> Self:
        """Returns the same cursor with effects ahead by so many cycles more."""
        return self

    def comes_to(self, own: Time) -> Coming | None:
        """Returns when its own time is so far, in seconds or else in beats; None for
        never.
        """
        return None

    def shifted(self, seconds: float) -> Self:
        """Returns the same cursor that many seconds later."""
        return self


class Still(Cursor, frozen=True, tag="still"):
    """It does not move by itself."""


class Going(Cursor, frozen=True, tag="going"):
    """Its own time goes on. At time `at`, when the clock was at `beat`, it was at
    `seconds` and `beats`; it stood there before. It goes `rate` times as fast as time,
    0 while it pauses.
    `offsets`: cycles by which effects are ahead, so that a change of their rate did not
    move them.
    """

    at: Number = 0.0
    beat: Number = 0.0
    seconds: Number = 0.0
    beats: Number = 0.0
    rate: Number = 1.0
    offsets: dict[str, Number] = {}

    @property
    def runs(self) -> bool:
        """It does."""
        return True

    @property
    def pauses(self) -> bool:
        """Whether it pauses."""
        return self.rate == 0.0

    @property
    def ahead(self) -> dict[str, float]:
        """Effect → cycles by which it is ahead."""
        return self.offsets

    def time(self, now: float, beat: float) -> Time:
        """Returns its own time at time `now`, when the clock is at `beat`."""
        return Time(
            self.seconds + self.rate * max(0.0, now - self.at),
            self.beats + self.rate * max(0.0, beat - self.beat),
        )

    def going_at(self, rate: float, now: float, beat: float) -> Going:
        """Returns the same cursor that goes on at another rate from now on."""
        seconds, beats, _ = self.time(now, beat)
        since, from_beat = max(now, self.at), max(beat, self.beat)
        return Going(since, from_beat, seconds, beats, rate, self.offsets)

    def from_then(self, at: float, beat: float) -> Going:
        """Returns the same cursor that goes on only from a time, and a beat, on."""
        return replace(self, at=at, beat=beat)

    def with_ahead(self, cycles: Mapping[str, float]) -> Going:
        """Returns the same cursor with effects ahead by so many cycles more."""
        offsets = dict(self.offsets)
        for effect, more in cycles.items():
            offsets[effect] = offsets.get(effect, 0.0) + more
        return replace(self, offsets=offsets)

    def comes_to(self, own: Time) -> Coming | None:
        """Returns when its own time is so far; None while it pauses."""
        if self.rate <= 0.0:
            return None
        if math.isfinite(own.seconds):
            at = self.at + (own.seconds - self.seconds) / self.rate
            return Coming(at, None, self.at)
        return Coming(None, self.beat + (own.beats - self.beats) / self.rate, self.at)

    def shifted(self, seconds: float) -> Going:
        """Returns the same cursor that many seconds later."""
        return replace(self, at=self.at + seconds)


def _own_time(going: Going, now: float, beat: float) -> tuple[float, float]:
    seconds, beats, _ = going.time(now, beat)
    return seconds, beats


class Cued(Cursor, frozen=True, tag="cued"):
    """At a cue of a stack; before the first, at none.

    `number`: that of the cue: what comes next is found by it, though the cue be gone.
    `going`: the time since it was gone to, which stands while the stack holds.
    `from_beat`: the beat of the clock at that time. `went`: when the last GO was
    taken. `things`: where what the cue plays is, by key. `next`: the cue that was
    chosen to come next. `waits`: what would follow by itself waits for GO; `missed`: it
    does because its time was over. `armed`: the time of day, in seconds of the wall's
    clock, at which the next one comes, and `armed_for` which one, in seconds since
    midnight. `complete`: seconds after it was gone to when
    all of it that follows a ramp is there; None until that is known. `edit`: another
    than 0 is the cue as it was before an edit.
    """

    cue: str = ""
    number: Number = -1.0
    going: Going = Going()
    from_beat: Number = 0.0
    went: Number = 0.0
    things: dict[str, Going] = {}
    next: str = ""
    waits: bool = False
    missed: bool = False
    armed: Number | None = None
    armed_for: Number = 0.0
    complete: Number | None = None
    edit: int = 0

    @property
    def runs(self) -> bool:
        """What waits for it goes on, and what it plays."""
        return True

    @property
    def key(self) -> Hashable:
        """Which cue, and which state of it, is compiled."""
        return self.cue if not self.edit else (self.cue, self.edit)

    @property
    def ahead(self) -> dict[str, float]:
        """Effects of the things that it plays are ahead: by key and effect."""
        return {
            f"{key} {effect}": cycles
            for key, going in self.things.items()
            for effect, cycles in going.offsets.items()
        }

    def time(self, now: float, beat: float) -> Time:
        """Returns the time since it was gone to, and that of each of its things."""
        own = self.going.time(now, beat)
        within = {
            key: _own_time(going, now, beat) for key, going in self.things.items()
        }
        return Time(own.seconds, own.beats, within)

    def going_at(self, rate: float, now: float, beat: float) -> Cued:
        """Returns the same cursor whose waits go on at another rate; what it plays goes
        on as it did.
        """
        return replace(self, going=self.going.going_at(rate, now, beat))

    def shifted(self, seconds: float) -> Cued:
        """Returns the same cursor that many seconds later."""
        things = {key: going.shifted(seconds) for key, going in self.things.items()}
        return replace(
            self,
            going=self.going.shifted(seconds),
            went=self.went + seconds,
            things=things,
        )


class Running(Cursor, frozen=True, tag="running"):
    """Along a timeline. At time `at` it had run for `seconds`, `rate` times as fast as
    time; 0 while it pauses. `fired`: what lies on the line before it had run so long
    has been done. `began`: the players that came by that; they stand when it stands,
    `stood` being whether they do, and are let go with it.
    """

    at: Number = 0.0
    seconds: Number = 0.0
    rate: Number = 1.0
    fired: Number = 0.0
    began: tuple[str, ...] = ()
    stood: bool = False

    @property
    def runs(self) -> bool:
        """It does."""
        return True

    @property
    def pauses(self) -> bool:
        """Whether it pauses."""
        return self.rate == 0.0

    def time(self, now: float, beat: float) -> Time:
        """Returns how long it has run; its beats are those of its own line."""
        return Time(self.seconds + self.rate * max(0.0, now - self.at))

    def going_at(self, rate: float, now: float, beat: float) -> Running:
        """Returns the same cursor that goes on at another rate from now on."""
        seconds = self.time(now, beat).seconds
        return replace(self, at=max(now, self.at), seconds=seconds, rate=rate)

    def from_then(self, at: float, beat: float) -> Running:
        """Returns the same cursor that goes on only from a time on."""
        return replace(self, at=at)

    def comes_to(self, own: Time) -> Coming | None:
        """Returns when it has run so long; None while it pauses."""
        if self.rate <= 0.0 or not math.isfinite(own.seconds):
            return None
        at = self.at + (own.seconds - self.seconds) / self.rate
        return Coming(at, None, self.at)

    def shifted(self, seconds: float) -> Running:
        """Returns the same cursor that many seconds later."""
        return replace(self, at=self.at + seconds)


AnyCursor = Still | Going | Cued | Running


class LampFade(msgspec.Struct, frozen=True):
    """How some fixtures come to a step in times of their own."""

    fixtures: tuple[str, ...]
    progress: Envelope
    fall: Ramp

    def shifted(self, seconds: float) -> LampFade:
        """Returns the same that many seconds later."""
        return LampFade(
            self.fixtures, self.progress.shifted(seconds), self.fall.shifted(seconds)
        )

    def stretched(self, factor: float, now: float) -> LampFade:
        """Returns the same with what is left of it so many times as long."""
        return LampFade(
            self.fixtures,
            self.progress.stretched(factor, now),
            self.fall.stretched(factor, now),
        )


class Step(msgspec.Struct, frozen=True, kw_only=True):
    """A playable that a player goes to at time `at`.

    `progress`: how far each family has come, and levels that rise; `fall`: levels that
    fall. `until`: when it was left for the next one; from then on it stands as it was.
    `aims`: pan and tilt in degrees of heads that reach their point another way than the
    one nearest to home. `only`: the families that it gives; empty for all. `dark`:
    fixtures that it gives no light. `level`: how much of its light it gives, 0…1, as it
    is stored where it is played from; colours and places it gives wholly. `lamps`:
    those that come in times of their own.
    """

    ref: Ref
    only: tuple[str, ...] = ()
    dark: tuple[str, ...] = ()
    level: Number = 1.0
    at: Number = 0.0
    progress: Envelope = Envelope()
    fall: Ramp = FULL
    until: Number | None = None
    aims: dict[str, tuple[Number, Number]] = {}
    cursor: AnyCursor = Still()
    lamps: tuple[LampFade, ...] = ()

    def done(self, now: float) -> bool:
        """Returns whether it is there wholly; one that is held is not."""
        if self.until is not None:
            now = min(now, self.until)
        return now >= self._full

    @property
    def held(self) -> bool:
        """Whether it stands as it was, before it was there wholly."""
        return self.until is not None and self.until < self._full

    @property
    def over(self) -> float:
        """When it is there wholly; never where it is held."""
        return math.inf if self.held else self._full

    @property
    def _full(self) -> float:
        ends = [max(one.progress.until, one.fall.until) for one in self.lamps]
        return max([self.progress.until, self.fall.until, *ends])

    def stretched(self, factor: float, now: float) -> Step:
        """Returns the same step with what is left of its fades so many times as
        long.
        """
        return replace(
            self,
            progress=self.progress.stretched(factor, now),
            fall=self.fall.stretched(factor, now),
            lamps=tuple(one.stretched(factor, now) for one in self.lamps),
        )

    def fades_shifted(self, seconds: float) -> Step:
        """Returns the same step whose fades come that many seconds later."""
        return replace(
            self,
            progress=self.progress.shifted(seconds),
            fall=self.fall.shifted(seconds),
            lamps=tuple(one.shifted(seconds) for one in self.lamps),
        )

    def shifted(self, seconds: float) -> Step:
        """Returns the same step that many seconds later."""
        return replace(
            self,
            at=self.at + seconds,
            progress=self.progress.shifted(seconds),
            fall=self.fall.shifted(seconds),
            until=None if self.until is None else self.until + seconds,
            cursor=self.cursor.shifted(seconds),
            lamps=tuple(one.shifted(seconds) for one in self.lamps),
        )


class Fades(msgspec.Struct, frozen=True, omit_defaults=True):
    """Fade times, in seconds, that go before those of what plays; None leaves its
    own.
    """

    fade_in: Number | None = None
    fade_out: Number | None = None


OWN_FADES = Fades()


class Player(msgspec.Struct, frozen=True):
    """Something that is on. Its output is the last step's playable, or the crossfade
    towards it, at `weight` × `level`.

    `lifts`: the player that it brings to the top: it plays the same, without light.
    `steps` holds what it goes to last, and before it what is still to be seen of those
    that it went to before. `order`: of two of the same priority, the later one is on
    top. `rate`: how many times as fast as stored it goes, where it moves; `paused`: it
    stands meanwhile. `fades`: times that go before those of what it plays. `protected`:
    it stays when all is let go. `takes_over`: its levels replace those below; `adds`:
    it gives light to what others light, its colours only where they do not. `held`:
    the hands that hold it on; none where it stays by itself. `size`: how far its
    effects go, 0…1 of what is stored; `phase`: the part of a cycle, 0…1, by which they
    are ahead. `taps`: when it was tapped of late, to be set to time.
    """

    id: str
    name: str
    steps: tuple[Step, ...]
    weight: Envelope = Envelope()
    level: Number = 1.0
    order: int = 0
    priority: Priority = Priority.NORMAL
    lifts: str = ""
    rate: Number = 1.0
    paused: bool = False
    fades: Fades = OWN_FADES
    protected: bool = False
    takes_over: bool = False
    adds: bool = False
    held: tuple[str, ...] = ()
    size: Number = 1.0
    phase: Number = 0.0
    taps: tuple[Number, ...] = ()

    @property
    def ref(self) -> Ref:
        """What it plays, or goes to."""
        return self.steps[-1].ref

    @property
    def releasing(self) -> bool:
        """Whether it is on its way out."""
        return self.weight.leaving

    @property
    def place(self) -> tuple[int, int]:
        """Where it lies among the others, lowest first."""
        return (self.priority, self.order)

    def weight_at(self, now: float) -> float:
        """Returns how far its intensity is on, its level included."""
        return self.weight.level(now) * self.level

    def gone(self, now: float) -> bool:
        """Returns whether it has faded out for good."""
        if self.releasing:
            return self.weight.done(now)
        return self.level <= 0.0

    def settled(self, now: float) -> bool:
        """Returns whether nothing of it fades."""
        return self.weight.done(now) and self.steps[-1].done(now)

    @property
    def settles(self) -> float:
        """When nothing of it fades any more."""
        return max(self.weight.until, self.steps[-1].over)


class Leaving(msgspec.Struct, frozen=True):
    """A draft that was let go and fades out."""

    look: Look
    ramp: Ramp
    effects: Effects = ()
    going: Going = Going()


class DraftState(msgspec.Struct, frozen=True):
    """Values touched and not stored, and effects, as far as `shown` (0: blind, not on
    stage).

    `leaving`: earlier drafts that fade out after they were cleared. `revision`: the
    last change of the window's that is in it, so that the window knows what is still on
    its way. `going`: the time of its effects.
    """

    look: Look = {}
    leaving: tuple[Leaving, ...] = ()
    revision: int = 0
    shown: Ramp = FULL
    effects: Effects = ()
    going: Going = Going()

    @property
    def empty(self) -> bool:
        """Whether it holds nothing."""
        return not self.look and not self.effects

    @property
    def blind(self) -> bool:
        """Whether it is kept off the stage."""
        return self.shown.end == 0.0


class Grip(msgspec.Struct, frozen=True):
    """An override fader that holds its lamps at `level`, as far as `held`."""

    id: str
    level: Number
    held: Ramp = FULL


class Scales(msgspec.Struct, frozen=True):
    """Where masters stood that go over by themselves to where they stand now, and how
    far they have come.
    """

    scale: Number
    levels: dict[str, Number]
    come: Ramp


class Masters(msgspec.Struct, frozen=True):
    """What scales all intensity, and what holds some of it.

    `levels`: of group masters that are not full. `grips`: the override faders that are
    in hand, or on their way out. `closing`: how much is left of all light while the
    engine ends. `before`: where they come from, if no hand moved them.
    """

    grand: Number = 1.0
    blackout: bool = False
    levels: dict[str, Number] = {}
    grips: tuple[Grip, ...] = ()
    closing: Number = 1.0
    before: Scales | None = None

    @property
    def scale(self) -> float:
        """What every intensity that is not exempt is multiplied by."""
        return 0.0 if self.blackout else self.grand

    def scale_at(self, now: float) -> float:
        """Returns the same at a time, where they go over by themselves."""
        if self.before is None:
            return self.scale
        start, come = self.before.scale, self.before.come.at(now)
        return start + come * (self.scale - start)

    def levels_at(self, now: float) -> dict[str, float]:
        """Returns the levels of group masters that are not full at a time."""
        if self.before is None or self.before.come.done(now):
            return self.levels
        come = self.before.come.at(now)
        found = {}
        for master in {**self.before.levels, **self.levels}:
            start = self.before.levels.get(master, 1.0)
            end = self.levels.get(master, 1.0)
            found[master] = start + come * (end - start)
        return found

    def grip(self, master: str) -> Grip | None:
        """Returns the grip of an override fader, if it has one."""
        return next((grip for grip in self.grips if grip.id == master), None)


class HeldValues(msgspec.Struct, frozen=True):
    """Values that a hand gives lamps, as far as `held`. `id`: of the tile that gives
    them, or of lamps that are aside.
    """

    id: str
    look: Look
    held: Ramp = FULL

    @property
    def leaving(self) -> bool:
        """Whether it is on its way out."""
        return self.held.end == 0.0


class Moment(msgspec.Struct, frozen=True):
    """What was on before something was pressed, at time `at`."""

    at: Number
    players: tuple[Player, ...] = ()


class Identify(msgspec.Struct, frozen=True):
    """Fixtures that blink, above all else, from `begin` to `until`."""

    fixtures: tuple[str, ...]
    begin: Number
    until: Number


class Sent(msgspec.Struct, frozen=True):
    """Bytes put on slots past everything until a time: a command to a lamp, a type that
    is tried out.
    """

    key: str
    universe: int
    address: int
    slots: bytes
    until: Number


class Ready(msgspec.Struct, frozen=True):
    """Lamps that are dark, on their way to where the next cue of a player wants them:
    attribute by attribute from `before` to `after`. `moves`: the fixtures of which
    something is elsewhere yet.
    """

    player: str
    cue: str
    before: Look
    after: Look
    ramp: Ramp
    moves: tuple[str, ...] = ()


class Shade(msgspec.Struct, frozen=True):
    """Fixtures that go dark from `begin` on, whatever lights them: seconds to go down,
    to stay dark, and to come up.
    """

    fixtures: tuple[str, ...]
    begin: Number
    down: Number
    dark: Number
    up: Number

    def left(self, now: float) -> float:
        """Returns what is left of their light, 0…1."""
        if now < self.begin + self.down:
            return Ramp(1.0, 0.0, self.begin, self.down).at(now)
        return Ramp(0.0, 1.0, self.begin + self.down + self.dark, self.up).at(now)

    @property
    def until(self) -> float:
        """When they are back."""
        return self.begin + self.down + self.dark + self.up

    def done(self, now: float) -> bool:
        """Returns whether they are back."""
        return now >= self.until

    def shifted(self, seconds: float) -> Shade:
        """Returns the same that many seconds later."""
        return replace(self, begin=self.begin + seconds)


class Outside(msgspec.Struct, frozen=True):
    """A universe over which another desk's lies: whose, and how."""

    universe: Count
    name: str
    how: Merge


class PlayState(msgspec.Struct, frozen=True):
    """Everything that, beside the show and the time, decides the light.

    `live`: what tiles give lamps, below the draft. `asides`: lamps that are taken out
    of what plays, above it. `fade_times`: seconds in which what a tile plays comes and
    goes, as a dial set them. `asking`: tiles that were pressed and ask once more, and
    until when. `past`: what was on before the last presses. `ready`: dark lamps that
    go ahead to where they will be needed. `outside`: what other desks lay over our
    universes. `shades`: fixtures that are dark while something in them is changed.
    """

    players: tuple[Player, ...] = ()
    draft: DraftState = DraftState()
    masters: Masters = Masters()
    started: int = 0
    identify: Identify | None = None
    sent: tuple[Sent, ...] = ()
    clock: BeatClock = BeatClock()
    live: tuple[HeldValues, ...] = ()
    asides: tuple[HeldValues, ...] = ()
    fade_times: dict[str, Number] = {}
    asking: dict[str, Number] = {}
    past: tuple[Moment, ...] = ()
    ready: tuple[Ready, ...] = ()
    outside: tuple[Outside, ...] = ()
    shades: tuple[Shade, ...] = ()

    def beat(self, now: float) -> float:
        """Returns the beat of the master tempo at a time."""
        return self.clock.beat_at(now)

    def player(self, player_id: str) -> Player | None:
        """Returns the player of that id, if it is on."""
        return next((p for p in self.players if p.id == player_id), None)

    @property
    def aside(self) -> dict[str, HeldValues]:
        """The fixtures that are aside, and not on their way back."""
        held = [hand for hand in self.asides if not hand.leaving]
        return {fixture: hand for hand in held for fixture in hand.look}

    def settles(self) -> float:
        """Returns when nothing fades any more, unless something is asked."""
        ends = [p.settles for p in self.players]
        ends += [leaving.ramp.until for leaving in self.draft.leaving]
        ends.append(self.draft.shown.until)
        ends += [s.until for s in self.sent]
        ends += [one.ramp.until for one in self.ready]
        ends += [shade.until for shade in self.shades]
        ends += self.asking.values()
        ends += [grip.held.until for grip in self.masters.grips]
        if self.masters.before is not None:
            ends.append(self.masters.before.come.until)
        ends += [hand.held.until for hand in (*self.live, *self.asides)]
        if self.identify is not None:
            ends.append(self.identify.until)
        return max(ends)
