"""Writes closed cases of a made-up workshop whose world differs from the expert's, one a line."""

from __future__ import annotations

import argparse
import json

from mesotrope.demo.closed_year import closed_case


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("count", type=int)
    options.add_argument("--from", dest="first", type=int, default=0)
    options.add_argument("--seed", type=int, default=77)
    chosen = options.parse_args()
    for number in range(chosen.first, chosen.first + chosen.count):
        print(json.dumps(closed_case(number, chosen.seed)))


if __name__ == "__main__":
    main()
