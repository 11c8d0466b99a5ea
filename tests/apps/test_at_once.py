"""Many people at once: every act is done once, every number is counted once, the trail is one chain, and nobody sees an error."""

from __future__ import annotations

import random
import threading
from unittest import mock

from django.db import IntegrityError, OperationalError, connection, connections, transaction
from django.test import Client

from tests.apps.world import OFFICE, WorldTransactionTestCase
from wainwright.claims.models import Claim
from wainwright.expenses.models import Expense
from wainwright.people.models import Membership
from wainwright.trail.selectors import check_chain
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services import itinerary, plan
from wainwright.web.again import in_the_way

EACH = 6


class AtOnceTest(WorldTransactionTestCase):
    same_on_any_day = True

    def at_once(self, works):
        """Run works in threads that begin together; return what each gave, or raised."""
        gate, found = threading.Barrier(len(works)), [None] * len(works)

        def run(number, work):
            try:
                gate.wait(60)
                found[number] = work()
            except (AssertionError, OperationalError, IntegrityError) as error:
                found[number] = error
            finally:
                connections.close_all()

        threads = [threading.Thread(target=run, args=pair) for pair in enumerate(works)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(120)
        return found

    def test_trips_costs_and_claims_of_many(self):
        people = [self.maren, self.aiko, self.jonas, self.luca]

        def work(member, seed):
            client, dice, codes = Client(raise_request_exception=False), random.Random(seed), []
            client.force_login(member.person)
            for n in range(EACH):
                kind = dice.choice(("trip", "cost", "claim"))
                if kind == "trip":
                    got = client.post(
                        "/trips/new/",
                        {"title": f"Journey {seed} {n}", "purpose": "At once", "code-cost_centre": "3120"},
                    )
                elif kind == "cost":
                    row = {
                        "date": f"{self.today:%Y-%m-%d}",
                        "merchant": f"M{seed} {n}",
                        "category": "taxi",
                        "amount": "5.00",
                        "currency": "EUR",
                        "paid_by": "self",
                    }
                    got = client.post("/expenses/new/", row)
                else:
                    got = client.post("/claims/new/", {"title": f"Journey {seed} {n}"})
                codes.append((kind, got.status_code))
            return codes

        found = self.at_once([lambda pair=(member, seed): work(*pair) for seed, member in enumerate(people * 2)])
        done = [each for codes in found for each in codes]
        self.assertEqual({code for _, code in done}, {302}, found)
        for kind, model in (("trip", Trip), ("cost", Expense), ("claim", Claim)):
            self.assertEqual(model.objects.count(), sum(each[0] == kind for each in done))
        for model in (Trip, Claim):
            numbers = sorted(model.objects.values_list("number", flat=True))
            self.assertEqual(numbers, list(range(1, len(numbers) + 1)))
        self.assertIsNone(check_chain())

    def test_two_that_wait_for_each_other_are_both_done_in_the_end(self):
        if connection.vendor == "sqlite":
            # One writes at a time, whoever comes later waits: nobody is undone.
            pair = [
                lambda: plan.start_trip(self.maren, "One of two", "To see it", OFFICE),
                lambda: plan.start_trip(self.aiko, "Two of two", "To see it", OFFICE),
            ]
            self.assertEqual(len({trip.number for trip in self.at_once(pair)}), 2)
            return
        first, second = sorted([self.maren, self.aiko], key=lambda each: each.pk)
        met = threading.Barrier(2)

        def act(one, other):
            with transaction.atomic():
                Membership.objects.select_for_update(no_key=True).get(pk=one.pk)
                met.wait(60)
                Membership.objects.select_for_update(no_key=True).get(pk=other.pk)
                record(self.maren, "did", "x:1")

        found = self.at_once([lambda: act(first, second), lambda: act(second, first)])
        wrong = [each for each in found if each is not None]
        self.assertEqual(len(wrong), 1)
        self.assertTrue(in_the_way(wrong[0]))

    def test_what_was_in_the_way_is_done_once_more_and_other_faults_are_not(self):
        class Undone(Exception):
            sqlstate = "40P01"

        real, tried = plan.start_trip, []

        def start(*words, **more):
            tried.append(1)
            if len(tried) < 3:
                raise OperationalError("deadlock detected") from Undone()
            return real(*words, **more)

        self.enter(self.maren)
        typed = {"title": "Again and again", "purpose": "To see it", "code-cost_centre": "3120"}
        with mock.patch.object(itinerary, "start_trip", start):
            self.assertEqual(self.client.post("/trips/new/", typed).status_code, 302)
        self.assertEqual((len(tried), Trip.objects.count()), (3, 1))
        self.client.raise_request_exception = False
        for count, error in ((1, OperationalError("disk full")), (4, None)):
            tried.clear()

            def fail(*_, error=error, **__):
                tried.append(1)
                if error is not None:
                    raise error
                raise OperationalError("deadlock detected") from Undone()

            with mock.patch.object(itinerary, "start_trip", fail), self.assertLogs("django.request", "ERROR"):
                self.assertEqual(self.client.post("/trips/new/", typed | {"title": "Another one"}).status_code, 500)
            self.assertEqual(len(tried), count)
        self.assertEqual(Trip.objects.count(), 1)
