"""Three tasks before somebody leaves, each from end to end in the browser."""

from __future__ import annotations

import re
from datetime import time, timedelta

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright.accounts.models import BudgetUse
from wainwright.bookings.models import Booking
from wainwright.signoff.models import SignOff
from wainwright.standins.mailbox.models import Mail
from wainwright.standins.market import moods
from wainwright.trips.models import Trip

PNG = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360606060000000050001a5f645400000000049454e44ae426082"
)
ANOTHER_DAY = re.compile(r"– (Mon|Tue|Wed|Thu|Fri|Sat|Sun) ")


class JourneyTestCase(BrowserTestCase):
    def setUp(self):
        super().setUp()
        day = worlds.today() + timedelta(days=35)
        self.first = day - timedelta(days=day.weekday())

    def a_trip(self, title: str, line: str = "") -> str:
        self.sign_in("Maren Oyelaran")
        self.open("/trips/new/")
        codes = {"code-cost_centre": "3120", "code-project": "P-0417", "code-task": "field"}
        more = {"line": line} if line else {}
        self.fill(title=title, purpose="Recalibrating the gauges", **codes, **more)
        self.press("Start the trip")
        self.see("Nothing is held yet" if line else "The ribbon appears with the first leg")
        return f"/trips/{Trip.objects.latest('pk').pk}/"

    @property
    def trip(self) -> Trip:
        return Trip.objects.latest("pk")

    def search(self, page: str, *parts: tuple[str, str, int, str, str], more: str = ""):
        """Open a search by its address, as a person who keeps it does."""
        said = [
            f"from={one}&to={other}&on={self.first + timedelta(days=days)}&when={when}&at={at}"
            for one, other, days, when, at in parts
        ]
        self.open(f"{page}ways/?{'&'.join(said)}&order=price{more}")

    def choose(self, fare: str = "", mode: str = "") -> str:
        """Choose the first of the list that lands the same day; then one of its fares, if one is named."""

        def fits(row):
            return "night on board" in row.text if mode == "night" else not ANOTHER_DAY.search(row.text)

        text = self.follow(".ways-list a.way", fits)
        if fare:
            self.follow(".fare", lambda link: link.text.startswith(fare), -1)
        return text

    def hold(self):
        self.see("What it does to the trip")
        if self.driver.find_elements(By.CSS_SELECTOR, "#chosen [name='words']"):
            self.fill(within="#chosen", words="In time for the tide")
        self.press_at("//button[contains(., 'Hold th')]")
        self.see("is held under")

    def line(self, text: str, legs: int = 1):
        count = self.trip.legs.count()
        self.fill(within=".line-entry", line=text)
        self.press("Add", within=".line-entry")
        self.until(lambda d: self.trip.legs.count() == count + legs)
        # The part of the page that shows the leg has come, with an empty line for the next.
        self.until(lambda d: not d.find_element(By.CSS_SELECTOR, ".line-entry [name=line]").get_attribute("value"))
        self.see("arrives")

    def certify(self):
        self.open(f"/trips/{self.trip.pk}/sign/")
        self.see("What you sign")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("The trip is on its way")

    def approve(self, name: str):
        self.sign_in(name)
        self.open(f"/bench/trip/{self.trip.pk}/")
        self.press("Approve", within="main")


class SimpleTest(JourneyTestCase):
    def test_there_and_back_with_hotel_and_car(self):
        page = self.a_trip("Gauge check, Bergen")
        self.search(page, ("ORK", "BGO", 0, "any", ""), ("BGO", "ORK", 3, "after", "10:00"))
        self.see("choose one to see its yardstick")

        # Pointing at one in the list marks it on the field.
        def point(driver):
            row = driver.find_element(By.CSS_SELECTOR, ".ways-list a.way")
            ActionChains(driver).move_to_element(row).perform()
            return row.get_attribute("data-way")

        key = self.do(point)
        self.until(lambda d: "lit" in d.find_element(By.CSS_SELECTOR, f"svg [data-way='{key}']").get_attribute("class"))
        # A box drawn on the field narrows both.
        before = len(self.driver.find_elements(By.CSS_SELECTOR, ".ways-list a.way"))
        field = self.driver.find_element(By.CSS_SELECTOR, "[data-field]")
        wide, high = field.size["width"], field.size["height"]
        drag = ActionChains(self.driver).move_to_element_with_offset(field, -wide * 0.42, high * 0.44)
        drag.click_and_hold().move_by_offset(int(wide * 0.8), int(-high * 0.45)).release().perform()
        self.see("Show all again")
        self.assertLess(len(self.driver.find_elements(By.CSS_SELECTOR, ".ways-list a.way")), before)
        self.press("Show all again")
        self.choose("Bag and change")
        self.see("Bergen to Cork")
        self.choose("Bag and change")
        self.hold()
        self.open(f"{page}stays/")
        self.see("Lodging in Bergen", "ceiling 150.00")
        fitting = "//tr[@data-line][not(contains(., 'over')) and not(contains(., 'full'))]//a"
        self.driver.get(self.do(lambda d: d.find_element(By.XPATH, fitting).get_attribute("href")))
        self.press("Hold this room")
        self.see("is held under")
        self.open(f"{page}cars/")
        contracted = "//tr[@data-line][contains(., 'contracted')]//a"
        self.driver.get(self.do(lambda d: d.find_element(By.XPATH, contracted).get_attribute("href")))
        self.see("The whole trip comes to")
        self.fill(within="#chosen", words="Two gauges to carry to the pier")
        self.press("Hold this car")
        self.see("is held under", "Permissions 1")
        self.assertEqual(sorted(b.kind for b in Booking.objects.filter(state="Held")), ["air", "car", "stay"])
        self._seats(page)
        self.open(page)
        self.see("nothing in the way")
        self.certify()
        self.approve("Tobias Achterberg")
        self.see("it is authorised now")
        self.assertEqual({b.state for b in Booking.objects.all()}, {"Ticketed"})
        mail = Mail.objects.filter(to="maren.oyelaran@brackwater.example").latest("time")
        self.assertEqual(len(mail.attachments), 2)
        self.sign_in("Maren Oyelaran")
        self.open(f"{page}order/")
        self.see("is authorised to travel", "Two gauges to carry to the pier", "Tobias Achterberg")

    def _seats(self, page: str):
        booking = Booking.objects.get(kind="air")
        if booking.seat_choice != "map":
            return
        self.open(f"{page}bookings/{booking.pk}/seats/")

        def choose(driver):
            seat = driver.find_element(By.CSS_SELECTOR, ".seat input")
            seat.send_keys(Keys.SPACE)
            return seat.is_selected() and seat.get_attribute("value")

        name = self.do(choose)
        self.press("Ask for these seats")
        self.see(f"Asked for: {name}")


class LongTest(JourneyTestCase):
    @shows("P2.1")
    def test_five_legs_with_everything_on_the_way(self):
        """Ferry, night train, own car, supplied quarters, a split over two owners, an agenda, sent back once."""
        mon = self.first
        # The first leg is typed where the trip is started, the others in one line.
        page = self.a_trip("Round the western gauges", f"own car cork to dublin {mon} 7:00")
        # Beyond 300 km a comparison is made; Cork to Dublin by road is within it.
        self.assertEqual(self.trip.legs.get().compared, {})
        self.line(
            "flight dublin to bergen mon 12:30 17:30; ferry florø tue 7:30; coach bergen thu 13:40; "
            "night train oslo thu 22:59; flight cork fri 15:00 17:20", 5,
        )  # fmt: skip
        self.see("by Fjordlink's timetable")
        trip = self.trip
        self.assertEqual([n.place["town"] for n in trip.nights.all()], ["Bergen", "Florø", "Florø"])
        self.assertEqual({n.name for n in trip.nights.all() if n.supplied}, {"Gauge House"})
        self._supplied_quarters_were_full()
        self._move_an_end_by_keyboard()
        self._split(page)
        self._agenda(page)
        self.open(page)
        self.see("Before this trip can go")
        self.explain_all("No quarters and no other boat that week")
        self.see("nothing in the way")
        self.assert_accessible("a long trip")
        self.certify()
        self.see("Who signs next Tobias")
        self._sent_back()
        self.certify()
        self.approve("Tobias Achterberg")
        self.see("Approve" if "Approve" in self.body() else "signed")
        self.approve("Ottilie Marsh")
        self.see("it is authorised now")
        codes = set(BudgetUse.objects.filter(subject=self.trip.subject).values_list("budget__code", flat=True))
        self.assertEqual(codes, {"3120", "3140", "P-0417"})
        self.assertEqual(self.trip.versions.count(), 2)
        self.assertTrue(SignOff.objects.filter(subject=self.trip.subject, state="Sent back").exists())

    def _supplied_quarters_were_full(self):
        self.line_of("Gauge House")
        form = ".panel form[action$='/stay/']"
        self.fill(within=form, cost="124", name="Florø Rooms")
        self.do(lambda d: d.find_element(By.CSS_SELECTOR, f"{form} [name=supplied]").click() or True)
        self.press("Keep the nights", within=form)
        self.see("Florø Rooms costs 124.00", "Without a record that it was full, nothing is allowed")
        self.fill(within=".panel", when=worlds.today().isoformat(), who="Ida at the port office", reference="Q-77")
        self.press("The quarters were full", "button")
        self.see("Supplied quarters were full: Ida at the port office", "The whole trip")

    def _move_an_end_by_keyboard(self):
        leg = self.trip.legs.get(mode="coach")
        grip = f".r-grip[data-leg='{leg.pk}'][data-end='leaves']"
        self.do(
            lambda d: (
                d.find_element(By.CSS_SELECTOR, grip).send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT, Keys.ENTER) or True
            )
        )
        self.until(lambda d: self.trip.legs.get(pk=leg.pk).leaves.time() == time(13, 10))

    def _split(self, page: str):
        self.open(page)
        self.press("Who bears it", ".door")
        self.fill(within="#split", about="category:lodging")
        for n, (centre, share) in enumerate((("3120", "60"), ("3140", "40")), 1):
            self.put(f"#split-coding-{n}", centre)
            self.put("[name=split-share]", share, n - 1)
        self.press("Split it")
        self.see("3140", "Who signs Tobias, Ottilie")

    def _agenda(self, page: str):
        self.press("Meals and allowance", ".door")
        self.press("Lunch", "#host label.choice")
        self.press("Keep for these days")
        self.see("The agenda is missing", "The daily allowance was")
        path = f"{self.folder.name}/agenda.png"
        with open(path, "wb") as file:
            file.write(PNG)
        self.press("Attach the agenda")
        # The form begins with the kind that is asked for.
        self.attach("#slot-doors input[type=file]", path)
        self.see("agenda.png")
        self.assertNotIn("The agenda is missing", self.body())

    def _sent_back(self):
        self.sign_in("Tobias Achterberg")
        self.open(f"/bench/trip/{self.trip.pk}/")
        self.see("Line by line", "Florø Rooms")
        leg = self.trip.legs.get(mode="coach")
        self.put(f"[name='line-leg:{leg.pk}']", "Is there no boat that day?")
        self.press("Send back", within="main")
        self.fill(within="#send-back", comment="One thing on the way back")
        self.press("Send back", within="#send-back")
        self.see("Sent back with your comment")
        self.sign_in("Maren Oyelaran")
        self.open(f"/trips/{self.trip.pk}/")
        self.see("Is there no boat that day?", "One thing on the way back")
        self.press("+ a cost", ".door")
        self.fill(within="#slot-doors", category="taxi", label="Pier taxi", amount="20")
        self.press("Add", within="#slot-doors")
        self.see("Changed since it was signed", "Pier taxi")


class ByHandTest(JourneyTestCase):
    @shows("B10.1")
    def test_a_fee_and_a_ticket_by_hand_then_a_change_and_a_cancellation(self):
        page = self.a_trip("Gauge check, Bergen")
        self.search(page, ("ORK", "BGO", 0, "any", ""), ("BGO", "ORK", 3, "any", ""))
        self.choose("Bag and change")
        self.see("Bergen to Cork")
        self.choose("Bag and change")
        self.hold()
        self.press("+ bought elsewhere", ".door")
        # Whom it was bought at is asked once.
        for n, (kind, number, amount) in enumerate((("fee", "QT-1001", "25,00"), ("ferry", "FL-77-2", "88.20"))):
            bought = {} if n else {"supplier": "Quay Travel"}
            self.fill(within="#by-hand", kind=kind, number=number, amount=amount, **bought)
            self.press("Record it")
            self.see(f"{number}, is recorded")
        self.fill(within="#by-hand", kind="fee", number="qt-1001", amount="30")
        self.press("Record it")
        self.see("The number QT-1001 stands on your trip already")
        self.see("billed to the firm, bought elsewhere 113.20")
        self.open(page)
        if "Say why" in self.body():
            self.explain_all("Nothing else was in time")
        self.certify()
        self.approve("Tobias Achterberg")
        self.see("it is authorised now")
        flight = Booking.objects.get(kind="air")
        self.assertEqual(flight.state, "Ticketed")
        self._change(page, flight)
        self._cancel(page)
        self._late_ticket_and_refused_card(page)

    def _change(self, page: str, flight: Booking):
        self.sign_in("Maren Oyelaran")
        self.open(page)
        self.press("Change the plan")
        self.see("The plan can be changed")
        self.line_of("Cork → Bergen")
        self.press("Another way", within=".panel")
        self.see("in place of Flight Cork")
        self.choose("Open")
        self.see("Bergen to Cork")
        self.choose("Open")
        self.see("Not given back of Flight Cork")
        self.hold()
        fee = flight.costs_to_change
        flight.refresh_from_db()
        self.assertEqual((flight.state, flight.lost), ("Cancelled", fee))
        self.see("No longer booked", "not given back")

    def _cancel(self, page: str):
        fee = Booking.objects.get(ticket_number="QT-1001")
        self.line_of(fee.ticket_number)
        self.press("Take off", within=".panel")
        self.see("is taken off")
        self.assertFalse(Booking.objects.filter(ticket_number="QT-1001").exists())

    def _late_ticket_and_refused_card(self, page: str):
        """What goes wrong outside is shown on the booking, with what to do."""
        if "Say why" in self.body():
            self.explain_all("The meeting moved")
        moods.set_moods(frozenset(["card_refused"]))
        self.certify()
        self.approve("Tobias Achterberg")
        self.sign_in("Maren Oyelaran")
        self.open(page)
        self.line_of("Cork → Bergen")
        self.see("The card ending 4410 was refused")
        moods.set_moods(frozenset())
        self.fill(within=".panel", card="central")
        self.press("Pay by this")
        self.until(lambda d: Booking.objects.filter(kind="air", state="Ticketed", paid_by="central").exists())
        self.assertEqual(self.console(), [])
