"""A household moves for the firm: two parties, one by air with a stop, one by own car; one signature, two claims."""

from __future__ import annotations

from datetime import datetime, time, timedelta

from selenium.webdriver.common.by import By

from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services.drafting import draft_what_is_back
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Trip
from wainwright.trips.services import road as trips


class MovingTest(BrowserTestCase):
    seconds = 40

    def add_leg(
        self, mode: str, origin: str, target: str, day, leaves: str, arrives: str, estimate: str = "", until=None
    ):
        """A leg by fields."""
        self.press("by fields")
        self.until(lambda d: d.find_elements(By.CSS_SELECTOR, ".panel [name=origin]"))
        more = {"estimate": estimate} if estimate else {}
        self.fill(
            within=".panel", mode=mode, origin=origin, target=target, leaves_day=day.isoformat(), leaves_time=leaves,
            arrives_day=(until or day).isoformat(), arrives_time=arrives, **more,
        )  # fmt: skip
        self.press("Add the leg", within=".panel")

    @shows("C9.1")
    def test_two_parties_one_signature_two_claims(self):
        day = worlds.today() + timedelta(days=30)
        next_day = day + timedelta(days=1)
        self.sign_in("Maren Oyelaran")
        self.open("/trips/new/")
        self.press("Moving house for the firm", "label.check")
        self.fill(title="Move to Dublin", purpose="Three years there")
        self.press("Start the trip")
        self.see("Maren Oyelaran the employee's own", "Who moves")
        self.fill(within=".panel", name="Idris Oyelaran", kin="partner")
        self.press("Travels apart")
        self.see("Move to Dublin: Idris Oyelaran")
        for question, answer in (
            ("flat", "yes"),
            ("goods", "The firm's mover"),
            ("vehicles", "1"),
            ("tickets", "The firm"),
        ):
            self.put(f"#questions [name='q-{question}']", answer)
        self.see("2,400.00 more for you")
        self.press("Keep the answers")
        self.see("Relocation sum")
        self.assert_accessible("who moves")
        self.add_leg("own car", "Cork airport (ORK)", "Dublin airport (DUB)", day, "09:00", "12:30")
        self.see("km")
        own = Trip.objects.get(title="Move to Dublin")

        party = own.parties.get()
        self.open(f"/trips/{party.pk}/")
        self.see("travels apart: not Maren Oyelaran's own")
        self.add_leg("air", "Cork airport (ORK)", "Amsterdam airport (AMS)", day, "10:00", "13:00", "120")
        self.see("Cork → Amsterdam")
        self.add_leg("air", "Amsterdam airport (AMS)", "Dublin airport (DUB)", next_day, "09:00", "09:40", "80")
        self.see("You stop in Amsterdam")
        self.press("Say why", "a", within="#in-the-way")
        self.put(".panel [name='stop_reason']", "A night's rest")
        self.press("Keep", within=".panel")
        self.see("stop: A night's rest")
        self.assert_accessible("a party that travels apart")

        self.open(f"/trips/{own.pk}/")
        self.press("Look it over and sign")
        self.see("Idris Oyelaran, who travel apart, go with this signature")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("on its way to be signed off")
        for trip in (own, party):
            while (
                row := SignOff.objects.filter(kind="trip", object_id=trip.pk, state="Waiting", turn=True)
                .select_related("signer__person", "signer__firm")
                .first()
            ):
                bench.approve(row.signer, "trip", trip.pk)

        self.move_clock(datetime.combine(next_day + timedelta(days=1), time(9)))
        for _ in range(2):
            trips.move_along(datetime.combine(next_day + timedelta(days=1), time(9)).astimezone())
        draft_what_is_back()
        first, second = Claim.objects.get(trip=own), Claim.objects.get(trip=party)
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{first.pk}/")
        self.see("Maren Oyelaran the employee's own", "Flat sums", "2,400.00", "Mileage")
        self.open(f"/claims/{second.pk}/")
        self.see("Idris Oyelaran travels apart")
        self.assertNotIn("Flat sums", self.body())
        self.assertNotIn("Mileage", self.body())
        self.assertEqual(self.console(), [])
