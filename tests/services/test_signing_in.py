"""Signing in: passwords, sessions, and a door that slows guesses without locking anybody out."""

from __future__ import annotations

import datetime
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import event, func, select

from mesotrope.errors import InvalidInput, NotFound, NotSignedIn, SignInRefused, TooManyAttempts
from mesotrope.services.audit import trail_of
from mesotrope.services.door import FORGOTTEN_S, FREE_BY_ADDRESS, FREE_BY_NAME, LONGEST_WAIT_S
from mesotrope.services.passwords import (
    LINK_HOURS,
    Passwords,
    change_password,
    note_refusal,
    require_password,
    set_password_by_command,
    set_password_by_link,
    sign_in,
    whose_link,
)
from mesotrope.services.people import add_person, leave, link_for, switch
from mesotrope.services.signing_in import open_session, still_signed_in, who_is
from mesotrope.services.sweeping import DEVICE_DAYS, sweep
from mesotrope.store.tables import DoorCount, KnownDevice, PasswordLink, Person, SignedIn
from tests.conftest import PASSWORD

CHEAP = Passwords.with_cost(16, 1)
NEW = "another long password"


def _name(database, who):
    with database.at_the_door() as session:
        return session.get(Person, who.person_id).sign_in_name


def _sign_in(database, clock, name, password, address="10.0.0.1", device=None):
    return sign_in(database, CHEAP, name, password, address=address, device=device, now=clock(), hours=1)


def _guess(database, clock, name, times, address, device=None):
    """Guess so often; returns how many guesses were looked at."""
    looked_at = 0
    for _ in range(times):
        try:
            _sign_in(database, clock, name, "guess", address, device)
        except SignInRefused:
            looked_at += 1
        except TooManyAttempts:
            pass
    return looked_at


def test_name_and_password_open_a_session(database, someone, clock):
    who = someone(role="lead")
    token = _sign_in(database, clock, f"  {_name(database, who).upper()} ", PASSWORD)
    assert who_is(database, token, now=clock()).person_id == who.person_id


def test_passwords_are_kept_as_argon2id_and_tokens_as_digests(database, someone, clock):
    who = someone()
    token = _sign_in(database, clock, _name(database, who), PASSWORD)
    with database.at_the_door() as session:
        assert session.get(Person, who.person_id).password_hash.startswith("$argon2id$")
        digests = session.scalars(select(SignedIn.digest)).all()
    assert token not in digests


@pytest.mark.parametrize("which", ["name", "password"])
def test_which_of_the_two_is_wrong_is_not_told(database, someone, clock, which):
    name = _name(database, someone()) if which == "password" else "nobody-at-all"
    with pytest.raises(SignInRefused, match="This sign-in name and password do not go together"):
        _sign_in(database, clock, name, "not the password", address=f"10.1.0.{len(which)}")


def test_guesses_are_slowed_and_the_wait_doubles(database, someone, clock):
    name = _name(database, someone())
    assert _guess(database, clock, name, 20, "10.2.0.1") == FREE_BY_NAME
    with pytest.raises(TooManyAttempts, match="Try again in 15 seconds"):
        _sign_in(database, clock, name, PASSWORD, "10.2.0.1")
    clock.forward(16 / 60)
    assert _guess(database, clock, name, 5, "10.2.0.1") == 1  # one more, and then twice as long
    clock.forward(16 / 60)
    with pytest.raises(TooManyAttempts, match="14 seconds"):
        _sign_in(database, clock, name, PASSWORD, "10.2.0.1")
    clock.forward(15 / 60)
    assert _sign_in(database, clock, name, PASSWORD, "10.2.0.1")
    assert _guess(database, clock, name, 20, "10.2.0.1") == FREE_BY_NAME  # being right forgets what was wrong


def test_nobody_waits_longer_than_a_quarter_of_an_hour_however_much_was_guessed(database, someone, clock):
    name = _name(database, someone())
    for _ in range(40):
        _guess(database, clock, name, 1, "10.2.1.1")
        clock.forward(LONGEST_WAIT_S / 60)
    assert _sign_in(database, clock, name, PASSWORD, "10.2.1.1")


def test_others_guesses_do_not_lock_somebody_out_of_a_device_that_they_use(database, someone, clock):
    name, tablet = _name(database, someone()), "t" * 40
    _sign_in(database, clock, name, PASSWORD, "10.2.2.1", tablet)
    _guess(database, clock, name, 10, "10.2.2.1")  # from the workshop's own address
    for last in range(2, 14):
        _guess(database, clock, name, 10, f"10.2.2.{last}")  # and from everywhere
    with pytest.raises(TooManyAttempts):
        _sign_in(database, clock, name, PASSWORD, "10.2.2.99")  # slowed where nobody knows the device
    assert _sign_in(database, clock, name, PASSWORD, "10.2.2.1", tablet)
    other = _name(database, someone())
    assert _guess(database, clock, other, 9, "10.2.2.50", tablet) == FREE_BY_NAME  # known for one, not for all


def test_sixty_guesses_at_once_are_no_more_than_one_after_another(database, someone, clock):
    name = _name(database, someone())
    with ThreadPoolExecutor(20) as crowd:
        looked_at = sum(crowd.map(lambda _: _guess(database, clock, name, 1, "10.2.3.1"), range(60)))
    assert looked_at <= FREE_BY_NAME


def test_a_session_ends_by_itself_and_by_signing_out(database, someone, clock):
    who = someone()
    first = _sign_in(database, clock, _name(database, who), PASSWORD, address="10.3.0.1")
    leave(database, first, by=who, now=clock())
    with pytest.raises(NotSignedIn, match="You are not signed in"):
        who_is(database, first, now=clock())
    second = _sign_in(database, clock, _name(database, who), PASSWORD, address="10.3.0.1")
    clock.forward(61)
    with pytest.raises(NotSignedIn):
        who_is(database, second, now=clock())


def test_no_token_is_nobody(database, clock):
    for token in (None, "", "made-up"):
        with pytest.raises(NotSignedIn):
            who_is(database, token, now=clock())


def test_a_sign_in_name_is_taken_once(database, someone):
    who = someone()
    with pytest.raises(InvalidInput, match="it is taken"):
        add_person(database, who.workshop_id, _name(database, who), "Twin", "lead", "x")


def test_an_unknown_role_and_a_short_password_are_refused(database, someone):
    with pytest.raises(InvalidInput, match="allowed: apprentice, technician, lead"):
        add_person(database, someone().workshop_id, "king", "King", "king", "x")
    with pytest.raises(InvalidInput, match="12 to 1000 characters") as raised:
        require_password("secret")
    assert "secret" not in str(raised.value)


def test_an_address_that_guesses_at_many_names_is_slowed(database, someone, clock):
    looked_at = sum(_guess(database, clock, f"nobody-{number}", 1, "10.4.0.1") for number in range(40))
    assert looked_at == FREE_BY_ADDRESS
    name = _name(database, someone())
    with pytest.raises(TooManyAttempts):
        _sign_in(database, clock, name, PASSWORD, "10.4.0.1")
    assert _sign_in(database, clock, name, PASSWORD, "10.4.0.2")


class Counting(Passwords):
    """Passwords that count what they were asked to work out: that is what takes the time."""

    worked_out: list[str] = []  # noqa: RUF012

    def hash(self, password):
        self.worked_out.append("hash")
        return super().hash(password)

    def fits(self, password_hash, password):
        self.worked_out.append("fits")
        return super().fits(password_hash, password)


def test_an_unknown_name_costs_exactly_what_a_known_one_does(database, someone, clock):
    counting = Counting(CHEAP.hasher, CHEAP.nobodys)
    known, costs = _name(database, someone()), []
    for number, name in enumerate(["nobody-known", known]):
        statements = []

        def count(*said, counted=statements):
            counted.append(said[2])

        event.listen(database.engine, "after_cursor_execute", count)
        counting.worked_out.clear()
        with pytest.raises(SignInRefused):
            sign_in(database, counting, name, "guess", address=f"10.5.0.{number}", now=clock(), hours=1)
        event.remove(database.engine, "after_cursor_execute", count)
        costs.append((list(counting.worked_out), len(statements)))
    assert costs[0] == costs[1]
    assert costs[0][0] == ["fits"]


def _link(database, person, lead, clock):
    return link_for(database, person.person_id, by=lead, now=clock())


def _two(someone):
    """Two people of one workshop: a lead and a technician."""
    lead = someone(role="lead")
    return lead, someone(workshop=lead.workshop)


def test_changing_the_password_ends_every_session_and_the_old_one_is_worth_nothing(database, someone, clock):
    who = someone()
    name = _name(database, who)
    elsewhere = _sign_in(database, clock, name, PASSWORD, "10.6.0.1", "d" * 40)
    with pytest.raises(InvalidInput, match="current password"):
        change_password(database, CHEAP, "guess", NEW, NEW, address="10.6.0.1", by=who, now=clock())
    with pytest.raises(InvalidInput, match="not the same"):
        change_password(database, CHEAP, PASSWORD, NEW, NEW + "x", address="10.6.0.1", by=who, now=clock())
    with pytest.raises(InvalidInput, match="12 to 1000 characters"):
        change_password(database, CHEAP, PASSWORD, "short", "short", address="10.6.0.1", by=who, now=clock())
    assert still_signed_in(database, elsewhere, now=clock())
    change_password(database, CHEAP, PASSWORD, NEW, NEW, address="10.6.0.1", by=who, now=clock())
    assert not still_signed_in(database, elsewhere, now=clock())
    with pytest.raises(SignInRefused):
        _sign_in(database, clock, name, PASSWORD, "10.6.0.1")
    assert _sign_in(database, clock, name, NEW, "10.6.0.1")


def test_the_current_password_cannot_be_guessed_by_whoever_finds_a_tablet(database, someone, clock):
    who = someone()
    for _ in range(FREE_BY_NAME):
        with pytest.raises(InvalidInput):
            change_password(database, CHEAP, "guess", NEW, NEW, address="10.6.1.1", by=who, now=clock())
    with pytest.raises(TooManyAttempts):
        change_password(database, CHEAP, PASSWORD, NEW, NEW, address="10.6.1.1", by=who, now=clock())


def test_a_link_sets_a_lost_password_once(database, someone, clock):
    lead, who = _two(someone)
    name, token = _name(database, who), _link(database, who, lead, clock)
    assert whose_link(database, token, now=clock()) == name
    with pytest.raises(InvalidInput):
        set_password_by_link(database, CHEAP, token, "short", "short", address="", now=clock())
    set_password_by_link(database, CHEAP, token, NEW, NEW, address="", now=clock())
    assert _sign_in(database, clock, name, NEW, "10.7.0.1")
    with pytest.raises(NotFound, match="was used, or it has run out"):
        set_password_by_link(database, CHEAP, token, PASSWORD, PASSWORD, address="", now=clock())


def test_a_link_runs_out_and_a_newer_one_takes_its_place(database, someone, clock):
    lead, who = _two(someone)
    first = _link(database, who, lead, clock)
    second = _link(database, who, lead, clock)
    with pytest.raises(NotFound):
        whose_link(database, first, now=clock())
    clock.forward(60 * LINK_HOURS + 1)
    with pytest.raises(NotFound):
        whose_link(database, second, now=clock())


def test_the_operator_sets_a_lost_password(database, someone, clock):
    name = _name(database, someone())
    set_password_by_command(database, CHEAP, f" {name.upper()} ", NEW, now=clock())
    assert _sign_in(database, clock, name, NEW, "10.8.0.1")
    with pytest.raises(NotFound, match="no such sign-in name"):
        set_password_by_command(database, CHEAP, "nobody-at-all", NEW, now=clock())


def test_whoever_is_switched_off_is_out_at_once_and_gets_in_no_way(database, someone, clock):
    lead, who = _two(someone)
    name = _name(database, who)
    session = _sign_in(database, clock, name, PASSWORD, "10.9.0.1")
    token = _link(database, who, lead, clock)
    switch(database, who.person_id, False, by=lead, now=clock())
    with pytest.raises(NotSignedIn):
        who_is(database, session, now=clock())
    with pytest.raises(SignInRefused):
        _sign_in(database, clock, name, PASSWORD, "10.9.0.1")
    with pytest.raises(SignInRefused):
        open_session(database, who.person_id, now=clock(), hours=1)
    with pytest.raises(NotFound):
        whose_link(database, token, now=clock())
    switch(database, who.person_id, True, by=lead, now=clock())
    assert _sign_in(database, clock, name, PASSWORD, "10.9.0.1")


def test_what_has_run_out_is_taken_away_and_nothing_else(database, someone, clock):
    sweep(database, now=clock() + datetime.timedelta(days=3650))  # what other tests left, some of them years ahead
    lead, who = _two(someone)
    name = _name(database, who)
    _sign_in(database, clock, name, PASSWORD, "10.10.0.1", "e" * 40)
    _guess(database, clock, name, 1, "10.10.0.2")
    _link(database, who, lead, clock)
    sweep(database, now=clock())

    def kept(table):
        with database.at_the_door() as session:
            return session.scalar(select(func.count()).select_from(table))

    before = [kept(table) for table in (SignedIn, DoorCount, PasswordLink, KnownDevice)]
    assert min(before) >= 1
    clock.forward(FORGOTTEN_S / 60 + 60 * LINK_HOURS)
    assert sweep(database, now=clock()) >= 3
    assert [kept(table) for table in (SignedIn, DoorCount, PasswordLink)] == [0, 0, 0]
    assert kept(KnownDevice) == before[3]
    clock.forward(60 * 24 * DEVICE_DAYS)
    sweep(database, now=clock())
    assert kept(KnownDevice) == 0


def test_the_trail_tells_who_came_in_and_who_was_refused_from_where(database, someone, clock):
    lead, who = _two(someone)
    name = _name(database, who)
    _sign_in(database, clock, name, PASSWORD, "10.11.0.1")
    note_refusal(database, f" {name.upper()}", "10.11.0.2", clock())
    note_refusal(database, "nobody-at-all", "10.11.0.3", clock())
    lines = [(line.act, line.subject, line.address) for line in trail_of(database, by=lead)]
    assert lines == [("refused", name, "10.11.0.2"), ("signed_in", name, "10.11.0.1")]
