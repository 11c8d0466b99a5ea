"""Debian's Chromium, headless, with a page of a given size."""

import shutil

from selenium import webdriver

ARGUMENTS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-dev-shm-usage",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--hide-scrollbars",
)  # fmt: skip


def browser(width: int = 1280, height: int = 800) -> webdriver.Chrome:
    """Start Debian's Chromium with a page of exactly this size."""
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for argument in ARGUMENTS:
        options.add_argument(argument)
    driver = webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 500},
    )
    return driver
