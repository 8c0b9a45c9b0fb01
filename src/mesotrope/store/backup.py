"""Backup and restore: the whole database as one file of SQL, with a manifest that says what is in it.

The database's own tools write and read it: one consistent view, taken while the application goes on. A backup that is
not whole is noticed before anything is restored, and nothing is restored over anything.
"""

from __future__ import annotations

import contextlib
import datetime
import gzip
import hashlib
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput, MesotropeError

DUMP, MANIFEST = "mesotrope.sql.gz", "manifest.json"
FORMAT, VERSION = "mesotrope-backup", 1
CHUNK = 1 << 20


class BackupFailed(MesotropeError):
    """A tool of the database did not do its work; says what it said."""


class Manifest(BaseModel):
    """What a backup holds."""

    model_config = ConfigDict(extra="forbid")

    format: str = FORMAT
    version: int = VERSION
    made_at: str
    sha256: str
    bytes: int
    tables: dict[str, int] = Field(description="Rows of every table.")

    @property
    def rows(self) -> int:
        return sum(self.tables.values())


def back_up(url: str, folder: Path) -> Manifest:
    """Write a backup into a folder that is new or empty; it is there whole or not at all.

    Raises `InvalidInput` for a folder with something in it, `BackupFailed`.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise InvalidInput("folder", str(folder), "a new or an empty one is needed: nothing is written over")
    folder.parent.mkdir(parents=True, exist_ok=True)
    half = Path(tempfile.mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
    try:
        _dump(url, half / DUMP)
        manifest = Manifest(
            made_at=datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
            sha256=_digest(half / DUMP),
            bytes=(half / DUMP).stat().st_size,
            tables=_rows_in(half / DUMP),
        )
        (half / MANIFEST).write_text(manifest.model_dump_json(indent=2) + "\n", encoding="utf-8")
        if folder.exists():
            folder.rmdir()
        half.rename(folder)
    except BaseException:
        shutil.rmtree(half, ignore_errors=True)
        raise
    return manifest


def _dump(url: str, file: Path) -> None:
    """The database as SQL, each row an insert of its own line, so that rows can be counted in the file."""
    options = [
        "--single-transaction",
        "--quick",
        "--hex-blob",
        "--triggers",
        "--skip-extended-insert",
        "--order-by-primary",
    ]
    with (
        _tool(url, "mariadb-dump", *options, out=subprocess.PIPE) as running,
        gzip.open(file, "wb", compresslevel=3) as written,
    ):
        assert running.stdout is not None
        shutil.copyfileobj(running.stdout, written, CHUNK)
    file.chmod(0o600)


def restore(url: str, folder: Path) -> Manifest:
    """Read a backup into an empty database; where that fails, the database is empty again.

    Raises `InvalidInput` for a backup that is not whole or a database that holds something, `BackupFailed`.
    """
    manifest = read_manifest(folder)
    if tables := _tables(url):
        words = f"it holds {len(tables)} tables; a backup is restored into an empty database only"
        raise InvalidInput("restore", "this database", words)
    try:
        with _tool(url, "mariadb", into=subprocess.PIPE) as running, gzip.open(folder / DUMP, "rb") as file:
            assert running.stdin is not None
            with contextlib.suppress(BrokenPipeError):  # the tool ended early: its own words are the reason
                shutil.copyfileobj(file, running.stdin, CHUNK)
            with contextlib.suppress(BrokenPipeError):
                running.stdin.close()
        found = {name: _count(url, name) for name in _tables(url)}
        if found != manifest.tables:
            raise BackupFailed(f"What was restored is not what the manifest says: {found} instead of {manifest.tables}")
    except BaseException:
        _empty(url)
        raise
    return manifest


def read_manifest(folder: Path) -> Manifest:
    """The manifest of a backup whose file is whole. Raises `InvalidInput` where it is not."""
    try:
        manifest = Manifest.model_validate_json((folder / MANIFEST).read_bytes())
    except (OSError, ValidationError):
        raise InvalidInput(
            "folder",
            str(folder),
            said("there is no backup in it: {manifest} cannot be read", manifest=verbatim(MANIFEST)),
        ) from None
    if (manifest.format, manifest.version) != (FORMAT, VERSION):
        raise InvalidInput(
            MANIFEST,
            f"{manifest.format} {manifest.version}",
            said("{format} {version} is needed", format=verbatim(FORMAT), version=verbatim(VERSION)),
        )
    try:
        whole = _digest(folder / DUMP) == manifest.sha256
    except OSError:
        whole = False
    if not whole:
        raise InvalidInput(DUMP, "its checksum", "it is not the one of the manifest: the backup is not whole")
    return manifest


@contextlib.contextmanager
def _tool(
    url: str, name: str, *options: str, out: int | None = None, into: int | None = None
) -> Iterator[subprocess.Popen[bytes]]:
    """Run a tool of the database on it; its password goes in a file of the owner's alone. Raises `BackupFailed`."""
    program = shutil.which(name)
    if program is None:
        raise BackupFailed(f"{name} is not installed: apt-get install mariadb-client")
    address = make_url(url)
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryFile() as said:
        secret = Path(folder) / "client.cnf"
        descriptor = os.open(secret, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as file:
            password = str(address.password or "").replace("\\", "\\\\").replace('"', '\\"')
            file.write(f"[client]\nhost={address.host}\nport={address.port or 3306}\nuser={address.username}\n")
            file.write(f'password="{password}"\ndefault-character-set=utf8mb4\n')
        command = [program, f"--defaults-extra-file={secret}", *options, str(address.database)]
        running = subprocess.Popen(command, stdin=into, stdout=out, stderr=said)
        try:
            yield running
        finally:
            for pipe in (running.stdin, running.stdout):
                if pipe is not None:
                    with contextlib.suppress(BrokenPipeError):
                        pipe.close()
            ended = running.wait()
        if ended != 0:
            raise BackupFailed(f"{name} ended with {ended}: {_end_of(said)}")


def _end_of(said: IO[bytes]) -> str:
    said.seek(0)
    return said.read()[-600:].decode(errors="replace").strip()


def _digest(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def _rows_in(file: Path) -> dict[str, int]:
    """How many rows of every table a file of SQL holds."""
    rows: dict[str, int] = {}
    with gzip.open(file, "rb") as opened:
        for line in opened:
            if line.startswith(b"CREATE TABLE `"):
                rows[line.split(b"`", 2)[1].decode()] = 0
            elif line.startswith(b"INSERT INTO `"):
                rows[line.split(b"`", 2)[1].decode()] += 1
    return rows


def _tables(url: str) -> list[str]:
    engine = create_engine(url)
    try:
        with engine.connect() as connection:
            return list(connection.execute(text("show tables")).scalars())
    finally:
        engine.dispose()


def _count(url: str, table: str) -> int:
    engine = create_engine(url)
    try:
        with engine.connect() as connection:
            return int(connection.execute(text(f"select count(*) from `{table}`")).scalar_one())
    finally:
        engine.dispose()


def _empty(url: str) -> None:
    """Take away what a failed restore left in a database that was empty before."""
    engine = create_engine(url)
    try:
        with engine.begin() as connection:
            connection.execute(text("set session foreign_key_checks = 0"))
            for table in connection.execute(text("show tables")).scalars().all():
                connection.execute(text(f"drop table `{table}`"))
    finally:
        engine.dispose()
