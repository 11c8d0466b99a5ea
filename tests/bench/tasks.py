"""The whole tasks of ``tests/apps/test_tasks.py``, with how many inputs each takes and how many it may."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

HOUSE = Path(__file__).resolve().parents[2]


def tasks(told_to: Path) -> None:
    """Do every task by hand, as the tests do, and print the table; one whose test fails is left out, and said."""
    told_to.unlink(missing_ok=True)
    env = {k: v for k, v in os.environ.items() if not k.startswith("WAINWRIGHT_")} | {"WAINWRIGHT_TASKS": str(told_to)}
    command = [sys.executable, "manage.py", "test", "--noinput", "tests.apps.test_tasks"]
    done = subprocess.run(command, cwd=HOUSE, env=env, capture_output=True, check=False)
    rows = [json.loads(line) for line in told_to.read_text(encoding="utf-8").splitlines()] if told_to.exists() else []
    print(f"\n{'task':<104}{'inputs':>7}{'at most':>9}")
    for task, count, most in sorted(rows):
        print(f"{task:<104}{count:>7}{most:>9}")
    if done.returncode:
        print("not every task could be done: manage.py test tests.apps.test_tasks says why")


if __name__ == "__main__":
    tasks(HOUSE / "var" / "tasks.jsonl")
