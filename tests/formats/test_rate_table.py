"""Tables of exchange rates: as they are published, packed, and damaged."""

import io
import zipfile
from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from wainwright.formats.problems import Unreadable
from wainwright.formats.rate_table import MOST_UNPACKED, PublishedRate, read_rate_table, shipped_table

TABLE = b"\xef\xbb\xbfDate,USD,NOK,CYP,\n2026-11-20,1.0920,11.6350,N/A,\n2026-11-19,1.0915,11.6011,N/A,\n\n"


def packed(content: bytes, name="rates.csv") -> bytes:
    """A ZIP with one file."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(name, content)
    return out.getvalue()


class RateTableTest(TestCase):
    def test_plain_and_packed_say_the_same(self):
        for content in (TABLE, packed(TABLE)):
            rates, left = read_rate_table(content)
            self.assertEqual(rates[1], PublishedRate(date(2026, 11, 20), "NOK", Decimal("11.6350")))
            self.assertEqual((len(rates), left), (4, []))
        self.assertEqual(len(read_rate_table(TABLE, date(2026, 11, 20))[0]), 2)

    def test_what_is_wrong_in_a_line_leaves_the_others(self):
        bad = TABLE + b"20.11.2026,1,2\n2026-11-18,zero,-3\n2026-11-17,NaN,0\n2026-11-16,1.1,1e99\n"
        rates, left = read_rate_table(bad)
        self.assertEqual(len(rates), 5)
        self.assertEqual([each.where for each in left], ["line 5", *["line 6"] * 2, *["line 7"] * 2, "line 8"])
        self.assertIn("is not written as", left[0].why)

    def test_what_is_no_table_says_so(self):
        for content, words in [
            (b"", "no table of rates"), (b"Name,Sum\n1,2", "no table of rates"), (b"Date,USD\n", "no rates of the days"), (b"\xff\xfe\x00", "not text"),
            (packed(TABLE, "rates.txt"), "must hold one CSV"), (packed(TABLE)[:60], "damaged"), (b"PK\x03\x04", "damaged"), (b"x" * 5_000_001, "larger than 5 MB"),
            (packed(b"0" * (MOST_UNPACKED + 1)), "larger than 20 MB"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Unreadable, words):
                read_rate_table(content)

    def test_the_shipped_table_is_read_whole(self):
        rates, left = read_rate_table(shipped_table(), date(2026, 10, 1))
        self.assertEqual(left, [])
        self.assertGreater(len(rates), 400)
        self.assertTrue({"NOK", "GBP", "USD"} <= {each.currency for each in rates})

    @settings(max_examples=150, deadline=None)
    @given(st.one_of(st.binary(max_size=300), st.builds(lambda b, n: TABLE[:n] + b, st.binary(max_size=60), st.integers(0, len(TABLE))), st.builds(lambda b, n: packed(TABLE)[:n] + b + packed(TABLE)[n:], st.binary(max_size=9), st.integers(0, 150))))  # fmt: skip
    def test_damage_never_gets_through(self, content):
        try:
            rates, _ = read_rate_table(content)
        except Unreadable:
            return
        for each in rates:
            self.assertTrue(each.per_euro > 0 and each.per_euro.is_finite() and len(each.currency) == 3)
