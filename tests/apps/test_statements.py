"""What was sent stands: on its page, in the journal, in the payment. Only acts change it, each by a version of its own."""

from __future__ import annotations

import re
from contextlib import suppress
from decimal import Decimal
from unittest import mock

from django.db import transaction
from django.db.models import F, Sum
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from demo.story import proof
from tests.apps.world import FIELD, OFFICE, WorldTestCase, eur
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, Posting, PostingLine
from wainwright.bench import services as bench
from wainwright.claims.models import Claim, Statement
from wainwright.claims.paying import advances_to_pay, payable
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, correcting, drafting, road
from wainwright.claims.statements import read, versions
from wainwright.core.states import NotNow
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge, Expense
from wainwright.formats.pain002 import Answer, write_pain002
from wainwright.people.models import Firm, new_version
from wainwright.rulebook.models import AllowanceRate, Category, RuleSetting
from wainwright.signoff.models import SignOff
from wainwright.standins.ledger.models import ClosedPeriod
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words, outstanding_advances
from wainwright.trips.services import plan
from wainwright.trips.services import road as trips

BANK_AWAY = mock.patch("wainwright.claims.services.books.accounts.send_pay_run", side_effect=ConnectionError)


class Statements(WorldTestCase):
    """Shortcuts for claims with an advance."""

    def claim_with_advance(self, amount: int = 60, coding=OFFICE) -> Claim:
        """An open claim of a trip under way for which an advance was asked and authorised, not paid yet."""
        trip = self.a_trip(starts=-2, days=6, coding=coding)
        plan.ask_advance(self.maren, trip.pk, Decimal(amount), eur(500), "Hotel asks for cash")
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran", True)
        with self.done():
            self.approve_all("trip", trip.pk)
        trips.move_along(clock.now())
        proof(self.a_cost(amount="40.00", tax_rate=Decimal("0.25"), tax=eur("8.00"), days_ago=1), 1)
        return drafting.claim_trip(self.maren, trip.pk)

    def advance_to_the_bank(self, claim: Claim):
        """Send the advance to a bank that does not answer."""
        with BANK_AWAY, suppress(ConnectionError):
            books.pay(self.priya, [], self.today, [claim.trip_id])
        return Payment.objects.get(subject=f"advance:{claim.trip_id}").run

    def fresh(self, claim: Claim) -> Claim:
        return Claim.objects.select_related("firm", "trip", "statement", "claimant__person", "claimant__firm").get(
            pk=claim.pk
        )

    def owed_by_the_ledger(self, claim: Claim) -> int:
        """What the journals of a claim say is owed to its claimant, in cents."""
        firm = claim.firm.accounts
        rows = PostingLine.objects.filter(
            posting__subject=claim.subject,
            posting__state="Entered",
            account__in=[firm.owed_to_staff, firm.owed_by_staff],
        )
        return rows.exclude(posting__key__startswith="payment").aggregate(
            s=Sum(F("credit_minor") - F("debit_minor"), default=0)
        )["s"]

    def due_on_the_page(self, claim: Claim) -> int:
        """What the claim's own page says is due, in cents."""
        page = self.client.get(f"/claims/{claim.pk}/").content.decode()
        row = page[page.index('<tr class="sum">', page.index('id="comes-to"')) :]
        row = row[: row.index("</tr>")]
        back = -1 if "Owed back" in row else 1
        figure = re.search(r"(\d[\d\s, ]*\.\d\d)", re.sub(r"<[^>]+>", " ", row.partition("</td>")[2]))
        return back * int(re.sub(r"[^\d]", "", figure.group(1)))


class AdvanceTest(Statements):
    def test_an_advance_is_not_paid_beside_a_claim_that_was_sent(self):
        claim = self.claim_with_advance()
        self.assertEqual(list(advances_to_pay(self.priya)), [claim.trip])
        self.send_claim(claim)
        self.assertEqual(list(advances_to_pay(self.priya)), [])
        with self.assertRaises(Stale):
            books.pay(self.priya, [], self.today, [claim.trip_id])
        words = f"not paid: {claim.code} was sent without it, and pays everything itself"
        self.assertEqual(advance_words(self.fresh(claim).trip), words)
        self.enter(self.maren)
        for path in (f"/claims/{claim.pk}/", f"/trips/{claim.trip_id}/"):
            self.assertContains(self.client.get(path), words)
        road.take_back(self.maren, claim.pk)
        self.assertEqual(list(advances_to_pay(self.priya)), [claim.trip])

    def test_an_advance_answered_while_its_claim_is_signed_writes_the_next_version(self):
        claim = self.claim_with_advance()
        run = self.advance_to_the_bank(claim)
        self.send_claim(claim)
        before = self.fresh(claim).owed
        with self.done():
            books.finish_pay_run(run)
        claim = self.fresh(claim)
        self.assertEqual((claim.statement.number, claim.owed), (2, before - eur(60)))
        self.enter(self.maren)
        self.assertEqual(self.due_on_the_page(claim), claim.owed.minor)
        last = versions(claim)[0]
        self.assertEqual([c.label for c in last.changes], ["Advance set against it", "Due to the traveller"])
        entry = Entry.objects.filter(subject=claim.subject, what__startswith="the advance was paid").get()
        self.assertIn('"due"', entry.before)
        words = f"paid, and set against {claim.code}"
        for path in (f"/claims/{claim.pk}/", f"/trips/{claim.trip_id}/"):
            self.assertContains(self.client.get(path), words)
        with self.done():
            self.approve_all("claim", claim.pk)
        claim = self.fresh(claim)
        road.clear(self.priya, claim.pk, claim.version)
        claim = books.post(self.priya, claim.pk, self.fresh(claim).version)
        self.assertEqual(self.owed_by_the_ledger(claim), self.fresh(claim).owed.minor)
        self.assertTrue(Trip.objects.get().advance_settled)

    def posted_with_advance_at_the_bank(self):
        claim = self.claim_with_advance()
        run = self.advance_to_the_bank(claim)
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        road.clear(self.priya, claim.pk, self.fresh(claim).version)
        books.post(self.priya, claim.pk, self.fresh(claim).version)
        return self.fresh(claim), run

    def test_a_posted_claim_waits_for_the_banks_answer_on_its_advance(self):
        claim, run = self.posted_with_advance_at_the_bank()
        self.assertEqual(list(payable(self.priya)), [])
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/pay/"), "waits until the bank has answered on its advance")
        before = claim.owed
        with self.done():
            books.finish_pay_run(run)
        claim = self.fresh(claim)
        self.assertEqual(claim.owed, before - eur(60))
        self.assertEqual(self.owed_by_the_ledger(claim), claim.owed.minor)
        self.assertEqual(list(payable(self.priya)), [claim])
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(Payment.objects.get(subject=claim.subject).amount, claim.owed)
        self.assertEqual(self.owed_by_the_ledger(claim), claim.owed.minor)

    def test_a_refused_advance_leaves_the_claim_as_it_is(self):
        claim, run = self.posted_with_advance_at_the_bank()
        before = claim.owed
        refused = [Answer(Payment.objects.get().end_to_end, "RJCT", "AC01")]
        bank = mock.Mock()
        bank.send.return_value = write_pain002(run.message_id, refused, clock.now())
        with self.done(), mock.patch("wainwright.accounts.services.service", return_value=bank):
            books.finish_pay_run(run)
        claim = self.fresh(claim)
        self.assertEqual((claim.owed, claim.statement.number), (before, 1))
        self.assertEqual(list(payable(self.priya)), [claim])

    def test_an_answer_waits_while_the_journal_is_on_the_way(self):
        claim = self.claim_with_advance()
        run = self.advance_to_the_bank(claim)
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        road.clear(self.priya, claim.pk, self.fresh(claim).version)
        ledger_away = mock.patch("wainwright.claims.services.books.accounts.send_posting", side_effect=ConnectionError)
        with ledger_away, suppress(ConnectionError):
            books.post(self.priya, claim.pk, self.fresh(claim).version)
        with self.assertRaisesRegex(Stale, "on the way to the ledger"):
            correcting.recode(self.priya, claim.pk, self.fresh(claim).version, "cost_centre", "3120", coded("3140"))
        with self.done():
            books.finish_pay_run(run)
        self.assertEqual((Payment.objects.get().state, self.fresh(claim).statement.number), ("Under way", 1))
        with self.done():
            books.finish_posting(Posting.objects.get(key__startswith="claim:"), None)
            books.finish_pay_run(run)
        claim = self.fresh(claim)
        self.assertEqual((Payment.objects.get().state, claim.statement.number), ("Paid", 2))
        self.assertEqual(self.owed_by_the_ledger(claim), claim.owed.minor)

    def test_an_advance_with_the_bank_is_not_changed_and_one_paid_too_late_stays_outstanding(self):
        claim = self.claim_with_advance()
        self.advance_to_the_bank(claim)
        Trip.objects.update(state="Authorised")
        trips.reopen(self.maren, claim.trip_id)
        with self.assertRaisesRegex(Refusal, "with the bank already"):
            plan.ask_advance(self.maren, claim.trip_id, Decimal(10), eur(500), "Hotel asks for cash")
        Trip.objects.update(advance_paid=True, state="Closed")
        other = plan.start_trip(self.maren, "Another", "Looking again", OFFICE)
        self.assertEqual(outstanding_advances(self.maren, other, "EUR"), eur(60))


class RecodeTest(Statements):
    @shows("V4.1")
    def test_a_correction_is_a_version_and_the_costs_follow_it(self):
        claim = self.checked_claim(coding=FIELD)
        proof(self.a_cost(amount="9.00"), 1)
        places = correcting.recode(self.priya, claim.pk, claim.version, "project", "P-0417", coded("3140"))
        claim = self.fresh(claim)
        self.assertEqual((places, claim.statement.number, str(claim.coding)), (2, 2, "3140"))
        before, after = read(Statement.objects.get(claim=claim, number=1), "EUR"), read(claim.statement, "EUR")
        self.assertIn(("project", "P-0417"), before.by_code)
        self.assertNotIn(("project", "P-0417"), after.by_code)
        self.assertEqual(before.settlement, after.settlement)
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), f"/bench/claim/{claim.pk}/changed/")
        page = self.client.get(f"/bench/claim/{claim.pk}/changed/")
        self.assertContains(page, "Statement 2")
        self.assertContains(page, "corrected the coding by Priya Sundqvist")
        # Its owner was never asked: the claim goes before her, and the line manager's signature stands.
        self.assertEqual(claim.state, "In sign-off")
        waiting = SignOff.objects.filter(object_id=claim.pk, kind="claim", state="Waiting")
        self.assertEqual([(s.signer, s.scope, s.turn) for s in waiting], [(self.ottilie, "cost_centre:3140", True)])
        with self.done():
            self.assertEqual(self.approve_all("claim", claim.pk), ["Ottilie Marsh"])
        claim = self.fresh(claim)
        self.assertEqual(claim.state, "In finance check")
        # Sent back and sent again it stands as finance corrected it.
        road.finance_end(self.priya, claim.pk, claim.version, "send_back", "One receipt more")
        self.send_claim(claim)
        self.assertEqual(read(self.fresh(claim).statement, "EUR").by_code, after.by_code)

    def test_what_is_not_there_is_said(self):
        claim = self.checked_claim()
        with self.assertRaisesRegex(Refusal, "Nothing on the claim is coded to 3900"):
            correcting.recode(self.priya, claim.pk, claim.version, "cost_centre", "3900", coded("3140"))
        self.assertEqual(claim.statements.count(), 1)


ELSEWHERE = ("rate", "rule", "category", "charge", "cost", "trip", "names", "tax")
ACTS = (
    "send",
    "approve",
    "send_back",
    "take_back",
    "finance_back",
    "recode",
    "clear",
    "post",
    "close",
    "pay",
    "advance",
    "answer",
)

STEPS = [*ACTS, *ACTS, *["forward"] * 10, "answer", *ELSEWHERE]
ONWARDS = {
    "Open": "send", "Sent back": "send", "In sign-off": "approve", "In finance check": "clear", "Cleared": "post",
    "Posting refused": "post", "Posted": "pay",
}  # fmt: skip


class RandomTest(Statements):
    """Whatever is done in whatever order, and whatever changes elsewhere: one sum."""

    same_on_any_day = True

    def elsewhere(self, what: str, claim: Claim) -> None:
        """Change something behind the claim's back."""
        match what:
            case "rate":
                AllowanceRate.objects.update(full_minor=F("full_minor") + 1100)
            case "rule":
                RuleSetting.objects.update(level="stop")
            case "category":
                Category.objects.update(account="6999", name="Renamed")
            case "tax":
                Category.objects.update(tax_share=Decimal("0.5"))
            case "charge":
                Charge.objects.update(amount_minor=F("amount_minor") + 7)
            case "cost":
                Expense.objects.exclude(claim__state__in=["Open", "Sent back"]).update(
                    amount_minor=F("amount_minor") + 13
                )
            case "trip":
                Trip.objects.update(title="Renamed trip")
            case "names":
                Firm.objects.update(name="Renamed Ltd")
        for firm in Firm.objects.all():
            firm.rules_version = new_version()
            firm.save()

    def act(self, what: str, claim: Claim) -> None:
        version, run = claim.version, getattr(self, "run_out", None)
        match what:
            case "send":
                self.send_claim(claim)
            case "approve":
                self.approve_all("claim", claim.pk)
            case "send_back":
                waiting = (
                    SignOff.objects.filter(kind="claim", state="Waiting", turn=True)
                    .select_related("signer__firm", "signer__person")
                    .first()
                )
                if waiting:
                    bench.end(waiting.signer, "claim", claim.pk, "send_back", "Look again")
            case "take_back":
                road.take_back(self.maren, claim.pk)
            case "finance_back":
                road.finance_end(self.priya, claim.pk, version, "send_back", "Look again")
            case "recode":
                old = "3120" if claim.coding.get("cost_centre") == "3120" else "3140"
                to = coded("3140") if old == "3120" else coded("3120")
                correcting.recode(self.priya, claim.pk, version, "cost_centre", old, to)
            case "clear":
                road.clear(self.priya, claim.pk, version)
            case "close":
                month = f"{self.today:%Y-%m}"
                shut = ClosedPeriod.objects.filter(firm="ltd", month=month)
                shut.delete() if shut.exists() else ClosedPeriod.objects.create(firm="ltd", month=month)
            case "post":
                books.post(self.priya, claim.pk, version)
            case "pay":
                books.pay(self.priya, [claim.pk], self.today)
            case "advance":
                with BANK_AWAY, suppress(ConnectionError):
                    books.pay(self.priya, [], self.today, [claim.trip_id])
                self.run_out = Payment.objects.get(subject=f"advance:{claim.trip_id}").run
            case "answer" if run is not None:
                books.finish_pay_run(run)

    def look(self, claim: Claim, sent: dict) -> None:
        """One sum everywhere, and no version of what was sent has changed since it was written."""
        claim = self.fresh(claim)
        for row in claim.statements.all():
            now = read(row, claim.currency)
            self.assertEqual(sent.setdefault(row.number, now), now)
            self.assertEqual(now, _anew(now))
        if claim.statement is None:
            return
        due = claim.owed.minor
        if not claim.editable:
            self.assertEqual(load_file(self.maren, claim).figures.settlement.due.minor, due)
            self.assertEqual(self.due_on_the_page(claim), due)
        if (
            claim.state in ("Posted", "Settled")
            and Posting.objects.filter(subject=claim.subject, state="Refused").count() == 0
        ):
            self.assertEqual(self.owed_by_the_ledger(claim), due)
        paid = Payment.objects.filter(subject=claim.subject, state="Paid").aggregate(s=Sum("amount_minor", default=0))[
            "s"
        ]
        self.assertEqual(paid, due if claim.state == "Settled" else 0)
        trip = claim.trip
        if claim.state == "Settled" and trip.advance_paid and trip.advance_settled:
            # All that the person ever got is all that they were ever owed.
            sums = read(claim.statement, claim.currency).settlement.sums
            self.assertEqual(paid + trip.advance_minor, (sums.own_money + sums.allowance + sums.mileage).minor)

    def test_one_sum(self):
        self.enter(self.maren)

        # Each walk undoes what it did; Hypothesis has no say over the test's own transaction.
        @settings(max_examples=15, deadline=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        @given(st.lists(st.sampled_from(STEPS), min_size=8, max_size=30), st.booleans())
        def walks(steps, at_the_bank):
            with transaction.atomic():
                self.walk(["advance"] * at_the_bank + steps)
                transaction.set_rollback(True)

        walks()

    def walk(self, steps):
        claim, sent = self.claim_with_advance(), {}
        self.run_out = None
        for step in steps:
            claim = self.fresh(claim)
            if step in ELSEWHERE:
                self.elsewhere(step, claim)
            else:
                name = ONWARDS.get(claim.state, "answer") if step == "forward" else step
                with suppress(Refusal, NotNow), transaction.atomic(), self.done():
                    self.act(name, claim)
            self.look(claim, sent)


def _anew(done):
    """The same lines added up anew."""
    return type(done).of(done.lines, done.advance)
