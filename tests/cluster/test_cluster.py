"""The cluster's own parts that need no Galera: how it is set up, what is counted, when it held."""

from __future__ import annotations

from collections import Counter

import pytest

from scripts.campaign import Trial
from scripts.cluster.balancer import Balancer, Health
from scripts.cluster.node import Node, Ports
from scripts.cluster.survive import Survived, words_of
from scripts.cluster.trial import told
from tests.conftest import free_port

MEMBERS = [Ports(7001 + n, 7101 + n, 7201 + n, 7301 + n) for n in range(3)]


def nodes(folder):
    return [Node(folder, number, mine, MEMBERS) for number, mine in enumerate(MEMBERS, start=1)]


def test_every_node_names_the_whole_group_and_ports_of_its_own(tmp_path):
    for node, mine in zip(nodes(tmp_path), MEMBERS, strict=True):
        node.folder.mkdir(parents=True)
        node._write_configuration()
        written = (node.folder / "my.cnf").read_text()
        assert "wsrep_cluster_address=gcomm://127.0.0.1:7101,127.0.0.1:7102,127.0.0.1:7103" in written
        assert f"wsrep_node_address=127.0.0.1:{mine.group}" in written
        assert f"port={mine.queries}\n" in written
        assert "innodb_flush_log_at_trx_commit=1" in written


def test_all_nodes_share_one_password_that_only_the_owner_reads(tmp_path):
    assert len({node.password for node in nodes(tmp_path)}) == 1
    assert (tmp_path / "password").stat().st_mode & 0o077 == 0


def test_a_node_that_does_not_answer_is_not_in_step(tmp_path):
    port = free_port()
    assert Node(tmp_path, 1, Ports(port, 1, 2, 3), MEMBERS).state() == ""


def test_the_balancer_asks_each_node_at_a_port_of_its_own(tmp_path):
    health = {Health(node, free_port()): node for node in nodes(tmp_path)}
    Balancer(tmp_path, 7500, 7501, nodes(tmp_path), health)
    written = (tmp_path / "haproxy.cfg").read_text()
    for one, node in health.items():
        assert f"server node-{node.number} 127.0.0.1:{node.port} check port {one.port}" in written
        one.stop()
    assert "http-check send meth GET uri /ready" in written


@pytest.mark.parametrize(
    "wrong",
    [
        {"lost": 1}, {"doubled": 1}, {"apart": 1}, {"clashes_unnoticed": 1}, {"statuses": Counter({500: 1})},
        {"blows": [("node 1 killed", 10.5, 7.0)]},
    ],
)  # fmt: skip
def test_anything_lost_doubled_or_silent_for_too_long_does_not_hold(wrong):
    fine = {"acknowledged": 9, "races": 2, "statuses": Counter({200: 11, 503: 2}), "blows": [("node 1", 3.0, 7.0)]}
    assert Survived(**fine).held
    assert words_of(Survived(**fine)).endswith("held")
    bad = Survived(**{**fine, **wrong})
    assert not bad.held
    assert "DID NOT HOLD" in words_of(bad)
    assert len(told(Trial("cluster", "nothing lost"), bad).failed) == 1
