"""Nights without a bill earn a flat sum by themselves, where the scheme has one: never beside a bill, never twice."""

from datetime import timedelta
from decimal import Decimal

from tests.apps.world import WorldTestCase
from wainwright.claims.models import Claim
from wainwright.claims.selectors import live_file
from wainwright.claims.services import compose
from wainwright.errors import Refusal
from wainwright.expenses.models import Expense
from wainwright.people.models import new_version
from wainwright.rulebook import rate_sheets
from wainwright.rulebook.models import AllowanceRate
from wainwright.trips.models import Night, Trip
from wainwright.trips.selectors import load_file
from wainwright.trips.services import nights


class FlatNightsTest(WorldTestCase):
    def setUp(self):
        super().setUp()
        firm = self.maren.firm
        row = firm.schemes.get()
        row.data = {**row.data, "nights": {"flat": "20"}}
        row.save()
        AllowanceRate.objects.filter(firm=firm, town="Bergen").update(flat_night_minor=35_00)
        type(firm).objects.filter(pk=firm.pk).update(rules_version=new_version())
        self.maren.firm.refresh_from_db()

    def a_flat_claim(self, paid_by: str = "self") -> Claim:
        trip = self.authorised_trip()
        Night.objects.filter(trip=trip).update(paid_by=paid_by)
        self.a_cost(merchant="Pier taxi")
        return compose.bare_claim(self.maren, trip.pk)

    def flat(self, claim: Claim) -> list[tuple[str, str]]:
        claim = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=claim.pk)
        return [(line.label, str(line.says)) for line in live_file(claim).figures.lines if line.kind == "flat"]

    def lodging(self, claim: Claim) -> Expense:
        cost = self.a_cost(amount="200.00", category="lodging", merchant="Lamp Quay Hotel", days_ago=9)
        Expense.objects.filter(pk=cost.pk).update(claim=claim)
        return cost

    def test_each_night_that_one_pays_oneself_by_the_rate_of_its_place(self):
        claim = self.a_flat_claim()
        self.assertEqual(self.flat(claim), [("Nights without a bill", "70.00")])
        line = next(line for line in live_file(Claim.objects.get(pk=claim.pk)).figures.lines if line.kind == "flat")
        self.assertIn("Bergen, without a bill", " ".join(line.workings))
        self.send_claim(claim)
        self.assertEqual(Claim.objects.get(pk=claim.pk).statement.flat_minor, 70_00)

    def test_nothing_beside_a_bill_or_where_the_firm_pays(self):
        self.assertEqual(self.flat(self.a_flat_claim("firm")), [])
        claim = self.a_flat_claim()
        self.lodging(claim)
        self.assertEqual(self.flat(claim), [])

    def test_a_bill_that_comes_later_takes_back_what_was_paid(self):
        claim = self.a_flat_claim()
        self.post_claim(claim)
        more = compose.bare_claim(self.maren, claim.trip_id)
        self.assertEqual(self.flat(more), [])
        self.lodging(more)
        self.assertEqual(self.flat(more), [("Flat sums, less than claimed before", "-70.00")])

    def test_a_bill_on_the_claim_before_counts_on_the_next_too(self):
        claim = self.a_flat_claim()
        self.lodging(claim)
        self.send_claim(claim)
        more = compose.bare_claim(self.maren, claim.trip_id)
        self.assertEqual(self.flat(more), [])

    def test_no_flat_sum_without_the_scheme(self):
        claim = self.a_flat_claim()
        row = self.maren.firm.schemes.get()
        row.data = {**row.data, "nights": {}}
        row.save()
        AllowanceRate.objects.update(flat_night_minor=None)
        type(self.maren.firm).objects.update(rules_version=new_version())
        self.assertEqual(self.flat(claim), [])

    def test_by_kind_of_lodging_from_the_table_through_the_plan_to_the_claim(self):
        later = self.today + timedelta(days=1)
        table = f"country;town;from;full;ceiling;ceiling private;flat night;flat night private\nNO;Voss;{later};58;160;60;35;12.50\nNO;Nowhere At All;{later};58;;;;\n"
        sheet = rate_sheets.read_sheet(self.callum, "rates.csv", table.encode())
        rows = rate_sheets.checked(sheet)
        self.assertEqual([row.faults for row in rows], [[], []])
        self.assertTrue(rows[1].unknown)
        rate_sheets.take_sheet(self.callum, sheet.pk, 2)
        rate = AllowanceRate.objects.get(town="Voss")
        self.assertEqual((rate.ceilings, rate.flats), ({"private": 60_00}, {"private": 12_50}))
        header, out = rate_sheets.as_rows(self.callum.firm)
        again = rate_sheets.read_sheet(
            self.callum, "again.csv", "\n".join(";".join(each) for each in (header, *out)).encode()
        )
        self.assertEqual({row.what for row in rate_sheets.checked(again)}, {rate_sheets.SAME})
        AllowanceRate.objects.filter(firm=self.maren.firm, town="Bergen").update(
            flats={"private": 12_50}, ceilings={"private": 60_00}
        )
        type(self.maren.firm).objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.maren.firm.refresh_from_db()
        trip = self.a_trip(starts=20)
        dates = [night.date for night in trip.nights.all()]
        self.enter(self.maren)
        page = self.client.get(f"/trips/{trip.pk}/?open=night-{dates[0]}")
        self.assertContains(page, 'name="lodging"')
        form = {
            "night": [str(each) for each in dates],
            "name": "With the harbour master",
            "cost": "70",
            "paid_by": "self",
        }
        self.assertEqual(self.client.post(f"/trips/{trip.pk}/stay/", form | {"lodging": "palace"}).status_code, 422)
        self.client.post(f"/trips/{trip.pk}/stay/", form | {"lodging": "private"})
        self.assertEqual({night.lodging for night in Night.objects.filter(trip=trip)}, {"private"})
        with self.assertRaisesRegex(Refusal, "kind of lodging"):
            nights.set_stay(self.maren, trip.pk, dates, "X", Decimal(1), "self", False, lodging="palace")
        file = load_file(
            self.maren, Trip.objects.select_related("firm", "traveller__person", "traveller__firm").get(pk=trip.pk)
        )
        self.assertEqual({str(each.ceiling) for each in file.figures.nights}, {"60.00"})
        claim = self.a_flat_claim()
        Night.objects.filter(trip=claim.trip).update(lodging="private")
        self.assertEqual(self.flat(claim), [("Nights without a bill", "25.00")])
