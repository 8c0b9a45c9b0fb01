"""Starts the cluster, says where it is and waits; or shows what it survives.

python -m scripts.cluster                  until Ctrl-C
python -m scripts.cluster --survive        kills nodes and applications under writing clients, and counts
"""

from __future__ import annotations

import argparse
import shutil
import signal
import tempfile
import threading
from pathlib import Path

from scripts.cluster.running import Cluster
from scripts.cluster.survive import survive, words_of

HERE = Path(__file__).resolve().parents[2]

#: The balancer's port; the nodes, applications and checks follow.
PORT = 8500


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--survive", action="store_true")
    asked.add_argument("--races", type=int, default=1000)
    asked.add_argument("--port", type=int, default=PORT)
    chosen = asked.parse_args()
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    folder = Path(tempfile.mkdtemp()) if chosen.survive else HERE / ".run" / "cluster"
    cluster = Cluster(folder, chosen.port)
    try:
        cluster.start()
        if chosen.survive:
            result = survive(cluster, chosen.races)
            print(words_of(result))
            return 0 if result.held else 1
        many = f"{len(cluster.applications)} applications, {len(cluster.nodes)} database nodes"
        print(f"Mesotrope is at {cluster.address}: {many}. Ctrl-C stops all of it.", flush=True)
        threading.Event().wait()
    except KeyboardInterrupt:
        pass
    finally:
        cluster.stop()
        if chosen.survive:
            shutil.rmtree(folder, ignore_errors=True)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
