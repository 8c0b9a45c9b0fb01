"""Migrations: the tables are what the code says, and an upgrade keeps and completes what is there."""

from __future__ import annotations

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import LargeBinary, create_engine, text

from mesotrope.store.migrate import alembic_config, migrate
from mesotrope.store.tables import Base


def fresh(instance, name):
    """The address of an empty database of this name."""
    instance.start((name,))
    engine = create_engine(instance.url(name))
    with engine.begin() as connection:
        connection.execute(text(f"drop database `{name}`"))
        connection.execute(text(f"create database `{name}` character set utf8mb4"))
    engine.dispose()
    return instance.url(name)


@pytest.fixture
def empty(instance):
    """The address of an empty database."""
    return fresh(instance, "mesotrope_migrations")


def _differs(difference):
    """Whether a difference is one: the database makes indexes for foreign keys, and has its own sizes of blobs."""
    if difference[0] == "remove_index":
        return not difference[1].name.startswith("workshop_id_")
    return not (isinstance(difference, list) and isinstance(difference[0][-1], LargeBinary))


def test_the_migrated_tables_are_those_of_the_code(empty):
    migrate(empty)
    engine = create_engine(empty)
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert [d for d in compare_metadata(context, Base.metadata) if _differs(d)] == []
    engine.dispose()


def fill(url):
    """Fill a database of revision 0005 with what a workshop of that time had."""
    engine = create_engine(url)
    rows = [
        "insert into workshops (id, name, town) values (1, 'Hill Brakes', 'Testing'),"
        " (2, 'Quarry Lane Brakes', 'Ostrey Fold')",
        "insert into people (id, workshop_id, sign_in_name, name, role, password_hash, units) values"
        " (1, 1, 'ada', 'Ada', 'lead', 'x', '{}'), (2, 2, 'bram', 'Bram', 'technician', 'x', '{}')",
        "insert into vehicles (id, workshop_id, label, registration, specification) values"
        " (1, 1, 'Red van', 'G 100', '{}'), (2, 1, 'Blue van', 'G-100', '{}')",
        "insert into jobs (id, workshop_id, vehicle_id, opened_by, opened_at, state, visit) values"
        " (1, 1, 1, 1, '2026-01-01', 'open', '{}'), (2, 1, 2, 1, '2026-01-01', 'open', '{}')",
        "insert into finding_entries (id, workshop_id, job_id, corner, path, value, entered_by, entered_at,"
        " idempotency_key) values (7, 1, 1, 'front_left', 'pin.upper', '\"free\"', 1, '2026-01-01', 'key-00000001')",
    ]
    with engine.begin() as connection:
        for row in rows:
            connection.execute(text(row))
    engine.dispose()


def test_an_upgrade_keeps_jobs_and_tells_them_their_latest_entry_and_plate(empty):
    command.upgrade(alembic_config(empty), "0005")
    fill(empty)
    migrate(empty)
    engine = create_engine(empty)
    with engine.connect() as connection:
        assert connection.execute(text("select id, last_entry from jobs order by id")).all() == [(1, 7), (2, 0)]
        plates = connection.execute(text("select id, plate_key from vehicles order by id")).all()
        assert plates == [(1, "G100"), (2, None)]  # written in two ways, the older vehicle keeps it
        assert connection.execute(text("select id, made_up from people order by id")).all() == [(1, 0), (2, 1)]
    engine.dispose()
