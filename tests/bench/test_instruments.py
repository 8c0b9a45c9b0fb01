"""Simulated instruments and the port for real ones."""

from __future__ import annotations

import numpy as np
import pytest

from mesotrope.bench.instruments import KINDS, ByHand, OnVehicle, vehicle_numbered
from mesotrope.bench.port import Line, read_line, read_lines
from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import CornerFindings, SystemFindings
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge

RANDOM = np.random.default_rng(3)
CAR = vehicle_numbered(7, "car")


@pytest.mark.parametrize(
    ("text", "line"),
    [("7.52 mm", Line(7.52, "mm")), ("7,52mm", Line(7.52, "mm")), ("9/32 in", Line(9 / 32, "in")),
     ("158 °C", Line(158, "C")), ("3.2 %", Line(3.2, "%")), ("-4 °C", Line(-4, "C")), ("41", Line(41, ""))],
)  # fmt: skip
def test_a_line_is_a_value_and_its_unit(text, line):
    assert read_line(text) == line


@pytest.mark.parametrize(
    ("text", "message"), [("mm", "a value and its unit"), ("7 ells", "the unit is one of"), ("", "a value")]
)
def test_a_line_that_cannot_be_read_says_why(text, message):
    with pytest.raises(InvalidInput, match=message):
        read_line(text)


def test_a_serial_line_is_read_line_by_line():
    assert [line.value for line in read_lines(["7.5 mm\r\n", "\n", "23.895 mm\r\n"])] == [7.5, 23.895]


FIELD_OF = {
    "depth_gauge": (CornerFindings, "pad_mm.inner.lead_rim"), "micrometer": (CornerFindings, "rotor_mm.1"),
    "spring_scale": (CornerFindings, "pull_n"), "infrared": (CornerFindings, "hub_temperature_c"),
    "water_meter": (SystemFindings, "fluid_water_percent"), "boiling_tester": (SystemFindings, "fluid_boiling_c"),
}  # fmt: skip


@pytest.mark.parametrize("name", FIELD_OF)
def test_every_reading_can_go_straight_into_its_field(name):
    reading = OnVehicle(KINDS[name], CAR, RANDOM).read("rear_left", KINDS[name].places[0])
    model, path = FIELD_OF[name]
    assert read_entry(model, path, reading.line, knowledge(), confirmed=True) == pytest.approx(reading.value)


def test_the_mean_of_many_readings_is_the_truth():
    vehicle = vehicle_numbered(11, "car")
    gauge = OnVehicle(KINDS["depth_gauge"], vehicle, RANDOM)
    readings = [gauge.read("front_left", "inner lead_rim").value for _ in range(400)]
    assert np.mean(readings) == pytest.approx(vehicle.corners["front_left"].inner.at("lead_rim"), abs=0.05)


def test_the_same_number_is_the_same_vehicle():
    assert vehicle_numbered(5, "car").truth == vehicle_numbered(5, "car").truth


@pytest.mark.parametrize(
    ("read", "message"),
    [
        (lambda: OnVehicle(KINDS["micrometer"], CAR, RANDOM).read("middle", "place 1"), "allowed: front"),
        (lambda: OnVehicle(KINDS["micrometer"], CAR, RANDOM).read("front_left", "x"), "allowed: place"),
        (lambda: OnVehicle(KINDS["torque_wrench"], CAR, RANDOM).read("front_left", "fastener"), "by hand"),
        (lambda: ByHand(KINDS["depth_gauge"], 99.0, RANDOM).read(), "allowed: 0 to 20 mm"),
        (lambda: vehicle_numbered(7, "boat"), "allowed: car"),
    ],
)  # fmt: skip
def test_what_an_instrument_cannot_read_is_refused_with_what_it_can(read, message):
    with pytest.raises(InvalidInput, match=message):
        read()


def test_a_value_set_by_hand_is_read_with_the_instruments_own_noise():
    readings = [ByHand(KINDS["torque_wrench"], 110.0, RANDOM).read().value for _ in range(200)]
    assert np.mean(readings) == pytest.approx(110.0, abs=1.0)
    assert np.std(readings) == pytest.approx(2.2, abs=0.6)
