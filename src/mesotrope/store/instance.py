"""A private MariaDB of the project's own: its data and socket in one folder, on loopback, on its own port.

It is Debian's server, run by whoever runs the product, root or not. `MESOTROPE_DATABASE_URL` replaces it.
"""

from __future__ import annotations

import hashlib
import os
import secrets
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pymysql

from mesotrope.errors import MesotropeError

#: A socket's path may not be longer than this (the kernel's limit less its closing zero).
LONGEST_SOCKET_PATH = 107

ACCOUNT = "mesotrope"

#: Nothing is ciphered on the way to one's own machine: the driver would read every certificate that the machine trusts
#: for each connection, and find a server that has none. `Instance.url` says the same.
_connect = partial(pymysql.connect, ssl_disabled=True)

_MY_CNF = """\
[client]
socket={socket}
[mariadbd]
datadir={folder}/data
socket={socket}
pid-file={folder}/mariadbd.pid
log-error={folder}/mariadbd.log
tmpdir={folder}/tmp
bind-address=127.0.0.1
port={port}
skip-name-resolve
character-set-server=utf8mb4
collation-server=utf8mb4_unicode_ci
default-time-zone=+00:00
innodb_flush_log_at_trx_commit=1
innodb_buffer_pool_size={buffer_mib}M
sql_mode=STRICT_TRANS_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION
"""


class DatabaseFailed(MesotropeError):
    """The private database cannot be started or stopped; says what to look at."""


class Instance:
    """One private MariaDB in `folder`, on `port` of 127.0.0.1."""

    #: As whom the server runs where root starts it.
    runs_as = "root"

    def __init__(self, folder: Path, port: int, *, buffer_mib: int = 256) -> None:
        self.folder = folder.resolve()
        self.port = port
        self.buffer_mib = buffer_mib
        self._process: subprocess.Popen[bytes] | None = None

    # -- where things are --------------------------------------------------------------------------------------

    @property
    def socket(self) -> Path:
        """The socket: in the folder, or under the system's temporary folder where that path would be too long."""
        here = self.folder / "mariadb.sock"
        if len(str(here).encode()) <= LONGEST_SOCKET_PATH:
            return here
        digest = hashlib.sha256(str(self.folder).encode()).hexdigest()[:16]
        return Path(tempfile.gettempdir()) / f"mesotrope-{os.getuid()}-{digest}.sock"

    @property
    def password(self) -> str:
        """The application account's password: made once, readable by the owner only."""
        file = self.folder / "password"
        if not file.exists():
            descriptor = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(descriptor, "w") as out:
                out.write(secrets.token_urlsafe(24))
        return file.read_text().strip()

    def url(self, database: str = ACCOUNT) -> str:
        to = f"{ACCOUNT}:{self.password}@127.0.0.1:{self.port}/{database}"
        return f"mysql+pymysql://{to}?charset=utf8mb4&ssl_disabled=true"

    # -- starting and stopping ---------------------------------------------------------------------------------

    def make(self) -> None:
        """Write the configuration, and the system's tables where there are none."""
        self._write_configuration()
        if not (self.folder / "data" / "mysql").is_dir():
            self._install()

    def start(self, databases: tuple[str, ...] = (ACCOUNT,)) -> None:
        """Start the server, making it first where there is none, and wait until it answers.

        Raises `DatabaseFailed` with the end of the server's log.
        """
        program = shutil.which("mariadbd", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        if program is None:
            raise DatabaseFailed("MariaDB is not installed: apt-get install mariadb-server-core mariadb-client")
        if self.answers():
            self._prepare(databases)
            return
        self.make()
        self._process = subprocess.Popen(
            [program, f"--defaults-file={self.folder}/my.cnf", *self._by_root],
            start_new_session=True,  # Ctrl-C reaches the application, which then stops the server in order
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self._wait(self._superuser_answers, "did not start")
        self._prepare(databases)

    def stop(self) -> None:
        """Stop the server in order and wait until it is gone."""
        pid = self._pid()
        if pid is None:
            return
        os.kill(pid, signal.SIGTERM)
        self._wait(lambda: self._pid() is None, "did not stop")
        if self._process is not None:
            self._process.wait()
            self._process = None

    def runs(self) -> bool:
        """Whether its server runs already, whoever started it."""
        return self._pid() is not None

    def answers(self) -> bool:
        """Whether the server lets the application in. A stale process file proves nothing; this does."""
        try:
            _connect(host="127.0.0.1", port=self.port, user=ACCOUNT, password=self.password).close()
        except (pymysql.MySQLError, OSError):
            return False
        return True

    # -- inside ------------------------------------------------------------------------------------------------

    def _write_configuration(self) -> None:
        for folder in (self.folder, self.folder / "data", self.folder / "tmp"):
            folder.mkdir(parents=True, exist_ok=True)
            folder.chmod(0o700)
        text = _MY_CNF.format(folder=self.folder, socket=self.socket, port=self.port, buffer_mib=self.buffer_mib)
        (self.folder / "my.cnf").write_text(text)

    def _install(self) -> None:
        owner = [] if os.getuid() == 0 else [f"--auth-root-socket-user={self._superuser}"]
        done = subprocess.run(
            [
                "mariadb-install-db",
                f"--defaults-file={self.folder}/my.cnf",
                "--auth-root-authentication-method=socket",
                "--skip-test-db",
                "--force",  # also where the machine's own name cannot be looked up: it listens on loopback only
                *owner,
                *self._by_root,
            ],
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode != 0:
            raise DatabaseFailed(f"The database could not be made: {(done.stderr or done.stdout)[-600:]}")

    @property
    def _by_root(self) -> list[str]:
        return [f"--user={self.runs_as}"] if os.getuid() == 0 else []

    @property
    def _superuser(self) -> str:
        import pwd

        return pwd.getpwuid(os.getuid()).pw_name

    def _as_superuser(self) -> pymysql.Connection:
        return _connect(unix_socket=str(self.socket), user=self._superuser, charset="utf8mb4")

    def _superuser_answers(self) -> bool:
        if self._process is not None and self._process.poll() is not None:
            raise DatabaseFailed(f"The database ended at once. {self._log_end()}")
        try:
            self._as_superuser().close()
        except (pymysql.MySQLError, OSError):
            return False
        return True

    def _prepare(self, databases: tuple[str, ...]) -> None:
        """Make the application's account and databases where they are missing."""
        with self._as_superuser() as connection, connection.cursor() as cursor:
            for host in ("127.0.0.1", "localhost"):
                cursor.execute(f"CREATE USER IF NOT EXISTS '{ACCOUNT}'@'{host}' IDENTIFIED BY %s", (self.password,))
                cursor.execute(f"ALTER USER '{ACCOUNT}'@'{host}' IDENTIFIED BY %s", (self.password,))
                cursor.execute(f"GRANT ALL ON `{ACCOUNT}%%`.* TO '{ACCOUNT}'@'{host}'".replace("%%", "%"))
            for name in databases:
                cursor.execute(f"CREATE DATABASE IF NOT EXISTS `{name}` CHARACTER SET utf8mb4")

    def _pid(self) -> int | None:
        try:
            pid = int((self.folder / "mariadbd.pid").read_text())
            if self._process is not None and self._process.pid == pid:
                return pid if self._process.poll() is None else None
            command = Path(f"/proc/{pid}/cmdline").read_bytes()
        except (OSError, ValueError):
            return None
        return pid if str(self.folder).encode() in command else None

    def _wait(self, done: Callable[[], bool], failed: str, seconds: float = 40) -> None:
        end = time.monotonic() + seconds
        while not done():
            if time.monotonic() > end:
                raise DatabaseFailed(f"The database {failed} within {seconds:.0f} s. {self._log_end()}")
            time.sleep(0.05)

    def _log_end(self) -> str:
        log = self.folder / "mariadbd.log"
        end = log.read_text(errors="replace")[-600:] if log.exists() else ""
        return f"The end of {log.name} in the database's folder: {end}"
