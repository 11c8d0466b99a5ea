"""The trip's page by mouse and by key: one panel at a time, and nothing typed is lost."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from decimal import Decimal

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright.formats.places import place
from wainwright.trips.services import plan


class PanelsTest(BrowserTestCase):
    """One panel open at a time; what was typed survives another panel, an act elsewhere, and a page loaded anew."""

    def setUp(self):
        super().setUp()
        maren, day = self.people["maren"], worlds.today() + timedelta(days=35)
        coding = coded("3120", "P-0417", "field")
        self.trip = plan.start_trip(maren, "Gauge check", "Checking a gauge", coding)
        for n, (one, other) in enumerate((("ORK", "BGO"), ("BGO", "ORK"))):
            at = datetime.combine(day + timedelta(days=4 * n), time(9))
            plan.add_leg(
                maren, self.trip.pk, "air", place(one), place(other), at, at + timedelta(hours=4), Decimal(100)
            )
        self.sign_in("Maren Oyelaran")
        self.open(f"/trips/{self.trip.pk}/")

    def value(self, css: str) -> str:
        return self.do(lambda d: d.find_element(By.CSS_SELECTOR, css)).get_attribute("value")

    def opened(self) -> list[str]:
        found = "return Array.from(document.querySelectorAll('.slot > .panel')).map((el) => el.dataset.panel)"
        return self.driver.execute_script(found)

    @shows("P1.3")
    def test_what_is_typed_survives(self):
        night = f"night-{self.trip.nights.first().date.isoformat()}"
        self.line_of("no house yet")
        self.until(lambda d: self.opened() == [night])
        self.assertIn(f"open={night}", self.driver.current_url)
        self.put(".panel [name=name]", "Lamp Quay Hotel")
        # Another panel closes this one; an act on the ribbon changes the page around it.
        self.press("+ a cost", ".door")
        self.until(lambda d: self.opened() == ["cost"])
        self.put(".panel [name=label]", "Pier taxi")
        self.press("Lunch", within=".ribbon")
        self.see("is supplied by others now")
        self.until(lambda d: self.opened() == ["cost"])
        self.assertEqual(self.value(".panel [name=label]"), "Pier taxi")
        self.driver.refresh()
        self.assertEqual(self.value(".panel [name=label]"), "Pier taxi")
        self.line_of("no house yet")
        self.assertEqual(self.value(".panel [name=name]"), "Lamp Quay Hotel")
        self.press("Keep the nights")
        self.see("Lamp Quay Hotel, Bergen")
        # Kept, it is no longer kept aside.
        self.assertEqual(self.driver.execute_script("return Object.keys(sessionStorage).filter((k) => k.includes('/stay/')).length"), 0)  # fmt: skip
        # What is refused stays typed, with what is wrong beside it.
        self.press("+ a cost", ".door")
        self.put(".panel [name=amount]", "-5")
        self.press("Add", within=".panel")
        self.see("greater than or equal to 0")
        self.assertEqual(self.value(".panel [name=amount]"), "-5")
        self.assertEqual(self.console(), [])

    @shows("X2.1")
    def test_by_key_and_on_the_ribbon(self):
        leg = self.trip.legs.first()
        self.driver.find_element(By.TAG_NAME, "body").send_keys("j")
        self.driver.switch_to.active_element.send_keys(Keys.ENTER)
        self.until(lambda d: self.opened() == [f"leg-{leg.pk}"])
        self.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
        self.until(lambda d: self.opened() == [])
        self.driver.find_element(By.TAG_NAME, "body").send_keys("c")
        self.until(lambda d: self.opened() == ["cost"])
        self.do(
            lambda d: (
                d.find_element(By.CSS_SELECTOR, f".ribbon a[data-open='leg-{leg.pk}']").send_keys(Keys.ENTER) or True
            )
        )
        self.until(lambda d: self.opened() == [f"leg-{leg.pk}"])
        self.until(lambda d: d.switch_to.active_element.get_attribute("aria-expanded") == "true")
        self.assert_accessible("a line opened")

    def test_without_a_connection_nothing_is_lost(self):
        self.press("Said", ".door")
        self.put(".panel [name=text]", "Which pier?")
        self.driver.set_network_conditions(offline=True, latency=0, throughput=0)
        self.press("Say it")
        self.see("there is no connection")
        self.assertEqual(self.value(".panel [name=text]"), "Which pier?")
        self.driver.delete_network_conditions()
        self.press("Say it")
        self.see("1, last by Maren")
