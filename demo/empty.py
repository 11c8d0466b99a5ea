"""An empty database with every table, as ``migrate`` makes it: building one takes as long as telling half the demo."""

from __future__ import annotations

import gzip
import os
import sqlite3
import subprocess
import sys
import tempfile
from pathlib import Path

FILE = Path(__file__).parent / "world" / "empty.sqlite3.gz"
MANAGE = Path(__file__).parent.parent / "manage.py"


def lay(path: Path) -> bool:
    """Put the empty database where there is none yet; say whether it was. What it lacks, ``migrate`` adds."""
    if path.exists():
        return False
    path.touch(0o600)
    path.write_bytes(gzip.decompress(FILE.read_bytes()))
    return True


def write() -> int:
    """Make the file anew from every migration of today; return its size in bytes."""
    with tempfile.TemporaryDirectory() as folder:
        there = {**os.environ, "WAINWRIGHT_VAR": folder, "WAINWRIGHT_DATABASE": f"sqlite:///{folder}/empty.sqlite3"}
        subprocess.run([sys.executable, str(MANAGE), "migrate", "-v0"], check=True, env=there)
        database = sqlite3.connect(f"{folder}/empty.sqlite3")
        database.executescript("PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode=DELETE; VACUUM;")
        database.close()
        return FILE.write_bytes(gzip.compress(Path(f"{folder}/empty.sqlite3").read_bytes(), 9, mtime=0))
