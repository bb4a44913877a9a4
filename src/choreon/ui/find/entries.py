"""Everything of a show that can be found, and what can be asked of its lamps."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import partial

from choreon.language import listed, tr
from choreon.model import attributes as at
from choreon.model.colours import of_hex
from choreon.model.refs import PALETTE, Ref
from choreon.model.show import Palette
from choreon.model.values import Value
from choreon.ui import kinds
from choreon.ui.find.search import FILLERS, Entry, words_of
from choreon.ui.parts import Parts

Go = Callable[[str], object]
Values = dict[str, Value]

COLOURS = {
    "red": "#FF0000",
    "orange": "#FF6A00",
    "amber": "#FFB000",
    "yellow": "#FFE600",
    "green": "#00FF00",
    "cyan": "#00FFFF",
    "turquoise": "#00FFC8",
    "blue": "#0000FF",
    "violet": "#7A00FF",
    "purple": "#9000FF",
    "magenta": "#FF00FF",
    "pink": "#FF5FA8",
    "white": "#FFFFFF",
}
MOST_TARGETS = 6  # lamps and groups that a wish is offered for


def of_show(parts: Parts, go: Go) -> Iterator[Entry]:
    """The lamps, groups, scenes, palettes, marks and pages of the show. `go`: leads to
    a thing by its path.
    """
    show = parts.document.show
    for group in show.groups.values():
        members = list(group.fixtures)
        yield Entry(
            group.name,
            "group",
            partial(parts.selection.choose, members),
            words="choose",
        )

    for fixture in show.fixtures.values():
        kind = show.types.get(fixture.type)
        label = kind.label if kind else ""
        yield Entry(
            fixture.name,
            "fixture",
            partial(parts.selection.choose, [fixture.id]),
            words=(
                f"choose {fixture.short} {fixture.number} {label} "
                f"{fixture.universe}.{fixture.address}"
            ),
        )

    for playable in kinds.on_shelf(show.playables.values()):
        path = f"playables/{playable.id}"
        words = " ".join((playable.folder, *playable.tags))
        yield Entry(playable.name, playable.kind, partial(go, path), words=words)

    for palette in show.palettes.values():
        path = f"palettes/{palette.id}"
        yield Entry(palette.name, "palette", partial(go, path), words=palette.family)

    for page in show.pages.values():
        path = f"pages/{page.id}"
        yield Entry(page.name, "page", partial(go, path), words=tr("perform tiles"))


@dataclass
class _Wish:
    """What of a text has been understood: the names of it, the values that it asks for,
    a level that goes before others, and the words that are left.
    """

    rest: list[str]
    names: list[str] = field(default_factory=list)
    values: Values = field(default_factory=dict)
    level: Values = field(default_factory=dict)

    def take_words(self) -> None:
        """Understand colours and levels."""
        for word in list(self.rest):
            percent = re.fullmatch(r"(\d{1,3})%", word)
            if word in COLOURS:
                rgb = of_hex(COLOURS[word])
                colour = dict(zip(at.TARGET_COLOUR, rgb, strict=True))
                self._take([word], word, {at.DIMMER: 1.0, **colour})
            elif percent:
                share = min(100, int(percent[1]))
                self.level = {at.DIMMER: share / 100}
                self._take([word], tr("{share} %", share=share), {})
            elif word in ("full", "bright"):
                self.level = {at.DIMMER: 1.0}
                self._take([word], tr("full"), {})

    def take_palettes(self, palettes: Iterable[Palette]) -> None:
        """Understand the names of palettes; a colour comes with light."""
        for palette in palettes:
            named = words_of(palette.name)
            there = named and all(word in self.rest for word in named)
            if palette.values and there:
                link = str(Ref(PALETTE, palette.id))
                lit = {at.DIMMER: 1.0} if palette.family == "colour" else {}
                linked: Values = dict.fromkeys(palette.values, link)
                self._take(named, palette.name, {**lit, **linked})

    def _take(self, used: Sequence[str], name: str, values: Values) -> None:
        self.rest = [word for word in self.rest if word not in used]
        self.names.append(name)
        self.values |= values


def wishes(parts: Parts, text: str) -> list[Entry]:
    """What a text asks of lamps: a colour, a palette, a level. It goes into the
    draft.
    """
    wish = _Wish(words_of(text))
    wish.take_words()
    wish.take_palettes(parts.document.show.palettes.values())

    if not wish.names:
        return []
    values = {**wish.values, **wish.level}
    wanted = [word for word in wish.rest if word not in FILLERS]
    return [
        Entry(
            tr("Make {title} {names}", title=title, names=listed(wish.names)),
            tr("into the draft"),
            partial(_give, parts, fixtures, values),
        )
        for title, fixtures in _targets(parts, wanted)[:MOST_TARGETS]
    ]


def _targets(parts: Parts, wanted: Sequence[str]) -> list[tuple[str, list[str]]]:
    """The groups and lamps that words mean; those that are chosen where there are
    none.
    """
    show = parts.document.show
    if not wanted:
        chosen = list(parts.selection.chosen)
        return [(tr("the chosen fixtures"), chosen)] if chosen else []
    found = []
    for group in show.groups.values():
        if _means(wanted, group.name):
            found.append((group.name, list(group.fixtures)))

    for fixture in show.fixtures.values():
        if _means(
            wanted,
            f"{fixture.name} {fixture.short} {fixture.number}",
        ):
            found.append((fixture.name, [fixture.id]))

    found.sort(key=lambda pair: len(pair[0]))
    return found


def _means(wanted: Sequence[str], name: str) -> bool:
    own = words_of(name)
    return all(
        any(o == word or (not word.isdigit() and o.startswith(word)) for o in own)
        for word in wanted
    )


def _give(parts: Parts, fixtures: Sequence[str], values: Values) -> None:
    parts.selection.choose(fixtures)
    parts.draft.touch({fixture: dict(values) for fixture in fixtures})
