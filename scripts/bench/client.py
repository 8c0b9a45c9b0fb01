"""A client of a served demo, as the bench drives it: signed in, getting pages and sending figures on one connection."""

from __future__ import annotations

import itertools
import re
from types import TracebackType
from typing import Self

import httpx2

from tests.served import sign_in


class Client:
    """Someone signed in at `address`; every figure that is entered differs from the one before."""

    def __init__(self, address: str) -> None:
        self._http = httpx2.Client(base_url=address, timeout=120)
        self._figures = itertools.count()
        self.token = sign_in(self._http)

    def page(self, path: str = "/jobs/1/strip?axle=rear") -> str:
        """The page at `path`, whole."""
        done = self._http.get(path)
        assert done.status_code == 200, done.text
        return done.text

    def until_figures_are_made(self) -> None:
        """Ask for the figures until all closed jobs count; a database that was just filled may take too long at first,
        which is told in words."""
        for _ in range(1000):
            done = self._http.get("/figures")
            assert done.status_code in (200, 503), done.text
            if done.status_code == 200 and "closed jobs are still" not in done.text:
                return
        raise RuntimeError("the figures are never made")

    def entry(
        self, job: int = 1, corner: str = "rear_left", path: str = "pad_mm.inner.lead_rim", value: float | None = None
    ) -> str:
        """One figure entered at a job, without more a thickness that is another each time; what the screen gets for it:
        suspects, plate, fields."""
        number = next(self._figures)
        figure = 3 + number % 700 / 500 if value is None else value
        done = self._http.post(
            f"/jobs/{job}/findings",
            data={
                "corner": corner, "path": path, "value": f"{figure:.3f}", "stage": "strip",
                "axle": corner.partition("_")[0], "confirmed": "yes",
            },
            headers={
                "x-change-token": self.token, "hx-request": "true", "idempotency-key": f"bench-{id(self)}-{number:06d}",
            },
        )  # fmt: skip
        assert done.status_code == 200, done.text
        return done.text

    def newest_job(self) -> int:
        """The number of the job that was opened last: the greatest on Today."""
        return max(map(int, re.findall(r'href="/jobs/(\d+)/', self.page("/?sort=since"))))

    def take_in(self) -> None:
        """One vehicle that is new here taken in."""
        number = next(self._figures)
        done = self._http.post(
            "/jobs", data={"label": f"Bench {number}", "kind": "car", "complaint": "drags"},
            headers={"x-change-token": self.token, "idempotency-key": f"bench-{id(self)}-{number:06d}"},
        )  # fmt: skip
        assert done.status_code == 303, done.text

    def upload(self, lines: str) -> None:
        """Bring inspections in, one a line."""
        done = self._http.post("/import", files={"file": ("many.jsonl", lines)}, data={"change_token": self.token})
        assert done.status_code == 303, done.text

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._http.close()
