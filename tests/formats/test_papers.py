"""Invoices as data, mails, pastes and binders: what they say, what does not add up, and whatever else is sent in their place."""

import io
from unittest import mock

import facturx
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pypdf import PdfReader

from tests.formats.samples import DAY, cii, flight_page, mail, ubl
from wainwright.formats import binder
from wainwright.formats.binder import Bound, bind
from wainwright.formats.document import document
from wainwright.formats.invoice import inside_pdf, is_xml, read_invoice
from wainwright.formats.mail import is_mail, read_mail
from wainwright.formats.pasted import count_pasted, read_pasted
from wainwright.formats.pictures import pages_of
from wainwright.formats.problems import Unreadable
from wainwright.formats.sheets import invoice_sheet, mail_sheet, sheet

BOMB = "<!DOCTYPE a [<!ENTITY b 'bbbbbbbbbb'><!ENTITY c '&b;&b;&b;&b;&b;&b;&b;&b;'><!ENTITY d '&c;&c;&c;&c;&c;&c;&c;&c;'>]>"
COLUMNS = {
    "date": ("date", "day"),
    "merchant": ("merchant", "paid to"),
    "category": ("category",),
    "amount": ("amount", "total"),
}


class InvoiceTest(SimpleTestCase):
    def test_a_ubl_invoice(self):
        found = read_invoice(ubl())
        self.assertEqual(
            (found.standard, found.number, found.day, found.supplier, found.supplier_tax_id, found.currency),
            ("UBL", "R-2026-118", DAY, "Harbour Chandler Ltd", "IE1234567T", "EUR"),
        )
        self.assertEqual([str(x) for x in (found.net, found.tax, found.gross)], ["120.00", "23.80", "143.80"])
        self.assertEqual([(str(t.percent), str(t.tax)) for t in found.taxes], [("23", "18.40"), ("13.5", "5.40")])
        self.assertEqual(
            [(line.text, str(line.net)) for line in found.lines], [("Bollards, hire", "80.00"), ("Charts", "40.00")]
        )
        self.assertEqual([(a.name, a.content) for a in found.attached], [("slip.txt", b"hello")])
        self.assertEqual(found.problems, ())

    def test_a_credit_note_takes_back(self):
        self.assertEqual(str(read_invoice(ubl(credit=True)).gross), "-143.80")
        self.assertEqual(str(read_invoice(cii(kind="381")).gross), "-123.00")

    def test_a_cii_invoice_alone_and_inside_a_pdf(self):
        found = read_invoice(cii())
        self.assertEqual(
            (found.standard, found.supplier, found.buyer_reference, str(found.gross)),
            ("CII", "Skerry Boats", "P-0417", "123.00"),
        )
        pdf = sheet("Skerry Boats", [("Total EUR", "123.00")])
        meta = {"author": "x", "keywords": "x", "title": "x", "subject": "x"}
        whole = facturx.generate_from_binary(
            pdf, cii(), flavor="factur-x", level="en16931", check_xsd=False, pdf_metadata=meta
        )
        self.assertEqual(read_invoice(inside_pdf(whole)).number, "C-77")
        self.assertIsNone(inside_pdf(pdf))
        self.assertIsNone(inside_pdf(b"%PDF-1.7 and nothing"))

    def test_sums_that_do_not_add_up_are_said(self):
        wrong = read_invoice(ubl(gross="150.00"))
        self.assertIn("net 120.00 and tax 23.80 do not come to 150.00", wrong.problems)
        rate = read_invoice(ubl(taxes=[("23", "80.00", "28.40"), ("13.5", "40.00", "5.40")]))
        self.assertIn("23 % of 80.00 is 18.40, the invoice says 28.40", rate.problems)

    def test_what_is_no_invoice_says_so(self):
        deep = b"<a>" * 5000
        for content, word in [
            (b"<?xml version='1.0'?><note/>", "note"), (b"<?xml version='1.0'?><Invoice", "line 1"), (ubl(head=BOMB), "definitions"),
            (ubl().replace(b"<cbc:ID>R-2026-118</cbc:ID>", b""), "no number"), (ubl().replace(b"EUR", b"ZZZ"), "known currency"),
            (ubl().replace(b"2026-11-10", b"tomorrow"), "no date"), (b"<?xml version='1.0'?>" + deep, "damaged"), (b"x" * 6_000_000, "5 MB"),
            (cii().replace(b"<ram:GrandTotalAmount>123.00</ram:GrandTotalAmount>", b""), "no total"),
        ]:  # fmt: skip
            with self.subTest(word):
                with self.assertRaises(Unreadable) as caught:
                    read_invoice(content)
                self.assertIn(word, str(caught.exception))

    @settings(max_examples=60, deadline=None)
    @given(st.sampled_from([ubl(), cii()]), st.integers(0, 4000), st.integers(0, 60), st.binary(max_size=20))
    def test_damage_never_breaks_out(self, content, start, length, put):
        broken = content[: start % len(content)] + put + content[start % len(content) + length :]
        try:
            found = read_invoice(broken)
        except Unreadable as error:
            self.assertGreater(len(str(error)), 10)
        else:
            self.assertTrue(found.number and found.supplier)


class MailTest(SimpleTestCase):
    def test_a_mail_with_papers_and_its_words(self):
        letter = read_mail(
            mail(files=[("bill.pdf", "application/pdf", b"%PDF-1.7"), ("logo.png", "image/png", b"x" * 200)])
        )
        self.assertEqual(
            (letter.sender, letter.subject, letter.day), ("maren.oyelaran@brackwater.example", "Fwd: your receipt", DAY)
        )
        self.assertEqual([a.name for a in letter.attached], ["bill.pdf"])
        self.assertIn("Total EUR 18.40", letter.text)

    def test_bookings_as_data(self):
        letter = read_mail(mail(text="", page=flight_page()))
        flight, room = letter.bookings
        self.assertEqual(
            (flight.mode, flight.name, flight.origin, flight.target, str(flight.price)),
            ("air", "Skerry Air ZK 118", "ORK", "BGO", "212.40"),
        )
        self.assertEqual((f"{flight.leaves:%d %H:%M}", f"{flight.arrives:%d %H:%M}"), ("10 08:10", "10 12:25"))
        self.assertEqual(
            (room.mode, room.name, room.target, (room.arrives.date() - room.leaves.date()).days),
            ("stay", "Lamp Quay Hotel", "Bergen", 2),
        )
        self.assertIn("Total", letter.text)
        self.assertNotIn("alert", letter.text)

    def test_strange_data_is_passed_over(self):
        for data in ("[", "[1]", '{"@type": "FlightReservation"}', '{"@graph": 7}', "[" * 3000, '{"@type":"LodgingReservation","checkinTime":"x"}',
                     '{"@type":"LodgingReservation","checkinTime":"2026-11-12","checkoutTime":"2026-11-10","reservationFor":[]}'):  # fmt: skip
            with self.subTest(data[:30]):
                page = f'<script type="application/ld+json">{data}</script>'
                self.assertEqual(read_mail(mail(text="", page=page)).bookings, ())

    def test_what_is_a_mail_is_told_by_its_heads(self):
        self.assertTrue(is_mail(mail()))
        for content in (b"", b"\xff\xd8\xff", b"%PDF-1.7", ubl(), b"Subject: only\n\nx", b"a,b\n1,2\n"):
            self.assertFalse(is_mail(content))
        self.assertTrue(is_xml(ubl()) and not is_xml(mail()))

    @settings(max_examples=80, deadline=None)
    @given(st.binary(max_size=3000), st.integers(0, 900), st.binary(max_size=30))
    def test_damage_never_breaks_out(self, tail, start, put):
        content = mail(text="", page=flight_page())
        for broken in (content[:start] + put + content[start:], mail()[:300] + tail):
            try:
                letter = read_mail(broken)
            except Unreadable as error:
                self.assertIn("damaged", str(error))
            else:
                self.assertLessEqual(len(letter.text), 20_000)

    def test_mails_and_invoices_can_be_looked_at(self):
        pages = pages_of(mail_sheet(read_mail(mail(text="<b>Harbour</b> Taxi\nTotal EUR 18.40"))))
        self.assertIn("<b>Harbour</b>", " ".join(w.text for w in pages[0].words))
        words = " ".join(w.text for w in pages_of(invoice_sheet(read_invoice(ubl())))[0].words)
        self.assertIn("143.80", words)


class PastedTest(SimpleTestCase):
    def test_with_a_header_in_any_order(self):
        text = "Total\tDay\tPaid to\n18,40\t10.11.2026\tPier taxi\n\n9.00\t11.11.2026\tLab\n"
        self.assertEqual(
            read_pasted(text, COLUMNS),
            [
                {"amount": "18,40", "date": "2026-11-10", "merchant": "Pier taxi"},
                {"amount": "9.00", "date": "2026-11-11", "merchant": "Lab"},
            ],
        )

    def test_without_one_in_the_grids_order(self):
        rows = read_pasted("11/13/2026\tPier taxi\tTaxi\t18.40\n11/04/2026\tLab\tField supplies\t9", COLUMNS)
        self.assertEqual([row["date"] for row in rows], ["2026-11-13", "2026-11-04"])
        self.assertEqual(rows[1]["category"], "Field supplies")

    def test_what_is_no_date_stays_to_be_mended(self):
        self.assertEqual(read_pasted("yesterday\tPier taxi", COLUMNS)[0]["date"], "yesterday")
        self.assertEqual(read_pasted(" \n\t\n", COLUMNS), [])
        self.assertEqual(len(read_pasted("2026-01-01\tx\n" * 500, COLUMNS)), 60)

    def test_all_rows_are_counted_the_header_left_out(self):
        row = "10.11.2026\tPier taxi\tTaxi\t9\n"
        for text, rows in (
            ("", 0),
            (row * 75, 75),
            ("Day\tPaid to\n" + row * 61, 61),
            ("Day\tPaid to\n", 0),
            (f"\n\n{row}\n", 1),
        ):
            with self.subTest(text[:20]):
                self.assertEqual(count_pasted(text, COLUMNS), rows)

    @settings(max_examples=80, deadline=None)
    @given(st.text(max_size=400))
    def test_anything_can_be_pasted(self, text):
        for row in read_pasted(text, COLUMNS):
            self.assertLessEqual(set(row), set(COLUMNS))


class BinderTest(SimpleTestCase):
    def page(self):
        out = io.BytesIO()
        Image.new("RGB", (300, 400), "white").save(out, "JPEG")
        return out.getvalue()

    def test_contents_then_pages(self):
        pdf = PdfReader(
            io.BytesIO(
                bind(
                    "Papers of C-0001",
                    [
                        Bound("Taxi", "10.11.2026, 18.40", (self.page(),)),
                        Bound("Hotel", "258.00", (self.page(),) * 2),
                        Bound("Lost", "9.00", ()),
                    ],
                )
            )
        )
        self.assertEqual(len(pdf.pages), 4)
        text = pdf.pages[0].extract_text()
        self.assertIn("page 2", text)
        self.assertIn("page 3", text)
        self.assertIn("no page", text)
        self.assertEqual([each.title for each in pdf.outline], ["Taxi", "Hotel"])

    def test_long_contents_move_the_numbers(self):
        pdf = PdfReader(io.BytesIO(bind("Papers", [Bound(f"Paper {n}", "1.00", (self.page(),)) for n in range(60)])))
        contents = pdf.get_destination_page_number(pdf.outline[0])
        self.assertIn(f"page {contents + 1}", pdf.pages[0].extract_text())
        self.assertGreater(contents, 1)

    def test_what_is_left_out_is_said_in_long_contents_too(self):
        papers = [Bound(f"Paper {n}", "1.00", (self.page(),)) for n in range(60)]
        front = sheet("A claim", ["Line"])
        with mock.patch.object(binder, "MOST_PAGES", 50):
            made = (
                bind("Papers", papers),
                document(front, "Evidence", [(f"C-1 · line {n}", p) for n, p in enumerate(papers)]),
            )
        for before, content in enumerate(made):
            pdf = PdfReader(io.BytesIO(content))
            listed = len(pdf.pages) - 50 - before
            text = "".join(page.extract_text() for page in pdf.pages[before : before + listed])
            self.assertGreater(listed, 1)
            self.assertIn("10 more pages are not in this file: it holds 50", text)
            self.assertIn(f"page {before + listed + 1}", text)
            self.assertEqual(text.count("no page"), 10)

    def test_nothing_at_all(self):
        self.assertIn("no papers", PdfReader(io.BytesIO(bind("Papers", []))).pages[0].extract_text())
