"""What an installed page on a phone is made of, and what it takes along."""

from __future__ import annotations

import json
from datetime import timedelta

from django.contrib.staticfiles import finders
from django.db import connection
from django.test import RequestFactory, SimpleTestCase
from django.test.utils import CaptureQueriesContext

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.expenses.models import Expense, Receipt
from wainwright.web import away


class ShellTest(SimpleTestCase):
    same_on_any_day = True

    @shows("U9.1")
    def test_it_can_be_installed_and_shared_to(self):
        said = json.loads(away.manifest(self._get()).content)
        self.assertEqual((said["display"], said["start_url"]), ("standalone", "/away/"))
        self.assertEqual({icon["sizes"] for icon in said["icons"]}, {"192x192", "512x512"})
        for icon in said["icons"]:
            self.assertTrue(finders.find(icon["src"].partition("/static/")[2]), icon)
        self.assertIn("application/pdf", said["share_target"]["params"]["files"][0]["accept"])

    def test_its_worker_changes_with_what_it_keeps(self):
        answer = away.worker(self._get())
        self.assertEqual((answer["Content-Type"], answer["Service-Worker-Allowed"]), ("text/javascript", "/"))
        self.assertRegex(answer.content.decode(), r'^const VERSION = "[0-9a-f]{16}", SHELL = \["/away/"')
        for name in away.SHELL:
            self.assertTrue(finders.find(name), name)

    def _get(self):
        return RequestFactory().get("/")


class TodayTest(WorldTestCase):
    def test_the_page_holds_nothing_of_anybody_and_what_is_shared_too_early_is_said(self):
        self.enter(self.maren)
        page = self.client.get("/away/")
        self.assertNotContains(page, self.maren.person.name)
        self.assertContains(self.client.post("/away/share/"), "share it once more", status_code=409)

    def test_what_is_taken_along(self):
        trips = [self.authorised_trip(starts=2), self.authorised_trip(starts=5)]
        # Neither of these is near.
        self.authorised_trip(starts=60)
        self.a_trip(starts=3)
        self.enter(self.maren)
        with CaptureQueriesContext(connection) as found:
            said = self.client.get("/today/").json()
        self.assertLessEqual(len(found), 22)
        self.assertEqual([each["code"] for each in said["trips"]], [each.code for each in trips])
        self.assertIn("Bergen", json.dumps(said["trips"][0]["rows"]))
        self.assertEqual(said["trips"][0]["rows"][0]["day"], f"{self.today + timedelta(days=2):%Y-%m-%d}")
        self.assertEqual((said["who"]["id"], said["day"]), (self.maren.pk, f"{self.today:%Y-%m-%d}"))
        self.assertIn("taxi", [code for code, _ in said["offers"]["category"]])
        self.assertEqual(said["offers"]["home"], "EUR")
        self.assertTrue(said["csrf"])

    @shows("U9.3")
    def test_what_waited_is_done_once_however_often_it_is_sent(self):
        self.enter(self.maren)
        row = {
            "date": f"{self.today - timedelta(days=1):%Y-%m-%d}",
            "merchant": "Quay cab",
            "category": "taxi",
            "amount": "12,50",
            "currency": "EUR",
            "paid_by": "self",
            "once": "b2c9-away",
        }
        first = self.client.post("/expenses/new/", row)
        again = self.client.post("/expenses/new/", row)
        self.assertEqual((first.status_code, again.status_code, Expense.objects.count()), (302, 302, 1))
        self.assertEqual(first["Location"], again["Location"])
        for _ in range(2):
            with self.done(), open(finders.find("web/icons/icon-192.png"), "rb") as file:
                said = self.client.post(
                    "/tray/drop/", {"files": file, "once": "c3d0"}, headers={"x-one-by-one": "1"}
                ).json()
        self.assertIn("was here already", said["faults"][0])
        self.assertEqual(Receipt.objects.count(), 1)
