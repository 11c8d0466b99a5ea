"""A calendar file and a recorded track, from the tray to a trip and to a ride."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from django.core.files.uploadedfile import SimpleUploadedFile

from tests.apps.world import WorldTestCase
from tests.formats.journeys import at, calendar_file, event, track_file
from wainwright.expenses.models import Expense, HeldMail, Receipt
from wainwright.expenses.selectors import tray
from wainwright.expenses.services import mails, rides
from wainwright.formats.places import best_place
from wainwright.trips.models import Leg, Night

# About 22 km north of Cork and back is not driven by road: 11.1 km by its points.
CORK = best_place("Cork")
LINE = tuple((51.9 + n / 1000, -8.47) for n in range(101))


class SentTestCase(WorldTestCase):
    def drop(self, name, content):
        self.enter(self.maren)
        with self.done():
            answer = self.client.post("/tray/drop/", {"files": SimpleUploadedFile(name, content)})
        self.assertEqual(answer.status_code, 302)
        return Receipt.objects.get(name=name)


class CalendarTest(SentTestCase):
    def a_file(self):
        """A way to Bergen and back with the nights between, and a meeting, on the days of a trip that is planned."""
        first = self.today + timedelta(days=30)

        def moment(days, hour):
            return at(datetime.combine(first + timedelta(days=days), time(hour), ZoneInfo("UTC")))

        def days(begin, end):
            return (
                f"DTSTART;VALUE=DATE:{first + timedelta(days=begin):%Y%m%d}",
                f"DTEND;VALUE=DATE:{first + timedelta(days=end):%Y%m%d}",
            )

        return calendar_file(
            event(SUMMARY="Flight NX 12 Cork to Bergen", DTSTART=moment(0, 7), DTEND=moment(0, 10)),
            event(SUMMARY="Flight NX 13 Bergen to Cork", DTSTART=moment(2, 15), DTEND=moment(2, 18)),
            event(*days(0, 2), SUMMARY="Hotel: Quay House", LOCATION="Bergen", DTSTART=None, DTEND=None),
            event(SUMMARY="Kick-off", DTSTART=moment(1, 9), DTEND=moment(1, 10)),
        )

    def trip(self):
        return self.a_trip(starts=30, days=3)

    def test_it_is_looked_at_then_put_on_a_trip_once_and_is_out_of_the_way(self):
        trip = self.trip()
        trip.legs.all().delete()
        trip.nights.all().delete()
        paper = self.drop("journey.ics", self.a_file())
        self.assertEqual((paper.kind, paper.state, paper.problem), ("calendar", "Read", ""))
        page = self.client.get(f"/receipts/{paper.pk}/")
        self.assertContains(page, "ORK to BGO")
        self.assertContains(page, "Kick-off: no way from one place to another")
        self.assertNotContains(page, "Make the expense")
        self.assertContains(self.client.get("/tray/"), "Put on a trip")
        self.assertEqual(Leg.objects.filter(trip=trip).count(), 0)
        self.client.post(f"/receipts/{paper.pk}/trip/", {"trip": trip.pk})
        self.assertEqual([leg.mode for leg in trip.legs.order_by("leaves_at")], ["air", "air"])
        self.assertEqual(trip.legs.order_by("leaves_at")[0].leaves.hour, self.hour(7, "Europe/Dublin"))
        self.assertEqual(Night.objects.filter(trip=trip, name="Quay House").count(), 2)
        paper.refresh_from_db()
        self.assertIn(trip.code, paper.aside)
        self.assertEqual(tray(self.maren).papers, 0)
        self.client.post(f"/receipts/{paper.pk}/trip/", {"trip": trip.pk})
        self.assertEqual(trip.legs.count(), 2)

    def hour(self, utc, zone):
        day = self.today + timedelta(days=30)
        return datetime.combine(day, time(utc), ZoneInfo("UTC")).astimezone(ZoneInfo(zone)).hour

    def test_nobody_else_puts_it_anywhere_nor_on_anothers_trip(self):
        paper, theirs = self.drop("journey.ics", self.a_file()), self.a_trip(who=self.aiko, starts=30)
        before = theirs.legs.count()
        self.client.post(f"/receipts/{paper.pk}/trip/", {"trip": theirs.pk})
        self.enter(self.aiko)
        self.assertEqual(self.client.post(f"/receipts/{paper.pk}/trip/", {"trip": theirs.pk}).status_code, 404)
        self.assertEqual(theirs.legs.count(), before)

    def test_one_without_a_journey_and_a_damaged_one_say_so(self):
        plain = self.drop("plain.ics", calendar_file(event(SUMMARY="Lunch")))
        self.assertEqual(plain.problem, "No journey was found in it.")
        self.assertEqual(self.client.get(f"/receipts/{plain.pk}/").status_code, 200)
        broken = self.drop("broken.ics", self.a_file()[:300])
        self.assertEqual(broken.state, "Unreadable")
        self.assertIn("damaged", broken.problem)
        self.assertEqual(self.client.get("/tray/").status_code, 200)

    def test_it_comes_by_mail_with_or_without_a_name(self):
        for name in ('; name="journey.ics"', ""):
            with self.subTest(name):
                Receipt.objects.all().delete()
                HeldMail.objects.all().delete()
                content = (
                    (
                        f"From: {self.maren.person.email}\r\nTo: x@y.example\r\nSubject: Your journey\r\nMIME-Version: 1.0\r\n"
                        'Content-Type: multipart/mixed; boundary="b"\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nHello\r\n'
                        f"--b\r\nContent-Type: text/calendar{name}\r\n\r\n"
                    ).encode()
                    + self.a_file()
                    + b"\r\n--b--\r\n"
                )
                with self.done():
                    mails.keep(self.maren, content, trusted=True)
                self.assertEqual([each.kind for each in Receipt.objects.all()], ["calendar"])


class TrackTest(SentTestCase):
    def a_track(self, days_ago=6):
        self.day = self.today - timedelta(days=days_ago)
        return track_file(LINE, datetime.combine(self.day, time(12), ZoneInfo("UTC")))

    def test_it_becomes_a_ride_with_its_picture_as_the_evidence(self):
        paper = self.drop("monday.gpx", self.a_track())
        self.assertEqual((paper.kind, paper.state, paper.problem, paper.pages.count()), ("track", "Read", "", 1))
        self.assertContains(self.client.get("/tray/"), "Make the ride")
        self.assertContains(self.client.get(f"/receipts/{paper.pk}/"), "11.1 km")
        form = self.client.get(f"/expenses/ride/?track={paper.pk}").context["form"]
        self.assertEqual((form.initial["date"], str(form.initial["km"])), (self.day.isoformat(), "11.1"))
        typed = {name: value for name, value in form.initial.items() if value} | {"vehicle": "car", "track": paper.pk}
        wrong = self.client.post("/expenses/ride/", typed | {"target": "Nowhere at all"})
        self.assertContains(wrong, f'name="track" value="{paper.pk}"', status_code=422)
        self.client.post("/expenses/ride/", typed)
        ride = Expense.objects.get(kind="mileage", owner=self.maren)
        self.assertEqual((ride.km, ride.date, ride.receipts.get()), (Decimal("11.1"), self.day, paper))
        self.assertIn("by the track monday.gpx, 11.1 km", " ".join(ride.workings))
        self.assertEqual(self.client.get(f"/expenses/{ride.pk}/").status_code, 200)
        self.assertEqual(self.client.post("/expenses/ride/", typed).status_code, 404)
        self.assertEqual(Expense.objects.filter(kind="mileage").count(), 1)
        form = self.client.get(f"/expenses/{ride.pk}/ride/").context["form"]
        self.client.post(f"/expenses/{ride.pk}/ride/", {k: v for k, v in form.initial.items() if v} | {"version": ride.version, "km": "20"})  # fmt: skip
        ride.refresh_from_db()
        self.assertIn("typed, 20 km one way", " ".join(ride.workings))

    def test_anothers_track_and_what_is_no_track_make_no_ride(self):
        paper = self.drop("monday.gpx", self.a_track())
        bill = self.a_receipt()
        Receipt.objects.filter(pk=bill.pk).update(expense=None)
        self.assertEqual(self.client.get(f"/expenses/ride/?track={bill.pk}").status_code, 404)
        self.enter(self.aiko)
        self.assertEqual(self.client.get(f"/expenses/ride/?track={paper.pk}").status_code, 404)
        self.assertEqual(self.client.get("/expenses/ride/?track=x").status_code, 404)

    def test_a_ride_that_goes_leaves_the_track_in_the_tray(self):
        paper = self.drop("monday.gpx", self.a_track())
        ride = rides.ride_of_track(self.maren, paper.pk, rides.Ride(self.day, CORK, CORK, "car", km=Decimal("11.1")))  # fmt: skip
        self.client.post(f"/expenses/{ride.pk}/remove/")
        paper.refresh_from_db()
        self.assertIsNone(paper.expense)

    def test_one_that_is_damaged_is_kept_and_says_so(self):
        paper = self.drop("broken.gpx", self.a_track()[:900])
        self.assertEqual(paper.state, "Unreadable")
        self.assertEqual(self.client.get(f"/receipts/{paper.pk}/").status_code, 200)
        self.assertEqual(self.client.get("/tray/").status_code, 200)
