"""A small world for tests of services and pages: the demo's firms and people, and shortcuts along the road."""

from __future__ import annotations

from contextlib import nullcontext
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal

from demo.story import proof
from tests import worlds
from tests.codings import coded
from wainwright import clock
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, compose, road
from wainwright.core.coding import Coding
from wainwright.core.money import Money
from wainwright.expenses.models import Expense, Receipt
from wainwright.expenses.services import charges, taking
from wainwright.formats.places import place
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip
from wainwright.trips.services import plan
from wainwright.trips.services import road as trips
from wainwright.web import lasting

FIELD = coded("3120", "P-0417", "field")
OFFICE = coded("3120")


def eur(amount) -> Money:
    return Money.of(str(amount), "EUR")


class World:
    """Shortcuts; every one goes through the services."""

    @classmethod
    def meet_the_people(cls):
        cls.today = worlds.today()
        for name, member in worlds.people().items():
            setattr(cls, name, member)

    def done(self):
        """Run what waits for the transaction to be kept, as a request would."""
        return self.captureOnCommitCallbacks(execute=True)

    def take_file(self, member, name, content):
        """Look at a file and take what is new of it."""
        return charges.take_file(member, self.looked(member, name, content).pk)

    def looked(self, member, name, content):
        with self.done():
            return charges.look_at(member, name, content)

    def a_trip(self, who=None, starts: int = -10, days: int = 3, coding: Coding = OFFICE) -> Trip:
        """A planned trip to Bergen and back by typed legs."""
        who = who or self.maren
        trip = plan.start_trip(who, "Gauge check", "Checking a gauge", coding)
        first, home, there = self.today + timedelta(days=starts), place("ORK"), place("BGO")
        last = first + timedelta(days=days - 1)
        at = datetime.combine
        plan.add_leg(who, trip.pk, "air", home, there, at(first, time(9)), at(first, time(14)), Decimal(200), "firm")
        plan.add_leg(who, trip.pk, "air", there, home, at(last, time(15)), at(last, time(18)), Decimal(0), "firm")
        return Trip.objects.get(pk=trip.pk)

    def sent_trip(self, **options) -> Trip:
        trip = self.a_trip(**options)
        member = trip.traveller
        trips.send(member, trip.pk, trip.version, member.person.name)
        return Trip.objects.get(pk=trip.pk)

    def authorised_trip(self, **options) -> Trip:
        trip = self.sent_trip(**options)
        with self.done():
            self.approve_all("trip", trip.pk)
        trips.move_along(datetime.combine(self.today, time(12), UTC))
        return Trip.objects.get(pk=trip.pk)

    def a_cost(
        self, who=None, amount="20.00", category="taxi", days_ago: int = 9, paid_by: str = "self", **more
    ) -> Expense:
        values = {
            "merchant": "Pier taxi",
            "tax_rate": Decimal(0),
            "tax": None,
            "description": "",
            "guests": "",
            "heads": 1,
        } | more
        day = self.today - timedelta(days=days_ago)
        return taking.type_cost(
            who or self.maren, day=day, category=category, amount=eur(amount), paid_by=paid_by, **values
        )

    def a_claim(self, who=None, costs=("20.00",), coding: Coding = OFFICE) -> Claim:
        """An open claim of a trip that is back."""
        who = who or self.maren
        trip = self.authorised_trip(who=who, coding=coding)
        for number, amount in enumerate(costs):
            self.a_cost(who, amount, merchant=f"Pier taxi {number}")
        return compose.bare_claim(who, trip.pk)

    def sent_claim(self, **options) -> Claim:
        claim = self.a_claim(**options)
        self.send_claim(claim)
        return Claim.objects.get(pk=claim.pk)

    def send_claim(self, claim: Claim) -> None:
        claim = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=claim.pk)
        member = claim.claimant
        for each in load_file(member, claim).findings:
            if each.open:
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                compose.explain(member, claim.pk, [each.finding], [each.finding.identity], reason, "It had to be so")
        road.send(member, claim.pk, Claim.objects.get(pk=claim.pk).version, member.person.name)

    def checked_claim(self, **options) -> Claim:
        """A claim that finance has to check."""
        claim = self.sent_claim(**options)
        with self.done():
            self.approve_all("claim", claim.pk)
        return Claim.objects.get(pk=claim.pk)

    def cleared_claim(self, **options) -> Claim:
        claim = self.checked_claim(**options)
        road.clear(self.priya, claim.pk, claim.version)
        return Claim.objects.get(pk=claim.pk)

    def post_claim(self, claim: Claim) -> None:
        """Send an open claim and take it to the ledger: signed, cleared, posted."""
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        with self.done():
            books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)

    def approve_all(self, kind: str, object_id: int) -> list[str]:
        """Let everybody on the route sign in turn; return their names."""
        names = []
        while (
            waiting := SignOff.objects.filter(kind=kind, object_id=object_id, state="Waiting", turn=True)
            .select_related("signer__person", "signer__firm")
            .first()
        ):
            bench.approve(waiting.signer, kind, object_id)
            names.append(waiting.signer.person.name)
        return names

    def a_receipt(self, expense: Expense | None = None, who=None, name="r.jpg") -> Receipt:
        """A receipt with a real picture, as if read."""
        expense = expense or self.a_cost(who)
        proof(expense, 1)
        return Receipt.objects.latest("pk")

    def enter(self, member, client=None):
        """Sign a person in."""
        client = client or self.client
        client.force_login(member.person)
        session = client.session
        session["firm"] = member.firm_id
        # As after the first click: that one writes when the session began.
        session[lasting.BEGAN] = session[lasting.SEEN] = clock.machine().isoformat()
        session.save()
        return client


class WorldTestCase(World, worlds.StartedTestCase):
    """Each test in its own transaction."""

    starts_from = worlds.BARE

    @classmethod
    def setUpTestData(cls):
        cls.meet_the_people()


class WorldTransactionTestCase(World, worlds.StartedTransactionTestCase):
    """Tests that need real transactions: threads, processes that die."""

    starts_from = worlds.BARE

    def setUp(self):
        type(self).meet_the_people()

    def done(self):
        """Nothing has to be run by hand: transactions are real here."""
        return nullcontext()
