"""Card and bank files as banks write them: camt, MT940, QIF, CSV; damaged ones, and ones that mean harm."""

from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.builders import eur
from wainwright.core.money import Money
from wainwright.formats.camt import read_camt
from wainwright.formats.csv_statement import propose, read_csv, table_of
from wainwright.formats.mt940 import read_mt940
from wainwright.formats.problems import Unreadable
from wainwright.formats.qif import read_qif
from wainwright.formats.statements import format_of, read_statements
from wainwright.formats.written import month_first, read_day, read_number

CAMT = """<?xml version="1.0" encoding="UTF-8"?>
<Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.08"><BkToCstmrStmt><GrpHdr><MsgId>1</MsgId></GrpHdr><Stmt><Id>S1</Id>
<Acct><Id><IBAN>IE29AIBK93115212344410</IBAN></Id><Ccy>EUR</Ccy></Acct>
<Ntry><Amt Ccy="EUR">102.00</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts><BookgDt><Dt>2026-10-15</Dt></BookgDt><AcctSvcrRef>R1</AcctSvcrRef>
<NtryDtls><TxDtls><RltdPties><Cdtr><Pty><Nm>Kvalheim Marine</Nm></Pty></Cdtr></RltdPties></TxDtls></NtryDtls></Ntry>
<Ntry><Amt Ccy="EUR">12.50</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts>PDNG</Sts><BookgDt><DtTm>2026-10-16T10:00:00</DtTm></BookgDt><AddtlNtryInf>Refund Ferry</AddtlNtryInf></Ntry>
<Ntry><Amt Ccy="EUR">30.00</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts><BookgDt><Dt>2026-10-17</Dt></BookgDt><NtryDtls>
<TxDtls><Refs><TxId>T1</TxId></Refs><Amt Ccy="EUR">10.00</Amt><CardTx><Card><PlainCardData><PAN>XXXXXXXXXXXX4428</PAN></PlainCardData></Card></CardTx><RmtInf><Ustrd>Tram</Ustrd></RmtInf></TxDtls>
<TxDtls><Refs><TxId>T2</TxId></Refs><Amt Ccy="EUR">20.00</Amt><RmtInf><Ustrd>Taxi</Ustrd></RmtInf></TxDtls></NtryDtls></Ntry>
<Ntry><Amt Ccy="EUR">1.00</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts><BookgDt><Dt>2026-13-45</Dt></BookgDt></Ntry>
<Ntry><Amt Ccy="EUR">46.41</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts><BookgDt><Dt>2026-10-18</Dt></BookgDt><NtryDtls><TxDtls><Refs><TxId>T3</TxId></Refs>
<AmtDtls><InstdAmt><Amt Ccy="NOK">540.00</Amt></InstdAmt></AmtDtls><RmtInf><Ustrd>Havnekroa</Ustrd></RmtInf></TxDtls></NtryDtls></Ntry>
</Stmt></BkToCstmrStmt></Document>"""

MT940 = """{1:F01BANKIE2DXXXX}{4:
:20:STMT1
:25:IE29AIBK93115212344410
:28C:1/1
:60F:C261001EUR1000,00
:61:2610151015D102,00NMSCREF1//B1
:86:KVALHEIM MARINE AS BERGEN
:61:2610161016C12,50NMSCNONREF
:86:REFUND FERRY
:61:2610XX1016D5,00NMSCNONREF
:86:BROKEN ONE
:61:2610171017D19,60NMSCNONREF
:86:PIER TAXI
:62F:C261031EUR900,00
-}
"""

QIF = "!Type:CCard\nD15/10/2026\nT-102.00\nPKvalheim Marine\nMDiesel\n^\nD16/10'26\nT12.50\nPRefund\n^\nDnonsense\nT-1\nPBad\n^\nD17.10.2026\nT-1,234.56\nPHotel\n^\n"


class CamtTest(TestCase):
    def test_debits_credits_details_pending_and_foreign(self):
        first, second = read_camt(CAMT.encode())
        self.assertEqual((first.last_four, second.last_four), ("4410", "4428"))
        self.assertEqual(
            [(line.merchant, str(line.amount), line.pending) for line in first.lines],
            [
                ("Kvalheim Marine", "102.00", False),
                ("Refund Ferry", "-12.50", True),
                ("Taxi", "20.00", False),
                ("Havnekroa", "46.41", False),
            ],
        )
        self.assertEqual((first.lines[0].bank_id, first.lines[0].day), ("R1", date(2026, 10, 15)))
        self.assertEqual(first.lines[3].original, Money.of("540.00", "NOK"))
        self.assertEqual([(line.merchant, str(line.amount)) for line in second.lines], [("Tram", "10.00")])
        self.assertEqual(len(first.left), 1)
        self.assertIn("entry 4, line", first.left[0].where)
        self.assertIn("2026-13-45", first.left[0].why)

    def test_harm_is_refused(self):
        bomb = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><Document>camt.053 &b;</Document>'
        deep = b"<Document xmlns='camt.053'>" + b"<a>" * 5000 + b"</a>" * 5000 + b"</Document>"
        for content in (bomb, deep, CAMT.encode()[:900], b"<Document>camt.053</Document>"):
            with self.subTest(content=content[:40]), self.assertRaises(Unreadable):
                read_camt(content)


class Mt940Test(TestCase):
    def test_a_broken_entry_does_not_lose_the_good_ones(self):
        (statement,) = read_mt940(MT940.encode())
        self.assertEqual((statement.last_four, statement.currency), ("4410", "EUR"))
        self.assertEqual([str(line.amount) for line in statement.lines], ["102.00", "-12.50", "19.60"])
        self.assertIn("KVALHEIM", statement.lines[0].merchant.upper())
        self.assertEqual([left.where.split(",")[1].strip() for left in statement.left], ["entry 3"])

    def test_what_is_none_says_so(self):
        for content in (b"", b":20:x", b"nothing at all"):
            with self.subTest(content):
                try:
                    read_mt940(content)
                except Unreadable as error:
                    self.assertIn("MT940", str(error))


class QifTest(TestCase):
    def test_entries_dates_and_amounts(self):
        (statement,) = read_qif(QIF.encode())
        self.assertEqual([(line.day, str(line.amount)) for line in statement.lines],
                         [(date(2026, 10, 15), "102.00"), (date(2026, 10, 16), "-12.50"), (date(2026, 10, 17), "1,234.56")])  # fmt: skip
        self.assertEqual([left.where for left in statement.left], ["line 11, Bad"])
        american = read_qif(b"!Type:CCard\nD10/25/2026\nT-1.00\nPA\n^\nD10/05/2026\nT-2.00\nPB\n^\n")[0]
        self.assertEqual([line.day for line in american.lines], [date(2026, 10, 25), date(2026, 10, 5)])

    def test_two_alike_on_one_day_are_two(self):
        lines = read_qif(b"!Type:CCard\nD15/10/2026\nT-3.50\nPCoffee\n^\nD15/10/2026\nT-3.50\nPCoffee\n^\n")[0].lines
        self.assertEqual(len({line.bank_id for line in lines}), 2)


class CsvTest(TestCase):
    def read(self, text: str, encoding="utf-8", **more):
        table = table_of(text.encode(encoding))
        return read_csv(table, propose(table.header), "EUR", **more)

    def test_headers_of_many_banks_are_understood(self):
        for header, wanted in [
            ("Date,Description,Amount", {"date": 0, "merchant": 1, "amount": 2}),
            ("Dato;Tekst;Ut av konto;Inn på konto;Valuta", {"date": 0, "merchant": 1, "debit": 2, "credit": 3, "currency": 4}),
            ("Buchungstag;Empfänger;Betrag;Währung", {"date": 0, "merchant": 1, "amount": 2, "currency": 3}),
            ("Transaction ID|Transaction date|Merchant|Amount|Card number", {"key": 0, "date": 1, "merchant": 2, "amount": 3, "card": 4}),
        ]:  # fmt: skip
            with self.subTest(header):
                mark = next(m for m in ";|," if m in header)
                self.assertEqual(propose(header.split(mark)), wanted)

    def test_messy_files(self):
        norse = "Kontoutskrift 4410\n\nDato;Tekst;Ut av konto;Inn på konto\n15.10.2026;Kvalheim Marine;1.102,00;\n16.10.2026;Refusjon;;12,50\n;tom;1,00;\n"
        (statement,) = self.read(norse, "cp1252")
        self.assertEqual([str(line.amount) for line in statement.lines], ["1,102.00", "-12.50"])
        self.assertEqual(statement.left[0].where, "line 6")
        (signed,) = self.read(
            "Date,Description,Amount\n2026-10-15,Ferry,-88.20\n2026-10-16,Taxi,-19.60\n2026-10-17,Refund,5.00\n"
        )
        self.assertEqual([str(line.amount) for line in signed.lines], ["88.20", "19.60", "-5.00"])
        two = self.read("Date,Merchant,Amount,Card\n2026-10-15,A,1.00,****4410\n2026-10-15,B,2.00,****4428\n")
        self.assertEqual([s.last_four for s in two], ["4410", "4428"])
        (foreign,) = self.read(
            "Date,Merchant,Amount,Original amount,Original currency\n2026-10-15,Havnekroa,46.41,540.00,NOK\n"
        )
        self.assertEqual(foreign.lines[0].original, Money.of("540.00", "NOK"))
        (minus,) = self.read(
            "Date,Merchant,Amount,Original amount,Original currency\n2026-10-15,Havnekroa,-46.41,540.00,NOK\n2026-10-16,Taxi,-9.00,-104.70,NOK\n2026-10-17,Refund,5.00,58.17,NOK\n"
        )
        self.assertEqual([str(line.original) for line in minus.lines], ["540.00", "104.70", "-58.17"])

    def test_what_is_no_table_says_so(self):
        for text, words in [
            ("", "empty"),
            ("just words\nand more", "no table"),
            ("a,b\n1,2", "there are fewer"),
            (";;;\n;;;", "empty"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(Unreadable, words):
                table_of(text.encode())
        with self.assertRaisesRegex(Unreadable, "which column"):
            read_csv(table_of(b"Date,Amount\n2026-10-15,1.00\n"), {"date": 0}, "EUR")


class NumbersTest(TestCase):
    def test_amounts_in_all_dialects(self):
        for raw, value in [
            ("1.234,56", "1234.56"), ("1,234.56", "1234.56"), ("1 234,56", "1234.56"), ("12,50-", "-12.50"), ("(12.50)", "-12.50"), ("12.50 DR", "-12.50"),
            ("12.50 CR", "12.50"), ("−3,00", "-3.00"), ("€ 5", "5"), ("1'234.50", "1234.50"),
        ]:  # fmt: skip
            with self.subTest(raw):
                self.assertEqual(read_number(raw), Decimal(value))
        for raw in ("", "abc", "1e999", "NaN", "--"):
            with self.subTest(raw), self.assertRaises(ValueError):
                read_number(raw)

    def test_dates(self):
        self.assertEqual(
            {read_day(raw) for raw in ("2026-10-12", "20261012", "12.10.2026", "12/10/26")}, {date(2026, 10, 12)}
        )
        self.assertEqual(read_day("10/12/2026", True), date(2026, 10, 12))
        self.assertTrue(month_first(["10/25/2026", "10/05/2026"]))
        self.assertFalse(month_first(["25/10/2026", "10/25/2026"]))


class FuzzTest(TestCase):
    """No reader crashes, hangs or makes things up, whatever it is given."""

    @settings(max_examples=120, deadline=None)
    @given(
        st.sampled_from([CAMT, MT940, QIF, "Date,Merchant,Amount\n2026-10-15,A,1.00\n"]),
        st.integers(0, 3000),
        st.integers(0, 60),
        st.binary(max_size=30),
    )
    def test_damage(self, text, at, cut, junk):
        content = text.encode()
        damaged = content[:at] + junk + content[at + cut :]
        try:
            if format_of(damaged) == "CSV":
                table = table_of(damaged)
                statements = read_csv(table, propose(table.header), "EUR")
            else:
                statements = read_statements(damaged, "EUR")
        except Unreadable as error:
            self.assertGreater(len(str(error)), 8)
            return
        for statement in statements:
            for line in statement.lines:
                self.assertTrue(line.bank_id)
                self.assertIsInstance(line.amount, Money)
            self.assertEqual(len({line.bank_id for line in statement.lines if line.bank_id.startswith("own-")}),
                             sum(line.bank_id.startswith("own-") for line in statement.lines))  # fmt: skip

    @settings(max_examples=80, deadline=None)
    @given(st.binary(max_size=400))
    def test_anything(self, content):
        try:
            if format_of(content) == "CSV":
                table_of(content)
            else:
                read_statements(content, "EUR")
        except Unreadable:
            pass

    def test_each_is_told_by_its_content(self):
        for text, name in (
            (CAMT, "camt"),
            (MT940, "MT940"),
            (QIF, "QIF"),
            ("OFXHEADER:100", "OFX"),
            ("Date,Amount", "CSV"),
        ):
            with self.subTest(name):
                self.assertEqual(format_of(text.encode()), name)
        self.assertEqual(eur("1.00").minor, 100)
