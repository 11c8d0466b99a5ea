"""The end of a month: what is left and whom to push, accruals that come and go, periods closed and opened, tables that go out."""

from __future__ import annotations

import csv
import io
import json
from datetime import date, timedelta
from unittest import mock

import openpyxl

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import FirmAccounts, Period, Posting
from wainwright.accounts.periods import last_of, next_month, open_day
from wainwright.claims.models import Claim
from wainwright.claims.services import books, road
from wainwright.closing import exports, services
from wainwright.closing.models import Accrual
from wainwright.closing.selectors import accrued, month_of, movements, spent_not_posted, steps
from wainwright.core.money import total
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.tables import harmless
from wainwright.people.models import Firm, new_version
from wainwright.standins.ledger.models import ClosedPeriod, LedgerEntry


class Closing(WorldTestCase):
    def setUp(self):
        super().setUp()
        self.month = self.today.replace(day=1)
        # The month is looked at once it has ended.
        self.later = clock.now() + timedelta(days=31)
        FirmAccounts.objects.filter(firm=self.priya.firm).update(accrued="2390")
        Firm.objects.filter(pk=self.priya.firm_id).update(rules_version=new_version())
        self.priya.firm.refresh_from_db()

    def ended(self):
        return mock.patch.object(clock, "now", return_value=self.later)

    def posted(self, **options) -> Claim:
        claim = self.cleared_claim(**options)
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        return Claim.objects.get(pk=claim.pk)

    def balance(self, account: str) -> int:
        lines = [
            line for p in Posting.objects.filter(state="Entered") for line in p.lines.all() if line.account == account
        ]
        return sum(line.debit_minor - line.credit_minor for line in lines)


class StepsTest(Closing):
    @shows("A6.3")
    def test_each_thing_stands_on_its_step_with_its_sum_and_whom_to_push(self):
        self.posted(costs=("20.00",))
        cleared = self.cleared_claim(costs=("21.00",))
        self.checked_claim(costs=("22.00",))
        self.sent_claim(costs=("23.00",))
        found = {step.key: step for step in steps(self.priya.firm, self.month)}
        self.assertEqual(
            {key: step.count for key, step in found.items() if key in ("unpaid", "cleared", "check", "signing")},
            dict.fromkeys(("unpaid", "cleared", "check", "signing"), 1),
        )
        self.assertEqual(found["cleared"].sum, cleared.total)
        self.assertEqual(
            (found["cleared"].people, found["signing"].people), (("Maren Oyelaran",), ("Tobias Achterberg",))
        )
        self.enter(self.priya)
        page = self.client.get(f"/ledger/month/?month={self.month:%Y-%m}")
        self.assertContains(page, "Cleared and not posted")
        for text in ("", "soon", "2026-13", "0001-01", "9999-99", "2026-09-09"):
            self.assertEqual(self.client.get("/ledger/month/", {"month": text}).status_code, 200)
        self.assertEqual(month_of("nonsense", date(2026, 1, 15)), date(2025, 12, 1))

    def test_who_may(self):
        for member, status in ((self.tobias, 403), (self.maren, 403), (self.priya, 200)):
            self.enter(member)
            self.assertEqual(self.client.get("/ledger/month/").status_code, status)
        for act in (services.post_accruals, services.take_back):
            with self.assertRaises(NotAllowed):
                act(self.tobias, self.month)


class AccrualTest(Closing):
    @shows("A6.2")
    def test_what_is_spent_and_not_posted_is_accrued_and_reversed_by_itself(self):
        self.posted(costs=("20.00",))
        sent = self.sent_claim(costs=("80.00", "30.00"))
        rows = accrued(self.priya.firm, self.month)
        whole = total((row.amount for row in rows), "EUR")
        self.assertEqual(whole, total((each.amount for each in spent_not_posted(self.priya.firm, self.month)), "EUR"))
        claims = total(
            (e.amount for row in rows for e in row.of if e.what == "claim" and e.label.startswith(sent.code)), "EUR"
        )
        done = road.load_file(
            sent.claimant, Claim.objects.select_related("firm", "claimant__person", "trip", "statement").get(pk=sent.pk)
        ).figures
        nets = total((c.net for line in done.lines for c in line.coded if not c.personal), "EUR")
        self.assertEqual(claims, nets)
        if self.today < last_of(self.month):
            with self.assertRaisesMessage(Refusal, "not ended"):
                services.post_accruals(self.priya, self.month)
        with self.ended(), mock.patch.object(services, "reverse_due"):
            made = services.post_accruals(self.priya, self.month)
            with self.assertRaises(Stale):
                services.post_accruals(self.priya, self.month)
        self.assertEqual((made.total, made.posting.state, made.posting.date), (whole, "Entered", last_of(self.month)))
        self.assertEqual(self.balance("2390"), -whole.minor)
        self.assertEqual(services.reverse_due(), 0)
        with self.ended():
            self.assertEqual(services.reverse_due(), 1)
            self.assertEqual(services.reverse_due(), 0)
        self.assertEqual(self.balance("2390"), 0)
        made.refresh_from_db()
        self.assertEqual(made.reversal.date, next_month(self.month))
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="accrual:").count(), 2)

    def test_taken_back_and_made_anew(self):
        self.sent_claim(costs=("80.00",))
        with self.ended(), mock.patch.object(services, "reverse_due"):
            first = services.post_accruals(self.priya, self.month)
            self.sent_claim(costs=("19.00",))
            services.take_back(self.priya, self.month)
            self.assertEqual(self.balance("2390"), 0)
            second = services.post_accruals(self.priya, self.month)
        self.assertEqual((second.entry, Accrual.objects.count()), (2, 2))
        self.assertGreater(second.total, first.total)
        self.assertEqual(self.balance("2390"), -second.total.minor)

    def test_a_refusal_is_said_on_the_page_and_it_is_made_anew(self):
        self.sent_claim(costs=("80.00",))
        closed = ClosedPeriod.objects.create(firm=self.priya.firm.slug, month=f"{self.month:%Y-%m}")
        with self.ended():
            self.enter(self.priya)
            page = self.client.post("/ledger/month/accrue/", {"month": f"{self.month:%Y-%m}"})
            self.assertContains(page, "closed the month", status_code=422)
            closed.delete()
            page = self.client.post("/ledger/month/accrue/", {"month": f"{self.month:%Y-%m}"}, follow=True)
            self.assertContains(page, "are accrued as")
        self.assertEqual(self.balance("2390"), 0)

    def test_without_an_account_it_is_named_first(self):
        FirmAccounts.objects.filter(firm=self.priya.firm).update(accrued="")
        self.sent_claim(costs=("80.00",))
        with self.ended():
            with self.assertRaisesMessage(Refusal, "Name it first"):
                services.post_accruals(self.priya, self.month)
            self.enter(self.priya)
            data = {"month": f"{self.month:%Y-%m}"}
            self.assertContains(
                self.client.post("/ledger/month/account/", data | {"account": "none"}),
                "no account none",
                status_code=422,
            )
            self.assertContains(self.client.post("/ledger/month/account/", data), "on which account", status_code=422)
            codes = self.priya.firm.codes.filter(dimension="account", code="2390")
            codes.update(open_until=date(2020, 1, 1))
            closed = self.client.post("/ledger/month/account/", data | {"account": "2390"})
            self.assertContains(closed, "2390 is not open", status_code=422)
            codes.update(open_until=None)
            self.client.post("/ledger/month/account/", data | {"account": "2390"})
            self.assertEqual(FirmAccounts.objects.get(firm=self.priya.firm).accrued, "2390")

    def test_killed_between_keeping_and_sending(self):
        self.sent_claim(costs=("80.00",))
        with (
            self.ended(),
            mock.patch("wainwright.accounts.services.record", side_effect=RuntimeError("killed")),
            self.assertRaises(RuntimeError),
        ):
            services.post_accruals(self.priya, self.month)
        with mock.patch.object(clock, "now", return_value=self.later + timedelta(minutes=9)):
            books.finish_what_broke_off()
            services.reverse_due()
        self.assertEqual((Accrual.objects.count(), self.balance("2390")), (1, 0))
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="accrual:").count(), 2)


class PeriodTest(Closing):
    @shows("A6.1")
    def test_what_comes_later_goes_to_the_next_month(self):
        claim = self.cleared_claim(costs=("20.00",))
        with self.ended():
            with self.assertRaisesMessage(Refusal, "1 cleared and not posted"):
                services.close_period(self.priya, self.month, "")
            services.close_period(self.priya, self.month, "It goes to the next")
            with self.assertRaises(Stale):
                services.close_period(self.priya, self.month, "again")
            with self.assertRaises(Stale):
                services.post_accruals(self.priya, self.month)
            self.assertEqual(open_day(self.priya.firm, self.today), next_month(self.month))
            with self.done():
                books.post(self.priya, claim.pk, claim.version, self.today)
        self.assertEqual(Posting.objects.get(key=claim.journal_key).date, next_month(self.month))

    def test_opened_again_the_last_first(self):
        before = (self.month - timedelta(days=1)).replace(day=1)
        services.close_period(self.priya, before, "done")
        with self.ended():
            services.close_period(self.priya, self.month, "done")
        with self.assertRaisesMessage(Refusal, "on top of it"):
            services.reopen_period(self.priya, before, "A bill came")
        with self.assertRaises(Refusal):
            services.reopen_period(self.priya, self.month, "")
        services.reopen_period(self.priya, self.month, "A bill came")
        services.reopen_period(self.priya, before, "A bill came")
        self.assertFalse(Period.objects.exists())
        with self.assertRaises(Stale):
            services.reopen_period(self.priya, before, "again")

    @shows("A6.3")
    def test_movements_of_an_account_add_up(self):
        self.posted(costs=("20.00",))
        self.posted(costs=("30.00",))
        account = "2320"
        found = movements(self.priya.firm, account, self.month)
        self.assertEqual(found.closing - found.opening, total((row.amount for row in found.rows), "EUR"))
        self.assertEqual(found.closing.minor, self.balance(account))
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/ledger/accounts/{account}/?month={self.month:%Y-%m}"), "Movements in")
        self.assertEqual(self.client.get("/ledger/accounts/?code=2320&month=x").status_code, 302)
        self.assertEqual(self.client.get("/ledger/accounts/nothing/").status_code, 404)


class TablesTest(Closing):
    def rows(self, response) -> list[list[str]]:
        return list(csv.reader(io.StringIO(b"".join(response.streaming_content).decode("utf-8-sig"))))

    @shows("A7.1", "X9.1")
    def test_every_kind_as_csv_and_xlsx_and_cells_are_harmless(self):
        claim = self.posted(costs=("20.00",))
        Claim.objects.filter(pk=claim.pk).update(title="=cmd|'/c calc'!A1")
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        self.enter(self.priya)
        days = {"since": (self.today - timedelta(days=40)).isoformat(), "until": self.today.isoformat()}
        for kind in exports.KINDS:
            with self.subTest(kind):
                found = self.rows(self.client.get("/ledger/tables/table/", days | {"kind": kind}))
                self.assertEqual(found[0], list(exports.KINDS[kind].columns))
                self.assertFalse([cell for row in found for cell in row if cell.startswith(("=", "@"))])
                book = self.client.get("/ledger/tables/table/", days | {"kind": kind, "format": "xlsx"})
                sheet = openpyxl.load_workbook(io.BytesIO(book.content)).active
                self.assertEqual(sheet.max_row, len(found))
                self.assertFalse([cell for row in sheet.iter_rows() for cell in row if cell.data_type == "f"])
        found = self.rows(
            self.client.get("/ledger/tables/table/", days | {"kind": "claims", "columns": ["Total", "Title"]})
        )
        self.assertEqual(found, [["Title", "Total"], ["'=cmd|'/c calc'!A1", str(claim.total.amount)]])

    @shows("A7.1")
    def test_the_journal_as_json_balances(self):
        self.posted(costs=("20.00",))
        self.enter(self.priya)
        body = json.loads(
            self.client.get(
                "/ledger/tables/journal.json", {"since": self.month.isoformat(), "until": self.today.isoformat()}
            ).content
        )
        for entry in body["journals"]:
            self.assertEqual(
                sum(eur(line["debit"]).minor for line in entry["lines"]),
                sum(eur(line["credit"]).minor for line in entry["lines"]),
            )
        self.assertTrue(body["journals"])

    def test_shapes_and_hostile_input(self):
        self.enter(self.priya)
        for data in (
            {"kind": "x"},
            {"kind": "claims"},
            {"kind": "claims", "since": "2026-09-09", "until": "2026-09-01"},
            {"kind": "claims", "since": "1900-01-01", "until": "2026-09-01"},
        ):
            self.assertEqual(self.client.get("/ledger/tables/table/", data).status_code, 422)
        days = {"since": "2026-09-01", "until": "2026-09-30"}
        self.assertEqual(
            self.client.get("/ledger/tables/table/", days | {"kind": "claims", "columns": ["nothing"]}).status_code, 422
        )
        page = self.client.post(
            "/ledger/tables/keep/",
            {"name": "For the board", "kind": "claims", "columns": ["Total", "Claim"]},
            follow=True,
        )
        self.assertContains(page, "For the board")
        self.assertEqual(self.priya.firm.shapes.get().columns, ["Claim", "Total"])
        self.assertEqual(self.client.post("/ledger/tables/keep/", {"name": "", "kind": "claims"}).status_code, 422)
        self.client.post("/ledger/tables/keep/", {"drop": self.priya.firm.shapes.get().pk})
        self.assertFalse(self.priya.firm.shapes.exists())
        self.enter(self.maren)
        self.assertEqual(self.client.get("/ledger/tables/table/", days | {"kind": "claims"}).status_code, 403)

    def test_what_begins_a_formula(self):
        for text in ("=1", "+1", "-1", "@x", "\t=1", " =1", "  +1"):
            self.assertTrue(harmless(text).startswith("'"), text)
        for text in ("x=1", "1", "", "a-b"):
            self.assertEqual(harmless(text), text)

    @shows("A6.3")
    def test_a_cards_statement(self):
        card = self.maren.cards.first()
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/ledger/cards/{card.pk}/statement/"), card.last_four)
        self.enter(self.liv)
        self.assertEqual(self.client.get(f"/ledger/cards/{card.pk}/statement/").status_code, 404)
