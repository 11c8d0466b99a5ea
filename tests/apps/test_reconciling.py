"""Reconciling: a statement is taken once, what it shows is told and carried on, a period is closed to the cent and opened again."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile

from demo.bank import camt
from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, PayRun, Posting
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.closing.selectors import movements
from wainwright.core.coding import Coding
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.reconciling.models import BankAccount, Line, Match
from wainwright.reconciling.selectors import agreed, lay, open_lines
from wainwright.reconciling.services import closing as periods
from wainwright.reconciling.services import matching, rules, taking
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode


class Reconciling(WorldTestCase):
    def setUp(self):
        super().setUp()
        firm = self.priya.firm
        self.account, _ = BankAccount.objects.get_or_create(
            firm=firm,
            number=firm.iban,
            defaults={"name": "Current account", "ledger_account": "1100", "currency": "EUR"},
        )
        self.account.firm = firm

    def take(self, content: bytes, name: str = "statement.xml"):
        with self.done():
            file = taking.take_statement(self.priya, self.account.pk, name, content)
        file.refresh_from_db()
        return file

    def paid(self, *amounts: str) -> list[Payment]:
        claims = [self.cleared_claim(costs=(amount,)) for amount in amounts]
        for claim in claims:
            with self.done():
                books.post(self.priya, claim.pk, claim.version)
        with self.done():
            run = books.pay(self.priya, [claim.pk for claim in claims], self.today)
        return list(run.payments.select_related("run").order_by("pk"))

    def statement(self, rows, opening: str = "1000.00", **more) -> bytes:
        closing = Decimal(opening) + sum((Decimal(row[1]) for row in rows), Decimal(0))
        return camt(self.priya.firm.iban, rows, opening, str(closing), **more)


class TakeTest(Reconciling):
    def test_the_same_twice_and_an_overlap_change_nothing(self):
        rows = [(self.today - timedelta(days=n), f"-{10 + n}.00", f"Shop {n}", "", "", f"K{n}") for n in range(3)]
        first = self.statement(rows)
        self.assertEqual((self.take(first).new, Line.objects.count()), (3, 3))
        with self.assertRaisesMessage(Refusal, "taken already"):
            taking.take_statement(self.priya, self.account.pk, "again.xml", first)
        more = [*rows[1:], (self.today, "-99.00", "Shop 9", "", "", "K9")]
        overlap = self.take(self.statement(more, number="S2"))
        self.assertEqual((overlap.state, overlap.new, overlap.known), ("taken", 1, 2))
        self.assertEqual(Line.objects.count(), 4)

    def test_sums_that_do_not_add_up_another_account_another_currency_and_nonsense(self):
        row = [(self.today, "-10.00", "Shop", "", "", "K1")]
        iban = self.priya.firm.iban
        for content, words in (
            (camt(iban, row, "100.00", "95.00"), "do not add up"),
            (camt("DE89370400440532013000", row, "100.00", "90.00"), "ends in 3000"),
            (camt(iban, row, "100.00", "90.00", currency="NOK"), "in NOK"),
            (b"no statement at all", "no table"),
            (b"date;text;amount\n2026-09-01;x", "could be read"),
        ):
            with self.subTest(words):
                file = self.take(content)
                self.assertEqual(file.state, "away")
                self.assertIn(words, file.problem)
        self.assertFalse(Line.objects.exists())
        # What could not be read may be sent again.
        self.assertEqual(self.take(self.statement(row)).state, "taken")

    def test_who_paid_is_the_name_where_money_came_in(self):
        firm = self.priya.firm
        content = self.statement([(self.today, "5.00", "Harbour Board", "Refund", "", "K1")]).replace(
            b"<Dbtr>", f"<Cdtr><Nm>{firm.name}</Nm></Cdtr><Dbtr>".encode()
        )
        self.take(content)
        self.assertEqual(Line.objects.get().name, "Harbour Board")

    def test_a_reading_that_broke_off_is_done_again_or_put_away(self):
        content = self.statement([(self.today, "-10.00", "Shop", "", "", "K1")])
        with mock.patch.object(taking, "read_file"):
            file = taking.take_statement(self.priya, self.account.pk, "s.xml", content)
        self.assertEqual(taking.read_again_what_broke_off(), 0)
        later = clock.now() + timedelta(minutes=5)
        with (
            mock.patch.object(clock, "now", return_value=later),
            mock.patch.object(taking, "_take", side_effect=RuntimeError("killed")),
        ):
            self.assertEqual(taking.read_again_what_broke_off(), 1)
            file.refresh_from_db()
            self.assertEqual(file.state, "reading")
            self.assertEqual(taking.read_again_what_broke_off(), 1)
        file.refresh_from_db()
        self.assertIn("tried twice", file.problem)
        self.assertEqual((file.state, Line.objects.count()), ("away", 0))
        # It can be sent again, and is read then.
        self.assertEqual(self.take(content).state, "taken")

    def test_a_table_of_the_bank_and_who_may(self):
        day = self.today.strftime("%d.%m.%Y")
        file = self.take(f"Date;Text;Amount\n{day};Fee;-4,50\n{day};Paid back;12,00\n".encode(), "bank.csv")
        self.assertEqual(file.state, "taken", file.problem)
        self.assertEqual(set(Line.objects.values_list("amount_minor", flat=True)), {-450, 1200})
        with self.assertRaises(NotAllowed):
            taking.take_statement(self.tobias, self.account.pk, "x", b"x")
        with self.assertRaises(BankAccount.DoesNotExist):
            taking.take_statement(self.liv, self.account.pk, "x", b"x")


class TellTest(Reconciling):
    @shows("A5.1", "A5.2")
    def test_payments_are_found_confirmed_in_a_heap_and_undone(self):
        payments = self.paid("20.00", "31.00", "42.00")
        rows = [
            (self.today, str(-p.amount.amount), p.member.person.name, "", p.end_to_end, f"K{p.pk}") for p in payments
        ]
        self.take(self.statement([*rows, (self.today, "-7.77", "Bank", "Fee", "", "K0")]))
        laid = lay(self.account)
        self.assertEqual((len(laid.sure), len(laid.likely), len(laid.loose)), (3, 0, 1))
        self.enter(self.priya)
        page = self.client.get(f"/ledger/bank/{self.account.pk}/")
        self.assertContains(page, "3 are sure")
        values = [f"{','.join(m.lines)}>{','.join(m.things)}" for m in laid.sure]
        page = self.client.post(f"/ledger/bank/{self.account.pk}/confirm/", {"match": values}, follow=True)
        self.assertContains(page, "3 confirmed")
        page = self.client.post(f"/ledger/bank/{self.account.pk}/confirm/", {"match": values}, follow=True)
        self.assertContains(page, "told already")
        self.assertEqual(open_lines(self.account).count(), 1)
        match = Match.objects.first()
        matching.undo(self.priya, match.pk)
        self.assertEqual(open_lines(self.account).count(), 2)
        self.assertEqual(len(lay(self.account).sure), 1)
        with self.assertRaises(Stale):
            matching.undo(self.priya, match.pk)

    @shows("A5.1")
    def test_a_run_that_was_debited_as_one_sum(self):
        payments = self.paid("20.00", "31.00")
        whole = sum(p.amount.amount for p in payments)
        self.take(self.statement([(self.today, str(-whole), "", f"COLLECTIVE {payments[0].run.message_id}", "", "K1")]))
        (match,) = lay(self.account).sure
        self.assertEqual(len(match.things), 2)
        done, left = matching.confirm(self.priya, self.account.pk, [(match.lines, match.things)])
        self.assertEqual((done, left), (1, []))
        self.assertEqual(agreed(self.account).left_count, 0)

    def test_what_does_not_come_to_the_same_is_refused(self):
        payments = self.paid("20.00", "31.00")
        self.take(self.statement([(self.today, str(-payments[0].amount.amount), "x", "", "", "K1")]))
        line = open_lines(self.account).get()
        done, left = matching.confirm(
            self.priya, self.account.pk, [([f"line:{line.pk}"], [f"payment:{payments[1].pk}"])]
        )
        self.assertEqual(done, 0)
        self.assertIn("Nothing was confirmed", left[0])
        for odd in (["line:9"], ["x"], [f"line:{line.pk}", "line:999999"]):
            done, _ = matching.confirm(self.priya, self.account.pk, [(odd, [f"payment:{payments[0].pk}"])])
            self.assertEqual(done, 0)

    def test_a_payment_nobody_answered_was_paid_as_the_statement_says(self):
        (payment,) = self.paid("20.00")
        Payment.objects.filter(pk=payment.pk).update(state="Under way")
        PayRun.objects.filter(pk=payment.run_id).update(state="Waiting")
        Posting.objects.filter(key=f"payment:{payment.end_to_end}").delete()
        claim = Claim.objects.get(pk=int(payment.subject.partition(":")[2]))
        Claim.objects.filter(pk=claim.pk).update(state="Posted")
        self.take(self.statement([(self.today, str(-payment.amount.amount), "x", "", payment.end_to_end, "K1")]))
        (match,) = lay(self.account).sure
        with self.done():
            matching.confirm(self.priya, self.account.pk, [(match.lines, match.things)])
        payment.refresh_from_db()
        self.assertEqual(payment.state, "Paid")
        self.assertIn("bank statement", payment.by_hand)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")


class RuleTest(Reconciling):
    def test_what_comes_again_is_posted_once_and_told(self):
        self.take(
            self.statement(
                [
                    (self.today, "-4.50", "Quay Bank", "Monthly fee", "", "K1"),
                    (self.today, "-3.00", "Other", "", "", "K2"),
                ]
            )
        )
        self.enter(self.priya)
        base = f"/ledger/bank/{self.account.pk}/"
        page = self.client.post(f"{base}rules/", {"words": "monthly fee", "ledger_account": "nowhere"})
        self.assertContains(page, "no account nowhere", status_code=422)
        account = LedgerCode.objects.filter(firm=self.priya.firm.slug, dimension="account", asks_for=[]).first().code
        page = self.client.post(f"{base}rules/", {"words": "Monthly  Fee", "ledger_account": account}, follow=True)
        self.assertContains(page, "1 line is posted by rule")
        posting = Posting.objects.get(key__startswith="bank-line:")
        self.assertEqual(
            {(row.account, row.debit_minor, row.credit_minor) for row in posting.lines.all()},
            {(account, 450, 0), ("1100", 0, 450)},
        )
        rules.apply_rules(self.priya, self.account.pk)
        self.assertEqual(Posting.objects.filter(key__startswith="bank-line:").count(), 1)
        # Undone, it is reversed in the ledger; told again, it is posted anew under a key of its own.
        matching.undo(self.priya, Match.objects.get().pk)
        rules.apply_rules(self.priya, self.account.pk)
        found = Posting.objects.filter(key__startswith="bank-line:", state="Entered").order_by("pk")
        base = posting.key
        self.assertEqual([row.key for row in found], [base, f"{base}:undo", f"{base}:2"])
        self.assertEqual(movements(self.priya.firm, account, self.today.replace(day=1)).closing, eur("4.50"))

    def test_a_refused_posting_leaves_the_line_open_and_says_why(self):
        self.take(self.statement([(self.today, "-4.50", "Quay Bank", "Monthly fee", "", "K1")]))
        closed = ClosedPeriod.objects.create(firm=self.priya.firm.slug, month=f"{self.today:%Y-%m}")
        account = LedgerCode.objects.filter(firm=self.priya.firm.slug, dimension="account", asks_for=[]).first().code
        rules.make_rule(self.priya, self.account.pk, "fee", account, Coding())
        done, left = rules.apply_rules(self.priya, self.account.pk)
        self.assertEqual((done, len(left)), (0, 1))
        self.assertIn("closed the month", left[0])
        closed.delete()
        self.assertEqual(rules.apply_rules(self.priya, self.account.pk)[0], 1)


class CloseTest(Reconciling):
    @shows("A5.3")
    def test_a_period_is_closed_to_the_cent_and_opened_again(self):
        payments = self.paid("20.00", "31.00")
        rows = [(self.today, str(-p.amount.amount), "x", "", p.end_to_end, f"K{p.pk}") for p in payments]
        self.take(self.statement([*rows, (self.today, "5.00", "Interest", "", "", "K0")]))
        laid = lay(self.account)
        matching.confirm(self.priya, self.account.pk, [(m.lines, m.things) for m in laid.sure])
        closing = eur(1000) - sum((p.amount for p in payments), eur(0)) + eur(5)
        with self.assertRaisesMessage(Refusal, "the bank says"):
            periods.close(self.priya, self.account.pk, self.today, closing + eur("0.01"), "x")
        with self.assertRaisesMessage(Refusal, "1 line is left"):
            periods.close(self.priya, self.account.pk, self.today, closing, "")
        made = periods.close(self.priya, self.account.pk, self.today, closing, "Interest: asked the bank")
        self.assertEqual((made.left_minor, len(made.left)), (500, 1))
        self.enter(self.priya)
        base = f"/ledger/bank/{self.account.pk}/closed/{made.pk}/"
        self.assertContains(self.client.get(base), "Interest: asked the bank")
        pdf = self.client.get(f"{base}pdf/")
        self.assertEqual((pdf["Content-Type"], pdf.content[:4]), ("application/pdf", b"%PDF"))
        # Nothing of a closed period comes in, and no match of it is undone; what was left can still be told.
        late = self.take(self.statement([(self.today - timedelta(days=2), "-1.00", "Late", "", "", "L1")], number="S2"))
        self.assertEqual((late.new, len(late.left)), (0, 1))
        with self.assertRaisesMessage(Refusal, "closed"):
            matching.undo(self.priya, Match.objects.first().pk)
        self.assertEqual(open_lines(self.account).count(), 1)
        next_day = self.today + timedelta(days=0)
        with self.assertRaisesMessage(Refusal, "closed to"):
            periods.close(self.priya, self.account.pk, next_day, closing, "x")
        self.client.post(f"{base}reopen/", {"why": "A line was wrong"})
        self.assertFalse(self.account.reconciliations.exists())
        self.assertEqual(agreed(self.account).closing, closing)

    def test_the_next_period_begins_where_the_last_ended(self):
        day = self.today - timedelta(days=3)
        self.take(self.statement([(day, "-10.00", "A", "", "", "K1")]))
        periods.close(self.priya, self.account.pk, day, eur(990), "Asked")
        self.take(self.statement([(self.today, "4.00", "B", "", "", "K2")], opening="990.00", number="S2"))
        found = agreed(self.account)
        self.assertEqual(
            (found.opening, found.came_in, found.went_out, found.closing), (eur(990), eur(4), eur(0), eur(994))
        )
        self.assertEqual((found.left_count, found.left), (2, eur(-6)))

    def test_hostile_input_gives_clear_answers(self):
        self.enter(self.priya)
        base = f"/ledger/bank/{self.account.pk}/"
        for path, data in (
            ("close/", {"until": "soon", "closing": "x"}), ("close/", {"until": "2026-09-01", "closing": "1e99"}), ("close/", {}),
            ("rules/", {"words": "", "ledger_account": ""}), ("rules/", {"words": "fee", "ledger_account": "1100", "coding": "nothing"}),
            ("take/", {}), ("take/", {"file": SimpleUploadedFile("x.xml", b"")}),
        ):  # fmt: skip
            with self.subTest(path, data=data):
                self.assertEqual(self.client.post(f"{base}{path}", data).status_code, 422)
        for path in ("confirm/", "rules/apply/", "matches/99/undo/"):
            self.assertIn(
                self.client.post(f"{base}{path}", {"match": ["a>b", ">", "line:1>payment:x"]}).status_code, (302, 409)
            )
        page = self.client.post(
            "/ledger/bank/", {"name": "Second", "number": "12", "kind": "bank", "ledger_account": "1100"}
        )
        self.assertContains(page, "last four digits", status_code=422)
        self.assertContains(page, 'value="Second"', status_code=422)
