"""The one way by which texts come to be seen. What is written in the code is English;
a catalogue in locale/ may hold the same in another language.

A text is a whole sentence, or a whole label; what changes in it is a field with a name,
so that another language can put it elsewhere. Lists, facts in a row and sentences one
after the other are made here, too: nothing that is seen is joined from parts elsewhere.

The language is that of the surroundings (LANGUAGE, LC_ALL, LC_MESSAGES, LANG) and holds
from start to end: texts may be asked for as a module is loaded.
"""

from __future__ import annotations

import gettext
import logging
import os
from collections.abc import Iterable
from pathlib import Path
from string import Formatter

log = logging.getLogger(__name__)

DOMAIN = "choreon"
# Where catalogues lie: LANGUAGE/LC_MESSAGES/choreon.mo, made by bin/language.
FOLDER = Path(os.environ.get("CHOREON_LOCALE") or Path(__file__).parent / "locale")


def _found() -> gettext.NullTranslations:
    """The catalogue of the surroundings' language; English where there is none, or it
    cannot be read: a show is never kept from being played by words.
    """
    try:
        return gettext.translation(DOMAIN, FOLDER, fallback=True)
    except Exception:  # a damaged file fails in many ways
        log.exception("the words of this language cannot be read")
        return gettext.NullTranslations()


CATALOGUE = _found()
CANNOT_BE_FILLED = (KeyError, IndexError, ValueError, AttributeError, TypeError)
"""What a field of a translated text raises that is written wrongly."""


def code() -> str:
    """The language that is spoken, by its code: “de”; “en” where there is no other."""
    return str(CATALOGUE.info().get("language", "")) or "en"


class _Decimals(Formatter):
    """Numbers with a decimal sign that is no point."""

    def __init__(self, sign: str) -> None:
        self.sign = sign

    def format_field(self, value: object, format_spec: str) -> str:
        said = str(super().format_field(value, format_spec))
        return said.replace(".", self.sign) if isinstance(value, float) else said


def _formatter() -> Formatter | None:
    """What writes numbers as the language does; None where that is as here."""
    sign = CATALOGUE.gettext("1.5").strip("15")
    return _Decimals(sign) if sign not in (".", "") else None


_FORMATTER = _formatter()


def _filled(text: str, fields: dict[str, object], said: str) -> str:
    """What is said with its fields filled in; English where a field of it is wrong."""
    try:
        return _with(said, fields)
    except CANNOT_BE_FILLED:
        log.warning("a text cannot be filled in: %s", said)
        return _with(text, fields)


def _with(text: str, fields: dict[str, object]) -> str:
    if _FORMATTER is None:
        return text.format(**fields)
    return _FORMATTER.vformat(text, (), fields)


def tr(text: str, /, **fields: object) -> str:
    """`text` in the language of the surroundings, with its fields filled in as
    str.format does. Without fields, braces in it stand for themselves.
    """
    said = CATALOGUE.gettext(text)
    return _filled(text, fields, said) if fields else said


def tr_about(about: str, text: str, /, **fields: object) -> str:
    """As `tr`, for a word that means several things: `about` tells a translator which,
    and is not seen.
    """
    said = CATALOGUE.pgettext(about, text)
    return _filled(text, fields, said) if fields else said


def plural(number: int, one: str, many: str, /, **fields: object) -> str:
    """The form that goes with `number`, which is the field n of both: one for 1, many
    for all else, or as many forms as the language has.
    """
    english = one if number == 1 else many
    said = CATALOGUE.ngettext(one, many, number)
    return _filled(english, {"n": number, **fields}, said)


def listed(names: Iterable[str], most: int = 0) -> str:
    """“Front 1, Front 2 and Back”; of more than `most` names those and “… and 4 more”
    (0: all of them). Empty for none.
    """
    all_of_them = list(names)
    if most and len(all_of_them) > most:
        rest = len(all_of_them) - most
        names_before = _in_a_row(all_of_them[:most])
        return plural(
            rest, "{names} and {n} more", "{names} and {n} more", names=names_before
        )
    if len(all_of_them) < 2:
        return "".join(all_of_them)
    *before, last = all_of_them
    return tr("{names} and {last}", names=_in_a_row(before), last=last)


def in_a_row(names: Iterable[str]) -> str:
    """“intensity, colour”."""
    return _in_a_row(list(names))


def _in_a_row(names: list[str]) -> str:
    said = "".join(names[:1])
    for name in names[1:]:
        said = tr("{names}, {name}", names=said, name=name)
    return said


def facts(*parts: str) -> str:
    """“6 fixtures · intensity · 2 effects”: what is not empty, side by side."""
    said = ""
    for part in filter(None, parts):
        said = tr("{facts} · {fact}", facts=said, fact=part) if said else part
    return said


def sentences(*parts: str) -> str:
    """Whole sentences one after the other; what is empty is left out."""
    said = ""
    for part in filter(None, parts):
        said = (
            tr("{sentences} {sentence}", sentences=said, sentence=part)
            if said
            else part
        )
    return said


def capital(text: str) -> str:
    """The same with a capital letter at its beginning; all else as it is."""
    return text[:1].upper() + text[1:]


def number(value: float, digits: int) -> str:
    """A number with so many digits after the decimal sign of the language."""
    text = f"{{value:.{digits}f}}"
    return _filled(text, {"value": float(value)}, text)
