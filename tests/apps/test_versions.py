"""A plan once signed: what signers, budgets and the order of travel read does not move with rates and rules."""

from __future__ import annotations

import json
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal

from django.db.models import F

from tests import worlds
from tests.apps.world import FIELD, WorldTestCase, eur
from tests.coverage import shows
from wainwright.accounts.models import BudgetUse
from wainwright.bookings.services import ByHand
from wainwright.people.models import Firm, new_version
from wainwright.rulebook.models import AllowanceRate, Category, RuleSetting
from wainwright.trips import letters
from wainwright.trips.frozen import freeze, thaw
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import basket, plan
from wainwright.trips.services import road as trips
from wainwright.trips.versions import frozen_of


def change_everything_elsewhere():
    """Rates, rules and categories are others from now on."""
    AllowanceRate.objects.update(full_minor=F("full_minor") + 1100)
    RuleSetting.objects.update(level="stop")
    Category.objects.update(name="Renamed")
    for firm in Firm.objects.all():
        firm.rules_version = new_version()
        firm.save()


class SignedPlanTest(WorldTestCase):
    @shows("C10.1", "V2.3")
    def test_signers_budgets_and_order_read_what_was_certified(self):
        trip = self.sent_trip(coding=FIELD, starts=5)
        total = trip.planned
        change_everything_elsewhere()
        file = load_file(self.tobias, trip_for(self.tobias, trip.pk))
        self.assertEqual(file.figures.total, total)
        self.assertEqual([f for f in file.findings if f.open], [])
        self.enter(self.tobias)
        page = self.client.get(f"/bench/trip/{trip.pk}/").content.decode()
        self.assertEqual((str(total) in page, "Renamed" in page), (True, False))
        with self.done():
            self.approve_all("trip", trip.pk)
        used = dict(BudgetUse.objects.values_list("budget__code", "committed_minor"))
        self.assertEqual(used, {"3120": total.minor, "P-0417": total.minor})
        order = self.client.get(f"/trips/{trip.pk}/order/").content.decode()
        self.assertEqual((str(total) in order, "Renamed" in order), (True, False))

    def test_the_order_says_what_was_signed_while_the_plan_is_changed(self):
        trip = self.authorised_trip(starts=5)
        trips.reopen(self.maren, trip.pk)
        plan.change_head(self.maren, trip.pk, "Another title", "For another reason", trip.coding)
        plan.add_other(self.maren, trip.pk, "taxi", "A boat", Decimal(900), "self")
        order = letters.order_html(load_file(self.maren, trip_for(self.maren, trip.pk)), [])
        self.assertEqual(
            [word in order for word in ("Gauge check", str(trip.planned), "Another title")], [True, True, False]
        )

    def test_an_act_on_an_authorised_plan_is_its_next_version_and_moves_nothing_else(self):
        trip = self.authorised_trip(starts=5, coding=FIELD)
        allowance, total = trip.signed.allowance_minor, trip.signed.total_minor
        change_everything_elsewhere()
        at = datetime.combine(trip.starts + timedelta(days=1), time(9), UTC)
        bought = ByHand("fee", "A ferry", "Coast boats", "F-12", eur(30), "self", at)
        basket.by_hand(self.maren, trip.pk, bought)
        last = trip.versions.last()
        self.assertEqual((last.number, last.signed_name), (2, ""))
        self.assertEqual((last.allowance_minor, last.total_minor), (allowance, total + 3000))
        self.assertEqual(Trip.objects.get().signed.number, 1)
        self.assertEqual(set(BudgetUse.objects.values_list("committed_minor", flat=True)), {total + 3000})
        order = letters.order_html(load_file(self.maren, trip_for(self.maren, trip.pk)), [])
        self.assertIn("version 2: recorded: A ferry", order)
        self.assertIn(str(eur(Decimal(total + 3000) / 100)), order)


class RoundTest(worlds.StartedTestCase):
    starts_from = worlds.DEMO

    def test_every_plan_of_the_demo_comes_back_from_its_data_as_it_was(self):
        trips_ = list(Trip.objects.select_related("firm", "traveller__person", "traveller__firm", "signed"))
        self.assertGreater(len(trips_), 10)
        for trip in trips_:
            with self.subTest(trip.title):
                file = load_file(trip.traveller, trip)
                frozen = frozen_of(file, letters.rows_of(file))
                self.assertEqual(thaw(json.loads(json.dumps(freeze(frozen)))), frozen)
                if trip.signed:
                    self.assertEqual(thaw(trip.signed.frozen).figures.total.minor, trip.signed.total_minor)
