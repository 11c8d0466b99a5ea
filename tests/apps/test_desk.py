"""The desk: what asks for an act of each role, in the order of what it costs to wait, and nothing else."""

from datetime import timedelta

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Budget, Code
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.people.models import Membership
from wainwright.reports.reader import Reader
from wainwright.rulebook.models import AllowanceRate, PolicyChange
from wainwright.trips.models import Trip
from wainwright.web.desk import asks


@shows("I6.1")
class DeskTest(WorldTestCase):
    same_on_any_day = True

    def asked(self, member) -> dict[str, object]:
        return {
            ask.what: ask for ask in asks(Reader(Membership.objects.select_related("firm", "person").get(pk=member.pk)))
        }

    def test_an_empty_desk_says_so_in_one_line(self):
        self.enter(self.maren)
        page = self.client.get("/")
        self.assertContains(page, "Nothing asks for you.")
        self.assertNotContains(page, 'id="year"')

    @shows("C6.3")
    def test_a_traveller_is_asked_for_what_is_late_loose_and_next(self):
        claim = self.a_claim()
        Claim.objects.filter(pk=claim.pk).update(due=self.today - timedelta(days=26))
        coming = self.a_trip(starts=2)
        self.a_receipt()
        found = self.asked(self.maren)
        late = found[f"{claim.code} {claim.title}"]
        self.assertIn("26 days late", late.detail)
        (lacks,) = [ask for what, ask in found.items() if "begins in 2 days" in what]
        self.assertIn("it is not sent, 2 moves not booked", lacks.detail)
        self.assertEqual(lacks.link, f"/trips/{coming.pk}/")
        self.assertEqual(next(iter(found)), late.what)
        self.enter(self.maren)
        self.assertContains(self.client.get("/"), f'hx-get="/claims/{claim.pk}/owed/"')

    def test_whoever_decides_sees_what_is_late_first_and_that_nobody_covers(self):
        self.sent_claim()
        (ask,) = self.asked(self.tobias).values()
        self.assertEqual((ask.what, ask.count), ("waits for your decision", 1))
        with clock.at(clock.now() + timedelta(days=20)):
            self.assertIn("waits for your decision, late", self.asked(self.tobias))
        away = self.authorised_trip(who=self.tobias, starts=5)
        self.assertIn(f"Nobody decides while you are on {away.title}", self.asked(self.tobias))

    def test_an_owner_sees_budgets_that_run_out(self):
        code = (
            Code.objects.filter(firm=self.maren.firm, dimension="cost_centre")
            .exclude(owner=None)
            .select_related("owner")
            .first()
        )
        claim = self.sent_claim()
        Budget.objects.filter(firm=self.maren.firm, code=code.code).update(amount_minor=100)
        for budget in Budget.objects.filter(firm=self.maren.firm, code=code.code):
            budget.uses.update_or_create(subject="claim:999", defaults={"actual_minor": 95})
        found = self.asked(code.owner)
        self.assertTrue(any(what.startswith(f"The budget of {code.code}") for what in found), found)
        self.assertTrue(claim.pk)

    def test_finance_is_asked_step_by_step_with_how_much_and_how_old(self):
        claim = self.checked_claim(costs=("33.00",))
        found = self.asked(self.priya)
        ask = found["claim waits for finance"]
        self.assertEqual(
            (ask.count, ask.amount, ask.since), (1, claim.total.amount, clock.day_of(claim.sent, claim.firm.zone))
        )
        from wainwright.claims.services import road  # noqa: PLC0415

        road.clear(self.priya, claim.pk, claim.version)
        self.assertIn("claim is cleared and not posted", self.asked(self.priya))
        claim.refresh_from_db()
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        self.assertEqual(
            self.asked(self.priya)["claim is posted and owed"].amount, Claim.objects.get(pk=claim.pk).owed.amount
        )
        self.assertNotIn("claim waits for finance", self.asked(self.priya))

    def test_an_administrator_is_told_what_begins_runs_out_and_lacks(self):
        firm = self.callum.firm
        PolicyChange.objects.create(
            firm=firm,
            since=self.today + timedelta(days=9),
            subject="x",
            values={},
            said={},
            by=self.callum,
            time=clock.now(),
        )
        AllowanceRate.objects.filter(firm=firm).update(until=self.today + timedelta(days=30))
        Membership.objects.filter(pk=self.aiko.pk).update(manager=None)
        found = self.asked(self.callum)
        self.assertEqual(found["figure changes"].count, 1)
        self.assertGreater(found["allowance rates run out"].count, 1)
        self.assertTrue(any("something is missing" in what for what in found), found)

    def test_whoever_prepares_is_asked_what_the_traveller_is(self):
        Trip.objects.filter(pk=self.a_trip(starts=2).pk).update(state="Sent back")
        self.maren.prepared_by = self.aiko
        try:
            found = asks(Reader(self.maren))
        finally:
            self.maren.prepared_by = None
        self.assertEqual([ask.act for ask in found], ["Mend it"])
