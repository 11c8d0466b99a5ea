"""The second press of a form does nothing a second time."""

from __future__ import annotations

import re

from tests.apps.world import WorldTestCase
from wainwright.claims.models import Claim
from wainwright.expenses.models import Expense
from wainwright.people.models import Once
from wainwright.signoff.models import Remark
from wainwright.trips.models import Trip


class OnceTest(WorldTestCase):
    def key_of(self, path: str) -> str:
        """The key of the first form of a page."""
        return re.search(r'name="once" value="([^"]+)"', self.client.get(path).content.decode()).group(1)

    def test_pressed_twice_it_is_made_once_and_leads_where_it_led(self):
        self.enter(self.maren)
        cost = {
            "date": f"{self.today}",
            "merchant": "Kiosk",
            "category": "taxi",
            "amount": "5.00",
            "currency": "EUR",
            "paid_by": "self",
            "heads": "1",
        }
        ride = {"date": f"{self.today}", "origin": "Cork", "target": "Cobh", "vehicle": "car"}
        trip = self.sent_trip(starts=20)
        for page, path, data, model in (
            ("/expenses/new/", "/expenses/new/", cost, Expense), ("/expenses/ride/", "/expenses/ride/", ride, Expense),
            ("/trips/new/", "/trips/new/", {"title": "A gauge", "purpose": "Looking at it", "code-cost_centre": "3120"}, Trip),
            ("/claims/", "/claims/new/", {"title": "Loose things"}, Claim),
            (f"/trips/{trip.pk}/", f"/trips/{trip.pk}/say/", {"text": "Which pier?"}, Remark),
        ):  # fmt: skip
            with self.subTest(path):
                before, once = model.objects.count(), self.key_of(page)
                with self.done():
                    first = self.client.post(path, data | {"once": once})
                    second = self.client.post(path, data | {"once": once})
                self.assertEqual((first.status_code, second.status_code), (302, 302), first.content[:2000])
                self.assertEqual((model.objects.count(), first.url), (before + 1, second.url))

    def test_another_text_in_the_same_form_is_another_press(self):
        self.enter(self.maren)
        trip = self.sent_trip(starts=20)
        once = self.key_of(f"/trips/{trip.pk}/")
        for text in ("One", "Two"):
            self.client.post(f"/trips/{trip.pk}/say/", {"text": text, "once": once})
        self.assertEqual(Remark.objects.count(), 2)

    def test_what_was_refused_may_be_sent_again(self):
        self.enter(self.maren)
        data = {"title": "x", "once": "k"}
        for _ in range(2):
            self.assertNotIn("done once", self.client.post("/claims/new/", data, follow=True).content.decode())
        self.assertEqual(Once.objects.count(), 0)
