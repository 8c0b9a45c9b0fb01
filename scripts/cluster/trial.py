"""The cluster's survival as a part of the campaign."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from scripts.campaign import Trial
from scripts.cluster.node import PROVIDER
from scripts.cluster.running import Cluster
from scripts.cluster.survive import LONGEST_SILENCE_S, Survived, survive

#: The first of its ports.
PORT = 8700


def cluster_survives(races: int) -> Trial:
    """Start a cluster of its own, and count what is lost while everything in it is killed in turn."""
    trial = Trial(
        "a cluster killed in turn", f"nothing lost or doubled, no 500, writes again in {LONGEST_SILENCE_S:.0f} s"
    )
    if not PROVIDER.exists():
        trial.skipped = "galera-4 is not installed"
        return trial
    folder = Path(tempfile.mkdtemp())
    cluster = Cluster(folder, PORT)
    try:
        cluster.start()
        return told(trial, survive(cluster, races))
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def told(trial: Trial, result: Survived) -> Trial:
    """What was counted, as the campaign tells it."""
    trial.tried += result.acknowledged + result.races + sum(result.statuses.values())
    trial.failed += ["an acknowledged entry was lost"] * result.lost
    trial.failed += ["an entry was done twice"] * result.doubled
    trial.failed += ["a node holds other entries than the first"] * result.apart
    trial.failed += ["an answer of 500"] * result.statuses[500]
    trial.failed += ["of two who entered at once, not exactly one was told"] * result.clashes_unnoticed
    for what, silent_s, back_s in result.blows:
        trial.hold(silent_s <= LONGEST_SILENCE_S, f"{what}: {silent_s:.1f} s without a write")
        trial.figures[f"{what}: longest without a write, s"] = f"{silent_s:.1f}; back after {back_s:.1f}"
    trial.figures["entries acknowledged"] = str(result.acknowledged)
    trial.figures["races of two people at two applications"] = str(result.races)
    return trial
