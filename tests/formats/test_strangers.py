"""Files as strangers write them: every hand of a format is read to the same entries, and what cannot be is left out by name."""

from __future__ import annotations

import io
import itertools
import zipfile
from datetime import date
from decimal import Decimal
from unittest import TestCase

import numpy
import openpyxl
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from weasyprint import HTML

from tests.bench.tongues import TONGUES, draw_in, words_in
from tests.formats.samples import cii, mail
from wainwright.formats.camt import read_camt
from wainwright.formats.csv_statement import propose, read_csv, read_table, table_of
from wainwright.formats.invoice import is_xml, read_invoice
from wainwright.formats.mail import read_heads, read_mail
from wainwright.formats.mt940 import read_mt940
from wainwright.formats.ofx import read_ofx
from wainwright.formats.pictures import pages_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.qif import is_qif, read_qif
from wainwright.formats.receipt_text import lines_of, read_fields
from wainwright.formats.written import mark_of, read_day, read_number
from wainwright.standins.reader import Standin

TODAY = date(2026, 9, 16)
ENTRIES = [
    (date(2026, 5, 5), "-46.41", "HAVNEKROA"),
    (date(2026, 5, 13), "-1234.50", "LAMP QUAY & CO"),
    (date(2026, 5, 14), "12.00", "REFUND"),
]


def charged(statements) -> list[tuple[date, Decimal, str]]:
    return [(line.day, -line.amount.amount, line.merchant) for each in statements for line in each.lines]


WANTED = [(day, Decimal(amount), name) for day, amount, name in ENTRIES]


class OfxHandsTest(TestCase):
    heads = (
        "OFXHEADER:100\r\nDATA:OFXSGML\r\nVERSION:102\r\nENCODING:USASCII\r\nCHARSET:1252\r\n\r\n", "OFXHEADER : 100\r\n\r\n\r\nDATA : OFXSGML\r\n\r\n",
        "OFXHEADER:100 DATA:OFXSGML VERSION:103 ", "", '<?xml version="1.0" encoding="utf-8" ?>\n<?OFX OFXHEADER="200" VERSION="211"?>\n',
        '<?OFX OFXHEADER="200"?>', "\ufeff\n\n", "Your statement\n\nOFXHEADER:100\n\n",
    )  # fmt: skip

    def written(self, head: str, close: bool, small: bool, comma: bool, end: str) -> bytes:
        def leaf(name: str, value: str) -> str:
            return f"<{name}>{value}" + (f"</{name}>" if close else "") + end

        rows = ""
        for number, (day, amount, name) in enumerate(ENTRIES):
            amount = amount.replace(".", ",") if comma else amount
            rows += (
                f"<STMTTRN>{end}"
                + leaf("DTPOSTED", f"{day:%Y%m%d}120000[-5:EST]")
                + leaf("TRNAMT", amount)
                + leaf("FITID", str(number))
            )
            rows += leaf("NAME", name.replace("&", "&amp;")) + f"</STMTTRN>{end}"
        body = f"<OFX><BANKMSGSRSV1><STMTTRNRS><STMTRS>{leaf('CURDEF', 'EUR')}<BANKACCTFROM>{leaf('ACCTID', '00124410')}</BANKACCTFROM>"
        body += f"<BANKTRANLIST>{leaf('DTSTART', '20260501')}{rows}</BANKTRANLIST></STMTRS></STMTTRNRS></BANKMSGSRSV1></OFX>"
        if small:
            for name in ("OFX", "STMTTRN", "TRNAMT", "NAME", "STMTRS", "CURDEF", "DTPOSTED"):
                body = body.replace(f"{name}>", f"{name.lower()}>")
        return (head + body).encode("cp1252", "ignore")

    def test_every_hand_says_the_same(self):
        for head, close, small, comma, end in itertools.product(
            self.heads, (True, False), (True, False), (True, False), ("\r\n", "\n", "\r", "")
        ):
            with self.subTest(head=head, close=close, small=small, comma=comma, end=end):
                (statement,) = read_ofx(self.written(head, close, small, comma, end))
                self.assertEqual(charged([statement]), WANTED)
                self.assertEqual((statement.last_four, statement.currency, statement.left), ("4410", "EUR", ()))

    def test_one_that_breaks_off_says_where(self):
        content = self.written(self.heads[0], False, False, False, "\n")
        (statement,) = read_ofx(content[: content.index(b"REFUND")])
        self.assertEqual(charged([statement]), WANTED[:2])
        self.assertIn("breaks off", " ".join(each.why for each in statement.left))

        with self.assertRaisesRegex(Unreadable, "breaks off or is damaged"):
            read_ofx(content[: content.index(b"<STMTRS>")])
        with self.assertRaisesRegex(Unreadable, "holds no statement"):
            read_ofx(b"<OFX><SIGNONMSGSRSV1></SIGNONMSGSRSV1></OFX>")

    def test_very_many_entries_and_no_more(self):
        one = b"<STMTTRN><DTPOSTED>20260505<TRNAMT>-1.00<FITID>%d</STMTTRN>"
        rows = b"".join(one % n for n in range(50_000))
        self.assertEqual(len(read_ofx(b"<OFX><STMTRS>" + rows + b"</STMTRS></OFX>")[0].lines), 50_000)
        with self.assertRaisesRegex(Unreadable, "50,000 entries"):
            read_ofx(b"<OFX><STMTRS>" + rows + one % 50_000 + b"</STMTRS></OFX>")


class QifHandsTest(TestCase):
    def test_ends_lists_and_years(self):
        text = (
            "!Option:AutoSwitch\n!Account\nNCard 4410\nTCCard\n^\n!Type:Cat\nNFood\nE\n^ end\n!Type:CCard\nD5/ 5'26\nT-46.41\nPHAVNEKROA\n^ ---\n"
            "D05/13/2026\nT-1,234.50\nPLAMP QUAY & CO\n^x\nD5/14/26\nU12.00\nPREFUND\n"
        )
        self.assertTrue(is_qif(text.encode()))
        (statement,) = read_qif(text.encode())
        self.assertEqual((charged([statement]), statement.left), (WANTED, ()))
        old = read_qif(b"!Type:Bank\nD1/2/95\nT-1\nPA\n^\nD3/4'01\nT-2\nPB\n^\n")[0].lines
        self.assertEqual([line.day.year for line in old], [1995, 2001])


class TableHandsTest(TestCase):
    def read(self, content: bytes):
        table = table_of(content)
        return read_csv(table, propose(table.header, [row for _, row in table.rows]), "EUR")

    def test_amounts_days_and_directions(self):
        for header, rows in (
            ("Date,Description,Amount", [("05/05/2026", "HAVNEKROA", "-$46.41"), ("05/13/2026", "LAMP QUAY & CO", "\"-$1,234.50\""), ("05/14/2026", "REFUND", "$12.00")]),
            ("Date;Description;Amount", [("5 May 2026", "HAVNEKROA", "(46,41)"), ("13 May 2026", "LAMP QUAY & CO", "(1.234,50)"), ("14 May 2026", "REFUND", "12,00")]),
            ("Buchungstag;Mandatsreferenz;Empfänger;Betrag", [("05.05.2026", "x", "HAVNEKROA", "46,41- EUR"), ("13.05.2026", "y", "LAMP QUAY & CO", "1.234,50- EUR"), ("14.05.2026", "", "REFUND", "12,00 EUR")]),
            ("Datum|Naam|Bedrag|Af Bij", [("20260505", "HAVNEKROA", "46,41", "Af"), ("20260513", "LAMP QUAY & CO", "1234,50", "Af"), ("20260514", "REFUND", "12,00", "Bij")]),
            ("Dato\tTekst\tBeløp\tRetning", [("5. mai 2026", "HAVNEKROA", "46,41", "ut"), ("13. mai 2026", "LAMP QUAY & CO", "1 234,50", "ut"), ("14. mai 2026", "REFUND", "12,00", "inn")]),
            ("Fecha;Concepto;Importe;Tipo", [("05/05/2026", "HAVNEKROA", "46,41", "cargo"), ("13/05/2026", "LAMP QUAY & CO", "1.234,50", "cargo"), ("14/05/2026", "REFUND", "12,00", "abono")]),
            ("Data;Opis;Obciążenia;Uznania", [("2026-05-05", "HAVNEKROA", "46,41", ""), ("2026-05-13", "LAMP QUAY & CO", "1 234,50", ""), ("2026-05-14", "REFUND", "", "12,00")]),
        ):  # fmt: skip
            mark = next(m for m in ";|\t," if m in header)
            for end in ("\n", "\r\n", "\r"):
                with self.subTest(header=header, end=end):
                    text = end.join([header, *(mark.join(row) for row in rows)])
                    self.assertEqual(charged(self.read(text.encode())), WANTED)

    def test_letters_that_agree_make_no_date(self):
        self.assertEqual(propose(["Mandate", "Updated by", "Description", "Amount"]), {"merchant": 2, "amount": 3})

    def test_the_sign_can_be_turned(self):
        table = table_of(b"Date,Description,Amount\n2026-05-05,A,46.41\n2026-05-06,B,-2.00\n")
        mapping = propose(table.header)
        self.assertIs(read_table(table, mapping, "EUR")[1], False)
        for below, wanted in ((False, ["46.41", "-2.00"]), (True, ["-46.41", "2.00"])):
            self.assertEqual([str(line.amount) for line in read_csv(table, mapping, "EUR", below)[0].lines], wanted)

    def test_a_workbook_has_real_days_and_numbers(self):
        book, out = openpyxl.Workbook(), io.BytesIO()
        book.active.append(["Read me first"])
        sheet = book.create_sheet("Statement")
        sheet.append(["Card 4410"])
        sheet.append(["Date", "Description", "Amount"])
        for day, amount, name in ENTRIES:
            sheet.append([day, name, float(amount)])
        book.save(out)
        self.assertEqual(charged(self.read(out.getvalue())), WANTED)

    def test_an_open_document_as_well(self):
        def cell(value: object) -> str:
            if isinstance(value, date):
                return f'<table:table-cell office:value-type="date" office:date-value="{value}"><text:p>{value:%d.%m.%y}</text:p></table:table-cell>'
            if isinstance(value, float):
                return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value:.2f}</text:p></table:table-cell>'
            return f'<table:table-cell office:value-type="string"><text:p>{str(value).replace("&", "&amp;")}</text:p></table:table-cell>'

        rows = [("Date", "Description", "Amount"), *((day, name, float(amount)) for day, amount, name in ENTRIES)]
        body = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
        spaces = " ".join(
            f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
        )
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as packed:
            packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            packed.writestr(
                "META-INF/manifest.xml",
                '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
            )
            packed.writestr(
                "content.xml",
                f'<office:document-content {spaces}><office:body><office:spreadsheet><table:table table:name="S">{body}</table:table></office:spreadsheet></office:body></office:document-content>',
            )
        self.assertEqual(charged(self.read(out.getvalue())), WANTED)


class BankHandsTest(TestCase):
    def mt940(self, *entries: str) -> bytes:
        return "\n".join(
            [":20:S", ":25:IE29AIBK93115212344410", ":28C:1", ":60F:C260501EUR1,00", *entries, ":62F:C260531EUR1,00"]
        ).encode()

    def test_reversals_days_and_names(self):
        (statement,) = read_mt940(self.mt940(
            ":61:260505RC102,00NMSCNONREF", ":86:005?00KARTE?20EREF+1?32HAFEN KAFFEE?33GMBH", ":61:260506RD5,00NMSCNONREF",
            ":86:/TRTP/SEPA/NAME/Pier Taxi/REMI/ride", ":61:2602300230D9,00NMSCNONREF", ":86:NEVER", ":61:260507D7,00NMSCNONREF", ":86:BEA QUAY STORES",
        ))  # fmt: skip
        self.assertEqual(
            [(str(line.amount), line.merchant) for line in statement.lines],
            [("102.00", "HAFEN KAFFEE GMBH"), ("-5.00", "Pier Taxi"), ("7.00", "BEA QUAY STORES")],
        )
        self.assertEqual(len(statement.left), 1)

    def test_days_out_of_our_time_and_sums_beyond_any_are_left_out_by_name(self):
        entry = '<Ntry><Amt Ccy="EUR">{}</Amt><CdtDbtInd>DBIT</CdtDbtInd><BookgDt><Dt>{}</Dt></BookgDt></Ntry>'
        odd = [
            ("1.00", "0001-01-01"),
            ("1.00", "9999-12-31"),
            ("100000000000000000", "2026-05-05"),
            ("5.00", "2026-05-05"),
        ]
        camt = (
            "<Document xmlns='urn:camt.053'><BkToCstmrStmt><Stmt>"
            + "".join(entry.format(*row) for row in odd)
            + "</Stmt></BkToCstmrStmt></Document>"
        )
        ofx = (
            "<OFX><STMTRS>"
            + "".join(f"<STMTTRN><DTPOSTED>{day.replace('-', '')}<TRNAMT>-{amount}</STMTTRN>" for amount, day in odd)
            + "</STMTRS></OFX>"
        )
        qif = "!Type:Bank\n" + "".join(f"D{day}\nT-{amount}\nPA\n^\n" for amount, day in odd)
        table = "Date,Merchant,Amount\n" + "".join(f"{day},A,{amount}\n" for amount, day in odd)
        mapped = table_of(table.encode())
        for read in (
            read_camt(camt.encode()),
            read_ofx(ofx.encode()),
            read_qif(qif.encode()),
            read_csv(mapped, propose(mapped.header), "EUR"),
        ):
            self.assertEqual([(str(line.amount), len(read[0].left)) for line in read[0].lines], [("5.00", 3)])


class WrittenTest(TestCase):
    @given(
        st.decimals(0, 10**9, places=2),
        st.sampled_from(["{}", "-{}", "({})", "{}-", "{} DR", "-€{}", "€ -{}", "{} EUR", "EUR {}", "kr {}"]),
        st.sampled_from([(",", "."), (".", ","), (" ", ","), ("\u202f", ","), ("'", "."), ("", ".")]),
    )
    def test_whatever_is_written_is_read_back(self, value, frame, marks):
        written = frame.format(f"{value:,.2f}".translate({ord(","): marks[0], ord("."): marks[1]}))
        sign = -1 if frame not in ("{}", "{} EUR", "EUR {}", "kr {}") else 1
        self.assertEqual(read_number(written), value * sign)
        self.assertEqual(mark_of([written]), marks[1])

    @given(st.dates(date(1970, 1, 1), date(2099, 12, 31)))
    def test_days_in_words_of_many_languages(self, day):
        from babel.dates import format_date  # noqa: PLC0415 - for this test alone

        for language in TONGUES:
            self.assertEqual(read_day(format_date(day, "d MMMM yyyy", locale=language)), day, language)

    @settings(deadline=None)
    @given(st.text(max_size=90))
    def test_anything_is_read_or_refused(self, text):
        for read in (read_number, read_day):
            try:
                read(text)
            except ValueError as error:
                self.assertTrue(str(error))


class PapersOfStrangersTest(TestCase):
    def picture(self, image: Image.Image, kind: str = "PNG") -> numpy.ndarray:
        out = io.BytesIO()
        image.save(out, kind)
        return numpy.asarray(Image.open(io.BytesIO(pages_of(out.getvalue())[0].content)).convert("L"))

    def test_what_is_clear_is_white_and_sixteen_bits_are_eight(self):
        clear = Image.new("RGBA", (300, 200), (0, 0, 0, 0))
        for image in (clear, clear.convert("LA")):
            self.assertGreater(self.picture(image).min(), 250)
        ramp = Image.fromarray(numpy.linspace(0, 65535, 60_000).reshape(200, 300).astype(numpy.uint16))
        shades = self.picture(ramp)
        self.assertTrue(shades.min() < 20 and 110 < shades.mean() < 145 and shades.max() > 235)

    def test_letters_that_stand_apart_are_words_and_filled_forms_are_read(self):
        letters = "".join(
            f'<span style="position:absolute;left:{20 + 12 * n}px;top:20px">{c}</span>'
            for n, c in enumerate("PIER TAXI 148.40")
            if c != " "
        )
        for html, wanted in (
            ('<p style="letter-spacing:4px">Quay Stores TOTAL 84.50</p>', "Quay Stores TOTAL 84.50"), (letters, "PIER TAXI 148.40"),
            ('<form><input name="t" value="Total 148.40"></form>', "Total 148.40"),
        ):  # fmt: skip
            page = pages_of(HTML(string=html).write_pdf(pdf_forms=True))[0]
            self.assertEqual([" ".join(line.text.split()) for line in lines_of(page.words)], [wanted])

    def test_totals_and_days_in_every_language(self):
        said = []
        for language in TONGUES:
            for seed in range(40):
                words, truth = words_in(language, seed, TODAY)
                found = read_fields(words, TODAY)
                said += [
                    (language, seed, name)
                    for name in ("total", "date")
                    if name not in found or found[name].value != getattr(truth, name)
                ]
        self.assertLess(len(said), 0.01 * 2 * 40 * len(TONGUES), said)

    def test_a_quantity_beside_a_price_is_no_total(self):
        from tests.bench.tongues import words_of  # noqa: PLC0415 - for this test alone

        for rows, wanted in (
            ([("Rope", "278.61"), ("Total", "1 278.61")], "278.61"), ([("Rope", "1 278.61"), ("TOTAL", "1 278.61"), ("VAT 20%", "213.10")], "1278.61"),
            ([("Gauge, as agreed", ""), ("Total", "1 278.61")], None),
        ):  # fmt: skip
            found = read_fields(words_of(["QUAY STORES", *rows]), TODAY).get("total")
            self.assertEqual(found.value if found else None, wanted)

    def test_a_total_whose_words_or_thousands_were_lost_is_read_where_the_tax_proves_it_and_nowhere_else(self):
        from tests.bench.tongues import words_of  # noqa: PLC0415 - as above

        tax = ("Moms 25%", "1.747,67")
        for rows, wanted in (
            ([("Soup", "8.738,37"), ("alt", "8.738,37"), tax], "8738.37"), ([("Soup", "8.738,37"), ("alt", "8.738,37")], None),
            ([("Soup", "8.000,00"), ("Rope", "738,37"), ("Total", "738,37"), ("Visa", "8.738,37"), tax], "8738.37"), ([("Total", "738,37"), ("Visa", "738,37"), tax], None),
            ([("Soup", "8.738,37"), ("A betale", "8.738, 37"), tax], "8738.37"), ([("Soup", "8.738,37"), ("Total", "8 738 37"), ("Mons 25%", "1.747,67")], "8738.37"),
            # What several sums or several taxes prove is proved by none; what is paid beside a tip is no total.
            ([("x", "8.738,37"), ("y", "8.738,38"), tax], None), ([("x", "8.738,37"), tax, ("Moms 15%", "10,00")], None), ([("Total", "9.000,00"), ("Soup", "8.738,37"), tax], None),
        ):  # fmt: skip
            with self.subTest(rows):
                found = read_fields(words_of(["GULL BISTRO", *rows]), TODAY).get("total")
                self.assertEqual(found.value if found else None, wanted)

    def test_a_photo_in_another_language(self):
        drawn = draw_in("pl", 53, False, TODAY)
        found = read_fields(Standin().words(pages_of(drawn.content)[0], 0), TODAY)
        self.assertEqual((found["total"].value, found["date"].value), (drawn.truth.total, drawn.truth.date))

    def test_invoices_with_words_before_them_and_of_an_older_profile(self):
        new = cii().decode()
        self.assertTrue(is_xml(b"<!-- made by us --><rsm:CrossIndustryInvoice/>"))
        old = new.replace(
            "urn:un:unece:uncefact:data:standard:CrossIndustryInvoice:100", "urn:ferd:CrossIndustryDocument:invoice:1p0"
        )
        for now, then in (
            ("CrossIndustryInvoice", "CrossIndustryDocument"), ("ExchangedDocument>", "HeaderExchangedDocument>"), ("SupplyChainTradeTransaction", "SpecifiedSupplyChainTradeTransaction"),
            ("ApplicableHeaderTradeAgreement", "ApplicableSupplyChainTradeAgreement"), ("ApplicableHeaderTradeSettlement", "ApplicableSupplyChainTradeSettlement"),
            ("SpecifiedLineTradeSettlement", "SpecifiedSupplyChainTradeSettlement"), ("SpecifiedTradeSettlementHeaderMonetarySummation", "SpecifiedTradeSettlementMonetarySummation"),
            ("SpecifiedTradeSettlementLineMonetarySummation", "SpecifiedTradeSettlementMonetarySummation"), ("RateApplicablePercent", "ApplicablePercent"),
        ):  # fmt: skip
            old = old.replace(now, then)
        old = old.replace("urn:ferd:CrossIndustryDocument:invoice:1p0", "urn:ferd:CrossIndustryDocument:invoice:1p0")
        one, other = read_invoice(cii()), read_invoice(old.encode())
        self.assertEqual(
            (one.gross, one.supplier, one.taxes, one.lines), (other.gross, other.supplier, other.taxes, other.lines)
        )

    def test_mails_that_mean_harm_are_bounded(self):
        heads = (
            b"From: Shop <orders@elsewhere.example>\r\nTo: x@y.example\r\nDate: Mon, 99 Oct 99999 10:00 +99999999\r\n"
        )
        for content in (
            b"Subject: =?utf-8?q?" + b"=C3=A5" * 140_000 + b"?=\r\n" + heads + b"\r\nx", b"To: " + b"a@b.example," * 20_000 + b"\r\n" + heads + b"Subject: s\r\n\r\nx",
            b"X-A: b\r\n" * 100_000 + heads + b"\r\nx",
        ):  # fmt: skip
            self.assertEqual(read_heads(content)[0], "orders@elsewhere.example")
            self.assertIsNone(read_mail(content).day)
        parts = (
            heads
            + b"MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=q\r\n\r\n"
            + b"--q\r\nContent-Type: text/plain\r\n\r\nx\r\n" * 20_000
        )
        with self.assertRaisesRegex(Unreadable, "more than 100 pieces"):
            read_mail(parts)
        strange = mail().replace(b"From: ", b"From: \xff\xed\xa0\x80 ")
        read_heads(strange)[0].encode()
