"""The read model of spending: current after every act, the same as built anew, and the same as its sources."""

from datetime import timedelta
from decimal import Decimal

from django.core.management import CommandError, call_command
from django.db.models import F, Sum

from tests.apps.world import WorldTestCase
from wainwright import clock
from wainwright.claims.models import Claim, StatementCoding
from wainwright.claims.services import closing, road
from wainwright.core.coding import Coding
from wainwright.core.splits import SplitPart
from wainwright.expenses.models import Expense
from wainwright.expenses.services import editing
from wainwright.reports import following
from wainwright.reports.models import Follow, Head, SpendLine, Stage
from wainwright.trips.models import Trip
from wainwright.trips.services import road as trips


class ReadModelTest(WorldTestCase):
    same_on_any_day = True

    def setUp(self):
        self.firm = self.maren.firm

    def stages(self) -> dict[str, Decimal]:
        """What stands at each stage, once it is caught up with; and it is the same as built anew."""
        following.catch_up(self.firm)
        now = list(following.lines_as_they_are(self.firm))
        following.rebuild(self.firm)
        self.assertEqual(now, list(following.lines_as_they_are(self.firm)))
        rows = (
            SpendLine.objects.filter(firm=self.firm)
            .values_list("stage")
            .annotate(s=Sum(F("net_minor") + F("tax_minor")))
        )
        return {Stage(stage).label: Decimal(minor) / 100 for stage, minor in rows}

    def test_a_trip_and_its_claim_on_their_road_count_once(self):
        trip = self.sent_trip(starts=-10)
        planned = Decimal(trip.planned.minor) / 100
        self.assertEqual(self.stages(), {"planned": planned})
        with self.done():
            self.approve_all("trip", trip.pk)
        self.assertEqual(self.stages(), {"committed": planned})
        claim = self.a_claim(costs=("30.00", "12.50"))
        other = Decimal(claim.trip.planned.minor) / 100
        # What lies on the open claim of an authorised trip is what its plan stands for already.
        self.assertEqual(self.stages(), {"committed": planned + other})
        self.send_claim(claim)
        claim = Claim.objects.get(pk=claim.pk)
        whole = claim.total.amount
        self.assertEqual(self.stages(), {"committed": planned, "claimed": whole})
        with self.done():
            self.approve_all("claim", claim.pk)
        self.assertEqual(self.stages(), {"committed": planned, "approved": whole})
        claim.refresh_from_db()
        road.clear(self.priya, claim.pk, claim.version)
        self.assertEqual(self.stages(), {"committed": planned, "approved": whole})

    def test_what_is_posted_comes_to_what_its_statement_bears(self):
        claim = self.a_claim(costs=("60.00",))
        expense = claim.expenses.first()
        editing.set_split(self.maren, expense.pk, expense.version, [SplitPart(Coding.of([("cost_centre", "3120")]), Decimal(70)), SplitPart(Coding.of([("cost_centre", "3140")]), Decimal(30))])  # fmt: skip
        self.post_claim(Claim.objects.get(pk=claim.pk))
        claim.refresh_from_db()
        self.assertEqual(self.stages(), {"posted": claim.total.amount})
        lines = SpendLine.objects.filter(claim=claim)
        bears = StatementCoding.objects.filter(
            line__statement=claim.statement_id, personal=False, over=False, refused=False
        )
        self.assertEqual(
            lines.aggregate(n=Sum("net_minor"), t=Sum("tax_minor"), a=Sum("all_tax_minor")),
            bears.aggregate(n=Sum("net_minor"), t=Sum("recoverable_minor"), a=Sum("tax_minor")),
        )
        split = dict(lines.filter(key=expense.key).values_list("kept__parts__code", "net_minor"))
        self.assertEqual({split["3120"], split["3140"]}, {4200, 1800})

    def test_loose_costs_are_recorded_and_go_with_what_becomes_of_them(self):
        cost = self.a_cost(amount="44.00", merchant="Quay Stores Ltd 0042")
        self.assertEqual(self.stages(), {"recorded": Decimal("44.00")})
        line = SpendLine.objects.get(firm=self.firm)
        self.assertEqual((line.merchant, line.member_id, line.key), ("quay stores", self.maren.pk, cost.key))
        editing.set_personal(self.maren, cost.pk, cost.version, "25 %")
        self.assertEqual(self.stages(), {"recorded": Decimal("33.00")})
        Expense.objects.get(pk=cost.pk).delete()
        following.look_again(self.firm)
        self.assertFalse(Head.objects.filter(kind="expense", firm=self.firm).exists())

    def test_what_is_sent_back_taken_back_or_withdrawn_is_no_claim_any_more(self):
        claim = self.sent_claim()
        plan = Decimal(claim.trip.planned.minor) / 100
        self.assertEqual(set(self.stages()), {"claimed"})
        road.take_back(self.maren, claim.pk)
        self.assertEqual(self.stages(), {"committed": plan})
        closing.withdraw(self.maren, claim.pk, Claim.objects.get(pk=claim.pk).version)
        self.assertEqual(self.stages(), {"committed": plan, "recorded": Decimal("20.00")})

    def test_an_authorised_plan_stands_while_it_is_opened_again(self):
        trip = self.authorised_trip(starts=20)
        before = self.stages()
        trips.reopen(self.maren, trip.pk)
        self.assertEqual(Trip.objects.get(pk=trip.pk).state, "Planning")
        self.assertEqual(self.stages(), before)

    def test_where_nothing_happened_nothing_is_looked_for(self):
        self.sent_trip(starts=20)
        self.assertEqual(following.catch_up(self.firm).left, 0)
        with self.assertNumQueries(2):
            following.catch_up(self.firm)

    def test_of_very_much_at_once_it_says_what_is_left_and_the_worker_reads_it(self):
        for n in range(5):
            self.a_cost(amount=f"{n + 1}.00")
        self.assertEqual(following.catch_up(self.firm, most=2).left, 3)
        self.assertEqual(SpendLine.objects.filter(firm=self.firm).count(), 2)
        following.follow_everywhere()
        self.assertEqual(SpendLine.objects.filter(firm=self.firm).count(), 5)
        self.assertEqual(Follow.objects.get(firm=self.firm).left, 0)

    def test_one_command_builds_it_anew(self):
        self.a_cost(amount="9.00")
        call_command("rebuild_spending", self.firm.slug)
        self.assertEqual(SpendLine.objects.filter(firm=self.firm).count(), 1)
        with self.assertRaisesRegex(CommandError, "no firm nobody"):
            call_command("rebuild_spending", "nobody")

    def test_a_cost_abroad_is_of_its_country_and_the_night_says_the_town(self):
        claim = self.sent_claim()
        following.catch_up(self.firm)
        line = SpendLine.objects.filter(claim=claim, category="taxi").get()
        self.assertEqual(line.country, "NO")
        self.assertEqual(line.town, "Bergen")
        self.assertLess(line.day, clock.today(self.firm.zone) + timedelta(days=1))
