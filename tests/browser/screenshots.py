"""Takes the pictures of ``docs/screenshots`` from the demo data: ``make screenshots``."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from datetime import date, timedelta
from pathlib import Path

from selenium.webdriver.common.by import By

from tests.browser.chromium import browser

ROOT = Path(__file__).resolve().parents[2]
TARGET = ROOT / "docs" / "screenshots"
# The pictures are of one day, so that a new one differs only where its view does.
NOW = "2026-10-14T10:00+00:00"
TODAY = date.fromisoformat(NOW[:10])
NEXT = TODAY + timedelta(days=42 - TODAY.weekday())
WAYS = f"/trips/{{northern}}/ways/?from=Bergen&to=Oslo&on={NEXT + timedelta(days=3)}&when=any&at="
# Which trip, claim and cost are meant, as the demo's own names.
WHICH = """
import json; from wainwright.trips.models import Trip
from wainwright.rehearsal.models import Rehearsal; from wainwright.claims.models import Claim; from wainwright.reconciling.models import BankAccount
tide = Trip.objects.get(title__startswith="Tide-gauge")
northern = Trip.objects.get(title__startswith="Northern")
print("WHICH" + json.dumps({"northern": northern.pk, "move": Trip.objects.get(kind="move", moves_with=None).pk, "bergen": northern.nights.first().date.isoformat(), "tide": tide.pk,
    "claim": Claim.objects.get(trip=tide).pk,
    "rehearsal": Rehearsal.objects.get().pk, "signing": Claim.objects.get(title="Lisbon dredge trial").pk, "maren": tide.traveller.pk, "bank": BankAccount.objects.get(firm__slug="ltd", kind="bank").pk}))
"""
M, T, P, J, C = "Maren Oyelaran", "Tobias Achterberg", "Priya Sundqvist", "Jonas Petrauskas", "Callum Iwasaki"
# name, who, address, css of a link to follow first, width
SHOTS = [
    ("desk-finance", P, "/", "", 1280), ("reports", P, "/reports/", "", 1280), ("report", P, "/reports/spend-by-month/?of=stage:spent&by=month&across=category&picture=stacked&span=this-year", "", 1280),
    ("desk", M, "/", "", 1280), ("rules", C, "/rules/", "", 1280), ("trip", M, "/trips/{tide}/", "", 1280), ("planning", M, "/trips/{northern}/?open=night-{bergen}#night-{bergen}", "", 1280), ("ways", M, WAYS, ".ways-list a.way", 1280),
    ("move", J, "/trips/{move}/?open=move", "", 1280),
    ("sign", M, "/trips/{northern}/sign/", "", 1280),
    ("tray", M, "/tray/", "", 1280),
    ("claim", M, "/claims/{claim}/?asked=1", "", 1280),
    ("bench", T, "/bench/claim/{signing}/", "", 1280), ("phone-away", M, "/away/", "", 390), ("reconciling", P, "/ledger/bank/{bank}/", "", 1280), ("month", P, "/ledger/month/?month=2026-09", "", 1280), ("scheme", C, "/rules/schemes/new/?from=three-quarters", "", 1280), ("rehearsal", C, "/rules/rehearsals/{rehearsal}/", "", 1280), ("phone-trip", M, "/trips/{northern}/", "", 390),
]  # fmt: skip


def main() -> None:
    """Load a fresh demo in a folder of its own, serve it, take the pictures, end it."""
    TARGET.mkdir(parents=True, exist_ok=True)
    for old in TARGET.glob("*.png"):
        old.unlink()
    with tempfile.TemporaryDirectory(prefix="wainwright-shots-") as folder:
        env = {
            **os.environ,
            "WAINWRIGHT_VAR": folder,
            "WAINWRIGHT_DEMO": "1",
            "WAINWRIGHT_NOW": NOW,
            "WAINWRIGHT_NO_QUEUE": "1",
            "OMP_THREAD_LIMIT": "1",
        }
        for command in (["migrate", "-v0"], ["collectstatic", "--noinput", "-v0"], ["load_demo"]):
            subprocess.run(
                [sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL
            )
        asked = [sys.executable, "manage.py", "shell", "-v0", "-c", WHICH]
        said = subprocess.run(asked, cwd=ROOT, env=env, check=True, capture_output=True, text=True).stdout
        which = json.loads(said.partition("WHICH")[2])
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        address = f"http://127.0.0.1:{port}"
        server = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "gunicorn",
                "wainwright.wsgi",
                "--bind",
                f"127.0.0.1:{port}",
                "--log-level",
                "error",
            ],
            cwd=ROOT,
            env=env,
        )
        try:
            wait(address)
            for width in (1280, 390):
                shots = [(name, who, path.format(**which), css, wide) for name, who, path, css, wide in SHOTS]
                take(address, [shot for shot in shots if shot[4] == width], width)
        finally:
            server.terminate()
            server.wait()


def wait(address: str) -> None:
    """Wait until the server answers."""
    for _ in range(60):
        try:
            urllib.request.urlopen(f"{address}/up/", timeout=1).close()
            return
        except OSError:
            time.sleep(0.5)
    raise SystemExit("the server does not answer")


def take(address: str, shots, width: int) -> None:
    """Take the pictures of one width."""
    driver = browser(width, 800)
    signed_in = ""
    try:
        for name, who, path, follow, _ in shots:
            if who != signed_in:
                driver.delete_all_cookies()
                driver.get(f"{address}/accounts/login/")
                next(b for b in driver.find_elements(By.CSS_SELECTOR, ".who") if who in b.text).click()
                time.sleep(0.5)
                signed_in = who
            driver.get(address + path)
            if follow:
                driver.get(driver.find_element(By.CSS_SELECTOR, follow).get_attribute("href").partition("#")[0])
            time.sleep(0.6)
            driver.save_screenshot(str(TARGET / f"{name}.png"))
            print(f"docs/screenshots/{name}.png")
    finally:
        driver.quit()


if __name__ == "__main__":
    main()
