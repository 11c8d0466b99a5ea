"""The demo's world is as telling on any day: every state, every list filled, nothing ahead of its time, and a tour that fits."""

from __future__ import annotations

import os
import random
import re
import tempfile
from datetime import timedelta
from pathlib import Path

from django.db.models import Max
from django.test import override_settings

from demo import load, papers
from tests import links, worlds
from wainwright import clock
from wainwright.accounts.models import Payment, Posting
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import ways
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file as load_claim
from wainwright.core.journey import Mode
from wainwright.core.states import BOOKING, CHARGE, CLAIM, TRIP
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.formats.ofx import read_ofx
from wainwright.formats.places import place
from wainwright.signoff.models import SignOff
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file

# States in which a thing stays only while something outside does not answer.
PASSING = {"Asked", "Confirmed"}
OWN = ("/", "/trips/", "/claims/", "/news/", "/mail/")
BOOKS = ("/bench/", "/ledger/", "/ledger/pay/", "/ledger/runs/", "/reports/runs/")
LISTS = {
    "maren": (*OWN, "/tray/", "/rates/", "/find/?q=gauge", "/reports/runs/"),
    "tobias": (*OWN, "/bench/", "/reports/runs/"),
    "ottilie": ("/bench/",),
    "priya": (*BOOKS, "/ledger/loose/", "/ledger/cards/", "/rules/"),
    "callum": (*OWN, "/trail/", "/rules/"),
    "benedikt": ("/ledger/", "/ledger/pay/", "/ledger/runs/", "/reports/runs/", "/trail/"),
    "torvald": ("/trips/", "/claims/"),
    "ingrid": ("/bench/",),
    "liv": ("/trips/", "/news/", "/mail/", "/bench/", "/ledger/", "/ledger/runs/", "/reports/runs/"),
}


class DemoTest(worlds.StartedTransactionTestCase):
    starts_from = worlds.DEMO

    def test_as_telling_as_on_any_other_day(self):
        self.every_state_is_there()
        self.every_list_is_filled()
        self.every_link_leads_somewhere()
        self.nothing_is_ahead_of_its_time()
        self.the_tour_fits()
        self.assertIsNone(check_chain())

    def every_state_is_there(self):
        for machine, model in ((TRIP, Trip), (BOOKING, Booking), (CHARGE, Charge), (CLAIM, Claim)):
            there = set(model.objects.values_list("state", flat=True))
            self.assertEqual(set(machine.states) - PASSING - there, set(), machine.name)
        self.assertEqual(set(Posting.objects.values_list("state", flat=True)), {"Entered", "Refused"})
        self.assertEqual(set(Payment.objects.values_list("state", flat=True)), {"Paid", "Failed"})
        self.assertGreaterEqual(set(SignOff.objects.values_list("state", flat=True)), {"Given", "Waiting", "Sent back"})
        # Somebody is away today: the trip under way has begun and not ended, whatever the hour.
        away = Trip.objects.get(state="Under way")
        self.assertTrue(away.starts <= worlds.today() <= away.ends)
        # What was read was read, but for the one picture with nothing on it.
        unread = [r.name for r in Receipt.objects.all() if not r.value("total")]
        self.assertEqual(unread, ["unclear.jpg"])

    @override_settings(DEMO=True)
    def every_list_is_filled(self):
        people = worlds.people()
        for name, paths in LISTS.items():
            self.client.force_login(people[name].person)
            for path in paths:
                with self.subTest(name=name, path=path):
                    answer = self.client.get(path, follow=True)
                    self.assertEqual(answer.status_code, 200)
                    text = answer.content.decode()
                    empty = re.findall(r'class="(?:sheet )?empty"[^>]*>(.{0,60})', text)
                    self.assertEqual([e for e in empty if "No trip is on the road" not in e], [])

    @override_settings(DEMO=True)
    def every_link_leads_somewhere(self):
        drawn = random.Random(os.environ.get("WAINWRIGHT_SEED", ""))
        for member in worlds.people().values():
            self.assertEqual(links.walked(member, 12, drawn)[1], [])

    def nothing_is_ahead_of_its_time(self):
        now, today = clock.now(), worlds.today()
        # Each look at the clock is a microsecond later, and the world was made in another process.
        self.assertLess(Entry.objects.aggregate(last=Max("time"))["last"], now + timedelta(seconds=1))
        for model, field in ((Expense, "date"), (Charge, "date"), (Posting, "date")):
            self.assertLessEqual(model.objects.aggregate(last=Max(field))["last"], today, model.__name__)
        for trip in Trip.objects.filter(sent__isnull=False).select_related(
            "firm", "traveller__person", "traveller__firm"
        ):
            self.assertGreaterEqual(trip.sent, trip.created)
            self.assertGreaterEqual(trip.authorised or trip.sent, trip.sent)
            self.assertGreater(load_file(trip.traveller, trip).figures.allowance.amount.minor, 0, trip.title)
        parted = 0
        for claim in Claim.objects.filter(trip__isnull=False):
            # A hotel's bill falls into pieces of one coding; on how many lines a coding is borne is told by lines.
            file = load_claim(claim.claimant, claim)
            parted += any(len(line.coded) > 1 for line in file.figures.lines)
            for _, count in file.codings.values():
                self.assertLessEqual(count, len(file.figures.lines), claim.code)
        self.assertGreater(parted, 0)
        for claim in Claim.objects.filter(sent__isnull=False).select_related("trip"):
            self.assertGreater(clock.day_of(claim.sent, worlds.ZONE), claim.trip.ends, claim.title)

    def the_tour_fits(self):
        """Flights go there and back on its days, rates are there for them, and its papers are of its days."""
        first, last = load.tour_days()
        self.assertEqual((first.weekday(), (last - first).days), (0, 4))
        self.assertGreater(first, worlds.today() + timedelta(days=13))
        for one, other, day in (("ORK", "BGO", first), ("BGO", "ORK", last)):
            found = [w for w in ways(place(one), place(other), day, worlds.today(), "EUR") if w.offer.mode == Mode.AIR]
            self.assertTrue([w for w in found if w.offer.arrives.date() == day], f"no flight {one} {other} on {day}")
        with tempfile.TemporaryDirectory() as folder:
            files = load.write_papers(Path(folder), papers.of_tour(first))
            days = {line.day for statement in read_ofx(files[-1].read_bytes()) for line in statement.lines}
        self.assertTrue(all(first <= day <= last for day in days), days)
