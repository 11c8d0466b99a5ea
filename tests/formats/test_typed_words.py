"""Lines about a journey as people type them in bokmål and German, and names of places that hold words of such lines."""

from datetime import date, datetime
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from wainwright.core.journey import Mode
from wainwright.formats.gazetteer import folded
from wainwright.formats.places import place
from wainwright.formats.typed_journey import read_journey
from wainwright.formats.typed_leg import NotALeg, read_leg
from wainwright.formats.typed_words import apart, in_english, whole

NOW = datetime(2026, 9, 16, 10)  # a Wednesday
WORDS = st.sampled_from(
    ["den", "am", "mo", "nach", "til", "bis", "og", "on", "14.12.", "14.-16.12.2026", "31.13.", "9.05", "Haag", "Stoke-on-Trent", "zug", "ferge", ",", "–"]
)  # fmt: skip


class LegTest(TestCase):
    def test_as_people_type_it(self):
        mon, dec = datetime(2026, 9, 21, 9, 5), datetime(2026, 12, 14, 9, 5)
        for code, text, wanted in (
            ("de", "Flug Cork nach Wien Mo um 9.05 Uhr", (Mode.AIR, "Cork", "Vienna", mon)),
            ("de", "mit dem Auto nach Köln, Mo. 9:05", (Mode.OWN_CAR, "Bergen", "Köln", mon)),
            ("de", "Bus Graz – Wien Montag 9:05", (Mode.COACH, "Graz", "Vienna", mon)),
            ("de", "Zug nach Den Haag 14.12. 9:05", (Mode.RAIL, "Bergen", "The Hague", dec)),
            ("de", "Zug von Frankfurt am Main nach Köln am 14.12.2026 um 9:05", (Mode.RAIL, "Frankfurt am Main", "Köln", dec)),
            ("nb", "fly København til Göteborg man kl. 9.05", (Mode.AIR, "Copenhagen", "Gothenburg", mon)),
            ("nb", "nattog Bergen Oslo mandag 9:05", (Mode.RAIL, "Bergen", "Oslo", mon)),
            ("nb", "ferge til Mo i Rana 14. desember kl 9.05", (Mode.FERRY, "Bergen", "Mo i Rana", dec)),
            ("en", "train from stoke-on-trent to saint-nazaire 14.12.2026 9:05", (Mode.RAIL, "Stoke-on-Trent", "Saint-Nazaire", dec)),
            ("en", "by bus to den haag mon 9:05", (Mode.COACH, "Bergen", "The Hague", mon)),
        ):  # fmt: skip
            with self.subTest(text):
                leg = read_leg(in_english(text, code), place("BGO"), NOW)
                self.assertEqual((leg.mode, leg.origin.town, leg.target.town, leg.leaves), wanted)
                self.assertIsNone(leg.arrives)

    def test_an_hour_with_a_point_is_no_day(self):
        for code, text in (
            ("de", "Zug nach Köln Mo um 9.05."),
            ("nb", "tog til oslo man kl. 9.05."),
            ("en", "train oslo mon 9.05."),
        ):
            with self.subTest(text):
                leg = read_leg(in_english(text, code), place("BGO"), NOW)
                self.assertEqual(leg.leaves, datetime(2026, 9, 21, 9, 5))

    def test_what_is_no_place_is_said_as_it_was_typed(self):
        for text, words in (
            ("train to den xyzzy-on-trent mon 9:05", "“den xyzzy- -trent”|“den xyzzy"),
            ("train mon 9:05", "Where to"),
            ("train 31.13.2026 9:05", "no day"),
        ):
            with self.subTest(text), self.assertRaisesRegex(NotALeg, words):
                read_leg(text, place("BGO"), NOW)


class JourneyTest(TestCase):
    def test_as_people_type_it(self):
        mon, wed = date(2026, 12, 14), date(2026, 12, 16)
        for code, text, wanted in (
            ("de", "von Cork nach Kopenhagen vom 14. bis 16. Dezember mit dem Flugzeug", ("Cork", "Copenhagen", Mode.AIR)),
            ("de", "Cork Venedig 14.-16.12.", ("Cork", "Venice", None)),
            ("de", "Den Haag, 14.12.2026 – 16.12.2026", ("Cork", "The Hague", None)),
            ("de", "Frankfurt am Main am 14. Dezember, zurück am 16. Dezember", ("Cork", "Frankfurt am Main", None)),
            ("nb", "Bergen København 14.–16. des fly", ("Bergen", "Copenhagen", Mode.AIR)),
            ("nb", "fra Oslo til Göteborg 14. desember, tilbake 16. desember, tog", ("Oslo", "Gothenburg", Mode.RAIL)),
            ("en", "cork stoke-on-trent mon 14 dec to wed 16", ("Cork", "Stoke-on-Trent", None)),
        ):  # fmt: skip
            with self.subTest(text):
                found = read_journey(in_english(text, code), place("ORK"), NOW.date())
                self.assertEqual((found.origin.town, found.target.town, found.mode), wanted)
                self.assertEqual((found.out, found.back), (mon, wed))


class WholeTest(TestCase):
    @given(st.text(st.characters(blacklist_characters="_"), max_size=60))
    def test_a_line_kept_whole_is_the_same_line(self, text):
        self.assertEqual(apart(whole(text)), folded(text))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(WORDS, max_size=8), st.sampled_from(["en", "nb", "de"]))
    def test_any_line_is_understood_or_refused_in_words(self, words, code):
        line = in_english(" ".join(words), code)
        for read in (
            lambda: read_leg(f"train {line}", place("BGO"), NOW),
            lambda: read_journey(line, place("ORK"), NOW.date()),
        ):
            try:
                read()
            except NotALeg as error:
                self.assertGreater(len(str(error)), 10)
