"""Two at once, and processes that die: one act is done, nothing is lost, nothing is done twice."""

import contextlib
import sqlite3
import tempfile
import threading
from contextlib import closing
from datetime import timedelta
from io import StringIO
from pathlib import Path
from unittest import mock

from django.core.management import CommandError, call_command
from django.db import connection

from tests.apps.world import WorldTransactionTestCase
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.errors import Refusal
from wainwright.outside import service
from wainwright.signoff.models import SignOff
from wainwright.standins.ledger.models import LedgerEntry
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

    def test_approve_and_send_back_at_once(self):
        claim = self.sent_claim()
        results = self.together(
            lambda: bench.approve(self.tobias, "claim", claim.pk),
            lambda: bench.end(self.tobias, "claim", claim.pk, "send_back", "Which taxi?"),
        )
        self.assertEqual(sum(r is None for r in results), 1)
        self.assertIn(Claim.objects.get().state, ("In finance check", "Sent back"))

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
        for where in ("wainwright.accounts.services.service", "wainwright.claims.services.books._answered"):
            killed = mock.patch(where, side_effect=Killed)
            with self.subTest(where), killed, contextlib.suppress(Killed, Refusal):
                books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual((Claim.objects.get().state, PayRun.objects.count()), ("Posted", 1))
        books.finish_what_broke_off(timedelta(0))
        books.finish_what_broke_off(timedelta(0))
        self.assertEqual((Claim.objects.get().state, Payment.objects.get().state), ("Settled", "Paid"))
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="payment").count(), 1)
        self.assertIsNone(check_chain())


class BackupTest(WorldTransactionTestCase):
    def test_a_copy_is_whole_and_never_overwrites(self):
        claim = self.sent_claim()
        with tempfile.TemporaryDirectory() as folder:
            target = Path(folder, "copy.sqlite3")
            call_command("backup", target, stdout=StringIO())
            with closing(sqlite3.connect(target)) as copy:
                self.assertEqual(
                    copy.execute("select total_minor from claims_statement").fetchall(), [(claim.total.minor,)]
                )
            with self.assertRaisesRegex(CommandError, "there already"):
                call_command("backup", target)

    def test_the_trail_names_the_first_entry_that_does_not_fit(self):
        self.sent_claim()
        call_command("verify_trail", stdout=StringIO())
        Entry.objects.filter(number=5).update(what="did something else")
        with self.assertRaisesRegex(CommandError, "breaks at entry 5"):
            call_command("verify_trail")
