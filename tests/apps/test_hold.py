"""Two at once, and processes that die: one act is done, nothing is lost, nothing is done twice."""

import contextlib
import threading
from datetime import timedelta
from io import StringIO
from unittest import mock

from django.core.management import CommandError, call_command
from django.db import connection

from tests.apps.world import WorldTransactionTestCase
from tests.coverage import shows
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services import books, lines, road
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.outside import service
from wainwright.signoff.models import SignOff
from wainwright.standins.ledger.models import ClosedPeriod, LedgerEntry
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain


class Killed(BaseException):
    """The process is gone: nothing after this point runs."""


class HoldTest(WorldTransactionTestCase):
    def together(self, *acts):
        """Run acts at the same moment in threads; return what each raised, or None."""
        barrier, results = threading.Barrier(len(acts)), [None] * len(acts)

        def run(index, act):
            try:
                barrier.wait()
                act()
            except Refusal as refusal:
                results[index] = refusal
            finally:
                connection.close()

        threads = [threading.Thread(target=run, args=pair) for pair in enumerate(acts)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return results

    def test_two_decisions_at_once(self):
        claim = self.sent_claim()
        results = self.together(*[lambda: bench.approve(self.tobias, "claim", claim.pk)] * 3)
        self.assertEqual(sum(r is None for r in results), 1)
        self.assertEqual(SignOff.objects.filter(kind="claim", state="Given").count(), 1)
        self.assertIsNone(check_chain())

    def test_eight_decide_on_one_claim_at_once_and_seven_hear_why_not(self):
        claim = self.checked_claim(costs=("20.00", "30.00"))
        reviewers = [self.priya, self.desmond]
        line = claim.expenses.get(amount_minor=3000)
        acts = [
            lambda n=n: road.clear(reviewers[n % 2], claim.pk, claim.version) if n % 4 else
            lines.take_line_out(reviewers[0], claim.pk, claim.version, line.key, "Not the firm's", down=bool(n)) for n in range(8)
        ]  # fmt: skip
        results = self.together(*acts)
        self.assertEqual(sum(r is None for r in results), 1)
        for refused in filter(None, results):
            self.assertGreater(len(refused.message), 20)
        claim = Claim.objects.get(pk=claim.pk)
        gone = claim.state == "In finance check"
        self.assertEqual(claim.expenses.count(), 1 if gone else 2)
        self.assertIsNone(check_chain())

    def test_approve_and_send_back_at_once(self):
        claim = self.sent_claim()
        results = self.together(
            lambda: bench.approve(self.tobias, "claim", claim.pk),
            lambda: bench.end(self.tobias, "claim", claim.pk, "send_back", "Which taxi?"),
        )
        self.assertEqual(sum(r is None for r in results), 1)
        self.assertIn(Claim.objects.get().state, ("In finance check", "Sent back"))

    @shows("A3.6")
    def test_posted_twice_at_once_is_entered_once(self):
        claim = self.cleared_claim()
        self.together(*[lambda: books.post(self.priya, claim.pk, claim.version)] * 2)
        self.assertEqual((LedgerEntry.objects.count(), Claim.objects.get().state), (1, "Posted"))

    def test_paid_twice_at_once_is_paid_once(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        results = self.together(*[lambda: books.pay(self.priya, [claim.pk], self.today)] * 2)
        self.assertEqual(sum(r is None for r in results), 1)
        self.assertEqual(Payment.objects.filter(state="Paid").count(), 1)

    def test_killed_at_every_point_of_posting_and_paying(self):
        """Each point by its name: what is kept by then is carried on, by the worker or by pressing the button again."""
        books_, ledger = "wainwright.claims.services.books", "wainwright.accounts.services"
        bank = "wainwright.claims.services.answers"
        posting = [
            f"{ledger}.ask",
            f"{ledger}.record",
            f"{books_}._posted",
            f"{ledger}.use_budgets",
            f"{books_}.Charge.objects.filter",
        ]
        paying = [
            f"{ledger}.service",
            f"{ledger}.read_pain002",
            f"{books_}.carry_answers",
            f"{bank}._answered",
            f"{bank}.payment_journal",
            f"{bank}.settled",
            f"{bank}.tell",
        ]
        amounts = iter(range(20, 200))
        for again in (False, True):
            for where in posting:
                with self.subTest(where=where, again=again):
                    claim = self.cleared_claim(costs=(f"{next(amounts)}.00",))
                    with mock.patch(where, side_effect=Killed), contextlib.suppress(Killed):
                        books.post(self.priya, claim.pk, claim.version)
                    if again:
                        with contextlib.suppress(Stale):
                            books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
                    books.finish_what_broke_off(timedelta(0))
                    state = Claim.objects.get(pk=claim.pk).state
                    if state == "Cleared":
                        # It was killed before anything was kept: pressing the button does all of it.
                        self.assertFalse(LedgerEntry.objects.filter(key__endswith=f":{claim.number}:1").exists())
                        books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
                    self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
                    self.assertEqual(LedgerEntry.objects.filter(key__endswith=f":{claim.number}:1").count(), 1)
                    Claim.objects.filter(pk=claim.pk).update(trip=None, state="Settled")
        for where in paying:
            with self.subTest(where=where):
                claim = self.cleared_claim(costs=(f"{next(amounts)}.00",))
                books.post(self.priya, claim.pk, claim.version)
                with mock.patch(where, side_effect=Killed), contextlib.suppress(Killed):
                    books.pay(self.priya, [claim.pk], self.today)
                for _ in range(2):
                    books.finish_what_broke_off(timedelta(0))
                if not Payment.objects.filter(subject=claim.subject).exists():
                    books.pay(self.priya, [claim.pk], self.today)
                self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
                self.assertEqual([p.state for p in Payment.objects.filter(subject=claim.subject)], ["Paid"])
                self.assertEqual(
                    Posting.objects.filter(key__startswith="payment", subject=claim.subject, state="Entered").count(), 1
                )
                Claim.objects.filter(pk=claim.pk).update(trip=None)

    def test_a_payments_journal_that_the_ledger_refused_is_sent_again(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        ClosedPeriod.objects.create(firm="ltd", month=f"{self.today:%Y-%m}")
        books.pay(self.priya, [claim.pk], self.today)
        posting = Posting.objects.get(key__startswith="payment")
        self.assertEqual((posting.state, Claim.objects.get(pk=claim.pk).state), ("Refused", "Settled"))
        self.enter(self.priya)
        self.assertIn("Post it again", self.client.get(f"/ledger/{posting.pk}/").content.decode())
        self.client.post(f"/ledger/{posting.pk}/again/")
        self.assertEqual(Posting.objects.get(pk=posting.pk).state, "Refused")
        ClosedPeriod.objects.all().delete()
        self.client.post(f"/ledger/{posting.pk}/again/")
        self.assertEqual(Posting.objects.get(pk=posting.pk).state, "Entered")
        for member, refusal in ((self.tobias, NotAllowed), (self.priya, Stale)):
            with self.assertRaises(refusal):
                books.post_again(member, posting.pk)

    def test_killed_before_the_ledger_was_asked(self):
        claim = self.cleared_claim()
        with mock.patch.object(type(service("ledger")), "post", side_effect=Killed), self.assertRaises(Killed):
            books.post(self.priya, claim.pk, claim.version)
        self.assertEqual((Posting.objects.get().state, LedgerEntry.objects.count()), ("Sending", 0))
        books.finish_what_broke_off(timedelta(0))
        self.assertEqual((Claim.objects.get().state, LedgerEntry.objects.count()), ("Posted", 1))

    def test_killed_after_the_ledger_entered_it(self):
        claim = self.cleared_claim()
        with (
            mock.patch("wainwright.accounts.services.isinstance", side_effect=Killed, create=True),
            self.assertRaises(Killed),
        ):
            books.post(self.priya, claim.pk, claim.version)
        self.assertEqual((Posting.objects.get().state, LedgerEntry.objects.count()), ("Sending", 1))
        books.finish_what_broke_off(timedelta(0))
        books.finish_what_broke_off(timedelta(0))
        self.assertEqual((Claim.objects.get().state, LedgerEntry.objects.count()), ("Posted", 1))

    def test_killed_in_the_middle_of_a_pay_run(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        for where in ("wainwright.accounts.services.service", "wainwright.claims.services.answers._answered"):
            killed = mock.patch(where, side_effect=Killed)
            with self.subTest(where), killed, contextlib.suppress(Killed, Refusal):
                books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual((Claim.objects.get().state, PayRun.objects.count()), ("Posted", 1))
        books.finish_what_broke_off(timedelta(0))
        books.finish_what_broke_off(timedelta(0))
        self.assertEqual((Claim.objects.get().state, Payment.objects.get().state), ("Settled", "Paid"))
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="payment").count(), 1)
        self.assertIsNone(check_chain())


class TrailTest(WorldTransactionTestCase):
    @shows("X7.1")
    def test_the_trail_names_the_first_entry_that_does_not_fit(self):
        self.sent_claim()
        call_command("verify_trail", stdout=StringIO())
        Entry.objects.filter(number=5).update(what="did something else")
        with self.assertRaisesRegex(CommandError, "breaks at entry 5"):
            call_command("verify_trail")
