"""Every kind of rule is reached on every subject where it means anything, with facts that the application itself feeds."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from decimal import Decimal

from demo.story import proof
from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import compose, drafting
from wainwright.core.money import Money
from wainwright.core.rules import kinds
from wainwright.expenses.models import Expense
from wainwright.expenses.services import editing, rides, taking
from wainwright.expenses.services.editing import PartTyped
from wainwright.formats.places import best_place, place
from wainwright.people.models import new_version
from wainwright.rulebook.models import Policy, RuleSetting
from wainwright.trips.models import Leg, Night, Trip, place_data
from wainwright.trips.selectors import load_file as load_trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import plan

PARAMS = {
    "advances_out": {"most": "0"}, "age": {"days": "5"}, "booked_late": {"days": "30"}, "class_above": {"cabin": "economy"},
    "limit": {"limit": "10.00", "by": "item"}, "missing_evidence": {"over": "10.00"},
    "not_cheapest": {"tolerance": "1.00"}, "off_trip": {"days": "0"}, "over_plan": {"percent": "10", "unplanned": "5.00"},
    "own_car_far": {"km": "10"}, "own_money": {"over": "10.00"}, "paper_missing": {"paper": "agenda"}, "rate_off": {"percent": "3"},
    "required_field": {"field": "guests", "word": "who was there"}, "unwanted": {"words": "pier"}, "split_under": {"limit": "20.00", "near": "50"},
}  # fmt: skip


class FedTest(WorldTestCase):
    """One method for each kind and subject: ``plan_<kind>`` makes a plan, ``claim_<kind>`` a claim, on which it must speak."""

    same_on_any_day = True

    @shows("C1.3", "C3.1")
    def test_every_kind_speaks_wherever_it_means_anything(self):
        wanted = {(code, subject) for code, each in kinds().items() for subject in each.on}
        made = {tuple(reversed(n.split("_", 1))) for n in dir(self) if n.startswith(("plan_", "claim_"))}
        self.assertEqual(wanted, made)
        for code, subject in sorted(wanted):
            with self.subTest(kind=code, subject=subject):
                self.fresh(code)
                thing = getattr(self, f"{subject}_{code}")()
                if subject == "plan":
                    found = load_trip(self.maren, trip_for(self.maren, thing.pk)).findings
                else:
                    claim = Claim.objects.select_related(
                        "firm", "trip__signed", "claimant__person", "claimant__firm"
                    ).get(pk=thing.pk)
                    found = load_file(self.maren, claim).findings
                self.assertIn("fed", [each.finding.rule for each in found])

    def fresh(self, code: str) -> None:
        """Nothing on anybody's plans and claims, and one rule alone."""
        Claim.objects.all().delete()
        Expense.objects.all().delete()
        Booking.objects.all().delete()
        Trip.objects.all().delete()
        RuleSetting.objects.all().delete()
        RuleSetting.objects.create(
            firm=self.maren.firm, code="fed", kind=code, level="note", text="x", params=PARAMS.get(code, {})
        )
        self.maren.firm.rules_version = new_version()
        self.maren.firm.save()

    def booked(self, **more) -> Trip:
        trip = self.a_trip(starts=20)
        Booking.objects.create(
            firm=trip.firm, trip=trip, booker=self.maren, state="Held", carrier="Skerry Air", label="Flight", currency="EUR",
            price_minor=30000, cheapest_minor=10000, departure=clock.now(), asked=clock.now(), once=str(trip.pk), **more,
        )  # fmt: skip
        return trip

    def with_cost(self, **more) -> Claim:
        claim = self.a_claim(costs=())
        cost = self.a_cost(**({"amount": "20.00"} | more))
        compose.put_in(self.maren, claim.pk, [cost.pk])
        self.cost = cost
        return claim

    def driven(self, km="40") -> Expense:
        ride = rides.Ride(
            self.today - timedelta(days=9),
            best_place("Cork"),
            best_place("Cobh"),
            "car",
            False,
            0,
            Decimal(km),
            reason="A detour by the quays",
        )
        return rides.type_ride(self.maren, ride)

    def plan_advances_out(self):
        trip = self.a_trip(starts=20)
        Trip.objects.filter(pk=trip.pk).update(advance_minor=100)
        return trip

    def plan_booked_late(self):
        return self.a_trip(starts=2)

    def plan_card_expiring(self):
        trip = self.a_trip(starts=20)
        trip.profile["card_expires"] = self.today.isoformat()
        trip.save()
        return trip

    def plan_class_above(self):
        return self.booked(cabin="business")

    def plan_not_cheapest(self):
        return self.booked()

    def plan_not_contracted(self):
        return self.booked(contract_passed=True)

    def plan_limit(self):
        return self.a_trip(starts=20)

    def plan_own_money(self):
        trip = self.a_trip(starts=20)
        plan.add_other(self.maren, trip.pk, "taxi", "A boat", Decimal(90), "self")
        return trip

    def plan_split_under(self):
        trip = self.a_trip(starts=20)
        for label in ("A boat", "Another boat"):
            plan.add_other(self.maren, trip.pk, "taxi", label, Decimal(15), "self", trip.starts)
        return trip

    def plan_over_ceiling(self):
        trip = self.a_trip(starts=20)
        Night.objects.filter(trip=trip).update(cost_minor=90000)
        return trip

    def plan_own_car_far(self):
        trip = self.a_trip(starts=20)
        at = datetime.combine(trip.starts - timedelta(days=1), time(9))
        ends = (place("ORK"), best_place("Dublin"))
        plan.add_leg(self.maren, trip.pk, "own car", *ends, at, at + timedelta(hours=3), Decimal(0), "self")
        Leg.objects.filter(trip=trip, mode="own car").update(
            km=Decimal(260), compared={"price": "30.00", "way": "Coach"}
        )
        return trip

    def plan_paper_missing(self):
        return self.a_trip(starts=20)

    def plan_quarters_first(self):
        trip = self.a_trip(starts=20)
        self.quarters()
        Night.objects.filter(trip=trip).update(supplied=False)
        return trip

    def quarters(self):
        Policy.objects.filter(firm=self.maren.firm).update(
            quarters=[{"town": "Bergen", "country": "NO", "name": "Gauge House"}]
        )

    def plan_ride_twice(self):
        trip = self.plan_own_car_far()
        at = datetime.combine(trip.starts - timedelta(days=1), time(18))
        ends = (place("ORK"), best_place("Dublin"))
        plan.add_leg(self.maren, trip.pk, "taxi", *ends, at, at + timedelta(hours=3), Decimal(30), "self")
        return trip

    def plan_weekend(self):
        return self.a_trip(starts=20, days=8)

    def claim_weekend(self):
        return self.with_trip_of(8)

    def with_trip_of(self, days):
        trip = self.authorised_trip(days=days)
        return drafting.claim_trip(self.maren, trip.pk)

    def claim_age(self):
        return self.with_cost()

    def claim_due_soon(self):
        return self.with_cost()

    def claim_duplicate(self):
        self.a_cost(self.aiko, "20.00", merchant="Pier taxi")
        return self.with_cost()

    def claim_evidence_differs(self):
        claim = self.with_cost()
        proof(self.cost, 1)
        Expense.objects.filter(pk=self.cost.pk).update(amount_minor=2500)
        return claim

    def claim_limit(self):
        return self.with_cost()

    def claim_missing_evidence(self):
        return self.with_cost()

    def claim_night_twice(self):
        claim = self.a_claim(costs=())
        night = Night.objects.filter(trip=claim.trip).first()
        for merchant in ("One inn", "Other inn"):
            bill = self.a_cost(amount="90.00", category="lodging", merchant=merchant)
            editing.set_parts(
                self.maren, bill.pk, bill.version, [PartTyped("lodging", "Night", eur(90), night=night.date)]
            )
            compose.put_in(self.maren, claim.pk, [bill.pk])
        return claim

    def claim_off_trip(self):
        return self.with_cost(days_ago=2)

    def claim_over_ceiling(self):
        return self.with_cost(amount="900.00", category="lodging")

    def claim_over_plan(self):
        return self.with_cost(category="supplies")

    def claim_own_car_far(self):
        claim = self.a_claim(costs=())
        compose.put_in(self.maren, claim.pk, [self.driven().pk])
        return claim

    def claim_own_money(self):
        return self.with_cost()

    def claim_paper_missing(self):
        return self.with_cost()

    def claim_quarters_first(self):
        self.quarters()
        claim = self.with_cost(amount="200.00", category="lodging")
        Night.objects.filter(trip=claim.trip).update(supplied=False, full={})
        return claim

    def claim_rate_off(self):
        claim = self.a_claim(costs=())
        cost = self.a_cost(amount="20.00")
        values = {"merchant": "Kiosk", "tax_rate": Decimal(0), "tax": None, "description": "", "guests": "", "heads": 1}
        cost = taking.type_cost(
            self.maren, day=cost.date, category="taxi", amount=Money.of("200.00", "NOK"), paid_by="self",
            receipt_rate=Decimal("8.00"), **values,
        )  # fmt: skip
        compose.put_in(self.maren, claim.pk, [cost.pk])
        return claim

    def claim_required_field(self):
        return self.with_cost()

    def claim_ride_twice(self):
        claim = self.with_cost(merchant="Taxi Cork to Cobh")
        compose.put_in(self.maren, claim.pk, [self.driven().pk])
        return claim

    def claim_split_under(self):
        claim = self.with_cost(amount="15.00")
        compose.put_in(self.maren, claim.pk, [self.a_cost(amount="14.00", merchant="Another taxi").pk])
        return claim

    def claim_unwanted(self):
        return self.with_cost()

    def claim_tax_odd(self):
        return self.with_cost(tax_rate=Decimal("0.25"), tax=eur("1.00"))

    def claim_trip_not_authorised(self):
        claim = self.with_cost()
        Trip.objects.filter(pk=claim.trip_id).update(state="Planning")
        return claim

    def of_rule(self, claim: Claim, rule: str) -> list[str]:
        fresh = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed").get(
            pk=claim.pk
        )
        return [e.finding.text for e in load_file(self.maren, fresh).findings if e.finding.rule == rule]

    def test_a_drive_is_measured_by_what_the_plan_compared_it_with(self):
        self.fresh("own_car_far")
        claim = self.a_claim(costs=())
        compose.put_in(self.maren, claim.pk, [self.driven().pk])
        at = datetime.combine(self.today - timedelta(days=9), time(7), UTC)
        compared = {"price": "4.00", "way": "Coach"}
        Leg.objects.create(
            trip=claim.trip, mode="own car", origin=place_data(best_place("Cork")), target=place_data(best_place("Cobh")),
            leaves_at=at, arrives_at=at + timedelta(hours=1), km=Decimal(40), compared=compared, paid_by="self",
        )  # fmt: skip
        self.assertIn("the cheapest other way that fits to 4.00", " ".join(self.of_rule(claim, "fed")))

    def test_a_taxi_that_was_planned_where_one_drove_is_the_same_ride(self):
        self.fresh("ride_twice")
        claim = self.with_cost(merchant="A cab")
        compose.put_in(self.maren, claim.pk, [self.driven().pk])
        at = datetime.combine(self.today - timedelta(days=9), time(7), UTC)
        Leg.objects.create(
            trip=claim.trip, mode="taxi", origin=place_data(best_place("Cork")), target=place_data(best_place("Cobh")),
            leaves_at=at, arrives_at=at + timedelta(hours=1), paid_by="self",
        )  # fmt: skip
        self.assertIn("is there twice", " ".join(self.of_rule(claim, "fed")))
