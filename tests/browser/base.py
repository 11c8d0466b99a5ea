"""What browser tests share: headless Chromium, and acts in the words of a person."""

from __future__ import annotations

import os
import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import override_settings
from selenium.common.exceptions import TimeoutException, WebDriverException
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select, WebDriverWait

from tests import worlds
from tests.browser.chromium import fresh_page
from wainwright import clock

QUIET = """
    return document.readyState === "complete" && !document.querySelector(".htmx-request, .htmx-swapping, .htmx-settling")
"""
# The first that is shown and says a text, ready to be pressed: a list of suggestions left open would take the click.
SAYS = """
    const [within, css, text] = arguments, scope = within ? document.querySelector(within) : document;
    const shown = (el) => el.getClientRects().length && getComputedStyle(el).visibility !== "hidden";
    const found = scope && Array.from(scope.querySelectorAll(css)).find(
      (el) => shown(el) && (el.innerText ?? el.textContent).replace(/\\s+/g, " ").includes(text));
    if (!found) return null;
    document.activeElement.blur();
    found.scrollIntoView({block: "center"});
    return found;
"""
UNREACHED = """
    const scrolls = (el) => ["overflowX", "overflowY"].some((way) => /auto|scroll/.test(getComputedStyle(el)[way]));
    const reached = "a[href], button, input:not([type=hidden]), select, textarea, summary, [tabindex='0']";
    return Array.from(document.querySelectorAll("main *")).filter((el) => el.offsetParent && scrolls(el) && !el.matches(reached)
      && !el.querySelector(reached)).map((el) => el.outerHTML.slice(0, 160))
"""
# How long something may take to come, in seconds: many times what it does, since a machine may be shared with others.
PATIENCE = 120
AXE = Path(__file__).parent / "vendor" / "axe.min.js"


class BrowserTestCase(worlds.StartedTransactionMixin, StaticLiveServerTestCase):
    """A live server with the demo's firms and people, its clock free to move, and a browser."""

    starts_from = worlds.BARE
    width, height = 1280, 800
    # About how long a class takes: the longest begin first.
    seconds = 30

    def setUp(self):
        # What a person does on the way: presses, choices, fields typed, files chosen, links followed.
        self.inputs = 0
        self.folder = tempfile.TemporaryDirectory(prefix="wainwright-browser-")
        self.enterContext(override_settings(DEMO=True, VAR=Path(self.folder.name), EMAIL_BACKEND=worlds.MAILBOX))
        self.addCleanup(self.folder.cleanup)
        self.people = worlds.people()
        self.driver = fresh_page(self.width, self.height)

    def tearDown(self):
        if os.environ.get("COUNT_INPUTS"):
            print(f"\n{self.id().rpartition('.')[2]}: {self.inputs} inputs", file=sys.stderr)

    def until(self, condition, message: str = "", seconds: int = PATIENCE):
        """Ask again until a condition holds; what the browser refused meanwhile is said where it never does."""
        refused = []

        def ask(driver):
            try:
                return condition(driver)
            except (WebDriverException, IndexError) as error:
                refused[:] = [str(error).partition("Stacktrace")[0]]
                return False

        try:
            return WebDriverWait(self.driver, seconds, 0.1).until(ask)
        except TimeoutException:
            self.fail(f"{message} {' '.join(refused)} On {self.driver.current_url}:\n{self.body()}")

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
            self.until(lambda d, t=text: t in self.body(), f"“{text}” is not there.")

    def quiet(self):
        """Wait, as a person does, until nothing on the page is being fetched or put in its place."""
        self.until(lambda d: d.execute_script(QUIET), "the page does not come to rest")

    def do(self, act, message: str = ""):
        """Find something and do something with it in one go, anew where an answer of the server came between.

        What is found is never kept: ``act`` gets the driver, and returns what is wanted, or nothing to be asked again.
        """
        self.quiet()
        return self.until(act, message)

    def press(self, text: str, css: str = "button, a, summary, label.btn", within: str = ""):
        """Press what carries a text, once it is there."""
        self.inputs += 1

        def go(driver):
            element = driver.execute_script(SAYS, within, css, text)
            if element is not None:
                element.click()
            return element is not None

        self.do(go, f"nothing to press says “{text}” on {self.driver.current_url}")

    def key(self, key: str):
        """Press one key where the focus is."""
        self.inputs += 1
        self.quiet()
        ActionChains(self.driver).send_keys(key).perform()

    def press_at(self, xpath: str):
        """Press what a path finds."""
        self.inputs += 1
        self.do(lambda d: d.find_element(By.XPATH, xpath).click() or True, f"nothing to press at {xpath}")

    def follow(self, css: str, fits=lambda element: True, which: int = 0) -> str:
        """Go where a link leads, the first of those that fit (or another one); return its text."""
        self.inputs += 1

        def there(driver):
            found = [each for each in driver.find_elements(By.CSS_SELECTOR, css) if fits(each)]
            return (found[which].text, found[which].get_attribute("href")) if found else None

        text, target = self.do(there, f"no {css} on {self.driver.current_url}")
        self.driver.get(target)
        return text

    def fill(self, within: str = "", **fields: str):
        """Fill fields by name, inside one form."""
        for name, value in fields.items():
            self.put(f"{within} [name='{name}']", value)

    def put(self, css: str, value: str, which: int = 0):
        """Put a value into a field, as if typed over what stood there."""
        self.inputs += 1

        def go(driver):
            element = driver.find_elements(By.CSS_SELECTOR, css)[which]
            kind = element.get_attribute("type")
            if element.tag_name == "select":
                Select(element).select_by_value(value)
            elif kind in ("date", "time"):
                driver.execute_script("arguments[0].value = arguments[1]", element, value)
            else:
                element.clear()
                element.send_keys(value)
                # The server may lay a number out anew while it is typed; that something stands there is enough.
                return bool(element.get_attribute("value")) == bool(value)
            return True

        self.do(go, f"no field {css} on {self.driver.current_url}")

    def attach(self, css: str, *paths):
        """Choose files in a field for them."""
        self.inputs += 1
        text = "\n".join(str(path) for path in paths)
        self.do(lambda d: d.find_element(By.CSS_SELECTOR, css).send_keys(text) or True, f"no {css}")

    def explain_all(self, words: str):
        """Answer whatever asks for a reason with the same words, in one act; each keeps a reason of its own rule."""
        if "Say why" not in self.body():
            return
        self.press("Say why")
        form = ".slot .why" if self.driver.find_elements(By.CSS_SELECTOR, "[data-panels]") else "details[open] .why"
        self.see("Why it had to be so")
        self.fill(within=form, words=words)
        boxes = self.driver.find_elements(By.CSS_SELECTOR, f"{form} [type=checkbox]")
        for n in [n for n, box in enumerate(boxes) if not box.is_selected()]:
            self.inputs += 1
            box = f"{form} [type=checkbox]"
            self.do(lambda d, n=n, box=box: d.find_elements(By.CSS_SELECTOR, box)[n].click() or True)
        self.press("Explain", within=form)
        self.until(lambda d: "Say why" not in self.body(), "something still asks why")

    def answer_all(self, words: str):
        """Answer whatever a claim asks, one question after another: with words where it takes them, else with its last answer."""
        for _ in range(20):
            key = self.do(
                lambda d: (d.find_elements(By.CSS_SELECTOR, "#asked:not([hx-get])") and self.question()) or None
            )
            if key == "-":
                return
            if self.driver.find_elements(By.ID, "answer-words"):
                self.fill(within="#question", words=words)
                self.press("Answer", "button:not(.sr-only)", within="#question")
            else:
                last = self.driver.find_elements(By.CSS_SELECTOR, "#question [name=said]")[-1].text
                self.press(last, within="#question")
            self.until(
                lambda d, key=key: d.find_elements(By.CSS_SELECTOR, "#asked:not([hx-get])") and self.question() != key
            )
        self.fail("it never stops asking")

    def question(self) -> str:
        """Which question is open now; "-" where nothing is asked."""
        found = self.driver.find_elements(By.CSS_SELECTOR, "#question [name=key]")
        return found[0].get_attribute("value") if found else "-"

    def line_of(self, text: str, within: str = ".journey"):
        """Open a line of the journey, found by what it says."""
        self.press(text, ".j-open", within)
        self.until(lambda d: d.find_elements(By.CSS_SELECTOR, f"{within} .panel"), f"the line of {text} does not open")

    def move_clock(self, moment: datetime):
        clock.move_to(moment.replace(tzinfo=UTC))

    def assert_accessible(self, where: str):
        """No serious or critical violation by axe-core on the page as it stands."""
        if not self.driver.execute_script("return 'axe' in window"):
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
