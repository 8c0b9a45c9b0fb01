"""An upgrade that is interrupted after any of its steps can be run again, and keeps the data."""

from __future__ import annotations

import pytest
from alembic import command
from sqlalchemy import create_engine, event, text
from sqlalchemy.engine import Engine

from mesotrope.store.migrate import alembic_config, migrate
from tests.store.test_migrations import fill, fresh

#: How the steps that change something begin.
CHANGES = ("alter", "create", "drop", "update", "insert", "delete")


class Interrupted(Exception):
    """The power goes."""


class PowerCut:
    """Interrupts whatever migrates after each step that changes something, or each so-manieth, the first time."""

    def __init__(self, every=1):
        self.taken, self.every = set(), every

    def __call__(self, connection, cursor, statement, parameters, context, executemany):
        step = (statement, str(parameters))
        if statement.lstrip().lower().startswith(CHANGES) and step not in self.taken:
            self.taken.add(step)
            if len(self.taken) % self.every == 0:
                raise Interrupted


def _interrupted(url, power):
    """Migrate until interrupted; whether it was."""
    event.listen(Engine, "after_cursor_execute", power)
    try:
        migrate(url)
    except Interrupted:
        return True
    finally:
        event.remove(Engine, "after_cursor_execute", power)
    return False


def _schema(url):
    """Every table as the server writes it, without what counts rows."""
    engine = create_engine(url)
    with engine.connect() as connection:
        tables = connection.execute(text("show tables")).scalars().all()
        out = {}
        for table in tables:
            written = connection.execute(text(f"show create table `{table}`")).one()[1]
            lines = sorted(line.strip().rstrip(",") for line in written.splitlines()[:-1])
            out[table] = [line for line in lines if not line.startswith("KEY `workshop_id_")]
        triggers = sorted(row[0] for row in connection.execute(text("show triggers")))
    engine.dispose()
    return out, triggers


@pytest.fixture(scope="module")
def straight(instance):
    """The schema of a database that was migrated without interruption."""
    url = fresh(instance, "mesotrope_straight")
    migrate(url)
    return _schema(url)


@pytest.mark.parametrize(("begun_at", "every"), [("base", 12), ("0005", 1)])
def test_interrupted_after_its_steps_and_run_again_it_comes_to_the_same(instance, straight, begun_at, every):
    """An upgrade of data after each of its steps; a first start, which has no data to lose, after some of them."""
    url = fresh(instance, "mesotrope_interrupted")
    if begun_at != "base":
        command.upgrade(alembic_config(url), begun_at)
        fill(url)
    power = PowerCut(every)
    while _interrupted(url, power):  # each time one step further
        assert len(power.taken) < 200, "there is always another step"
    assert len(power.taken) > 20
    assert _schema(url) == straight
    if begun_at != "base":
        engine = create_engine(url)
        with engine.connect() as connection:
            assert connection.execute(text("select id, last_entry from jobs order by id")).all() == [(1, 7), (2, 0)]
            plates = connection.execute(text("select id, plate_key from vehicles order by id")).all()
            assert plates == [(1, "G100"), (2, None)]
        engine.dispose()
