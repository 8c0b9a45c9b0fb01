"""Vehicles and owners from a table: what would happen, and then exactly that."""

from __future__ import annotations

from dataclasses import asdict

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.errors import InvalidDocument, InvalidInput, NotAllowed
from mesotrope.interchange.vehicle_table import COLUMNS, VehicleLine, read_vehicle_table, write_vehicle_table
from mesotrope.services.bring_in import bring_in, preview, table_of
from mesotrope.services.finding import find
from mesotrope.services.owners import owners_of

TABLE = """plate;name;owner;telephone;allowed
0-BRG-1;Blue van;Ada Kern;0-555-0151;letter message
0-BRG-2;Red car;Ada Kern;0-555-0151;
0-BRG-3;;;;
;;;;
0-BRG-1;Blue van again;;;
0-BRG-4;Grey car;Bo Lind;call me;
0-BRG-5;Plum car;Cy Roe;;pigeon
"""


def lines_of(text):
    return [(number, asdict(line)) for number, line in read_vehicle_table(text.encode())]


def told(seen):
    return [(line.number, line.what) for line in seen.lines]


def test_each_line_says_what_would_happen_and_nothing_is_written(database, someone):
    who = someone()
    seen = preview(database, lines_of(TABLE), by=who)
    assert told(seen) == [(2, "new"), (3, "new"), (4, "refused"), (6, "refused"), (7, "refused"), (8, "refused")]
    words = {line.number: line.words for line in seen.lines}
    assert words[2] == "a new vehicle, new owner Ada Kern"
    assert "needs a name" in words[4]
    assert "it stands in line 2 already" in words[6]
    assert "digits with spaces" in words[7]
    assert "allowed: letter, message, email" in words[8]
    assert find(database, "BRG", by=who).vehicles == ()


def test_what_was_agreed_to_is_written_and_the_second_time_nothing_changes(database, someone, clock):
    who = someone()
    lines = lines_of(TABLE)
    seen = preview(database, lines, by=who)
    assert bring_in(database, lines, seen.digest, by=who, now=clock()) == 2
    assert [vehicle.label for vehicle in find(database, "BRG ada", by=who).vehicles] == ["Red car", "Blue van"]
    [owner] = owners_of(database, by=who)
    assert (owner.contact.name, owner.contact.allowed, owner.vehicles) == ("Ada Kern", ("letter", "message"), 2)
    again = preview(database, lines, by=who)
    assert [what for _, what in told(again)][:2] == ["same", "same"]


def test_what_changed_since_the_preview_is_looked_at_again(database, someone, clock):
    who = someone()
    lines = lines_of(TABLE)
    seen = preview(database, lines, by=who)
    bring_in(database, lines, seen.digest, by=who, now=clock())
    with pytest.raises(InvalidInput, match="something changed since"):
        bring_in(database, lines, seen.digest, by=who, now=clock())


def test_a_known_vehicle_is_completed_and_an_empty_cell_changes_nothing(database, someone, clock):
    who = someone()
    first = lines_of("plate,name,kind\n0-BRG-9,Old name,motorcycle\n")
    bring_in(database, first, preview(database, first, by=who).digest, by=who, now=clock())
    second = lines_of("plate,name,vin,owner\n0 brg 9,,1M8GDM9AXKP042788,Eda Moor\n")
    seen = preview(database, second, by=who)
    assert "VIN becomes 1M8GDM9AXKP042788" in seen.lines[0].words
    bring_in(database, second, seen.digest, by=who, now=clock())
    [line] = table_of(database, by=who, now=clock())
    assert (line["name"], line["kind"], line["vin"], line["owner"]) == (
        "Old name", "motorcycle", "1M8GDM9AXKP042788", "Eda Moor"
    )  # fmt: skip


def test_what_goes_out_comes_in_again_as_it_was(database, someone, clock):
    who, other = someone(), someone()
    lines = lines_of(TABLE)
    bring_in(database, lines, preview(database, lines, by=who).digest, by=who, now=clock())
    out = table_of(database, by=who, now=clock())
    written = write_vehicle_table(VehicleLine(**line) for line in out)
    back = lines_of(written)
    bring_in(database, back, preview(database, back, by=other).digest, by=other, now=clock())
    assert table_of(database, by=other, now=clock()) == out


def test_an_apprentice_neither_brings_in_nor_takes_out(database, someone, clock):
    who = someone(role="apprentice")
    for use in (
        lambda: preview(database, [], by=who),
        lambda: bring_in(database, [], "", by=who, now=clock()),
        lambda: table_of(database, by=who, now=clock()),
    ):
        with pytest.raises(NotAllowed, match="technician or lead"):
            use()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "its first line names the columns"),
        (b"colour\nred\n", "its first line names the columns"),
        (b"owner\nAda\n", "name, plate or vin among them"),
        (b"name,name\na,b\n", "its first line names the columns"),
        (b"name\n\xff\n", "text in UTF-8"),
        (b"x" * 5_000_001, "at most 5,000,000 bytes"),
    ],
)
def test_what_is_no_such_table_is_refused(data, words):
    with pytest.raises(InvalidInput, match=words):
        read_vehicle_table(data)


def test_a_line_with_too_many_cells_is_named():
    with pytest.raises(InvalidDocument, match="line 3"):
        read_vehicle_table(b"name,plate\nA,1\nB,2,3\n")


def test_no_cell_is_a_formula():
    written = write_vehicle_table([VehicleLine(name="=1+1", plate="+1", owner="@x")])
    assert "'=1+1" in written
    assert read_vehicle_table(written.encode())[0][1].name == "=1+1"


cells = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), max_size=12).map(str.strip)


@given(st.lists(st.tuples(*[cells] * len(COLUMNS)), max_size=8))
def test_a_table_is_read_as_it_was_written(rows):
    lines = [VehicleLine(*row) for row in rows]
    full = [line for line in lines if any(asdict(line).values())]
    assert [line for _, line in read_vehicle_table(write_vehicle_table(full).encode())] == full
