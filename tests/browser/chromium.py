"""Debian's Chromium, headless, with a page of a given size."""

import shutil
from multiprocessing.util import Finalize

from selenium import webdriver

ARGUMENTS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-dev-shm-usage",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--hide-scrollbars",
    "--lang=en-GB",
)  # fmt: skip


def browser(width: int = 1280, height: int = 800) -> webdriver.Chrome:
    """Start Debian's Chromium with a page of exactly this size."""
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for argument in ARGUMENTS:
        options.add_argument(argument)
    driver = webdriver.Chrome(
        options=options, service=webdriver.ChromeService(shutil.which("chromedriver") or "/usr/bin/chromedriver")
    )
    resize(driver, width, height)
    return driver


def resize(driver: webdriver.Chrome, width: int, height: int = 800) -> None:
    """Give the page exactly this size; a narrow one is a phone's."""
    driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride",
        {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 500},
    )


_kept: list[webdriver.Chrome] = []


def fresh_page(width: int, height: int) -> webdriver.Chrome:
    """Return this process's one browser with an empty page, as a new one would begin."""
    if not _kept:
        _kept.append(browser(width, height))
        # At the end of a worker or of the one process alike.
        Finalize(None, _kept[0].quit, exitpriority=10)
    driver = _kept[0]
    for extra in driver.window_handles[1:]:
        driver.switch_to.window(extra)
        driver.close()
    driver.switch_to.window(driver.window_handles[0])
    driver.delete_network_conditions()
    if driver.current_url.startswith("http"):
        origin = "/".join(driver.current_url.split("/")[:3])
        driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": origin, "storageTypes": "all"})
    driver.get("about:blank")
    driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
    resize(driver, width, height)
    driver.get_log("browser")
    return driver
