"""Nights without a bill earn a flat sum by themselves, where the scheme has one: never beside a bill, never twice."""

from tests.apps.world import WorldTestCase
from wainwright.claims.models import Claim
from wainwright.claims.selectors import live_file
from wainwright.claims.services import compose
from wainwright.expenses.models import Expense
from wainwright.people.models import new_version
from wainwright.rulebook.models import AllowanceRate
from wainwright.trips.models import Night


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
