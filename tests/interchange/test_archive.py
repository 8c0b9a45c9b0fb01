"""A whole job as one file, and back into a workshop without loss."""

from __future__ import annotations

import io
import json
import zipfile

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.answer.document import answer_document
from mesotrope.errors import InvalidInput
from mesotrope.interchange.archive import JobArchive, read_archive, write_archive
from mesotrope.knowledge import knowledge
from mesotrope.services.exchange import KeptEntry, KeptPhotograph, all_photographs, import_documents, restore_job
from mesotrope.services.findings import history_of
from mesotrope.services.jobs import open_job
from mesotrope.words import PLAINLY
from tests.documents import inspect, pads
from tests.services.test_photographs import picture


def _archive(clock):
    inspection = inspect({"front_left": {"pad_mm": pads(5, 6), "pin": {"upper": "free"}}}, label="Red van")
    history = (
        KeptEntry("front_left", "pin.upper", "stiff", "Ilse", clock()),
        KeptEntry("front_left", "pin.upper", "free", "Ilse", clock()),
        KeptEntry("front_left", "pad_mm.inner.lead_rim", 4.9, "Bram", clock()),
        KeptEntry("system", "fluid_level", None, "Bram", clock()),
    )
    return JobArchive(inspection, clock(), "open", history, (KeptPhotograph("front_left", "look", clock(), picture()),))


def _packed(clock):
    archive = _archive(clock)
    return write_archive(archive, answer_document(diagnose(archive.inspection, knowledge()), PLAINLY), knowledge())


def test_an_archive_comes_back_as_it_was_packed(clock):
    assert read_archive(_packed(clock), knowledge()) == _archive(clock)


def test_an_archive_holds_only_open_formats(clock):
    with zipfile.ZipFile(io.BytesIO(_packed(clock))) as packed:
        assert packed.namelist() == [
            "manifest.json", "inspection.json", "answer.json", "measurements.csv", "photographs/01-front_left-look.jpg"
        ]  # fmt: skip
        assert json.loads(packed.read("inspection.json"))["format"] == "mesotrope-inspection"


def test_a_restored_job_has_its_findings_history_and_pictures(database, someone, clock):
    who, kept = someone(), read_archive(_packed(clock), knowledge())
    number = restore_job(
        database, kept.inspection, kept.history, kept.photographs, opened_at=kept.opened_at, state=kept.state, by=who,
        now=clock(),
    )  # fmt: skip
    job = open_job(database, number, by=who, knowledge=knowledge())
    assert job.findings == {("front_left", "pin.upper"): "free", ("front_left", "pad_mm.inner.lead_rim"): 4.9}
    assert [(e.path, e.value) for e in history_of(database, number, by=who)][:2] == [
        ("pin.upper", "stiff"), ("pin.upper", "free")
    ]  # fmt: skip
    assert len(all_photographs(database, number, by=who)) == 1


def _repacked(clock, **changed):
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(_packed(clock))) as packed, zipfile.ZipFile(out, "w") as again:
        for name in packed.namelist():
            if changed.get(name, b"") is not None:
                again.writestr(name, changed.get(name, packed.read(name)))
    return out.getvalue()


@pytest.mark.parametrize(
    ("changed", "message"),
    [
        ({"manifest.json": None}, "manifest.json.*it is missing"),
        ({"photographs/01-front_left-look.jpg": None}, "the manifest names it, but it is missing"),
        ({"manifest.json": b"{}"}, "manifest.json, format"),
        ({"inspection.json": b'{"version": 9}'}, "version"),
    ],
)
def test_a_broken_archive_is_refused_with_the_part(clock, changed, message):
    with pytest.raises(InvalidInput, match=f"(?s){message}"):
        read_archive(_repacked(clock, **changed), knowledge())


def test_what_is_no_zip_is_refused():
    with pytest.raises(InvalidInput, match="it is not a whole ZIP"):
        read_archive(b"PK\x03\x04 nothing", knowledge())


def test_a_picture_that_is_none_leaves_nothing_behind(database, someone, clock):
    who = someone()
    broken = (KeptPhotograph("front_left", "look", clock(), b"no picture"),)
    with pytest.raises(InvalidInput, match="it is not a whole JPEG"):
        restore_job(
            database, inspect({}, label="Gone"), (), broken, opened_at=clock(), state="open", by=who, now=clock()
        )
    assert import_documents(database, [], by=who, now=clock()) == []
