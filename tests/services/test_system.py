"""How the product does: what its processes say, what waits, what somebody should look at."""

from __future__ import annotations

import datetime

import pytest

from mesotrope import __version__
from mesotrope.errors import NotAllowed
from mesotrope.knowledge import knowledge
from mesotrope.metrics import LastHour
from mesotrope.services.jobs import take_in
from mesotrope.services.system import ThisProcess, back_up_and_note, how_it_does, minutes_of, say_how_it_does
from mesotrope.store.system_tables import BackupMade, RunningProcess
from mesotrope.words import PLAINLY


@pytest.fixture(autouse=True)
def nothing_before(database):
    with database.at_the_door() as session, session.begin():
        session.query(RunningProcess).delete()
        session.query(BackupMade).delete()


def said(system):
    return [PLAINLY(one) for one in system.attention]


def test_minutes_are_counted_by_the_clock_and_kept_for_an_hour():
    now = [60_000.0]
    hour = LastHour(lambda: now[0])
    for ms in range(1, 101):
        hour.request(503 if ms == 100 else 200, float(ms))
    hour.waits(1)
    hour.waits(1)
    hour.waits(-1)
    assert hour.told() == {1000: [100, 1, 2, 51.0, 96.0]}
    now[0] += 60
    hour.request(200, 5.0)  # one still waits
    assert hour.told()[1001] == [1, 0, 1, 5.0, 5.0]
    now[0] += 3600
    hour.request(200, 5.0)
    assert sorted(hour.told()) == [1061]


def test_processes_are_put_together_the_slowest_speaks():
    now = datetime.datetime(1970, 1, 1, 1, 0, 30)  # the 60th minute
    told = [
        {"60": [10, 1, 2, 20.0, 90.0], "59": [3, 0, 0, 5.0, 6.0]},
        {"60": [5, 0, 1, 30.0, 40.0], "0": [9, 9, 9, 9, 9]},
    ]
    minutes = minutes_of(told, now)
    assert len(minutes) == 60
    last, before = minutes[-1], minutes[-2]
    assert (last.requests, last.failed, last.waiting, last.middle_ms, last.most_ms) == (15, 1, 3, 30.0, 90.0)
    assert (before.requests, before.most_ms) == (3, 6.0)
    assert minutes[0].requests == 0  # the minute 0 is an hour ago


def test_a_process_that_is_not_heard_of_is_gone_and_in_the_end_forgotten(database, someone, clock):
    lead = someone("lead")
    say_how_it_does(database, ThisProcess("first", clock()), now=clock())
    clock.forward(1)
    say_how_it_does(database, ThisProcess("second", clock()), now=clock())
    assert [one.runs for one in how_it_does(database, by=lead, now=clock()).processes] == [True, True]
    clock.forward(1)
    say_how_it_does(database, ThisProcess("second", clock()), now=clock())
    assert [one.runs for one in how_it_does(database, by=lead, now=clock()).processes] == [False, True]
    clock.forward(25 * 60)
    say_how_it_does(database, ThisProcess("second", clock()), now=clock())
    assert [one.version for one in how_it_does(database, by=lead, now=clock()).processes] == [__version__]


def test_what_somebody_should_look_at_is_said(database, someone, clock, tmp_path):
    lead = someone("lead")
    assert said(how_it_does(database, by=lead, now=clock())) == ["No backup has been made yet."]
    url = database.engine.url.render_as_string(hide_password=False)
    made = back_up_and_note(url, tmp_path / "backup", now=clock())
    assert how_it_does(database, by=lead, now=clock()).backup == (clock(), made.bytes, made.rows)
    assert said(how_it_does(database, by=lead, now=clock())) == []
    clock.forward(3 * 24 * 60)
    assert said(how_it_does(database, by=lead, now=clock())) == ["The last backup is 3 days old."]
    minute = str(int(clock().replace(tzinfo=datetime.UTC).timestamp() // 60))
    with database.at_the_door() as session, session.begin():
        for version in (__version__, "0.0.1"):
            told = {"minutes": {minute: [4, 1, 0, 3.0, 4.0]}}
            session.add(RunningProcess(name=version, version=version, started_at=clock(), heard_at=clock(), told=told))
    first, second, _ = said(how_it_does(database, by=lead, now=clock()))
    assert first == "2 requests of the last hour failed: the log says why."
    assert second == f"Several versions run side by side: 0.0.1, {__version__}."


def test_what_waits_is_counted_in_ones_own_workshop_only(database, someone, clock):
    lead, stranger = someone("lead"), someone("lead")
    take_in(
        database, knowledge(), label="Van", kind="car", registration="", odometer_km=None, usage="", complaint="",
        by=lead, now=clock(),
    )  # fmt: skip
    assert how_it_does(database, by=lead, now=clock()).dates == 1
    assert how_it_does(database, by=stranger, now=clock()).dates == 0


@pytest.mark.parametrize("role", ["apprentice", "technician"])
def test_only_a_lead_looks(database, someone, clock, role):
    with pytest.raises(NotAllowed, match="needs the role lead"):
        how_it_does(database, by=someone(role), now=clock())
