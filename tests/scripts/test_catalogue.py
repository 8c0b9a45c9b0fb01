"""The catalogue of what is said: read out of the programs, fresh, and compiled into a language that speaks."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po, write_po

import mesotrope.web
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput
from mesotrope.words import Speaker, language_of, languages
from scripts.catalogue import CATALOGUE, compile_languages, messages, of_knowledge, of_python

TEMPLATES = Path(mesotrope.web.__file__).parent / "templates"


@pytest.fixture(scope="module")
def template():
    return messages()


def test_what_a_program_says_marks_or_refuses_with_is_found():
    program = """
def tell(n, sure):
    yield said("lining {left}", left="none" if n else mm(n))
    yield marked("seized") if sure else marked("stiff")
    raise InvalidInput(name, n, "choose one of the list" if n else "a number is needed")
class Odd(MesotropeError):
    message = "{what} is odd."
"""
    assert {message for _, message in of_python(program)} == {
        "lining {left}", "none", "seized", "stiff", "choose one of the list", "a number is needed", "{what} is odd.",
    }  # fmt: skip


def test_of_the_knowledge_words_are_found_and_names_and_sources_are_not():
    table = {
        "fault": [{"id": "pin_seized", "words": "one slide pin seized", "source": "[practice]"}],
        "hints": {"spin": "by hand"},
    }
    assert [message for _, message in of_knowledge(table)] == ["one slide pin seized", "by hand"]


#: A link or anything else that is marked on a page, and a whole sentence with whatever stands in it.
MARKED = re.compile(r"<(a|b|i|span) ?[^>]*>(?:(?!</\1>).)*</\1>", re.DOTALL)
TRANS = re.compile(r"\{% trans.*?%\}(.*?)\{% endtrans %\}", re.DOTALL)


def _cut_sentences(template):
    """Where a sentence goes on behind a link, or before it, as a message of its own: nobody can translate that."""
    whole = TRANS.sub(lambda block: '{{ _("' + " ".join(block[1].split()).replace('"', "") + '") }}', template)
    for marked in MARKED.finditer(whole):
        before, after = whole[: marked.start()].rstrip(), whole[marked.end() :].lstrip()
        ended = re.search(r'(.)"\) \}\}$', before)
        goes_on = re.match(r"""\{\{ _\(["']([,.;:a-z])""", after)
        if (goes_on and goes_on[1] in ",.;:") or (marked[1] == "a" and (goes_on or (ended and ended[1] in ",;"))):
            yield whole[max(0, marked.start() - 60) : marked.end() + 60]


def test_a_sentence_is_not_cut_by_a_link():
    assert list(_cut_sentences('{{ _("Open it") }} <a href="/x">{{ _("there") }}</a> {{ _("to go on.") }}'))
    cut = {page.name: found for page in TEMPLATES.rglob("*.html") if (found := list(_cut_sentences(page.read_text())))}
    assert cut == {}


def test_the_written_catalogue_is_fresh(template):
    """`make words` writes it; what was said otherwise since then needs it anew."""
    with (CATALOGUE / "mesotrope.pot").open("rb") as file:
        written = read_po(file)
    assert {message.id for message in written if message.id} == {message.id for message in template if message.id}


def test_messages_of_programs_templates_and_counted_ones_are_in_it(template):
    for message in (
        "Take a vehicle in",
        "one slide pin seized",
        "It is in the shop already",
        "{place}: {fault}. {because}",
    ):
        assert (message in template) == (message != "It is in the shop already"), message
    counted = template.get("%(kept)s rule changed.")
    assert counted is not None
    assert counted.id == ("%(kept)s rule changed.", "%(kept)s rules changed.")


def test_a_language_is_a_catalogue_of_words(template, tmp_path):
    begun = Catalog(locale="sv")
    begun.add("Signed by {name}.", "Undertecknat av {name}.")
    with (tmp_path / "sv.po").open("wb") as out:
        write_po(out, begun)
    compile_languages(tmp_path, template)
    speaker = Speaker(language=language_of("sv", tmp_path))
    assert speaker(said("Signed by {name}.", name=verbatim("Ann"))) == "Undertecknat av Ann."
    assert speaker("one slide pin seized") == "one slide pin seized"  # not written yet: said in English
    assert speaker.code == "sv"
    assert languages(tmp_path) == ("en", "sv")


def test_a_language_that_there_is_not_is_refused_by_name():
    with pytest.raises(InvalidInput, match="language: 'tlh' cannot be used; allowed: en"):
        language_of("tlh")


#: British ways of writing what is written the American way here, and names of the open format that keep theirs.
BRITISH = re.compile(
    r"\b(colours?|labours?|grey|practis\w+|bonnets?|spanners?|tyres?|centres?|judgements?|litres?"
    r"|metres?|licences?|behaviours?|organis\w+|recognis\w+|windscreens?|catalogues?)\b",
    re.IGNORECASE,
)
KEPT = {"fluid_colour", "under_bonnet", "under bonnet", "bonnet", "tyre"}


def test_what_is_said_is_spelled_the_american_way(template):
    said_so = [str(message.id) for message in template if message.id and str(message.id) not in KEPT]
    assert len(said_so) > 4000
    assert [words for words in said_so if BRITISH.search(words)] == []
