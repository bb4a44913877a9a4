"""Times and follows of cues as they are typed and shown in a list: “2/3”, “+4”,
“21:30”.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from choreon.language import tr
from choreon.model.playables import Stack
from choreon.model.playables.stack import (
    LONGEST,
    ON_GO,
    Cue,
    Follow,
    FollowKind,
    times_of,
)

DAY = 86_400.0  # seconds


class NotUnderstood(ValueError):
    """What was typed means nothing here."""


class TypedTimes(NamedTuple):
    """Times of a cue as they were typed: None leaves those of the stack."""

    fade_in: float | None
    fade_out: float | None
    delay_in: float
    delay_out: float


def parse_times(text: str) -> TypedTimes:
    """Read times: “2” for both, “2/3” in 2 and out 3, “/3” out alone, “1+2” after one
    second in two; nothing for those of the stack. A comma counts as a point. Raises
    NotUnderstood.
    """
    text = text.replace(",", ".").replace(" ", "").lower().rstrip("s")
    if not text or text in ("-", "–", "own"):
        return TypedTimes(None, None, 0.0, 0.0)

    parts = text.split("/")
    if len(parts) > 2:
        raise _not_times(text)

    delay_in, fade_in = _delay_and_fade(parts[0], text)
    if len(parts) == 1:
        return TypedTimes(fade_in, fade_in, delay_in, delay_in)
    delay_out, fade_out = _delay_and_fade(parts[1], text)
    return TypedTimes(fade_in, fade_out, delay_in, delay_out)


def _delay_and_fade(part: str, text: str) -> tuple[float, float | None]:
    """The wait before a fade, and the fade; None where it is not said."""
    if not part:
        return 0.0, None
    delay, plus, fade = part.rpartition("+")
    wait = parse_seconds(delay, text) if plus else 0.0
    return wait, parse_seconds(fade, text)


def parse_seconds(part: str, whole: str = "") -> float:
    """Read seconds, “90”, or minutes, “1:30”. Raises NotUnderstood."""
    whole = whole or part
    numbers = part.strip().replace(",", ".").split(":")
    try:
        values = [float(number) for number in numbers]
    except ValueError:
        raise _not_times(whole) from None

    seconds = 0.0
    for value in values:
        seconds = seconds * 60.0 + value

    if len(values) > 3 or not 0.0 <= seconds <= LONGEST:
        raise NotUnderstood(
            tr("“{text}”: a time is between 0 s and a day.", text=whole)
        )
    return seconds


def _not_times(text: str) -> NotUnderstood:
    return NotUnderstood(
        tr(
            "“{text}” is no time: type 2 for both, 2/3 for in and out, 1+2 for a wait "
            "before it.",
            text=text,
        )
    )


def times_in_words(stack: Stack, cue: Cue) -> str:
    """Returns the times of a cue as they could be typed: “2/3”."""
    times = times_of(stack, cue)
    rise = _with_wait(times.delay_in, times.fade_in)
    fall = _with_wait(times.delay_out, times.fade_out)
    return rise if rise == fall else f"{rise}/{fall}"


def has_own_times(cue: Cue) -> bool:
    """Returns whether a cue has any time that is not the stack's."""
    timed = cue.fade_in is not None or cue.fade_out is not None
    waits = cue.delay_in > 0.0 or cue.delay_out > 0.0
    return timed or waits or bool(cue.times) or bool(cue.lamps)


def _with_wait(delay: float, fade: float) -> str:
    return f"{delay:g}+{fade:g}" if delay > 0.0 else f"{fade:g}"


# follows


FOLLOWS = (
    (re.compile(r"^(?:go|)$"), FollowKind.GO),
    (re.compile(r"^\+?([\d.:]+)s?$"), FollowKind.BEGUN),
    (re.compile(r"^(?:done|end|complete)\+?([\d.:]*)s?$"), FollowKind.COMPLETE),
    (re.compile(r"^(?:beat|beats)([\d]*)$|^([\d]+)b(?:eats?)?$"), FollowKind.BEAT),
    (re.compile(r"^(?:bar|bars)([\d]*)$|^([\d]+)bars?$"), FollowKind.BAR),
)

CLOCK = re.compile(r"^(?:at|@)?(\d{1,2}):(\d{2})(?::(\d{2}))?$")


def parse_follow(text: str) -> Follow:
    """Read what a cue waits for: nothing or “go”; “+4” or “4”, so long after the cue
    before began; “done” or “done 2”, after it was complete; “2 beats”, “1 bar”; “21:30”
    or “at 21:30”, a time of day. Raises NotUnderstood.
    """
    plain = text.replace(",", ".").replace(" ", "").lower()
    clock = CLOCK.match(plain)
    if clock is not None:
        return Follow(FollowKind.CLOCK, _of_day(text, *clock.groups()))

    # the last ones first: “2b” is no number of seconds
    for pattern, kind in reversed(FOLLOWS):
        found = pattern.match(plain)
        if found is None:
            continue
        if kind == FollowKind.GO:
            return ON_GO
        number = next((part for part in found.groups() if part), "")
        if kind in (FollowKind.BEAT, FollowKind.BAR):
            return Follow(kind, float(max(1, min(9999, int(number or 1)))))
        return Follow(kind, parse_seconds(number, text) if number else 0.0)

    raise NotUnderstood(
        tr(
            "“{text}” is nothing to wait for: leave it empty for GO, or type +4 "
            "(seconds after the cue before began), done 1 (after it was complete), 2 "
            "beats, 1 bar, or 21:30.",
            text=text,
        )
    )


def _of_day(text: str, hour: str, minute: str, second: str | None) -> float:
    hours, minutes, seconds = int(hour), int(minute), int(second or 0)
    if hours > 23 or minutes > 59 or seconds > 59:
        raise NotUnderstood(tr("“{text}” is no time of day.", text=text))
    return 3600.0 * hours + 60.0 * minutes + seconds


def follow_as_typed(follow: Follow) -> str:
    """Returns what a cue waits for as it could be typed; empty for GO."""
    after = f"{follow.after:g}"
    if follow.kind == FollowKind.BEGUN:
        return f"+{after}"
    if follow.kind == FollowKind.COMPLETE:
        return f"done {after}" if follow.after else "done"
    if follow.kind == FollowKind.BEAT:
        return f"{max(1, int(follow.after))} beats"
    if follow.kind == FollowKind.BAR:
        return f"{max(1, int(follow.after))} bars"
    if follow.kind == FollowKind.CLOCK:
        return clock_in_words(follow.after)
    return ""


def clock_in_words(of_day: float) -> str:
    """“21:30”, with seconds where there are any."""
    whole = int(of_day) % int(DAY)
    hours, rest = divmod(whole, 3600)
    minutes, seconds = divmod(rest, 60)
    tail = f":{seconds:02d}" if seconds else ""
    return f"{hours:02d}:{minutes:02d}{tail}"
