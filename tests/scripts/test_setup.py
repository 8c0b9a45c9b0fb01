"""Set-up speaks plainly where it cannot go on."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def test_a_user_without_sudo_is_told_the_one_command_to_run_as_root(tmp_path):
    for tool in ("bash", "dirname", "sed", "grep"):
        (tmp_path / tool).symlink_to(shutil.which(tool))
    for name, body in {"id": "echo 1000", "dpkg-query": "exit 1", "apt-get": "echo never >&2"}.items():
        (tmp_path / name).write_text(f"#!{shutil.which('bash')}\n{body}\n")
        (tmp_path / name).chmod(0o755)
    done = subprocess.run(
        [tmp_path / "bash", ROOT / "scripts/setup.sh", "packages-run"],
        env={"PATH": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1
    assert "the database, as a private instance in this folder" in done.stderr
    wanted = "apt-get update && apt-get install -y --no-install-recommends mariadb-server-core mariadb-client"
    assert done.stderr.splitlines()[-1].strip() == wanted
    assert "never" not in done.stderr
