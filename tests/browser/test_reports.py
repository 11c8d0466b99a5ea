"""A question asked, changed, kept, mailed every Monday and asked again; a number followed down to its receipt; the desks."""

from __future__ import annotations

from contextlib import nullcontext
from datetime import datetime, time, timedelta

from selenium.webdriver.common.by import By

from tests.apps.world import World
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright.reports.models import Kept, Run
from wainwright.reports.sending import send_due
from wainwright.standins.mailbox.models import Mail


class ReportsTest(World, BrowserTestCase):
    seconds = 45

    def setUp(self):
        super().setUp()
        self.meet_the_people()

    def done(self):
        """What waits for the transaction is run as it is kept."""
        return nullcontext()

    def choose(self, name: str, value: str, which: int = 0):
        """Choose in the sentence; the answer follows by itself."""
        self.put(f"#question [name={name}]", value, which)
        self.quiet()

    @shows("I3.1")
    def test_a_question_is_changed_kept_mailed_every_monday_and_asked_again(self):
        self.cleared_claim(costs=("30.00", "12.00"))
        self.sent_claim(who=self.aiko, costs=("55.00",))
        self.sign_in("Priya Sundqvist")
        self.press("Reports", ".nav a")
        self.see("What do we spend on?")
        self.press("Spend by category")
        self.see("Daily allowance", "Taxi", "97.00")
        self.choose("by", "person")
        self.see("Aiko Brandt", "Maren Oyelaran")
        self.choose("across", "category")
        self.see("Daily allowance")
        self.put("#add", "Aiko Brandt")
        self.press("Answer", "button")
        self.until(lambda d: len(d.find_elements(By.CSS_SELECTOR, ".chip")) == 2)
        self.until(lambda d: "Maren Oyelaran" not in self.body())
        self.put("#keep-name", "Aiko each week")
        self.press("Keep, then send it", "button")
        self.see("Send it", "When")
        self.assert_accessible("a kept question")
        self.put("#to", "Priya Sundqvist, Tobias Achterberg")
        self.press("XLSX", "label")
        self.press("Send it so", "button")
        self.see("It goes out every Monday at 07:00", "XLSX, PDF")
        monday = self.today + timedelta(days=(7 - self.today.weekday()) % 7 or 7)
        Mail.objects.all().delete()
        for weeks in range(2):
            self.move_clock(datetime.combine(monday + timedelta(weeks=weeks), time(9)))
            send_due()
        self.assertEqual(Mail.objects.filter(to=self.priya.person.email).count(), 2)
        self.assertEqual(
            Mail.objects.filter(to=self.tobias.person.email, subject__contains="Aiko each week").count(), 2
        )
        kept = Kept.objects.get()
        self.assertEqual(list(Run.objects.filter(kept=kept).values_list("state", flat=True)), ["Done", "Done"])
        self.open(f"/reports/kept/{kept.pk}/")
        self.press(" ", "tbody td:first-child a", "section:last-of-type")
        self.see("As it was", "Tobias Achterberg: sent")
        self.press("Ask it again")
        self.see("Aiko Brandt")
        self.assertEqual(self.console(), [])

    def test_a_number_is_followed_from_a_bar_to_a_receipt(self):
        claim = self.a_claim(costs=("30.00",))
        expense = claim.expenses.get()
        self.a_receipt(expense)
        self.send_claim(claim)
        self.sign_in("Priya Sundqvist")
        self.open("/reports/spend-by-category/?of=stage:spent&by=category&span=12-months")
        self.do(lambda d: d.find_element(By.CSS_SELECTOR, "#picture a[href*='category%3Ataxi'] rect").click() or True)
        self.see("30.00", "Pier taxi")
        self.follow("tbody td a")
        self.until(lambda d: f"/expenses/{expense.pk}/" in d.current_url)
        self.until(
            lambda d: d.find_elements(By.CSS_SELECTOR, "image[href^='/receipts/pages/']"), "no receipt beside it"
        )
        self.assertEqual(self.console(), [])

    @shows("I6.1")
    def test_each_role_s_desk_asks_for_an_act(self):
        self.checked_claim(costs=("33.00",))
        self.sent_claim(who=self.aiko, costs=("55.00",))
        self.a_trip(starts=2)
        self.a_cost(amount="9.00")
        for who, asked, lands in (
            ("Maren Oyelaran", "Gauge check begins in 2 days", "/trips/"), ("Tobias Achterberg", "waits for your decision", "/bench/"),
            ("Priya Sundqvist", "claim waits for finance", "/bench/"),
        ):  # fmt: skip
            self.sign_in(who)
            self.see(asked)
            self.assert_accessible(f"the desk of {who}")
            self.press(asked, ".asks a")
            self.until(lambda d, lands=lands: lands in d.current_url)
        self.sign_in("Benedikt Okafor")
        self.see("Nothing asks for you.")
