"""Every format, with files that other writers made and with what is broken."""

import contextlib
import time
import zlib
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from unittest import TestCase, mock

from hypothesis import given, settings
from hypothesis import strategies as st
from icalendar import Calendar
from PIL import ImageFile

from demo import papers
from wainwright.core.money import Money
from wainwright.formats.bank_text import bank_text
from wainwright.formats.calendar import Appointment, write_calendar
from wainwright.formats.gazetteer import folded
from wainwright.formats.ofx import read_ofx
from wainwright.formats.pain001 import Payer, Transfer, check_schema, read_pain001, write_pain001
from wainwright.formats.pain002 import STATUSES, Answer, Outcome, StatusReport, read_pain002, write_pain002
from wainwright.formats.pictures import Word, media_type, pages_of
from wainwright.formats.places import best_place, find_places, place
from wainwright.formats.problems import Unreadable
from wainwright.formats.receipt_text import bill_lines, number, read_fields
from wainwright.standins.bank import CLOSED, Standin
from wainwright.standins.reader import Standin as Reader

DAY = date(2026, 10, 12)
TODAY = date(2026, 11, 1)
PAYER = Payer("Brackwater Survey Ltd", "IE29AIBK93115212345678", "BRWKIE2DXXX", "EUR")
XML = b"""<?xml version="1.0"?><?OFX OFXHEADER="200" VERSION="211"?><OFX><BANKMSGSRSV1><STMTTRNRS><STMTRS><CURDEF>NOK</CURDEF>
<BANKACCTFROM><ACCTID>NO 93 8601 1117 947</ACCTID></BANKACCTFROM><BANKTRANLIST><STMTTRN><DTPOSTED>20261014</DTPOSTED><TRNAMT>-1 234,50</TRNAMT>
<FITID>1</FITID><NAME>HAVNEKROA</NAME></STMTTRN><STMTTRN><DTPOSTED>20261014</DTPOSTED><TRNAMT>99.00</TRNAMT><FITID>1</FITID></STMTTRN>
<STMTTRN><DTPOSTED>2026</DTPOSTED><TRNAMT>-1</TRNAMT><FITID>3</FITID></STMTTRN><STMTTRN><DTPOSTED>20261014</DTPOSTED><TRNAMT>x</TRNAMT><FITID>4</FITID></STMTTRN>
<STMTTRN><DTPOSTED>20261014</DTPOSTED><TRNAMT>-5.00</TRNAMT></STMTTRN></BANKTRANLIST></STMTRS></STMTTRNRS></BANKMSGSRSV1></OFX>"""


class OfxTest(TestCase):
    def test_sgml_as_a_bank_exports_it(self):
        statement = read_ofx(papers.card_file(DAY))[0]
        self.assertEqual((statement.last_four, len(statement.lines), statement.left), ("4410", 6, ()))
        line = statement.lines[0]
        self.assertEqual(
            (line.day, line.amount, line.merchant, line.merchant_code),
            (date(2026, 10, 15), Money.of("102.00", "EUR"), "KVALHEIM MARINE AS BERGEN", "5541"),
        )

    def test_xml_with_bad_entries_left_out_by_name(self):
        statement = read_ofx(XML)[0]
        self.assertEqual([str(line.amount) for line in statement.lines], ["1,234.50", "-99.00", "5.00"])
        # Two entries share a key and one has none: all three are known by what they say.
        self.assertEqual({line.bank_id[:4] for line in statement.lines}, {"own-"})
        self.assertEqual(
            [left.why for left in statement.left], ["its date “2026” is not a date", "its amount “x” is not a number"]
        )

    def test_dialects_of_banks(self):
        entry = b"<STMTTRN><TRNTYPE>DEBIT</TRNTYPE><DTPOSTED>20261014</DTPOSTED><TRNAMT>46.41</TRNAMT><FITID>7</FITID><NAME>HAVNEKROA</NAME><ORIGCURRENCY><CURRATE>0.0859444</CURRATE><CURSYM>NOK</CURSYM></ORIGCURRENCY></STMTTRN>"
        start, end = XML.index(b"<STMTTRN>"), XML.index(b"</BANKTRANLIST>")
        (statement,) = read_ofx(
            (XML[:start] + entry * 2 + entry.replace(b"0.0859444", b"-1").replace(b">7<", b">8<") + XML[end:]).replace(
                b"<CURDEF>NOK", b"<CURDEF>EUR"
            )
        )
        self.assertEqual(
            [(str(line.amount), line.bank_id) for line in statement.lines], [("46.41", "7"), ("46.41", "8")]
        )
        self.assertEqual([line.original for line in statement.lines], [Money.of("540.00", "NOK"), None])
        self.assertEqual(statement.left[0].why, "the same entry stands in the file twice")

    def test_odd_headers_are_mended(self):
        content = papers.card_file(DAY)
        for odd in (b"\xef\xbb\xbf" + content, b"\r\n\r\n" + content, content.replace(b"\r\n", b"\n")):
            self.assertEqual(len(read_ofx(odd)[0].lines), 6)

    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 1500), st.binary(max_size=12))
    def test_any_damage_is_read_or_refused_in_words(self, at, junk):
        content = papers.card_file(DAY)
        try:
            read_ofx(content[:at] + junk + content[at + len(junk) :])
        except Unreadable as error:
            self.assertTrue(str(error).endswith("."))


class PainTest(TestCase):
    def transfer(self, iban="DE89370400440532013000", amount="412.40"):
        return Transfer("WW-1-001", "Márén Ø", iban, Money.of(amount, "EUR"), "C-0001 Gauges & more", DAY)

    def test_written_checked_and_read_back(self):
        content = write_pain001(PAYER, [self.transfer()], "WW-LTD-00001")
        check_schema(content)
        message, (row,) = read_pain001(content)
        self.assertEqual(
            (message, row.end_to_end, row.iban, row.amount),
            ("WW-LTD-00001", "WW-1-001", "DE89370400440532013000", "412.40"),
        )

    def test_what_cannot_be_paid_is_refused(self):
        for transfers in ([], [self.transfer(amount="0")], [self.transfer(amount="-1")]):
            with self.subTest(transfers), self.assertRaises(ValueError):
                write_pain001(PAYER, transfers, "WW-1")

    def test_the_bank_answers_payment_by_payment(self):
        for iban, outcome, words in [
            ("DE89370400440532013000", Outcome.PAID, "settled on the payer's account"),
            (min(CLOSED), Outcome.REFUSED, "the account is closed"),
            ("DE89370400440532013001", Outcome.REFUSED, "the account number is not right"),
        ]:
            with self.subTest(iban):
                report = read_pain002(Standin().send(write_pain001(PAYER, [self.transfer(iban)], "WW-LTD-00001")))
                self.assertEqual(
                    (report.message_id, report.answers[0].outcome, report.answers[0].words),
                    ("WW-LTD-00001", outcome, words),
                )

    def test_answers_that_are_none(self):
        other = write_pain001(PAYER, [self.transfer()], "WW-1")
        entity = b"<!DOCTYPE a [<!ENTITY b SYSTEM 'file:///etc/passwd'>]><Document xmlns='urn:iso:std:iso:20022:tech:xsd:pain.002.001.03'>&b;</Document>"
        for content in (b"", b"<a/>", b"not xml", other, entity):
            with self.subTest(content[:20]), self.assertRaises(Unreadable):
                read_pain002(content)

    def test_a_group_of_answers_there_and_back(self):
        answers = (Answer("a", "ACSC"), Answer("b", "RJCT", "XX99"))
        report = read_pain002(write_pain002("WW-1", answers, datetime(2026, 10, 12, tzinfo=UTC)))
        self.assertEqual(report.answers, answers)
        self.assertEqual(report.answers[1].words, "the bank says XX99")

    def test_only_what_is_settled_is_paid_and_only_what_is_refused_is_refused(self):
        by_outcome = {outcome: {code for code, (each, _) in STATUSES.items() if each == outcome} for outcome in Outcome}
        self.assertEqual((by_outcome["paid"], by_outcome["refused"]), ({"ACSC", "ACCC"}, {"RJCT", "CANC"}))
        for status in ("PDNG", "RCVD", "ACWC", "ACWP", "ACTC", "ACCP", "ACSP", "ZZZZ", ""):
            self.assertEqual(Answer("a", status).outcome, Outcome.PENDING, status)
        self.assertIn("no status we know", Answer("a", "ZZZZ").words)

    def test_an_answer_for_the_whole_or_a_block_reaches_the_payments_in_it(self):
        space = "urn:iso:std:iso:20022:tech:xsd:pain.002.001.10"

        def report(group="", blocks=(), payments="") -> StatusReport:
            status = f"<GrpSts>{group}</GrpSts>" if group else ""
            inner = "".join(
                f"<OrgnlPmtInfAndSts><OrgnlPmtInfId>{number}</OrgnlPmtInfId><PmtInfSts>{code}</PmtInfSts>"
                f"<StsRsnInf><Rsn><Cd>AC06</Cd></Rsn></StsRsnInf>{payments}</OrgnlPmtInfAndSts>"
                for number, code in blocks
            )
            head = f"<OrgnlGrpInfAndSts><OrgnlMsgId>M</OrgnlMsgId>{status}</OrgnlGrpInfAndSts>"
            return read_pain002(f"<Document xmlns='{space}'><R>{head}{inner}</R></Document>".encode())

        one = "<TxInfAndSts><OrgnlEndToEndId>e1</OrgnlEndToEndId><TxSts>RJCT</TxSts></TxInfAndSts>"
        for said, payment, block, status in [
            (report("RJCT"), "e1", "B1", "RJCT"),
            (report("ACSC", [("B2", "RJCT")]), "e1", "B1", "ACSC"),
            (report("ACSC", [("B1", "RJCT")]), "e1", "B1", "RJCT"),
            (report("PART", [("B1", "ACSC")], one), "e1", "B1", "RJCT"),
            (report("PART", [("B1", "ACSC")], one), "e2", "B1", "ACSC"),
            (report("PDNG"), "e1", "B1", "PDNG"),
        ]:
            with self.subTest(status=status, block=block, payment=payment):
                self.assertEqual(said.of(payment, block).status, status)
        self.assertIsNone(report("PART").of("e1", "B1"))
        self.assertEqual(report("", [("B1", "RJCT")]).of("e1", "B1").words, "the account is blocked")

    def test_amounts_have_the_places_of_their_currency(self):
        for currency, amounts, written, whole in [
            ("JPY", ["1000", "7"], ["1000", "7"], "1007"),
            ("KWD", ["1000.125", "0.005"], ["1000.125", "0.005"], "1000.130"),
            ("EUR", ["1000", "0.05"], ["1000.00", "0.05"], "1000.05"),
        ]:
            payer = Payer("Firm", PAYER.iban, PAYER.bic, currency)
            transfers = [
                Transfer(f"E{n}", "Somebody", "DE89370400440532013000", Money.of(a, currency), "x", date(2026, 10, 12))
                for n, a in enumerate(amounts)
            ]
            content = write_pain001(payer, transfers, "WW-1")
            self.assertEqual([row.amount for row in read_pain001(content)[1]], written)
            self.assertEqual(content.decode().count(f"<CtrlSum>{whole}</CtrlSum>"), 2)

    @given(st.text(max_size=200), st.text(max_size=300))
    def test_any_name_and_text_can_be_paid(self, name, text):
        transfer = Transfer("E1", name, "DE89370400440532013000", Money.of("5", "EUR"), text, date(2026, 10, 12))
        write_pain001(PAYER, [transfer], "WW-1")

    def test_what_a_bank_does_not_take_is_written_in_its_letters(self):
        for given_, wanted in [
            ("Maren Oyelaran", "Maren Oyelaran"), ("Bjørn Ærø-Ås", "Bjorn AEro-As"), ("🐟", "Payee"), ("", "Payee"),
            ("a\x00b\nc", "a b c"), ("Łukasz//Żak/", "Lukasz/Zak"), ("Иван", "Ivan"), ("...", "Payee"), ("A" * 90, "A" * 70),
        ]:  # fmt: skip
            self.assertEqual(bank_text(given_, 70, "Payee"), wanted, given_)


class CalendarTest(TestCase):
    def test_local_times_with_their_zones(self):
        leaves, arrives = datetime(2026, 10, 12, 9, 20), datetime(2026, 10, 12, 14, 50)
        content = write_calendar(
            "Bergen",
            [Appointment("u1", "Air", leaves, "Europe/Dublin", arrives, "Europe/Oslo", "Cork", "x")],
            datetime(2026, 9, 1, tzinfo=UTC),
        )
        event = Calendar.from_ical(content).events[0]
        self.assertEqual(
            (event.start.isoformat(), event.end.isoformat()), ("2026-10-12T09:20:00+01:00", "2026-10-12T14:50:00+02:00")
        )

    def test_texts_that_look_like_its_lines_stay_texts(self):
        day, line = datetime(2026, 10, 12, 9), "BEGIN:VEVENT\r\nBEGIN:VEVENT\r\nEND:VCALENDAR"
        rows = [
            Appointment(f"u{n}", line, day, "Europe/Oslo", day, zone, line, line, timedelta(hours=2))
            for n, zone in enumerate(("Europe/Oslo", "UTC", "Europe/Dublin"))
        ]
        found = Calendar.from_ical(write_calendar(line, rows, datetime(2026, 9, 1, tzinfo=UTC)))
        self.assertEqual([str(zone["TZID"]) for zone in found.walk("VTIMEZONE")], ["Europe/Dublin", "Europe/Oslo"])
        self.assertEqual([str(event["UID"]) for event in found.events], ["u0", "u1", "u2"])
        self.assertEqual(str(found.events[0]["SUMMARY"]), "BEGIN:VEVENT BEGIN:VEVENT END:VCALENDAR")
        bare = Calendar.from_ical(write_calendar("Nothing", [], datetime(2026, 9, 1, tzinfo=UTC)))
        self.assertEqual((bare.walk("VTIMEZONE"), bare.events), ([], []))


class PlacesTest(TestCase):
    def test_by_code_by_name_without_accents(self):
        for typed, code in [("ork", "ORK"), ("Cork airport (ORK)", "ORK"), ("BGO", "BGO")]:
            with self.subTest(typed):
                self.assertEqual(best_place(typed).code, code)
        self.assertEqual(
            (best_place("floro").name, best_place("Cobh").country, best_place("bergen").country), ("Florø", "IE", "NO")
        )
        self.assertIn("Bergen", [p.town for p in find_places("berg")])
        self.assertEqual(
            (best_place("  "), best_place("qqqqqq"), place("nowhere"), folded("Gdańsk Łódź")),
            (None, None, None, "gdansk lodz"),
        )


def words(*lines):
    return [
        Word(text, 0.95, 0, 10 + 60 * x, 40 * y, 50, 30, y)
        for y, line in enumerate(lines)
        for x, text in enumerate(line.split())
    ]


class ReceiptTextTest(TestCase):
    def read(self, *lines):
        return {name: field.value for name, field in read_fields(words(*lines), TODAY).items()}

    def test_fields_in_many_conventions(self):
        for lines, wanted in [
            (
                ["HAVNEKROA AS", "14.10.26 19:32", "Sum NOK 1 234,50", "MVA 25% 246,90"],
                {
                    "merchant": "HAVNEKROA AS",
                    "date": "2026-10-14",
                    "total": "1234.50",
                    "currency": "NOK",
                    "tax": "246.90",
                    "tax_rate": "25",
                },
            ),
            (
                ["Pier Taxi", "2026-10-14", "TOTAL £ 12.00"],
                {"merchant": "Pier Taxi", "date": "2026-10-14", "total": "12.00", "currency": "GBP"},
            ),
            (
                ["Doca Chandlers", "14 Oct 2026", "Subtotal 90.00", "Total EUR 1.110,70"],
                {"total": "1110.70", "date": "2026-10-14"},
            ),
            (["Bistro", "Total 48.00 EUR", "Cash 50.00", "Change 2.00"], {"total": "48.00"}),
        ]:
            with self.subTest(lines):
                got = self.read(*lines)
                self.assertEqual({name: got.get(name) for name in wanted}, wanted)

    def test_nothing_is_invented(self):
        got = self.read("Thank you", "99.99.2026", "12.10.1999", "5,00 kg")
        self.assertNotIn("total", got)
        self.assertNotIn("date", got)
        self.assertEqual(self.read(), {})

    def test_lines_of_a_bill(self):
        got = bill_lines(words("Night of Monday 142.00", "City tax 14.00", "VAT 13% 3.00", "TOTAL 156.00"))
        self.assertEqual(got, [("Night of Monday", Decimal("142.00")), ("City tax", Decimal("14.00"))])

    def test_numbers(self):
        for text, value in [("1.234,50", "1234.50"), ("1,234.50", "1234.50"), ("102.00", "102.00"), ("-3,00", "-3.00")]:
            self.assertEqual(number(text), Decimal(value))

    @given(st.lists(st.text(max_size=30), max_size=8))
    def test_no_text_breaks_the_reading(self, lines):
        read_fields(words(*lines), TODAY)


class PicturesTest(TestCase):
    def test_what_a_file_is_by_content(self):
        self.assertEqual(media_type(papers.till_receipt(DAY)), "image/jpeg")
        self.assertEqual(media_type(papers.ferry_ticket(DAY)), "image/png")
        bill = papers.hotel_bill(DAY)
        self.assertEqual(media_type(bill), "application/pdf")
        pages = pages_of(bill)
        self.assertEqual(len(pages), 2)
        self.assertEqual(read_fields([w for p in pages for w in p.words], TODAY)["total"].value, "598.00")
        for content in (b"", b"PK\x03\x04" * 9, b"MZ", b"II*\x00" * 9):
            with self.subTest(content[:4]), self.assertRaises(Unreadable):
                media_type(content)

    def test_a_photo_turned_and_in_uneven_light_is_read(self):
        page = pages_of(papers.till_receipt(DAY))[0]
        fields = read_fields(Reader().words(page, 0), TODAY)
        self.assertEqual({n: fields[n].value for n in ("merchant", "date", "total", "tax", "currency")},
                         {"merchant": "KVALHEIM MARINE", "date": "2026-10-12", "total": "102.00", "tax": "20.40", "currency": "EUR"})  # fmt: skip
        _, x, y, width, height = fields["total"].box
        self.assertTrue(0 < x < page.width and 0 < y < page.height and width > 20 and height > 10)

    def test_a_pdf_that_bursts_is_stopped(self):
        for stream in (b"q " * 40_000_000, b"\0" * 900_000_000):
            packed = zlib.compress(stream, 9)
            body = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n"
            body += b"3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 200 200]/Contents 4 0 R>>endobj\n"
            body += (
                b"4 0 obj<</Filter/FlateDecode/Length %d>>stream\n" % len(packed)
                + packed
                + b"\nendstream endobj\ntrailer<</Root 1 0 R>>"
            )
            del stream
            begun = time.monotonic()
            with contextlib.suppress(Unreadable):
                self.assertLessEqual(len(pages_of(body)), 1)
            self.assertLess(time.monotonic() - begun, 62)

    def test_too_many_pages_and_cut_off_pictures(self):
        cut = papers.ferry_ticket(DAY)[:3000]
        with (
            mock.patch.object(ImageFile, "LOAD_TRUNCATED_IMAGES", True),
            self.assertRaisesRegex(Unreadable, "breaks off|neither"),
        ):
            pages_of(cut)
