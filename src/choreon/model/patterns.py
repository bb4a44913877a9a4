"""Patterns: which lamp is on in which beat, made by a small set of rules.

A rule gives a table: one line a beat, one number a lamp (0 off … 1 on). Those that
repeat over k lamps are the same for the lamps 1, k + 1, 2k + 1 …; the others span the
whole row, however long it is.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model.choosing import by_place
from choreon.model.patch import mode_of
from choreon.model.playables.chase import ChaseStep, Lie, Pattern
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look, Value

Line = tuple[float, ...]
Table = list[Line]
Make = Callable[[int], Table]

Item = tuple[str, int]
"""A fixture, and which of its cells (from 1); 0 is the whole of it."""

MOST_STEPS = 512  # that a pattern over a long row is made into
HALF = 0.5


@dataclass(frozen=True)
class Rule:
    """A pattern. `over`: how many lamps it repeats over, 0 for the whole row. `kind`:
    what sort of pattern it is.
    """

    id: str
    name: str
    kind: str
    over: int
    make: Make

    def table(self, lamps: int) -> Table:
        """Returns one line a beat, one number a lamp."""
        if lamps <= 0:
            return []
        if not self.over:
            return self.make(lamps)[:MOST_STEPS]
        lines = self.make(self.over)
        return [tuple(line[i % self.over] for i in range(lamps)) for line in lines]

    def beats(self, lamps: int) -> int:
        """Returns after how many beats it begins anew, over so many lamps."""
        return len(self.table(lamps))


# what lines are made of


def _line(lamps: int, on: Sequence[int], level: float = 1.0) -> Line:
    lit = {place % lamps for place in on}
    return tuple(level if i in lit else 0.0 for i in range(lamps))


def _turned(table: Table) -> Table:
    """From the other end of the row."""
    return [line[::-1] for line in table]


def _bounced(table: Table) -> Table:
    """There and back; the ends come once."""
    return [*table, *table[-2:0:-1]]


def _emptied(table: Table) -> Table:
    """And then off again in the same order."""
    return [*table, *(tuple(1.0 - v for v in line) for line in table)]


# the rules


def _run(wide: int) -> Make:
    """So many neighbours are on and go along, round the end."""

    def make(lamps: int) -> Table:
        return [_line(lamps, range(i, i + wide)) for i in range(lamps)]

    return make


def _reach(wide: int) -> Make:
    """So many neighbours are on and go along as far as the end."""

    def make(lamps: int) -> Table:
        last = max(1, lamps - wide + 1)
        return [_line(lamps, range(i, min(i + wide, lamps))) for i in range(last)]

    return make


def _march(wide: int) -> Make:
    """Blocks of so many, one after the other."""

    def make(lamps: int) -> Table:
        starts = range(0, lamps, wide)
        return [_line(lamps, range(i, min(i + wide, lamps))) for i in starts]

    return make


def _hole(lamps: int) -> Table:
    """All but one, which goes along; a single one blinks."""
    if lamps == 1:
        return [(1.0,), (0.0,)]
    return [tuple(1.0 - v for v in line) for line in _run(1)(lamps)]


def _comet(lamps: int) -> Table:
    """One with a tail of two behind it."""
    table = []
    for head in range(lamps):
        line = [0.0] * lamps
        for back, level in ((2, 0.2), (1, 0.5), (0, 1.0)):
            line[(head - back) % lamps] = level
        table.append(tuple(line))
    return table


def _fill(lamps: int) -> Table:
    """One more each beat."""
    return [_line(lamps, range(i + 1)) for i in range(lamps)]


def _stack(lamps: int) -> Table:
    """One runs to the far end and stays there, then the next, until all are on."""
    table = []
    for full in range(lamps):
        kept = list(range(lamps - full, lamps))
        table += [_line(lamps, [*kept, i]) for i in range(lamps - full)]
    return table


def _build(by: int) -> Make:
    """So many more each beat, those at even distances first."""

    def make(lamps: int) -> Table:
        order = [i for start in range(by) for i in range(start, lamps, by)]
        size = max(1, -(-lamps // by))
        ends = range(size, lamps + size, size)
        return [_line(lamps, order[: min(end, lamps)]) for end in ends]

    return make


def _alternate(wide: int) -> Make:
    """Blocks of so many, by turns."""

    def make(lamps: int) -> Table:
        def half(first: int) -> Line:
            return tuple(float((i // wide) % 2 == first) for i in range(lamps))

        return [half(0), half(1)]

    return make


def _rings(lamps: int) -> list[list[int]]:
    """Lamps by their distance from the middle, the nearest first."""
    away: dict[float, list[int]] = {}
    for i in range(lamps):
        away.setdefault(abs(i - (lamps - 1) / 2), []).append(i)
    return [away[distance] for distance in sorted(away)]


def _joined(rings: list[list[int]]) -> list[int]:
    return [i for ring in rings for i in ring]


def _from_middle(lamps: int) -> Table:
    """From the middle to both ends, two at a time."""
    return [_line(lamps, ring) for ring in _rings(lamps)]


def _to_middle(lamps: int) -> Table:
    """From both ends to the middle."""
    return _from_middle(lamps)[::-1]


def _gate(lamps: int) -> Table:
    """Opens from the middle until all are on."""
    rings = _rings(lamps)
    opened = [_joined(rings[: i + 1]) for i in range(len(rings))]
    return [_line(lamps, on) for on in opened]


def _shut(lamps: int) -> Table:
    """Closes in from both ends until all are on."""
    rings = _rings(lamps)[::-1]
    closed = [_joined(rings[: i + 1]) for i in range(len(rings))]
    return [_line(lamps, on) for on in closed]


def _mirrored(wide: int) -> Make:
    """Both halves run towards the middle, so many lamps wide each."""

    def make(lamps: int) -> Table:
        half = max(1, -(-lamps // 2))
        table = []
        for i in range(half):
            left = [(i + n) % half for n in range(wide)]
            table.append(_line(lamps, [*left, *(lamps - 1 - n for n in left)]))
        return table

    return make


def _scatter(seed: int, count: int) -> Make:
    """So many at random at a time, each lamp once a round."""

    def make(lamps: int) -> Table:
        order = list(range(lamps))
        random.Random(1000 * seed + count).shuffle(order)
        starts = range(0, lamps, count)
        return [_line(lamps, order[i : i + count]) for i in starts]

    return make


FEWEST = 3  # lamps that sparkle by turns; of fewer the others are not there
TRIES = 200


def _sparkle(seed: int, beats: int) -> Make:
    """About a third at random in every beat, others in each than in the one before;
    all come equally often, or once more.
    """

    def make(lamps: int) -> Table:
        row = max(lamps, FEWEST)
        # however long the row is, each has its turn in a round
        count = max(1, row // 3, -(-row // beats))

        for attempt in range(TRIES):
            dice = random.Random(7000 + seed + 100 * attempt)
            table = _dealt(row, count, beats, dice)
            if all(line != after for line, after in _neighbours(table)):
                break

        return [line[:lamps] for line in table]

    return make


def _dealt(row: int, count: int, beats: int, dice: random.Random) -> Table:
    """Lines of `count` lamps, of those that came least often so far."""
    turns = [0] * row
    table = []
    for _ in range(beats):
        shuffled = dice.sample(range(row), row)
        chosen = sorted(shuffled, key=turns.__getitem__)[:count]
        for lamp in chosen:
            turns[lamp] += 1
        table.append(_line(row, chosen))
    return table


def _neighbours(table: Table) -> Iterator[tuple[Line, Line]]:
    """Each line with the next one, the last with the first."""
    return zip(table, [*table[1:], *table[:1]], strict=True)


def _hits(rhythm: str) -> Make:
    """All together in a rhythm: `x` on, `-` off."""

    def make(lamps: int) -> Table:
        return [(float(sign == "x"),) * lamps for sign in rhythm]

    return make


def _answer(rhythm: str) -> Make:
    """The left half calls, the right half answers: `l`, `r`, `b` both, `-` none."""

    def make(lamps: int) -> Table:
        half = (lamps + 1) // 2
        lit = {"l": range(half), "r": range(half, lamps), "b": range(lamps), "-": ()}
        return [_line(lamps, lit[sign]) for sign in rhythm]

    return make


def _blocks(count: int) -> Make:
    """The row in so many blocks, one after the other."""

    def make(lamps: int) -> Table:
        edges = [round(i * lamps / count) for i in range(count + 1)]
        spans = [range(a, b) for a, b in pairwise(edges) if a < b]
        return [_line(lamps, span) for span in spans]

    return make


def _crossing(lamps: int) -> Table:
    """Two run against each other through the whole row, the one that comes from the far
    end at half light.
    """
    table = []
    for i in range(lamps):
        line = [0.0] * lamps
        line[lamps - 1 - i] = HALF
        line[i] = 1.0
        table.append(tuple(line))
    return table


def _leaps(by: int) -> Make:
    """One that leaps over so many each beat until all had their turn."""

    def make(lamps: int) -> Table:
        order = [i for start in range(by) for i in range(start, lamps, by)]
        return [_line(lamps, [i]) for i in order]

    return make


# all of them

NUMBERS = {2: "two", 3: "three", 4: "four", 5: "five", 6: "sixe", 8: "eight"}  # of ids
IN_SETS = {
    2: tr("{rule} in twos"),
    3: tr("{rule} in threes"),
    4: tr("{rule} in fours"),
    5: tr("{rule} in fives"),
    6: tr("{rule} in sixes"),
    8: tr("{rule} in eights"),
}


def _after(first: Make, then: Callable[[Table], Table]) -> Make:
    return lambda lamps: then(first(lamps))


def _ways(
    stem: str,
    name: str,
    kind: str,
    over: int,
    make: Make,
    there: Make | None = None,
) -> list[Rule]:
    """A rule, the same from the other end, and there and back; `there`: the way that
    this goes, where it is another one. `stem`: how its id begins.
    """
    if over:
        stem, name = f"{stem}-in-{NUMBERS[over]}s", IN_SETS[over].format(rule=name)
    return [
        Rule(stem, name, kind, over, make),
        Rule(
            f"{stem}-back",
            tr("{rule}, back", rule=name),
            kind,
            over,
            _after(make, _turned),
        ),
        Rule(
            f"{stem}-bounce",
            tr("{rule}, there and back", rule=name),
            kind,
            over,
            _after(there or make, _bounced),
        ),
    ]


def _one(stem: str, name: str, kind: str, over: int, make: Make) -> Rule:
    return Rule(stem, name, kind, over, make)


def _all_rules() -> list[Rule]:
    rules: list[Rule] = []
    for over in (0, 2, 3, 4, 5, 6, 8):
        if over != 2:
            rules += _ways("run", tr("Run"), "runs", over, _run(1))
            rules += _ways("pair", tr("Pair"), "pairs", over, _run(2), _reach(2))
            hole = _ways("hole", tr("Hole"), "runs", over, _hole)
            # among three, one that is dark is a pair that is on
            rules += hole[-1:] if over == 3 else hole

        if over in (0, 4, 5, 6, 8):
            rules += _ways("comet", tr("Comet"), "runs", over, _comet)

        if over in (0, 3, 4, 6, 8):
            rules += _ways("fill", tr("Fill"), "fills", over, _fill)
            emptied = _after(_fill, _emptied)
            rules += _ways(
                "fill-and-empty", tr("Fill and empty"), "fills", over, emptied
            )[:1]

    rules += _ways("two-by-two", tr("Two by two"), "pairs", 0, _march(2))
    rules += _ways("three-by-three", tr("Three by three"), "pairs", 0, _march(3))
    rules += _ways("trio", tr("Trio"), "pairs", 0, _run(3), _reach(3))
    rules += [
        _one("stack-up", tr("Stack up"), "builds", 0, _stack),
        _one(
            "stack-up-back", tr("Stack up, back"), "builds", 0, _after(_stack, _turned)
        ),
        *(
            _one(f"build-by-{NUMBERS[by]}s", name, "builds", 0, _build(by))
            for by, name in (
                (2, tr("Build by twos")),
                (3, tr("Build by threes")),
                (4, tr("Build by fours")),
            )
        ),
    ]

    for wide, stem, name in (
        (1, "alternate-one-by-one", tr("Alternate one by one")),
        (2, "alternate-two-by-two", tr("Alternate two by two")),
        (3, "alternate-three-by-three", tr("Alternate three by three")),
        (4, "alternate-four-by-four", tr("Alternate four by four")),
    ):
        rules.append(_one(stem, name, "alternations", 2 * wide, _alternate(wide)))

    rules += [
        _one("from-the-middle", tr("From the middle"), "middle", 0, _from_middle),
        _one("to-the-middle", tr("To the middle"), "middle", 0, _to_middle),
        _one(
            "out-and-in", tr("Out and in"), "middle", 0, _after(_from_middle, _bounced)
        ),
        _one("gate-opens", tr("Gate opens"), "gates", 0, _gate),
        _one("gate-shuts", tr("Gate shuts"), "gates", 0, _shut),
        _one(
            "gate-opens-and-shuts",
            tr("Gate opens and shuts"),
            "gates",
            0,
            _after(_gate, _bounced),
        ),
        _one(
            "gate-opens-then-darkens",
            tr("Gate opens, then darkens"),
            "gates",
            0,
            _after(_gate, _emptied),
        ),
        _one(
            "gate-shuts-then-darkens",
            tr("Gate shuts, then darkens"),
            "gates",
            0,
            _after(_shut, _emptied),
        ),
        _one("mirrored-pairs", tr("Mirrored pairs"), "mirrored", 0, _mirrored(2)),
        _one(
            "mirrored-pairs-there-and-back",
            tr("Mirrored pairs, there and back"),
            "mirrored",
            0,
            _after(_mirrored(2), _bounced),
        ),
        _one("crossing", tr("Crossing"), "mirrored", 0, _crossing),
        _one(
            "crossing-there-and-back",
            tr("Crossing, there and back"),
            "mirrored",
            0,
            _after(_crossing, _bounced),
        ),
    ]

    for count, word, name in (
        (1, "one", tr("Scatter one at a time")),
        (2, "two", tr("Scatter two at a time")),
        (3, "three", tr("Scatter three at a time")),
    ):
        rules += [
            _one(
                f"scatter-{word}-at-a-time-{seed}",
                tr("{rule} {number}", rule=name, number=seed),
                "scatter",
                0,
                _scatter(seed, count),
            )
            for seed in (1, 2, 3)
        ]

    rules += [
        _one(
            f"sparkle-over-{beats}-beats",
            plural(beats, "Sparkle over {n} beat", "Sparkle over {n} beats"),
            "scatter",
            0,
            _sparkle(beats, beats),
        )
        for beats in (4, 8, 16)
    ]

    rules += [
        _one("all-on-the-beat", tr("All on the beat"), "rhythms", 1, _hits("x-")),
        _one(
            "all-three-of-four", tr("All, three of four"), "rhythms", 1, _hits("xxx-")
        ),
        _one(
            "all-first-of-four", tr("All, first of four"), "rhythms", 1, _hits("x---")
        ),
        _one(
            "all-three-three-two",
            tr("All, three three two"),
            "rhythms",
            1,
            _hits("x--x--x-"),
        ),
        _one(
            "all-off-the-beat", tr("All, off the beat"), "rhythms", 1, _hits("-x-x-xxx")
        ),
        _one("call-and-answer", tr("Call and answer"), "rhythms", 0, _answer("lr")),
        _one(
            "call-twice-answer-twice",
            tr("Call twice, answer twice"),
            "rhythms",
            0,
            _answer("l-l-r-r-"),
        ),
        _one(
            "call-answer-both", tr("Call, answer, both"), "rhythms", 0, _answer("lrb-")
        ),
        _one("halves", tr("Halves"), "blocks", 0, _blocks(2)),
        _one("thirds", tr("Thirds"), "blocks", 0, _blocks(3)),
        _one("quarters", tr("Quarters"), "blocks", 0, _blocks(4)),
        _one(
            "quarters-there-and-back",
            tr("Quarters, there and back"),
            "blocks",
            0,
            _after(_blocks(4), _bounced),
        ),
        _one("leap-by-twos", tr("Leap by twos"), "runs", 0, _leaps(2)),
        _one("leap-by-threes", tr("Leap by threes"), "runs", 0, _leaps(3)),
    ]

    return rules


RULES: dict[str, Rule] = {rule.id: rule for rule in _all_rules()}
"""Every pattern by its id, in the order in which they are offered."""

SAME_AS = {
    "mirrored-run": "to-the-middle",
    "mirrored-run-there-and-back": "out-and-in",
    "hole-in-threes": "pair-in-threes",
    "hole-in-threes-back": "pair-in-threes-back",
}
"""Rules that shows may name, and that others are as well."""


def rule_of(rule_id: str) -> Rule | None:
    """Returns the rule that a pattern names; None where it is not known."""
    return RULES.get(SAME_AS.get(rule_id, rule_id))


def found(
    words: str = "", over: int | None = None, beats: int | None = None, lamps: int = 8
) -> list[Rule]:
    """Returns the rules whose names hold every word, that repeat over so many lamps (0:
    over the whole row), and that last so many beats over `lamps`.
    """
    wanted = words.lower().split()
    return [
        rule
        for rule in RULES.values()
        if all(word in f"{rule.name} {rule.kind}".lower() for word in wanted)
        and (over is None or rule.over == over)
        and (beats is None or rule.beats(lamps) == beats)
    ]


# steps of a pattern


def items_of(show: Show, pattern: Pattern) -> list[Item]:
    """Returns what takes part, in its order: fixtures that hang, or their cells."""
    gone = set(pattern.left_out)
    hung = [i for i in pattern.lamps if i in show.fixtures and i not in gone]
    if pattern.lie == Lie.ADDRESS:
        fixtures = show.fixtures
        hung.sort(key=lambda i: (fixtures[i].universe, fixtures[i].address))
    elif pattern.lie == Lie.PLACE:
        hung = list(by_place(show, hung))

    if not pattern.cells:
        return [(i, 0) for i in hung]

    items: list[Item] = []
    for fixture in hung:
        count = cells_of(show, fixture)
        items += [(fixture, c) for c in range(1, count + 1)] or [(fixture, 0)]

    return items


def cells_of(show: Show, fixture: str) -> int:
    """Returns how many cells a fixture has in its mode; 0 where it is one."""
    mode = mode_of(show.types, show.fixtures[fixture])
    return len(mode.cells) if mode is not None else 0


def steps_of_pattern(show: Show, pattern: Pattern) -> tuple[ChaseStep, ...]:
    """Returns the steps that a pattern makes; none where nobody takes part or the rule
    is not known.
    """
    rule = rule_of(pattern.rule)
    items = items_of(show, pattern)
    if rule is None or not items:
        return ()
    return tuple(
        ChaseStep(
            id=f"beat-{n}",
            name=tr("Beat {number}", number=n),
            look=_look(show, pattern, items, line),
        )
        for n, line in enumerate(rule.table(len(items)), 1)
    )


def _look(show: Show, pattern: Pattern, items: list[Item], line: Line) -> Look:
    look: Look = {}
    for (fixture, cell), level in zip(items, line, strict=True):
        given = _given(show, pattern, fixture, level)
        own = look.setdefault(fixture, {})

        for name, value in given.items():
            if not cell:
                own[name] = value
                continue

            count = cells_of(show, fixture)
            held = own.get(name)
            cells: list[float | None] = [None] * count

            if isinstance(held, tuple):
                cells = list(held)

            cells[cell - 1] = _number(show, fixture, name, value)
            own[name] = tuple(cells)

    return {fixture: values for fixture, values in look.items() if values}


def _number(show: Show, fixture: str, name: str, value: Value) -> float | None:
    """A value of one cell: links looked up, of a tuple the first."""
    from choreon.model import links

    plain = links.resolved(show, fixture, name, value)
    if isinstance(plain, tuple):
        plain = plain[0] if plain else None
    return float(plain) if isinstance(plain, float | int) else None


def _given(
    show: Show, pattern: Pattern, fixture: str, level: float
) -> dict[str, Value]:
    """What a lamp gets that is on by `level`."""
    on = _values(show, pattern.on_scene, pattern.on, fixture)
    off = _values(show, pattern.off_scene, pattern.off, fixture)
    if level in (0.0, 1.0):
        return on if level else off
    return {
        name: _between(off.get(name), on.get(name), level) for name in {**off, **on}
    }


def _values(
    show: Show, ref: Ref | None, plain: dict[str, Value], fixture: str
) -> dict[str, Value]:
    """What a lamp gets of a scene; where none is named, the same as all."""
    if ref is None:
        return plain
    look: Look = getattr(show.playables.get(ref.id), "look", {})
    return dict(look.get(fixture, {}))


def _between(off: Value | None, on: Value | None, level: float) -> Value:
    """A value that far between two; of what has no between the nearer one."""
    if isinstance(off, float | int) and isinstance(on, float | int):
        return float(off + (on - off) * level)
    nearer, other = (on, off) if level >= HALF else (off, on)
    kept = nearer if nearer is not None else other
    assert kept is not None
    return kept


LEVELS = ({at.DIMMER: 1.0}, {at.DIMMER: 0.0})
"""What a pattern of levels gives: on and off."""
