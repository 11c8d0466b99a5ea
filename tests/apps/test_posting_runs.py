"""Posting together: each with its own outcome; what was posted is called back by a reversal. The budget and the trail follow."""

from __future__ import annotations

from datetime import timedelta
from unittest import mock

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import BudgetUse, Posting
from wainwright.accounts.selectors import journal_of
from wainwright.claims.models import Claim, TakenOff
from wainwright.claims.services import books, recalling, road
from wainwright.core.posting import t_accounts
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge
from wainwright.journals import services
from wainwright.journals.models import PostingRun
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode, LedgerEntry


class RunTest(WorldTestCase):
    def three(self) -> list[Claim]:
        return [self.cleared_claim(costs=(amount,)) for amount in ("20.00", "21.00", "22.00")]

    def run_of(self, claims, **options) -> PostingRun:
        with self.done():
            run = services.start_run(self.priya, [claim.pk for claim in claims], **options)
        return PostingRun.objects.with_open().get(pk=run.pk)

    @shows("A3.4")
    def test_each_has_its_own_outcome_and_the_run_stays_open_until_it_is_mended(self):
        claims = self.three()
        LedgerCode.objects.filter(firm=self.priya.firm.slug, dimension="account", code="6420").delete()
        taxi, code = self.maren.firm.slug, claims[1].statement.lines.first().coded.first().account
        LedgerCode.objects.filter(firm=taxi, dimension="account", code=code).update(
            open_until=self.today - timedelta(days=60)
        )
        run = self.run_of(claims)
        self.assertEqual(services.outcome(run)["Refused"], 3)
        self.assertTrue(run.to_mend)
        LedgerCode.objects.filter(firm=taxi, dimension="account", code=code).update(open_until=None)
        again = self.run_of(claims[:2])
        self.assertEqual(services.outcome_words(services.outcome(again)), "2 entered")
        self.assertTrue(PostingRun.objects.with_open().get(pk=run.pk).to_mend)
        claim = Claim.objects.get(pk=claims[2].pk)
        road.finance_end(self.priya, claim.pk, claim.version, "send_back", "Choose another account")
        self.assertFalse(PostingRun.objects.with_open().get(pk=run.pk).to_mend)
        self.enter(self.priya)
        page = self.client.get(f"/ledger/runs/{run.pk}/")
        self.assertContains(page, "has closed")
        self.assertContains(page, "3 refused")
        self.assertTrue(self.priya.notices.filter(text__startswith=f"Posting run {run.number}: 3 refused").exists())

    def test_what_was_changed_meanwhile_is_left_out_and_said(self):
        claims = self.three()
        with mock.patch.object(services, "post_run"):
            run = services.start_run(self.priya, [claim.pk for claim in claims])
        road.finance_end(self.priya, claims[0].pk, claims[0].version, "send_back", "One more look")
        services.go_on(run.pk)
        self.assertEqual(services.outcome_words(services.outcome(run)), "2 entered, 1 left out")
        self.assertIn("changed", run.items.get(state="Left out").why)

    def test_a_run_that_broke_off_goes_on_and_nothing_is_entered_twice(self):
        """Killed at every point: before and after the ledger has it, and before the run knows."""
        points = (
            "wainwright.accounts.services.record",
            "wainwright.claims.services.books._posted",
            "wainwright.journals.services._finish",
        )
        for number, point in enumerate(points):
            with self.subTest(point):
                claims = [self.cleared_claim(costs=(f"{30 + number}.0{n}",)) for n in range(2)]
                with mock.patch.object(services, "post_run"):
                    run = services.start_run(self.priya, [claim.pk for claim in claims])
                with mock.patch(point, side_effect=RuntimeError("killed")), self.assertRaises(RuntimeError):
                    services.go_on(run.pk)
                with mock.patch.object(clock, "now", return_value=clock.now() + timedelta(minutes=5)):
                    books.finish_what_broke_off()
                    services.go_on_where_broken_off()
                    services.go_on_where_broken_off()
                self.assertEqual(services.outcome_words(services.outcome(run)), "2 entered")
                for claim in claims:
                    self.assertEqual(LedgerEntry.objects.filter(key=claim.journal_key).count(), 1)
                    self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")

    def test_who_may_and_what_cannot_be_posted(self):
        claim = self.cleared_claim()
        with self.assertRaises(NotAllowed):
            services.start_run(self.tobias, [claim.pk])
        with self.assertRaises(Refusal):
            services.start_run(self.priya, [])
        with self.assertRaises(Refusal):
            services.start_run(self.priya, [claim.pk], self.today + timedelta(days=900))
        self.enter(self.priya)
        page = self.client.post("/ledger/runs/start/", {"claim": [claim.pk], "on": "soon"}, follow=True)
        self.assertContains(page, "is no day")

    def test_from_the_ledgers_page(self):
        claim = self.cleared_claim()
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/"), f'aria-label="Post {claim.code}"')
        with self.done():
            page = self.client.post(
                "/ledger/runs/start/", {"claim": [claim.pk], "on": self.today.isoformat()}, follow=True
            )
        page = self.client.get(page.request["PATH_INFO"])
        self.assertContains(page, "1 entered")
        self.assertContains(self.client.get("/ledger/runs/"), "1 entered")


class RecallTest(WorldTestCase):
    def posted(self, **options) -> Claim:
        claim = self.cleared_claim(**options)
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        return Claim.objects.get(pk=claim.pk)

    def test_it_is_reversed_and_posted_anew_and_the_ledger_has_it_once(self):
        claim = self.posted(costs=("20.00", "30.00"))
        spent = dict(BudgetUse.objects.filter(subject=claim.subject).values_list("budget__code", "actual_minor"))
        recalling.recall(self.priya, claim.pk, claim.version, "Wrong cost centre")
        claim = Claim.objects.get(pk=claim.pk)
        self.assertEqual((claim.state, claim.entry, claim.cleared_by), ("In finance check", 2, None))
        held = dict(BudgetUse.objects.filter(subject=claim.subject).values_list("budget__code", "committed_minor"))
        self.assertEqual(held, spent)
        self.assertFalse(Charge.objects.filter(expense__claim=claim, state="Posted").exists())
        road.clear(self.priya, claim.pk, claim.version)
        with self.done():
            books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
        sums: dict[str, int] = {}
        for posting in Posting.objects.filter(subject=claim.subject, state="Entered"):
            for line in posting.lines.all():
                sums[line.account] = sums.get(line.account, 0) + line.debit_minor - line.credit_minor
        entered = Posting.objects.get(key=Claim.objects.get(pk=claim.pk).journal_key)
        once: dict[str, int] = {}
        for line in entered.lines.all():
            once[line.account] = once.get(line.account, 0) + line.debit_minor - line.credit_minor
        self.assertEqual(sums, once)
        self.assertEqual(LedgerEntry.objects.filter(key__contains=f":{claim.number}:").count(), 3)

    def test_not_where_money_or_another_claim_rests_on_it(self):
        claim = self.posted()
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        claim = Claim.objects.get(pk=claim.pk)
        with self.assertRaisesMessage(Refusal, "supplement"):
            recalling.recall(self.priya, claim.pk, claim.version, "Wrong cost centre")
        first, second = self.posted(costs=("31.00",)), self.posted(costs=("32.00",))
        TakenOff.objects.create(claim=second, owed=first, amount_minor=100)
        for each in (first, second):
            Claim.objects.filter(pk=first.pk).update(state="Settled")
            with self.assertRaisesMessage(Refusal, "supplement"):
                recalling.recall(self.priya, each.pk, each.version, "Wrong cost centre")
        with self.assertRaises(NotAllowed):
            recalling.recall(self.tobias, claim.pk, claim.version, "Wrong cost centre")

    def test_a_reversal_into_a_closed_month_is_refused_and_done_on_another_day(self):
        claim = self.posted()
        month = ClosedPeriod.objects.create(firm=self.priya.firm.slug, month=f"{self.today:%Y-%m}")
        self.enter(self.priya)
        data = {"version": claim.version, "why": "Wrong cost centre"}
        page = self.client.post(f"/bench/claim/{claim.pk}/recall/", data, follow=True)
        self.assertContains(page, "closed the month")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
        month.delete()
        self.client.post(f"/bench/claim/{claim.pk}/recall/", data)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    def test_before_the_day_of_posting_or_without_why(self):
        claim = self.posted()
        with self.assertRaises(Refusal):
            recalling.recall(self.priya, claim.pk, claim.version, " ")
        with self.assertRaisesMessage(Refusal, "or later"):
            recalling.recall(self.priya, claim.pk, claim.version, "Wrong", self.today - timedelta(days=3))
        with self.assertRaises(Stale):
            recalling.recall(self.priya, claim.pk, claim.version + 4, "Wrong")

    def test_killed_between_the_ledger_and_the_claim(self):
        claim = self.posted()
        for point in ("wainwright.accounts.services.record", "wainwright.claims.services.recalling._unposted"):
            with self.subTest(point):
                claim = Claim.objects.get(pk=claim.pk)
                with mock.patch(point, side_effect=RuntimeError("killed")), self.assertRaises(RuntimeError):
                    recalling.recall(self.priya, claim.pk, claim.version, "Wrong cost centre")
                with mock.patch.object(clock, "now", return_value=clock.now() + timedelta(minutes=5)):
                    books.finish_what_broke_off()
                claim = Claim.objects.get(pk=claim.pk)
                self.assertEqual(claim.state, "In finance check")
                road.clear(self.priya, claim.pk, claim.version)
                with self.done():
                    books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
                claim = Claim.objects.get(pk=claim.pk)

    def test_as_t_accounts_the_balances_come_to_nothing(self):
        claim = self.posted(costs=("20.00", "30.00"))
        posting = Posting.objects.get(key=claim.journal_key)
        found = t_accounts(journal_of(posting))
        self.assertEqual(sum(each.balance.minor for each in found), 0)
        self.assertEqual(sum(e.debit.minor for each in found for e in each.debits), posting.total_minor)
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/ledger/{posting.pk}/"), "By account")
