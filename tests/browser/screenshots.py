"""Takes the pictures of ``docs/screenshots`` from the demo data: ``make screenshots``."""

from __future__ import annotations

import os
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
ADDRESS = "http://127.0.0.1:8123"
NEXT = date.today() + timedelta(days=42 - date.today().weekday())
WAYS = f"/trips/18/ways/?from=Bergen&to=Oslo&on={NEXT + timedelta(days=3)}&when=any&at="
# name, who, address, css of a link to follow first, width
SHOTS = [
    ("desk", "Maren Oyelaran", "/", "", 1280), ("trip", "Maren Oyelaran", "/trips/1/", "", 1280), ("plan", "Maren Oyelaran", "/trips/18/", "", 1280),
    ("basket", "Maren Oyelaran", "/trips/18/#basket", "", 1280), ("ways", "Maren Oyelaran", WAYS, ".ways-list a.way", 1280),
    ("stays", "Maren Oyelaran", f"/trips/18/stays/?night={NEXT + timedelta(days=4)}", "", 1280), ("seats", "Maren Oyelaran", "/trips/18/", "#basket a[href$='/seats/']", 1280),
    ("sign", "Maren Oyelaran", "/trips/18/sign/", "", 1280), ("itinerary", "Maren Oyelaran", "/trips/18/itinerary/", "", 1280),
    ("order", "Maren Oyelaran", "/trips/1/order/", "", 1280), ("tray", "Maren Oyelaran", "/tray/", "", 1280),
    ("receipt", "Maren Oyelaran", "/receipts/{newest}/", "", 1280), ("claim", "Maren Oyelaran", "/claims/1/", "", 1280),
    ("bench", "Tobias Achterberg", "/bench/", "", 1280), ("refused", "Priya Sundqvist", "/bench/claim/5/", "", 1280),
    ("journal", "Priya Sundqvist", "/ledger/1/", "", 1280), ("pay-run", "Priya Sundqvist", "/ledger/pay/1/", "", 1280),
    ("phone-bench", "Tobias Achterberg", "/bench/", "", 390), ("phone-trip", "Maren Oyelaran", "/trips/1/", "", 390),
]  # fmt: skip


def main() -> None:
    """Load a fresh demo in a folder of its own, serve it, take the pictures, end it."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="wainwright-shots-") as folder:
        env = {
            **os.environ,
            "WAINWRIGHT_VAR": folder,
            "WAINWRIGHT_DEMO": "1",
            "WAINWRIGHT_NO_QUEUE": "1",
            "OMP_THREAD_LIMIT": "1",
        }
        for command in (["migrate", "-v0"], ["collectstatic", "--noinput", "-v0"], ["load_demo"]):
            subprocess.run(
                [sys.executable, "manage.py", *command], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL
            )
        server = subprocess.Popen(
            [sys.executable, "-m", "gunicorn", "wainwright.wsgi", "--bind", "127.0.0.1:8123", "--log-level", "error"],
            cwd=ROOT,
            env=env,
        )
        try:
            wait()
            for width in (1280, 390):
                take([shot for shot in SHOTS if shot[4] == width], width)
        finally:
            server.terminate()
            server.wait()


def wait() -> None:
    """Wait until the server answers."""
    for _ in range(60):
        try:
            urllib.request.urlopen(f"{ADDRESS}/up/", timeout=1).close()
            return
        except OSError:
            time.sleep(0.5)
    raise SystemExit("the server does not answer")


def take(shots, width: int) -> None:
    """Take the pictures of one width."""
    driver = browser(width, 800)
    signed_in = ""
    try:
        for name, who, path, follow, _ in shots:
            if who != signed_in:
                driver.delete_all_cookies()
                driver.get(f"{ADDRESS}/accounts/login/")
                next(b for b in driver.find_elements(By.CSS_SELECTOR, ".who") if who in b.text).click()
                time.sleep(0.5)
                signed_in = who
            if "{newest}" in path:
                driver.get(f"{ADDRESS}/tray/")
                link = next(
                    a
                    for a in driver.find_elements(By.CSS_SELECTOR, "a.thumb")
                    if "lab-og" in a.get_attribute("aria-label")
                )
                path = link.get_attribute("href").removeprefix(ADDRESS)
            driver.get(ADDRESS + path)
            if follow:
                driver.get(driver.find_element(By.CSS_SELECTOR, follow).get_attribute("href").partition("#")[0])
            time.sleep(0.6)
            driver.save_screenshot(str(TARGET / f"{name}.png"))
            print(f"docs/screenshots/{name}.png")
    finally:
        driver.quit()


if __name__ == "__main__":
    main()
