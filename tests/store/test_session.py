"""Sessions cannot leave their workshop; the schema holds what the tables promise."""

from __future__ import annotations

import pytest
from sqlalchemy import bindparam, inspect, select, text, update
from sqlalchemy.exc import IntegrityError, OperationalError

from mesotrope.errors import OutsideWorkshop
from mesotrope.store.migrate import migrate
from mesotrope.store.tables import Base, Job, Person, Vehicle


def _vehicle(database, who, label="Red van"):
    with database.of_workshop(who.workshop_id) as session, session.begin():
        row = Vehicle(label=label, specification={"label": label})
        session.add(row)
        session.flush()
        return row.id


@pytest.fixture(params=["the earlier workshop", "the later workshop"])
def two(request, someone):
    """One workshop and another: whose number is the lower must not matter."""
    pair = [someone(), someone()]
    return pair if request.param == "the earlier workshop" else pair[::-1]


def test_a_query_sees_only_rows_of_its_workshop(database, two):
    ours, theirs = two
    number = _vehicle(database, theirs)
    with database.of_workshop(ours.workshop_id) as session:
        assert session.scalar(select(Vehicle).where(Vehicle.id == number)) is None
        assert session.get(Vehicle, number) is None
    with database.of_workshop(theirs.workshop_id) as session:
        assert session.get(Vehicle, number).label == "Red van"


def test_a_row_of_another_workshop_cannot_be_written(database, two):
    ours, theirs = two
    with database.of_workshop(ours.workshop_id) as session, pytest.raises(OutsideWorkshop):
        session.add(Vehicle(label="x", specification={}, workshop_id=theirs.workshop_id))
        session.flush()


def test_plain_sql_cannot_go_round_the_workshop(database, someone):
    with database.of_workshop(someone().workshop_id) as session, pytest.raises(OutsideWorkshop):
        session.execute(text("select * from vehicles"))


def test_an_update_touches_only_its_workshop(database, two):
    ours, theirs = two
    number = _vehicle(database, theirs)
    with database.of_workshop(ours.workshop_id) as session, session.begin():
        session.execute(update(Vehicle).where(Vehicle.id == number).values(label="stolen"))
    with database.of_workshop(theirs.workshop_id) as session:
        assert session.get(Vehicle, number).label == "Red van"


def test_what_a_session_holds_follows_its_updates(database, two):
    who, _ = two
    number = _vehicle(database, who)
    with database.of_workshop(who.workshop_id) as session, session.begin():
        held = session.get(Vehicle, number)
        session.execute(update(Vehicle).where(Vehicle.id == number).values(label="Blue van"))
        assert held.label == "Blue van"


def test_the_sessions_of_a_request_share_one_connection_that_goes_back_to_the_pool(database, two):
    busy = database.engine.pool.checkedout()
    request = database.on_one_connection()
    assert database.engine.pool.checkedout() == busy
    seen = set()
    for who in two:
        with request.of_workshop(who.workshop_id) as session:
            seen.add(session.connection().connection.dbapi_connection)
    assert len(seen) == 1
    assert database.engine.pool.checkedout() == busy + 1
    request.give_back()
    assert database.engine.pool.checkedout() == busy


def test_what_a_request_left_undone_is_undone_when_its_connection_is_given_back(database, two):
    who, _ = two
    request = database.on_one_connection()
    session = request.of_workshop(who.workshop_id)
    session.add(Vehicle(label="Half done", specification={}))
    session.flush()
    assert request.busy
    request.give_back()
    assert not request.busy
    with database.of_workshop(who.workshop_id) as after:
        assert after.scalar(select(Vehicle).where(Vehicle.label == "Half done")) is None


def test_a_statement_for_all_requests_is_held_to_each_ones_workshop(database, two):
    by_label = select(Vehicle.workshop_id).where(Vehicle.label == bindparam("label"))
    for who in two:
        _vehicle(database, who, "Found by name")
    for who in (*two, *two):
        with database.of_workshop(who.workshop_id) as session:
            assert session.scalars(by_label, {"label": "Found by name"}).all() == [who.workshop_id]
            assert set(session.scalars(select(Vehicle.workshop_id))) == {who.workshop_id}


def test_many_statements_at_once_cannot_be_held_and_are_refused(database, two):
    who, _ = two
    with database.of_workshop(who.workshop_id) as session, pytest.raises(OutsideWorkshop):
        session.execute(update(Vehicle), [{"id": 1, "label": "stolen"}])


def test_at_the_door_no_table_of_a_workshop_can_be_read(database):
    with database.at_the_door() as session, pytest.raises(OutsideWorkshop):
        session.scalars(select(Job)).all()


def test_a_job_cannot_point_at_another_workshops_vehicle(database, two, clock):
    ours, theirs = two
    number = _vehicle(database, theirs)
    with database.of_workshop(ours.workshop_id) as session, pytest.raises(IntegrityError):
        session.add(Job(vehicle_id=number, opened_by=ours.person_id, opened_at=clock(), state="open", visit={}))
        session.flush()


def test_a_role_outside_the_three_is_refused_by_the_database(database, someone):
    with database.of_workshop(someone().workshop_id) as session, pytest.raises(OperationalError, match="people_role"):
        session.add(Person(sign_in_name="x-role", name="x", role="king", password_hash="x"))
        session.flush()


def test_the_migrations_make_exactly_the_tables(database, instance):
    migrate(instance.url())
    found = inspect(database.engine)
    made = {name: {column["name"] for column in found.get_columns(name)} for name in Base.metadata.tables}
    assert made == {name: {column.name for column in table.columns} for name, table in Base.metadata.tables.items()}
