"""Set-up speaks plainly where it cannot go on."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
BASH = shutil.which("bash")


def test_a_user_without_sudo_is_told_the_one_command_to_run_as_root(tmp_path):
    for tool in ("dirname", "sed", "grep"):
        (tmp_path / tool).symlink_to(shutil.which(tool))
    ours = {
        "python3": f'exec {sys.executable} "$@"',
        "id": "echo 1000",
        "dpkg-query": "exit 1",
        "apt-get": "echo ran >&2",
    }
    for name, body in ours.items():
        (tmp_path / name).write_text(f"#!{BASH}\n{body}\n")
        (tmp_path / name).chmod(0o755)
    done = subprocess.run(
        [BASH, ROOT / "scripts/setup.sh", "packages-develop"],
        env={"PATH": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1, done
    assert "mariadb-server-core mariadb-client (the database, as a private instance in this folder)" in done.stdout
    command = done.stderr.splitlines()[-1].strip()
    assert command.startswith("apt-get update && apt-get install -y --no-install-recommends ")
    packages = "mariadb-server-core mariadb-client libpango-1.0-0 chromium-headless-shell libatomic1 libgomp1"
    for package in packages.split():
        assert f" {package} " in f"{command} "
    assert "ran" not in done.stderr.split()
