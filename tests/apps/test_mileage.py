"""Mileage by kind of vehicle, in the firm's own year and the rate's own unit, in profiles, rides and plans."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from tests.apps.world import WorldTestCase, eur
from wainwright.core.mileage import MileageRate, in_km, mileage, mileage_year
from wainwright.expenses.forms import RideForm
from wainwright.expenses.models import Expense
from wainwright.expenses.services import rides
from wainwright.formats.places import best_place
from wainwright.people.models import Vehicle, new_version
from wainwright.rulebook.models import MileageRateRow, Policy
from wainwright.trips.models import Leg
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import plan

MILES = MileageRate(
    "car", date(2026, 1, 1), "GBP", ((Decimal(10_000), Decimal("0.45")), (None, Decimal("0.25"))), unit="mi"
)


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
