"""A database that is installed and migrated once in a run of the tests, and copied wherever a test wants its own."""

from __future__ import annotations

import fcntl
import shutil
from pathlib import Path

from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate

_install = Instance._install


def copy_made(base: Path, instance: Instance, port: int) -> None:
    """Give an instance the files of the made database in place of its installation; base : the folder of this run."""
    made = base / "made"
    with (base / "made.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (made / "whole").exists():
            first = Instance(made, port, buffer_mib=32)
            first._write_configuration()
            _install(first)
            first.start()
            migrate(first.url())
            first.stop()
            (made / "whole").touch()
    shutil.copytree(made / "data", instance.folder / "data", dirs_exist_ok=True)
