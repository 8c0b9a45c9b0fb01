"""The catalogue of everything the product says, for whoever writes another language.

Reads it out of programs, templates and knowledge and writes `words/catalogue/mesotrope.pot`. Of every language beside
it, says how much is still to be written, and compiles it. `docs/contributor.md` tells how a language is added.
"""

from __future__ import annotations

import ast
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import get_args

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po
from jinja2.ext import babel_extract

from mesotrope.core.language.corner import AXLES, PLACES_ON_VEHICLE
from mesotrope.core.language.inspection import RecentWork, Usage
from mesotrope.core.language.units import CHOICES
from mesotrope.core.physics.pads import PLACES
from mesotrope.core.workings.catalogue import WORKINGS
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.provenance import named
from mesotrope.services.people import ROLES
from mesotrope.services.plans import VERDICTS
from mesotrope.web.vehicle.pages import AXLE_FIELDS, VEHICLE_FIELDS

SOURCE = Path(__file__).resolve().parents[1] / "src" / "mesotrope"
CATALOGUE = SOURCE / "words" / "catalogue"

#: Whose first argument is a message, and the gaps of it too.
SAYS = frozenset({"said", "marked", "say", "gettext", "begin", "one_of", "joined", "placed"})

#: Errors, and which of their arguments are messages.
REFUSES = {
    "InvalidInput": (0, 2), "Surprising": (0, 2), "NoWearMeasurable": (0, 2), "NotNow": (0,), "NotAllowed": (0, 1),
    "NotFound": (0,), "LinkGone": (0,), "Busy": (0,),
}  # fmt: skip

#: Keys of the knowledge whose texts are names of the data, or cited as they are.
UNSAID = frozenset({"id", "source", "basis", "clause", "author", "title"})

Found = Iterator[tuple[int, str | tuple[str, str]]]


def _texts(node: ast.expr) -> Iterator[ast.Constant]:
    """The texts that an argument may be: itself, either of two, or each of several."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value.strip():
        yield node
    parts = {
        ast.IfExp: ("body", "orelse"), ast.BoolOp: ("values",), ast.List: ("elts",), ast.Tuple: ("elts",),
        ast.Dict: ("values",), ast.Subscript: ("value",),
    }.get(type(node), ())  # fmt: skip
    for name in parts:
        part = getattr(node, name)
        for one in part if isinstance(part, list) else [part]:
            yield from _texts(one)


def of_python(text: str) -> Found:
    """The messages of a program: what it says, marks, or refuses with."""
    for node in ast.walk(ast.parse(text)):
        found: list[ast.expr] = []
        if isinstance(node, ast.Call):
            name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
            places = (0,) if name in SAYS else REFUSES.get(name, ())
            found = [node.args[place] for place in places if place < len(node.args)]
            found += [gap.value for gap in node.keywords] if name in SAYS else []
        elif isinstance(node, ast.Assign):
            named = {getattr(one, "id", getattr(one, "attr", "")) for one in node.targets}
            found = [node.value] if "message" in named else []
        for one in found:
            yield from ((text.lineno, text.value) for text in _texts(one))


def of_template(path: Path) -> Found:
    """The messages of a template."""
    options = {"trimmed": "true", "silent": "false"}
    with path.open("rb") as file:
        for line, _, message, _ in babel_extract(
            file, ("_", "gettext", "ngettext", "say"), [], {**options, "encoding": "utf-8"}
        ):
            texts = (message,) if isinstance(message, str) else tuple(one for one in message or () if one)
            if texts:
                yield line, texts[0] if len(texts) == 1 else (texts[0], texts[1])


def of_knowledge(table: object, key: str = "") -> Found:
    """The words of a table of the knowledge."""
    if isinstance(table, dict):
        for name, value in table.items():
            yield from of_knowledge(value, name)
    elif isinstance(table, list):
        for value in table:
            yield from of_knowledge(value, key)
    elif isinstance(table, str) and table.strip() and key not in UNSAID:
        yield 1, table.removeprefix("from memory; ")


def of_the_format() -> Iterator[str]:
    """Words of the open format, and names of the data, that pages show as they stand: `front_left` is “front left”."""
    known = knowledge()
    words: list[str] = [place.words for place in PLACES_ON_VEHICLE] + [axle.words for axle in AXLES]
    words += [*get_args(Usage), *get_args(RecentWork), *VERDICTS, *ROLES, *CHOICES]
    for field in (*known.corner_fields, *known.system_fields):
        words += [*field.values, field.key.partition(".")[2].replace(".", " ")]
    words += [word for working in WORKINGS for given in working.given for word in given.words]
    words += [named(value.id)[0] for value in (*known.limits, *known.gauges, *known.day_values)]
    words += [grade.id for grade in known.fluid_grades] + [school.question.lower() for school in known.schools]
    words += [grade for rows in (known.likelihoods, known.system_likelihoods) for row in rows for grade in row.order]
    words += [option for *_, options in (*VEHICLE_FIELDS, *AXLE_FIELDS) for option in options]
    words += [f"{side} {place}".replace("_", " ") for side in ("inner", "outer") for place in ("", "pad", *PLACES)]
    words += [f"{pin} pin" for pin in ("upper", "lower")] + [f"place {number}" for number in range(1, 9)]
    words += [
        "upper",
        "lower",
        "left",
        "right",
        "car",
        "light truck",
        "motorcycle",
        "rotor",
        "drum",
        "best",
        "worst",
        "seconds",
        "turns",
    ]
    yield from dict.fromkeys(word.replace("_", " ").strip() for word in words if word.strip())


def messages() -> Catalog:
    """Everything that is said, with where."""
    catalogue = Catalog(project="Mesotrope", charset="utf-8", fuzzy=False)
    for path in sorted(SOURCE.rglob("*")):
        place = path.relative_to(SOURCE)
        if place.parts[0] == "demo" or "migrations" in place.parts:
            continue
        read = {
            ".py": lambda: of_python(path.read_text(encoding="utf-8")),  # noqa: B023
            ".html": lambda: of_template(path),  # noqa: B023
            ".toml": lambda: of_knowledge(tomllib.loads(path.read_text(encoding="utf-8"))),  # noqa: B023
        }.get(path.suffix)
        for line, message in read() if read else ():
            catalogue.add(message, locations=[(place.as_posix(), line)])
    for word in of_the_format():
        catalogue.add(word)
    return catalogue


def write_template(folder: Path, template: Catalog) -> None:
    """Write what is to be translated; without line numbers, which every change of a program moves."""
    with (folder / "mesotrope.pot").open("wb") as out:
        write_po(out, template, width=120, omit_header=True, include_lineno=False)


def compile_languages(folder: Path, template: Catalog) -> None:
    """Bring every language of a folder up to date, say what is missing in it, and compile it."""
    for path in sorted(folder.glob("*.po")):
        with path.open("rb") as file:
            language = read_po(file)
        language.update(template)
        missing = sum(not message.string for message in language if message.id)
        print(f"{path.stem}: {missing} still to be written")
        with path.open("wb") as out:
            write_po(out, language, width=120)
        with path.with_suffix(".mo").open("wb") as out:
            write_mo(out, language)


def main() -> None:
    template = messages()
    write_template(CATALOGUE, template)
    print(f"{len(template)} messages")
    compile_languages(CATALOGUE, template)


if __name__ == "__main__":
    main()
