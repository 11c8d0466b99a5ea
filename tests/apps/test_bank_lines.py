"""What lines of a statement carry on: bills of cards, money that comes back, tables of banks; undone, told again, killed midway."""

from __future__ import annotations

import io
from datetime import timedelta
from unittest import mock

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.apps.test_reconciling import Reconciling
from tests.apps.world import eur
from tests.coverage import shows
from wainwright.accounts.models import FirmAccounts, Payment, PayRun, Posting
from wainwright.claims.models import Claim
from wainwright.claims.services import advances
from wainwright.closing.selectors import movements
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.reconciling.models import BankAccount, Line, Match, StatementFile
from wainwright.reconciling.selectors import lay, open_lines
from wainwright.reconciling.services import matching, taking
from wainwright.standins.ledger.models import ClosedPeriod, LedgerEntry
from wainwright.trail.selectors import check_chain
from wainwright.trips.models import Trip


class Lines(Reconciling):
    def table(self, *rows) -> bytes:
        return "\n".join(";".join(map(str, row)) for row in rows).encode()

    def book(self, *sheets) -> bytes:
        book, out = openpyxl.Workbook(), io.BytesIO()
        book.remove(book.active)
        for name, rows in sheets:
            sheet = book.create_sheet(name)
            for row in rows:
                sheet.append(row)
        book.save(out)
        return out.getvalue()

    def confirm_all(self):
        laid = lay(self.account)
        with self.done():
            return matching.confirm(
                self.priya, self.account.pk, [(m.lines, m.things) for m in [*laid.sure, *laid.likely]]
            )

    def standing(self, account: str):
        return movements(self.priya.firm, account, self.today.replace(day=1) + timedelta(days=62)).opening


class TablesTest(Lines):
    @shows("A5.1")
    def test_a_workbook_is_read_by_its_sheet_its_dates_and_its_numbers(self):
        content = self.book(
            ("About", [["Tidewater Bank"], ["Printed", self.today]]),
            ("Lines", [["Account", "x"], [], ["Booking date", "Details", "Amount"], [self.today, "Quay Stationers", -12.5], [self.today, "Interest", 3]]),
        )  # fmt: skip
        file = self.take(content, "lines.xlsx")
        self.assertEqual((file.state, file.new), ("taken", 2), file.problem)
        self.assertEqual({row.amount for row in Line.objects.all()}, {eur("-12.50"), eur(3)})
        damaged = self.take(content[:200] + b"x" * 50, "broken.xlsx")
        self.assertEqual(damaged.state, "away")
        self.assertIn("damaged", damaged.problem)

    def test_a_header_that_says_too_little_is_asked_for_once(self):
        head = ("Når", "Hva", "Kroner og øre")
        file = self.take(
            self.table(
                head,
                (self.today.isoformat(), "Quay Stationers", "-12,50"),
                (self.today.isoformat(), "Interest", "3,00"),
            ),
            "a.csv",
        )
        self.assertEqual(file.state, "columns")
        self.enter(self.priya)
        base = f"/ledger/bank/{self.account.pk}/files/{file.pk}/"
        self.assertContains(self.client.get(f"/ledger/bank/{self.account.pk}/"), base)
        self.assertContains(self.client.get(base), "Kroner og øre")
        page = self.client.post(base, {"column-date": "0", "column-merchant": "1", "column-amount": "77"})
        self.assertContains(page, "Say which column holds", status_code=422)
        with self.done():
            self.client.post(base, {"column-date": "0", "column-merchant": "1", "column-amount": "2"})
        file.refresh_from_db()
        self.assertEqual((file.state, file.new), ("taken", 2))
        with self.assertRaises(Stale):
            taking.name_columns(self.priya, self.account.pk, file.pk, {"date": 0, "merchant": 1, "amount": 2})
        again = self.take(
            self.table(
                head, (self.today.isoformat(), "Quay Stationers", "-9,00"), (self.today.isoformat(), "x", "1,00")
            ),
            "b.csv",
        )
        self.assertEqual((again.state, again.new), ("taken", 2))

    def test_it_can_be_put_away_and_is_finances_alone(self):
        file = self.take(self.table(("A", "B", "C"), ("x", "y", "z"), ("x", "y", "z")), "a.csv")
        for act in (
            lambda: taking.name_columns(self.tobias, self.account.pk, file.pk, {"date": 0, "merchant": 1, "amount": 2}),
            lambda: taking.put_away(self.tobias, self.account.pk, file.pk),
        ):
            with self.assertRaises(NotAllowed):
                act()
        self.enter(self.priya)
        self.client.post(f"/ledger/bank/{self.account.pk}/files/{file.pk}/away/")
        file.refresh_from_db()
        self.assertEqual(file.state, "away")
        self.assertContains(
            self.client.get(f"/ledger/bank/{self.account.pk}/files/{file.pk}/"), "Nothing was taken of it"
        )

    def test_nothing_of_a_table_is_cut_in_silence(self):
        row = f"{self.today.isoformat()};Shop;-1,00"
        file = self.take("\n".join(["Date;Text;Amount", *[row] * 50_001]).encode(), "long.csv")
        self.assertEqual((file.state, Line.objects.count()), ("away", 0))
        self.assertIn("more than 50,000 rows", file.problem)

    def test_what_was_left_out_is_counted_and_reached(self):
        good, odd = f"{self.today.isoformat()};Shop;-1,00", "no day;Shop;-1,00"
        file = self.take("\n".join(["Date;Text;Amount", good, *[odd] * 450]).encode(), "odd.csv")
        self.assertEqual((file.state, file.new, len(file.left)), ("taken", 1, 450))
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/ledger/bank/{self.account.pk}/"), "All 450 of them")
        self.assertContains(
            self.client.get(f"/ledger/bank/{self.account.pk}/files/{file.pk}/?page=3"), "Left out, page 3 of 3"
        )

    def test_the_door_takes_a_workbook_and_refuses_what_is_empty(self):
        self.enter(self.priya)
        content = self.book(("S", [["Date", "Text", "Amount"], [self.today, "A", -1]]))
        with self.done():
            self.client.post(f"/ledger/bank/{self.account.pk}/take/", {"file": SimpleUploadedFile("s.xlsx", content)})
        self.assertEqual(StatementFile.objects.get().state, "taken")
        with self.done():
            self.client.post(
                f"/ledger/bank/{self.account.pk}/take/", {"file": SimpleUploadedFile("e.xlsx", self.book(("S", [])))}
            )
        self.assertIn("empty", StatementFile.objects.first().problem)


class BillTest(Lines):
    """The firm's card account is paid by direct debit: one line of the bank, one of the card, one journal."""

    def setUp(self):
        super().setUp()
        firm = self.priya.firm
        self.card, _ = BankAccount.objects.get_or_create(
            firm=firm, number="XXXX4410", defaults={"name": "Quayside card account", "kind": "card", "ledger_account": "2310", "currency": "EUR"}
        )  # fmt: skip
        self.card.firm = firm
        self.owed = FirmAccounts.objects.get(firm=firm).card_issuers

    def billed(self) -> None:
        from demo.bank import camt  # noqa: PLC0415 - beside what it is about

        rows = [
            (self.today - timedelta(days=6), "-80.00", "Pier taxi", "", "", "C1"),
            (self.today - timedelta(days=5), "-40.00", "Tejo", "", "", "C2"),
        ]
        with self.done():
            file = taking.take_statement(
                self.priya, self.card.pk, "card.xml", camt("XXXX4410", rows, "0.00", "-120.00", number="C")
            )
        file.refresh_from_db()
        self.assertEqual(file.state, "taken", file.problem)

    def debited(self) -> None:
        self.take(
            self.statement([(self.today, "-120.00", "Quayside Cards", "Quayside card account direct debit", "", "B1")])
        )

    def test_one_journal_and_the_cards_own_line_agrees(self):
        self.billed()
        self.debited()
        done, left = self.confirm_all()
        self.assertEqual((done, left), (1, []))
        self.assertEqual((self.standing(self.owed), self.standing("1100")), (eur(120), eur(-120)))
        with self.done():
            from demo.bank import camt  # noqa: PLC0415

            row = [(self.today, "120.00", "Payment received", "Thank you", "", "C3")]
            taking.take_statement(
                self.priya, self.card.pk, "c2.xml", camt("XXXX4410", row, "-120.00", "0.00", number="C2")
            )
        laid = lay(self.card)
        (match,) = [m for m in [*laid.sure, *laid.likely] if m.things[0].startswith("posting:")]
        matching.confirm(self.priya, self.card.pk, [(match.lines, match.things)])
        bank = Match.objects.get(account=self.account)
        with self.assertRaisesMessage(Refusal, "card's own statement shows it"):
            matching.undo(self.priya, bank.pk)
        matching.undo(self.priya, Match.objects.get(account=self.card).pk)
        matching.undo(self.priya, bank.pk)
        self.assertEqual((self.standing(self.owed), self.standing("1100")), (eur(0), eur(0)))
        self.assertEqual(self.confirm_all()[0], 1)
        self.assertEqual(self.standing(self.owed), eur(120))

    def test_what_the_ledger_refuses_is_not_told(self):
        self.billed()
        self.debited()
        shut = ClosedPeriod.objects.create(firm=self.priya.firm.slug, month=f"{self.today:%Y-%m}")
        done, left = self.confirm_all()
        self.assertEqual(done, 0)
        self.assertIn("closed the month", left[0])
        self.assertEqual(open_lines(self.account).count(), 1)
        shut.delete()
        self.assertEqual(self.confirm_all()[0], 1)
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="card-bill:").count(), 1)


class BackTest(Lines):
    def owed_back(self) -> Claim:
        claim = self.cleared_claim(costs=("20.00",))
        from wainwright.claims.services import books  # noqa: PLC0415 - beside what it is about

        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        claim.refresh_from_db()
        type(claim.statement).objects.filter(pk=claim.statement_id).update(due_minor=-30_00)
        return Claim.objects.get(pk=claim.pk)

    def test_an_advance_that_came_back_is_found_noted_and_told(self):
        trip = self.authorised_trip()
        Trip.objects.filter(pk=trip.pk).update(advance_minor=60_00, advance_paid=True)
        self.take(self.statement([(self.today, "60.00", "Maren Oyelaran", f"Advance {trip.code} back", "", "K1")]))
        self.assertEqual(self.confirm_all(), (1, []))
        trip.refresh_from_db()
        self.assertEqual((trip.advance_out, trip.advance_settled), (eur(0), True))
        self.assertEqual(Posting.objects.get(key__startswith="advance-back:").state, "Entered")

    def test_what_finance_noted_by_hand_is_found_on_the_statement_afterwards(self):
        trip = self.authorised_trip()
        Trip.objects.filter(pk=trip.pk).update(advance_minor=60_00, advance_paid=True)
        with self.done():
            advances.take_note_advance_back(self.priya, trip.pk, eur(60), self.today, "Seen online")
        self.take(self.statement([(self.today, "60.00", "Maren Oyelaran", trip.code, "", "K1")]))
        self.assertEqual(self.confirm_all(), (1, []))
        self.assertEqual(Posting.objects.filter(key__startswith="advance-back:").count(), 1)

    def test_told_of_the_wrong_line_it_is_undone_and_told_of_the_right_one(self):
        claim = self.owed_back()
        rows = [
            (self.today, "30.00", "Maren Oyelaran", claim.code, "", "K1"),
            (self.today, "30.00", "Somebody", "", "", "K2"),
        ]
        self.take(self.statement(rows))
        wrong, right = Line.objects.get(key="K2"), Line.objects.get(key="K1")
        with self.done():
            done, left = matching.confirm(self.priya, self.account.pk, [([f"line:{wrong.pk}"], [f"claim:{claim.pk}"])])
        self.assertEqual((done, left), (1, []))
        matching.undo(self.priya, Match.objects.get().pk)
        (match,) = lay(self.account).sure
        self.assertEqual(match.lines, (f"line:{right.pk}",))
        with self.done():
            matching.confirm(self.priya, self.account.pk, [(match.lines, match.things)])
        self.assertEqual(Posting.objects.filter(key__startswith="paid-back:").count(), 1)

    def test_a_run_that_was_never_answered_is_paid_as_the_statement_says_and_not_sent_again(self):
        (payment,) = self.paid("20.00")
        Payment.objects.filter(pk=payment.pk).update(state="Under way")
        PayRun.objects.filter(pk=payment.run_id).update(state="Sent")
        payment.run.answers.all().delete()
        Posting.objects.filter(key=f"payment:{payment.end_to_end}").delete()
        Claim.objects.filter(pk=int(payment.subject.partition(":")[2])).update(state="Posted")
        self.take(self.statement([(self.today, str(-payment.amount.amount), "x", "", payment.end_to_end, "K1")]))
        self.assertEqual(self.confirm_all(), (1, []))
        payment.refresh_from_db()
        self.assertEqual((payment.state, PayRun.objects.get(pk=payment.run_id).state), ("Paid", "Answered"))

    def test_nobody_says_of_their_own_payment_that_it_was_paid(self):
        (payment,) = self.paid("20.00")
        Payment.objects.filter(pk=payment.pk).update(state="Under way", member=self.priya)
        PayRun.objects.filter(pk=payment.run_id).update(state="Waiting")
        self.take(self.statement([(self.today, str(-payment.amount.amount), "x", "", payment.end_to_end, "K1")]))
        done, left = self.confirm_all()
        self.assertEqual(done, 0)
        self.assertIn("somebody else", left[0])


class KilledTest(Lines):
    """Killed at every point of telling a line: nothing lost, nothing double, the trail proves itself."""

    POINTS = (
        "wainwright.reconciling.services.matching.MatchedThing.objects.bulk_create",
        "wainwright.reconciling.services.matching.record",
        "wainwright.reconciling.services.matching._follow",
        "wainwright.claims.services.advances.record",
        "wainwright.claims.services.advances.tell",
    )

    def test_a_heap_goes_on_where_it_broke_off(self):
        trip = self.authorised_trip()
        Trip.objects.filter(pk=trip.pk).update(advance_minor=60_00, advance_paid=True)
        payments = self.paid("20.00")
        rows = [(self.today, str(-p.amount.amount), "x", "", p.end_to_end, f"K{p.pk}") for p in payments]
        self.take(self.statement([*rows, (self.today, "60.00", "Maren Oyelaran", f"Advance {trip.code}", "", "A")]))
        self.assertEqual(len(self.POINTS), 5)
        for point in self.POINTS:
            with (
                self.subTest(point),
                mock.patch(point, side_effect=RuntimeError("killed")),
                self.assertRaises(RuntimeError),
            ):
                self.confirm_all()
        self.confirm_all()
        self.assertEqual(open_lines(self.account).count(), 0)
        self.assertEqual(Posting.objects.filter(key__startswith="advance-back:").count(), 1)
        self.assertEqual(Match.objects.count(), 2)
        self.assertIsNone(check_chain())

    def test_between_the_ledger_and_the_line(self):
        from wainwright.core.coding import Coding  # noqa: PLC0415 - beside what it is about
        from wainwright.reconciling.services import rules  # noqa: PLC0415

        self.take(self.statement([(self.today, "-4.50", "Quay Bank", "Monthly fee", "", "K1")]))
        rules.make_rule(self.priya, self.account.pk, "fee", "6430", Coding.of({"cost_centre": "3120"}))
        for point in ("wainwright.accounts.services.record", "wainwright.reconciling.services.rules._told_by"):
            with (
                self.subTest(point),
                mock.patch(point, side_effect=RuntimeError("killed")),
                self.assertRaises(RuntimeError),
            ):
                rules.apply_rules(self.priya, self.account.pk)
        self.assertEqual(rules.apply_rules(self.priya, self.account.pk)[0], 1)
        match = Match.objects.get()
        for point in ("wainwright.accounts.services.record", "wainwright.reconciling.services.matching.record"):
            with (
                self.subTest(point),
                mock.patch(point, side_effect=RuntimeError("killed")),
                self.assertRaises(RuntimeError),
            ):
                matching.undo(self.priya, match.pk)
        matching.undo(self.priya, match.pk)
        entries = LedgerEntry.objects.filter(key__startswith="bank-line:").values_list("key", flat=True)
        self.assertEqual(len(entries), 2)
        self.assertEqual(self.standing("6430"), eur(0))
