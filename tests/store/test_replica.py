"""A replica is read from only once it has everything that was written; two servers of MariaDB, one after the other."""

from __future__ import annotations

from pathlib import Path

import pytest

from mesotrope.knowledge import knowledge
from mesotrope.services.finding import find
from mesotrope.services.jobs import take_in
from mesotrope.services.people import add_person, add_workshop
from mesotrope.services.signing_in import open_session, who_is
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.replica import Replica
from mesotrope.store.session import Database
from tests.conftest import free_port

LOGGED = "[mariadbd]\nserver_id={number}\nlog_bin=changes\nbinlog_format=ROW\nlog_bin_trust_function_creators=1\n"


class Logged(Instance):
    """A server that writes down what it changes, for another to repeat."""

    def __init__(self, folder: Path, number: int) -> None:
        super().__init__(folder / str(number), free_port(), buffer_mib=32)
        self.number = number

    def _write_configuration(self) -> None:
        super()._write_configuration()
        with (self.folder / "my.cnf").open("a") as file:
            file.write(LOGGED.format(number=self.number))

    def by_administrator(self, *statements: str) -> object:
        connection = self._as_superuser()
        try:
            with connection.cursor() as cursor:
                for statement in statements:
                    cursor.execute(statement)
                return (cursor.fetchone() or (None,))[0]
        finally:
            connection.close()


@pytest.fixture
def two(tmp_path):
    first, second = Logged(tmp_path, 1), Logged(tmp_path, 2)
    first.start()
    second.start()
    try:
        first.by_administrator(
            "create user repeats@127.0.0.1 identified by 'a password'",
            "grant replication slave on *.* to repeats@127.0.0.1",
        )
        position = first.by_administrator("select @@global.gtid_binlog_pos")
        second.by_administrator(
            "reset master", f"set global gtid_slave_pos = '{position}'",
            f"change master to master_host='127.0.0.1', master_port={first.port}, master_user='repeats',"
            " master_password='a password', master_use_gtid=slave_pos",
            "start slave",
        )  # fmt: skip
        yield first, second
    finally:
        second.stop()
        first.stop()


def test_what_was_just_written_is_found_wherever_it_is_read(two, clock):
    first, second = two
    migrate(first.url())
    database, replica = Database(first.url()), Replica(second.url())
    number = add_workshop(database, "Reads elsewhere", "Town")
    person = add_person(database, number, "reader", "Reader", "lead", "-")
    who = who_is(database, open_session(database, person, now=clock(), hours=9), now=clock())

    def take(label):
        take_in(
            database, knowledge(), label=label, kind="car", registration="", odometer_km=None, usage="", complaint="",
            by=who, now=clock(),
        )  # fmt: skip

    def found(where):
        return sorted(vehicle.label for vehicle in find(where, "van", by=who).vehicles)

    for round_number in range(1, 4):
        take(f"Van {round_number}")
        reading = replica.in_step_with(database)
        assert reading is not database
        assert len(found(reading)) == round_number
    second.by_administrator("stop slave")
    take("Van 4")
    assert replica.in_step_with(database) is database  # it does not come up in time
    assert len(found(database)) == 4
    second.stop()
    assert replica.in_step_with(database) is database
    replica.close()
    database.close()


def test_where_nothing_tells_what_was_written_the_first_server_is_read(database):
    """The tests' own server writes no log of its changes: a replica of it cannot be."""
    replica = Replica(database.engine.url.render_as_string(hide_password=False))
    assert replica.in_step_with(database) is database
    replica.close()
