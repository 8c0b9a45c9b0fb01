"""Backup and restore: whole, online, checked, and never over anything."""

from __future__ import annotations

import gzip
import json
import shutil
import threading

import pytest
from sqlalchemy import create_engine, text

from mesotrope.demo.load import load_demo
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from mesotrope.services.passwords import Passwords
from mesotrope.services.photographs import add_photograph
from mesotrope.services.signing_in import demo_people, open_session, who_is
from mesotrope.store.backup import BackupFailed, back_up, restore
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from scripts.campaign.surroundings import NOW, picture
from tests.store.test_migrations import fresh


def _everything(url):
    """Every row of every table, and the triggers."""
    engine = create_engine(url)
    with engine.connect() as connection:
        tables = connection.execute(text("show tables")).scalars().all()
        rows = {table: sorted(map(repr, connection.execute(text(f"select * from `{table}`")))) for table in tables}
        triggers = sorted(row[0] for row in connection.execute(text("show triggers")))
    engine.dispose()
    return rows, triggers


@pytest.fixture(scope="module")
def workshop(instance):
    """The address of a database with the demo in it, a photograph and an entry in every script."""
    url = fresh(instance, "mesotrope_workshop")
    migrate(url)
    database = Database(url)
    load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=NOW)
    person = demo_people(database)[0]
    who = who_is(database, open_session(database, person.id, now=NOW, hours=1), now=NOW)
    with database.engine.begin() as connection:
        job = connection.execute(text(f"select id from jobs where workshop_id = {who.workshop_id}")).scalars().first()
        words = {"words": "Größe „½“ \U0001f527\n'; drop table jobs; --", "id": job}
        connection.execute(text("update jobs set shown_key = :words where id = :id"), words)
    add_photograph(database, job, "rear_left", "look", picture(), by=who, now=NOW)
    yield url
    database.close()


@pytest.fixture
def empty(instance):
    return fresh(instance, "mesotrope_restored")


def test_what_is_restored_is_what_was_there_in_every_table(workshop, empty, tmp_path):
    made = back_up(workshop, tmp_path / "backup")
    before = _everything(workshop)
    assert restore(empty, tmp_path / "backup") == made
    assert _everything(empty) == before
    assert made.rows == sum(map(len, before[0].values()))
    migrate(empty)
    assert _everything(empty) == before
    assert (tmp_path / "backup" / "mesotrope.sql.gz").stat().st_mode & 0o077 == 0


def test_a_backup_is_of_one_moment_while_others_write(workshop, empty, tmp_path):
    ended, engine = threading.Event(), create_engine(workshop)

    def write():
        while not ended.is_set():  # both or neither
            with engine.begin() as connection:
                connection.execute(text("update workshops set rules_version = rules_version + 1 order by id"))

    writing = threading.Thread(target=write)
    with engine.begin() as connection:
        connection.execute(text("update workshops set rules_version = 0"))
    writing.start()
    try:
        back_up(workshop, tmp_path / "backup")
    finally:
        ended.set()
        writing.join()
        engine.dispose()
    restore(empty, tmp_path / "backup")
    restored = create_engine(empty)
    with restored.connect() as connection:
        versions = connection.execute(text("select distinct rules_version from workshops")).scalars().all()
    restored.dispose()
    assert len(versions) == 1


def test_nothing_is_restored_over_anything(workshop, tmp_path):
    back_up(workshop, tmp_path / "backup")
    before = _everything(workshop)
    with pytest.raises(InvalidInput, match="into an empty database only"):
        restore(workshop, tmp_path / "backup")
    assert _everything(workshop) == before


def test_no_backup_is_written_over_another(workshop, tmp_path):
    back_up(workshop, tmp_path / "backup")
    with pytest.raises(InvalidInput, match="nothing is written over"):
        back_up(workshop, tmp_path / "backup")


def _without_its_end(folder):
    file = folder / "mesotrope.sql.gz"
    file.write_bytes(file.read_bytes()[:-100])


def _a_row_less(folder):
    """Whole as a file, with a manifest that fits it, and still not what was backed up."""
    import hashlib

    file, manifest = folder / "mesotrope.sql.gz", folder / "manifest.json"
    lines = gzip.decompress(file.read_bytes()).splitlines(keepends=True)
    left_out = next(n for n, line in enumerate(lines) if line.startswith(b"INSERT INTO `job_records`"))
    file.write_bytes(gzip.compress(b"".join(lines[:left_out] + lines[left_out + 1 :])))
    said = json.loads(manifest.read_text()) | {"sha256": hashlib.sha256(file.read_bytes()).hexdigest()}
    manifest.write_text(json.dumps(said))


@pytest.mark.parametrize(
    ("harm", "error", "message"),
    [
        (_without_its_end, InvalidInput, "the backup is not whole"),
        (lambda folder: (folder / "manifest.json").unlink(), InvalidInput, "there is no backup in it"),
        (lambda folder: (folder / "manifest.json").write_text("{}"), InvalidInput, "there is no backup in it"),
        (lambda folder: (folder / "mesotrope.sql.gz").unlink(), InvalidInput, "the backup is not whole"),
        (_a_row_less, BackupFailed, "not what the manifest says"),
    ],
)
def test_a_backup_that_is_not_whole_is_refused_and_leaves_the_database_empty(
    workshop, empty, tmp_path, harm, error, message
):
    back_up(workshop, tmp_path / "backup")
    harm(tmp_path / "backup")
    with pytest.raises(error, match=message):
        restore(empty, tmp_path / "backup")
    assert _everything(empty) == ({}, [])


def test_a_backup_that_cannot_be_made_leaves_nothing(tmp_path, workshop, monkeypatch):
    with pytest.raises(BackupFailed, match="mariadb-dump ended with"):
        back_up(workshop.replace("mesotrope_workshop", "mesotrope_nowhere"), tmp_path / "backup")
    monkeypatch.setattr(shutil, "which", lambda name: None)
    with pytest.raises(BackupFailed, match="mariadb-dump is not installed"):
        back_up(workshop, tmp_path / "backup")
    assert list(tmp_path.iterdir()) == []
