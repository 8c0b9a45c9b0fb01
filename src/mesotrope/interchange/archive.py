"""A whole job as one file: its document, its history, its table and its pictures, in a ZIP of open formats."""

from __future__ import annotations

import datetime
import io
import json
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import EARLIEST_YEAR, LATEST_YEAR, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput
from mesotrope.interchange.inspections import read_inspections, write_inspection
from mesotrope.interchange.measurements import standing_rows, write_measurements
from mesotrope.services.exchange import KeptEntry, KeptPhotograph
from mesotrope.services.findings import model_of

FORMAT, VERSION = "mesotrope-job", 1
LARGEST_BYTES, MOST_FILES = 60_000_000, 200


class _Entry(BaseModel):
    model_config = ConfigDict(extra="forbid")

    corner: str
    finding: str
    value: float | str | None
    entered_by: str = Field(max_length=120)
    entered_at: datetime.datetime


class _Picture(BaseModel):
    model_config = ConfigDict(extra="forbid")

    file: str
    corner: str
    stage: str = Field(max_length=60)
    taken_at: datetime.datetime


class _Manifest(BaseModel):
    model_config = ConfigDict(extra="forbid")

    format: str
    version: int
    opened_at: datetime.datetime
    state: str
    history: list[_Entry] = Field(max_length=20_000)
    photographs: list[_Picture] = Field(max_length=100)


@dataclass(frozen=True)
class JobArchive:
    """What an archive holds."""

    inspection: Inspection
    opened_at: datetime.datetime
    state: str
    history: tuple[KeptEntry, ...]
    photographs: tuple[KeptPhotograph, ...]


def write_archive(
    archive: JobArchive, answer: dict[str, Any], knowledge: Knowledge, records: Sequence[dict[str, Any]] = (),
    sheets: Sequence[dict[str, Any]] = (),
) -> bytes:  # fmt: skip
    """The archive as a ZIP: manifest.json, inspection.json, answer.json, measurements.csv, records.json, sheets.json,
    photographs/.

    records : what was decided, signed, done and proved; sheets : what owners were given. They are for reading: nobody's
    signature comes back in from a file.
    """
    files = [f"photographs/{n:03d}.jpg" for n, _ in enumerate(archive.photographs, start=1)]  # no name from the data
    manifest = _Manifest(
        format=FORMAT,
        version=VERSION,
        opened_at=archive.opened_at,
        state=archive.state,
        history=[
            _Entry(corner=e.corner, finding=e.path, value=e.value, entered_by=e.entered_by, entered_at=e.entered_at)
            for e in archive.history
        ],
        photographs=[
            _Picture(file=file, corner=p.corner, stage=p.stage, taken_at=p.taken_at)
            for file, p in zip(files, archive.photographs, strict=True)
        ],
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("manifest.json", manifest.model_dump_json(indent=2))
        packed.writestr("inspection.json", write_inspection(archive.inspection))
        packed.writestr("answer.json", json.dumps(answer, ensure_ascii=False, indent=2))
        packed.writestr("measurements.csv", write_measurements(standing_rows(archive.history), knowledge))
        if records:
            packed.writestr("records.json", json.dumps(list(records), ensure_ascii=False, indent=2))
        if sheets:
            packed.writestr("sheets.json", json.dumps(list(sheets), ensure_ascii=False, indent=2))
        for file, photograph in zip(files, archive.photographs, strict=True):
            packed.writestr(file, photograph.picture)
    return out.getvalue()


def is_archive(data: bytes) -> bool:
    return data[:4] == b"PK\x03\x04"


def read_archive(data: bytes, knowledge: Knowledge) -> JobArchive:
    """Read an archive back. Raises `InvalidInput` saying what is wrong with which part; nothing is taken then."""
    files = _unpack(data)
    for needed in ("manifest.json", "inspection.json"):
        if needed not in files:
            raise InvalidInput("archive", needed, "it is missing: this is not a job archive")
    try:
        manifest = _Manifest.model_validate_json(files["manifest.json"])
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"])
        raise InvalidInput(f"manifest.json, {where}", first.get("input"), first["msg"].lower()) from None
    if (manifest.format, manifest.version) != (FORMAT, VERSION):
        raise InvalidInput(
            "archive",
            f"{manifest.format} {manifest.version}",
            said("{format} {version} is needed", format=verbatim(FORMAT), version=verbatim(VERSION)),
        )
    inspection = read_inspections(files["inspection.json"], knowledge)[0]
    photographs = []
    for picture in manifest.photographs:
        if picture.file not in files:
            raise InvalidInput("archive", picture.file, "the manifest names it, but it is missing")
        model_of(picture.corner)  # refuses what is no place
        taken = _naive(picture.taken_at)
        photographs.append(KeptPhotograph(picture.corner, picture.stage, taken, files[picture.file]))
    history = tuple(_entry(entry, knowledge) for entry in manifest.history)
    return JobArchive(inspection, _naive(manifest.opened_at), manifest.state, history, tuple(photographs))


def _unpack(data: bytes) -> dict[str, bytes]:
    """The files of a ZIP, never more than it may hold unpacked."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            names = packed.infolist()
            if len({info.filename for info in names}) < len(names):
                raise InvalidInput("archive", "two files of one name", "every file may be there once")
            if len(names) > MOST_FILES or sum(info.file_size for info in names) > LARGEST_BYTES:
                words = f"up to {MOST_FILES} files and {LARGEST_BYTES // 1_000_000} MB unpacked are allowed"
                raise InvalidInput("archive", f"{len(names)} files", words)
            return {info.filename: packed.read(info) for info in names}
    except InvalidInput:
        raise
    except Exception as error:  # whatever an unpacker stumbles over in foreign data
        raise InvalidInput("archive", "the file", "it is not a whole ZIP") from error


def _entry(entry: _Entry, knowledge: Knowledge) -> KeptEntry:
    model = model_of(entry.corner)
    value = entry.value
    if value is not None:
        text = value if isinstance(value, str) else f"{value:.12g}"
        value = read_entry(model, entry.finding, text, knowledge, confirmed=True)
    return KeptEntry(entry.corner, entry.finding, value, entry.entered_by, _naive(entry.entered_at))


def _naive(moment: datetime.datetime) -> datetime.datetime:
    """UTC without a zone, as the database keeps it. Raises `InvalidInput` for a moment that no job has."""
    if not EARLIEST_YEAR <= moment.year <= LATEST_YEAR:
        raise InvalidInput(
            "archive",
            moment.isoformat(),
            said(
                "moments lie in the years {earliest_year} to {latest_year}",
                earliest_year=verbatim(EARLIEST_YEAR),
                latest_year=verbatim(LATEST_YEAR),
            ),
        )
    return moment.astimezone(datetime.UTC).replace(tzinfo=None) if moment.tzinfo else moment
