"""The command line without a process of its own for each command: most of a second is saved by every one."""

from __future__ import annotations

import io
import os
import sys
from collections.abc import Mapping
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from unittest.mock import patch

from mesotrope.cli import main
from mesotrope.settings import settings


@dataclass(frozen=True)
class Done:
    """What a command said, and how it ended."""

    returncode: int
    stdout: str
    stderr: str


def by_command(*words: str, text: str = "", environment: Mapping[str, str] | None = None) -> Done:
    """Run `mesotrope` with some words, an input and an environment, by default this process's."""
    said, refused, code = io.StringIO(), io.StringIO(), 0
    given = io.TextIOWrapper(io.BytesIO(text.encode()))
    settings.cache_clear()
    with (
        patch.dict(os.environ, environment or {}),
        patch.object(sys, "argv", ["mesotrope", *words]),
        patch.object(sys, "stdin", given),
        redirect_stdout(said),
        redirect_stderr(refused),
    ):
        try:
            main()
        except SystemExit as ended:
            code = int(ended.code or 0)
    settings.cache_clear()
    return Done(code, said.getvalue(), refused.getvalue())
