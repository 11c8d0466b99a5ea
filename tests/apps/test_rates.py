"""Exchange rates: taken in by a firm for itself, kept for all, shown with day and source."""

import io
import zipfile
from datetime import timedelta
from decimal import Decimal
from io import StringIO
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.services.taking import set_amount
from wainwright.rulebook import rates
from wainwright.rulebook.models import ExchangeRate
from wainwright.rulebook.rates import keep_rates, latest_rates, take_rates
from wainwright.rulebook.selectors import rate_table
from wainwright.trail.models import Entry


class RatesTest(WorldTestCase):
    def table(self, rate="12.0000", ago=0):
        return f"Date,NOK,CHF\n{self.today - timedelta(days=ago)},{rate},0.9400\n".encode()

    def test_a_firms_own_table_goes_first_and_for_that_firm_alone(self):
        done = take_rates(self.priya, "bank.csv", self.table())
        self.assertEqual((done.new, done.known, done.different, done.left), (2, 0, [], []))
        self.assertEqual(rate_table(self.maren.firm, self.today).days[self.today]["NOK"], Decimal("12.0000"))
        self.assertNotEqual(rate_table(self.liv.firm, self.today).days[self.today]["NOK"], Decimal("12.0000"))
        self.assertEqual(Entry.objects.filter(what="took in exchange rates").count(), 1)
        again = take_rates(self.priya, "bank.csv", self.table("12.5"))
        self.assertEqual((again.new, again.known, len(again.different)), (0, 2, 1))
        self.assertEqual(rate_table(self.maren.firm, self.today).days[self.today]["NOK"], Decimal("12.0000"))

    @shows("R12.1")
    def test_an_expense_says_which_table_and_of_which_day(self):
        take_rates(self.priya, "bank.csv", self.table(ago=2))
        expense = self.a_cost(self.maren, "20.00")
        expense.date = self.today - timedelta(days=2)
        set_amount(expense, Money.of("540.00", "NOK"))
        self.assertEqual(expense.amount, Money.of("45.00", "EUR"))
        self.assertEqual(expense.rate_source, f"bank.csv, {expense.date.day} {expense.date:%b %Y}")

    def test_who_may_and_what_is_refused(self):
        for who in (self.maren, self.benedikt):
            with self.subTest(who), self.assertRaises(NotAllowed):
                take_rates(who, "x.csv", self.table())
        with self.assertRaisesRegex(Refusal, "no table of rates"):
            take_rates(self.priya, "x.csv", b"what?")
        ahead = keep_rates(None, "x", self.table(ago=-1), self.today)
        self.assertEqual((ahead.new, len(ahead.left)), (0, 2))

    def test_a_small_file_that_holds_much_keeps_nobody_waiting(self):
        """What is packed is bounded when unpacked, is read before anything is locked, and is written only if it is not too much."""
        days = [(self.today - timedelta(days=n)).isoformat() for n in range(900)]
        codes = [f"{a}{b}{c}" for a in "ABCDE" for b in "ABCDEFGH" for c in "ABCDEFGH"]
        row = ",1.5" * len(codes)
        many = "Date," + ",".join(codes) + "\n" + "".join(f"{day}{row}\n" for day in days)
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as file:
            file.writestr("x.csv", many)
        self.assertLess(len(packed.getvalue()), 54_000)
        for content, words in (
            (packed.getvalue(), "are taken. Send fewer currencies"),
            (b"PK\x03\x04" + b"\0" * 99, "damaged"),
        ):
            with self.subTest(words), mock.patch.object(rates, "_keep") as kept, self.assertRaisesRegex(Refusal, words):
                take_rates(self.priya, "x.zip", content)
            kept.assert_not_called()

    def test_the_shipped_table_by_command(self):
        before = ExchangeRate.objects.count()
        call_command("take_rates", stdout=StringIO())
        there = ExchangeRate.objects.count()
        self.assertGreater(there, before + 1000)
        call_command("take_rates", stdout=StringIO())
        self.assertEqual(ExchangeRate.objects.count(), there)

    def test_the_page_answers_what_it_was_worth(self):
        with self.assertNumQueries(1):
            latest = latest_rates(self.maren.firm, self.today)
        self.assertIn("NOK", [each.currency for each in latest])
        norwegian = {each.currency: each for each in latest_rates(self.liv.firm, self.today)}
        self.assertIn("EUR", norwegian)
        take_rates(self.priya, "bank.csv", self.table())
        self.enter(self.maren)
        page = self.client.get("/rates/", {"amount": "540", "currency": "nok", "day": str(self.today)})
        self.assertContains(page, "45.00 EUR")
        self.assertContains(page, "bank.csv")
        self.assertNotContains(page, "Take it in")
        for query, says in [
            ({"amount": "540", "currency": "XQZ", "day": str(self.today)}, "There is no rate for XQZ|No such currency"),
            ({"amount": "-1", "currency": "NOK", "day": "2999-01-01"}, "Choose a day that has been"),
            ({"amount": "1e99", "currency": "<b>", "day": "x"}, "error"), ({"amount": "540", "currency": "NOK", "day": "1999-02-01"}, "There is no rate for NOK"),
        ]:  # fmt: skip
            with self.subTest(says):
                self.assertRegex(self.client.get("/rates/", query).content.decode(), says)
        self.enter(self.priya)
        sent = SimpleUploadedFile("t.csv", self.table("x", 1))
        done = self.client.post("/rates/take/", {"file": sent}, follow=True)
        self.assertContains(done, "1 rates taken")
        self.assertContains(done, "is not a number above 0")
        self.assertContains(self.client.post("/rates/take/", follow=True), "No file was chosen")
