"""Setting a page as PDF, with a library that takes a second to load: `paper` does, when something is printed."""

from __future__ import annotations

import threading
from functools import lru_cache
from pathlib import Path
from typing import Any

from weasyprint import CSS, HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher, URLFetcherResponse

from mesotrope.interchange.paper import Paper

#: Each paper as CSS names it.
PAPERS: dict[Paper, str] = {"a4": "A4", "letter": "Letter"}

STATIC = Path(__file__).resolve().parents[1] / "web" / "static"
FONT = "atkinson-hyperlegible-next.woff2"

#: Where the page believes to stand; nothing is there but the font.
BASE = "mesotrope:/"

#: The library that sets the text keeps its fonts for the whole process: one page at a time.
_one_at_a_time = threading.Lock()


class _OursOnly(URLFetcher):  # type: ignore[misc]
    """Gives out the product's own font, and pictures that are inside the page; nothing else."""

    def __init__(self) -> None:
        super().__init__(allowed_protocols=("data",))

    def fetch(self, url: str, headers: Any = None) -> Any:
        if url == BASE + FONT:
            return URLFetcherResponse(url, (STATIC / "fonts" / FONT).read_bytes(), {"Content-Type": "font/woff2"})
        return super().fetch(url, headers)


@lru_cache(maxsize=4)
def _style(paper: Paper) -> tuple[CSS, FontConfiguration]:
    fonts = FontConfiguration()
    text = (STATIC / "paper.css").read_text(encoding="utf-8").replace("/* the paper */", f"size: {PAPERS[paper]};")
    return CSS(string=text, url_fetcher=_OursOnly(), font_config=fonts, base_url=BASE), fonts


def set_as_pdf(html: str, paper: Paper) -> bytes:
    """Set a page as PDF; nothing is fetched from anywhere."""
    with _one_at_a_time:
        style, fonts = _style(paper)
        page = HTML(string=html, url_fetcher=_OursOnly(), base_url=BASE)
        written: bytes = page.write_pdf(stylesheets=[style], font_config=fonts)
    return written
