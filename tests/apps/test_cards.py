"""Card files: looked at before they are taken, in every format, twice, overlapping, and what was pending."""

import contextlib
import io
from datetime import timedelta
from unittest import mock

import openpyxl

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from tests.formats.test_statements import CAMT
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import CardFile, Charge, ColumnMapping
from wainwright.expenses.services import charges, taking


class CardFilesTest(WorldTestCase):
    def camt(self, *rows, status="BOOK"):
        """A small camt file of maren's card: (key, days ago, merchant, amount)."""
        entries = "".join(
            f'<Ntry><Amt Ccy="EUR">{amount}</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts><Cd>{status}</Cd></Sts><BookgDt><Dt>{self.today - timedelta(days=ago)}</Dt></BookgDt>'
            f"<AcctSvcrRef>{key}</AcctSvcrRef><NtryDtls><TxDtls><RltdPties><Cdtr><Nm>{merchant}</Nm></Cdtr></RltdPties></TxDtls></NtryDtls></Ntry>"
            for key, ago, merchant, amount in rows
        )
        head = '<Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.02"><BkToCstmrStmt><Stmt><Acct><Id><Othr><Id>XXXX4410</Id></Othr></Id><Ccy>EUR</Ccy></Acct>'
        return f"{head}{entries}</Stmt></BkToCstmrStmt></Document>".encode()

    def shown(self, content, name="card.xml", member=None):
        return CardFile.objects.get(pk=self.looked(member or self.maren, name, content).pk)

    def test_nothing_is_taken_before_it_was_seen(self):
        file = self.shown(self.camt(("A1", 5, "Pier taxi", "19.60"), ("A2", 4, "Lab", "43.80")))
        self.assertEqual(
            (file.state, file.format, [r["what"] for r in file.rows], Charge.objects.count()),
            ("Shown", "camt", ["new", "new"], 0),
        )
        done = charges.take_file(self.maren, file.pk)
        self.assertEqual((done.taken, done.state, Charge.objects.count()), (2, "Taken", 2))
        with self.assertRaises(Stale):
            charges.take_file(self.maren, file.pk)

    @shows("R3.2")
    def test_an_overlapping_file_and_another_format_of_the_same(self):
        self.take_file(self.maren, "a.xml", self.camt(("A1", 5, "Pier taxi", "19.60")))
        again = self.shown(self.camt(("A1", 5, "Pier taxi", "19.60"), ("A2", 4, "Lab", "43.80")))
        self.assertEqual([r["what"] for r in again.rows], ["known", "new"])
        other = self.shown(
            f"!Type:CCard\nD{self.today - timedelta(days=5):%d/%m/%Y}\nT-19.60\nPPIER TAXI BERGEN\n^\n".encode(),
            "c.qif",
        )
        self.assertEqual(other.rows[0]["what"], "doubtful")
        self.assertEqual(charges.take_file(self.maren, other.pk).taken, 0)
        third = self.shown(
            f"!Type:CCard\nD{self.today - timedelta(days=5):%d/%m/%Y}\nT-19.60\nPPIER TAXI BERGEN\n^\n".encode(),
            "c.qif",
        )
        self.assertEqual(charges.take_file(self.maren, third.pk, [0]).taken, 1)

    def test_pending_becomes_booked_with_another_amount(self):
        self.take_file(self.maren, "a.xml", self.camt(("P1", 6, "Tejo Restaurant", "80.00"), status="PDNG"))
        charge = Charge.objects.get()
        self.assertTrue(charge.pending)
        taking.take(self.maren, None, charge.pk)
        file = self.shown(self.camt(("B9", 4, "TEJO RESTAURANT LISBOA", "88.00")))
        self.assertEqual((file.rows[0]["what"], file.rows[0]["why"]), ("booked", "was pending at 80.00"))
        charges.take_file(self.maren, file.pk)
        charge.refresh_from_db()
        self.assertEqual(
            (charge.pending, charge.amount_minor, charge.bank_id, Charge.objects.count()), (False, 88_00, "B9", 1)
        )

    @shows("R3.2")
    def test_a_table_is_mapped_once_and_known_again(self):
        text = f"Card statement\nDate;Shop;Sum;Card\n{self.today - timedelta(days=3)};Pier taxi;19,60;**** 4410\n;broken;x;4410\n"
        file = self.shown(text.encode(), "c.csv")
        self.assertEqual((file.state, file.header, file.rows), ("Columns", ["Date", "Shop", "Sum", "Card"], []))
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/tray/card-file/{file.pk}/"), "<td>Pier taxi</td>", html=True)
        with self.assertRaisesRegex(Refusal, "which column"):
            charges.name_columns(self.maren, file.pk, {"date": 0}, "")
        with self.done():
            charges.name_columns(self.maren, file.pk, {"date": 0, "merchant": 1, "amount": 2, "card": 3}, "")
        file.refresh_from_db()
        self.assertEqual((file.state, len(file.rows), len(file.left)), ("Shown", 1, 1))
        self.assertEqual(self.shown(text.encode(), "d.csv").state, "Shown")
        self.assertEqual(ColumnMapping.objects.count(), 1)

    def test_a_workbook_is_a_table_like_any_other(self):
        book, out = openpyxl.Workbook(), io.BytesIO()
        book.active.append(["Date", "Merchant", "Amount", "Card"])
        book.active.append([self.today - timedelta(days=3), "Pier taxi", 19.6, "4410"])
        book.save(out)
        file = self.shown(out.getvalue(), "c.xlsx")
        self.assertEqual((file.state, file.rows[0]["minor"], file.rows[0]["what"]), ("Shown", 19_60, "new"))

    def test_a_header_that_says_enough_is_shown_at_once_and_none_is_asked_about(self):
        line = f"{self.today - timedelta(days=3)};Pier taxi;19,60;4410\n"
        file = self.shown(f"Date;Merchant;Amount;Card\n{line}".encode(), "c.csv")
        self.assertEqual((file.state, file.mapping), ("Shown", {"date": 0, "merchant": 1, "amount": 2, "card": 3}))
        self.assertEqual(ColumnMapping.objects.count(), 0)
        charges.take_file(self.maren, file.pk)
        self.assertEqual((Charge.objects.count(), ColumnMapping.objects.count()), (1, 1))
        bare = self.shown((line * 2).encode(), "bare.csv")
        self.assertEqual((bare.state, bare.header[0]), ("Columns", "Column 1"))
        with self.done():
            charges.name_columns(self.maren, bare.pk, {"date": 0, "merchant": 1, "amount": 2, "card": 3}, "")
        bare.refresh_from_db()
        self.assertEqual((bare.state, len(bare.rows)), ("Shown", 2))

    def test_the_signs_of_a_table_are_turned_on_its_page_and_kept(self):
        day = self.today - timedelta(days=3)
        text = f"Date;Merchant;Amount\n{day};Refund;19,60\n{day};Refund;5,40\n{day};Pier taxi;-100,00\n"
        file = self.shown(text.encode(), "c.csv")
        self.enter(self.maren)
        path = f"/tray/card-file/{file.pk}/"
        page = self.client.get(path)
        self.assertContains(page, "above zero: 25.00 charged, 100.00 given back")
        self.assertContains(page, "below zero: 100.00 charged, 25.00 given back")
        columns = {"column-date": 0, "column-merchant": 1, "column-amount": 2, "card": "4410", "sign": "below"}
        with self.done():
            self.client.post(f"{path}columns/", columns)
        file.refresh_from_db()
        self.assertEqual([row["minor"] for row in file.rows], [-19_60, -5_40, 100_00])
        self.assertContains(self.client.get(path), "below zero: 100.00 charged, 25.00 given back")
        charges.take_file(self.maren, file.pk)
        again = self.shown(text.replace("5,40", "6,40").encode(), "d.csv")
        self.assertEqual([row["minor"] for row in again.rows], [-19_60, -6_40, 100_00])

    def test_a_file_that_fails_twice_says_so_and_is_never_left_at_reading(self):
        with mock.patch.object(charges, "_statements", side_effect=OverflowError("date value out of range")):
            file = charges.look_at(self.maren, "c.csv", b"Date;Merchant;Amount\n1;2;3\n")
            for _ in range(3):
                with contextlib.suppress(OverflowError):
                    charges.read_file.call_local(file.pk)
        file.refresh_from_db()
        self.assertEqual((file.state, file.tries), ("Put away", 2))
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/tray/card-file/{file.pk}/"), "It was tried twice")

    def test_what_stands_in_a_file_twice_is_taken_once(self):
        one = f"{self.today - timedelta(days=3)};Pier taxi;19,60;4410;R1\n"
        other = f"{self.today - timedelta(days=3)};Ferry;88,20;4410;R2\n{self.today - timedelta(days=4)};Kino;16,00;4410;R2\n"
        file = self.shown(f"Date;Merchant;Amount;Card;Reference\n{one * 2}{other}".encode(), "twice.csv")
        self.assertEqual([row["what"] for row in file.rows], ["new", "known", "new", "new"])
        self.assertEqual(file.rows[1]["why"], "it stands in the file twice")
        charges.take_file(self.maren, file.pk)
        self.assertEqual(Charge.objects.count(), 3)
        again = self.shown(f"Date;Merchant;Amount;Card;Reference\n{other}{one}".encode(), "again.csv")
        self.assertEqual({row["what"] for row in again.rows}, {"known"})

    def test_odd_days_are_asked_about(self):
        days = [self.today - timedelta(days=3), self.today + timedelta(days=20), self.today - timedelta(days=600)]
        text = "Date;Merchant;Amount;Card\n" + "".join(
            f"{day};Pier taxi {n};1{n},60;4410\n" for n, day in enumerate(days)
        )
        file = self.shown(text.encode(), "odd.csv")
        self.assertEqual([row["what"] for row in file.rows], ["new", "doubtful", "doubtful"])
        self.assertIn("still to come", file.rows[1]["why"])
        charges.take_file(self.maren, file.pk, [1])
        self.assertEqual(Charge.objects.count(), 2)

    def test_foreign_refunds_and_somebody_elses_cards(self):
        file = self.shown(CAMT.encode())
        self.assertEqual([r["original"] for r in file.rows if r["original"]], [[540_00, "NOK"]])
        self.assertIn(-12_50, [r["minor"] for r in file.rows])
        self.assertIn(["card 4428", "it is not one of your cards; nothing of it is taken"], file.left)
        with self.assertRaises(CardFile.DoesNotExist):
            charges.take_file(self.aiko, file.pk)
        charges.put_file_away(self.maren, file.pk)
        self.assertEqual(Charge.objects.count(), 0)

    def test_pages(self):
        file = self.shown(self.camt(*((f"K{n}", 5, f"Shop {n}", f"{n + 1}.00") for n in range(120))))
        self.enter(self.maren)
        page = self.client.get(f"/tray/card-file/{file.pk}/")
        self.assertContains(page, "Take the 120")
        with self.assertNumQueries(4):
            self.client.get(f"/tray/card-file/{file.pk}/?page=2")
        done = self.client.post(f"/tray/card-file/{file.pk}/take/", follow=True)
        self.assertContains(done, "120 taken")

    def test_ten_thousand_lines(self):
        file = self.shown(
            self.camt(*((f"K{n}", n % 28, f"Shop {n % 300}", f"{n % 900 + 1}.{n % 100:02d}") for n in range(10_000)))
        )
        self.assertEqual(charges.take_file(self.maren, file.pk).taken, 10_000)
