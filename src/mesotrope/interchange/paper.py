"""Pages on paper: HTML set as PDF, on A4 or Letter. Nothing is fetched from anywhere."""

from __future__ import annotations

from typing import Literal

Paper = Literal["a4", "letter"]


def to_pdf(html: str, paper: Paper) -> bytes:
    """Set a page as PDF."""
    from mesotrope.interchange.typesetting import set_as_pdf  # its library takes a second: nothing else waits for it

    return set_as_pdf(html, paper)
