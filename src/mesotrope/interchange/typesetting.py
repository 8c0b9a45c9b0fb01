"""Setting pages as PDF, one after the other: the process that `paper.Typesetter` starts."""

from __future__ import annotations

import json
import sys
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO

from weasyprint import CSS, HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher, URLFetcherResponse

#: Each paper as CSS names it.
PAPERS = {"a4": "A4", "letter": "Letter"}

STATIC = Path(__file__).resolve().parents[1] / "web" / "static"
FONT = "atkinson-hyperlegible-next.woff2"

#: Where the page believes to stand; nothing is there but the font.
BASE = "mesotrope:/"


class _OursOnly(URLFetcher):  # type: ignore[misc]
    """Gives out the product's own font, and pictures that are inside the page; nothing else."""

    def __init__(self) -> None:
        super().__init__(allowed_protocols=("data",))

    def fetch(self, url: str, headers: Any = None) -> Any:
        if url == BASE + FONT:
            return URLFetcherResponse(url, (STATIC / "fonts" / FONT).read_bytes(), {"Content-Type": "font/woff2"})
        return super().fetch(url, headers)


@lru_cache(maxsize=4)
def _style(paper: str) -> tuple[CSS, FontConfiguration]:
    fonts = FontConfiguration()
    text = (STATIC / "paper.css").read_text(encoding="utf-8").replace("/* the paper */", f"size: {PAPERS[paper]};")
    return CSS(string=text, url_fetcher=_OursOnly(), font_config=fonts, base_url=BASE), fonts


def set_as_pdf(html: str, paper: str) -> bytes:
    """Set a page as PDF; nothing is fetched from anywhere."""
    style, fonts = _style(paper)
    page = HTML(string=html, url_fetcher=_OursOnly(), base_url=BASE)
    written: bytes = page.write_pdf(stylesheets=[style], font_config=fonts)
    return written


def set_what_is_asked(asked: BinaryIO, answers: BinaryIO) -> None:
    """Set page after page until there is no more: each is a line, `{"html": …, "paper": …}`, and answered by a line,
    `{"bytes": …}` with that many bytes after it, or `{"failed": …}`."""
    for line in asked:
        page = json.loads(line)
        said: dict[str, Any]
        try:
            written = set_as_pdf(page["html"], page["paper"])
            said = {"bytes": len(written)}
        except Exception as error:  # whatever it is, the next page can be set
            written, said = b"", {"failed": f"{type(error).__name__}: {error}"}
        answers.write(json.dumps(said).encode() + b"\n" + written)
        answers.flush()


if __name__ == "__main__":
    set_what_is_asked(sys.stdin.buffer, sys.stdout.buffer)
