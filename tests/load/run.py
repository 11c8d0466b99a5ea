"""``make load``: builds a large firm, lets people click on it over the net of this machine, and prints what came of it.

On SQLite 50 people, on PostgreSQL 200 (the same firm, moved there); without pauses and with five seconds between clicks. Beside it what the
bare framework serves of the same rows, and what main lists cost over a thousand costs and over all of them.
SCALE=0.1 builds a tenth; SECONDS=20 measures for less long.
"""

from __future__ import annotations

import asyncio
import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
SCALE, SECONDS = float(os.environ.get("SCALE", "1")), float(os.environ.get("SECONDS", "60"))
VAR = ROOT / "var" / f"load-{SCALE:g}"
SMALL = ROOT / "var" / "load-small"
# A thousand costs, at twenty a claim.
FEW = 0.001
PORT = 8155
LISTS = ("/", "/trips/", "/tray/", "/claims/", "/bench/queue/", "/ledger/", "/people/", "/trail/", "/reports/")
SET = {
    "WAINWRIGHT_DEMO": "1",
    "OMP_THREAD_LIMIT": "1",
    "WAINWRIGHT_NO_QUEUE": "1",
    "DJANGO_SETTINGS_MODULE": "wainwright.settings",
}


def _env(var: Path, database: str = "") -> dict[str, str]:
    return {
        **os.environ,
        **SET,
        "WAINWRIGHT_VAR": str(var),
        **({"WAINWRIGHT_DATABASE": database, "WAINWRIGHT_CACHE": "files"} if database else {}),
    }


def _python(code: str, env: dict[str, str]) -> str:
    done = subprocess.run(
        [sys.executable, "-c", f"import django; django.setup()\n{code}"],
        cwd=ROOT,
        env=env,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise SystemExit(done.stderr[-3000:])
    return done.stdout


def _manage(env: dict[str, str], *words: str) -> None:
    subprocess.run([sys.executable, "manage.py", *words], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL)


def _served(env: dict[str, str], app: str = "wainwright.wsgi") -> subprocess.Popen:
    words = [
        str(ROOT / ".venv/bin/gunicorn"),
        app,
        "--bind",
        f"127.0.0.1:{PORT}",
        "--workers",
        "2",
        "--threads",
        "4",
        "--log-level",
        "error",
        "--timeout",
        "120",
    ]
    server = subprocess.Popen(words, cwd=ROOT, env=env)
    time.sleep(8)
    return server


def _people(env: dict[str, str], count: int) -> list[tuple[int, str, int]]:
    code = f"""
from tests.load.world import signed_in
from wainwright.claims.models import Claim
for member, key in signed_in({count}):
    print(member, key, Claim.objects.filter(claimant_id=member).order_by("pk").values_list("pk", flat=True).first())"""
    return [
        (int(member), key, int(claim))
        for member, key, claim in (line.split() for line in _python(code, env).splitlines())
    ]


def _load(name: str, env: dict[str, str], count: int) -> None:
    from tests.load.clicking import click  # noqa: PLC0415 - only once it is measured

    people = _people(env, count)
    server = _served(env)
    try:
        asyncio.run(click(f"http://127.0.0.1:{PORT}", people, 5, 0))
        for pause in (0, 5):
            found = asyncio.run(click(f"http://127.0.0.1:{PORT}", people, SECONDS, pause))
            print(found.line(f"{name}, {count} people, {pause} s pause"), flush=True)
            for wrong in sorted(set(found.wrong))[:5]:
                print(f"    {found.wrong.count(wrong)} x {wrong}")
            if not pause:
                for page, took in sorted(found.took.items()):
                    print(f"    {page:<30}{len(took):>7}{statistics.median(took):>9.0f} ms")
    finally:
        server.terminate()
        server.wait(30)


def _bare(env: dict[str, str]) -> None:
    from tests.load.clicking import Found, _ask  # noqa: PLC0415

    people = _people(env, 50)
    server = _served(env, "tests.load.bare")

    async def go() -> Found:
        import aiohttp  # noqa: PLC0415

        found, until = Found(), time.monotonic() + SECONDS / 3

        async def one(net, member):
            while time.monotonic() < until:
                await _ask(net, "GET", f"http://127.0.0.1:{PORT}/bare/{member}/", "bare", {}, found, (200,))

        async with aiohttp.ClientSession(connector=aiohttp.TCPConnector(limit=0)) as net:
            await asyncio.gather(*(one(net, member) for member, _, _ in people))
        found.seconds = SECONDS / 3
        return found

    try:
        print(asyncio.run(go()).line("the bare framework, one list"), flush=True)
    finally:
        server.terminate()
        server.wait(30)


LISTED = """
import time, statistics
from django.test import Client
from django.db import connection
from django.test.utils import CaptureQueriesContext
from wainwright.people.models import Membership
from wainwright.expenses.models import Expense
print("costs", Expense.objects.count())
for path in {lists!r}:
    who = {{"/bench/queue/": "priya", "/ledger/": "priya", "/people/": "callum", "/trail/": "callum"}}.get(path, "maren")
    client = Client(); client.force_login(Membership.objects.get(mail_name=who).person)
    for _ in range(3): answer = client.get(path, HTTP_HOST="127.0.0.1")
    took = []
    for _ in range(9):
        began = time.perf_counter(); answer = client.get(path, HTTP_HOST="127.0.0.1"); took.append((time.perf_counter() - began) * 1000)
    with CaptureQueriesContext(connection) as found: client.get(path, HTTP_HOST="127.0.0.1")
    print(path, statistics.median(took), len(found), answer.status_code)
"""


def _lists(small: dict[str, str], large: dict[str, str]) -> None:
    few, many = (_python(LISTED.format(lists=LISTS), env).splitlines() for env in (small, large))
    print(f"\n{'list':<16}{few[0]:>16}{many[0]:>20}   times")
    for one, other in zip(few[1:], many[1:], strict=True):
        path, ms, queries, status = one.split()
        _, more_ms, more_queries, more_status = other.split()
        print(
            f"{path:<16}{float(ms):>9.1f} ms {queries:>3} q{float(more_ms):>13.1f} ms {more_queries:>3} q{float(more_ms) / float(ms):>8.2f}  {status}/{more_status}"
        )


def main() -> None:
    """Build, click, print."""
    large, small = _env(VAR), _env(SMALL)
    for env, scale in ((small, FEW), (large, SCALE)):
        began = time.monotonic()
        _python(f"from tests.load.world import build; build({scale})", env)
        _manage(env, "collectstatic", "--noinput", "-v0")
        print(f"the firm at scale {scale:g}: {time.monotonic() - began:.0f} s", flush=True)
    # What was built is on the disk before anything is measured.
    os.sync()
    _bare(large)
    _load("SQLite", large, 50)
    _lists(small, large)
    folder = Path(f"/tmp/wainwright-load-{os.getpid()}")
    folder.mkdir()
    folder.chmod(0o755)
    try:
        started = subprocess.run(
            ["sh", "scripts/postgres.sh", "start", str(folder / "pg")],
            cwd=ROOT,
            env={**os.environ, "WAINWRIGHT_FSYNC": "on"},
            capture_output=True,
            text=True,
            check=True,
        )
        address, began = started.stdout.strip(), time.monotonic()
        _manage(large, "move_database", address)
        os.sync()
        print(f"\nmoved to PostgreSQL and compared: {time.monotonic() - began:.0f} s", flush=True)
        _load("PostgreSQL", _env(VAR, address), 200)
    finally:
        subprocess.run(["sh", "scripts/postgres.sh", "stop", str(folder / "pg")], cwd=ROOT, check=False)


if __name__ == "__main__":
    main()
