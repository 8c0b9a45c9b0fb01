"""The floor of the bench is what it says: pages of the size asked for, and three statements in one transaction."""

from __future__ import annotations

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.engine import Engine

from scripts.bench.floor import floor, page_of


@pytest.mark.parametrize("size", [10_000, 100_000])
def test_a_bare_page_has_about_as_many_bytes_as_asked_for(size):
    assert len(page_of(size).encode()) == pytest.approx(size, rel=0.03)
    assert "&lt;from new&gt;" in page_of(size)  # escaped, as every page is


def test_the_floor_of_an_entry_is_three_statements_in_one_transaction(database):
    said, ended = [], []
    watched = {
        "before_cursor_execute": lambda *given: said.append(given[2]),
        "commit": lambda _: ended.append("commit"),
    }
    application = floor(database.engine.url.render_as_string(hide_password=False))
    for name, watch in watched.items():
        event.listen(Engine, name, watch)
    try:
        assert TestClient(application).post("/entry/2000").status_code == 200
    finally:
        for name, watch in watched.items():
            event.remove(Engine, name, watch)
        with database.engine.begin() as connection:
            connection.exec_driver_sql("DROP TABLE floor")
    assert [words.split()[0] for words in said] == ["SELECT", "INSERT", "SELECT"]
    assert ended == ["commit"]
