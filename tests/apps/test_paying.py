"""What a bank answers, how often and in whatever order: nothing is paid twice, nothing is stuck."""

from __future__ import annotations

from itertools import permutations
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.claims.models import Claim
from wainwright.claims.paying import payable
from wainwright.claims.services import answers, books
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.pain002 import Answer, write_pain002
from wainwright.news.models import Notice


class BankTest(WorldTestCase):
    def posted(self) -> Claim:
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        return Claim.objects.select_related("statement").get(pk=claim.pk)

    def answer(self, run: PayRun, *statuses: str) -> bytes:
        """An answer to every payment of a run, with one status or several."""
        names = list(run.payments.values_list("end_to_end", flat=True))
        return write_pain002(
            run.message_id, [Answer(n, s, "AC06" if s == "RJCT" else "") for n in names for s in statuses], clock.now()
        )

    def paid_with(self, claim: Claim, status: str) -> PayRun:
        """A run that the bank answered with one status for every payment."""
        real = books.accounts.send_pay_run

        def send(run):
            bank = mock.Mock()
            bank.send.return_value = self.answer(run, status)
            with mock.patch("wainwright.accounts.services.service", return_value=bank):
                real(run)

        with mock.patch.object(books.accounts, "send_pay_run", send), self.done():
            run = books.pay(self.priya, [claim.pk], self.today)
        return PayRun.objects.get(pk=run.pk)

    def test_what_is_no_refusal_keeps_the_payment_under_way(self):
        self.enter(self.priya)
        for status in ("PDNG", "RCVD", "ACTC", "ACCP", "ACSP", "ACWC", "ACWP", "QQQQ"):
            with self.subTest(status), transaction.atomic():
                claim = self.posted()
                run = self.paid_with(claim, status)
                payment = run.payments.get()
                self.assertEqual((run.state, payment.state, payment.status), ("Waiting", "Under way", status))
                self.assertEqual(list(payable(self.priya)), [])
                with self.assertRaises(Stale):
                    books.pay(self.priya, [claim.pk], self.today)
                told = Notice.objects.filter(member=self.priya, link=f"/ledger/pay/{run.pk}/")
                self.assertEqual(told.count(), 1)
                with self.done():
                    books.finish_what_broke_off()
                self.assertEqual((told.count(), run.answers.count()), (1, 1))
                with self.done():
                    run = answers.take_answer(self.priya, run.pk, self.answer(run, "ACSC"))
                claim.refresh_from_db()
                self.assertEqual((run.state, run.payments.get().state, claim.state), ("Answered", "Paid", "Settled"))
                self.assertEqual(Posting.objects.filter(key__startswith="payment", state="Entered").count(), 1)
                self.assertIn("settled on the payer", self.client.get(f"/ledger/pay/{run.pk}/").content.decode())
                transaction.set_rollback(True)

    @shows("A4.2")
    def test_answers_in_any_order_end_the_same(self):
        for final, state in (("ACSC", "Paid"), ("RJCT", "Failed")):
            for order in permutations(["RCVD", "PDNG", final]):
                with self.subTest(order), transaction.atomic():
                    claim = self.posted()
                    run = self.paid_with(claim, order[0])
                    for status in order[1:]:
                        with self.done():
                            answers.take_answer(self.priya, run.pk, self.answer(run, status))
                    payment = Payment.objects.get(run=run)
                    self.assertEqual((payment.state, PayRun.objects.get(pk=run.pk).state), (state, "Answered"))
                    transaction.set_rollback(True)

    def test_what_happened_stands_on_the_claim_and_those_concerned_are_told(self):
        claim = self.posted()
        self.assertEqual(Notice.objects.filter(member=self.priya, link=f"/bench/claim/{claim.pk}/", text__contains="waits for finance").count(), 1)  # fmt: skip
        self.assertFalse(Notice.objects.filter(member=self.maren, text__contains="waits for finance"))
        run = self.paid_with(claim, "RJCT")
        for who, link in ((self.maren, f"/claims/{claim.pk}/"), (self.priya, f"/ledger/pay/{run.pk}/")):
            told = Notice.objects.get(member=who, text__contains="the account is blocked")
            self.assertEqual(told.link, link)
            self.enter(who)
            self.assertEqual(self.client.get(link).status_code, 200)
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/")
        words = [each.words for each in page.context["so_far"]]
        self.assertEqual(words[:3], ["sent", "signed off, came to finance", "checked and cleared"])
        self.assertIn("posted to the accounts under", words[3])
        self.assertRegex(words[4], "payment of .* to the account ending .* failed: the account is blocked")
        again = self.paid_with(claim, "ACSC")
        self.assertNotEqual(again.pk, run.pk)
        words = [each.words for each in self.client.get(f"/claims/{claim.pk}/").context["so_far"]]
        self.assertTrue(any(each.endswith(" paid") for each in words))
        self.assertIn("settled", words)

    def test_answers_that_contradict_each_other_move_nothing(self):
        claim = self.posted()
        run = self.paid_with(claim, "RJCT")
        self.assertEqual(list(payable(self.priya)), [claim])
        with self.done():
            answers.take_answer(self.priya, run.pk, self.answer(run, "ACSC"))
        payment = run.payments.get()
        self.assertEqual((payment.state, payment.failure), ("Unclear", "the account is blocked"))
        self.assertIn("ask the bank", payment.said)
        self.assertEqual(Notice.objects.filter(member=self.priya, text__contains="ask the bank").count(), 1)
        self.assertEqual(list(payable(self.priya)), [])
        with self.assertRaisesRegex(Refusal, "how you know"):
            answers.settle_by_hand(self.priya, payment.pk, True, "")
        with self.assertRaises(Stale):
            answers.settle_by_hand(self.liv, payment.pk, True, "Seen on the account")
        self.enter(self.priya)
        path = f"/ledger/pay/{run.pk}/payments/{payment.pk}/"
        self.assertIn(
            path.removeprefix(f"/ledger/pay/{run.pk}/"), self.client.get(f"/ledger/pay/{run.pk}/").content.decode()
        )
        with self.done():
            self.client.post(path, {"paid": "yes", "words": "It stands on the bank's statement"})
        claim.refresh_from_db()
        self.assertEqual(
            (run.payments.get().state, PayRun.objects.get().state, claim.state), ("Paid", "Answered", "Settled")
        )
        with self.done():
            answers.carry_answers(run)
        self.assertEqual(run.payments.get().state, "Paid")

    @shows("U3.6")
    def test_who_may_take_an_answer_in_and_which(self):
        claim = self.posted()
        run = self.paid_with(claim, "PDNG")
        with self.assertRaises(NotAllowed):
            answers.take_answer(self.tobias, run.pk, self.answer(run, "ACSC"))
        with self.assertRaises(PayRun.DoesNotExist):
            answers.take_answer(self.liv, run.pk, self.answer(run, "ACSC"))
        other = write_pain002("WW-OTHER-1", [Answer("x", "ACSC")], clock.now())
        with self.assertRaisesRegex(Refusal, "WW-OTHER-1"):
            answers.take_answer(self.priya, run.pk, other)
        self.enter(self.priya)
        path = f"/ledger/pay/{run.pk}/answers/"
        for content, words in [(b"", "empty"), (b"%PDF-1.4", "well-formed"), (other, "WW-OTHER-1")]:
            page = self.client.post(path, {"answer": SimpleUploadedFile("a.xml", content)})
            self.assertEqual((page.status_code, words in page.content.decode() or not content), (422, True), words)
        self.assertEqual(self.client.post(path).status_code, 422)
        good = self.answer(run, "ACSC")
        self.assertEqual(self.client.post(path, {"answer": SimpleUploadedFile("a.xml", good)}).status_code, 302)
        self.assertIn(
            "taken in before", self.client.post(path, {"answer": SimpleUploadedFile("a.xml", good)}).content.decode()
        )
        self.assertEqual(self.client.get(f"{path}{run.answers.last().pk}/").content, good)
        self.enter(self.benedikt)
        self.client.post(path, {"answer": SimpleUploadedFile("a.xml", good + b" ")})
        self.assertEqual(run.answers.count(), 2)

    def test_a_name_that_a_bank_does_not_take_is_paid_and_shown_before(self):
        claim = self.posted()
        self.maren.person.name = "🐟\u0007"
        self.maren.person.save()
        self.enter(self.priya)
        self.assertIn("to the bank: Payee, ", self.client.get("/ledger/pay/").content.decode())
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Settled")

    def test_a_run_takes_what_can_be_paid_and_says_what_not(self):
        first = self.posted()
        self.paid_with(first, "PDNG")
        second = self.cleared_claim(who=self.aiko, costs=("31.00",))
        books.post(self.priya, second.pk, second.version)
        third = self.cleared_claim(costs=("32.00",))
        books.post(self.priya, third.pk, third.version)
        self.aiko.iban = ""
        self.aiko.save()
        self.assertEqual(set(payable(self.priya).values_list("pk", flat=True)), {second.pk, third.pk})
        with self.done():
            paid = books.pay_what_can_be_paid(self.priya, [first.pk, second.pk, third.pk], self.today)
        self.assertEqual([p.subject for p in paid.run.payments.all()], [third.subject])
        self.assertEqual(
            paid.left,
            [
                f"{first.code} is with the bank already.",
                "No bank account is known for Aiko Brandt: ask them to add it to their profile.",
            ],
        )
        self.enter(self.priya)
        with self.assertRaisesRegex(Stale, "Nothing is left to pay. C-.* is with the bank already"):
            books.pay(self.priya, [first.pk], self.today)

    def test_what_does_not_fit_on_the_page_is_counted_and_reached(self):
        posted = [self.cleared_claim(), self.cleared_claim(who=self.aiko, costs=("31.00",))]
        for claim in posted:
            books.post(self.priya, claim.pk, claim.version)
        owed = sum(claim.statement.due_minor for claim in posted)
        self.enter(self.priya)
        with mock.patch("wainwright.journals.views.AT_ONCE", 1), mock.patch("wainwright.journals.paying.AT_ONCE", 1):
            first = self.client.get("/ledger/pay/")
            self.assertContains(first, "2 posted claims are owed")
            self.assertContains(first, f"{owed / 100:.2f} EUR in all")
            self.assertContains(first, "Owed, page 1 of 2")
            self.assertContains(first, "One run pays what is ticked on this page.")
            self.assertNotContains(first, posted[1].code)
            self.assertContains(self.client.get("/ledger/pay/?owed=2"), posted[1].code)
            self.assertContains(self.client.get("/ledger/pay/?owed=no"), posted[0].code)
            first = self.cleared_claim(costs=("32.00",))
            self.assertNotContains(self.client.get("/ledger/"), "To be posted, page")
            second = self.cleared_claim(who=self.aiko, costs=("33.00",))
            page = self.client.get("/ledger/")
            self.assertContains(page, "To be posted, page 1 of 2")
            self.assertNotContains(page, second.code)
            self.assertContains(self.client.get("/ledger/?open=2"), second.code)
            self.assertNotContains(self.client.get("/ledger/?open=2"), first.code)
