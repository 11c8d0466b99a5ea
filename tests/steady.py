"""How steady the browser tests are: ten runs in a row with one core busy beside them. ``make steady``."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

RUNS = 10
ROOT = Path(__file__).resolve().parents[1]
ENV = {**os.environ, "OMP_THREAD_LIMIT": "1", "PYTHONWARNINGS": "error"}


def one_run(number: int, folder: Path) -> list[str]:
    """Run them once, print what it came to, and return what failed."""
    report, begun = folder / f"{number}.json", time.monotonic()
    command = [sys.executable, "manage.py", "test", "--noinput", "tests.browser", "--report", str(report)]
    done = subprocess.run(
        command, cwd=ROOT, env=ENV, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False
    )
    said = json.loads(report.read_text()) if report.exists() else {"failed": ["the run itself"], "run": 0}
    if said["failed"]:
        print(done.stdout)
    print(
        f"run {number}: {said['run']} tests, {len(said['failed'])} failed, {time.monotonic() - begun:.0f} s", flush=True
    )
    return said["failed"]


def main() -> int:
    """Run them ten times and print how often which failed; return 1 where one did."""
    failed: Counter[str] = Counter()
    busy = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        with tempfile.TemporaryDirectory() as folder:
            for number in range(1, RUNS + 1):
                failed.update(one_run(number, Path(folder)))
    finally:
        busy.terminate()
        busy.wait()
    for name, times in failed.most_common():
        print(f"{times} of {RUNS}: {name}")
    print(f"{RUNS} runs, {sum(failed.values())} failures")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
