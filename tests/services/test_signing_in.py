"""Signing in: passwords, sessions, and a door that closes."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from mesotrope.errors import InvalidInput, NotSignedIn, SignInRefused, TooManyAttempts
from mesotrope.services.people import add_person, require_password
from mesotrope.services.signing_in import (
    MOST_REFUSED_BY_ADDRESS,
    MOST_REFUSED_BY_NAME,
    WINDOW_MINUTES,
    Passwords,
    sign_in,
    sign_out,
    who_is,
)
from mesotrope.store.tables import Person, SignedIn
from tests.conftest import PASSWORD


def _name(database, who):
    with database.at_the_door() as session:
        return session.get(Person, who.person_id).sign_in_name


def _sign_in(database, clock, name, password, address="10.0.0.1"):
    return sign_in(
        database, Passwords.with_cost(16, 1), name, password, address=address, now=clock(), hours=1
    )  # fmt: skip


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


def test_the_door_closes_after_too_many_guesses_and_opens_again(database, someone, clock):
    name = _name(database, someone())
    for _ in range(MOST_REFUSED_BY_NAME):
        with pytest.raises(SignInRefused):
            _sign_in(database, clock, name, "guess", address="10.2.0.1")
    with pytest.raises(TooManyAttempts, match="opens again after 15 minutes"):
        _sign_in(database, clock, name, PASSWORD, address="10.2.0.2")
    clock.forward(WINDOW_MINUTES + 1)
    assert _sign_in(database, clock, name, PASSWORD, address="10.2.0.2")


def test_a_session_ends_by_itself_and_by_signing_out(database, someone, clock):
    who = someone()
    first = _sign_in(database, clock, _name(database, who), PASSWORD, address="10.3.0.1")
    sign_out(database, first)
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


def test_the_door_closes_to_an_address_that_guesses_at_many_names(database, someone, clock):
    for guess in range(MOST_REFUSED_BY_ADDRESS):
        with pytest.raises(SignInRefused):
            _sign_in(database, clock, f"nobody-{guess}", "guess", address="10.4.0.1")
    name = _name(database, someone())
    with pytest.raises(TooManyAttempts):
        _sign_in(database, clock, name, PASSWORD, address="10.4.0.1")
    assert _sign_in(database, clock, name, PASSWORD, address="10.4.0.2")


class Counting(Passwords):
    """Passwords that count what they were asked to work out: that is what takes the time."""

    worked_out: list[str] = []  # noqa: RUF012

    def hash(self, password):
        self.worked_out.append("hash")
        return super().hash(password)

    def fits(self, password_hash, password):
        self.worked_out.append("fits")
        return super().fits(password_hash, password)


def test_an_unknown_name_costs_a_password_check_as_a_known_one_does(database, clock):
    counting = Counting(Passwords.with_cost(16, 1).hasher)
    with pytest.raises(SignInRefused):
        sign_in(database, counting, "nobody-known", "guess", address="10.5.0.1", now=clock(), hours=1)
    assert "fits" in counting.worked_out
