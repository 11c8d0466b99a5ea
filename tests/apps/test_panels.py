"""The trip's page of panels: one open at a time, nothing that nobody asked for, answers of what differs and no more."""

import re
from datetime import datetime, time, timedelta
from decimal import Decimal
from html import unescape
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.template.loader import get_template
from django.test.utils import CaptureQueriesContext

from tests.apps.test_bookings import BookingTestCase
from tests.apps.test_journeys import PNG, JourneyTestCase
from tests.apps.world import FIELD
from tests.coverage import shows
from wainwright.errors import Refusal
from wainwright.formats.places import place, town
from wainwright.trips.models import Paper, Trip
from wainwright.trips.panels import LinePanel, panels
from wainwright.trips.services import details, itinerary, nights, plan
from wainwright.trips.services.ways import Wish, hold

FORM = re.compile(r"<form[^>]*action=\"([^\"]*)\"")
REGION = re.compile(r'<div id="r-([a-z]+)" class="region" data-is="([0-9a-f]+)"')
# What stands on the page unasked: the typed line, and the hidden forms that the ribbon sends.
ALWAYS = {"line/", "meal/", "legs/move/", "stay/stretch/", "call-off/", "itinerary/mail/"}
MOST_BYTES = 45_000


class PanelTestCase(JourneyTestCase):
    def setUp(self):
        self.trip = self.to_bergen()
        self.page = f"/trips/{self.trip.pk}/"
        self.enter(self.maren)

    def seen(self, path="", **headers):
        return self.client.get(self.page + path, headers=headers).content.decode()

    def has(self, html):
        """What a browser says it shows."""
        return ",".join(f"{name}={digest}" for name, digest in REGION.findall(html))

    def act(self, path, before, opened="", status=200, **data):
        """Send a form as the page does, and follow where it leads."""
        headers = {
            "HX-Request": "true",
            "HX-Boosted": "true",
            "X-Regions": self.has(before),
            "X-Open": opened,
            "Referer": f"http://testserver{self.page}",
        }
        answer = self.client.post(self.page + path, data, headers=headers)
        if answer.status_code == 302:
            answer = self.client.get(answer.url, headers=headers)
        self.assertEqual(answer.status_code, status)
        return answer.content.decode()

    def regions(self, html):
        return {name for name, _ in REGION.findall(html)}


class ClosedTest(PanelTestCase):
    def test_no_form_stands_open_that_nobody_asked_for(self):
        actions = {
            action.removeprefix(self.page) for action in FORM.findall(self.seen()) if action.startswith(self.page)
        }
        self.assertEqual(actions, ALWAYS)

    def test_each_thing_stands_once_in_the_order_of_time(self):
        plan.add_other(self.maren, self.trip.pk, "taxi", "Pier taxi", Decimal(20), "self", self.trip.starts)
        plan.add_other(self.maren, self.trip.pk, "parking", "Parking", Decimal(30), "self")
        names = re.findall(r'class="j-line" data-line id="([a-z]+)-', self.seen())
        self.assertEqual(names, ["leg", "other", "night", "leg", "other"])

    def test_every_panel_has_its_template_and_says_something_closed(self):
        page = self.seen()
        for name, panel in panels().items():
            with self.subTest(name):
                get_template(f"trips/panels/{name}.html")
                self.assertTrue(panel.title and panel.__class__.__doc__)
                # Who moves is asked on a move alone.
                if panel.order and name != "move":
                    self.assertIn(f'data-open="{name}"', page)

    def test_the_page_of_a_long_journey_is_small(self):
        trip = plan.start_trip(self.maren, "Round the coast", "All gauges", FIELD)
        spots = [town("Bergen", "NO"), town("Florø", "NO"), town("Bergen", "NO"), place("ORK")]
        here = place("ORK")
        for n, there in enumerate(spots):
            at = datetime.combine(self.monday() + timedelta(days=[0, 1, 3, 5][n]), time(9))
            plan.add_leg(
                self.maren, trip.pk, "ferry" if n % 3 else "air", here, there, at, at + timedelta(hours=6), Decimal(80)
            )
            here = there
        page = self.client.get(f"/trips/{trip.pk}/").content
        self.assertLess(len(page), MOST_BYTES)


class OpenTest(PanelTestCase):
    def openers(self, html):
        return sorted({unescape(name) for name in re.findall(r'data-open="([^"]+)"', html)})

    def test_everything_that_can_be_opened_opens(self):
        """For whoever may see the trip: each opener of the page, with each of the acts that it offers then."""
        plan.add_other(self.maren, self.trip.pk, "taxi", "Pier taxi", Decimal(20), "self")
        nights.set_stay(self.maren, self.trip.pk, [self.trip.starts], "Lamp Quay", Decimal(190), "firm", False)
        for member in (self.maren, self.benedikt):
            self.enter(member)
            found = self.openers(self.seen())
            self.assertIn("said", found)
            for name in found:
                with self.subTest(name=name, member=member.person.name):
                    panel = self.seen(f"open/{name}/")
                    self.assertIn(f'data-panel="{name}"', panel)
                    if member is self.benedikt:
                        changing = set(FORM.findall(panel)) - {f"{self.page}say/"}
                        self.assertEqual(changing, set())
                    for act in re.findall(r'data-do="([a-z]+)"', panel):
                        self.assertIn("<form", self.seen(f"open/{name}/?do={act}"))

    def test_a_panel_alone_is_what_the_whole_page_shows_open(self):
        alone = self.seen("open/papers/")
        whole = self.seen("?open=papers")
        fresh = re.compile(r'value="[^"]{16,}"')
        self.assertIn(fresh.sub("", alone), fresh.sub("", whole))
        self.assertEqual(whole.count('class="panel"'), 1)

    def test_what_is_not_there_opens_nothing(self):
        for name in ("leg-999999", "night-2001-01-01", "nothing", "papers-7", "why-x", "-", "<b>", "leg-", "map-1"):
            with self.subTest(name):
                self.assertEqual(self.client.get(f"{self.page}open/{name}/").content, b"")
                self.assertEqual(self.client.get(self.page, {"open": name, "do": "x"}).status_code, 200)

    def test_opening_takes_no_more_queries_than_the_page(self):
        self.seen()
        with CaptureQueriesContext(connection) as whole:
            self.seen()
        for name in self.openers(self.seen()):
            self.seen(f"open/{name}/")
            with self.subTest(name), CaptureQueriesContext(connection) as taken:
                self.seen(f"open/{name}/")
                self.assertLessEqual(len(taken), len(whole))


class AnswerTest(PanelTestCase):
    def test_an_act_answers_with_what_it_changed_and_no_more(self):
        before = self.seen()
        html = self.act("meal/", before, meal=f"{self.trip.starts + timedelta(days=1)}:lunch")
        # The agenda is asked for now, the day is worth less; the journey and its head are as they were.
        self.assertEqual(self.regions(html), {"ribbon", "doors", "money", "way"})
        self.assertIn("is supplied by others now", html)
        html = self.act("say/", before := self.seen(), opened="said", text="Which pier?")
        self.assertEqual(self.regions(html), {"doors"})
        self.assertIn("Which pier?", html)

    def test_the_browser_that_has_everything_gets_only_what_is_said(self):
        before = self.seen()
        answer = self.client.get(self.page, headers={"X-Regions": self.has(before)}).content.decode()
        self.assertEqual(self.regions(answer), set())
        self.assertIn('id="r-messages"', answer)

    def test_after_any_act_the_page_put_together_is_the_page_loaded_anew(self):
        plan.add_other(self.maren, self.trip.pk, "taxi", "Pier taxi", Decimal(20), "self")
        leg = self.trip.legs.first()
        first = self.trip.starts.isoformat()
        acts = [
            ("others/", {"category": "parking", "label": "Quay", "amount": "12", "paid_by": "self"}),
            ("stay/", {"night": [first], "name": "Lamp Quay", "cost": "190", "paid_by": "firm"}),
            ("explain/", {"identity": f"ceiling@night:{first}", "reason": "Needed for the work", "words": "On the quay"}),
            ("meal/", {"meal": f"{self.trip.ends}:breakfast"}), ("advance/", {"advance": "10", "why": "Cash for the quay"}),
            ("legs/move/", {"leg": leg.pk, "end": "leaves", "minutes": "-30"}), ("line/", {"line": f"ferry florø {self.trip.starts + timedelta(days=1)} 7:30"}),
            ("engagements/", {"title": "Kick-off", "place": "Bergen", "day": first, "time": "15:00"}),
            ("permissions/", {"code": "by-hand", "title": "A night watch", "comment": "The tide is at four"}),
            ("head/", {"title": "Gauges again", "purpose": "To mend them", "code-cost_centre": "3140"}),
            ("shift/", {"start": (self.trip.starts + timedelta(days=7)).isoformat()}), ("questions/", {"q-guests": "yes"}),
        ]  # fmt: skip
        shown = self.seen()
        have = dict(REGION.findall(shown))
        for path, data in acts:
            with self.subTest(path):
                headers = {"HX-Request": "true", "X-Regions": ",".join(f"{k}={v}" for k, v in have.items())}
                answer = self.client.post(self.page + path, data, headers=headers)
                self.assertEqual(answer.status_code, 302, answer.content.decode()[:300])
                answer = self.client.get(answer.url.partition("?")[0], headers=headers).content.decode()
                have |= dict(REGION.findall(answer))
                self.assertEqual(have, dict(REGION.findall(self.seen())))

    def test_what_was_typed_comes_back_in_its_panel(self):
        html = self.act(
            "others/", self.seen(), opened="papers", status=422, category="taxi", label="Quay taxi", amount="0", paid_by="self"
        )  # fmt: skip
        self.assertIn('data-panel="cost"', html)
        self.assertIn('value="Quay taxi"', html)
        self.assertIn("more than nothing", html)
        self.assertIn('data-opened="cost"', html)
        # The same without the page's script: the whole page, with the panel open.
        answer = self.client.post(
            self.page + "others/", {"category": "taxi", "label": "Quay taxi", "amount": "0", "paid_by": "self"}
        )
        self.assertContains(answer, 'value="Quay taxi"', status_code=422)
        self.assertContains(answer, "</html>", status_code=422)

    def test_an_open_panel_is_left_alone_by_acts_elsewhere(self):
        before = self.seen("?open=elsewhere")
        mine = re.search(r'data-panel="elsewhere" data-is="([0-9a-f]+)"', before)[1]
        headers = {"HX-Request": "true", "X-Open": "elsewhere", "X-Regions": f"{self.has(before)},panel={mine}"}
        answer = self.client.post(self.page + "advance/", {"advance": "10", "why": "Cash"}, headers=headers)
        self.assertEqual(answer.status_code, 302)
        again = self.client.get(f"{self.page}?open=elsewhere", headers=headers).content.decode()
        self.assertNotIn('id="slot-doors" class="slot"', again.replace('id="slot-doors" class="slot" hx', "x"))

    def test_a_refusal_is_said_in_place(self):
        leg = self.trip.legs.first()
        self.client.post(f"{self.page}legs/{leg.pk}/remove/")
        html = self.act(f"legs/{leg.pk}/remove/", self.seen())
        self.assertIn("message-error", html)
        self.assertIn("gone already", html)
        self.assertNotIn("</html>", html)

    def test_a_second_press_of_the_same_form_does_nothing_and_answers_the_same_way(self):
        page = self.seen("open/said/")
        once = re.search(r'name="once" value="([^"]+)"', page)[1]
        for _ in range(2):
            html = self.act("say/", self.seen(), opened="said", text="Which pier?", once=once)
        self.assertIn("sent twice, and done once", html)
        self.assertEqual(self.seen("open/said/").count("Which pier?"), 1)

    def test_a_file_that_cannot_be_read_is_refused_beside_its_field(self):
        html = self.act(
            "papers/", self.seen(), status=422, kind="agenda", file=SimpleUploadedFile("a.png", b"no picture at all")
        )
        self.assertIn('data-panel="papers"', html)
        self.act("papers/", self.seen(), kind="agenda", file=SimpleUploadedFile("a.png", PNG))
        self.assertEqual(Paper.objects.get().name, "a.png")


class BookedTest(BookingTestCase):
    def test_what_is_booked_is_part_of_the_line_that_it_books(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking a gauge", FIELD)
        booking = hold(self.maren, trip.pk, self.choice(), Wish("Arrives in time for the work", "In time for the tide"))
        self.enter(self.maren)
        page = self.client.get(f"/trips/{trip.pk}/").content.decode()
        legs = list(trip.legs.all())
        self.assertEqual(page.count('class="j-line"'), 3)
        self.assertIn(f"in the price of {legs[0].leaves:%a} {legs[0].leaves.day} {legs[0].leaves:%b}", page)
        panel = self.client.get(f"/trips/{trip.pk}/open/leg-{legs[1].pk}/").content.decode()
        for words in ("Conditions", booking.reference, "Another way", "Cancel", "Who pays"):
            self.assertIn(words, panel)
        self.assertNotIn("Take off", panel)
        # Cancelled, it is counted in one line at the end.
        self.client.post(f"/trips/{trip.pk}/bookings/{booking.pk}/cancel/")
        page = self.client.get(f"/trips/{trip.pk}/").content.decode()
        self.assertIn("No longer booked", page)
        self.assertIn(booking.label, self.client.get(f"/trips/{trip.pk}/open/gone-bookings/").content.decode())


class ComingTest(JourneyTestCase):
    @shows("P9.4")
    def test_what_is_next_is_said_to_whoever_is_on_the_way(self):
        trip = self.authorised_trip(starts=0, days=3)
        self.enter(self.maren)
        page = self.client.get(f"/trips/{trip.pk}/").content.decode()
        self.assertIn("Next:", page)
        back = self.authorised_trip(starts=-20, days=3)
        self.assertNotIn("Next:", self.client.get(f"/trips/{back.pk}/").content.decode())

    @shows("C10.1")
    def test_planned_and_spent_stand_beside_each_other(self):
        claim = self.a_claim(costs=("33.00",))
        self.enter(self.maren)
        page = self.client.get(f"/trips/{claim.trip_id}/").content.decode()
        self.assertIn('<th class="n">Spent</th>', page)
        self.assertIn("33.00", page)


@shows("P7.1")
class FindingsTest(JourneyTestCase):
    """A journey that does not come home, leaves from where one is not, or ends before what waits."""

    def leg(self, trip, one, other, day, hour=9, mode="air"):
        at = datetime.combine(self.monday() + timedelta(days=day), time(hour))
        return plan.add_leg(self.maren, trip.pk, mode, one, other, at, at + timedelta(hours=3))

    def found(self, trip):
        return {e.finding.rule: e.finding for e in self.file(trip).findings if e.open}

    def test_an_outward_leg_alone_is_not_enough(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", FIELD)
        self.leg(trip, place("ORK"), place("BGO"), 0)
        self.assertIn("the way home to Cork is missing", self.found(trip)["not-home"].text)
        self.enter(self.maren)
        # The cure opens the form with the way home in it.
        self.assertContains(self.client.get(f"/trips/{trip.pk}/"), "?open=addleg-home#addleg-home")
        self.assertContains(self.client.get(f"/trips/{trip.pk}/open/addleg-home/"), 'value="Cork airport (ORK)"')
        self.leg(trip, place("BGO"), place("ORK"), 2)
        self.assertEqual(self.found(trip), {})

    def test_a_journey_from_elsewhere_says_so(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", FIELD)
        self.leg(trip, place("DUB"), place("BGO"), 0)
        self.leg(trip, place("BGO"), place("DUB"), 2)
        self.assertEqual(set(self.found(trip)), {"not-from-home"})

    def test_what_waits_is_missed_in_three_ways(self):
        trip = self.to_bergen()
        bergen = town("Bergen", "NO")
        for title, at, wanted in (
            ("Handover", datetime.combine(trip.starts, time(8)), "in-time"),
            ("Kick-off", datetime.combine(trip.ends, time(20)), "left-before"),
        ):
            details.add_engagement(self.maren, trip.pk, title, bergen, at)
            self.assertIn(wanted, self.found(trip))
            details.remove_engagement(self.maren, trip.pk, 0)
        details.add_engagement(self.maren, trip.pk, "Fair", town("Oslo", "NO"), datetime.combine(trip.starts, time(18)))
        self.assertIn("No leg brings you to Fair in Oslo", self.found(trip)["in-time"].text)

    def test_from_a_place_to_itself_is_refused(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", FIELD)
        self.enter(self.maren)
        day = self.monday().isoformat()
        leg = {"mode": "air", "origin": "ORK", "target": "ORK", "leaves_day": day, "leaves_time": "09:00", "arrives_time": "10:00", "paid_by": "firm"}  # fmt: skip
        answer = self.client.post(f"/trips/{trip.pk}/legs/", leg)
        self.assertContains(answer, "It goes from Cork airport to Cork airport", status_code=422)
        answer = self.client.post(f"/trips/{trip.pk}/line/", {"line": f"taxi cork to cork {day} 9:00"})
        self.assertEqual((answer.status_code, trip.legs.count()), (422, 0))


class StartTest(BookingTestCase):
    def start(self, line, status=302):
        typed = {"title": "Pier check", "purpose": "Looking at it", "line": line, "code-cost_centre": "3120", "code-project": "P-0417", "code-task": "field"}  # fmt: skip
        answer = self.client.post("/trips/new/", typed)
        self.assertEqual(answer.status_code, status, answer.content.decode()[-900:] if answer.content else "")
        return answer

    def setUp(self):
        super().setUp()
        self.enter(self.maren)

    @shows("P1.1")
    def test_one_line_makes_ribbon_nights_allowance_and_prices(self):
        day = self.monday()
        page = self.client.get(self.start(f"cork rotterdam {day} to {day + timedelta(days=2)}, flight").url)
        trip = Trip.objects.get()
        self.assertEqual(
            [(leg.origin["town"], leg.target["town"]) for leg in trip.legs.all()],
            [("Cork", "Rotterdam"), ("Rotterdam", "Cork")],
        )
        self.assertEqual((trip.nights.count(), (trip.ends - trip.starts).days), (2, 2))
        self.assertTrue(all(leg.estimate_minor > 0 for leg in trip.legs.all()))
        self.assertContains(page, 'class="ribbon"')
        self.assertContains(page, "Nothing is held yet")

    @shows("P1.3")
    def test_without_days_or_a_line_it_starts_all_the_same(self):
        page = self.client.get(self.start("rotterdam, flight").url)
        self.assertContains(page, 'value="air cork to rotterdam')
        self.assertEqual(Trip.objects.get().legs.count(), 0)
        self.start("")
        self.assertEqual(Trip.objects.count(), 2)

    def test_what_cannot_be_understood_is_said_and_nothing_is_started(self):
        for line, words in (
            ("qqqq mon 14 dec", "No place is known as"),
            ("cork cork mon", "from Cork to Cork"),
            ("bergen mon 30 feb", "no day"),
        ):
            with self.subTest(line):
                self.assertContains(self.start(line, 422), words, status_code=422)
                self.assertContains(self.start(line, 422), f'value="{line}"', status_code=422)
        self.assertEqual(Trip.objects.count(), 0)

    def test_a_market_that_does_not_answer_leaves_hours_by_the_distance(self):
        day = self.monday()
        with mock.patch.object(itinerary, "offers_of", side_effect=Refusal("The market did not answer.")):
            self.start(f"flight bergen {day} to {day + timedelta(days=2)}")
            self.assertEqual([leg.leaves.hour for leg in Trip.objects.get().legs.all()], [8, 17])
            self.assertContains(self.start(f"rotterdam {day}", 422), "Say how you go as well", status_code=422)


class HowToTest(JourneyTestCase):
    def test_the_example_of_the_how_to_is_a_panel(self):
        """What the guide shows can be read in as it stands, and is found by the registry's own rule."""
        text = Path("docs/how-to/add-a-panel.md").read_text(encoding="utf-8")
        code = re.search(r"```python\n(.*?)```", text, re.S)[1]
        space: dict = {"__name__": "example"}
        exec(compile(code, "example", "exec"), space)
        panel = space["PANEL"]
        self.assertFalse(isinstance(panel, LinePanel))
        self.assertTrue(panel.name and panel.order and panel.says and panel.acts())
