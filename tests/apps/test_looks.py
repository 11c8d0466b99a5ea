"""Small things that pages say: of money, of states, of what is late; and the frame around the pages of signing in."""

from datetime import timedelta
from decimal import Decimal

from django.template import Context, Template

from tests.apps.test_bookings import BookingTestCase
from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.bench import services as bench
from wainwright.bookings.selectors import cars, chosen_car
from wainwright.claims.models import Claim
from wainwright.formats.places import place
from wainwright.ports.market import CarQuery
from wainwright.trips.models import Trip
from wainwright.trips.services.ways import Wish, hold


class WordsTest(WorldTestCase):
    def test_a_share_is_written_in_one_way(self):
        for share, words in (("33.3333", "33.3333 %"), ("72.5000", "72.5 %"), ("60", "60 %"), ("100.0000", "100 %")):
            text = Template("{{ share|share }}").render(Context({"share": Decimal(share)}))
            self.assertEqual(text, words)

    def test_a_trip_that_was_turned_down_says_so(self):
        trip = self.sent_trip(starts=20)
        bench.end(self.tobias, "trip", trip.pk, "turn_down", "Not this year")
        self.enter(self.maren)
        page = self.client.get(f"/trips/{trip.pk}/")
        self.assertContains(page, "Turned down")
        self.assertNotContains(page, "Called off")
        self.assertNotContains(self.client.get("/"), f'href="/trips/{trip.pk}/"><b>')

    @shows("C7.2")
    def test_whoever_is_sent_back_reads_why_at_once(self):
        trip = self.sent_trip(starts=20)
        bench.end(self.tobias, "trip", trip.pk, "send_back", "Could it wait for the launch?")
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/trips/{trip.pk}/"), "Could it wait for the launch?")

    def test_nobody_else_reads_you_paid(self):
        expense = self.a_claim().expenses.first()
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/expenses/{expense.pk}/"), "You paid")
        self.enter(self.priya)
        self.assertNotContains(self.client.get(f"/expenses/{expense.pk}/"), "You paid")
        self.assertContains(self.client.get(f"/expenses/{expense.pk}/"), "Paid by the traveller")

    def test_the_desk_says_what_is_late_and_what_is_owed(self):
        claim = self.a_claim(costs=("20.00",))
        Claim.objects.filter(pk=claim.pk).update(due=self.today - timedelta(days=26))
        self.enter(self.maren)
        page = self.client.get("/").content.decode()
        self.assertIn("26 days late", page)
        self.assertIn(f'hx-get="/claims/{claim.pk}/owed/"', page)
        said = self.client.get(f"/claims/{claim.pk}/owed/").content.decode()
        self.assertRegex(said, r"^[\d,.]+ so far$")

    def test_pages_of_signing_in_have_the_frame_and_the_look_of_all_others(self):
        for path in ("/accounts/password/change/", "/accounts/2fa/", "/accounts/logout/"):
            self.client.logout()
            self.assertNotContains(self.client.get(path, follow=True), 'aria-label="Areas"></nav>')
            self.enter(self.maren)
            with self.subTest(path):
                page = self.client.get(path, follow=True)
                self.assertContains(page, 'href="/trips/"')
                self.assertContains(page, 'class="btn')

    def test_the_expense_opens_with_its_paper_and_breaks_down_when_asked(self):
        expense = self.a_claim().expenses.first()
        self.a_receipt(expense)
        self.enter(self.maren)
        page = self.client.get(f"/expenses/{expense.pk}/").content.decode()
        self.assertRegex(page, r'<image href="/receipts/pages/\d+/"')
        self.assertNotIn('id="parts"', page)
        self.assertIn('id="parts"', self.client.get(f"/expenses/{expense.pk}/?parts=1").content.decode())


class CarTest(BookingTestCase):
    @shows("P7.4")
    def test_what_is_said_for_a_car_is_the_comment_of_its_permission(self):
        trip = self.to_bergen()
        legs = list(trip.legs.all())
        query = CarQuery(place("BGO"), legs[0].arrives, place("BGO"), legs[1].leaves, self.today, "EUR")
        cheapest = min(cars(query), key=lambda car: (not car.contracted, car.price.amount))
        hold(self.maren, trip.pk, chosen_car(cheapest.key, self.today, "EUR"), Wish(words="Two gauges to carry"))
        file = self.file(Trip.objects.get(pk=trip.pk))
        self.assertEqual([file.comment_on(p) for p in file.permissions], ["Two gauges to carry"])
        self.assertFalse([e for e in file.findings if e.open])
