"""Words and units put together: every figure of a sentence in the unit of who reads it, and nothing else."""

from __future__ import annotations

from gettext import NullTranslations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.saying import Figure, joined, placed, said
from mesotrope.core.language.units import Units
from mesotrope.words import PLAINLY, Speaker

US = Speaker(Units(length="in", torque="lbf.ft", temperature="F", distance="mi", volume="fl_oz"))


@pytest.mark.parametrize(
    ("figure", "metric", "american"),
    [
        (Figure(3.4, "mm", 1), "3.4 mm", "0.134 in"),  # 25.4 mm are an inch: NIST SP 811, Appendix B (from memory)
        (Figure(7.1, "N.m", 1, 3.0), "7.1 ± 3.0 N·m", "5.2 ± 2.2 lb·ft"),
        (Figure(190.0, "C", 0), "190 °C", "374 °F"),
        (Figure(-5.0, "C", 0), "-5 °C", "23 °F"),
        (Figure(30.0, "K", 0), "30 °C", "54 °F"),  # a difference: 30 · 1.8
        (Figure(60.0, "mL", 0), "60 mL", "2.0 fl oz"),
        (Figure(50.0, "km", 0), "50 km", "31 miles"),
        (Figure(100.0, "km/h", 0), "100 km/h", "62 mph"),
        (Figure(0.998, "chance"), "over 99 %", "over 99 %"),
        (Figure(3.2, "%"), "3.2 %", "3.2 %"),
    ],
)
def test_a_figure_is_in_the_unit_of_who_reads_it(figure, metric, american):
    assert (PLAINLY(figure), US(figure)) == (metric, american)


def test_only_linings_are_read_in_fractions_of_an_inch():
    thirty_seconds = Speaker(Units(length="32nds"))
    assert thirty_seconds(Figure(7.14375, "mm", 1)) == "9/32 in"
    assert thirty_seconds(Figure(23.9, "mm", 2, fine=True)) == "0.9409 in"


def test_a_sentence_stands_under_its_place_or_names_it():
    sentence = said("hub {rise} over the outside", rise=Figure(30.0, "K", 0))
    assert PLAINLY(placed(Corner.REAR_LEFT, sentence)) == "rear left hub 30 °C over the outside"
    assert placed(VEHICLE, sentence) == sentence
    assert PLAINLY(joined([sentence, "", "a word"])) == "hub 30 °C over the outside; a word"


class Backwards(NullTranslations):
    """A language in which every message is turned round, its gaps left as they are."""

    def gettext(self, message):
        return " ".join(reversed(message.split()))


def test_words_and_sentences_are_a_languages_figures_are_not():
    sentence = said("lining {left} at its thinnest: {verdict}", left=Figure(2.9, "mm", 1), verdict="not good")
    assert Speaker(language=Backwards())(sentence) == "good not thinnest: its at 2.9 mm lining"


@given(st.floats(-1e4, 1e4, allow_nan=False), st.sampled_from(["mm", "N.m", "C", "mL", ""]), st.integers(0, 3))
def test_whoever_reads_the_kept_units_reads_the_kept_figure(value, unit, digits):
    shown = PLAINLY(Figure(value, unit, digits)).split(" ")[0].replace("−", "-")
    assert float(shown) == pytest.approx(value, abs=0.51 * 10**-digits)
