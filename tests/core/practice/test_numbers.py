"""Numbers of mystery vehicles: what they tell, and what they refuse. Common practice: there is no source for them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.corner import PLACES_ON_VEHICLE, VEHICLE, Corner
from mesotrope.core.practice.numbers import (
    MADE_FROM,
    MOST_DRAWN,
    Drawn,
    Made,
    Planted,
    Prepared,
    meaning_of,
    number_of_drawn,
    number_of_made,
    read_number,
    written,
)
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge

FIGURES = knowledge().practice

planted = st.builds(
    Planted,
    st.sampled_from(PLACES_ON_VEHICLE),
    st.sampled_from(FIGURES.faults),
    st.sampled_from([one.id for one in FIGURES.severity]),
    st.sampled_from([one.id for one in FIGURES.age]),
)


@given(st.sampled_from(FIGURES.kinds), st.sampled_from(FIGURES.difficulties), st.integers(1, MOST_DRAWN))
def test_a_drawn_vehicle_is_told_by_its_number(kind, difficulty, seed):
    drawn = Drawn(kind, difficulty, seed)
    assert meaning_of(number_of_drawn(drawn, FIGURES), FIGURES) == drawn


@given(st.sampled_from(FIGURES.kinds), st.lists(planted, max_size=4), st.integers(0, 99))
def test_a_made_vehicle_is_told_by_its_number_in_whatever_order_its_faults_were_chosen(kind, faults, seed):
    number = number_of_made(Made(kind, tuple(faults), seed), FIGURES)
    told = meaning_of(number, FIGURES)
    assert isinstance(told, Made)
    assert (told.kind, told.seed) == (kind, seed)
    assert sorted(map(repr, told.planted)) == sorted(map(repr, faults))
    assert number_of_made(Made(kind, tuple(reversed(faults)), seed), FIGURES) == number


@given(planted)
def test_a_number_fits_the_database_and_a_message(fault):
    """Four faults are the most: the largest number is under nine trillion millions, which the database can hold."""
    number = number_of_made(Made("motorcycle", (fault,) * 4, 99), FIGURES)
    assert MADE_FROM <= number < 2**63
    assert read_number(written(number), FIGURES) == number


def test_lessons_are_the_smallest_numbers_and_numbers_keep_their_meaning():
    """Handed out once, a number means the same in every later version: these three are nailed down."""
    assert [meaning_of(number, FIGURES) for number in FIGURES.lessons] == [Prepared(n) for n in range(1, 11)]
    assert meaning_of(471112, FIGURES) == Drawn("car", "several", 4711)
    hose = Made("car", (Planted(Corner.FRONT_LEFT, "hose_restricted", "clear", "some"),), 0)
    assert number_of_made(hose, FIGURES) == 1_000_418_400
    air = Made("car", (Planted(VEHICLE, "air_in_hydraulics", "grave", "lately"),), 7)
    assert number_of_made(air, FIGURES) == 1_000_822_807


@pytest.mark.parametrize("text", ["", "abc", "11", "100", "4711x", "471119", "47119", "0", "-5", "٤٧١١١٢", "9" * 30])
def test_a_number_that_no_vehicle_has_is_refused_with_what_is_allowed(text):
    with pytest.raises(InvalidInput, match="digits as they were handed out") as refused:
        read_number(text, FIGURES)
    assert "number of a vehicle" in str(refused.value)
    assert len(str(refused.value)) < 250


def test_more_faults_than_can_be_planted_are_refused():
    one = Planted(VEHICLE, "booster_weak", "slight", "long")
    with pytest.raises(InvalidInput, match="at most 4 can be planted"):
        number_of_made(Made("car", (one,) * 5, 0), FIGURES)
    with pytest.raises(InvalidInput, match="allowed: 1 to"):
        number_of_drawn(Drawn("car", "several", 0), FIGURES)
