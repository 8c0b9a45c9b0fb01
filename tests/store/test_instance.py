"""The private database: durable, on loopback, its password its owner's."""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import sys

import pymysql
import pytest

from mesotrope.store.instance import ACCOUNT, LONGEST_SOCKET_PATH, Instance
from tests.conftest import free_port


@pytest.fixture
def own(tmp_path):
    running = Instance(tmp_path / "own", free_port(), buffer_mib=32)
    running.start()
    yield running
    running.stop()


def _connect(instance: Instance) -> pymysql.Connection:
    return pymysql.connect(
        host="127.0.0.1", port=instance.port, user=ACCOUNT, password=instance.password, database=ACCOUNT
    )


def test_nothing_acknowledged_is_lost_after_kill_9(own):
    with _connect(own) as connection, connection.cursor() as cursor:
        cursor.execute("create table kept (n int primary key)")
        for number in range(50):
            cursor.execute("insert into kept values (%s)", (number,))
            connection.commit()
    os.kill(int((own.folder / "mariadbd.pid").read_text()), signal.SIGKILL)
    own._process.wait()
    own.start()
    with _connect(own) as connection, connection.cursor() as cursor:
        cursor.execute("select count(*) from kept")
        assert cursor.fetchone() == (50,)


def test_it_is_strict_durable_and_unicode(own):
    with _connect(own) as connection, connection.cursor() as cursor:
        cursor.execute(
            "select @@sql_mode, @@innodb_flush_log_at_trx_commit, @@character_set_server, @@bind_address, @@time_zone"
        )
        mode, flush, characters, address, zone = cursor.fetchone()
    assert "STRICT_TRANS_TABLES" in mode
    assert (flush, characters, address, zone) == (1, "utf8mb4", "127.0.0.1", "+00:00")


def test_the_password_is_readable_by_its_owner_only(own):
    assert stat.S_IMODE((own.folder / "password").stat().st_mode) == 0o600
    assert stat.S_IMODE(own.folder.stat().st_mode) == 0o700


def test_a_wrong_password_is_not_let_in(own):
    with pytest.raises(pymysql.err.OperationalError, match="Access denied"):
        pymysql.connect(host="127.0.0.1", port=own.port, user=ACCOUNT, password="guess")


def test_starting_twice_and_stopping_twice_is_the_same_as_once(own):
    own.start()
    assert own.answers()
    own.stop()
    own.stop()
    assert not own.answers()


def test_a_deep_checkout_gets_a_short_socket_path(tmp_path):
    deep = tmp_path / ("d" * 60) / ("e" * 60)
    assert len(str(Instance(deep, 1).socket)) <= LONGEST_SOCKET_PATH


ALONE = ("unshare", "--uts", "--mount", "--net")


@pytest.mark.skipif(
    os.getuid() != 0 or subprocess.run([*ALONE, "true"], capture_output=True, check=False).returncode != 0,
    reason="needs root and namespaces, to take the machine's name away",
)
def test_it_is_made_where_neither_the_machines_name_nor_localhost_can_be_looked_up(tmp_path):
    make = (
        "import sys; from pathlib import Path; from mesotrope.store.instance import Instance;"
        "Instance(Path(sys.argv[1]), 3999).make()"
    )
    nameless = 'hostname nowhere.invalid && mount --bind /dev/null /etc/hosts && exec "$0" -c "$1" "$2"'
    subprocess.run([*ALONE, "bash", "-c", nameless, sys.executable, make, str(tmp_path / "own")], check=True)
    assert (tmp_path / "own" / "data" / "mysql").is_dir()
