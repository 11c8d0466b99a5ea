"""Finding anything, by every role within what they may see; the index follows every way of writing."""

from __future__ import annotations

from decimal import Decimal

from django.db import connection

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, Posting
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.expenses.models import Charge, Expense
from wainwright.trips.models import Trip
from wainwright.web.finding import find
from wainwright.web.sought import fits, keep_index, words_of


class FindTest(WorldTestCase):
    def kinds(self, who, text) -> dict[str, list[str]]:
        return {each.kind: [row["title"] for row in each.page.object_list] for each in find(who, text)}

    @shows("U8.1")
    def test_finance_finds_journals_and_payments_by_what_stands_on_them(self):
        claim = self.cleared_claim(costs=("37.15",))
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
            run = books.pay(self.priya, [claim.pk], self.today)
        posting, payment = Posting.objects.get(key__startswith="claim:"), Payment.objects.get()
        self.assertEqual(self.kinds(self.priya, posting.number), {"journals": [posting.title]})
        amount = str(Decimal(payment.amount_minor) / 100)
        self.assertIn("payments", self.kinds(self.priya, amount))
        self.assertEqual(self.kinds(self.priya, payment.end_to_end), {"payments": [payment.text]})
        found = self.kinds(self.priya, "Maren")
        self.assertLessEqual({"trips", "claims", "payments"}, set(found))
        for each in find(self.priya, "Maren"):
            for row in each.page.object_list:
                self.enter(self.priya)
                self.assertEqual(self.client.get(row["link"]).status_code, 200, row)
        # Nobody else sees of it what they may not.
        self.assertEqual(set(self.kinds(self.maren, "Maren")), {"trips", "claims"})
        self.assertEqual(self.kinds(self.maren, payment.end_to_end), {})
        self.assertEqual(self.kinds(self.liv, "Maren"), {})
        self.assertTrue(run.pk)

    @shows("U8.2")
    def test_the_newest_stand_first(self):
        titles = []
        for number in range(3):
            trip = self.a_trip(starts=20 + number)
            Trip.objects.filter(pk=trip.pk).update(title=f"Narwhal {number}")
            titles.insert(0, f"Narwhal {number}")
        found = self.kinds(self.maren, "narwhal")["trips"]
        self.assertEqual([title.partition(" · ")[0] for title in found], titles)

    @shows("U8.1")
    def test_people_are_found_by_who_reads_the_list_of_them(self):
        for who, kinds in (
            (self.callum, {"people"}),
            (self.benedikt, {"people"}),
            (self.priya, set()),
            (self.nadia, set()),
        ):
            with self.subTest(str(who)):
                self.assertEqual(set(self.kinds(who, "Ottilie")), kinds)
        self.assertEqual(self.kinds(self.callum, "Boats man"), {"people": ["Ottilie Marsh"]})

    def test_a_charge_is_found_where_it_lies(self):
        card = self.maren.cards.first()
        charge = Charge.objects.create(
            firm=self.maren.firm,
            owner=self.maren,
            card=card,
            bank_id="f",
            date=self.today,
            merchant="Lighthouse Stores",
            currency="EUR",
            amount_minor=4_711,
        )
        for who, where in ((self.maren, "/tray/"), (self.priya, "/ledger/loose/")):
            for text in ("lighthouse", "47.11"):
                self.assertEqual(self.kinds(who, text), {"charges": ["Lighthouse Stores"]}, (who, text))
            self.enter(who)
            self.assertRedirects(self.client.get(f"/find/charges/{charge.pk}/"), where, fetch_redirect_response=False)
        self.assertEqual(self.kinds(self.aiko, "lighthouse"), {})

    @shows("U8.2")
    def test_every_word_counts_in_any_order_and_odd_letters_break_nothing(self):
        self.a_cost(self.maren, merchant='Fjøra "Kro" & Bar')
        for who in (self.maren, self.priya):
            for text in ("kro fjøra", "FJØRA", '"kro"', "bar & fjøra"):
                self.assertIn("costs", self.kinds(who, text), (str(who), text))
            for text in ("fjøra taxi", "*", "NEAR(", "a OR b", "';--", "(", "kro^2"):
                self.assertNotIn("costs", self.kinds(who, text), (str(who), text))
        self.assertEqual(words_of("ab cde f"), ["cde"])

    def test_the_index_follows_every_way_of_writing_and_is_mended(self):
        cost = self.a_cost(self.maren, merchant="Anchor Books")

        def found(text) -> bool:
            return Expense.objects.filter(fits(Expense, text), pk=cost.pk).exists()

        self.assertTrue(found("anchor"))
        Expense.objects.filter(pk=cost.pk).update(merchant="Buoy Books")
        self.assertEqual((found("anchor"), found("buoy")), (False, True))
        if connection.vendor == "sqlite":
            with connection.cursor() as cursor:
                cursor.execute("DROP TRIGGER find_expenses_expense_new")
            Expense.objects.filter(pk=cost.pk).update(merchant="Capstan Books")
            keep_index()
            self.assertEqual((found("buoy"), found("capstan")), (False, True))
            # As a migration leaves it that came before a further column was looked through.
            with connection.cursor() as cursor:
                cursor.execute("DROP TABLE find_expenses_expense")
                cursor.execute(
                    "CREATE VIRTUAL TABLE find_expenses_expense USING fts5(merchant, content='expenses_expense', content_rowid='id', tokenize='trigram')"
                )
            keep_index()
            self.assertTrue(found("capstan"))
            Expense.objects.filter(pk=cost.pk).update(reference="INV-77-2026")
            self.assertTrue(found("77-2026"))
        pk = cost.pk
        cost.delete()
        self.assertFalse(Expense.objects.filter(fits(Expense, "capstan"), pk=pk).exists())
        trips = Trip.objects.bulk_create(
            [
                Trip(
                    firm=self.maren.firm,
                    traveller=self.maren,
                    number=9000,
                    title="Bulk gauges",
                    purpose="x",
                    currency="EUR",
                    created=clock.now(),
                )
            ]
        )
        self.assertTrue(Trip.objects.filter(fits(Trip, "bulk gauges"), pk=trips[0].pk).exists())

    def test_a_bounded_number_of_questions(self):
        self.sent_claim()
        for who, most in ((self.priya, 7), (self.maren, 5), (self.callum, 6)):
            with self.subTest(str(who)), self.assertNumQueries(most):
                find(who, "Gauge 20.00")

    @shows("U8.1")
    def test_the_number_of_a_document_is_found_as_people_type_it(self):
        self.a_cost(self.maren, merchant="Keel", reference="INV-77-2026")
        for who in (self.maren, self.priya):
            for text in ("inv-77-2026", "INV-77-2026", "77-2026", "keel inv-77"):
                self.assertIn("costs", self.kinds(who, text), (str(who), text))

    def test_short_words_are_said_to_be_too_short_for_who_reads_all(self):
        self.enter(self.priya)
        self.assertContains(self.client.get("/find/?q=ab"), "Type 3 letters or more")
        self.enter(self.maren)
        self.a_cost(self.maren, merchant="Ab")
        page = self.client.get("/find/?q=ab")
        self.assertContains(page, "Costs")
        self.assertNotContains(page, "letters or more")
        self.assertTrue(Claim.objects.count() == 0)
