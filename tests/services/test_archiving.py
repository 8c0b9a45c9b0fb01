"""Old visits in files: found again, whole, and nothing lost on the way."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile

import pytest
from sqlalchemy import update

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.corner import Corner
from mesotrope.errors import JobArchived, NotFound, NotNow
from mesotrope.interchange.archive import read_archive
from mesotrope.interchange.pack import archive_everywhere, packing
from mesotrope.knowledge import knowledge
from mesotrope.services.archiving import ArchiveFolder, archive_job, archive_waits, archived_file
from mesotrope.services.due import due_in, refresh_due
from mesotrope.services.exchange import restore_job
from mesotrope.services.figures import figures_by_month, work_out_figures
from mesotrope.services.finding import find
from mesotrope.services.findings import history_of, record_finding
from mesotrope.services.jobs import open_job, take_in, visits_of
from mesotrope.services.outcomes import close_job, note_outcome, open_again, take_comeback_in
from mesotrope.services.owners import Contact, erase_owner, owners_of
from mesotrope.services.photographs import add_photograph
from mesotrope.services.records import keep_record
from mesotrope.services.rule_changes import set_rules
from mesotrope.store.day_tables import FigureMonth
from mesotrope.store.tables import FindingEntry, Photograph, Vehicle
from tests.services.test_photographs import picture

LEFT = Corner.REAR_LEFT
YEAR_MINUTES = 366 * 24 * 60


@pytest.fixture
def archives(tmp_path):
    return ArchiveFolder(tmp_path / "archive")


@pytest.fixture
def closed(database, clock):
    """Return a maker of a closed job with measurements, a picture, a signature and an owner."""

    def make(who, *, plate="0-ARC-1"):
        job = take_in(
            database, knowledge(), label="Amber estate", kind="car", registration=plate, odometer_km=50_000, usage="",
            complaint="scrapes behind", owner=Contact("Oda Frost", "0-555-0199"), by=who, now=clock(), confirmed=True,
        )  # fmt: skip
        for number, (path, value) in enumerate(
            {"pad_mm.inner.lead_rim": "3.1", "pad_mm.outer.lead_rim": "6.4"}.items()
        ):
            record_finding(
                database, knowledge(), job, LEFT, path, value, by=who, now=clock(), confirmed=True,
                idempotency_key=f"archive-{job}-{number}",
            )  # fmt: skip
        add_photograph(database, job, LEFT, "strip", picture(), by=who, now=clock())
        keep_record(database, job, "signed", "", "a plan", by=who, now=clock())
        note_outcome(database, knowledge(), job, {LEFT: ["slide_pins_seized"]}, "seen", by=who, now=clock())
        close_job(database, job, by=who, now=clock())
        return job

    return make


def counted(database, who):
    work_out_figures(database, knowledge(), lambda seen: diagnose(seen, knowledge()), by=who, works_for_s=None)
    return figures_by_month(database, by=who)[0]


def after(database, who, clock, years):
    set_rules(database, knowledge(), {"archive.after": str(years)}, by=who, now=clock())


def dates(database, who, clock):
    """What falls due, worked out where it is not known."""
    refresh_due(database, knowledge(), by=who, knowledge_key="tests", works_for_s=None)
    return [(one.key, one.day, one.first, one.last) for one in due_in(database, None, clock().date(), by=who)]


def rows(database, who, job):
    with database.of_workshop(who.workshop_id) as session:
        return [session.query(table).filter_by(job_id=job).count() for table in (FindingEntry, Photograph)]


def test_only_what_the_rule_says_goes_into_files_and_only_where_it_says_so(database, someone, clock, closed, archives):
    lead, other = someone("lead"), someone("lead")
    old, theirs = closed(lead), closed(other)
    clock.forward(4 * YEAR_MINUTES)
    young = closed(lead)
    counted(database, lead)
    counted(database, other)
    assert not archive_waits(database, now=clock())
    assert archive_everywhere(database, archives, now=clock()) == {}  # nobody asked for it
    after(database, lead, clock, 3)
    assert archive_waits(database, now=clock())
    assert archive_everywhere(database, archives, now=clock()) == {lead.workshop_id: 1}
    assert not archive_waits(database, now=clock())
    assert rows(database, lead, old) == [0, 0]
    assert rows(database, lead, young) == rows(database, other, theirs) == [2, 1]
    assert archived_file(database, archives, young, by=lead) is None
    with pytest.raises(NotFound):
        archived_file(database, archives, old, by=other)


@pytest.fixture
def archived(database, someone, clock, closed, archives):
    """A lead, the number of a job that lies in a file, and the figures of before."""
    lead = someone("lead")
    job = closed(lead)
    clock.forward(6 * YEAR_MINUTES)
    before = counted(database, lead), dates(database, lead, clock)
    after(database, lead, clock, 5)
    assert archive_everywhere(database, archives, now=clock())[lead.workshop_id] == 1
    return lead, job, before


def test_what_is_in_the_file_is_all_of_it_and_can_be_brought_in_again(database, clock, archived, archives):
    lead, job, _ = archived
    data = archived_file(database, archives, job, by=lead)
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        kinds = [one["kind"] for one in json.loads(packed.read("records.json"))]
    assert kinds == ["signed", "found", "closed"]
    kept = read_archive(data, knowledge())
    assert [(e.path, e.value) for e in kept.history] == [("pad_mm.inner.lead_rim", 3.1), ("pad_mm.outer.lead_rim", 6.4)]
    again = restore_job(
        database, kept.inspection, kept.history, kept.photographs, opened_at=kept.opened_at, state="closed", by=lead,
        now=clock(),
    )  # fmt: skip
    assert [entry.value for entry in history_of(database, again, by=lead)] == [3.1, 6.4]
    assert rows(database, lead, again) == [2, 1]


def test_what_finds_and_counts_an_old_visit_stays(database, clock, archived):
    lead, job, before = archived
    [vehicle] = find(database, "scrapes frost", by=lead).vehicles
    [visit] = vehicle.jobs
    assert (visit.id, visit.archived, visit.matched) == (job, True, True)
    figures, due = before
    assert figures_by_month(database, by=lead)[0] == figures
    with database.of_workshop(lead.workshop_id) as session, session.begin():
        session.execute(update(FigureMonth).values(changed=FigureMonth.changed + 1))
    assert figures_by_month(database, by=lead)[0] == figures  # from the jobs, too
    [told] = visits_of(database, vehicle.id, by=lead).visits
    assert told.readings.measured[LEFT]["pad_mm.inner.lead_rim"] == 3.1  # for the wear of the next pads
    assert told.outcome.found[LEFT].faults == ("slide_pins_seized",)
    with database.of_workshop(lead.workshop_id) as session, session.begin():
        session.execute(update(Vehicle).values(due_key=None))
    assert due
    assert dates(database, lead, clock) == due


def test_an_archived_visit_is_neither_shown_half_nor_changed(database, clock, archived):
    lead, job, _ = archived
    for touch in (
        lambda: open_job(database, job, by=lead, knowledge=knowledge()),
        lambda: history_of(database, job, by=lead),
        lambda: open_again(database, job, by=lead, now=clock()),
        lambda: keep_record(database, job, "tick", "step", True, by=lead, now=clock()),
        lambda: record_finding(
            database, knowledge(), job, LEFT, "rotor_lip_mm", "0.4", by=lead, now=clock(), idempotency_key="late-key-1"
        ),
    ):
        with pytest.raises(JobArchived):
            touch()
    assert take_comeback_in(database, job, "it is back", by=lead, now=clock()) > job  # that it came back can be said


def test_a_job_that_changes_while_its_file_is_written_stays(database, someone, clock, closed, archives):
    lead = someone("lead")
    job = closed(lead)
    counted(database, lead)
    pack = packing(database, lead)

    def changes_meanwhile(number):
        data = pack(number)
        open_again(database, number, by=lead, now=clock())
        return data

    assert not archive_job(database, archives, job, changes_meanwhile, by=lead, now=clock())
    assert rows(database, lead, job) == [2, 1]


def test_a_disk_that_is_full_takes_nothing(database, someone, clock, closed, tmp_path):
    lead = someone("lead")
    job = closed(lead)
    (tmp_path / "no-folder").write_text("a file where the folder should be")
    with pytest.raises(OSError, match="no-folder"):
        archive_job(database, ArchiveFolder(tmp_path / "no-folder"), job, packing(database, lead), by=lead, now=clock())
    assert rows(database, lead, job) == [2, 1]


def test_a_file_that_is_gone_or_another_is_said_to_be(database, clock, archived, archives):
    lead, job, _ = archived
    file = archives.file(lead.workshop_id, job)
    assert oct(file.stat().st_mode)[-3:] == "600"
    whole = file.read_bytes()
    for wrong in (whole[:-1], b""):
        file.write_bytes(wrong)
        with pytest.raises(NotNow, match=rf"job-{job}.zip, is not in the archive folder"):
            archived_file(database, archives, job, by=lead)
    file.unlink()
    with pytest.raises(NotNow):
        archived_file(database, archives, job, by=lead)
    file.write_bytes(whole)
    assert hashlib.sha256(archived_file(database, archives, job, by=lead)).digest() == hashlib.sha256(whole).digest()


def test_an_owner_who_is_erased_is_erased_from_the_files(database, clock, archived, archives):
    lead, job, _ = archived
    [owner] = owners_of(database, by=lead)
    erase_owner(database, archives, owner.id, by=lead, now=clock())
    assert not archives.file(lead.workshop_id, job).exists()
    with pytest.raises(NotNow, match="erased when its owner"):
        archived_file(database, archives, job, by=lead)
