"""An earlier revision of this checkout, beside it for as long as it is asked."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

HERE = Path(__file__).resolve().parents[1]


@contextmanager
def checkout(revision: str) -> Iterator[Path]:
    """Check a revision out into a folder of its own; yields that."""
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "then"
        git = ["git", "-C", str(HERE), "worktree"]
        subprocess.run([*git, "add", "--quiet", "--detach", str(tree), revision], check=True)
        try:
            yield tree
        finally:
            subprocess.run([*git, "remove", "--force", str(tree)], check=True)
