"""Queries of every page, at ten and at thousands of rows; hostile input; two pages open at once."""

from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests import worlds
from tests.apps.world import FIELD, WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.expenses.models import CardFile, Charge, Expense, HeldMail
from wainwright.people.models import Card
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip

MOST = 15
HOSTILE = [
    "",
    " ",
    "x" * 20_000,
    "\x00",
    "🧾" * 200,
    "-1",
    "1e999",
    "NaN",
    "'; drop table trips_trip; --",
    "<script>alert(1)</script>",
    "9" * 400,
    "2026-13-45",
    "0001-01-01",
    "9999-12-31",
    "१२",
]


class QueriesTest(WorldTestCase):
    same_on_any_day = True

    def pages(self):
        claim, posted = self.claim, self.posted
        return [
            (self.maren, "/"), (self.maren, "/trips/"), (self.maren, f"/trips/{claim.trip_id}/"), (self.maren, f"/trips/{self.plan.pk}/"),
            (self.maren, f"/trips/{self.plan.pk}/sign/"), (self.maren, f"/trips/{self.plan.pk}/cars/"), (self.maren, f"/trips/{self.plan.pk}/stays/"),
            (self.maren, f"/trips/{self.plan.pk}/ways/?from=ORK&to=BGO&on={self.plan.starts}&when=any&at="), (self.maren, f"/trips/{self.plan.pk}/itinerary/"),
            (self.maren, f"/trips/{claim.trip_id}/order/"), (self.maren, "/profile/"),
            (self.maren, "/tray/"), (self.maren, "/claims/"), (self.maren, f"/claims/{claim.pk}/"), (self.maren, f"/claims/{self.open.pk}/"),
            (self.maren, f"/expenses/{self.expense.pk}/"), (self.tobias, f"/bench/claim/{claim.pk}/"), (self.tobias, f"/bench/trip/{claim.trip_id}/"),
            (self.priya, f"/bench/claim/{posted.pk}/"), (self.priya, "/ledger/"), (self.priya, "/ledger/pay/"), (self.benedikt, "/trail/"),
            (self.callum, "/rules/"), (self.maren, "/find/?q=gauge"), (self.maren, "/news/"), (self.priya, "/"),
        ]  # fmt: skip

    def build(self):
        self.claim = self.sent_claim(coding=FIELD)
        posted = self.cleared_claim(costs=("22.00",))
        self.posted = books.post(self.priya, posted.pk, posted.version)
        self.open = self.a_claim(costs=("23.00", "24.00"))
        self.plan = self.a_trip(starts=20)
        self.expense = self.open.expenses.first()

    def count(self):
        """Queries of every page, once what is kept between requests is there."""
        counts = []
        for member, path in self.pages():
            self.enter(member)
            self.client.get(path)
            with self.subTest(path), self.assertNumQueriesAtMost() as taken:
                self.assertEqual(self.client.get(path).status_code, 200)
            counts.append((path, len(taken)))
        return counts

    def assertNumQueriesAtMost(self):
        test = self

        class Context(CaptureQueriesContext):
            def __exit__(self, *error):
                super().__exit__(*error)
                if error[0] is None:
                    test.assertLessEqual(len(self), MOST, "\n".join(q["sql"][:160] for q in self.captured_queries))

        return Context(connection)

    def grow(self, number: int):
        """Add rows to every list, the fast way."""
        today = worlds.today()
        firm, card = self.maren.firm, Card.objects.get(owner=self.maren)
        Expense.objects.bulk_create(
            Expense(firm=firm, owner=self.maren, claim=self.open, date=today - timedelta(days=9), merchant=f"M{n}", category="taxi", currency="EUR",
                    amount_minor=1000 + n, created=clock.now()) for n in range(number // 10)
        )  # fmt: skip
        Charge.objects.bulk_create(
            Charge(
                firm=firm,
                owner=self.maren,
                card=card,
                bank_id=f"g{n}",
                date=today,
                merchant=f"M{n}",
                currency="EUR",
                amount_minor=n + 1,
            )
            for n in range(number)
        )
        Trip.objects.bulk_create(
            Trip(
                firm=firm,
                traveller=self.maren,
                number=1000 + n,
                title=f"Gauge {n}",
                purpose="x",
                currency="EUR",
                created=clock.now(),
            )
            for n in range(number)
        )
        Claim.objects.bulk_create(
            Claim(firm=firm, claimant=self.maren, number=1000 + n, title=f"Gauge {n}", currency="EUR", created=clock.now(), state="In finance check",
                  sent=clock.now()) for n in range(number)
        )  # fmt: skip
        SignOff.objects.bulk_create(
            SignOff(firm=firm, subject=f"claim:{10**6 + n}", kind="claim", object_id=10**6 + n, order=1, signer=self.tobias, why="x", turn=True,
                    title="A: b", currency="EUR") for n in range(number)
        )  # fmt: skip

    def test_no_page_takes_more_queries_with_more_rows(self):
        self.build()
        # More than a page of anything: where all fits on the first, nothing is counted.
        self.grow(130)
        few = self.count()
        self.grow_again(10_000)
        self.assertEqual(self.count(), few)

    def grow_again(self, number: int):
        Charge.objects.all().delete()
        Trip.objects.filter(number__gte=1000).delete()
        Claim.objects.filter(number__gte=1000).delete()
        SignOff.objects.filter(object_id__gte=10**6).delete()
        self.grow(number)


class HostileTest(WorldTestCase):
    same_on_any_day = True

    def test_a_number_that_no_row_can_have_is_not_there(self):
        self.enter(self.maren)
        for path in (
            "/trips/{}/claim/",
            "/claims/1/advances/{}/",
            "/claims/{}/object/",
            "/trips/{}/move/join/",
            "/bench/queue/{}/take-over/",
        ):
            with self.subTest(path):
                self.assertEqual(self.client.post(path.format(10**19)).status_code, 404)

    def test_no_input_makes_a_page_break(self):
        claim, trip = self.a_claim(), self.a_trip(starts=20)
        expense = claim.expenses.first()
        self.enter(self.maren)
        forms = {
            "/trips/new/": ("title", "purpose", "code-cost_centre", "code-project"), f"/trips/{trip.pk}/head/": ("title", "code-cost_centre"),
            f"/trips/{trip.pk}/legs/": ("mode", "origin", "target", "leaves_day", "leaves_time", "arrives_day", "arrives_time", "estimate"),
            f"/trips/{trip.pk}/stay/": ("night", "name", "cost", "paid_by"), f"/trips/{trip.pk}/meal/": ("meal",),
            f"/trips/{trip.pk}/others/": ("category", "label", "amount", "paid_by"), f"/trips/{trip.pk}/advance/": ("advance", "why"),
            f"/trips/{trip.pk}/explain/": ("identity", "reason", "words"), f"/trips/{trip.pk}/send/": ("version", "name"),
            f"/trips/{trip.pk}/ways/hold/": ("from", "to", "on", "when", "at", "pick0", "instead", "words", "pays", "wish"), f"/trips/{trip.pk}/line/": ("line",),
            f"/trips/{trip.pk}/legs/move/": ("leg", "end", "minutes"), f"/trips/{trip.pk}/legs/{trip.legs.first().pk}/change/": ("mode", "origin", "leaves_day", "km", "odometer_start", "odometer_end", "passengers", "back_day"),
            f"/trips/{trip.pk}/shift/": ("start",), f"/trips/{trip.pk}/stay/stretch/": ("start", "last"), f"/trips/{trip.pk}/stay/split/": ("day",),
            f"/trips/{trip.pk}/quarters/": ("when", "who", "reference"), f"/trips/{trip.pk}/host/": ("first", "last", "meals"), f"/trips/{trip.pk}/questions/": ("q-guests",),
            f"/trips/{trip.pk}/engagements/": ("title", "place", "day", "time"), f"/trips/{trip.pk}/engagements/99999999999999999999/remove/": (), f"/trips/{trip.pk}/permissions/": ("code", "title", "comment"),
            f"/trips/{trip.pk}/papers/": ("kind", "file"), f"/trips/{trip.pk}/split/": ("about", "split-share", "split-coding", "split-by", "kept", "kept-name", "do"), f"/trips/{trip.pk}/copy/": ("name", "value"),
            f"/trips/{trip.pk}/say/": ("text",), f"/trips/{trip.pk}/by-hand/": ("kind", "number", "label", "supplier", "day", "amount", "fee", "paid_by"),
            f"/trips/{trip.pk}/cars/hold/": ("pick", "seats", "words"), f"/trips/{trip.pk}/stays/hold/": ("pick", "words"), "/profile/": ("act", "phone", "itinerary_email", "home", "iban", "last_four", "expires", "plate"),
 "/tray/take/": ("receipt", "charge"), "/tray/personal/": ("charge",),
            "/expenses/new/": ("date", "merchant", "category", "amount", "currency", "rate", "tax_rate", "tax", "heads"),
            "/expenses/ride/": ("date", "origin", "target", "km", "vehicle", "passengers"),
            f"/expenses/{expense.pk}/parts/": ("version", "part-category", "part-label", "part-amount", "part-night", "night-count", "night-price"),
            f"/expenses/{expense.pk}/split/": ("version", "split-coding", "split-share", "split-by", "kept", "do"),
            f"/expenses/{expense.pk}/attach/": ("receipt",), "/claims/new/": ("title",), f"/claims/{claim.pk}/coding/": ("code-cost_centre", "code-task"),
            f"/claims/{claim.pk}/send/": ("version", "name"), f"/claims/{claim.pk}/answer/": ("key", "said", "words", "tick"), f"/claims/{claim.pk}/say/": ("text", "line"),
            f"/claims/{claim.pk}/move/": ("row", "to"), f"/claims/{claim.pk}/split/": ("about", "split-by", "split-coding", "split-share", "kept", "kept-name", "do", "row"),
            f"/claims/{claim.pk}/pays-back/": ("how",), f"/claims/{claim.pk}/withdraw/": ("version",),
        }  # fmt: skip
        for path, fields in forms.items():
            for value in HOSTILE:
                data = dict.fromkeys(fields, value) | {"nights": "1"}
                if path == "/profile/":
                    data["act"] = ("profile", "card", "vehicle", "remove-vehicle")[len(value) % 4]
                with self.subTest(path=path, value=value[:20]):
                    self.assertLess(self.client.post(path, data).status_code, 500)
        for value in HOSTILE:
            for path in (
                f"/trips/{trip.pk}/ways/?from={value[:300]}&to=BGO&on={value[:300]}&when={value[:20]}&at={value[:20]}",
                f"/trips/{trip.pk}/ways/?from=ORK&to=BGO&on={trip.starts}&when=any&at=&pick0={value[:300]}&box={value[:300]}&stops={value[:9]}&after={value[:9]}&part={value[:9]}&instead={value[:99]}",
                f"/trips/{trip.pk}/cars/?origin={value[:300]}&since_day={value[:30]}&seats={value[:30]}",
                f"/trips/{trip.pk}/stays/?night={value[:300]}&pick={value[:300]}&near={value[:300]}",
                f"/find/?q={value[:300]}",
                f"/trips/?page={value[:30]}",
                f"/places/?origin={value[:300]}",
            ):
                self.assertLess(self.client.get(path).status_code, 500)

    def test_one_odd_value_among_good_ones_breaks_nothing(self):
        claim, trip = self.a_claim(), self.a_trip(starts=20)
        expense, day = claim.expenses.first(), self.today.isoformat()
        start = trip.starts.isoformat()
        self.enter(self.maren)
        good = {
            "/expenses/new/": {"date": day, "merchant": "Kiosk", "category": "taxi", "amount": "5", "currency": "NOK", "paid_by": "self", "heads": "1", "rate": "11", "tax_rate": "25", "tax": "1", "guests": "x", "reference": "x"},
            "/expenses/check/": {"date": day, "merchant": "Kiosk", "category": "taxi", "amount": "5", "currency": "EUR", "paid_by": "self", "tax_rate": "25", "tax": "1"},
            "/expenses/ride/": {"date": day, "origin": "Cork", "target": "Cobh", "vehicle": "car", "km": "24", "odometer_start": "", "odometer_end": "", "passengers": "1", "reason": "longer"},
            f"/trips/{trip.pk}/legs/": {"mode": "air", "origin": "BGO", "target": "ORK", "leaves_day": start, "leaves_time": "20:00", "arrives_day": start, "arrives_time": "22:00", "estimate": "10", "paid_by": "firm", "km": "", "passengers": ""},
            f"/trips/{trip.pk}/others/": {"category": "taxi", "label": "x", "amount": "5", "paid_by": "self", "day": start},
            f"/trips/{trip.pk}/stay/": {"night": start, "name": "Inn", "cost": "100", "paid_by": "firm"},
            f"/trips/{trip.pk}/advance/": {"advance": "5", "why": "Cash for the quay"}, f"/trips/{trip.pk}/shift/": {"start": start},
            f"/trips/{trip.pk}/by-hand/": {"kind": "fee", "number": "N-1", "label": "x", "supplier": "x", "day": start, "amount": "5", "paid_by": "self"},
            f"/trips/{trip.pk}/engagements/": {"title": "x", "place": "BGO", "day": start, "time": "10:00"},
            f"/expenses/{expense.pk}/change/": {"version": str(expense.version), "change-date": day, "change-merchant": "Kiosk", "change-category": "taxi", "change-amount": "5", "change-currency": "EUR", "change-paid_by": "self", "change-heads": "1"},
            f"/expenses/{expense.pk}/parts/": {"version": str(expense.version), "part-category": "taxi", "part-label": "x", "part-amount": "20.00", "part-night": "", "part-tax": ""},
            f"/expenses/{expense.pk}/own-share/": {"version": str(expense.version), "personal": "5"},
            f"/expenses/{expense.pk}/split/": {"version": str(expense.version), "split-coding": "3120", "split-share": "100"},
            "/profile/": {"act": "card", "last_four": "1234", "issuer": "x", "expires": "2030-01-01", "password": "harbour-tide-9"},
        }  # fmt: skip
        odd = ("1E+1000000", "²", "0001-01-01", "<![", "NaN", "\x00")
        for path, data in good.items():
            for name in data:
                for value in odd:
                    with self.subTest(path=path, name=name, value=value[:12]):
                        self.assertLess(self.client.post(path, data | {name: value}).status_code, 500)

    def test_no_input_breaks_how_costs_get_in(self):
        expense, receipt = self.a_cost(amount="142.00"), self.a_receipt()
        self.a_receipt(expense)
        card = Card.objects.filter(owner=self.maren).first()
        file = self.looked(self.maren, "c.csv", b"Day;Shop;Sum\n2026-01-01;Pier;1.00\n")
        charge = Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=card, bank_id="h1", date=self.today, merchant="PIER", currency="EUR", amount_minor=100,
        )  # fmt: skip
        mail = HeldMail.objects.create(
            member=self.maren, sender="a@b.example", subject="x", sha256="1", time=clock.now()
        )
        costs, rides = (
            ("date", "merchant", "category", "amount", "currency", "tax_rate", "paid_by", "description"),
            ("date", "origin", "target", "via", "km", "vehicle", "passengers"),
        )
        page = receipt.pages.first()
        forms = {
            "/tray/sort/": ("act", "row", "to", "reason", "email"), "/tray/undo/": (), "/tray/issuer/": ("card",), f"/tray/mails/{mail.pk}/": ("act",), f"/tray/mails/{10**19}/": ("act",), f"/receipts/{10**19}/join/": ("other",), f"/receipts/{10**19}/trip/": ("trip",),
            f"/tray/card-file/{file.pk}/columns/": ("column-date", "column-merchant", "column-amount", "card"), f"/tray/card-file/{file.pk}/take/": ("doubtful",),
            f"/receipts/{receipt.pk}/take/": (*costs, "rate", "tax", "heads"), f"/receipts/{receipt.pk}/join/": ("other",), f"/receipts/{receipt.pk}/trip/": ("trip",),
            "/expenses/check/": (*costs, "rate", "tax", "heads", "expense"), "/expenses/ride/check/": (*rides, "odometer_start", "odometer_end", "reason"),
            "/expenses/grid/": ("rows", "paste", *(f"r0-{name}" for name in costs)), "/expenses/rides/": ("rows", *(f"r0-{name}" for name in rides)),
            f"/expenses/{expense.pk}/change/": tuple(f"change-{name}" for name in costs), f"/expenses/{expense.pk}/personal/": ("version", "personal"),
            f"/expenses/{expense.pk}/lost/": ("words", "name"), f"/expenses/{expense.pk}/order/": ("receipt",),
            f"/expenses/{expense.pk}/parts/": ("version", "part-category", "part-label", "part-amount", "part-tax", "part-night", "part-meal", "part-code", "part-personal", "rest", "night-first", "night-count", "night-price", "night-tax"),
            **({f"/receipts/pages/{page.pk}/cut/": ("way", "at"), f"/receipts/pages/{page.pk}/off/": ("back",)} if page else {}),
        }  # fmt: skip
        acts = ("take", "claim", "personal", "aside", "back", "give", "refuse")
        self.enter(self.maren)
        for path, fields in forms.items():
            for n, value in enumerate(HOSTILE):
                data = dict.fromkeys(fields, value)
                if path == "/tray/sort/":
                    data |= {
                        "act": acts[n % len(acts)],
                        "row": f":{charge.pk}" if n % 2 else value,
                        "to": f"trip:{value}",
                    }
                elif path == "/expenses/grid/" and n % 2:
                    data |= {"rows": "3", "paste": f"Date\tAmount\t{value}\n{value}\t{value}\n"}
                elif "grid" in path or "rides" in path:
                    data |= {"rows": "3", "paste": ""}
                with self.subTest(path=path, value=value[:20]):
                    self.assertLess(self.client.post(path, data).status_code, 500)
        self.enter(self.priya)
        for value in HOSTILE:
            for path, fields in {"/ledger/loose/remind/": ("charge",), f"/ledger/cards/{card.pk}/": ("since", "closed", "account"), "/rates/take/": ("file",)}.items():  # fmt: skip
                self.assertLess(self.client.post(path, dict.fromkeys(fields, value)).status_code, 500)
            for path in (
                f"/ledger/loose/?person={value[:300]}&card={value[:9]}&age={value[:9]}&page={value[:9]}",
                f"/rates/?amount={value[:300]}&currency={value[:300]}&day={value[:30]}",
                f"/tray/?card={value[:300]}&month={value[:30]}&kind={value[:30]}&trip={value[:300]}&page={value[:9]}",
            ):
                self.assertLess(self.client.get(path).status_code, 500)

    def test_days_at_the_ends_of_time_are_refused_in_words(self):
        trip, expense = self.a_trip(starts=20), self.a_cost(amount="142.00")
        self.enter(self.maren)
        for day in ("0001-01-01", "1999-12-31", "9999-12-31"):
            leg = {
                "mode": "air",
                "origin": "ORK",
                "target": "BGO",
                "leaves_day": day,
                "leaves_time": "09:00",
                "arrives_time": "12:00",
                "paid_by": "firm",
            }
            cost = {
                "date": day,
                "merchant": "x",
                "category": "taxi",
                "amount": "1",
                "currency": "NOK",
                "paid_by": "self",
            }
            ride = {"date": day, "origin": "Cork", "target": "Cobh", "vehicle": "car"}
            nights = {
                "version": expense.version,
                "nights": "1",
                "night-count": "3",
                "night-first": day,
                "night-price": "10",
            }
            for path, data in [
                (f"/trips/{trip.pk}/legs/", leg),
                ("/expenses/new/", cost),
                ("/expenses/ride/", ride),
                (f"/expenses/{expense.pk}/parts/", nights),
            ]:
                with self.subTest(day=day, path=path):
                    self.assertEqual(self.client.post(path, data).status_code, 422)
            ways = self.client.get(f"/trips/{trip.pk}/ways/?from=ORK&to=BGO&on={day}&when=any&at=")
            self.assertContains(ways, "has passed" if day < "2025" else "days ahead", status_code=422)

    def test_what_was_typed_is_still_there(self):
        trip = self.a_trip(starts=20)
        self.enter(self.maren)
        response = self.client.post(
            f"/trips/{trip.pk}/legs/",
            {"mode": "air", "origin": "Nowhere at all", "target": "Bergen", "estimate": "12,50"},
        )
        self.assertContains(response, "No place is known as “Nowhere at all”", status_code=422)
        self.assertContains(response, 'value="12,50"', status_code=422)
        cost = self.client.post(
            "/expenses/new/",
            {
                "date": "2026-02-30",
                "merchant": "Pier taxi",
                "amount": "1.234,56",
                "currency": "EUR",
                "category": "taxi",
                "paid_by": "self",
            },
        )
        self.assertContains(cost, 'value="1.234,56"', status_code=422)

    @shows("R1.1")
    def test_files_that_are_no_receipts_and_no_statements(self):
        self.enter(self.maren)
        bomb = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj 2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj 3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 99999999 99999999]>>endobj\ntrailer<</Root 1 0 R>>"
        for name, content in [
            ("a.jpg", b"MZ\x90\0" * 99),
            ("b.pdf", bomb),
            ("c.pdf", b"%PDF-1.7"),
            ("d.png", b"\x89PNG\r\n\x1a\n" + b"\0" * 99),
            ("e", b"\xff\xd8\xff" + b"\0" * 30),
        ]:
            with self.subTest(name), self.done():
                response = self.client.post("/tray/drop/", {"files": SimpleUploadedFile(name, content)}, follow=True)
                self.assertEqual(response.status_code, 200)
        for content, words in [
            (b"", "empty"),
            (b"just some text", "This is no table"),
            (b"OFXHEADER:100\nDATA:OFXSGML\n\n<OFX><STM", "damaged"),
            (b"<?xml version='1.0'?><!DOCTYPE x [<!ENTITY a 'b'>]><OFX>&a;</OFX>", "entities"),
            (b"\xff\xfe" + "OFX".encode("utf-16") * 9, "This is no table"),
        ]:
            with self.subTest(words):
                with self.done():
                    response = self.client.post(
                        "/tray/card-file/", {"file": SimpleUploadedFile("c.ofx", content)}, follow=True
                    )
                if words != "empty":
                    file = CardFile.objects.latest("pk")
                    response = self.client.get(f"/tray/card-file/{file.pk}/")
                self.assertContains(response, words)
        self.assertEqual(self.client.post("/tray/drop/", {}, follow=True).status_code, 200)

    def test_a_stale_page_and_the_back_button(self):
        claim = self.sent_claim()
        self.enter(self.maren)
        again = self.client.post(
            f"/claims/{claim.pk}/send/", {"version": claim.version - 1, "name": "Maren Oyelaran"}, follow=True
        )
        self.assertContains(again, "another page")
        self.enter(self.tobias)
        version = Claim.objects.get(pk=claim.pk).version
        self.client.post(f"/bench/claim/{claim.pk}/approve/", {"version": version})
        version = Claim.objects.get(pk=claim.pk).version
        twice = self.client.post(f"/bench/claim/{claim.pk}/approve/", {"version": version}, follow=True)
        self.assertContains(twice, "decided this already")

    def test_names_are_shown_and_never_run(self):
        trip = self.a_trip(starts=20)
        self.enter(self.maren)
        self.client.post(
            f"/trips/{trip.pk}/head/",
            {"title": "<script>alert(1)</script>", "purpose": "abc", "code-cost_centre": "3120"},
        )
        page = self.client.get(f"/trips/{trip.pk}/").content.decode()
        self.assertIn("&lt;script&gt;alert(1)", page)
        self.assertNotIn("<script>alert", page)

    @shows("C1.1")
    def test_a_cost_is_typed_and_claimed_by_pages_alone(self):
        self.enter(self.maren)
        typed = {
            "date": worlds.today().isoformat(),
            "merchant": "Pier taxi",
            "category": "taxi",
            "amount": "19,60",
            "currency": "EUR",
            "paid_by": "self",
        }
        self.assertEqual(self.client.post("/expenses/new/", typed).status_code, 302)
        self.assertEqual(Expense.objects.get().amount, eur("19.60"))
        response = self.client.post("/claims/new/", {"title": "October odds"}, follow=True)
        self.assertContains(response, "October odds")
