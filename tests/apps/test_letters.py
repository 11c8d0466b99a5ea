"""What a trip says in writing: itinerary, calendar, subscription, order of travel."""

from datetime import timedelta
from email import message_from_bytes
from io import BytesIO
from unittest.mock import patch

from django.core import mail
from icalendar import Calendar
from pypdf import PdfReader

from tests.apps.test_bookings import BookingTestCase
from tests.coverage import shows
from wainwright.errors import Refusal, Stale
from wainwright.profile.services import change_profile
from wainwright.trips import letters, printing
from wainwright.trips.models import Subscription, Trip
from wainwright.trips.services import calendar, plan, road


@shows("B9.2", "X9.1")
class CalendarTest(BookingTestCase):
    def test_zones_alarms_and_stays_are_read_back(self):
        trip, booking = self.authorised()
        found = Calendar.from_ical(letters.calendar_of([self.file(trip)], trip.title))
        events = {str(e["summary"]): e for e in found.walk("VEVENT")}
        self.assertEqual(len(events), 3)
        flight = next(e for name, e in events.items() if name.startswith("Air Cork"))
        leg = trip.legs.first()
        self.assertEqual(flight.decoded("dtstart"), leg.leaves_at)
        self.assertEqual(flight.decoded("dtend"), leg.arrives_at)
        self.assertEqual(
            (flight["dtstart"].params["TZID"], flight["dtend"].params["TZID"]), ("Europe/Dublin", "Europe/Oslo")
        )
        self.assertEqual([a.decoded("trigger") for a in flight.walk("VALARM")], [timedelta(hours=-2)])
        self.assertIn(booking.ticket_number, str(flight["description"]))
        self.assertEqual({str(z["TZID"]) for z in found.walk("VTIMEZONE")}, {"Europe/Dublin", "Europe/Oslo"})
        self.assertEqual(str(found["version"]), "2.0")

    def test_a_private_address_that_can_be_revoked(self):
        trip, _ = self.authorised()
        first = calendar.subscribe(self.maren)
        self.client.logout()
        path = f"/calendar/{first.secret}.ics"
        answer = self.client.get(path)
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "text/calendar"))
        self.assertIn(trip.title.encode(), answer.content)
        second = calendar.subscribe(self.maren)
        self.assertEqual(self.client.get(path).status_code, 404)
        self.assertEqual(self.client.get(f"/calendar/{second.secret}.ics").status_code, 200)
        calendar.revoke(self.maren)
        self.assertEqual(self.client.get(f"/calendar/{second.secret}.ics").status_code, 404)
        with self.assertRaises(Stale):
            calendar.revoke(self.maren)
        for guess in ("", "x", first.secret[:-1], "../" + first.secret):
            with self.subTest(guess):
                self.assertEqual(self.client.get(f"/calendar/{guess}.ics").status_code, 404)
        self.assertEqual(Subscription.objects.filter(revoked=None).count(), 0)

    def test_a_plan_is_not_in_the_subscription(self):
        self.held()
        self.assertNotIn(b"VEVENT", letters.subscription_calendar(calendar.subscribe(self.maren)))

    def test_a_subscription_that_does_not_hold_every_trip_says_so(self):
        trip, _ = self.authorised()
        found = calendar.subscribe(self.maren)
        self.assertNotIn(b"the first", letters.subscription_calendar(found))
        for days in (7, 14):
            Trip.objects.create(
                firm=trip.firm, traveller=trip.traveller, number=9000 + days, title=f"Later by {days}", state="Authorised",
                currency=trip.currency, created=trip.created, starts=trip.starts + timedelta(days=days), ends=trip.ends + timedelta(days=days),
            )  # fmt: skip
        with patch.object(letters, "SUBSCRIBED", 2):
            content = letters.subscription_calendar(found)
        self.assertIn(b"the first 2 of 3", content.replace(b"\r\n ", b""))
        self.assertIn(trip.title.encode(), content)

    def test_who_has_left_has_no_calendar(self):
        self.authorised()
        found = calendar.subscribe(self.maren)
        self.maren.active = False
        self.maren.save()
        self.assertEqual(self.client.get(f"/calendar/{found.secret}.ics").status_code, 404)


class MailTest(BookingTestCase):
    @shows("U2.1", "B9.1")
    def test_the_itinerary_goes_where_the_trip_says_as_html_and_text(self):
        change_profile(self.maren, itinerary_email="maren@home.example")
        self.maren.refresh_from_db()
        self.authorised()
        letter = next(m for m in mail.outbox if m.to == ["maren@home.example"])
        self.assertIn("All times are local", letter.body)
        self.assertIn("704-", letter.body)
        kinds = [part.get_content_type() for part in message_from_bytes(letter.message().as_bytes()).walk()]
        self.assertEqual(
            [k for k in kinds if not k.startswith("multipart")], ["text/plain", "text/html", "text/calendar"]
        )
        own = next(m for m in mail.outbox if "authorised" in m.subject)
        self.assertEqual({a[0] for a in own.attachments}, {"itinerary.ics", own.attachments[1][0]})

    def test_it_can_be_sent_again(self):
        trip, _ = self.held()
        with self.done():
            self.assertEqual(road.mail_itinerary(self.maren, trip.pk), "maren.oyelaran@brackwater.example")
        self.assertIn("Itinerary: Gauge check", mail.outbox[-1].subject)
        empty = plan.start_trip(self.maren, "Nothing yet", "To test", self.coding)
        with self.assertRaisesRegex(Refusal, "no itinerary yet"):
            road.mail_itinerary(self.maren, empty.pk)


class OrderTest(BookingTestCase):
    @shows("P11.1")
    def test_the_order_of_travel_as_page_and_pdf(self):
        trip, _ = self.authorised()
        self.enter(self.maren)
        page = self.client.get(f"/trips/{trip.pk}/order/")
        for words in ("Brackwater Survey Ltd", "Tidewater House", "is authorised to travel", "Tobias Achterberg"):
            self.assertContains(page, words)
        answer = self.client.get(f"/trips/{trip.pk}/order.pdf")
        text = " ".join(p.extract_text() for p in PdfReader(BytesIO(answer.content)).pages)
        text = " ".join(text.split())
        for words in (
            "Brackwater Survey Ltd",
            f"Order of travel {trip.code}",
            "Tobias Achterberg",
            str(self.file(trip).figures.total),
        ):
            self.assertIn(words, text)

    def test_nothing_is_fetched_for_it(self):
        trip, _ = self.authorised()
        with self.assertRaisesRegex(ValueError, "nothing is fetched"):
            printing.only_ours().fetch("http://example.org/x.css")
        with self.assertRaisesRegex(ValueError, "nothing is fetched"):
            printing.only_ours().fetch("file:///etc/passwd")
        self.assertTrue(letters.order_pdf(self.file(trip), []).startswith(b"%PDF"))

    def test_before_it_is_sent_there_is_none(self):
        trip, _ = self.held()
        self.enter(self.maren)
        self.assertEqual(self.client.get(f"/trips/{trip.pk}/order/").status_code, 302)
        self.sent(trip)
        self.assertContains(self.client.get(f"/trips/{trip.pk}/order/"), "not authorised yet")
