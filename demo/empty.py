"""An empty database with every table, as ``migrate`` makes it: building one takes as long as telling half the demo."""

from __future__ import annotations

import gzip
import os
import sqlite3
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path

ROOT = Path(__file__).parent.parent
FILE = ROOT / "demo" / "world" / "empty.sqlite3.gz"
MANAGE = ROOT / "manage.py"


def lay(path: Path) -> bool:
    """Put the empty database where there is none yet; say whether it was. What it lacks, ``migrate`` adds."""
    if path.exists():
        return False
    path.touch(0o600)
    path.write_bytes(gzip.decompress(FILE.read_bytes()))
    return True


def of_migrations() -> int:
    """A number that is another as soon as anything in one of our migrations is; the file carries that of its own."""
    found = 0
    for path in sorted(ROOT.glob("wainwright/**/migrations/*.py")):
        found = zlib.crc32(path.read_bytes(), found)
    # A database keeps a number with a sign.
    return found & 0x7FFFFFFF


def write() -> int:
    """Make the file anew from every migration of today; return its size in bytes."""
    with tempfile.TemporaryDirectory() as folder:
        there = {**os.environ, "WAINWRIGHT_VAR": folder, "WAINWRIGHT_DATABASE": f"sqlite:///{folder}/empty.sqlite3"}
        subprocess.run([sys.executable, str(MANAGE), "migrate", "-v0"], check=True, env=there)
        database = sqlite3.connect(f"{folder}/empty.sqlite3")
        database.executescript("PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode=DELETE; VACUUM;")
        database.execute(f"PRAGMA user_version={of_migrations()}")
        database.close()
        return FILE.write_bytes(gzip.compress(Path(f"{folder}/empty.sqlite3").read_bytes(), 9, mtime=0))
