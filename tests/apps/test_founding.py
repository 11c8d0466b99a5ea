"""A new firm: from nothing to its first paid claim, by command and pages or from a folder; what is missing is said."""

from __future__ import annotations

import re
import tempfile
from decimal import Decimal
from io import StringIO
from pathlib import Path

from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.test import Client

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.accounts.models import Budget, Code, FirmAccounts, Posting
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, compose, road
from wainwright.core.budget import year_of
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.models import Expense
from wainwright.founding import folder, services
from wainwright.founding.checklist import checklist
from wainwright.founding.services import FirmData, FirstRates
from wainwright.people.models import Firm, Membership, Person
from wainwright.rulebook.models import Category, RuleSetting
from wainwright.trail.models import Entry

PASSWORD = "quay-lantern-44"
TYPED = {
    "name": "Saltholm Lights AS",
    "country": "NO",
    "currency": "NOK",
    "zone": "Europe/Oslo",
    "admin": "Una Falk",
    "email": "una@saltholm.example",
}
IBAN, BIC = "NO9386011117947", "DNBANOKK"


def command(**given) -> str:
    out = StringIO()
    call_command("new_firm", stdout=out, stderr=out, **given)
    return out.getvalue()


class Founding(WorldTestCase):
    def founded(self) -> Membership:
        data = FirmData(*(TYPED[key] for key in ("name", "country", "currency", "zone")))
        return services.found(data, TYPED["admin"], TYPED["email"])

    def missing(self, firm: Firm) -> set[str]:
        return {step.key for step in checklist(Firm.objects.get(pk=firm.pk)).steps if not step.done and not step.advice}

    def choose(self, link: str) -> Client:
        client = Client()
        form = client.get(re.search(r"/accounts/\S+", link)[0])["Location"]
        done = client.post(form, {"password1": PASSWORD, "password2": PASSWORD})
        self.assertEqual(done.status_code, 302)
        return client

    def come(self, email: str) -> Client:
        sent = next(each for each in reversed(mail.outbox) if each.to == [email])
        self.choose(re.search(r"https?://\S+password/reset/key\S+", sent.body)[0])
        client = Client()
        self.assertEqual(client.post("/accounts/login/", {"login": email, "password": PASSWORD}).status_code, 302)
        return client


class RoadTest(Founding):
    @shows("U6.4")
    def test_from_an_empty_firm_to_the_first_paid_claim(self):
        """Every page that the list names is there, and what is done on it takes the step off the list."""
        with self.done():
            said = command(**TYPED)
        self.choose(said)
        una = Client()
        una.post("/accounts/login/", {"login": TYPED["email"], "password": PASSWORD})
        firm = Firm.objects.get(name=TYPED["name"])
        page = una.get("/firm/")
        self.assertContains(page, "things are missing")
        for step in page.context["list"].steps:
            if step.role == "administrator":
                self.assertEqual(una.get(step.link.partition("#")[0]).status_code, 200, step.key)
        self.assertEqual(
            self.missing(firm),
            {
                "letters",
                "travellers",
                "signed",
                "finance",
                "allowance",
                "mileage",
                "ledger",
                "accounts",
                "categories",
                "bank",
            },
        )
        typed = {
            **TYPED,
            "zone": "Europe/Oslo",
            "address": "Lykteveien 4, Bergen",
            "letter_foot": "Reg. 912 345",
            "iban": IBAN,
            "bic": BIC,
            "year_begins": "4",
        }
        self.assertEqual(una.post("/firm/set/", typed).status_code, 302)
        rates = {"full": "780", "breakfast": "156", "lunch": "234", "dinner": "390", "ceiling": "1500", "car": "4.90"}
        self.assertEqual(una.post("/firm/rates/", rates).status_code, 302)
        self.assertEqual(self.missing(firm) & {"letters", "bank", "allowance", "mileage"}, set())
        table = "name,email,manager,roles\nOla Ness,ola@saltholm.example,,approver\nEva Lid,eva@saltholm.example,ola@saltholm.example,traveller\nPer Moe,per@saltholm.example,ola@saltholm.example,finance\n"
        look = una.post("/people/table/", {"file": SimpleUploadedFile("people.csv", table.encode())})["Location"]
        with self.done():
            una.post(f"{look}invite/", {"said": "3"})
        self.assertEqual(self.missing(firm), {"ledger", "accounts", "categories"})
        per = self.come("per@saltholm.example")
        with self.done():
            fetched = per.post("/ledger/masters/fetch/")["Location"]
        per.post(f"{fetched}take/")
        self.assertEqual(self.missing(firm), {"accounts", "categories"})
        per.post("/ledger/masters/accounts/proposed/")
        self.assertEqual(self.missing(firm), set())
        self.assertContains(una.get("/firm/"), "Nothing is missing")
        self.claimed(firm, per)

    def claimed(self, firm: Firm, per: Client) -> None:
        eva = self.come("eva@saltholm.example")
        eva.post(
            "/profile/",
            {
                "act": "profile",
                "iban": "NO9386011117947",
                "password": PASSWORD,
                "phone": "",
                "itinerary_email": "",
                "home": "",
                "work": "",
                "mail_name": "",
            },
        )
        member = Membership.objects.select_related("person", "firm").get(person__email="eva@saltholm.example")
        self.assertTrue(member.iban)
        typed = {
            "merchant": "Kai taxi",
            "category": "taxi",
            "date": str(self.today),
            "amount": "190",
            "currency": "NOK",
            "paid_by": "self",
            "description": "To the light",
        }
        eva.post("/expenses/new/", typed)
        self.assertEqual(Expense.objects.get(owner=member).merchant, "Kai taxi")
        claim = compose.claim_loose(member, "First light")
        claim.refresh_from_db()
        for each in load_file(member, claim).findings:
            if each.open:
                compose.explain(
                    member,
                    claim.pk,
                    [each.finding],
                    [each.finding.identity],
                    (each.finding.reasons or [""])[0],
                    "It had to be so",
                )
        claim.refresh_from_db()
        with self.done():
            road.send(member, claim.pk, claim.version, member.person.name)
        ola = Membership.objects.select_related("person", "firm").get(person__email="ola@saltholm.example")
        with self.done():
            bench.approve(ola, "claim", claim.pk)
        finance = Membership.objects.select_related("person", "firm").get(person__email="per@saltholm.example")
        claim.refresh_from_db()
        with self.done():
            road.clear(finance, claim.pk, claim.version)
            claim.refresh_from_db()
            books.post(finance, claim.pk, claim.version)
        posting = Posting.objects.get(firm=firm)
        self.assertEqual((posting.state, posting.total_minor), ("Entered", 19_000))
        Membership.objects.filter(pk=member.pk).update(iban_confirmed=True)
        with self.done():
            run = books.pay(finance, [claim.pk], self.today)
        self.assertEqual((run.payments.get().amount_minor, run.payments.get().iban), (19_000, "NO9386011117947"))
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Settled")

    def test_two_firms_of_one_name_or_half_a_firm_are_not_founded(self):
        before = Firm.objects.count(), Person.objects.count(), Entry.objects.count()
        for wrong, words in (
            ({"country": "Norway"}, "country"), ({"currency": "kroner"}, "currency"), ({"zone": "Oslo"}, "time zone"), ({"email": "una"}, "address for mail"),
            ({"name": "Brackwater Survey Ltd"}, "is here already"), ({"admin": ""}, "--admin"), ({"name": " x "}, "firm's name"),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaisesRegex(CommandError, words):
                command(**{**TYPED, **wrong})
        self.assertEqual((Firm.objects.count(), Person.objects.count(), Entry.objects.count()), before)

    @shows("U6.2")
    def test_an_administrator_founds_another_and_switches(self):
        self.enter(self.callum)
        typed = {**TYPED, "who": "Callum Iwasaki", "email": self.callum.person.email, "year_begins": "1"}
        self.assertContains(
            self.client.post("/firms/new/", {**typed, "currency": "Kroner"}), 'value="Kroner"', status_code=422
        )
        self.assertRedirects(self.client.post("/firms/new/", typed), "/firm/")
        self.assertContains(self.client.get("/firms/"), "Work in Brackwater Survey Ltd")
        self.assertEqual(self.client.get("/people/").context["page"].paginator.count, 1)
        self.assertEqual(self.client.get(f"/people/{self.maren.pk}/").status_code, 404)
        with self.assertRaises(NotAllowed):
            services.found(FirmData("Other", "NO", "NOK", "Europe/Oslo"), "A Bee", "a@b.example", self.priya)


@shows("S9.1")
class FirmTest(Founding):
    def test_a_firm_of_its_own_money_has_round_rules_in_it(self):
        firm = self.founded().firm
        rule = RuleSetting.objects.get(firm=firm, code="receipt")
        self.assertEqual(
            (rule.params["over"], rule.params["declared_up_to"], rule.text),
            ("250.00", "750.00", "A receipt is needed over 250.00."),
        )
        for each in RuleSetting.objects.filter(firm=firm):
            self.assertNotIn("{", each.text)
        self.assertEqual(Category.objects.filter(firm=firm).exclude(account="").count(), 0)

    def test_money_and_country_stay_once_something_is_reckoned_in_them(self):
        una = self.founded()
        data = FirmData("Saltholm Lights AS", "SE", "SEK", "Europe/Stockholm")
        self.assertEqual(services.set_firm(una, data).currency, "SEK")
        with self.assertRaisesRegex(Refusal, "reckoned in EUR"):
            self.sent_claim()
            services.set_firm(self.callum, FirmData("Brackwater Survey Ltd", "IE", "GBP", "Europe/Dublin"))
        services.set_firm(self.callum, FirmData("Brackwater Survey Ltd", "IE", "EUR", "Europe/Dublin", "New Quay 1"))
        self.assertEqual(Firm.objects.get(slug="ltd").address, "New Quay 1")
        for field, value in (("iban", "NO93"), ("bic", "X"), ("zone", "CET"), ("country", "XX"), ("year_begins", 13)):
            with self.subTest(field), self.assertRaises(Refusal) as refused:
                services.set_firm(una, FirmData(**{**data.__dict__, field: value}))
            self.assertEqual(refused.exception.field, field)

    def test_first_rates_are_sane_and_stay_where_trips_are_reckoned_by_them(self):
        una = self.founded()
        good = FirstRates(*map(Decimal, ("780", "156", "234", "390", "1500", "4.9")))
        services.set_first_rates(una, good)
        services.set_first_rates(una, FirstRates(**{**good.__dict__, "full": Decimal(800)}))
        self.assertEqual(una.firm.allowance_rates.get().full_minor, 80_000)
        for wrong in ({"dinner": Decimal(-1)}, {"full": Decimal(100)}):
            with self.assertRaises(Refusal):
                services.set_first_rates(una, FirstRates(**{**good.__dict__, **wrong}))
        self.a_trip()
        with self.assertRaisesRegex(Refusal, "in use already"):
            services.set_first_rates(self.callum, good)

    def test_a_fiscal_year_that_begins_in_april_takes_the_budget_of_its_year(self):
        self.assertEqual(
            [year_of(self.today.replace(month=m, day=1), 4) - self.today.year for m in (1, 3, 4, 12)], [-1, -1, 0, 0]
        )
        Budget.objects.filter(firm=self.maren.firm).exclude(year=self.today.year).delete()
        Firm.objects.filter(pk=self.maren.firm_id).update(year_begins=12)
        self.maren.firm.refresh_from_db()
        claim = self.sent_claim()
        claim = Claim.objects.select_related("firm", "claimant__person", "claimant__firm").get(pk=claim.pk)
        self.assertEqual(load_file(claim.claimant, claim).budgets, [])

    def test_the_list_asks_few_questions_however_many_people(self):
        una = self.founded()
        with self.assertNumQueries(10):
            checklist(una.firm)


FIRM = """name = "Saltholm Lights AS"
country = "NO"
currency = "NOK"
zone = "Europe/Oslo"
iban = "NO9386011117947"
bic = "DNBANOKK"
address = "Lykteveien 4"
administrator = { name = "Una Falk", email = "una@saltholm.example" }
[policy]
trip_signoff = false
[accounts]
bank = "1920"
"""


class FolderTest(Founding):
    def setUp(self):
        self.path = Path(tempfile.mkdtemp())
        self.put("firm.toml", FIRM)
        self.put("dimensions.csv", "code,name,asked\nharbour,harbour,always\n")
        self.put(
            "codes.csv", "dimension,code,name,owner,budget\nharbour,H1,North,ola@x.example,50000\naccount,1920,Bank,,\n"
        )
        self.put(
            "people.csv",
            "name,email,manager,roles,coding\nOla Ness,ola@x.example,,approver,H1\nEva Lid,eva@x.example,Ola Ness,,\n",
        )
        self.put(
            "rates.csv",
            "country,town,full,breakfast,lunch,dinner,ceiling\n,,780,156,234,390,1500\nGB,,900,180,270,450,\n",
        )
        self.put("mileage.csv", "vehicle,rate,up_to\ncar,4.90,9000\ncar,4.00,\n")

    def put(self, name: str, text: str) -> None:
        (self.path / name).write_text(text)

    def test_all_of_it_is_there(self):
        self.assertIn("Nothing is wrong", command(folder=str(self.path), check=True))
        self.assertFalse(Firm.objects.filter(name__startswith="Saltholm").exists())
        with self.done():
            command(folder=str(self.path))
        firm = Firm.objects.get(name="Saltholm Lights AS")
        ola = Membership.objects.select_related("person").get(person__email="ola@x.example")
        eva = Membership.objects.get(person__email="eva@x.example")
        self.assertEqual((eva.manager, eva.codes, eva.roles), (ola, [["harbour", "H1"]], ["traveller"]))
        self.assertEqual((firm.policy.trip_signoff, FirmAccounts.objects.get(firm=firm).bank), (False, "1920"))
        self.assertEqual(Code.objects.get(firm=firm, code="H1").owner, ola)
        self.assertEqual(firm.mileage_rates.get().bands, [[9000, "4.90"], [None, "4.00"]])
        self.assertEqual(firm.allowance_rates.count(), 2)
        self.assertEqual(
            {each.to[0] for each in mail.outbox} >= {"ola@x.example", "eva@x.example", "una@saltholm.example"}, True
        )

    def test_everything_wrong_is_said_at_its_place_and_nothing_is_left(self):
        before = Firm.objects.count(), Person.objects.count(), Membership.objects.count()
        self.put("people.csv", "name,email,manager,roles\nOla Ness,ola@x.example,,approver\nEva,eva,Ola Ness,pilot\n")
        self.put("rates.csv", "country,town,full\nNorway,,780\n,,lots\n")
        self.put("codes.csv", "dimension,code,name\nkind,K,x\nharbour,H1,North\nharbour,H1,North\n")
        self.put("mileage.csv", "vehicle,rate,up_to\ncar,4.90,\ncar,4.00,100\n")
        self.put("firm.toml", FIRM.replace("trip_signoff", "trip_sign") + "captain = 1\n")
        faults, made = folder.take(self.path)
        self.assertIsNone(made)
        places = {fault.where for fault in faults}
        self.assertLessEqual(
            {"people.csv, row 3, email", "people.csv, row 3, roles", "rates.csv, row 2", "rates.csv, row 3", "codes.csv, row 2", "codes.csv, row 4",
             "mileage.csv, row 3", "firm.toml, policy", "firm.toml, accounts"},
            places,
        )  # fmt: skip
        self.assertEqual((Firm.objects.count(), Person.objects.count(), Membership.objects.count()), before)
        self.assertEqual(len(mail.outbox), 0)

    def test_a_folder_that_is_none(self):
        for text in (None, "name = ", "name = 3\n", 'name = "A"\n', "\xff"):
            with self.subTest(text):
                (self.path / "firm.toml").unlink(missing_ok=True)
                if text is not None:
                    (self.path / "firm.toml").write_bytes(text.encode("latin-1"))
                with self.assertRaises(CommandError):
                    command(folder=str(self.path))
