"""Pages, mails and refusals in the language of who reads them, and what they type in it."""

import json
import re
from collections import Counter
from datetime import date
from decimal import Decimal

from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.template.loader import render_to_string
from django.test import Client, SimpleTestCase, override_settings
from django.utils import translation

from tests import strange, worlds
from tests.apps.test_journeys import PNG
from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.accounts.models import Posting
from wainwright.accounts.refusals import MEANINGS, refusal_words
from wainwright.claims.models import StatementLine
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.core.reconciling import Expected
from wainwright.core.rules.facts import PAPERS
from wainwright.core.said import joined, say
from wainwright.core.versions import Line, changes
from wainwright.fields import typed_day, typed_number
from wainwright.formats.typed_words import in_english
from wainwright.news.services import tell
from wainwright.people.models import Firm, Membership, Person
from wainwright.reading import again
from wainwright.reconciling.selectors import told_as
from wainwright.reports.kept_words import question_again
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file
from wainwright.trips.services.versions import write
from wainwright.trips.versions import since_signed
from wainwright.web.away import HERE
from wainwright.web.script_words import TEXTS, script_words

# From each door of the house a person goes this far, two pages of a kind.
FEWEST, MOST = 25, 100


def plain(text: str) -> str:
    """A text whose spaces are all alike."""
    return re.sub(r"\s+", " ", text)


@override_settings(DEMO=True)
class StrangeWalkTest(worlds.StartedTransactionTestCase):
    """Nobody speaks the language of these pages: what can be read on them was never given to the catalogs."""

    starts_from = worlds.DEMO

    def pages(self, member: Membership):
        client = Client()
        client.force_login(member.person)
        wait, seen, kinds, count = ["/"], {"/"}, {}, 0
        while wait and count < MOST:
            path = wait.pop(0)
            kind = re.sub(r"\d+", "#", path.split("?")[0]) + "".join(re.findall(r"open=[a-z]+", path))
            if kinds.get(kind, 0) > 1:
                continue
            kinds[kind] = kinds.get(kind, 0) + 1
            answer = client.get(path)
            if answer.status_code != 200 or not answer["Content-Type"].startswith("text/html"):
                continue
            count += 1
            page = answer.content.decode()
            yield path, page
            panels = [f"{path}?open={name}" for name in re.findall(r'data-open="([^"]+)"', page) if "?" not in path]
            for link in [*re.findall(r'(?:href|hx-get)="(/[^"#]*)"', page), *panels]:
                link = link.replace("&amp;", "&")
                if link not in seen and not link.startswith(
                    ("/static/", "/accounts/logout", "/demo-sign-in/", "/api/")
                ):
                    seen.add(link)
                    wait.append(link)

    def walk(self, name: str, typed: str) -> int:
        member = Membership.objects.select_related("person", "firm").filter(person__email__startswith=name).first()
        Person.objects.filter(pk=member.person_id).update(language=strange.CODE)
        count = 0
        for path, page in self.pages(member):
            with self.subTest(who=name, path=path):
                self.assertEqual(strange.sent_back(page), [], "a value that goes back is said in the reader's language")
                # Houses and companies on offer are called as they are called.
                if not path.startswith(strange.NOT_OURS) and not re.search("/(order|stays|cars)/", path):
                    self.assertEqual(strange.left_over(page, typed), [])
                    # What was explained in words, and what a bank wrote, stands as it is.
                    if not path.startswith("/bench/claim/") and not path.startswith("/reports/outside-rules/"):
                        self.assertEqual(strange.english_sums(page, typed), [])
            count += 1
        return count

    def test_no_page_says_a_word_that_was_never_translated(self):
        with strange.spoken():
            typed = strange.typed_by_people()
            for name in ("maren", "tobias", "priya", "callum"):
                self.assertGreaterEqual(self.walk(name, typed), FEWEST)


class LanguageOfAPersonTest(WorldTestCase):
    def speaks(self, member, code: str):
        Person.objects.filter(pk=member.person_id).update(language=code)
        member.person.refresh_from_db()
        self.enter(member)

    def test_it_is_chosen_on_the_profile_and_written_in_the_trail(self):
        self.enter(self.maren)
        self.assertContains(self.client.get("/profile/"), "Norsk bokmål")
        odd = self.client.post("/profile/", {"act": "language", "language": "xx"}, follow=True)
        self.assertContains(odd, "Choose a language of the list.")
        chosen = self.client.post("/profile/", {"act": "language", "language": "nb"}, follow=True)
        self.assertContains(chosen, '<html lang="nb"')
        self.assertContains(chosen, "på dette språket")
        entry = Entry.objects.filter(what="chose a language").latest("pk")
        self.assertEqual((entry.before, entry.after), ('{"language": ""}', '{"language": "nb"}'))
        back = self.client.post("/profile/", {"act": "language", "language": ""}, follow=True)
        self.assertContains(back, '<html lang="en')
        self.speaks(self.callum, "nb")
        self.assertContains(self.client.get("/trail/"), "valgte et språk")

    def test_who_chose_nothing_reads_as_the_firm_writes_and_who_did_does_not(self):
        Firm.objects.filter(pk=self.maren.firm_id).update(language="de")
        self.enter(self.maren)
        self.assertContains(self.client.get("/tray/"), '<html lang="de"')
        self.speaks(self.tobias, "en")
        self.assertContains(self.client.get("/tray/"), '<html lang="en')

    def test_before_somebody_is_known_the_browser_says_the_language(self):
        for wanted, code in (("nb-NO,nb;q=0.9", "nb"), ("de-AT", "de"), ("fi", "en"), ("*;q=x,,", "en")):
            with self.subTest(wanted):
                page = Client().get("/accounts/login/", headers={"accept-language": wanted})
                self.assertContains(page, f'<html lang="{code}')

    def test_a_mail_is_in_the_language_of_who_gets_it(self):
        self.speaks(self.tobias, "nb")
        trip = self.authorised_trip(starts=20)
        Person.objects.filter(pk=self.maren.person_id).update(language="de")
        member = Membership.objects.select_related("person", "firm").get(pk=self.maren.pk)
        mail.outbox.clear()
        with self.done():
            for each in (self.tobias, member):
                tell(each, f"{trip.title} was sent back", f"/trips/{trip.pk}/")
        subjects = {sent.to[0]: sent.subject for sent in mail.outbox}
        self.assertEqual(len({subject.removeprefix(trip.title) for subject in subjects.values()}), 2, subjects)
        self.assertNotIn("was sent back", "".join(subjects.values()))

    @shows("A3.5")
    def test_a_refusal_names_what_to_do_in_the_readers_words(self):
        cost = {
            "merchant": "Kiosk", "category": "taxi", "amount": "12,5o", "currency": "EUR", "paid_by": "self", "date": "i går",
        }  # fmt: skip
        said = {}
        for code in ("en", "nb", "de"):
            self.speaks(self.maren, code)
            answer = self.client.post("/expenses/new/", cost)
            self.assertEqual(answer.status_code, 422)
            page = answer.content.decode()
            self.assertIn('value="12,5o"', page)
            said[code] = set(re.findall(r'class="error[^>]*>([^<]+)<', page))
            self.assertTrue(said[code])
        self.assertEqual(said["en"] & said["nb"] | said["nb"] & said["de"] | said["en"] & said["de"], set())

    def test_a_cost_that_is_typed_with_a_comma_is_read_back_as_it_is_understood(self):
        cost = {"merchant": "Kiosk", "currency": "EUR", "paid_by": "self", "category": "taxi"}
        for code, amount, day, wanted in (
            ("nb", "1.234,56", "24.12.2025", ("Forstått som", "1 234,56 EUR", "24. des. 2025")),
            ("de", "1.234", "24.12.2025", ("Verstanden als", "1.234,00 EUR", "24. Dez. 2025")),
            ("en", "1,234.56", "2025-12-24", ("Understood as", "1,234.56 EUR", "24 Dec 2025")),
        ):
            with self.subTest(code):
                self.speaks(self.maren, code)
                answer = self.client.post("/expenses/check/", {**cost, "amount": amount, "date": day})
                page = plain(re.sub(r"<[^>]+>", "", answer.content.decode()))
                for words in wanted:
                    self.assertIn(words, page)

    def test_what_is_signed_is_the_same_whoever_signs(self):
        """A plan that is signed in one language is compared with itself in another; so is what a claim's statement says."""
        trip, said = self.authorised_trip(starts=20), []
        for language in ("en-ie", "nb", "de"):
            with translation.override(language), transaction.atomic():
                file = load_file(self.maren, Trip.objects.get(pk=trip.pk))
                version = write(file, "looked at")
                self.assertEqual(since_signed(file, trip.versions.order_by("number").first()), [])
                claim = self.sent_claim(costs=("20.00", "130.00"))
                lines = [row.__dict__ for row in StatementLine.objects.filter(statement__claim=claim)]
                texts = [text for row in lines for text in row.values() if isinstance(text, str | list)]
                statement = claim.statements.get()
                said.append(json.dumps([version.lines, version.frozen, texts, statement.workings]))
                transaction.set_rollback(True)
        self.assertEqual(len(set(said)), 1)

    def test_what_a_ledger_refused_is_said_to_whoever_reads_it(self):
        """Every code of the table, with what it is about and with the cure; and one that the table does not know."""
        for code in (*MEANINGS, "LB-999"):
            posting = Posting(
                firm=self.maren.firm, refusal_code=code, refusal_about="account:4200", refusal_text="Zu spät."
            )
            said = {}
            for language in ("en-ie", "nb", "de"):
                with translation.override(language):
                    said[language] = str(refusal_words(posting))
            with self.subTest(code, said=said):
                self.assertEqual(len(set(said.values())), 3)
                about = code not in MEANINGS or "{about}" in MEANINGS[code].sentence
                for words in said.values():
                    self.assertNotIn("{", words)
                    self.assertEqual("4200" in words or "Zu spät." in words, about)

    def test_states_are_filtered_by_the_same_value_in_every_language(self):
        self.checked_claim()
        for code in ("en", "nb"):
            self.speaks(self.liv if hasattr(self, "liv") else self.priya, code)
            page = self.client.get("/firm/claims/", {"state": "In finance check"})
            self.assertContains(page, 'value="In finance check" selected')

    def test_a_paper_of_any_kind_is_attached_in_every_language(self):
        trip = self.a_trip(starts=20)
        for code, word in (("nb", "Prissammenligning"), ("de", "Preisvergleich")):
            self.speaks(self.maren, code)
            panel = self.client.get(f"/trips/{trip.pk}/?open=papers").content.decode()
            kinds = dict(re.findall(r'<option value="([^"]+)"[^>]*>([^<]+)</option>', panel))
            self.assertEqual(kinds["price comparison"], word)
            self.assertEqual(set(kinds), set(PAPERS))
            for kind in kinds:
                paper = SimpleUploadedFile(f"{code} {kind}.png", PNG + f"{code} {kind}".encode())
                self.client.post(f"/trips/{trip.pk}/papers/", {"kind": kind, "file": paper})
        self.assertEqual(Counter(trip.papers.values_list("kind", flat=True)), dict.fromkeys(PAPERS, 2))

    def test_a_coding_is_the_same_for_every_reader(self):
        coding = Coding.of({"cost_centre": "3120", "kind": "travel"})
        with translation.override("de"):
            self.assertEqual(f"{coding}", "3120 / travel")
            self.assertEqual(str(coding), "3120 / travel")
            # Alone it is a word of ours.
            self.assertNotEqual(again("Travel"), "Travel")

    def test_the_conditions_of_a_booking_are_said(self):
        rows = [
            ["Fare, Cork – Bergen", "Hand luggage"],
            ["Bags, Cork – Bergen", "None; one costs 28.00"],
            ["Refund", "All but 15.00"],
        ]
        with translation.override("nb"):
            page = render_to_string("ui/conditions.html", {"rows": rows})
        for expected in (
            "Pris, Cork – Bergen",
            "Hand luggage",
            "Ingen; én koster 28,00",
            "Refusjon",
            "Alt unntatt 15,00",
        ):
            self.assertIn(expected, page)


class ChangedTest(SimpleTestCase):
    def test_what_was_kept_is_said_and_what_was_typed_stands(self):
        before = [Line("head:title", "Trip", "Title", "Card"), Line("answer:kin", "Trip", "Who?", "not answered")]
        after = [Line("head:title", "Trip", "Title", "Total"), Line("answer:kin", "Trip", "Who?", "Ada")]
        with translation.override("de"):
            page = render_to_string("trips/_changes.html", {"changes": changes(before, after), "title": "x"})
        for expected in ("<del>Card</del>", "<b>Total</b>", "<del>nicht beantwortet</del>", "<b>Ada</b>"):
            self.assertInHTML(expected, page)


class TypedTest(SimpleTestCase):
    def test_numbers(self):
        for code, typed, decimals, wanted in (
            ("nb", "1.234,56", 2, "1234.56"), ("nb", "1 234,56", 2, "1234.56"), ("nb", "12,5", 2, "12.5"), ("nb", "1.234", 2, "1234"),
            ("nb", "12.5", 2, "12.5"), ("nb", "1.234", 4, "1.234"), ("de", "-1.234.567,8", 2, "-1234567.8"), ("de", "−3,20", 2, "-3.20"),
            ("en-ie", "1,234.56", 2, "1234.56"),
        ):  # fmt: skip
            with self.subTest(code=code, typed=typed), translation.override(code):
                self.assertEqual(Decimal(typed_number(typed, decimals)), Decimal(wanted))

    def test_days(self):
        with translation.override("de"):
            for typed in ("24.12.2026", "24. 12. 26", "2026-12-24", " 24.12.2026 "):
                self.assertEqual(typed_day(typed), date(2026, 12, 24))
            for odd in ("31.2.2026", "24/12/2026", "", "24.12."):
                with self.assertRaises(ValueError):
                    typed_day(odd)
        with translation.override("en-ie"), self.assertRaises(ValueError):
            typed_day("24.12.2026")

    def test_a_leg_in_a_line(self):
        self.assertEqual(in_english("ferge Florø ons 7:30", "nb").split(), ["ferry", "floro", "wed", "7:30"])
        self.assertEqual(in_english("Zug nach Bergen Mi. 9:05", "de").split(), ["train", "to", "bergen", "wed", "9:05"])
        self.assertEqual(in_english("ferry Florø wed 7:30", "en"), "ferry Florø wed 7:30")


class ScriptsTest(SimpleTestCase):
    def test_every_text_of_a_script_is_there_for_translation(self):
        said = set()
        for script in HERE.glob("*.js"):
            for texts in re.findall(
                r'(?:said_of|self\.said|spoken)\((?:\w+ \? )?"([^"]*)"(?: : "([^"]*)")?', script.read_text()
            ):
                said |= set(filter(None, texts))
        self.assertGreater(len(said), 30)
        self.assertEqual(said, set(TEXTS))

    def test_a_page_brings_them_along_where_it_is_not_read_in_english(self):
        self.assertEqual(script_words(), {})
        with translation.override("nb"):
            self.assertEqual(script_words()["Nothing remains."], "Ingenting gjenstår.")
        for wanted, found in (("nb", True), ("en", False)):
            page = Client().get("/away/", headers={"accept-language": wanted}).content.decode()
            self.assertEqual('id="script-words"' in page, found)


class KeptQuestionTest(SimpleTestCase):
    def test_it_is_read_part_by_part(self):
        text = "Spend by category, by month, town and category, of Cork, this year (1 Jan 2026 to 31 Dec 2026), against a year before"
        self.assertEqual(question_again(text), text)
        self.assertEqual(question_again(""), "")
        with translation.override("nb"):
            said = str(question_again(text))
            self.assertIn("av Cork", said)
            for word in ("Spend", "by month", "category", "this year", "Dec", "against"):
                self.assertNotIn(word, said)


class AgainTest(SimpleTestCase):
    def test_what_was_kept_is_known_again_with_its_figures(self):
        with translation.override("en-ie"):
            self.assertEqual(again("due in 3 days"), "due in 3 days")
        with translation.override("nb"):
            self.assertEqual(plain(again("due in 3 days")), "frist om 3 dager")
            self.assertEqual(again("chose a language"), "valgte et språk")
            self.assertEqual(again("Somebody typed this"), "Somebody typed this")

    def test_what_it_is_about_then_what_is_said_of_it(self):
        with translation.override("nb"):
            for text, wanted in (
                ("C-0008 Boat survey, Aberdeen: the payment to Nadia Rourke failed, the account is closed. It can be paid again.", "C-0008 Boat survey, Aberdeen: betalingen til Nadia Rourke mislyktes, kontoen er stengt. Den kan gjøres igjen."),
                ("Posting run 2: 3 entered, 1 refused", "Bokføringskjøring 2: 3 ført inn, 1 avvist"),
                ("Nadia Rourke: Lisbon trial waits for your sign-off", "Nadia Rourke: Lisbon trial venter på din godkjenning"),
                ("Nadia Rourke: a note of hers", "Nadia Rourke: a note of hers"),
            ):  # fmt: skip
                self.assertEqual(plain(again(text)), wanted)

    def test_sentences_in_a_row_are_each_known_again(self):
        day, bank, owed = date(2026, 8, 4), Money.of("-1106.00", "EUR"), Money.of("40.50", "EUR")
        things = [
            Expected("payment:1", day, bank, "Maren Oyelaran", ("WW-7-001",)),
            Expected("claim:2", day, owed, "Aiko Brandt", ("C-0002",)),
            Expected("charge:3", day, owed, "Lamp Quay Hotel"),
            Expected("posting:4", day, owed, "C-0004 Gauge check"),
        ]
        words = told_as(things)
        self.assertEqual(
            words,
            "Payment of -1,106.00 on Tue 4 Aug to Maren Oyelaran, WW-7-001; 40.50 owed back since Tue 4 Aug by Aiko Brandt, C-0002; "
            "Charge of 40.50 on Tue 4 Aug at Lamp Quay Hotel; 1 more",
        )
        ride = joined(": ", ("Cork – Dublin", say("{road} km one way, {how}", road="259.5", how=say("looked up"))))
        tax = joined(": ", ("3120 / P-0500 → 6445", say("{net} + {recoverable} tax", net="18.68", recoverable="2.91")))
        for language, wanted in (
            ("nb", ("Utbetaling på −1 106,00 tir. 4. aug. til Maren Oyelaran, WW-7-001; 40,50 skal betales tilbake siden tir. 4. aug. av Aiko Brandt", "Cork – Dublin: 259,5 km én vei, slått opp", "3120 / P-0500 → 6445: 18,68 + 2,91 avgift")),
            ("de", ("Zahlung von −1.106,00 am Di., 4. Aug. an Maren Oyelaran, WW-7-001; 40,50, zurückzuzahlen seit Di., 4. Aug.", "Cork – Dublin: 259,5 km", "3120 / P-0500 → 6445: 18,68 + 2,91 Steuer")),
        ):  # fmt: skip
            with self.subTest(language), translation.override(language):
                for kept, begins in zip((words, ride, tax), wanted, strict=True):
                    self.assertTrue(plain(again(f"{kept}")).startswith(begins), again(f"{kept}"))
                self.assertEqual(plain(again(f"{words}")), plain(str(words)))
