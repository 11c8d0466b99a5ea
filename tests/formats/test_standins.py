"""The stand-ins as plain Python: the market's ways can be flown, the reader's boxes lie on the page."""

from __future__ import annotations

import io
from datetime import date
from unittest import TestCase

from PIL import Image

from demo import papers
from wainwright.formats.pictures import Page, Word, pages_of
from wainwright.formats.receipt_text import read_fields
from wainwright.standins.reader import Standin as Reader
from wainwright.standins.reader import _back, skew

TODAY = date(2026, 9, 1)


class ReaderTest(TestCase):
    def read(self, content: bytes):
        page = pages_of(content)[0]
        return page, read_fields(Reader().words(page, 0), TODAY)

    def test_small_turns_to_either_side(self):
        printed = papers.Printed(
            (
                "HAVNEKROA",
                "Florø",
                "14.08.2026 19:32",
                ("4 dinners", "148.40"),
                ("TOTAL EUR", "148.40"),
                "Card **** 4410",
            )
        )
        for turn in (-6, 0, 5):
            with self.subTest(turn):
                page, fields = self.read(papers.photo(printed, turn=turn, seed=5))
                self.assertEqual((fields["total"].value, fields["date"].value), ("148.40", "2026-08-14"))
                for field in fields.values():
                    _, x, y, width, height = field.box
                    self.assertTrue(x >= 0 and x + width <= page.width + 4 and y >= 0 and y + height <= page.height + 4)

    def test_nothing_is_read_from_an_empty_table(self):
        out = io.BytesIO()
        Image.new("RGB", (600, 400), (90, 90, 90)).save(out, "PNG")
        self.assertEqual(self.read(out.getvalue())[1], {})

    def test_words_of_a_pdf_are_taken_as_they_are(self):
        word = Word("TOTAL", 1.0, 0, 1, 1, 10, 10, 0)
        self.assertEqual(Reader().words(Page(b"", 10, 10, (word,)), 0), [word])

    def test_boxes_come_back_from_every_quarter_turn(self):
        size = (200, 100)
        for quarter in (0, 90, 180, 270):
            image = Image.new("L", size, 0)
            image.paste(255, (150, 20, 170, 30))
            box = image.rotate(quarter, expand=True).getbbox()
            word = Word("x", 1.0, 0, box[0], box[1], box[2] - box[0], box[3] - box[1], 0)
            back = _back(word, quarter, size)
            self.assertEqual((back.x, back.y, back.width, back.height), (150, 20, 20, 10))

    def test_the_turn_of_lines_is_found(self):
        page = pages_of(papers.photo(papers.Printed(("LAMP QUAY HOTEL",) * 9), turn=4))[0]
        image = Image.open(io.BytesIO(page.content)).convert("L").crop((110, 110, 700, 500))
        self.assertAlmostEqual(skew(image), -4, delta=1.0)
