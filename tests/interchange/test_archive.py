"""A whole job as one file, and back into a workshop without loss."""

from __future__ import annotations

import io
import json
import warnings
import zipfile
from dataclasses import replace

import pytest
from sqlalchemy import select

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.answer.document import answer_document
from mesotrope.errors import InvalidInput
from mesotrope.interchange.archive import JobArchive, read_archive, write_archive
from mesotrope.interchange.measurements import read_measurements
from mesotrope.knowledge import knowledge
from mesotrope.services.exchange import KeptEntry, KeptPhotograph, all_photographs, import_documents, restore_job
from mesotrope.services.findings import history_of
from mesotrope.services.jobs import open_job
from mesotrope.store.tables import FindingEntry
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
            "manifest.json", "inspection.json", "answer.json", "measurements.csv", "photographs/001.jpg"
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


def test_what_an_archive_says_of_who_and_when_is_its_claim_the_entries_are_the_importers(database, someone, clock):
    forged = someone()
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(_packed(clock))).read("manifest.json"))
    for entry in manifest["history"]:
        entry |= {"entered_by": forged.name, "entered_at": "2001-01-01T00:00:00Z"}
    who = someone()
    kept = read_archive(_repacked(clock, **{"manifest.json": json.dumps(manifest).encode()}), knowledge())
    number = restore_job(
        database, kept.inspection, kept.history, kept.photographs, opened_at=kept.opened_at, state=kept.state, by=who,
        now=clock(),
    )  # fmt: skip
    assert {(entry.by_id, entry.at) for entry in history_of(database, number, by=who)} == {(who.person_id, clock())}
    with database.of_workshop(who.workshop_id) as session:
        claims = session.scalars(select(FindingEntry).where(FindingEntry.job_id == number)).all()
    assert {(claim.claimed_by, claim.claimed_at.year) for claim in claims} == {(forged.name, 2001)}


KILLERS = ["rotor_mm.100000000", "rotor_mm.0", "rotor_mm.²", "rotor_mm.13", "spin.turns.foo", "pad_mm", "rotor_mm"]


@pytest.mark.parametrize("place", KILLERS)
def test_a_place_that_is_none_is_refused_before_anything_is_written(clock, place):
    """Such files once made the bays of every workshop take 45 s and 8 GB, or answer 422 until the job was closed."""
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(_packed(clock))).read("manifest.json"))
    manifest["history"][0] |= {"finding": place, "value": "5"}
    with pytest.raises(InvalidInput, match=r"there is no such finding|numbered 1 to 12|no finding of this name"):
        read_archive(_repacked(clock, **{"manifest.json": json.dumps(manifest).encode()}), knowledge())
    table = f"corner,finding,value\r\nfront_left,{place},5\r\n".encode()
    with pytest.raises(InvalidInput, match=r"there is no such finding|numbered 1 to 12|no finding of this name"):
        read_measurements(table, knowledge())


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
        ({"photographs/001.jpg": None}, "the manifest names it, but it is missing"),
        ({"manifest.json": b"{}"}, "manifest.json, format"),
        ({"inspection.json": b'{"version": 9}'}, "version"),
    ],
)
def test_a_broken_archive_is_refused_with_the_part(clock, changed, message):
    with pytest.raises(InvalidInput, match=f"(?s){message}"):
        read_archive(_repacked(clock, **changed), knowledge())


def _with_moment(clock, moment):
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(_packed(clock))).read("manifest.json"))
    manifest["opened_at"] = moment
    return _repacked(clock, **{"manifest.json": json.dumps(manifest).encode()})


@pytest.mark.parametrize("moment", ["0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00"])
def test_a_moment_at_the_edge_of_time_is_refused(clock, moment):
    with pytest.raises(InvalidInput, match="moments lie in the years 1980 to 2200"):
        read_archive(_with_moment(clock, moment), knowledge())


def test_two_files_of_one_name_are_refused(clock):
    out = io.BytesIO(_packed(clock))
    with zipfile.ZipFile(out, "a") as packed, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        packed.writestr("inspection.json", b"{}")
    with pytest.raises(InvalidInput, match="every file may be there once"):
        read_archive(out.getvalue(), knowledge())


def test_no_name_from_inside_the_data_becomes_a_path(clock):
    kept = KeptPhotograph("front_left", "../../etc", clock(), picture())
    archive = replace(_archive(clock), photographs=(kept,))
    packed = write_archive(archive, {}, knowledge())
    assert [name for name in zipfile.ZipFile(io.BytesIO(packed)).namelist() if "photographs" in name] == [
        "photographs/001.jpg"
    ]
    assert read_archive(packed, knowledge()).photographs == (kept,)


def test_what_is_no_zip_is_refused(clock):
    with pytest.raises(InvalidInput, match="it is not a whole ZIP"):
        read_archive(b"PK\x03\x04 nothing", knowledge())
    turned = bytearray(_packed(clock))
    turned[60:90] = bytes(30)  # inside the first compressed file
    with pytest.raises(InvalidInput, match="it is not a whole ZIP"):
        read_archive(bytes(turned), knowledge())


def test_a_picture_that_is_none_leaves_nothing_behind(database, someone, clock):
    who = someone()
    broken = (KeptPhotograph("front_left", "look", clock(), b"no picture"),)
    with pytest.raises(InvalidInput, match="it is not a whole JPEG"):
        restore_job(
            database, inspect({}, label="Gone"), (), broken, opened_at=clock(), state="open", by=who, now=clock()
        )
    assert import_documents(database, [], by=who, now=clock()) == []
