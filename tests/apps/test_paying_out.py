"""Paying besides a run that goes at once: by hand, released by a second person, as a table; owed back reminded and written off."""

from __future__ import annotations

import csv
import io
from datetime import timedelta
from unittest import TestCase, mock

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.claims.models import Claim
from wainwright.claims.services import books, paying_out
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.pain001 import VERSIONS, Payer, Transfer, check_schema, read_pain001, write_pain001
from wainwright.formats.problems import Unreadable
from wainwright.people.models import Firm, new_version
from wainwright.rulebook.models import Policy


class VersionsTest(TestCase):
    def test_both_versions_hold_to_their_schema_and_read_alike(self):
        payer = Payer("Brackwater Survey Ltd", "IE29AIBK93115212345678", "BRWKIE2D", "EUR")
        transfers = [
            Transfer(
                "E-1",
                "Maren Oyelaran",
                "IE64IRCE92050112345678",
                Money.of("12.34", "EUR"),
                "C-0001",
                clock.now().date(),
            )
        ]
        read = []
        for version in VERSIONS:
            content = write_pain001(payer, transfers, "M-1", version)
            check_schema(content)
            self.assertIn(version.encode(), content)
            message, (row,) = read_pain001(content)
            read.append((message, row.end_to_end, row.iban, row.amount))
        self.assertEqual(read[0], read[1])
        with self.assertRaises(ValueError):
            check_schema(b"<Document xmlns='urn:iso:std:iso:20022:tech:xsd:pain.001.001.02'/>")
        with self.assertRaises(Unreadable):
            read_pain001(b"<Document/>")


class Paying(WorldTestCase):
    def posted(self, *amounts: str) -> list[Claim]:
        claims = [self.cleared_claim(costs=(amount,)) for amount in amounts]
        for claim in claims:
            with self.done():
                books.post(self.priya, claim.pk, claim.version)
        return [Claim.objects.get(pk=claim.pk) for claim in claims]

    def policy(self, **values):
        Policy.objects.filter(firm=self.priya.firm).update(**values)
        Firm.objects.filter(pk=self.priya.firm_id).update(rules_version=new_version())
        for member in (self.priya, self.desmond):
            member.firm.refresh_from_db()


class ByHandTest(Paying):
    @shows("A4.1")
    def test_once_with_its_reference_and_never_twice(self):
        (claim,) = self.posted("20.00")
        self.enter(self.priya)
        data = {"method": "bank transfer", "on": self.today.isoformat(), "reference": "Ref 4711", "note": "urgent"}
        with self.done():
            page = self.client.post(f"/ledger/pay/hand/{claim.pk}/", data, follow=True)
        self.assertContains(page, "Paid by hand: bank transfer")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        payment = Payment.objects.get(subject=claim.subject)
        self.assertEqual(
            (payment.state, payment.by_hand, payment.amount), ("Paid", "bank transfer: Ref 4711 (urgent)", claim.owed)
        )
        self.assertEqual(Posting.objects.get(key__startswith="payment:").state, "Entered")
        with self.assertRaises(Stale):
            paying_out.pay_by_hand(self.priya, claim.pk, "cash", self.today, "again")
        with self.assertRaises(Stale):
            books.pay(self.priya, [claim.pk], self.today)

    def test_what_is_wrong_is_said_and_what_was_typed_stays(self):
        (claim,) = self.posted("20.00")
        self.enter(self.priya)
        for data in (
            {"method": "shells", "on": self.today.isoformat(), "reference": "Ref 1"}, {"method": "cash", "on": "x", "reference": "Ref 1"}, {},
            {"method": "cash", "on": self.today.isoformat(), "reference": ""}, {"method": "cash", "on": (self.today + timedelta(days=2)).isoformat(), "reference": "Ref 1"},
        ):  # fmt: skip
            response = self.client.post(f"/ledger/pay/hand/{claim.pk}/", data)
            self.assertEqual(response.status_code, 422)
            if data.get("reference"):
                self.assertContains(response, 'value="Ref 1"', status_code=422)
        with self.assertRaises(NotAllowed):
            paying_out.pay_by_hand(self.tobias, claim.pk, "cash", self.today, "Ref 1")
        self.assertFalse(PayRun.objects.exists())


class ReleaseTest(Paying):
    def test_above_the_amount_a_second_person_releases_it(self):
        self.policy(release_above_minor=1000)
        claims = self.posted("20.00", "21.00")
        with self.done():
            run = books.pay(self.priya, [claim.pk for claim in claims], self.today)
        self.assertTrue(run.to_release)
        with mock.patch.object(clock, "now", return_value=clock.now() + timedelta(minutes=9)):
            books.finish_what_broke_off()
        self.assertEqual(set(run.payments.values_list("state", flat=True)), {"Under way"})
        with self.assertRaises(Stale):
            books.pay(self.priya, [claims[0].pk], self.today)
        with self.assertRaises(NotAllowed):
            paying_out.release(self.priya, run.pk)
        self.enter(self.desmond)
        self.assertContains(self.client.get(f"/ledger/pay/{run.pk}/"), "It waits for a second person")
        with self.done():
            self.client.post(f"/ledger/pay/{run.pk}/release/")
        run.refresh_from_db()
        self.assertEqual((run.state, run.released_by_id), ("Answered", self.desmond.pk))
        with self.assertRaises(Stale):
            paying_out.release(self.desmond, run.pk)
        self.assertEqual({Claim.objects.get(pk=claim.pk).state for claim in claims}, {"Settled"})

    def test_taken_back_it_is_open_again_and_below_the_amount_it_goes_at_once(self):
        self.policy(release_above_minor=1000)
        (claim,) = self.posted("20.00")
        run = books.pay(self.priya, [claim.pk], self.today)
        with self.assertRaises(Refusal):
            paying_out.drop(self.desmond, run.pk, "")
        paying_out.drop(self.desmond, run.pk, "Wrong day")
        self.assertTrue(self.priya.notices.filter(text__contains="took pay run").exists())
        self.policy(release_above_minor=None)
        with self.done():
            again = books.pay(self.priya, [claim.pk], self.today)
        self.assertFalse(again.to_release)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")

    def test_as_a_table(self):
        (claim,) = self.posted("20.00")
        Claim.objects.filter(pk=claim.pk).update(title="=1+1")
        run = books.pay(self.priya, [claim.pk], self.today)
        self.enter(self.priya)
        rows = list(csv.reader(io.StringIO(self.client.get(f"/ledger/pay/{run.pk}/csv/").content.decode("utf-8-sig"))))
        self.assertEqual(rows[0][:3], ["Name", "IBAN", "Amount"])
        self.assertEqual(rows[1][:3], ["Maren Oyelaran", self.maren.iban, str(claim.owed.amount)])

    def test_the_administrator_sets_it_and_the_file_follows_the_bank(self):
        self.policy(pain="pain.001.001.03")
        (claim,) = self.posted("20.00")
        run = books.pay(self.priya, [claim.pk], self.today)
        self.assertIn(b"pain.001.001.03", bytes(run.file))
        self.policy(pain="pain.001.001.09")
        (claim,) = self.posted("21.00")
        run = books.pay(self.priya, [claim.pk], self.today)
        self.assertIn(b"pain.001.001.09", bytes(run.file))


class OwedBackTest(Paying):
    def owing(self) -> Claim:
        """A posted claim below zero: somebody owes the firm 30.00."""
        (claim,) = self.posted("20.00")
        statement = claim.statement
        statement.due_minor = -3000
        statement.save(update_fields=["due_minor"])
        return claim

    @shows("A4.4")
    def test_reminded_and_written_off_with_a_reason(self):
        claim = self.owing()
        paying_out.remind_owed_back(self.priya, claim.pk)
        self.assertTrue(self.maren.notices.filter(text__contains="30.00 EUR is owed back").exists())
        self.enter(self.priya)
        base = f"/ledger/pay/back/{claim.pk}/write-off/"
        self.assertEqual(self.client.post(base, {"why": "", "account": "6420"}).status_code, 422)
        self.assertContains(
            self.client.post(base, {"why": "Left the firm", "account": "none"}), "Left the firm", status_code=422
        )
        account = self.priya.firm.accounts.written_off
        self.client.post(base, {"why": "Left the firm", "account": account})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        posting = Posting.objects.get(key__startswith="written-off:")
        self.assertEqual((posting.state, posting.total), ("Entered", eur(30)))
        with self.assertRaises(Stale):
            paying_out.write_off(self.priya, claim.pk, account, "again")
        with self.assertRaises(NotAllowed):
            paying_out.remind_owed_back(self.tobias, claim.pk)
