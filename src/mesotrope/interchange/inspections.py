"""Inspection documents as files: one document, a list of them, or one a line; and the format's schema."""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel

from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import FORMAT, VERSION, Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput

#: Where the schema stands, for ever, whatever the address of the application.
SCHEMA_NAME = f"{FORMAT}-{VERSION}.schema.json"

MOST_DOCUMENTS, LARGEST_BYTES = 5_000, 12_000_000


def schema() -> dict[str, Any]:
    """The JSON Schema of the inspection format, made from the models that read it."""
    return published(Inspection, f"{FORMAT}, version {VERSION}")


def published(model: type[BaseModel], title: str) -> dict[str, Any]:
    """The JSON Schema of a model, as a format of this product is published."""
    made = model.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": title,
        **{key: value for key, value in made.items() if key != "title"},
    }


def write_inspection(inspection: Inspection) -> str:
    """A document as a file: indented, without what was not looked at."""
    return inspection.model_dump_json(exclude_none=True, indent=2) + "\n"


def read_inspections(data: bytes, knowledge: Knowledge) -> list[Inspection]:
    """Read a file of documents: one JSON object, a list of them, or one a line.

    All of them are checked before any is returned. Raises `InvalidInput` naming the document, the field, the value
    and what is allowed.
    """
    if len(data) > LARGEST_BYTES:
        raise InvalidInput(
            "file", f"{len(data)} bytes", said("up to {most} MB are allowed", most=verbatim(LARGEST_BYTES // 1000000))
        )
    text = text_of(data)
    documents = _documents(text)
    if not documents:
        raise InvalidInput("file", "nothing", "at least one inspection document is needed")
    if len(documents) > MOST_DOCUMENTS:
        raise InvalidInput(
            "file",
            f"{len(documents)} documents",
            said("up to {most} at once are allowed", most=verbatim(MOST_DOCUMENTS)),
        )
    out = []
    for name, document in documents:
        try:
            inspection = parse_inspection(document)
            check(inspection, knowledge)
        except InvalidInput as error:
            raise InvalidInput(name, "the document", str(error)) from None
        out.append(inspection)
    return out


def text_of(data: bytes) -> str:
    """A file's text, with or without a byte order mark. Raises `InvalidInput` where it is not UTF-8."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise InvalidInput("file", "its text", "it must be text in UTF-8") from None


def _documents(text: str) -> list[tuple[str, str]]:
    """Each document with the name it is known by in messages."""
    try:
        whole = json.loads(text)
    except (ValueError, RecursionError):
        lines = [(f"line {n}", line) for n, line in enumerate(text.splitlines(), start=1) if line.strip()]
        return lines if len(lines) > 1 else [("document", text)]
    if isinstance(whole, list):
        return [(f"document {n}", json.dumps(item)) for n, item in enumerate(whole, start=1)]
    return [("document", text)]
