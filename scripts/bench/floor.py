"""The floor that the bench holds the application against: a bare FastAPI and Jinja page of as many bytes, without any
database, and with three statements in one transaction.

    python -m scripts.bench.floor DATABASE_URL PORT     serves both, prints the address, and ends with its input
"""

from __future__ import annotations

import sys

from fastapi import FastAPI
from fastapi.responses import HTMLResponse
from jinja2 import Environment
from sqlalchemy import create_engine, text

from tests.served import answering

#: A line of the page as a template makes it: three values, escaped.
LINE = "<li><b>{{ row.name }}</b> <span>{{ row.value }}</span> <i>{{ row.words }}</i></li>\n"

PAGE = Environment(autoescape=True).from_string("<ol>{% for row in rows %}" + LINE + "{% endfor %}</ol>")


def page_of(size: int) -> str:
    """A page of about so many bytes."""
    row = {"name": "inner pad, leading end, rim", "value": 7.25, "words": "worn evenly <from new>"}
    line = len(PAGE.render(rows=[row, row]).encode()) - len(PAGE.render(rows=[row]).encode())
    return PAGE.render(rows=[row] * max(1, round(size / line)))


def floor(url: str) -> FastAPI:
    """The application."""
    app = FastAPI()
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE floor (id INT PRIMARY KEY AUTO_INCREMENT, said VARCHAR(200))"))
        connection.execute(text("INSERT INTO floor (said) VALUES ('first'), ('second')"))

    @app.get("/page/{size}", response_class=HTMLResponse)
    def page(size: int) -> str:
        return page_of(size)

    @app.post("/entry/{size}", response_class=HTMLResponse)
    def entry(size: int) -> str:
        with engine.begin() as connection:
            connection.execute(text("SELECT said FROM floor WHERE id = 1")).all()
            connection.execute(text("INSERT INTO floor (said) VALUES (:said)"), {"said": "a figure"})
            connection.execute(text("SELECT said FROM floor WHERE id = 2")).all()
        return page_of(size)

    return app


if __name__ == "__main__":
    with answering(floor(sys.argv[1]), int(sys.argv[2])) as address:
        print(address, flush=True)
        sys.stdin.read()
