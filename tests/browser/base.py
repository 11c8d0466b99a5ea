"""What browser tests share: headless Chromium, and acts in the words of a person."""

from __future__ import annotations

import tempfile
from datetime import UTC, datetime
from pathlib import Path

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import override_settings
from selenium.common.exceptions import StaleElementReferenceException, TimeoutException, WebDriverException
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select, WebDriverWait

from tests import worlds
from tests.browser.chromium import fresh_page
from wainwright import clock

UNREACHED = """
    const scrolls = (el) => ["overflowX", "overflowY"].some((way) => /auto|scroll/.test(getComputedStyle(el)[way]));
    const reached = "a[href], button, input:not([type=hidden]), select, textarea, summary, [tabindex='0']";
    return Array.from(document.querySelectorAll("main *")).filter((el) => el.offsetParent && scrolls(el) && !el.matches(reached)
      && !el.querySelector(reached)).map((el) => el.outerHTML.slice(0, 160))
"""
AXE = Path(__file__).parent / "vendor" / "axe.min.js"


class BrowserTestCase(worlds.StartedTransactionMixin, StaticLiveServerTestCase):
    """A live server with the demo's firms and people, its clock free to move, and a browser."""

    starts_from = worlds.BARE
    width, height = 1280, 800
    # About how long a class takes: the longest begin first.
    seconds = 30

    def setUp(self):
        self.folder = tempfile.TemporaryDirectory(prefix="wainwright-browser-")
        self.enterContext(override_settings(DEMO=True, VAR=Path(self.folder.name), EMAIL_BACKEND=worlds.MAILBOX))
        self.addCleanup(self.folder.cleanup)
        self.people = worlds.people()
        self.driver = fresh_page(self.width, self.height)

    def until(self, condition, message: str = "", seconds: int = 15):
        wait = WebDriverWait(self.driver, seconds, ignored_exceptions=(WebDriverException,))
        try:
            return wait.until(condition, message)
        except TimeoutException as error:
            raise TimeoutException(f"{message} On {self.driver.current_url}:\n{self.body()}") from error

    def open(self, path: str):
        self.driver.get(self.live_server_url + path)

    def sign_in(self, name: str):
        self.driver.delete_all_cookies()
        self.open("/accounts/login/")
        self.press(name, ".who")
        self.until(lambda d: "/accounts/login/" not in d.current_url)
        self.see("Sign out")

    def body(self) -> str:
        return self.driver.execute_script("return document.body ? document.body.innerText : ''") or ""

    def see(self, *texts: str):
        """Wait until the page says every text."""
        for text in texts:
            try:
                self.until(lambda d, t=text: t in self.body())
            except TimeoutException:
                self.fail(f"“{text}” is not on {self.driver.current_url}:\n{self.body()}")

    def press(self, text: str, css: str = "button, a, summary, label.btn", within: str = ""):
        """Press what carries a text, once it is there."""

        def found(driver):
            scope = driver.find_element(By.CSS_SELECTOR, within) if within else driver
            for element in scope.find_elements(By.CSS_SELECTOR, css):
                if element.is_displayed() and text in " ".join(element.text.split()):
                    return element
            return None

        for again in (True, False):
            element = self.until(found, f"nothing to press says “{text}” on {self.driver.current_url}")
            try:
                # A list of suggestions that is still open would take the click.
                self.driver.execute_script(
                    "document.activeElement.blur(); arguments[0].scrollIntoView({block: 'center'})", element
                )
                element.click()
            except StaleElementReferenceException:
                # An answer of the server came between looking and pressing: a person aims again, once.
                if not again:
                    raise
            else:
                return

    def fill(self, within: str = "", **fields: str):
        """Fill fields by name, inside one form."""
        for name, value in fields.items():
            element = self.until(lambda d, n=name: d.find_element(By.CSS_SELECTOR, f"{within} [name='{n}']"))
            kind = element.get_attribute("type")
            if element.tag_name == "select":
                Select(element).select_by_value(value)
            elif kind in ("date", "time"):
                self.driver.execute_script("arguments[0].value = arguments[1]", element, value)
            else:
                element.clear()
                element.send_keys(value)

    def move_clock(self, moment: datetime):
        clock.move_to(moment.replace(tzinfo=UTC))

    def assert_accessible(self, where: str):
        """No serious or critical violation by axe-core on the page as it stands."""
        self.driver.execute_script(AXE.read_text(encoding="utf-8"))
        result = self.driver.execute_async_script(
            "const done = arguments[arguments.length - 1]; axe.run(document, {resultTypes: ['violations']}).then(done)"
        )
        grave = [
            f"{v['id']}: {v['help']}: {v['nodes'][0]['html'][:160]}"
            for v in result["violations"]
            if v["impact"] in ("serious", "critical")
        ]
        self.assertEqual(grave, [], f"accessibility of {where}")
        # Whether a table scrolls today hangs on a few letters; that the keyboard reaches it must not.
        self.assertEqual(self.driver.execute_script(UNREACHED), [], f"scrolls, and no key reaches it, on {where}")

    def console(self) -> list[str]:
        try:
            entries = self.driver.get_log("browser")
            # A form that is sent back with what is wrong answers 422; that is meant.
            return [e["message"] for e in entries if e["level"] == "SEVERE" and "status of 422" not in e["message"]]
        except WebDriverException:
            return []
