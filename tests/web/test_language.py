"""A language is a catalogue of words: nothing on a page escapes it, and it holds everything that a page asks for.

A pseudo-language puts brackets round each message; letters outside of them are what somebody wrote, a unit, or a leak.
"""

from __future__ import annotations

import json
import re
from gettext import NullTranslations
from html.parser import HTMLParser
from pathlib import Path

import pytest
from sqlalchemy import text

import mesotrope
from mesotrope.core.language.saying import mm, said
from mesotrope.core.language.units import WRITTEN, Units
from mesotrope.errors import Busy, Clash, InvalidInput, LinkGone, NotFound, NotNow, TooManyAttempts
from mesotrope.store.instance import Instance
from mesotrope.web.script_words import SCRIPT_WORDS
from mesotrope.words import Speaker
from scripts.catalogue import messages
from tests.web.every_page import PAGES, reader

SPOKEN = ("aria-label", "placeholder", "title", "alt", "data-head", "data-words")

#: Written the same in every language: the product's name, units, signs of a formula, a currency, columns of a file.
ALIKE = {
    "Mesotrope", "EUR", "UTC", "DOT", "MAX", "MIN", *WRITTEN.values(), *WRITTEN, "W", "kg", "kPa", "ppm", "L",
    "plate", "vin", "kind", "name", "owner", "telephone", "email", "allowed",
}  # fmt: skip


class Pseudo(NullTranslations):
    """Brackets round everything that is said; it remembers what was asked for."""

    def __init__(self) -> None:
        super().__init__()
        self.asked: dict[str, None] = {}

    def gettext(self, message: str) -> str:
        self.asked[message] = None
        return f"⟦{message}⟧"

    def ngettext(self, one: str, several: str, count: int) -> str:
        self.asked |= {one: None, several: None}
        return self.gettext(one if count == 1 else several)


class Outside(HTMLParser):
    """Collects what stands outside of every bracket; what is marked as not to be translated is left out."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.depth = 0
        self.kept: list[str] = []
        self.found: list[str] = []

    def handle_starttag(self, tag, attributes):
        if (
            (self.kept and self.kept[-1] == tag)
            or tag in ("script", "style", "textarea")
            or ("translate", "no") in attributes
        ):
            self.kept.append(tag)
        if not self.kept:
            self.found += [self._outside(value) for name, value in attributes if name in SPOKEN and value]

    def handle_endtag(self, tag):
        if self.kept and self.kept[-1] == tag:
            self.kept.pop()

    def handle_data(self, data):
        if not self.kept:
            self.found.append(self._outside(data))

    def _outside(self, data):
        out = []
        for sign in data:
            self.depth += (sign == "⟦") - (sign == "⟧")
            out.append(sign if self.depth == 0 and sign != "⟧" else " ")
        return "".join(out)


@pytest.fixture(scope="module")
def read(instance: Instance):
    """Every page in the pseudo-language, what it asked the catalogue for, and what people wrote."""
    pseudo = Pseudo()
    with reader(instance, "mesotrope_language", pseudo) as client:
        pages = {page: client.get(page).text for page in PAGES}
        database = client.app.state.shop.database
        with database.at_the_door() as session:
            tables = session.scalars(
                text("select table_name from information_schema.tables where table_schema=database()")
            )
            rows = [row for table in tables.all() for row in session.execute(text(f"select * from `{table}`"))]
    written = {text for row in rows for value in row if isinstance(value, str) for text in _free_texts(value)}
    return pages, pseudo, sorted(written, key=len, reverse=True)


def _free_texts(value) -> list[str]:
    """What somebody wrote, not a name of the format: it has a capital letter, a figure or a space in it."""
    if isinstance(value, str) and value[:1] in ("{", "["):
        value = json.loads(value)
    if isinstance(value, dict | list):
        return [one for part in (value.values() if isinstance(value, dict) else value) for one in _free_texts(part)]
    return [value] if isinstance(value, str) and re.search(r"[A-Z\d ]", value) and len(value) > 2 else []


def _words(written: str) -> list[str]:
    return re.findall(r"[^\W\d_]+", written)


def _escaped(page: str, written: list[str], of_somebody: re.Pattern[str]) -> list[str]:
    """Words of a page that are neither said by way of the catalogue nor written by somebody."""
    outside = Outside()
    outside.feed(page)
    assert outside.depth == 0, "a message that was cut in two"
    alike = {word for one in ALIKE for word in _words(one)}
    left = []
    for words in filter(_words, outside.found):
        rest = [word for word in _words(of_somebody.sub("", words)) if len(word) > 2 and word not in alike]
        cut_short = rest and any(text.startswith(words.strip(" …")) for text in written)  # a name that did not fit
        left += [] if cut_short or "/" in words else rest
    return left


def test_no_word_of_any_page_escapes_the_catalogue(read):
    pages, _, written = read
    of_somebody = re.compile("|".join(map(re.escape, written)))
    assert {page: words for page, text in pages.items() if (words := _escaped(text, written, of_somebody))} == {}


def test_no_page_shows_what_was_not_put_into_words(read):
    assert [page for page, text in read[0].items() if re.search(r"(Said|Joined|AsWritten|Figure)\(", text)] == []


def test_the_catalogue_holds_everything_that_the_pages_ask_for(read):
    held = {one for message in messages() for one in ((message.id,) if isinstance(message.id, str) else message.id)}
    assert [message for message in read[1].asked if message not in held] == []


class Swedish(NullTranslations):
    """A few words of another language, as a catalogue would bring them."""

    def gettext(self, message):
        return {
            "{name}: {value} cannot be used; {requirement}": "{requirement} ({name}, inte {value})",
            "allowed: up to {most}": "högst {most}", "lining": "belägg", "There is no such {kind} in this workshop.":
            "Det finns ingen {kind} här.", "job": "beställning",
        }.get(message, message)  # fmt: skip


@pytest.mark.parametrize(
    ("error", "told"),
    [
        (
            InvalidInput("lining", "7..5", said("allowed: up to {most}", most=mm(25.4))),
            "högst 1.000 in (belägg, inte '7..5')",
        ),
        (NotFound("job"), "Det finns ingen beställning här."),
        (NotNow("it is released already"), "This cannot be done now: it is released already."),
        (
            Clash("lining", 3, None, "Ann", 7),
            "belägg: Ann took it back in the meantime; you entered 3. Choose which stands.",
        ),
        (TooManyAttempts(300), "Too many refused sign-ins from here. Try again in 5 minutes."),
        (Busy(), "The database does not answer. Nothing was changed; try again in a moment."),
        (LinkGone("This link is not good any more."), "This link is not good any more."),
    ],
)  # fmt: skip
def test_a_refusal_is_said_in_the_language_and_the_units_of_who_is_refused(error, told):
    assert Speaker(Units(length="in"), Swedish()).refusal(error) == told


def test_without_a_speaker_an_error_is_said_in_plain_english_in_the_units_that_are_kept():
    error = InvalidInput("lining", "7..5", said("allowed: up to {most}", most=mm(25.4)))
    assert str(error) == "lining: '7..5' cannot be used; allowed: up to 25.4 mm"


def test_the_scripts_say_what_the_page_brings_and_nothing_else():
    folder = Path(mesotrope.__file__).parent / "web" / "scripts"
    scripts = "\n".join(path.read_text(encoding="utf-8") for path in sorted(folder.glob("*.js")))
    told = set(re.findall(r'\bt\(\s*"([^"]+)"', scripts)) | set(re.findall(r'\bt\(\w+ \? "([^"]+)" : "', scripts))
    told |= set(re.findall(r'\bt\(\w+ \? "[^"]+" : "([^"]+)"', scripts))
    assert told == set(SCRIPT_WORDS)
