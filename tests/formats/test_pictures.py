"""Pictures in every kind that phones send, and any damage to them or to a PDF."""

import io
from datetime import date
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pillow_heif import register_heif_opener

from demo import papers
from wainwright.formats.pictures import media_type, pages_of
from wainwright.formats.problems import Unreadable

register_heif_opener()
KINDS = {"JPEG": "image/jpeg", "PNG": "image/png", "WEBP": "image/webp", "HEIF": "image/heic"}


def picture(kind: str, size=(320, 200)) -> bytes:
    """A small picture with a place of its own in its data, as phones write it."""
    out = io.BytesIO()
    image = Image.linear_gradient("L").resize(size).convert("RGB")
    exif = Image.Exif()
    exif.get_ifd(0x8825).update({1: "N", 2: (51.0, 54.0, 0.0)})
    image.save(out, kind, exif=exif)
    return out.getvalue()


SAMPLES = {kind: picture(kind) for kind in KINDS}
PDF = papers.hotel_bill(date(2026, 10, 12))


class PicturesTest(TestCase):
    def test_every_kind_is_known_by_content_and_loses_its_place(self):
        for kind, media in KINDS.items():
            with self.subTest(kind):
                self.assertEqual(media_type(SAMPLES[kind]), media)
                (page,) = pages_of(SAMPLES[kind])
                shown = Image.open(io.BytesIO(page.content))
                self.assertEqual((page.width, page.height, shown.size), (320, 200, (320, 200)))
                self.assertFalse(dict(shown.getexif().get_ifd(0x8825)))

    @settings(max_examples=120, deadline=None)
    @given(st.sampled_from(sorted(KINDS)), st.integers(0, 4000), st.integers(0, 400), st.binary(max_size=16))
    def test_damage_is_read_or_refused_in_words(self, kind, at, cut, junk):
        content = SAMPLES[kind]
        self.harmless(content[:at] + junk + content[at + cut :])

    def test_what_a_camera_wrote_may_be_broken_at_every_byte(self):
        content = SAMPLES["JPEG"]
        for at in range(content.index(b"Exif"), content.index(b"Exif") + 90):
            for junk in (b"", b"\xff", b"\x00\x00", b"\x80" * 6):
                self.harmless(content[:at] + junk + content[at + 1 :])

    @settings(max_examples=12, deadline=None)
    @given(st.integers(0, len(PDF)), st.integers(0, 2000), st.binary(max_size=16))
    def test_a_damaged_pdf_too(self, at, cut, junk):
        self.harmless(PDF[:at] + junk + PDF[at + cut :])

    def harmless(self, content: bytes) -> None:
        try:
            pages = pages_of(content)
        except Unreadable as error:
            self.assertTrue(str(error).endswith("."), str(error))
            return
        self.assertTrue(pages)
        for page in pages:
            Image.open(io.BytesIO(page.content)).load()
