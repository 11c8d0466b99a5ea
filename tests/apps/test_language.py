"""Letters are in the firm's language: words, days and sums; pages in that of who reads them; no word is left behind."""

import ast
import re
from decimal import Decimal

from django.core import mail
from django.test import SimpleTestCase
from django.utils import translation

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.core.journey import Mode
from wainwright.core.money import Money
from wainwright.core.permissions import TITLES
from wainwright.core.states import BOOKING, TRIP
from wainwright.language import ENGLISH, LANGUAGES, day_words, reason_words, sum_words
from wainwright.people.models import Firm, Person
from wainwright.trips import letters
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services.road import mail_itinerary
from wainwright.trips.views.road import _signers
from wainwright.vocabulary import WORDS
from wainwright.web.management.commands import words

# What says something to people: what is refused, told, answered by a service outside, or stands in the trail.
SPEAKS = re.compile(
    r"^(?!log\b).*(Refusal|Stale|NotAllowed|Unreadable|Faults?|Error|SoldOut|NotYet|Ledger\w+|tell|record|messages\.\w+)$"
)
# The mistakes of a programmer, which no reader meets.
OURS = re.compile(r"^(ValueError|TypeError|RuntimeError|KeyError|LookupError|unpickl|pickle\.\w+)")


def _has_words(node: ast.expr) -> bool:
    """Whether a text of two words or more stands there as it is, or is put together there."""
    if isinstance(node, ast.IfExp):
        return _has_words(node.body) or _has_words(node.orelse)
    parts = node.values if isinstance(node, ast.JoinedStr) else [node]
    text = " {} ".join(each.value for each in parts if isinstance(each, ast.Constant) and isinstance(each.value, str))
    return bool(re.search(r"[A-Za-z]{2,} [a-z]{2,}", text))


class CatalogTest(SimpleTestCase):
    same_on_any_day = True

    def test_every_word_is_translated_and_what_is_read_is_what_was_translated(self):
        wanted = {message.id for message in words.gathered() if message.id}
        self.assertGreater(len(wanted), 50)
        for code, _ in LANGUAGES:
            if code == ENGLISH:
                continue
            with self.subTest(code):
                catalog = words.read(code)
                self.assertEqual({message.id for message in catalog if message.id}, wanted, "run manage.py words")
                self.assertEqual(words.untranslated(catalog), [])
                self.assertEqual((words.folder(code) / "django.mo").read_bytes(), words.as_mo(catalog))

    def test_nothing_is_refused_or_told_in_words_that_were_not_given_for_translation(self):
        found = []
        for path in sorted(words.HOUSE.rglob("*.py")):
            if {"migrations", "management", "deployed.py", "settings.py"} & {*path.parts}:
                continue
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if (
                    isinstance(node, ast.Call)
                    and SPEAKS.search(name := ast.unparse(node.func))
                    and not OURS.search(name)
                ):
                    found += [(path.name, ast.unparse(each)) for each in node.args if _has_words(each)]
        self.assertEqual(found, [])

    def test_a_word_without_translation_or_with_another_value_is_told(self):
        catalog = words.read("nb")
        catalog.add("never said", "")
        catalog.add("with %(this)s", "med %(that)s")
        self.assertEqual(sorted(words.untranslated(catalog)), ["never said", "with %(this)s"])

    def test_the_words_of_the_core_are_all_gathered(self):
        wanted = {
            *TRIP.states,
            *(state.lower() for state in BOOKING.states),
            *(title for title, _ in TITLES.values()),
            *(mode.value for mode in Mode),
        }
        self.assertEqual(wanted - set(WORDS) - {"stay"}, set())

    def test_reasons_of_a_route(self):
        why = "1,240.50 is over Tobias Quillfeather's limit of 1,000.00; line manager of Maren Oyelaran; owner of P-0417 Fjord gauges; odd"
        self.assertEqual(reason_words(why), why)
        with translation.override("nb"):
            said = reason_words(why).replace("\xa0", " ")
        self.assertEqual(
            said,
            "1 240,50 er over grensen på 1 000,00 for Tobias Quillfeather; leder for Maren Oyelaran; ansvarlig for P-0417 Fjord gauges; odd",
        )

    def test_sums_and_days_as_they_are_written_there(self):
        for code, amount, wanted in (
            ("de", Money(Decimal("-1240.50"), "EUR"), "−1.240,50"), ("nb", Money(Decimal("1240"), "JPY"), "1 240"), ("en-ie", Money(Decimal("-1240.50"), "EUR"), "−1,240.50"),
            ("de", Money(Decimal("1.234"), "KWD"), "1,234"),
        ):  # fmt: skip
            with self.subTest(code=code, amount=str(amount)), translation.override(code):
                self.assertEqual(sum_words(amount).replace("\xa0", " "), wanted)


class LettersTest(WorldTestCase):
    def order(self, trip: Trip) -> str:
        return letters.order_html(load_file(self.maren, trip_for(self.maren, trip.pk)), _signers(trip))

    def in_language(self, code: str) -> Trip:
        Firm.objects.filter(pk=self.maren.firm_id).update(language=code)
        self.maren.firm.refresh_from_db()
        return Trip.objects.select_related("firm").get(pk=self.trip.pk)

    def test_an_order_signed_in_one_language_is_written_in_another(self):
        self.trip = self.authorised_trip(starts=20)
        english = self.order(self.trip)
        self.assertIn("Order of travel", english)
        for code, said in (
            ("nb", ("Reiseordre", "Fly ", " til ", "Signert", "leder for Maren", "har fullmakt", "Diett", "godkjent")),
            ("de", ("Reiseauftrag", "Flug ", " nach ", "Unterschrieben", "Vorgesetzte Person von Maren", "ermächtigt", "genehmigt")),
        ):  # fmt: skip
            trip = self.in_language(code)
            page = self.order(trip)
            with self.subTest(code):
                self.assertIn(f'<html lang="{code}">', page)
                for each in said:
                    self.assertIn(each, page)
                text = re.sub(r"<[^>]+>", " ", page.partition("<main")[2])
                for gone in (
                    "Order of travel",
                    "Air Cork",
                    "signed",
                    "line manager",
                    "Daily allowance",
                    "Together",
                    "Purpose",
                    "certified",
                ):
                    self.assertNotIn(gone, text)
                with translation.override(code):
                    self.assertIn(day_words(trip.starts), page)
            # A page is in the language of who reads it, whatever that of the firm's letters.
            Person.objects.filter(pk=self.maren.person_id).update(language="en")
            self.maren.person.refresh_from_db()
            self.enter(self.maren)
            shown = self.client.get(f"/trips/{trip.pk}/itinerary/")
            self.assertContains(shown, "Day by day")
            self.assertContains(self.client.get(f"/trips/{trip.pk}/order/"), f'<html lang="{code}">')

    def test_what_comes_with_the_authorisation_is_in_the_travellers_language_and_the_order_in_the_firms(self):
        Firm.objects.filter(pk=self.maren.firm_id).update(language="de")
        Person.objects.filter(pk=self.maren.person_id).update(language="nb")
        mail.outbox.clear()
        trip = self.authorised_trip(starts=20)
        sent = next(each for each in mail.outbox if "er godkjent" in each.subject)
        self.assertEqual(sent.subject, f"{trip.title} er godkjent")
        self.assertIn("Alle tider er lokale.", sent.body)
        calendar = next(str(each[1]) for each in sent.attachments if each[0] == "itinerary.ics")
        self.assertIn("SUMMARY:Fly Cork", calendar)
        self.assertIn("LOCATION:Cork flyplass", calendar)

    @shows("P11.2")
    def test_the_pdf_and_the_mail(self):
        self.trip = self.authorised_trip(starts=20)
        trip = self.in_language("nb")
        self.enter(self.maren)
        self.assertTrue(self.client.get(f"/trips/{trip.pk}/order.pdf").content.startswith(b"%PDF"))
        self.assertContains(self.client.get(f"/trips/{trip.pk}/order/"), "Reiseordre")
        Trip.objects.filter(pk=trip.pk).update(profile={**trip.profile, "itinerary_email": "house@example.org"})
        mail.outbox.clear()
        with self.done():
            mail_itinerary(self.maren, trip.pk)
        sent = mail.outbox[-1]
        self.assertEqual((sent.to, sent.subject), (["house@example.org"], f"Reiseplan: {trip.title}"))
        self.assertIn("Alle tider er lokale.", sent.body)
        self.assertIn("Fly ", sent.alternatives[0][0])

    @shows("S9.1")
    def test_the_invitation_is_in_it_and_an_administrator_chooses_it(self):
        self.enter(self.callum)
        page = self.client.get("/firm/")
        typed = dict(page.context["form"].initial)
        odd = self.client.post("/firm/set/", {**typed, "language": "xx", "letter_foot": "Kept foot"})
        self.assertContains(odd, "Kept foot", status_code=422)
        self.assertEqual(self.client.post("/firm/set/", {**typed, "language": "nb"}).status_code, 302)
        self.assertEqual(Firm.objects.get(pk=self.callum.firm_id).language, "nb")
        with self.done():
            self.client.post(
                "/people/invite/",
                {"name": "Nils Vik", "email": "nils@example.org", "job": "x", "roles": ["traveller"], "manager": str(self.tobias.pk), "limit": ""},
            )  # fmt: skip
        sent = next(each for each in mail.outbox if each.to == ["nils@example.org"])
        self.assertIn("inviterer deg", sent.subject)
        self.assertIn("Lenken virker én gang", sent.body)
        self.assertNotIn("invites you", sent.body + str(sent.alternatives))
