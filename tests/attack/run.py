"""Runs the attack and prints what was tried and found: ``make attack``, or ``python -m tests.attack.run --fast``."""

from __future__ import annotations

import argparse
import shutil
import sys
import time

from tests.attack import forms, kills, matrix, place

WHOLE = {"cells": 30_000, "forms": 6_500, "kills": 100}
FAST = {"cells": 320, "forms": 60, "kills": 7}


def main() -> int:
    """Make the place, attack it, say what came of it; 1 where anything was found."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--fast", action="store_true", help="a part of it, drawn by the seed")
    asked.add_argument("--seed", type=int, default=20260916)
    given = asked.parse_args()
    most, faults = FAST if given.fast else WHOLE, []
    try:
        made = place.make()
        print(f"Seed {given.seed} (--seed draws others).")
        for words, act, bound in (
            ("processes killed", kills.attack, most["kills"]), ("cells", matrix.attack, most["cells"]), ("forms", forms.attack, most["forms"]),
        ):  # fmt: skip
            begun = time.monotonic()
            outcome = act(made, given.seed, bound)
            faults += outcome.faults
            more = f", {outcome.midway} of them midway" if hasattr(outcome, "midway") else ""
            print(
                f"{outcome.tried:>7,} {words}{more}, {len(outcome.faults)} faults, {time.monotonic() - begun:.0f} s",
                flush=True,
            )
    finally:
        shutil.rmtree(place.FOLDER, ignore_errors=True)
    for fault in faults[:100]:
        print(f"  {fault}")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
