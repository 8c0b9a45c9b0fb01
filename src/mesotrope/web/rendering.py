"""Templates: strict, escaped, and given frozen views that already hold words and rounding."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined

_environment = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)


def render(template: str, request: Request, *, status: int = 200, **views: Any) -> HTMLResponse:
    """Render a template; every page knows whether it is a demo."""
    settings = request.app.state.shop.settings
    return HTMLResponse(as_html(template, demo=settings.demo, **views), status_code=status)


def as_html(template: str, **views: Any) -> str:
    """Render a template to text: a page on paper, say."""
    return _environment.get_template(template).render(**views)
