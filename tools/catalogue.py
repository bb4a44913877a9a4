"""Catalogues of texts: what the program says is gathered from its code, for a language
to be added or brought up to date. `bin/language de` is all that a translator needs.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from choreon.language import DOMAIN
from choreon.model import attributes

SOURCE = Path(__file__).parent.parent / "src" / "choreon"
PAGES = SOURCE / "ui" / "help" / "pages"
KEYWORDS = {"tr": None, "tr_about": ((1, "c"), 2), "plural": (2, 3)}

Text = str | tuple[str, ...]
"""What is said; one and many of it, where it is counted."""


def texts() -> Iterator[tuple[Text, str, int, str | None]]:
    """Returns what the program says, in which file and line, and what it is about where
    that needs to be told.
    """
    method = [("**.py", "python")]
    for name, line, said, _, about in extract_from_dir(
        SOURCE, method, keywords=KEYWORDS
    ):
        yield said, f"src/choreon/{name}", line, about

    # they stand in a table of their own
    for known in attributes.TEMPLATES.values():
        yield known.label, "src/choreon/model/attributes.py", 1, None


def gathered(language: str | None = None) -> Catalog:
    """Returns a catalogue of all texts that has no words of the language yet."""
    catalogue = Catalog(locale=language, domain=DOMAIN, charset="utf-8", fuzzy=False)
    for said, name, line, about in texts():
        catalogue.add(said, locations=[(name, line)], context=about)
    catalogue.add("1.5", auto_comments=["How a number is written: 1,5 in many places."])
    return catalogue


def filled(say: Callable[[str], str], language: str) -> Catalog:
    """Returns a catalogue with all texts said by `say`."""
    catalogue = gathered(language)
    for message in catalogue:
        if isinstance(message.id, str):
            message.string = say(message.id) if message.id else message.string
        else:
            one, many = message.id
            message.string = (say(one), *[say(many)] * (catalogue.num_plurals - 1))
    return catalogue


def compile_to(folder: Path, language: str, catalogue: Catalog) -> Path:
    """Write a catalogue as it is read when the program starts. Returns its file."""
    path = folder / language / "LC_MESSAGES" / f"{DOMAIN}.mo"
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        write_mo(file, catalogue)
    return path


def bring_up_to_date(language: str) -> Path:
    """Write LANGUAGE.po beside the program: new texts come in, what was said stays; and
    compile it. Returns the file that is to be worked on.
    """
    folder = SOURCE / "locale"
    folder.mkdir(exist_ok=True)
    path = folder / f"{language}.po"
    catalogue = gathered(language)
    if path.exists():
        with path.open("rb") as file:
            before = read_po(file, locale=language, domain=DOMAIN)
        before.update(catalogue)
        catalogue = before

    with path.open("wb") as file:
        write_po(file, catalogue, width=88, omit_header=False)
    compile_to(folder, language, catalogue)
    return path


def main() -> int:
    """Bring the language that is named up to date, and tell how far it is."""
    if len(sys.argv) != 2:
        print("Say which language, by its code: bin/language de", file=sys.stderr)
        return 2

    language = sys.argv[1]
    path = bring_up_to_date(language)
    with path.open("rb") as file:
        known = [m.string for m in read_po(file, locale=language) if m.id]
    done = sum(bool(said) and all(said or ()) for said in known)

    print(f"{path}: {done} of {len(known)} texts are said. Work on it with any editor")
    print("of PO files, then run this once more. Pages of the help go to")
    print(f"{PAGES / language}, under the names of those beside it.")
    print(f"Try it: LANGUAGE={language} bin/demo")
    return 0


if __name__ == "__main__":
    sys.exit(main())
