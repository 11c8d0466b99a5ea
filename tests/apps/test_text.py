"""Text of strangers at every border, and mail that no act waits for."""

from __future__ import annotations

import socket
from unittest import TestCase, mock

from django.core import mail
from django.core.mail import EmailMultiAlternatives
from django.test import override_settings
from huey.contrib.djhuey import HUEY
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from tests.formats.samples import mail as a_mail
from wainwright.core.text import clean, clean_data, one_line
from wainwright.fields import plain_number
from wainwright.formats.mail import read_mail
from wainwright.news.models import Notice
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.people.post import _send
from wainwright.signoff.models import Remark
from wainwright.trips.models import Trip
from wainwright.trips.services import road

NASTY = "Two\r\nlines\x00\x07 \ud800\u202e\ufffe and\ttabs"


class NumberTest(TestCase):
    def test_three_digits_behind_one_sign_are_thousands_where_there_are_no_three_decimals(self):
        for text, two, three in (
            ("1,240", "1240", "1.240"), ("1.240", "1.240", "1.240"), ("1,24", "1.24", "1.24"), ("12,345.6", "12345.6", "12345.6"), ("1.234.567", "1234567", "1.234.567"),
            ("-5,000", "-5000", "-5.000"), ("0,420", "0.420", "0.420"), ("1234,567", "1234.567", "1234.567"), ("7", "7", "7"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual((plain_number(text, 2), plain_number(text)), (two, three))


class CleanTest(TestCase):
    @given(st.text(alphabet=st.characters(), max_size=80))
    def test_what_is_left_can_be_written_anywhere_and_cleaning_again_changes_nothing(self, text):
        done = clean(text)
        done.encode("utf-8")
        self.assertEqual(clean(done), done)
        self.assertNotRegex(one_line(text), r"[\x00-\x1f\x7f]")

    def test_writing_stays_and_what_is_none_goes(self):
        self.assertEqual(clean(NASTY), "Two\nlines  and\ttabs")
        self.assertEqual(one_line(NASTY), "Two lines and tabs")
        self.assertEqual(clean("Ærø, Łódź, 東京, 🐟"), "Ærø, Łódź, 東京, 🐟")
        self.assertEqual(clean_data({"a": ["x\ny", 1, None, ("\x00z",)]}), {"a": ["x y", 1, None, ["z"]]})


class BordersTest(WorldTestCase):
    @shows("C7.2")
    def test_a_remark_of_two_lines_is_kept_and_told(self):
        claim = self.sent_claim()
        self.enter(self.tobias)
        for text in ("One line\r\nanother line", NASTY.replace("\ud800", "")):
            with self.done():
                answer = self.client.post(f"/bench/claim/{claim.pk}/say/", {"text": text, "line": ""})
            self.assertEqual(answer.status_code, 302)
        self.assertEqual(Remark.objects.first().text, "One line\nanother line")
        trip = self.sent_trip(starts=20)
        self.enter(self.maren)
        with self.done():
            self.assertEqual(self.client.post(f"/trips/{trip.pk}/say/", {"text": "Look\r\nhere"}).status_code, 302)
        self.assertIn("Look here", Notice.objects.latest("pk").text)

    def test_a_title_with_control_signs_breaks_nothing_on_its_road(self):
        trip = self.a_trip(starts=20)
        self.enter(self.maren)
        data = {
            "title": f"Gauge {NASTY}".replace("\ud800", ""),
            "purpose": "Check\x00ing\r\nit",
            "code-cost_centre": "3120",
        }
        self.assertEqual(self.client.post(f"/trips/{trip.pk}/head/", data).status_code, 302)
        self.assertEqual(Trip.objects.get(pk=trip.pk).title, "Gauge Two\nlines  and\ttabs")
        for page in ("itinerary/", "itinerary.ics", ""):
            self.assertEqual(self.client.get(f"/trips/{trip.pk}/{page}").status_code, 200, page)
        # What came in by another border is cleaned where it goes out.
        Trip.objects.filter(pk=trip.pk).update(title="Gauge\x0b\r\nBEGIN:VEVENT")
        calendar = Calendar.from_ical(self.client.get(f"/trips/{trip.pk}/itinerary.ics").content)
        self.assertEqual(str(calendar["x-wr-calname"]), "Gauge BEGIN:VEVENT")
        with self.done():
            road.send(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).version, "Maren Oyelaran")
        self.assertIn("Gauge BEGIN:VEVENT", mail.outbox[-1].subject)

    def test_a_lone_surrogate_in_a_mail_is_left_out(self):
        letter = read_mail(a_mail(subject="Fwd: =?utf-8?b?7aCA?= receipt", text="Harbour Taxi\nTotal EUR 18.40\n"))
        (letter.subject + letter.text).encode("utf-8")
        data = '<script type="application/ld+json">{"@type":"LodgingReservation","reservationNumber":"A\\ud800","reservationFor":{"@type":"LodgingBusiness","name":"Inn\\ud800\\u0000","address":{"addressLocality":"Bergen"}},"checkinTime":"2026-10-12T15:00","checkoutTime":"2026-10-14T10:00","totalPrice":"300","priceCurrency":"EUR"}</script>'
        for each in read_mail(a_mail(page=f"<html><body>{data}</body></html>")).bookings:
            f"{each.name}{each.number}{each.target}".encode()


class NoServerTest(WorldTestCase):
    def test_an_act_stands_though_no_mail_server_answers(self):
        claim = self.sent_claim()
        self.enter(self.tobias)
        version = {"version": claim.version}
        with (
            mock.patch(
                "django.core.mail.backends.locmem.EmailBackend.send_messages", side_effect=ConnectionRefusedError
            ),
            self.done(),
        ):
            answer = self.client.post(f"/bench/claim/{claim.pk}/approve/", version)
        self.assertEqual(answer.status_code, 302)
        claim.refresh_from_db()
        self.assertEqual(claim.state, "In finance check")
        self.assertTrue(Notice.objects.filter(member=self.maren, text__contains="signed off").exists())

    @shows("U7.1")
    def test_a_mail_that_no_server_takes_goes_into_the_queue_again(self):
        letter = EmailMultiAlternatives("Once more", "Nobody answers.", to=["una@saltholm.example"])
        letter.attach_alternative("<p>Nobody answers.</p>", "text/html")
        letter.attach("itinerary.ics", "BEGIN:VCALENDAR", "text/calendar")
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            server = {
                "EMAIL_BACKEND": "django.core.mail.backends.smtp.EmailBackend",
                "EMAIL_HOST": "127.0.0.1",
                "EMAIL_PORT": taken.getsockname()[1],
            }
            with override_settings(**server), self.assertRaises(OSError):
                _send.call_local(letter)
        # As the queue keeps what it is to try again.
        again = HUEY.deserialize_task(HUEY.serialize_task(_send.s(letter)))
        self.assertEqual((again.args[0].subject, len(again.args[0].attachments)), ("Once more", 1))

    def test_nor_though_the_queue_does_not(self):
        member = Membership.objects.get(pk=self.maren.pk)
        with mock.patch("wainwright.people.post._send", side_effect=OSError), self.done():
            tell(member, "Something\nhappened", "/")
        self.assertEqual(Notice.objects.latest("pk").text, "Something happened")

    def test_a_reset_of_a_password_is_mailed_by_the_queue_too(self):
        with mock.patch(
            "django.core.mail.backends.locmem.EmailBackend.send_messages", side_effect=ConnectionRefusedError
        ):
            answer = self.client.post("/accounts/password/reset/", {"email": self.maren.person.email})
        self.assertEqual(answer.status_code, 302)
