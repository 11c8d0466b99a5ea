"""Servers that tests start for themselves, each on a socket of its own in a folder that goes with it."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def _folder() -> Path:
    # Not below the suite's own folder, which nobody else may enter: PostgreSQL runs as a user of its own.
    folder = Path(tempfile.mkdtemp(prefix="wainwright-server-", dir="/tmp"))
    folder.chmod(0o755)
    return folder


@contextmanager
def postgres() -> Iterator[str]:
    """A PostgreSQL; gives the address of an empty database. That of the whole run is used where there is one."""
    if given := os.environ.get("WAINWRIGHT_TEST_POSTGRES"):
        yield given
        return
    folder = _folder() / "pg"
    done = subprocess.run(
        ["sh", "scripts/postgres.sh", "start", str(folder)], cwd=ROOT, capture_output=True, text=True, check=True
    )
    try:
        yield done.stdout.strip()
    finally:
        subprocess.run(["sh", "scripts/postgres.sh", "stop", str(folder)], cwd=ROOT, check=False)
        shutil.rmtree(folder.parent, ignore_errors=True)


@contextmanager
def redis() -> Iterator[str]:
    """A Redis; gives its address."""
    folder = _folder()
    socket = folder / "redis.sock"
    server = subprocess.Popen(
        ["redis-server", "--port", "0", "--unixsocket", str(socket), "--save", "", "--dir", str(folder)],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        for _ in range(200):
            if socket.exists():
                break
            time.sleep(0.05)
        yield f"unix://{socket}?db=0"
    finally:
        server.terminate()
        server.wait(10)
        shutil.rmtree(folder, ignore_errors=True)
