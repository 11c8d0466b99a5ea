"""Mileage by kind of vehicle, in the firm's own year and the rate's own unit, in profiles, rides and plans."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.core.mileage import MileageRate, in_km, mileage, mileage_year
from wainwright.core.workings import plain
from wainwright.expenses.forms import RideForm
from wainwright.expenses.models import Expense
from wainwright.expenses.services import rides
from wainwright.formats.places import best_place
from wainwright.outside import service
from wainwright.people.models import Membership, Vehicle, new_version
from wainwright.rulebook.models import MileageRateRow, Policy
from wainwright.trips.models import Leg
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import details, plan

CORK, COBH, DUBLIN = best_place("Cork"), best_place("Cobh"), best_place("Dublin")
MILES = MileageRate(
    "car", date(2026, 1, 1), "GBP", ((Decimal(10_000), Decimal("0.45")), (None, Decimal("0.25"))), unit="mi"
)


@shows("S3.1")
class UnitTest(TestCase):
    def test_a_hundred_miles_are_forty_five(self):
        self.assertEqual(str(mileage(in_km(Decimal(100), "mi"), MILES, Decimal(0)).amount), "45.00")

    @given(st.integers(1, 99_999))
    def test_miles_come_back_exactly(self, tenths):
        miles = Decimal(tenths) / 10
        self.assertEqual(MILES.distance(in_km(miles, "mi")), miles)

    def test_bands_are_in_the_rates_own_unit(self):
        done = mileage(in_km(Decimal(10), "mi"), MILES, in_km(Decimal(9_995), "mi"))
        self.assertEqual(str(done.amount), "3.50")
        self.assertIn("5 mi × 0.45, band up to 10000 mi a year", done.workings.lines()[0])

    def test_a_mileage_year_begins_on_any_day(self):
        for day, month, first, wanted in [
            (date(2026, 4, 5), 4, 6, (date(2025, 4, 6), date(2026, 4, 5))),
            (date(2026, 4, 6), 4, 6, (date(2026, 4, 6), date(2027, 4, 5))),
            (date(2026, 9, 1), 1, 1, (date(2026, 1, 1), date(2026, 12, 31))),
            (date(2026, 3, 1), 2, 29, (date(2026, 3, 1), date(2027, 2, 28))),
            (date(2024, 2, 29), 2, 29, (date(2024, 2, 29), date(2025, 2, 28))),
        ]:
            self.assertEqual(mileage_year(day, month, first), wanted)


class VehiclesTest(WorldTestCase):
    def ride(self, vehicle, km="100", days_ago=9):
        cork, cobh = best_place("Cork"), best_place("Cobh")
        day = self.today - timedelta(days=days_ago)
        return rides.type_ride(
            self.maren, rides.Ride(day, cork, cobh, vehicle, False, 0, Decimal(km), reason="By the quays")
        )

    def version(self):
        self.maren.firm.rules_version = new_version()
        self.maren.firm.save()

    @shows("R7.2")
    def test_each_kind_of_vehicle_fills_its_own_bands(self):
        MileageRateRow.objects.filter(firm=self.maren.firm, vehicle="motorcycle").update(
            bands=[[100, "0.30"], [None, "0.10"]]
        )
        self.version()
        self.ride("car", "4950")
        self.assertEqual(self.ride("motorcycle").amount, eur("30.00"))
        self.assertEqual(self.ride("motorcycle").amount, eur("10.00"))
        self.assertEqual(self.ride("car").amount, eur("35.00"))

    def test_the_firms_year_empties_the_bands(self):
        self.ride("car", "4950", 9)
        self.assertEqual(rides.km_so_far(self.maren, self.today, "car"), 4950)
        begins = self.today - timedelta(days=5)
        Policy.objects.filter(firm=self.maren.firm).update(mileage_month=begins.month, mileage_day=begins.day)
        self.version()
        self.assertEqual(rides.km_so_far(self.maren, self.today, "car"), 0)
        self.assertEqual(self.ride("car", "100", 2).amount, eur("42.00"))

    def test_miles_typed_are_paid_to_the_cent_and_read_as_miles(self):
        MileageRateRow.objects.filter(firm=self.maren.firm, vehicle="car").update(bands=[[None, "0.45"]], unit="mi")
        self.version()
        day = (self.today - timedelta(days=2)).isoformat()
        typed = {
            "date": day,
            "origin": "Cork",
            "target": "Cobh",
            "km": "100",
            "vehicle": "car",
            "reason": "By way of the quays",
        }
        form = RideForm(typed, member=self.maren)
        self.assertTrue(form.is_valid(), form.errors)
        ride = Expense.objects.get(pk=rides.type_ride(self.maren, form.ride()).pk)
        self.assertEqual((ride.amount, ride.label), (eur("45.00"), "Cork – Cobh, 100 mi"))

    @shows("U2.6")
    def test_what_has_a_rate_can_be_in_a_profile_and_on_a_plan(self):
        self.enter(self.maren)
        page = self.client.get("/profile/").content.decode()
        self.assertEqual(["Motorcycle" in page, "Bicycle" in page], [True, True])
        self.client.post("/profile/", {"act": "vehicle", "plate": "B-1", "kind": "bicycle"})
        self.assertEqual(Vehicle.objects.get(owner=self.maren, plate="B-1").kind, "bicycle")
        trip = self.a_trip(starts=20)
        at = datetime.combine(trip.starts - timedelta(days=1), time(9))
        drive = plan.find_drive(
            trip.firm, best_place("Cork"), best_place("Cobh"), at.date(), Decimal(20), vehicle="bicycle"
        )
        plan.add_leg(
            self.maren,
            trip.pk,
            "own car",
            best_place("Cork"),
            best_place("Cobh"),
            at,
            at + timedelta(hours=2),
            drive=drive,
        )
        self.assertEqual(Leg.objects.get(mode="own car").vehicle, "bicycle")
        costs = [
            e for e in load_file(self.maren, trip_for(self.maren, trip.pk)).figures.estimates if e.category == "mileage"
        ]
        self.assertEqual([(e.label, e.amount) for e in costs], [("Own bicycle Cork – Cobh", eur("1.60"))])


class WayToWorkTest(WorldTestCase):
    def setUp(self):
        super().setUp()
        Policy.objects.filter(firm=self.maren.firm).update(commute_off=True)
        Membership.objects.filter(pk=self.maren.pk).update(home_code=COBH.code, work_code=CORK.code)
        self.maren = Membership.objects.select_related("firm", "person").get(pk=self.maren.pk)
        self.maren.firm.rules_version = new_version()
        self.maren.firm.save()
        self.way = service("roads").between(COBH, CORK).km
        self.day = self.today - timedelta(days=9)

    def ride(self, origin, target, back=False, km="100", **more):
        typed = rides.Ride(
            self.day, origin, target, "car", back, 0, Decimal(km), "", reason="By way of the quays", **more
        )
        return rides.type_ride(self.maren, typed)

    @shows("U2.4")
    def test_it_is_taken_off_once_for_each_end_at_home_and_twice_a_day_at_most(self):
        out = self.ride(COBH, DUBLIN)
        self.assertEqual((out.km, out.commute_km, out.one_way_km), (100 - self.way, self.way, 100))
        self.assertIn(f"{plain(self.way)} km from home to work taken off", " ".join(out.workings))
        self.assertEqual(out.amount, eur(str(((100 - self.way) * Decimal("0.42")).quantize(Decimal("0.01")))))
        both = self.ride(COBH, DUBLIN, back=True)
        self.assertEqual((both.km, both.commute_km), (200 - self.way, self.way))
        self.assertEqual(self.ride(DUBLIN, COBH).commute_km, 0)
        self.assertEqual(rides.km_so_far(self.maren, self.day, "car"), 400 - 2 * self.way)
        self.assertEqual(self.ride(CORK, DUBLIN).commute_km, 0)

    def test_the_way_to_work_itself_earns_nothing_and_the_form_says_so(self):
        self.enter(self.maren)
        typed = {"date": self.day, "origin": "Cobh", "target": "Cork", "vehicle": "car", "passengers": 0}
        page = self.client.post("/expenses/ride/", typed)
        self.assertContains(page, "no further than your way to work", status_code=422)
        self.assertContains(page, 'value="Cobh"', status_code=422)
        self.assertFalse(Expense.objects.filter(kind="mileage", owner=self.maren).exists())

    def test_a_ride_that_is_changed_gives_its_way_back_before_it_is_taken_anew(self):
        ride = self.ride(COBH, DUBLIN, back=True)
        self.enter(self.maren)
        page = self.client.get(f"/expenses/{ride.pk}/ride/")
        form = page.context["form"]
        self.assertEqual(form.initial["km"], 100)
        rides.change_ride(self.maren, ride.pk, ride.version, rides.Ride(self.day, COBH, DUBLIN, "car", True, 0, Decimal(120), reason="By way of the quays"))  # fmt: skip
        ride.refresh_from_db()
        self.assertEqual((ride.km, ride.commute_km), (240 - 2 * self.way, 2 * self.way))

    def test_who_has_no_usual_place_of_work_has_nothing_taken_off(self):
        Membership.objects.filter(pk=self.maren.pk).update(work_code="")
        self.maren.refresh_from_db()
        self.assertEqual(self.ride(COBH, DUBLIN).km, 100)

    def test_a_plan_takes_it_off_by_the_trips_own_copy_of_the_profile(self):
        trip = self.a_trip(starts=20)
        at = datetime.combine(trip.starts - timedelta(days=1), time(9))
        drive = plan.find_drive(trip.firm, COBH, DUBLIN, at.date(), Decimal(100), vehicle="car")
        plan.add_leg(self.maren, trip.pk, "own car", COBH, DUBLIN, at, at + timedelta(hours=4), drive=drive)
        found = load_file(self.maren, trip_for(self.maren, trip.pk)).figures.estimates
        (cost,) = (each for each in found if each.category == "mileage")
        self.assertEqual(cost.amount, eur(str(((100 - self.way) * Decimal("0.42")).quantize(Decimal("0.01")))))
        details.change_copy(self.maren, trip.pk, "work", "Dublin", False)
        found = load_file(self.maren, trip_for(self.maren, trip.pk)).figures.estimates
        (cost,) = (each for each in found if each.category == "mileage")
        self.assertEqual(cost.amount, eur("0.00"))

    def test_the_firm_says_so_among_its_figures(self):
        Policy.objects.filter(firm=self.maren.firm).update(commute_off=False)
        self.enter(self.callum)
        page = self.client.get("/rules/figures/")
        data = {name: page.context["form"].initial[name] for name in page.context["form"].initial}
        data = {k: v for k, v in data.items() if v is not False} | {"commute_off": "on", "seen": page.context["seen"], "on": self.today}  # fmt: skip
        self.client.post("/rules/figures/", data)
        self.assertTrue(Policy.objects.get(firm=self.maren.firm).commute_off)
        self.assertEqual(self.ride(COBH, DUBLIN).km, 100 - self.way)
