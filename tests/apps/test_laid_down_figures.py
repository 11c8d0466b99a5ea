"""Mileage rates and the firm's own figures: typed, from a table, from a day on; what has begun stays."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from io import BytesIO

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.apps.test_laying_down import LaidDown
from tests.coverage import shows
from wainwright.core.mileage import rate_on
from wainwright.core.money import Money
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.rulebook import ahead, figures, mileage
from wainwright.rulebook.mileage import MileageTyped
from wainwright.rulebook.models import MileageRateRow, Policy, PolicyChange
from wainwright.rulebook.safeguards import safeguards_of, set_safeguards
from wainwright.rulebook.selectors import mileage_rates, rulebook, vehicle_kinds
from wainwright.trail.models import Entry
from wainwright.web.tasks import every_minute

DAY = timedelta(days=1)


class MileageTest(LaidDown):
    def typed(self, **more) -> MileageTyped:
        return MileageTyped(
            **{
                "vehicle": "car",
                "unit": "km",
                "since": self.today + DAY,
                "bands": "5,000 0.45\nbeyond 0,30",
                "passenger": "0.05",
                **more,
            }
        )

    @shows("P5.2", "S3.1")
    def test_another_rate_from_a_day_on_and_the_one_before_for_its_days(self):
        row = mileage.add_rate(self.callum, self.typed())
        self.assertEqual((row.bands, row.passenger), ([[5000, "0.45"], [None, "0.30"]], Decimal("0.05")))
        rates = mileage_rates(self.firm())
        self.assertEqual(rate_on(rates, "car", self.today).bands[0][1], Decimal("0.42"))
        self.assertEqual(
            rate_on(rates, "car", self.today + DAY).bands, ((Decimal(5000), Decimal("0.45")), (None, Decimal("0.30")))
        )
        self.assertEqual(
            mileage.add_rate(self.callum, self.typed(since=self.today + 2 * DAY, bands=mileage.typed_bands(row))).bands,
            row.bands,
        )
        with self.assertRaisesRegex(Faults, "begins on that day already"):
            mileage.add_rate(self.callum, self.typed())
        mileage.take_out(self.callum, row.pk)
        with self.assertRaises(Stale):
            mileage.take_out(self.callum, row.pk)
        begun = MileageRateRow.objects.filter(firm=self.firm(), vehicle="car").earliest("since")
        with self.assertRaisesRegex(Refusal, "It has begun"):
            mileage.take_out(self.callum, begun.pk)
        self.assertEqual(Entry.objects.filter(subject=mileage.subject(self.callum.firm_id)).count(), 3)

    def test_an_end_and_miles(self):
        mileage.add_rate(self.callum, self.typed(vehicle="Van", unit="mi", since=self.today, bands="0.61"))
        self.assertEqual(vehicle_kinds(self.firm())["van"], "mi")
        mileage.end_vehicle(self.callum, "van", self.today + DAY)
        self.assertIn("van", vehicle_kinds(self.firm()))
        MileageRateRow.objects.filter(vehicle="van").update(since=self.today - DAY)
        MileageRateRow.objects.filter(vehicle="van", bands=[]).update(since=self.today)
        self.callum.firm.__class__.objects.filter(pk=self.callum.firm_id).update(rules_version="ended")
        self.assertNotIn("van", vehicle_kinds(self.firm()))
        with self.assertRaises(LookupError):
            rate_on(mileage_rates(self.firm()), "van", self.today)
        for vehicle, since, error in (
            ("van", self.today + DAY, Refusal),
            ("car", self.today, Refusal),
            ("rocket", self.today + DAY, Stale),
            ("car", None, Refusal),
        ):
            with self.assertRaises(error):
                mileage.end_vehicle(self.callum, vehicle, since)

    def test_everything_that_is_wrong_is_said(self):
        for more, field in (
            ({"vehicle": " "}, "vehicle"), ({"unit": "leagues"}, "unit"), ({"since": self.today - DAY}, "since"), ({"since": None}, "since"), ({"bands": ""}, "bands"),
            ({"bands": "5000 0.4"}, "bands"), ({"bands": "5000 0.4\n4000 0.3\n0.2"}, "bands"), ({"bands": "0.4\n0.3"}, "bands"), ({"bands": "-1"}, "bands"), ({"bands": "nan"}, "bands"),
            ({"bands": "0.12345"}, "bands"), ({"bands": "1 0.1\n" * 20 + "1"}, "bands"), ({"passenger": "much"}, "passenger"), ({"passenger": "-1"}, "passenger"), ({"bands": "1e99"}, "bands"),
        ):  # fmt: skip
            with self.subTest(more), self.assertRaises(Faults) as refused:
                mileage.add_rate(self.callum, self.typed(**more))
            self.assertEqual(list(refused.exception.faults), [field])
        with self.assertRaises(NotAllowed):
            mileage.add_rate(self.priya, self.typed())

    def test_a_table_is_looked_at_then_taken_whole_or_not_at_all(self):
        since = self.today + 30 * DAY
        good = f"vehicle;unit;from;up to;rate;passenger\ncar;km;{since};5000;0,46;0,05\ncar;km;{since};;0,31;\nvan;miles;{since};;0,70;\n"
        lines = mileage.read_table(self.firm(), good.encode())
        self.assertEqual([(line.number, line.faults) for line in lines], [(2, []), (4, [])])
        before = MileageRateRow.objects.count()
        self.enter(self.callum)
        page = self.client.post("/rules/mileage/look/", {"file": SimpleUploadedFile("m.csv", good.encode())})
        self.assertContains(page, "Take 2 rates in")
        self.assertEqual(MileageRateRow.objects.count(), before)
        table = page.context["table"]
        self.client.post("/rules/mileage/take/", {"table": table})
        self.assertEqual(MileageRateRow.objects.count(), before + 2)
        # What goes out comes in again, but for what begins there already.
        again = self.client.get("/rules/mileage.csv").getvalue()
        lines = mileage.read_table(self.firm(), again)
        self.assertEqual(len(lines), MileageRateRow.objects.filter(firm=self.firm()).count())
        self.assertTrue(all(line.faults for line in lines))
        bad = good.replace("0,70", "free").replace(str(since), str(since + DAY))
        page = self.client.post("/rules/mileage/look/", {"file": SimpleUploadedFile("m.csv", bad.encode())})
        self.assertContains(page, "bands: Line 1", status_code=422)
        self.assertEqual(self.client.post("/rules/mileage/take/", {"table": bad}).status_code, 422)
        self.assertEqual(MileageRateRow.objects.count(), before + 2)

    def test_a_workbook_and_hostile_files(self):
        book = openpyxl.Workbook()
        book.active.append(["Vehicle", "From", "Rate"])
        book.active.append(["bicycle", date(2099, 1, 1), 0.1])
        book.active.append(["bicycle", self.today + DAY, 0.11])
        file = BytesIO()
        book.save(file)
        lines = mileage.read_table(self.firm(), file.getvalue())
        self.assertEqual([bool(line.faults) for line in lines], [True, False])
        self.enter(self.callum)
        for content in (
            b"",
            b"\x00\xff",
            b"PK\x03\x04nonsense",
            b"a,b\n1,2\n",
            b"vehicle,from,rate\n",
            b"vehicle,from,rate\n" + b"x,y,z\n" * 6000,
            b"x" * 600_000,
        ):
            with self.subTest(content[:20]):
                page = self.client.post("/rules/mileage/look/", {"file": SimpleUploadedFile("m.csv", content)})
                self.assertEqual(page.status_code, 422)

    def test_the_page(self):
        self.enter(self.callum)
        self.assertContains(self.client.get("/rules/mileage/?like=car"), "up to 5000 km: 0.42; beyond: 0.28")
        form = {"vehicle": "car", "unit": "km", "since": str(self.today + DAY), "bands": "ten", "passenger": ""}
        self.assertContains(self.client.post("/rules/mileage/add/", form), "ten</textarea>", status_code=422)
        self.client.post("/rules/mileage/add/", {**form, "bands": "0.50"})
        self.assertContains(self.client.get("/rules/mileage/"), "0.50 a km")
        self.assertContains(
            self.client.post("/rules/mileage/end/", {"vehicle": "car", "end-on": str(self.today + DAY)}),
            "Take that one out first",
            status_code=422,
        )
        self.assertEqual(
            self.client.post(
                "/rules/mileage/end/", {"vehicle": "bicycle", "end-on": str(self.today + DAY)}
            ).status_code,
            302,
        )
        self.enter(self.priya)
        self.assertContains(self.client.get("/rules/mileage/"), "no rate any more")
        before = MileageRateRow.objects.count()
        self.client.post("/rules/mileage/add/", {**form, "bands": "0.90", "vehicle": "skiff"})
        self.assertEqual(MileageRateRow.objects.count(), before)


class FiguresTest(LaidDown):
    same_on_any_day = True

    def typed(self, **more) -> dict[str, object]:
        policy = Policy.objects.get(firm=self.firm())
        return {name: getattr(policy, name) for name in figures.NAMES} | more

    def seen(self) -> str:
        return figures.digest(Policy.objects.get(firm=self.firm()))

    def test_set_kept_on_the_trail_and_reckoned_with(self):
        seen = self.seen()
        figures.set_figures(
            self.callum,
            self.typed(claim_days=10),
            "Gauge House, Florø, Norway\n\nBunk, Cork, IE",
            "Partner, 62.5 %\nchild, 50",
            seen,
        )
        policy = Policy.objects.get(firm=self.firm())
        self.assertEqual(
            (policy.claim_days, policy.quarters[1]), (10, {"name": "Bunk", "town": "Cork", "country": "IE"})
        )
        self.assertEqual(figures.read_quarters(figures.quarters_text(policy)), policy.quarters)
        self.assertEqual(policy.kin, {"partner": "0.625", "child": "0.5"})
        self.assertEqual(figures.read_kin(figures.kin_text(policy)), policy.kin)
        for kin in ("partner", "partner, much", "partner, 101", "child, 5\nChild, 6", ", 50", "x" * 30 + ", 5"):
            with self.assertRaises(Faults, msg=kin):
                figures.read_kin(kin)
        entry = Entry.objects.filter(subject=figures.subject(self.callum.firm_id)).get()
        self.assertIn('"claim_days": "21"', entry.before)
        for person in (self.maren, self.priya):
            person.firm = self.firm()
        claim = self.a_claim()
        self.assertEqual(claim.due, claim.trip.ends + timedelta(days=10))
        with self.assertRaisesRegex(Stale, "meanwhile"):
            figures.set_figures(self.callum, self.typed(), "", "", seen)

    def test_what_cannot_be_is_refused_with_all_of_it(self):
        before = self.seen()
        bad = self.typed(
            claim_days=0,
            advance_percent=Decimal(101),
            mileage_month=13,
            terms="no",
            advance_unit=Decimal(0),
            drive_km=90_000,
        )
        with self.assertRaises(Faults) as refused:
            figures.set_figures(self.callum, bad, "Nowhere", "partner", before)
        self.assertEqual(
            set(refused.exception.faults),
            {"claim_days", "advance_percent", "mileage_month", "terms", "advance_unit", "drive_km", "quarters", "kin"},
        )
        for quarters in ("A, B", "A, B, Atlantis", "A, Cork, IE\nB, cork, Ireland"):
            with self.assertRaises(Faults):
                figures.set_figures(self.callum, self.typed(), quarters, "", before)
        with self.assertRaises(NotAllowed):
            figures.set_figures(self.priya, self.typed(), "", "", before)
        self.assertEqual(self.seen(), before)

    def test_the_page(self):
        self.enter(self.callum)
        page = self.client.get("/rules/figures/")
        form = {name: value for name, value in page.context["form"].initial.items() if value is not False} | {
            "seen": page.context["seen"],
            "on": str(self.today),
        }
        self.assertEqual(self.client.post("/rules/figures/", form).status_code, 302)
        self.assertContains(
            self.client.post("/rules/figures/", {**form, "claim_days": "x", "terms": "Kept as typed here"}),
            "Kept as typed here",
            status_code=422,
        )
        self.assertContains(self.client.post("/rules/figures/", {**form, "seen": "old"}), "meanwhile", status_code=422)
        self.enter(self.priya)
        self.assertContains(self.client.get("/rules/figures/"), "disabled")
        before = self.seen()
        self.client.post("/rules/figures/", {**form, "claim_days": 5})
        self.assertEqual(self.seen(), before)


class AheadTest(LaidDown):
    same_on_any_day = True

    def typed(self, **more) -> dict[str, object]:
        policy = Policy.objects.get(firm=self.firm())
        return {name: getattr(policy, name) for name in figures.NAMES} | more

    def later(self, since, **more) -> None:
        policy = Policy.objects.get(firm=self.firm())
        texts = figures.quarters_text(policy), figures.kin_text(policy)
        figures.set_figures(self.callum, self.typed(**more), *texts, figures.digest(policy), since)

    def now(self) -> Policy:
        return Policy.objects.get(firm=self.firm())

    def test_figures_hold_on_their_day_and_not_before(self):
        self.later(self.today + 5 * DAY, claim_days=9, km_share=Decimal("12.50"), advance_blocks=True)
        self.later(self.today + 9 * DAY, terms="I certify that all of this is true, and was for the firm.")
        self.assertEqual((self.now().claim_days, ahead.begin_due()), (21, 0))
        # What is set at once meanwhile stays: only what was changed is taken over.
        self.later(self.today, hold_hours=7)
        PolicyChange.objects.filter(values__has_key="claim_days").update(since=self.today)
        every_minute.call_local()
        policy = self.now()
        self.assertEqual(
            (policy.claim_days, policy.km_share, policy.advance_blocks, policy.hold_hours),
            (9, Decimal("12.50"), True, 7),
        )
        self.assertEqual(ahead.begin_due(), 0)
        self.assertEqual(rulebook(self.firm()).policy.claim_days, 9)
        self.assertTrue(
            Entry.objects.filter(subject=figures.subject(self.callum.firm_id), what__startswith="figures hold").exists()
        )
        (left,) = ahead.coming(self.firm(), figures.subject(self.callum.firm_id))
        with self.assertRaises(NotAllowed):
            ahead.call_off(self.priya, left.pk)
        ahead.call_off(self.callum, left.pk)
        with self.assertRaises(Stale):
            ahead.call_off(self.callum, left.pk)

    def test_what_cannot_be_is_said(self):
        for since in (self.today - DAY, self.today + 900 * DAY):
            with self.assertRaisesRegex(Refusal, "from which day"):
                self.later(since, claim_days=9)
        with self.assertRaisesRegex(Refusal, "Nothing is otherwise"):
            self.later(self.today + DAY)
        with self.assertRaises(Faults):
            self.later(self.today + DAY, claim_days=0)
        self.assertFalse(PolicyChange.objects.exists())

    def test_safeguards_from_a_day_on_and_who_needs_a_factor_at_once(self):
        now = safeguards_of(self.firm())
        wanted = replace(
            now, decide_days=9, look_share=40, second_payer=Money.of("500", "EUR"), factor_roles=("auditor",)
        )
        set_safeguards(self.callum, wanted, self.today + 5 * DAY)
        after = safeguards_of(self.firm())
        self.assertEqual(
            (after.decide_days, after.look_share, after.factor_roles), (now.decide_days, now.look_share, ("auditor",))
        )
        PolicyChange.objects.update(since=self.today)
        self.assertEqual(ahead.begin_due(), 1)
        after = safeguards_of(self.firm())
        self.assertEqual((after.decide_days, after.look_share, str(after.second_payer)), (9, 40, "500.00"))
        self.assertTrue(self.now().look_seed)

    def test_the_pages(self):
        self.enter(self.callum)
        policy = self.now()
        form = {
            name: value for name, value in self.typed(claim_days=9).items() if value is not False and value is not None
        }
        form |= {
            "quarters": figures.quarters_text(policy),
            "kin": figures.kin_text(policy),
            "seen": figures.digest(policy),
        }
        answer = self.client.post("/rules/figures/", form | {"on": "2001-01-01"})
        self.assertContains(answer, "today or later", status_code=422)
        self.assertContains(answer, 'value="9"', status_code=422)
        self.client.post("/rules/figures/", form | {"on": str(self.today + DAY)})
        self.assertContains(self.client.get("/rules/figures/"), "Take it back")
        change = PolicyChange.objects.get()
        self.assertRedirects(self.client.post(f"/rules/figures/{change.pk}/off/"), "/rules/figures/")
        safe = {
            "certify_by": "name",
            "look_share": 100,
            "harmless_to": 0,
            "decide_days": 9,
            "remind_days": 2,
            "goes_on_days": 5,
        }
        answer = self.client.post("/rules/safeguards/set/", safe | {"on": "2001-01-01"})
        self.assertContains(answer, "today or later", status_code=422)
        self.client.post("/rules/safeguards/set/", safe | {"on": str(self.today + DAY)})
        self.assertContains(self.client.get("/rules/safeguards/"), "Take it back")
        self.assertEqual(self.now().decide_days, policy.decide_days)
